"""Fit: how parts sit, joints from the outside in, rework that reopens checks, cabinet work against the clock, the review sheet."""

import re
from datetime import timedelta

import pytest

from nuvlo.craft.joints import rings
from nuvlo.craft.order import board_order
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook import Build, fold
from nuvlo.problems import NuvloError
from nuvlo.reports.joint_review import questions
from nuvlo.stages import fit, hook_up
from nuvlo.stages.sequence.jobs import jobs
from nuvlo.stages.unpack.letter import shopping_list
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop
from tests.conftest import reopened


@pytest.fixture
def open_kit(tmp_path):
    """``open_kit(name)``: a typed build of a shipped kit."""
    shops = []

    def make(name):
        shops.append(Workshop(tmp_path / f"shop{len(shops)}"))
        return shops[-1].start(read_kit(SHIPPED / name))

    yield make
    for shop in shops:
        shop.close()


def line(session, text):
    now = session.now()
    return execute(session, understand(text, session.kit, now.task if now else None, session.stage))


def through(session, title):
    """Go on in Fit until a step whose title begins so."""
    line(session, "stage fit")
    for _ in range(200):
        now = session.now()
        if now is None or now.task.title.startswith(title):
            return now
        line(session, "confirm" if now.task.hazard else "next")
    raise AssertionError(title)


@pytest.mark.parametrize(
    ("kit", "ref", "says"),
    [("lampwick", "D2", "lies against Q3"), ("kilnlight", "R109", "it warms"), ("kilnlight", "R107", "On the tags of SKT2"),
     ("reedling", "J1", "touch what it goes into first"), ("millrace", "U1", "mica washer"), ("barrowmoor", "L1", "insulating tape"),
     ("millrace", "Q1", "A few millimetres up"), ("gorsefire", "C4", "Long lead to the hole marked plus"), ("tidewheel", "TUNE", "Loose, until the panel"),
     ("millrace", "SKT3", "two corners first")],
)  # fmt: skip
def test_each_part_is_told_how_it_sits(kit, ref, says):
    found = {t.target: t for t in fit.tasks(read_kit(SHIPPED / kit), Build("x")) if t.target}
    assert says in found[ref].detail


@pytest.mark.parametrize("kit", sorted(p.name for p in SHIPPED.iterdir()))
def test_no_fitted_part_is_without_words_of_its_own(kit):
    for task in fit.tasks(read_kit(SHIPPED / kit), Build("x")):
        assert task.detail
        assert "{" not in task.title + task.detail


