"""What a session writes for people, beside its sheet."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from pathlib import Path

from nuvlo.craft.schools import taken
from nuvlo.electrics.power import Rail
from nuvlo.files.whole import write_whole
from nuvlo.kit import Stage
from nuvlo.problems import Problem
from nuvlo.reports.readings import write_readings
from nuvlo.stages import prove, unpack
from nuvlo.stages.unpack.letter import letter, shopping_list
from nuvlo.workshop.session import Refused, Session


def write_sheet(session: Session) -> Path:
    """Write PDF and CSV; the path of the PDF. Raises :class:`Refused` when the folder does not take them."""
    from nuvlo.reports.hand_over import write_pdf

    if session.build.curves and session.wants_solving(Stage.PROVE):
        session.adopt(session.solve(Stage.PROVE))
    proved = session.answer(Stage.PROVE, prove.Proved)
    path = session.sheet_path

    remedy = "Free space or open the folder, then 'sheet'."
    band = proved.band if proved else None
    _written(path.with_suffix(".csv"), lambda there: write_readings(session.kit, session.build, there), remedy)
    return _written(path, lambda there: write_pdf(session.snapshot().sheet(), there, band), remedy)


def write_review(session: Session) -> Path:
    """Write the sheet on which someone else looks over the joints. Raises :class:`Refused` as :func:`write_sheet`."""
    from nuvlo.reports.joint_review import write_review as write

    path = session.sheet_path.with_name(f"{session.sheet_path.stem}-review.pdf")
    return _written(path, lambda there: write(session.kit, session.build, session.places.pictures, there),
                    "Check the folder and its pictures.")  # fmt: skip


def write_shopping_list(session: Session) -> Path:
    """Write what boxes seldom hold and what is missing, with costs. Raises :class:`Refused` as :func:`write_sheet`."""
    lines = [
        f"{what}{f'  {cost:.2f}' if cost is not None else ''}"
        for what, cost in shopping_list(
            session.kit, session.build.marks, taken(session.build.stances, "wires") == "posts"
        )
    ]
    return _write_text(session, "shopping", "\n".join(lines) + "\n")


def write_template(session: Session) -> list[Path]:
    """Write what panel and box are drilled by: a PDF of all faces, a DXF of each. Raises :class:`Refused` as :func:`write_sheet`."""
    from nuvlo.electrics.panel import faces
    from nuvlo.reports.drawing import write_dxf, write_pdf
    from nuvlo.reports.template import drill_sheets

    sheets = drill_sheets(session.kit)
    out = [_beside(session, "template.pdf", lambda there: write_pdf(sheets, there))]
    for face, sheet in zip(faces(session.kit), sheets, strict=True):
        out.append(_beside(session, f"{face.name}.dxf", partial(write_dxf, sheet)))
    return out


def write_mock_up(session: Session) -> Path:
    """Write the panel in paper, with what stands behind it. Raises :class:`Refused` as :func:`write_sheet`."""
    from nuvlo.reports.drawing import write_pdf
    from nuvlo.reports.template import mock_up_sheets

    sheets = mock_up_sheets(session.kit)
    return _beside(session, "mock-up.pdf", lambda there: write_pdf(sheets, there))


def write_labels(session: Session, rails: list[Rail], when: date) -> Path:
    """Write scales, labels and flags for wires. Raises :class:`Refused` as :func:`write_sheet`."""
    from nuvlo.reports.drawing import write_pdf
    from nuvlo.reports.template import label_sheets

    sheets = label_sheets(session.kit, rails, when)
    return _beside(session, "labels.pdf", lambda there: write_pdf(sheets, there))


def _beside(session: Session, name: str, write: Callable[[Path], object]) -> Path:
    """Write a file beside the sheet of the build, its own name behind the sheet's."""
    return _written(session.sheet_path.with_name(f"{session.sheet_path.stem}-{name}"), write, "Check the folder.")


def write_letter(session: Session) -> Path:
    """Write what is wrong with the box as plain text. Raises :class:`Refused` where there is nothing to write about."""
    checked = unpack.check_in(session.kit, session.build.measured, session.build.marks)
    text = letter(session.kit, checked, unpack.strips(checked), session.build.marks)
    if not text:
        raise Refused(
            Problem("there is nothing to write about.", "Mark parts missing, wrong or doubtful, or measure them.")
        )
    return _write_text(session, "letter", text)


def _write_text(session: Session, what: str, text: str) -> Path:
    path = session.sheet_path.with_name(f"{session.sheet_path.stem}-{what}.txt")
    return _written(path, lambda there: there.write_text(text, encoding="utf-8"), "Check the folder.")


def _written(path: Path, write: Callable[[Path], object], remedy: str) -> Path:
    """Write a file whole or not at all."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, write)
    except OSError as bad:
        raise Refused(Problem(f"{path.name} cannot be written: {bad.strerror or bad}.", remedy)) from bad
    return path
