"""The calendar: its optimum against every order tried, what no plan may do, what it learns, and what it writes."""

import itertools
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from icalendar import Calendar as File

from nuvlo.craft.order import board_order
from nuvlo.craft.schools import DEFAULT_SCHOOL
from nuvlo.files.kit_folder import read_kit
from nuvlo.logbook import Build
from nuvlo.problems import NuvloError
from nuvlo.stages.sequence import calendar
from nuvlo.stages.sequence.calendar import plan
from nuvlo.stages.sequence.diary import as_csv, as_icalendar, evenings, told_together, tonight
from nuvlo.stages.sequence.evenings import USUAL, Free, read_free
from nuvlo.stages.sequence.jobs import Job, jobs, of_unit, still_drying
from nuvlo.stages.sequence.pace import Pace, learned
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but
from tests.workshop.test_session import line

NOW = datetime(2026, 11, 23, 18, 0)  # a Monday
EVENINGS = [Free(NOW + timedelta(days=d, hours=1), NOW + timedelta(days=d, hours=3)) for d in range(12)]


def job(name, minutes, after="", wait=0.0, clamps=0, whole=False):
    return Job(name, name, minutes, wait, tuple(after.split()), clamps, whole=whole)


def sound(found, given_jobs, free, clamps=6):
    """What no plan may do: two things at once, work outside free time, work before what it waits for, clamps twice."""
    by_id = {j.id: j for j in given_jobs}
    tasks = sorted(found.tasks, key=lambda t: t.start)
    for a, b in itertools.pairwise(tasks):
        assert a.end <= b.start
    ready = {}
    for t in tasks:
        assert any(f.start <= t.start and t.end <= f.end for f in free)
        assert all(ready[a] <= t.start for a in t.job.after if a in by_id)
        ready[t.job.id] = t.ready
    spent = {j.id: sum((t.end - t.start).total_seconds() / 60 for t in tasks if t.job.id == j.id) for j in given_jobs}
    assert all(j.minutes <= spent[j.id] < j.minutes + 1.001 for j in given_jobs)
    held = [(t.start, t.ready, t.job.clamps) for t in tasks if t.job.clamps]
    for start, _, _ in held:
        assert sum(n for s, e, n in held if s <= start < e) <= clamps
    assert found.finish == max(t.ready for t in tasks)
    assert found.bound <= found.finish


SMALL = st.lists(
    st.tuples(st.sampled_from([10, 25, 45, 70, 110]), st.sampled_from([0.0, 0.0, 1.0, 5.0, 30.0]), st.integers(0, 4), st.sets(st.integers(0, 4), max_size=2)),
    min_size=1, max_size=5,
)  # fmt: skip


@settings(max_examples=25)
@given(SMALL, st.integers(3, 6))
def test_the_finish_is_the_earliest_of_all_orders(rows, clamps):
    """Every order of the pieces, each placed as early as it can be: among such schedules is one with the earliest finish
    (K. Baker, Introduction to Sequencing and Scheduling, on semi-active and active schedules; from memory)."""
    some = [
        job(f"j{k}", minutes, " ".join(f"j{a}" for a in after if a < k), wait, min(grip, clamps), whole=True)
        for k, (minutes, wait, grip, after) in enumerate(rows)
    ]
    found = plan(some, EVENINGS, NOW, clamps)
    sound(found, some, EVENINGS, clamps)
    assert found.optimal
    problem = calendar._drawn_up(some, EVENINGS, NOW, clamps)
    ends = []
    for order in itertools.permutations(range(len(problem.pieces))):
        starts = calendar._in_turn(problem, order)
        ends.append(calendar._finish(problem, starts))
    assert found.finish == NOW + timedelta(minutes=min(ends))


def test_a_long_job_is_broken_up_and_glue_is_not():
    some = [job("long", 100), job("glue", 100, whole=True)]
    found = plan(some, EVENINGS, NOW)
    sound(found, some, EVENINGS)
    assert {t.parts for t in found.tasks if t.job.id == "long"} == {4}
    assert [t.parts for t in found.tasks if t.job.id == "glue"] == [1]


def test_little_is_left_half_done():
    """Two jobs of 50 minutes and one of 20 in evenings of 70: a plan that breaks neither is as early as one that does."""
    free = [Free(f.start, f.start + timedelta(minutes=70)) for f in EVENINGS]
    found = plan([job("a", 50), job("b", 50), job("c", 20)], free, NOW)
    for name in ("a", "b"):
        mine = [t for t in found.tasks if t.job.id == name]
        assert mine[-1].end - mine[0].start == timedelta(minutes=50)


