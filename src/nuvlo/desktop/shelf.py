"""The shelf: every build of the workshop with where it stands, and the kits that can be begun."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nuvlo import clock
from nuvlo.desktop import theme
from nuvlo.desktop.focus import ringed
from nuvlo.desktop.labels import label
from nuvlo.desktop.path_bar import stone
from nuvlo.files.kit_folder import Cover
from nuvlo.kit import Stage
from nuvlo.logbook.projections import Card

if TYPE_CHECKING:
    from nuvlo.workshop.shelf import Shelf

ACROSS_PX = 380  # the least that a card wants
STONES_PX = 30


class Stones(QWidget):
    """The nine stages of a build as small stepping stones."""

    def __init__(self, states: tuple[str, ...], here: str) -> None:
        super().__init__()
        self.states, self.here = states, here
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        said = ", ".join(f"{s.label} {state}" for s, state in zip(Stage, states, strict=False))
        self.setAccessibleName(said)
        self.setToolTip(said)

    def sizeHint(self) -> QSize:
        return QSize(200, STONES_PX)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        step = (self.width() - 24) / max(1, len(self.states) - 1)
        for k, state in enumerate(self.states):
            at = QPointF(12 + k * step, STONES_PX / 2)
            if k:
                p.setPen(QPen(theme.colour("line"), 2))
                p.drawLine(at - QPointF(step - 10, 0), at - QPointF(10, 0))
            stone(p, at, state, 0.72)


class CardView(QFrame):
    """One card that can be picked by a click, or by Enter while it has the focus."""

    picked = pyqtSignal()

    def __init__(self, said: str) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(said)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(14, 10, 14, 10)
        self.column.setSpacing(4)

    def click(self) -> None:
        self.picked.emit()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.picked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        ringed(self)


class Spot(QWidget):
    """A mark before a line: a lozenge for stuck, a ring for what waits."""

    def __init__(self, role: str, hollow: bool) -> None:
        super().__init__()
        self.role, self.hollow = role, hollow
        self.setFixedSize(14, 18)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = QColor(theme.colour(self.role))
        p.setPen(QPen(colour, 1.8))
        p.setBrush(Qt.BrushStyle.NoBrush if self.hollow else colour)
        if self.hollow:
            p.drawEllipse(QPointF(6, 9), 4, 4)
        else:
            p.drawPolygon(QPolygonF([QPointF(6, 4), QPointF(11, 9), QPointF(6, 14), QPointF(1, 9)]))


def _line(words: str, role: str, hollow: bool) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(6)
    spot = Spot(role, hollow)
    row.addWidget(spot, 0, Qt.AlignmentFlag.AlignTop)
    row.addWidget(label(words, 10.5, role), 1)
    return row


def build_card(card: Card) -> CardView:
    """Where a build stands."""
    told = _told(card)
    out = CardView(f"{card.kit} {card.number}: {told}")
    head = QHBoxLayout()
    name = label(card.kit, 14, bold=True)
    name.setWordWrap(False)
    head.addWidget(name)
    number = label(f"No. {card.number}", 10.5, "faint")
    number.setWordWrap(False)
    head.addWidget(number)
    head.addStretch(1)
    if card.last_at is not None:
        when = label(when_words(card.last_at), 10, "faint")
        when.setWordWrap(False)
        head.addWidget(when)
    out.column.addLayout(head)
    if card.problem:
        out.column.addLayout(_line(card.problem, "out", False))
        return out
    out.column.addWidget(Stones(card.states, card.stage))
    out.column.addWidget(label(told, 11.5))
    if card.stuck:
        out.column.addLayout(_line(f"Stuck. {card.stuck}", "out", False))
    if card.waits:
        out.column.addLayout(_line(f"Waits. {card.waits}", "near", True))
    now = clock.now()
    for one in card.dries:
        if one.until > now:
            out.column.addLayout(_line(f"{one.words} {one.until.astimezone():%a %H:%M}", "copper", True))
    out.column.addStretch(1)
    return out


def _told(card: Card) -> str:
    if card.problem:
        return card.problem
    if card.finished:
        return f"Finished: {card.verdict}."
    stage = Stage(card.stage).label if card.stage else ""
    return f"{stage}: {card.step}" if card.step else f"{stage} is finished"


def when_words(at: datetime) -> str:
    """``today 14:05``, ``yesterday``, ``12 Nov``."""
    at = at.astimezone()
    days = (clock.now().date() - at.date()).days
    if days <= 0:
        return f"today {at:%H:%M}"
    return "yesterday" if days == 1 else f"{at.day} {at:%b}"


class KitCard(CardView):
    """A kit that can be begun, with typed-in values or on the simulated bench."""

    begun = pyqtSignal(object, str)  # cover, and on what bench

    def __init__(self, cover: Cover) -> None:
        super().__init__(f"{cover.name}: {cover.family or 'kit'}, {cover.parts} parts. Begin a build.")
        self.cover = cover
        self.column.addWidget(label(cover.name, 12.5, bold=True))
        about = ", ".join(w for w in (cover.family, f"{cover.parts} parts") if w)
        self.column.addWidget(label(cover.problem or about, 10, "out" if cover.problem else "faint"))
        if cover.problem:
            return
        row = QHBoxLayout()
        row.setSpacing(8)
        self.typed, self.simulated, self.hunted = QPushButton("Begin"), QPushButton("Practise"), QPushButton("Hunt")
        self.typed.setToolTip("Begin a build: you measure, and type what your meter shows.")
        self.simulated.setToolTip(
            "Begin a build on the simulated bench: a unit with values of its own, and a meter to read it."
        )
        self.hunted.setToolTip("A unit that is built, with one mistake hidden in it: find it by readings and by looking.")
        for button, bench in ((self.typed, "typed"), (self.simulated, "simulated"), (self.hunted, "practice")):
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, b=bench: self.begun.emit(cover, b))
            row.addWidget(button)
        row.addStretch(1)
        self.column.addLayout(row)
        self.column.addStretch(1)
        self.picked.connect(lambda: self.begun.emit(cover, "typed"))


def _even(grid: QGridLayout, across: int, width: int) -> None:
    """Columns of one width, whether there is something in each or not."""
    for k in range(across):
        if grid.itemAtPosition(0, k) is None:
            grid.addWidget(QWidget(), 0, k)
        grid.setColumnMinimumWidth(k, (width - (across - 1) * grid.spacing()) // across)


class ShelfView(QScrollArea):
    """``taken`` with the card of a build, ``begun`` with a kit and its bench, ``asked_for_file`` and ``asked_for_folder`` to open one,
    ``asked_for_backup`` to write all of it to one."""

    taken = pyqtSignal(object)
    begun = pyqtSignal(object, str)
    asked_for_file = pyqtSignal()
    asked_for_folder = pyqtSignal()
    asked_for_backup = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.shelf: Shelf | None = None
        self.workshop = ""
        self.cards: list[CardView] = []
        self.kits: list[KitCard] = []
        self._across = 0

    def show_shelf(self, workshop: str, shelf: Shelf) -> None:
        """Show what stands on the shelf of a workshop."""
        self.workshop, self.shelf = workshop, shelf
        self._lay_out()

    def restyle(self) -> None:
        """In the colours of the theme in use."""
        if self.shelf is not None:
            self._lay_out()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.shelf is not None and self._columns() != self._across:
            self._lay_out()

    def _columns(self) -> int:
        return max(1, (self.width() - 32) // ACROSS_PX)

    def _lay_out(self) -> None:
        shelf = self.shelf
        assert shelf is not None
        self._across = self._columns()
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(20, 8, 20, 16)
        column.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label(self.workshop or "Workshop", 18, bold=True), 1)
        self.folder_button, self.open_button = QPushButton("Open a kit folder …"), QPushButton("Open a zip or parts list …")
        for button, asked in ((self.folder_button, self.asked_for_folder), (self.open_button, self.asked_for_file)):
            button.setObjectName("quiet")
            button.setToolTip("You can also drop a kit folder, its zip, or a parts list on this window.")
            button.clicked.connect(asked)
            head.addWidget(button)
        self.backup_button = QPushButton("Back up")
        self.backup_button.setObjectName("quiet")
        self.backup_button.setToolTip(
            "Write all of this workshop to one file beside its folder.\nType: backup /media/stick"
        )
        self.backup_button.clicked.connect(self.asked_for_backup)
        head.addWidget(self.backup_button)
        column.addLayout(head)
        self.cards = []
        self._section(
            column,
            "In hand",
            shelf.in_hand,
            "Nothing is in hand. Begin one of the kits below, or drop a parts list on this window.",
        )
        if shelf.finished:
            self._section(column, "Finished", shelf.finished, "")
        column.addWidget(label("Kits", 11, "faint", bold=True))
        self.kits = [KitCard(cover) for cover in shelf.kits]
        grid = QGridLayout()
        grid.setSpacing(10)
        across = max(1, (self.width() - 32) // 230)
        for k, kit in enumerate(self.kits):
            kit.begun.connect(self.begun)
            grid.addWidget(kit, k // across, k % across)
        _even(grid, across, self._wide())
        column.addLayout(grid)
        column.addStretch(1)
        self.setWidget(page)

    def _section(self, column: QVBoxLayout, heading: str, cards: tuple[Card, ...], empty: str) -> None:
        column.addWidget(label(heading, 11, "faint", bold=True))
        if not cards:
            column.addWidget(label(empty, 12))
            return
        grid = QGridLayout()
        grid.setSpacing(10)
        for k, card in enumerate(cards):
            view = build_card(card)
            view.picked.connect(lambda c=card: self.taken.emit(c))
            self.cards.append(view)
            grid.addWidget(view, k // self._across, k % self._across)
        _even(grid, self._across, self._wide())
        column.addLayout(grid)

    def _wide(self) -> int:
        """Pixels between the edges of the page."""
        return self.width() - 56

    def step(self, by: int) -> None:
        """Move the focus to the next card, or the one before."""
        views: list[CardView] = [*self.cards, *self.kits]
        if not views:
            return
        at = next((k for k, v in enumerate(views) if v.hasFocus()), -1 if by > 0 else 0)
        to = views[(at + by) % len(views)]
        to.setFocus(Qt.FocusReason.TabFocusReason)
        self.ensureWidgetVisible(to)
