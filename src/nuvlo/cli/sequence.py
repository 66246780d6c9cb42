"""Verbs of Sequence: ``order``, ``bend``, ``calendar``."""

from __future__ import annotations

import argparse
from datetime import datetime
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs
from nuvlo.cli.numbers import real, whole
from nuvlo.problems import NuvloError, Problem

A_WEEK = 7 * 24 * 60.0  # minutes
YEARS = (2000, 2200)  # that a calendar is made for


def add_verbs(verbs: Verbs) -> None:
    """Add ``order``, ``bend`` and ``calendar``."""
    order = verbs.add("order", _order, "the order of work with its checks")
    order.add_argument("folder", type=Path)
    order.add_argument("--school", default="", help="such as sections+batches")
    order.add_argument("--manual", type=Path, metavar="TXT", help="check a manual's own order, line by line")
    order.add_argument("--schools", action="store_true", help="list the schools and what speaks for each")
    bend = verbs.add("bend", _bend, "which way to bend each lead on the solder side")
    bend.add_argument("folder", type=Path)
    calendar = verbs.add("calendar", _calendar, "when to do what, in your free evenings")
    calendar.add_argument("folder", type=Path)
    calendar.add_argument("--free", type=Path, metavar="CSV", help="start,end in ISO 8601, or day,from,to week by week")
    calendar.add_argument("--units", type=whole(1, 50), default=1, help="built side by side")
    calendar.add_argument("--clamps", type=whole(1, 100), default=6)
    calendar.add_argument("--school", default="", help="such as sections+batches")
    calendar.add_argument("--now", metavar="TIME", help="plan from this moment on, ISO 8601")
    calendar.add_argument("--seconds", type=real(0.1, 3600.0), default=5.0, help="for the search")
    calendar.add_argument(
        "--tonight", type=real(0.0, A_WEEK), metavar="MINUTES", help="only say what fits in so many minutes"
    )
    calendar.add_argument("--ics", type=Path, metavar="FILE", help="write iCalendar")
    calendar.add_argument("--csv", type=Path, metavar="FILE", help="write a table")


def _order(a: argparse.Namespace) -> Answer:
    from nuvlo.craft.schools import DEFAULT_SCHOOL, schools
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.files.manual import faults
    from nuvlo.files.whole import text_of
    from nuvlo.stages.sequence import order

    if a.schools:
        known = [{"name": s.name, "says": s.says} for s in schools()]
        lines = [f"{s['name']:24s} {s['says']}" for s in known]
        return 0, {"schools": known, "default": DEFAULT_SCHOOL}, "\n".join(lines)
    kit = read_kit(a.folder)
    if a.manual:
        found = faults(kit, text_of(a.manual), a.manual.name)
        told = [{"line": f.line, "fault": f.words, "reason": f.reason, "rule": f.rule} for f in found]
        lines = [f"line {f.line}: {f.words}. {f.reason}" for f in found] or ["Nothing is blocked or endangered."]
        return 0, {"faults": told}, "\n".join(lines)
    steps = order(kit, a.school or DEFAULT_SCHOOL)
    document = {
        "steps": [
            {"n": s.n, "action": s.action, "parts": list(s.parts), "gate": s.gate, "after": list(s.after), "reason": s.reason,
             "because": list(s.because), "minutes": s.minutes, "waits_hours": s.waits_hours, "stage": s.stage}
            for s in steps
        ]
    }  # fmt: skip
    board = sum(p.on_board for p in kit.parts.values())
    lines = []
    for s in steps:
        refs = f": {', '.join(s.parts)}" if 0 < len(s.parts) < board and ", ".join(s.parts) not in s.action else ""
        lines.append(f"{s.n:3d}  {s.action}{refs}\n     {s.reason}")
    return 0, document, "\n".join(lines)


def _bend(a: argparse.Namespace) -> Answer:
    from nuvlo.craft.bend import bends
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.windows import finite

    found = bends(read_kit(a.folder))
    document = {
        "leads": [
            {"ref": x.ref, "pin": x.pin, "clock": x.clock, "clearance_mm": finite(x.clearance_mm), "length_mm": x.length_mm,
             "near": x.near, "tight": x.tight}
            for x in found
        ]
    }  # fmt: skip
    lines = [
        f"{x.ref:6s} leg {x.pin}: {x.clock:2d} o'clock, clear by {x.clearance_mm:.1f} mm"
        f"{f' only, of {x.near}' if x.tight else ''}" for x in found
    ]  # fmt: skip
    return 0, document, "\n".join(lines) or "This kit has no board."


def _calendar(a: argparse.Namespace) -> Answer:
    from nuvlo.craft.schools import DEFAULT_SCHOOL, school_named
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.files.whole import text_of
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
    surety = "none finishes earlier" if made.optimal else f"no plan could be done before {made.bound:%a %d %b %H:%M}"
    lines.append(f"Done and dry {made.finish:%a %d %b %H:%M}: {surety}.")
    return 0, document, "\n".join(lines)


def _moment(text: str | None) -> datetime:
    if text is None:
        return datetime.now().replace(second=0, microsecond=0)
    try:
        found = datetime.fromisoformat(text)
    except ValueError as bad:
        raise NuvloError(Problem(f"'{text[:60]}' is not a time.", "Write 2026-11-27T19:30.")) from bad
    if not YEARS[0] <= found.year < YEARS[1]:
        raise NuvloError(Problem(f"the year {found.year} is not one to build in.", "Write 2026-11-27T19:30."))
    return found.astimezone().replace(tzinfo=None) if found.tzinfo else found
