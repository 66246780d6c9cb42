"""A rack of modules or a board of pedals on its supply: each rail's sum in a bar, and what to leave out."""

from __future__ import annotations

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.bar import Bar
from nuvlo.desktop.tools.page import Page
from nuvlo.electrics.rack import Racked, told
from nuvlo.quantity import format_value


class RackTool(Page):
    """A rail below another, then its units, the hungriest first."""

    def show_answer(self, found: Racked) -> None:
        column = self.fresh()
        column.addWidget(label(f"{found.count} units", 15, bold=True))
        for s in found.sums:
            column.addWidget(label(s.rail, 12, "copper", bold=True))
            over = s.margin is not None and s.margin < 0
            column.addWidget(label(told(s), 13, "out" if over else "ink", bold=over))
            if s.supply:
                column.addWidget(Bar(s.rail, s.typical, s.worst, s.supply))
        if found.advice:
            column.addWidget(label(found.advice, 13, "out", bold=True))
        column.addWidget(label("Its units, what draws most first", 11, "faint", bold=True))
        for unit in sorted(found.units, key=lambda u: -u.count * sum(u.worst.values())):
            rails = ", ".join(f"{format_value(unit.count * a, 'A', 3)} from {rail}" for rail, a in unit.worst.items() if a)
            many = f"{unit.count} × " if unit.count > 1 else ""
            column.addWidget(label(f"{many}{unit.name}: {rails or 'nothing stated'}", 12))
        self.turn(column)
