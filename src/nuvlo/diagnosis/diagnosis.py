"""What single mistake explains the readings: every mistake under its tolerances, judged by what was read, and what to read next.

Each mistake is tried with a few draws of all tolerances (:mod:`nuvlo.diagnosis.trials`). What a reading tells is the density of what was read
under each mistake: a multivariate Student distribution about the mean of its draws, with their covariance, its correlations drawn towards
those of the good unit, since they are known from a few draws only, and with the uncertainty of the meter (K. L. Lange, R. J. A. Little, J. M. G. Taylor, "Robust statistical
modeling using the t distribution", J. Am. Stat. Assoc. 84, 1989; O. Ledoit, M. Wolf, J. Multivariate Analysis 88, 2004). A look shows what
is wrong, or not, with a chance of its kind. Bayes' rule does the rest. The next reading is the one from which most bits are expected per
minute of trouble.
"""

from __future__ import annotations

import math
import warnings
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.diagnosis.densities import along_lines, by_itself, given, given_along, together
from nuvlo.diagnosis.information import bits_of, of_two, parts, roughly
from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.probes import (
    BOARD,
    CLOSE,
    COLD,
    FIELD_MM,
    MOST_LOOKED,
    OVER,
    SENSES,
    TOUCH,
    WHOLE,
    Reading,
    readings_of,
)
from nuvlo.diagnosis.trials import FEW_DRAWS, METERS, Trials, spread
from nuvlo.files.kept import content_of, kept
from nuvlo.files.mistakes import Habits, shipped
from nuvlo.kit import Kit
from nuvlo.logbook import Build
from nuvlo.model.ensemble import as_they_stand, laws, sample
from nuvlo.model.working import BRIDGE_SHARE, STRAY, STRAY_OHMS, STRAY_TONE, TONE_SHARE, ModelError
from nuvlo.problems import Problem
from nuvlo.quantity import Measured

DRAWS = 20  # of all tolerances, for each mistake
GOOD, UNEXPLAINED = 0.2, 0.1  # beforehand: that nothing is wrong, and that no single mistake is it
SHRUNK = 0.6  # share by which the correlations of a mistake's few draws are drawn to those of the good unit
RELATED = 240  # draws of the good unit, for these
APART = 2.0  # spreads by which two mistakes must differ in some reading, to be told apart
FLOOR = {"resistance": (STRAY_OHMS, 1e8), "capacitance": (1e-11, 1e-1), "tone": (STRAY_TONE, 100.0)}  # what is judged by shares, and between what
OPEN_FROM, OPEN = 5e7, 0.7  # Ω from where a meter says open, and how far off that is beside other ohms, in nepers
SHARE = {"resistance": 0.02, "capacitance": BRIDGE_SHARE, "tone": TONE_SHARE}  # by which such a reading is in doubt at least
LIFTED = {"Ω": "resistance", "F": "capacitance"}  # a part by itself is read as these are
FALSE_ALARM = 0.02  # that a look finds fault with what is right (common practice, no source)
LOOKED_TWICE = 0.05  # of these, when it was looked at once more (common practice, no source)
HOT_K, FELT_K = 20.0, 6.0  # above what it should be, from where a finger finds a part too hot, and how far one is in doubt (common practice, no source)
# Of what a lens shows, a look over the whole board does, five seconds a part: who searches finds 1 − exp(−t/τ) of what there is (B. O. Koopman,
# "The theory of search II", Oper. Res. 4, 1956), three fifths in three seconds (common practice, no source).
AT_A_GLANCE = 0.78
THOROUGH = {OVER: AT_A_GLANCE, CLOSE: 1.0}
SEEN_ANYWAY = 0.1  # that a look finds fault where something unknown is wrong
MOVED = 3.0  # spreads of the good unit by which a mistake moves a reading
TOUCHED = (0.1, 0.6)  # of the readings, that something unknown besides moves: few, or most
DIED = 0.2  # that what a mistake hurts has died by the time it is read (common practice, no source)
AGAIN = 0.05  # of its weight, a mistake that was put right already (common practice, no source)
NEAR_GOOD, MOST_WIDER = 3.0, 4.0  # spreads within which a mistake reads as a good unit does; times that few draws lie too close together
JUNCTION = 0.3  # nepers by which meters of one kind and another differ where a junction lies in the way
VAGUE = 1.5  # nepers by which ohms are not known where a good unit has a junction in the way
MOST_BEYOND = 6.0  # doubts of the meter that a reading counts as beyond the end of what tolerances make of it
ENDS = 0.05  # of what many good units span, that others may lie beyond on either side
MODEL = 0.004  # share of volts and amperes by which a model of a part is off, at its best (common practice, no source)
ROUGH, ROUGH_TONE = 0.03, 0.15  # share of what a mistake moves a reading by, that is not known (common practice, no source)
NO_SPREAD = 1e-9  # of what a mistake moves a reading by, that is no spread of draws but their rounding
FOLLOWS, CLEAR = 3.0, 0.1  # times the least doubt of a meter, or this share of how far mistakes lie apart, within which a sum of readings is one
EITHER = 2.0  # sums of spreads by which two states of rest are apart
LEFT = 0.01  # at least, of the variance of a reading, however much others tell of it
STILL_ASKED = 0.5  # at most, that no single mistake is it, in what is asked next
WEIGHED = 12  # readings whose bits are worked out to the last


