"""By keyboard alone, with a parts list nobody prepared: read it, check it in, see its look-alikes, design a pad."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from nuvlo.desktop.curve import CurveView
from nuvlo.desktop.lanes import NextLane
from nuvlo.desktop.tools.parts_list import PartsListTool
from nuvlo.desktop.tools.recipe import RecipeTool
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.stages.choose import Proposed
from nuvlo.workshop.commands.arguments import StageNamed
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.demo import ON_THE_BENCH, SHIPPED
from tests.desktop.conftest import begun

LIST = """Kiste vom Dachboden;;;
Teil;Anzahl;Was;Notiz
R1-R3;3;100k;1 %
R4;1;100R;1 %
C1;1;104;Folie
U1;1;TL072;Op-Amp
D1;1;;unklar
R5;1;47 uF;verschrieben
"""


@pytest.fixture
def parts_list(tmp_path):
    path = tmp_path / "dachboden.csv"
    path.write_bytes(LIST.encode("cp1252"))
    return path


def words_of(lane: NextLane) -> str:
    from PyQt6.QtWidgets import QLabel

    return " ".join(x.text() for x in lane.widget().findChildren(QLabel))


def test_a_strange_list_becomes_a_build_that_is_checked_in(drive, parts_list):
    driver = drive()
    driver.type(f"import {parts_list}")
    tool = driver.window.tool
    assert isinstance(tool, PartsListTool)
    assert tool.isVisible()
    assert "7 parts" in tool.heading.text()
    assert tool.table.rowCount() == 8, "the line that was not read stands first"
    assert (tool.table.item(0, 0).text(), tool.table.item(0, 2).text()) == ("8", "not read")
    shown = driver.window
    assert not any(lane.isVisible() for lane in (shown.next_lane, shown.readings, shown.strip)), "another build has no say here"
    for wrong, says in (("column Was fish", "'fish' is not a meaning"), ("column Nix note", "no column 'nix'")):
        driver.type(wrong)
        assert says in driver.said
    driver.type("column Notiz nothing")  # what was refused is not held against the next
    assert "Notiz → nothing" in driver.window.tool.columns.text()
    driver.type("take Dachboden")
    session = driver.session
    assert driver.window.tool is None
    assert (session.kit.name, session.stage) == ("Dachboden", Stage.UNPACK)
    assert session.kit.folder.parent == session.places.kits
    driver.type("r1 99.8k")
    assert "Look-alike: R1, R2, R3" in words_of(driver.window.next_lane)
    driver.type("r4 missing")
    driver.type("letter")
    assert "letter.txt" in driver.said
    (letter,) = session.places.sheets.glob("*letter.txt")
    assert "R4 (resistor 100Ω): not in the box" in letter.read_text()


def test_a_list_is_put_right_line_by_line_and_begun_by_mouse(drive, parts_list):
    driver = drive()
    driver.type(f"import {parts_list}")
    tool = driver.window.tool
    box = tool.table.visualItemRect(tool.table.item(0, 3))
    QTest.mouseClick(tool.table.viewport(), Qt.MouseButton.LeftButton, pos=box.center())
    entry = driver.window.bench_line.entry
    assert entry.text().startswith("line 8 ")
    entry.clear()
    driver.type("line 8 R77 4k7")
    assert {"R77"} <= {tool.table.item(k, 1).text() for k in range(tool.table.rowCount())}
    driver.type("line 99 R78 4k7")
    assert "no line 99" in driver.said
    row = next(k for k in range(tool.table.rowCount()) if tool.table.item(k, 1).text() == "R4")
    QTest.mouseClick(tool.table.viewport(), Qt.MouseButton.LeftButton, pos=tool.table.visualItemRect(tool.table.item(row, 1)).center())
    as_it_is = entry.text()
    driver.press(Qt.Key.Key_Return)
    assert "R4" in as_it_is
    assert tool.table.item(next(k for k in range(tool.table.rowCount()) if tool.table.item(k, 1).text() == "R4"), 3).text() == "100Ω"
    driver.type(f"line {as_it_is.split()[1]}")
    assert "R4" not in {tool.table.item(k, 1).text() for k in range(tool.table.rowCount()) if tool.table.item(k, 2).text() != "not read"}
    QTest.mouseClick(tool.begin, Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.session.kit.name == parts_list.stem
    assert "R77" in driver.session.kit.parts
    assert "R4" not in driver.session.kit.parts
    assert driver.window.next_lane.isVisible()
    driver.type(f"import {parts_list}")
    QTest.mouseClick(driver.window.tool.begin, Qt.MouseButton.LeftButton)
    assert "a name of its own" in driver.said
    assert entry.text() == f"take {parts_list.stem} "
    driver.type("two")
    assert driver.session.kit.name == f"{parts_list.stem} two"


def test_a_whole_strip_that_is_wrong_stops_with_every_place_it_would_have_gone(drive, parts_list):
    driver = drive()
    driver.type(f"import {parts_list}")
    driver.type("take Dachboden")
    driver.type("r4 100.1")
    for ref in ("r1", "r2", "r3"):
        driver.type(f"{ref} 100.2")
    assert driver.window.path_bar.states[0].state == "stuck"
    assert "The whole strip looks like 100" in words_of(driver.window.next_lane)
    assert "R1, R2, R3" in words_of(driver.window.next_lane)


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("import nowhere.csv", "there is no file"), ("column Notiz note", "No list is open"), ("take It", "No list is open"),
        ("recipe fish", "no recipe"), ("recipe pad db", "gives no value"), ("recipe pad loss=3", "no input 'loss'"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_said_and_nothing_is_lost(drive, line, says):
    driver = drive()
    before = driver.session.build.events
    driver.type(line)
    assert says in driver.said
    assert driver.window.tool is None
    assert driver.session.build.events == before


def test_a_list_is_not_taken_twice_under_one_name(drive, parts_list):
    driver = drive()
    for _ in range(2):
        driver.type(f"import {parts_list}")
        driver.type("take Dachboden")
    assert "already" in driver.said
    assert driver.window.tool is not None, "what was read is still there"
    driver.type("take Dachboden again")
    assert driver.session.kit.name == "Dachboden again"


def test_a_pad_is_designed_and_put_away_by_keyboard(drive):
    driver = drive()
    driver.type("recipe pad db=18 source=600 load=2k4")
    tool = driver.window.tool
    assert isinstance(tool, RecipeTool)
    assert len(tool.proposals.rows) == 5
    assert "what it takes away 18" in tool.proposals.accessibleName()
    ticked = set(driver.session.build.ticked)
    driver.space()  # means: seen, and does no more
    assert driver.window.tool is None
    assert driver.session.build.ticked == ticked
    driver.type("recipe")
    assert "crossover-2" in "".join(words_of(driver.window.tool))

    driver.press(Qt.Key.Key_Escape)
    assert driver.window.tool is None


@pytest.mark.long
def test_a_variant_is_compared_by_keyboard(drive):
    driver = drive()
    driver.type("compare twelve")
    rows = {what: (before, after) for what, before, after in driver.window.tool.rows}
    assert rows["current, 9 V supply"] == ("2.33\u202fmA", "3.05\u202fmA")
    driver.type("compare r3=fish")
    assert "no value" in driver.said
    driver.type("compare r99=1k")
    assert "no part and no supply" in driver.said


def test_a_recipe_with_a_shape_is_drawn(drive):
    driver = drive()
    driver.type("recipe low-pass corner=3k")
    (curve,) = driver.window.tool.widget().findChildren(CurveView)
    assert len(curve.picture.lines) == 3
    driver.window.set_theme("lamp")
    assert driver.window.tool is None


def test_values_are_chosen_by_number(drive):
    driver = drive()
    driver.until(Stage.CHOOSE, "Choose R6")
    picture = driver.window.picture()
    assert picture.cards.isVisible()
    assert picture.proposals.rows[0].mark == ""  # what is printed, for comparison
    assert "Wanted: through the lamp 700" in picture.curve.heading.text()
    driver.type("choose 9")
    assert "no set 9" in driver.said
    driver.type("choose 2")
    assert driver.session.build.chosen_values["R6"] == "8.2\u202fkΩ"
    driver.type("stage choose")
    driver.type("back")
    assert driver.window.picture().proposals.chosen == 2


@pytest.mark.parametrize(
    ("line", "says"),
    [("what 104", "C3"), ("what orange white black red brown", "R3"), ("reads 38.8k", "R3"), ("reads 7.7", "fits no part"),
     ("what fish", "not a code"), ("instead r3", "39"), ("instead q1", "2N5088 (pins EBC)"), ("letter", "nothing to write")],
)  # fmt: skip
def test_questions_at_the_bench_are_answered_in_a_line(gorsefire, tmp_path, drive, line, says):
    def opener():
        (tmp_path / "drawer.csv").write_bytes((ON_THE_BENCH / "drawer.csv").read_bytes())
        return begun(tmp_path, gorsefire, "simulated:7")

    driver = drive(opener=opener)
    driver.type(line)
    assert says in driver.said


def test_the_tray_is_laid_out_anew_and_stays_so(drive):
    driver = drive()
    driver.type("tray list")
    assert driver.session.findings(Stage.UNPACK)[1].task.target == "R2"
    driver.type("undo")
    assert driver.session.findings(Stage.UNPACK)[1].task.target == "R4"
    driver.type("tray fish")
    assert "one of: value, strip" in driver.said


def test_the_school_is_changed_before_the_first_part_goes_in_and_not_after(drive):
    driver = drive()
    driver.type("school together")
    assert "become" in driver.said
    steps = driver.session.findings(Stage.FIT)
    assert sum(f.task.title.startswith("Solder") for f in steps) == 1
    driver.until(Stage.FIT, "Fit R1")
    driver.space()
    driver.type("school groups")
    assert "can no longer change" in driver.said
    driver.type("school fish")
    assert "no school 'fish'" in driver.said


def test_bands_are_clicked(drive):
    driver = drive()
    driver.type("what")
    tool = driver.window.tool
    for colour in ("orange", "white", "black", "red", "brown"):
        driver.qtbot.mouseClick(tool.buttons[colour], Qt.MouseButton.LeftButton)
    assert tool.answer.text().startswith("resistor 39\u202fkΩ ± 1 %")
    assert "fits R3" in tool.answer.text()
    driver.qtbot.mouseClick(tool.buttons["begin again"], Qt.MouseButton.LeftButton)
    assert tool.answer.text() == ""
    driver.qtbot.mouseClick(tool.buttons["gold"], Qt.MouseButton.LeftButton)
    assert "mean nothing yet" in tool.answer.text()


def test_what_is_in_the_post_does_not_hold_up_the_rest(drive):
    driver = drive()
    driver.type("r3 posted")
    driver.until(Stage.FIT, "Fit R1")
    fitted = []
    for _ in range(200):
        now = driver.session.now()
        if now.waits:
            break
        fitted += now.task.parts if now.task.title.startswith("Fit ") else ()
        driver.space()
    assert "R3" not in fitted
    assert "C4" in fitted, "all that does not wait was done"
    assert "R3 is still in the post" in words_of(driver.window.next_lane)
    driver.space()
    assert "type 'r3'" in driver.said
    driver.type("r3")
    assert driver.session.now().task.target == "R3"
    assert not driver.session.now().waits


def test_pairs_are_matched_and_shopping_is_written(drive, tmp_path):
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.workshop.demo import SHIPPED

    driver = drive(opener=lambda: begun(tmp_path / "mill", read_kit(SHIPPED / "millrace")))
    for line in ("r18 10.04k", "r19 9.97k", "r16 2.21k", "r17 2.2k"):
        driver.type(line)
    driver.type("match")
    assert "differ by 0.7 % in the places" in driver.said
    driver.type("shopping")
    (written,) = driver.session.places.sheets.glob("*shopping.txt")
    assert "XLR1: jack XLR female, 3 pins  2.60" in written.read_text()


@pytest.mark.long
def test_a_choice_with_a_response_is_drawn_with_what_is_printed(drive, tmp_path):
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.workshop.demo import SHIPPED

    driver = drive(opener=lambda: begun(tmp_path / "sluice", read_kit(SHIPPED / "reedling")))
    driver.type("stage choose")
    picture = driver.window.picture()
    assert [line.name for line in picture.curve.picture.lines] == ["as printed", "1", "2"]
    assert picture.cards.isVisible()


def test_both_sides_are_shown_and_one_is_taken(drive):
    from nuvlo.desktop.tools.both import BothTool

    driver = drive()
    driver.type("both")
    assert isinstance(driver.window.tool, BothTool)
    assert "Which part goes in first: lowest." in driver.window.tool.accessibleName()
    driver.type("school sections")
    assert driver.session.build.school.startswith("sections")
    driver.type("both")
    assert "Which part goes in first: sections." in driver.window.tool.accessibleName()
    driver.press(Qt.Key.Key_Escape)
    assert driver.window.tool is None


def test_a_variant_is_compared_and_then_built(drive):
    driver = drive()
    driver.type("compare twelve")
    assert any(row[0] == "1 % distortion" for row in driver.window.tool.rows)
    driver.type("variant twelve")
    assert "9\u202fV → 12 V" in driver.said
    assert driver.session.kit.info.supply[0].volts == 12.0
    driver.type("compare")  # as it came, and as it is built
    rows = {row[0]: row[1:] for row in driver.window.tool.rows}
    assert rows["heat, all of it"][0] < rows["heat, all of it"][1]
    driver.type("sheet")
    assert "Written" in driver.said
    assert "changed from 9" in driver.session.sheet_path.with_suffix(".csv").read_text()


def test_a_recipe_of_ones_own_is_kept_and_found_again(drive):
    driver = drive()
    driver.type("recipe save mine")
    assert "Work one out first" in driver.said
    driver.type("recipe pad db=18 load=2k4")
    driver.type("recipe save mine")
    assert "Saved as 'mine'" in driver.said
    driver.type("recipe mine")
    assert isinstance(driver.window.tool, RecipeTool)
    assert driver.window.tool.shown.inputs == {"db": 18.0, "source": 150.0, "load": 2400.0, "seen": 600.0}
    driver.type("recipe save mine")
    assert "cannot be the name" in driver.said


def test_choosing_only_from_the_drawer(drive):
    driver = drive()
    driver.type("drawer")
    assert "empty" in driver.said
    (driver.session.places.folder / "drawer.csv").write_text("kind,value,count,tolerance\nresistor,9k1,3,1%\n")
    driver.type("drawer")
    assert "drawer only" in driver.said
    driver.type("stage choose")
    driver.space()
    assert [p.values for p in driver.session.answer(Stage.CHOOSE, Proposed).proposals["lamp"]] == [{"r6": 9100.0}]
    assert "from the drawer" in driver.window.picture().curve.heading.text()


def test_escape_stops_long_work_and_nothing_is_asked_again(drive, qtbot, monkeypatch):
    import time

    from nuvlo import progress
    from nuvlo.workshop import answers

    asked = []

    def slow(question, asking):
        asked.append(question.stage)
        for _ in range(2000):
            progress.pause("slow")
            time.sleep(0.005)

    driver = drive()
    monkeypatch.setattr(answers, "solve", slow)
    driver.window.run(Command("stage", StageNamed(Stage.WAKE)))
    qtbot.waitUntil(lambda: "slow. Esc stops it" in driver.window.busy.words.text(), timeout=5000)
    driver.press(Qt.Key.Key_Escape)
    assert "stopped" in driver.said
    assert asked == [Stage.WAKE]


def test_the_calendar_is_shown_saved_and_asked_for_tonight(drive):
    from nuvlo.desktop.tools.calendar import CalendarTool

    driver = drive()
    driver.type("calendar")
    tool = driver.window.tool
    assert isinstance(tool, CalendarTool)
    assert tool.lines[0].startswith("Done and dry")
    assert any("Unpack: count, measure, sort" in words for words in tool.lines)
    driver.type("calendar save")
    assert ".ics and .csv" in driver.said
    (file,) = driver.session.places.sheets.glob("*calendar.ics")
    assert b"BEGIN:VEVENT" in file.read_bytes()
    (driver.session.places.folder / "free.csv").write_text("start,end\n2020-01-01T10:00,2020-01-01T12:00\n")
    driver.type("calendar")
    assert "longest free time is 0" in driver.said
    driver.type("tonight 40")
    assert "minutes: Unpack" in driver.said


@pytest.mark.long
def test_the_calendar_of_all_units_in_the_workshop(drive, gorsefire):
    driver = drive()
    driver.window.controller.workshop.start(gorsefire)
    driver.type("calendar all save")
    assert any("Gorsefire 001, practice: " in words for words in driver.window.tool.lines)
    assert any("Gorsefire 002: " in words for words in driver.window.tool.lines)
    (table,) = driver.session.places.sheets.glob("*calendar.csv")
    assert "Gorsefire 002" in table.read_text()


@pytest.mark.long
def test_an_oscillator_is_compared_without_a_curve(drive, tmp_path):
    driver = drive(opener=lambda: begun(tmp_path / "osc", read_kit(SHIPPED / "tidewheel")))
    assert driver.said == "Tidewheel is open: 40 parts to unpack."
    driver.type("compare r19=10k r14=12k")
    tool = driver.window.tool
    told = {what: (before, after) for what, before, after in tool.rows}
    assert set(told) >= {"current, +12 V", "heat, all of it", "TP6 at rest"}
    assert "gain at 1 kHz" not in told
    assert tool.findChildren(CurveView) == []
    assert any("a line for each of the others" in w.text() for w in tool.findChildren(QLabel))


def test_a_supply_is_named_as_the_hand_names_it(drive):
    driver = drive()
    for line in ("compare supply=12", "compare vsup=12"):
        driver.type(line)
        told = {what: (before, after) for what, before, after in driver.window.tool.rows}
        assert "current, 9 V supply" in told
        assert told["TP1 at rest"] != ("", "")
        driver.press(Qt.Key.Key_Escape)
        assert driver.window.tool is None


@pytest.mark.parametrize(
    ("line", "says"),
    [("recipe pad source=-1", "source"), ("recipe pad load=0", "load"), ("recipe divider draws=0", "draws")],
)
def test_an_input_that_makes_no_sense_is_named(drive, line, says):
    driver = drive()
    driver.type(line)
    assert says in driver.said
    assert "makes sense here" in driver.said
