"""The equations of some members, linearised about where their devices are: (G + rate·C + devices) x = drive − currents.

Many members are solved by whole-array elimination, few by dense LAPACK.
"""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.elimination import FEW, Elimination, each, scales
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.sparse import LARGE, Pattern
from nuvlo.circuit.sums import members_of

SAME_SCALE = 100.0  # how far the rate may move before rows and columns are scaled anew


class System(ABC):
    """Linear parts of a set of members; devices are put in at each :meth:`solve`."""

    @abstractmethod
    def prepare(self, rate: float) -> None:
        """Set the weight of what is differentiated, 1/s; 0 for an operating point."""

    @abstractmethod
    def solve(self, entries: Array, current: Array, volts: Array, drive: Array) -> Array:
        """x (n, K) with device conductances ``entries`` (E, K), currents (B, K) at branch voltages ``volts`` (B, K)."""

    @abstractmethod
    def stored(self, x: Array, charge: Array) -> Array:
        """C·x and the ``charge`` (B, K) of the devices, (n, K); no rows where no device stores any."""

    @abstractmethod
    def members(self, chosen: NDArray[np.int_]) -> System:
        """The same for some members."""

    def mend(self, x: Array, chosen: NDArray[np.int_]) -> Array:
        """x (n, chosen) of the last :meth:`solve` again, exact where it was not."""
        return x[:, chosen]


def system(
    equations: Equations, members: int, static: list[Array], dynamic: list[Array],
    plans: dict[int, Elimination] | None = None,
) -> System:  # fmt: skip
    """The kind of system that suits this number of members, from slot values; ``plans`` made before are used again."""
    if members >= FEW:
        return _Many(equations, static, dynamic, {} if plans is None else plans)
    return Sparse(equations, static, dynamic) if equations.size >= LARGE else Few(equations, static, dynamic)


class Sparse(System):
    """Sparse matrices of a few members of a large circuit."""

    def __init__(self, equations: Equations, static: list[Array], dynamic: list[Array]) -> None:
        self.eq, self.rate = equations, 0.0
        self.static, self.dynamic = _stacked(static), _stacked(dynamic)
        self.pattern = Pattern(equations.size, equations.slots)
        devices, slots = equations.devices, equations.slots
        places = [
            (slots[i, j], e, s * t)
            for e, (row, column) in enumerate(zip(devices.rows, devices.columns, strict=True))
            for i, s in zip(devices.injections[row], (1.0, -1.0), strict=True)
            for j, t in zip(devices.pairs[column], (1.0, -1.0), strict=True) if i >= 0 and j >= 0
        ]  # fmt: skip
        self.into_slot = np.array([p[0] for p in places], dtype=int)
        self.of_entry, self.signs = np.array([p[1] for p in places], dtype=int), np.array([p[2] for p in places])
        ends = np.array(devices.injections, dtype=int).reshape(-1, 2)
        self.out_of, self.back_into = ends.T
        self.by_slot = np.array(list(slots), dtype=int).reshape(-1, 2)
        self.prepare(0.0)

    def prepare(self, rate: float) -> None:
        self.rate = rate
        self.base = self.static + rate * self.dynamic if rate else self.static

    def solve(self, entries: Array, current: Array, volts: Array, drive: Array) -> Array:
        eq, count = self.eq, volts.shape[1]
        right = np.broadcast_to(drive, (eq.size, count)).copy()
        if eq.devices.count:
            equivalent = current.copy()
            np.subtract.at(equivalent, eq.devices.rows, entries * volts[eq.devices.columns])
            right -= self._injected(equivalent)
        out = np.empty((eq.size, count))
        for k in range(count):
            values = (self.base[:, k] if self.base.shape[1] > 1 else self.base[:, 0]).copy()
            if eq.devices.count:
                np.add.at(values, self.into_slot, self.signs * entries[self.of_entry, k])
            out[:, k] = self.pattern.solve(values, right[:, k : k + 1])[:, 0]
        return out

    def _injected(self, currents: Array) -> Array:
        """(n, K): what branch currents (B, K) take out of each equation."""
        full = np.zeros((self.eq.size + 1, currents.shape[1]))  # the last row is ground
        np.add.at(full, self.out_of, currents)
        np.subtract.at(full, self.back_into, currents)
        return full[:-1]

    def stored(self, x: Array, charge: Array) -> Array:
        out = np.zeros(x.shape)
        if self.by_slot.size:
            np.add.at(out, self.by_slot[:, 0], self.dynamic * x[self.by_slot[:, 1]])
        return out + self._injected(charge) if len(charge) else out

    def members(self, chosen: NDArray[np.int_]) -> System:
        out = object.__new__(Sparse)
        out.__dict__.update(self.__dict__)
        out.static, out.dynamic, out.base = (t[:, chosen] if t.shape[1] > 1 else t for t in (self.static, self.dynamic, self.base))
        return out


def _stacked(values: list[Array]) -> Array:
    """(slots, K) with K = 1 where nothing varies."""
    width = max((v.size for v in values), default=1)
    if width == 1:
        return np.fromiter((v[0] for v in values), float, len(values))[:, None]
    return np.array([np.broadcast_to(v, width) for v in values]).reshape(len(values), width)


