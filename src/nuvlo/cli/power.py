"""``power`` and ``rack``: what a unit draws, and what many do together."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add power and rack."""
    one = verbs.add("power", _power, "what a unit draws from each supply, typically and at worst, and what is left of it")
    one.add_argument("folder", type=Path)
    one.add_argument("--supply", action="append", default=[], metavar="NAME=A", help="what a supply gives: '9 V supply=100m'")
    one.add_argument("--wire", metavar="MM2", help="copper of its leads, mm²: then the volts lost in them are told")
    one.add_argument("--length", metavar="M", default="1", help="and their length, m")
    many = verbs.add("rack", _rack, "the sum of many units on one supply: CSV unit,count,kit,+12 V,-12 V … in mA, a row 'supply'")
    many.add_argument("file", type=Path)


def _power(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.power import rails, told
    from nuvlo.problems import NuvloError, Problem
    from nuvlo.quantity import parse_value

    kit = read_kit(a.folder)
    limits = {}
    for text in a.supply:
        name, there, amps = text.rpartition("=")
        if not there or name.lower() not in [s.name.lower() for s in kit.info.supply]:
            known = ", ".join(s.name for s in kit.info.supply) or "none"
            raise NuvloError(Problem(f"'{text}' names no supply of {kit.name}.", f"Its supplies: {known}. Write NAME=100m."))
        limits[name] = _positive(parse_value(amps, "A"), text)
    copper, metres = (_positive(parse_value(v), v) if v else 0.0 for v in (a.wire, a.length))
    found = rails(kit, limits)
    lines: list[str] = []
    rows = []
    for r in found:
        lines += [f"{r.name if k == 0 else '':16s} {line}" for k, line in enumerate(told(r, copper, metres))]
        rows.append({"rail": r.name, "typical": r.typical, "worst": r.worst, "margin": r.margin, "limit": r.limit, "watts": r.watts,
                     "farads": r.farads, "hours": r.hours, "rush": r.rush, "ripple": r.ripple, "centre": r.centre})  # fmt: skip
    return int(any(r.margin is not None and r.margin < 0 for r in found)), {"rails": rows}, "\n".join(lines) or f"{kit.name} has no supply of its own."


def _rack(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.files.rack import read_rack
    from nuvlo.model.power import Drawn, added, leave_out, rails
    from nuvlo.quantity import format_value

    rack = read_rack(a.file)
    units = []
    for row in rack.units:
        known = {r.name: r for r in rails(read_kit(row.kit))} if row.kit else {}
        typical, worst = {n: r.typical for n, r in known.items()} | row.typical, {n: r.worst for n, r in known.items()} | row.worst
        units.append(Drawn(row.name, row.count, typical, worst, {n: r.farads for n, r in known.items()}))
    sums = added(units, rack.supply)
    out = leave_out(units, rack.supply)
    lines = [f"{sum(u.count for u in units)} units"]
    for s in sums:
        line = f"  {s.rail:10s} {format_value(s.typical, 'A', 3):>9s} typical, {format_value(s.worst, 'A', 3)} at worst"
        if s.supply is not None and s.margin is not None:
            line += f" of {format_value(s.supply, 'A')}: " + (f"{100 * s.margin:.0f} % left" if s.margin >= 0 else "TOO MUCH")
        lines.append(line + (f"; fills {format_value(s.farads, 'F', 2)}" if s.farads else ""))
    over = any(s.margin is not None and s.margin < 0 for s in sums)
    if out:
        lines.append(f"Without {' and '.join(out)} it holds.")
    elif over:
        lines.append("Leaving out four units is not enough: a larger supply, or a second one.")
    rows = [{"rail": s.rail, "typical": s.typical, "worst": s.worst, "supply": s.supply, "margin": s.margin, "farads": s.farads} for s in sums]
    return int(over), {"rails": rows, "leave_out": out}, "\n".join(lines)


def _positive(value: float, text: str) -> float:
    from nuvlo.problems import NuvloError, Problem

    if value <= 0:
        raise NuvloError(Problem(f"'{text}' is not more than nothing.", "Give what there is."))
    return value
