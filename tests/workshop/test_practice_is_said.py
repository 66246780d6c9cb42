"""A unit that is not there never passes for one that is: shelf, header, paper and file names say so."""

import pytest
from PyQt6.QtPdf import QPdfDocument

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.workshop.papers import write_review, write_sheet
from nuvlo.workshop.places import SHIPPED
from nuvlo.workshop.shelf import shelf
from nuvlo.workshop.workshop import Workshop


@pytest.fixture
def workshop(tmp_path):
    shop = Workshop(tmp_path / "shop")
    yield shop
    shop.close()


@pytest.mark.parametrize(("kit", "on", "said"), [
    ("gorsefire", "typed", False), ("gorsefire", "simulated:7", True), ("sluice", "practice:1:easy", True), ("gorsefire", "simulated:4:R3=390R", True),
    ("lampwick", "practice:3", True),
])  # fmt: skip
def test_paper_shelf_and_file_names_say_practice(workshop, qtbot, kit, on, said):
    session = workshop.start(read_kit(SHIPPED / kit), bench=on)
    sheet, review = write_sheet(session), write_review(session)
    for path in (sheet, review, sheet.with_suffix(".csv")):
        assert path.exists()
        assert ("practice" in path.name) is said
    paper = QPdfDocument(None)
    paper.load(str(sheet))
    words = paper.getAllText(0).text()
    assert ("practice" in words.lower()) is said
    assert ("no unit that one could hold was measured" in " ".join(words.split())) is said
    (card,) = (c for c in shelf(workshop).cards if c.build == session.build.id)
    assert ("practice" in card.number) is said


@pytest.mark.parametrize("kit", ["gorsefire", "sluice", "barrowmoor", "millrace"])
def test_a_unit_that_is_hunted_in_is_built(workshop, kit):
    """Nothing of it is to be unpacked or fitted, before the mistake is found and after."""
    session = workshop.start(read_kit(SHIPPED / kit), bench="practice:2")
    assert session.stage not in (Stage.UNPACK, Stage.CHOOSE, Stage.SEQUENCE, Stage.FIT, Stage.HOOK_UP)
    before = session.path()[:5]
    assert {s.state for s in before} == {"done"}
    assert not any(s.total for s in before)
    (card,) = shelf(workshop).cards
    assert card.stage == "wake"
