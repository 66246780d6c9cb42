"""Newton's iteration on every member of an ensemble, and what is tried where it is lost.

Members start from the nominal solution, so most need three or four steps; those that have converged stop being
moved. Members that fail are followed from the first one's values to their own; those still lost go through gmin stepping
and then source stepping (Nagel 1975, appendix 5).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.devices import Devices
from nuvlo.circuit.devices.devices import FORETOLD, NEGLIGIBLE
from nuvlo.circuit.elimination import FEW, Elimination
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import is_fault, is_made
from nuvlo.circuit.kernel import FOUND, HANDED_BACK, Rules, Values
from nuvlo.circuit.systems import System, system


@dataclass(frozen=True)
class Tolerances:
    """When an iteration has converged. Names and meaning as in SPICE; V, A, S."""

    reltol: float = 1e-6
    vntol: float = 1e-9
    abstol: float = 1e-15
    gmin: float = 1e-15
    iterations: int = 150


DEFAULT = Tolerances()
FIRST_SOURCE_STEP, LARGEST_SOURCE_STEP, SMALLEST_SOURCE_STEP = 1e-3, 0.1, 1e-7  # of full supply
SOURCE_GROWTH, SOURCE_SHRINKING = 1.5, 0.1  # of that step where it was found, and where not
FIRST_SHARE, SMALLEST_SHARE = 0.25, 1e-3  # of the way from the first member's values to a lost one's
BLOCK = 2048  # members solved together
MOST_UNSUITED = 2  # steps of a member that an order of elimination did not suit
WORTH_A_PLAN = 40  # unknowns from which few members get an order of elimination
KEEP_SHARE = 0.8  # of the members still moving: below it those that have finished are left behind
PLAIN, FOLLOWED, GMIN, LEAKS, SOURCES, AT_REST, HELD = range(7)
WAYS = ("at once", "from the first member's values", "by gmin steps", "by leaks to ground", "by raising the sources", "by a course that came to rest", "by letting go of its gains")
FIRST_HOLD, LEAST_HOLD, MOST_HOLD = 1.0, 1e-11, 1e8  # S with which a node is held where it was
HOLD_STEP, MOST_TURNS = 2.5, 200
NEAR_RAIL, BETWEEN = 0.8, 0.25  # of the way from the middle of the supplies to a rail: where a node is held, and what counts as between
ABSURD = 1e9  # A in a junction: beyond it all other currents are drowned in rounding
STEP_GMINS = (1e-9, 1e-12)  # S across junctions while sources are raised
GAIN_SIEMENS = 1e-6  # to ground, below which a node is one of gain
LEAKY, MOST_EASE, LEAST_EASE = 1e-2, 20.0, 1.0005  # S to ground at first, and by how much it is eased in a step
NEAR_TURNS = 12  # allowed from the first member's solution, where there is another way for those it does not lead to
ASTRAY_TURNS = 40  # of Newton, for a member in which an expression had no value: who has not come back by then seldom does
STEP_TURNS, FOLLOW_TURNS = 24, 12  # Newton steps allowed for one small step of gmin or of the sources, and of the way to a member
# Full Newton steps first; an iteration that goes round in circles, as a saturating amplifier in a loop does, is broken
# by ever smaller shares of each step: (from this turn on, share).
DAMPING = ((70, 0.1), (45, 0.25), (20, 0.5), (0, 1.0))


def solution(
    equations: Equations, tolerances: Tolerances = DEFAULT, drive: Array | None = None, *, stubborn: bool = True, start: Array | None = None,
    some: NDArray[np.intp] | None = None,
) -> tuple[Array, NDArray[np.bool_], NDArray[np.uint8] | None]:
    """Unknowns (n, N), NaN of members that are lost; who was found (N,); and by which of WAYS, None where there was nothing to look for. As
    :func:`~nuvlo.circuit.operating_point.solve`; of ``some`` members, where others are not asked."""
    right = equations.right_side() if drive is None else drive
    linear = equations.linear()
    members = max(equations.members, right.shape[1])
    if not equations.devices.count:
        b = np.broadcast_to(right, (equations.size, members))
        x = (equations.plan(linear) if members > 1 else equations.unplanned()).solve(linear, b)
        x = x if some is None else x[:, some]
        return x, np.asarray(np.isfinite(x).all(axis=0)), None
    newton = Newton(equations, linear, right, members, tolerances, at_rest=drive is None, first=0 if some is None or not some.size else int(some[0]))
    newton.take_lead()
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):  # a wild step is seen by what it gives
        x, converged = newton.run(stubborn, start, some)
    x[:, ~converged] = np.nan
    return x, converged, newton.way if some is None else newton.way[some]


@dataclass
class Known:
    """What is worth keeping of a first member: its solution, and orders of elimination."""

    nominal: Array | None
    plans: dict[int, Elimination]


class Newton:
    def __init__(
        self, equations: Equations, linear: list[Array], right: Array, members: int, tolerances: Tolerances,
        known: Known | None = None, at_rest: bool = False, first: int = 0,
    ) -> None:  # fmt: skip
        self.eq, self.right, self.at_rest, self.linear, self.first = equations, right, at_rest, linear, first
        self.lead: Array | None = None  # where the search begins, if somewhere
        self.members, self.tol = members, tolerances
        self.way = np.zeros(members, dtype=np.uint8)  # by which each was found
        self.known = known or self._known(linear)

    @cached_property
    def system(self) -> System:
        nothing = [np.zeros(1) for _ in self.linear]
        return system(self.eq, self.members, self.linear, nothing, self.known.plans)

    def _known(self, linear: list[Array]) -> Known:
        """What an earlier call with the same first member found out, or a new place for it."""
        k = self.first
        numbers = np.fromiter((v[k] if v.size > 1 else v[0] for v in linear), float, len(linear)).tobytes()
        right = self.right[:, k if self.right.shape[1] > 1 else 0].tobytes()
        found: Known = self.eq.circuit.memory.recall((self.eq.as_member(k), numbers, right, self.tol), lambda: Known(None, {}))
        return found

    def take_lead(self) -> None:
        """Begin where the circuit's own hints lead to, where it has any."""
        eq = self.eq
        leads = eq.circuit.netlist.leads
        if leads and self.at_rest and not eq.clamped:
            led = Equations(eq.given, eq.overrides, open_sources=eq.open_sources, clamps=leads)
            self.lead = solution(led, self.tol, led.add_stated(led.right_side()))[0][:, :1]

    def begin(self) -> tuple[Array, Array]:
        """Where the first member is looked for, and its junctions there."""
        if self.lead is not None and np.isfinite(self.lead).all():
            return self.lead, self.eq.branch_voltages(self.lead)
        return np.zeros((self.eq.size, 1)), self.eq.devices.starting_voltages()

    def nominal(self, start: Array, junctions: Array, stubborn: bool) -> tuple[Array, NDArray[np.bool_]]:
        """The first member alone, where it is ``stubborn`` by whatever it takes: the others begin there."""
        if self.known.nominal is not None:
            return self.known.nominal, np.ones(1, dtype=bool)
        first = np.array([self.first])
        x, ok = self.iterate(first, start, junctions)
        if stubborn and not ok.all():
            x, ok = self.step_up(first, start, junctions)
        if ok.all():
            self.known.nominal = x
        return x, ok

    def run(self, stubborn: bool, begin: Array | None = None, some: NDArray[np.intp] | None = None) -> tuple[Array, NDArray[np.bool_]]:
        every = np.arange(self.members) if some is None else some
        alone = every.size == 1
        start, junctions = self.begin()
        if begin is not None and alone and np.isfinite(begin).all():
            start, junctions = begin, self.eq.branch_voltages(begin)
        x, ok = start, np.zeros(1, dtype=bool)
        if every.size and (begin is None or alone or stubborn or not np.isfinite(begin).all()):
            x, ok = self.nominal(start, junctions, stubborn or (begin is None and not alone))  # the others begin there
        if alone:
            return x.copy(), ok
        nominal_junctions = self.eq.branch_voltages(x) if ok.all() else junctions
        nominal = x if ok.all() else start
        # In blocks that stay in the processor's cache: the cost of a member does not depend on how many there are.
        blocks = np.array_split(np.arange(every.size), max(1, round(every.size / BLOCK)))
        turns = NEAR_TURNS if stubborn and ok.all() and self.at_rest else None
        if begin is None:
            found = [self.iterate(every[block], nominal, nominal_junctions, turns=turns) for block in blocks]
        else:
            begin = np.where(np.isfinite(begin), begin, nominal)
            found = [self.iterate(every[block], begin[:, block], self.eq.branch_voltages(begin[:, block])) for block in blocks]
        x = np.concatenate([one for one, _ in found], axis=1)
        converged = np.concatenate([one for _, one in found])
        lost = np.flatnonzero(~converged) if stubborn else np.zeros(0, int)
        if lost.size and ok.all() and self.at_rest:
            x[:, lost], converged[lost] = self.follow(every[lost], nominal)
            self.way[every[lost]] = FOLLOWED
            lost = np.flatnonzero(~converged)
            if lost.size and (gains := self.gain_nodes()):
                # What a macro's gain makes of next to nothing is held where it is in the good unit, and let go: all else finds its place
                # meanwhile, where the gain alone would throw it from rail to rail.
                x[:, lost], converged[lost] = self.loosened(every[lost], FIRST_HOLD, 0.0, nominal, gains)
                self.way[every[lost]] = HELD
                lost = np.flatnonzero(~converged)
        if lost.size:
            x[:, lost], converged[lost] = self.step_up(every[lost], start, junctions)
            lost = np.flatnonzero(~converged)
        if lost.size and self.at_rest and self.members >= FEW:
            x[:, lost], converged[lost] = self.few_by_few(every[lost])
        return x, converged

    def few_by_few(self, chosen: NDArray[np.int_]) -> tuple[Array, NDArray[np.bool_]]:
        """Those that are still lost again in small company, with no mistakes but their own: what others have made asks for parts that
        these do not have, and for an order of elimination that does not suit them."""
        x, ok = np.full((self.eq.size, chosen.size), np.nan), np.zeros(chosen.size, dtype=bool)
        values = {n: np.broadcast_to(np.asarray(v, float), self.members)[chosen] if np.ndim(v) else v for n, v in self.eq.overrides.items()}
        alike: dict[tuple[str, ...], list[int]] = {}
        for k in range(chosen.size):
            made = tuple(n for n, v in values.items() if is_made(n, float(np.ravel(v)[k % np.size(v)])))
            alike.setdefault(made, []).append(k)
        for made, members in alike.items():
            for some in np.array_split(np.array(members), -(-len(members) // (FEW - 1))):
                own = {n: np.asarray(v)[some] if np.ndim(v) else v for n, v in values.items() if n in made or not is_fault(n)}
                there = Equations(self.eq.given, own, open_sources=self.eq.open_sources)
                mine, ok[some], ways = solution(there, self.tol)
                x[:, some] = self.eq.unknowns_of(there, mine)
                if ways is not None:
                    self.way[chosen[some]] = ways
        return x, ok

    def follow(self, chosen: NDArray[np.int_], nominal: Array) -> tuple[Array, NDArray[np.bool_]]:
        """Go from the first member's values to those of each lost one, in steps as small as it needs.

        What is started near a solution keeps to its branch: of a loop that can also hang at a rail, the middle.
        """
        eq, count = self.eq, chosen.size
        x = np.broadcast_to(nominal, (eq.size, count)).copy()
        share, step = np.zeros(count), np.full(count, FIRST_SHARE)
        varied = {name: np.asarray(value) for name, value in eq.overrides.items() if np.size(value) > 1}
        fixed = {name: value for name, value in eq.overrides.items() if name not in varied}
        while (going := np.flatnonzero((share < 1.0) & (step >= SMALLEST_SHARE))).size:
            trial = np.minimum(1.0, share[going] + step[going])
            between = {n: v[self.first] + trial * (v[chosen[going]] - v[self.first]) for n, v in varied.items()}
            there = Equations(eq.given, {**fixed, **between}, open_sources=eq.open_sources)
            known = Known(None, self.known.plans)
            newton = Newton(there, there.linear(), there.right_side(), going.size, self.tol, known)
            before = x[:, going]
            found, ok = newton.iterate(np.arange(going.size), before, eq.branch_voltages(before), turns=FOLLOW_TURNS)
            risen, stayed = going[ok], going[~ok]
            x[:, risen], share[risen] = found[:, ok], trial[ok]
            step[risen] *= 2.0
            step[stayed] /= 4.0
        return x, share >= 1.0

    def iterate(
        self, chosen: NDArray[np.int_], start: Array, junctions: Array, gmin: float | None = None,
        scale: float | Array = 1.0,
        turns: int | None = None,
    ) -> tuple[Array, NDArray[np.bool_]]:  # fmt: skip
        """Newton on the members ``chosen`` from ``start`` (n, 1 or K); returns x (n, K) and who converged."""
        gmin = self.tol.gmin if gmin is None else gmin
        if self.eq.kernel is None:
            return self.iterate_together(chosen, start, junctions, gmin, scale, turns)
        right = (self.right[:, chosen] if self.right.shape[1] > 1 else self.right) * scale
        rules = Rules(self.floor(), self.tol.reltol, FORETOLD, NEGLIGIBLE, DAMPING, turns or self.tol.iterations, gmin, absurd=ABSURD)
        x, status, unsuited = self.eq.kernel.newton(self.plan(junctions), self.values, chosen, right, start, junctions, rules)
        if unsuited > MOST_UNSUITED * chosen.size:  # another order next time
            self.eq.circuit.orders.forget((self.known.nominal is None, self.eq.kernel.pattern))
        done = status == FOUND
        back = np.flatnonzero(status == HANDED_BACK)
        if back.size:
            begin, volts = (of[:, back] if of.shape[1] > 1 else of for of in (start, junctions))
            share = scale[back] if isinstance(scale, np.ndarray) else scale
            few = min(turns or self.tol.iterations, ASTRAY_TURNS)
            x[:, back], done[back] = self.iterate_together(chosen[back], begin, volts, gmin, share, few)
        return x, done

    @cached_property
    def values(self) -> Values:
        return Values(self.linear)

    def plan(self, junctions: Array) -> Any:
        """An order of elimination for the compiled part, from the first member where it begins; none for a few unknowns, which none pays.
        One that served other members of this circuit serves here too: a step that it does not suit is noticed."""
        eq = self.eq
        assert eq.kernel is not None
        if self.members < FEW and eq.size < WORTH_A_PLAN:
            return eq.kernel.plan(None)

        def make() -> Any:
            assert eq.kernel is not None
            first = np.array([self.first])
            values = [v[first] if v.size > 1 else v for v in self.linear]
            eq.add_devices(values, eq.devices.members(first).evaluate(junctions[:, :1], self.tol.gmin).conductance)
            return eq.kernel.plan([float(v[0]) for v in values])

        return eq.circuit.orders.recall((self.known.nominal is None, eq.kernel.pattern), make)

    def iterate_together(
        self, chosen: NDArray[np.int_], start: Array, junctions: Array, gmin: float, scale: float | Array, turns: int | None
    ) -> tuple[Array, NDArray[np.bool_]]:  # fmt: skip
        """As :meth:`iterate`, all members in each step of it."""
        eq, tol = self.eq, self.tol
        x = np.broadcast_to(start, (eq.size, chosen.size)).copy()
        done = np.zeros(chosen.size, dtype=bool)
        live = np.arange(chosen.size)
        old_v = np.broadcast_to(junctions, (eq.devices.count, chosen.size)).copy()
        linear, devices, right = self.subset(chosen, scale)
        floor = self.floor()
        for turn in range(turns or tol.iterations):
            found = devices.evaluate(old_v, gmin)
            guessed = devices.guessed()
            new = linear.solve(found.conductance, found.current, old_v, right)
            new_v, held = devices.limited(eq.branch_voltages(new), old_v)
            whole = live.size == chosen.size
            before = x if whole else x[:, live]
            settled = (np.abs(new - before) <= tol.reltol * np.abs(new) + floor).all(axis=0) & ~held.any(axis=0) & ~np.asarray(guessed)
            if settled.any():
                settled &= np.asarray(devices.formulas_hold(found, old_v, new_v)) & devices.bearable(found, ABSURD)
            broken = ~np.isfinite(new).all(axis=0)
            keep = ~(settled | broken)
            # Exactness is looked at once, when members are about to be let go.
            leaving = keep.mean() < KEEP_SHARE
            ending = np.flatnonzero(settled | broken) if leaving else np.flatnonzero(broken)
            if ending.size:
                new[:, ending] = linear.mend(new, ending)
                broken = ~np.isfinite(new).all(axis=0)
            share = next(s for after, s in DAMPING if turn >= after)
            if share < 1.0 and not settled.all():
                moving = ~(settled | broken)
                new[:, moving] = before[:, moving] + share * (new[:, moving] - before[:, moving])
                new_v, _ = devices.limited(eq.branch_voltages(new), old_v)
            if whole:
                x = new
            else:
                x[:, live] = new
            done[live] = settled & ~broken
            keep = ~(settled | broken)
            if not keep.any():
                break
            old_v = new_v
            if leaving:  # compacting costs a copy: worth it only when enough have finished
                live, old_v = live[keep], new_v[:, keep]
                linear, devices, right = self.subset(
                    chosen[live], scale[live] if isinstance(scale, np.ndarray) else scale
                )
        return x, done

    def floor(self) -> Array:
        out = np.full((self.eq.size, 1), self.tol.vntol)
        out[self.eq.first_branch :] = self.tol.abstol
        return out

    def subset(self, chosen: NDArray[np.int_], scale: float | Array) -> tuple[System, Devices, Array]:
        right = self.right[:, chosen] if self.right.shape[1] > 1 else self.right
        return self.system.members(chosen), self.eq.devices.members(chosen), scale * right

    def step_up(self, chosen: NDArray[np.int_], start: Array, junctions: Array) -> tuple[Array, NDArray[np.bool_]]:
        """For members that plain Newton lost: gmin stepping, then source stepping, then a course that comes to rest."""
        x, ok = self.gmin_steps(chosen, start, junctions)
        self.way[chosen[ok]] = GMIN
        for resort, way in ((self.leak_steps, LEAKS), (self.source_steps, SOURCES), (self.come_to_rest, AT_REST)):
            lost = np.flatnonzero(~ok)
            if lost.size:
                x[:, lost], ok[lost] = resort(chosen[lost])
                self.way[chosen[lost[ok[lost]]]] = way
        return x, ok

    def leak_steps(self, chosen: NDArray[np.int_]) -> tuple[Array, NDArray[np.bool_]]:
        """Tie each node to ground, ever more loosely, in steps as small as each member needs."""
        return self.loosened(chosen, LEAKY, 0.0)

    def come_to_rest(self, chosen: NDArray[np.int_]) -> tuple[Array, NDArray[np.bool_]]:
        """Give each node a capacitance to ground and follow what happens, in steps that grow as long as each is found at once (C. T.
        Kelley, D. E. Keyes, "Convergence analysis of pseudo-transient continuation", SIAM J. Numer. Anal. 35, 1998)."""
        return self.loosened(chosen, FIRST_HOLD, 1.0)

    def gain_nodes(self, *, within: bool = False) -> list[int]:
        """Nodes that next to nothing holds but what is driven into them: where a macro makes its gain. Such nodes of the unit itself are left
        out where they must lie ``within`` a block: what floats makes no gain."""
        diagonal = {row: float(np.min(self.linear[slot])) for (row, column), slot in self.eq.slots.items() if row == column < self.eq.first_branch}
        return [row for row, siemens in diagonal.items() if 0 < siemens < GAIN_SIEMENS and (not within or "." in self.eq.names[row])]

    def loosened(
        self, chosen: NDArray[np.int_], first: float, memory: float, target: Array | None = None, nodes: list[int] | None = None
    ) -> tuple[Array, NDArray[np.bool_]]:  # fmt: skip
        """Hold all ``nodes`` by a conductance of ``first`` S at first, at their ``target`` (ground where there is none) or where they
        were a step ago (``memory`` 1), and let go by and by."""
        eq, count = self.eq, chosen.size
        goal = np.zeros((eq.size, 1)) if target is None else target
        x = np.broadcast_to(goal, (eq.size, count)).copy()
        done, given_up = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
        hold, turn = np.full(count, first), 0
        ease = np.full(count, HOLD_STEP)
        rows = np.array([k for k in (nodes or range(eq.first_branch)) if (k, k) in eq.slots], dtype=int)
        slots = [eq.slots[k, k] for k in rows]
        linear, right = list(self.linear), np.broadcast_to(self.right, (eq.size, self.members)).copy()
        loose, tied = right[rows], np.array([np.broadcast_to(linear[slot], self.members) for slot in slots]).reshape(-1, self.members)
        free = tied.copy()
        for slot, siemens in zip(slots, tied, strict=True):
            linear[slot] = siemens
        held = Newton(eq, linear, right, self.members, self.tol, Known(None, {}))
        while (going := np.flatnonzero(~(done | given_up))).size and turn < MOST_TURNS:
            turn += 1
            some, before = chosen[going], x[:, going]
            there = before if memory else goal[:, going] if goal.shape[1] > 1 else goal
            tied[:, some] = free[:, some] + hold[going]
            right[np.ix_(rows, some)] = loose[:, some] + hold[going] * there[rows]
            held.retied(slots, some, tied[:, some])
            found, ok = held.iterate(some, before, eq.branch_voltages(before), turns=STEP_TURNS)
            risen, stayed = going[ok], going[~ok]
            x[:, risen] = found[:, ok]
            ease[risen] = np.minimum(ease[risen] ** 1.5, MOST_EASE)
            hold[risen] /= ease[risen]
            hold[stayed] *= ease[stayed] if memory else ease[stayed] ** 0.75
            ease[stayed] = ease[stayed] ** 0.25 if not memory else HOLD_STEP
            hold[stayed] *= HOLD_STEP if memory else 1.0
            given_up |= (hold > MOST_HOLD) | (ease < LEAST_EASE)
            last = going[hold[going] < LEAST_HOLD]
            if last.size:
                ending, ended = self.iterate(chosen[last], x[:, last], eq.branch_voltages(x[:, last]))
                x[:, last[ended]], done[last[ended]] = ending[:, ended], True
                given_up[last[~ended]] = True
        return x, done

    def retied(self, slots: Sequence[int], some: NDArray[np.int_], amounts: Array) -> None:
        """Take in that ``slots`` of ``some`` members hold other ``amounts`` (slots, K) now."""
        self.__dict__.pop("system", None)
        if self.eq.kernel is not None:
            self.values.put(slots, some, amounts)

    def gmin_steps(self, chosen: NDArray[np.int_], start: Array, junctions: Array) -> tuple[Array, NDArray[np.bool_]]:
        x = np.broadcast_to(start, (self.eq.size, chosen.size)).copy()
        v = np.broadcast_to(junctions, (self.eq.devices.count, chosen.size)).copy()
        ok = np.ones(chosen.size, dtype=bool)
        for gmin in [*np.logspace(-2, np.log10(self.tol.gmin), 14), self.tol.gmin]:
            x, ok = self.iterate(chosen, x, v, gmin=float(gmin), turns=STEP_TURNS)
            if not ok.any():
                break
            x = np.nan_to_num(x, nan=0.0, posinf=0.0, neginf=0.0)
            v = self.eq.branch_voltages(x)
        return x, ok

    def source_steps(self, chosen: NDArray[np.int_]) -> tuple[Array, NDArray[np.bool_]]:
        """Raise all sources from nothing, all members at once, each in steps as small as it needs. Below their knees strings of junctions
        hang on nothing: they are given a little to hang on meanwhile, and where that is too much or too little, another little."""
        x, done = np.zeros((self.eq.size, chosen.size)), np.zeros(chosen.size, dtype=bool)
        for gmin in STEP_GMINS:
            lost = np.flatnonzero(~done)
            if lost.size:
                x[:, lost], done[lost] = self.raised(chosen[lost], gmin)
        return x, done

    def raised(self, chosen: NDArray[np.int_], gmin: float) -> tuple[Array, NDArray[np.bool_]]:
        """Sources from nothing to what they are, with ``gmin`` S across junctions; then that is let go of."""
        x = np.zeros((self.eq.size, chosen.size))
        scale, step = np.zeros(chosen.size), np.full(chosen.size, FIRST_SOURCE_STEP)
        while (going := np.flatnonzero((scale < 1.0) & (step >= SMALLEST_SOURCE_STEP))).size:
            trial = np.minimum(1.0, scale[going] + step[going])
            before = x[:, going]
            found, ok = self.iterate(chosen[going], before, self.eq.branch_voltages(before), gmin, trial, STEP_TURNS)
            risen, stayed = going[ok], going[~ok]
            x[:, risen], scale[risen] = found[:, ok], trial[ok]
            step[risen] = np.minimum(SOURCE_GROWTH * step[risen], LARGEST_SOURCE_STEP)
            step[stayed] *= SOURCE_SHRINKING
        done = np.zeros(chosen.size, dtype=bool)
        up = np.flatnonzero(scale >= 1.0)
        for less in np.geomspace(gmin, self.tol.gmin, 1 + round(2 * np.log10(gmin / self.tol.gmin)))[1:]:
            if up.size:
                found, ok = self.iterate(chosen[up], x[:, up], self.eq.branch_voltages(x[:, up]), float(less))
                up = up[ok]
                x[:, up] = found[:, ok]
        done[up] = True
        return x, done
