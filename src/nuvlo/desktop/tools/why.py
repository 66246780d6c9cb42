"""Why a window is as wide as it is, and what would move the reading out of it."""

from __future__ import annotations

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.bar import Bar
from nuvlo.desktop.tools.page import Page
from nuvlo.diagnosis.why import Why
from nuvlo.quantity import format_span, format_value

MOST_PARTS, MOST_MISTAKES = 6, 8


class WhyTool(Page):
    """What widens the window, a bar each; then single mistakes, the usual ones first, with what they make of the reading."""

    def show_answer(self, found: Why) -> None:
        column = self.fresh()
        inside = format_span(found.low, found.high, found.unit)
        column.addWidget(label(f"{found.of.name}: {inside}", 15, bold=True))
        column.addWidget(label("What widens it", 12, "copper", bold=True))
        for of, share in found.widened[:MOST_PARTS]:
            column.addWidget(label(f"{of}: {100 * share:.0f}\u202f% of the spread", 12))
            column.addWidget(Bar(of, share, share, 1.0, f"{of}, {share:.0%}"))
        if not found.widened:
            column.addWidget(label("Nothing that is known of: it is as narrow as a meter can tell.", 12))
        column.addWidget(label("What would move it, the usual mistakes first", 12, "copper", bold=True))
        for text, to in found.moved[:MOST_MISTAKES]:
            column.addWidget(label(f"to {format_value(to, found.unit, 3)} if {text}", 12))
        more = len(found.moved) - MOST_MISTAKES
        if more > 0:
            column.addWidget(label(f"and {more} more that show here", 10, "faint"))
        self.turn(column)
