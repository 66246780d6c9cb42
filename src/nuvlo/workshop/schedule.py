"""The calendar of one build: what is left of it, in the workshop's free evenings, at the pace of the workshop's own log."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from nuvlo import clock
from nuvlo.files.whole import text_of, write_whole
from nuvlo.kit.variant import changes_of, varied
from nuvlo.problems import NuvloError, Problem
from nuvlo.stages.sequence.calendar import Calendar, plan
from nuvlo.stages.sequence.diary import Evening, as_csv, as_icalendar, evenings, tonight
from nuvlo.stages.sequence.evenings import USUAL, read_free
from nuvlo.stages.sequence.jobs import Job, jobs, of_unit
from nuvlo.stages.sequence.pace import Pace, learned
from nuvlo.workshop.session import Refused, Session

FREE = "free.csv"  # of the workshop


@dataclass(frozen=True)
class Schedule:
    """A plan with what it was made of."""

    calendar: Calendar
    evenings: tuple[Evening, ...]
    pace: Pace
    now: datetime
    usual: bool  # the usual evenings stand in for a free.csv that is not there


def here() -> datetime:
    """The moment on the builder's clock."""
    return clock.now().replace(second=0, microsecond=0)


def pace_of(session: Session) -> Pace:
    """How long things took in this workshop, over all of its builds whose kit can still be read."""
    seen = []
    for build in session.log.builds():
        try:
            kit = session.kit if build.id == session.build.id else session.places.kit_of(build)
        except NuvloError:
            continue
        seen.append((kit, build, session.log.events(build.id)))
    return learned(seen)


def left(session: Session, now: datetime, pace: Pace | None = None) -> list[Job]:
    """What is left to do."""
    return jobs(session.kit, session.build, pace or pace_of(session), now)


def left_of_all(session: Session, now: datetime, pace: Pace) -> list[Job]:
    """What is left of every build in the workshop whose sheet is not written, each a unit of its own."""
    out = []
    for build in session.log.builds():
        mine = build.id == session.build.id
        try:
            kit = session.kit if mine else varied(box := session.places.kit_of(build), changes_of(box, build.changes))
        except NuvloError:
            continue  # its kit is gone: nothing can be said of it
        if not build.exports:
            out += of_unit(jobs(kit, build, pace, now), f"{kit.name} {build.number}")
    return out


def schedule(session: Session, now: datetime | None = None, *, all_builds: bool = False) -> Schedule:
    """Plan what is left, of ``all_builds`` in the workshop side by side. Some seconds.

    Raises :class:`NuvloError` where it cannot be planned.
    """
    now = now or here()
    path = session.places.free
    usual = not path.exists()
    text = USUAL if usual else text_of(path)
    free, pace = read_free(text, now, FREE), pace_of(session)
    found = plan(left_of_all(session, now, pace) if all_builds else left(session, now, pace), free, now)
    return Schedule(found, tuple(evenings(found, free, session.kit)), pace, now, usual)


def written(session: Session, made: Schedule) -> Path:
    """Keep the plan as iCalendar and CSV beside the sheets; the path of the former. Raises :class:`Refused`."""
    path = session.sheet_path.with_name(f"{session.sheet_path.stem}-calendar.ics")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        calendar = as_icalendar(made.calendar, f"{session.kit.name} {session.build.number}", made.now)
        write_whole(path, lambda there: there.write_bytes(calendar))
        write_whole(path.with_suffix(".csv"), lambda there: there.write_text(as_csv(made.calendar), encoding="utf-8"))
    except OSError as bad:
        raise Refused(Problem(f"{path.name} cannot be written: {bad.strerror}.", "Check the folder.")) from bad
    return path


def fits(session: Session, minutes: float) -> str:
    """What fits in so many minutes from now, in words."""
    now = here()
    found = tonight(left(session, now), minutes, now)
    if not found:
        soon = min((j.not_before for j in left(session, now) if j.not_before), default=None)
        return f"Nothing can be begun{f' before {soon:%a %H:%M}' if soon else ' and finished in that time'}."
    used = sum(t.job.minutes for t in found)
    needs = dict.fromkeys(n for t in found for n in t.job.needs)
    wait = max((t.ready for t in found), default=now)
    dry = f" It is dry or cool {wait:%a %H:%M}." if wait > found[-1].end else ""
    steps = "; ".join(t.job.title for t in found[:6]) + (f"; and {len(found) - 6} more" if len(found) > 6 else "")
    ready = f" Have ready: {', '.join(needs)}." if needs else ""
    return f"{used:.0f} minutes: {steps}.{ready}{dry}"
