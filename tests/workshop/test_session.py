"""One build's state: the path, what changes the model's answers, and what a workshop finds again."""

import shutil

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import KitError, Stage
from nuvlo.logbook import fold
from nuvlo.measurement import ohms_at
from nuvlo.problems import NuvloError, Problem, errors
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import Command, names, understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.places import kit_place
from nuvlo.workshop.session import Refused
from nuvlo.workshop.workshop import Workshop


def line(session, text):
    now = session.now()
    return execute(session, understand(text, session.kit, now.task if now else None, session.stage))


def test_the_path_begins_at_unpack_and_all_else_is_to_come(bench):
    states = bench().path()
    assert [s.stage for s in states] == list(Stage)
    assert [s.state for s in states] == ["in hand"] + ["to come"] * 8
    assert states[0].total == 27


@pytest.mark.parametrize(
    ("text", "stage", "changes"),
    [
        ("r3 39.1k", Stage.WAKE, True), ("tp0 9.1", Stage.WAKE, True), ("turn 20", Stage.WAKE, True), ("tp5 4.4", Stage.WAKE, True),
        ("choose 2", Stage.WAKE, True), ("note hello", Stage.WAKE, False), ("tp2 1.2", Stage.WAKE, False), ("d1", Stage.WAKE, False),
        ("tp2 1.2", Stage.SET, True), ("r4 missing", Stage.WAKE, False),
    ],
)  # fmt: skip
def test_what_changes_the_answers_of_the_model(bench, text, stage, changes):
    session = bench(kind="typed")
    line(session, "stage wake")
    before = session.question(stage)
    line(session, text)
    assert (session.question(stage) != before) == changes


@pytest.mark.parametrize("stage", [Stage.UNPACK, Stage.SEQUENCE, Stage.FIT])
def test_stages_that_need_no_model_never_ask_it(bench, stage):
    assert not bench().wants_solving(stage)


@pytest.mark.parametrize("stage", [Stage.CHOOSE, Stage.HOOK_UP, Stage.WAKE, Stage.SET, Stage.PROVE, Stage.HAND_OVER])
def test_stages_that_need_the_model_ask_it_once(bench, stage):
    session = bench()
    assert session.wants_solving(stage)
    assert session.adopt(session.solve(stage))
    assert not session.wants_solving(stage)
    assert session.solved(stage) is not None
    assert session.solved(stage).problem == ""


def test_a_stage_gone_to_is_left_when_it_is_done(bench):
    session = bench()
    line(session, "stage sequence")
    assert session.stage is Stage.SEQUENCE
    execute(session, Command("next"))
    assert session.stage is Stage.UNPACK, "back to what is open"


def test_leads_are_taken_off_every_resistance_that_follows(bench):
    session = bench(kind="typed")
    line(session, "stage hook up")
    line(session, "leads 0.3")
    line(session, "j1.sleeve 0.4")
    assert session.build.latest(ohms_at("J1.sleeve")).measured.value == pytest.approx(0.1)
    line(session, "j1.sleeve 0.1")
    assert session.build.latest(ohms_at("J1.sleeve")).measured.value == 0.0, "never less than nothing"


def test_verbs_of_the_window_are_not_for_the_session(bench):
    with pytest.raises(Refused, match="for the window"):
        execute(bench(), Command("lamp"))


@pytest.mark.parametrize(
    ("choices", "kept"),
    [(["1"], True), (["1u"], True), (["2"], False), (["2", "1"], False), (["1", "1"], True), (["1", "2"], False)],
)
def test_choosing_what_is_meant_already_keeps_what_was_measured(bench, choices, kept):
    session = bench(kind="typed")
    line(session, "c1 1.02u")
    for choice in choices:
        line(session, f"choose {choice}")
    assert (session.build.part_value("C1") is not None) is kept
    again = fold(session.build.id, session.log.events(session.build.id))
    assert again.measured == session.build.measured


def test_what_was_measured_after_a_choice_holds_when_it_is_made_again(bench):
    session = bench(kind="typed")
    for typed in ("choose 2", "c1 0.221u", "choose 2"):
        line(session, typed)
    assert session.build.part_value("C1") is not None


def test_turning_without_advice_is_refused_in_words(bench):
    session = bench(kind="typed")
    line(session, "stage set")
    line(session, "tp5 4.3")
    assert session.now().task.wants is Wants.TURN
    with pytest.raises(Refused, match="Read TP1 first"):
        execute(session, Command("next"))