class _Many(System):
    def __init__(
        self, equations: Equations, static: list[Array], dynamic: list[Array], plans: dict[int, Elimination]
    ) -> None:
        self.eq, self.static, self.dynamic, self.plans = equations, static, dynamic, plans
        self.moving = [s for s, c in enumerate(dynamic) if c.any()]
        self.prepare(0.0)

    def prepare(self, rate: float) -> None:
        self.rate = rate
        self.base = list(self.static)
        for slot in self.moving if rate else ():
            self.base[slot] = self.static[slot] + rate * self.dynamic[slot]

    def solve(self, entries: Array, current: Array, volts: Array, drive: Array) -> Array:
        eq = self.eq
        values = list(self.base)
        eq.add_devices(values, entries)
        equivalent = current.copy()
        for e, (row, column) in enumerate(zip(eq.devices.rows, eq.devices.columns, strict=True)):
            equivalent[row] -= entries[e] * volts[column]
        right = eq.add_branch_currents(np.broadcast_to(drive, (eq.size, volts.shape[1])).copy(), equivalent)
        self.last = values, right
        return self.plan(values).solve(values, right, check=False)

    def plan(self, values: list[Array]) -> Elimination:
        """An elimination order for this size of step, from the first member at hand."""
        size = round(np.log10(self.rate)) if self.rate else -99
        if size not in self.plans:
            self.plans[size] = self.eq.plan(values)
        return self.plans[size]

    def mend(self, x: Array, chosen: NDArray[np.int_]) -> Array:
        values, right = self.last
        return self.plan(values).mend(members_of(values, chosen), right[:, chosen], x[:, chosen])

    def stored(self, x: Array, charge: Array) -> Array:
        out = np.zeros(x.shape)
        where = list(self.eq.slots)
        for slot in self.moving:
            row, column = where[slot]
            out[row] += self.dynamic[slot] * x[column]
        return -self.eq.add_branch_currents(-out, charge) if len(charge) else out

    def members(self, chosen: NDArray[np.int_]) -> System:
        static, dynamic = members_of(self.static, chosen), members_of(self.dynamic, chosen)
        out = system(self.eq, chosen.size, static, dynamic, self.plans)
        out.prepare(self.rate)
        return out


class Few(System):
    """Dense matrices of a few members."""

    def __init__(self, equations: Equations, static: list[Array], dynamic: list[Array]) -> None:
        self.eq = equations
        self.scale: tuple[Array, Array] | None = None
        self.rate = 0.0
        self.static, self.dynamic = self._dense(static), self._dense(dynamic)
        devices = equations.devices
        into, across = np.zeros((2, equations.size + 1, devices.count))
        for k, ((a, b), (plus, minus)) in enumerate(zip(devices.injections, devices.pairs, strict=True)):
            into[a, k] += 1.0
            into[b, k] -= 1.0
            across[plus, k] += 1.0
            across[minus, k] -= 1.0
        self.into = into[:-1]
        self.by_entry, self.across = self.into[:, devices.rows], across[:-1, devices.columns].T.copy()
        self.prepare(0.0)

    def _dense(self, values: list[Array]) -> Array:
        """(K, n, n)."""
        n = self.eq.size
        width = max((v.size for v in values), default=1)
        out = np.zeros((width, n, n))
        for (row, column), slot in self.eq.slots.items():
            out[:, row, column] = values[slot]
        return out

    def prepare(self, rate: float) -> None:
        if not SAME_SCALE > rate / (self.rate or 1e-300) > 1.0 / SAME_SCALE:
            self.scale = None
        self.rate = rate
        self.base = self.static + rate * self.dynamic if rate else self.static

    def solve(self, entries: Array, current: Array, volts: Array, drive: Array) -> Array:
        right = np.broadcast_to(drive, (self.eq.size, volts.shape[1]))
        if self.eq.devices.count:
            right = right - self.into @ current + self.by_entry @ (entries * volts[self.eq.devices.columns])
        matrix = self.matrix(entries) if self.eq.devices.count else self.base.copy()
        if self.scale is None:  # rows and columns keep their order of size while devices move
            self.scale = scales(matrix)
        rows, columns = self.scale
        matrix *= rows
        matrix *= columns
        out: Array = (each(matrix, right.T[..., None] * rows)[..., 0] * columns[:, 0]).T
        return out

    def matrix(self, entries: Array) -> Array:
        """(K, n, n) with device conductances ``entries`` (E, K) put in."""
        if not self.eq.devices.count:
            return self.base
        out: Array = self.base + (self.by_entry * entries.T[:, None, :]) @ self.across
        return out

    def stored(self, x: Array, charge: Array) -> Array:
        out: Array = (self.dynamic @ x.T[..., None])[..., 0].T
        return out + self.into @ charge if len(charge) else out

    def members(self, chosen: NDArray[np.int_]) -> System:
        out = object.__new__(Few)
        out.__dict__.update(self.__dict__)
        out.static, out.dynamic, out.base = (
            m[chosen] if len(m) > 1 else m for m in (self.static, self.dynamic, self.base)
        )
        out.scale = None
        return out
