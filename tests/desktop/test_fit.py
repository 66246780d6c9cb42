"""The whole fit of Millrace, some sixty parts, by keys alone; and what runs against a clock."""

from PyQt6.QtCore import Qt

from nuvlo.desktop.timers import in_words
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun, gone_on


def test_the_whole_fit_of_millrace_by_keys(drive, tmp_path):
    folder = tmp_path / "mill"
    driver = drive(opener=lambda: begun(folder, read_kit(SHIPPED / "millrace")))
    session, window = driver.session, driver.window
    driver.type("stage fit")
    lit, titles, soldered = set(), [], ()
    for _ in range(200):
        now = session.now()
        if session.stage is not Stage.FIT or now is None:
            break
        titles.append(now.task.title)
        if now.task.hazard:
            before = session.build.events
            driver.space()
            assert session.build.events == before  # a caution is not passed by Space
            driver.type("confirm")
            continue
        board = window.picture().board
        assert board.marking.lit == frozenset(now.task.parts)
        lit |= board.marking.lit
        if now.task.title.startswith(("Solder", "Look over", "Brush")):
            soldered = now.task.parts if now.task.title.startswith("Solder") else soldered
            assert board.marking.side == "bottom" or set(soldered) <= set(session.kit.on_tags)  # those have no other side
        if now.task.target:
            assert board.marking.side == "top"
            assert window.picture().portrait.isVisible()
        driver.space()
    assert all(f.done for f in session.findings(Stage.FIT))
    assert {p.ref for p in session.kit.parts.values() if p.on_board and p.kind != "chip"} <= lit
    assert sum(t.startswith("Fit ") for t in titles) == 65
    assert sum(t.startswith("Look over") for t in titles) == 6
    at = titles.index("See that all lines up, and tighten it")  # and only then what hangs on the switch
    assert [t.partition(",")[0] for t in titles[at - 2 : at]] == ["Mount the panel parts", "Screw U1"]
    assert [t[:7] for t in titles[at + 1 :] if t.startswith("Fit")] == [f"Fit R{n}" for n in range(30, 35)]
    assert len(session.build.done) == len([t for t in titles if not t.startswith("Caution")])


def test_a_wrong_part_stops_its_step_and_a_bad_joint_its_look(drive):
    driver = drive(kind="typed")
    driver.type("r3 wrong")
    driver.type("stage fit")
    driver.type("confirm")
    for _ in range(8):
        driver.space()
    stuck = [f.task.title for f in driver.session.findings(Stage.FIT) if f.stuck]
    assert any(t.startswith("Fit R3") for t in stuck)
    driver.type("joint r1.1 dull")
    assert "R1.1 is dull" in driver.said
    driver.type("rework r1 off")
    assert "R1 off" in driver.said


def test_glue_runs_against_the_clock_in_sight(drive, tmp_path):
    driver = drive(opener=lambda: begun(tmp_path / "barrow", read_kit(SHIPPED / "barrowmoor")))
    driver.type("stage fit")
    while driver.session.now().task.hazard:
        driver.type("confirm")
    assert driver.window.timers.isHidden()
    driver.space()
    driver.type("begin")
    assert driver.window.timers.isVisible()
    assert "glue open 9:" in driver.window.timers.words.text()
    driver.space()
    assert "Glue in the chamber of the midrange: ready in 1 h 59 min" in driver.window.timers.words.text()
    assert [in_words(s) for s in (59.0, 462.0, 11520.0)] == ["0:59", "7:42", "3 h 12 min"]


def test_a_build_opened_again_says_where_it_was(drive, tmp_path):
    folder = tmp_path / "again"
    first = drive(opener=lambda: begun(folder, read_kit(SHIPPED / "gorsefire")))
    first.type("stage fit")
    first.type("confirm")
    first.press(Qt.Key.Key_Space)
    build = first.session.build.id
    first.window.controller.close()
    second = drive(opener=lambda: gone_on(folder, build))
    assert second.said.startswith("Last, ")
    assert "Fit R1" in second.said


def test_a_part_clicked_is_looked_at_in_list_map_and_portrait(drive):
    driver = drive()
    driver.type("stage fit")
    driver.type("confirm")
    board = driver.window.picture().board
    board.picked.emit("C2")
    driver.settle()
    assert driver.session.now().task.target == "C2"
    assert board.marking.lit == frozenset({"C2"})
    assert driver.window.picture().portrait.part.ref == "C2"
    driver.space()  # back to the step in hand
    assert driver.session.now().task.target == "R1"


def test_a_polarity_gate_shows_only_polarity(drive):
    driver = drive()
    driver.until(Stage.FIT, "Check which way")
    only = driver.window.picture().board.marking.only
    assert only
    assert all(driver.session.kit.parts[ref].polarised for ref in only)
    driver.space()
    assert driver.window.picture().board.marking.only == frozenset()


def test_a_manual_is_checked_in_the_window(drive, tmp_path):
    driver = drive()
    path = tmp_path / "manual.txt"
    path.write_text("fit R1-R6\nsolder all\nwash\n")
    driver.type(f"manual {path}")
    words = driver.window.tool.accessibleName()
    assert "line 2: R1 soldered without the check of its value, and 5 more like it" in words
    assert "line 3: washed without the joints looked over" in words
    driver.type("manual nowhere.txt")
    assert "no file" in driver.said
