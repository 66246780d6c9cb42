"""Which way to bend each lead on the solder side, so that it stays clear of pads that are not its own net's."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.kit.board import Board, Pad
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import Kit
from nuvlo.kit.nets import UNCONNECTED

Array = NDArray[np.float64]
LENGTHS_MM = (2.5, 2.0, 1.5)  # of a bent lead from its pad's middle, the usual one first (common practice, no source)
LEAD_MM = 0.6  # thickness of a lead
LEAST_MM = 0.5  # clearance below which a lead is a danger
AMPLE_MM = 2.0  # clearance beyond which more is worth nothing


@dataclass(frozen=True)
class Lead:
    """One lead. ``clock`` is 1 to 12 as seen on the solder side, the board turned over about its vertical axis;
    ``clearance_mm`` from the lead's edge to the nearest pad of another net, which is ``near``."""

    ref: str
    pin: str
    clock: int
    length_mm: float
    clearance_mm: float
    near: str

    @property
    def tight(self) -> bool:
        """Nothing clears it by what a lead should have."""
        return self.clearance_mm < LEAST_MM


def bends(kit: Kit) -> list[Lead]:
    """Every lead of the board that is bent, in the order of ``pads.csv``; empty where the kit has no board.

    Each takes the clock hour that keeps it farthest from foreign pads; among hours with ample room the one that points
    away from its own part. A shorter bend is taken only where the usual one comes too close.
    """
    if "bends" not in kit.memory:
        kit.memory["bends"] = _bends(kit, kit.board) if kit.board else []
    found: list[Lead] = kit.memory["bends"]
    return found


def _bends(kit: Kit, board: Board) -> list[Lead]:
    out = []
    for pad in board.pads:
        part = kit.find_part(pad.ref)
        if pad.ref in board.placements and (part is None or kind_of(part.kind).bent):
            out.append(_bend(board, pad))
    return out


def _bend(board: Board, pad: Pad) -> Lead:
    foreign = [q for q in board.pads if q.net != pad.net or (q.net == UNCONNECTED and q is not pad)]
    hours = np.arange(1, 13)
    outward = _outward(board, pad, hours)
    best: tuple[float, int, float, int] | None = None
    for length in LENGTHS_MM:
        room = clearances(board, pad, foreign, hours, length)
        least = room.min(axis=1, initial=np.inf)
        worth = np.minimum(least, AMPLE_MM)
        # A pad beside the lead's root is as near whichever way it points: then its tip decides.
        tip = np.minimum(_tips(board, pad, foreign, hours, length), 2 * AMPLE_MM)
        k = int(np.lexsort((-outward, -np.round(tip, 3), -np.round(worth, 3)))[0])
        near = int(np.argmin(room[k])) if foreign else -1
        if best is None or least[k] > best[0] + 1e-9:
            best = (float(least[k]), int(hours[k]), length, near)
        if best[0] >= LEAST_MM:
            break
    assert best is not None
    clearance, clock, length, near = best
    named = f"{foreign[near].ref}.{foreign[near].pin}" if near >= 0 else ""
    return Lead(pad.ref, pad.pin, clock, length, clearance, named)


def direction(board: Board, hours: NDArray[np.int_]) -> Array:
    """(H, 2): unit vectors of clock hours as seen on the solder side, in the board's own x and y."""
    angle = np.radians(90.0 - 30.0 * hours)
    mirrored = -1.0 if board.seen_from(1.0, "bottom") < board.seen_from(0.0, "bottom") else 1.0
    return np.column_stack([mirrored * np.cos(angle), np.sin(angle)])


def clearances(board: Board, pad: Pad, foreign: list[Pad], hours: NDArray[np.int_], length: float) -> Array:
    """(H, Q) mm between the edge of a lead bent to each hour and the edge of each foreign pad."""
    at = np.array([[q.x_mm - pad.x_mm, q.y_mm - pad.y_mm] for q in foreign]).reshape(-1, 2)
    way = direction(board, hours)
    along = np.clip(at @ way.T, 0.0, length)  # (Q, H): the nearest place on the lead
    apart = np.linalg.norm(at[:, None, :] - along[..., None] * way, axis=2)
    size = np.array([q.pad_mm / 2 for q in foreign])
    return np.asarray((apart - size[:, None] - LEAD_MM / 2).T)


def _tips(board: Board, pad: Pad, foreign: list[Pad], hours: NDArray[np.int_], length: float) -> Array:
    """(H,) mm from the tip of a lead bent to each hour to the middle of the nearest foreign pad."""
    if not foreign:
        return np.full(hours.size, np.inf)
    at = np.array([[q.x_mm - pad.x_mm, q.y_mm - pad.y_mm] for q in foreign])
    tips = length * direction(board, hours)
    return np.asarray(np.linalg.norm(at[:, None, :] - tips, axis=2).min(axis=0))


def _outward(board: Board, pad: Pad, hours: NDArray[np.int_]) -> Array:
    """(H,): how far each hour points away from the middle of the part."""
    middle = np.mean([[q.x_mm, q.y_mm] for q in board.pads_of(pad.ref)], axis=0)
    return np.asarray(direction(board, hours) @ (np.array([pad.x_mm, pad.y_mm]) - middle))
