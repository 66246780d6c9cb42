"""Tolerances as builders write them."""

from __future__ import annotations


def parse_tolerance(text: str) -> tuple[float, float] | None:
    """``5%``, ``±1 %`` or ``-20/+50%`` as fractions; ``None`` for an empty text. Raises ``ValueError``.

    >>> parse_tolerance("-20/+50%")
    (-0.2, 0.5)
    """
    clean = text.replace("\u2212", "-").replace("±", "").replace("%", "").replace(",", ".").replace(" ", "")
    if not clean:
        return None
    try:
        if "/" in clean:
            low, high = (float(part) / 100 for part in clean.split("/"))
        else:
            low, high = -float(clean) / 100, float(clean) / 100
    except ValueError:
        raise ValueError(f"'{text}' is not a tolerance; write 5% or -20/+50%") from None
    if not -1 < low <= 0 <= high:
        raise ValueError(f"'{text}' is not a tolerance; it runs from a minus to a plus per cent")
    return low, high


def tolerance_words(tolerance: tuple[float, float]) -> str:
    """``± 1 %`` or ``−20 to +50 %``."""
    low, high = (100 * t for t in tolerance)
    return f"± {high:g} %" if low == -high else f"\u2212{-low:g} to +{high:g} %"
