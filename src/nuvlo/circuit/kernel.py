"""The compiled part of the solver, where it was built: what is done for each member over and over, without Python in between.

It says nothing that is not said in Python too, and nothing needs it: without it the same answers take longer. Set ``NUVLO_PURE`` to do
without it.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from copy import copy
from dataclasses import dataclass
from types import ModuleType
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Memory
from nuvlo.circuit.devices import Devices
from nuvlo.circuit.devices.behavioural import Behavioural
from nuvlo.circuit.devices.group import Alike, Group
from nuvlo.circuit.elimination import PIVOT_THRESHOLD, RESIDUAL_LIMIT
from nuvlo.circuit.overrides import ABSENT
from nuvlo.circuit.tape import Program, Tape, Traced, UnrecordedError
from nuvlo.circuit.waveform import Waveform


class Laid(Protocol):
    """Equations, as far as a kernel knows them: see :class:`nuvlo.circuit.equations.Equations`."""

    size: int
    first_branch: int
    slots: dict[tuple[int, int], int]
    device_stamps: list[list[tuple[int, float]]]
    devices: Devices

    def branch_nodes(self) -> tuple[NDArray[np.int_], NDArray[np.int_]]: ...


compiled: ModuleType | None = None
if not os.environ.get("NUVLO_PURE"):
    try:
        from nuvlo.circuit import _kernel as compiled  # type: ignore[attr-defined, no-redef, unused-ignore]
    except ImportError:
        compiled = None

LARGEST = 1200  # unknowns: beyond, sparse matrices are quicker
EXACTLY = 1e-12  # share of its terms by which a solution may miss an equation
LOST, FOUND, HANDED_BACK = range(3)
ARRIVED, MORE, HELP = range(3)  # why a course stops
KINDS = ("sin", "pulse", "pwl", "exp", "sffm", "am")  # of courses; any other is called
CURRENT, CONDUCTANCE, CHARGE, CAPACITANCE = range(4)
RECORDED = Memory(64)  # laws of groups of few members


@dataclass(frozen=True)
class Rules:
    """When Newton's iteration has converged; V, A, S, 1/s. ``damping`` (turns, share), latest first."""

    floor: Array
    reltol: float
    foretold: float
    negligible: float
    damping: Sequence[tuple[int, float]] = ()
    turns: int = 100
    gmin: float = 0.0
    abstol: float = 0.0
    absurd: float = 0.0


@dataclass(frozen=True)
class Limits:
    """Of the steps of a course: s, and the error of one as a share of what a node swings and in V. After so many ``ringing`` steps in a
    row that were refused at first one is damped; an order of elimination that so many steps went without is made anew."""

    stop: float
    largest_step: float
    smallest_step: float
    error_share: float
    error_floor: float
    ringing: int
    unplanned: int


class Values:
    """Values of all slots: those that all members share, and those that vary."""

    def __init__(self, values: Sequence[Array]) -> None:
        varying = [k for k, v in enumerate(values) if v.size > 1]
        table = np.ascontiguousarray(np.array([values[k] for k in varying]).T) if varying else np.zeros((1, 0))
        self.packed = len(varying), np.array([v[0] for v in values]), np.array(varying, dtype=np.int32), table
        self.column = {slot: k for k, slot in enumerate(varying)}

    def put(self, slots: Sequence[int], members: NDArray[np.int_], amounts: Array) -> None:
        """Other ``amounts`` (slots, K) in some slots of some members; in a slot that all share that of the first."""
        _, shared, _, table = self.packed
        for slot, amount in zip(slots, amounts, strict=True):
            if slot in self.column:
                table[members, self.column[slot]] = amount
            else:
                shared[slot] = amount[0]


