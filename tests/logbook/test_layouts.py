"""Logs of older layouts, each written by the program of its day, and what that program made of them."""

import json
import multiprocessing
import os
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
import sqlalchemy as sa
from alembic.config import Config
from alembic.script import ScriptDirectory

from nuvlo.logbook.store import VERSION, Logbook

WRITTEN = Path(__file__).with_name("layouts")
FOLDED = json.loads((WRITTEN / "folded.json").read_text())  # by the programs that wrote both logs; they agreed
EVENTS = 206


@pytest.fixture
def log(tmp_path):
    """A copy of the oldest."""
    return Path(shutil.copy(WRITTEN / "layout_1.db", tmp_path / "logbook.db"))


def found_in(path):
    """Layout, columns, entries and tables, as any program reads them."""
    with closing(sqlite3.connect(path)) as database:
        assert database.execute("pragma integrity_check").fetchone() == ("ok",)
        columns = [row[1] for row in database.execute("pragma table_info(events)")]
        entries = database.execute("select number, id, build, at, body from events order by number").fetchall()
        tables = {row[0] for row in database.execute("select name from sqlite_master where type = 'table'")}
        return database.execute("pragma user_version").fetchone()[0], columns, entries, tables


@pytest.mark.parametrize("layout", [1, 2])
def test_a_log_folds_as_the_program_that_wrote_it_folded_it(layout, tmp_path):
    book = Logbook(shutil.copy(WRITTEN / f"layout_{layout}.db", tmp_path / "logbook.db"))
    builds = book.builds()
    assert [
        {
            "kit": b.kit, "serial": b.serial, "done": len(b.done), "notes": b.notes, "readings": len(b.readings),
            "measured": {ref: [m.value for m in values] for ref, values in b.measured.items()},
            "volts": [r.measured.value for r in b.readings],
        }
        for b in builds
    ] == FOLDED  # fmt: skip
    assert sum(book.counts().values()) == EVENTS
    assert not any(b.unread for b in builds)
    book.close()


def test_steps_lead_to_what_a_new_log_is_made_as(log, tmp_path):
    Logbook(log).close()
    Logbook(tmp_path / "new.db").close()
    config = Config()
    config.set_main_option("script_location", "nuvlo.logbook:layouts")
    assert ScriptDirectory.from_config(config).get_current_head() == str(VERSION)
    led, new = found_in(log), found_in(tmp_path / "new.db")
    assert (led[0], led[1], led[3]) == (new[0], new[1], new[3])
    assert led[0] == VERSION


def opened(path, dies_before=None):
    """Open a log; the process ends without a word before the statement of that number. Gives all statements."""
    said = []

    def watch(_connection, _cursor, statement, *_):
        if len(said) == dies_before:
            os._exit(9)
        said.append(statement.split()[0].upper())

    sa.event.listen(sa.Engine, "before_cursor_execute", watch)
    try:
        Logbook(path).close()
    finally:
        sa.event.remove(sa.Engine, "before_cursor_execute", watch)
    return said


def test_wherever_it_is_cut_off_the_old_log_stands_or_the_new_one(log, tmp_path):
    before = found_in(log)
    said = opened(shutil.copy(log, tmp_path / "whole.db"))
    old = 0
    for number in range(len(said)):
        path = shutil.copy(log, tmp_path / f"{number}.db")
        child = multiprocessing.get_context("fork").Process(target=opened, args=(path, number))
        child.start()
        child.join()
        assert child.exitcode == 9
        layout, columns, entries, tables = found_in(path)
        assert (entries, tables) == before[2:]
        assert (layout, columns) in ((before[0], before[1]), (VERSION, [*before[1], "sum"])), f"half of it, before {said[number]}"
        old += layout == before[0]
        Logbook(path).close()  # and goes on from there
        assert found_in(path)[0] == VERSION
    assert said.index("ALTER") < old < len(said), "cut off before the step, within it, and after it"
