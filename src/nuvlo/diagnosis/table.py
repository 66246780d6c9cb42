"""What each reading would be under each mistake, as a meter sees it: few draws of all tolerances, on the scale that readings are judged by."""

from __future__ import annotations

import math
import warnings
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.diagnosis.probes import CLOSE, FIELD_MM, OVER, SENSES, TOUCH, WHOLE, Reading, readings_of
from nuvlo.diagnosis.trials import DRAWS_OF_OHMS, FEW_DRAWS, METERS, Trials, spread
from nuvlo.diagnosis.wires import every_mistake, mistakes_under_power, rung
from nuvlo.files.kept import content_of, kept
from nuvlo.files.mistakes import Habits, shipped
from nuvlo.kit import Kit
from nuvlo.logbook import Build
from nuvlo.measurement import Observable
from nuvlo.model.ensemble import as_they_stand, laws, sample
from nuvlo.model.working import BRIDGE_SHARE, STRAY, STRAY_OHMS, STRAY_TONE, TONE_SHARE, ModelError
from nuvlo.problems import Problem
from nuvlo.quantity import Measured

DRAWS = 20  # of all tolerances, for each mistake
SHRUNK = 0.6  # share by which the correlations of a mistake's few draws are drawn to those of the good unit
RELATED = 240  # draws of the good unit, for these
APART = 2.0  # spreads by which two mistakes must differ in some reading, to be told apart
FLOOR = {"resistance": (STRAY_OHMS, 1e8), "capacitance": (1e-11, 1e-1), "tone": (STRAY_TONE, 100.0)}  # what is judged by shares, and between what
OPEN_FROM, OPEN = 5e7, 0.7  # Ω from where a meter says open, and how far off that is beside other ohms, in nepers
SHARE = {"resistance": 0.02, "capacitance": BRIDGE_SHARE, "tone": TONE_SHARE}  # by which such a reading is in doubt at least
LIFTED = {"Ω": "resistance", "F": "capacitance"}  # a part by itself is read as these are
FALSE_ALARM = 0.02  # that a look finds fault with what is right (common practice, no source)
HOT_K, FELT_K = 20.0, 6.0  # above what it should be, from where a finger finds a part too hot, and how far one is in doubt (common practice, no source)
# Of what a lens shows, a look over the whole board does, five seconds a part: who searches finds 1 − exp(−t/τ) of what there is (B. O. Koopman,
# "The theory of search II", Oper. Res. 4, 1956), three fifths in three seconds (common practice, no source).
AT_A_GLANCE = 0.78
THOROUGH = {OVER: AT_A_GLANCE, CLOSE: 1.0}
MOVED = 3.0  # spreads of the good unit by which a mistake moves a reading
NEAR_GOOD, MOST_WIDER = 3.0, 4.0  # spreads within which a mistake reads as a good unit does; times that few draws lie too close together
JUNCTION = 0.3  # nepers by which meters of one kind and another differ where a junction lies in the way
ALIKE = 0.02  # nepers within which two places read the same, whatever it is
VAGUE = 1.5  # nepers by which ohms are not known where a good unit has a junction in the way
ENDS = 0.05  # of what many good units span, that others may lie beyond on either side
MODEL = 0.004  # share of volts and amperes by which a model of a part is off, at its best (common practice, no source)
ROUGH, ROUGH_TONE = 0.03, 0.15  # share of what a mistake moves a reading by, that is not known (common practice, no source)
NO_SPREAD = 1e-9  # of what a mistake moves a reading by, that is no spread of draws but their rounding
EITHER = 2.0  # sums of spreads by which two states of rest are apart


