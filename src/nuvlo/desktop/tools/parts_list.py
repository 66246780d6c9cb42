"""A parts list read in: what each column was taken for, the parts, and every line that was not read with its reason."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QAbstractItemView, QFrame, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.files.parts_list import MEANINGS, PartsList
from nuvlo.files.parts_list.writer import tolerance_text

HEADINGS = ("line", "reference", "kind", "value", "tolerance", "rating", "note")
NOTE = HEADINGS.index("note")
MOST_ROWS = 400


class PartsListTool(QWidget):
    """The preview of a list, before a kit is made of it."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 4, 12, 4)
        column.setSpacing(8)
        self.heading, self.columns = label("", 15, bold=True), label("", 11, "slate", mono=True)
        self.unread = label("", 11)
        self.card = QFrame()
        self.card.setObjectName("stuck")
        inside = QVBoxLayout(self.card)
        self.unread_heading = label("", 11, "out", bold=True)
        inside.addWidget(self.unread_heading)
        inside.addWidget(self.unread)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        across, down = self.table.horizontalHeader(), self.table.verticalHeader()
        assert across is not None
        assert down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across.setStretchLastSection(True)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setHighlightSections(False)
        down.hide()
        self.hint = label("", 10, "faint")
        self.made_up = label("", 12, "near", bold=True)
        for widget in (self.heading, self.made_up, self.columns, self.card, self.table, self.hint):
            column.addWidget(widget, 1 if widget is self.table else 0)

    def show_list(self, found: PartsList) -> None:
        """Replace what is shown."""
        count = len(found.parts)
        self.heading.setText(
            f"{found.name}: {count} parts, {len(found.unread) or 'no'} line{'' if len(found.unread) == 1 else 's'} not read"
        )
        self.made_up.setText(found.made_up)
        self.made_up.setVisible(bool(found.made_up))
        taken = "   ".join(f"{heading} → {meaning}" for heading, meaning in found.columns.items())
        self.columns.setText(taken or "plain text, line by line")
        self.card.setVisible(bool(found.unread))
        self.unread_heading.setText("Not read")
        shown = [f"line {u.line}: {u.text[:60]}: {u.why}" for u in found.unread[:6]]
        more = [f"and {len(found.unread) - 6} more"] if len(found.unread) > 6 else []
        self.unread.setText("\n".join(shown + more))
        self.hint.setText(
            f"A column taken wrongly: column HEADING MEANING, one of {', '.join(MEANINGS)}. "
            "All right: take NAME begins a build of it. Esc returns to the stage."
        )
        self._fill(found)
        self.setAccessibleName(f"{self.heading.text()}. {found.made_up} {taken}. {self.unread.text()}")

    def _fill(self, found: PartsList) -> None:
        rows = found.parts[:MOST_ROWS]
        self.table.setRowCount(len(rows))
        for k, listed in enumerate(rows):
            part = listed.part
            spread = tolerance_text(part.tolerance)
            cells = (str(listed.line), part.ref, part.kind, part.text, spread, part.rating, part.note)
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFont(theme.values(10) if column not in (2, NOTE) else theme.words(10))
                item.setForeground(
                    QColor(theme.current().near if listed.note and column == NOTE else theme.current().ink)
                )
                self.table.setItem(k, column, item)
