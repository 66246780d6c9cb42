"""The table of a diagnosis: what each reading would be with each mistake, under a few draws of all tolerances."""

from __future__ import annotations

import pickle
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cache
from threading import Thread

import numpy as np
from numpy.typing import NDArray

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import Missing, Turned, fault_named
from nuvlo.circuit.ohms import Unpowered
from nuvlo.circuit.operating_point import OperatingPoint, Tolerances, followed, let_go, mirrored, operating_point, solve
from nuvlo.circuit.overrides import of_members, turned
from nuvlo.kit import Kit
from nuvlo.model.ensemble import Law, known_to, usual
from nuvlo.model.heat import rises
from nuvlo.model.helper import Helper, Job, helpers_for
from nuvlo.model.mistakes import SHORT_OHMS, Mistake
from nuvlo.model.probes import TOUCH, Reading
from nuvlo.model.working import EMPTY, tones_at

FEW_DRAWS = ("resistance", "capacitance")
DRAWS_OF_OHMS = 4  # of each mistake of these: they are dear, and few are enough. It divides the number of draws
ROUGHLY = Tolerances(vntol=1e-6)  # what floats, as all does at an empty socket, is never found more closely, and no meter shows it
MORE_TURNS = replace(ROUGHLY, iterations=40)  # for those that nothing else has led on
FEW_TURNS = replace(ROUGHLY, iterations=12)  # a draw that does not follow from the first by then seldom does
STILL_V = 0.01  # within which all nodes are where they are in a good unit
OTHERWISE_V, OTHERWISE = 0.1, 0.02  # V at least, and share of the highest, by which another state of rest is one
AT_ONCE, OHMS_AT_ONCE = 2400, 800  # members solved together


@dataclass(frozen=True)
class Company:
    """Mistakes that are solved together, by number (0 the good unit): their ohms, or all else. All have the same transistors turned."""

    mistakes: tuple[int, ...]
    ohms: bool


