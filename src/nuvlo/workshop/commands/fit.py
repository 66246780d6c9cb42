"""Commands of Fit and its calendar: clocks, joints, rework, pictures."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from nuvlo.craft.order import board_order
from nuvlo.kit.step_id import craft_step, fit_step
from nuvlo.logbook import BoardPictured, JointMarked, PartReworked, PhotoKept, StepBegun
from nuvlo.problems import Problem
from nuvlo.stages.fit import MANY_HEATS, reopened
from nuvlo.stages.fit.joints import BAD
from nuvlo.words import listed
from nuvlo.workshop import papers
from nuvlo.workshop.commands.arguments import JointSeen, Minutes, Nothing, PhotoNamed, PictureLaid, Reworked
from nuvlo.workshop.commands.outcome import Reply
from nuvlo.workshop.schedule import fits
from nuvlo.workshop.session import Refused, Session


def begin(s: Session, given: Nothing) -> Reply:
    """The clock of the step in hand runs."""
    f = s.now()
    craft = next((c for c in s.kit.info.craft if f and f.task.id == craft_step(c.id)), None)
    if f is None or craft is None or not craft.open_minutes:
        raise Refused(
            Problem("there is no glue in this step, so no clock to start.", "Type 'begin' when glue is spread.")
        )
    s.record(StepBegun(step=f.task.id))
    return Reply(f"{craft.title}: the glue stays open about {craft.open_minutes:g} minutes from now.")


def joint(s: Session, given: JointSeen) -> Reply:
    """A joint is bad, or was put right."""
    _are_in(s, [given.joint.partition(".")[0]])
    s.record(JointMarked(joint=given.joint, mark=given.mark))
    ref = given.joint.partition(".")[0]
    often = s.build.heats.get(ref, 0)
    heated = f" {ref} was heated {often} times by now; pads lift." if often >= MANY_HEATS else ""
    state = "bridged" if given.mark == "bridge" else given.mark
    words = "is put right" if given.mark not in BAD else f"is {state}"
    return Reply(f"{given.joint} {words}.{heated}", ref)


def rework(s: Session, given: Reworked) -> Reply:
    """Parts were taken off, or re-heated: the checks made on them no longer hold."""
    refs = given.refs
    _are_in(s, refs)
    again = reopened(s.kit, s.build, refs, given.off)
    readings = len(s.build.readings)
    what = "off" if given.off else "hot"
    s.record(*(PartReworked(ref=ref, what=what, reopened=again, why=given.why) for ref in refs))
    lost = readings - len(s.build.readings)
    said = [f"{', '.join(refs)} {'off' if given.off else 're-heated'}", f"{len(again)} steps are open again"]
    said += [f"{lost} readings no longer hold"] if lost else []
    often = [ref for ref in refs if s.build.heats.get(ref, 0) >= MANY_HEATS]
    said += [f"{', '.join(often)}: heated {MANY_HEATS} times or more, pads lift"] if often else []
    return Reply("; ".join(said) + ".", refs[0])


def _are_in(s: Session, refs: Sequence[str]) -> None:
    """Refuse what is said of parts that nothing says are on the board: neither a step of theirs, nor a reading of the whole."""
    if s.build.hunted or s.build.readings or s.build.powered_at:
        return
    steps = board_order(s.kit, s.build.school)
    mine = {ref: {fit_step(ref), *(step.id for step in steps if ref in step.parts and step.verb in ("solder", "leads"))} for ref in refs}
    if out := [ref for ref in refs if any(ref in step.parts for step in steps) and not mine[ref] & s.build.done]:
        raise Refused(Problem(f"{listed(out)} {'is' if len(out) == 1 else 'are'} not on the board yet, so there is no joint to speak of.",
                              "Go through Fit first: type 'stage fit', and Space as each part goes in."))  # fmt: skip


def photo(s: Session, given: PhotoNamed) -> Reply:
    """Keep a picture with the step in hand."""
    path = s.places.found(given.file)
    f = s.now()
    kept = s.places.keep_picture(path)
    s.record(PhotoKept(file=kept, step=f.task.id if f else "", says=given.says))
    return Reply(f"{path.name} is kept with '{f.task.title if f else 'the build'}'.")


def review(s: Session, given: Nothing) -> Reply:
    """Write the sheet on which someone else looks over the joints."""
    path = papers.write_review(s)
    return Reply(f"Written: {path.name} in {path.parent.name}/. Hand it to someone who has not soldered this.")


def pictured(s: Session, given: PictureLaid) -> Reply:
    """A picture lies beneath one side of the map, aligned by two pads, or is taken away."""
    if not given.file:
        s.record(BoardPictured(file="", side=given.side))
        return Reply("The picture is taken away.")
    kept = s.places.keep_picture(Path(given.file))
    s.record(BoardPictured(file=kept, side=given.side, first=given.first, second=given.second))
    return Reply("The picture lies beneath the map.")


def tonight(s: Session, given: Minutes) -> Reply:
    return Reply(fits(s, given.minutes))