@pytest.mark.parametrize(
    ("some", "free", "says"),
    [
        ([job("a", 600)], EVENINGS[:2], "free time ends before the work"), ([job("a", 130, whole=True)], EVENINGS, "one go"),
        ([job("a", 10, clamps=9)], EVENINGS, "9 clamps"), ([job("a", 10, "b"), job("b", 10, "a")], EVENINGS, "wait for each other"),
        ([job("a", 10)], [], "longest free time is 0"),
    ],
)  # fmt: skip
def test_what_cannot_be_planned_is_said(some, free, says):
    with pytest.raises(NuvloError, match=says):
        plan(some, free, NOW)


def test_a_search_cut_short_gives_what_it_has_with_its_bound():
    every = [j for n in range(1, 5) for j in of_unit(jobs(read_kit(SHIPPED / "barrowmoor")), f"unit {n}")]
    free = read_free(USUAL, NOW)
    found = plan(every, free, NOW, seconds=0.05)
    sound(found, every, free)
    assert found.bound <= found.finish


@pytest.mark.parametrize("kit", long_but(["barrowmoor", "kilnlight"], sorted(p.name for p in SHIPPED.iterdir())))
def test_every_kit_has_a_calendar(kit):
    opened = read_kit(SHIPPED / kit)
    some, free = jobs(opened), read_free(USUAL, NOW)
    found = plan(some, free, NOW, seconds=2.0)
    sound(found, some, free)
    assert [e for e in evenings(found, free, opened) if e.needs]
    verbs = [t.job.kind for t in found.tasks]
    assert verbs[-1] in ("sheet", "craft.settle", "craft.stair-6", "close")


def test_cabinets_wait_for_their_glue_and_hold_up_what_goes_in():
    found = plan(jobs(read_kit(SHIPPED / "barrowmoor")), read_free(USUAL, NOW), NOW)
    at = {t.job.id: t for t in found.tasks}
    assert at["craft-trim"].start >= at["craft-carcass"].end + timedelta(hours=4)
    mount = next(t for t in found.tasks if t.job.kind == "mount")
    assert mount.start >= at["craft-wadding"].end
    assert at["craft-settle"].ready == at["craft-settle"].end + timedelta(hours=24)
    assert "wood glue" in at["craft-carcass"].job.needs


def test_brads_free_the_clamps():
    kit = read_kit(SHIPPED / "barrowmoor")
    glued, nailed = ({j.id: j for j in jobs(kit, Build("x", stances={"glue": side}))} for side in ("clamps", "brads"))
    assert (glued["craft-carcass"].clamps, nailed["craft-carcass"].clamps) == (4, 0)
    assert nailed["craft-carcass"].minutes > glued["craft-carcass"].minutes


# -- free time -------------------------------------------------------------------------------------------------------


def test_free_time_is_read_joined_and_cut_off_at_now():
    text = "start,end\n2026-11-23T17:00,2026-11-23T19:00\n2026-11-23T18:30,2026-11-23T20:00\n2026-11-22T10:00,2026-11-22T12:00\n"
    assert read_free(text, NOW) == [Free(NOW, NOW.replace(hour=20))]
    weekly = read_free("day,from,to\ntue,19:30,21:30\n", NOW, days=14)
    assert [f.start for f in weekly] == [
        datetime(2026, 11, 24, 19, 30),
        datetime(2026, 12, 1, 19, 30),
        datetime(2026, 12, 8, 19, 30),
    ]


@pytest.mark.parametrize(
    ("text", "says"),
    [("when\n1\n", "heading names no times"), ("start,end\nfish,2026-11-23T19:00\n", "Invalid isoformat"),
     ("start,end\n2026-11-23T20:00,2026-11-23T19:00\n", "ends before it begins"), ("day,from,to\nsomeday,1,2\n", "not a day of the week"),
     ("start,end\n2026-11-27T19:30\n", "end is empty")],
)  # fmt: skip
def test_free_time_that_cannot_be_read_is_placed(text, says):
    with pytest.raises(NuvloError, match=says):
        read_free(text, NOW)


def test_free_time_may_name_its_zone():
    """ISO 8601 with a zone was refused with a traceback; it is the same moment on the builder's own clock."""
    now = NOW.replace(tzinfo=UTC)
    (free,) = read_free("start,end\n2026-11-27T19:30+01:00,2026-11-27T20:30Z\n", now)
    assert (free.start, free.end) == (now.replace(day=27, hour=18, minute=30), now.replace(day=27, hour=20, minute=30))
    assert read_free("start,end\n2026-11-27T12:00Z,2026-11-27T14:00Z\n", NOW)[0].start.tzinfo is None


# -- the log ---------------------------------------------------------------------------------------------------------


