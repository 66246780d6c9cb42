"""A manual's own order checked: which line blocks or endangers what, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtWidgets import QFrame, QVBoxLayout

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.files.manual import Fault, faults
from nuvlo.files.whole import text_of
from nuvlo.kit import Kit


@dataclass(frozen=True)
class Checked:
    """The lines of an order and what is wrong with it."""

    name: str
    lines: Sequence[str]
    faults: Sequence[Fault]


def answer(kit: Kit, path: Path) -> Checked:
    """What ``manual FILE`` asks. Raises :class:`NuvloError` for a file that cannot be read."""
    text = text_of(path)
    return Checked(path.name, text.splitlines(), faults(kit, text, path.name))


class ManualTool(Page):
    """Shows a :class:`Checked` order."""

    def show_answer(self, found: Checked) -> None:
        column = self.fresh()
        count = len(found.faults)
        words = f"{found.name}: {count or 'nothing'} {'thing' if count == 1 else 'things'} blocked or endangered"
        column.addWidget(label(words if count else f"{found.name}: nothing is blocked or endangered", 15, bold=True))
        for fault in found.faults:
            card = QFrame()
            card.setObjectName("stuck")
            inside = QVBoxLayout(card)
            said = found.lines[fault.line - 1].strip() if fault.line else "the whole order"
            inside.addWidget(label(f"line {fault.line}: {said}" if fault.line else said, 11, "slate", mono=True))
            inside.addWidget(label(f"{fault.words}.", 11, bold=True))
            inside.addWidget(label(fault.reason, 11))
            column.addWidget(card)
        column.addWidget(label("Esc returns to the stage.", 10, "faint"))
        self.turn(column)
        self.setAccessibleName(f"{words}. " + "; ".join(f"line {f.line}: {f.words}" for f in found.faults))