@dataclass(frozen=True)
class Group:
    """Mistakes that no reading tells apart, likeliest first."""

    mistakes: tuple[Mistake, ...]
    probability: float
    silent: bool = False  # nor from a good unit: only looking does


@dataclass(frozen=True)
class Ranking:
    """Groups, likeliest first; how likely it is that nothing is wrong, and that no single mistake explains what was read."""

    groups: tuple[Group, ...]
    good_unit: float
    unexplained: float
    next: tuple[Reading, float] | None  # and the bits that are expected from it

    @property
    def nothing_shown(self) -> float:
        """How likely it is that all reads as in a good unit: that it is one, or has a mistake which only looking finds."""
        return self.good_unit + sum(g.probability for g in self.groups if g.silent)

    @property
    def accused(self) -> Group | None:
        """The likeliest group that a reading shows."""
        return next((g for g in self.groups if not g.silent), None)


class Diagnosis:
    """The table of a kit: what each reading would be with each mistake. Made once, in some seconds; asked in milliseconds.

    ``habits`` say how often each kind of mistake is made; as shipped, where none are given. A kit without a circuit is only looked at. In the
    folder ``keep``, where one is given, tables are kept from one time to the next.
    """

    def __init__(self, kit: Kit, build: Build | None = None, draws: int = DRAWS, seed: int = 11, habits: Habits | None = None, keep: Path | None = None) -> None:
        self.kit, self.draws, self.seed, self.keep = kit, draws, seed, keep
        self.habits = habits or shipped()
        self.mistakes = single_mistakes(kit)
        self.readings = readings_of(kit)
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
        return (content_of(self.kit.folder) if self.keep else b"", self.kit.changes, self.kit.reach, self.draws, self.seed, sorted(self.laws.items()))

    def make_ready(self) -> None:
        """All that takes time, so that :meth:`rank` takes none."""
        for name in ("seen", "related", "_same", "_ends", "_left_alone"):
            getattr(self, name)  # kept from here on

    @cached_property
    def many(self) -> Array:
        """(readings, RELATED): what a good unit reads, in many draws, on the scale that readings are judged by."""
        many = sample(self.laws, RELATED, self.seed + 1) if self.laws else {}
        make = Trials(self.kit, (), self.readings, self.laws, many, RELATED).table
        return self._scaled(kept(self.keep, ("many", *self._made_of()), make)[:, 0])

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
                out[row] = [0.0, *(THOROUGH[r.quantity] * self.habits[m.kind].seen * bool(at) for m, at in zip(self.mistakes, self._seen_by[1:], strict=True))]
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

    # -- what readings tell -----------------------------------------------------------------------------------

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
        table = self._scaled(self.table)[:, self.states]
        twice, second = np.bincount(self.states)[self.states] > 1, np.arange(self.states.size) > len(self.mistakes)
        half = np.where(twice[:, None], every // 2 * 2 + second[:, None], every)
        table = np.take_along_axis(table, half[None], axis=2)
        known = np.isfinite(table)
        known |= self._looked[:, None, None]  # what is only looked at has no scale
        table = np.where(self._looked[:, None, None], 0.0, table)
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
            near = np.abs(mean[row] - mean[row, 0]) < NEAR_GOOD * max(wide, self._noise(row))
            mean[row] += near * (middle - mean[row, 0])
            few = np.where(near, own, own[0])
            off[row] *= np.where(few > 0, np.clip(wide / np.maximum(few, 1e-30), 1.0, MOST_WIDER), 1.0)[:, None]
        return mean, off

    @cached_property
    def _junctions(self) -> NDArray[np.bool_]:
        """(readings, states): where meters of one kind and another show other ohms, since a junction lies in the way."""
        mean, off = self._drawn
        out = np.zeros(mean.shape, dtype=bool)
        rows = [row for row, r in enumerate(self.readings) if r.quantity == "resistance"]
        kinds = np.stack([mean[rows] + off[rows][..., k :: len(METERS)].mean(axis=2) for k in range(len(METERS))])
        out[rows] = np.ptp(kinds, axis=0) > JUNCTION
        varies = np.array([False, *(m.varies for m in self.mistakes)])[self.states]
        out[:, varies] = out[:, :1]  # there draws differ anyway
        return out

    @cached_property
    def _lows(self) -> Array:
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
        # Through a junction anything may be read from what lies beside it upwards, till the display says open.
        low, top = self._lows, math.log(FLOOR["resistance"][1])
        mean = np.where(self._junctions, (low + top) / 2, mean)
        off = np.where(self._junctions[..., None], ((top - low) / math.sqrt(12.0))[..., None] * either, off)
        # Where a good unit has one in the way nothing is told but what lies below all that it may read.
        within = self._junctions[:, :1] & (low > low[:, :1] - JUNCTION)
        below = self._junctions[:, :1] & ~within & ~self._junctions  # what has a junction itself reads anything from its own least upwards
        mean = np.where(within, mean[:, :1], mean)
        off = np.where(within[..., None], off[:, :1], np.where(below[..., None], VAGUE * either, off))
        # What a mistake makes of a reading is known to some hundredths: circuits are seldom driven where it takes them.
        moved = np.abs(mean - mean[:, :1]) * np.array([ROUGH_TONE if r.quantity == "tone" else ROUGH for r in self.readings])[:, None]
        wide = np.sqrt((off**2).mean(axis=2))
        some = wide > NO_SPREAD * moved  # else they lie on each other, and have no shape that could be made wider
        return mean, np.where(some[..., None], off * np.hypot(1.0, moved / np.where(some, np.maximum(wide, 1e-300), 1.0))[..., None], moved[..., None] * either)

    def _scaled(self, table: Array) -> Array:
        """Readings (readings, …) on the scale they are judged by: what is judged by shares, between its floor and its ceiling, by its
        logarithm."""
        out = table.copy()
        for row, r in enumerate(self.readings):
            if r.quantity in FLOOR or r.quantity == "lifted":
                low, high = FLOOR[_as(r)]
                out[row] = np.log(np.clip(table[row], low, high))
        return out

    @cached_property
    def _looked(self) -> Array:
        return np.array([r.quantity in SENSES for r in self.readings])

    def _doubt(self, row: int, value: Measured) -> float:
        """Standard uncertainty of a reading beside what tolerances do, on the scale it is judged by."""
        r = self.readings[row]
        if _as(r) in FLOOR:
            low, high = FLOOR[_as(r)]
            if _as(r) == "resistance" and value.value > OPEN_FROM:
                return OPEN
            return math.hypot(SHARE[_as(r)], (value.uncertainty / 2 + low) / min(max(value.value, low), high))
        return math.hypot(value.uncertainty / 2, self._noise(row), MODEL * value.value)

    def _noise(self, row: int) -> float:
        """The least that a reading is in doubt by, on that scale."""
        r = self.readings[row]
        return SHARE[_as(r)] if _as(r) in FLOOR else STRAY.get(r.unit, 1.0) / 2

    def _read(self, taken: Mapping[tuple[str, str], Measured]) -> tuple[list[int], Array, Array]:
        """Which readings a meter took, what it showed and how far that is in doubt, on the scale each is judged by."""
        # Over range in volts or amperes tells nothing that the table knows of; an open circuit has its place among the ohms.
        rows = [k for k, r in enumerate(self.readings) if r.key in taken and not self._looked[k] and (_as(r) in FLOOR or math.isfinite(taken[r.key].value))]
        full = np.full((len(self.readings), 1), np.nan)
        full[rows, 0] = [taken[self.readings[k].key].value for k in rows]
        return rows, self._scaled(full)[rows, 0], np.array([self._doubt(k, taken[self.readings[k].key]) for k in rows])

    def _covariance(self, rows: Sequence[int], columns: Sequence[int], states: slice | NDArray[np.intp] = slice(None)) -> Array:
        """(states, rows, columns): how readings go together under each state, drawn towards how they do in a good unit. Where anything may be read,
        that tells of no other reading."""
        off, vague = self.seen[1], self._junctions | self._junctions[:, :1]
        a, b = off[rows][:, states], off[columns][:, states]
        about = a.transpose(1, 0, 2) @ b.transpose(1, 2, 0) / max(self.draws - 1, 1)
        wide, broad = (np.sqrt((one**2).sum(axis=2).T / max(self.draws - 1, 1)) for one in (a, b))
        out: Array = (1.0 - SHRUNK) * about + SHRUNK * self.related[np.ix_(rows, columns)] * wide[:, :, None] * broad[:, None, :]
        other = np.not_equal.outer(rows, columns)
        out[other & (vague[rows][:, states].T[:, :, None] | vague[columns][:, states].T[:, None, :])] = 0.0
        return out

    def likelihoods(self, taken: Mapping[tuple[str, str], Measured]) -> tuple[Array, Array, Array]:
        """Logarithm of the density of what was read under each state of the good unit and the mistakes (states,); the same with every reading
        by itself, as if none told of another; and that with something unknown besides, which may touch any reading."""
        mean = self.seen[0]
        rows, y, doubt = self._read(taken)
        looks, also = self._seen(taken)
        if not rows:
            return looks, looks, also
        about = self._covariance(rows, rows)
        k = np.arange(len(rows))
        own, middle = about[:, k, k].copy(), mean[rows]
        # Where a good unit has a junction in the way and so has another, only less than any meter shows of a good one tells for that.
        either = self._junctions[rows] & self._junctions[rows, :1] & (y >= self._lows[rows, 0])[:, None]
        middle, own = np.where(either, middle[:, :1], middle), np.where(either.T, own[:1], own)
        about[:, k, k] = own + doubt**2
        away = y - middle.T
        known = self._followed(rows, y, doubt, together(away, about))
        beyond = self._beyond(rows, y, doubt)
        known -= beyond
        # By themselves under each, and as far apart as all of them are: what another mistake besides may make of a reading.
        apart = self._apart[rows]
        mine = by_itself(away, np.sqrt(own + doubt**2))
        any_ = by_itself(y - apart[:, 0], np.maximum(apart[:, 1], 3 * doubt))
        moves = self._moves[rows].T  # and what those of them make of it that move it
        any_ = np.logaddexp(any_, np.log(np.maximum((moves * np.exp(mine)).sum(axis=0), 1e-300))) - math.log(2.0)
        # What a part has died of may by now read otherwise than it did: what was read under power may be anything then.
        powered = np.array([self.readings[k].quantity not in COLD for k in rows])
        cold, hurt = np.flatnonzero(~powered), np.flatnonzero(self._hurts)
        if powered.any() and hurt.size:
            died = any_[powered].sum() + (together(away[np.ix_(hurt, cold)], about[np.ix_(hurt, cold, cold)]) if cold.size else 0.0)
            known[hurt] = np.logaddexp(math.log1p(-DIED) + known[hurt], math.log(DIED) + died)
        both = [np.logaddexp(mine + math.log1p(-touched), any_ + math.log(touched)).sum(axis=1) for touched in TOUCHED]
        return known + looks, mine.sum(axis=1) - beyond + looks, np.logaddexp.reduce(both) - math.log(len(both)) + also

    @cached_property
    def _courses(self) -> tuple[NDArray[np.intp], Array]:
        """The states (K,) whose mistake comes to more or less, and their readings (readings, K, draws) as it comes to more and more: of each draw
        what it does to that very unit, laid on the middle of the good ones."""
        single = np.bincount(self.states)[self.states] == 1
        some = np.flatnonzero(np.array([False, *(m.varies for m in self.mistakes)])[self.states] & single)
        table = self._scaled(self.table[:, np.concatenate([[0], self.states[some]])])
        moved = (table[:, 1:] - table[:, :1])[..., np.argsort(spread(self.draws), kind="stable")]
        moved[self._junctions[:, some] | self._junctions[:, :1]] = 0.0  # there nothing is told
        return some, self.seen[0][:, :1, None] + moved

    @cached_property
    def _points(self) -> tuple[Array, Array]:
        """(readings, K, points) where a mistake that comes to more or less may be: at what was drawn, and in the middle from one to the next, there
        with how far it is to either side, as a standard deviation."""
        _, courses = self._courses
        between = np.diff(courses, axis=2)
        return np.concatenate([courses, courses[..., 1:] - between / 2], axis=2), np.concatenate([np.zeros_like(courses), between / math.sqrt(12.0)], axis=2)

    def _ways(self, rows: list[int], y: Array, some: slice | NDArray[np.intp] = slice(None)) -> tuple[Array, Array, NDArray[np.bool_]]:
        """How far what was read lies from each of these points (rows, K, points), their reach along the line, and which have a solution."""
        here, along = (part[rows][:, some] for part in self._points)
        there = np.asarray(np.isfinite(here + along).all(axis=0))
        return np.where(there, y[:, None, None] - here, 0.0), np.where(there, along, 0.0), there

    def _of_good(self, rows: list[int], doubt: Array) -> Array:
        """(rows, rows) how readings of a good unit go together, with the meter's doubt; what lies behind a junction with nothing."""
        own, told = (self.seen[1][rows, 0] ** 2).mean(axis=1), ~self._junctions[rows, 0]
        wide = np.sqrt(own) * told
        out: Array = self.related[np.ix_(rows, rows)] * np.outer(wide, wide) + np.diag(own * ~told + doubt**2)
        return out

    def _expected(self, asked: NDArray[np.intp], states: NDArray[np.intp], taken: Mapping[tuple[str, str], Measured]) -> tuple[Array, Array]:
        """Middle and variance (asked, states) of what a meter would show under each state, by what it showed so far. Mistakes that come to more or
        less have come as far as that says."""
        mean, off = self.seen
        middle, own = mean[np.ix_(asked, states)], (off[np.ix_(asked, states)] ** 2).mean(axis=2)
        rows, y, doubt = self._read(taken)
        if not rows:
            return middle, own
        about = self._covariance(rows, rows, states)
        k = np.arange(len(rows))
        about[:, k, k] += doubt**2
        shift, less = given((y[:, None] - mean[rows][:, states]).T, about, self._covariance(asked.tolist(), rows, states))
        middle, left = middle + shift.T, np.maximum(own - less.T, LEFT * own)
        some, at = np.nonzero(np.equal.outer(self._courses[0], states))
        if some.size:
            away, along, there = self._ways(rows, y, some)
            here, beside = (part[np.ix_(asked, some)] for part in self._points)
            spread = self._of_good(rows, doubt)
            also = self._of_good([*asked.tolist(), *rows], np.zeros(asked.size + len(rows)))[: asked.size, asked.size :]
            chance = np.where(there, along_lines(away, along, spread), -np.inf) - math.log(self.draws) * (along != 0).any(axis=0)
            chance = np.exp(chance - chance.max(axis=1, keepdims=True))
            chance /= chance.sum(axis=1, keepdims=True)
            shift, less, further = given_along(away, along, spread, also, beside)
            point = np.where(np.isfinite(here), here, 0.0) + shift
            middle[:, at] = (chance * point).sum(axis=2)
            good = (off[asked, 0] ** 2).mean(axis=1)
            left[:, at] = np.maximum(good - less, LEFT * good)[:, None] + (chance * ((point - middle[:, at, None]) ** 2 + further)).sum(axis=2)
        return middle, left

    def _followed(self, rows: list[int], y: Array, doubt: Array, known: Array) -> Array:
        """``known`` (states,), what was read under each, with those that come to more or less followed to where they explain it best: at what was
        drawn, and anywhere on the straight line from one to the next, which is as if there were so much more doubt along it."""
        some, _ = self._courses
        if not some.size:
            return known
        away, along, there = self._ways(rows, y)
        found = along_lines(away, along, self._of_good(rows, doubt))
        share = np.repeat([0.5 / self.draws, 0.5 / (self.draws - 1)], [self.draws, self.draws - 1])
        best = np.logaddexp.reduce(np.where(there, found, -np.inf) + np.log(share), axis=1)
        out = known.copy()
        out[some] = np.logaddexp(known[some], best) - math.log(2.0)
        return out

    def _beyond(self, rows: list[int], y: Array, doubt: Array) -> Array:
        """(states,) what is taken off states that leave a reading alone which lies beyond all that tolerances make of it: these have an end. Readings
        go together, so the worst counts, once."""
        low, high = self._ends
        off = np.maximum(np.maximum(low[rows] - y, y - high[rows]), 0.0) / doubt
        alone = self._left_alone[rows]
        out: Array = np.where(alone, np.minimum(np.nan_to_num(off), MOST_BEYOND)[:, None], 0.0).max(axis=0) ** 2 / 2
        return out

    @cached_property
    def _ends(self) -> tuple[Array, Array]:
        """The least and the most (readings,) of many good units; nothing where a junction lies in the way, or it is not known."""
        many = self.many
        open_ended = ~np.isfinite(many).all(axis=1) | self._junctions[:, 0] | np.array([r.quantity in SENSES for r in self.readings])
        more = ENDS * np.ptp(np.nan_to_num(many), axis=1)
        return np.where(open_ended, -np.inf, many.min(axis=1) - more), np.where(open_ended, np.inf, many.max(axis=1) + more)

    @cached_property
    def _left_alone(self) -> NDArray[np.bool_]:
        """(readings, states): whether a state reads there as a good unit does."""
        mean, off = self.seen
        wide = np.sqrt((off[:, :1] ** 2).mean(axis=2))
        out: NDArray[np.bool_] = np.abs(mean - mean[:, :1]) <= wide
        some, courses = self._courses
        out[:, some] = (np.abs(courses - mean[:, :1, None]) <= wide[..., None]).all(axis=2)
        return out

    @cached_property
    def _apart(self) -> Array:
        """(readings, 2): middle of what the mistakes of the kit make of each reading, and how far apart they are."""
        mean = self.seen[0]
        return np.stack([np.median(mean, axis=1), mean.std(axis=1)], axis=1)

    @cached_property
    def _hurts(self) -> NDArray[np.bool_]:
        """(states,): whether some part does not survive it."""
        return np.array([False, *(bool(m.hurts) for m in self.mistakes)])[self.states]

    @cached_property
    def _moves(self) -> Array:
        """(readings, states): how often, of all times that a mistake moves a reading, it is this one; nothing where it does not."""
        mean, off = self.seen
        noise = np.array([self._noise(row) for row in range(len(self.readings))])
        away = np.abs(mean - mean[:, :1]) > MOVED * np.sqrt((off[:, :1] ** 2).mean(axis=2) + noise[:, None] ** 2)
        often = away * np.concatenate([[0.0], self.weights])[self.states] / np.bincount(self.states)[self.states]
        total = often.sum(axis=1, keepdims=True)
        out: Array = often / np.where(total > 0, total, 1.0)
        return out

    def _seen(self, taken: Mapping[tuple[str, str], Measured]) -> tuple[Array, Array]:
        """The same of what was looked at: 1 where something was wrong, 0 where all looked right. Of what was looked at by itself a look at the
        whole board says no more, nor one in passing of what was looked at closely."""
        out, also = np.zeros(self.states.size), np.zeros(self.states.size)
        twice = any(quantity in WHOLE and shown.value > 0.5 for (_, quantity), shown in taken.items())  # and then looked at once more
        for row in np.flatnonzero(self._looked):
            key = self.readings[row].key
            if key in taken and not (key[1] == OVER and (BOARD, CLOSE) in taken):
                found, shows = taken[key].value > 0.5, self.shows[row, self.states]
                if found and twice and key[1] == "look":
                    shows = np.where(shows > FALSE_ALARM, shows, FALSE_ALARM * LOOKED_TWICE)
                if key[1] in WHOLE:
                    found, shows = False, np.where(self._looked_at(taken)[self.states], 0.0, shows)
                besides = np.maximum(shows, SEEN_ANYWAY)
                out += np.log(shows if found else 1.0 - shows)
                also += np.log(besides if found else 1.0 - besides)
        return out, also

    def _looked_at(self, taken: Mapping[tuple[str, str], Measured]) -> NDArray[np.bool_]:
        """(1 + mistakes,): whether one of its parts was looked at by itself."""
        return np.array([False, *(any((ref, "look") in taken for ref in m.refs) for m in self.mistakes)])

    def posterior(self, taken: Mapping[tuple[str, str], Measured], repaired: Collection[str] = ()) -> tuple[Array, float]:
        """How likely the good unit and each mistake are (1 + mistakes,), and that none of them is it; together one. Those whose words are
        among what was ``repaired`` already are seldom made again."""
        share, unexplained = self.in_states(taken, repaired)
        return self._of_mistakes(share), unexplained

    def _of_mistakes(self, share: Array) -> Array:
        """(1 + mistakes,) from shares of all their states."""
        out: Array = np.bincount(self.states, share).astype(float)
        return out

    def in_states(self, taken: Mapping[tuple[str, str], Measured], repaired: Collection[str] = ()) -> tuple[Array, float]:
        """The same of each state of rest (states,); beforehand one is as likely as the other."""
        known, apart, besides = self.likelihoods(taken)
        weight = self.weights * np.where([m.text in repaired for m in self.mistakes], AGAIN, 1.0)
        before = np.concatenate([[GOOD], (1.0 - GOOD - UNEXPLAINED) * weight / weight.sum()])
        before = (before / np.bincount(self.states))[self.states]
        # Heavy tails together are not what they are one by one: the two are compared one by one, and what comes of it is laid on the whole.
        usual = np.log(before / before.sum())
        several = np.logaddexp.reduce(usual + known) + np.logaddexp.reduce(usual + besides) - np.logaddexp.reduce(usual + apart)
        log = np.concatenate([np.log(before) + known, [math.log(UNEXPLAINED) + several]])
        share = np.exp(log - log.max())
        share /= share.sum()
        return share[:-1], float(share[-1])

    def rank(self, taken: Mapping[tuple[str, str], Measured], only: Collection[str] = (), repaired: Collection[str] = (), skipped: Collection[tuple[str, str]] = (), empty: bool = False) -> Ranking:
        """What the readings taken so far say, and what to take next: of ``only`` these quantities, where any are named, and none of those that are
        out of reach; under power with the sockets ``empty`` or not, as they are."""
        share, unexplained = self.in_states(taken, repaired)
        likely = self._of_mistakes(share)
        groups: list[tuple[list[int], float]] = []
        looked, lifted = ([row for row, r in enumerate(self.readings) if r.quantity == kind and r.key in taken] for kind in ("look", "lifted"))
        wrong = {self.readings[row].part for row in looked if taken[self.readings[row].key].value > 0.5}
        order = np.argsort(-likely[1:], kind="stable") + 1
        free = np.ones(likely.size, dtype=bool)
        for k in order:
            if free[k]:  # the likeliest left, with all that is like it; what was looked at parts those that no meter does
                alike = free & self._same[k] & (self.shows[looked] == self.shows[looked, k][:, None]).all(axis=0) & ~self._parted(k, lifted)
                members = order[alike[order]].tolist()
                free[members] = False
                groups.append((members, float(likely[members].sum())))
        groups.sort(key=lambda g: -g[1])
        named = tuple(
            Group(tuple(self.mistakes[k - 1] for k in members), share, self._silent(members[0], wrong, lifted))
            for members, share in groups
        )
        return Ranking(named, float(likely[0]), unexplained, self.next(share, taken, only, unexplained, skipped, empty))

    def _silent(self, mistake: int, wrong: set[str], lifted: list[int]) -> bool:
        """Whether it reads as a good unit does, with no leg lifted that would show it; nor were parts it concerns seen to be ``wrong``."""
        return bool(self._same[0, mistake]) and not self._parted(0, lifted)[mistake] and not wrong & set(self.mistakes[mistake - 1].refs)

    def _parted(self, mistake: int, lifted: list[int]) -> NDArray[np.bool_]:
        """(1 + mistakes,): which of these readings of parts by themselves tell a mistake from the others."""
        if not lifted:
            return np.zeros(1 + len(self.mistakes), dtype=bool)
        middle, wide = (part[lifted, : 1 + len(self.mistakes)] for part in self._compared)
        apart = (middle - middle[:, [mistake]]) ** 2 > APART**2 * (wide + wide[:, [mistake]])
        return np.asarray(apart.any(axis=0))

    def indistinct(self, mistake: Mistake) -> bool:
        """Whether no reading of the table tells a mistake from a good unit: only looking does, or a tone."""
        return bool(self._same[0, 1 + self.mistakes.index(mistake)])

    @cached_property
    def _compared(self) -> tuple[Array, Array]:
        """Middle and variance (readings, states) by which two are told apart: of what comes to more or less, where it comes to most."""
        mean, off = self.seen
        noise = np.array([self._noise(row) for row in range(len(self.readings))])
        own = (off**2).mean(axis=2) + noise[:, None] ** 2
        some, courses = self._courses
        far = np.take_along_axis(courses, np.nanargmax(np.nan_to_num(np.abs(courses - mean[:, :1, None]), nan=-1.0), axis=2)[..., None], axis=2)[..., 0]
        mean, own = mean.copy(), own.copy()
        mean[:, some], own[:, some] = np.where(np.isfinite(far), far, mean[:, some]), own[:, :1]
        return mean, own

    @cached_property
    def _same(self) -> Array:
        """(1 + mistakes, 1 + mistakes): whether no reading in the unit tells the two apart."""
        mean, own = self._compared
        first = np.arange(1 + len(self.mistakes))
        last = first.copy()
        last[self.states[first.size :]] = np.arange(first.size, self.states.size)
        a, b = np.triu_indices(first.size, 1)  # what is left of all pairs
        for at in (first, last) if self.states.size > first.size else (first,):  # alike in the one state, and in the other
            for row, r in enumerate(self.readings):
                if r.quantity not in (*SENSES, "lifted"):
                    middle, wide = mean[row, at], own[row, at]
                    alike = (middle[a] - middle[b]) ** 2 <= APART**2 * (wide[a] + wide[b])
                    a, b = a[alike], b[alike]
        out = np.eye(first.size, dtype=bool)
        out[a, b] = out[b, a] = True
        return out

    def _before_power(self, taken: Mapping[tuple[str, str], Measured], only: Collection[str], skipped: Collection[tuple[str, str]]) -> set[tuple[str, str]]:
        """What is to be read before anything under power is: ohms at each supply that has a point, else something with the power off. Nothing
        where the unit was read under power already, and is whole enough for that, or has no supply."""
        if any(quantity not in COLD for _, quantity in taken) or (only and "resistance" not in only):
            return set()
        known = {r.key for r in self.readings}
        wanted = {(s.point, "resistance") for s in self.kit.info.supply if s.point}
        left = (wanted & known) - set(taken) - set(skipped)
        if left or not self.kit.info.supply or any(quantity in COLD for _, quantity in taken):
            return left
        return {r.key for r in self.readings if r.quantity in COLD} - set(skipped)

    def next(self, likely: Array, taken: Mapping[tuple[str, str], Measured], only: Collection[str] = (), unexplained: float = 0.0, skipped: Collection[tuple[str, str]] = (), empty: bool = False) -> tuple[Reading, float] | None:
        """The reading that is expected to tell most per minute, and its bits: the mutual information of what is wrong and what is read,
        in bins of equal chance (T. M. Cover, J. A. Thomas, *Elements of Information Theory*, 2nd ed., 2.4). ``likely`` are shares of all
        states (states,); which of its states a mistake is in is not asked."""
        unexplained = min(unexplained, STILL_ASKED)  # one of two mistakes is found by what would tell it alone
        chance = likely / likely.sum()
        heavy = np.flatnonzero(chance > 1e-4)
        w = chance[heavy] / chance[heavy].sum()
        last = next(reversed(list(taken)), None)
        before = next((r for r in self.readings if r.key == last), None)
        closely = (BOARD, CLOSE) in taken  # then another look shows no more
        first = self._before_power(taken, only, skipped)
        left = [
            row for row, r in enumerate(self.readings)
            if (not first or r.key in first) and r.key not in taken and r.key not in skipped and not (closely and r.quantity in ("look", OVER)) and (not only or r.quantity in only) and (r.empty == empty or r.quantity in COLD)
        ]  # fmt: skip
        left = [row for row in left if not self._follows(row, taken)]
        told = [one for kind in ("look", TOUCH) for one in self._looks([row for row in left if self.readings[row].quantity == kind], heavy, w)]
        told += [(self.readings[row], self._glance(row, heavy, w, taken)) for row in left if self.readings[row].quantity in WHOLE]
        asked = np.array([row for row in left if not self._looked[row]], dtype=int)
        if asked.size:
            takes = np.array([self.readings[row].takes(before) for row in asked])
            middle, left_over = self._expected(asked, heavy, taken)
            wide = np.sqrt(left_over + np.array([self._noise(row) for row in asked])[:, None] ** 2)
            chances, which = w, self.states[heavy]
            if unexplained > 0:  # something unknown may make anything of it
                middle = np.concatenate([middle, self._apart[asked, :1]], axis=1)
                wide = np.concatenate([wide, (self._apart[asked, 1] + wide.min(axis=1))[:, None]], axis=1)
                chances, which = np.append(w * (1.0 - unexplained), unexplained), np.append(which, -1)
            for k in np.argsort(-roughly(middle, wide, chances) / takes)[:WEIGHED].tolist():
                told.append((self.readings[asked[k]], bits_of(middle[k], wide[k], chances, which)))
        return max(told, key=lambda one: one[1] / one[0].takes(before), default=None)

    def _follows(self, row: int, taken: Mapping[tuple[str, str], Measured]) -> bool:
        """Whether volts add up to this reading that were read already, along whatever way, closely enough for what it would tell."""
        r = self.readings[row]
        if r.quantity != "voltage" or r.nodes[0] == r.nodes[1]:
            return False
        steps: dict[str, list[tuple[str, float]]] = {}
        for key, volts in taken.items():
            other = self._by_key.get(key)
            if other is not None and other.quantity == "voltage" and (other.setup, other.empty) == (r.setup, r.empty):
                for here, there in (other.nodes, other.nodes[::-1]):
                    steps.setdefault(here, []).append((there, (volts.uncertainty / 2) ** 2))
        doubt, left = {r.nodes[0]: 0.0}, [r.nodes[0]]
        while left:
            here = min(left, key=lambda node: doubt[node])  # the surest first (E. W. Dijkstra, Numer. Math. 1, 1959)
            left.remove(here)
            for there, more in steps.get(here, ()):
                if there not in doubt or doubt[here] + more < doubt[there]:
                    doubt[there] = doubt[here] + more
                    left.append(there)
        far = doubt.get(r.nodes[1], math.inf)
        return math.sqrt(far) <= max(FOLLOWS * self._noise(row), CLEAR * float(self._apart[row, 1]))

    @cached_property
    def _by_key(self) -> dict[tuple[str, str], Reading]:
        return {r.key: r for r in self.readings}

    def _looks(self, rows: list[int], heavy: NDArray[np.intp], w: Array) -> list[tuple[Reading, float]]:
        """What may be looked at, each of these ``rows`` with more and more of what is seen beside it, and the bits of which of them is the
        first that shows something wrong. ``heavy`` mistakes have the chances ``w``."""
        if not rows:
            return []
        shows = self.shows[rows][:, self.states[heavy]]
        bits = of_two(shows @ w) - of_two(shows) @ w
        place = {row: k for k, row in enumerate(rows)}
        fields = np.full((len(rows), MOST_LOOKED), len(rows))  # the last is none
        for k, row in enumerate(rows):
            seen = sorted((place[other] for other in self._fields[row] if other in place), key=lambda other: -bits[other])[:MOST_LOOKED]
            fields[k, : len(seen)] = seen
        each = np.concatenate([shows, np.zeros((1, heavy.size))])[fields]
        clear = np.cumprod(1.0 - each, axis=1)
        first = each * np.concatenate([np.ones_like(clear[:, :1]), clear[:, :-1]], axis=1)
        whole = np.cumsum(parts(first @ w), axis=1) + parts(clear @ w)
        within = np.cumsum(parts(first) @ w, axis=1) + parts(clear) @ w
        out = []
        for k, field in enumerate(fields.tolist()):
            refs = [self.readings[rows[other]] for other in field if other < len(rows)]
            out += [(replace(refs[0], beside=tuple(r.part for r in refs[1 : n + 1])), float(whole[k, n] - within[k, n])) for n in range(len(refs))]
        return out

    def _glance(self, row: int, heavy: NDArray[np.intp], w: Array, taken: Mapping[tuple[str, str], Measured]) -> float:
        """Bits of which part, if any, a look at the whole board finds to be wrong; of a close one what one in passing did not find."""
        which = self.states[heavy]
        chance = np.where(self._looked_at(taken)[which], 0.0, self.shows[row, which])
        if (BOARD, OVER) in taken:
            chance = chance * (1.0 - AT_A_GLANCE) / (1.0 - AT_A_GLANCE * chance)
        found: Array = np.bincount(np.unique(self._seen_by[which], return_inverse=True)[1], w * chance).astype(float)
        within = float(w @ (parts(chance) + parts(1.0 - chance)))
        return float(parts(found).sum() + parts(np.array(1.0 - found.sum()))) - within

    @cached_property
    def _seen_by(self) -> NDArray[np.str_]:
        """(1 + mistakes,): the part by which each is seen, if by one that can be looked at."""
        seen = {r.part for r in self.readings if r.quantity == "look"}
        return np.array(["", *(next((ref for ref in m.refs if ref in seen), "") for m in self.mistakes)])

    @cached_property
    def _fields(self) -> dict[int, tuple[int, ...]]:
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


def _as(r: Reading) -> str:
    """As what quantity a reading is judged."""
    return LIFTED[r.unit] if r.quantity == "lifted" else r.quantity
