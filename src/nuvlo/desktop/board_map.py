"""The board to scale, from either side; parts drawn from kind and size, polarity marked, wires and test points."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import atan2, cos, degrees, hypot, radians, sin

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.portrait import BANDS
from nuvlo.kit import Kit, Pad
from nuvlo.kit.bend import bends
from nuvlo.quantity import resistor_bands

WIRES = {
    "red": "#C3312F", "black": "#20262B", "white": "#C9C2B2", "orange": "#E07B25", "blue": "#2F5FB0", "green": "#3B8B4B",
    "yellow": "#D7AE1E", "brown": "#7A4420", "violet": "#7D4FA3", "grey": "#8C8C8C",
}  # fmt: skip
PANEL_ROOM_MM = 26.0


@dataclass(frozen=True)
class Marking:
    """What of the map is lit: parts and pads in hand, parts that are in, wires shown, words beside points."""

    lit: frozenset[str] = frozenset()
    done: frozenset[str] = frozenset()
    side: str = "top"
    wires: bool = False
    wire_now: str = ""
    wires_done: frozenset[str] = frozenset()
    readings: dict[str, tuple[str, str]] = field(default_factory=dict)


class BoardMap(QWidget):
    """Fits itself to the room there is. ``picked`` tells the part that was clicked."""

    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.kit: Kit | None = None
        self.marking = Marking()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 200)

    def show_board(self, kit: Kit, marking: Marking) -> None:
        self.kit, self.marking = kit, marking
        lit = ", ".join(sorted(marking.lit))
        side = "component side" if marking.side == "top" else "solder side, mirrored"
        self.setAccessibleName(f"Board map, {side}" + (f", lit: {lit}" if lit else ""))
        self.update()

    # -- geometry -----------------------------------------------------------------------------------------------

    def _fit(self) -> tuple[float, float, float]:
        """Pixels per mm and the place of the board's lower left corner."""
        board = self.kit.board
        width, height = board.size
        rows = self._rows() if self.marking.wires else ([], [])
        above, below = (PANEL_ROOM_MM if row else 0.0 for row in rows)
        scale = min((self.width() - 48) / width, (self.height() - 74) / (height + above + below))
        free = self.height() + 20 - (height + above + below) * scale
        return scale, (self.width() - width * scale) / 2, free / 2 + (above + height) * scale

    def _rows(self) -> tuple[list[str], list[str]]:
        """Panel parts above and below the board, each near the pads it is wired to and in their order."""
        pads = {pad.ref: pad for pad in self.kit.board.pads}
        reached: dict[str, list[Pad]] = {}
        for wire in self.kit.wires:
            for end, other in ((wire.start, wire.end), (wire.end, wire.start)):
                if "." in end:
                    mine = reached.setdefault(end.partition(".")[0], [])
                    if other in pads:
                        mine.append(pads[other])
        heights = [y for _, y in self.kit.board.outline]
        middle = sum(heights) / len(heights)

        def mean(ref: str, axis: str) -> float:
            return sum(getattr(pad, axis) for pad in reached[ref]) / max(1, len(reached[ref]))

        ordered = sorted(reached, key=lambda ref: self.place_x(mean(ref, "x_mm")))
        above = [ref for ref in ordered if mean(ref, "y_mm") > middle]
        return above, [ref for ref in ordered if ref not in above]

    def place_x(self, x_mm: float) -> float:
        """Order of a place from left to right, as seen from the side shown."""
        return self.kit.board.seen_from(x_mm, self.marking.side)

    def place(self, x_mm: float, y_mm: float) -> QPointF:
        """Pixels of a place on the board, given as seen from the component side."""
        scale, left, bottom = self._fit()
        board = self.kit.board
        seen = board.seen_from(x_mm, self.marking.side)
        low = min(y for _, y in board.outline)
        return QPointF(left + (seen - board.left) * scale, bottom - (y_mm - low) * scale)

    def _lugs(self) -> dict[str, QPointF]:
        """Where the lugs of panel parts are drawn."""
        out = {}
        for row, mine in enumerate(self._rows()):
            y = 62.0 if row == 0 else self.height() - 48.0
            for k, ref in enumerate(mine):
                x = self.width() * (k + 0.5) / len(mine)
                names = sorted({e for w in self.kit.wires for e in (w.start, w.end) if e.startswith(ref + ".")})
                for i, lug in enumerate(names):
                    out[lug] = QPointF(x + (i - (len(names) - 1) / 2) * min(46.0, self.width() / len(mine) / 2.6), y)
        return out

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.kit is None or self.kit.board is None:
            return
        best = None
        for pad in self.kit.board.pads:
            at = self.place(pad.x_mm, pad.y_mm)
            far = hypot(at.x() - event.position().x(), at.y() - event.position().y())
            if far < 26 and (best is None or far < best[0]):
                best = (far, pad.ref)
        if best:
            self.picked.emit(best[1])

    # -- painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.kit is None or self.kit.board is None:
            p.setPen(theme.colour("faint"))
            p.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "This kit has no placement.csv and pads.csv: no map to draw."
            )
            return
        board, m = self.kit.board, self.marking
        p.setFont(theme.words(10, bold=True))
        p.setPen(theme.colour("faint"))
        side = "Component side" if m.side == "top" else "Solder side, as turned over in the hand"
        width, height = board.size
        p.drawText(
            QRectF(16, 4, self.width() - 32, 18), Qt.AlignmentFlag.AlignLeft, f"{side}   {width:g} × {height:g}\u202fmm"
        )
        p.setBrush(QColor(theme.current().board))
        p.setPen(QPen(QColor(theme.current().board).darker(130), 2))
        p.drawPolygon(QPolygonF([self.place(x, y) for x, y in board.outline]))
        scale = self._fit()[0]
        pads: dict[str, list[Pad]] = {}
        for pad in board.pads:
            pads.setdefault(pad.ref, []).append(pad)
        for ref, mine in pads.items():
            self._pads(p, ref, mine, scale)
        for ref, mine in pads.items():
            if ref in board.placements:
                self._part(p, ref, mine, scale)
        if m.side == "bottom":
            self._leads(p, scale)
        for ref, mine in pads.items():
            self._legend(p, ref, mine, scale)
        if m.wires:
            self._wires(p)
        for ref, (words, verdict) in m.readings.items():
            if ref in pads:
                self._reading(p, pads[ref][0], words, verdict)

    def _pads(self, p: QPainter, ref: str, pads: list[Pad], scale: float) -> None:
        lit = ref in self.marking.lit
        for pad in pads:
            at = self.place(pad.x_mm, pad.y_mm)
            r = pad.pad_mm / 2 * scale
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(theme.LAMP.copper if lit else theme.current().pads))
            if pad.pin == "1" and len(pads) > 1:
                p.drawRect(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r))
            else:
                p.drawEllipse(at, r, r)
            p.setBrush(QColor(theme.current().board).darker(150))
            p.drawEllipse(at, 0.42 * scale, 0.42 * scale)

    def _leads(self, p: QPainter, scale: float) -> None:
        """Leads of the parts in hand as they are bent."""
        assert self.kit is not None
        assert self.kit.board is not None
        for lead in bends(self.kit):
            if lead.ref in self.marking.lit:
                pad = next(q for q in self.kit.board.pads_of(lead.ref) if q.pin == lead.pin)
                at, angle = self.place(pad.x_mm, pad.y_mm), radians(90 - 30 * lead.clock)
                long = lead.length_mm * scale
                p.setPen(QPen(QColor(theme.current().legend), 0.6 * scale, cap=Qt.PenCapStyle.RoundCap))
                p.drawLine(at, at + QPointF(long * cos(angle), -long * sin(angle)))

    def _part(self, p: QPainter, ref: str, pads: list[Pad], scale: float) -> None:
        part, m = self.kit.find_part(ref), self.marking
        lit, done = ref in m.lit, ref in m.done
        legend = QColor(theme.current().legend)
        pen = QPen(QColor(theme.LAMP.copper) if lit else legend, 3 if lit else 1.4)
        if m.side == "bottom":
            pen.setStyle(Qt.PenStyle.DashLine)
        p.setPen(pen)
        kind = part.kind if part else ""
        p.setBrush(_body(kind) if done and m.side == "top" else Qt.BrushStyle.NoBrush)
        centre_mm = self.kit.board.placements[ref]
        centre = self.place(centre_mm.x_mm, centre_mm.y_mm)
        first, last = (self.place(q.x_mm, q.y_mm) for q in (pads[0], pads[-1]))
        angle = atan2(last.y() - first.y(), last.x() - first.x())
        p.save()
        p.translate(centre)
        if kind in ("resistor", "diode", "capacitor"):
            p.rotate(degrees(angle))
            long, wide = {"resistor": (6.5, 2.3), "diode": (5.2, 2.7), "capacitor": (7.2, 3.2)}[kind]
            p.drawRoundedRect(QRectF(-long / 2 * scale, -wide / 2 * scale, long * scale, wide * scale), 3, 3)
            if kind == "diode":
                p.fillRect(QRectF(1.5 * scale, -wide / 2 * scale, 0.7 * scale, wide * scale), pen.color())
            if kind == "resistor" and done and m.side == "top":
                self._bands(p, part, scale)
        elif kind == "electrolytic":
            p.drawEllipse(QPointF(0, 0), 3.2 * scale, 3.2 * scale)
            p.rotate(degrees(angle))
            p.setPen(QPen(pen.color(), 2))
            x = -4.1 * scale
            p.drawLine(QPointF(x - 5, 0), QPointF(x + 5, 0))
            p.drawLine(QPointF(x, -5), QPointF(x, 5))
        elif kind == "transistor":
            r = 2.4 * scale
            # The flat faces away from the middle of the part's three pads; here it lies below, as printed.
            p.drawChord(QRectF(-r, -r, 2 * r, 2 * r), -40 * 16, 260 * 16)
        else:
            p.drawRoundedRect(QRectF(-3.5 * scale, -3.5 * scale, 7 * scale, 7 * scale), 3, 3)
            if kind == "trimmer":
                p.drawEllipse(QPointF(0, 0), 1.6 * scale, 1.6 * scale)
                p.drawLine(QPointF(-1.1 * scale, 0), QPointF(1.1 * scale, 0))
        p.restore()

    @staticmethod
    def _bands(p: QPainter, part, scale: float) -> None:
        try:
            bands = resistor_bands(part.value, part.tolerance[1])
        except (ValueError, TypeError):
            return
        for k, band in enumerate(bands):
            x = -2.4 + 4.8 * k / max(1, len(bands) - 1)
            p.fillRect(QRectF((x - 0.22) * scale, -1.1 * scale, 0.44 * scale, 2.2 * scale), QColor(BANDS[band]))

    def _legend(self, p: QPainter, ref: str, pads: list[Pad], scale: float) -> None:
        p.setFont(theme.values(max(7.0, min(10.5, 1.15 * scale)), bold=ref in self.marking.lit))
        p.setPen(QColor(theme.LAMP.copper if ref in self.marking.lit else theme.current().legend))
        placement = self.kit.board.placements.get(ref)
        part = self.kit.find_part(ref)
        if placement:
            at = self.place(placement.x_mm, placement.y_mm)
            rise = {"transistor": 3.7, "trimmer": 4.7, "electrolytic": 4.3, "capacitor": 2.9}.get(
                part.kind if part else "", 2.4
            )
            if part and part.kind in ("resistor", "diode") and ref not in self.marking.done:
                rise = 0.0
        else:
            at, rise = self.place(pads[0].x_mm, pads[0].y_mm), 2.0
        box = QRectF(at.x() - 40, at.y() - rise * scale - 8, 80, 16)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, ref)

    def _wires(self, p: QPainter) -> None:
        lugs = self._lugs()
        pads = {pad.ref: self.place(pad.x_mm, pad.y_mm) for pad in self.kit.board.pads}
        for wire in sorted(self.kit.wires, key=lambda w: w.name == self.marking.wire_now):
            a, b = (lugs.get(e) or pads.get(e) for e in (wire.start, wire.end))
            if a is None or b is None:
                continue
            now, done = wire.name == self.marking.wire_now, wire.name in self.marking.wires_done
            colour = QColor(WIRES.get(wire.colour, theme.current().faint))
            if wire.colour == "black" and theme.current() is theme.LAMP:
                colour = QColor("#8C8C8C")
            colour.setAlpha(255 if now or done else 70)
            pen = QPen(colour, 5 if now else 2.2)
            if not (now or done):
                pen.setStyle(Qt.PenStyle.DotLine)
            p.setBrush(Qt.BrushStyle.NoBrush)
            path = QPainterPath(a)
            bend = (b.y() - a.y()) * 0.45
            if abs(b.y() - a.y()) < 30:  # from one panel part to another: sag towards the board
                sag = a.y() + (-46 if a.y() > self.height() / 2 else 46)
                path.cubicTo(QPointF(a.x(), sag), QPointF(b.x(), sag), b)
            else:
                path.cubicTo(QPointF(a.x(), a.y() + bend), QPointF(b.x(), b.y() - bend), b)
            if now:
                p.setPen(QPen(theme.colour("copper"), 9))
                p.drawPath(path)
            p.setPen(pen)
            p.drawPath(path)
        for lug, at in lugs.items():
            lit = lug in self.marking.lit
            p.setPen(QPen(theme.colour("copper" if lit else "faint"), 2))
            p.setBrush(theme.colour("card"))
            p.drawEllipse(at, 7 if lit else 5, 7 if lit else 5)
            _, _, pin = lug.partition(".")
            above = at.y() < self.height() / 2
            p.setFont(theme.values(8.5, bold=lit))
            p.setPen(theme.colour("ink" if lit else "faint"))
            p.drawText(QRectF(at.x() - 30, at.y() + (-22 if above else 8), 60, 14), Qt.AlignmentFlag.AlignCenter, pin)
        for ref in {lug.partition(".")[0] for lug in lugs}:
            mine = [at for lug, at in lugs.items() if lug.startswith(ref + ".")]
            x = sum(a.x() for a in mine) / len(mine)
            above = mine[0].y() < self.height() / 2
            p.setFont(theme.words(10, bold=True))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(x - 60, mine[0].y() + (-36 if above else 20), 120, 15), Qt.AlignmentFlag.AlignCenter, ref)

    def _reading(self, p: QPainter, pad: Pad, words: str, verdict: str) -> None:
        at = self.place(pad.x_mm, pad.y_mm)
        p.setFont(theme.values(9.5, bold=True))
        width = p.fontMetrics().horizontalAdvance(words) + 12
        x = min(max(at.x() - width / 2, 4), self.width() - width - 4)
        box = QRectF(x, at.y() - 2.0 * self._fit()[0] - 10, width, 19)
        p.setPen(QPen(QColor(theme.current().verdict(verdict)), 1.6))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(QColor(theme.current().verdict(verdict)))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _body(kind: str) -> QColor:
    return QColor(
        {"resistor": "#D9C7A0", "diode": "#2B2F33", "capacitor": "#B5523B", "electrolytic": "#39495A", "transistor": "#2B2F33",
         "trimmer": "#3D6EA8"}.get(kind, "#B9BEC2")
    )  # fmt: skip