class Kernel:
    """The devices of some equations as the compiled part takes them."""

    def __init__(self, eq: Laid, module: ModuleType) -> None:
        self.module = module
        self._capsules: dict[bool, Any] = {}
        self._lay_out(eq)
        self.devices(False)

    def _lay_out(self, eq: Laid) -> None:
        self.eq = eq
        self.pattern = hash(tuple(eq.slots))  # of where coefficients stand
        places = np.array(list(eq.slots), dtype=np.int32).reshape(-1, 2)
        self._places = np.ascontiguousarray(places[:, 0]), np.ascontiguousarray(places[:, 1])

    def laid_out(self, eq: Laid) -> Kernel:
        """The same devices in equations that have more places behind the same ones."""
        out = copy(self)
        out._lay_out(eq)
        return out

    def devices(self, charges: bool) -> Any:
        """The devices, with or without what they store."""
        if charges not in self._capsules:
            self._capsules[charges] = self._packed(charges)
        return self._capsules[charges]

    def _packed(self, charges: bool) -> Any:
        eq, devices = self.eq, self.eq.devices
        programs = [_program(group, span.start, _entries_before(devices, span.start), charges) for group, span in devices.spanned()]
        stamps = [(slot, entry, int(sign)) for entry, places in enumerate(eq.device_stamps) for slot, sign in places]
        plus, minus = (np.ascontiguousarray(ends, dtype=np.int32) for ends in eq.branch_nodes())
        into = np.array(devices.injections, dtype=np.int32).reshape(-1, 2)
        formulas = next((span.start for group, span in devices.spanned() if isinstance(group, Behavioural)), devices.count)
        present = np.zeros((0, 0)) if devices.whole else np.ascontiguousarray(devices.present.T)
        sign = np.ascontiguousarray(devices.sign.T, dtype=float)
        step, critical, knee = (np.ascontiguousarray(np.ravel(of), dtype=float) for of in (devices.step_voltage, devices.critical_voltage, devices.knee))
        return self.module.devices(
            devices.count, len(devices.rows), len(stamps), int(devices.breaks), eq.first_branch, formulas, len(sign), len(present), int(charges), ABSENT,
            devices.rows.astype(np.int32), devices.columns.astype(np.int32), plus, minus, np.ascontiguousarray(into[:, 0]), np.ascontiguousarray(into[:, 1]),
            np.array(stamps, dtype=np.int32).reshape(-1, 3), sign, present, step, critical, knee, programs,
        )  # fmt: skip

    def plan(self, values: Sequence[complex | float] | None, *, transposed: bool = False) -> Any:
        """An order of elimination that suits ``values`` of the slots; full pivoting where there are none. ``transposed``: for the
        equations with rows and columns exchanged."""
        row, column = self._places[::-1] if transposed else self._places
        given = None if values is None else np.array(values, dtype=complex)
        if given is not None and not np.isfinite(given).all():
            given = None
        return self.module.plan(self.eq.size, len(row), row, column, given, PIVOT_THRESHOLD)

    def sweep(
        self, plan: Any, still: Values, moving: Values, members: slice, omega: Array, right: NDArray[Any], rows: Sequence[int]
    ) -> NDArray[np.complex128]:
        """(rows, m, members, frequencies): solutions of (still + jω·moving) x = right (n, m), 0 in row −1; NaN where there is none."""
        many = members.stop - members.start
        out = np.empty((len(rows), right.shape[1], many, omega.size), dtype=complex)
        self.module.sweep(
            plan, still.packed, moving.packed, members.start, many, np.ascontiguousarray(omega), omega.size, np.ascontiguousarray(right, dtype=complex),
            right.shape[1], np.array(rows, dtype=np.int32), len(rows), RESIDUAL_LIMIT, PIVOT_THRESHOLD, out,
        )  # fmt: skip
        return out

    def newton(
        self, plan: Any, values: Values, members: NDArray[np.int_], drive: Array, start: Array, junctions: Array, rules: Rules
    ) -> tuple[Array, NDArray[np.int32], int]:  # fmt: skip
        """x (n, K) of ``members``, what became of each (K,), and how many steps the plan did not suit. ``drive`` (n, 1 or K); ``start`` (n, 1 or K) and ``junctions`` (B, 1 or
        K) are where it begins."""
        x, status = np.empty((members.size, self.eq.size)), np.empty(members.size, dtype=np.int32)
        if start.shape[1] != junctions.shape[1]:
            start, junctions = (np.broadcast_to(of, (len(of), members.size)) for of in (start, junctions))
        unsuited = self.module.newton(
            self.devices(False), plan, values.packed, members.astype(np.int32), members.size, drive.shape[1], start.shape[1],
            rules.gmin, rules.reltol, rules.foretold, rules.negligible, rules.absurd, EXACTLY, PIVOT_THRESHOLD, rules.turns, len(rules.damping),
            np.array(rules.damping, dtype=float), np.ascontiguousarray(np.ravel(rules.floor)), _by_member(drive), _by_member(start), _by_member(junctions), x, status,
        )  # fmt: skip
        return x.T, status, int(unsuited)

    def course(
        self, still: Values, moving: Values, members: int, sources: Sequence[tuple[Array, Callable[[float], Any]]], steady: Array,
        corners: Sequence[float], picked: Sequence[int], rules: Rules, limits: Limits,
    ) -> Any:  # fmt: skip
        """A course over time, for :meth:`follow`. ``sources`` are what one volt or ampere of each drives (n, 1 or K), and what it does
        over time; ``picked`` are the unknowns to be told."""
        told = []
        for way, course in sources:
            kind = KINDS.index(course.kind) if isinstance(course, Waveform) else len(KINDS)
            values = np.array(course.v) if isinstance(course, Waveform) else course
            told.append((kind, values, len(course.v) if isinstance(course, Waveform) else 0, _by_member(way), way.shape[1]))
        return self.module.course(
            self.devices(self.eq.devices.store), self.eq.size, len(self._places[0]), *self._places, still.packed, moving.packed, members, told,
            _by_member(steady), steady.shape[1], np.array(corners, dtype=float), len(corners), np.array(picked, dtype=np.int32), len(picked),
            (limits.stop, limits.largest_step, limits.smallest_step, limits.error_share, limits.error_floor, PIVOT_THRESHOLD),
            limits.ringing, limits.unplanned,
            (rules.gmin, rules.reltol, rules.foretold, rules.negligible, rules.abstol, rules.absurd, EXACTLY, rules.turns),
            np.ascontiguousarray(np.ravel(rules.floor)),
        )  # fmt: skip


    def follow(self, course: Any, state: tuple[Array, ...], times: Array, taken: Array) -> tuple[int, int]:
        """Go on with a course as far as ``times`` (T,) and ``taken`` (T, picked, K) have room; why it stops, and after how many steps."""
        why, count = self.module.follow(course, *state, times, taken)
        return int(why), int(count)


