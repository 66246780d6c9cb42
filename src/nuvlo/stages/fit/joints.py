"""The marks that joints are given when the solder side is looked over."""

from __future__ import annotations

from collections.abc import Mapping

from nuvlo.kit import Kit, Pad

BAD = ("dull", "bridge", "missing")  # marks that want the iron again
GOOD = "reflowed"


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
