"""Windows: where good units read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from nuvlo.arrays import Array
from nuvlo.measurement import Observable

# Share of good units that lie inside every window of one set at once. A build passes through four or five sets, and
# well over 95 in 100 good units are to pass all of them; tolerances end sharply, so the last per mille costs little width.
JOINT_COVERAGE = 0.999


@dataclass(frozen=True)
class Window:
    """The interval a reading is expected in, and the nominal value, in ``unit``."""

    of: Observable
    unit: str
    nominal: float
    low: float
    high: float

    @property
    def width(self) -> float:
        return self.high - self.low

    def as_json(self) -> dict[str, Any]:
        return {
            "point": self.of.name, "quantity": self.of.quantity, "unit": self.unit, "nominal": finite(self.nominal),
            "low": finite(self.low), "high": finite(self.high),
        }  # fmt: skip


def finite(value: float) -> float | None:
    """``value``, or None where it is infinite or no number: JSON has neither."""
    return float(value) if np.isfinite(value) else None


def joint_windows(values: Array, coverage: float = JOINT_COVERAGE) -> tuple[Array, Array]:
    """Low and high (P,) such that a share ``coverage`` of members lies inside at all P points at once.

    ``values`` is (P, N). Each member's depth is its least distance, in ranks, from either end at any point; the
    windows are cut at the depth that the wanted share of members reaches. (Simultaneous quantile region by ranks, the
    discrete form of a Bonferroni-type region without its waste where points move together.)
    """
    order = np.argsort(values, axis=1, kind="stable")
    members = values.shape[1]
    ranks = np.empty_like(order)
    np.put_along_axis(ranks, order, np.broadcast_to(np.arange(members), order.shape), axis=1)
    depth = np.minimum(ranks, members - 1 - ranks).min(axis=0)
    cut = int(np.sort(depth)[int(np.floor((1.0 - coverage) * members))])
    ordered = np.take_along_axis(values, order, axis=1)
    return ordered[:, cut], ordered[:, members - 1 - cut]
