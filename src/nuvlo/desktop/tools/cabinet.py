"""Ways to wire the loudspeakers of a cabinet: picked from a list, drawn from tag to tag, with what each does."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page, one_of
from nuvlo.electrics.cabinet import Group, Wiring, drivers_of, polarity, wirings
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value, parse_value

MOST = 8  # ways that are listed
CELL = (92.0, 62.0)  # px that a driver takes in the drawing


@dataclass(frozen=True)
class Cabinet:
    """What was asked and found: the ways, the amplifier's least Ω where it was named, and what the cones did."""

    ways: tuple[Wiring, ...]
    amp_min: float | None
    moved: tuple[str, ...]


def answer(line: str) -> Cabinet:
    """``6x8 min=4 cones=out,in,…``. Raises :class:`NuvloError` with what is wrong."""
    drivers, amp_min = "", None
    moved: tuple[str, ...] = ()
    for word in line.split():
        key, there, value = word.partition("=")
        if not there:
            drivers = word
        elif key.lower() == "min":
            amp_min = parse_value(value, "Ω")
        elif key.lower() == "cones":
            moved = tuple(m for m in re.split(r"[,;/]", value.lower()) if m)
        else:
            raise NuvloError(Problem(f"'{word}' is not understood.", "For example: cabinet 6x8 min=4 cones=out,out,in,out,out,out"))
    return Cabinet(tuple(wirings(drivers_of(drivers), amp_min)[:MOST]), amp_min, moved)


class CabinetTool(Page):
    """The ways below one another, the picked one drawn."""

    def show_answer(self, found: Cabinet, picked: int = 0) -> None:
        self.found, self.picked = found, picked
        column = self.fresh()
        way = found.ways[picked]
        column.addWidget(label(f"Wired as {way.expression}", 15, bold=True))
        column.addWidget(_Drawing(way))
        for line in _said(found, way):
            column.addWidget(label(line, 12))
        column.addWidget(label("All ways, the best first", 11, "faint", bold=True))
        self.buttons: list[QPushButton] = []
        for k, w in enumerate(found.ways):
            no = "" if w.allowed else "   too low for this amplifier"
            words = f"{w.expression}     {format_value(w.nominal, 'Ω', 3)}, {format_value(w.dc, 'Ω', 3)} at the meter{no}"
            button = one_of(words, k == picked, partial(self.show_answer, found, k))
            self.buttons.append(button)
            column.addWidget(button)
        self.turn(column)


def _said(found: Cabinet, way: Wiring) -> list[str]:
    shares = sorted({f"{100 * s:.0f} %" for s in way.share}, reverse=True)
    each = f"Each takes {shares[0]} of the power." if len(shares) == 1 else f"They take {' and '.join(shares)} of the power: the first to give up is the one that takes most."
    out = [f"{format_value(way.nominal, 'Ω', 3)} nominal, never below {format_value(way.minimum, 'Ω', 3)}, {format_value(way.dc, 'Ω', 3)} at the meter. {each}"]
    if found.moved:
        try:
            said: Sequence[str] = polarity(way.group, found.moved) or ["All move out: all are the right way round."]
        except NuvloError as bad:
            said = [f"{p.message[0].upper()}{p.message[1:]} {p.remedy}" for p in bad.problems]
        return out + list(said)
    return [*out, "Then touch plus of a 9 V battery to the red terminal for a moment: every cone moves out. Type what they did: cabinet … cones=out,in,still"]


class _Drawing(QWidget):
    """Wires from tag to tag, red terminal on the left."""

    def __init__(self, way: Wiring) -> None:
        super().__init__()
        self.way = way
        wide, high = _cells(way.group)
        self.setMinimumHeight(int(high * CELL[1] + 20))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"Drawn: {way.expression}")
        self._wide = wide

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = min(self.width() - 80.0, self._wide * CELL[0] * 1.3)
        area = QRectF(40, 10, wide, self.height() - 20)
        y = area.center().y()
        for x, colour in ((16.0, "out"), (area.right() + 24, "ink")):
            p.setPen(QPen(theme.colour(colour), 2))
            p.setBrush(theme.colour(colour))
            p.drawEllipse(QPointF(x, y), 7, 7)
        p.setPen(QPen(theme.colour("ink"), 2))
        p.drawLine(QPointF(23, y), QPointF(area.left(), y))
        p.drawLine(QPointF(area.right(), y), QPointF(area.right() + 17, y))
        self._group(p, self.way.group, area)

    def _group(self, p: QPainter, group: Group, area: QRectF) -> None:
        """A group with its ends in the middle of the left and right sides of ``area``."""
        y = area.center().y()
        if not group.sign:
            self._driver(p, group.driver, area)
            return
        cells = [_cells(m) for m in group.members]
        if group.sign == "+":
            whole, x = sum(w for w, _ in cells), area.left()
            for member, (w, _) in zip(group.members, cells, strict=True):
                part = QRectF(x, area.top(), area.width() * w / whole, area.height())
                self._group(p, member, part)
                x = part.right()
            return
        whole, top, middles = sum(h for _, h in cells), area.top(), []
        for member, (_, h) in zip(group.members, cells, strict=True):
            part = QRectF(area.left() + 10, top, area.width() - 20, area.height() * h / whole)
            self._group(p, member, part)
            middles.append(part.center().y())
            p.setPen(QPen(theme.colour("ink"), 2))
            for x, edge in ((area.left(), part.left()), (part.right(), area.right())):
                p.drawLine(QPointF(x, middles[-1]), QPointF(edge, middles[-1]))
            top = part.bottom()
        for x in (area.left(), area.right()):
            p.drawLine(QPointF(x, min([*middles, y])), QPointF(x, max([*middles, y])))

    def _driver(self, p: QPainter, number: int, area: QRectF) -> None:
        at, r = area.center(), min(22.0, area.height() / 2 - 4)
        p.setPen(QPen(theme.colour("ink"), 2))
        p.drawLine(QPointF(area.left(), at.y()), QPointF(at.x() - r, at.y()))
        p.drawLine(QPointF(at.x() + r, at.y()), QPointF(area.right(), at.y()))
        p.setBrush(theme.colour("card"))
        p.drawEllipse(at, r, r)
        p.setFont(theme.words(10, bold=True))
        p.drawText(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r), Qt.AlignmentFlag.AlignCenter, f"D{number + 1}")
        p.setFont(theme.values(theme.SMALL))
        for x, sign in ((at.x() - r - 10, "+"), (at.x() + r + 10, "−")):
            p.drawText(QRectF(x - 8, at.y() - 19, 16, 17), Qt.AlignmentFlag.AlignCenter, sign)


def _cells(group: Group) -> tuple[float, float]:
    """Across and down, in drivers."""
    if not group.sign:
        return 1.0, 1.0
    inner = [_cells(m) for m in group.members]
    if group.sign == "+":
        return sum(w for w, _ in inner), max(h for _, h in inner)
    return max(w for w, _ in inner) + 0.3, sum(h for _, h in inner)
