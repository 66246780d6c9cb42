"""Coefficients of equations as sums of what stands in the same place, each an array over members."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array


class Sums:
    """Values of slots as sums of amounts, each added where its stamps say, and of entries that stay."""

    def __init__(self, slots: int, stamps: list[list[tuple[int, float]]], entries: list[tuple[int, Array]]) -> None:
        self.slots, self.stamps, self.entries = slots, stamps, entries
        self.kept: list[Array] | None = None

    def values(self, amounts: list[tuple[int, int, Array]]) -> list[Array]:
        """All slots. Summed once: whoever asks again has laid out anew before."""
        if self.kept is None:
            values: list[Array] = [np.zeros(1) for _ in range(self.slots)]
            for stamps, (_, _, amount) in zip(self.stamps, amounts, strict=True):
                add(values, stamps, amount)
            for slot, amount in self.entries:
                values[slot] = values[slot] + amount
            self.kept = values
        return list(self.kept)

    def with_one(self, slots: int, stamps: list[tuple[int, float]], amount: Array) -> Sums:
        """With an amount more, in some slots that may be new."""
        out = Sums(slots, [*self.stamps, stamps], self.entries)
        if self.kept is not None:
            out.kept = [*self.kept, *(np.zeros(1) for _ in range(slots - self.slots))]
            add(out.kept, stamps, amount)
        return out

    @cached_property
    def parts(self) -> list[tuple[list[tuple[int, float]], list[Array]]]:
        """For each slot its amounts with their signs, and its entries."""
        out: list[tuple[list[tuple[int, float]], list[Array]]] = [([], []) for _ in range(self.slots)]
        for k, stamps in enumerate(self.stamps):
            for slot, sign in stamps:
                out[slot][0].append((k, sign))
        for slot, amount in self.entries:
            out[slot][1].append(amount)
        return out

    def again(self, values: list[Array], amounts: list[tuple[int, int, Array]], changed: list[int]) -> list[Array]:
        """``values`` with the slots of the ``changed`` amounts summed anew."""
        for slot in {slot for k in changed for slot, _ in self.stamps[k]}:
            total = np.zeros(1)
            for k, sign in self.parts[slot][0]:
                total = total + amounts[k][2] if sign > 0 else total - amounts[k][2]
            for amount in self.parts[slot][1]:
                total = total + amount
            values[slot] = total
        return values


def add(values: list[Array], stamps: list[tuple[int, float]], amount: Array) -> None:
    """Add an amount into the slots of ``values`` that its stamps name, or take it off."""
    for slot, sign in stamps:
        values[slot] = values[slot] + amount if sign > 0 else values[slot] - amount


def members_of(values: list[Array], chosen: NDArray[np.int_]) -> list[Array]:
    """The same coefficients for some members only."""
    return [v[chosen] if v.size > 1 else v for v in values]
