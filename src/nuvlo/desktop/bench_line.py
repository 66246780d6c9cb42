"""The bench line: one entry for everything, saying what it understood before Enter."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QStringListModel, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from nuvlo.desktop.labels import label, tint
from nuvlo.workshop.commands.grammar import NotUnderstood, names, understand
from nuvlo.workshop.commands.verbs import Verb
from nuvlo.workshop.snapshot import Snapshot

RECALLED = 50  # lines
MOST_CHARACTERS = 400  # of one line
OFFERED = 8  # names at a time, of those that fit
AT_SHELF = "Name a build or kit, such as gorsefire"


class Entry(QLineEdit):
    """A line in which Space on nothing means: done, go on. Up recalls lines, Tab completes names."""

    go_on = pyqtSignal()
    complete = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.recalled: list[str] = []
        self._at = 0

    def remember(self, line: str) -> None:
        """Keep a line that was carried out."""
        self.recalled = [*[r for r in self.recalled if r != line], line][-RECALLED:]
        self._at = len(self.recalled)

    def event(self, event: QEvent | None) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Tab
            and self.text()
        ):
            self.complete.emit()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Space and not self.text():
            self.go_on.emit()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.recalled:
            self._at = min(max(0, self._at + (-1 if event.key() == Qt.Key.Key_Up else 1)), len(self.recalled))
            self.setText(self.recalled[self._at] if self._at < len(self.recalled) else "")
        else:
            super().keyPressEvent(event)


class BenchLine(QWidget):
    """``entered`` with a line when Enter is pressed on something understood; ``go_on`` for Space on nothing."""

    entered = pyqtSignal(str)
    go_on = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.shown: Snapshot | None = None
        self._names: dict[str, str] = {}
        self._offered: list[str] = []  # that Tab goes through
        self._role = "ink"
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 2, 16, 10)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.entry = Entry()
        self.entry.setMaxLength(MOST_CHARACTERS)
        self.entry.setAccessibleName("Bench line")
        self.said = QLabel("")
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setMinimumWidth(420)
        self.said.setWordWrap(True)
        row.addWidget(self.entry, 1)
        self.done = QPushButton("Enter")
        self.done.setObjectName("quiet")
        self.done.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.done.clicked.connect(self.enter)
        self.done.hide()
        row.addWidget(self.done)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        self.names = label("", 10, "faint", mono=True)
        self.names.hide()
        column.addWidget(self.names)
        self._words = QStringListModel([])
        completer = QCompleter(self._words, self.entry)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setCompletionMode(QCompleter.CompletionMode.InlineCompletion)
        self.entry.setCompleter(completer)
        self.entry.textChanged.connect(self._echo)
        self.entry.returnPressed.connect(self.enter)
        self.entry.go_on.connect(self.go_on)
        self.entry.complete.connect(self._complete)
        self.use(None)

    def use(self, shown: Snapshot | None, names_there: dict[str, str] | None = None) -> None:
        """Complete the names of the build that is shown; on the shelf those of ``names_there``."""
        self.shown = shown
        found = names(shown.kit) if shown else names_there or {}
        if found.keys() != self._names.keys():
            self._words.setStringList([n.lower() for n in found])
        self._names = found
        self.entry.setPlaceholderText("Type here.  Space: go on" if shown else AT_SHELF)

    def follow(self, shown: Snapshot) -> None:
        """Understand lines as in this state from now on."""
        if self.shown is None or self.shown.kit is not shown.kit:
            self.use(shown)
        self.shown = shown

    def begin(self, verb: Verb) -> None:
        """Put the beginning of a command on the line, with what belongs there."""
        self.entry.setText(f"{verb.name} ")
        self.entry.setFocus()
        self.say(f"{verb.needs} {verb.says} For example: {verb.example}", True)

    def begin_with(self, text: str) -> None:
        """Put words on the line, to be changed and entered."""
        self.entry.setText(text)
        self.entry.setFocus()
        self.entry.deselect()

    def set_aside(self) -> None:
        """What was typed for another build is not typed for this one: the arrow up still has it."""
        if self.entry.text().strip():
            self.entry.remember(self.entry.text().strip())
        self.entry.clear()

    def put_back(self, line: str) -> None:
        """A line that was not understood stays, to be mended."""
        if not self.entry.text():
            self.entry.setText(line)

    def say(self, words: str, good: bool) -> None:
        """Show what came of the last command."""
        self._show(words, "ink" if good else "out")
        self.said.setAccessibleName(words)

    def _show(self, words: str, role: str) -> None:
        self._role = role
        self.said.setText(words)
        self.restyle()

    def restyle(self) -> None:
        """Put the words in the colours of the theme in use."""
        tint(self.said, self._role)
        tint(self.names, "faint")

    # -- completion ---------------------------------------------------------------------------------------------

    def _complete(self) -> None:
        """Fill in the name that was begun; where several fit, show them with what is known of each, and go through them."""
        text = self.entry.text()
        if self._offered and text.strip().lower() in self._offered:
            at = (self._offered.index(text.strip().lower()) + 1) % len(self._offered)
            self._fill(self._offered[at])
            return
        start = text[: self.entry.selectionStart()] if self.entry.hasSelectedText() else text
        fits = [n for n in self._names if n.lower().startswith(start.strip().lower())]
        if not fits:
            self.say(f"No name begins with '{start.strip()}'.", False)
            return
        self._offered = [n.lower() for n in fits]
        if len(fits) > 1:
            more = f"   and {len(fits) - OFFERED} more" if len(fits) > OFFERED else ""
            self.names.setText("\n".join(f"{n.lower():12s} {self._names[n]}" for n in fits[:OFFERED]) + more)
            self.names.show()
        self._fill(self._offered[0])
        if len(fits) == 1:
            self.say(f"{fits[0]}: {self._names[fits[0]]}", True)

    def _fill(self, name: str) -> None:
        offered = self._offered
        self.entry.setText(name if len(offered) > 1 else f"{name} ")
        self._offered = offered

    def _echo(self, text: str) -> None:
        self.done.setVisible(bool(text))
        if text.strip().lower() not in self._offered:
            self._offered = []
            self.names.hide()
        if self.shown is None or not text.strip():
            return
        now = self.shown.now()
        try:
            command = understand(text, self.shown.kit, now.task if now else None, self.shown.stage)
        except NotUnderstood as why:
            self._show(str(why), "faint")
        else:
            self._show(f"Enter: {command.echo}", "slate")

    def add(self, text: str) -> None:
        """What a key of the keypad adds; nothing takes the last sign away."""
        if text:
            self.entry.insert(text)
        else:
            self.entry.backspace()

    def enter(self) -> None:
        """Carry out what is typed."""
        line = self.entry.text().strip()
        if line:
            self.entry.remember(line)
            self.entry.clear()
            self.entered.emit(line)
