"""The whole build without hands, on hidden units good and wrong; and the commands on the way."""

import re
import shutil

import pytest

from nuvlo import clock
from nuvlo.kit import Stage
from nuvlo.logbook.errors import LogbookError
from nuvlo.measurement import ohms_at, volts_at
from nuvlo.progress import Progress, Stopped, under
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import NotUnderstood, understand
from nuvlo.workshop.journey import run
from nuvlo.workshop.places import kit_place
from nuvlo.workshop.session import Refused, Session
from nuvlo.workshop.workshop import Workshop
from tests.conftest import long_but, reopened

# Three of the twenty hold a wrong part: one a meter finds in the bag, one that shows at power-up (a transistor of low
# gain, which no ohmmeter sees), one that only the sweep can find (an electrolytic ten times too small).
WRONG = {
    4: ({"R3": "390R"}, Stage.UNPACK, "R3"),
    11: ({"q1.bf": 12.0}, Stage.WAKE, "9 V supply"),
    16: ({"C2": "4u7"}, Stage.PROVE, "response"),
}


@pytest.mark.parametrize("seed", long_but((4,), range(20)))
def test_twenty_hidden_units(bench, seed):
    wrong, stage, place = WRONG.get(seed, (None, None, ""))
    session = bench(seed, wrong)
    outcome = run(session)
    if wrong:
        assert (outcome.finished, outcome.stage, outcome.stopped_at) == (False, stage, place)
        assert "looks like" in outcome.reason if stage is Stage.UNPACK else "expected" in outcome.reason
        assert next(s for s in session.path() if s.stage is stage).state == "stuck"
        return
    assert outcome.finished, outcome.reason
    unit = session.bench._point()
    share = unit.voltage("c2")[0] / unit.voltage("vcc")[0]
    assert share == pytest.approx(0.5, rel=0.02), "the bias is truly within 2 % of half the supply"
    assert session.snapshot().sheet().overall == "as meant"
    assert {s.state for s in session.path()} == {"done"}
    pdf = session.sheet_path
    assert pdf.read_bytes().startswith(b"%PDF")
    can_be_read(session)
    csv = pdf.with_suffix(".csv").read_text()
    assert all(name in csv for name in ("TP5,voltage", "gain,gain", "R3,resistance", "Hz,response"))


def type_line(session, text):
    now = session.now()
    return execute(session, understand(text, session.kit, now.task if now else None, session.stage))


def go(session, stage, wants=None):
    """Go on until ``stage`` asks for a task of the kind ``wants``."""
    for _ in range(300):
        session.settle()
        now = session.now()
        if session.stage is stage and (wants is None or now.task.wants is wants):
            return
        if now.waits:
            clock.ahead().wait_until(now.task.held.until)
            session.forget()
            continue
        execute(session, Command("confirm" if now.task.wants is Wants.CONFIRM else "next"))
    raise AssertionError(f"never came to {stage}")


def test_a_wrong_part_is_swapped_and_the_build_goes_on(bench):
    session = bench(1, {"R3": "390R"})
    stopped = run(session)
    assert stopped.stopped_at == "R3"
    with pytest.raises(Refused, match=r"is not 39.*looks like 390"):
        execute(session, Command("next"))
    type_line(session, "r3 swapped")
    assert session.now().task.target == "R3", "another part is measured anew"
    assert run(session, Stage.HOOK_UP).stage is Stage.HOOK_UP
    assert not session.now().stuck


@pytest.fixture(scope="module")
def swept_wrong(tmp_path_factory, gorsefire):
    """``swept_wrong()``: a copy of a unit that was carried to its sweep, which found a wrong capacitor."""
    folder = tmp_path_factory.mktemp("swept")
    first = Workshop(folder / "0", {"C2": "4u7"})
    build = first.start(gorsefire, bench="simulated:16")
    assert run(build).stopped_at == "response"
    first.close()
    copies = []

    def again() -> Session:
        copies.append(None)
        shutil.copytree(folder / "0", folder / str(len(copies)))
        session = Workshop(folder / str(len(copies)), {"C2": "4u7"}).open(build.build.id)
        session.settle()
        return session

    return again


def test_what_the_sweep_finds_is_mended_and_swept_again(swept_wrong):
    session = swept_wrong()
    type_line(session, "c2 swapped")
    assert "lies in its band" in type_line(session, "sweep").words
    assert len(session.build.curves) == 2
    assert run(session).finished


def test_accepting_a_reading_is_said_on_the_sheet(bench):
    session = bench(4, {"R3": "390R"})
    run(session)
    type_line(session, "accept trying it")
    (kept,) = session.build.accepted.items()
    assert kept[0] == "unpack.R3"
    assert re.fullmatch(r"R3 is not 39.kΩ: it reads 394.*; trying it", kept[1])
    sheet = session.snapshot().sheet()
    assert (sheet.overall, sheet.told) == (
        "not judged: 43 of 47 readings are not taken",
        "Readings taken: Unpack 4 of 8, Hook up 0 of 27, Wake 0 of 10, Set 0 of 1, Prove 0 of 1.",
    )
    with pytest.raises(Refused, match="nothing here is out"):
        type_line(session, "accept")


