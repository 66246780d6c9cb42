"""Counted and measured: which part each is, whether it is in tolerance, whole strips that are wrong, and what is missing."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvlo.craft.tray import sort_of
from nuvlo.kit import Kit, Part
from nuvlo.logbook import Build
from nuvlo.model.meter import NOTHING_LEARNT, Meter, meter_of
from nuvlo.quantity import Measured, Verdict, format_value, parse_value
from nuvlo.quantity.uncertainty import distance_in_words, doubt_of_difference, fits, mean_of_repeats
from nuvlo.stages.unpack.which import Which, mistaken_for, named, nearest_preferred, which

ALIKE = 0.03  # by which the readings of one strip may differ (common practice, no source)
LEAST = 2  # parts that make a strip
MANY = 4  # parts of one strip from which one that stands apart shows


@dataclass(frozen=True)
class Checked:
    """A part and what its readings say. ``measured`` is the mean of what was read, ``corrected`` that without the meter's
    gain error. ``spread`` is the standard deviation of repeated readings, in their unit. ``value`` is what is meant here;
    ``which`` answers whether it is that, ``verdict`` whether it is in tolerance. ``apart`` says how it differs from its
    strip or its pair, where the meter's error cancels."""

    part: Part
    verdict: Verdict
    measured: Measured | None
    spread: float
    times: int
    value: float | None = None
    corrected: Measured | None = None
    which: Which | None = None
    apart: str = ""

    @property
    def limits(self) -> tuple[float, float] | None:
        """What is printed allows this, in the part's unit."""
        if self.value is None or self.part.tolerance is None:
            return None
        return self.value * (1 + self.part.tolerance[0]), self.value * (1 + self.part.tolerance[1])

    @property
    def is_words(self) -> str:
        """Whether it is the right part, in large: ``100 kΩ, right``, ``100 kΩ, too far off`` or ``looks like 100 Ω``."""
        if self.which is None or self.value is None or self.measured is None:
            return ""
        if self.which.right:
            return f"{named(self.value, self.part.unit)}, {'too far off' if self.verdict is Verdict.OUT else 'right'}"
        if self.which.likely != self.which.likely:
            return "over range" if self.measured.over_range else "open" if self.part.unit == "F" else "shorted"
        return f"looks like {named(self.which.likely, self.part.unit)}"

    @property
    def fits_words(self) -> str:
        """Whether it is in tolerance, quietly."""
        match self.verdict:
            case Verdict.IN:
                return "fits"
            case Verdict.NEAR:
                return "fits, as far as this meter can tell"
            case Verdict.OUT if self.limits and self.corrected and self.which and self.which.right:
                return distance_in_words(self.corrected, *self.limits)
        return ""

    @property
    def words(self) -> str:
        """Both answers in a sentence or two; empty before it is measured."""
        if self.which is None or self.value is None or self.measured is None:
            return ""
        ref, meant = self.part.ref, named(self.value, self.part.unit)
        if not self.which.right:
            if self.which.likely != self.which.likely:
                return f"{ref} reads {self.measured} where {meant} is meant: {self.which.why}."
            why = f" ({self.which.why})" if self.which.why else ""
            return f"{ref} is not {meant}: it reads {self.measured} and looks like {named(self.which.likely, self.part.unit)}{why}."
        said = f"{ref} is right: {meant}. It reads {self.measured} and "
        if self.verdict is Verdict.OUT:
            tolerance = max(abs(t) for t in self.part.tolerance or (0.0,))
            said = f"{ref} reads as {meant} should, but not within its {100 * tolerance:g} %: {self.measured} is {self.fits_words}."
        else:
            said += f"{self.fits_words}."
        if self.which.also:
            others = " or ".join(named(v, self.part.unit) for v in self.which.also[:2])
            said += f" It could also be {others} of this kit: read its marking."
        return f"{said} {self.apart}".rstrip()


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


