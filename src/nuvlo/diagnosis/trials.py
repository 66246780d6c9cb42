"""The table of a diagnosis: what each reading would be with each mistake, under a few draws of all tolerances."""

from __future__ import annotations

import gc
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
from nuvlo.circuit.faults import Missing, Moved, Turned, fault_named
from nuvlo.circuit.loaded import shown
from nuvlo.circuit.ohms import FAINT, GENTLE, SLIGHT, STRONG, Ohmmeter, Unpowered
from nuvlo.circuit.operating_point import (
    OperatingPoint,
    Tolerances,
    followed,
    let_go,
    mirrored,
    operating_point,
    rest_of,
    solve,
)
from nuvlo.circuit.overrides import moved
from nuvlo.diagnosis.helper import Helper, Job, helpers_for
from nuvlo.diagnosis.mistakes import SHORT_OHMS, Mistake
from nuvlo.diagnosis.probes import TOUCH, Reading
from nuvlo.diagnosis.wires import fed_outside, on_wires
from nuvlo.electrics.heat import rises
from nuvlo.kit import Kit
from nuvlo.kit.schema import Tone
from nuvlo.model.ensemble import Law, known_to, usual
from nuvlo.model.rectifier import drawn, ripple
from nuvlo.model.tones import tones_at
from nuvlo.model.wired import in_wires, thrown, usual_of, wired

FEW_DRAWS = ("resistance", "capacitance")
METERS = (STRONG, GENTLE, FAINT, SLIGHT)  # of one kind and another, that ohms may be read with
AT_LUGS = (STRONG, GENTLE, FAINT, Ohmmeter())  # where an open wire is looked for the faintest would not tell it
DRAWS_OF_OHMS = len(METERS)  # of each mistake of these: they are dear, and few are enough
SELDOM = 0.5  # share of the mistakes, the rarest, that get half as many draws
ROUGHLY = Tolerances(vntol=1e-6)  # what floats, as all does at an empty socket, is never found more closely, and no meter shows it
MORE_TURNS = replace(ROUGHLY, iterations=40)  # for those that nothing else has led on
FEW_TURNS = replace(ROUGHLY, iterations=12)  # a draw that does not follow from the first by then seldom does
STILL_V = 0.01  # within which all nodes are where they are in a good unit
OTHERWISE_V, OTHERWISE = 0.1, 0.02  # V at least, and share of the highest, by which another state of rest is one
AT_ONCE, OHMS_AT_ONCE = 2400, 800  # members solved together


@dataclass(frozen=True)
class Company:
    """Mistakes that are solved together, by number (0 the good unit): their ohms, or all else, under the first ``draws``. All have the same
    transistors turned."""

    mistakes: tuple[int, ...]
    ohms: bool
    draws: int


