"""The review sheet: the solder side drawn to scale, pictures of joints, and questions for someone who has not soldered it."""

from __future__ import annotations

from pathlib import Path

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from nuvlo.craft.bend import bends
from nuvlo.kit import Kit
from nuvlo.logbook import Build
from nuvlo.stages.fit.joints import BAD

FONTS = Path(__file__).parents[1] / "fonts"
INK, FAINT, COPPER, PAD = (HexColor(c) for c in ("#20262B", "#5E676E", "#9A5022", "#C9A66B"))
MARGIN = 16 * mm
CLOSEST = 6  # pairs of pads asked for by name
PICTURES = 4  # on a page


def questions(kit: Kit, build: Build) -> list[str]:
    """What the reviewer is asked, the pairs that lie closest by name."""
    asked = [
        "Is every joint shiny and wetted, the fillet hollow and up the leg, none like a ball?",
        "Is there solder on the far side wherever the hole is plated?",
        "Does any joint touch its neighbour? Look along the rows against the light.",
        "Is any leg not clipped, or clipped into the joint?",
        "Is a hole empty that should hold a leg?",
        "Is there flux left, above all round the parts of highest resistance?",
    ]
    near = sorted((b for b in bends(kit) if b.near), key=lambda b: b.clearance_mm)[:CLOSEST]
    asked += [f"{b.ref}.{b.pin} and {b.near} lie {b.clearance_mm:.1f} mm apart: clear of each other?" for b in near]
    asked += [
        f"{joint} was marked {mark} and put right, or was it?"
        for joint, mark in build.joints.items()
        if mark in (*BAD, "reflowed")
    ]
    often = [f"{ref} ({n})" for ref, n in build.heats.items() if n > 1]
    asked += [f"Heated more than once: {', '.join(often)}. Are their pads still down?"] if often else []
    return asked


def write_review(kit: Kit, build: Build, pictures: Path, path: Path) -> None:
    """Write the sheet as PDF. Raises ``OSError`` where it cannot be written."""
    for face in ("B612-Regular", "B612-Bold", "B612Mono-Regular"):
        if face not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(face, str(FONTS / f"{face}.ttf")))
    canvas = Canvas(str(path), pagesize=A4)
    canvas.setTitle(f"{kit.name} {build.serial}: review of the joints")
    y = _heading(canvas, kit, build)
    y = _map(canvas, kit, y)
    y = _questions(canvas, questions(kit, build), y)
    _photos(canvas, build, pictures)
    canvas.save()


def _text(
    canvas: Canvas, x: float, y: float, words: str, size: float, colour: HexColor = INK, face: str = "B612-Regular"
) -> None:
    canvas.setFont(face, size)
    canvas.setFillColor(colour)
    canvas.drawString(x, y, words)


def _heading(canvas: Canvas, kit: Kit, build: Build) -> float:
    y = A4[1] - MARGIN - 10
    _text(canvas, MARGIN, y, f"{kit.name} {build.serial}: review before the lid goes on", 15, face="B612-Bold")
    _text(
        canvas,
        MARGIN,
        y - 14,
        "For someone who has not soldered it. Solder side, mirrored as it lies in the hand; at 1:1 where it fits.",
        8.5,
        FAINT,
    )
    return float(y - 24)


def _map(canvas: Canvas, kit: Kit, top: float) -> float:
    board = kit.board
    if board is None:
        return top
    width, height = board.size
    scale = min(mm, (A4[0] - 2 * MARGIN) / width, (A4[1] * 0.42) / height)
    low, left = min(y for _, y in board.outline), board.left

    def at(x: float, y: float) -> tuple[float, float]:
        return MARGIN + (board.seen_from(x, "bottom") - left) * scale, top - (height - (y - low)) * scale

    path = canvas.beginPath()
    for k, corner in enumerate(board.outline):
        (path.moveTo if k == 0 else path.lineTo)(*at(*corner))
    path.close()
    canvas.setStrokeColor(FAINT)
    canvas.drawPath(path)
    canvas.setFillColor(PAD)
    for pad in board.pads:
        canvas.circle(*at(pad.x_mm, pad.y_mm), pad.pad_mm / 2 * scale, stroke=0, fill=1)
    for ref, placed in board.placements.items():
        x, y = at(placed.x_mm, placed.y_mm)
        canvas.setFont("B612Mono-Regular", 5.5)
        canvas.setFillColor(INK)
        canvas.drawCentredString(x, y - 2, ref)
    return float(top - height * scale - 14)


def _questions(canvas: Canvas, asked: list[str], y: float) -> float:
    for question in asked:
        if y < MARGIN + 20:
            canvas.showPage()
            y = A4[1] - MARGIN
        canvas.setStrokeColor(INK)
        canvas.rect(MARGIN, y - 1, 7, 7)
        canvas.rect(MARGIN + 30, y - 1, 7, 7)
        _text(canvas, MARGIN + 10, y, "yes", 7, FAINT)
        _text(canvas, MARGIN + 40, y, "no", 7, FAINT)
        _text(canvas, MARGIN + 60, y, question[:105], 8.5)
        y -= 15
    return float(y)


def _photos(canvas: Canvas, build: Build, pictures: Path) -> None:
    """Pictures, four on a page, each with its words and a line for an answer."""
    shown = [p for p in build.photos if (pictures / p.file).exists()]
    wide, high = (A4[0] - 3 * MARGIN) / 2, (A4[1] - 3 * MARGIN) / 2
    for k, photo in enumerate(shown):
        if k % PICTURES == 0:
            canvas.showPage()
        x = MARGIN + (k % 2) * (wide + MARGIN)
        y = A4[1] - MARGIN - (k // 2 % 2 + 1) * high
        canvas.drawImage(ImageReader(str(pictures / photo.file)), x, y + 30, wide, high - 44, preserveAspectRatio=True)
        _text(canvas, x, y + 18, photo.says[:60] or photo.file, 8.5)
        _text(canvas, x, y + 4, "Seen: ................................................", 8.5, FAINT)
    canvas.showPage()