def test_a_kit_folder_of_ones_own_is_found_again(tmp_path):
    folder = shutil.copytree(SHIPPED / "gorsefire", tmp_path / "mine")
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(folder))
    assert kit_place(session.build.folder) == folder
    assert workshop.open(session.build.id).kit.folder == folder
    shutil.rmtree(folder)
    with pytest.raises(KitError, match="not a kit folder"):
        workshop.open(session.build.id)


def test_the_names_of_a_kit_are_offered_once_each(gorsefire):
    offered = names(gorsefire)
    assert len(set(offered)) == len(offered)
    assert {"R1", "TP5", "J1.tip", "undo", "turn", "gain"} <= set(offered)


def test_problems_say_where_and_what_to_do():
    problem = Problem("is empty.", "Fill it in.", "bom.csv", 3, 7, "R1")
    assert str(problem) == "bom.csv:3:7: R1: is empty. Fill it in."
    assert str(Problem("only words.")) == "only words."
    warning = Problem("odd.", severity="warning")
    assert errors([warning, problem]) == (problem,)
    error = NuvloError([problem, warning])
    assert error.problems == (problem, warning)
    assert str(error).count("\n") == 1


def test_simulated_units_differ_by_seed_and_only_by_seed(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)
    values = [workshop.start(gorsefire, bench=f"simulated:{seed}").bench.unit.values() for seed in (1, 2, 1)]
    assert values[0] == values[2]
    assert values[0] != values[1]
    assert workshop.start(gorsefire).bench is None


REFS, VALUES = ["r1", "r3", "r4", "c1", "d1", "q1", "fuzz", "case"], ["0", "-3", "1e99", "fish", "4.48", "99.2k", "nan", "OL", "missing", "posted", "wrong"]  # fmt: skip
WHATEVER = st.one_of(
    st.sampled_from(["next", "back", "undo", "redo", "read", "confirm", "begin", "drawer", "match", "letter", "mod", "tonight 40",
                     "note x", "accept so", "school sections", "school direct", "school spot", "choose 2", "turn 30", "turn nan",
                     "rework r4 off because cold", "joint r4.1 dull", "joint r4.1 reflowed", "tray strip", "variant twelve"]),
    st.builds("{} {}".format, st.sampled_from([*REFS, "tp1", "tp5", "leads", "j1.tip", "current", "gain"]), st.sampled_from(VALUES)),
    st.builds("stage {}".format, st.sampled_from([s.value for s in Stage])),
    st.builds("mod {} {} because".format, st.sampled_from(REFS), st.sampled_from(["47k", "fish", "printed", "1n"])),
    st.builds("instead {}".format, st.sampled_from(REFS)),
)  # fmt: skip


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(WHATEVER, min_size=5, max_size=30))
def test_whatever_is_typed_is_done_or_refused_in_words(bench, lines):
    """No line, and no row of lines, leaves a build that can no longer be shown."""
    session = bench(kind="simulated")
    for text in lines:
        try:
            line(session, text)
        except NuvloError as refused:
            assert all(p.message for p in refused.problems)
        for stage in Stage:
            session.findings(stage)
        session.path()


def test_readings_that_do_not_agree_are_said_and_not_averaged(bench):
    session = bench(kind="typed")

    def said() -> str:
        return next(f.task.detail for f in session.findings(Stage.UNPACK) if f.task.target == "R1")

    line(session, "r1 100")
    line(session, "r1 1e9")
    assert "An earlier reading lies too far from the newest to be of the same part: the newest counts." in said()
    assert "their mean" not in said()
    assert session.build.part_value("R1").value == 1e9
    line(session, "r1 100.2")
    assert "2 readings" in said()
    assert "An earlier reading lies" in said()
    assert session.build.part_value("R1").value == pytest.approx(100.1)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("r3 39.1k", "R3, 39.1 kΩ"), ("tp0 9.1", "the reading at TP0, 9.1 V"), ("turn 20", "the turn of RV1 by 20°"), ("r4 missing", "what was said of R4"),
        ("note the lamp is dim", "the note 'the lamp is dim'"), ("choose 2", "the choice of 220n for C1"),
    ],
)  # fmt: skip
def test_what_is_taken_back_is_named(bench, typed, says):
    session = bench()
    if typed.startswith("choose"):
        session.go_to(Stage.CHOOSE)
    line(session, typed)
    said = line(session, "undo").words.replace("\u202f", " ")
    assert said.startswith("Taken back: ")
    assert says in said
