"""A kit: what came in the box, with everything that is asked of it by name."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loaded import METER_OHMS
from nuvlo.circuit.rewritten import without
from nuvlo.kit.board import Board
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.parts import Part
from nuvlo.kit.ringing import Ringing
from nuvlo.kit.schema import Choice, Cold, Control, KitFile, Match, Point, Tone
from nuvlo.kit.wiring import PanelHole, Wire
from nuvlo.problems import NuvloError, Problem

SOCKETS_EMPTY = "sockets empty"  # one that every kit with sockets has: its usual one, without what is plugged
HALVES = 1.1  # times the smaller, that the larger of two resistors may be that split a supply


class KitError(NuvloError):
    """The kit folder cannot be used; every finding is listed."""


@dataclass(frozen=True)
class Change:
    """One part or supply of a kit from what to what, and why."""

    part: str
    was: str
    to: str
    why: str = ""


@dataclass(frozen=True)
class Reach:
    """``hertz`` to which AC volts are right, ``volts`` from which they are: a twentieth of the lowest range, for many meters; ``ohms``
    between its leads on volts; ``most_ohms`` its highest range.

    Common practice, no source: hand-held meters state 400 Hz or 1 kHz, their AC ranges from 5 % of full scale, 10 MΩ, and 40 MΩ at most.
    """

    hertz: float = 1000.0
    volts: float = 0.03
    ohms: float = METER_OHMS
    most_ohms: float = 40e6

    def beyond(self, value: float, unit: str) -> bool:
        """Whether a part of this value is more than it reads."""
        return unit == "Ω" and value > self.most_ohms


HAND_HELD = Reach()


@dataclass(frozen=True)
class Kit:
    """What came in the box. Never edited by building. ``missing`` says what the folder lacks and what that costs.

    ``unit`` is the circuit as it leaves the box; ``setups`` have it with what stands round it at the bench, the usual first.
    """

    folder: Path
    info: KitFile
    parts: dict[str, Part]
    unit: Circuit | None = None
    setups: dict[str, Circuit] = field(default_factory=dict)
    board: Board | None = None
    wires: tuple[Wire, ...] = ()
    panel: tuple[PanelHole, ...] = ()
    missing: tuple[str, ...] = ()
    warnings: tuple[Problem, ...] = field(default=(), compare=False)
    changes: tuple[Change, ...] = ()  # from what came in the box, where it is built otherwise
    written: tuple[Tone, ...] = field(default=(), compare=False)  # its tones as its folder has them
    waiting: tuple[Tone, ...] = field(default=(), compare=False)  # those that the meter in use does not read
    reach: Reach = field(default=HAND_HELD, compare=False)
    memory: dict[Hashable, Any] = field(default_factory=dict, compare=False, repr=False)  # what was computed of it once

    @property
    def name(self) -> str:
        return self.info.kit.name

    def part(self, ref: str) -> Part:
        """The part with this reference, in any case. Raises :class:`KitError`."""
        found = self.find_part(ref)
        if found is None:
            raise KitError(Problem(f"there is no part '{ref}' in {self.name}.", "Check the reference.", ref=ref))
        return found

    def find_part(self, ref: str) -> Part | None:
        if "by_ref" not in self.memory:
            self.memory["by_ref"] = {name.lower(): part for name, part in self.parts.items()}
        found: Part | None = self.memory["by_ref"].get(ref.lower())
        return found

    @property
    def wire_ends(self) -> tuple[str, ...]:
        """Pads of the board at which wires end: neither a part's nor a measuring point's."""
        taken = {name.lower() for name in (*self.parts, *(p.name for p in self.info.point))}
        pads = self.board.pads if self.board else ()
        return tuple(dict.fromkeys(p.ref for p in pads if p.ref.lower() not in taken))

    @property
    def ringing(self) -> Ringing:
        """Its wires as a meter finds them with the power off."""
        if "ringing" not in self.memory:
            self.memory["ringing"] = Ringing(self.wires, self.wire_ends, self.unit, self.parts, self._by_part, self.info.switch, self.on_tags)
        found: Ringing = self.memory["ringing"]
        return found

    def point(self, name: str) -> Point:
        for point in self.info.point:
            if point.name.lower() == name.lower():
                return point
        raise KitError(Problem(f"there is no test point '{name}' in {self.name}.", "Check the name.", ref=name))

    def tone(self, name: str) -> Tone:
        return next(t for t in self.info.tone if t.name.lower() == name.lower())

    def cold(self, name: str) -> Cold:
        return next(c for c in self.info.cold if c.name.lower() == name.lower())

    def tone_setup(self, tone: Tone) -> Circuit:
        """The circuit in which a tone is played."""
        return self.setup(tone.setup, (tone.source, tone.at, tone.node))

    def named_place(self, node: str) -> str:
        """Where to hold a lead for ``node``: ground, a test point, a pad, what meets there off the board, else the net itself."""
        if node in GROUND_NAMES:
            return "ground"
        name, pin = self.lead_on(node)
        if not name:
            meet = self._meeting_at(node)
            return f"the joint of {meet[0]} and {meet[1]}" if len(meet) > 1 else f"the free end of {meet[0]}" if meet else f"the net {node}"
        alone = self.board is not None and len(self.board.pads_by_ref.get(name, ())) == 1  # a post, a test point
        return f"pin {pin} of {name}" if pin and not alone else name

    def _meeting_at(self, node: str) -> list[str]:
        """The parts that have a lead on ``node``."""
        if self.unit is None or node not in self.unit.nodes:
            return []
        at = self.unit.node(node)
        there = {e.name for e in self.unit.elements if at in e.nodes}
        return [ref for ref in self.parts if any(name == mine or name.startswith(f"{mine}.") for mine in self.elements_of(ref) for name in there)]

    def lead_on(self, node: str) -> tuple[str, str]:
        """The test point on ``node``, or the part and its pin there; empty where there is neither."""
        at_point = ((p.name, "") for p in self.info.point if p.node == node and p.reference in GROUND_NAMES)
        on_board = ((p.ref, str(p.pin)) for p in (self.board.pads if self.board else ()) if p.net == node)
        return next(at_point, None) or next(on_board, ("", ""))

    def control(self, ref: str) -> Control:
        for control in self.info.control:
            if ref.lower() in (control.ref.lower(), control.name.lower()):
                return control
        raise KitError(Problem(f"there is no control '{ref}' in {self.name}.", "Check the name.", ref=ref))

    def setup(self, name: str = "", having: Iterable[str] = ()) -> Circuit:
        """The unit in the set-up of this ``name``. Where none is named: the first that has all elements and nodes ``having``,
        else the first. Raises :class:`KitError` where there is none."""
        if self.unit is None:
            raise KitError(Problem(f"{self.name} has no circuit.cir, so nothing can be predicted.", "Add one."))
        if name == SOCKETS_EMPTY:
            return self._emptied
        if name:
            found = next((c for n, c in self.setups.items() if n.lower() == name.lower()), None)
            if found is None:
                known = ", ".join(self.setups)
                raise KitError(Problem(f"there is no set-up '{name}' in {self.name}.", f"It has: {known}.", ref=name))
            return found
        return self._setup_having(having) or next(iter(self.setups.values()))

    def _setup_having(self, names: Iterable[str]) -> Circuit | None:
        wanted = {n.lower() for n in names if n}
        able = (c for c in self.setups.values() if wanted <= {*GROUND_NAMES, *c.nodes, *(e.name for e in c.elements)})
        return next(able, None)

    @property
    def plugged(self) -> list[Part]:
        """Chips and valves that go into sockets, where the kit has any: they are never soldered."""
        if not any(p.kind == "socket" for p in self.parts.values()):
            return []
        return [p for p in self.parts.values() if kind_of(p.kind).plugged]

    @property
    def _emptied(self) -> Circuit:
        """The usual set-up with its sockets empty."""
        if "emptied" not in self.memory:
            self.memory["emptied"] = without(self.setup(), {e for part in self.plugged for e in self.elements_of(part.ref)})
        found: Circuit = self.memory["emptied"]
        return found

    def _divided(self, pins: Mapping[str, str]) -> list[str]:
        """Nets of a chip's other pins that a divider holds half-way between its rails, as that which splits a battery: they stand without the chip."""
        assert self.unit is not None
        rails = {pins.get("vp", ""), pins.get("vn", ""), *GROUND_NAMES, *(s.node for s in self.info.supply)} - {""}
        resistors = [(set(c.nodes[:2]), p.value) for c in self.unit.netlist.top.cards if c.kind == "r" and (p := self.part_of(c.name)) is not None and p.value]
        out = []
        for node in dict.fromkeys(n for pin, n in pins.items() if pin not in ("vp", "vn") and n not in rails):
            arms = {rail: ohms for ends, ohms in resistors if node in ends for rail in ends & rails}
            if len(arms) == 2 and max(arms.values()) <= HALVES * min(arms.values()):
                out.append(node)
        return out

    @property
    def at_sockets(self) -> list[tuple[str, str]]:
        """Where the supply of each chip is read at its empty socket, and a supply that is split there: a point or a pin, and its net."""
        out = {}
        for part in self.plugged if self.unit is not None else ():
            for element in self.elements_of(part.ref):
                pins = self.unit.pins(element) if self.unit is not None and element.startswith("x") else {}
                for node in (pins.get("vp"), pins.get("vn"), *self._divided(pins)):
                    if node and node not in GROUND_NAMES:
                        name, pin = self.lead_on(node)
                        out[node] = (f"{name}.{pin}" if pin else name) or node
        return [(place, node) for node, place in out.items()]

    @property
    def on_tags(self) -> dict[str, str]:
        """Parts that are soldered to the tags of a mounted one, and to which."""
        return {r.part: r.to for r in self.info.relation if r.how == "tags"}

    def unpowered(self, *nodes: str) -> Circuit:
        """What an ohmmeter sees between ``nodes``: the unit with its sockets empty. A chip is not in them yet, and a cold valve
        does not conduct."""
        assert self.unit is not None
        gone = {element for part in self.plugged for element in self.elements_of(part.ref)}
        if "unpowered" not in self.memory:
            self.memory["unpowered"] = without(self.unit, gone) if gone else self.unit
        found: Circuit = self.memory["unpowered"]
        return found if {n.lower() for n in nodes} <= {*found.nodes, *GROUND_NAMES} else self.unit

    def said_of_setup(self, name: str = "") -> str:
        """What is to stand round the unit in a set-up, as a sentence with a space behind it; the first, where none is named."""
        named = (s for s in self.info.setup if not name or s.name.lower() == name.lower())
        says = next((s.says for s in named), "")
        return f"{says} " if says else ""

    def asked_in(self, question: Choice | Match, *more: str) -> Circuit:
        """The set-up in which a question about results is asked, with ``more`` elements and nodes if one has them."""
        spoken_of = [name for aim in question.aim for name in (aim.source, aim.element, aim.node, aim.of)]
        both = None if question.setup else self._setup_having([*spoken_of, *more])
        return both or self.setup(question.setup, spoken_of)

    @property
    def passive(self) -> bool:
        """Whether it has no supply of its own: it is asked ohms, for volts would tell nothing."""
        return not self.info.supply

    @property
    def source(self) -> str:
        """The source at its first input, at the bench; empty where it names none."""
        return next((p.element for p in self.info.port if p.kind == "input" and p.element), "")

    @property
    def output(self) -> str:
        """The net of its first output; empty where it names none."""
        return next((p.node for p in self.info.port if p.kind == "output"), "")

    def part_of(self, element: str) -> Part | None:
        """The part that an element of the netlist stands for."""
        return next((p for p in self.parts.values() if element.partition(".")[0] in self.elements_of(p.ref)), None)

    def element_of(self, ref: str) -> str | None:
        """The netlist's name for a part, the first where it has several."""
        return next(iter(self.elements_of(ref)), None)

    def elements_of(self, ref: str) -> tuple[str, ...]:
        """All that stands for a part in the netlist: its reference in lower case, or that of its subcircuit instance.

        Halves of a chip, a valve or a dual pot carry a letter behind: ``xu2a`` and ``xu2b`` are U2.
        """
        return self._by_part.get(ref.lower(), ())

    def override_of(self, ref: str) -> str | None:
        """By which name the value of a part is overridden in its circuit; None for a part that is not in it."""
        element = self.element_of(ref)
        return override_of_element(element) if element else None

    def position_of(self, ref: str) -> str:
        """By which name the position of a control is overridden, 0 anticlockwise to 1 clockwise."""
        return f"{self.element_of(ref)}.pos"

    @property
    def _by_part(self) -> dict[str, tuple[str, ...]]:
        """Elements by the reference of their part, in lower case."""
        if "elements" not in self.memory:
            self.memory["elements"] = self._elements()
        found: dict[str, tuple[str, ...]] = self.memory["elements"]
        return found

    def _elements(self) -> dict[str, tuple[str, ...]]:
        if self.unit is None:
            return {}
        names = {card.name for card in self.unit.netlist.top.cards}
        refs = {ref.lower() for ref in self.parts}
        out = {ref: (name,) for ref in refs for name in ("x" + ref, ref) if name in names}
        whole = refs | {"x" + ref for ref in refs}
        halves: dict[str, list[str]] = {}
        for name in names - whole:
            for head in (name[:-1], name[1:-1]) if name[0] == "x" else (name[:-1],):
                if head in refs and "a" <= name[-1] <= "z":
                    halves.setdefault(head, []).append(name)
        return {ref: tuple(sorted(found)) for ref, found in halves.items()} | out


def override_of_element(element: str) -> str:
    """The override of an element's value: that of its own, or of the resistance that a subcircuit is given."""
    return f"{element}.r" if element.startswith("x") else element