def test_undo_takes_a_turn_of_the_trimmer_back(bench):
    session = bench(5)
    go(session, Stage.SET, Wants.TURN)
    before = session.bench.unit.values()["xrv1.pos"]
    execute(session, Command("next"))
    assert session.build.turned("RV1") != 0
    type_line(session, "undo")
    assert session.build.turned("RV1") == 0
    assert session.bench.unit.values()["xrv1.pos"] == before
    type_line(session, "redo")
    assert session.build.turned("RV1") != 0


def test_cautions_need_their_word(bench):
    session = bench(2)
    go(session, Stage.FIT, Wants.CONFIRM)
    with pytest.raises(Refused, match="not passed by going on"):
        execute(session, Command("next"))
    type_line(session, "confirm")
    assert session.build.confirmed == {"iron"}
    with pytest.raises(Refused, match="no caution"):
        type_line(session, "confirm")


def test_a_build_is_found_again_as_it_was_left(bench, gorsefire):
    session = bench(3)
    go(session, Stage.SET, Wants.TURN)
    execute(session, Command("next"))
    position = session.bench.unit.values()["xrv1.pos"]
    again = reopened(session)
    assert again.build.turned("RV1") == session.build.turned("RV1")
    assert again.bench.unit.values()["xrv1.pos"] == pytest.approx(position)
    assert again.stage is Stage.SET
    assert again.kit.name == gorsefire.name
    assert kit_place(again.build.folder).name == "gorsefire"


def test_readings_keep_the_window_that_stood_when_they_were_taken(bench):
    session = bench(6)
    go(session, Stage.WAKE, Wants.READING)
    while session.now().task.target != "TP1":
        session.settle()
        if session.now().waits:
            clock.ahead().wait_until(session.now().task.held.until)
            session.forget()
        execute(session, Command("next"))
    tp0 = session.build.latest(volts_at("TP0"))
    assert tp0.expected[2] - tp0.expected[1] > 0.5, "though by now TP0 is known to a few mV"
    late = session.build.latest(ohms_at("TP0"))
    assert late.expected is not None


def test_a_reading_taken_before_the_model_has_answered_gets_its_window_later(bench):
    session = bench(6, kind="typed")
    type_line(session, "stage wake")
    type_line(session, "tp1 8.5")
    assert session.build.readings[-1].expected is None
    session.settle()
    assert session.build.readings[-1].expected is not None


def test_an_answer_to_an_old_question_is_dropped(bench):
    session = bench(6)
    type_line(session, "stage wake")
    answer = session.solve(Stage.WAKE)
    type_line(session, "r1 100.2")
    assert not session.adopt(answer)
    assert session.solved(Stage.WAKE) is None


def test_a_stopped_sweep_keeps_nothing(bench, monkeypatch):
    session = bench(7)
    type_line(session, "stage prove")
    while session.now().task.hazard:
        type_line(session, "confirm")
    assert session.now().task.wants is Wants.SWEEP
    play = session.bench.play
    progress = Progress()
    monkeypatch.setattr(session.bench, "play", lambda *a: (progress.stop(), play(*a))[1])
    with pytest.raises(Stopped), under(progress):
        execute(session, Command("next"))
    assert session.build.curves == []


def test_typed_values_without_a_bench(bench):
    session = bench(0, kind="typed")
    assert session.bench is None
    assert "R1 is right" in type_line(session, "100.1").words, "a bare value is for what is asked"
    with pytest.raises(Refused, match="no instrument is connected"):
        type_line(session, "read")
    assert session.build.measured["R1"][0].uncertainty == pytest.approx(2 * (0.5005 + 0.2) / 3**0.5, rel=1e-3)
    type_line(session, "stage hook")
    type_line(session, "leads 0.2")
    type_line(session, "j1.tip 2.2M")
    assert session.build.latest(ohms_at("J1.tip")).measured.value == pytest.approx(2.2e6 - 0.2)
    type_line(session, "j1.sleeve open")
    session.settle()
    assert next(f for f in session.findings(Stage.HOOK_UP) if f.task.target == "J1.sleeve").stuck
    with pytest.raises(Refused, match="no audio interface"):
        type_line(session, "sweep")


