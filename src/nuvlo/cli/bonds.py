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
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.bonds import bonds

    kit = read_kit(a.folder)
    painted = [kit.part(ref.strip()).ref for ref in a.painted.split(",") if ref.strip()]
    found = bonds(kit, painted)
    shell = {p.ref for p in kit.parts.values()}
    lines = [f"{b.one if b.one in shell else b.other} is bonded by {b.by}." for b in found.bonds]
    lines += [f"{ref} is open until the paint under it is scraped away." for ref in found.scrape]
    for loop in found.loops:
        lines.append(f"LOOP: {', '.join(x.by for x in loop)}. Insulate one of them, or leave it out.")
    if found.floating:
        are, touches = ("is", "it") if len(found.floating) == 1 else ("are", "them")
        lines.append(f"FLOATING: {', '.join(found.floating)} {are} on no net: hum where a hand touches {touches}, and no shield.")
    if any(s.mains_hz for s in kit.info.supply):
        lines.append("The safety earth from the inlet to the case is another bond, by a screw of its own: for a qualified person.")
    if not kit.wires:
        lines.append(f"{kit.name} has no wiring.csv, so nothing is known of its metal.")
    elif not lines:
        lines.append(f"{kit.name} states no metal: [[metal]] in kit.toml says what touches the case.")
    document = {
        "bonds": [{"between": [b.one, b.other], "by": b.by, "net": b.net} for b in found.bonds],
        "loops": [[x.by for x in loop] for loop in found.loops], "floating": list(found.floating), "scrape": list(found.scrape),
    }  # fmt: skip
    return int(not found.sound), document, "\n".join(lines)
