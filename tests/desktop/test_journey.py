"""From unpack to PDF with real key events."""

import pytest

from nuvlo.kit import Stage


def test_a_newcomer_builds_gorsefire_by_keyboard_alone(drive):
    driver = drive(seed=7)
    session = driver.session
    shown = set()
    assert session.stage is Stage.UNPACK
    driver.type("r1 100.2")
    assert "R1 reads 100.2" in driver.said
    for _ in range(300):
        shown.add(session.stage)
        now = session.now()
        if now is None and session.stage is Stage.HAND_OVER:
            break
        if now is not None and now.task.hazard:
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
    assert "expected 38.6" in driver.said
    assert driver.window.path_bar.states[0].state == "stuck"
    driver.type("r3 swapped")
    driver.space()
    assert driver.session.now().task.target == "R5"
