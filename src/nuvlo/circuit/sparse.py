"""Few members of large circuits: each matrix factorised as the sparse one that it is (SuperLU by scipy: J. W. Demmel et al., "A supernodal
approach to sparse partial pivoting", SIAM J. Matrix Anal. Appl. 20, 1999). scipy is loaded when the first is met."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from nuvlo.arrays import Array

LARGE = 100  # unknowns from which it pays
PIVOT_SHARE = 0.1  # of the largest of its column, by which a diagonal entry is still taken: keeps the order and what it fills in


class Pattern:
    """Where the entries of a circuit's matrices stand, by slot."""

    def __init__(self, size: int, slots: Mapping[tuple[int, int], int]) -> None:
        places = np.array(list(slots), dtype=np.int64).reshape(-1, 2)
        which = np.fromiter(slots.values(), np.int64, len(slots))
        order = np.lexsort((places[:, 0], places[:, 1]))
        self.size, self.order, self.rows = size, which[order], places[order, 0].astype(np.int32)
        self.starts = np.concatenate([[0], np.cumsum(np.bincount(places[:, 1], minlength=size))]).astype(np.int32)
        self.columns = np.repeat(np.arange(size), np.diff(self.starts))

    def solve(self, values: Array, right: Array, transposed: bool = False) -> Array:
        """x (n, m) of one matrix, ``values`` by slot, for right sides (n, m); not finite where it has no solution."""
        from scipy.sparse import csc_matrix
        from scipy.sparse.linalg import splu

        entries = values[self.order]
        if not np.isfinite(entries).all():
            return np.full(right.shape, np.nan, dtype=np.result_type(entries, right))
        # Rows of unlike units weigh alike; then no conductance of a gigaohm is taken for nothing beside one of a milliohm.
        size = np.abs(entries)
        by_row = np.zeros(self.size)
        np.maximum.at(by_row, self.rows, size)
        by_row = _weights(by_row)
        by_column = np.zeros(self.size)
        np.maximum.at(by_column, self.columns, size * by_row[self.rows])
        by_column = _weights(by_column)
        matrix: Any = csc_matrix((entries * by_row[self.rows] * by_column[self.columns], self.rows, self.starts), shape=(self.size, self.size))
        try:
            factors = splu(matrix, diag_pivot_thresh=PIVOT_SHARE)
        except RuntimeError:  # exactly singular
            return np.full(right.shape, np.nan, dtype=np.result_type(entries, right))
        before, after = (by_column, by_row) if transposed else (by_row, by_column)
        way, b = "T" if transposed else "N", right * before[:, None]
        plain = matrix.T if transposed else matrix
        x = factors.solve(b.astype(matrix.dtype), trans=way)
        x = x + factors.solve(b - plain @ x, trans=way)  # once more on what is left over
        out: Array = x * after[:, None]
        return out


def _weights(largest: Array) -> Array:
    """Powers of two by which rows are brought to one size: no digit is lost."""
    return np.exp2(-np.round(np.log2(np.where(largest > 0, largest, 1.0))))
