"""Unpack: the part in hand, and the tray with every part's state."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap, QPixmapCache, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.board.portrait import Portrait
from nuvlo.desktop.pictures.frames import StagePicture
from nuvlo.kit import Kit, Part, Stage
from nuvlo.quantity import Verdict
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot

CELL = 64.0  # px high


class Tray(QWidget):
    """One cell for each part, in the order of the hand."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Sequence[Finding] = ()
        self.now: Any = None
        self.kit: Any = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.found:
            return
        for k, f in enumerate(self.found):
            place = self.place(k)
            if place.intersects(QRectF(event.rect())):
                self._cell(p, place.adjusted(1, 1, -1, -1), f)

    def place(self, k: int) -> QRectF:
        """The cell of the part with this number."""
        columns = max(3, self.width() // 152)
        width = self.width() / columns
        return QRectF((k % columns) * width, (k // columns) * CELL, width, CELL)

    def show_found(self, found: Sequence[Finding], now: Finding | None, kit: Kit) -> None:
        before, self.found = self.found, found
        here, self.now = self.now, now
        another, self.kit = self.kit is not kit or len(before) != len(found), kit
        if another:
            self._fit()
            self.update()
            return
        ids = {f.task.id for f in (here, now) if f is not None}
        for k, (old, new) in enumerate(zip(before, found, strict=True)):
            if old != new or new.task.id in ids:
                self.update(self.place(k).toAlignedRect())

    def _fit(self) -> None:
        self.setMinimumHeight(int(self.place(len(self.found) - 1).bottom()) + 2 if self.found else 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()
        super().resizeEvent(event)

    def _cell(self, p: QPainter, box: QRectF, f: Finding) -> None:
        """One cell. What it shows is painted once: its words take longer than all else, and cells change places more often
        than they change."""
        here = self.now is not None and f.task.id == self.now.task.id
        part, size, ratio = self.kit.part(f.task.target), box.toAlignedRect().size(), self.devicePixelRatio()
        shows = (part.ref, part.text, *_state(f), here, f.done, f.stuck, theme.current().name, ratio)
        key = f"tray {size.width()} {size.height()} {shows!r}"
        kept = QPixmapCache.find(key)
        if kept is None:
            kept = QPixmap(size * ratio)
            kept.setDevicePixelRatio(ratio)
            kept.fill(Qt.GlobalColor.transparent)
            inner = QPainter(kept)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            _paint_cell(inner, QRectF(QPointF(), QSizeF(size)).adjusted(1, 1, -1, -1), part, f, here)
            inner.end()
            QPixmapCache.insert(key, kept)
        p.drawPixmap(box.toAlignedRect().topLeft(), kept)


def _state(f: Finding) -> tuple[str, str]:
    """What a cell says of its part, and in which colour."""
    t = theme.current()
    if f.verdict is Verdict.MISSING:
        return f.words.rstrip(".").split()[-1], t.out
    if f.reading is not None:
        return str(f.reading), t.verdict(f.tone.value)
    return ("there", t.good) if f.done else ("to find", t.faint)


def _paint_cell(p: QPainter, box: QRectF, part: Part, f: Finding, here: bool) -> None:
    t = theme.current()
    p.setPen(QPen(QColor(t.copper if here else t.line), 2.4 if here else 1))
    p.setBrush(QColor(t.card if f.done or here else t.paper))
    p.drawRoundedRect(box, 5, 5)
    p.setPen(QColor(t.ink))
    p.setFont(theme.words(10.5, bold=True))
    p.drawText(box.adjusted(8, 5, -8, 0), Qt.AlignmentFlag.AlignLeft, part.ref)
    room = box.width() - 24 - p.fontMetrics().horizontalAdvance(part.ref)
    p.setFont(theme.values(theme.SMALL))
    p.setPen(QColor(t.faint))
    text = p.fontMetrics().elidedText(part.text, Qt.TextElideMode.ElideRight, int(room))
    p.drawText(box.adjusted(8, 6, -8, 0), Qt.AlignmentFlag.AlignRight, text)
    words, colour = _state(f)
    p.setPen(QColor(colour))
    p.setFont(theme.values(10, bold=f.done))
    p.drawText(box.adjusted(22, 0, -8, -5), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, words)
    at = QPointF(box.x() + 13, box.bottom() - 12)
    p.setPen(QPen(QColor(colour), 1.8))
    p.setBrush(QColor(colour) if f.done and not f.stuck else Qt.BrushStyle.NoBrush)
    if f.stuck:
        p.drawPolygon(QPolygonF([at + QPointF(*d) for d in ((-5, 0), (0, -5), (5, 0), (0, 5))]))
    else:
        p.drawEllipse(at, 4, 4)


class Picture(StagePicture):
    """Portrait above, tray below."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        self.portrait, self.tray = Portrait(), Tray()
        self.beside = self.portrait
        self.scroll_area = QScrollArea()
        self.scroll_area.setWidgetResizable(True)
        self.scroll_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.scroll_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroll_area.setWidget(self.tray)
        column.addWidget(self.portrait)
        column.addWidget(self.scroll_area, 1)

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        part = shown.kit.find_part(now.task.target) if now else None
        self.portrait.setVisible(part is not None)
        self.portrait.show_part(part)
        every = shown.findings(Stage.UNPACK)
        found = [f for f in every if shown.kit.find_part(f.task.target) is not None]  # the meter's leads are no part
        self.tray.show_found(found, now, shown.kit)
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), None)
        if at is not None:
            # Once the layout has run, so that places are known.
            QTimer.singleShot(0, lambda: self._into_view(at))

    def _into_view(self, at: int) -> None:
        middle = self.tray.place(at).center()
        self.scroll_area.ensureVisible(int(middle.x()), int(middle.y()), 0, int(CELL * 1.5))