@pytest.mark.parametrize(
    ("line", "verb", "echo"),
    [
        ("r4 679", "measure", "R4 measures 679\u202fΩ"), ("R3 39,2k", "measure", "R3 measures 39.2\u202fkΩ"), ("d1", "tick", "D1 is there"),
        ("tp3 0.6", "reading", "TP3 reads 600\u202fmV"), ("current 2.3m", "current", "9 V supply reads 2.3\u202fmA"), ("r4 missing", "mark", "R4 is missing"),
        ("c2 reversed", "mark", "C2 is reversed"), ("note lid scratched", "note", "keep a note"), ("turn -12", "turn", "RV1 turned 12° anticlockwise"),
        ("turn rv1 30", "turn", "RV1 turned 30° clockwise"), ("turn 30 left", "turn", "RV1 turned 30° anticlockwise"), ("choose 2", "choose", "fit 220n as C1"),
        ("choose 47N", "choose", "fit 47n as C1"), ("stage hook up", "stage", "go to Hook up"), ("find c2", "find", "show C2"), ("u", "undo", "take"),
        ("ok", "next", "go on"), ("J1.TIP 2.2M", "reading", "J1.tip reads"), ("j1.sleeve OL", "reading", "J1.sleeve reads over range"), ("99.2", "measure", "R1 reads"),
        ("lamp", "lamp", "dark"), ("accept it will do", "accept", "accept"),
    ],
)  # fmt: skip
def test_the_bench_line_says_what_it_understood(line, verb, echo, bench):
    session = bench()
    command = understand(line, session.kit, session.now().task, session.stage)
    assert command.verb == verb
    assert echo in command.echo


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("", "nothing is typed"), ("r33 5k", "Did you mean 'R3'"), ("r3 5q", "unit"), ("r3 5 V", "where Ω is wanted"), ("note", "to be noted"),
        ("choose 9u", "Options: 1u, 220n, 47n"), ("turn", "How far"), ("turn lots", "not an angle"), ("turn nan", "no trimmer turns"), ("r4 -3", "less than nothing"), ("stage tea", "no stage"), ("find z9", "no 'z9'"),
        ("tp3", "what does TP3 read"), ("j1 4k7", "no value to measure"), ("sideways", "Did you mean 'side'"), ("xyzzy 12", "help"),
    ],
)  # fmt: skip
def test_the_bench_line_says_what_it_could_not_understand(line, says, bench):
    session = bench()
    with pytest.raises(NotUnderstood) as caught:
        understand(line, session.kit, session.now().task, session.stage)
    assert says in str(caught.value)


def test_looking_back_and_finding(bench):
    session = bench()
    with pytest.raises(Refused, match="first step"):
        type_line(session, "back")
    execute(session, Command("next"))
    type_line(session, "back")
    assert session.now().task.target == "R1"
    execute(session, Command("next"))
    assert session.now().task.target == "R4", "looking back changed nothing"
    assert "28" in type_line(session, "find r1").words
    assert type_line(session, "find j1").shows == "J1"
    pad, point = type_line(session, "find w6"), type_line(session, "find TP1")
    assert (pad.shows, point.shows) == ("W6", "TP1")
    assert "the pad of wire 7" in pad.words
    assert "wire" not in point.words
    for empty in ("redo",):
        with pytest.raises(Refused):
            type_line(session, empty)


def test_serials_count_up(tmp_path, gorsefire):
    workshop = Workshop(tmp_path)
    assert [workshop.start(gorsefire).build.serial for _ in range(2)] == ["001", "002"]


def test_a_sheet_that_cannot_be_written_is_said(bench):
    session = bench(1)
    session.places.sheets.write_text("a file where the folder should be")
    type_line(session, "stage hand")
    with pytest.raises(Refused, match="cannot be written"):
        type_line(session, "sheet")
    assert session.build.exports == []


def test_a_failed_write_leaves_the_state_as_it_was(bench, monkeypatch):
    from nuvlo.problems import Problem

    session = bench(1)

    def full(*_, **__):
        raise LogbookError(Problem("could not be written: the disk is full or refuses to write.", ""))

    monkeypatch.setattr(session.log, "append", full)
    with pytest.raises(LogbookError):
        type_line(session, "r1 100.1")
    assert session.build.measured == {}


def test_without_an_interface_the_gain_is_typed_and_judged(bench):
    session = bench(0, kind="typed")
    type_line(session, "stage prove")
    session.settle()
    type_line(session, "confirm")
    with pytest.raises(Refused, match="no audio interface is connected"):
        type_line(session, "read")
    type_line(session, "gain 20")
    assert session.now().stuck
    assert "low" in session.now().words
    type_line(session, "gain 41.5")
    assert next(s for s in session.path() if s.stage is Stage.PROVE).state == "done"
    assert session.snapshot().gain().verdict == "in"


def test_a_finished_unit_opened_again_is_judged_again(swept_wrong):
    session = swept_wrong()
    type_line(session, "accept for the record")
    assert run(session).finished
    again = reopened(session)
    again.settle()
    assert again.stage is Stage.HAND_OVER
    assert again.snapshot().sheet().proof_verdict == "out"
    assert again.snapshot().sheet().overall != "as meant"


def can_be_read(session: Session) -> None:
    """The PDF holds its words as text: name, verdict, a reading and its window."""
    from PyQt6.QtPdf import QPdfDocument

    document = QPdfDocument(None)
    document.load(str(session.sheet_path))
    assert document.pageCount() == 1
    text = document.getAllText(0).text().replace("\u202f", " ")
    for words in ("Gorsefire", "This unit is as meant", "TP5", "in window", "Gain at 1 kHz", "qualified person"):
        assert words in text
