"""What to write to the seller, and what to buy: from the states of the parts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvlo.kit import Kit, Part
from nuvlo.kit.kinds import kind_of
from nuvlo.quantity import Verdict, format_value
from nuvlo.stages.unpack.check_in import Checked, Strip

OPENING = "Hello,\n\nI have checked the parts of my {name} kit{revision} against its list. This is what I found:\n"
CLOSING = "\nCould you send what is missing, and the right parts for the wrong ones?\n\nKind regards\n"


def letter(kit: Kit, checked: Sequence[Checked], wrong_strips: Sequence[Strip], marks: Mapping[str, str]) -> str:
    """A plain letter that names what is missing, wrong and doubtful; empty where nothing is. No names are invented."""
    in_strips = {ref for strip in wrong_strips for ref in strip.refs}
    lines = [
        f"- {', '.join(s.refs)}: {len(s.refs)} parts listed as {format_value(s.printed, s.unit)} all read about "
        f"{format_value(s.reads, s.unit)}: it looks as if the whole strip is {format_value(s.likely, s.unit)}."
        for s in wrong_strips
    ]
    for state, words in (
        ("missing", "not in the box"),
        ("wrong", "not the part that is listed"),
        ("doubtful", "looks re-marked or out of production"),
    ):
        refs = [p.ref for p in kit.parts.values() if marks.get(p.ref) == state]
        lines += [f"- {ref} ({_named(kit.part(ref))}): {words}." for ref in refs]
    for one in checked:
        if one.verdict is Verdict.OUT and one.part.ref not in in_strips and one.part.ref not in marks and one.measured:
            looks = f" and {one.is_words}" if one.which and not one.which.right and not one.measured.over_range else ""
            lines.append(f"- {one.part.ref} ({_named(one.part)}) reads {one.measured}{looks}.")
    if not lines:
        return ""
    revision = f" (revision {kit.info.kit.revision})" if kit.info.kit.revision else ""
    return OPENING.format(name=kit.name, revision=revision) + "\n".join(lines) + "\n" + CLOSING


def _named(part: Part) -> str:
    return f"{part.kind} {part.text}"


def shopping_list(kit: Kit, marks: Mapping[str, str], posts: bool = True) -> list[tuple[str, float | None]]:
    """(what, cost) to buy: what the kit needs beside its parts, parts that boxes seldom hold, and those missing.

    ``posts``: wires go to posts, which no box holds either. The last line is what all parts with a price cost together.
    """
    out: list[tuple[str, float | None]] = [(f"{n.kind}: {n.name}", n.cost) for n in kit.info.need]
    out += [
        (f"{p.ref}: {_named(p)}", p.cost) for p in kit.parts.values()
        if not kind_of(p.kind).in_the_box or marks.get(p.ref) == "missing"
    ]  # fmt: skip
    if posts and kit.wire_ends:
        out.append((f"part: {len(kit.wire_ends)} posts for wires, at {', '.join(kit.wire_ends)}", None))
    costs = [p.cost for p in kit.parts.values() if p.cost is not None]
    return [*out, (f"all {len(costs)} parts with a price", sum(costs))]
