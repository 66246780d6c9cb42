"""The action strip: what else can be done at this step, in a few quiet buttons, the rest behind one more."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLayout, QLayoutItem, QPushButton, QSizePolicy, QWidget

from nuvlo.workshop.commands.verbs import Verb

LEAST, MOST = 3, 6  # shown before the one that shows the rest, as many as stand in one row


class Flow(QLayout):
    """Widgets in rows, as many to a row as fit."""

    def __init__(self, parent: QWidget, gap: int = 8) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.gap = gap

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def height_in(self, width: int) -> int:
        """How high the rows are at a width."""
        return self._lay(QRect(0, 0, width, 0), dry=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        widest = max((item.sizeHint().width() for item in self._items), default=0)
        return QSize(min(widest, 160), 0)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, dry=False)

    def _lay(self, rect: QRect, *, dry: bool) -> int:
        x, y, high = rect.x(), rect.y(), 0
        for item in self._items:
            widget = item.widget()
            if widget is not None and widget.isHidden():
                continue
            size = item.sizeHint()
            if x > rect.x() and x + size.width() > rect.right() + 1:
                x, y, high = rect.x(), y + high + self.gap, 0
            if not dry:
                item.setGeometry(QRect(x, y, size.width(), size.height()))
            x, high = x + size.width() + self.gap, max(high, size.height())
        return y + high - rect.y()


class ActionStrip(QWidget):
    """``picked`` with the command of the button that was pressed."""

    picked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.flow = Flow(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What else can be done here")
        self.buttons: list[QPushButton] = []  # that are offered
        self._made: dict[str, QPushButton] = {}  # by command
        self.more = self._button("10 more")
        self.more.clicked.connect(self._unfold)
        self._verbs: tuple[str, ...] = ()
        self._unfolded = False

    def _button(self, words: str) -> QPushButton:
        out = QPushButton(words, self)
        out.setObjectName("quiet")
        out.setCursor(Qt.CursorShape.PointingHandCursor)
        self.flow.addWidget(out)
        return out

    def _button_of(self, verb: Verb) -> QPushButton:
        """The button of a command, made once."""
        button = self._made.get(verb.name)
        if button is None:
            button = self._made[verb.name] = self._button(verb.button + (" …" if verb.begins else ""))
            button.setToolTip(f"{verb.says}\nType: {verb.example}" + (f"   Key: {verb.key}" if verb.key else ""))
            button.setAccessibleDescription(verb.says)
            button.clicked.connect(lambda: self.picked.emit(verb))
        else:
            self.flow.addWidget(button)
        return button

    def show_verbs(self, verbs: Sequence[Verb]) -> None:
        """Replace the buttons; they stay as they are where the same is offered."""
        names = tuple(v.name for v in verbs)
        if names == self._verbs:
            return
        self._verbs, self._unfolded = names, False
        for button in self.buttons:
            self.flow.removeWidget(button)
            button.hide()
        self.flow.removeWidget(self.more)
        self.buttons = [self._button_of(verb) for verb in verbs]
        self.flow.addWidget(self.more)
        self._fold()

    def _unfold(self) -> None:
        self._unfolded = not self._unfolded
        self._fold()

    def _fold(self) -> None:
        shown = self._in_a_row()
        for k, button in enumerate(self.buttons):
            button.setVisible(self._unfolded or k < shown)
        self.more.setVisible(shown < len(self.buttons))
        self.more.setText("Fewer" if self._unfolded else f"{len(self.buttons) - shown} more")
        self.setVisible(bool(self.buttons))
        self._fit()

    def _in_a_row(self) -> int:
        """How many buttons stand in one row, with the one that shows the rest behind them."""
        room = self.width() - self.more.sizeHint().width()
        for k, button in enumerate(self.buttons):
            room -= button.sizeHint().width() + self.flow.gap
            if room < 0 or k >= MOST:
                return max(LEAST, k)
        return len(self.buttons)

    def _fit(self) -> None:
        # Set outright: a height that depends on the width would make the least height of the window that of its least width.
        self.setFixedHeight(max(1, self.flow.height_in(self.width())))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fold()
