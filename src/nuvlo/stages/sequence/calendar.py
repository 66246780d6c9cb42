"""When to do what: jobs laid into the builder's free time, finished as early as can be, with few things left half-done.

One pair of hands, hands-on pieces only in free time, waiting (glue, lacquer, warm-up) at any time, clamps shared. Solved by
OR-Tools' CP-SAT on minutes: first the earliest finish, then, that kept, the least time in which something lies half-done.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from nuvlo import progress
from nuvlo.problems import NuvloError, Problem
from nuvlo.stages.sequence.evenings import Free
from nuvlo.stages.sequence.jobs import Job

SECONDS = 5.0  # for the whole search
TIDYING = 0.3  # of them for the second aim
PIECE = 25  # minutes after which a job may be broken off till another evening
CLAMPS = 6
POLL = 0.05  # s between looks at whether the builder has had enough
WORKERS = 8


@dataclass(frozen=True)
class Planned:
    """One piece of a job at the bench, and until when what it began must wait; ``part`` of ``parts`` where it is broken up."""

    job: Job
    start: datetime
    end: datetime
    ready: datetime
    part: int = 1
    parts: int = 1


@dataclass(frozen=True)
class Calendar:
    """A plan in order of time. ``finish`` is when all is done and dry; no plan can finish before ``bound``."""

    tasks: tuple[Planned, ...]
    finish: datetime
    optimal: bool
    bound: datetime


@dataclass(frozen=True)
class _Piece:
    job: int
    minutes: int
    wait: int  # minutes, of the last piece only
    after: tuple[int, ...]  # pieces
    part: int
    parts: int
    clamps: int
    earliest: int


@dataclass(frozen=True)
class _Problem:
    pieces: tuple[_Piece, ...]
    free: tuple[tuple[int, int], ...]  # minutes from the beginning
    clamps: int


def plan(
    jobs: Sequence[Job], free: Sequence[Free], now: datetime, clamps: int = CLAMPS, seconds: float = SECONDS
) -> Calendar:
    """The plan with the earliest finish found in ``seconds``.

    Raises :class:`NuvloError` where the free time ends before the work does, where a job that cannot be broken off fits no
    evening, or where more clamps are wanted than there are.
    """
    if not jobs:
        return Calendar((), now, True, now)
    problem = _drawn_up(jobs, free, now, clamps)
    quick = _in_turn(problem, _by_tail(problem))
    if quick is None:
        _say_why(jobs, problem)
    assert quick is not None
    starts, optimal, bound = _searched(problem, quick, seconds)
    finish = _finish(problem, starts)
    tasks = sorted(
        (_planned(jobs, p, at, now) for p, at in zip(problem.pieces, starts, strict=True)), key=lambda t: t.start
    )
    return Calendar(tuple(tasks), now + timedelta(minutes=finish), optimal, now + timedelta(minutes=bound))


def _planned(jobs: Sequence[Job], piece: _Piece, at: int, now: datetime) -> Planned:
    start = now + timedelta(minutes=at)
    end = start + timedelta(minutes=piece.minutes)
    return Planned(jobs[piece.job], start, end, end + timedelta(minutes=piece.wait), piece.part, piece.parts)


def _drawn_up(jobs: Sequence[Job], free: Sequence[Free], now: datetime, clamps: int) -> _Problem:
    longest = max((int((f.end - f.start).total_seconds() // 60) for f in free), default=0)
    place = {job.id: k for k, job in enumerate(jobs)}
    last: dict[int, int] = {}
    pieces: list[_Piece] = []
    for k in _sorted(jobs, place):
        job = jobs[k]
        minutes = max(1, math.ceil(job.minutes))
        size = minutes if job.whole else min(PIECE, max(longest, 1))
        count = math.ceil(minutes / size)
        before = tuple(last[place[a]] for a in job.after if a in place)
        earliest = 0 if job.not_before is None else max(0, math.ceil((job.not_before - now).total_seconds() / 60))
        for n in range(count):
            share = minutes * (n + 1) // count - minutes * n // count
            end = n == count - 1
            wait = round(job.waits_hours * 60) if end else 0
            pieces.append(_Piece(k, share, wait, before, n + 1, count, job.clamps, earliest))
            before = (len(pieces) - 1,)
        last[k] = len(pieces) - 1
    spans = [(math.ceil((f.start - now).total_seconds() / 60), int((f.end - now).total_seconds() // 60)) for f in free]
    return _Problem(tuple(pieces), tuple(s for s in spans if s[1] > s[0]), clamps)


def _sorted(jobs: Sequence[Job], place: Mapping[str, int]) -> list[int]:
    """Numbers of jobs, each after those it waits for. Raises :class:`NuvloError` for a circle."""
    from graphlib import CycleError, TopologicalSorter

    try:
        return list(
            TopologicalSorter({k: [place[a] for a in j.after if a in place] for k, j in enumerate(jobs)}).static_order()
        )
    except CycleError as circle:
        names = ", ".join(jobs[k].title for k in circle.args[1])
        raise NuvloError(Problem(f"these wait for each other: {names}.", "Take one of the waits out.")) from circle


def _by_tail(problem: _Problem) -> list[float]:
    """For each piece how long all that waits for it takes: what has the longest tail goes first."""
    tails = [0.0] * len(problem.pieces)
    for k in reversed(range(len(problem.pieces))):
        piece = problem.pieces[k]
        tails[k] += piece.minutes + piece.wait
        for before in piece.after:
            tails[before] = max(tails[before], tails[k])
    return [-t for t in tails]


def _in_turn(problem: _Problem, key: Sequence[float]) -> list[int] | None:
    """Start of each piece, minutes: one after the other by ``key``, each as early as it can be (a serial schedule). None
    where the free time does not suffice."""
    pieces = problem.pieces
    starts: list[int | None] = [None] * len(pieces)
    busy: list[tuple[int, int]] = []
    held: list[tuple[int, int, int]] = []
    open_ones = set(range(len(pieces)))
    while open_ones:
        ready = [k for k in open_ones if all(starts[b] is not None for b in pieces[k].after)]
        k = min(ready, key=lambda k: (key[k], k))
        at = _earliest(problem, pieces[k], starts, busy, held)
        if at is None:
            return None
        starts[k] = at
        busy.append((at, at + pieces[k].minutes))
        if pieces[k].clamps:
            held.append((at, at + pieces[k].minutes + pieces[k].wait, pieces[k].clamps))
        open_ones.remove(k)
    return [s for s in starts if s is not None]


def _earliest(
    problem: _Problem, piece: _Piece, starts: Sequence[int | None], busy: Sequence[tuple[int, int]], held: Sequence[tuple[int, int, int]],
) -> int | None:  # fmt: skip
    from_then = piece.earliest
    for b in piece.after:
        begun = starts[b]
        assert begun is not None
        from_then = max(from_then, begun + problem.pieces[b].minutes + problem.pieces[b].wait)
    candidates = sorted({from_then, *(e for _, e in busy), *(s for s, _ in problem.free), *(e for _, e, _ in held)})
    for at in (c for c in candidates if c >= from_then):
        end = at + piece.minutes
        inside = any(s <= at and end <= e for s, e in problem.free)
        if not inside or any(s < end and at < e for s, e in busy):
            continue
        if piece.clamps and not _clamped(problem, piece, at, held):
            continue
        return at
    return None


def _clamped(problem: _Problem, piece: _Piece, at: int, held: Sequence[tuple[int, int, int]]) -> bool:
    """Whether there are clamps enough from ``at`` on."""
    until = at + piece.minutes + piece.wait
    moments = [at, *(s for s, _, _ in held if at <= s < until)]
    return all(piece.clamps + sum(n for s, e, n in held if s <= m < e) <= problem.clamps for m in moments)


def _finish(problem: _Problem, starts: Sequence[int]) -> int:
    return max(at + p.minutes + p.wait for p, at in zip(problem.pieces, starts, strict=True))


def _least(problem: _Problem) -> int:
    """A finish that no plan comes before: one pair of hands must do all that has a long tail, and the tail comes after.

    The bound of Jackson's preemptive schedule over all pairs of earliest starts and tails (J. Carlier, The one-machine
    sequencing problem, EJOR 11, 1982), with hands that only work in free time.
    """
    pieces = problem.pieces
    heads = [0] * len(pieces)
    tails = [0] * len(pieces)
    for k, piece in enumerate(pieces):
        then = max([piece.earliest, *(heads[b] + pieces[b].minutes + pieces[b].wait for b in piece.after)])
        heads[k] = next((max(s, then) for s, e in problem.free if e - max(s, then) >= piece.minutes), then)
    for k in reversed(range(len(pieces))):
        tails[k] = max(tails[k], pieces[k].wait)
        for b in pieces[k].after:
            tails[b] = max(tails[b], pieces[b].wait + pieces[k].minutes + tails[k])
    best = 0
    for head in sorted(set(heads)):
        mine = sorted((k for k in range(len(pieces)) if heads[k] >= head), key=lambda k: -tails[k])
        work = 0
        for n, k in enumerate(mine):
            work += pieces[k].minutes
            if n + 1 == len(mine) or tails[mine[n + 1]] < tails[k]:
                best = max(best, _worked(problem, head, work) + tails[k])
    return best


def _worked(problem: _Problem, start: int, minutes: int) -> int:
    """When so many minutes of free time have passed since ``start``."""
    for s, e in problem.free:
        here = e - max(s, start)
        if here >= minutes:
            return max(s, start) + minutes
        minutes -= max(here, 0)
    return max((e for _, e in problem.free), default=start)


def _say_why(jobs: Sequence[Job], problem: _Problem) -> None:
    """Raise :class:`NuvloError` that says why nothing fits."""
    longest = max((e - s for s, e in problem.free), default=0)
    for piece in problem.pieces:
        job = jobs[piece.job]
        if piece.clamps > problem.clamps:
            raise NuvloError(
                Problem(
                    f"'{job.title}' wants {piece.clamps} clamps and there are {problem.clamps}.",
                    "Borrow some, or glue with brads.",
                )
            )
        if piece.minutes > longest:
            raise NuvloError(
                Problem(
                    f"'{job.title}' takes {piece.minutes} minutes in one go; the longest free time is {longest}.",
                    "Add a longer evening.",
                )
            )
    wanted, there = sum(p.minutes for p in problem.pieces), sum(e - s for s, e in problem.free)
    raise NuvloError(
        Problem(
            f"the free time ends before the work: {wanted / 60:.1f} hours of work and its waits in {there / 60:.1f} hours.",
            "Add evenings.",
        )
    )


def _searched(problem: _Problem, quick: Sequence[int], seconds: float) -> tuple[list[int], bool, int]:
    """Starts, whether the finish is none finishes earlier, and a bound on it."""
    from ortools.sat.python import cp_model

    progress.pause("looking for the earliest finish")
    model, starts, finish = _model(cp_model, problem)
    least = _least(problem)
    model.add(finish >= least)
    for var, at in zip(starts, quick, strict=True):
        model.add_hint(var, at)
    model.minimize(finish)
    solver, status = _solve(cp_model, model, seconds * (1 - TIDYING))
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return list(quick), False, least
    found = [solver.value(v) for v in starts]
    bound, optimal = math.ceil(solver.best_objective_bound - 1e-6), status == cp_model.OPTIMAL
    progress.pause("leaving little half-done")
    model, starts, finish = _model(cp_model, problem)
    for var, at in zip(starts, found, strict=True):
        model.add_hint(var, at)
    model.add(finish <= _finish(problem, found))
    half_done = [starts[k] - starts[k - 1] for k, p in enumerate(problem.pieces) if p.part > 1]
    model.minimize(len(starts) * sum(half_done) + sum(starts))
    tidied, status = _solve(cp_model, model, seconds * TIDYING)
    if status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        found = [tidied.value(v) for v in starts]
    return found, optimal, bound


def _model(cp_model: Any, problem: _Problem) -> tuple[Any, list[Any], Any]:
    model = cp_model.CpModel()
    horizon = max(e for _, e in problem.free) + max(p.wait for p in problem.pieces)
    starts, hands, clamps, demands = [], [], [], []
    finish = model.new_int_var(0, horizon, "finish")
    for k, piece in enumerate(problem.pieces):
        room = [
            [max(s, piece.earliest), e - piece.minutes]
            for s, e in problem.free
            if e - piece.minutes >= max(s, piece.earliest)
        ]
        start = model.new_int_var_from_domain(cp_model.Domain.from_intervals(room), f"s{k}")
        starts.append(start)
        hands.append(model.new_fixed_size_interval_var(start, piece.minutes, f"h{k}"))
        for before in piece.after:
            model.add(start >= starts[before] + problem.pieces[before].minutes + problem.pieces[before].wait)
        model.add(finish >= start + piece.minutes + piece.wait)
        if piece.clamps:
            clamps.append(model.new_fixed_size_interval_var(start, piece.minutes + piece.wait, f"c{k}"))
            demands.append(piece.clamps)
    model.add_no_overlap(hands)
    if clamps:
        model.add_cumulative(clamps, demands, problem.clamps)
    return model, starts, finish


def _solve(cp_model: Any, model: Any, seconds: float) -> tuple[Any, Any]:
    """Solve on a thread of its own, so that the work can be stopped meanwhile."""
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = WORKERS
    solver.parameters.random_seed = 1
    answer: list[Any] = []
    thread = threading.Thread(target=lambda: answer.append(solver.solve(model)))
    thread.start()
    while thread.is_alive():
        thread.join(POLL)
        try:
            progress.pause()
        except progress.Stopped:
            solver.stop_search()
            thread.join()
            raise
    return solver, answer[0] if answer else cp_model.UNKNOWN
