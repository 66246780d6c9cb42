"""What the parts of a window may ask of it: this, and no more of it."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from nuvlo.desktop.bench_line import BenchLine
from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.controller import Controller
from nuvlo.desktop.shelf import ShelfView
from nuvlo.workshop.commands.command import Command


class Frame(Protocol):
    """One window, as its tools, keys and handles see it."""

    controller: Controller
    bench_line: BenchLine
    shelf: ShelfView
    tool: QWidget | None  # what is shown in place of the stage's picture

    def run(self, command: Command) -> None:
        """Carry out a command from any key or button."""

    def escape(self) -> None:
        """Leave what is shown beside the stage, and what was begun on the bench line."""

    def refresh(self) -> None:
        """Show the present state."""

    def board(self) -> BoardMap | None:
        """The map of the board that is shown."""

    def show_tool(self, tool: QWidget) -> None:
        """Show a tool in place of the stage's picture."""

    def close_tool(self) -> None:
        """Show the stage's picture again."""

    def file_named(self, text: str) -> Path | None:
        """A file as it was typed. None where there is none, and that is said."""

    def set_theme(self, name: str) -> None:
        """Another light."""
