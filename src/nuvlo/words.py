"""Names in a sentence."""

from __future__ import annotations

from collections.abc import Sequence


def listed(names: Sequence[str], link: str = "and") -> str:
    """``R1``; ``R1 and R2``; ``R1, R2 and R3``."""
    return f" {link} ".join(filter(None, (", ".join(names[:-1]), *names[-1:])))
