"""Cards read before the logbook is open: they are those of the logbook, or nothing is said."""

import sqlite3

import pytest

from nuvlo import clock
from nuvlo.logbook import Note
from nuvlo.logbook.glance import cards_at_a_glance
from nuvlo.workshop.demo import SCENES, play
from nuvlo.workshop.shelf import keep_card, shelf, shelf_at_a_glance
from nuvlo.workshop.workshop import Workshop


@pytest.fixture
def shed(tmp_path):
    """A workshop with two builds, closed."""
    workshop = Workshop(tmp_path / "Shed")
    for scene in SCENES[2:4]:
        play(workshop, scene)
    workshop.close()
    return workshop


def test_it_shows_what_the_open_workshop_shows(shed):
    seen = shelf_at_a_glance(shed.places.folder)
    again = Workshop(shed.places.folder)
    assert seen == shelf(again)
    assert [c.kit for c in seen.cards] == ["Millrace", "Reedling"], "newest first"


def test_it_is_seen_while_another_window_writes(shed):
    elsewhere = Workshop(shed.places.folder)
    session = elsewhere.open(elsewhere.builds()[0].id)
    assert len(cards_at_a_glance(shed.places.logbook)) == 2
    session.record(Note(text="left the iron on"))
    assert cards_at_a_glance(shed.places.logbook) is None, "its card is older than its entries"
    keep_card(session)
    assert len(cards_at_a_glance(shed.places.logbook)) == 2


def test_nothing_is_written_by_looking(shed):
    folder = shed.places.folder
    before = shed.places.logbook.read_bytes()
    assert shelf_at_a_glance(folder) is not None
    assert shed.places.logbook.read_bytes() == before
    Workshop(folder).close()
    assert [p.name for p in folder.iterdir() if p.is_file()] == ["logbook.db"], "what SQLite sets beside it goes as always"


def change(file, statement):
    with sqlite3.connect(file) as database:
        database.execute(statement)
    database.close()


@pytest.mark.parametrize(
    "statement",
    [
        "DELETE FROM cards WHERE build = (SELECT MIN(build) FROM cards)",
        "DELETE FROM events WHERE number = (SELECT MAX(number) FROM events)",  # a card of other entries than there are
        "UPDATE cards SET card = '{}'",
        "UPDATE cards SET card = substr(card, 1, 40)",
        "DROP TABLE cards",
    ],
)
def test_what_does_not_hold_any_more_is_not_shown(shed, statement):
    change(shed.places.logbook, statement)
    assert cards_at_a_glance(shed.places.logbook) is None


def test_what_has_dried_since_is_looked_over(tmp_path):
    """The glue of the demo's Barrowmoor; a kit without a build has nothing to show either."""
    workshop = Workshop(tmp_path / "Shed")
    assert shelf_at_a_glance(workshop.places.folder) is None
    play(workshop, SCENES[4])
    workshop.close()
    (card,) = shelf_at_a_glance(workshop.places.folder).cards
    with clock.standing(max(d.until for d in card.dries)):
        assert shelf_at_a_glance(workshop.places.folder) is None


@pytest.mark.parametrize("content", [None, b"", b"no database at all"])
def test_a_file_that_is_no_logbook_is_left_to_the_longer_way(tmp_path, content):
    file = tmp_path / "logbook.db"
    if content is not None:
        file.write_bytes(content)
    before = sorted(p.name for p in tmp_path.iterdir())
    assert not cards_at_a_glance(file)
    assert sorted(p.name for p in tmp_path.iterdir()) == before, "nothing is made by looking"
