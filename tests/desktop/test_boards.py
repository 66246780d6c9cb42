"""Plans of an interface and a rack's sums in the window, by what is typed and clicked."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from nuvlo.desktop.tools.bar import Bar
from nuvlo.desktop.tools.pedalboard import laid
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.pedalboard import read_plan, shipped
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun, painted


@pytest.fixture
def driver(drive, tmp_path):
    driver = drive(opener=lambda: begun(tmp_path / "landing", read_kit(SHIPPED / "landing"), "typed"))
    driver.type("stage hook_up")
    driver.type("confirm")
    return driver


def words(driver):
    return " ".join(w.text() for w in driver.window.tool.findChildren(QLabel))


@pytest.mark.parametrize("width", [600.0, 1100.0])
@pytest.mark.parametrize("name", shipped())
def test_every_piece_of_a_plan_has_a_place_of_its_own_on_the_page(name, width):
    places, scale = laid(read_plan(name), width)
    boxes = list(places.values())
    assert 0.5 < scale <= 1.0
    assert max(b.right() for b in boxes) * scale <= width + 1
    assert not any(a.intersects(b) for k, a in enumerate(boxes) for b in boxes[:k])


def test_plans_are_shown_picked_and_ones_own_is_read(driver):
    driver.type("interface wet-dry-wet")
    assert "Dry amplifier, left amplifier, right amplifier: −2.3 dB at 5\u202fkHz" in words(driver).replace(" kHz", "\u202fkHz")
    tool = driver.window.tool
    assert painted(tool)
    QTest.mouseClick(tool.buttons[1 + shipped().index("effects-loop")], Qt.MouseButton.LeftButton)
    assert read_plan("effects-loop").title in words(driver)
    mine = driver.session.places.folder / "mine.toml"
    mine.write_text('title = "Mine"\n[[piece]]\nkind = "source"\n[[piece]]\nkind = "cable"\nmetres = 12\n[[piece]]\nkind = "amplifier"\n')
    driver.type("interface mine.toml")
    assert "a buffer as the first piece gives back what is lost" in words(driver)
    mine.write_text('title = "Mine"\n[[piece]]\nkind = "sauce"\n')
    driver.type("interface mine.toml")
    assert "mine.toml" in driver.said
    driver.type("interface nowhere")
    assert "nowhere" in driver.said


def test_a_rack_that_is_too_much_says_what_to_leave_out(driver):
    case = driver.session.places.folder / "case.csv"
    case.write_text("unit,count,kit,+12 V\nsupply,,,150\nfilter,1,,60\nsequencer,1,,120\n")
    driver.type("rack case.csv")
    assert "TOO MUCH" in words(driver)
    assert "Without filter it holds." in words(driver)
    (bar,) = driver.window.tool.findChildren(Bar)
    assert bar.worst > bar.limit
    assert painted(bar)
    case.write_text("unit,count,kit,+12 V\nsupply,,,150\noscillator,1,gone,\n")
    driver.type("rack case.csv")
    assert "the kit of 'oscillator'" in driver.said
