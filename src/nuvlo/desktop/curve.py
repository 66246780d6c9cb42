"""Curves: log-frequency responses with their window as a band, and what a point reads over a trimmer's travel.

The data set is apart from what paints it: pyqtgraph draws, and is loaded only when the first curve is shown.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from html import escape

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.quantity import format_value

pg.setConfigOptions(antialias=True)
DEEP_DB = 60.0  # below the top of a response, as far as it is drawn
DASHES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)
DECADE_ROOM = 160  # px
TICKS = (10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000)


@dataclass(frozen=True)
class Line:
    """One curve: ``x``, ``y``, its name, and whether it is the one in hand."""

    x: np.ndarray
    y: np.ndarray
    name: str
    strong: bool = True


@dataclass(frozen=True)
class Picture:
    """All that a plot shows. ``log`` is the x axis in log frequency; ``band`` is (x, low, high)."""

    title: str
    x_label: str
    y_label: str
    lines: Sequence[Line] = ()
    band: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None
    points: Sequence[tuple[float, float]] = ()
    window: tuple[float, float] | None = None
    log: bool = True
    unit: str = "dB"
    words: Sequence[str] = field(default_factory=tuple)

    def same_as(self, other: Picture | None) -> bool:
        """Whether ``other`` would look the same."""
        if other is None:
            return False
        mine, theirs = (
            [(line.x.tobytes(), line.y.tobytes(), line.name, line.strong) for line in p.lines] for p in (self, other)
        )
        bands = [None if p.band is None else p.band[1].tobytes() + p.band[2].tobytes() for p in (self, other)]
        plain = [(p.title, tuple(p.points), p.window, tuple(p.words), p.log) for p in (self, other)]
        return mine == theirs and bands[0] == bands[1] and plain[0] == plain[1]


class _Frequency(pg.AxisItem):
    def tickValues(self, minimum: float, maximum: float, size: float) -> list[tuple[float, list[float]]]:
        # Where a decade is narrow its labels would run into each other: then the powers of ten alone.
        roomy = size / max(maximum - minimum, 1e-9) >= DECADE_ROOM
        ticks = [f for f in TICKS if roomy or f in (10, 100, 1000, 10000)]
        return [(1.0, [float(np.log10(f)) for f in ticks if minimum <= np.log10(f) <= maximum])]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [format_value(10.0**v, "Hz", 2) for v in values]


class CurveView(QWidget):
    """A plot, a cursor with its values in words, and a few lines of text below."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 4, 8, 4)
        self.heading = label("", 10, "faint", bold=True)
        self.column.addWidget(self.heading)
        self.plot: pg.PlotWidget | None = None
        self.cursor_words = label("", 10, "faint", mono=True)
        self.notes: list[QLabel] = []
        self.column.addWidget(self.cursor_words)
        self.picture: Picture | None = None
        self._light, self._log = "", True

    def show_picture(self, picture: Picture) -> None:
        """Replace what is shown. Cheap where nothing changed."""
        if picture.same_as(self.picture) and self._light in ("", theme.current().name):
            return
        self.picture = picture
        self.heading.setText(picture.title)
        for note in self.notes:
            self.column.removeWidget(note)
            note.hide()
            note.deleteLater()
        QTimer.singleShot(0, self._prepare)  # in turns of the event loop of their own: typing may come between
        self.notes = [label(words, 11) for words in picture.words]
        for note in self.notes:
            self.column.addWidget(note)
        self.setAccessibleName(picture.title + ". " + " ".join(picture.words))

    def show_rest(self, visible: bool) -> None:
        """Show or hide all but the heading."""
        for widget in (*([self.plot] if self.plot else []), self.cursor_words, *self.notes):
            widget.setVisible(visible)
        if not visible:
            self.picture = None  # drawn anew when wanted again

    def _prepare(self) -> None:
        """A plot that fits the picture; then, in another turn, what is on it."""
        picture = self.picture
        if picture is None:
            return
        if self.plot is None or self._light != theme.current().name or self._log != picture.log:
            self._new_plot(picture)
        QTimer.singleShot(0, self._draw)

    def _new_plot(self, picture: Picture) -> None:
        t = theme.current()
        if self.plot is not None:
            self.column.removeWidget(self.plot)
            self.plot.hide()
            self.plot.deleteLater()
        self._light, self._log = t.name, picture.log
        axes = {"bottom": _Frequency("bottom")} if picture.log else {}
        self.plot = pg.PlotWidget(background=t.paper, axisItems=axes, enableMenu=False)
        self.plot.hideButtons()
        self.plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.showGrid(x=True, y=True, alpha=0.25)
        for side in ("bottom", "left"):
            axis = self.plot.getAxis(side)
            axis.setPen(QColor(t.line))
            axis.setTextPen(QColor(t.faint))
            axis.setStyle(tickFont=theme.values(theme.SMALL))
            axis.enableAutoSIPrefix(False)
        self.plot.scene().sigMouseMoved.connect(self._moved)
        self.column.insertWidget(1, self.plot, 1)

    def _x(self, x: np.ndarray) -> np.ndarray:
        return np.log10(x) if self.picture is not None and self.picture.log else np.asarray(x)

    def _draw(self) -> None:
        picture, t = self.picture, theme.current()
        if picture is None or self.plot is None:
            return
        self.plot.clear()
        for side, text in (("bottom", picture.x_label), ("left", picture.y_label)):
            self.plot.getAxis(side).setLabel(
                escape(text), color=theme.current().faint, **{"font-size": "10pt", "font-family": theme.WORDS}
            )
        if picture.window is not None:
            region = pg.LinearRegionItem(picture.window, orientation="horizontal", movable=False,
                                         brush=_clear(t.good, 60), pen=pg.mkPen(t.good))  # fmt: skip
            self.plot.addItem(region)
        if picture.band is not None:
            x, low, high = picture.band
            edges = [pg.PlotDataItem(self._x(x), e, pen=pg.mkPen(_clear(t.slate, 150), width=1)) for e in (low, high)]
            self.plot.addItem(pg.FillBetweenItem(*edges, brush=_clear(t.slate, 60)))
            for edge in edges:
                self.plot.addItem(edge)
        everything = [line.y for line in picture.lines]
        if picture.band is not None:
            everything += [picture.band[1], picture.band[2]]
        values = np.concatenate(everything) if everything else np.zeros(1)
        top = float(np.nanmax(values))
        # Far below the rest of a response nobody looks, and nothing would be left of what matters.
        floor = max(float(np.nanmin(values)), top - DEEP_DB if picture.log else -np.inf)
        # The lines name themselves at their right ends: no box of colours to match.
        for k, line in enumerate(picture.lines):
            colour = t.copper if line.strong else t.slate
            pen = pg.mkPen(colour, width=2.6 if line.strong else 1.8, style=DASHES[k % 4])
            self.plot.plot(self._x(line.x), line.y, pen=pen)
            seen = np.flatnonzero(line.y >= floor) if np.any(line.y >= floor) else np.arange(len(line.x))
            at = int(seen[int(len(seen) * (0.05 + 0.17 * k if len(picture.lines) > 1 else 0.75))])
            text = pg.TextItem(
                line.name,
                color=colour,
                anchor=(0.5, 0.5) if len(picture.lines) > 1 else (0, 1),
                fill=_clear(t.paper, 220),
            )
            text.setFont(theme.words(10, bold=line.strong))
            text.setPos(float(self._x(line.x[at : at + 1])[0]), float(line.y[at]))
            self.plot.addItem(text)
        points = [point for point in picture.points if np.isfinite(point).all()]
        if points:
            x, y = np.array(points).T
            self.plot.plot(self._x(x), y, pen=pg.mkPen(t.faint, style=Qt.PenStyle.DotLine), symbol="d", symbolSize=13,
                           symbolBrush=t.copper, symbolPen=pg.mkPen(t.paper))  # fmt: skip
        if everything:
            room = max(0.12 * (top - floor), 0.5)
            self.plot.setYRange(floor - room, top + room, padding=0)

    def _moved(self, place: QPointF) -> None:
        picture = self.picture
        if picture is None or self.plot is None or not picture.lines:
            return
        at = self.plot.plotItem.vb.mapSceneToView(place).x()
        x = 10.0**at if picture.log else at
        words = []
        for line in picture.lines:
            if line.x[0] <= x <= line.x[-1]:
                words.append(f"{line.name} {format_value(float(np.interp(x, line.x, line.y)), picture.unit)}")
        where = format_value(x, "Hz") if picture.log else f"{x:.0f}°"
        self.cursor_words.setText(f"{where}: " + "   ".join(words) if words else "")


def _clear(colour: str, alpha: int) -> QColor:
    out = QColor(colour)
    out.setAlpha(alpha)
    return out


def warm() -> Iterator[None]:
    """Draw a curve that nobody sees, a little at a time: what is done only the first time is done before it is waited for."""
    for make in (pg.GraphicsView, lambda: _Frequency("bottom"), lambda: pg.PlotItem(enableMenu=False)):
        make()
        yield
    view = CurveView()
    x = np.geomspace(20, 20e3, 8)
    view.picture = Picture("", "", "", [Line(x, np.zeros(8), "")], (x, x * 0 - 1, x * 0 + 1))
    yield
    view._new_plot(view.picture)
    yield
    view._draw()
    view.resize(400, 300)
    yield
    view.grab()
    view.deleteLater()
