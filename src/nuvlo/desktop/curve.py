"""Curves: log-frequency responses with their window as a band, and what a point reads over a trimmer's travel.

The data set is apart from what paints it: pyqtgraph draws, and is loaded only when the first curve is shown.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.lanes import label
from nuvlo.quantity import format_value

pg.setConfigOptions(antialias=True)
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


class _Frequency(pg.AxisItem):
    def tickValues(self, minimum, maximum, size):
        # Where a decade is narrow its labels would run into each other: then the powers of ten alone.
        roomy = size / max(maximum - minimum, 1e-9) >= DECADE_ROOM
        ticks = [f for f in TICKS if roomy or f in (10, 100, 1000, 10000)]
        return [(1.0, [float(np.log10(f)) for f in ticks if minimum <= np.log10(f) <= maximum])]

    def tickStrings(self, values, scale, spacing):
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
        self.picture: Picture | None = None

    def show_picture(self, picture: Picture) -> None:
        """Replace what is shown."""
        self.picture = picture
        self.heading.setText(picture.title)
        if self.plot is not None:
            self.column.removeWidget(self.plot)
            self.plot.deleteLater()
        for note in self.notes:
            self.column.removeWidget(note)
            note.deleteLater()
        t = theme.current()
        axes = {"bottom": _Frequency("bottom")} if picture.log else {}
        self.plot = pg.PlotWidget(background=t.paper, axisItems=axes)
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        self.plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.showGrid(x=True, y=True, alpha=0.25)
        for side, text in (("bottom", picture.x_label), ("left", picture.y_label)):
            axis = self.plot.getAxis(side)
            axis.setPen(QColor(t.line))
            axis.setTextPen(QColor(t.faint))
            axis.setStyle(tickFont=theme.values(9))
            axis.setLabel(text, color=t.faint, **{"font-size": "10pt", "font-family": theme.WORDS})
            axis.enableAutoSIPrefix(False)
        self._draw(picture)
        self.column.insertWidget(1, self.plot, 1)
        self.column.addWidget(self.cursor_words)
        self.notes = [label(words, 11) for words in picture.words]
        for note in self.notes:
            self.column.addWidget(note)
        self.plot.scene().sigMouseMoved.connect(self._moved)
        self.setAccessibleName(picture.title + ". " + " ".join(picture.words))

    def _x(self, x: np.ndarray) -> np.ndarray:
        return np.log10(x) if self.picture.log else np.asarray(x)

    def _draw(self, picture: Picture) -> None:
        t = theme.current()
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
        # The lines name themselves at their right ends: no box of colours to match.
        for k, line in enumerate(picture.lines):
            colour = t.copper if line.strong else t.slate
            pen = pg.mkPen(colour, width=2.6 if line.strong else 1.8, style=DASHES[k % 4])
            self.plot.plot(self._x(line.x), line.y, pen=pen)
            at = int(len(line.x) * (0.05 + 0.17 * k)) if len(picture.lines) > 1 else int(len(line.x) * 0.75)
            text = pg.TextItem(
                line.name,
                color=colour,
                anchor=(0.5, 0.5) if len(picture.lines) > 1 else (0, 1),
                fill=_clear(t.paper, 220),
            )
            text.setFont(theme.words(10, bold=line.strong))
            text.setPos(float(self._x(line.x[at : at + 1])[0]), float(line.y[at]))
            self.plot.addItem(text)
        if picture.points:
            x, y = np.array(picture.points).T
            self.plot.plot(self._x(x), y, pen=pg.mkPen(t.faint, style=Qt.PenStyle.DotLine), symbol="d", symbolSize=13,
                           symbolBrush=t.copper, symbolPen=pg.mkPen(t.paper))  # fmt: skip
        everything = [line.y for line in picture.lines]
        if picture.band is not None:
            everything += [picture.band[1], picture.band[2]]
        if everything:
            values = np.concatenate(everything)
            bottom, top = float(np.nanmin(values)), float(np.nanmax(values))
            room = max(0.12 * (top - bottom), 0.5)
            self.plot.setYRange(bottom - room, top + room, padding=0)

    def _moved(self, place) -> None:
        picture = self.picture
        if picture is None or not picture.lines:
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
