"""From unpack to PDF with real key events."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from nuvlo.kit import Stage
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.verbs import offered


def test_a_newcomer_builds_gorsefire_by_keyboard_alone(drive):
    driver = drive(seed=7)
    session = driver.session
    shown = set()
    assert session.stage is Stage.UNPACK
    driver.type("r1 100.2")
    assert "It reads 100.2" in driver.said
    for _ in range(300):
        shown.add(session.stage)
        now = session.now()
        if now is None and session.stage is Stage.HAND_OVER:
            break
        if now is not None and now.waits:
            driver.space()
            assert "from now" in driver.said, "Space does not pass a clock"
            driver.wait(now.task.held.until)
        elif now is not None and now.task.hazard:
            driver.space()
            assert "confirm" in driver.said, "Space does not pass a caution"
            driver.type("confirm")
        elif session.stage is Stage.CHOOSE and now.task.target == "bass":
            driver.type("choose 220n")
        elif session.stage is Stage.CHOOSE:
            driver.type("choose 1")  # the set of values that was found best
        else:
            driver.space()
    assert shown == set(Stage)
    assert session.sheet_path.exists()
    assert session.sheet_path.with_suffix(".csv").exists()
    assert session.snapshot().sheet().overall == "as meant"
    unit = session.bench._point()
    assert unit.voltage("c2")[0] / unit.voltage("vcc")[0] == pytest.approx(0.5, rel=0.02)
    assert session.build.chosen_values == {"C1": "220n", "R6": "10\u202fkΩ"}
    assert {s.state for s in driver.window.path_bar.states} == {"done"}


def test_a_wrong_part_stops_the_window_with_the_reason(drive):
    driver = drive(seed=2, wrong={"R3": "390R"})
    driver.until(Stage.UNPACK, "Measure R3")
    driver.space()
    driver.space()
    assert "looks like 390" in driver.said
    assert driver.window.path_bar.states[0].state == "stuck"
    driver.type("r3 swapped")
    driver.space()
    assert driver.session.now().task.target == "R5"


def press(driver, widget) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
    driver.settle()


def test_a_newcomer_builds_gorsefire_by_mouse_alone(drive):
    """Buttons of the Next lane, the strip, the path and the shelf; not one key."""
    driver = drive(seed=7)
    session, window = driver.session, driver.window
    used: set[str] = set()

    def strip(name: str) -> None:
        verb = next((v for v in offered(driver.window.controller.shown) if v.name == name), None)
        if verb is None or name in used:
            return
        button = next(b for b in window.strip.buttons if b.accessibleDescription() == verb.says)
        if button.isHidden():
            press(driver, window.strip.more)
        press(driver, button)
        used.add(name)

    for _ in range(300):
        now = session.now()
        if now is None and session.stage is Stage.HAND_OVER:
            break
        for name in ("alike", "shopping", "both", "side", "compare", "undo"):
            strip(name)
        if window.tool is not None:
            press(driver, window.next_lane.button)  # seen
        if now.waits:
            driver.wait(now.task.held.until)
        if now.task.hazard and window.next_lane.confirm is not None:
            press(driver, window.next_lane.confirm)
        elif session.now() and session.now().task.target == "bass":
            press(driver, window.next_lane.offers[0])
        elif window.next_lane.button is not None:
            press(driver, window.next_lane.button)
    assert session.snapshot().sheet().overall == "as meant"
    assert session.build.chosen_values["C1"] == "220n"
    assert used >= {"alike", "shopping", "both", "side", "undo"}
    press(driver, window.strip.buttons[0])
    assert session.sheet_path.exists()


def test_a_reading_is_entered_by_the_keypad(drive):
    driver = drive(kind="typed")
    keypad = driver.window.next_lane.keypad
    for key in ("1", "0", "1", "1", "⌫", ".", "2"):
        press(driver, keypad.keys[key])
    assert driver.window.bench_line.entry.text() == "101.2"
    press(driver, keypad.keys["Enter"])
    assert driver.session.build.measured["R1"][0].value == pytest.approx(101.2)
    assert driver.session.now().task.target != "R1"


def test_a_button_that_wants_words_begins_the_line(drive):
    driver = drive()
    verb = next(v for v in offered(driver.window.controller.shown) if v.name == "note")
    button = next(b for b in driver.window.strip.buttons if b.accessibleDescription() == verb.says)
    if button.isHidden():
        press(driver, driver.window.strip.more)
    press(driver, button)
    entry = driver.window.bench_line.entry
    assert entry.text() == "note "
    assert "For example: note lid scratched" in driver.said
    driver.type("left ear glued")
    assert driver.session.build.notes == ["left ear glued"]


def test_lines_typed_ahead_mean_the_steps_they_were_typed_for(drive, monkeypatch):
    """Three values in a row, faster than the log: each is for the part that is asked for after the one before."""
    driver = drive(kind="typed")
    wanted = [t.target for t in driver.session.tasks(Stage.UNPACK) if t.wants is Wants.MEASURE][:3]
    values = [driver.session.kit.part(ref).value for ref in wanted]
    for value in values:
        driver.window.enter(f"{value:g}")
    driver.settle()
    measured = driver.session.build.measured
    assert [measured[ref][0].value for ref in wanted] == pytest.approx(values)
