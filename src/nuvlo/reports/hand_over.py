"""The hand-over sheet: what was built, from what, what it measured and what its verdict stands on."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from pathlib import Path

import numpy as np
from reportlab.platypus import Flowable

from nuvlo.arrays import Array
from nuvlo.logbook import CurveTaken
from nuvlo.model import JOINT_COVERAGE, Band
from nuvlo.quantity import format_value
from nuvlo.reports import paper
from nuvlo.reports.paper import BAND, BOLD, COPPER, FAINT, LINE, SLATE, VALUES, gap, words
from nuvlo.stages.hand_over import Sheet

LABELS = (20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000)
CURVE_HIGH = 116.0  # pt
PRACTISED = "For practice: a simulated bench made these readings, and no unit that one could hold was measured."


def write_pdf(sheet: Sheet, path: Path, band: Band | None = None) -> None:
    """Write the sheet. Raises ``OSError`` when the file cannot be written."""
    kit, build = sheet.kit, sheet.build
    title = f"{kit.name} {build.number}"
    pieces: list[Flowable] = [
        paper.beside(
            words(title, paper.TITLE, face=BOLD),
            words(f"This unit is {sheet.overall}.", 11, SLATE, BOLD, right=True),
            0.5,
        ),
        words(sheet.told, colour=FAINT),
        *([words(PRACTISED, colour=FAINT)] if build.practised else []),
        gap(4),
    ]
    started = f", begun {build.started:%d %B %Y}" if build.started else ""
    supplies = "; ".join(f"{s.name}: {format_value(s.volts, 'V')}" for s in kit.info.supply)
    chosen = ", ".join(f"{ref} {kit.part(ref).said(value)}" for ref, value in build.chosen_values.items())
    said = [
        kit.info.kit.says,
        f"Revision {kit.info.kit.revision or '—'}{started}.",
        " ".join(w for w in (f"Supply {supplies}." if supplies else "", f"Chosen: {chosen}." if chosen else "") if w),
        *(f"Changed: {c.part} from {c.was} to {c.to}{', ' + c.why if c.why else ''}." for c in kit.changes),
        sheet.proof_words,
    ]
    pieces += [words(line) for line in said if line]
    pieces.append(gap(6))
    if build.curves:
        pieces += [
            _Curve(build.curves[-1], band),
            words("Response: line measured, band expected of a good unit.", 7, FAINT),
            gap(6),
        ]
    widths = [share * paper.WIDTH for share in (0.235, 0.105, 0.13, 0.24, 0.29)]
    pieces.append(paper.table(("Place", "Quantity", "Reading", "Window", "Verdict"), alike_joined(sheet.rows), widths, mono=(2, 3)))
    if passed := [f"Accepted: {line}." for line in sheet.skipped] + [f"Not waited for: {line}." for line in sheet.ahead]:
        pieces += [gap(6), *(words(line) for line in passed)]
    if build.repairs:
        pieces += [gap(6), *(words(f"Put right: {repair.text}.") for repair in build.repairs)]
    if build.notes:
        pieces += [gap(6), *(words(f"Note: {note}") for note in build.notes)]
    foot = (
        f"Readings ± their meter's uncertainty (k = 2). Windows hold {100 * JOINT_COVERAGE:g} % of good units at once. Mains and "
        "high voltage: a qualified person and local codes decide."
    )
    paper.write(path, title, pieces, foot)


def alike_joined(rows: Sequence[tuple[str, ...]]) -> list[tuple[str, ...]]:
    """Rows that follow each other and say the same of one place and the next (both ends of a wire) as one, so that a page holds them."""
    return [(", ".join(row[0] for row in some), *said) for said, some in groupby(rows, key=lambda row: row[1:])]


class _Curve(Flowable):  # type: ignore[misc]
    """A measured response over the band of good units."""

    def __init__(self, curve: CurveTaken, band: Band | None) -> None:
        super().__init__()
        self.band = band
        self.frequency, self.db = np.array(curve.frequency), np.array(curve.magnitude_db)
        values = [self.db] + ([band.low, band.high] if band else [])
        self.low = 5 * np.floor(min(v.min() for v in values) / 5)
        self.high = 5 * np.ceil(max(v.max() for v in values) / 5)
        self.width, self.height = paper.WIDTH, CURVE_HIGH

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.width, self.height

    def _place(self, f: float, v: float) -> tuple[float, float]:
        left, bottom, top = 28.0, 14.0, self.height - 4
        first, last = np.log(self.frequency[0]), np.log(self.frequency[-1])
        x = left + (np.log(f) - first) / (last - first) * (self.width - left)
        return float(x), float(bottom + (v - self.low) / (self.high - self.low) * (top - bottom))

    def draw(self) -> None:
        c = self.canv
        c.setStrokeColor(LINE)
        c.setLineWidth(0.5)
        c.setFont(VALUES, 6.5)
        c.setFillColor(FAINT)
        for v in np.arange(self.low, self.high + 0.1, 5):
            x, y = self._place(self.frequency[0], v)
            c.line(x, y, self.width, y)
            c.drawRightString(x - 4, y - 2, format_value(float(v), "dB", 2) if v else "0\u202fdB")
        for f in LABELS:
            if self.frequency[0] * 0.99 <= f <= self.frequency[-1] * 1.01:
                x, bottom = self._place(f, self.low)
                c.line(x, bottom, x, self._place(f, self.high)[1])
                c.drawCentredString(x, bottom - 9, format_value(float(f), "Hz", 2))
        if self.band is not None:
            edge = [
                *zip(self.band.frequency, self.band.low, strict=True),
                *zip(self.band.frequency[::-1], self.band.high[::-1], strict=True),
            ]
            c.setFillColor(BAND)
            c.drawPath(self._path(edge, close=True), stroke=0, fill=1)
        c.setStrokeColor(COPPER)
        c.setLineWidth(1.4)
        c.drawPath(self._path(list(zip(self.frequency, self.db, strict=True))), stroke=1, fill=0)

    def _path(self, points: list[tuple[Array, Array]], *, close: bool = False) -> object:
        path = self.canv.beginPath()
        for k, (f, v) in enumerate(points):
            (path.lineTo if k else path.moveTo)(*self._place(float(f), float(v)))
        if close:
            path.close()
        return path
