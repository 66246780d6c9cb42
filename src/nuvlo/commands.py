"""What each command of the bench line does to a session."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.bench_line import Command
from nuvlo.instruments import InstrumentError
from nuvlo.kit import Stage
from nuvlo.kit.assembly import board_order, moved
from nuvlo.kit.folder import Change
from nuvlo.kit.schema import Choice
from nuvlo.kit.schools import ANSWERS
from nuvlo.kit.schools import side as side_of
from nuvlo.kit.variant import change, varied
from nuvlo.logbook import (
    BoardPictured,
    CautionConfirmed,
    ChoiceMade,
    CurveTaken,
    Exported,
    KitChanged,
    Note,
    PartMarked,
    PartMeasured,
    PartTicked,
    ReadingTaken,
    Redone,
    StanceTaken,
    StepAccepted,
    StepDone,
    TrayOrdered,
    TrimmerTurned,
    Undone,
)  # fmt: skip
from nuvlo.logbook.events import PRINTED
from nuvlo.model import Finding, Task, Wants
from nuvlo.model.stress import overstressed, stresses
from nuvlo.model.task import POSTED
from nuvlo.problems import Problem
from nuvlo.quantity import Measured, Verdict, format_value, sentence
from nuvlo.schedule import fits
from nuvlo.session import Refused, Session, Solved
from nuvlo.stages import hook_up, prove
from nuvlo.stages.unpack.identify import Candidate, identify, identify_reading
from nuvlo.stages.unpack.make_do import make_do
from nuvlo.stages.unpack.match import match

LOOKING = ("back", "stage", "next")  # verbs that leave the step that is looked back at as it is
ONLY_SAYING = (
    "back",
    "stage",
    "note",
    "find",
    "what",
    "reads",
    "letter",
    "instead",
    "match",
    "shopping",
    "mod",
    "variant",
    "school",
    "drawer",
    "tonight",
)  # verbs after which a stage gone to stays open


@dataclass(frozen=True)
class Reply:
    """What came of a command, in words; ``shows`` names something the face should turn to."""

    words: str
    shows: str = ""


def execute(session: Session, command: Command) -> Reply:
    """Carry out a command. Raises :class:`Refused` or another :class:`NuvloError`; then nothing was logged."""
    with session.lock:
        handler = getattr(_Commands(session), command.verb, None)
        if handler is None:
            raise Refused(Problem(f"'{command.verb}' is for the window.", ""))
        if command.verb not in LOOKING:
            session.looking_at = None
        reply: Reply = handler(command)
        if command.verb not in ONLY_SAYING:
            session.close_stage_if_done()
        return reply


class _Commands:
    """One method for each verb of the bench line."""

    def __init__(self, session: Session) -> None:
        self.s = session

    def next(self, command: Command) -> Reply:
        if self.s.looking_at is not None:
            self.s.looking_at = None
            return Reply("Back to the step in hand.")
        f = self.s.now()
        if f is None:
            return Reply("All is done.")
        if f.waits:
            ref = next(r for r in f.task.parts if self.s.build.marks.get(r) == POSTED)
            raise Refused(Problem(f.words, f"When it has come, type '{ref.lower()}'; or 'accept' to go on without."))
        if f.stuck:
            raise Refused(
                Problem(
                    f.words or "this step is stuck.",
                    "Put it right and read again, mark the part 'swapped', or 'accept'.",
                )
            )
        task = f.task
        match task.wants:
            case Wants.CONFIRM:
                raise Refused(Problem("a caution is not passed by going on.", "Read it, then type 'confirm'."))
            case Wants.TICK:
                self.s.record(PartTicked(ref=task.target))
            case Wants.STEP:
                self.s.record(StepDone(step=task.id))
            case Wants.CHOOSE:
                choice = next(c for c in self.s.kit.info.choice if c.id == task.target)
                return self._choose(choice.id, "printed" if choice.move else choice.options[0].value)
            case Wants.TURN:
                return self._turn_as_advised()
            case Wants.EXPORT:
                return self.sheet(command)
            case _:
                return self.read(command)
        return Reply(f"{task.title}: done.")

    def back(self, _command: Command) -> Reply:
        found = self.s.findings(self.s.stage)
        now = self.s.now()
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
        if at == 0:
            raise Refused(Problem("this is the first step of the stage.", "Go to another with 'stage'."))
        self.s.looking_at = found[at - 1].task.id
        return Reply("Looking back; Space returns.")

    def stage(self, command: Command) -> Reply:
        self.s.chosen_stage, self.s.looking_at = Stage(command.target), None
        return Reply(f"{self.s.chosen_stage.label}.")

    def undo(self, _command: Command) -> Reply:
        if self.s.build.can_undo is None:
            raise Refused(Problem("there is nothing to take back.", ""))
        self.s.record(Undone(target=self.s.build.can_undo))
        self._rebuild_bench()
        return Reply("Taken back.")

    def redo(self, _command: Command) -> Reply:
        if self.s.build.can_redo is None:
            raise Refused(Problem("there is nothing to put in again.", ""))
        self.s.record(Redone(target=self.s.build.can_redo))
        self._rebuild_bench()
        return Reply("Put in again.")

    def _rebuild_bench(self) -> None:
        """A trimmer turned and taken back stands where it stood: the bench follows the log."""
        if self.s.bench is not None:
            self.s.bench = self.s.workshop.bench_for(self.s.kit, self.s.build)

    def note(self, command: Command) -> Reply:
        self.s.record(Note(text=command.text))
        return Reply("Noted.")

    def find(self, command: Command) -> Reply:
        return Reply(self._where(command.target), command.target)

    def _where(self, ref: str) -> str:
        place = self.s.kit.board.placements.get(ref) if self.s.kit.board else None
        return f"{ref} lies at {place.x_mm:g}, {place.y_mm:g} mm." if place else f"{ref} is not on the board."

    def school(self, command: Command) -> Reply:
        """Take a side where builders disagree, and say what that changes."""
        question, side = side_of(command.text)
        if question.where == ANSWERS or question.id == "chips":
            if any(step.startswith("fit.") for step in self.s.build.done):
                raise Refused(
                    Problem("parts are in already: the order can no longer change.", "Undo them, or finish this way.")
                )
            before = board_order(self.s.kit, self.s.build.school)
            self.s.record(StanceTaken(question=question.id, side=side.name))
            after = board_order(self.s.kit, self.s.build.school)
            moves = moved(before, after, self.s.kit)[:3] or ["the parts go in as before"]
            checks = [sum(s.gate is not None for s in steps) for steps in (before, after)]
            return Reply(
                f"{'; '.join(moves)}; {len(before)} steps with {checks[0]} checks become {len(after)} with {checks[1]}. {sentence(side.says)}."
            )
        self.s.record(StanceTaken(question=question.id, side=side.name))
        return Reply(f"{question.title}: {side.says}. It shows in: {question.where}.")

    def pictured(self, command: Command) -> Reply:
        """A picture lies beneath one side of the map, aligned by two pads; without text it is taken away."""
        if not command.text:
            self.s.record(BoardPictured(file="", side=command.target))
            return Reply("The picture is taken away.")
        file, ref_a, pin_a, ax, ay, ref_b, pin_b, bx, by = command.text.split("|")
        first, second = (f"{ref_a}.{pin_a}", float(ax), float(ay)), (f"{ref_b}.{pin_b}", float(bx), float(by))
        self.s.record(BoardPictured(file=file, side=command.target, first=first, second=second))
        return Reply("The picture lies beneath the map.")

    def tonight(self, command: Command) -> Reply:
        return Reply(fits(self.s, float(command.text)))

    def drawer(self, _command: Command) -> Reply:
        """Choose among what is in the drawer, or among all preferred values again."""
        if not self.s.from_drawer and not self.s.workshop.drawer():
            raise Refused(Problem("the drawer is empty.", "Put a drawer.csv into the workshop's folder."))
        self.s.from_drawer = not self.s.from_drawer
        return Reply(f"Values come from {'the drawer only' if self.s.from_drawer else 'all preferred values'}.")

    def variant(self, command: Command) -> Reply:
        """Build a named variant of the kit: each of its changes is kept with its reason."""
        found = next((v for v in self.s.box.info.variant if v.id == command.text.lower()), None)
        if found is None:
            known = ", ".join(f"{v.id} ({v.title.lower()})" for v in self.s.box.info.variant) or "none"
            raise Refused(Problem(f"there is no variant '{command.text}' of {self.s.kit.name}.", f"Variants: {known}."))
        return self._change([change(self.s.box, c.part, c.to, c.why) for c in found.change])

    def mod(self, command: Command) -> Reply:
        """Make one part something else, or put it back to what is printed; alone it lists what was changed."""
        if not command.target:
            made = self.s.kit.changes
            words = [f"{c.part}: {c.was} → {c.to}{', ' + c.why if c.why else ''}" for c in made]
            return Reply("; ".join(words) + "." if words else "Built as printed.")
        to, _, why = command.text.partition(" because ")
        if to.lower() == PRINTED:
            self.s.record(KitChanged(part=command.target, to=PRINTED))
            return Reply(f"{command.target} is as printed again.")
        return self._change([change(self.s.box, command.target, to.strip(), why.strip())])

    def _change(self, changes: list[Change]) -> Reply:
        kept = [c for c in self.s.kit.changes if c.part not in [new.part for new in changes]]
        after = varied(self.s.box, [*kept, *changes])  # what cannot be built is refused before it is logged
        self.s.record(*(KitChanged(part=c.part, to=c.to, why=c.why) for c in changes))
        over = [f"{ref} then has {words}" for ref, words in overstressed(after, quick=True)]
        made = ", ".join(f"{c.part} {c.was} → {c.to}" for c in changes)
        return Reply("; ".join([made, *over]) + ".", changes[0].part if self.s.kit.find_part(changes[0].part) else "")

    def tray(self, command: Command) -> Reply:
        self.s.record(TrayOrdered(order=command.text))
        return Reply(f"The tray lies by {command.text}.")

    def what(self, command: Command) -> Reply:
        return self._candidates(identify(command.text, self.s.kit, self.s.build.ticked))

    def reads(self, command: Command) -> Reply:
        return self._candidates(identify_reading(command.text, self.s.kit, self.s.build.ticked))

    @staticmethod
    def _candidates(found: list[Candidate]) -> Reply:
        words = [
            f"{c.kind} {format_value(c.value, c.unit, 4)}{': ' + ', '.join(c.refs) if c.refs else ''} ({c.how})"
            for c in found[:3]
        ]
        refs = next((c.refs for c in found if c.refs), ())
        return Reply("; or ".join(words) + "." if words else "It fits no part of this kit.", refs[0] if refs else "")

    def instead(self, command: Command) -> Reply:
        """What the drawer can put in place of a part, and what it would bear there."""
        part = self.s.kit.part(command.target)
        stress = stresses(self.s.kit, quick=part.unit != "F").get(part.ref)
        found = make_do(part, self.s.workshop.drawer(), None, stress)
        if not found:
            raise Refused(
                Problem(f"the drawer holds nothing that would do for {part.ref}.", "Order it, or widen what you allow.")
            )
        words = [s.words + (f" (but {s.warnings[0]})" if s.warnings else "") for s in found[:3]]
        bears = f" {stress.words(part.unit)}" if stress and stress.volts else ""
        return Reply(f"For {part.ref}: {'; or '.join(words)}.{bears}", part.ref)

    def match(self, _command: Command) -> Reply:
        measured = {ref: m.value for ref in self.s.build.measured if (m := self.s.build.part_value(ref)) is not None}
        found = match(self.s.kit, measured)
        moved = [f"{place} takes the part measured as {item}" for place, item in found.places.items() if place != item]
        worth = [
            f"{name} {format_value(x, unit, 3)} becomes {format_value(y, unit, 3)}"
            for name, unit, x, y in found.effects
        ]
        words = f"Mismatch {100 * found.before:.2g} % as they lie, {100 * found.after:.2g} % matched"
        return Reply("; ".join([words, *(moved or ["leave them as they are"]), *worth]) + ".")

    def shopping(self, _command: Command) -> Reply:
        path = self.s.write_shopping_list()
        return Reply(f"Written: {path.name} in {path.parent.name}/.")

    def letter(self, _command: Command) -> Reply:
        path = self.s.write_letter()
        return Reply(f"Written: {path.name} in {path.parent.name}/.")

    def tick(self, command: Command) -> Reply:
        self.s.record(PartTicked(ref=command.target))
        return Reply(f"{command.target} is there.")

    def mark(self, command: Command) -> Reply:
        self.s.record(PartMarked(ref=command.target, state=command.text))
        if command.text == "swapped" and self.s.bench is not None:
            self.s.bench.unit.fit_part(command.target, self._value_of(command.target))
        return Reply(f"{command.target} is {command.text}.")

    def _value_of(self, ref: str) -> str:
        return self.s.build.chosen_values.get(ref, self.s.kit.part(ref).text)

    def measure(self, command: Command) -> Reply:
        assert command.value is not None
        return self._measured(command.target, command.value, "typed")

    def _measured(self, ref: str, value: Measured, instrument: str) -> Reply:
        self.s.record(
            PartMeasured(
                ref=ref, value=value.value, uncertainty=value.uncertainty, unit=value.unit, instrument=instrument
            )
        )
        f = next((f for f in self.s.findings(Stage.UNPACK) if f.task.target == ref), None)
        return Reply(_verdict_words(f, ref, value))

    def reading(self, command: Command) -> Reply:
        assert command.value is not None
        return self._reading(command.target, command.quantity, command.value, "typed")

    def _reading(self, point: str, quantity: str, value: Measured, instrument: str) -> Reply:
        stage = self.s.stage
        if value.unit == "Ω" and point != hook_up.LEADS:
            leads = self.s.build.latest(hook_up.LEADS, "resistance")
            if leads is not None:
                value = Measured(max(0.0, value.value - leads.measured.value), value.uncertainty, value.unit)
        solved = self.s.solved(stage)
        window = solved.windows.get((point, quantity)) if solved and solved.key == self.s.key(stage) else None
        expected = (window.nominal, window.low, window.high) if window else None
        self.s.record(
            ReadingTaken(point=point, quantity=quantity, value=value.value, uncertainty=value.uncertainty, unit=value.unit,
                         stage=stage.value, instrument=instrument, expected=expected)
        )  # fmt: skip
        f = next((f for f in self.s.findings(stage) if f.task.target == point and f.task.quantity == quantity), None)
        return Reply(_verdict_words(f, point, value))

    def choose(self, command: Command) -> Reply:
        return self._choose(command.target, command.text)

    def _choose(self, choice_id: str, value: str) -> Reply:
        choice = next(c for c in self.s.kit.info.choice if c.id == choice_id)
        chosen = self._set_of(choice, value) if choice.move else {choice.part: value}
        self.s.record(*(ChoiceMade(choice=choice.id, part=ref, value=text) for ref, text in chosen.items()))
        for ref, text in chosen.items():
            if self.s.bench is not None and text != self.s.kit.part(ref).text:
                self.s.bench.unit.fit_part(ref, text)
        return Reply(", ".join(f"{ref} will be {text}" for ref, text in chosen.items()) + ".")

    def _set_of(self, choice: Choice, number: str) -> dict[str, str]:
        """Values by part of the proposal with this number, or those printed."""
        parts = [(m.element, part) for m in choice.move if (part := self.s.kit.part_of(m.element)) is not None]
        if number == "printed":
            return {part.ref: part.text for _, part in parts}
        solved = self.s.solved(Stage.CHOOSE)
        proposals = solved.proposals.get(choice.id, ()) if solved else ()
        if not proposals:
            raise Refused(Problem("the values are still being worked out.", "Wait a moment."))
        if not 1 <= int(number) <= len(proposals):
            raise Refused(Problem(f"there is no set {number}.", f"Sets shown: 1 to {len(proposals)}."))
        values = proposals[int(number) - 1].values
        return {part.ref: format_value(values[element], part.unit, 4) for element, part in parts}

    def confirm(self, _command: Command) -> Reply:
        f = self.s.now()
        if f is None or f.task.wants is not Wants.CONFIRM:
            raise Refused(Problem("there is no caution to confirm.", ""))
        self.s.record(CautionConfirmed(hazard=f.task.target))
        return Reply("Confirmed.")

    def accept(self, command: Command) -> Reply:
        f = self.s.now()
        if f is None or not (f.stuck or f.waits):
            raise Refused(Problem("nothing here is out of its window.", ""))
        self.s.record(StepAccepted(step=f.task.id, why=command.text))
        return Reply(f"{f.task.target or f.task.title} accepted as it is.")

    def turn(self, command: Command) -> Reply:
        if self.s.bench is not None:
            self.s.bench.turn(command.target, command.degrees)
        self.s.record(TrimmerTurned(ref=command.target, degrees=command.degrees))
        return Reply(command.echo + ".")

    def _turn_as_advised(self) -> Reply:
        self.settle_if_simple()
        solved = self.s.solved(Stage.SET)
        advice = solved.advice if solved else None
        if advice is None or solved is None or solved.key != self.s.key(Stage.SET):
            raise Refused(Problem("the advice is still being worked out.", "Wait a moment."))
        if not advice.degrees:
            raise Refused(Problem(advice.words, ""))
        degrees = float(round(advice.degrees)) or (1.0 if advice.degrees > 0 else -1.0)
        way = "clockwise" if degrees > 0 else "anticlockwise"
        return self.turn(Command("turn", f"{advice.trim.trimmer} turned {abs(degrees):g}° {way}", advice.trim.trimmer,
                                     degrees=degrees))  # fmt: skip

    def settle_if_simple(self) -> None:
        """Advice is quick to solve once; do it where it is missing."""
        if self.s.wants_solving(Stage.SET):
            self.s.adopt(self.s.solve(Stage.SET))

    def read(self, _command: Command) -> Reply:
        f = self.s.now()
        if f is None:
            raise Refused(Problem("there is nothing to read.", ""))
        task = f.task
        if task.wants not in (Wants.MEASURE, Wants.READING, Wants.SWEEP):
            raise Refused(Problem("no reading is asked for here.", ""))
        if self.s.bench is None and task.wants is Wants.SWEEP:
            return self.sweep(_command)
        if self.s.bench is None:
            raise Refused(Problem(f"no instrument is connected: type what {task.target} reads.", "For example: 4.48"))
        if task.wants is Wants.SWEEP:
            return self._sweep()
        if task.wants is Wants.MEASURE:
            return self._measured(task.target, self.s.bench.part(task.target), self.s.bench.name)
        return self._reading(task.target, task.quantity, self._instrument(task), self.s.bench.name)

    def _instrument(self, task: Task) -> Measured:
        assert self.s.bench is not None
        if task.target == hook_up.LEADS:
            return self.s.bench.leads()
        if task.quantity == "current":
            return self.s.bench.supply_current(task.target)
        node = task.nodes[0]
        return self.s.bench.ohms(node) if task.quantity == "resistance" else self.s.bench.volts(node)

    def sweep(self, _command: Command) -> Reply:
        if self.s.bench is None:
            raise Refused(
                Problem("no audio interface is connected.", "Measure the gain and type it, as in 'gain 41.5'.")
            )
        return self._sweep()

    def _unless_stopped(self) -> None:
        if self.s.stopping.is_set():
            raise Refused(Problem("the sweep was stopped; nothing of it was kept.", "Space starts it again."))

    def _sweep(self) -> Reply:
        """Sweep at a level that keeps every stage clean, and keep the response and the gain."""
        wanted = self.s.kit.info.prove
        assert wanted is not None
        assert self.s.bench is not None
        self.s.stopping.clear()
        model = self.s.working_model()
        level = model.clean_level()
        self._unless_stopped()
        if not level > 0:
            raise InstrumentError(Problem("no level keeps this unit clean.", "Check its bias first."))
        played = prove.log_sweep(wanted.from_hz, wanted.to_hz, level)
        recording = self.s.bench.play_and_record(played, prove.RATE)
        self._unless_stopped()
        band = model.response_band
        db = prove.measured_response(played, recording.signal, recording.rate, band.frequency)
        curve = CurveTaken(
            name="response", frequency=tuple(band.frequency.tolist()), magnitude_db=tuple(db.tolist()),
            uncertainty_db=recording.uncertainty_db, level=level, instrument=self.s.bench.name,
        )  # fmt: skip
        proof = prove.judge_curve(curve, band, wanted.reference_hz)
        gain = ReadingTaken(
            point="gain", quantity="gain", value=proof.gain_db, uncertainty=recording.uncertainty_db, unit="dB",
            stage=Stage.PROVE.value, instrument=self.s.bench.name,
            expected=((proof.gain_low + proof.gain_high) / 2, proof.gain_low, proof.gain_high),
        )  # fmt: skip
        self._unless_stopped()
        self.s.record(curve, gain)
        self.s.adopt(Solved(self.s.key(Stage.PROVE), Stage.PROVE, band=band, proof=proof))
        return Reply(proof.words)

    def sheet(self, _command: Command) -> Reply:
        pdf = self.s.write_sheet()
        self.s.record(Exported(file=pdf.name))
        return Reply(f"Written: {pdf.name} and {pdf.stem}.csv in {self.s.workshop.sheets.name}/.", "sheet")


def _verdict_words(f: Finding | None, target: str, value: Measured) -> str:
    if f is None or f.window is None or f.verdict is Verdict.NOT_TAKEN:
        return f"{target} reads {value}."
    return f.words or f"{target} reads {value}: in window."
