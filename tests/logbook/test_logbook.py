"""Events, their fold, undo and redo; and what the store says when it cannot."""

import os
import resource
import shutil
import sqlite3
import traceback
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.logbook import (
    ChoiceMade,
    Event,
    Note,
    PartMarked,
    PartMeasured,
    PartTicked,
    ReadingTaken,
    Redone,
    StepDone,
    TrimmerTurned,
    Undone,
    WindowKept,
    fold,
)  # fmt: skip
from nuvlo.logbook.store import Logbook, LogbookError
from nuvlo.measurement import volts_at


def events(*bodies):
    return [Event(id=f"e{k}", build="b", at=datetime(2026, 1, 1, tzinfo=UTC), body=b) for k, b in enumerate(bodies)]


def reading(value=4.5, **more):
    return ReadingTaken(point="TP1", quantity="voltage", value=value, uncertainty=0.01, unit="V", stage="wake", **more)


def measured(ref="R1", value=100.0):
    return PartMeasured(ref=ref, value=value, uncertainty=1.0, unit="Ω")


def test_the_fold_of_a_little_of_everything():
    b = fold("b", events(PartTicked(ref="D1"), measured(), measured(value=102.0), reading(), StepDone(step="fit.1"),
                         TrimmerTurned(ref="RV1", degrees=30.0), reading(5.0), Note(text="lid scratched")))  # fmt: skip
    assert b.ticked == {"D1", "R1"}
    assert b.part_value("R1").value == 101.0, "repeats are averaged"
    assert b.part_value("R1").uncertainty == 2.0, "they scatter by more than the meter errs"
    assert b.latest(volts_at("TP1")).measured.value == 5.0
    assert b.latest(volts_at("TP1"), stage="set") is None
    assert b.turned("RV1") == 30.0
    assert b.turns[0].readings_before == 1
    assert (b.done, b.notes) == ({"fit.1"}, ["lid scratched"])


def test_a_slip_is_put_right_by_measuring_again():
    assert fold("b", events(measured(value=100e3), measured(), measured(value=101.0))).part_value("R1").value == 100.5
    assert fold("b", events(measured(), measured(value=100e3))).part_value("R1").value == 100e3


def test_marks_come_and_go_and_a_swapped_part_is_measured_anew():
    b = fold("b", events(measured(), PartMarked(ref="R1", state="wrong")))
    assert b.marks == {"R1": "wrong"}
    b = fold("b", events(measured(), PartMarked(ref="R1", state="wrong"), PartMarked(ref="R1", state="swapped")))
    assert (b.marks, b.part_value("R1"), b.swapped) == ({}, None, {"R1"})


def test_another_choice_takes_the_measured_value_away():
    made = ChoiceMade(choice="bass", part="C1", value="220n")
    b = fold("b", events(measured("C1"), made))
    assert b.chosen_values == {"C1": "220n"}
    assert b.part_value("C1") is None
    assert fold("b", events(made, measured("C1"), made)).part_value("C1") is not None


def test_a_window_kept_later_belongs_to_its_reading_and_is_no_step_of_undo():
    log = events(reading(), WindowKept(reading="e0", nominal=4.4, low=4.0, high=5.0))
    b = fold("b", log)
    assert b.readings[0].expected == (4.4, 4.0, 5.0)
    assert b.can_undo == "e0"


@given(st.lists(st.sampled_from(["note", "undo", "redo"]), max_size=30))
def test_undo_and_redo_agree_with_two_stacks(moves):
    log, done, undone = [], [], []
    for k, move in enumerate(moves):
        state = fold("b", log)
        assert state.notes == done
        body = None
        if move == "note":
            body = Note(text=str(k))
            done.append(str(k))
            undone.clear()
        elif move == "undo" and state.can_undo:
            body = Undone(target=state.can_undo)
            undone.append(done.pop())
        elif move == "redo" and state.can_redo:
            body = Redone(target=state.can_redo)
            done.append(undone.pop())
        if body:
            log.append(Event(id=f"e{k}", build="b", at=datetime(2026, 1, 1, tzinfo=UTC), body=body))
    assert fold("b", log).notes == done


def test_events_survive_closing(tmp_path):
    book = Logbook(tmp_path / "a.db")
    build = book.start("Gorsefire", "shipped:gorsefire", "001")
    book.append(build.id, measured(), reading())
    book.close()
    again = Logbook(tmp_path / "a.db")
    assert [b.serial for b in again.builds()] == ["001"]
    assert again.build(build.id).latest(volts_at("TP1")).measured.value == 4.5
    assert [e.body.kind for e in again.events(build.id)] == ["build_started", "part_measured", "reading_taken"]


