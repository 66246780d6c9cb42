"""A box that has no board, as one looks into it from behind: what sits in its faces, their lugs, and the wires between."""

from __future__ import annotations

from math import cos, hypot, radians, sin

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.board.lugs import nearest
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.board.wire import draw_wires
from nuvlo.kit import Kit, PanelHole

EDGE, TITLE, STRIP = 16.0, 12.0, 110.0  # px round the face, of its heading, and high for what sits in other faces
LEAST_R, LUG_R, APART = 20.0, 6.0, 52.0  # px; between the lugs of a small part
REACH = 20.0  # px of a click from a lug
SPREAD_DEG = 34.0  # between two lugs of a part, seen from its middle
SIGNS = {"plus": "+", "minus": "−"}


class InsideMap(QWidget):
    """The front from behind, so that left is right, and what sits in other faces in a strip below it. ``traced`` tells the lug that was clicked."""

    traced = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.kit: Kit | None = None
        self.marking = Marking()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 150)

    def show_wiring(self, kit: Kit, marking: Marking) -> None:
        """Show the wires of a kit that has holes and an enclosure."""
        self.kit, self.marking = kit, marking
        lit = ", ".join(sorted(marking.lit))
        self.setAccessibleName("The box from behind" + (f", lit: {lit}" if lit else ""))
        self.update()

    # -- geometry -----------------------------------------------------------------------------------------------

    def places(self) -> dict[str, tuple[QPointF, float]]:
        """Middle and radius in px of every part that wires go to."""
        kit = self.kit
        if kit is None or kit.info.enclosure is None:
            return {}
        box = kit.info.enclosure
        wired = {end.partition(".")[0] for w in kit.wires for end in w.ends}
        front: list[PanelHole] = [h for h in kit.panel if h.face == "front" and h.ref in wired]
        others = [h for h in kit.panel if h.face != "front" and h.ref in wired]
        below = STRIP if others else 0.0
        scale = min((self.width() - 2 * EDGE) / box.width_mm, (self.height() - 2 * EDGE - TITLE - below) / box.height_mm)
        left = (self.width() - box.width_mm * scale) / 2
        self._face = QRectF(left, EDGE + TITLE, box.width_mm * scale, box.height_mm * scale)
        out = {}
        for h in front:
            at = QPointF(self._face.right() - h.x_mm * scale, self._face.bottom() - h.y_mm * scale)
            out[h.ref] = at, max(LEAST_R, 0.5 * h.hole_mm * scale)
        for k, h in enumerate(others):
            x = self._face.left() + self._face.width() * (k + 0.5) / len(others)
            out[h.ref] = QPointF(x, self._face.bottom() + below * 0.52), LEAST_R
        return out

    def lugs(self) -> dict[str, QPointF]:
        """Where the lugs are that wires go to: side by side on the lower rim of their part, or below it where it is small."""
        assert self.kit is not None
        out = {}
        named: dict[str, list[str]] = {}
        for wire in self.kit.wires:
            for end in wire.ends:
                ref = end.partition(".")[0]
                if end not in named.setdefault(ref, []):
                    named[ref].append(end)
        for ref, (middle, radius) in self.places().items():
            mine = sorted(named.get(ref, ()), key=lambda lug: (lug.endswith("minus"), lug))
            for k, lug in enumerate(mine):
                if radius <= 1.5 * LEAST_R:
                    out[lug] = middle + QPointF((k - (len(mine) - 1) / 2) * APART, radius + LUG_R)
                    continue
                angle = radians(90 - SPREAD_DEG * (k - (len(mine) - 1) / 2))
                out[lug] = middle + QPointF(-0.72 * radius * cos(angle), 0.72 * radius * sin(angle))
        return out

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and self.kit is not None and (lug := nearest(self.lugs(), event.position(), REACH)):
            self.traced.emit(lug)

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.kit is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        places, lugs = self.places(), self.lugs()
        p.setPen(QPen(theme.colour("faint"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(self._face, 6, 6)
        p.setFont(theme.words(theme.SMALL, bold=True))
        p.setPen(theme.colour("faint"))
        p.drawText(QRectF(self._face.left(), self._face.top() - 20, self._face.width(), 18), Qt.AlignmentFlag.AlignLeft, "Front, from behind")
        holes = {h.ref: h for h in self.kit.panel}
        for ref, (middle, radius) in places.items():
            lit = any(end.partition(".")[0] == ref for end in self.marking.lit)
            p.setPen(QPen(theme.colour("copper" if lit else "ink"), 3 if lit else 1.4))
            p.setBrush(theme.colour("card"))
            p.drawEllipse(middle, radius, radius)
            p.setPen(theme.colour("ink"))
            p.setFont(theme.words(11, bold=lit))
            face = "" if holes[ref].face == "front" else f", {holes[ref].face}"
            top = middle.y() - (0.5 * radius if radius > 2 * LEAST_R else radius + 20)
            p.drawText(QRectF(middle.x() - 80, top, 160, 18), Qt.AlignmentFlag.AlignCenter, f"{ref}{face}")
        routed = []
        for wire in self.kit.wires:
            a, b = lugs.get(wire.start), lugs.get(wire.end)
            if a is not None and b is not None:
                middle, _ = places[wire.start.partition(".")[0]]
                routed.append((wire, _run(a, b, -1 if a.x() < middle.x() else 1)))
        draw_wires(p, routed, self.marking.wire_now, self.marking.wires_done)
        for lug, at in lugs.items():
            lit = lug in self.marking.lit
            p.setPen(QPen(theme.colour("copper" if lit else "ink"), 2))
            p.setBrush(theme.colour("copper" if lit else "card"))
            p.drawEllipse(at, LUG_R + 2 * lit, LUG_R + 2 * lit)
            name = lug.partition(".")[2]
            p.setPen(QColor(theme.current().ink))
            p.setFont(theme.values(theme.SMALL, bold=lit))
            small = places[lug.partition(".")[0]][1] <= 1.5 * LEAST_R
            p.drawText(QRectF(at.x() - 30, at.y() + (LUG_R + 1 if small else -24), 60, 17), Qt.AlignmentFlag.AlignCenter, SIGNS.get(name, name))


def _run(a: QPointF, b: QPointF, aside: int) -> QPainterPath:
    """A wire with some slack: hanging, or bowed ``aside`` (−1 to the left) where it runs up and down, clear of names and tags."""
    path = QPainterPath(a)
    if abs(b.x() - a.x()) < 0.2 * abs(b.y() - a.y()):
        bow = aside * 0.22 * abs(b.y() - a.y())
        path.cubicTo(QPointF(a.x() + bow, a.y()), QPointF(b.x() + bow, b.y()), b)
        return path
    sag = 0.18 * hypot(b.x() - a.x(), b.y() - a.y()) + 14
    path.cubicTo(QPointF(a.x(), a.y() + sag), QPointF(b.x(), b.y() + sag), b)
    return path