class Table:
    """What each reading of a kit would be with each mistake. Made once, in some seconds.

    ``habits`` say how often each kind of mistake is made; as shipped, where none are given. A kit without a circuit is only looked at. In the
    folder ``keep``, where one is given, tables are kept from one time to the next. With ``wiring`` it is of what is read while wires are rung out, and
    of what is wrong with wires beside what is wrong with parts.
    """

    wiring = False

    def __init__(self, kit: Kit, build: Build | None = None, draws: int = DRAWS, seed: int = 11, habits: Habits | None = None, keep: Path | None = None, wiring: bool = False) -> None:
        self.kit, self.draws, self.seed, self.keep = kit, draws, seed, keep
        self.habits = habits or shipped()
        self.mistakes = every_mistake(kit) if wiring else mistakes_under_power(kit)
        self.readings = rung(kit) if wiring else readings_of(kit)
        self.wiring = wiring
        if not self.mistakes or not self.readings:
            raise ModelError(Problem(f"nothing is known of {kit.name} that could be wrong.", "Add circuit.cir, or a list of its parts with a board."))
        self.laws = {**as_they_stand(kit), **laws(kit, build)} if kit.unit else {}
        self.base = sample(self.laws, draws, seed) if kit.unit else {}

    @cached_property
    def table(self) -> Array:
        """(readings, 1 + mistakes, draws): first the good unit. NaN where a member has no solution: it tells nothing then."""
        make = Trials(self.kit, self.mistakes, self.readings, self.laws, self.base, self.draws, self.weights).table
        return kept(self.keep, ("table", *self._made_of(), self.weights.tobytes()), make)

    def _made_of(self) -> tuple[object, ...]:
        """All that its tables hang on."""
        return (content_of(self.kit.folder) if self.keep else b"", self.kit.changes, self.kit.reach, self.draws, self.seed, self.wiring, sorted(self.laws.items()))

    @cached_property
    def many(self) -> Array:
        """(readings, RELATED): what a good unit reads, in many draws, on the scale that readings are judged by."""
        many = sample(self.laws, RELATED, self.seed + 1) if self.laws else {}
        make = Trials(self.kit, (), self.readings, self.laws, many, RELATED).table
        return self.scaled(kept(self.keep, ("many", *self._made_of()), make)[:, 0])

    @cached_property
    def related(self) -> Array:
        """(readings, readings): how readings of a good unit go together, from many draws; what is only looked at with nothing."""
        found = self.many
        known = np.isfinite(found)
        off = np.where(known, found - np.where(known, found, 0.0).sum(axis=1, keepdims=True) / np.maximum(known.sum(axis=1, keepdims=True), 1), 0.0)
        size = np.sqrt((off**2).sum(axis=1))
        off = np.where(size[:, None] > 0, off / np.where(size > 0, size, 1.0)[:, None], 0.0)
        out: Array = off @ off.T
        np.fill_diagonal(out, 1.0)
        return out

    @cached_property
    def weights(self) -> Array:
        """(mistakes,): how often each is made, beside the others."""
        return np.array([self.habits[m.kind].weight * m.share for m in self.mistakes])

    @cached_property
    def shows(self) -> Array:
        """(readings, 1 + mistakes): how likely a look shows something wrong; NaN of what is no look."""
        out = np.full((len(self.readings), 1 + len(self.mistakes)), np.nan)
        for row, r in enumerate(self.readings):
            if r.quantity in WHOLE:  # what seems wrong then is looked at once more: it raises no alarm of its own
                out[row] = [0.0, *(THOROUGH[r.quantity] * self.habits[m.kind].seen * bool(at) for m, at in zip(self.mistakes, self.seen_by[1:], strict=True))]
            elif r.quantity == TOUCH:
                out[row] = self._felt(row)
            elif r.quantity == "look":
                out[row] = FALSE_ALARM
                for k, m in enumerate(self.mistakes, start=1):
                    if r.part in m.refs:
                        out[row, k] = max(FALSE_ALARM, self.habits[m.kind].seen)
        return out

    def _felt(self, row: int) -> Array:
        """(1 + mistakes,): how likely a part is felt to be hotter than it should be. Of what has no solution that is as likely as not."""
        from scipy.special import ndtr  # not before it is needed

        rise = self.table[row]
        should = np.nanmean(rise[0]) if np.isfinite(rise[0]).any() else 0.0
        hot = ndtr((rise - should - HOT_K) / FELT_K)
        known = np.isfinite(hot)
        chance = np.where(known, hot, 0.0).sum(axis=1) / np.maximum(known.sum(axis=1), 1)
        return np.where(known.any(axis=1), chance, 0.5).clip(FALSE_ALARM, 1.0 - FALSE_ALARM)

    @cached_property
    def states(self) -> NDArray[np.intp]:
        """(states,): of which mistake each state of rest is, 0 the good unit. First one of each; then the others of those that come to rest
        either way, as a loop does that hangs at one rail or the other: of these every other draw is the other way."""
        rows = [k for k, r in enumerate(self.readings) if r.quantity == "voltage"]
        if not rows or self.draws < 4:
            return np.arange(1 + len(self.mistakes))
        here, there = self.table[rows][..., ::2], self.table[rows][..., 1::2]
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", RuntimeWarning)  # of what has no solution
            gap = np.maximum(np.nanmin(here, axis=2) - np.nanmax(there, axis=2), np.nanmin(there, axis=2) - np.nanmax(here, axis=2))
            apart = gap > np.maximum(EITHER * (np.nanstd(here, axis=2) + np.nanstd(there, axis=2)), STRAY["V"])
        return np.concatenate([np.arange(apart.shape[1]), np.flatnonzero(apart.any(axis=0))])

    @cached_property
    def _drawn(self) -> tuple[Array, Array]:
        """Mean (readings, states) and the draws about it (readings, states, draws): ohms on the scale of their logarithm."""
        every = np.arange(self.draws)
        table = self.scaled(self.table)[:, self.states]
        twice, second = np.bincount(self.states)[self.states] > 1, np.arange(self.states.size) > len(self.mistakes)
        half = np.where(twice[:, None], every // 2 * 2 + second[:, None], every)
        table = np.take_along_axis(table, half[None], axis=2)
        known = np.isfinite(table)
        known |= self.looked[:, None, None]  # what is only looked at has no scale
        table = np.where(self.looked[:, None, None], 0.0, table)
        count = np.maximum(known.sum(axis=2), 1)
        mean = np.where(known, table, 0.0).sum(axis=2) / count
        off = np.where(known, table - mean[..., None], 0.0)
        # What has no solution tells nothing: it may read anything.
        lost = known.mean(axis=2) < 0.5
        span = np.nanmax(np.where(known, table, np.nan), axis=(1, 2), keepdims=True) - np.nanmin(np.where(known, table, np.nan), axis=(1, 2), keepdims=True)
        sign = np.where(np.arange(self.draws) % 2, 1.0, -1.0)
        off = np.where(lost[..., None], span / 2 * sign, off)
        # Of a good unit it is known where these draws lie among many, and how much too close together; those of a mistake that leaves a reading
        # alone lie with them.
        rests = np.bincount(self.states)[0] == 1  # else its many draws are in two places
        for row in (k for k, r in enumerate(self.readings) if r.quantity in FEW_DRAWS or (rests and r.quantity in ("voltage", "current", "tone"))):
            middle, wide, own = self.many[row].mean(), self.many[row].std(), np.sqrt((off[row] ** 2).mean(axis=1))
            beside = self._beside(row, table[row, 0], twice)
            near = np.abs(mean[row] - beside) < NEAR_GOOD * max(wide, self.noise(row))
            if not (self.wiring and self.junctions[row, 0]):  # there draws differ by the meter, and tell of no middle
                mean[row] += near * (middle - beside)
            few = np.where(near, own, own[0])
            off[row] *= np.where(few > 0, np.clip(wide / np.maximum(few, 1e-30), 1.0, MOST_WIDER), 1.0)[:, None]
        return mean, off

    def _beside(self, row: int, good: Array, twice: NDArray[np.bool_]) -> Array:
        """(states,): what the good unit reads in the mean of the very draws that each state was tried in, of ``good`` (draws,)."""
        out = np.full(self.states.size, good.mean())
        if self.wiring and self.readings[row].quantity in FEW_DRAWS:
            every = np.array([True, *(m.varies for m in self.mistakes)])[self.states]
            out[~every & ~twice] = good[:DRAWS_OF_OHMS].mean()
        return out

    @cached_property
    def junctions(self) -> NDArray[np.bool_]:
        """(readings, states): where meters of one kind and another show other ohms, since a junction lies in the way."""
        out = np.zeros((len(self.readings), self.states.size), dtype=bool)
        rows = [row for row, r in enumerate(self.readings) if r.quantity == "resistance"]
        if self.wiring:
            drawn = self.scaled(self.table)[rows][:, self.states]
            beside = drawn - drawn[:, :1]  # draw by draw: what tolerances do is the same in both
            apart = [np.ptp([_middle(part[..., k :: len(METERS)]) for k in range(len(METERS))], axis=0) > JUNCTION for part in (drawn, beside)]
            out[rows] = apart[0] & (apart[1] | apart[0][:, :1])
        else:
            mean, off = self._drawn
            kinds = np.stack([mean[rows] + off[rows][..., k :: len(METERS)].mean(axis=2) for k in range(len(METERS))])
            out[rows] = np.ptp(kinds, axis=0) > JUNCTION
        varies = np.array([False, *(m.varies for m in self.mistakes)])[self.states]
        out[:, varies] = out[:, :1]  # there draws differ anyway
        return out

    @cached_property
    def within(self) -> NDArray[np.bool_]:
        """(readings, states): where a good unit has a junction in the way, and nothing is read that this may not show."""
        out: NDArray[np.bool_] = self.junctions[:, :1] & (self.lows > self.lows[:, :1] - JUNCTION)
        return out & ~(self.lugs & (self.lows > self.highs[:, :1] + JUNCTION))

    @cached_property
    def least(self) -> Array:
        """(readings, states): what nothing is read below at lugs, where a junction lies in the way; −∞ where there is no such end."""
        return np.where(self.lugs & self.junctions, self.lows, np.where(self.lugs & self.within, self.lows[:, :1], -np.inf))

    @cached_property
    def most(self) -> Array:
        """(readings, states): what nothing is read above there; ∞ where there is no such end."""
        return np.where(self.lugs & self.junctions, self.highs, np.where(self.lugs & self.within, self.highs[:, :1], np.inf))

    @cached_property
    def lugs(self) -> NDArray[np.bool_]:
        """(readings, 1): whether it is read at a lug."""
        return np.array([[r.lugs and r.quantity == "resistance"] for r in self.readings])

    @cached_property
    def highs(self) -> Array:
        """(readings, states): the most that any meter shows."""
        mean, off = self._drawn
        out: Array = mean + off.max(axis=2)
        return out

    @cached_property
    def lows(self) -> Array:
        """(readings, states): the least that any meter shows."""
        mean, off = self._drawn
        out: Array = mean + off.min(axis=2)
        return out

    @cached_property
    def seen(self) -> tuple[Array, Array]:
        """Mean (readings, states) and what stands for the draws about it (readings, states, draws), as a meter sees them, on the scale that readings
        are judged by."""
        mean, off = (part.copy() for part in self._drawn)
        either = np.where(np.arange(self.draws) % 2, 1.0, -1.0)
        # Through a junction anything may be read from what lies beside it upwards, till the display says open; at lugs up to what any meter shows.
        low, top = self.lows, np.where(self.lugs, self.highs, math.log(FLOOR["resistance"][1]))
        mean = np.where(self.junctions, (low + top) / 2, mean)
        off = np.where(self.junctions[..., None], ((top - low) / math.sqrt(12.0))[..., None] * either, off)
        # Where a good unit has one in the way nothing is told but what lies below all that it may read.
        within = self.within
        below = self.junctions[:, :1] & ~within & ~self.junctions  # what has a junction itself reads anything from its own least upwards
        mean = np.where(within, mean[:, :1], mean)
        off = np.where(within[..., None], off[:, :1], np.where(below[..., None], VAGUE * either, off))
        # What a mistake makes of a reading is known to some hundredths: circuits are seldom driven where it takes them.
        moved = np.abs(mean - mean[:, :1]) * np.array([ROUGH_TONE if r.quantity == "tone" else ROUGH for r in self.readings])[:, None]
        wide = np.sqrt((off**2).mean(axis=2))
        some = wide > NO_SPREAD * moved  # else they lie on each other, and have no shape that could be made wider
        return mean, np.where(some[..., None], off * np.hypot(1.0, moved / np.where(some, np.maximum(wide, 1e-300), 1.0))[..., None], moved[..., None] * either)

    def scaled(self, table: Array) -> Array:
        """Readings (readings, …) on the scale they are judged by: what is judged by shares, between its floor and its ceiling, by its
        logarithm."""
        out = table.copy()
        for row, r in enumerate(self.readings):
            if r.quantity in FLOOR or r.quantity == "lifted":
                low, high = FLOOR[judged_as(r)]
                out[row] = np.log(np.clip(table[row], low, high))
        return out

    @cached_property
    def looked(self) -> Array:
        return np.array([r.quantity in SENSES for r in self.readings])

    def doubt(self, row: int, value: Measured) -> float:
        """Standard uncertainty of a reading beside what tolerances do, on the scale it is judged by."""
        r = self.readings[row]
        if judged_as(r) in FLOOR:
            low, high = FLOOR[judged_as(r)]
            if judged_as(r) == "resistance" and value.value > OPEN_FROM:
                return OPEN
            return math.hypot(SHARE[judged_as(r)], (value.uncertainty / 2 + low) / min(max(value.value, low), high))
        return math.hypot(value.uncertainty / 2, self.noise(row), MODEL * value.value)

    def noise(self, row: int) -> float:
        """The least that a reading is in doubt by, on that scale."""
        r = self.readings[row]
        return SHARE[judged_as(r)] if judged_as(r) in FLOOR else STRAY.get(r.unit, 1.0) / 2

    def read(self, taken: Mapping[Observable, Measured]) -> tuple[list[int], Array, Array]:
        """Which readings a meter took, what it showed and how far that is in doubt, on the scale each is judged by."""
        # Over range in volts or amperes tells nothing that the table knows of; an open circuit has its place among the ohms.
        rows = [k for k, r in enumerate(self.readings) if r.of in taken and not self.looked[k] and (judged_as(r) in FLOOR or math.isfinite(taken[r.of].value))]
        full = np.full((len(self.readings), 1), np.nan)
        full[rows, 0] = [taken[self.readings[k].of].value for k in rows]
        return rows, self.scaled(full)[rows, 0], np.array([self.doubt(k, taken[self.readings[k].of]) for k in rows])

    def covariance(self, rows: Sequence[int], columns: Sequence[int], states: slice | NDArray[np.intp] = slice(None)) -> Array:
        """(states, rows, columns): how readings go together under each state, drawn towards how they do in a good unit. Where anything may be read,
        that tells of no other reading."""
        off, vague = self.seen[1], self.junctions | self.junctions[:, :1]
        a, b = off[rows][:, states], off[columns][:, states]
        about = a.transpose(1, 0, 2) @ b.transpose(1, 2, 0) / max(self.draws - 1, 1)
        wide, broad = (np.sqrt((one**2).sum(axis=2).T / max(self.draws - 1, 1)) for one in (a, b))
        out: Array = (1.0 - SHRUNK) * about + SHRUNK * self.related[np.ix_(rows, columns)] * wide[:, :, None] * broad[:, None, :]
        one, two = vague[rows][:, states].T[:, :, None], vague[columns][:, states].T[:, None, :]
        out[np.not_equal.outer(rows, columns) & (one | two)] = 0.0
        if not self.wiring:
            return out
        places = self.places
        alike = np.not_equal.outer(rows, columns) & self.lugs[rows, 0][:, None] & self.lugs[columns, 0] & one & two & (places[rows][:, states].T[:, :, None] == places[columns][:, states].T[:, None, :])
        out[alike] = (wide[:, :, None] * broad[:, None, :])[alike]  # two lugs of one net are read as one
        return out

    @cached_property
    def places(self) -> NDArray[np.int64]:
        """(readings, states): a number for what is read there, the same where two places read the same, whatever it is."""
        mean, low = (np.round(part / ALIKE).astype(np.int64) for part in (self.seen[0], self.lows))
        out: NDArray[np.int64] = mean * 100_000 + low
        return out

    @cached_property
    def courses(self) -> tuple[NDArray[np.intp], Array]:
        """The states (K,) whose mistake comes to more or less, and their readings (readings, K, draws) as it comes to more and more: of each draw
        what it does to that very unit, laid on the middle of the good ones."""
        single = np.bincount(self.states)[self.states] == 1
        some = np.flatnonzero(np.array([False, *(m.varies for m in self.mistakes)])[self.states] & single)
        table = self.scaled(self.table[:, np.concatenate([[0], self.states[some]])])
        moved = (table[:, 1:] - table[:, :1])[..., np.argsort(spread(self.draws), kind="stable")]
        moved[self.junctions[:, some] | self.junctions[:, :1]] = 0.0  # there nothing is told
        return some, self.seen[0][:, :1, None] + moved

    @cached_property
    def points(self) -> tuple[Array, Array]:
        """(readings, K, points) where a mistake that comes to more or less may be: at what was drawn, and in the middle from one to the next, there
        with how far it is to either side, as a standard deviation."""
        _, courses = self.courses
        between = np.diff(courses, axis=2)
        return np.concatenate([courses, courses[..., 1:] - between / 2], axis=2), np.concatenate([np.zeros_like(courses), between / math.sqrt(12.0)], axis=2)

    @cached_property
    def ends(self) -> tuple[Array, Array]:
        """The least and the most (readings,) of many good units; nothing where a junction lies in the way, or it is not known."""
        many = self.many
        open_ended = ~np.isfinite(many).all(axis=1) | self.junctions[:, 0] | np.array([r.quantity in SENSES for r in self.readings])
        more = ENDS * np.ptp(np.nan_to_num(many), axis=1)
        return np.where(open_ended, -np.inf, many.min(axis=1) - more), np.where(open_ended, np.inf, many.max(axis=1) + more)

    @cached_property
    def left_alone(self) -> NDArray[np.bool_]:
        """(readings, states): whether a state reads there as a good unit does."""
        mean, off = self.seen
        wide = np.sqrt((off[:, :1] ** 2).mean(axis=2))
        out: NDArray[np.bool_] = np.abs(mean - mean[:, :1]) <= wide
        some, courses = self.courses
        out[:, some] = (np.abs(courses - mean[:, :1, None]) <= wide[..., None]).all(axis=2)
        return out

    @cached_property
    def apart(self) -> Array:
        """(readings, 2): middle of what the mistakes of the kit make of each reading, and how far apart they are."""
        mean = self.seen[0]
        return np.stack([np.median(mean, axis=1), mean.std(axis=1)], axis=1)

    @cached_property
    def hurts(self) -> NDArray[np.bool_]:
        """(states,): whether some part does not survive it."""
        return np.array([False, *(bool(m.hurts) for m in self.mistakes)])[self.states]

    @cached_property
    def moved(self) -> Array:
        """(readings, states): the weight of each state that moves a reading; nothing where it does not."""
        mean, off = self.seen
        noise = np.array([self.noise(row) for row in range(len(self.readings))])
        away = np.abs(mean - mean[:, :1]) > MOVED * np.sqrt((off[:, :1] ** 2).mean(axis=2) + noise[:, None] ** 2)
        # What no single mistake explains is taken to be like what is known of parts: under power, wires were rung out.
        like = self.weights * [self.wiring or not m.wired for m in self.mistakes]
        out: Array = away * np.concatenate([[0.0], like])[self.states] / np.bincount(self.states)[self.states]
        return out

    @cached_property
    def reach(self) -> Array:
        """(readings,): the weight of all mistakes together that move a reading."""
        out: Array = self.moved.sum(axis=1)
        return out

    @cached_property
    def moves(self) -> Array:
        """(readings, states): how often, of all times that a mistake moves a reading, it is this one; nothing where it does not."""
        out: Array = self.moved / np.where(self.reach > 0, self.reach, 1.0)[:, None]
        return out

    @cached_property
    def compared(self) -> tuple[Array, Array]:
        """Middle and variance (readings, states) by which two are told apart: of what comes to more or less, where it comes to most."""
        mean, off = self.seen
        noise = np.array([self.noise(row) for row in range(len(self.readings))])
        own = (off**2).mean(axis=2) + noise[:, None] ** 2
        some, courses = self.courses
        far = np.take_along_axis(courses, np.nanargmax(np.nan_to_num(np.abs(courses - mean[:, :1, None]), nan=-1.0), axis=2)[..., None], axis=2)[..., 0]
        mean, own = mean.copy(), own.copy()
        mean[:, some], own[:, some] = np.where(np.isfinite(far), far, mean[:, some]), own[:, :1]
        return mean, own

    @cached_property
    def same(self) -> Array:
        """(1 + mistakes, 1 + mistakes): whether no reading in the unit tells the two apart."""
        mean, own = self.compared
        first = np.arange(1 + len(self.mistakes))
        last = first.copy()
        last[self.states[first.size :]] = np.arange(first.size, self.states.size)
        a, b = np.triu_indices(first.size, 1)  # what is left of all pairs
        for at in (first, last) if self.states.size > first.size else (first,):  # alike in the one state, and in the other
            for row, r in enumerate(self.readings):
                if r.quantity not in (*SENSES, "lifted"):
                    middle, wide = mean[row, at], own[row, at]
                    alike = (middle[a] - middle[b]) ** 2 <= APART**2 * (wide[a] + wide[b])
                    least = self.least[row, at]
                    least = np.where(np.isfinite(least), least, 0.0)  # ohms on this scale are never that little
                    alike &= np.abs(least[a] - least[b]) <= JUNCTION
                    a, b = a[alike], b[alike]
        out = np.eye(first.size, dtype=bool)
        out[a, b] = out[b, a] = True
        return out

    @cached_property
    def seen_by(self) -> NDArray[np.str_]:
        """(1 + mistakes,): the part by which each is seen, if by one that can be looked at."""
        seen = {r.part for r in self.readings if r.quantity == "look"}
        return np.array(["", *(next((ref for ref in m.refs if ref in seen), "") for m in self.mistakes)])

    @cached_property
    def fields(self) -> dict[int, tuple[int, ...]]:
        """Which looks are one look: those at parts in the same field of the lens, or on the tags of the same. A finger goes wherever it likes."""
        rows = {r.part: row for row, r in enumerate(self.readings) if r.quantity == "look"}
        touched = tuple(row for row, r in enumerate(self.readings) if r.quantity == TOUCH)
        board, tags = self.kit.board, self.kit.on_tags

        def near(ref: str) -> tuple[str, ...]:
            if ref in tags:
                return tuple(other for other, to in tags.items() if to == tags[ref])
            return board.near(ref, FIELD_MM) if board else ()

        fields = {row: tuple(rows[other] for other in near(ref) if other in rows) or (row,) for ref, row in rows.items()}
        return fields | {row: (row, *(other for other in touched if other != row)) for row in touched}

    @cached_property
    def by_key(self) -> dict[Observable, Reading]:
        return {r.of: r for r in self.readings}


def _middle(draws: Array) -> Array:
    """The mean of draws along the last axis, of those that have a solution; nothing where none has."""
    known = np.isfinite(draws)
    return np.asarray(np.where(known, draws, 0.0).sum(axis=-1) / np.maximum(known.sum(axis=-1), 1))


def judged_as(r: Reading) -> str:
    """As what quantity a reading is judged."""
    return LIFTED[r.unit] if r.quantity == "lifted" else r.quantity
