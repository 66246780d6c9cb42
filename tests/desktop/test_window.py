"""The window: nothing stalls typing, cautions hold, every picture paints, states and sizes are kept."""

import subprocess
import sys
import threading
from itertools import product

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

from nuvlo.desktop import theme
from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.board.portrait import Portrait, describe
from nuvlo.desktop.gauge import Gauge
from nuvlo.desktop.tools.help import HelpTool
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook.errors import LogbookError
from nuvlo.measurement import volts_at
from nuvlo.model.windows import Window as Expected
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, Verdict
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.workshop.demo import SET_OUT, SHIPPED
from nuvlo.workshop.shelf import keep_card
from nuvlo.workshop.workshop import Workshop
from tests.conftest import long_but
from tests.desktop.conftest import begun, painted

HEAVY = ("scipy", "ortools", "ezdxf", "openpyxl", "reportlab")


def test_heavy_libraries_wait_until_the_shelf_is_seen(tmp_path):
    """A workshop whose cards hold is seen before what opens it has loaded."""
    workshop = Workshop(tmp_path / "Shed")
    keep_card(workshop.start(read_kit(SHIPPED / "gorsefire")))
    workshop.close()
    code = f"""
import os, sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from nuvlo.desktop import theme
from nuvlo.desktop.main_window import Window
app = QApplication([])
theme.load_fonts()
window = Window()
window.show()
def opener():
    assert window.shelf.isVisible()
    print([c.accessibleName()[:13] for c in window.shelf.cards], [m for m in {(*HEAVY, "sqlalchemy", "pyqtgraph")!r} if m in sys.modules], flush=True)
    os._exit(0)
window.controller.open(opener, Path({str(tmp_path / "Shed")!r}))
app.exec()
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.stdout.strip() == "['Gorsefire 001'] []", done.stderr


def test_typing_goes_on_while_the_log_and_the_model_are_busy(drive, monkeypatch):
    """Both pools are held still; characters arrive, are understood and echoed all the same."""
    driver = drive()
    session, gate = driver.session, threading.Event()
    threads = []
    append = session.log.append

    def slow_append(*arguments, **named):
        threads.append(threading.current_thread())
        gate.wait(20)
        return append(*arguments, **named)

    def slow_solve(stage):
        threads.append(threading.current_thread())
        gate.wait(20)
        raise NuvloError(Problem("never mind.", ""))

    monkeypatch.setattr(session.log, "append", slow_append)
    monkeypatch.setattr(session, "solve", slow_solve)
    QTest.keyClicks(driver.window.bench_line.entry, "r1 100.1")
    QTest.keyClick(driver.window.bench_line.entry, Qt.Key.Key_Return)
    QTest.keyClicks(driver.window.bench_line.entry, "r4 679")
    assert driver.window.bench_line.entry.text() == "r4 679"
    assert driver.said == "Enter: R4 measures 679\u202fΩ"
    assert session.build.measured == {}, "nothing is acknowledged before it is on the disk"
    gate.set()
    driver.settle()
    assert session.build.measured["R1"][0].value == 100.1
    assert threading.main_thread() not in threads


@pytest.mark.parametrize("reason", [Qt.FocusReason.OtherFocusReason, Qt.FocusReason.TabFocusReason])
def test_a_caution_is_passed_by_enter_on_its_button_but_never_by_space(drive, reason):
    driver = drive()
    driver.until(Stage.SEQUENCE)
    driver.space()
    button = driver.window.next_lane.confirm
    assert button is not None
    button.setFocus(reason)
    QTest.keyClick(button, Qt.Key.Key_Space)
    driver.settle()
    assert driver.session.build.confirmed == set()
    driver.window.next_lane.confirm.setFocus()
    QTest.keyClick(driver.window.next_lane.confirm, Qt.Key.Key_Return)
    driver.settle()
    assert driver.session.build.confirmed == {"iron"}


@pytest.mark.parametrize(("label", "reason", "left"), [
    ("Undo", Qt.FocusReason.TabFocusReason, []), ("Undo", Qt.FocusReason.BacktabFocusReason, []),
    ("Undo", Qt.FocusReason.MouseFocusReason, ["R1", "R2"]),  # a foot switch after a click does not undo again
    ("Step before", Qt.FocusReason.TabFocusReason, ["R1"]),
])  # fmt: skip
def test_space_presses_a_button_that_was_gone_to_by_tab(drive, label, reason, left):
    driver = drive()
    driver.type("leads 0.2")
    driver.type("r1 100.1")
    before = driver.session.build.events
    button = next(b for b in driver.window.findChildren(QPushButton) if b.text().startswith(label) and b.isVisible())
    button.setFocus(reason)
    QTest.keyClick(button, Qt.Key.Key_Space)
    driver.settle()
    measured = list(driver.session.build.measured)
    assert measured[:1] == left[:1]
    if left == ["R1", "R2"]:
        assert driver.session.build.events > before, "it went on"
    elif label == "Step before":
        assert driver.session.looking_at is not None
        assert driver.session.build.events == before


def test_typing_anywhere_goes_to_the_bench_line(drive):
    driver = drive()
    driver.window.next_lane.button.setFocus()
    driver.type("r1 100", enter=False)
    assert driver.window.bench_line.entry.text() == "r1 100"
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    assert driver.window.bench_line.entry.text() == ""


def test_keys_that_come_by_way_of_the_window_system_arrive_once(drive):
    """As from a real keyboard: the QWindow gets the key first and hands it on to the widget with the focus."""
    driver = drive()
    handle = driver.window.windowHandle()
    for letter in "r1":
        QTest.keyClick(handle, letter)
    assert driver.window.bench_line.entry.text() == "r1"
    QTest.keyClick(handle, Qt.Key.Key_Escape)
    QTest.keyClick(handle, Qt.Key.Key_Space)
    driver.settle()
    assert list(driver.session.build.measured) == ["R1"], "Space went on by one step, not by two"


def test_what_is_not_understood_stays_to_be_mended(drive):
    driver = drive()
    driver.type("r1 fish")
    assert "'fish'" in driver.said
    assert driver.window.bench_line.entry.text() == "r1 fish"
    assert driver.session.build.events == 1


def test_what_is_refused_is_had_again_with_the_up_key(drive):
    driver = drive()
    driver.type("leads OL")
    assert "press the tips" in driver.said
    driver.press(Qt.Key.Key_Up)
    assert driver.window.bench_line.entry.text() == "leads OL"


def test_an_error_of_the_log_is_said_and_nothing_is_lost(drive, monkeypatch):
    driver = drive()
    driver.type("r1 100.2")

    def full(*_, **__):
        raise LogbookError(Problem("could not be written: the disk is full or refuses to write.", "Free some space."))

    monkeypatch.setattr(driver.session.log, "append", full)
    driver.type("r4 679")
    assert "disk is full" in driver.said
    assert list(driver.session.build.measured) == ["R1"]


def test_a_fault_of_ours_is_said_and_the_window_goes_on(drive, monkeypatch):
    driver = drive()
    monkeypatch.setattr("nuvlo.desktop.controller.begin", lambda *_: 1 / 0)
    driver.type("r1 100")
    assert "something went wrong inside Nuvlo" in driver.said
    monkeypatch.undo()
    driver.type("r1 100")
    assert "R1" in driver.session.build.measured


@pytest.mark.parametrize("opener", ["missing kit", "damaged"])
def test_a_workshop_that_cannot_be_opened_is_said(drive, opener):
    def fail():
        raise NuvloError(Problem(f"{opener}: cannot.", "Do this."))

    driver = drive(opener=fail)
    assert driver.said == f"{opener}: cannot. Do this."
    driver.type("note hello")
    assert driver.window.bench_line.entry.text() == "note hello"


def test_a_read_only_workshop_says_so(drive, gorsefire, tmp_path):

    def opener():
        opened = begun(tmp_path / "ro", gorsefire)
        opened.workshop.logbook.read_only = True
        return opened

    driver = drive(opener=opener)
    assert "viewed but not changed" in driver.said
    driver.type("note hello")
    assert "viewed but not changed" in driver.said


SIZES = list(product(["daylight", "lamp"], [(1280, 800), (1024, 700), (2000, 1400)]))


@pytest.mark.parametrize("dress", long_but([("daylight", (1280, 800)), ("lamp", (1024, 700))], SIZES))
def test_every_stage_paints_at_every_size_and_light(drive, dress):
    light, size = dress
    driver = drive()
    driver.window.resize(*size)
    driver.type(light)
    assert theme.current().name == light
    for stage in Stage:
        driver.type(f"stage {stage.value}")
        picture = driver.window.grab().toImage()
        for x, y in ((4, 4), (size[0] // 2, size[1] - 4), (4, size[1] // 2)):
            assert picture.pixelColor(x, y).name().lower() == theme.current().paper.lower(), (stage, x, y)
        colours = {
            picture.pixelColor(x, y).name() for x in range(330, size[0] - 330, 9) for y in range(90, size[1] - 90, 9)
        }
        assert len(colours) > 2, f"{stage} shows nothing"


def test_large_mode_shows_next_and_one_gauge(drive):
    driver = drive()
    driver.space()
    driver.press(Qt.Key.Key_F11)
    assert driver.window.large
    assert driver.window.readings.isVisible()
    assert driver.window.picture().isVisible(), "below the gauge, no empty half"
    assert not driver.window.strip.isVisible()
    assert len(driver.window.readings.gauges) == 1
    assert driver.window.readings.gauges[0].scale == 3.0
    driver.type("large")
    assert driver.window.picture_lane.isVisible()
    assert len(driver.window.readings.gauges) > 5


def test_the_board_turns_over_and_parts_can_be_picked(drive):
    driver = drive()
    driver.until(Stage.FIT, "Fit R1")
    board = driver.window.picture().board
    assert board.marking.lit == {"R1"}
    top = board.place(10.0, 10.0)
    driver.type("side")
    assert board.marking.side == "bottom"
    mirrored = board.place(10.0, 10.0)
    assert mirrored.x() + top.x() == pytest.approx(board.place(0, 0).x() + board.place(64.0, 0).x())
    assert mirrored.y() == pytest.approx(top.y())
    pad = driver.session.kit.board.pads_of("C3")[0]
    at = board.place(pad.x_mm, pad.y_mm)
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(int(at.x()), int(at.y())))
    driver.settle()
    assert "C3 lies at" in driver.said
    assert board.marking.lit == {"C3"}, "what was found is lit"
    driver.space()
    assert board.marking.lit == {"R1"}, "and Space returns to the step in hand"


def test_a_click_on_the_path_goes_to_the_stage(drive):
    driver = drive()
    bar = driver.window.path_bar
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar._slot(5).center().toPoint())
    driver.settle()
    assert driver.session.stage is Stage.WAKE
    assert "Wake" in bar.accessibleDescription()


def test_lanes_and_light_are_remembered(drive, qtbot, tmp_path):
    from nuvlo.desktop.main_window import Window

    driver = drive()
    driver.type("lamp")
    driver.window.lanes.setSizes([400, 500, 380])
    sizes = driver.window.lanes.sizes()
    driver.window.close()
    theme.use("daylight")
    again = Window(tmp_path / "shop0" / "look.json")
    qtbot.addWidget(again)
    again.show()
    assert theme.current().name == "lamp"
    # The unseen platform's screen is small and squeezes the window; what was wider stays wider by as much.
    left, _, right = again.lanes.sizes()
    assert left - right == pytest.approx(sizes[0] - sizes[2], abs=5)


def test_completion_offers_names(drive):
    driver = drive()
    driver.type("vol", enter=False)
    assert driver.window.bench_line.entry.text() == "volume"
    driver.press(Qt.Key.Key_Escape)
    driver.type("help")
    assert isinstance(driver.window.tool, HelpTool)


@pytest.mark.parametrize(
    ("value", "uncertainty", "verdict", "words"),
    [
        (4.5, 0.01, "in", "in window"),
        (5.0, 0.01, "near", "too close"),
        (5.31, 0.01, "out", "out"),
        (None, 0, "not_taken", "not taken"),
    ],
)
def test_gauges_say_their_verdict_in_words(qtbot, value, uncertainty, verdict, words):
    task = Task("t", Stage.WAKE, Wants.READING, "Measure TP1", of=volts_at("TP1"), unit="V")
    reading = Measured(value, uncertainty, "V") if value else None
    window = Expected(volts_at("TP1"), "V", 4.5, 4.0, 5.0)
    gauge = Gauge(Finding(task, bool(value), Verdict(verdict), "", reading, window))
    qtbot.addWidget(gauge)
    gauge.resize(280, 98)
    assert words in gauge.accessibleName()
    assert painted(gauge)


def contrast(one: str, other: str) -> float:
    """Of two colours (WCAG 2.1, relative luminance)."""

    def luminance(colour: str) -> float:
        parts = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
        r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    a, b = sorted((luminance(one), luminance(other)))
    return (b + 0.05) / (a + 0.05)


def test_contrast_of_every_text_colour():
    """WCAG 2.1, success criterion 1.4.3: at least 4.5 to 1 on paper and on card, in both lights."""

    for light in theme.THEMES.values():
        for role in ("ink", "faint", "slate", "copper", "good", "near", "out"):
            for ground in (light.paper, light.card):
                assert contrast(getattr(light, role), ground) >= 4.5, (light.name, role)
        assert contrast(light.legend, light.board) >= 4.5


def test_portraits_of_all_parts_paint_and_are_described(qtbot, gorsefire):
    portrait = Portrait()
    qtbot.addWidget(portrait)
    portrait.resize(600, 190)
    for part in gorsefire.parts.values():
        portrait.show_part(part)
        assert painted(portrait)
    assert "orange, white, black, red, brown" in describe(gorsefire.part("R3"))


def test_a_kit_without_a_board_says_so(qtbot, tmp_path):
    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\n")
    board = BoardMap()
    qtbot.addWidget(board)
    board.show_board(read_kit(tmp_path), Marking())
    assert painted(board)


def test_a_parts_list_alone_goes_through_every_stage(drive, tmp_path):
    """No circuit, no board, no panel: each stage gives what can be given and says what is missing."""
    folder = tmp_path / "bare"
    folder.mkdir()
    (folder / "bom.csv").write_text("ref,kind,value,tolerance\nR1,resistor,1k,5%\nD1,diode,1N4148,\n")
    driver = drive(opener=lambda: begun(tmp_path / "w", read_kit(folder)))
    for stage in Stage:
        driver.type(f"stage {stage.value}")
        assert painted(driver.window)
    driver.type("stage unpack")
    driver.type("1.01k")
    driver.type("d1")
    assert driver.session.path()[0].state == "done"


def test_a_stage_with_nothing_left_says_what_comes_next(drive):
    driver = drive(kind="typed")
    driver.type("stage sequence")
    driver.type("next")
    assert driver.session.stage is Stage.UNPACK
    driver.type("stage sequence")
    said = " ".join(w.text() for w in driver.window.next_lane.findChildren(QLabel) if w.isVisible())
    assert "Sequence is finished" in said
    assert "Unpack is what is left to do first: click it on the path, or type 'stage unpack'." in said
    driver.type("stage unpack")
    assert driver.session.stage is Stage.UNPACK


def test_check_paints_and_ends(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)  # set out already: what the demo holds is tested with it
    workshop.start(gorsefire, bench="simulated:7")
    workshop.close()
    (tmp_path / SET_OUT).touch()
    done = subprocess.run(
        [sys.executable, "-m", "nuvlo", "demo", "--check", "--folder", str(tmp_path)],
        capture_output=True,
        text=True,
        timeout=90,
    )
    assert done.returncode == 0, done.stderr
    assert "painted" in done.stdout
    broken = tmp_path / "broken"
    broken.mkdir()
    (broken / "logbook.db").write_bytes(b"no database" * 500)
    done = subprocess.run(
        [sys.executable, "-m", "nuvlo", "open", str(broken), "--check"], capture_output=True, text=True, timeout=90
    )
    assert done.returncode == 1
    assert "damaged" in done.stderr


@pytest.mark.long
def test_a_build_is_painted_by_its_number(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)
    workshop.start(gorsefire, bench="simulated:7")
    workshop.close()
    (tmp_path / SET_OUT).touch()
    asked = [sys.executable, "-m", "nuvlo", "open", str(tmp_path), "--check", "--build"]
    another = [sys.executable, "-m", "nuvlo", "demo", "--check", "--new", "--folder", str(tmp_path)]
    assert subprocess.run(another, capture_output=True, timeout=90).returncode == 0
    assert subprocess.run([*asked, "002"], capture_output=True, timeout=90).returncode == 0
    assert subprocess.run([*asked, "001"], capture_output=True, timeout=90).returncode == 0
    done = subprocess.run([*asked, "099"], capture_output=True, text=True, timeout=90)
    assert done.returncode == 1
    assert "Builds here: Gorsefire 001, Gorsefire 002" in done.stderr


@pytest.mark.parametrize("typed", ["help", "lamp", "large", "side"])
def test_a_command_of_the_window_leaves_no_line_before_standing(drive, typed):
    driver = drive()
    driver.type("r99 fish")
    assert driver.said
    driver.window.bench_line.entry.clear()
    driver.type(typed)
    assert "r99" not in driver.said.lower()
    driver.type("note the lamp flickers")
    assert driver.said
    driver.type(typed)
    assert "flickers" not in driver.said
    assert "kept" not in driver.said.lower()


@pytest.mark.parametrize(("ref", "says"), [("W6", "the pad of wire 7"), ("R4", "R4 lies at"), ("TP3", "TP3 lies at")])
def test_what_is_clicked_on_the_map_is_lit_and_said(drive, ref, says):
    """A pad and a test point too: 'there is no W6 in this kit' was the answer."""
    d = drive()
    d.until(Stage.FIT)
    board = next(b for b in d.window.findChildren(BoardMap) if b.isVisible())
    pad = d.session.kit.board.pads_of(ref)[0]
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.place(pad.x_mm, pad.y_mm).toPoint())
    d.settle()
    assert next(b for b in d.window.findChildren(BoardMap) if b.isVisible()).marking.lit == {ref}
    assert says in d.window.bench_line.accessibleDescription() or says in " ".join(label.text() for label in d.window.bench_line.findChildren(QLabel))
