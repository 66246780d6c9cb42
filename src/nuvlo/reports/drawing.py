"""Drawings at true scale, in millimetres: one list of strokes, written as PDF, SVG or DXF."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal
from xml.sax.saxutils import escape

Layer = Literal["edge", "holes", "behind", "words", "rule"]
MARGIN = 18.0  # mm round what is drawn, with the rule below it
RULE = 50.0  # mm that whoever prints it measures first
MILLIMETRES = 4  # as DXF counts units
A4, A3 = (210.0, 297.0), (297.0, 420.0)


@dataclass(frozen=True)
class Line:
    x0: float
    y0: float
    x1: float
    y1: float
    layer: Layer = "edge"


@dataclass(frozen=True)
class Circle:
    x: float
    y: float
    across: float
    layer: Layer = "holes"


@dataclass(frozen=True)
class Words:
    """Text with its middle at (x, y), ``high`` mm."""

    x: float
    y: float
    text: str
    high: float = 2.6
    layer: Layer = "words"


@dataclass
class Sheet:
    """One drawing: ``width`` and ``height`` mm of what is drawn, its lower left corner at (0, 0)."""

    title: str
    width: float
    height: float
    strokes: list[Line | Circle | Words] = field(default_factory=list)

    def box(self, x: float, y: float, width: float, height: float, layer: Layer = "edge") -> None:
        """The four sides of a rectangle."""
        corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height)]
        for (ax, ay), (bx, by) in zip(corners, [*corners[1:], corners[0]], strict=True):
            self.strokes.append(Line(ax, ay, bx, by, layer))

    def rule(self) -> None:
        """A rule to be measured before anything is drilled."""
        y = -MARGIN / 2
        self.strokes.append(Line(0, y, RULE, y, "rule"))
        for k in range(6):
            self.strokes.append(Line(10.0 * k, y - 1.5, 10.0 * k, y + 1.5, "rule"))
        self.strokes.append(Words(RULE / 2, y - 4.0, f"{RULE:g} mm: measure it before you drill", 2.4, "rule"))

    @property
    def page(self) -> tuple[float, float]:
        """The smallest usual page that it goes on, upright or across; one of its own where none is large enough."""
        wide, high = self.width + 2 * MARGIN, self.height + 2 * MARGIN + 6
        for sides in (A4, A3):
            for w, h in (sides, sides[::-1]):
                if wide <= w and high <= h:
                    return w, h
        return wide, high


def write_pdf(sheets: Sequence[Sheet], path: Path) -> None:
    """One page a sheet, its middle on that of the page. Raises ``OSError`` where it cannot be written."""
    from reportlab.lib.colors import HexColor
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    from nuvlo.reports.paper import COPPER, FAINT, INK, SLATE, WORDS, faces

    faces()
    inks: dict[str, HexColor] = {"edge": INK, "holes": INK, "behind": SLATE, "words": INK, "rule": COPPER}
    canvas = Canvas(str(path), pageCompression=0)
    canvas.setTitle(sheets[0].title if sheets else "")
    for sheet in sheets:
        w, h = sheet.page
        canvas.setPageSize((w * mm, h * mm))
        left, low = (w - sheet.width) / 2, (h - sheet.height) / 2
        canvas.setFont(WORDS, 9)
        canvas.setFillColor(FAINT)
        canvas.drawString(10 * mm, (h - 10) * mm, f"{sheet.title}, {sheet.width:g} × {sheet.height:g} mm. Print at 100 %, not fitted to the page.")
        canvas.setLineWidth(0.5)
        for s in sheet.strokes:
            canvas.setStrokeColor(inks[s.layer])
            canvas.setFillColor(inks[s.layer])
            canvas.setDash(*((3, 2) if s.layer == "behind" else ()))
            if isinstance(s, Line):
                canvas.line((left + s.x0) * mm, (low + s.y0) * mm, (left + s.x1) * mm, (low + s.y1) * mm)
            elif isinstance(s, Circle):
                canvas.circle((left + s.x) * mm, (low + s.y) * mm, s.across / 2 * mm)
            else:
                canvas.setFont(WORDS, s.high * mm)
                canvas.drawCentredString((left + s.x) * mm, (low + s.y - 0.35 * s.high) * mm, s.text)
        canvas.showPage()
    canvas.save()


def svg_of(sheet: Sheet) -> str:
    """SVG 1.1 in millimetres, y downwards as it wants it."""
    m = MARGIN
    inks = {"edge": "#20262B", "holes": "#20262B", "behind": "#2C5660", "words": "#20262B", "rule": "#9A5022"}
    wide, high = sheet.width + 2 * m, sheet.height + 2 * m
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{high:g}mm" viewBox="0 0 {wide:g} {high:g}" '
        'fill="none" stroke-width="0.2" font-family="B612, sans-serif" text-anchor="middle">',
        f"<title>{escape(sheet.title)}</title>",
    ]
    for s in sheet.strokes:
        ink = inks[s.layer]
        if isinstance(s, Line):
            dash = ' stroke-dasharray="1 0.7"' if s.layer == "behind" else ""
            out.append(f'<line class="{s.layer}" x1="{m + s.x0:.3f}" y1="{high - m - s.y0:.3f}" x2="{m + s.x1:.3f}" y2="{high - m - s.y1:.3f}" stroke="{ink}"{dash}/>')
        elif isinstance(s, Circle):
            out.append(f'<circle class="{s.layer}" cx="{m + s.x:.3f}" cy="{high - m - s.y:.3f}" r="{s.across / 2:.3f}" stroke="{ink}"/>')
        else:
            out.append(f'<text x="{m + s.x:.3f}" y="{high - m - s.y + 0.35 * s.high:.3f}" font-size="{s.high:g}" fill="{ink}">{escape(s.text)}</text>')
    return "\n".join([*out, "</svg>", ""])


def write_svg(sheet: Sheet, path: Path) -> None:
    """Raises ``OSError`` where it cannot be written."""
    path.write_text(svg_of(sheet), encoding="utf-8")


def write_dxf(sheet: Sheet, path: Path) -> None:
    """DXF R2010 in millimetres, a layer for each sort of stroke. Raises ``OSError`` where it cannot be written."""
    from ezdxf.document import Drawing
    from ezdxf.enums import TextEntityAlignment

    document = Drawing.new("R2010")
    document.units = MILLIMETRES
    for name in dict.fromkeys(s.layer for s in sheet.strokes):
        document.layers.add(name.upper())
    space = document.modelspace()
    for s in sheet.strokes:
        at = {"layer": s.layer.upper()}
        if isinstance(s, Line):
            space.add_line((s.x0, s.y0), (s.x1, s.y1), dxfattribs=at)
        elif isinstance(s, Circle):
            space.add_circle((s.x, s.y), s.across / 2, dxfattribs=at)
        else:
            space.add_text(s.text, height=s.high, dxfattribs=at).set_placement((s.x, s.y), align=TextEntityAlignment.MIDDLE_CENTER)
    document.saveas(path)
