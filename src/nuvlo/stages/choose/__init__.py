"""Choose: what each option of a choice does, before a part is fitted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from nuvlo.files.drawer import Spare
from nuvlo.kit import Kit, Stage
from nuvlo.kit.schema import Aim, Choice
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.model import WorkingModel
from nuvlo.model.ensemble import known_to, laws
from nuvlo.model.results import results
from nuvlo.model.working import Comparison
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value, parse_value
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.choose.search import Drawn, Proposal, Question, as_printed, curves, miss, search, share_right
from nuvlo.stages.task import Finding, Task, Wants


def tasks(kit: Kit, build: Build) -> list[Task]:
    """One task for each choice of the kit."""
    return [_task(kit, choice) for choice in kit.info.choice]


def _task(kit: Kit, choice: Choice) -> Task:
    if choice.move:
        parts = tuple(
            p.ref
            for p in kit.parts.values()
            if kit.element_of(p.ref) in {e.partition(".")[0] for m in choice.move for e in m.elements}
        )
        detail = f"{choice.says}\nType 'choose 2' for the second set of values; Space keeps what is printed."
        title = f"Choose {', '.join(parts)}: {choice.title.lower()}"
        return Task(
            StepId.of(Stage.CHOOSE, choice.id), Stage.CHOOSE, Wants.CHOOSE, title, detail, choice.id, parts=parts
        )
    unit = kit.part(choice.part).unit
    options = "\n".join(
        f"{n}  {format_value(parse_value(o.value, unit), unit)}: {o.says}." for n, o in enumerate(choice.options, 1)
    )
    return Task(
        StepId.of(Stage.CHOOSE, choice.id), Stage.CHOOSE, Wants.CHOOSE, f"Choose {choice.part}: {choice.title.lower()}",
        f"{choice.says}\n{options}\nType 'choose 2' for the second; Space keeps the first.", choice.id, parts=(choice.part,),
    )  # fmt: skip


@dataclass(frozen=True)
class Proposed(Solved):
    """What the choices of a kit do, by their ids: options compared, sets of values found, those printed, and their curves."""

    comparisons: tuple[Comparison, ...] = ()
    proposals: Mapping[str, tuple[Proposal, ...]] = field(default_factory=dict)
    printed: Mapping[str, Proposal] = field(default_factory=dict)
    curves: Mapping[str, Drawn] = field(default_factory=dict)


def ask(asked: Asked) -> Proposed:
    """Every choice searched, and its options compared where there is a response to compare."""
    kit, build = asked.kit, asked.build
    choices = kit.info.choice
    optional = next((c for c in choices if c.options), None)
    compared = tuple(effects(asked.model, optional.id)) if optional and kit.info.prove else ()
    proposed = {
        c.id: tuple(propose(kit, c, build=build, drawer=asked.drawer, only_drawer=asked.only_drawer)) for c in choices
    }
    as_is = {c.id: p for c in choices if (p := printed(kit, c, build)) is not None}
    curves = {
        c.id: found for c in choices if c.id in as_is and (found := drawn(kit, c, (as_is[c.id], *proposed[c.id][:2]), build))
    }  # fmt: skip
    return Proposed({}, "", compared, proposed, as_is, curves)


def offers(kit: Kit, now: Finding, solved: Solved) -> list[tuple[str, str]]:
    """The other options of the choice in hand, or the sets of values that were found."""
    choice = next((c for c in kit.info.choice if c.id == now.task.target), None)
    if choice is None:
        return []
    if choice.move:
        found = solved.proposals.get(choice.id, ()) if isinstance(solved, Proposed) else ()
        return [(f"Set {n}", f"choose {n}") for n in range(1, len(found) + 1)]
    unit = kit.part(choice.part).unit
    return [(format_value(parse_value(o.value, unit), unit), f"choose {o.value}") for o in choice.options[1:]]


def choice_of(kit: Kit, choice_id: str) -> Choice:
    """The choice with this id. Raises :class:`NuvloError`."""
    found = next((c for c in kit.info.choice if c.id == choice_id.lower()), None)
    if found is None:
        known = ", ".join(c.id for c in kit.info.choice) or "none"
        raise NuvloError(Problem(f"{kit.name} has no choice '{choice_id}'.", f"Choices: {known}."))
    return found


def propose(
    kit: Kit,
    choice: Choice,
    most: int = 5,
    build: Build | None = None,
    drawer: Sequence[Spare] = (),
    *,
    only_drawer: bool = False,
) -> list[Proposal]:
    """Values for a choice, best first; of a choice among options, each of them in its order.

    ``only_drawer`` picks nothing that is not in the ``drawer``.

    Raises :class:`NuvloError` where the kit has no circuit or the search finds no candidates.
    """
    question = _question(kit, choice, build, drawer)
    if choice.move and only_drawer:
        only = tuple(m.model_copy(update={"series": "drawer"}) for m in choice.move)
        return search(replace(question, moves=only), most)
    if choice.move:
        return search(question, most)
    return _options(kit, choice, question)


def _options(kit: Kit, choice: Choice, question: Question) -> list[Proposal]:
    element = kit.element_of(choice.part)
    if element is None:
        raise NuvloError(
            Problem(f"the effect of '{choice.id}' cannot be solved.", "Give its part an element in circuit.cir.")
        )
    unit = kit.part(choice.part).unit
    values = [parse_value(o.value, unit) for o in choice.options]
    out = []
    for value in values:
        spread = {**question.laws, element: question.laws[element].around(value)}
        fixed = Question(question.circuit, (), choice.aim, spread, {}, {})
        nominal = results(question.circuit, choice.aim, {element: value}) if choice.aim else {}
        good = share_right(fixed) if any(a.wanted for a in choice.aim) else 1.0
        told = {name: float(found[0]) for name, found in nominal.items()}
        off = float(miss(choice.aim, nominal, {})[0])
        out.append(Proposal({choice.part: value}, told, good, off, int(value != values[0])))
    return out


def drawn(kit: Kit, choice: Choice, sets: Sequence[Proposal], build: Build | None = None) -> Drawn | None:
    """Curves of some sets of values; None where the choice has no response to show."""
    return curves(_question(kit, choice, build), sets)


def printed(kit: Kit, choice: Choice, build: Build | None = None) -> Proposal | None:
    """What a choice with moves does as the kit is printed; None for one among options."""
    return as_printed(_question(kit, choice, build)) if choice.move else None


def _question(kit: Kit, choice: Choice, build: Build | None, drawer: Sequence[Spare] = ()) -> Question:
    circuit = kit.asked_in(choice, kit.source, kit.output)
    spreads = known_to(circuit, laws(kit, build))
    moved = {e for m in choice.move for e in m.elements}
    tolerances = {
        element: part.tolerance[1] for part in kit.parts.values()
        if (element := kit.element_of(part.ref)) in moved and element and part.tolerance
    }  # fmt: skip
    others = {name: law for name, law in spreads.items() if name not in moved}
    at_hand = {(p.unit, p.value) for p in kit.parts.values() if p.value is not None} | {
        (s.unit, s.value) for s in drawer
    }
    return Question(
        circuit,
        choice.move,
        choice.aim,
        others,
        {},
        tolerances,
        tuple(drawer),
        told(kit, choice),
        tuple(at_hand),
    )


def told(kit: Kit, choice: Choice) -> tuple[Aim, ...]:
    """What is said of the best sets beyond what is wished: noise at the output, heat in the resistors that are picked."""
    source, node = kit.source, kit.output
    circuit = kit.asked_in(choice, source, node)
    out = []
    if (
        source
        and node
        and circuit.has_parameter(source)
        and node in circuit.nodes
        and not any(a.kind == "noise" for a in choice.aim)
    ):
        out.append(
            Aim(name="output_noise", kind="noise", source=source, node=node, says="noise at the output, A-weighted")
        )
    picked = [
        m.element for m in choice.move if circuit.has_parameter(m.element) and m.unit == "Ω" and "." not in m.element
    ]
    for element in picked:
        part = kit.part_of(element)
        out.append(
            Aim(name=f"heat_{element}", kind="power", element=element, says=f"heat in {part.ref if part else element}")
        )
    return tuple(out)


def effects(model: WorkingModel, choice_id: str) -> list[Comparison]:
    """Response, gain, corner and current of every option, solved."""
    return model.compare(choice_id)


def in_words(option: Comparison, printed: Comparison) -> str:
    """One option against the kit as printed."""
    corner = format_value(option.corner_hz, "Hz", 2) if option.corner_hz else "below the band"
    gain = option.gain_db - printed.gain_db
    change = "gain as printed" if abs(gain) < 0.05 else f"gain {format_value(gain, 'dB', 2)}"
    return f"corner {corner}, {change}, supply {format_value(option.current, 'A', 3)}"
