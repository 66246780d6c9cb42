"""Plans of a pedalboard's interface: picked from a list, drawn from guitar to amplifier, with what each does to the treble."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.curve import CurveView, Line, Picture
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page, one_of
from nuvlo.electrics.pedalboard import HERTZ, End, Pedalboard, advice, current, judged
from nuvlo.files.pedalboard import read_plan, shipped
from nuvlo.kit.pedalboard import Piece, Plan

HIGH, DOWN, GAP = 38.0, 54.0, 12.0  # px of a piece, from row to row, and between pieces
LETTER = 6.8  # px of one in a name
WIDE = {"cable": 40.0, "jack": 46.0}  # px along the way; others are boxes
MOST_LOST_DB, SAME_DB = -1.0, 0.05


@dataclass(frozen=True)
class Judged:
    """A plan with what it comes to."""

    plan: Plan
    found: Pedalboard


def answer(name: str) -> list[Judged]:
    """The plan of this ``name`` or file first, then all that ship. Raises :class:`NuvloError`."""
    plans = [read_plan(n) for n in dict.fromkeys([*([name] if name else []), *shipped()])]
    return [Judged(plan, judged(plan)) for plan in plans]


class PedalboardTool(Page):
    """One plan in large; the others below it, to be picked."""

    def show_answer(self, found: list[Judged], picked: int = 0) -> None:
        self.found, self.picked = found, picked
        column = self.fresh()
        plan, now = found[picked].plan, found[picked].found
        column.addWidget(label(plan.title, 15, bold=True))
        if plan.says:
            column.addWidget(label(plan.says, 12))
        column.addWidget(_Chain(plan))
        ends = alike(now.ends)
        for end in ends:
            lost = end.treble_db < MOST_LOST_DB
            column.addWidget(label(f"{end.words[0].upper()}{end.words[1:]}", 13, "out" if lost else "good", bold=True))
        if said := advice(plan, now):
            column.addWidget(label(said, 12))
        curve = CurveView()
        curve.setFixedHeight(230)
        lines = [Line(HERTZ, end.db, end.name, True) for end in ends]
        curve.show_picture(Picture("Against the guitar with one lead of 3 m, straight into an amplifier", "frequency", "dB", lines))
        column.addWidget(curve)
        for line in [current(plan, now), *(f"{n[0].upper()}{n[1:]}." for n in now.normals)]:
            column.addWidget(label(line, 12))
        column.addWidget(label("Ports: " + "; ".join(f"{port}, {says}" for port, says in now.ports) + ".", 11, "faint"))
        column.addWidget(label("Other plans; one of your own is a file: interface board.toml", 11, "faint", bold=True))
        self.buttons: list[QPushButton] = []
        for k, one in enumerate(found):
            worst = min(end.treble_db for end in one.found.ends)
            words = f"{one.plan.title}     {worst:+.1f} dB of treble".replace("-", "−")
            button = one_of(words, k == picked, partial(self.show_answer, found, k))
            self.buttons.append(button)
            column.addWidget(button)
        self.turn(column)


def alike(ends: Sequence[End]) -> list[End]:
    """Ends that get the same are told as one, under all their names."""
    out: list[End] = []
    for end in ends:
        k = next((k for k, other in enumerate(out) if np.abs(other.db - end.db).max() < SAME_DB), None)
        if k is None:
            out.append(end)
        else:
            out[k] = replace(out[k], name=f"{out[k].name}, {end.name}")
    return out


class _Chain(QWidget):
    """Piece by piece from left to right, a branch below another. One without branches goes on in a next line where the page ends;
    with them it is drawn smaller."""

    def __init__(self, plan: Plan) -> None:
        super().__init__()
        self.plan = plan
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Drawn: " + ", ".join(f"{p.name} {_under(p)}".strip() for p in plan.piece))
        self._fold()

    def _fold(self) -> None:
        self.places, self.size_by = laid(self.plan, max(self.width(), 600) - 8.0)
        self.setFixedHeight(int((max(p.bottom() for p in self.places.values()) + 8) * self.size_by))

    def resizeEvent(self, event: object) -> None:
        self._fold()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.scale(self.size_by, self.size_by)
        for piece in self.plan.piece:
            here = self.places[piece.name]
            p.setPen(QPen(theme.colour("ink"), 2))
            if piece.kind in ("cable", "jack"):
                p.drawLine(QPointF(here.left(), here.center().y()), QPointF(here.right(), here.center().y()))
            if piece.after:
                there = self.places[piece.after]
                a, b = QPointF(there.right(), there.center().y()), QPointF(here.left(), here.center().y())
                low = here.top() - (DOWN - HIGH) / 2
                turn = [QPointF(a.x() + GAP / 2, a.y()), QPointF(a.x() + GAP / 2, b.y())]
                if b.x() < a.x():  # on in the next line
                    turn = [QPointF(a.x() + 4, a.y()), QPointF(a.x() + 4, low), QPointF(b.x() - 4, low), QPointF(b.x() - 4, b.y())]
                p.drawPolyline(QPolygonF([a, *turn, b]))
        for piece in self.plan.piece:
            self._piece(p, piece, self.places[piece.name])

    def _piece(self, p: QPainter, piece: Piece, box: QRectF) -> None:
        middle = box.center()
        if piece.kind == "jack":
            p.setPen(QPen(theme.colour("ink"), 2))
            p.setBrush(theme.colour("card"))
            p.drawEllipse(middle, 6, 6)
        elif piece.kind != "cable":
            strong = piece.kind in ("buffer", "loop")
            p.setPen(QPen(theme.colour("copper" if strong else "line"), 2 if strong else 1))
            p.setBrush(theme.colour("card"))
            p.drawRoundedRect(box, 5, 5)
        name, under = ("", _under(piece)) if piece.kind == "cable" else (piece.name, _under(piece))
        rows = [(name, box.top() - 1 if piece.kind == "jack" else box.top() + 3, theme.words(theme.SMALL, bold=True), "ink")]
        rows += [(under, middle.y() + 3 if piece.kind == "cable" else box.top() + 20, theme.words(theme.SMALL), "faint")] if piece.kind != "jack" else []
        for text, top, font, colour in rows:
            p.setFont(font)
            p.setPen(theme.colour(colour))
            over = 28 if piece.kind == "jack" else 6  # nothing stands above the leads on either side
            wide = QRectF(box.left() - over, top, box.width() + 2 * over, 15)
            p.drawText(wide, Qt.AlignmentFlag.AlignCenter, p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(wide.width() - 6)))


def laid(plan: Plan, width: float) -> tuple[dict[str, QRectF], float]:
    """The place of each piece, behind the one before it, in a row of its own where that one leads elsewhere already; and the scale
    at which all of it goes into ``width``."""
    out: dict[str, QRectF] = {}
    rows, led = 0, set()
    branched = len({p.after for p in plan.piece}) < len(plan.piece)
    for piece in plan.piece:
        wide, before = WIDE.get(piece.kind) or max(84.0, LETTER * len(piece.name)), out.get(piece.after)
        x, y = (before.right() + GAP, before.top()) if before else (6.0, DOWN * rows + 4)
        if before is None or piece.after in led:
            y, rows = DOWN * rows + 4, rows + 1
        elif not branched and x + wide > width:
            x, y, rows = 10.0, y + DOWN, rows + 1
        led.add(piece.after)
        out[piece.name] = QRectF(x, y, wide, HIGH)
    return out, min(1.0, width / (max(p.right() for p in out.values()) + 8)) if branched else 1.0


def _under(piece: Piece) -> str:
    """What stands below its name."""
    if piece.kind == "cable":
        return f"{piece.metres:g} m"
    if piece.kind == "pedal":
        return "buffered" if piece.buffered else "true bypass"
    if piece.kind == "loop":
        return "plugged in" if piece.in_use else "nothing in it"
    return "" if piece.kind in piece.name else piece.kind
