"""``bonds``: what of a unit's metal is bonded, where a loop closes, and what floats."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add bonds."""
    one = verbs.add("bonds", _bonds, "which metal is bonded and by what, where a ground loop closes, what floats")
    one.add_argument("folder", type=Path)
    one.add_argument("--painted", default="", metavar="REFS", help="parts under which the paint is still on: J1,J2")


def _bonds(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.radio import radio_filters
    from nuvlo.electrics.straps import settings
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.bonds import bonds, told
    from nuvlo.model.windows import finite

    kit = read_kit(a.folder)
    painted = [kit.part(ref.strip()).ref for ref in a.painted.split(",") if ref.strip()]
    found, straps, radio = bonds(kit, painted), settings(kit), radio_filters(kit)
    document = {
        "bonds": [{"between": [b.one, b.other], "by": b.by, "net": b.net} for b in found.bonds],
        "loops": [[x.by for x in loop] for loop in found.loops], "floating": list(found.floating), "scrape": list(found.scrape),
        "straps": [{"strap": s.strap, "throw": s.throw, "joined": s.joined, "sides": [list(x) for x in s.sides], "hang": list(s.hang), "tones_db": s.tones} for s in straps],
        "radio": [{"lug": r.lug, "part": r.part, "farads": r.farads, "mm": r.mm, "corner_hz": finite(r.corner)} for r in radio],
    }  # fmt: skip
    return int(not found.sound), document, "\n".join([*told(kit, found), *(" ".join(s.words) for s in straps), *(r.words for r in radio)])
