"""Faults that were found by strangers, each with the test that shows it."""

import logging
import sys
import threading

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QPixmap
from PyQt6.QtTest import QTest

import nuvlo.log
from nuvlo.desktop import faults
from nuvlo.kit import Stage
from nuvlo.workshop.places import Places


def picture(path, colour="#405060"):
    made = QPixmap(300, 200)
    made.fill(QColor(colour))
    assert made.save(str(path), "PNG")
    return path


def two_clicks(driver) -> None:
    board = driver.window.board()
    for x in (board.width() // 2 - 60, board.width() // 2 + 60):
        QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(x, board.height() // 2))
    driver.settle()


@pytest.fixture
def at_the_board(drive, tmp_path):
    driver = drive()
    driver.type("stage fit")
    driver.type("confirm")
    return driver


def test_a_picture_whose_name_holds_a_stroke_is_laid_beneath(at_the_board, tmp_path):
    path = picture(tmp_path / "a|b.png")
    at_the_board.type(f"picture {path}")
    two_clicks(at_the_board)
    assert "lies beneath the map" in at_the_board.said
    assert set(at_the_board.session.build.pictures) == {"top"}


def test_the_second_of_two_pictures_is_the_one_that_is_laid(at_the_board, tmp_path):
    """Asked for before the first had its clicks: each click used to count twice."""
    first, second = picture(tmp_path / "first.png"), picture(tmp_path / "second.png", "#904020")
    at_the_board.type(f"picture {first}")
    at_the_board.type(f"picture {second}")
    two_clicks(at_the_board)
    (laid,) = at_the_board.session.build.pictures.values()
    assert laid.file.startswith("second-")
    assert [p.name[:6] for p in at_the_board.session.places.pictures.iterdir()] == ["second"]


def test_the_picture_beneath_stays_when_the_light_changes(at_the_board, tmp_path):
    at_the_board.type(f"picture {picture(tmp_path / 'board.png')}")
    two_clicks(at_the_board)
    assert at_the_board.window.board().underlay_shown()
    at_the_board.type("lamp")
    assert at_the_board.window.board().underlay_shown()
    at_the_board.type("picture off")
    assert not at_the_board.window.board().underlay_shown()


def test_pictures_are_kept_off_the_interface_thread(at_the_board, tmp_path, monkeypatch):
    threads = []
    keep = Places.keep_picture
    monkeypatch.setattr(
        Places, "keep_picture", lambda self, path: (threads.append(threading.current_thread()), keep(self, path))[1]
    )
    at_the_board.type(f"picture {picture(tmp_path / 'board.png')}")
    two_clicks(at_the_board)
    at_the_board.type(f"photo {tmp_path / 'board.png'} left edge")
    assert len(threads) == 2
    assert threading.main_thread() not in threads


def test_esc_gives_a_picture_up(at_the_board, tmp_path):
    at_the_board.type(f"picture {picture(tmp_path / 'board.png')}")
    at_the_board.press(Qt.Key.Key_Escape)
    pad = at_the_board.session.kit.board.pads_of("C3")[0]
    board = at_the_board.window.board()
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.place(pad.x_mm, pad.y_mm).toPoint())
    at_the_board.settle()
    assert "C3 lies at" in at_the_board.said, "a click picks again"


@pytest.mark.filterwarnings("ignore::pytest.PytestUnhandledThreadExceptionWarning")  # it is let fall on purpose
def test_a_fault_of_ours_is_shown_written_down_and_goes_on(drive, monkeypatch, tmp_path, qtbot):
    monkeypatch.setattr(nuvlo.log, "log_path", lambda: tmp_path / "state" / "nuvlo.log")
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    log = logging.getLogger("nuvlo")
    before = [h for h in log.handlers if not hasattr(h, "kept")]
    log.handlers[:] = before
    driver = drive()
    faults.watch(driver.window.controller.jobs.failed.emit)
    try:
        monkeypatch.setattr("nuvlo.desktop.controller.begin", lambda *_: 1 / 0)
        driver.type("note hello")
        card = driver.window.fault
        assert card.isVisible()
        assert "division by zero" in card.words.text()
        assert "All that you entered is kept" in card.words.text()
        monkeypatch.undo()
        monkeypatch.setattr(nuvlo.log, "log_path", lambda: tmp_path / "state" / "nuvlo.log")
        QTest.mouseClick(card.seen, Qt.MouseButton.LeftButton)
        assert not card.isVisible()
        worker = threading.Thread(target=lambda: [][1])
        worker.start()
        worker.join()
    finally:
        for handler in [h for h in log.handlers if h not in before]:
            log.removeHandler(handler)
            handler.close()
    written = (tmp_path / "state" / "nuvlo.log").read_text()
    assert "ZeroDivisionError" in written
    driver.type("note hello")
    assert driver.session.build.notes == ["hello"]


def test_tab_completes_with_what_is_known_and_up_recalls(drive):
    driver = drive(kind="typed")
    entry = driver.window.bench_line.entry
    driver.type("volum", enter=False)
    driver.press(Qt.Key.Key_Tab)
    assert entry.text().strip() == "volume"
    entry.clear()
    driver.type("r", enter=False)
    driver.press(Qt.Key.Key_Tab)
    names = driver.window.bench_line.names
    assert names.isVisible()
    assert "r1           resistor 100" in names.text()
    first = entry.text()
    driver.press(Qt.Key.Key_Tab)
    assert entry.text() != first, "Tab goes through them"
    entry.clear()
    driver.type("qqq", enter=False)
    driver.press(Qt.Key.Key_Tab)
    assert "No name begins with 'qqq'" in driver.said
    entry.clear()
    driver.type("note one")
    driver.type("note two")
    driver.press(Qt.Key.Key_Up)
    assert entry.text() == "note two"
    driver.press(Qt.Key.Key_Up)
    assert entry.text() == "note one"
    driver.press(Qt.Key.Key_Down)
    driver.press(Qt.Key.Key_Down)
    assert entry.text() == ""


def test_a_lane_with_nothing_to_say_gives_its_room_to_the_picture(drive):
    driver = drive()
    wide = {}
    for stage in (Stage.UNPACK, Stage.SEQUENCE):
        driver.type(f"stage {stage.value}")
        wide[stage] = driver.window.picture_lane.width()
    assert not driver.window.readings.isVisible()
    assert wide[Stage.SEQUENCE] > wide[Stage.UNPACK] + 150


def test_what_dries_is_shown_only_where_it_concerns(drive, tmp_path):
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.workshop.demo import SHIPPED
    from tests.desktop.conftest import begun

    driver = drive(opener=lambda: begun(tmp_path / "b", read_kit(SHIPPED / "barrowmoor")))
    driver.type("stage fit")
    while driver.session.now().task.hazard:
        driver.type("confirm")
    driver.space()
    driver.space()
    assert "Glue in the chamber of the midrange" in driver.window.timers.words.text()
    driver.type("stage unpack")
    assert not driver.window.timers.isVisible()


@pytest.mark.parametrize("typed", ["rotate nan", "rotate inf", "zoom 1e300", "rotate 1e999", "zoom nan"])
def test_a_board_is_turned_by_a_number(at_the_board, typed):
    before = at_the_board.window.board().view
    at_the_board.type(typed)
    assert "is not a number to turn or magnify a board by" in at_the_board.said
    assert at_the_board.window.board().view == before


def test_a_portrait_names_the_legs_of_a_known_type(gorsefire):
    from nuvlo.desktop.board.portrait import describe

    assert describe(gorsefire.part("Q1")) == "Flat side towards you, legs down, from the left: collector, base, emitter."
    assert "cathode" in describe(gorsefire.part("D1")), "a diode has a band, not an order"


@pytest.mark.parametrize(("ref", "ruled"), [("BOARD", False), ("SCREWS", False), ("KNOB1", False), ("R1", True), ("C4", True), ("J1", True)])
def test_a_portrait_leaves_its_title_clear_and_has_a_rule_only_where_it_is_to_scale(gorsefire, qtbot, ref, ruled):
    from nuvlo.desktop.board.portrait import HIGH, Portrait

    portrait = Portrait(gorsefire.part(ref))
    qtbot.addWidget(portrait)
    portrait.resize(628, HIGH)
    seen = portrait.grab().toImage()
    card = seen.pixelColor(620, 20)
    assert all(seen.pixelColor(x, 36) == card for x in range(16, 250 if ruled else 420, 3)), "a body stands in the title"
    assert any(seen.pixelColor(x, HIGH - 44) != card for x in range(480, 610)) == ruled


def test_what_may_stand_in_for_a_type_says_its_pins(drive):
    driver = drive()
    driver.type("instead q1")
    assert "2N5088 (pins EBC)" in driver.said
    assert "It bears" in driver.said
