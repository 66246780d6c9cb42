"""The review sheet: the solder side drawn to scale, pictures of joints, and questions for someone who has not soldered it."""

from __future__ import annotations

from pathlib import Path

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Image, KeepTogether, Table, TableStyle

from nuvlo.craft.bend import bends
from nuvlo.kit import Board, Kit
from nuvlo.logbook import Build
from nuvlo.reports import paper
from nuvlo.reports.paper import BOLD, FAINT, INK, PAD, VALUES, gap, words
from nuvlo.stages.fit.joints import BAD, GOOD

CLOSEST = 6  # pairs of pads asked for by name
ACROSS = 2  # pictures side by side
MAP_SHARE = 0.42  # of a page, that the board may be high


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
        if mark in (*BAD, GOOD)
    ]
    often = [f"{ref} ({n})" for ref, n in build.heats.items() if n > 1]
    asked += [f"Heated more than once: {', '.join(often)}. Are their pads still down?"] if often else []
    return asked


def write_review(kit: Kit, build: Build, pictures: Path, path: Path) -> None:
    """Write the sheet as PDF. Raises ``OSError`` where it cannot be written."""
    pieces: list[Flowable] = [
        words(f"{kit.name} {build.number}: review before the lid goes on", 15, face=BOLD),
        gap(4),
        words(
            "For someone who has not soldered it. Solder side, mirrored as it lies in the hand; at 1:1 where it fits.",
            colour=FAINT,
        ),
        gap(6),
    ]
    if kit.board is not None:
        pieces += [_Map(kit.board), gap(8)]
    pieces += [_asked(question) for question in questions(kit, build)]
    shown = [p for p in build.photos if (pictures / p.file).exists()]
    if shown:
        pieces += [gap(10), words("Pictures", 11, face=BOLD), gap(4)]
    wide = (paper.WIDTH - 12) / ACROSS
    cells = [_photo(pictures / p.file, p.says or p.file, wide) for p in shown]
    for k in range(0, len(cells), ACROSS):
        row = cells[k : k + ACROSS]
        pieces.append(Table([row + [""] * (ACROSS - len(row))], colWidths=[wide + 6] * ACROSS))
    paper.write(path, f"{kit.name} {build.number}: review of the joints", pieces)


def _asked(question: str) -> Flowable:
    """A question with a box for yes and one for no."""
    row = Table(
        [["", words("yes", 7, FAINT), "", words("no", 7, FAINT), words(question)]],
        colWidths=[9, 24, 9, 22, paper.WIDTH - 64],
    )
    row.setStyle(
        TableStyle([
            ("BOX", (0, 0), (0, 0), 0.8, INK), ("BOX", (2, 0), (2, 0), 0.8, INK), ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("TOPPADDING", (0, 0), (-1, -1), 0), ("BOTTOMPADDING", (0, 0), (-1, -1), 0), ("LEFTPADDING", (0, 0), (-1, -1), 3),
            ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        ])
    )  # fmt: skip
    return KeepTogether([row, gap(4)])


def _photo(file: Path, says: str, wide: float) -> list[Flowable]:
    """A picture with its words and a line for an answer."""
    picture = Image(str(file))
    scale = min(wide / picture.imageWidth, 0.36 * paper.HEIGHT / picture.imageHeight)
    picture.drawWidth, picture.drawHeight = picture.imageWidth * scale, picture.imageHeight * scale
    return [picture, gap(3), words(says), words("Seen: ................................................", colour=FAINT)]


class _Map(Flowable):  # type: ignore[misc]
    """The board from its solder side, pads and references."""

    def __init__(self, board: Board) -> None:
        super().__init__()
        self.board = board
        width, height = board.size
        self.scale = min(mm, paper.WIDTH / width, MAP_SHARE * paper.HEIGHT / height)
        self.width, self.height = width * self.scale, height * self.scale

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.width, self.height

    def _at(self, x: float, y: float) -> tuple[float, float]:
        return (self.board.seen_from(x, "bottom") - self.board.left) * self.scale, (y - self.board.low) * self.scale

    def draw(self) -> None:
        c = self.canv
        path = c.beginPath()
        for k, corner in enumerate(self.board.outline):
            (path.lineTo if k else path.moveTo)(*self._at(*corner))
        path.close()
        c.setStrokeColor(FAINT)
        c.drawPath(path)
        c.setFillColor(PAD)
        for pad in self.board.pads:
            c.circle(*self._at(pad.x_mm, pad.y_mm), pad.pad_mm / 2 * self.scale, stroke=0, fill=1)
        c.setFont(VALUES, 5.5)
        c.setFillColor(INK)
        for ref, placed in self.board.placements.items():
            x, y = self._at(placed.x_mm, placed.y_mm)
            c.drawCentredString(x, y - 2, ref)
