"""Is it the right part? What a loose part's reading is likeliest of, whatever its tolerance says."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

from nuvlo.kit import Part
from nuvlo.kit.kinds import kind_of
from nuvlo.markings.marking import preferred, read_bands, resistor_bands
from nuvlo.quantity import Measured, format_value

NEAREST = 0.06  # how far from its real value a strip may read
DECADES = (1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6)
TIMES = {1: "ten times", 2: "a hundred times", 3: "a thousand times"}


@dataclass(frozen=True)
class Which:
    """``right``: it is the part that is meant. Else ``likely`` is the marked value it is likeliest of (nan where there is
    none), and ``why`` how it comes to lie here. ``also`` are other values of this kit that the reading fits as well."""

    right: bool
    likely: float
    why: str = ""
    also: tuple[float, ...] = ()


def which(part: Part, value: float, reading: Measured, others: Collection[Part] = ()) -> Which:
    """What a ``reading`` is of where ``value`` is meant in ``part``'s place. ``others`` are the parts of its kit.

    The printed value is believed while its tolerance and the meter's doubt allow it. Then come, in the order in which such
    things happen at a bench: another value of this kit, a decade more or less, the nearest value that is made.
    """
    if not math.isfinite(reading.value) or reading.value <= 0:
        # A capacitor that is open shows nothing, and one that is shorted more than any range.
        farads, over = part.unit == "F", reading.value > 0
        shorted = "it is shorted, or more than the meter measures" if farads else "it is shorted"
        return Which(False, math.nan, "it is open, or the clips do not touch" if over != farads else shorted)
    printed = part.tolerance or (-0.05, 0.05)
    values = {p.value: p for p in others if p.value and p.unit == part.unit and _kind(p) == _kind(part)}
    fitting = [v for v, p in values.items() if v != value and _fits(reading, v, p.tolerance or (-0.05, 0.05))]
    if _fits(reading, value, printed):
        return Which(True, value, also=tuple(v for v in fitting if abs(v / value - 1) > 1e-6))
    for other in sorted(fitting, key=lambda v: abs(math.log(reading.value / v))):
        return Which(
            False, other, f"like {', '.join(p.ref for p in others if p.value == other and p.unit == part.unit)}"
        )
    for k in DECADES:
        if _fits(reading, value * 10.0**k, printed):
            times = TIMES.get(abs(k), "many times")
            return Which(
                False,
                float(f"{value * 10.0**k:.6g}"),
                mistaken_for(part, value * 10.0**k) or f"{times} {'more' if k > 0 else 'less'}",
            )
    near = nearest_preferred(reading.value)
    if abs(math.log(reading.value / value)) <= abs(math.log(reading.value / near)) or math.isclose(
        near, value, rel_tol=1e-6
    ):
        return Which(True, value)  # of this value, but not as exact as it claims to be
    return Which(False, near, mistaken_for(part, near))


def _fits(reading: Measured, value: float, tolerance: tuple[float, float]) -> bool:
    low, high = value * (1 + tolerance[0]), value * (1 + tolerance[1])
    return low - reading.uncertainty <= reading.value <= high + reading.uncertainty


def _kind(part: Part) -> str:
    return kind_of(part.kind).marked_as or part.kind


def nearest_preferred(value: float) -> float:
    """The preferred value that a reading is likeliest of: of E24 if one is near, else of E96."""
    import eseries

    for series in (eseries.E24, eseries.E96):
        found = float(eseries.find_nearest(series, value))
        if abs(found / value - 1.0) <= (NEAREST if series is eseries.E24 else 1.0):
            return float(f"{found:.6g}")
    return value


def mistaken_for(part: Part, likely: float) -> str:
    """How a part of ``likely`` comes to be taken for ``part``; empty where no reason is known."""
    if part.kind != "resistor" or part.value is None or not preferred(likely, 96):
        return ""
    tolerance = part.tolerance[1] if part.tolerance else 0.05
    try:
        printed, real = resistor_bands(part.value, tolerance), resistor_bands(likely, tolerance)
    except ValueError:
        return ""
    if any(abs(m.value - part.value) <= 1e-6 * part.value for m in read_bands(real)):
        return "its bands, read from the wrong end, are those of the printed value"
    different = [k for k, (a, b) in enumerate(zip(printed, real, strict=False)) if a != b]
    if len(different) == 1 and len(printed) == len(real):
        k = different[0]
        return f"its bands are {'-'.join(real)} where {'-'.join(printed)} is meant: {real[k]} for {printed[k]}"
    return ""


def named(value: float, unit: str) -> str:
    """A marked value as builders write it."""
    return format_value(value, unit, 4)
