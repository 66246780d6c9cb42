"""Two programs on one workshop: each sees what the other entered before its own is taken."""

import multiprocessing

import pytest

from nuvlo.logbook import Note
from nuvlo.logbook.errors import Overtaken
from nuvlo.workshop.session import Refused
from nuvlo.workshop.workshop import Workshop
from tests.workshop.test_session import line


@pytest.fixture
def two(tmp_path, gorsefire):
    """The same build open twice, each with a logbook of its own."""
    first = Workshop(tmp_path)
    a = first.start(gorsefire)
    second = Workshop(tmp_path)
    yield a, second.open(a.build.id)
    first.close()
    second.close()


def test_a_redo_that_no_longer_holds_says_so(two):
    a, b = two
    line(a, "r1 100")
    b.catch_up()
    line(a, "undo")
    b.catch_up()
    line(b, "note from the other bench")
    with pytest.raises(Refused, match="nothing"):
        line(a, "redo")
    assert a.build.notes == ["from the other bench"]
    assert a.build.measured == {} == b.build.measured
    assert a.build == b.build == a.log.build(a.build.id)


def test_an_undo_takes_back_what_its_window_showed_and_nothing_else(two):
    a, b = two
    line(a, "r1 100")
    line(b, "note from the other bench")
    with pytest.raises(Overtaken, match="gone on with this build"):
        line(a, "undo")
    assert a.build.measured
    line(a, "undo")  # looked at, and meant
    assert a.build.notes == []
    assert a.build.measured


def test_a_step_that_the_other_has_done_is_not_done_for_the_next_one(two):
    a, b = two
    for each in two:
        line(each, "stage fit")
    before = a.now().task
    assert before.hazard
    line(b, "confirm")
    with pytest.raises(Overtaken):
        line(a, "confirm")
    assert a.build == b.build
    assert a.now().task.id != before.id
    line(b, "next")
    with pytest.raises(Overtaken):
        line(a, "next")
    assert a.build.done == b.build.done


def test_what_names_its_part_is_taken_after_what_the_other_entered(two):
    a, b = two
    line(b, "r1 101")
    line(a, "r2 10k")
    b.catch_up()
    assert set(a.build.measured) == set(b.build.measured) == {"R1", "R2"}
    line(b, "variant twelve")
    line(a, "note and so")
    assert a.kit.info.supply[0].volts == 12.0, "the kit is the one that it has become"


def test_nothing_is_taken_twice(two):
    a, b = two
    for k in range(20):
        line((a, b)[k % 2], f"note {k}")
    for each in two:
        each.catch_up()
        assert each.build.notes == [str(k) for k in range(20)]
        assert not each.catch_up()


def begin(folder, kit, gate, out) -> None:
    gate.wait()
    try:
        workshop = Workshop(folder)
        out.put(workshop.start(kit).build.serial)
        workshop.close()
    except BaseException as bad:
        out.put(repr(bad))


@pytest.mark.parametrize("there", [False, True], ids=["a new workshop", "one that is there"])
def test_six_begun_at_once_have_six_serials(tmp_path, gorsefire, there):
    if there:
        Workshop(tmp_path).close()
    context = multiprocessing.get_context("fork")
    gate, out = context.Event(), context.Queue()
    every = [context.Process(target=begin, args=(tmp_path, gorsefire, gate, out)) for _ in range(6)]
    for one in every:
        one.start()
    gate.set()
    found = sorted(out.get(timeout=60) for _ in every)
    for one in every:
        one.join()
    assert found == [f"{k:03d}" for k in range(1, 7)]
    workshop = Workshop(tmp_path)
    assert sorted(b.serial for b in workshop.builds()) == found
    workshop.close()


def test_a_serial_of_ones_own_is_kept_and_not_given_again(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)
    assert workshop.start(gorsefire, serial="002").build.serial == "002"
    assert workshop.start(gorsefire).build.serial == "001"
    assert workshop.start(gorsefire).build.serial == "003"
    workshop.close()


def test_what_the_model_adds_is_no_reason_to_refuse(two):
    a, b = two
    b.log.append(b.build.id, Note(text="meanwhile"))
    a.settle()
    line(a, "note good")
    assert a.build.notes == ["meanwhile", "good"]
