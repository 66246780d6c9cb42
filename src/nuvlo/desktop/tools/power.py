"""What a unit draws from its supplies; and what of its metal is bonded."""

from __future__ import annotations

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.bar import Bar
from nuvlo.desktop.tools.page import Page
from nuvlo.electrics.power import Rail, told
from nuvlo.electrics.radio import RadioFilter
from nuvlo.electrics.straps import Setting
from nuvlo.kit import Kit
from nuvlo.model.bonds import Bonds
from nuvlo.model.bonds import told as told_bonds
from nuvlo.quantity import format_value

WARN = ("LOOP", "FLOATING", "NO RETURN")


class PowerTool(Page):
    """A rail below another: what it draws, in large; then what follows from it."""

    def show_answer(self, rails: list[Rail]) -> None:
        column = self.fresh()
        column.addWidget(label("What it draws", 15, bold=True))
        for rail in rails:
            column.addWidget(label(f"{rail.name}   {format_value(rail.volts, 'V', 3)}", 12, "copper", bold=True))
            first, *more = told(rail)
            column.addWidget(label(first, 13))
            if rail.limit:
                column.addWidget(Bar(rail.name, rail.typical, rail.worst, rail.limit, first))
            for line in more:
                column.addWidget(label(f"{line[0].upper()}{line[1:]}.", 11))
        self.turn(column)


class BondsTool(Page):
    """A sentence for each bond, ring and piece that floats; then what each setting of a strap does, and what keeps radio out."""

    def show_answer(self, found: tuple[Kit, Bonds, list[Setting], list[RadioFilter]]) -> None:
        kit, now, straps, radio = found
        column = self.fresh()
        column.addWidget(label("Ground and case", 15, bold=True))
        for line in told_bonds(kit, now):
            wrong = line.startswith(WARN)
            column.addWidget(label(line, 12, "out" if wrong else "ink", bold=wrong))
        if now.sound and now.bonds:
            column.addWidget(label("Bonded once, no ring, nothing floats.", 12, "good", bold=True))
        for setting in straps:
            for k, line in enumerate(setting.words):
                column.addWidget(label(line, 12, "out" if line.startswith(WARN) else "ink", bold=k == 0))
        if radio:
            column.addWidget(label("Against radio", 12, "copper", bold=True))
        for one in radio:
            column.addWidget(label(one.words, 12))
        self.turn(column)
