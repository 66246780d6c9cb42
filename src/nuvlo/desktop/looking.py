"""How the maps of a window are looked at: nearer, turned, a net lit, a picture beneath."""

from __future__ import annotations

from math import nan
from pathlib import Path

from PyQt6.QtGui import QPixmap

from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.board.view import View
from nuvlo.desktop.frame import Frame
from nuvlo.workshop.commands.arguments import PictureLaid
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.snapshot import Snapshot

MOST_NUMBER = 1e6


class Looking:
    """One window's way of looking at its boards."""

    def __init__(self, window: Frame) -> None:
        self.window = window
        self.net = ""  # lit on the maps
        self._aligned_for: tuple[BoardMap, Path] | None = None  # the picture that waits for two clicks

    def _map(self) -> BoardMap | None:
        """The map that is shown; where there is none, that is said."""
        board = self.window.board()
        if board is None or board.kit is None or board.kit.board is None:
            self.window.bench_line.say("There is no map of a board here.", False)
            return None
        return board

    def net_lit(self, text: str) -> None:
        """Light every pad of a net."""
        board = self._map()
        if board is None:
            return
        known = sorted({pad.net for pad in board.board.pads})
        if text not in (*known, "off", ""):
            self.window.bench_line.say(f"There is no net '{text}'. Nets: {', '.join(known)}.", False)
            return
        self.net = "" if text == "off" else text
        self.window.bench_line.say(f"Net {self.net} is lit." if self.net else "No net is lit.", True)
        self.window.refresh()

    def zoom(self, text: str) -> None:
        """Look nearer, twice as near where nothing is said, or at all of it again."""
        board = self._map()
        if board is None:
            return
        if text == "fit":
            board.look(View())
        elif (number := self._number(text, 2.0)) is not None:
            board.look(board.view.zoomed(number / board.view.zoom, board.focus(), board.centre()))
        else:
            return
        self._say_view(board)

    def rotate(self, text: str) -> None:
        """Turn the map, by a quarter where nothing is said."""
        board = self._map()
        number = self._number(text, 90.0) if board is not None else None
        if board is not None and number is not None:
            board.look(View(turn=board.view.turn).turned(number))
            self._say_view(board)

    def _number(self, text: str, otherwise: float) -> float | None:
        try:
            number = float(text.rstrip("°")) if text else otherwise
        except ValueError:
            number = nan
        if abs(number) < MOST_NUMBER:
            return number
        self.window.bench_line.say(f"'{text}' is not a number to turn or magnify a board by.", False)
        return None

    def _say_view(self, board: BoardMap) -> None:
        turned = f", turned by {board.view.turn:g}°" if board.view.turn else ""
        how = f"magnified {board.view.zoom:.2g} times" if abs(board.view.zoom - 1) > 1e-9 else "shown whole"
        self.window.bench_line.say(f"The board is {how}{turned}. 'zoom fit' shows all of it upright.", True)

    def picture_beneath(self, text: str) -> None:
        """Ask for the two clicks that lay a picture beneath the map; what waited for its clicks before is given up."""
        board = self._map()
        if board is None:
            return
        if text.lower() in ("off", ""):
            self.window.controller.command(Command("pictured", PictureLaid(board.marking.side)))
            return
        path = self.window.file_named(text)
        if path is None:
            return
        picture = QPixmap(str(path))
        if picture.isNull():
            self.window.bench_line.say(f"'{path.name}' is not a picture that can be read: take a PNG or a JPEG.", False)
            return
        if self._aligned_for is None or self._aligned_for[0] is not board:
            board.aligned.connect(self._keep)
        self._aligned_for = (board, path)
        board.align(picture)

    def _keep(self, first: tuple[str, float, float], second: tuple[str, float, float]) -> None:
        if self._aligned_for is not None:
            board, path = self._aligned_for
            self.window.controller.command(
                Command("pictured", PictureLaid(board.marking.side, str(path), first, second))
            )

    def underlays(self, board: BoardMap, shown: Snapshot) -> None:
        """Lay beneath a map the pictures that the log says lie there."""
        if board.kit is None or board.kit.board is None:
            return
        for side, one in shown.build.pictures.items():
            if board.laid.get(side) != one:
                picture = QPixmap(str(shown.sheet_path.parents[1] / "pictures" / one.file))
                pads = [
                    next((q for q in board.board.pads if f"{q.ref}.{q.pin}" == at[0]), None)
                    for at in (one.first, one.second)
                ]
                if not picture.isNull() and pads[0] is not None and pads[1] is not None:
                    board.lay_under(picture, side, (pads[0], pads[1]), one.first[1:], one.second[1:])
                board.laid[side] = one
        for side in set(board.underlays) - set(shown.build.pictures):
            board.lift(side)
