"""The board to scale, from either side; parts drawn from kind and size, polarity marked, wires and test points."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise
from math import hypot

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFontMetrics,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QTransform,
    QWheelEvent,
)
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.board.hunted import draw_accused, draw_flaws, draw_probes
from nuvlo.desktop.board.kept import KeptPainting
from nuvlo.desktop.board.lugs import nearest
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.board.view import Underlay, View, room_for
from nuvlo.desktop.board.wire import draw_lead, draw_wires
from nuvlo.kit import Board, Kit, Pad, Wire
from nuvlo.logbook import BoardPictured

LEAST_APART = 21.0  # px between lugs
AT_EDGE = 10.0  # px that words of the outermost lugs have
LOWER = 14.0  # px that every other word lies off, where a row has no room for them side by side
PANEL_ROOM_MM = 26.0
HEADING_PX = 26.0  # above the map, for what it shows
READING_PX = 19.0  # high, what a point reads
SHARPEN_MS = 120  # after the last move; until then the picture that is there is moved and scaled
WHEEL = 1.2  # nearer by one notch
LENS = 3.2  # times nearer, through a lens
BESIDE_MM = 3.0  # that it shows beside the pads that are looked at
REACH_PX = 26.0  # from a pad, that still picks its part


class BoardMap(QWidget):
    """Fits itself to the room there is; wheel and drag bring it nearer and move it. ``picked`` tells the part that was
    clicked, ``traced`` the lug; ``said`` what a click is wanted for; ``aligned`` where two pads are in a picture: (``R1.1``, x, y), px, twice."""

    picked = pyqtSignal(str)
    traced = pyqtSignal(str)
    said = pyqtSignal(str)
    aligned = pyqtSignal(tuple, tuple)

    def __init__(self) -> None:
        super().__init__()
        self.kit: Kit | None = None
        self.marking = Marking()
        self.view = View()
        self.underlays: dict[str, Underlay] = {}  # by side
        self.laid: dict[str, BoardPictured] = {}  # what the log says of them, by side
        self._aligning: tuple[QPixmap, tuple[Pad, Pad], list[tuple[float, float]]] | None = None
        self.kept = KeptPainting(self)
        self._pressed: QPointF | None = None  # where the left button went down
        self._dragged: QPointF | None = None  # where the hand has moved the board to, once it moves it
        self._moving = False
        self._sharpen = QTimer(self)
        self._sharpen.setSingleShot(True)
        self._sharpen.timeout.connect(self._settled)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 150)

    def show_board(self, kit: Kit, marking: Marking) -> None:
        self.kit, self.marking = kit, marking
        lit = ", ".join(sorted(marking.lit))
        side = "component side" if marking.side == "top" else "solder side, mirrored"
        self.setAccessibleName(f"Board map, {side}" + (f", lit: {lit}" if lit else ""))
        self.update()

    @property
    def _wired(self) -> tuple[Wire, ...]:
        return self.kit.wires if self.kit else ()

    @property
    def board(self) -> Board:
        """The board that is shown. Asked only where there is one."""
        assert self.kit is not None
        assert self.kit.board is not None
        return self.kit.board

    # -- geometry -----------------------------------------------------------------------------------------------

    def _fit(self) -> tuple[float, float, float]:
        """Pixels per mm and the place of the board's lower left corner, as it fits its room."""
        board = self.board
        width, height = board.size
        rows = self._rows() if self.marking.wires else ([], [])
        above, below = (PANEL_ROOM_MM if row else 0.0 for row in rows)
        turn = 0.0 if self.marking.wires else self.view.turn
        wide, high = room_for(width, height + above + below, turn)
        scale = min((self.width() - 48) / wide, (self.height() - 74) / high)
        free = self.height() + 20 - (height + above + below) * scale
        return scale, (self.width() - width * scale) / 2, free / 2 + (above + height) * scale

    def centre(self) -> QPointF:
        """About what the view turns."""
        return QPointF(self.width() / 2, (self.height() + 20) / 2)

    def focus(self) -> QPointF:
        """Where to look nearer: the parts in hand, else the middle."""
        mine = [self.place(q.x_mm, q.y_mm) for q in self.board.pads if q.ref in self.marking.lit]
        return sum(mine, QPointF()) / len(mine) if mine else self.centre()

    def forget(self) -> None:
        """Another build is shown from now on: nothing of this one's pictures or look is kept."""
        self.kit, self.view, self._aligning = None, View(), None
        self.underlays.clear()
        self.laid.clear()
        self.kept.forget()

    def give_up_aligning(self) -> None:
        """No picture is to be laid beneath after all."""
        self._aligning = None
        self.update()

    def lift(self, side: str) -> None:
        """Take the picture of one side away."""
        self.underlays.pop(side, None)
        self.laid.pop(side, None)
        self.kept.forget()
        self.update()

    def scale(self) -> float:
        """Pixels per mm as seen."""
        return self._fit()[0] * (1.0 if self.marking.wires else self.view.zoom)

    @property
    def whole(self) -> bool:
        """Whether nothing of it is still to be painted."""
        return self.kept.whole

    def underlay_shown(self) -> bool:
        return self.marking.side in self.underlays and not self.marking.wires

    def _rows(self) -> tuple[list[str], list[str]]:
        """Panel parts above and below the board, each near the pads it is wired to and in their order."""
        pads = {pad.ref: pad for pad in self.board.pads}
        reached: dict[str, list[Pad]] = {}
        for wire in self._wired:
            for end, other in (wire.ends, (wire.end, wire.start)):
                if "." in end:
                    mine = reached.setdefault(end.partition(".")[0], [])
                    if other in pads:
                        mine.append(pads[other])
        heights = [y for _, y in self.board.outline]
        middle = sum(heights) / len(heights)

        def mean(ref: str, axis: str) -> float:
            places: list[float] = [getattr(pad, axis) for pad in reached[ref]]
            return sum(places) / max(1, len(places))

        ordered = sorted(reached, key=lambda ref: self.place_x(mean(ref, "x_mm")))
        above = {ref for ref in ordered if mean(ref, "y_mm") > middle}
        # Where one row has no room for its lugs, those that the board needs least go to the other side of it.
        slots = {ref: len(self._names(ref)) + 1 for ref in ordered}
        below = [ref for ref in ordered if ref not in above]
        for ref in sorted(below, key=lambda ref: len(reached[ref]) / slots[ref]):
            if LEAST_APART * sum(slots[r] for r in ordered if r not in above) <= self.width():
                break
            if sum(slots[r] for r in above) + slots[ref] <= sum(slots.values()) / 2:
                above.add(ref)
        return [ref for ref in ordered if ref in above], [ref for ref in ordered if ref not in above]

    def _names(self, ref: str) -> list[str]:
        """The lugs of a panel part to which wires go."""
        return sorted({e for w in self._wired for e in w.ends if e.startswith(ref + ".")})

    def place_x(self, x_mm: float) -> float:
        """Order of a place from left to right, as seen from the side shown."""
        return self.board.seen_from(x_mm, self.marking.side)

    def placing(self) -> Callable[[float, float], QPointF]:
        """Tells pixels of places on the board, as :meth:`place`, for as long as nothing of the map changes."""
        scale, left, bottom = self._fit()
        board, side, view = self.board, self.marking.side, self.view
        moved = None if self.marking.wires or view == View() else view.transform(self.centre())

        def place(x_mm: float, y_mm: float) -> QPointF:
            at = QPointF(left + (board.seen_from(x_mm, side) - board.left) * scale, bottom - (y_mm - board.low) * scale)
            return at if moved is None else moved.map(at)

        return place

    def place(self, x_mm: float, y_mm: float) -> QPointF:
        """Pixels of a place on the board, given as seen from the component side."""
        return self.placing()(x_mm, y_mm)

    def lugs(self) -> dict[str, QPointF]:
        """Where the lugs of panel parts are drawn."""
        out = {}
        for row, mine in enumerate(self._rows()):
            y = 70.0 if row == 0 else self.height() - 48.0
            named = [self._names(ref) for ref in mine]
            apart = (self.width() - 2 * AT_EDGE) / max(sum(len(names) + 1 for names in named), 1)
            x = AT_EDGE
            for names in named:
                middle, near = x + apart * (len(names) + 1) / 2, min(46.0, apart)
                for i, lug in enumerate(names):
                    out[lug] = QPointF(middle + (i - (len(names) - 1) / 2) * near, y)
                x += apart * (len(names) + 1)
        return out

    # -- hand ---------------------------------------------------------------------------------------------------

    def look(self, view: View) -> None:
        """Look at the board otherwise."""
        if view.turn != self.view.turn:
            self.kept.forget()
        self.view, self._moving = view, True
        self._sharpen.start(SHARPEN_MS)
        self.update()

    def _settled(self) -> None:
        self._moving = False
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.kit and self.kit.board and not self.marking.wires:
            self.look(self.view.zoomed(WHEEL ** (event.angleDelta().y() / 120), event.position(), self.centre()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.kit is None or self.kit.board is None:
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._aligning is not None:
            self._align_click(event.position())
            return
        self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None or self.marking.wires:
            return
        moved = event.position() - (self._dragged or self._pressed)
        if self._dragged is None and hypot(moved.x(), moved.y()) < QApplication.startDragDistance():
            return  # a hand is never quite still
        self.look(self.view.moved(moved))
        self._dragged = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._pressed is not None and self._dragged is None:
            self._pick(self._pressed)
        self._pressed = self._dragged = None

    def _pick(self, there: QPointF) -> None:
        """Tell the part whose pad lies nearest, within reach, or the lug."""
        if self.marking.wires and (lug := nearest(self.lugs(), there, LEAST_APART)):
            self.traced.emit(lug)
            return
        best, place = None, self.placing()
        for pad in self.board.pads:
            at = place(pad.x_mm, pad.y_mm)
            far = hypot(at.x() - there.x(), at.y() - there.y())
            if far < REACH_PX and (best is None or far < best[0]):
                best = (far, pad.ref)
        if best:
            self.picked.emit(best[1])

    # -- a picture beneath --------------------------------------------------------------------------------------

    def align(self, picture: QPixmap) -> None:
        """Show ``picture`` alone and ask for two clicks: where two pads far apart are in it."""
        pads = self.board.pads
        pair = max(
            ((a, b) for a in pads[:1] + pads[-1:] for b in pads),
            key=lambda ab: hypot(ab[0].x_mm - ab[1].x_mm, ab[0].y_mm - ab[1].y_mm),
        )
        self._aligning = (picture, pair, [])
        self.said.emit(f"Click where pad {pair[0].pin} of {pair[0].ref} is in the picture.")
        self.update()

    def _picture_frame(self, picture: QPixmap) -> QTransform:
        """From px of a picture that is being aligned to px of this widget."""
        scale = min(self.width() / picture.width(), self.height() / picture.height())
        out = QTransform()
        out.translate((self.width() - picture.width() * scale) / 2, (self.height() - picture.height() * scale) / 2)
        out.scale(scale, scale)
        return out

    def _align_click(self, at: QPointF) -> None:
        assert self._aligning is not None
        picture, pair, clicks = self._aligning
        there = self._picture_frame(picture).inverted()[0].map(at)
        clicks.append((there.x(), there.y()))
        if len(clicks) == 1:
            self.said.emit(f"Now where pad {pair[1].pin} of {pair[1].ref} is.")
            return
        self._aligning = None
        try:
            self.lay_under(picture, self.marking.side, pair, clicks[0], clicks[1])
        except ValueError as same:
            self.said.emit(f"It cannot be laid beneath: {same}. Try again.")
            self.update()
            return
        first, second = (f"{pad.ref}.{pad.pin}" for pad in pair)
        self.aligned.emit((first, *clicks[0]), (second, *clicks[1]))

    def lay_under(
        self,
        picture: QPixmap,
        side: str,
        pads: tuple[Pad, Pad],
        first: tuple[float, float],
        second: tuple[float, float],
    ) -> None:
        """Lay a picture beneath one side. Raises ``ValueError`` where the two places are the same."""
        board = self.board
        at = [(board.seen_from(q.x_mm, side) - board.left, q.y_mm - self.board.low) for q in pads]
        under = Underlay(picture, side, first, second, at[0], at[1])
        under.to_board()
        self.underlays[side] = under
        self.kept.forget()
        self.update()

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
        if self._aligning is not None:
            p.setTransform(self._picture_frame(self._aligning[0]))
            p.drawPixmap(0, 0, self._aligning[0])
            return
        p.setClipRect(QRectF(0, HEADING_PX, self.width(), self.height() - HEADING_PX))
        self.kept.paint(p, moving=self._moving)
        p.setClipping(False)
        board, m = self.board, self.marking
        p.setFont(theme.words(10, bold=True))
        p.setPen(theme.colour("faint"))
        side = "Component side" if m.side == "top" else "Solder side, as turned over in the hand"
        width, height = board.size
        net = f"   net {m.net}: {sum(q.net == m.net for q in board.pads)} pads" if m.net else ""
        words = f"{side}   {width:g} × {height:g}\u202fmm{net}"
        p.drawText(QRectF(16, 4, self.width() - 32, 18), Qt.AlignmentFlag.AlignLeft, words)
        if m.wires:
            self._wires(p)
        first = {pad.ref: pad for pad in reversed(board.pads)}
        p.setFont(theme.values(theme.SMALL, bold=True))
        for box, words, verdict in self.reading_boxes(p.fontMetrics(), first):
            self._reading(p, box, words, verdict)
        draw_flaws(p, self)
        draw_accused(p, self)
        draw_probes(p, self)

    def look_at(self, refs: Sequence[str], zoom: float = LENS) -> None:
        """Bring parts to the middle, as through a lens; all of the board again where there are none."""
        mine = [q for ref in refs for q in self.board.pads_of(ref)] if self.kit and self.kit.board else []
        self.view = View()
        if mine:
            seen = QPolygonF([self.place(q.x_mm, q.y_mm) for q in mine]).boundingRect()
            edge = 2 * BESIDE_MM * self.scale()
            zoom = min(zoom, self.width() / (seen.width() + edge), (self.height() - HEADING_PX) / (seen.height() + edge))
            away = (seen.center() - self.centre()) * -zoom
            self.view = View(zoom=zoom, pan=(away.x(), away.y()))
        self.update()

    def reading_boxes(self, letters: QFontMetrics, first: Mapping[str, Pad]) -> list[tuple[QRectF, str, str]]:
        """Where each reading stands, with its words and verdict: above its pad, or a row away where another stands there."""
        out: list[tuple[QRectF, str, str]] = []
        for ref, (words, verdict) in self.marking.readings.items():
            if ref not in first:
                continue
            at = self.place(first[ref].x_mm, first[ref].y_mm)
            width = letters.horizontalAdvance(words) + 12
            x = min(max(at.x() - width / 2, 4), self.width() - width - 4)
            box = QRectF(x, at.y() - 2.0 * self._fit()[0] - 10, width, READING_PX)
            rows = (box.translated(0, k * (READING_PX + 2)) for k in (0, -1, 1, -2, 2, 3))
            free = (b for b in rows if b.top() > HEADING_PX and not any(b.intersects(o) for o, _, _ in out))
            out.append((next(free, box), words, verdict))
        return out

    def paint_underlay(self, p: QPainter) -> None:
        """Paint the picture that lies beneath the side shown, where there is one."""
        if not self.underlay_shown():
            return
        scale, left, bottom = self._fit()
        to_room = QTransform(scale, 0, 0, -scale, left, bottom)
        under = self.underlays[self.marking.side]
        p.save()
        p.setTransform(under.to_board() * to_room * self.view.transform(self.centre()))
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawPixmap(0, 0, under.picture)
        p.restore()

    def _wires(self, p: QPainter) -> None:
        lugs = self.lugs()
        place = self.placing()
        pads = {pad.ref: place(pad.x_mm, pad.y_mm) for pad in self.board.pads}
        for x, y, to_x, to_y, now in sorted(self.marking.leads, key=lambda lead: lead[4]):
            draw_lead(p, place(x, y), place(to_x, to_y), now)
        routed = []
        for wire in self._wired:
            a, b = (lugs.get(e) or pads.get(e) for e in wire.ends)
            if a is None or b is None:
                continue
            path = QPainterPath(a)
            bend = (b.y() - a.y()) * 0.45
            if abs(b.y() - a.y()) < 30:  # from one panel part to another: sag towards the board
                sag = a.y() + (-46 if a.y() > self.height() / 2 else 46)
                path.cubicTo(QPointF(a.x(), sag), QPointF(b.x(), sag), b)
            else:
                path.cubicTo(QPointF(a.x(), a.y() + bend), QPointF(b.x(), b.y() - bend), b)
            routed.append((wire, path))
        draw_wires(p, routed, self.marking.wire_now, self.marking.wires_done)
        p.setFont(theme.values(theme.SMALL))
        width = p.fontMetrics().horizontalAdvance
        row: dict[float, int] = {}  # how many lugs of each row have been named: where words are long, every other lies lower
        crowded = {
            y: any(abs(a.x() - b.x()) < (width(one.partition(".")[2]) + width(other.partition(".")[2])) / 2 + 4
                   for (one, a), (other, b) in pairwise((n, q) for n, q in lugs.items() if q.y() == y))
            for y in {q.y() for q in lugs.values()}
        }  # fmt: skip
        for lug, at in lugs.items():
            lit = lug in self.marking.lit
            p.setPen(QPen(theme.colour("copper" if lit else "faint"), 2))
            p.setBrush(theme.colour("card"))
            p.drawEllipse(at, 7 if lit else 5, 7 if lit else 5)
            _, _, pin = lug.partition(".")
            above = at.y() < self.height() / 2
            p.setFont(theme.values(theme.SMALL, bold=lit))
            p.setPen(theme.colour("ink" if lit else "faint"))
            row[at.y()] = row.get(at.y(), -1) + 1
            lower = LOWER if crowded[at.y()] and row[at.y()] % 2 else 0
            p.drawText(QRectF(at.x() - 30, at.y() + (-22 - lower if above else 7 + lower), 60, 16), Qt.AlignmentFlag.AlignCenter, pin)
        for ref in {lug.partition(".")[0] for lug in lugs}:
            mine = [at for lug, at in lugs.items() if lug.startswith(ref + ".")]
            x = sum(a.x() for a in mine) / len(mine)
            above = mine[0].y() < self.height() / 2
            p.setFont(theme.words(10, bold=True))
            p.setPen(theme.colour("ink"))
            lower = LOWER if crowded[mine[0].y()] else 0
            p.drawText(QRectF(x - 60, mine[0].y() + (-38 - lower if above else 22 + lower), 120, 16), Qt.AlignmentFlag.AlignCenter, ref)

    def _reading(self, p: QPainter, box: QRectF, words: str, verdict: str) -> None:
        p.setPen(QPen(QColor(theme.current().verdict(verdict)), 1.6))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(QColor(theme.current().verdict(verdict)))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