class Trials:
    """Tries ``mistakes`` of a kit whose values follow ``laws``, ``base`` holding (draws,) of each."""

    def __init__(self, kit: Kit, mistakes: Sequence[Mistake], readings: Sequence[Reading], laws: Mapping[str, Law], base: Mapping[str, Array], draws: int) -> None:
        self.kit, self.readings, self.laws, self.base, self.draws = kit, readings, laws, base, draws
        self.everyone: list[Mistake | None] = [None, *mistakes]
        self.good: dict[int, Found] = {}

    def table(self) -> Array:
        """(readings, 1 + mistakes, draws): first the good unit. NaN where a member has no solution, and of what is looked at."""
        out = np.full((len(self.readings), len(self.everyone), self.draws), np.nan)
        left = deque(self._companies())
        many, done = len(left), 0

        def put(some: Company, read: Mapping[int, Array]) -> None:
            for row, found in read.items():
                out[row][list(some.mistakes)] = found.reshape(len(some.mistakes), self.draws)

        with self._helped(left, put):
            while left:
                progress.pause(f"trying {done:,} mistakes of {len(self.everyone) - 1:,}")
                some = left.popleft()
                put(some, self.tried(some))
                done = (len(self.everyone) - 1) * (many - len(left)) // many
        return out

    def tried(self, some: Company) -> dict[int, Array]:
        """What its readings would be with its mistakes, by row."""
        mistakes = [self.everyone[k] for k in some.mistakes]
        wrong = _Circuits(turns_of(mistakes[0]))
        return self._ohms(mistakes, wrong) if some.ohms else self._read(mistakes, wrong)

    @contextmanager
    def _helped(self, left: deque[Company], put: Callable[[Company, Mapping[int, Array]], None]) -> Iterator[None]:
        """While other processes take from what is ``left`` too. What one of them has begun is waited for; one that dies gives its work back."""
        many = helpers_for(self.kit, len(self.everyone) * self.draws, len(left))
        job = Job(str(self.kit.folder), self.kit.changes, [one for one in self.everyone if one], self.readings, dict(self.laws), dict(self.base), self.draws)
        helpers = [Helper(job) for _ in range(many)]
        again: list[Company] = []

        def drive(helper: Helper) -> None:
            while True:
                try:
                    some = left.popleft()
                except IndexError:
                    return
                try:
                    helper.ask(some)
                    put(some, helper.answer())
                except (OSError, EOFError, pickle.UnpicklingError):
                    again.append(some)
                    return

        threads = [Thread(target=drive, args=(helper,), daemon=True) for helper in helpers]
        for thread in threads:
            thread.start()
        try:
            yield
            for thread in threads:
                while thread.is_alive():
                    progress.pause()
                    thread.join(0.05)
            for some in again:
                put(some, self.tried(some))
        finally:
            left.clear()
            for helper in helpers:
                helper.end()

    def _companies(self) -> list[Company]:
        """Which are solved together, what takes longest first: each transistor in other holes by itself, since that is another circuit; ohms, of
        few draws, in larger companies and last, since they are soon done."""
        alike: dict[tuple[Turned, ...], list[int]] = {}
        for k, one in enumerate(self.everyone):
            alike.setdefault(turns_of(one), []).append(k)
        out = []
        for ohms, draws in ((True, DRAWS_OF_OHMS), (False, self.draws)):
            most = max(1, (OHMS_AT_ONCE if ohms else AT_ONCE) // draws)
            out += [Company(tuple(group[at : at + most]), ohms) for group in alike.values() for at in range(0, len(group), most)]
        return sorted(out, key=lambda c: (c.ohms, -len(c.mistakes)))

    def _values(self, some: Sequence[Mistake | None], cold: bool = False) -> dict[str, Array]:
        """Override arrays (mistakes · draws,). While it is ``cold`` the sockets are empty: what is wrong with what they hold is not yet."""
        values = {name: np.tile(v, len(some)) for name, v in self.base.items()}
        for k, one in enumerate(some):
            mine = slice(k * self.draws, (k + 1) * self.draws)
            made = one.each_made(spread(self.draws)) if one and not (cold and one.asleep) else {}
            for key, amounts in made.items():
                if isinstance(fault_named(key), Turned):
                    continue  # so is the circuit itself
                if key not in values:
                    values[key] = np.full(len(some) * self.draws, usual(self.kit, self.laws, key))
                values[key][mine] = amounts
        return values

    def _read(self, some: Sequence[Mistake | None], wrong: _Circuits) -> dict[int, Array]:
        """What every reading would be, by its row."""
        hot, cold = self._values(some), self._values(some, cold=True)
        out = self._lifted(some)
        points: dict[int, Found] = {}

        def at_rest(circuit: Circuit, values: Mapping[str, Array] = hot) -> OperatingPoint:
            if id(circuit) not in points:
                near = next(iter(points.values()), None) if values is hot else None
                points[id(circuit)] = self._solved(wrong.of(circuit), values, self._good(circuit), near)
            return points[id(circuit)].point

        supplies = {s.name: s.element for s in self.kit.info.supply}
        tones: dict[tuple[str, str, float], list[int]] = {}
        for row, r in enumerate(self.readings):
            if r.quantity == "voltage":
                out[row] = at_rest(self.kit.setup(r.setup), cold if r.empty else hot).voltage(*r.nodes)
            elif r.quantity == "current":
                out[row] = -at_rest(self.kit.setup(r.setup), cold if r.empty else hot).currents()[supplies[r.point.removesuffix(EMPTY)]]
            elif r.quantity == "tone" and r.tone:
                tones.setdefault((r.tone.setup, r.tone.source, r.tone.hertz), []).append(row)
        touched = {r.part: row for row, r in enumerate(self.readings) if r.quantity == TOUCH}
        if touched:
            out.update((touched[ref], rise) for ref, rise in rises(self.kit, at_rest(self.kit.setup()), list(touched)).items())
        for rows in tones.values():
            first = self.readings[rows[0]].tone
            assert first is not None
            found = tones_at(at_rest(self.kit.tone_setup(first)), first, [self.readings[row].nodes for row in rows])
            out.update(zip(rows, found, strict=True))
        return out

    def _ohms(self, some: Sequence[Mistake | None], wrong: _Circuits) -> dict[int, Array]:
        """What every reading of ohms and farads would be, by its row."""
        cold = {name: self._few(v) for name, v in self._values(some, cold=True).items()}
        out: dict[int, Array] = {}
        units: dict[int, Unpowered] = {}
        for row, r in enumerate(self.readings):
            if r.quantity in FEW_DRAWS:
                progress.pause()
                circuit = self.kit.unpowered(*r.nodes)
                if id(circuit) not in units:
                    units[id(circuit)] = Unpowered(wrong.of(circuit), known_to(circuit, cold))
                unit = units[id(circuit)]
                found = unit.bridged(*r.nodes, r.cold.hertz) if r.cold else unit.between(*r.nodes).ohms
                out[row] = np.repeat(found, self.draws // self.draws_of_ohms)
        return out

    def _lifted(self, some: Sequence[Mistake | None]) -> dict[int, Array]:
        """Parts by themselves: what a mistake makes of their value; nothing where they are missing, next to none where they are shorted."""
        rows = {r.part: row for row, r in enumerate(self.readings) if r.quantity == "lifted"}
        gone = {Missing(part).key: row for part, row in rows.items()}
        by_ref = {self.readings[row].point: row for row in rows.values()}
        out = {row: np.tile(self.base[part], len(some)) for part, row in rows.items()}
        for k, one in enumerate(some):
            mine = slice(k * self.draws, (k + 1) * self.draws)
            for key, amounts in (one.each_made(spread(self.draws)) if one else {}).items():
                if key in rows:
                    out[rows[key]][mine] = amounts
                elif key in gone:
                    out[gone[key]][mine] = np.inf if self.readings[gone[key]].unit == "Ω" else 0.0
            if one and one.kind == "short" and len(one.refs) == 1 and one.refs[0] in by_ref:
                row = by_ref[one.refs[0]]
                out[row][mine] = SHORT_OHMS if self.readings[row].unit == "Ω" else np.inf
        return out

    def _few(self, value: Array) -> Array:
        """The first few draws of each mistake; all of a good unit by itself."""
        return value.reshape(-1, self.draws)[:, : self.draws_of_ohms].ravel()

    @property
    def draws_of_ohms(self) -> int:
        return DRAWS_OF_OHMS if len(self.everyone) > 1 else self.draws

    def _good(self, circuit: Circuit) -> Found:
        """The first draw of a good unit."""
        if id(circuit) not in self.good:
            point = operating_point(circuit, known_to(circuit, {name: v[:1] for name, v in self.base.items()}), ROUGHLY)
            self.good[id(circuit)] = Found(point, _either_way(point, np.ones(1, dtype=bool)))
        return self.good[id(circuit)]

    def _solved(self, circuit: Circuit, values: Mapping[str, Array], good: Found, near: Found | None) -> Found:
        """All draws; each mistake is looked for in its first draw by whatever it takes, and the others begin where that was found. One that
        does not lead on from there reads as the first does: of what hangs on leakage there is little else to say. Of what may come to rest
        either way every other draw is the other way. ``near`` is the same in another set-up, which is not looked for twice. A mistake by itself is looked for
        first where the ``good`` unit is; what rests there, where that rests nowhere else, does not either."""
        known = known_to(circuit, values)
        few = {name: v[:: self.draws] for name, v in known.items()}
        here = Equations(circuit, few)
        if near is None:
            usually = here.unknowns_of(good.point.equations, good.point.x)
            first = solve(here, ROUGHLY, start=usually if here.members == 1 else None)
            for k in first.failed:  # from a good unit it may be followed to
                both = {name: np.array([self.base[name][0] if name in self.base else usual(self.kit, self.laws, name), v[k]]) for name, v in few.items()}
                pair = Equations(circuit, both)
                first.x[:, k] = first.equations.unknowns_of(pair, followed(pair, ROUGHLY)[0])[:, 1]
            moved = np.abs(first.x - usually)[: len(here.names)].max(axis=0) > STILL_V
            ways = _either_way(first, moved | (good.ways[..., 0] != good.ways[..., 1]).any())
        else:
            ways = _led(here, *(here.unknowns_of(near.point.equations, near.ways[..., k]) for k in (0, 1)))
        begin = ways[:, :, np.arange(self.draws) % 2].reshape(ways.shape[0], -1)
        found = solve(Equations(circuit, known), FEW_TURNS, stubborn=False, start=begin)
        x, lost = np.where(found.converged, found.x, begin), np.flatnonzero(~found.converged)
        if lost.size:
            held, there = let_go(Equations(circuit, of_members(known, lost, found.converged.size)), begin[:, lost], ROUGHLY)
            x[:, lost[there]] = held[:, there]
            lost = lost[~there]
        if lost.size:
            again = solve(Equations(circuit, of_members(known, lost, found.converged.size)), MORE_TURNS, stubborn=False, start=begin[:, lost])
            x[:, lost[again.converged]] = again.x[:, again.converged]
        return Found(replace(found, x=x, converged=np.asarray(np.isfinite(x).all(axis=0))), ways)


def turns_of(one: Mistake | None) -> tuple[Turned, ...]:
    """The transistors that stand in other holes, or are others."""
    faults = (fault_named(key) for key, _ in one.overrides) if one else ()
    return tuple(f for f in faults if isinstance(f, Turned))


class _Circuits:
    """The circuits of a kit with the same transistors turned in all of them."""

    def __init__(self, turns: tuple[Turned, ...]) -> None:
        self.turns = turns
        self.known: dict[int, Circuit] = {}

    def of(self, circuit: Circuit) -> Circuit:
        if not self.turns:
            return circuit
        if id(circuit) not in self.known:
            self.known[id(circuit)] = turned(circuit, self.turns)
        return self.known[id(circuit)]


@dataclass(frozen=True)
class Found:
    """All draws of some mistakes at rest, and the two ``ways`` (n, mistakes, 2) in which the first draw of each may be."""

    point: OperatingPoint
    ways: Array


def _led(here: Equations, one: Array, other: Array) -> Array:
    """The ways (n, N, 2) near ``one`` and ``other`` (n, N), which are of a set-up much like this; what does not lead to another is the first."""
    first = solve(here, ROUGHLY, start=one)
    out = np.stack([first.x, first.x], axis=2)
    two = np.flatnonzero(np.abs(other - one).max(axis=0) > 0)
    if two.size:
        some = Equations(here.given, of_members(here.overrides, two, first.converged.size))
        held, there = let_go(some, some.unknowns_of(first.equations, other[:, two]), ROUGHLY)
        out[:, two[there], 1] = first.equations.unknowns_of(some, held[:, there])
    return out


def _otherwise(found: OperatingPoint, other: Array) -> NDArray[np.bool_]:
    """Which members rest ``otherwise`` there (n, N)."""
    names = len(found.equations.names)
    size = np.abs(np.nan_to_num(found.x[:names])).max(axis=0)
    out: NDArray[np.bool_] = np.abs(other[:names] - found.x[:names]).max(axis=0) > np.maximum(OTHERWISE_V, OTHERWISE * size)
    return out


def _either_way(found: OperatingPoint, asked: NDArray[np.bool_]) -> Array:
    """(n, N, 2): the two ways in which each member may come to rest; the same twice where there is one, or where it is not ``asked`` (N,). What was
    found first may be neither: a loop balanced between its rails, where no unit stays."""
    out = np.stack([found.x, found.x], axis=2)
    chosen = np.flatnonzero(asked)
    if not chosen.size:
        return out
    some = _some(found, chosen)
    other, there = mirrored(some)
    two = np.flatnonzero(there & _otherwise(some, other))
    if two.size:
        pushed = _some(replace(some, x=other), two)
        back, there = mirrored(pushed)
        there &= _otherwise(pushed, back)
        out[:, chosen[two], 1] = found.equations.unknowns_of(pushed.equations, pushed.x)
        out[:, chosen[two[there]], 0] = found.equations.unknowns_of(pushed.equations, back[:, there])
    return out


def _some(found: OperatingPoint, chosen: NDArray[np.intp]) -> OperatingPoint:
    """Of ``chosen`` members alone."""
    eq = found.equations
    if chosen.size == found.x.shape[1]:
        return found
    mine = Equations(eq.given, of_members(eq.overrides, chosen, eq.members), open_sources=eq.open_sources)
    return OperatingPoint(mine, mine.unknowns_of(eq, found.x[:, chosen]), found.converged[chosen], found.tolerances)


@cache
def spread(draws: int) -> Array:
    """(draws,) between 0 and 1, the first few well apart already (J. G. van der Corput's sequence, 1935)."""
    out = np.zeros(draws)
    for k in range(draws):
        number, place = k + 1, 0.5
        while number:
            out[k] += place * (number % 2)
            number, place = number // 2, place / 2
    return out
