"""How a part sits, how it is soldered, and what is mostly done wrong with it. Common practice of the trade, no source."""

from __future__ import annotations

from nuvlo.kit import Kit, Part
from nuvlo.model.stress import rated

WAY_ROUND = {
    "diode": "Painted band to the printed band.",
    "transistor": "Flat to the printed flat; all three legs free before you push.",
    "electrolytic": "Long lead to the hole marked plus; the stripe is mostly minus, some makers mark plus.",
    "lamp": "Long lead is plus.",
    "socket": "Notch to the printed notch.",
    "chip": "Notch to the printed notch; the dot is pin 1.",
    "header": "Red stripe of the lead to the negative rail.",
}
SEATS = {
    "resistor": "Flush on the board.", "capacitor": "Flush on the board.", "diode": "Flush, its lead bent clear of the glass.",
    "electrolytic": "Flush, so that nothing pulls at its pads.", "transistor": "A few millimetres up: its legs keep heat away.",
    "trimmer": "It fits one way. Leave its screw where the driver can reach it once boards are stacked, at mid travel.",
    "socket": "Flush: two corners first, look, then the rest.", "header": "Flush and upright: one pin first.",
    "regulator": "As high as its hole in the heat sink wants it.", "inductor": "Lying, its axis across that of its neighbour.",
    "potentiometer": "Loose, until the panel holds it.", "jack": "Loose, until the panel holds it.",
    "switch": "Flush and square.", "lamp": "Loose, at the height the panel wants.",
}  # fmt: skip
MISTAKES = {
    "resistor": "The usual mistake: its neighbour's value.", "electrolytic": "The usual mistake: the wrong way round, which bursts.",
    "transistor": "The usual mistakes: turned round, or a regulator of the same body.", "diode": "The usual mistake: the wrong way round.",
    "capacitor": "The usual mistake: 104 read as 10 nF; it is 0.1 µF.", "socket": "The usual mistake: a leg bent under, unseen.",
    "lamp": "The usual mistake: the wrong way round.",
}  # fmt: skip
WARM_RATING_W = 1.0  # from here on a resistor is raised for air
FINE_C, PLAIN_C = 285, 350  # °C of the iron: fine work, plain work


def seating(kit: Kit, part: Part) -> str:
    """Where and how the part sits."""
    said = [SEATS.get(part.kind, "")]
    watts = rated(part.rating, "W") or 0.0
    if part.kind == "resistor" and (watts >= WARM_RATING_W or (part.height_mm or 0.0) > 6.0):
        said = ["Raised some 5\u202fmm: it warms, and air must get under it."]
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
        and part.kind not in ("chip", "valve")
    ):
        said.append(f"Not on the board: {part.note}." if part.note else "Not on the board.")
    return " ".join(s for s in said if s)


def handling(part: Part) -> str:
    """What it minds."""
    said = []
    if part.static_sensitive:
        said.append("Static kills it: earth yourself first, and hold it by its body.")
    if part.heat_sensitive:
        said.append("It minds heat: quick with the iron.")
    return " ".join(said)


def way_round(part: Part) -> str:
    return WAY_ROUND.get(part.kind, "It has a way round: as printed.") if part.polarised else "Either way round."


def iron(parts: list[Part]) -> str:
    """Advice on the iron for a group."""
    shy = [p.ref for p in parts if p.heat_sensitive]
    big = any(p.kind in ("jack", "inductor", "transformer", "switch", "potentiometer") for p in parts)
    said = [f"Iron about {PLAIN_C if big else FINE_C}\u202f°C; heat the work, not the solder."]
    if shy:
        names = ", ".join(shy[:4]) + (" and the others" if len(shy) > 4 else "")
        said.append(f"{names}: two seconds a leg, one leg of each in turn so that it cools.")
    said.append("One leg, see that it sits; then the rest; re-flow the first; clip.")
    return " ".join(said)
