"""Numbers of the command line, within sensible bounds."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable


def whole(least: int, most: int) -> Callable[[str], int]:
    """Reads a whole number from ``least`` to ``most``."""

    def read(text: str) -> int:
        try:
            found = int(text) if len(text) < 20 else None
        except ValueError:
            found = None
        if found is None or not least <= found <= most:
            raise argparse.ArgumentTypeError(f"'{text[:40]}' is not a whole number from {least:,} to {most:,}")
        return found

    return read


def real(least: float, most: float) -> Callable[[str], float]:
    """Reads a number from ``least`` to ``most``."""

    def read(text: str) -> float:
        try:
            found = float(text)
        except ValueError:
            found = math.nan
        if not least <= found <= most:
            raise argparse.ArgumentTypeError(f"'{text[:40]}' is not a number from {least:g} to {most:,.0f}")
        return found

    return read


SEED = whole(0, 2**32 - 1)
BUILDS = whole(1, 100_000)  # one is no ensemble: that is said with what it was wanted for
