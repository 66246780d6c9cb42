"""What a board map shows while a mistake is looked for: the suspects ringed and lettered, where the leads go, and flaws through the lens."""

from __future__ import annotations

from math import hypot

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from nuvlo.desktop import theme
from nuvlo.desktop.board.marking import Map

SOLDER, DULL = "#D5DADF", "#8B9196"  # bright, and as a cold joint is
TOP_PX = 38  # above which stands the heading of the map
RING_PX = 13.0  # from the pads of a suspect to the ring round it
PROBES = {"red": "#B3202E", "black": "#15181A"}  # as the leads of every meter are


def draw_flaws(p: QPainter, there: Map) -> None:
    """Joints that are not as they should be, and what joins two of them."""
    spots = {f"{q.ref}.{q.pin}": q for q in there.board.pads}
    px = there.scale()
    for flaw in there.marking.flaws:
        pads = [spots[name] for name in flaw.pads if name in spots]
        if flaw.kind == "bridge" and len(pads) == 2:
            p.setPen(QPen(QColor(SOLDER), 0.9 * px, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(*(there.place(q.x_mm, q.y_mm) for q in pads))
        elif flaw.kind in ("cold", "open") and (mine := there.board.pads_by_ref.get(flaw.ref)):
            at = there.place(mine[0].x_mm, mine[0].y_mm)
            p.setPen(QPen(QColor(DULL).darker(150), 0.12 * px))
            p.setBrush(QColor(DULL))
            p.drawEllipse(at, 0.62 * px, 0.5 * px)
            if flaw.kind == "open":  # a ring all round the lead
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(QColor("#1A1D20"), 0.16 * px))
                p.drawEllipse(at, 0.34 * px, 0.34 * px)


def draw_accused(p: QPainter, there: Map) -> None:
    """A ring round each suspect, the wider the likelier, with its letter."""
    pads = there.board.pads_by_ref
    p.setFont(theme.words(10.5, bold=True))
    for ref, (letter, share) in there.marking.accused.items():
        mine = [there.place(q.x_mm, q.y_mm) for q in pads.get(ref, ())]
        if not mine:
            continue
        x, y = [at.x() for at in mine], [at.y() for at in mine]
        round_it = QRectF(min(x), min(y), max(x) - min(x), max(y) - min(y)).adjusted(-RING_PX, -RING_PX, RING_PX, RING_PX)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.LAMP.copper), 1.5 + 4.0 * share))
        p.drawRoundedRect(round_it, RING_PX, RING_PX)
        badge = QRectF(round_it.right() - 12, round_it.top() - 9, 20, 20)
        p.setBrush(QColor(theme.LAMP.copper))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawEllipse(badge)
        p.setPen(QColor(theme.LAMP.paper))
        p.drawText(badge, Qt.AlignmentFlag.AlignCenter, letter)


def draw_probes(p: QPainter, there: Map) -> None:
    """The two tips of the meter, each with its colour in words."""
    spots = {f"{q.ref}.{q.pin}": q for q in reversed(there.board.pads)} | {q.ref: q for q in reversed(there.board.pads)}
    p.setFont(theme.words(theme.SMALL, bold=True))
    for place, colour in there.marking.probes:
        pad = spots.get(place)
        if pad is None:
            continue
        at = there.place(pad.x_mm, pad.y_mm)
        end, side, up = _free_way(there, at)
        ink = QColor(PROBES[colour])
        for pen in (QPen(QColor(theme.LAMP.ink), 6), QPen(ink, 3.2)):  # light round dark, so that it stands out on any board
            p.setPen(pen)
            p.drawLine(at, end)
        p.setPen(QPen(QColor(theme.LAMP.ink), 1.6))
        p.setBrush(ink)
        p.drawEllipse(at, 6.5, 6.5)
        word = QRectF(end.x() - (4 if side > 0 else 46), end.y() + (-20 if up < 0 else 2), 50, 19)
        p.drawRoundedRect(word, 4, 4)
        p.setPen(QColor(theme.LAMP.ink))
        p.drawText(word, Qt.AlignmentFlag.AlignCenter, colour)


def _free_way(there: Map, at: QPointF) -> tuple[QPointF, float, float]:
    """Where a lead ends that comes to ``at`` from the side where it hides least, and which side that is."""
    others = [there.place(q.x_mm, q.y_mm) for q in there.board.pads]
    others += [there.place(spot.x_mm, spot.y_mm) for spot in there.board.placements.values()]

    def room(way: tuple[QPointF, float, float]) -> float:
        word = way[0] + QPointF(20 * way[1], 10 * way[2])
        inside = there.rect().adjusted(40, TOP_PX, -40, -12).contains(word.toPoint())
        near = min((hypot(word.x() - o.x(), word.y() - o.y()) for o in others), default=0.0)
        return near if inside else near - 1000.0

    return max(((at + QPointF(22 * side, 26 * up), side, up) for side in (1.0, -1.0) for up in (-1.0, 1.0)), key=room)
