"""``drill``, ``mock-up`` and ``labels``: what is printed before metal is touched, and what is stuck on it."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from nuvlo.cli.answer import Answer, Document, Verbs

if TYPE_CHECKING:
    from nuvlo.kit import Kit


def add_verbs(verbs: Verbs) -> None:
    """Add drill, mock-up and labels."""
    one = verbs.add("drill", _drill, "holes of panel and box at true scale, and what meets inside")
    one.add_argument("folder", type=Path)
    for kind, says in (("pdf", "a page for each face"), ("svg", "a file for each face, its name before the ending"), ("dxf", "the same for a machine")):
        one.add_argument(f"--{kind}", type=Path, metavar="OUT", help=says)
    for name, does, says in (("mock-up", _mock_up, "the panel in paper, with what stands behind it"),
                             ("labels", _labels, "scales, labels and flags for wires on one sheet")):  # fmt: skip
        more = verbs.add(name, does, says)
        more.add_argument("folder", type=Path)
        more.add_argument("--pdf", type=Path, metavar="OUT", required=True)


def _write(path: Path, write: Callable[[Path], object]) -> None:
    """Write a file whole. Raises :class:`NuvloError` that names the file asked for."""
    from nuvlo.files.whole import write_whole
    from nuvlo.problems import NuvloError, Problem

    try:
        write_whole(path, write)
    except OSError as bad:
        raise NuvloError(Problem(f"{path} cannot be written: {bad.strerror or bad}.", "Name a file in a folder that is there and may be written to.")) from bad


def _opened(folder: Path) -> Kit:
    from nuvlo.files.kit_folder import read_kit

    return read_kit(folder)


def _drill(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.panel import clashes, enclosure, faces
    from nuvlo.reports.drawing import write_dxf, write_pdf, write_svg
    from nuvlo.reports.template import drill_sheets

    kit = _opened(a.folder)
    box, meets, sheets = enclosure(kit), clashes(kit), drill_sheets(kit)
    written: list[str] = []
    if a.pdf:
        _write(a.pdf, lambda there: write_pdf(sheets, there))
        written.append(str(a.pdf))
    for out, write in ((a.svg, write_svg), (a.dxf, write_dxf)):
        for face, sheet in zip(faces(kit), sheets, strict=True) if out else ():
            path = out.with_name(f"{out.stem}-{face.name}{out.suffix}")
            _write(path, partial(write, sheet))
            written.append(str(path))
    lines = []
    for face in faces(kit):
        lines.append(f"{face.name}, {face.width:g} × {face.height:g} mm, from outside, from its lower left corner")
        lines += [f"  {h.ref:8s} {h.hole_mm:5g} mm at {h.x_mm:g}, {h.y_mm:g}   {h.label}".rstrip() for h in face.holes]
    if any(p.kind == "panel" for p in kit.parts.values()):
        lines.append(f"{box.width_mm / UNIT_MM:.3g} units of a modular panel wide")
    lines += meets or ["Nothing meets inside."]
    lines += [f"Written: {', '.join(written)}. Measure the 50 mm rule before you drill."] if written else []
    document: Document = {
        "faces": [{"face": f.name, "width_mm": f.width, "height_mm": f.height,
                   "holes": [{"ref": h.ref, "x_mm": h.x_mm, "y_mm": h.y_mm, "hole_mm": h.hole_mm, "label": h.label} for h in f.holes]} for f in faces(kit)],
        "clashes": meets, "written": written,
    }  # fmt: skip
    return int(bool(meets)), document, "\n".join(lines)


UNIT_MM = 5.08  # of a modular panel


def _mock_up(a: argparse.Namespace) -> Answer:
    from nuvlo.reports.drawing import write_pdf
    from nuvlo.reports.template import mock_up_sheets

    sheets = mock_up_sheets(_opened(a.folder))
    _write(a.pdf, lambda there: write_pdf(sheets, there))
    return 0, {"pages": [s.title for s in sheets]}, f"{a.pdf}: {len(sheets)} pages. Glue them on cardboard, cut, and try every part for room."


def _labels(a: argparse.Namespace) -> Answer:
    from datetime import date

    from nuvlo.electrics.power import rails
    from nuvlo.reports.drawing import write_pdf
    from nuvlo.reports.template import label_sheets

    kit = _opened(a.folder)
    sheets = label_sheets(kit, rails(kit) if kit.unit is not None else [], date.today())
    _write(a.pdf, lambda there: write_pdf(sheets, there))
    return 0, {"pages": [s.title for s in sheets]}, f"{a.pdf}: scales, labels, and a flag for both ends of {len(kit.wires)} wires."
