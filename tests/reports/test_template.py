"""Templates read back: every hole within 0.05 mm of where the kit has it, in PDF, SVG and DXF; what meets inside; scales."""

import json
import re
from dataclasses import replace
from xml.etree import ElementTree

import numpy as np
import pytest

from nuvlo.cli.main import main
from nuvlo.electrics.panel import clashes, faces, scale
from nuvlo.files.kit_folder import read_kit
from nuvlo.reports.drawing import A4, MARGIN, RULE
from nuvlo.reports.template import LABELS_MM, drill_sheets, label_sheets
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but

PANELS = sorted(p.parent.name for p in SHIPPED.glob("*/panel.csv"))
POINT = 25.4 / 72


def circles_in(page):
    """Middle and diameter, mm from the page's corner, of every closed path of four arcs."""
    from pypdf.generic import ContentStream

    found, path = [], []
    for operands, operator in ContentStream(page["/Contents"].get_object(), page.pdf).operations:
        numbers = [float(n) for n in operands if isinstance(n, (int, float))] if operator in (b"m", b"c") else []
        if operator == b"m":
            path = [numbers]
        elif operator == b"c":
            path.append(numbers[-2:])
        elif operator in (b"S", b"s", b"n", b"B", b"f"):
            if len(path) == 5:
                ends = np.array(path[1:])
                found.append((*(ends.mean(axis=0) * POINT), np.ptp(ends[:, 0]) * POINT))
            path = []
    return found


def same(found, holes, left=0.0, low=0.0):
    want = sorted((round(left + h.x_mm, 2), round(low + h.y_mm, 2), h.hole_mm) for h in holes)
    assert np.array(sorted(tuple(round(float(v), 2) for v in c) for c in found)) == pytest.approx(np.array(want), abs=0.05)


@pytest.mark.parametrize("name", long_but(["gorsefire", "kilnlight"], PANELS))
def test_holes_are_where_the_kit_has_them(name, tmp_path):
    import ezdxf
    from pypdf import PdfReader

    kit = read_kit(SHIPPED / name)
    out = [str(tmp_path / f"holes.{kind}") for kind in ("pdf", "svg", "dxf")]
    assert main(["drill", str(SHIPPED / name), "--pdf", out[0], "--svg", out[1], "--dxf", out[2]]) == 0
    for face, sheet, page in zip(faces(kit), drill_sheets(kit), PdfReader(out[0]).pages, strict=True):
        wide, high = sheet.page
        assert [float(s) * POINT for s in page.mediabox[2:]] == pytest.approx([wide, high], abs=0.01)
        same(circles_in(page), face.holes, (wide - face.width) / 2, (high - face.height) / 2)
        drawn = ElementTree.parse(tmp_path / f"holes-{face.name}.svg").getroot()
        svg = "{http://www.w3.org/2000/svg}"
        tall = float(drawn.get("viewBox").split()[3])
        assert drawn.get("height") == f"{tall:g}mm", "a unit of the drawing is a millimetre"
        same([(float(c.get("cx")), tall - float(c.get("cy")), 2 * float(c.get("r"))) for c in drawn.iter(f"{svg}circle")], face.holes, MARGIN, MARGIN)
        space = ezdxf.readfile(tmp_path / f"holes-{face.name}.dxf").modelspace()
        same([(c.dxf.center.x, c.dxf.center.y, 2 * c.dxf.radius) for c in space.query("CIRCLE[layer=='HOLES']")], face.holes)
        rule = max(space.query("LINE[layer=='RULE']"), key=lambda l: (l.dxf.start.y < 0, abs(l.dxf.end.x - l.dxf.start.x)))
        assert abs(rule.dxf.end.x - rule.dxf.start.x) == RULE


def test_a_back_is_drilled_from_behind():
    back = next(f for f in faces(read_kit(SHIPPED / "kilnlight")) if f.name == "back")
    assert next(h for h in back.holes if h.ref == "INLET").x_mm == 320 - 285


@pytest.mark.parametrize("name", PANELS)
def test_nothing_meets_inside_the_kits(name):
    assert clashes(read_kit(SHIPPED / name)) == []


@pytest.mark.parametrize(
    ("ref", "change", "said"),
    [
        ("J3", {"x_mm": 24}, r"J2 and J3 want the same room"), ("J1", {"x_mm": 58}, r"J1 meets a side wall: 2.5 mm"),
        ("SW1", {"y_mm": 40}, r"SW1 and the board want the same room"), ("J1", {"y_mm": 12}, r"VOLUME and J1 want the same room"),
    ],
)  # fmt: skip
def test_what_meets_is_said_with_what_is_lacking(ref, change, said):
    kit = read_kit(SHIPPED / "gorsefire")
    moved = replace(kit, panel=tuple(replace(h, **change) if h.ref == ref else h for h in kit.panel), memory={})
    assert re.search(said, " ".join(clashes(moved)))


def test_a_lid_that_is_too_near_is_met():
    kit = read_kit(SHIPPED / "gorsefire")
    flat = kit.info.model_copy(update={"enclosure": kit.info.enclosure.model_copy(update={"depth_mm": 30})})
    assert "the board meets front or lid: 8.6 mm are lacking." in clashes(replace(kit, info=flat, memory={}))


def test_a_volume_is_marked_in_decibels_and_a_tone_from_nought_to_ten():
    kit = read_kit(SHIPPED / "gorsefire")
    marks = {t.text: t.degrees for t in scale(kit, "VOLUME")}
    assert marks["0"] == pytest.approx(135)  # half of 270 degrees
    assert -5 < marks["-20"] < 5  # an audio taper is at a tenth in the middle
    assert list(marks.values()) == sorted(marks.values(), reverse=True)
    assert [t.text for t in scale(kit, "FUZZ") if t.text] == [str(k) for k in range(11)]


def test_labels_go_on_sheets_of_a4_none_over_another(tmp_path, capsys):
    from datetime import date

    kit = read_kit(SHIPPED / "kilnlight")
    many = replace(kit, wires=tuple(replace(w, name=f"{k}{w.name}") for k in range(3) for w in kit.wires), memory={})
    sheets = label_sheets(many, [], date(2026, 11, 27))
    assert len(sheets) > 1
    assert all(s.page == A4 for s in sheets)
    words = [(round(w.x), round(w.y)) for s in sheets for w in s.strokes if hasattr(w, "text") and "to" in w.text and s is sheets[0]]
    assert len(words) == len(set(words))
    assert all(0 <= y <= LABELS_MM[1] for _, y in words)
    assert main(["mock-up", str(SHIPPED / "gorsefire"), "--pdf", str(tmp_path / "m.pdf"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["pages"][-1].startswith("Gorsefire: from the side")
    assert main(["labels", str(SHIPPED / "gorsefire"), "--pdf", str(tmp_path / "l.pdf")]) == 0
    assert main(["drill", str(SHIPPED / "gorsefire"), "--dxf", str(tmp_path / "none" / "x.dxf")]) == 1
    assert "none/x-front.dxf cannot be written: No such file" in capsys.readouterr().err
    assert main(["drill", str(SHIPPED / "reedling")]) == 1
    assert "says nothing of its panel" in capsys.readouterr().err
