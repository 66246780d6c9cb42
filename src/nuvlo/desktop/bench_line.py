"""The bench line: one entry for everything, saying what it understood before Enter."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QStringListModel, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from nuvlo.bench_line import Command, NotUnderstood, names, understand
from nuvlo.desktop.lanes import label, tint

HELP = (
    "r4 99.2k  measured part    tp3 4.48  reading    4.48  what is asked for    r4 missing  state of a part\n"
    "choose 220n    turn 30    read    sweep    confirm    accept WHY    note TEXT    find c2    stage wake    tray strip    school sections\n"
    "what 104K  what can it be    reads 99.4k  where does it go    instead r4  from the drawer    letter  to the seller    shopping\n"
    "recipe pad db=20    compare r3=47k    import lampwick.csv    column HEADING MEANING    take NAME  begin a build of the list\n"
    "next  back  undo  redo    side  turn the board    lamp  daylight  large    Space: done, go on"
)


class Entry(QLineEdit):
    """A line in which Space on nothing means: done, go on."""

    go_on = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not self.text():
            self.go_on.emit()
            return
        super().keyPressEvent(event)


class BenchLine(QWidget):
    """``command`` when Enter is pressed on something understood, or Space on nothing."""

    command = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.session: Any = None
        self._role = "ink"
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 2, 16, 10)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.entry = Entry()
        self.entry.setPlaceholderText("Type here.  Space: go on")
        self.entry.setAccessibleName("Bench line")
        self.said = QLabel("")
        self.said.setMinimumWidth(420)
        self.said.setWordWrap(True)
        row.addWidget(self.entry, 1)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        self.help = label(HELP, 10, "faint", mono=True)
        self.help.hide()
        column.addWidget(self.help)
        self._words = QStringListModel([])
        completer = QCompleter(self._words, self.entry)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setCompletionMode(QCompleter.CompletionMode.InlineCompletion)
        self.entry.setCompleter(completer)
        self.entry.textChanged.connect(self._echo)
        self.entry.returnPressed.connect(self._enter)
        self.entry.go_on.connect(lambda: self.command.emit(Command("next", "")))

    def use(self, session) -> None:
        """Complete the names of this session's kit."""
        self.session = session
        self._words.setStringList([n.lower() for n in names(session.kit)])

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
        tint(self.help, "faint")

    def _understood(self) -> Command:
        now = self.session.now()
        return understand(self.entry.text(), self.session.kit, now.task if now else None, self.session.stage)

    def _echo(self, text: str) -> None:
        if self.session is None or not text.strip():
            return
        try:
            command = self._understood()
        except NotUnderstood as why:
            self._show(str(why), "faint")
        else:
            self._show(f"Enter: {command.echo}", "slate")

    def _enter(self) -> None:
        if self.session is None or not self.entry.text().strip():
            return
        try:
            command = self._understood()
        except NotUnderstood as why:
            self.say(str(why), False)  # the text stays, to be mended
            return
        self.entry.clear()
        self.command.emit(command)
