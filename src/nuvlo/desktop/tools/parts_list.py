"""A parts list read in: what each column was taken for, every line that was not read with its reason, and the parts."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nuvlo.desktop import theme
from nuvlo.desktop.focus import MainButton
from nuvlo.desktop.labels import label
from nuvlo.files.parts_list import MEANINGS, PartsList
from nuvlo.files.parts_list.writer import tolerance_text

HEADINGS = ("line", "reference", "kind", "value", "tolerance", "rating", "note")
KIND, NOTE = HEADINGS.index("kind"), HEADINGS.index("note")
MOST_ROWS = 400


class PartsListTool(QWidget):
    """The preview of a list, before a kit is made of it. ``begun`` by its button; ``mends`` with the beginning of a line for the
    bench line when a row is clicked. It is of the workshop: no build that is in hand has to do with it."""

    of_workshop = True
    begun = pyqtSignal()
    mends = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 4)
        column.setSpacing(8)
        self.heading, self.columns = label("", 15, bold=True), label("", 11, "slate", mono=True)
        self.begin = MainButton("Begin a build of these")
        self.begin.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.begin.clicked.connect(self.begun)
        head = QHBoxLayout()
        head.addWidget(self.heading, 1)
        head.addWidget(self.begin)
        column.addLayout(head)
        self.unread = label("", 11, "out", bold=True)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.table.setCursor(Qt.CursorShape.PointingHandCursor)
        self.table.cellClicked.connect(lambda row, _: self.mends.emit(self._says[row]))
        across, down = self.table.horizontalHeader(), self.table.verticalHeader()
        assert across is not None
        assert down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across.setStretchLastSection(True)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setHighlightSections(False)
        down.hide()
        self._says: list[str] = []  # what puts each row right, as it begins
        self.hint = label("", 10, "faint")
        self.made_up = label("", 12, "near", bold=True)
        for widget in (self.made_up, self.columns, self.unread, self.table, self.hint):
            column.addWidget(widget, 1 if widget is self.table else 0)

    def show_list(self, found: PartsList) -> None:
        """Replace what is shown."""
        count = len(found.parts)
        self.heading.setText(
            f"{found.name}: {count} part{'' if count == 1 else 's'}, {len(found.unread) or 'no'} line{'' if len(found.unread) == 1 else 's'} not read"
        )
        self.made_up.setText(found.made_up)
        self.made_up.setVisible(bool(found.made_up))
        taken = "   ".join(f"{heading} → {meaning}" for heading, meaning in found.columns.items())
        self.columns.setText(taken or "plain text, line by line")
        first = "It stands first: click it" if len(found.unread) == 1 else "They stand first: click one"
        self.unread.setText(f"Not every line was read. {first} to put it right.")
        self.unread.setVisible(bool(found.unread))
        self.begin.setVisible(bool(count))
        self.hint.setText(
            "A line taken wrongly: click it, and put it right on the bench line; with nothing behind its number it is left out. "
            f"A column taken wrongly: column HEADING MEANING, one of {', '.join(MEANINGS)}. "
            "All right: the button, or take NAME. Esc leaves the list."
        )
        self._fill(found)
        not_read = "; ".join(f"line {u.line}: {u.why}" for u in found.unread)
        self.setAccessibleName(f"{self.heading.text()}. {found.made_up} {taken}. {not_read}")

    def _fill(self, found: PartsList) -> None:
        rows = found.parts[: max(0, MOST_ROWS - len(found.unread))]
        together: dict[int, list[str]] = {}  # references by their line
        for listed in found.parts:
            together.setdefault(listed.line, []).append(listed.part.ref)
        unread, t = found.unread[:MOST_ROWS], theme.current()
        self.table.setRowCount(len(rows) + len(unread))
        self._says = [f"line {u.line} {u.text}" for u in unread]
        for k, u in enumerate(unread):
            self._row(k, (str(u.line), "", "not read", u.text[:60], "", "", u.why), t.out, t.out)
        for k, listed in enumerate(rows, len(unread)):
            part = listed.part
            cells = (str(listed.line), part.ref, part.kind, part.text, tolerance_text(part.tolerance), part.rating, part.note)
            self._row(k, cells, t.ink, t.near if listed.note else t.ink)
            spread = " ".join(w for w in (part.text, tolerance_text(part.tolerance), part.rating, part.kind) if w)
            self._says.append(f"line {listed.line} {' '.join(together[listed.line])} {spread}")

    def _row(self, at: int, cells: tuple[str, ...], ink: str, noted: str) -> None:
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            item.setFont(theme.words(10) if column in (KIND, NOTE) else theme.values(10))
            item.setForeground(QColor(noted if column == NOTE else ink))
            self.table.setItem(at, column, item)
