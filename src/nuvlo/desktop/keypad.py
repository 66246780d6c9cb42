"""Keys for one clean finger: a reading can be entered without the keyboard."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QPushButton, QWidget

SCALES = {"Ω": ("k", "M", "m"), "F": ("p", "n", "µ"), "A": ("m", "µ", "n"), "V": ("m", "µ", "k"), "H": ("m", "µ", "n")}
NO_SCALES = ("", "", "")
BACK, ENTER, OVER = "⌫", "Enter", "OL"


class Keypad(QWidget):
    """``pressed`` with what a key adds; ``back`` and ``entered`` for the two that add nothing."""

    pressed = pyqtSignal(str)
    back = pyqtSignal()
    entered = pyqtSignal()

    def __init__(self, unit: str) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        first, second, third = SCALES.get(unit, NO_SCALES)
        rows = (
            ("7", "8", "9", first), ("4", "5", "6", second), ("1", "2", "3", third),
            ("0", ".", "\u2212" if unit in ("V", "dB", "A") else OVER, BACK),
        )  # fmt: skip
        self.keys: dict[str, QPushButton] = {}
        for r, row in enumerate(rows):
            for c, word in enumerate(row):
                if word:
                    grid.addWidget(self._key(word), r, c)
        grid.addWidget(self._key(ENTER), len(rows), 0, 1, 4)

    def _key(self, word: str) -> QPushButton:
        key = QPushButton(word)
        key.setObjectName("plain" if word != ENTER else "")
        key.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        key.setAccessibleName({BACK: "Delete", OVER: "Over range"}.get(word, word))
        if word == BACK:
            key.clicked.connect(self.back)
        elif word == ENTER:
            key.clicked.connect(self.entered)
        else:
            key.clicked.connect(lambda _=False: self.pressed.emit(word))
        self.keys[word] = key
        return key
