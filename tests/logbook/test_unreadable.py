"""What cannot be read of a log is set aside with a plain word; the rest opens, and other builds are untouched."""

import sqlite3

import pytest

from nuvlo.logbook import Note, PartTicked
from nuvlo.logbook.store import VERSION, Logbook, LogbookError
from nuvlo.workshop.shelf import shelf
from nuvlo.workshop.workshop import Workshop

BAD = {
    "an event of a newer version": '{"kind":"part_sniffed","ref":"R1"}',
    "a field of a newer version": '{"kind":"part_ticked","ref":"R2","by":"nose"}',
    "no JSON": '{"kind":"part_ti',
    "a bad byte": b'{"kind":"note","text":"\xff\xfe"}',
    "nothing": "",
}


def spoil(path, body, which="PartTicked") -> None:
    with sqlite3.connect(path) as database:
        number = database.execute(
            "select number from events where body like '%part_ticked%' order by number"
        ).fetchall()[1][0]
        database.execute("update events set body = ? where number = ?", (body, number))


@pytest.fixture
def shop(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)
    first, second = (workshop.start(gorsefire) for _ in range(2))
    for session in (first, second):
        session.record(PartTicked(ref="R1"))
        session.record(PartTicked(ref="R2"))
        session.record(Note(text="kept"))
    workshop.close()
    return tmp_path, first.build.id, second.build.id


@pytest.mark.parametrize("body", BAD.values(), ids=BAD.keys())
def test_one_row_that_cannot_be_read_is_set_aside(shop, body):
    folder, first, second = shop
    spoil(folder / "logbook.db", body)
    workshop = Workshop(folder)
    session = workshop.open(first)
    assert session.build.ticked == {"R1"}
    assert session.build.notes == ["kept"], "what came after it counts"
    assert session.build.unread == 1
    assert "1 entry of this build cannot be read" in session.snapshot().where_you_were()
    assert workshop.open(second).build.unread == 0
    assert len(shelf(workshop).in_hand) == 2
    session.record(Note(text="and on it goes"))
    assert workshop.open(first).build.notes == ["kept", "and on it goes"]
    with sqlite3.connect(folder / "logbook.db") as database:
        assert database.execute("select count(*) from events where body = ?", (body,)).fetchone() == (1,), (
            "it is left as it is"
        )


def test_a_build_whose_beginning_is_gone_says_so_on_the_shelf(shop):
    folder, first, _ = shop
    with sqlite3.connect(folder / "logbook.db") as database:
        database.execute("update events set body = 'x' where build = ? and body like '%build_started%'", (first,))
    workshop = Workshop(folder)
    cards = {c.build: c for c in shelf(workshop).cards}
    assert "beginning" in cards[first].problem
    assert len(cards) == 2


def test_the_log_of_a_newer_version_is_opened_for_viewing(shop):
    folder, first, _ = shop
    with sqlite3.connect(folder / "logbook.db") as database:
        database.execute(f"pragma user_version = {VERSION + 1}")
    workshop = Workshop(folder)
    assert workshop.logbook.read_only
    assert workshop.open(first).build.notes == ["kept"]
    with pytest.raises(LogbookError, match="newer"):
        workshop.logbook.append(first, Note(text="no"))


def test_a_backup_is_made_before_a_log_is_brought_up_to_date(shop):
    folder, first, _ = shop
    with sqlite3.connect(folder / "logbook.db") as database:
        database.execute("pragma user_version = 0")
        database.execute("drop table cards")
    Logbook(folder / "logbook.db").close()
    (backup,) = folder.glob("logbook.db.before-*[0-9]")
    with sqlite3.connect(folder / "logbook.db") as database:
        assert database.execute("pragma user_version").fetchone() == (VERSION,)
    with sqlite3.connect(backup) as database:
        assert database.execute("select count(*) from events where build = ?", (first,)).fetchone() == (4,)
    Logbook(folder / "logbook.db").close()
    assert len(list(folder.glob("logbook.db.before-*[0-9]"))) == 1, "once is enough"


def test_a_database_of_no_bytes_was_one_and_is_not_taken_for_new(tmp_path):
    """Ours are never seen before they are whole, so somebody or something has emptied it."""
    (tmp_path / "logbook.db").write_bytes(b"")
    with pytest.raises(LogbookError, match="damaged"):
        Workshop(tmp_path)
    assert (tmp_path / "logbook.db").read_bytes() == b""


@pytest.mark.parametrize("keep", [0.3, 0.6, 0.9])
def test_of_a_log_that_was_cut_short_what_is_left_is_shown_and_counted(shop, keep):
    folder, first, _ = shop
    book = Logbook(folder / "logbook.db")
    for k in range(400):
        book.append(first, Note(text=f"{k}"))
    book.close()
    file = folder / "logbook.db"
    data = file.read_bytes()
    file.write_bytes(data[: int(keep * len(data))])
    cut = file.read_bytes()
    try:
        workshop = Workshop(folder)
    except LogbookError as nothing:
        assert keep < 0.5
        assert "damaged" in str(nothing)
        return
    assert workshop.logbook.read_only
    left = workshop.logbook.salvaged
    assert 0 < left < 400 + 8
    assert f"{left} entries of it can still be read" in workshop.logbook.why_read_only
    texts = [n for n in workshop.open(first).build.notes if n != "kept"]
    assert texts == sorted(texts, key=int), "in the order in which they were entered"
    assert set(texts) <= {str(k) for k in range(400)}
    assert len(texts) > (0 if keep < 0.5 else 100)
    with pytest.raises(LogbookError, match="Restore your last backup"):
        workshop.logbook.append(first, Note(text="no"))
    workshop.close()
    assert file.read_bytes() == cut


def test_an_entry_that_was_changed_since_is_set_aside(shop):
    folder, first, _ = shop
    with sqlite3.connect(folder / "logbook.db") as database:
        database.execute("update events set body = replace(body, 'kept', 'lost') where build = ?", (first,))
    workshop = Workshop(folder)
    assert workshop.open(first).build.notes == []
    assert workshop.open(first).build.unread == 1
    workshop.close()
