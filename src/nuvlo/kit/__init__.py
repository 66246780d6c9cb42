"""Kits: parts, circuit, board, wiring, panel and procedures, read from and checked in an open folder."""

from nuvlo.kit.board import Board, Pad
from nuvlo.kit.folder import Change, Kit, KitError, check_kit, read_kit
from nuvlo.kit.schema import Choice, Control, Hazard, KitFile, Point, Stage, Supply, Trim
from nuvlo.kit.tables import PanelHole, Part, Wire

__all__ = [
    "Board", "Change", "Choice", "Control", "Hazard", "Kit", "KitError", "KitFile", "Pad", "PanelHole", "Part", "Point",
    "Stage", "Supply", "Trim", "Wire", "check_kit", "read_kit",
]  # fmt: skip