def test_joints_are_looked_over_from_the_edge_in():
    kit = read_kit(SHIPPED / "millrace")
    refs = next(s for s in board_order(kit) if s.verb == "joints").parts
    found = rings(kit, refs)
    assert sorted(r for ring in found for r in ring) == sorted(refs)
    width, height = kit.board.size

    def edge(ref):
        at = kit.board.placements[ref]
        return min(at.x_mm, width - at.x_mm, at.y_mm, height - at.y_mm)

    far = [max(edge(r) for r in ring) for ring in found]
    assert far == sorted(far)
    assert len(found) == -(-len(refs) // 12)


def test_a_bad_joint_stops_the_look_until_it_is_put_right(open_kit):
    session = open_kit("gorsefire")
    through(session, "Look over")
    assert "is dull" in line(session, "joint r1.2 dull").words
    stuck = next(
        f for f in session.findings(Stage.FIT) if "R1" in f.task.parts and f.task.title.startswith("Look over")
    )
    assert stuck.stuck
    assert "R1.2 is dull" in stuck.words
    assert "put right" in line(session, "joint r1.2 reflowed").words
    assert session.build.heats == {"R1": 1}
    assert not any(f.stuck for f in session.findings(Stage.FIT))
    for text in ("joint r99.1 dull", "joint r1.7 dull", "joint r1.1 fishy"):
        with pytest.raises(NuvloError):
            line(session, text)


def test_a_part_taken_off_reopens_its_checks_and_the_readings_after_it(open_kit):
    session = open_kit("gorsefire")
    through(session, "Mount")
    line(session, "tp3 0.6")
    done = set(session.build.done)
    said = line(session, "rework r3 off because it was 390 ohms").words
    assert "R3 off" in said
    assert "1 readings no longer hold" in said
    again = done - session.build.done
    titles = {f.task.title.partition(":")[0] for f in session.findings(Stage.FIT) if f.task.id in again}
    assert {
        "Fit R3",
        "Check the values of the resistors",
        "Solder the resistors",
        "Brush and wash the solder side",
    } <= titles
    assert any(t.startswith("Look over") for t in titles)
    assert not any(t.startswith("Solder the diodes") for t in titles)
    assert session.build.readings == []
    assert session.now().task.title.startswith("Fit R3")
    line(session, "undo")
    assert session.build.done == done
    assert len(session.build.readings) == 1


def test_a_joint_heated_again_reopens_only_the_look_and_the_wash(open_kit):
    session = open_kit("gorsefire")
    through(session, "Mount")
    done = set(session.build.done)
    line(session, "rework q1 hot")
    titles = {f.task.title for f in session.findings(Stage.FIT) if f.task.id in done - session.build.done}
    assert all(t.startswith(("Look over", "Brush")) for t in titles)
    assert titles
    for _ in range(2):
        said = line(session, "rework q1 hot").words
    assert "pads lift" in said


def test_a_whole_value_is_pulled(open_kit):
    session = open_kit("millrace")
    through(session, "Mount")
    line(session, "rework 4.7k off because the strip was wrong")
    off = {ref for ref, n in session.build.heats.items() if n}
    assert off == {p.ref for p in session.kit.parts.values() if p.value == 4700}
    assert len(off) > 1
    with pytest.raises(NuvloError, match="no part and no value"):
        line(session, "rework 47R5 off")


@pytest.mark.parametrize("typed", ["joint r1.2 dull", "rework r3", "rework 1u off", "joint c1.1 reflowed"])
def test_no_joint_is_spoken_of_before_its_part_is_in(open_kit, typed):
    session = open_kit("gorsefire")
    with pytest.raises(NuvloError, match="not on the board yet"):
        line(session, typed)
    assert not session.build.joints
    assert not session.build.heats
    through(session, "Mount")
    line(session, typed)


def test_who_keeps_no_book_of_steps_but_has_power_on_may_speak_of_joints(open_kit):
    session = open_kit("gorsefire")
    line(session, "stage wake")
    line(session, "tp0 9.0")
    assert "is dull" in line(session, "joint r1.2 dull").words


def test_the_log_of_rework_folds_to_the_same_build(open_kit):
    session = open_kit("gorsefire")
    through(session, "Mount")
    line(session, "rework r3 off")
    again = fold(session.build.id, session.log.events(session.build.id))
    assert (again.done, again.heats) == (session.build.done, session.build.heats)


# -- cabinets --------------------------------------------------------------------------------------------------------


def test_cabinet_work_waits_while_the_glue_sets_and_the_board_is_built_meanwhile(open_kit):
    session = open_kit("barrowmoor")
    line(session, "stage fit")
    while session.now().task.hazard:
        line(session, "confirm")
    assert session.now().task.title.startswith("Dry run")
    with pytest.raises(NuvloError, match="no glue in this step"):
        line(session, "begin")
    line(session, "next")
    assert "10 minutes" in line(session, "begin").words
    (running,) = session.running()
    assert running.open
    line(session, "next")
    assert session.running()[0].words_before_time_left.startswith("Glue in the chamber of the midrange: ready in")
    assert re.search(r"Glue in the chamber of the midrange: ready \w{3} \d\d:\d\d", session.snapshot().where_you_were())
    waiting = next(f for f in session.findings(Stage.FIT) if f.task.title.startswith("Glue and clamp"))
    assert waiting.waits
    assert re.search(r"Glue in the chamber of the midrange: not dry or set before \w{3} \d\d:\d\d, 2\u202fh", waiting.words)
    assert session.now().task.title.startswith("Fit R")  # the crossover is built while the cabinet dries
    mount = next(f for f in session.findings(Stage.FIT) if f.task.title.startswith("Mount"))
    assert "Line with wadding" in mount.words
    with pytest.raises(NuvloError, match="out of its window"):
        line(session, "accept")  # what is in hand does not wait


def test_what_is_passed_over_before_its_time_is_said_and_stays_on_the_sheet(open_kit):
    """Glue that is wet, and a step that is not done."""
    session = open_kit("barrowmoor")
    line(session, "stage fit")
    while not session.now().task.title.startswith("Glue in"):
        line(session, "confirm" if session.now().task.hazard else "next")
    line(session, "next")
    while not session.now().waits:
        line(session, "confirm" if session.now().task.hazard else "next")
    assert session.now().task.title.startswith("Glue and clamp")
    with pytest.raises(NuvloError, match="not dry or set"):
        line(session, "next")
    said = line(session, "accept no time").words
    assert re.search(r"2\u202fh 0\u202fmin before 'Glue in the chamber of the midrange' is dry or set", said)
    assert "The sheet will say so" in said
    glued = session.now()
    assert glued.task.title.startswith("Glue and clamp")
    assert not glued.done, "it goes on without waiting; that it was clamped nobody has said"
    line(session, "next")
    (kept,) = session.snapshot().sheet().ahead
    assert kept == "Glue and clamp the carcass: 2\u202fh 0\u202fmin before 'Glue in the chamber of the midrange' is dry or set; no time"
    line(session, "accept")
    assert len(session.snapshot().sheet().ahead) == 1, "it is not done yet"
    line(session, "next")
    assert session.snapshot().sheet().ahead[-1].startswith("Trim the edges flush: ")


def test_what_set_lets_the_next_step_go_on(open_kit, monkeypatch):
    session = open_kit("barrowmoor")
    line(session, "stage fit")
    while session.now().task.hazard:
        line(session, "confirm")
    for _ in range(2):
        line(session, "next")
    step = "fit.craft.chamber"
    session.build.done_at[step] -= timedelta(hours=5)
    session.forget()
    assert session.now().task.title.startswith("Glue and clamp the carcass")
    assert session.running() == []


# -- pictures and the sheet for other eyes --------------------------------------------------------------------------


def test_the_review_sheet_asks_by_name_and_shows_the_pictures(open_kit, tmp_path):
    from PIL import Image

    session = open_kit("gorsefire")
    through(session, "Look over")
    Image.new("RGB", (320, 200), "grey").save(tmp_path / "joints.png")
    assert "is kept with 'Look over" in line(session, f"photo {tmp_path / 'joints.png'} the left edge").words
    line(session, "joint r1.1 bridge")
    line(session, "joint r1.1 reflowed")
    asked = questions(session.kit, session.build)
    assert any("mm apart: clear of each other?" in q for q in asked)
    assert any("R1.1 was marked reflowed" in q for q in asked)
    assert "review.pdf" in line(session, "review").words
    (sheet,) = session.places.sheets.glob("*review.pdf")
    assert sheet.read_bytes().startswith(b"%PDF")
    assert sheet.stat().st_size > 20_000
    with pytest.raises(NuvloError, match="no file"):
        line(session, "photo nowhere.png")


def test_coming_back_says_where_you_were(open_kit):
    session = open_kit("gorsefire")
    assert session.snapshot().where_you_were() == ""
    through(session, "Solder the diodes")
    again = reopened(session)
    assert "Check which way round the diodes sit" in again.snapshot().where_you_were()


def test_wires_straight_into_the_board_are_told_one_by_one_and_not_soldered_there_again(bench):
    """Each wire with its colour, length and far end, two of them at W2; Hook up then asks only for the far ends."""
    session = bench(kind="typed")
    posts = {j.id: j.minutes for j in jobs(session.kit, session.build)}
    assert any("posts for wires" in what for what, _ in shopping_list(session.kit, {}))
    line(session, "school direct")
    (leads,) = [f.task for f in session.findings(Stage.FIT) if f.task.title.startswith("Solder the wires")]
    assert "W2 (black, 70\u202fmm, to J3.minus); W2 (black, 60\u202fmm, to J1.sleeve)" in leads.detail
    assert set(leads.parts) == set(session.kit.wire_ends)
    wires = [t for t in hook_up.tasks(session.kit, session.build) if t.id.startswith("hook_up.wire")]
    ends = set(session.kit.wire_ends)
    inside = sum(bool({w.start, w.end} & ends) for w in session.kit.wires)
    assert sum("in the board at" in t.detail for t in wires) == inside == 12  # the others go from lug to lug
    direct = {j.id: j.minutes for j in jobs(session.kit, session.build)}
    assert direct["hook-up"] == pytest.approx(posts["hook-up"] - 1.5 * inside)
    assert not any("posts" in what for what, _ in shopping_list(session.kit, {}, posts=False))


@pytest.mark.parametrize("kit", sorted(p.name for p in SHIPPED.iterdir()))
@pytest.mark.parametrize("school", ["lowest", "semiconductors", "sections+batches+direct"])
def test_an_order_read_as_a_builder_would(kit, school):
    """What holds in every school: only pots, jacks and what hangs on tags is soldered after the wash, no chip meets an iron or
    wrong rails, the lid is last but for the knobs."""
    opened = read_kit(SHIPPED / kit)
    late = {r.part for r in opened.info.relation if r.how == "tags"} | {p.ref for p in opened.parts.values() if p.through_panel}
    steps = board_order(opened, school)
    assert all(set(s.parts) <= late or not set(s.parts) & late for s in steps if s.verb in ("fit", "solder"))
    verbs = [s.verb for s in steps if s.verb != "solder" or not set(s.parts) & late]
    for earlier, later in (("solder", "joints"), ("joints", "wash"), ("posts", "joints"), ("leads", "joints"), ("wash", "mount"),
                           ("wash", "power"), ("mount", "tighten"), ("tighten", "wire"), ("wire", "power"), ("look", "wire"), ("power", "plug"), ("plug", "set"),
                           ("set", "recheck"), ("power", "battery"), ("recheck", "close"), ("close", "knob")):  # fmt: skip
        if {earlier, later} <= set(verbs):
            assert len(verbs) - 1 - verbs[::-1].index(earlier) < verbs.index(later), (earlier, later)
    assert len(set(verbs) & {"posts", "leads"}) == bool(opened.wire_ends)
    if "close" in verbs:
        assert verbs[-1 - ("knob" in verbs)] == "close"
