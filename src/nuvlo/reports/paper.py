"""The one paper that everything is printed on: faces, colours, sizes, and the plain pieces of a page.

Text flows on to as many pages as it needs; nothing is cut. Loads reportlab: import it only when something is written.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from pathlib import Path
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

FONTS = Path(__file__).parents[1] / "fonts"
WORDS, BOLD, VALUES = "B612-Regular", "B612-Bold", "B612Mono-Regular"
INK, FAINT, LINE, SLATE, COPPER, PAD, BAND = (
    HexColor(c) for c in ("#20262B", "#5E676E", "#D8D0C0", "#2C5660", "#9A5022", "#C9A66B", "#DCE5E4")
)
MARGIN = 15 * mm
WIDTH = A4[0] - 2 * MARGIN  # pt of a page between its margins
HEIGHT = A4[1] - 2 * MARGIN
TITLE, BODY, SMALL = 17.0, 8.5, 6.5  # pt


@cache
def faces() -> None:
    """Make the shipped faces known to reportlab."""
    for face in (WORDS, BOLD, VALUES):
        pdfmetrics.registerFont(TTFont(face, str(FONTS / f"{face}.ttf")))


def words(
    text: str, size: float = BODY, colour: HexColor = INK, face: str = WORDS, *, right: bool = False
) -> Paragraph:
    """Plain words, as many lines as they need. Marks in them stand for themselves."""
    faces()
    style = ParagraphStyle(
        "words", fontName=face, fontSize=size, leading=1.35 * size, textColor=colour, alignment=2 if right else 0,
        splitLongWords=1,
    )  # fmt: skip
    return Paragraph(escape(text).replace("\n", "<br/>"), style)


def gap(points: float) -> Spacer:
    return Spacer(0, points)


def table(
    heading: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[float], mono: Sequence[int] = ()
) -> Table:
    """Rows under a heading that is repeated on every page; columns ``mono`` are set as values. Widths in pt."""
    head = [words(h, 8.0, FAINT, BOLD) for h in heading]
    body = [[words(cell, 7.6, face=VALUES if k in mono else WORDS) for k, cell in enumerate(row)] for row in rows]
    out = Table([head, *body], colWidths=list(widths), repeatRows=1)
    out.setStyle(
        TableStyle([
            ("LINEBELOW", (0, 0), (-1, 0), 0.6, LINE), ("LEFTPADDING", (0, 0), (-1, -1), 0), ("RIGHTPADDING", (0, 0), (-1, -1), 6),
            ("TOPPADDING", (0, 0), (-1, -1), 0.6), ("BOTTOMPADDING", (0, 0), (-1, -1), 0.6), ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ])
    )  # fmt: skip
    return out


def beside(left: Flowable, right: Flowable, share: float = 0.6) -> Table:
    """Two things side by side; ``share`` of the width is the left one's."""
    out = Table([[left, right]], colWidths=[share * WIDTH, (1 - share) * WIDTH])
    out.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "BOTTOM"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 0),
            ]
        )
    )
    return out


def write(path: Path, title: str, pieces: Sequence[Flowable], foot: str = "") -> None:
    """Write the pieces as PDF, with ``foot`` and the number of the page below each. Raises ``OSError`` where it cannot be written."""
    faces()

    def below(canvas: Canvas, document: SimpleDocTemplate) -> None:
        canvas.setFont(WORDS, SMALL)
        canvas.setFillColor(FAINT)
        canvas.drawString(MARGIN, MARGIN - 10, foot)
        canvas.drawRightString(A4[0] - MARGIN, MARGIN - 19, f"page {document.page}")

    page = SimpleDocTemplate(
        str(path), pagesize=A4, title=title, leftMargin=MARGIN - 6, rightMargin=MARGIN - 6, topMargin=MARGIN - 6,
        bottomMargin=MARGIN,
    )  # fmt: skip
    page.build(list(pieces), onFirstPage=below, onLaterPages=below)
