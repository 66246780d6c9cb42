"""Where builders disagree: every question with both sides, the one taken, and what they differ by in this kit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.kit import Kit
from nuvlo.stages.choose.both import Sides, both_sides


def answer(kit: Kit, stances: Mapping[str, str]) -> list[Sides]:
    """What ``both`` asks."""
    return both_sides(kit, stances)


class BothTool(Page):
    """Shows all :class:`Sides`."""

    def show_answer(self, found: Sequence[Sides]) -> None:
        column = self.fresh(6)
        column.addWidget(label("Where builders disagree", 15, bold=True))
        column.addWidget(
            label("Type 'school' and the side you hold to, as in school sections. Esc returns.", 10, "faint")
        )
        for sides in found:
            column.addSpacing(6)
            column.addWidget(label(sides.question.title, 12, bold=True))
            column.addLayout(self._sides(sides))
            column.addWidget(label(f"Here: {sides.difference}.", 11, "slate"))
        self.turn(column)
        self.setAccessibleName("; ".join(f"{s.question.title}: {s.taken}. {s.difference}" for s in found))

    @staticmethod
    def _sides(sides: Sides) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        for row, school in enumerate(sides.question.sides):
            mine = school.name == sides.taken
            name = label(
                f"{school.name}{' (taken)' if mine else ''}", 11, "copper" if mine else "faint", bold=mine, mono=True
            )
            name.setFixedWidth(190)
            name.setWordWrap(False)
            grid.addWidget(name, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(label(school.says, 11, "ink" if mine else "faint"), row, 1)
        return grid
