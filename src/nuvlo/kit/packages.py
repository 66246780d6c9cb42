"""Bodies of packages as seen from above."""

from __future__ import annotations

import re

from nuvlo.kit.kinds import kind_of
from nuvlo.kit.parts import Part

# mm, long and wide. Other packages are as their kind has it.
BODIES = {
    "axial-20": (15.0, 6.0), "film-22": (26.0, 8.5),
    "film-30": (32.0, 16.0), "dip-8": (6.6, 9.8), "header-10": (15.0, 8.5), "pot16": (16.5, 16.5),
    "jack": (9.0, 10.5), "led": (5.0, 5.0), "to220": (10.2, 4.6), "to126": (8.0, 2.8),
}  # fmt: skip
ROUND_MM = {"radial-5": 6.4, "radial-7": 16.0}
TALL_CAN_MM, WIDE_CAN_MM = 30.0, 18.0  # an electrolytic that high is a wide can


def can_mm(part: Part | None) -> float:
    """Across the can of an electrolytic."""
    if part and (part.height_mm or 0.0) >= TALL_CAN_MM:
        return WIDE_CAN_MM
    return ROUND_MM.get(part.package if part else "", 6.4)


def body_mm(part: Part) -> tuple[float, float]:
    """Long and wide of a part's body, unturned."""
    if part.kind == "electrolytic":
        return can_mm(part), can_mm(part)
    return box_mm(part.package, part.kind)


def box_mm(package: str, kind: str) -> tuple[float, float]:
    """Long and wide of a body that is no can."""
    if coil := coil_mm(package):
        across, length, on_edge = coil
        return (length, across) if on_edge else (across, across)
    return BODIES.get(package) or kind_of(kind).body_mm


def coil_mm(package: str) -> tuple[float, float, bool] | None:
    """Across, length along its axis, and whether a coil lies on its edge, axis along the board: ``coil-66x28``, ``coil-edge-66x28``."""
    found = re.fullmatch(r"coil-(edge-)?([\d.]+)x([\d.]+)", package)
    return (float(found[2]), float(found[3]), bool(found[1])) if found else None
