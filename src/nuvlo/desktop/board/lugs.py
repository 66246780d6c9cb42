"""The parts at both ends of the wire in hand, their lugs as they are seen when one solders, the one to use lit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import hypot

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.craft.lugs import LugView, lugs_in, throws_told
from nuvlo.desktop import theme
from nuvlo.desktop.board.wire import WIRES
from nuvlo.kit import Kit, Part

HIGH = 164
LEAST_PX_MM, MOST_PX_MM = 2.2, 5.0
WORDS = 0.36  # of the width, for its name and where it is seen from
LUG_R = 6.0


class LugPortraits(QWidget):
    """One part or two side by side; hidden where neither end of the wire is a part with lugs."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: list[tuple[Part, LugView, tuple[str, ...]]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(300, HIGH)

    def show_ends(self, kit: Kit, ends: Sequence[str]) -> None:
        """Show the parts that ``ends`` (``PART.lug``) belong to."""
        self.shown = []
        lit: dict[str, list[str]] = {}
        for end in ends:
            ref, dot, lug = end.partition(".")
            if dot and kit.find_part(ref) is not None:
                lit.setdefault(ref, []).append(lug)
        for ref, lugs in lit.items():
            self.shown.append((kit.part(ref), lugs_in(kit, ref), tuple(lugs)))
        self.setAccessibleName("; ".join(f"{part.ref}, {' and '.join(lugs)}: {view.seen}" for part, view, lugs in self.shown))
        self.setVisible(bool(self.shown))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = self.width() / max(len(self.shown), 1)
        for k, (part, view, lugs) in enumerate(self.shown):
            self._part(p, QRectF(k * wide + 2, 0.5, wide - 4, self.height() - 1), part, view, lugs)

    def _part(self, p: QPainter, area: QRectF, part: Part, view: LugView, lugs: tuple[str, ...]) -> None:
        p.setPen(QPen(theme.colour("line"), 1))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(area, 6, 6)
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(12, bold=True))
        words = QRectF(area.left() + 12, area.top() + 8, WORDS * area.width(), area.height() - 16)
        wrapped = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
        p.drawText(words, wrapped, part.ref)
        p.setFont(theme.words(theme.SMALL))
        p.drawText(words.adjusted(0, 22, 0, 0), wrapped, part.text)
        p.setPen(theme.colour("faint"))
        p.drawText(words, wrapped | Qt.AlignmentFlag.AlignBottom, f"{view.seen}. {throws_told(view)}".rstrip())
        left, low, right, high = _extent(view)
        room = QRectF(words.right() + 20, area.top() + 12, area.right() - words.right() - 44, area.height() - 34)
        scale = max(LEAST_PX_MM, min(MOST_PX_MM, room.width() / (right - left), room.height() / (high - low)))
        middle = room.center()

        def at(x: float, y: float) -> QPointF:
            return QPointF(middle.x() + (x - (left + right) / 2) * scale, middle.y() - (y - (low + high) / 2) * scale)

        p.setPen(QPen(theme.colour("ink"), 1.6))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for s in view.outline:
            if s.kind == "circle":
                p.drawEllipse(at(s.at[0], s.at[1]), s.at[2] / 2 * scale, s.at[2] / 2 * scale)
            elif s.kind == "box":
                corner = at(s.at[0], s.at[1] + s.at[3])
                p.drawRect(QRectF(corner.x(), corner.y(), s.at[2] * scale, s.at[3] * scale))
            elif s.kind == "stripe":
                p.setPen(QPen(QColor(WIRES["red"]), 7))
                p.drawLine(at(s.at[0], s.at[1]), at(s.at[2], s.at[3]))
                p.setPen(QPen(theme.colour("ink"), 1.6))
            else:
                p.drawLine(at(s.at[0], s.at[1]), at(s.at[2], s.at[3]))
        for k, (_, pairs) in enumerate(view.joins):  # the first throw in full, the others dotted
            p.setPen(QPen(theme.colour("good"), 5 if k == 0 else 2.5, Qt.PenStyle.SolidLine if k == 0 else Qt.PenStyle.DotLine))
            for one, other in pairs:
                p.drawLine(at(*view.places[one]), at(*view.places[other]))
        for name, (x, y) in view.places.items():
            lit, here = name in lugs, at(x, y)
            p.setPen(QPen(theme.colour("copper" if lit else "ink"), 2))
            p.setBrush(theme.colour("copper" if lit else "card"))
            radius = LUG_R + 2 * lit
            p.drawEllipse(here, radius, radius)
            p.setFont(theme.values(theme.SMALL, bold=lit))
            p.setPen(theme.colour("ink"))
            box = QRectF(here.x() - 32, here.y() + radius + 1, 64, 16)
            if any(name in pair and view.places[pair[0]][0] == view.places[pair[1]][0] for _, pairs in view.joins for pair in pairs):
                box = QRectF(here.x() - radius - 20, here.y() - 8, 18, 16)  # what it is joined to lies below it
            if view.ring:  # a number of a ring stands beside its lug, away from the middle; all else below it
                far = max(hypot(x, y), 1e-9)
                out = radius + 10
                box = QRectF(here.x() + out * x / far - 16, here.y() - out * y / far - 8, 32, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, name)


def nearest(lugs: Mapping[str, QPointF], there: QPointF, reach: float) -> str:
    """The lug that lies nearest to a click, within ``reach`` px; empty where none does."""
    far = {lug: hypot(at.x() - there.x(), at.y() - there.y()) for lug, at in lugs.items()}
    best = min(far, key=lambda lug: far[lug], default="")
    return best if best and far[best] < reach else ""


def _extent(view: LugView) -> tuple[float, float, float, float]:
    """Left, low, right, high mm of all of it."""
    xs = [x for x, _ in view.places.values()]
    ys = [y for _, y in view.places.values()]
    for s in view.outline:
        if s.kind == "circle":
            xs += [s.at[0] - s.at[2] / 2, s.at[0] + s.at[2] / 2]
            ys += [s.at[1] - s.at[2] / 2, s.at[1] + s.at[2] / 2]
        elif s.kind == "box":
            xs += [s.at[0], s.at[0] + s.at[2]]
            ys += [s.at[1], s.at[1] + s.at[3]]
        else:
            xs += [s.at[0], s.at[2]]
            ys += [s.at[1], s.at[3]]
    return min(xs) - 2, min(ys) - 2, max(xs) + 2, max(ys) + 2
