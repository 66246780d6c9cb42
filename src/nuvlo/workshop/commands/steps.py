"""Commands that move along: on, back, undo, notes, cautions."""

from __future__ import annotations

from nuvlo.craft.high_voltage import STAY_OUT
from nuvlo.diagnosis.probes import TOUCH
from nuvlo.kit import Stage
from nuvlo.kit.step_id import wire_step
from nuvlo.logbook import (
    CautionConfirmed,
    ChoiceMade,
    HoldPassed,
    JointMarked,
    Note,
    PartMarked,
    PartMeasured,
    PartReworked,
    PartTicked,
    ReadingTaken,
    Redone,
    StepAccepted,
    StepBegun,
    StepDone,
    TrimmerTurned,
    Undone,
)
from nuvlo.logbook.events import PRINTED, Unread
from nuvlo.problems import Problem
from nuvlo.quantity import format_value
from nuvlo.stages.holds import span
from nuvlo.stages.suspects import PROBING
from nuvlo.stages.task import Wants
from nuvlo.words import listed
from nuvlo.workshop.commands.arguments import Chosen, Nothing, PartNamed, StageNamed, Words
from nuvlo.workshop.commands.bench import found, passing, read, refuse_while_held, sheet, turn_as_advised
from nuvlo.workshop.commands.choose import choose
from nuvlo.workshop.commands.outcome import Outcome, Reply
from nuvlo.workshop.session import Refused, Session

NOTE_SHOWN = 40  # letters


def next_step(s: Session, given: Nothing) -> Outcome:
    """Do what the step in hand asks for; from a step that is looked back at, return to it."""
    if s.looking_at is not None:
        s.look_at(None)
        return Reply("Back to the step in hand.")
    f = s.now()
    if f is None:
        return Reply("All is done.")
    refuse_while_held(f)
    if f.stuck:
        ways = STAY_OUT if f.task.unplugged else "Put it right and read again, mark the part 'swapped', or 'accept'."
        raise Refused(Problem(f.words or "this step is stuck.", ways))
    task = f.task
    match task.wants:
        case Wants.CONFIRM:
            raise Refused(Problem("a caution is not passed by going on.", "Read it, then type 'confirm'."))
        case Wants.TICK:
            s.record(PartTicked(ref=task.target))
        case Wants.STEP if task.id.verb == PROBING:
            return found(s, Words("a"))
        case Wants.STEP if task.minutes and task.id not in s.build.begun_at:
            s.record(StepBegun(step=task.id))
            return Reply(f"{task.title}: the clock runs, {span(task.minutes)}.")
        case Wants.STEP:
            s.record(StepDone(step=task.id))
        case Wants.CHOOSE:
            choice = next(c for c in s.kit.info.choice if c.id == task.target)
            return choose(s, Chosen(choice.id, PRINTED if choice.move else choice.options[0].value))
        case Wants.TURN:
            return turn_as_advised(s, f)
        case Wants.EXPORT:
            return sheet(s, given)
        case Wants.LOOK if s.snapshot().by_eye:
            how = "Type 'touch cool' or, say, 'touch q1 hot'." if task.quantity == TOUCH else "Type 'look right' or 'look wrong'."
            raise Refused(Problem("what was seen or felt is said in words.", how))
        case _:
            return read(s, given)
    return Reply(f"{task.title}: done.")


def back(s: Session, given: Nothing) -> Reply:
    found = s.findings(s.stage)
    now = s.now()
    at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
    if at == 0:
        raise Refused(Problem("this is the first step of the stage.", "Go to another with 'stage'."))
    s.look_at(found[at - 1].task.id)
    return Reply("Looking back; Space returns.")


def step(s: Session, given: Words) -> Reply:
    """Look at another step of the stage in hand, by its place or words of its title; no caution is passed on the way."""
    found, wanted = s.findings(s.stage), given.text.strip().lower()
    fits = [
        k for exact in (True, False) for k, f in enumerate(found)
        if wanted and (wanted in (f.task.id.lower(), f.task.target.lower(), f.task.place.lower()) if exact else wanted in f.task.title.lower())
    ]  # fmt: skip
    if not fits:
        raise Refused(Problem(f"no step of {s.stage.label} speaks of '{given.text}'.", "Name its test point, its part, or a word of its title."))
    if caution := next((f for f in found[: fits[0]] if f.task.hazard is not None and not f.done), None):
        raise Refused(Problem(f"'{caution.task.title}' comes first.", "Read it, do what it says, and confirm it."))
    s.look_at(found[fits[0]].task.id)
    return Reply(f"{found[fits[0]].task.title}. Space returns to where you were.")


