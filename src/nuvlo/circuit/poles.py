"""Response of many members at many frequencies by their poles: solved once a member, not once a frequency.

What stores charge or flux makes C of low rank, C = U·D·Vᵀ with one column of V for each pair of nodes that store. Then
H(s) = lᵀG⁻¹b − s·lᵀZD(1 + s·VᵀZD)⁻¹·VᵀG⁻¹b with Z = G⁻¹U (the Sherman–Morrison–Woodbury formula: G. Golub, C. Van Loan,
*Matrix Computations*, 4th ed., 2.1.4), and the small matrix VᵀZD brought to diagonal form gives a sum over its poles.
Where the sum cancels too far, or the eigenvectors of a member lie too close together, elimination serves instead.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.elimination import AnyArray, Elimination
from nuvlo.circuit.operating_point import OperatingPoint

Complex = NDArray[np.complex128]
BLOCK = 24  # members evaluated together, all frequencies at once: stays in the cache
CANCELLED = 1e-7  # of the size of its terms: below it a sum keeps fewer than some eight digits
WORST_CONDITION = 1e6  # of the eigenvectors of a member


@dataclass(frozen=True)
class Poles:
    """Responses of ``rows`` of the unknowns: ``rest`` (rows, N), ``residue`` (rows, N, r), ``time`` (N, r) s.

    H = rest − Σ s·residue/(1 + s·time). ``sound`` (N,) says whether a member's eigenvectors can be relied on.
    """

    rest: Array
    residue: Complex
    time: Complex
    sound: NDArray[np.bool_]

    def response(self, frequency: Array) -> tuple[Complex, NDArray[np.bool_]]:
        """(rows, N, F) V/V, and where (rows, N, F) it can be relied on."""
        rows, members = self.rest.shape
        s = 2j * np.pi * frequency
        out = np.empty((rows, members, frequency.size), dtype=complex)
        good = np.empty(out.shape, dtype=bool)
        largest = 2.0 * np.pi * frequency.max()
        bound = np.minimum(1.0 / np.maximum(np.abs(self.time), 1e-300), largest)
        size = np.abs(self.rest) + (np.abs(self.residue) * bound).sum(axis=-1)
        for first in range(0, members, BLOCK):
            some = slice(first, min(first + BLOCK, members))
            total = np.zeros((rows, some.stop - some.start, frequency.size), dtype=complex)
            for k in range(self.time.shape[1]):
                term = s / (1.0 + s * self.time[some, k, None])
                for row in range(rows):
                    total[row] += self.residue[row, some, k, None] * term
            found = self.rest[:, some, None] - total
            out[:, some] = found
            floor = CANCELLED * size[:, some, None]
            good[:, some] = (np.abs(found.real) + np.abs(found.imag) >= floor) & self.sound[some, None]
        return out, good


def poles(
    point: OperatingPoint, plan: Elimination, conductance: list[Array], drive: Array, rows: list[int], members: slice
) -> Poles:
    """Poles of some ``members`` of ``point`` for one ``drive`` (n,), seen at ``rows`` of the unknowns, −1 being ground.

    ``plan`` eliminates the ``conductance`` (slots) of all. Raises ``numpy.linalg.LinAlgError`` where the eigenvalues of a
    member are not found.
    """
    eq, count = point.equations, members.stop - members.start
    if not plan.planned:
        raise np.linalg.LinAlgError("nothing holds the circuit at rest")
    into, across, stored = eq.storage(point.evaluation)
    right = np.column_stack([drive, into])
    values = [g[members] if g.size > 1 else g for g in conductance]
    solved: list[AnyArray] = plan.run(values, [row[:, None] if row.any() else None for row in right])

    def seen(node: int) -> AnyArray:
        return np.broadcast_to(solved[node] if node >= 0 else 0.0, (right.shape[1], count))

    at_rows = np.array([seen(r) for r in rows]).transpose(2, 0, 1)  # (N, rows, 1 + ways in)
    at_pairs = np.array([seen(a) - seen(b) for a, b in across]).transpose(2, 0, 1)
    held = np.zeros((count, into.shape[1], len(across)))
    for way, pair, amount in stored:
        held[:, way, pair] += amount[members] if amount.size > 1 else amount
    time, vectors = np.linalg.eig(at_pairs[..., 1:] @ held)
    inverse = np.linalg.inv(vectors)
    condition = np.linalg.norm(vectors, axis=(1, 2)) * np.linalg.norm(inverse, axis=(1, 2))
    start = (inverse @ at_pairs[..., :1])[..., 0]
    residue = (at_rows[..., 1:] @ held @ vectors) * start[:, None]
    return Poles(
        at_rows[..., 0].T, np.moveaxis(residue, 1, 0), time.astype(complex), np.asarray(condition < WORST_CONDITION)
    )
