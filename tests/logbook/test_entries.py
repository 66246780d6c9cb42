"""One line typed is one transaction and one undo, whatever it brings about."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.kit.step_id import fit_step
from nuvlo.logbook import Fold, Note, Redone, StepDone, Undone
from nuvlo.logbook.events import Event, new_ids
from nuvlo.measurement import gain_read
from tests.workshop.test_session import line


@pytest.mark.parametrize(
    ("typed", "before"),
    [("variant twelve", ()), ("rework 1u off because wrong", ("C1", "C2")), ("r4 679", ()), ("school sections", ())],
)
def test_undo_takes_all_of_a_line_back_and_redo_all_of_it(bench, typed, before):
    session = bench(kind="typed")
    if before:
        session.record(*(StepDone(step=fit_step(ref)) for ref in before))
    for each in before:
        line(session, each)
    was = session.build
    line(session, typed)
    now = session.build
    assert now.events > was.events
    line(session, "undo")
    for name in ("changes", "heats", "measured", "stances", "done", "notes", "ticked"):
        assert getattr(session.build, name) == getattr(was, name), name
    assert session.build.can_undo == was.can_undo
    line(session, "redo")
    for name in ("changes", "heats", "measured", "stances", "ticked"):
        assert getattr(session.build, name) == getattr(now, name), name


def test_a_sweep_is_one_entry(bench):
    session = bench(7)
    line(session, "stage prove")
    while session.now().task.hazard:
        line(session, "confirm")
    was = session.build
    line(session, "next")
    assert session.build.curves
    assert session.build.latest(gain_read())
    line(session, "undo")
    assert not session.build.curves
    assert session.build.latest(gain_read()) is None
    assert session.build.can_undo == was.can_undo


@given(st.lists(st.tuples(st.sampled_from(["note", "undo", "redo"]), st.integers(1, 3)), max_size=25))
def test_entries_of_several_events_agree_with_two_stacks_of_entries(moves):
    from datetime import UTC, datetime

    fold, done, undone = Fold("b"), [], []
    for k, (move, count) in enumerate(moves):
        state, bodies = fold.build, []
        if move == "note":
            bodies = [Note(text=f"{k}.{n}") for n in range(count)]
            done.append([b.text for b in bodies])
            undone.clear()
        elif move == "undo" and state.can_undo:
            bodies = [Undone(target=state.can_undo)]
            undone.append(done.pop())
        elif move == "redo" and state.can_redo:
            bodies = [Redone(target=state.can_redo)]
            done.append(undone.pop())
        fold.add(
            Event(id=new, build="b", at=datetime(2026, 1, 1, tzinfo=UTC), body=body)
            for new, body in zip(new_ids(len(bodies)), bodies, strict=True)
        )
        assert fold.build.notes == [text for entry in done for text in entry]
