"""A second window on the same build follows the first, live."""

from PyQt6.QtTest import QTest

from nuvlo.desktop import controller
from nuvlo.workshop.workshop import Workshop
from tests.desktop.conftest import gone_on
from tests.workshop.test_session import line


def follows(driver, seen) -> None:
    """Wait until the window shows what was entered elsewhere."""
    driver.qtbot.waitUntil(seen, timeout=20_000)


def test_a_window_shows_what_another_enters(drive, monkeypatch):
    monkeypatch.setattr(controller, "FOLLOW_MS", 30)
    first = drive(kind="typed")
    folder, build = first.session.places.folder, first.session.build.id
    other = Workshop(folder)
    beside = other.open(build)
    line(beside, "r1 100")
    follows(first, lambda: first.window.controller.shown.build.measured.keys() == {"R1"})
    assert "Another window" in first.said
    first.type("note mine")
    assert beside.catch_up()
    assert beside.build.notes == ["mine"]
    line(beside, "r2 10k")
    first.type("undo")
    first.settle()
    assert first.session.build.measured.keys() >= {"R1"}
    other.close()


def test_the_shelf_shows_what_is_begun_elsewhere(drive, monkeypatch, gorsefire):
    monkeypatch.setattr(controller, "FOLLOW_MS", 30)
    first = drive(kind="typed")
    folder = first.session.places.folder
    first.type("shelf")
    shelf = first.window.shelf
    assert len(shelf.cards) == 1
    other = Workshop(folder)
    other.start(gorsefire)
    other.close()
    follows(first, lambda: len(shelf.cards) == 2)


def test_the_log_is_brought_together_when_nothing_happens(drive, monkeypatch):
    monkeypatch.setattr(controller, "FOLLOW_MS", 20)
    monkeypatch.setattr(controller, "QUIET_TICKS", 3)
    first = drive(kind="typed")
    first.type("note kept")
    wal = first.session.places.logbook.with_name("logbook.db-wal")
    follows(first, lambda: not wal.exists() or wal.stat().st_size == 0)
    QTest.qWait(50)
    assert first.session.build.notes == ["kept"]
    first.type("note more")
    assert gone_on(first.session.places.folder, first.session.build.id).session.build.notes == ["kept", "more"]
