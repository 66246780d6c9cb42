"""A rack or board as its user keeps it, summed per rail: what kits draw is worked out where the row does not say."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nuvlo.electrics.power import Drawn, Sum, added, leave_out, rails
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.rack import Rack
from nuvlo.problems import NuvloError
from nuvlo.quantity import format_value


@dataclass(frozen=True)
class Racked:
    """The units, the sum of each rail, and which units to leave ``out`` where a rail does not hold."""

    units: list[Drawn]
    sums: list[Sum]
    out: list[str]

    @property
    def count(self) -> int:
        return sum(u.count for u in self.units)

    @property
    def over(self) -> bool:
        return any(s.margin is not None and s.margin < 0 for s in self.sums)

    @property
    def advice(self) -> str:
        """What to do where it does not hold; empty where it does."""
        if self.out:
            return f"Without {' and '.join(self.out)} it holds."
        return "Leaving out four units is not enough: a larger supply, or a second one." if self.over else ""


def racked(rack: Rack) -> Racked:
    """Sum a rack. Raises :class:`NuvloError` for a kit that cannot be read."""
    units = []
    for row in rack.units:
        try:
            known = {r.name: r for r in rails(read_kit(row.kit))} if row.kit else {}
        except NuvloError as bad:
            raise NuvloError([replace(p, message=f"the kit of '{row.name}': {p.message}") for p in bad.problems]) from bad
        typical, worst = {n: r.typical for n, r in known.items()} | row.typical, {n: r.worst for n, r in known.items()} | row.worst
        units.append(Drawn(row.name, row.count, typical, worst, {n: r.farads for n, r in known.items()}))
    return Racked(units, added(units, rack.supply), leave_out(units, rack.supply))


def told(s: Sum) -> str:
    """One rail in words."""
    line = f"{format_value(s.typical, 'A', 3)} typical, {format_value(s.worst, 'A', 3)} at worst"
    if s.supply is not None and s.margin is not None:
        line += f" of {format_value(s.supply, 'A')}: " + (f"{100 * s.margin:.0f} % left" if s.margin >= 0 else "TOO MUCH")
    return line + (f"; fills {format_value(s.farads, 'F', 2)} at switching on" if s.farads else "")
