"""``type``: what is known of a registered type."""

from __future__ import annotations

import argparse

from nuvlo.cli.answer import Answer, Document, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add type."""
    one = verbs.add("type", _type, "what is known of a registered type: pins, ratings, spread, what may stand in for it")
    one.add_argument("name", nargs="?", help="as it is printed on the part: BC549C, TL072CP, 12AX7; none lists all")


def _type(a: argparse.Namespace) -> Answer:
    from nuvlo.catalogue import marks, named, types
    from nuvlo.catalogue.bench import UNITS, shown
    from nuvlo.catalogue.spread import spread_of
    from nuvlo.catalogue.words import SORTS, told
    from nuvlo.circuit.shipped import node_order
    from nuvlo.electrics.stress import rated

    if a.name is None:
        rows = [(t.name, SORTS[t.sort], t.package) for t in types().values()]
        document: Document = {"types": [{"name": n, "kind": s, "package": p} for n, s, p in rows]}
        return 0, document, "\n".join(f"{n:22s} {s:34s} {p}" for n, s, p in rows)
    t = named(a.name)
    figures: list[Document] = [
        {"figure": p.what, "at": list(p.at), "unit": UNITS.get(p.what, ""), "published": p.value, "model": shown(t, p)}
        for p in t.published
    ] if a.json else []  # fmt: skip
    document = {
        "name": t.name, "kind": t.sort, "package": t.package, "pins": {str(p.number): p.name for p in t.pins}, "nodes": list(node_order(t.model)),
        "ratings": {u: v for u in ("V", "A", "W") if (v := rated(t.ratings, u)) is not None},
        "spread": {s.parameter: [s.low, s.high, "share" if s.relative else "value"] for s in spread_of(t)},
        "stands_in": [{"name": n, "differs": change} for n, change in t.instead], "also": list(t.also), "marks": list(marks(t)), "ended": t.ended,
        "says": t.says, "heat_sensitive": t.heat_sensitive, "static_sensitive": t.static_sensitive, "model": t.model,
        "figures": figures,
    }  # fmt: skip
    return 0, document, "" if a.json else "\n  ".join(told(t))
