"""Hook up in the window alone: every wire and every reading of two kits, once by keys and once by mouse."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QWidget

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.stages.task import Wants
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun, painted


def opened(drive, name, bench):
    driver = drive(opener=lambda: begun(driver_folder(drive, name), read_kit(SHIPPED / name), bench))
    driver.type("stage hook_up")
    return driver


def driver_folder(drive, name):
    return drive.folder / name


@pytest.fixture
def drive(drive, tmp_path):
    drive.folder = tmp_path
    return drive


def test_six_loudspeakers_are_wired_and_rung_out_by_keys(drive):
    """Typed readings, from a cabinet without a board: drawn from behind, the two tags in hand lit."""
    driver = opened(drive, "oxbow", "typed")
    session, wired = driver.session, []
    for _ in range(60):
        now = session.now()
        if session.stage is not Stage.HOOK_UP or now is None:
            break
        if now.task.hazard:
            driver.type("confirm")
        elif now.task.wants is Wants.READING:
            driver.type(f"{0.2 if now.task.target == 'leads' else now.window.nominal + 0.2:.2f}")
        else:
            inside = driver.window.picture().inside
            assert inside.isVisible()
            assert inside.marking.lit == frozenset(now.task.parts) <= set(inside.lugs())
            wired.append(now.task.target)
            driver.space()
    assert sorted(wired) == sorted(w.name for w in session.kit.wires)
    assert all(f.done for f in session.findings(Stage.HOOK_UP))


def test_no_lug_of_a_cabinet_lies_on_another_and_each_has_its_name(drive):
    driver = opened(drive, "oxbow", "typed")
    inside = driver.window.picture().inside
    at = np.array([(q.x(), q.y()) for q in inside.lugs().values()])
    apart = np.linalg.norm(at[:, None] - at[None], axis=2) + 100 * np.eye(len(at))
    assert apart.min() > 12
    front = {ref: middle for ref, (middle, _) in inside.places().items()}
    assert front["D1"].x() > front["D2"].x(), "from behind the left one is on the right"
    assert painted(inside)


def test_a_pedalboard_plate_is_wired_and_rung_out_by_mouse(drive):
    driver = opened(drive, "landing", "simulated:5")
    session, window = driver.session, driver.window
    for _ in range(120):
        now = session.now()
        if session.stage is not Stage.HOOK_UP or now is None:
            break
        button = window.next_lane.confirm if now.task.hazard else window.next_lane.button
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        driver.settle()
    found = session.findings(Stage.HOOK_UP)
    assert all(f.done for f in found), [f.task.title for f in found if not f.done]
    assert next(f for f in found if f.task.target == "PLATE").reading.value < 1.5


def test_what_it_draws_its_metal_and_its_papers_are_asked_for_at_the_bench_line(drive):
    driver = opened(drive, "gorsefire", "typed")
    driver.type("confirm")
    driver.type("power")
    assert "9 V supply" in " ".join(w.text() for w in driver.window.tool.findChildren(QLabel))
    driver.type("bonds")
    assert "Bonded once, no ring, nothing floats." in [w.text() for w in driver.window.tool.findChildren(QLabel)]
    for line, file in (("template", "template.pdf"), ("mockup", "mock-up.pdf"), ("labels", "labels.pdf")):
        driver.type(line)
        assert file in driver.said
        (written,) = driver.session.sheet_path.parent.glob(f"*-{file}")
        assert written.read_bytes().startswith(b"%PDF")
    assert {p.suffix for p in driver.session.sheet_path.parent.iterdir()} == {".pdf", ".dxf"}


def test_a_feed_that_is_too_weak_is_shown_in_its_bar(drive):
    driver = opened(drive, "reedling", "typed")
    driver.type("power")
    (bar,) = (w for w in driver.window.tool.findChildren(QWidget) if w.accessibleName().startswith("phantom"))
    assert "13 % left of 10\u202fmA" in bar.accessibleName()
    assert painted(bar)


def test_ways_to_wire_a_cabinet_are_picked_by_mouse_and_its_cones_are_judged(drive):
    driver = opened(drive, "oxbow", "typed")
    driver.type("cabinet min=4 cones=out,out,in,out,still,still")
    tool = driver.window.tool
    QTest.mouseClick(tool.buttons[1], Qt.MouseButton.LeftButton)
    words = [w.text() for w in tool.findChildren(QLabel)]
    assert "Wired as (8 + 8) | (8 + 8) | (8 + 8)" in words
    assert "D3 moves in: exchange the two leads on its tags." in words
    assert "D5 and D6 stand still: one of them is open, or the lead between them." in words
    driver.type("cabinet 4x16 max=3")
    assert "'max=3' is not understood" in driver.said


def test_both_ends_of_the_wire_in_hand_are_drawn_with_the_lug_lit(drive):
    driver = opened(drive, "landing", "typed")
    driver.until(Stage.HOOK_UP, "Wire 7: J2.switch to J3.switch")
    lugs = driver.window.picture().lugs
    assert [(p.ref, lit) for p, _, lit in lugs.shown] == [("J2", ("switch",)), ("J3", ("switch",))]
    assert lugs.accessibleName().startswith("J2, switch: From the side")
    assert painted(lugs)
    driver.until(Stage.HOOK_UP, "Short the meter's leads")
    assert not lugs.isVisible()
