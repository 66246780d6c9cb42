"""Convert B612's CFF outlines to TrueType, once: reportlab reads no other. Usage: convert_fonts.py SOURCE_FOLDER TARGET_FOLDER

Source: Debian package fonts-b612 (SIL Open Font License 1.1, see src/nuvlo/fonts/OFL.txt).
"""

import sys
from pathlib import Path

from fontTools.pens.cu2quPen import Cu2QuPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont, newTable

FACES = ("B612-Regular", "B612-Bold", "B612Mono-Regular", "B612Mono-Bold")
THIN = "thinspace"
LARGEST_ERROR = 0.5  # font units
POINTS, POINT_SHARE = (
    ("period", "comma"),
    0.44,
)  # of a cell: a decimal point that has one of its own tears a number in two


def convert(source: Path, target: Path) -> None:
    """Write ``source`` (OpenType, CFF) as TrueType to ``target``."""
    font = TTFont(source)
    order = [*font.getGlyphOrder(), THIN]
    glyph_set = font.getGlyphSet()
    glyphs = {}
    for name in order[:-1]:
        pen = TTGlyphPen(glyph_set)
        glyph_set[name].draw(Cu2QuPen(pen, LARGEST_ERROR, reverse_direction=True))
        glyphs[name] = pen.glyph()
    # Values are written with a narrow no-break space, which B612 lacks.
    glyphs[THIN] = TTGlyphPen(None).glyph()
    font["hmtx"].metrics[THIN] = (font["head"].unitsPerEm // 4, 0)
    for table in font["cmap"].tables:
        if table.isUnicode():
            table.cmap[0x202F] = table.cmap[0x2009] = THIN
    font.setGlyphOrder(order)
    font["loca"] = newTable("loca")
    font["glyf"] = glyf = newTable("glyf")
    glyf.glyphOrder, glyf.glyphs = order, glyphs
    del font["CFF "]
    if "VORG" in font:
        del font["VORG"]
    for glyph in glyphs.values():
        glyph.recalcBounds(glyf)
    maxp = font["maxp"]
    maxp.numGlyphs = len(order)
    maxp.tableVersion = 0x00010000
    for key in ("maxZones", "maxTwilightPoints", "maxStorage", "maxFunctionDefs", "maxInstructionDefs", "maxStackElements",
                "maxSizeOfInstructions", "maxComponentElements", "maxComponentDepth", "maxPoints", "maxContours",
                "maxCompositePoints", "maxCompositeContours"):  # fmt: skip
        setattr(maxp, key, 1 if key == "maxZones" else 0)
    post = font["post"]
    post.formatType, post.extraNames, post.mapping, post.glyphOrder = 2.0, [], {}, order
    font.sfntVersion = "\000\001\000\000"
    font.save(target)


def close_points(face: Path) -> None:
    """Narrow the points of a monospaced face, so that ``4.428`` reads as one number; figures keep their columns."""
    font = TTFont(face)
    cell = font["hmtx"].metrics["zero"][0]
    width = round(POINT_SHARE * cell)
    glyphs = font["glyf"]
    for name in POINTS:
        glyph = glyphs[name]
        shift = round((width - (glyph.xMax - glyph.xMin)) / 2) - glyph.xMin
        glyph.coordinates.translate((shift, 0))
        glyph.recalcBounds(glyphs)
        font["hmtx"].metrics[name] = (width, glyph.xMin)
    font["post"].isFixedPitch = 0
    font["OS/2"].panose.bProportion = 0
    font.save(face)


if __name__ == "__main__":
    folder, out = Path(sys.argv[1]), Path(sys.argv[2])
    for face in FACES:
        convert(folder / f"{face}.otf", out / f"{face}.ttf")
        if "Mono" in face:
            close_points(out / f"{face}.ttf")
