"""Kits as nouns: parts, circuit, board, wiring, panel and procedures. :mod:`nuvlo.files` reads them."""

from nuvlo.kit.board import Board, Pad
from nuvlo.kit.kit import Change, Kit, KitError
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Choice, Control, Hazard, KitFile, Point, Stage, Supply, Trim
from nuvlo.kit.wiring import PanelHole, Wire

__all__ = [
    "Board", "Change", "Choice", "Control", "Hazard", "Kit", "KitError", "KitFile", "Pad", "PanelHole", "Part", "Point",
    "Stage", "Supply", "Trim", "Wire",
]  # fmt: skip
