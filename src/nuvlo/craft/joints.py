"""The joints of a board in the order in which they are looked over: from the edge in."""

from __future__ import annotations

from nuvlo.kit.kit import Kit

RING = 12  # parts looked over at a time (common practice: ten or twelve, no source)


def rings(kit: Kit, refs: tuple[str, ...]) -> list[tuple[str, ...]]:
    """``refs`` in groups from the edge of the board to its middle; in their own order where there is no board."""
    board = kit.board
    if board is None:
        return [refs[k : k + RING] for k in range(0, len(refs), RING)]
    width, height = board.size
    low = board.low

    def inside(ref: str) -> tuple[float, int]:
        placed = board.placements.get(ref)
        if placed is None:
            return -1.0, refs.index(ref)  # at the sockets: before the board
        x, y = placed.x_mm - board.left, placed.y_mm - low
        return min(x, width - x, y, height - y), refs.index(ref)

    ordered = sorted(refs, key=inside)
    return [tuple(ordered[k : k + RING]) for k in range(0, len(ordered), RING)]
