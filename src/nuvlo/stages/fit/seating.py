"""How a part sits, how it is soldered, and what is mostly done wrong with it. Common practice of the trade, no source."""

from __future__ import annotations

from nuvlo.electrics.stress import rated
from nuvlo.kit import Kit, Part
from nuvlo.kit.kinds import kind_of

WARM_RATING_W = 1.0  # from here on a resistor is raised for air
FINE_C, PLAIN_C = 285, 350  # °C of the iron: fine work, plain work


def seating(kit: Kit, part: Part) -> str:
    """Where and how the part sits."""
    said = [kind_of(part.kind).seat]
    watts = rated(part.rating, "W") or 0.0
    if part.kind == "resistor" and (watts >= WARM_RATING_W or (part.height_mm or 0.0) > 6.0):
        said = ["Raised some 5\u202fmm: it warms, and air must get under it."]
    tags = kit.on_tags.get(part.ref)
    if tags:
        warm = " Held off what is near it: it warms." if len(said) == 1 and said[0].startswith("Raised") else ""
        return f"On the tags of {tags}, its leads short and clear of their neighbours.{warm}"
    if "upright" in part.package:
        said = ["Upright, over the hole with the ring."]
    for relation in kit.info.relation:
        if relation.part == part.ref and relation.how == "touches":
            said.append(f"It lies against {relation.to}. {relation.why}".strip())
        elif relation.part == part.ref and relation.how == "insulate":
            said.append(f"On {relation.to}. {relation.why}".strip())
        elif relation.part == part.ref and relation.how == "below":
            said.append(f"Below {relation.to}.")
    if (
        kit.board is not None
        and part.on_board
        and part.ref not in kit.board.placements
        and not kind_of(part.kind).plugged
    ):
        said = [f"Not on the board: {part.note}." if part.note else "Not on the board."]
    return " ".join(s for s in said if s)


def handling(part: Part) -> str:
    """What it minds."""
    said = []
    if part.static_sensitive:
        said.append("Static kills it: touch what it goes into first, and hold it by its body.")
    if part.heat_sensitive:
        said.append("It minds heat: quick with the iron.")
    return " ".join(said)


def way_round(part: Part) -> str:
    kind = kind_of(part.kind)
    if part.polarised or kind.one_way_round or kind.way_round:
        return kind.way_round or "It has a way round: as printed."
    if kind.fits_one_way:
        return "It fits one way."
    return "Either way round." if kind.either_way else "As printed: whether it has a way round is not known here."


def iron(parts: list[Part]) -> str:
    """Advice on the iron for a group."""
    shy = [p.ref for p in parts if p.heat_sensitive]
    big = any(kind_of(p.kind).big for p in parts)
    said = [f"Iron about {PLAIN_C if big else FINE_C}\u202f°C; heat the work, not the solder."]
    if shy:
        names = ", ".join(shy[:4]) + (" and the others" if len(shy) > 4 else "")
        said.append(f"{names}: two seconds a leg, one leg of each in turn so that it cools.")
    said.append("One leg, see that it sits; then the rest; re-flow the first; clip.")
    return " ".join(said)
