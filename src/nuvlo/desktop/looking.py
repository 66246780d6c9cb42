"""How the maps of a window are looked at: nearer, turned, a net lit, a picture beneath."""

from __future__ import annotations

from typing import Any

from PyQt6.QtGui import QPixmap

from nuvlo.bench_line import Command
from nuvlo.desktop.board_view import View


class Looking:
    """One window's way of looking at its boards."""

    def __init__(self, window) -> None:
        self.window = window
        self.net = ""  # lit on the maps
        self._laid: dict[tuple[int, str], Any] = {}  # pictures that lie beneath maps

    def look(self, verb: str, text: str) -> None:
        """Nearer, turned, or with a net lit."""
        board = getattr(self.window.picture(), "board", None)
        if board is None or board.kit is None or board.kit.board is None:
            self.window.bench_line.say("There is no map of a board here.", False)
            return
        if verb == "net":
            known = sorted({pad.net for pad in board.kit.board.pads})
            if text not in (*known, "off", ""):
                self.window.bench_line.say(f"There is no net '{text}'. Nets: {', '.join(known)}.", False)
                return
            self.net = "" if text == "off" else text
            self.window.bench_line.say(f"Net {self.net} is lit." if self.net else "No net is lit.", True)
            self.window.refresh()
            return
        try:
            number = float(text.rstrip("°") or (2.0 if verb == "zoom" else 90.0)) if text != "fit" else 0.0
        except ValueError:
            self.window.bench_line.say(f"'{text}' is no number.", False)
            return
        if text == "fit":
            board.look(View())
        elif verb == "rotate":
            board.look(View(turn=board.view.turn).turned(number))
        else:
            board.look(board.view.zoomed(number / board.view.zoom, board.focus(), board.centre()))
        turned = f", turned {board.view.turn:g}°" if board.view.turn else ""
        self.window.bench_line.say(
            f"{board.view.zoom:.2g} times as near as it fits{turned}. 'zoom fit' shows all of it.", True
        )

    def picture_beneath(self, text: str) -> None:
        board, session = getattr(self.window.picture(), "board", None), self.window.controller.session
        if board is None or board.kit is None or board.kit.board is None:
            self.window.bench_line.say("There is no map of a board here to lay a picture beneath.", False)
            return
        if text.lower() in ("off", ""):
            self.window.controller.command(Command("pictured", "", board.marking.side))
            return
        path = self.window.file_named(text)
        if path is None:
            return
        picture = QPixmap(str(path))
        if picture.isNull():
            self.window.bench_line.say(f"'{path.name}' is no picture that can be read: take a PNG or a JPEG.", False)
            return

        def keep(places: tuple) -> None:
            board.aligned.disconnect(keep)
            kept = session.workshop.keep_picture(path)
            self.window.controller.command(
                Command("pictured", "", board.marking.side, "|".join([kept, *map(str, places)]))
            )

        board.aligned.connect(keep)
        board.align(picture)

    def underlays(self, board, session) -> None:
        """Pictures that the log says lie beneath a map."""
        if board.kit is None or board.kit.board is None:
            return
        for side, one in session.build.pictures.items():
            if self._laid.get((id(board), side)) != one:
                picture = QPixmap(str(session.workshop.pictures / one.file))
                pads = [
                    next((q for q in board.kit.board.pads if f"{q.ref}.{q.pin}" == at[0]), None)
                    for at in (one.first, one.second)
                ]
                if not picture.isNull() and all(pads):
                    board.lay_under(picture, side, tuple(pads), one.first[1:], one.second[1:])
                self._laid[id(board), side] = one
        for side in set(board.underlays) - set(session.build.pictures):
            board.lift(side)
            self._laid.pop((id(board), side), None)