def checked_in(kit: Kit, build: Build) -> list[Checked]:
    """Every part of a kit that is being built, in its order."""
    return check_in(kit, build.measured, build.marks, build.chosen_values, meter_of(kit, build))


def check_in(
    kit: Kit, measured: Mapping[str, Sequence[Measured]], marks: Mapping[str, str] | None = None,
    chosen: Mapping[str, str] | None = None, meter: Meter = NOTHING_LEARNT,
) -> list[Checked]:  # fmt: skip
    """Every part of the kit in its order. ``chosen`` are values taken in place of printed ones, by part."""
    parts = tuple(kit.parts.values())
    out = []
    for part in parts:
        readings = measured.get(part.ref, ())
        reading, spread = mean_of_repeats(readings)
        value = parse_value(chosen[part.ref], part.unit) if chosen and part.ref in chosen else part.value
        one = Checked(part, Verdict.NOT_TAKEN, reading, spread, len(readings), value)
        if (marks or {}).get(part.ref) == "missing":
            one = replace(one, verdict=Verdict.MISSING)
        elif reading is not None and value is not None and one.limits is not None:
            corrected = meter.corrected(reading)
            one = replace(one, verdict=fits(corrected, *one.limits), corrected=corrected,
                          which=which(part, value, corrected, parts))  # fmt: skip
        out.append(one)
    return _compared(kit, out)


def _compared(kit: Kit, checked: list[Checked]) -> list[Checked]:
    """Strips and pairs by difference: one meter's error is in both readings, and cancels."""
    by_ref = {c.part.ref: c for c in checked}
    apart: dict[str, str] = {}
    for group in _groups(c for c in checked if c.measured and c.which and c.which.right):
        if len(group) >= MANY:
            apart |= _odd_one_out(group)
    for question in kit.info.match:
        for a, b in question.pairs:
            one, other = by_ref.get(a), by_ref.get(b)
            if one and other and one.which and other.which and one.which.right and other.which.right:
                words = _pair_words(one, other)
                apart |= {ref: f"{apart[ref]} {words}" if ref in apart else words for ref in (a, b)}
    return [replace(c, apart=apart[c.part.ref]) if c.part.ref in apart else c for c in checked]


def _odd_one_out(group: list[Checked]) -> dict[str, str]:
    """A part further from the middle of its strip than its tolerance, while the rest lie close together."""
    values = np.array([c.measured.value for c in group if c.measured])
    middle = float(np.median(values))
    off = values / middle - 1
    allowed = max(abs(t) for t in group[0].part.tolerance or (0.05,))
    far = [k for k in range(values.size) if abs(off[k]) > allowed]
    if len(far) != 1 or not np.isfinite(off).all():
        return {}
    k = far[0]
    rest = 100 * float(np.ptp(np.delete(values, k))) / middle
    words = (
        f"It reads {100 * abs(off[k]):.2g} % {'more' if off[k] > 0 else 'less'} than the other {values.size - 1} of its "
        f"strip, which lie within {rest:.2g} % of each other: look at it again."
    )
    return {group[k].part.ref: words}


def _pair_words(one: Checked, other: Checked) -> str:
    assert one.measured is not None
    assert other.measured is not None
    middle = (one.measured.value + other.measured.value) / 2
    apart, doubt = abs(one.measured.value - other.measured.value) / middle, doubt_of_difference(middle)
    return f"{one.part.ref} and {other.part.ref} are a pair, {100 * apart:.2g} % apart, ± {100 * doubt:.1g} %."


def _groups(checked: Iterable[Checked]) -> list[list[Checked]]:
    """By strip or bag."""
    groups: dict[tuple[str, ...], list[Checked]] = {}
    for one in checked:
        if one.part.value is not None:
            groups.setdefault((*sort_of(one.part), one.part.package), []).append(one)
    return list(groups.values())


def strips(checked: Sequence[Checked]) -> list[Strip]:
    """Strips in which every part that was measured reads alike and wrong, with every place they would have gone."""
    out = []
    for group in _groups(checked):
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
