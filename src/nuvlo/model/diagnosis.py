"""What single mistake explains the readings: every mistake under its tolerances, judged by what was read, and what to read next.

Each mistake is solved for a few draws of all tolerances in one ensemble. What a reading tells is the density of what was read under each
mistake: a multivariate Student distribution about the mean of its draws, with their covariance drawn towards its diagonal, since it is known
from a few only, and with the uncertainty of the meter (K. L. Lange, R. J. A. Little, J. M. G. Taylor, "Robust statistical modeling using the
t distribution", J. Am. Stat. Assoc. 84, 1989; O. Ledoit, M. Wolf, J. Multivariate Analysis 88, 2004). Bayes' rule does the rest. The next
reading is the one from which most bits are expected per minute of trouble.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import Bridge, Turned, fault_named
from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import OperatingPoint, operating_point, solve
from nuvlo.kit import Kit
from nuvlo.logbook import Build
from nuvlo.model.ensemble import known_to, laws, sample
from nuvlo.model.mistakes import Mistake, single_mistakes
from nuvlo.model.windows import Pair
from nuvlo.model.working import (
    BRIDGE_SHARE,
    STRAY,
    STRAY_OHMS,
    STRAY_TONE,
    TONE_SHARE,
    ModelError,
    farads,
    tone_volts,
)
from nuvlo.problems import Problem
from nuvlo.quantity import Measured

DRAWS, DRAWS_OF_OHMS = 24, 4  # of all tolerances, for each mistake; of ohms. The second divides the first
AT_ONCE = 2400  # members solved together
GOOD, UNEXPLAINED = 0.2, 0.03  # beforehand: that nothing is wrong, and that no single mistake is it
TAILS = 4.0  # degrees of freedom
SHRUNK = 0.3  # share by which a covariance is drawn to its diagonal
APART = 2.0  # spreads by which two mistakes must differ in some reading, to be told apart
MINUTES = {"voltage": 0.5, "current": 1.0, "resistance": 1.5, "capacitance": 1.5, "tone": 2.0}  # to take a reading (common practice, no source)
FLOOR = {"resistance": (STRAY_OHMS, 1e8), "capacitance": (1e-11, 1e-1), "tone": (STRAY_TONE, 100.0)}  # what is judged by shares, and between what
SHARE = {"resistance": 0.02, "capacitance": BRIDGE_SHARE, "tone": TONE_SHARE}  # by which such a reading is in doubt at least
BINS = 48


@dataclass(frozen=True)
class Reading:
    """A reading that could be taken; of volts and ohms the nodes of red and black."""

    point: str
    quantity: str
    unit: str
    nodes: tuple[str, str] = ("", "")
    setup: str = ""

    @property
    def key(self) -> tuple[str, str]:
        return self.point, self.quantity


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
    """The table of a kit: what each reading would be with each mistake. Made once, in some seconds; asked in milliseconds."""

    def __init__(self, kit: Kit, build: Build | None = None, draws: int = DRAWS, seed: int = 11) -> None:
        if kit.unit is None:
            raise ModelError(Problem(f"{kit.name} has no circuit.cir, so no reading can be explained.", "Add one."))
        self.kit, self.draws = kit, draws
        self.mistakes = single_mistakes(kit)
        if not self.mistakes:
            raise ModelError(Problem(f"all parts of {kit.name} are blocks: no mistake in them is known yet.", "Look by ring-out and by ear."))
        self.laws = laws(kit, build)
        self.base = sample(self.laws, draws, seed)
        runs = {p.name for p in kit.info.point if p.running}
        self.readings = [Reading(s.name, "current", "A") for s in kit.info.supply if not kit.passive]
        self.readings += [
            Reading(p.name, "voltage", "V", (p.node, p.reference), p.setup) for p in kit.info.point if not kit.passive and p.name not in runs
        ]  # fmt: skip
        pairs = [Pair(s.point, s.node, "0") for s in kit.info.supply if s.point]
        pairs += [Pair(c.name, c.node, c.reference) for c in kit.info.cold if c.kind == "ohms"]
        pairs += [Pair(p.name, p.node, p.reference) for p in kit.info.point] if kit.passive else []
        self.readings += [Reading(p.name, "resistance", "Ω", (p.red, p.black)) for p in dict.fromkeys(pairs)]
        self.readings += [Reading(c.name, "capacitance", "F", (c.node, c.reference)) for c in kit.info.cold if c.kind == "capacitance"]
        self.readings += [Reading(t.name, "tone", "V") for t in kit.info.tone]

    @cached_property
    def table(self) -> Array:
        """(readings, 1 + mistakes, draws): first the good unit. NaN where a member has no solution: it tells nothing then."""
        out = np.full((len(self.readings), 1 + len(self.mistakes), self.draws), np.nan)
        everyone: list[Mistake | None] = [None, *self.mistakes]
        for some in self._companies(everyone):
            progress.pause(f"trying {some[-1]:,} mistakes of {len(self.mistakes):,}")
            values = self._values([everyone[k] for k in some])
            for row, found in self._read(values).items():
                out[row][some] = found.reshape(len(some), self.draws)
        return out

    def _companies(self, everyone: Sequence[Mistake | None]) -> list[list[int]]:
        """Which are solved together: transistors in other holes by themselves, since each is a part more in the circuit of all."""
        most = max(1, AT_ONCE // self.draws)
        plain: list[int] = []
        turned: dict[str, list[int]] = {}
        for k, one in enumerate(everyone):
            faults = [fault_named(key) for key, _ in one.overrides] if one else []
            legs = next((f.element for f in faults if isinstance(f, Turned)), "")
            (turned.setdefault(legs, []) if legs else plain).append(k)
        return [group[at : at + most] for group in (plain, *turned.values()) for at in range(0, len(group), most)]

    def _values(self, some: Sequence[Mistake | None]) -> dict[str, Array]:
        """Override arrays (mistakes · draws,)."""
        values = {name: np.tile(v, len(some)) for name, v in self.base.items()}
        for k, one in enumerate(some):
            mine = slice(k * self.draws, (k + 1) * self.draws)
            for key, amount in one.overrides if one else ():
                if key not in values:
                    law = self.laws.get(key)
                    usual = law.nominal if law else np.inf if isinstance(fault_named(key), Bridge) else 0.0
                    values[key] = np.full(len(some) * self.draws, usual)
                values[key][mine] = amount
        return values

    def _read(self, values: Mapping[str, Array]) -> dict[int, Array]:
        """What every reading would be, by its row."""
        kit, out = self.kit, {}
        points: dict[int, OperatingPoint] = {}
        supplies = {s.name: s.element for s in kit.info.supply}
        setups = dict.fromkeys(r.setup for r in self.readings if r.quantity in ("voltage", "current"))
        for setup in setups:
            circuit = kit.setup(setup)
            points[id(circuit)] = point = self._solved(circuit, values)
            amps = point.currents() if not setup else {}
            for row, r in enumerate(self.readings):
                if r.quantity == "voltage" and r.setup == setup:
                    out[row] = point.voltage(*r.nodes)
                elif r.quantity == "current" and not setup:
                    out[row] = -amps[supplies[r.point]]
        for row, r in enumerate(self.readings):
            if r.quantity == "resistance":
                unit = kit.unpowered(*r.nodes)
                some = {name: self._few(v) for name, v in known_to(unit, values).items()}
                ohms = resistance(unit, *r.nodes, None, some).ohms
                out[row] = np.repeat(ohms, self.draws // DRAWS_OF_OHMS)
            elif r.quantity == "capacitance":
                out[row] = farads(kit, kit.cold(r.point), values)
            elif r.quantity == "tone":
                tone = kit.tone(r.point)
                circuit = kit.tone_setup(tone)
                if id(circuit) not in points:
                    points[id(circuit)] = self._solved(circuit, values)
                out[row] = tone_volts(points[id(circuit)], tone)
        return out

    def _few(self, value: Array) -> Array:
        """The first few draws of each mistake: of ohms few are enough, and they are dear."""
        return value.reshape(-1, self.draws)[:, :DRAWS_OF_OHMS].ravel()

    def _solved(self, circuit: Circuit, values: Mapping[str, Array]) -> OperatingPoint:
        """All draws; each mistake is looked for in its first draw by whatever it takes, and the others begin where that was found. One that
        does not lead on from there reads as the first does: of what hangs on leakage there is little else to say."""
        known = known_to(circuit, values)
        first = operating_point(circuit, {name: v[:: self.draws] for name, v in known.items()})
        begin = np.repeat(first.x, self.draws, axis=1)
        found = solve(Equations(circuit, known), stubborn=False, start=begin)
        x = np.where(found.converged, found.x, begin)
        return replace(found, x=x, converged=np.asarray(np.isfinite(x).all(axis=0)))

    # -- what readings tell -----------------------------------------------------------------------------------

    @cached_property
    def seen(self) -> tuple[Array, Array]:
        """Mean (readings, 1 + mistakes) and what stands for the draws about it (readings, 1 + mistakes, draws), as a meter sees them:
        ohms on the scale of their logarithm."""
        table = self._scaled(self.table)
        known = np.isfinite(table)
        count = np.maximum(known.sum(axis=2), 1)
        mean = np.where(known, table, 0.0).sum(axis=2) / count
        off = np.where(known, table - mean[..., None], 0.0)
        # What has no solution tells nothing: it may read anything.
        lost = known.mean(axis=2) < 0.5
        span = np.nanmax(np.where(known, table, np.nan), axis=(1, 2), keepdims=True) - np.nanmin(np.where(known, table, np.nan), axis=(1, 2), keepdims=True)
        sign = np.where(np.arange(self.draws) % 2, 1.0, -1.0)
        off = np.where(lost[..., None], span / 2 * sign, off)
        return mean, off

    def _scaled(self, table: Array) -> Array:
        """Readings (readings, …) on the scale they are judged by: what is judged by shares, between its floor and its ceiling, by its
        logarithm."""
        out = table.copy()
        for row, r in enumerate(self.readings):
            if r.quantity in FLOOR:
                low, high = FLOOR[r.quantity]
                out[row] = np.log(np.clip(table[row], low, high))
        return out

    def _doubt(self, row: int, value: Measured) -> float:
        """Standard uncertainty of a reading beside what tolerances do, on the scale it is judged by."""
        r = self.readings[row]
        if r.quantity in FLOOR:
            low, high = FLOOR[r.quantity]
            return math.hypot(SHARE[r.quantity], (value.uncertainty / 2 + low) / min(max(value.value, low), high))
        return math.hypot(value.uncertainty / 2, self._noise(row))

    def _noise(self, row: int) -> float:
        """The least that a reading is in doubt by, on that scale."""
        r = self.readings[row]
        return SHARE[r.quantity] if r.quantity in FLOOR else STRAY[r.unit] / 2

    def likelihoods(self, taken: Mapping[tuple[str, str], Measured]) -> tuple[Array, float]:
        """Logarithm of the density of what was read under the good unit and each mistake (1 + mistakes,), and under anything at all."""
        mean, off = self.seen
        # Over range in volts or amperes tells nothing that the table knows of; an open circuit has its place among the ohms.
        rows = [k for k, r in enumerate(self.readings) if r.key in taken and (r.quantity in FLOOR or math.isfinite(taken[r.key].value))]
        if not rows:
            return np.zeros(mean.shape[1]), 0.0
        read = np.array([taken[self.readings[k].key].value for k in rows])
        full = np.full((len(self.readings), 1), np.nan)
        full[rows, 0] = np.where(np.isnan(read), np.nan, read)
        y = self._scaled(full)[rows, 0]
        doubt = np.array([self._doubt(k, taken[self.readings[k].key]) for k in rows])
        spread = np.einsum("rmt,smt->mrs", off[rows], off[rows]) / max(self.draws - 1, 1)
        own = np.einsum("mrr->mr", spread).copy()
        spread *= 1.0 - SHRUNK
        k = np.arange(len(rows))
        spread[:, k, k] = own + doubt**2
        away = y - mean[rows].T
        weighed = np.einsum("mr,mr->m", away, np.linalg.solve(spread, away[..., None])[..., 0])
        _, size = np.linalg.slogdet(spread)
        p, nu = len(rows), TAILS
        edge = math.lgamma((nu + p) / 2) - math.lgamma(nu / 2) - p / 2 * math.log(nu * math.pi)
        known = edge - size / 2 - (nu + p) / 2 * np.log1p(weighed / nu)
        # Anything at all: as far apart as the mistakes of the kit are, by themselves.
        wide = np.maximum(mean[rows].std(axis=1), 3 * doubt)
        middle = np.median(mean[rows], axis=1)
        one = math.lgamma((nu + 1) / 2) - math.lgamma(nu / 2) - 0.5 * math.log(nu * math.pi)
        anything = float(np.sum(one - np.log(wide) - (nu + 1) / 2 * np.log1p(((y - middle) / wide) ** 2 / nu)))
        return known, anything

    def posterior(self, taken: Mapping[tuple[str, str], Measured]) -> tuple[Array, float]:
        """How likely the good unit and each mistake are (1 + mistakes,), and that none of them is it; together one."""
        known, anything = self.likelihoods(taken)
        weight = np.array([m.weight for m in self.mistakes])
        before = np.concatenate([[GOOD], (1.0 - GOOD - UNEXPLAINED) * weight / weight.sum()])
        log = np.concatenate([np.log(before) + known, [math.log(UNEXPLAINED) + anything]])
        share = np.exp(log - log.max())
        share /= share.sum()
        return share[:-1], float(share[-1])

    def rank(self, taken: Mapping[tuple[str, str], Measured]) -> Ranking:
        """What the readings taken so far say, and what to take next."""
        likely, unexplained = self.posterior(taken)
        groups: list[tuple[list[int], float]] = []
        for k in np.argsort(-likely[1:], kind="stable") + 1:
            home = next((g for g in groups if self._alike(g[0][0], int(k))), None)
            if home is None:
                groups.append(([int(k)], float(likely[k])))
            else:
                groups[groups.index(home)] = ([*home[0], int(k)], home[1] + float(likely[k]))
        groups.sort(key=lambda g: -g[1])
        named = tuple(Group(tuple(self.mistakes[k - 1] for k in members), share, self._alike(0, members[0])) for members, share in groups)
        return Ranking(named, float(likely[0]), unexplained, self.next(likely, taken))

    def indistinct(self, mistake: Mistake) -> bool:
        """Whether no reading of the table tells a mistake from a good unit: only looking does, or a tone."""
        return bool(self._same[0, 1 + self.mistakes.index(mistake)])

    def _alike(self, a: int, b: int) -> bool:
        """Whether no reading of the table tells two mistakes apart."""
        return bool(self._same[a, b])

    @cached_property
    def _same(self) -> Array:
        mean, off = self.seen
        noise = np.array([self._noise(row) for row in range(len(self.readings))])
        own = (off**2).mean(axis=2) + noise[:, None] ** 2
        out = np.ones((mean.shape[1],) * 2, dtype=bool)
        for row in range(len(self.readings)):
            out &= np.abs(mean[row][:, None] - mean[row]) <= APART * np.sqrt(own[row][:, None] + own[row])
        return out

    def next(self, likely: Array, taken: Mapping[tuple[str, str], Measured]) -> tuple[Reading, float] | None:
        """The reading that is expected to tell most per minute, and its bits: the mutual information of what is wrong and what is read,
        in bins of equal chance (T. M. Cover, J. A. Thomas, *Elements of Information Theory*, 2nd ed., 2.4)."""
        from scipy.special import ndtr

        mean, off = self.seen
        best: tuple[Reading, float] | None = None
        chance = likely / likely.sum()
        heavy = np.flatnonzero(chance > 1e-4)
        w = chance[heavy] / chance[heavy].sum()
        for row, r in enumerate(self.readings):
            if r.key in taken:
                continue
            noise = self._noise(row)
            middle, wide = mean[row, heavy], np.sqrt((off[row, heavy] ** 2).mean(axis=1) + noise**2)
            spots = (middle[:, None] + wide[:, None] * np.array([-1.5, -0.5, 0.5, 1.5])).ravel()
            order = np.argsort(spots)
            at = np.searchsorted(np.cumsum(np.repeat(w / 4, 4)[order]), np.linspace(0, 1, BINS + 1)[1:-1])
            edges = np.unique(spots[order][np.minimum(at, order.size - 1)])
            under = np.diff(np.concatenate([np.zeros((heavy.size, 1)), ndtr((edges - middle[:, None]) / wide[:, None]), np.ones((heavy.size, 1))], axis=1), axis=1)
            both = w @ under
            bits = float(_entropy(both) - w @ np.array([_entropy(u) for u in under]))
            if best is None or bits / MINUTES[r.quantity] > best[1] / MINUTES[best[0].quantity]:
                best = (r, bits)
        return best


def _entropy(share: Array) -> float:
    some = share[share > 0]
    return float(-(some * np.log2(some)).sum())
