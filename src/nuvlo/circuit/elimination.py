"""Solve many small sparse systems of one shape at once.

All members of an ensemble, and all frequencies of a sweep, share one pattern of non-zeros. So the order of
elimination is planned once (Markowitz counting with a threshold on the nominal matrix: H. M. Markowitz, "The
elimination form of the inverse", Management Science 3, 1957), and each step of it is then one whole-array operation
over every member. A member whose numbers do not suit the planned order is noticed by its residual and solved again by
LAPACK with full partial pivoting.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array

AnyArray = NDArray[Any]
PIVOT_THRESHOLD = 1e-3
RESIDUAL_LIMIT = 1e-9
STILL = 100  # how much dearer a step along the moving axis is than one aside from it
FEW = 24  # below this many members LAPACK alone is quicker than whole-array steps


class Elimination:
    """A plan for systems of one shape. ``slots`` maps (row, column) to an index into the value list.

    ``moving`` names slots that differ along an axis on which all others stay, as those of capacitors do along frequency:
    they are kept out of the way as long as possible, so that most steps need not be done again for each place on it.
    """

    def __init__(
        self, size: int, slots: dict[tuple[int, int], int], nominal: Sequence[complex | float] | None = None,
        moving: frozenset[int] = frozenset(),
    ) -> None:  # fmt: skip
        self.size = size
        self.moving = moving
        self.slots = dict(slots)
        self._own = len(slots)
        self._steps: list[tuple[int, int, list[tuple[int, int, list[tuple[int, int]]]]]] = []
        self._back: list[tuple[int, int, list[tuple[int, int]]]] = []
        # Of a first member that was not found nothing can be planned by size.
        self.planned = nominal is not None and bool(np.isfinite(nominal).all()) and self._plan(np.asarray(nominal))

    def _plan(self, nominal: AnyArray) -> bool:
        n = self.size
        dense = np.zeros((n, n), dtype=nominal.dtype)
        for (r, c), s in self.slots.items():
            dense[r, c] += nominal[s]
        filled, moving = np.zeros((2, n, n), dtype=bool)
        for place, slot in self.slots.items():
            filled[place], moving[place] = True, slot in self.moving
        open_rows, open_columns = np.ones(n, dtype=bool), np.ones(n, dtype=bool)
        for _ in range(n):
            pivot = self._choose(dense, filled & open_rows[:, None] & open_columns, moving)
            if pivot is None:
                return False
            r, c = pivot
            open_rows[r] = open_columns[c] = False
            tail = np.flatnonzero(filled[r] & open_columns).tolist()
            updates = []
            for other in np.flatnonzero(filled[:, c] & open_rows).tolist():
                factor = dense[other, c] / dense[r, c]
                changes = []
                for k in tail:
                    if not filled[other, k]:
                        filled[other, k] = True
                        self.slots[other, k] = len(self.slots)
                    dense[other, k] -= factor * dense[r, k]
                    moving[other, k] |= moving[other, c] or moving[r, k] or moving[r, c]
                    changes.append((self.slots[other, k], self.slots[r, k]))
                updates.append((other, self.slots[other, c], changes))
            self._steps.append((r, self.slots[r, c], updates))
            self._back.append((r, c, [(k, self.slots[r, k]) for k in tail]))
        self._back.reverse()
        return True

    @staticmethod
    def _choose(dense: AnyArray, candidates: NDArray[np.bool_], moving: NDArray[np.bool_]) -> tuple[int, int] | None:
        """Pivot of least Markowitz cost, moving entries first, among those not much smaller than the largest of their row."""
        size = np.abs(dense) * candidates
        biggest = size.max(axis=1, keepdims=True)
        if not biggest[candidates.any(axis=1)].all() or not candidates.any():
            return None
        row_uses, column_uses = candidates.sum(axis=1)[:, None] - 1, candidates.sum(axis=0) - 1
        updates = row_uses * column_uses
        still = candidates & ~moving
        still_updates = (still.sum(axis=1)[:, None] - 1) * (still.sum(axis=0) - 1)
        busy = np.where(moving, updates + row_uses, updates - still_updates)
        share = size / np.maximum(biggest, 1e-300)
        allowed = candidates & (share >= PIVOT_THRESHOLD)
        cost = np.where(allowed, STILL * busy + updates - 0.5 * share, np.inf)
        r, c = divmod(int(np.argmin(cost)), dense.shape[1])
        return r, c

    def solve(self, values: Sequence[AnyArray], right: AnyArray, *, check: bool = True) -> AnyArray:
        """Solve for all members. ``values`` is one array (1,) or (K,) per slot; ``right`` is (n, K) or (n, m, K).

        Returns an array like ``right``; a member that is singular comes back as NaN. Without ``check`` a member may be
        less exact than it could be: for steps of an iteration whose last step is checked by :meth:`mend`.
        """
        members = right.shape[-1]
        if members < FEW or not self.planned:
            return self._lapack(values, right, np.arange(members))
        x = np.empty(right.shape, dtype=np.result_type(right, *values))
        for column, found in enumerate(self.run(values, list(right))):
            x[column] = found
        return self.mend(values, right, x) if check else x

    def run(self, values: Sequence[AnyArray], right: Sequence[AnyArray | None]) -> list[AnyArray]:
        """The planned steps alone: one array for each unknown, of whatever shape the arrays given make together.

        ``values`` are one array for each slot, ``right`` one for each row, None for 0. No check is made.
        """
        a: list[AnyArray] = [*values, *([_NOTHING] * (len(self.slots) - self._own))]
        b = list(right)
        x: list[AnyArray] = [_NOTHING] * self.size
        with np.errstate(all="ignore"):
            for row, pivot, updates in self._steps:
                inverse = 1.0 / a[pivot]
                for other, slot, changes in updates:
                    factor = a[slot] * inverse
                    for target, source in changes:
                        old = a[target]
                        a[target] = -factor * a[source] if old is _NOTHING else old - factor * a[source]
                    b[other] = _less(b[other], factor, b[row])
                a[pivot] = inverse
            pivots = {row: pivot for row, pivot, _ in self._steps}
            for row, column, tail in self._back:
                total = b[row]
                for k, slot in tail:
                    total = _less(total, a[slot], x[k])
                x[column] = _NOTHING if total is None else total * a[pivots[row]]
        return x

    def mend(self, values: Sequence[AnyArray], right: AnyArray, x: AnyArray) -> AnyArray:
        """Solve again, with full pivoting, the members of ``x`` that do not satisfy their equations; in place."""
        if self.planned:
            with np.errstate(all="ignore"):
                first = (right, x) if right.ndim == 2 else (right[:, 0], x[:, 0])
                bad = np.flatnonzero(self.missed(values, *map(list, first)))
            if bad.size:
                x[..., bad] = self._lapack(values, right, bad)
        return x

    def missed(self, values: Sequence[AnyArray], right: Sequence[AnyArray], x: Sequence[AnyArray]) -> NDArray[np.bool_]:
        """Where x, one array for each unknown, does not satisfy each equation to a share ``RESIDUAL_LIMIT`` of its terms."""
        residual: list[Any] = [-row for row in right]
        scale: list[Any] = [np.abs(row) for row in right]
        for (r, c), s in list(self.slots.items())[: self._own]:
            term = values[s] * x[c]
            residual[r] = residual[r] + term
            scale[r] = scale[r] + np.abs(term)
        out = np.zeros(x[0].shape, dtype=bool)
        for part, size in zip(residual, scale, strict=True):
            out |= ~(np.abs(part) - RESIDUAL_LIMIT * size <= 1e-30)
        return out

    def exactly(self, values: Sequence[AnyArray], right: AnyArray) -> AnyArray:
        """Solve all members with full pivoting."""
        return self._lapack(values, right, np.arange(right.shape[-1]))

    def _lapack(self, values: Sequence[AnyArray], right: AnyArray, members: NDArray[np.int_]) -> AnyArray:
        kind = np.result_type(right, *values)
        matrix = np.zeros((members.size, self.size, self.size), dtype=kind)
        for (r, c), s in list(self.slots.items())[: self._own]:
            v = values[s]
            matrix[:, r, c] += v[members] if v.size > 1 else v
        b = np.moveaxis(right[..., members], -1, 0)
        if right.ndim == 2:
            b = b[..., None]
        solved = solve_scaled(matrix, b)
        if right.ndim == 2:
            solved = solved[..., 0]
        return np.moveaxis(solved, 0, -1)


_NOTHING: Array = np.zeros(1)


def _less(total: AnyArray | None, factor: AnyArray, by: AnyArray | None) -> AnyArray | None:
    """total − factor·by, where None or nothing is 0."""
    if by is None or by is _NOTHING:
        return total
    return -factor * by if total is None else total - factor * by


def solve_scaled(matrix: AnyArray, right: AnyArray) -> AnyArray:
    """(K, n, m) solutions of (K or 1, n, n) systems by LAPACK; NaN where a member is singular.

    Rows and columns are scaled first: a coil's row may hold 10⁸ where a gate's holds 10⁻⁹, and pivoting alone would lose
    the small one (G. Golub, C. Van Loan, *Matrix Computations*, 4th ed., 3.5.2).
    """
    rows, columns = scales(matrix)
    out: AnyArray = each(matrix * rows * columns, right * rows) * columns.swapaxes(1, 2)
    return out


def scales(matrix: AnyArray) -> tuple[Array, Array]:
    """Factors (K, n, 1) on rows and (K, 1, n) on columns that bring the largest of each to 1."""
    size = np.abs(matrix)
    rows = 1.0 / np.maximum(size.max(axis=2, keepdims=True), 1e-300)
    return rows, 1.0 / np.maximum((size * rows).max(axis=1, keepdims=True), 1e-300)


def each(matrix: AnyArray, right: AnyArray) -> AnyArray:
    """Solve (K or 1, n, n) for (K, n, m); NaN where a member is singular."""
    matrix = np.broadcast_to(matrix, (len(right), *matrix.shape[1:]))
    try:
        return np.asarray(np.linalg.solve(matrix, right))
    except np.linalg.LinAlgError:
        if len(right) == 1:
            return np.full(right.shape, np.nan, dtype=right.dtype)
        return np.concatenate([each(matrix[k : k + 1], right[k : k + 1]) for k in range(len(right))])
