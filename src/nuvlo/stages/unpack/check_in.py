"""Counted and measured: each part's verdict, whole strips that are wrong, what is over, and what is missing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nuvlo.kit import Kit, Part
from nuvlo.quantity import Measured, Verdict, format_value, judge
from nuvlo.quantity.markings import preferred, read_bands, resistor_bands
from nuvlo.quantity.uncertainty import mean_of_repeats

ALIKE = 0.03  # by which the readings of one strip may differ (common practice, no source)
LEAST = 2  # parts that make a strip
NEAREST = 0.06  # how far from its real value a strip may read


@dataclass(frozen=True)
class Checked:
    """A part and what its readings say. ``spread`` is the standard deviation of repeated readings, in ``measured``'s unit."""

    part: Part
    verdict: Verdict
    measured: Measured | None
    spread: float
    times: int


@dataclass(frozen=True)
class Strip:
    """Parts of one printed value that all read alike and wrong: one strip supplied wrong.

    ``likely`` is the preferred value they read as; ``why`` says how that comes to be taken for the printed one.
    """

    refs: tuple[str, ...]
    printed: float
    reads: float
    likely: float
    unit: str
    why: str

    @property
    def words(self) -> str:
        """What is wrong, and where it would have gone."""
        real, printed = format_value(self.likely, self.unit), format_value(self.printed, self.unit)
        return f"The whole strip looks like {real} where {printed} is meant: {', '.join(self.refs)}."


def check_in(
    kit: Kit, measured: Mapping[str, Sequence[Measured]], marks: Mapping[str, str] | None = None
) -> list[Checked]:
    """Every part of the kit in its order."""
    out = []
    for part in kit.parts.values():
        reading, spread = mean_of_repeats(measured.get(part.ref, ()))
        verdict = Verdict.NOT_TAKEN
        if (marks or {}).get(part.ref) == "missing":
            verdict = Verdict.MISSING
        elif reading is not None and part.limits is not None:
            verdict = judge(reading, *part.limits)
        out.append(Checked(part, verdict, reading, spread, len(measured.get(part.ref, ()))))
    return out


def strips(checked: Sequence[Checked]) -> list[Strip]:
    """Strips in which every part that was measured reads alike and wrong, with every place they would have gone."""
    groups: dict[tuple[object, ...], list[Checked]] = {}
    for one in checked:
        if one.part.value is not None:
            groups.setdefault((one.part.kind, one.part.value, one.part.rating, one.part.package), []).append(one)
    out = []
    for group in groups.values():
        read = [c for c in group if c.measured is not None]
        values = np.array([c.measured.value for c in read if c.measured])
        if len(read) < LEAST or any(c.verdict is not Verdict.OUT for c in read) or not np.isfinite(values).all():
            continue
        middle = float(np.median(values))
        if middle <= 0.0:
            continue  # shorted, every one: no value that a strip is made in
        if np.abs(values / middle - 1.0).max() > ALIKE:
            continue
        part = group[0].part
        assert part.value is not None
        likely = nearest_preferred(middle)
        out.append(
            Strip(tuple(c.part.ref for c in group), part.value, middle, likely, part.unit, mistaken_for(part, likely))
        )
    return out


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
