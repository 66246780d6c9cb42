"""A write-ahead log whose end cannot be read loses the newest entries: that is said, and the log is kept as it was."""

import shutil
import sqlite3

import pytest

from nuvlo.logbook import Note
from nuvlo.logbook.store import Logbook
from nuvlo.logbook.tail import unread_frames
from nuvlo.workshop.workshop import Workshop


@pytest.fixture
def torn(tmp_path, gorsefire):
    """A folder as a kill leaves it: its newest entries in the write-ahead log. (Closing would bring the two together.)"""
    workshop = Workshop(tmp_path / "live")
    session = workshop.start(gorsefire)
    for k in range(8):
        session.record(Note(text=f"note {k} {'.' * 400}"))
    assert unread_frames(tmp_path / "live" / "logbook.db") == 0, "somebody is at it"
    shutil.copytree(tmp_path / "live", tmp_path / "left")
    workshop.close()
    assert unread_frames(tmp_path / "live" / "logbook.db") == 0, "closed in order"
    return tmp_path / "left"


def notes(folder) -> tuple[int, str]:
    workshop = Workshop(folder)
    found, said = sum(len(b.notes) for b in workshop.builds()), workshop.logbook.warning
    workshop.close()
    return found, said


def test_what_a_kill_leaves_is_whole(torn):
    assert notes(torn) == (8, "")


@pytest.mark.parametrize("without_index", [False, True])
@pytest.mark.parametrize("where", ["magic", "salt of the log", "salt of a frame", "sum of a frame", "a page", "the last page", "nearly all"])
def test_a_bad_byte_in_it_is_said(torn, where, without_index):
    log = torn / "logbook.db-wal"
    data = bytearray(log.read_bytes())
    page = int.from_bytes(data[8:12], "big")
    frames = (len(data) - 32) // (24 + page)
    frame = 32 + (24 + page) * (frames // 2)
    at = {"magic": 0, "salt of the log": 17, "salt of a frame": frame + 9, "sum of a frame": frame + 17, "a page": frame + 24 + page // 2, "the last page": len(data) - 9, "nearly all": 32}[where]
    data[at] ^= 0x10
    if where == "nearly all":
        data[32:] = bytes(b ^ 0xFF if k % 3 else b for k, b in enumerate(data[32:]))
    log.write_bytes(bytes(data))
    if without_index:
        (torn / "logbook.db-shm").unlink()
    if where == "nearly all" and without_index:
        pytest.skip("nothing tells what is left from an older turn of the log")
    found, said = notes(torn)
    assert found < 8 or where == "salt of the log"
    assert "what was entered last is missing" in said
    (kept,) = torn.glob("logbook.db-wal.damaged-*")
    assert kept.read_bytes() == bytes(data)
    assert kept.name in said


@pytest.mark.parametrize("share", [0.0, 0.3, 0.9])
def test_a_log_that_was_cut_short_is_said_while_its_index_is_there(torn, share):
    log = torn / "logbook.db-wal"
    log.write_bytes(log.read_bytes()[: int(share * log.stat().st_size)])
    assert "missing" in notes(torn)[1]


def test_what_was_never_acknowledged_is_not_missed(torn):
    database = sqlite3.connect(torn / "logbook.db", isolation_level=None)
    database.execute("PRAGMA cache_size=2")  # so that pages are written before the end
    database.execute("BEGIN")
    database.executemany("INSERT INTO events (id, build, at, body) VALUES (?, 'b', '2026', ?)", [(f"x{k}", "." * 3000) for k in range(40)])
    left = torn.with_name("killed")
    shutil.copytree(torn, left)
    database.close()
    assert (left / "logbook.db-wal").stat().st_size > 100_000
    assert notes(left) == (8, "")


def test_leftovers_of_an_earlier_turn_are_not_missed(tmp_path):
    log = Logbook(tmp_path / "logbook.db")
    build = log.start("Gorsefire", "x").id
    for k in range(30):
        log.append(build, Note(text="." * 3000 + str(k)))
    with sqlite3.connect(tmp_path / "logbook.db") as other:
        other.execute("PRAGMA wal_checkpoint(RESTART)")
    log.append(build, Note(text="short"))
    shutil.copytree(tmp_path, tmp_path.with_name("left"))
    log.close()
    assert (tmp_path.with_name("left") / "logbook.db-wal").stat().st_size > 90_000
    again = Logbook(tmp_path.with_name("left") / "logbook.db")
    assert again.warning == ""
    assert len(again.events(build)) == 32
    again.close()
