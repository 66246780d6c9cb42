"""What is printed before metal is touched: templates to drill by, a mock-up in paper, a view from the side, and labels."""

from __future__ import annotations

from datetime import date

from nuvlo.electrics.panel import Body, Face, bodies, enclosure, faces, scale, tick_ends
from nuvlo.electrics.power import Rail
from nuvlo.kit import Kit
from nuvlo.kit.schema import Enclosure
from nuvlo.reports.drawing import Circle, Line, Sheet, Words

CROSS_MM = 3.0  # that the arms of a cross reach beyond its hole
RING_MM = 9.0  # from the middle of a control to its scale
NAME_MM = 2.2
LABEL_MM = (43.0, 7.0)  # of a flag that is folded round a wire
COLUMNS = 4
TOUCHED_V = 60.0  # above it a supply is inside, and no label of a socket
LABELS_MM = (172.0, 245.0)  # of one sheet of labels: what an A4 page holds


def drill_sheets(kit: Kit) -> list[Sheet]:
    """A template of every face that is drilled."""
    return [_drilled(kit, face) for face in faces(kit)]


def _drilled(kit: Kit, face: Face) -> Sheet:
    sheet = Sheet(f"{kit.name}: {face.name}, from outside", face.width, face.height)
    sheet.box(0, 0, face.width, face.height)
    for h in face.holes:
        arm = h.hole_mm / 2 + CROSS_MM
        sheet.strokes += [
            Circle(h.x_mm, h.y_mm, h.hole_mm), Line(h.x_mm - arm, h.y_mm, h.x_mm + arm, h.y_mm, "rule"),
            Line(h.x_mm, h.y_mm - arm, h.x_mm, h.y_mm + arm, "rule"), Words(h.x_mm, h.y_mm - arm - 2, f"{h.ref}  Ø{h.hole_mm:g}"),
        ]  # fmt: skip
        if h.label:
            sheet.strokes.append(Words(h.x_mm, h.y_mm + arm + 2, h.label))
    sheet.rule()
    return sheet


def mock_up_sheets(kit: Kit) -> list[Sheet]:
    """The same with what stands behind each hole, to be cut in cardboard; and the box from its side, where it has a depth."""
    box, there = enclosure(kit), bodies(kit)
    out = []
    for face in faces(kit):
        sheet = _drilled(kit, face)
        sheet.title = f"{kit.name}: mock-up of the {face.name}"
        own = {h.ref for h in face.holes}
        shapes = []
        for body in there:
            x0, y0, x1, y1 = _seen(body, face.name)
            left = min(face.seen(x0), face.seen(x1))
            shapes.append(((left, y0, left + x1 - x0, y1), "" if body.ref in own else body.ref))
        _named(sheet, shapes)
        out.append(sheet)
    if box.depth_mm:
        out.append(_from_the_side(kit, box, there))
    return out


def _named(sheet: Sheet, shapes: list[tuple[tuple[float, float, float, float], str]]) -> None:
    """Rectangles with their names in them, no name on another."""
    taken = [(s.x, s.y) for s in sheet.strokes if isinstance(s, Words)]
    for (x0, y0, x1, y1), name in shapes:
        sheet.box(x0, y0, x1 - x0, y1 - y0, "behind")
        if not name:
            continue
        x, y = (x0 + x1) / 2, (y0 + y1) / 2
        while any(abs(x - a) < 16 and abs(y - b) < NAME_MM + 1 for a, b in taken) and y > y0 + NAME_MM:
            y -= 1.0
        taken.append((x, y))
        sheet.strokes.append(Words(x, y, name, NAME_MM, "behind"))


def _seen(body: Body, face: str) -> tuple[float, float, float, float]:
    """The rectangle of a body as one looks at a face: left, low, right, high."""
    (x0, y0, z0), (x1, y1, z1) = body.low, body.high
    if face in ("front", "back"):
        return x0, y0, x1, y1
    return (z0, y0, z1, y1) if face in ("left", "right") else (x0, z0, x1, z1)


def _from_the_side(kit: Kit, box: Enclosure, there: list[Body]) -> Sheet:
    sheet = Sheet(f"{kit.name}: from the side, front on the left", box.depth_mm, box.height_mm)
    sheet.box(0, 0, box.depth_mm, box.height_mm)
    sheet.box(box.wall_mm, box.wall_mm, box.depth_mm - 2 * box.wall_mm, box.height_mm - 2 * box.wall_mm, "rule")
    alike: dict[tuple[float, float, float, float], list[str]] = {}
    for body in there:
        alike.setdefault(_seen(body, "left"), []).append(body.ref)
    _named(sheet, [(seen, ", ".join(refs)) for seen, refs in alike.items()])
    sheet.rule()
    return sheet


def label_sheets(kit: Kit, rails: list[Rail], when: date) -> list[Sheet]:
    """Scales for the controls, a label for every hole, what each supply wants, and a flag for both ends of each wire."""
    sheet = Sheet(f"{kit.name}: labels", *LABELS_MM)
    y = sheet.height - 4
    pots = [h for h in kit.panel if (p := kit.find_part(h.ref)) is not None and p.kind == "potentiometer"]
    for k, hole in enumerate(pots):
        at = type(hole)(hole.ref, 22.0 + 43 * (k % COLUMNS), y - 20 - 42 * (k // COLUMNS), hole.hole_mm, hole.label)
        sheet.strokes.append(Circle(at.x_mm, at.y_mm, at.hole_mm))
        for tick in scale(kit, hole.ref):
            (a, b), (c, d) = tick_ends(at, tick, RING_MM, RING_MM + (2.2 if tick.text else 1.2))
            sheet.strokes.append(Line(a, b, c, d))
            if tick.text:
                _, (u, v) = tick_ends(at, tick, RING_MM, RING_MM + 4.6)
                sheet.strokes.append(Words(u, v, tick.text.replace("-", "−"), 2.0))
        sheet.strokes.append(Words(at.x_mm, at.y_mm - RING_MM - 6, hole.label or hole.ref))
    y -= 42 * -(-len(pots) // COLUMNS)
    words = [h.label for h in kit.panel if h.label and h not in pots]
    words += [f"{r.name}: {r.volts:+.3g} V, {1e3 * r.worst:.3g} mA" + (f", centre {r.centre.rpartition(' ')[2]}" if r.centre else "") for r in rails if abs(r.volts) <= TOUCHED_V]
    words += [f"{kit.name} {kit.info.kit.revision}   tested {when.isoformat()}"]
    flags = [text for w in kit.wires for text in (f"{w.start} to {w.end}", f"{w.end} to {w.start}")]
    wide, high = LABEL_MM
    out, column = [sheet], 0
    for text in [*words, *flags]:
        if column == COLUMNS:
            column, y = 0, y - high
        if y < high:
            out.append(Sheet(sheet.title, *LABELS_MM))
            y = LABELS_MM[1]
        out[-1].box(column * wide, y - high, wide, high, "rule")
        out[-1].strokes.append(Words((column + 0.5) * wide, y - high / 2, text, min(2.4, 1.7 * wide / max(len(text), 1))))
        column += 1
    return out