def test_settings_make_a_commit_durable(tmp_path):
    book = Logbook(tmp_path / "a.db")
    with book._engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
        assert connection.exec_driver_sql("PRAGMA synchronous").scalar() == 2, "2 is FULL"


def _filled(path, count=3):
    book = Logbook(path)
    build = book.start("Gorsefire", "shipped:gorsefire", "001")
    for k in range(count):
        book.append(build.id, reading(float(k)))
    book.close()
    return build.id


@pytest.mark.parametrize("damage", ["no database", "middle", "empty header"])
def test_a_damaged_database_is_said_and_left_alone(tmp_path, damage):
    path = tmp_path / "a.db"
    _filled(path, 200)
    raw = bytearray(path.read_bytes())
    if damage == "no database":
        raw[:] = b"this is no database at all" * 50
    elif damage == "middle":
        raw[4096 : 4096 * 3] = b"\xa5" * 8192
    else:
        raw[:100] = b"\x01" * 100
    path.write_bytes(raw)
    with pytest.raises(LogbookError, match="damaged"):
        Logbook(path)
    assert path.read_bytes() == bytes(raw), "left as it is"


def test_a_locked_database_is_said_and_the_rest_is_kept(tmp_path):
    path = tmp_path / "a.db"
    build = _filled(path)
    book = Logbook(path, lock_wait=0.1)
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    with pytest.raises(LogbookError, match="another program holds the logbook"):
        book.append(build, reading())
    other.execute("COMMIT")
    book.append(build, reading(9.0))
    assert [r.measured.value for r in book.build(build).readings] == [0.0, 1.0, 2.0, 9.0]


def test_a_full_disk_is_said_and_the_rest_is_kept(tmp_path):
    """RLIMIT_FSIZE in a child stands in for a full disk."""
    path = tmp_path / "a.db"
    build = _filled(path)
    child = os.fork()
    if child == 0:
        code = 1
        try:
            book = Logbook(path)
            resource.setrlimit(resource.RLIMIT_FSIZE, (60_000, 60_000))
            for _ in range(400):
                book.append(build, Note(text="x" * 500))
        except LogbookError as error:
            code = 0 if "disk is full" in str(error) and "kept" in str(error) else 2
        finally:
            os._exit(code)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    book = Logbook(path)
    assert [r.measured.value for r in book.build(build).readings] == [0.0, 1.0, 2.0]
    book.append(build, reading(7.0))


def as_nobody(check) -> int:
    """Run ``check`` in a child without privileges; its exit status."""
    child = os.fork()
    if child == 0:
        code = 3
        try:
            if os.getuid() == 0:
                os.setgid(65534)
                os.setuid(65534)
            code = check()
        except BaseException:
            traceback.print_exc()
        finally:
            os._exit(code)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


def test_a_read_only_workshop_opens_for_viewing(tmp_path):
    """Tested without privileges: root may write anywhere. The newest events may still be in the write-ahead log."""
    folder = tmp_path / "shop"
    folder.mkdir()
    path = folder / "logbook.db"
    build = _filled(path)
    keeper = Logbook(path)  # held open, so that its last event stays in the -wal file
    keeper.append(build, reading(8.0))
    frozen = tmp_path / "frozen"
    shutil.copytree(folder, frozen)
    for item in (*tmp_path.parents[: len(tmp_path.parts) - 3], tmp_path):
        item.chmod(0o755)
    for item in frozen.iterdir():
        item.chmod(0o444)
    frozen.chmod(0o555)

    def check() -> int:
        book = Logbook(frozen / "logbook.db")
        if not book.read_only or book.build(build).readings[-1].measured.value != 8.0:
            return 1
        try:
            book.append(build, reading())
        except LogbookError as error:
            return 0 if "viewed but not changed" in str(error) else 2
        return 4

    assert as_nobody(check) == 0


def test_a_folder_that_cannot_be_made_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises((LogbookError, OSError)):
        Logbook(tmp_path / "file" / "a.db")


def test_a_place_that_knows_no_links_will_do(tmp_path, monkeypatch):
    def refused(*_):
        raise PermissionError(1, "Operation not permitted")

    monkeypatch.setattr(os, "link", refused)
    build = _filled(tmp_path / "a.db")
    assert len(Logbook(tmp_path / "a.db").build(build).readings) == 3
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith(".")] == []
