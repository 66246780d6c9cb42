"""Draws the hand-over sheet as one A4 page. Apart from the sheet so that reportlab loads only when one is written."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from nuvlo.model import JOINT_COVERAGE, Band
from nuvlo.quantity import format_value
from nuvlo.stages.hand_over import Sheet

FONTS = Path(__file__).parents[1] / "fonts"
INK, FAINT, LINE, SLATE, COPPER = (HexColor(c) for c in ("#20262B", "#5E676E", "#D8D0C0", "#2C5660", "#9A5022"))
BAND = HexColor("#DCE5E4")
MARGIN = 42.0
ROW = 11.5
MOST_CHANGES = 5
LABELS = (20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000)


def write_pdf(sheet: Sheet, path: Path, band: Band | None = None) -> None:
    """Write the page. Raises ``OSError`` when the file cannot be written."""
    for face in ("B612-Regular", "B612-Bold", "B612Mono-Regular"):
        if face not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(face, str(FONTS / f"{face}.ttf")))
    canvas = Canvas(str(path), pagesize=A4)
    canvas.setTitle(f"{sheet.kit.name} {sheet.build.serial}")
    _Page(canvas, sheet, band).draw()
    canvas.showPage()
    canvas.save()


class _Page:
    def __init__(self, canvas: Canvas, sheet: Sheet, band: Band | None) -> None:
        self.c, self.sheet, self.band = canvas, sheet, band
        self.width, self.height = A4
        self.y = self.height - MARGIN

    def draw(self) -> None:
        self.heading()
        if self.sheet.build.curves:
            self.curve(130.0)
        self.table()
        self.remarks()

    def text(self, x: float, text: str, size: float = 8.5, face: str = "B612-Regular", colour: HexColor = INK) -> None:
        self.c.setFont(face, size)
        self.c.setFillColor(colour)
        self.c.drawString(x, self.y, text)

    def heading(self) -> None:
        build, kit = self.sheet.build, self.sheet.kit
        self.y -= 14
        self.text(MARGIN, f"{kit.name}  {build.serial}", 18, "B612-Bold")
        self.c.setFont("B612-Bold", 11)
        self.c.setFillColor(SLATE)
        self.c.drawRightString(self.width - MARGIN, self.y, f"This unit is {self.sheet.overall}.")
        self.y -= 16
        started = f", begun {build.started:%d %B %Y}" if build.started else ""
        self.text(MARGIN, kit.info.kit.says, colour=FAINT)
        self.y -= 13
        self.text(MARGIN, f"Revision {kit.info.kit.revision or '—'}{started}.", colour=FAINT)
        self.y -= 14
        supplies = "; ".join(f"{s.name}: {format_value(s.volts, 'V')}" for s in kit.info.supply)
        chosen = ", ".join(f"{ref} {value}" for ref, value in build.chosen_values.items())
        self.text(MARGIN, f"Supply {supplies}." + (f" Chosen: {chosen}." if chosen else ""))
        for c in kit.changes[:MOST_CHANGES]:
            self.y -= 12
            self.text(MARGIN, f"Changed: {c.part} from {c.was} to {c.to}{', ' + c.why if c.why else ''}."[:120])
        if len(kit.changes) > MOST_CHANGES:
            self.y -= 12
            self.text(
                MARGIN, f"and {len(kit.changes) - MOST_CHANGES} more changes, listed in the CSV beside this sheet"
            )
        if self.sheet.proof_words:
            self.y -= 13
            self.text(MARGIN, self.sheet.proof_words)
        self.y -= 10

    def curve(self, height: float) -> None:
        curve = self.sheet.build.curves[-1]
        frequency, db = np.array(curve.frequency), np.array(curve.magnitude_db)
        left, right = MARGIN + 28, self.width - MARGIN
        bottom, top = self.y - height, self.y - 4
        values = [db] + ([self.band.low, self.band.high] if self.band else [])
        low = 5 * np.floor(min(v.min() for v in values) / 5)
        high = 5 * np.ceil(max(v.max() for v in values) / 5)
        f0, f1 = np.log(frequency[0]), np.log(frequency[-1])

        def place(f: float, v: float) -> tuple[float, float]:
            x = left + (np.log(f) - f0) / (f1 - f0) * (right - left)
            return float(x), float(bottom + (v - low) / (high - low) * (top - bottom))

        self.c.setStrokeColor(LINE)
        self.c.setLineWidth(0.5)
        self.c.setFont("B612Mono-Regular", 6.5)
        self.c.setFillColor(FAINT)
        for v in np.arange(low, high + 0.1, 5):
            _, y = place(frequency[0], v)
            self.c.line(left, y, right, y)
            self.c.drawRightString(left - 4, y - 2, format_value(float(v), "dB", 2) if v else "0\u202fdB")
        for f in LABELS:
            if frequency[0] * 0.99 <= f <= frequency[-1] * 1.01:
                x, _ = place(f, low)
                self.c.line(x, bottom, x, top)
                self.c.drawCentredString(x, bottom - 9, format_value(float(f), "Hz", 2))
        if self.band is not None:
            path = self.c.beginPath()
            edge = [place(f, v) for f, v in zip(self.band.frequency, self.band.low, strict=True)]
            edge += [place(f, v) for f, v in zip(self.band.frequency[::-1], self.band.high[::-1], strict=True)]
            path.moveTo(*edge[0])
            for corner in edge[1:]:
                path.lineTo(*corner)
            path.close()
            self.c.setFillColor(BAND)
            self.c.drawPath(path, stroke=0, fill=1)
        path = self.c.beginPath()
        points = [place(f, v) for f, v in zip(frequency, db, strict=True)]
        path.moveTo(*points[0])
        for point in points[1:]:
            path.lineTo(*point)
        self.c.setStrokeColor(COPPER)
        self.c.setLineWidth(1.4)
        self.c.drawPath(path, stroke=1, fill=0)
        self.y = bottom - 24
        self.text(left, "Response: line measured, band expected of a good unit.", 7, colour=FAINT)
        self.y -= 14

    def table(self) -> None:
        columns = (MARGIN, MARGIN + 92, MARGIN + 172, MARGIN + 250, MARGIN + 392)
        for x, name in zip(columns, ("Place", "Quantity", "Reading", "Window", "Verdict"), strict=True):
            self.text(x, name, 8, "B612-Bold", FAINT)
        self.c.setStrokeColor(LINE)
        self.c.line(MARGIN, self.y - 4, self.width - MARGIN, self.y - 4)
        self.y -= ROW + 4
        rows = self.sheet.rows
        # One page: rows close up rather than run over, and what still does not fit is counted, not dropped in silence.
        room = self.y - MARGIN - 40
        step = max(8.0, min(ROW, room / max(1, len(rows))))
        fit = int(room / step)
        for row in rows[:fit]:
            for x, cell in zip(columns, row, strict=True):
                mono = x in (columns[2], columns[3])
                self.text(x, cell, min(8.0, step - 1.5), "B612Mono-Regular" if mono else "B612-Regular")
            self.y -= step
        if len(rows) > fit:
            self.text(MARGIN, f"and {len(rows) - fit} more readings in the CSV beside this sheet", 7.5, colour=FAINT)
            self.y -= ROW

    def remarks(self) -> None:
        for note in self.sheet.build.notes[:2]:
            self.text(MARGIN, f"Note: {note[:110]}", 7.5)
            self.y -= ROW
        self.y = MARGIN - 8
        self.text(MARGIN, f"Readings ± their meter's uncertainty (k = 2). Windows hold {100 * JOINT_COVERAGE:g} % of good units at once. "
                  "Mains and high voltage: a qualified person and local codes decide.", 6.5, colour=FAINT)  # fmt: skip
