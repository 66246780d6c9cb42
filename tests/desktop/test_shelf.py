"""The shelf: by mouse alone, by keyboard alone, and by a file dropped on the window."""

import shutil
import threading
import zipfile

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest

from nuvlo.desktop.controller import Opened
from nuvlo.desktop.main_window import SIZE, Window
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError, Problem
from nuvlo.workshop.demo import SCENES, SHIPPED, play
from nuvlo.workshop.workshop import Workshop
from tests.desktop.conftest import Driver


@pytest.fixture
def shelf(drive, tmp_path):
    """A window on the shelf of a workshop with three builds: one in the post, one gluing, one just begun."""
    workshop = Workshop(tmp_path / "Shed")
    for scene in SCENES[2:5]:
        play(workshop, scene)
    workshop.close()
    return drive(opener=lambda: Opened(Workshop(tmp_path / "Shed")))


def click(driver, widget) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(widget.width() // 2, 12))
    driver.settle()


def names(driver) -> list[str]:
    return [card.accessibleName() for card in driver.window.shelf.cards]


def test_it_is_the_first_view_and_tells_where_each_stands(shelf):
    window = shelf.window
    assert window.shelf.isVisible()
    assert not window.path_bar.isVisible()
    said = " ".join(names(shelf))
    assert all(kit in said for kit in ("Barrowmoor 001", "Millrace 001", "Reedling 001"))
    assert len(window.shelf.kits) == 11
    assert "3 in hand, 0 finished, 11 kits" in shelf.said


def test_by_mouse_alone(shelf):
    """Go on with a build, come back by the path, begin another unit of a kit for practice, come back by the strip."""
    window = shelf.window
    reedling = next(c for c in window.shelf.cards if c.accessibleName().startswith("Reedling"))
    click(shelf, reedling)
    assert shelf.session.kit.name == "Reedling"
    assert window.path_bar.isVisible()
    QTest.mouseClick(window.path_bar, Qt.MouseButton.LeftButton, pos=QPoint(40, 20))
    shelf.settle()
    assert shelf.session is None
    assert window.shelf.isVisible()
    sluice = next(k for k in window.shelf.kits if k.cover.name == "Sluice")
    window.shelf.ensureWidgetVisible(sluice)
    click(shelf, sluice.simulated)
    assert (shelf.session.kit.name, shelf.session.build.serial) == ("Sluice", "001")
    assert shelf.session.bench is not None
    QTest.mouseClick(window.path_bar, Qt.MouseButton.LeftButton, pos=QPoint(40, 20))
    shelf.settle()
    assert any(n.startswith("Sluice 001") for n in names(shelf)), "several builds side by side"


def test_by_keyboard_alone(shelf):
    window = shelf.window
    shelf.press(Qt.Key.Key_Down)
    first = window.shelf.cards[0]
    assert first.hasFocus()
    shelf.press(Qt.Key.Key_Down)
    assert window.shelf.cards[1].hasFocus()
    shelf.press(Qt.Key.Key_Return)
    opened = shelf.session.kit.name
    assert window.shelf.cards[1].accessibleName().startswith(opened)
    shelf.press(Qt.Key.Key_F2)
    assert shelf.session is None
    shelf.type("reedling 001")
    assert shelf.session.kit.name == "Reedling"
    shelf.press(Qt.Key.Key_F2)
    shelf.type("begin reedling")
    assert (shelf.session.kit.name, shelf.session.build.serial, shelf.session.bench) == ("Reedling", "002", None)
    shelf.press(Qt.Key.Key_F2)
    shelf.type("redling")
    assert "Did you mean 'Reedling" in shelf.said
    assert window.bench_line.entry.text() == "redling", "what was typed is not lost"
    shelf.press(Qt.Key.Key_Escape)
    shelf.space()
    assert shelf.session is None, "Space means nothing here"


def test_what_was_begun_to_type_stays_with_its_build(shelf):
    shelf.type("reedling 001")
    shelf.type("note the lid is scr", enter=False)
    entry = shelf.window.bench_line.entry
    shelf.press(Qt.Key.Key_F2)
    assert not entry.text()
    shelf.type("millrace 001")
    assert not entry.text()
    shelf.press(Qt.Key.Key_Up)
    shelf.press(Qt.Key.Key_Up)
    assert entry.text() == "note the lid is scr", "nor is it lost"


def drop(driver, path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    driver.window.dropEvent(
        QDropEvent(
            QPointF(200, 200), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    driver.settle()


def test_a_kit_folder_a_zip_and_a_list_can_be_dropped(shelf, tmp_path):
    folder = tmp_path / "mine"
    shutil.copytree(SHIPPED / "sluice", folder)
    drop(shelf, folder)
    assert shelf.session.kit.folder == folder
    shelf.press(Qt.Key.Key_F2)
    drop(shelf, folder)
    assert shelf.session.build.serial == "001", "a kit that is in hand is gone on with"
    shelf.press(Qt.Key.Key_F2)
    with zipfile.ZipFile(tmp_path / "tollgate.zip", "w") as archive:
        for file in (SHIPPED / "tollgate").iterdir():
            archive.write(file, f"tollgate/{file.name}")
    drop(shelf, tmp_path / "tollgate.zip")
    assert shelf.session.kit.name == "Tollgate"
    shelf.press(Qt.Key.Key_F2)
    (tmp_path / "list.csv").write_text("Ref,Value\nR1,10k\nR2,22k\nC1,100n\n")
    drop(shelf, tmp_path / "list.csv")
    assert "3 parts. 'take NAME'" in shelf.said
    shelf.type("take Three parts")
    assert (shelf.session.kit.name, len(shelf.session.kit.parts)) == ("Three parts", 3)
    drop(shelf, tmp_path / "nothing")
    assert "nothing" in shelf.said


def test_answers_of_one_build_never_show_in_another(shelf, gorsefire):
    """Another build is taken in hand while the first one's windows are being worked out."""
    window = shelf.window
    controller = window.controller
    controller.take_in_hand(lambda w: w.start(gorsefire))
    shelf.settle()
    first = shelf.session
    window.enter("stage wake")
    while controller.shown.stage is not Stage.WAKE:
        shelf.qtbot.wait(1)
    controller.take_in_hand(lambda w: w.start(read_kit(SHIPPED / "millrace")))
    shelf.settle()
    second = shelf.session
    assert second is not first
    assert second.kit.name == "Millrace"
    assert second.solved(Stage.WAKE) is None
    stale = first.solve(Stage.WAKE)
    assert not second.adopt(stale), "an answer carries its build"
    assert first.adopt(stale)


def test_a_missing_kit_is_said_on_its_card(drive, tmp_path):
    folder = tmp_path / "gone"
    shutil.copytree(SHIPPED / "sluice", folder)
    workshop = Workshop(tmp_path / "Shed")
    workshop.start(read_kit(folder))
    workshop.close()
    shutil.rmtree(folder)
    driver = drive(opener=lambda: Opened(Workshop(tmp_path / "Shed")))
    (card,) = driver.window.shelf.cards
    assert "not a kit folder" in card.accessibleName()
    click(driver, card)
    assert driver.session is None
    assert "not a kit folder" in driver.said


@pytest.fixture
def opening(qtbot, tmp_path):
    """``opening(opener)``: a window that shows the shelf of a workshop, whose opener has not come back, and what lets it."""
    workshop = Workshop(tmp_path / "Shed")
    for scene in SCENES[2:4]:
        play(workshop, scene)
    workshop.close()
    gate = threading.Event()

    def made(fails: bool = False) -> tuple[Driver, threading.Event]:
        def opener() -> Opened:
            gate.wait(30)
            if fails:
                raise NuvloError(Problem("the logbook is locked by another program.", "Close it."))
            return Opened(Workshop(tmp_path / "Shed"))

        window = Window(tmp_path / "look.json")
        window.resize(*SIZE)
        qtbot.addWidget(window, before_close_func=lambda w: w.controller.close())
        window.show()
        window.controller.open(opener, tmp_path / "Shed")
        qtbot.waitUntil(window.shelf.isVisible)
        return Driver(qtbot, window), gate

    yield made
    gate.set()


def pressed(widget) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(widget.width() // 2, 12))


def test_what_is_picked_while_the_workshop_opens_is_done_once_it_is(opening):
    driver, gate = opening()
    window = driver.window
    assert [n[:12] for n in names(driver)] == ["Millrace 001", "Reedling 001"]
    pressed(window.shelf.cards[0])
    assert "opening" in driver.said
    pressed(window.shelf.cards[1])  # thought better of it
    assert driver.session is None
    gate.set()
    driver.settle()
    assert driver.session.kit.name == "Reedling"


def test_a_kit_begun_while_the_workshop_opens_is_another_unit(opening):
    driver, gate = opening()
    reedling = next(k for k in driver.window.shelf.kits if k.cover.name == "Reedling")
    driver.window.shelf.ensureWidgetVisible(reedling)
    pressed(reedling.simulated)
    gate.set()
    driver.settle()
    assert (driver.session.kit.name, driver.session.build.serial) == ("Reedling", "002")


def test_the_cards_stay_as_they_are_when_the_workshop_is_open(opening):
    driver, gate = opening()
    before = list(driver.window.shelf.cards)
    gate.set()
    driver.settle()
    assert driver.window.shelf.cards == before, "what was about to be clicked is still there"
    assert "2 in hand, 0 finished, 11 kits" in driver.said


def test_a_workshop_that_does_not_open_shows_no_shelf(opening):
    driver, gate = opening(fails=True)
    pressed(driver.window.shelf.cards[0])
    gate.set()
    driver.settle()
    assert not driver.window.shelf.isVisible()
    assert "locked by another program" in driver.said
