"""``cabinet``: every way to wire the loudspeakers of a cabinet."""

from __future__ import annotations

import argparse

from nuvlo.cli.answer import Answer, Document, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add cabinet."""
    one = verbs.add("cabinet", _cabinet, "wirings of several loudspeakers: impedance, what each bears, what an amplifier allows")
    one.add_argument("drivers", help="how many, and their nominal impedance: 4x16, or 2x16+2x8")
    one.add_argument("--dc", metavar="OHMS", default="", help="what each measures, in their order: 13.1,13.4,13.0,13.3")
    one.add_argument("--amp-min", metavar="OHMS", help="the least nominal impedance that the amplifier may be loaded with")
    one.add_argument("--wiring", type=int, default=1, metavar="N", help="which of the wirings --cones speaks of, from the top")
    one.add_argument("--cones", metavar="MOVED", help="which way each moves with a battery's plus on red: out,out,in,still")
    one.add_argument("--power", metavar="W", help="what the amplifier gives: then each driver's watts are told")


def _cabinet(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.cabinet import drivers_of, polarity, wirings
    from nuvlo.problems import NuvloError, Problem
    from nuvlo.quantity import format_value, parse_value

    measured = [parse_value(r, "Ω") for r in a.dc.split(",")] if a.dc else []
    drivers = drivers_of(a.drivers, measured)
    found = wirings(drivers, parse_value(a.amp_min, "Ω") if a.amp_min else None)
    watts = parse_value(a.power, "W") if a.power else None
    if watts is not None and watts <= 0:
        raise NuvloError(Problem(f"'{a.power}' is not more than nothing.", "Give the watts that the amplifier gives."))

    def ohms(value: float) -> str:
        return format_value(value, "Ω", 3)

    lines = [f"{'wiring':34s} {'nominal':>9s} {'least':>9s} {'dc':>9s}  share of the power"]
    for w in found:
        parts = ", ".join(f"{100 * s:.0f} %" if watts is None else format_value(s * watts, "W", 2) for s in w.share)
        no = "" if w.allowed else "   too low for this amplifier"
        lines.append(f"{w.expression:34s} {ohms(w.nominal):>9s} {ohms(w.minimum):>9s} {ohms(w.dc):>9s}  {parts}{no}")
    document: Document = {}
    if a.cones:
        if not 1 <= a.wiring <= len(found):
            raise NuvloError(Problem(f"there is no wiring {a.wiring}.", f"1 to {len(found)}, as they are listed."))
        picked = found[a.wiring - 1]
        said = polarity(picked.group, [m.strip().lower() for m in a.cones.split(",")])
        lines = [f"With {picked.expression}:", *(said or ["All move out: all are the right way round."])]
        document["polarity"] = said
    rows = [w.as_json() | ({"power": [s * watts for s in w.share]} if watts is not None else {}) for w in found]
    return int(bool(document.get("polarity"))), {"wirings": rows, **document}, "\n".join(lines)
