"""Paints what is fixed to a board: its outline, pads, parts, bent leads and print, to scale."""

from __future__ import annotations

from collections.abc import Iterator
from math import atan2, cos, degrees, hypot, radians, sin

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from nuvlo.craft.bend import bends
from nuvlo.desktop import theme
from nuvlo.desktop.board.marking import Map
from nuvlo.desktop.board.portrait import BANDS
from nuvlo.kit import Pad, Part
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.packages import BODIES, ROUND_MM, box_mm, can_mm, coil_mm
from nuvlo.markings.marking import capacitor_code, resistor_bands

FAINT = 0.2  # of what is not looked at
SILVER = "#C9CED3"  # print on a transistor
LEAST_PRINT = 14.0  # px a mm, from which print on parts can be read
LEAST_TEXT = 5.5  # px of a letter that is still worth painting


class BoardPainter:
    """One painting of a board as ``there`` (a :class:`Map`) places it.

    It may be done in slices, each with a painter ``p`` of its own.
    """

    def __init__(self, p: QPainter, there: Map) -> None:
        self.p, self.there = p, there
        assert there.kit is not None
        self.kit, self.marking, self.scale = there.kit, there.marking, there.scale()
        self.place = there.placing()
        self.flaws = {flaw.ref: flaw for flaw in self.marking.flaws}

    def paint(self, only: set[str] | None = None) -> None:
        """Outline, pads, parts, leads, print; of ``only`` some parts where the rest is there already."""
        for _ in self.slices(only):
            pass

    def slices(self, only: set[str] | None = None) -> Iterator[None]:
        """The same, a little at a time."""
        p, board = self.p, self.there.board
        colour = QColor(theme.current().board)
        p.setPen(QPen(colour.darker(130), 2))
        colour.setAlpha(90 if self.there.underlay_shown() else 255)
        p.setBrush(colour)
        p.drawPolygon(QPolygonF([self.place(x, y) for x, y in board.outline]))
        pads = {ref: mine for ref, mine in board.pads_by_ref.items() if only is None or ref in only}
        for ref, mine in pads.items():
            self._pads(ref, mine)
            yield
        if self.marking.net:
            self._net()
        for ref, mine in pads.items():
            if ref in board.placements:
                self.p.setOpacity(FAINT if self.marking.only and ref not in self.marking.only else 1.0)
                self._part(ref, mine)
                self.p.setOpacity(1.0)
                yield
        if self.marking.side == "bottom":
            self._leads()
        for ref, mine in pads.items():
            self._legend(ref, mine)
            yield

    def _pads(self, ref: str, pads: tuple[Pad, ...]) -> None:
        p, scale = self.p, self.scale
        lit = ref in self.marking.lit
        hole = QColor(theme.current().board).darker(150)
        for pad in pads:
            at = self.place(pad.x_mm, pad.y_mm)
            r = pad.pad_mm / 2 * scale
            on_net = bool(self.marking.net) and pad.net == self.marking.net
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(theme.LAMP.near if on_net else theme.LAMP.copper if lit else theme.current().pads))
            if pad.pin == "1" and len(pads) > 1:
                p.drawRect(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r))
            else:
                p.drawEllipse(at, r, r)
            if scale > 2.5:
                p.setBrush(hole)
                p.drawEllipse(at, 0.42 * scale, 0.42 * scale)
            if f"{ref}.{pad.pin}" in self.marking.bad:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(QColor(theme.LAMP.out), 3))
                p.drawEllipse(at, r + 5, r + 5)

    def _net(self) -> None:
        """The pads of the net asked for, joined by the shortest tree: what a meter must find joined."""
        mine = [pad for pad in self.there.board.pads if pad.net == self.marking.net]
        self.p.setPen(QPen(QColor(theme.LAMP.near), 2.0, Qt.PenStyle.DotLine))
        for a, b in tree([(q.x_mm, q.y_mm) for q in mine]):
            self.p.drawLine(*(self.place(mine[k].x_mm, mine[k].y_mm) for k in (a, b)))

    def _leads(self) -> None:
        """Leads of the parts in hand as they are bent."""
        turn = self.there.view.turn if not self.marking.wires else 0.0
        for lead in bends(self.kit):
            if lead.ref in self.marking.lit:
                pad = next(q for q in self.there.board.pads_of(lead.ref) if q.pin == lead.pin)
                at, angle = self.place(pad.x_mm, pad.y_mm), radians(90 - 30 * lead.clock - turn)
                long = lead.length_mm * self.scale
                self.p.setPen(QPen(QColor(theme.current().legend), 0.6 * self.scale, cap=Qt.PenCapStyle.RoundCap))
                self.p.drawLine(at, at + QPointF(long * cos(angle), -long * sin(angle)))

    def _part(self, ref: str, pads: tuple[Pad, ...]) -> None:
        p, m, scale = self.p, self.marking, self.scale
        part = self.kit.find_part(ref)
        flaw = self.flaws.get(ref)
        lit, done = ref in m.lit, ref in m.done and not (flaw and flaw.kind == "missing")
        about = 180.0 if flaw and flaw.kind == "turned" else 0.0
        pen = QPen(QColor(theme.LAMP.copper if lit else theme.current().legend), 3 if lit else 1.4)
        if m.side == "bottom":
            pen.setStyle(Qt.PenStyle.DashLine)
        p.setPen(pen)
        kind = part.kind if part else ""
        p.setBrush(_body(kind) if done and m.side == "top" else Qt.BrushStyle.NoBrush)
        placed = self.there.board.placements[ref]
        first, last = (self.place(q.x_mm, q.y_mm) for q in (pads[0], pads[-1]))
        angle = degrees(atan2(last.y() - first.y(), last.x() - first.x()))
        turn = self.there.view.turn if not m.wires else 0.0
        p.save()
        p.translate(self.place(placed.x_mm, placed.y_mm))
        if kind == "electrolytic":
            self._can(part, angle + about, pen)
        elif kind == "transistor" and placed.package == "to92":
            p.rotate(turn - placed.rotation + about)
            r = 2.4 * scale
            # The flat faces away from the middle of the part's three pads; here it lies below, as printed.
            p.drawChord(QRectF(-r, -r, 2 * r, 2 * r), -40 * 16, 260 * 16)
            if done and m.side == "top" and scale > LEAST_PRINT:
                self._printed(part, QRectF(-r, -0.6 * r, 2 * r, r), -(turn - placed.rotation + about))
        else:
            p.rotate((angle if kind_of(kind).along else turn - placed.rotation) + about)
            self._box(part, kind, placed.package, done, pen)
        p.restore()

    def _can(self, part: Part | None, angle: float, pen: QPen) -> None:
        """A can from above, plus at its first pad."""
        p, scale = self.p, self.scale
        across = can_mm(part)
        p.drawEllipse(QPointF(0, 0), across / 2 * scale, across / 2 * scale)
        p.rotate(angle)
        p.setPen(QPen(pen.color(), 2))
        x = -(across / 2 + 0.9) * scale
        p.drawLine(QPointF(x - 5, 0), QPointF(x + 5, 0))
        p.drawLine(QPointF(x, -5), QPointF(x, 5))

    def _box(self, part: Part | None, kind: str, package: str, done: bool, pen: QPen) -> None:
        p, scale = self.p, self.scale
        long, wide = box_mm(package, kind)
        body = QRectF(-long / 2 * scale, -wide / 2 * scale, long * scale, wide * scale)
        if coil := coil_mm(package):
            self._coil(body, on_edge=coil[2])
            return
        p.drawRoundedRect(body, 3, 3)
        if kind == "diode":
            p.fillRect(QRectF(1.5 * scale, -wide / 2 * scale, 0.7 * scale, wide * scale), pen.color())
        elif kind == "resistor" and done and self.marking.side == "top" and scale > 3:
            self._bands(part)
        elif kind == "capacitor" and done and self.marking.side == "top" and scale > LEAST_PRINT:
            self._code(part, body)
        elif kind == "transistor" and done and self.marking.side == "top" and scale > LEAST_PRINT:
            self._printed(part, body)
        elif kind == "trimmer":
            p.drawEllipse(QPointF(0, 0), 1.6 * scale, 1.6 * scale)
            p.drawLine(QPointF(-1.1 * scale, 0), QPointF(1.1 * scale, 0))
        elif kind in ("socket", "chip"):  # the notch at the end of pin 1
            p.drawChord(QRectF(-1.2 * scale, (-wide / 2 - 1.2) * scale, 2.4 * scale, 2.4 * scale), 180 * 16, 180 * 16)

    def _code(self, part: Part | None, body: QRectF) -> None:
        """What is printed on a capacitor, near enough to be read."""
        if part is None or part.value is None:
            return
        flaw = self.flaws.get(part.ref)
        try:
            said = capacitor_code(flaw.value if flaw and flaw.kind == "value" else part.value, part.tolerance)
        except ValueError:
            return
        self.p.setFont(theme.values(max(6.0, 0.8 * self.scale), bold=True))
        self.p.drawText(body, Qt.AlignmentFlag.AlignCenter, said)

    def _printed(self, part: Part | None, body: QRectF, upright: float = 0.0) -> None:
        """The type on a transistor, near enough to be read."""
        if part is None:
            return
        flaw = self.flaws.get(part.ref)
        other = self.kit.find_part(flaw.like) if flaw and flaw.kind == "type" else None
        said = (other or part).text
        size = min(0.9 * self.scale, 1.5 * body.width() / max(len(said), 1))
        self.p.save()
        self.p.rotate(upright)
        self.p.setFont(theme.values(max(6.0, 0.75 * size), bold=True))
        self.p.setPen(QColor(SILVER))
        self.p.drawText(body, Qt.AlignmentFlag.AlignCenter, said)
        self.p.restore()

    def _coil(self, body: QRectF, *, on_edge: bool) -> None:
        """Rings where its axis stands upright, turns side by side where it lies along the board."""
        p = self.p
        if not on_edge:
            p.drawEllipse(body)
            p.drawEllipse(body.center(), 0.26 * body.width(), 0.26 * body.width())
            return
        p.drawRect(body)
        for k in (1, 2, 4, 5):  # its name stands in the middle
            x = body.left() + body.width() * k / 6
            p.drawLine(QPointF(x, body.top()), QPointF(x, body.bottom()))

    def _bands(self, part: Part | None) -> None:
        if part is None or part.value is None or part.tolerance is None:
            return
        flaw = self.flaws.get(part.ref)
        try:
            bands = resistor_bands(flaw.value if flaw and flaw.kind == "value" else part.value, part.tolerance[1])
        except ValueError:
            return
        for k, band in enumerate(bands):
            x = -2.4 + 4.8 * k / max(1, len(bands) - 1)
            self.p.fillRect(
                QRectF((x - 0.22) * self.scale, -1.1 * self.scale, 0.44 * self.scale, 2.2 * self.scale),
                QColor(BANDS[band]),
            )

    def _legend(self, ref: str, pads: tuple[Pad, ...]) -> None:
        p, scale, lit = self.p, self.scale, ref in self.marking.lit
        if 1.15 * scale < LEAST_TEXT and not lit and len(self.there.board.placements) > 100:
            return  # on a large board seen from afar letters are dust
        points = max(8.5, min(14.0, 1.15 * scale))  # printed to scale: zoom brings it nearer
        p.setFont(theme.values(points, bold=lit))
        p.setPen(QColor(theme.LAMP.copper if lit else theme.current().legend))
        placed, part = self.there.board.placements.get(ref), self.kit.find_part(ref)
        if placed:
            at = self.place(placed.x_mm, placed.y_mm)
            kind = part.kind if part else ""
            long, wide = box_mm(placed.package, kind)
            inside = wide >= 6.0 and kind != "trimmer" and (placed.package in BODIES or kind == "inductor")
            inside = inside or (kind in ("resistor", "diode") and ref not in self.marking.done)
            free = long * scale * (0.5 if kind == "diode" else 1.0) - 2  # beside its band
            fits = p.fontMetrics().horizontalAdvance(ref) < free and 1.2 * points < wide * scale
            above = kind_of(kind).print_mm
            if kind == "electrolytic" and ROUND_MM.get(placed.package, 0.0) > 2 * above:
                wide = 0.0  # on a wide can there is room between its middle and its rim
            rise = 0.0 if inside and fits else max(above, wide / 2 + 0.9 * points / scale)
        else:
            at, rise = self.place(pads[0].x_mm, pads[0].y_mm), max(2.0, pads[0].pad_mm / 2 + points / scale)
            top = max(y for _, y in self.there.board.outline)
            if self.there.view.turn == 0 and pads[0].y_mm + rise + 0.5 * points / scale > top:
                rise = -rise  # above it there is no board left to print on
        box = QRectF(at.x() - 60, at.y() - rise * scale - 10, 120, 20)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, ref)


def tree(places: list[tuple[float, float]]) -> list[tuple[int, int]]:
    """Pairs of places that join them all with the least wire (R. Prim, Shortest connection networks, 1957)."""
    if not places:
        return []
    near = {k: (hypot(x - places[0][0], y - places[0][1]), 0) for k, (x, y) in enumerate(places) if k}
    out = []
    while near:
        k = min(near, key=lambda k: near[k])
        out.append((near.pop(k)[1], k))
        for other, (far, _) in near.items():
            here = hypot(places[other][0] - places[k][0], places[other][1] - places[k][1])
            if here < far:
                near[other] = (here, k)
    return out


def _body(kind: str) -> QColor:
    return QColor(kind_of(kind).shade)
