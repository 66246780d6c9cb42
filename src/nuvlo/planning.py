"""The verb ``calendar``: when to do what, in the free time of a CSV."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from nuvlo.problems import NuvloError, Problem

Document = dict[str, Any]
Answer = tuple[int, Document, str]


def add_verbs(verb: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the verb to the command line by ``verb(name, handler, says)``."""
    calendar = verb("calendar", _calendar, "when to do what, in your free evenings")
    calendar.add_argument("folder", type=Path)
    calendar.add_argument("--free", type=Path, metavar="CSV", help="start,end in ISO 8601, or day,from,to week by week")
    calendar.add_argument("--units", type=int, default=1, help="built side by side")
    calendar.add_argument("--clamps", type=int, default=6)
    calendar.add_argument("--school", default="", help="such as sections+batches")
    calendar.add_argument("--now", metavar="TIME", help="plan from this moment on, ISO 8601")
    calendar.add_argument("--seconds", type=float, default=5.0, help="for the search")
    calendar.add_argument("--tonight", type=float, metavar="MINUTES", help="only say what fits in so many minutes")
    calendar.add_argument("--ics", type=Path, metavar="FILE", help="write iCalendar")
    calendar.add_argument("--csv", type=Path, metavar="FILE", help="write a table")


def _calendar(a: argparse.Namespace) -> Answer:
    from nuvlo.kit import read_kit
    from nuvlo.kit.schools import DEFAULT_SCHOOL, school_named
    from nuvlo.kit.tables import text_of
    from nuvlo.stages.sequence.calendar import plan
    from nuvlo.stages.sequence.diary import as_csv, as_icalendar, evenings, told_together, tonight
    from nuvlo.stages.sequence.evenings import USUAL, read_free
    from nuvlo.stages.sequence.jobs import jobs, of_unit

    kit = read_kit(a.folder)
    now = _moment(a.now)
    one = jobs(kit, now=now, school=school_named(a.school) if a.school else DEFAULT_SCHOOL)
    every = one if a.units == 1 else [j for n in range(1, a.units + 1) for j in of_unit(one, f"unit {n}")]
    if a.tonight is not None:
        found = tonight(every, a.tonight, now)
        told = [{"step": t.job.title, "unit": t.job.unit, "minutes": t.job.minutes} for t in found]
        return (
            0,
            {"tasks": told},
            "\n".join(f"{t.job.minutes:4.0f} min  {t.job.title}" for t in found) or "Nothing fits.",
        )
    text, name = (USUAL, "the usual evenings") if a.free is None else (text_of(a.free), a.free.name)
    free = read_free(text, now, name)
    made = plan(every, free, now, a.clamps, a.seconds)
    try:
        if a.ics:
            a.ics.write_bytes(as_icalendar(made, kit.name, now))
        if a.csv:
            a.csv.write_text(as_csv(made), encoding="utf-8")
    except OSError as bad:
        raise NuvloError(Problem(f"cannot be written: {bad.strerror}.", "Check the folder.")) from bad
    document = {
        "tasks": [
            {"step": t.job.title, "unit": t.job.unit, "start": t.start.isoformat(), "end": t.end.isoformat(), "part": t.part,
             "parts": t.parts, "ready": t.ready.isoformat()}
            for t in made.tasks
        ],
        "finish": made.finish.isoformat(), "optimal": made.optimal, "bound": made.bound.isoformat(),
    }  # fmt: skip
    lines = []
    for evening in evenings(made, free, kit):
        lines.append(
            f"{evening.start:%a %d %b %H:%M} to {evening.end:%H:%M}   have ready: {', '.join(evening.needs) or 'nothing'}"
        )
        lines += [f"    {line}" for line in told_together(evening.tasks)]
    surety = "the earliest there is" if made.optimal else f"no plan can be done before {made.bound:%a %d %b %H:%M}"
    lines.append(f"Done and dry {made.finish:%a %d %b %H:%M}: {surety}.")
    return 0, document, "\n".join(lines)


def _moment(text: str | None) -> datetime:
    if text is None:
        return datetime.now().replace(second=0, microsecond=0)
    try:
        return datetime.fromisoformat(text)
    except ValueError as bad:
        raise NuvloError(Problem(f"'{text}' is no moment.", "Write 2026-11-27T19:30.")) from bad
