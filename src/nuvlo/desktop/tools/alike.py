"""Parts of a kit that are easily taken for one another, and how to tell them apart."""

from __future__ import annotations

from nuvlo.craft.look_alikes import look_alikes
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.kit import Kit


class AlikeTool(Page):
    """A line for each pair."""

    def show_answer(self, kit: Kit) -> None:
        column = self.fresh()
        column.addWidget(label("Easily taken for one another", 15, bold=True))
        found = look_alikes(kit)
        if not found:
            column.addWidget(label("Nothing in this kit is easily taken for anything else.", 12))
        for one in found:
            column.addWidget(label(f"{', '.join(one.first)}   and   {', '.join(one.second)}", 12, "copper", bold=True))
            column.addWidget(label(f"{one.why}. To tell them apart: {one.tell}.", 11))
        self.turn(column)
