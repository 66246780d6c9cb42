"""The card above all lanes: a fault of ours, or what is to be known of the workshop before going on."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from nuvlo.desktop.labels import label
from nuvlo.log import log_path


class FaultCard(QFrame):
    """Hidden while all is well."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("stuck")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 16, 8)
        column = QVBoxLayout()
        self.title = label("", 12, "out", bold=True)
        self.words = label("", 10.5)
        column.addWidget(self.title)
        column.addWidget(self.words)
        row.addLayout(column, 1)
        self.seen = QPushButton("Go on")
        self.seen.setObjectName("plain")
        self.seen.clicked.connect(self.hide)
        row.addWidget(self.seen)
        self.hide()

    def show_fault(self, fault: BaseException) -> None:
        """Say what happened: all that was entered is kept."""
        what = str(fault) or type(fault).__name__
        self.say(
            "Something went wrong inside Nuvlo",
            f"{what}\nAll that you entered is kept. What happened is written down in {log_path()}; go on, or close and open Nuvlo again.",
        )

    def say(self, title: str, words: str) -> None:
        """Say something that stands until it was seen."""
        self.title.setText(title)
        self.words.setText(words)
        self.setAccessibleName(f"{self.title.text()}. {self.words.text()}")
        self.show()