class Trials:
    """Tries ``mistakes`` of a kit whose values follow ``laws``, ``base`` holding (draws,) of each. Where it is known how ``often`` each is made,
    the rarest get fewer draws."""

    def __init__(
        self, kit: Kit, mistakes: Sequence[Mistake], readings: Sequence[Reading], laws: Mapping[str, Law], base: Mapping[str, Array], draws: int,
        often: Array | None = None,
    ) -> None:  # fmt: skip
        self.kit, self.readings, self.laws, self.base, self.draws, self.often = kit, readings, laws, base, draws, often
        self.everyone: list[Mistake | None] = [None, *mistakes]
        self.good: dict[int, Found] = {}
        self.lugs = wired(kit) if any(r.lugs for r in readings) or any(m.wired for m in mistakes) else None

    def table(self) -> Array:
        """(readings, 1 + mistakes, draws): first the good unit. NaN where a member has no solution, and of what is looked at. Where there are
        fewer draws they come again and again."""
        out = np.full((len(self.readings), len(self.everyone), self.draws), np.nan)
        left = deque(self._companies())
        many, done = len(left), 0

        def put(some: Company, read: Mapping[int, Array]) -> None:
            for row, found in read.items():
                out[row][list(some.mistakes)] = np.resize(found.reshape(-1, some.draws).T, (self.draws, len(some.mistakes))).T

        with _no_collection(), self._helped(left, put):
            while left:
                progress.pause(f"trying {done:,} mistakes of {len(self.everyone) - 1:,}")
                some = left.popleft()
                put(some, self.tried(some))
                done = (len(self.everyone) - 1) * (many - len(left)) // many
        return out

    def tried(self, some: Company) -> dict[int, Array]:
        """What its readings would be with its mistakes, by row."""
        mistakes = [self.everyone[k] for k in some.mistakes]
        wrong = _Circuits(moves_of(mistakes[0]), self.kit if mistakes[0] and mistakes[0].wired else None)
        return self._ohms(mistakes, some.draws, wrong) if some.ohms else self._read(mistakes, some.draws, wrong)

    @contextmanager
    def _helped(self, left: deque[Company], put: Callable[[Company, Mapping[int, Array]], None]) -> Iterator[None]:
        """While other processes take from what is ``left`` too. What one of them has begun is waited for; one that dies gives its work back."""
        many = helpers_for(self.kit, len(self.everyone) * self.draws, len(left))
        job = Job(str(self.kit.folder.resolve()), self.kit.changes, [one for one in self.everyone if one], self.readings, dict(self.laws), dict(self.base), self.draws)
        helpers = [Helper() for _ in range(many)]
        again: list[Company] = []

        def drive(helper: Helper) -> None:
            try:
                helper.begin(job)
            except OSError:
                return
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
        seldom = np.zeros(len(self.everyone), dtype=bool)
        if self.often is not None and self.draws % 4 == 0:  # half of them are as many of the one way to rest as of the other
            seldom[1 + np.argsort(self.often, kind="stable")[: round(SELDOM * self.often.size)]] = True
        few = min(DRAWS_OF_OHMS, self.draws) if len(self.everyone) > 1 else self.draws
        alike: dict[tuple[tuple[Turned | Moved, ...], bool, bool, int], list[int]] = {}
        for k, one in enumerate(self.everyone):
            # What comes to more or less is followed from draw to draw, beside the good unit: of both all draws are wanted.
            every = one is None or one.varies
            for ohms, draws in ((True, self.draws if every else few), (False, self.draws)):
                alike.setdefault((moves_of(one), bool(one and one.wired), ohms, draws // 2 if seldom[k] and not every and not ohms else draws), []).append(k)
        out = []
        for (_, _, ohms, draws), group in alike.items():
            most = max(1, (OHMS_AT_ONCE if ohms else AT_ONCE) // draws)
            out += [Company(tuple(group[at : at + most]), ohms, draws) for at in range(0, len(group), most)]
        return sorted(out, key=lambda c: (c.ohms, -len(c.mistakes) * c.draws))

    def _values(self, some: Sequence[Mistake | None], draws: int, cold: bool = False) -> dict[str, Array]:
        """Override arrays (mistakes · draws,). While it is ``cold`` the sockets are empty: what is wrong with what they hold is not yet."""
        values = {name: np.tile(v[:draws], len(some)) for name, v in self.base.items()}
        for k, one in enumerate(some):
            mine = slice(k * draws, (k + 1) * draws)
            made = one.each_made(spread(draws)) if one and not (cold and one.asleep) else {}
            for key, amounts in made.items():
                if isinstance(fault_named(key), Turned | Moved):
                    continue  # so is the circuit itself
                if key not in values:
                    values[key] = np.full(len(some) * draws, self._usual(key))
                values[key][mine] = amounts
        return values

    def _usual(self, key: str) -> float:
        """What stands for an override where nothing is wrong."""
        if self.lugs and "." not in key and key not in self.laws and self.lugs.has_parameter(key):  # a contact
            return usual_of(self.lugs, key)
        return usual(self.kit, self.laws, key)

    def _bare(self, r: Reading) -> tuple[Circuit, dict[str, float]]:
        """What an ohmmeter sees, and how switches are thrown meanwhile."""
        if not r.lugs:
            return self.kit.unpowered(*r.nodes), {}
        return wired(self.kit), thrown(self.kit, r.throw) if r.throw else {}

    def _read(self, some: Sequence[Mistake | None], draws: int, wrong: _Circuits) -> dict[int, Array]:
        """What every reading would be, by its row."""
        hot, cold = self._values(some, draws), self._values(some, draws, cold=True)
        out = self._lifted(some, draws)
        points: dict[int, Found] = {}

        def at_rest(circuit: Circuit, values: Mapping[str, Array] = hot) -> OperatingPoint:
            if id(circuit) not in points:
                near = next(iter(points.values()), None) if values is hot else None
                points[id(circuit)] = self._solved(wrong.of(circuit), values, draws, self._good(wrong.whole(circuit)), near)
            return points[id(circuit)].point

        tones: dict[tuple[str, str, float], list[int]] = {}
        volts: dict[tuple[str, bool], list[int]] = {}
        for row, r in enumerate(self.readings):
            if r.quantity == "voltage":
                volts.setdefault((r.setup, r.of.empty), []).append(row)
            elif r.quantity == "current":
                supply = r.supply
                assert supply is not None
                out[row] = np.array(drawn(at_rest(self.kit.setup(r.setup), cold if r.of.empty else hot), supply))
                for k, one in enumerate(some):
                    if one and (supply.element, 0.0) in (*(one.overrides if supply.mains_hz else ()), *one.besides):  # it is shorted: the volts are gone, the current is anything
                        out[row][k * draws : (k + 1) * draws] = np.nan
            elif r.quantity == "tone" and r.supply:
                out[row] = ripple(self.kit, at_rest(self.kit.setup()), r.supply)
            elif r.quantity == "tone" and r.tone:
                tones.setdefault((r.tone.setup, r.tone.source, r.tone.hertz), []).append(row)
        for (setup, empty), rows in volts.items():
            rest = at_rest(self.kit.setup(setup), cold if empty else hot)
            out.update(zip(rows, shown(rest, [wrong.leads(self.readings[row]) for row in rows], self.kit.reach.ohms), strict=True))
        touched = {r.part: row for row, r in enumerate(self.readings) if r.quantity == TOUCH}
        if touched:
            out.update((touched[ref], rise) for ref, rise in rises(self.kit, at_rest(self.kit.setup()), list(touched)).items())
        for rows in tones.values():
            first = self.readings[rows[0]].tone
            assert first is not None
            found = tones_at(at_rest(self.kit.tone_setup(first)), wrong.fed(first), [wrong.leads(self.readings[row]) for row in rows], self.kit.reach.ohms)
            out.update(zip(rows, found, strict=True))
        return out

    def _ohms(self, some: Sequence[Mistake | None], draws: int, wrong: _Circuits) -> dict[int, Array]:
        """What every reading of ohms and farads would be, by its row."""
        cold = self._values(some, draws, cold=True)
        members = len(some) * draws
        out: dict[int, Array] = {}
        rows: dict[tuple[int, str], list[int]] = {}
        for row, r in ((k, r) for k, r in enumerate(self.readings) if r.quantity in FEW_DRAWS):
            rows.setdefault((id(self._bare(r)[0]), r.throw), []).append(row)
            out[row] = np.full(members, np.nan)
        for some_rows in rows.values():
            circuit, set_so = self._bare(self.readings[some_rows[0]])
            known = known_to(circuit, cold)
            for key, value in set_so.items():  # but for what a mistake makes of it
                known[key] = np.where(known[key] == self._usual(key), value, known[key]) if key in known else np.full(members, value)
            for turn, meter in enumerate(AT_LUGS if self.readings[some_rows[0]].lugs else METERS):  # one draw after another on a meter of another kind: which it is nobody knows
                mine = np.flatnonzero(np.arange(members) % draws % len(METERS) == turn)
                if not mine.size:
                    continue
                unit = Unpowered(wrong.of(circuit), {name: v[mine] if np.size(v) == members else v for name, v in known.items()})
                unit.get_ready([wrong.leads(self.readings[row], turn) for row in some_rows if self.readings[row].quantity == "resistance"])
                for row in some_rows:
                    progress.pause()
                    r = self.readings[row]
                    at = wrong.leads(r, turn)
                    out[row][mine] = unit.between(*at, meter).ohms if r.quantity == "resistance" or r.cold is None else unit.bridged(*at, r.cold.hertz)
        return out

    def _lifted(self, some: Sequence[Mistake | None], draws: int) -> dict[int, Array]:
        """Parts by themselves: what a mistake makes of their value; nothing where they are missing, next to none where they are shorted."""
        rows = {str(self.kit.override_of(r.part)): row for row, r in enumerate(self.readings) if r.quantity == "lifted"}
        gone = {Missing(part).key: row for part, row in rows.items()}
        by_ref = {self.readings[row].of.place: row for row in rows.values()}
        out = {row: np.tile(self.base[part][:draws], len(some)) for part, row in rows.items()}
        for k, one in enumerate(some):
            mine = slice(k * draws, (k + 1) * draws)
            for key, amounts in (one.each_made(spread(draws)) if one else {}).items():
                if key in rows:
                    out[rows[key]][mine] = amounts
                elif key in gone:
                    out[gone[key]][mine] = np.inf if self.readings[gone[key]].unit == "Ω" else 0.0
            if one and one.kind == "short" and len(one.refs) == 1 and one.refs[0] in by_ref:
                row = by_ref[one.refs[0]]
                out[row][mine] = SHORT_OHMS if self.readings[row].unit == "Ω" else np.inf
        return out

    def _good(self, circuit: Circuit) -> Found:
        """The first draw of a good unit."""
        if id(circuit) not in self.good:
            point = operating_point(circuit, known_to(circuit, {name: v[:1] for name, v in self.base.items()}), ROUGHLY)
            self.good[id(circuit)] = Found(point, _either_way(point.equations, point.x, np.zeros(1, dtype=np.intp), np.ones(1, dtype=bool)))
        return self.good[id(circuit)]

    def _solved(self, circuit: Circuit, values: Mapping[str, Array], draws: int, good: Found, near: Found | None) -> Found:
        """All draws; each mistake is looked for in its first draw by whatever it takes, and the others begin where that was found. One that
        does not lead on from there reads as the first does: of what hangs on leakage there is little else to say. Of what may come to rest
        either way every other draw is the other way. ``near`` is the same in another set-up, which is not looked for twice. A mistake by itself is looked for
        first where the ``good`` unit is; what rests there, where that rests nowhere else, does not either."""
        known = known_to(circuit, values)
        here = Equations(circuit, known)
        firsts = np.arange(0, here.members, draws)
        if near is None:
            usually = here.unknowns_of(good.point.equations, good.point.x)
            first, there = rest_of(here, firsts, ROUGHLY, start=usually if firsts.size == 1 else None)
            for k in np.flatnonzero(~there):  # from a good unit it may be followed to
                both = {name: np.array([self.base[name][0] if name in self.base else usual(self.kit, self.laws, name), v[firsts[k]]]) for name, v in known.items()}
                pair = Equations(circuit, both)
                first[:, k] = here.unknowns_of(pair, followed(pair, ROUGHLY)[0])[:, 1]
            moved = np.abs(first - usually)[: len(here.names)].max(axis=0) > STILL_V
            ways = _either_way(here, first, firsts, moved | (good.ways[..., 0] != good.ways[..., 1]).any())
        else:
            ways = _led(here, firsts, *(here.unknowns_of(near.point.equations, near.ways[..., k]) for k in (0, 1)))
        begin = ways[:, :, np.arange(draws) % 2].reshape(ways.shape[0], -1)
        found = solve(here, FEW_TURNS, stubborn=False, start=begin)
        x, lost = np.where(found.converged, found.x, begin), np.flatnonzero(~found.converged)
        if lost.size:
            held, there = let_go(here, begin[:, lost], ROUGHLY, lost)
            x[:, lost[there]] = held[:, there]
            lost = lost[~there]
        if lost.size:
            again, there = rest_of(here, lost, MORE_TURNS, stubborn=False, start=begin[:, lost])
            x[:, lost[there]] = again[:, there]
        return Found(replace(found, x=x, converged=np.asarray(np.isfinite(x).all(axis=0))), ways)


@contextmanager
def _no_collection() -> Iterator[None]:
    """Without looking for garbage meanwhile: there is little, and to go through all that is alive takes its time."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def moves_of(one: Mistake | None) -> tuple[Turned | Moved, ...]:
    """The transistors that stand in other holes, or are others."""
    faults = (fault_named(key) for key, _ in one.overrides) if one else ()
    return tuple(f for f in faults if isinstance(f, Turned | Moved))


class _Circuits:
    """The circuits of a kit with the same transistors turned in all of them; where the kit is given, with its wires as elements."""

    def __init__(self, moves: tuple[Turned | Moved, ...], wired_as: Kit | None = None) -> None:
        self.moves, self.wired_as = moves, wired_as
        self.known: dict[int, Circuit] = {}

    def whole(self, circuit: Circuit) -> Circuit:
        """The same with nothing wrong."""
        return in_wires(self.wired_as, circuit) if self.wired_as else circuit

    def leads(self, r: Reading, turn: int = 0) -> tuple[str, str]:
        """The nodes that the leads lie on for a reading."""
        return on_wires(self.wired_as, r, turn) if self.wired_as and not r.lugs else r.nodes

    def fed(self, tone: Tone) -> Tone:
        """A tone, fed in where it is."""
        return fed_outside(self.wired_as, tone) if self.wired_as else tone

    def of(self, circuit: Circuit) -> Circuit:
        circuit = self.whole(circuit)
        if not self.moves:
            return circuit
        if id(circuit) not in self.known:
            self.known[id(circuit)] = moved(circuit, self.moves)
        return self.known[id(circuit)]


@dataclass(frozen=True)
class Found:
    """All draws of some mistakes at rest, and the two ``ways`` (n, mistakes, 2) in which the first draw of each may be."""

    point: OperatingPoint
    ways: Array


def _led(here: Equations, firsts: NDArray[np.intp], one: Array, other: Array) -> Array:
    """The ways (n, K, 2) of the members ``firsts`` near ``one`` and ``other`` (n, K), which are of a set-up much like this; what does not lead to
    another is the first."""
    first, _ = rest_of(here, firsts, ROUGHLY, start=one)
    out = np.stack([first, first], axis=2)
    two = np.flatnonzero(np.abs(other - one).max(axis=0) > 0)
    if two.size:
        held, there = let_go(here, other[:, two], ROUGHLY, firsts[two])
        out[:, two[there], 1] = held[:, there]
    return out


def _otherwise(here: Equations, x: Array, other: Array) -> NDArray[np.bool_]:
    """Which of those at rest at ``x`` (n, K) rest otherwise at the ``other``."""
    names = len(here.names)
    size = np.abs(np.nan_to_num(x[:names])).max(axis=0)
    out: NDArray[np.bool_] = np.abs(other[:names] - x[:names]).max(axis=0) > np.maximum(OTHERWISE_V, OTHERWISE * size)
    return out


def _either_way(here: Equations, x: Array, firsts: NDArray[np.intp], asked: NDArray[np.bool_]) -> Array:
    """(n, K, 2): the two ways in which each of the members ``firsts`` that rests at ``x`` (n, K) may come to rest; the same twice where there is one, or
    where it is not ``asked`` (K,). What was found first may be neither: a loop balanced between its rails, where no unit stays."""
    out = np.stack([x, x], axis=2)
    chosen = np.flatnonzero(asked)
    if chosen.size:
        other, there = mirrored(here, x[:, chosen], ROUGHLY, firsts[chosen])
        two = there & _otherwise(here, x[:, chosen], other)
        pushed, chosen = other[:, two], chosen[two]
        if chosen.size:
            back, there = mirrored(here, pushed, ROUGHLY, firsts[chosen])
            there &= _otherwise(here, pushed, back)
            out[:, chosen, 1] = pushed
            out[:, chosen[there], 0] = back[:, there]
    return out


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