def trace(s: Session, given: Words) -> Reply:
    """The wires of a lug or a pad, or one by its name; while they are run, the step of the first that is still to come."""
    wanted = given.text.strip().lower()
    wires = [w for w in s.kit.wires if wanted in (w.name.lower(), w.start.lower(), w.end.lower())]
    if not wires:
        raise Refused(Problem(f"no wire goes to '{given.text}'.", "Name a lug as J1.tip, a pad as W3, or a wire by its number.", ref=given.text))
    told = " ".join(f"Wire {w.name}, {w.colour}: {w.start} to {w.end}." for w in wires)
    steps = {f.task.id: f for f in s.findings(Stage.HOOK_UP)} if s.stage is Stage.HOOK_UP else {}
    mine = [steps[one] for w in wires if (one := wire_step(w.name)) in steps]
    if mine:
        s.look_at(next((f for f in mine if not f.done), mine[0]).task.id)
        return Reply(f"{told} Space returns to where you were.")
    return Reply(told)


def stage(s: Session, given: StageNamed) -> Reply:
    s.go_to(given.stage)
    return Reply(f"{given.stage.label}.")


def undo(s: Session, given: Nothing) -> Reply:
    if s.build.can_undo is None:
        raise Refused(Problem("there is nothing to take back.", ""))
    what = _entry_words(s)
    s.record(Undone(target=s.build.can_undo))
    s.follow_log()
    return Reply(f"Taken back: {what}.")


def _entry_words(s: Session) -> str:
    """The last entry of the log, in a few words."""
    match s.build.last:
        case PartMeasured() as b:
            return f"{b.ref}, {format_value(b.value, b.unit)}"
        case ReadingTaken() as b:
            return f"the reading at {b.point}, {format_value(b.value, b.unit)}"
        case StepDone(step=step) | StepAccepted(step=step) | HoldPassed(step=step) | StepBegun(step=step):
            title = next((f.task.title for stage in Stage for f in s.findings(stage) if f.task.id == step), "")
            return f"'{title}'" if title else "a step"
        case TrimmerTurned() as b:
            return f"the turn of {b.ref} by {b.degrees:g}°"
        case PartTicked(ref=ref) | PartMarked(ref=ref) | PartReworked(ref=ref):
            return f"what was said of {ref}"
        case ChoiceMade() as b:
            return f"the choice of {b.value} for {b.part}"
        case JointMarked() as b:
            return f"the mark at {b.joint}"
        case Note() as b:
            return f"the note '{b.text[:NOTE_SHOWN]}'"
        case None | Unread():
            return "an entry that cannot be read"
        case other:
            return f"the entry '{other.kind.replace('_', ' ')}'"


def redo(s: Session, given: Nothing) -> Reply:
    if s.build.can_redo is None:
        raise Refused(Problem("there is nothing to put in again.", ""))
    s.record(Redone(target=s.build.can_redo))
    s.follow_log()
    return Reply("Put in again.")


def note(s: Session, given: Words) -> Reply:
    s.record(Note(text=given.text))
    return Reply("Noted.")


def find(s: Session, given: PartNamed) -> Reply:
    """Where a part lies; while parts go in, its own step is looked at, so that list, map and portrait show the same."""
    step = next((f.task.id for f in s.findings(Stage.FIT) if f.task.target == given.ref), None)
    if s.stage is Stage.FIT and step is not None:
        s.look_at(step)
        return Reply(f"{_where(s, given.ref)} Space returns.", given.ref)
    return Reply(_where(s, given.ref), given.ref)


def _where(s: Session, ref: str) -> str:
    board = s.kit.board
    if board is None or (ref not in board.placements and ref not in board.middles):
        return f"{ref} is not on the board."
    place = board.placements.get(ref)
    x, y = (place.x_mm, place.y_mm) if place else board.middles[ref]
    wires = [w.name for w in s.kit.wires if ref in w.ends]
    of = f", the pad of wire{'s' * (len(wires) > 1)} {listed(wires)}" if wires else ""
    return f"{ref} lies at {x:g}, {y:g} mm{of}."


def confirm(s: Session, given: Nothing) -> Reply:
    f = s.now()
    if f is None or f.task.wants is not Wants.CONFIRM:
        raise Refused(Problem("there is no caution to confirm.", ""))
    s.record(CautionConfirmed(hazard=f.task.target))
    return Reply("Confirmed.")


def accept(s: Session, given: Words) -> Reply:
    f = s.snapshot().stop() or s.now()
    if f is None or not (f.stuck or f.waits):
        raise Refused(Problem("nothing here is out of its window.", ""))
    if f.task.unplugged:
        raise Refused(Problem(f"{f.words or 'It is not safe yet.'} This one is not to be accepted.", STAY_OUT))
    if (passed := passing(f, given.text)) is not None:
        s.record(passed)
        return Reply(f"Not waited for: {passed.what}. The sheet will say so. Next: {f.task.title}.")
    skipped = (f.words or "out of its window").rstrip(".")
    s.record(StepAccepted(step=f.task.id, why="; ".join(w for w in (skipped, given.text) if w)))
    return Reply(f"{f.task.target or f.task.title} accepted as it is: {skipped}. The sheet will say so.")
