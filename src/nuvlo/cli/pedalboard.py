"""``interface``: what stands between a guitar and its amplifiers, and what it does to the sound."""

from __future__ import annotations

import argparse

from nuvlo.cli.answer import Answer, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add the verb."""
    one = verbs.add("interface", _pedalboard, "plans of a pedalboard's interface: ports, normals, current, and what it does to the treble")
    one.add_argument("name", nargs="?", help="a plan that ships, or a TOML file of your own; alone it lists them")


def _pedalboard(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.pedalboard import HERTZ, advice, current, judged
    from nuvlo.files.pedalboard import read_plan, shipped

    if a.name is None:
        plans = [(name, read_plan(name).title) for name in shipped()]
        return 0, {"plans": [name for name, _ in plans]}, "\n".join(f"{name:18s} {title}" for name, title in plans)
    plan = read_plan(a.name)
    found = judged(plan)
    lines = [f"{plan.title}. {plan.says}"]
    lines += [f"  {port:18s} {says}" for port, says in found.ports]
    lines += [f"  {n[0].upper()}{n[1:]}." for n in found.normals]
    lines.append(f"  {current(plan, found)}")
    lines.append("Against the guitar with one lead of 3 m, straight into an amplifier:")
    lines += [f"  {end.words}" for end in found.ends]
    lines += [said] if (said := advice(plan, found)) else []
    responses = [{"at": e.name, "hertz": HERTZ.tolist(), "db": e.db.tolist(), "treble_db": e.treble_db, "middle_db": e.middle_db} for e in found.ends]
    return 0, {"ports": [{"port": p, "says": s} for p, s in found.ports], "normals": list(found.normals),
               "current": {"A": found.amps, "V": plan.volts, "W": found.watts}, "responses": responses}, "\n".join(lines)  # fmt: skip
