"""The look over the solder side: joints in rings from the outside in, and the marks they are given."""

from __future__ import annotations

from collections.abc import Mapping

from nuvlo.kit import Kit, Pad

RING = 12  # parts looked over at a time
BAD = ("dull", "bridge", "missing")  # marks that want the iron again
GOOD = "reflowed"


def rings(kit: Kit, refs: tuple[str, ...]) -> list[tuple[str, ...]]:
    """``refs`` in groups from the edge of the board to its middle; in their own order where there is no board."""
    board = kit.board
    if board is None:
        return [refs[k : k + RING] for k in range(0, len(refs), RING)]
    width, height = board.size
    low = min(y for _, y in board.outline)

    def inside(ref: str) -> tuple[float, int]:
        placed = board.placements.get(ref)
        if placed is None:
            return -1.0, refs.index(ref)  # at the sockets: before the board
        x, y = placed.x_mm - board.left, placed.y_mm - low
        return min(x, width - x, y, height - y), refs.index(ref)

    ordered = sorted(refs, key=inside)
    return [tuple(ordered[k : k + RING]) for k in range(0, len(ordered), RING)]


def open_marks(marks: Mapping[str, str], refs: tuple[str, ...]) -> list[str]:
    """What is still wrong with joints of ``refs``, in words."""
    return [f"{joint} is {'bridged' if mark == 'bridge' else mark}" for joint, mark in marks.items()
            if mark in BAD and joint.partition(".")[0] in refs]  # fmt: skip


def joint_named(kit: Kit, text: str) -> str | None:
    """``r4.1`` or, of a part alone, its first pad: as ``R4.1``; None where there is none."""
    ref, _, pin = text.partition(".")
    part = kit.find_part(ref)
    if part is None:
        return None
    pads: tuple[Pad, ...] = kit.board.pads_of(part.ref) if kit.board else ()
    known = [pad.pin for pad in pads]
    if not known:
        return f"{part.ref}.{pin or '1'}"
    return f"{part.ref}.{pin or known[0]}" if not pin or pin in known else None
