"""The builder's free time: intervals of a CSV, or the same evenings every week."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta

from nuvlo.files.whole import csv_rows
from nuvlo.problems import NuvloError, Problem

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
AHEAD_DAYS = 60
USUAL = "day,from,to\n" + "".join(f"{d},19:30,21:30\n" for d in WEEKDAYS[:5]) + "sat,10:00,12:30\n"


@dataclass(frozen=True)
class Free:
    """One stretch of free time."""

    start: datetime
    end: datetime


def read_free(text: str, now: datetime, name: str = "free.csv", days: float = AHEAD_DAYS) -> list[Free]:
    """Free time from ``now`` on, in order, joined where it touches.

    ``start,end`` are moments in ISO 8601; ``day,from,to`` (mon … sun, 19:30) come again every week for ``days``. What has
    passed is left out. Raises :class:`NuvloError` with every line that cannot be read.
    """
    reader = csv_rows(text, name)
    names = [h.strip().lower() for h in next(reader, (1, []))[1]]
    heading = set(names)
    if not ({"start", "end"} <= heading or {"day", "from", "to"} <= heading):
        raise NuvloError(Problem("the heading names no times.", "Write start,end or day,from,to.", name, 1, 1))
    found: list[Free] = []
    problems: list[Problem] = []
    for line, row in reader:
        if not any(row):
            continue
        cells = {**dict.fromkeys(names, ""), **{k: v.strip() for k, v in zip(names, row, strict=False)}}
        try:
            if empty := [k for k in ("start", "end", "day", "from", "to") if cells.get(k) == ""]:
                raise ValueError(f"{empty[0]} is empty")
            fresh = [_moment(cells, now)] if "start" in heading else _weekly(cells, now, days)
            if any(f.end <= f.start for f in fresh):
                raise ValueError("ends before it begins")
        except ValueError as bad:
            remedy = "Write 2026-11-27T19:30 or, week by week, tue,19:30,21:30."
            problems.append(Problem(f"{bad}.", remedy, name, line, 1))
            continue
        found += fresh
    if problems:
        raise NuvloError(problems)
    return joined([Free(max(f.start, now), f.end) for f in found if f.end > now])


def joined(found: list[Free]) -> list[Free]:
    """The same time in order, without overlaps."""
    out: list[Free] = []
    for one in sorted(found, key=lambda f: f.start):
        if out and one.start <= out[-1].end:
            out[-1] = Free(out[-1].start, max(out[-1].end, one.end))
        else:
            out.append(one)
    return out


def _moment(cells: dict[str, str], now: datetime) -> Free:
    return Free(*(_told_as(now, datetime.fromisoformat(cells[k])) for k in ("start", "end")))


def _told_as(now: datetime, moment: datetime) -> datetime:
    """A moment on the clock of ``now``: one without a zone is the builder's own, one with a zone is brought to it."""
    if moment.tzinfo is None:
        return moment.replace(tzinfo=now.tzinfo)
    here = moment.astimezone(now.tzinfo)
    return here if now.tzinfo else here.replace(tzinfo=None)


def _weekly(cells: dict[str, str], now: datetime, days: float) -> list[Free]:
    day = cells["day"].lower()[:3]
    if day not in WEEKDAYS:
        raise ValueError(f"'{cells['day']}' is not a day of the week")
    begins, ends = (time.fromisoformat(cells[k]) for k in ("from", "to"))
    first = now.date() + timedelta(days=(WEEKDAYS.index(day) - now.weekday()) % 7)
    dates = [first + timedelta(weeks=k) for k in range(int(days // 7) + 1)]
    return [Free(datetime.combine(d, begins, now.tzinfo), datetime.combine(d, ends, now.tzinfo)) for d in dates]
