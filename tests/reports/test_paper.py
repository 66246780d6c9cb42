"""What is printed is read back: long text flows on, nothing is cut, marks in names stand for themselves."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest
from PyQt6.QtPdf import QPdfDocument

from nuvlo.kit import Change, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build, Event, Note, fold
from nuvlo.measurement import volts_at
from nuvlo.model import Window
from nuvlo.quantity import Measured, Verdict
from nuvlo.reports.hand_over import alike_joined, write_pdf
from nuvlo.reports.joint_review import questions, write_review
from nuvlo.stages.hand_over import Sheet
from nuvlo.stages.task import Finding, Task, Wants


@pytest.fixture
def read(qtbot):
    """``read(path)``: the words on each page."""

    def pages(path) -> list[str]:
        document = QPdfDocument(None)
        document.load(str(path))
        return [document.getAllText(k).text() for k in range(document.pageCount())]

    return pages


def reading(k: int) -> Finding:
    task = Task(
        StepId.of(Stage.WAKE, f"TP{k}"), Stage.WAKE, Wants.READING, "t", of=volts_at(f"TP{k}"), unit="V"
    )
    return Finding(
        task, True, Verdict.IN, reading=Measured(4.5 + k / 1000, 0.01, "V"), window=Window(volts_at(f"TP{k}"), "V", 4.5, 4.0, 5.0)
    )


def test_a_long_sheet_runs_on_and_loses_nothing(gorsefire, tmp_path, read):
    long = " ".join(f"word{k}" for k in range(400))
    build = fold("b", [Event(id="n", build="b", at=datetime(2026, 1, 1, tzinfo=UTC), body=Note(text=long))])
    changed = tuple(
        Change(f"R{k}", "1k", "2k2", f"reason number {k} because the first was too small for what it has to do")
        for k in range(12)
    )
    sheet = Sheet(replace(gorsefire, changes=changed), build, tuple(reading(k) for k in range(160)))
    write_pdf(sheet, tmp_path / "s.pdf")
    pages = read(tmp_path / "s.pdf")
    said = " ".join(" ".join(pages).split())
    assert len(pages) > 2
    assert all(f"word{k}" in said for k in (0, 199, 399))
    assert all(f"reason number {k} " in said for k in range(12))
    assert all(f"TP{k} voltage" in said for k in range(160))
    assert all("Verdict" in page for page in pages[:-1]), "the heading stands on every page of the table"
    assert "This unit is not judged: nothing that sounds was measured." in said


def test_marks_in_names_stand_for_themselves(gorsefire, tmp_path, read):
    info = gorsefire.info.model_copy(
        update={"kit": gorsefire.info.kit.model_copy(update={"name": "<b>&amp; <img src='/x'/>"})}
    )
    write_pdf(Sheet(replace(gorsefire, info=info), Build("b", serial="001"), ()), tmp_path / "s.pdf")
    assert "<b>&amp; <img src='/x'/> 001" in read(tmp_path / "s.pdf")[0]


def test_the_review_asks_everything_in_full(gorsefire, tmp_path, read, qtbot):
    from PyQt6.QtGui import QImage

    from nuvlo.logbook import PhotoKept

    picture = QImage(400, 300, QImage.Format.Format_RGB32)
    picture.save(str(tmp_path / "j.png"))
    build = Build(
        "b",
        serial="001",
        heats={f"R{k}": 2 for k in range(1, 60)},
        photos=[PhotoKept(file="j.png", step="", says="left " * 40)] * 5,
    )
    write_review(gorsefire, build, tmp_path, tmp_path / "r.pdf")
    said = " ".join(" ".join(read(tmp_path / "r.pdf")).split())
    for asked in questions(gorsefire, build):
        assert " ".join(asked.split()) in said
    assert said.count("Seen:") == 5


def test_rows_that_say_the_same_one_after_the_other_are_one():
    rows = [("FUZZ.3", "resistance", "1.1 kΩ", "in window"), ("W6", "resistance", "1.1 kΩ", "in window"), ("TP1", "resistance", "1.1 kΩ", "out"),
            ("FUZZ.2", "resistance", "1.1 kΩ", "in window")]  # fmt: skip
    assert [row[0] for row in alike_joined(rows)] == ["FUZZ.3, W6", "TP1", "FUZZ.2"]
    assert [row[1:] for row in alike_joined(rows)] == [row[1:] for row in rows[1:]]