def _by_member(table: Array) -> Array:
    """(K, n) of (n, K), as the compiled part wants it."""
    return np.ascontiguousarray(table.T, dtype=float)


def kernel(eq: Laid) -> Kernel | None:
    """The compiled part for these equations; None where there is none, or where it cannot do what they ask."""
    if compiled is None or eq.size > LARGEST:
        return None
    try:
        return Kernel(eq, compiled)
    except UnrecordedError:
        return None


def _entries_before(devices: Devices, first_branch: int) -> int:
    return int(np.searchsorted(devices.rows, first_branch))


def _program(group: Group, first_branch: int, first_entry: int, charges: bool) -> Any:
    """The laws of a group as the compiled part takes them; recorded once, whatever is tied to the nodes, and of few members once for all
    groups of the same parameters: a circuit with some legs in other holes has the same devices."""
    key = first_branch, first_entry, charges
    if key not in group.programs:

        def record() -> Any:
            return _recorded(group, *key).packed()

        content = group.content()
        group.programs[key] = RECORDED.recall((content, *key), record) if content else record()
    return group.programs[key]


def _recorded(group: Group, first_branch: int, first_entry: int, charges: bool) -> Program:
    """The laws of a group as a program; its branches and entries follow each other from the first of each on."""
    outputs: list[tuple[Traced | Array, int, Sequence[int]]] = []
    if isinstance(group, Behavioural):
        rows = np.arange(sum(group.widths()), dtype=np.int32)[:, None] + np.int32(first_branch)
        tape = Tape(len(rows))
        known: list[Any] = [np.reshape(v, (1, -1)) for v in group.values]
        for k in group.timed:
            known[k] = tape.time
        values, slopes = group.on_arrays(tape.inputs, known)
        outputs += [(value, CURRENT, [first_branch + int(row)]) for row, value in zip(group.firsts, values, strict=True)]
        outputs += [(slope, CONDUCTANCE, [first_entry + int(row)]) for row, slope in zip(group.filled, slopes, strict=True)]
        return tape.program(outputs, rows)
    assert isinstance(group, Alike)
    count = len(group.elements)
    rows = first_branch + np.arange(group.branches, dtype=np.int32)[:, None] + group.branches * np.arange(count, dtype=np.int32)
    tape = Tape(group.branches)
    with np.errstate(all="ignore"):
        found = group.laws(tape.inputs, tape.gmin, charges)  # type: ignore[arg-type]
    for kind, column in enumerate(found):
        first = first_branch if kind in (CURRENT, CHARGE) else first_entry
        for k, part in enumerate(column):
            if part is not None:
                outputs.append((part, kind, [first + k + len(column) * device for device in range(count)]))
    return tape.program(outputs, rows)
