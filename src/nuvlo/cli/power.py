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
    from nuvlo.electrics.power import rails, told
    from nuvlo.files.kit_folder import read_kit
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
    from nuvlo.electrics.rack import racked, told
    from nuvlo.files.rack import read_rack

    found = racked(read_rack(a.file))
    lines = [f"{found.count} units", *(f"  {s.rail:10s} {told(s)}" for s in found.sums), *([found.advice] if found.advice else [])]
    rows = [{"rail": s.rail, "typical": s.typical, "worst": s.worst, "supply": s.supply, "margin": s.margin, "farads": s.farads} for s in found.sums]
    return int(found.over), {"rails": rows, "leave_out": found.out}, "\n".join(lines)


def _positive(value: float, text: str) -> float:
    from nuvlo.problems import NuvloError, Problem

    if value <= 0:
        raise NuvloError(Problem(f"'{text}' is not more than nothing.", "Give what there is."))
    return value