def test_work_done_is_planned_no_more_and_what_dries_is_waited_for(bench):
    session = bench(kind="typed")
    kit = session.kit
    before = {j.id for j in jobs(kit, session.build)}
    for ref in kit.parts:
        line(session, ref.lower())
    line(session, "stage fit")
    for _ in range(60):
        now = session.now()
        if now is None or session.stage.value != "fit" or now.task.title.startswith("Mount"):
            break
        line(session, "confirm" if now.task.hazard else "next")
    wash = next(s.id for s in board_order(kit) if s.verb == "wash")
    washed = session.build.done_at[wash]
    left = jobs(kit, session.build, now=washed)
    assert "unpack" in before
    assert "unpack" not in {j.id for j in left}
    assert left[0].kind == "mount"
    assert left[0].not_before == washed + timedelta(minutes=30)
    assert list(still_drying(kit, session.build, washed).values()) == [
        ("Brush and wash the solder side", washed + timedelta(minutes=30))
    ]
    assert still_drying(kit, session.build, washed + timedelta(hours=1)) == {}


def test_a_part_in_the_post_is_planned_round():
    kit = read_kit(SHIPPED / "gorsefire")
    found = jobs(kit, Build("x", marks={"C2": "posted"}), now=NOW)
    late = next(j for j in found if j.id == "posted")
    assert late.not_before == NOW + timedelta(days=7)
    assert late.parts == ("C2",)
    assert "posted" in next(j for j in found if j.kind == "joints").after
    made = plan(found, read_free(USUAL, NOW), NOW)
    assert next(t for t in made.tasks if t.job.kind == "fit").start < late.not_before


def test_the_pace_is_drawn_from_the_stated_figure_to_what_was_seen():
    assert Pace().minutes("fit.resistor", 1.5) == pytest.approx(1.5)
    seen = Pace({"fit.resistor": [3.0] * 40})
    assert 2.5 < seen.minutes("fit.resistor", 1.5) < 3.0
    narrow, wide = seen.spread("fit.resistor", 1.5), Pace().spread("fit.resistor", 1.5)
    assert narrow[1] / narrow[0] < wide[1] / wide[0]
    assert narrow[0] < 3.0 < narrow[1]


def test_the_log_gives_its_own_times(bench):
    session = bench(kind="typed")
    line(session, "r1 100")
    line(session, "r4 680")
    events = session.log.events(session.build.id)
    later = [e.model_copy(update={"at": e.at + timedelta(minutes=2 * k)}) for k, e in enumerate(events)]
    found = learned([(session.kit, session.build, later)])
    assert [round(m) for m in found.seen["unpack"]] == [2, 2]
    slow = jobs(session.kit, session.build, found)[0].minutes / jobs(session.kit, session.build)[0].minutes
    assert slow > 1.3


# -- told and written ------------------------------------------------------------------------------------------------


def test_what_fits_in_forty_minutes_can_be_begun_and_is_finished():
    found = tonight(jobs(read_kit(SHIPPED / "gorsefire")), 40, NOW)
    assert found[0].job.id == "unpack"
    assert found[-1].end <= NOW + timedelta(minutes=40)
    assert sum(t.job.minutes for t in found) > 30
    assert tonight(jobs(read_kit(SHIPPED / "gorsefire")), 1, NOW) == []


def test_calendar_files():
    kit = read_kit(SHIPPED / "barrowmoor")
    made = plan(jobs(kit, school=DEFAULT_SCHOOL), read_free(USUAL, NOW), NOW)
    file = File.from_ical(as_icalendar(made, kit.name, NOW))
    events = file.walk("VEVENT")
    assert [e.decoded("dtstart") for e in events] == [t.start for t in made.tasks]
    assert len({e["uid"] for e in events}) == len(events)
    assert any("Lacquer vapour" in e["description"] for e in events)
    rows = as_csv(made).splitlines()
    assert rows[0] == "step,unit,start,end,part,parts,ready,refs,needs,caution"
    assert len(rows) == len(made.tasks) + 1


def test_what_is_done_to_the_same_parts_is_told_in_one_line():
    kit = read_kit(SHIPPED / "gorsefire")
    free = read_free(USUAL, NOW)
    made = plan(jobs(kit, school=DEFAULT_SCHOOL), free, NOW)
    told = [line for evening in evenings(made, free, kit) for line in told_together(evening.tasks)]
    assert any(t.endswith("Fit the diodes, look at values, way round, solder") for t in told)
    pieces = {t.job.id for t in made.tasks if t.parts > 1}
    assert len(told) < len(made.tasks) - len(pieces)
    assert sum("Fit the" in t for t in told) == sum(t.job.kind == "fit" for t in made.tasks)
