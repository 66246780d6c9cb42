"""Mistakes put in by hand and found in a real window: by Space alone, by typed readings alone, and from two metres away."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from nuvlo.desktop import controller
from nuvlo.desktop.compared import ComparedGauge
from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.probes import COLD, TOUCH, Reading
from nuvlo.diagnosis.wires import KINDS
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.mistakes import shipped
from nuvlo.instruments.practice import PracticeBench
from nuvlo.kit import Stage
from nuvlo.logbook import ReadingTaken
from nuvlo.measurement import Observable, amps_of
from nuvlo.progress import pause
from nuvlo.stages.suspects import PROBING, Suspect, Suspicion, probe_task
from nuvlo.stages.task import Finding, Wants
from nuvlo.words import listed
from nuvlo.workshop.answers import SUSPECTS, Answer
from nuvlo.workshop.commands.arguments import Words
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.session import Session
from nuvlo.workshop.workshop import Workshop
from tests.conftest import long_but
from tests.desktop.conftest import begun

MOST_STEPS = 60
PLANTED = [
    "gorsefire|R4 is 68 kΩ in place of 680 Ω",
    "landing|R2 is 220 kΩ in place of 22 kΩ",
    "tollgate|every 15 kΩ is 15 Ω",
    "landing|every 100 kΩ is 100 Ω",
    "gorsefire|C4 is the wrong way round",
    "landing|C1 is the wrong way round",
    "gorsefire|Q1 is of another type|turned half round",
    "reedling|Q2 is turned half round",
    "gorsefire|solder joins",
    "landing|solder joins SKT1.7 and SKT1.8",
    "tollgate|the strap STRAP is open",
    "tollgate|the strap CASE is open",
    "sluice|the strap BODY is open",
    "landing|U1 is in backwards",
    "lampwick|U2 is in backwards",
    "tidewheel|U1 is in backwards",
    "lampwick|Q1 is a BD140, as Q2",
    "reedling|J1 and Q2 are exchanged",
]
QUICK = [p for p in PLANTED if p.split("|")[0] in ("gorsefire", "landing", "tollgate", "sluice")]


def planted(kit, wanted: list[str]) -> Mistake:
    return next(m for m in single_mistakes(kit) if any(re.sub(r"\s", " ", m.text).find(w) >= 0 for w in wanted))


def hunting(drive, tmp_path, kit, mistake, seed=5):
    """A window in which a unit with the mistake is to be woken."""
    return drive(opener=lambda: begun(tmp_path / "hunt", kit, f"practice:{seed}:{mistake.text}"))


def to_the_end(driver) -> None:
    """Space, and the word where a caution wants it, until what went wrong is known; 'hunt' where nothing stops."""
    for _ in range(MOST_STEPS):
        now = driver.session.now()
        if now is None or driver.session.stage not in (Stage.WAKE, Stage.SET, Stage.PROVE):
            driver.type("stage wake")
            driver.type("hunt")
        elif now.task.id.verb == PROBING and now.task.wants is Wants.STEP:
            return
        elif now.task.hazard:
            driver.type("confirm")
        elif now.task.wants is Wants.LOOK and driver.session.snapshot().by_eye:
            drawn = {ref for f in driver.window.board().marking.flaws for ref in (f.ref, *(pad.partition(".")[0] for pad in f.pads))}
            seen = [ref for ref in now.task.parts if ref in drawn]  # through the lens
            driver.type(f"look {seen[0].lower()} wrong" if seen else "look right")
        else:
            before = driver.session.build.events
            driver.space()
            if driver.session.build.events == before:  # a display that does not settle
                driver.type("skip")
    raise AssertionError(f"never found: {[s.words[0] for s in driver.session.snapshot().suspicion.suspects]}")


@pytest.mark.parametrize("what", long_but(QUICK, PLANTED))
def test_a_mistake_put_in_by_hand_is_found(drive, tmp_path, what):
    kit_name, *wanted = what.split("|")
    kit = read_kit(SHIPPED / kit_name)
    mistake = planted(kit, wanted)
    driver = hunting(drive, tmp_path, kit, mistake)
    to_the_end(driver)
    first = driver.session.snapshot().suspicion.suspects[0]
    assert mistake.text in first.words, (first.words, first.share)
    driver.type(f"found a{first.words.index(mistake.text) + 1}")
    assert driver.said.startswith("That was it"), driver.said
    assert driver.session.build.repairs[0].cause == mistake.kind
    assert not driver.session.build.readings


def as_it_should(task) -> str:
    """What is typed of a look or of a finger where nothing is wrong; empty of what a meter shows."""
    return "" if task.wants is not Wants.LOOK else "touch cool" if task.quantity == TOUCH else "look right"


@pytest.fixture
def stopped(drive, tmp_path, gorsefire):
    """A Gorsefire whose supply current stops it, values typed in, its suspects known."""
    driver = drive(opener=lambda: begun(tmp_path / "typed", gorsefire))
    driver.type("stage wake")
    while driver.session.now().task.hazard:
        driver.type("confirm")
    driver.space()  # looked over
    driver.type("5.05k")
    driver.type("1.2M")
    driver.type("5.9m")
    return driver


def test_a_typed_reading_alone_is_enough(stopped):
    window = stopped.window
    assert window.next_lane.keypad is not None or stopped.session.now().task.wants is Wants.LOOK
    found = stopped.session.snapshot().suspicion
    assert 1 <= len(found.suspects) <= 5
    assert window.readings.widget().findChildren(ComparedGauge)
    assert window.board().marking.accused
    before = found.suspects[0].share
    for _ in range(3):
        task = stopped.session.now().task
        stopped.type(as_it_should(task) or SHOWN[task.unit])
    after = stopped.session.snapshot().suspicion  # the list changes with each; what fits no mistake is asked again first
    assert after.again or after.suspects[0].share != before


def test_one_look_is_at_all_that_lies_side_by_side(drive, tmp_path, gorsefire):
    stopped = hunting(drive, tmp_path, gorsefire, planted(gorsefire, ["solder joins"]))
    for line in ("stage wake", "hunt"):
        stopped.type(line)
    for _ in range(4 * MOST_STEPS):
        task = stopped.session.now().task
        if task.quantity == "look" and len(task.parts) > 1:
            break
        stopped.type("confirm" if task.hazard else "skip")
    first, *others = task.parts
    offers = {o.line: o for o in stopped.window.next_lane.offers}
    assert f"look {first.lower()} wrong" in offers

    def looks() -> dict[str, float]:
        return {r.of.name: r.measured.value for r in stopped.session.build.readings if r.of.quantity == "look"}

    offers["look right"].click()
    stopped.settle()
    assert {ref: looks()[ref] for ref in task.parts} == dict.fromkeys(task.parts, 0.0)
    stopped.type("undo")
    assert not set(looks()) & set(task.parts)  # one look, one step back
    events = stopped.session.build.events
    stopped.type("look wrong")
    assert f"which of {first}" in stopped.said
    assert stopped.session.build.events == events
    stopped.press(Qt.Key.Key_Escape)
    stopped.type(f"look {first} wrong")
    assert looks()[first] == 1.0
    assert not set(looks()) & set(others)  # of these nothing was said


SHOWN = {"V": "0.61", "Ω": "5k", "A": "2.4m", "F": "100n"}


def test_red_and_black_are_marked_where_the_leads_go(stopped):
    for _ in range(8):
        found, task = stopped.session.snapshot().suspicion, stopped.session.now().task
        if found.next.quantity == "voltage":
            break
        stopped.type(as_it_should(task) or SHOWN[task.unit])
    marks = {colour: place for place, colour in stopped.window.board().marking.probes}
    assert set(marks) == {"red", "black"}
    nets = {f"{p.ref}.{p.pin}": p.net for p in stopped.session.kit.board.pads} | {p.ref: p.net for p in stopped.session.kit.board.pads}
    assert nets[marks["red"]] == found.next.nodes[0]
    assert nets[marks["black"]] == found.next.nodes[1] or {nets[marks["black"]], found.next.nodes[1]} <= {"0", "gnd"}


def test_it_reads_from_two_metres_away(stopped):
    stopped.type("large")
    said = [w for w in stopped.window.next_lane.findChildren(QLabel) if w.isVisible()]
    assert stopped.session.now().task.title in [w.text() for w in said]
    assert min(w.font().pointSizeF() for w in said) >= 28


def test_what_stands_can_be_accepted_all_the_same(stopped):
    assert stopped.session.snapshot().suspicion is not None
    stopped.type("accept another meter is in the lead")
    assert stopped.session.snapshot().suspicion is None
    assert stopped.session.now().task.title == "Measure TP0"


@pytest.mark.parametrize(("line", "says"), [("found z", "no suspect 'z'"), ("found a9", "no number 9"), ("look r99 wrong", "looks right or wrong"), ("look r4 maybe", "right or wrong"), ("touch r99 hot", "hot or cool"), ("touch r1 maybe", "hot or cool")])
def test_a_slip_is_named_and_nothing_is_lost(stopped, line, says):
    before = stopped.session.build.events
    stopped.type(line)
    assert says in stopped.said
    assert stopped.session.build.events == before
    assert stopped.session.snapshot().suspicion is not None


def test_what_a_finger_felt_counts(stopped):
    """Typed of any part at any time; a real unit is asked for it by buttons, one for each part."""
    for _ in range(4 * MOST_STEPS):
        found, now = stopped.session.snapshot().suspicion, stopped.session.now()
        if now.task.quantity == TOUCH:
            break
        stopped.type("skip")
    assert now.task.title == f"Touch {listed(now.task.parts)}"
    ref = now.task.parts[-1]
    next(o for o in stopped.window.next_lane.offers if o.line == f"touch {ref.lower()} hot").click()
    stopped.settle()
    assert {r.of.name: r.measured.value for r in stopped.session.build.readings if r.of.quantity == TOUCH} == {ref: 1.0}
    assert [(s.words, s.share) for s in stopped.session.snapshot().suspicion.suspects] != [(s.words, s.share) for s in found.suspects]
    stopped.type("touch hot" if len(now.task.parts) == 1 else "touch q1 cool")
    assert "Q1 is no hotter than it should be" in stopped.said or len(now.task.parts) == 1


@pytest.mark.parametrize(("line", "says"), [("touch c1 hot", "How warm C1 should be is not known"), ("touch r1 hot", ""), ("look r1 wrong", "")])
def test_what_weighs_with_no_suspect_is_said(stopped, line, says):
    before = [(s.words, s.share) for s in stopped.session.snapshot().suspicion.suspects]
    stopped.type(line)
    assert (says in stopped.said) if says else "weighs nothing" not in stopped.said
    after = [(s.words, s.share) for s in stopped.session.snapshot().suspicion.suspects]
    assert (after == before) == bool(says)
    assert stopped.session.build.readings[-1].of.name == line.split()[1].upper()


@pytest.mark.parametrize(("name", "refs", "says"), [("millrace", ("R31",), "R31 hangs on the tags of GAIN."), ("kilnlight", ("R102", "R211"), "R102 and R211 hang on the tags of SKT1."), ("millrace", ("R1",), "")])
def test_what_no_board_shows_is_found_all_the_same(name, refs, says):
    """The map shows no part that is soldered to the tags of another: it is said where it hangs, where it is looked at and where it is put right."""
    kit, first, beside = read_kit(SHIPPED / name), refs[0], refs[1:]
    look = Reading(Observable(first, "look"), "", beside=beside)
    suspect = Suspect("A", (f"{first} is missing",), "open", refs, 0.9)
    for found in (Suspicion(next=look), Suspicion(suspects=(suspect,), sure=True)):
        detail = probe_task(kit, Stage.WAKE, found).detail
        assert (says in detail) if says else "tags" not in detail


def test_no_finger_goes_where_a_voltage_can_kill(drive, tmp_path):
    bench = drive(opener=lambda: begun(tmp_path / "shop", read_kit(SHIPPED / "kilnlight"), "simulated:3"))
    before = bench.session.build.events
    bench.type("touch r109 hot")
    assert "voltage can kill" in bench.said
    assert bench.session.build.events == before


def test_a_repair_in_ones_own_words_is_kept_for_the_workshop(stopped):
    stopped.type("found the adapter was for another pedal")
    (repair,) = stopped.session.build.repairs
    assert (repair.text, repair.cause, repair.readings) == ("the adapter was for another pedal", "other", 3)
    stopped.type("undo")
    assert not stopped.session.build.repairs
    assert len(stopped.session.build.readings) == 3


def test_a_part_changed_opens_its_steps_again(drive, tmp_path, gorsefire):
    driver = drive(opener=lambda: begun(tmp_path / "hunt", gorsefire, "simulated:21:R4=68k"))
    for _ in range(400):
        now = driver.session.now()
        if now and now.task.id.verb == PROBING and now.task.wants is Wants.STEP:
            break
        if now.waits:
            driver.wait(now.task.held.until)
        elif now.task.hazard:
            driver.type("confirm")
        elif now.task.target == "R4" and now.task.wants is Wants.MEASURE:
            driver.type("r4 680")
        elif now.stuck:
            driver.type("accept seen later")
        else:
            driver.space()
    assert driver.session.stage is Stage.WAKE
    driver.space()
    assert driver.session.build.repairs[0].refs == ("R4",)
    assert driver.session.now().task.title.startswith("Measure R4")  # another part: it is measured
    driver.type("r4 680")
    assert driver.session.stage is Stage.FIT  # and its joints are looked at again before power
    assert not driver.session.build.readings


def test_nothing_inside_before_it_is_measured_to_be_empty(drive, tmp_path):
    """Where a voltage can kill, a look or ohms come after a measured voltage, each time it was powered."""
    kit = read_kit(SHIPPED / "kilnlight")
    driver = drive(opener=lambda: begun(tmp_path / "high", kit, "typed"))
    session = driver.session
    session.go_to(Stage.WAKE)
    session.record(ReadingTaken(point="TP1", quantity="voltage", value=120.0, uncertainty=1.0, unit="V", stage="wake", expected=(260.0, 233.0, 285.0)))
    snapshot = session.snapshot()
    table = Diagnosis(kit)
    cold = next(r for r in table.readings if r.quantity == "look")
    task = next(f.task for f in snapshot.findings(Stage.WAKE) if f.task.target == "TP1" and f.task.quantity == "voltage")
    found = Suspicion(next=cold)
    question = session._answers.suspecting(kit, session.build, task)
    at = replace(snapshot, suspecting=question, answers={**snapshot.answers, SUSPECTS: Answer(question, found)}, looking_at=None)
    probing = replace(at, gone_to=Stage.WAKE)
    probing.__dict__["stop"] = lambda: Finding(task, False)
    assert session.build.live
    probe = probing.probe()
    assert probe.task.unplugged
    assert "Unplug, discharge" in probe.task.title


def test_hunts_are_counted(drive, tmp_path, gorsefire):
    """Two in one workshop: the second says how they went together, and neither teaches the workshop what it never met."""
    workshop = Workshop(tmp_path / "hunts")
    for seed in (5, 6):
        session = workshop.start(gorsefire, bench=f"practice:{seed}:{planted(gorsefire, ['R4 is 68 kΩ']).text}")
        session.record(ReadingTaken(point="TP4", quantity="voltage", value=0.2, uncertainty=0.01, unit="V", stage="wake"))
        said = execute(session, Command("found", Words("R4 was wrong"))).words
        assert said.startswith("That was not it")
        said = execute(session, Command("found", Words(session.bench.hidden[0].text))).words
    assert "2 hunts so far" in said
    assert session._habits() == shipped()
    workshop.close()


def test_what_is_out_of_reach_is_not_asked_for_again(stopped):
    first = stopped.session.snapshot().suspicion.next
    stopped.type("skip")
    second = stopped.session.snapshot().suspicion.next
    assert second.of != first.of
    stopped.type(as_it_should(stopped.session.now().task) or SHOWN[stopped.session.now().task.unit])
    assert stopped.session.snapshot().suspicion.next.of not in (first.of, second.of)


def test_the_table_is_made_before_anything_stops(drive, tmp_path, gorsefire, monkeypatch, qtbot):
    """In a quiet moment of Wake; Esc stops it for good, and a question that is asked goes before it."""
    monkeypatch.setattr(controller, "AHEAD_MS", 1)
    driver = drive(opener=lambda: begun(tmp_path / "ahead", gorsefire))
    assert driver.session.wants_table()
    driver.type("stage wake")
    qtbot.waitUntil(lambda: not driver.session.wants_table(), timeout=20_000)


def test_the_builder_may_do_without_the_table(drive, tmp_path, gorsefire, monkeypatch, qtbot):
    monkeypatch.setattr(controller, "AHEAD_MS", 1)
    begun_work = []
    monkeypatch.setattr(Session, "make_table", lambda self: begun_work.append(self) or wait_for_stop())
    driver = drive(opener=lambda: begun(tmp_path / "ahead", gorsefire))
    driver.window.controller.session.go_to(Stage.WAKE)
    driver.window.controller.look_again()
    qtbot.waitUntil(lambda: bool(begun_work), timeout=10_000)
    driver.window.controller.stop()
    qtbot.waitUntil(lambda: driver.window.controller.idle, timeout=10_000)
    driver.window.controller.look_again()
    driver.settle()
    qtbot.wait(50)
    assert len(begun_work) == 1
    assert driver.session.wants_table()


def wait_for_stop() -> None:
    """As long work does."""
    while True:
        pause()
        time.sleep(0.005)


def test_a_stop_with_the_sockets_empty_is_looked_into_with_the_sockets_empty(drive, tmp_path):
    """What is read there counts, nothing is asked with the chips in, and what is wrong with a chip does not show yet."""
    kit = read_kit(SHIPPED / "landing")
    driver = hunting(drive, tmp_path, kit, planted(kit, ["the regulated supply is far too low", "is far too low"]))
    driver.type("stage wake")
    for _ in range(MOST_STEPS):
        now = driver.session.now()
        if now.task.id.verb == PROBING:
            break
        driver.type("confirm") if now.task.hazard else driver.space()
    assert driver.session.snapshot().stop().task.of.empty
    for _ in range(4):
        found = driver.session.snapshot().suspicion
        assert found.next is None or found.next.of.empty or found.next.quantity in COLD
        if found.next is None:
            break
        if found.next.of.empty:
            assert driver.session.now().task.title.startswith("Sockets empty: ")
        said = as_it_should(driver.session.now().task)
        driver.type(said) if said else driver.space()
    assert any(r.of.empty for r in driver.session.build.readings)
    assert any("far too low" in words for words in driver.session.snapshot().suspicion.suspects[0].words)


def test_a_chip_in_backwards_does_not_show_before_it_is_in():
    kit = read_kit(SHIPPED / "landing")
    wrong, sound = (PracticeBench(kit, 5, *hidden) for hidden in ([planted(kit, ["U1 is in backwards"])], []))
    supply = kit.info.supply[0].name
    assert wrong.take(amps_of(supply, empty=True)) == sound.take(amps_of(supply, empty=True))
    assert wrong.take(amps_of(supply)).value > 2 * sound.take(amps_of(supply)).value


def test_a_window_that_closes_gets_nothing_ready(drive, tmp_path, gorsefire, monkeypatch, qtbot):
    driver = drive(opener=lambda: begun(tmp_path / "closes", gorsefire))
    driver.type("stage wake")
    assert driver.window.controller._ahead.isActive()
    driver.window.controller.close()
    assert not driver.window.controller._ahead.isActive()


def test_a_wire_is_accused_under_power_and_shown(drive, tmp_path, gorsefire):
    """The wire from the supply's socket has come off: the meter in line shows nothing, the ohms of the board were right. With the volts at the board nothing
    too it is at the supply's own side; found, it is known by its id."""
    driver = drive(opener=lambda: begun(tmp_path / "typed", gorsefire))
    driver.type("stage wake")
    while driver.session.now().task.hazard:
        driver.type("confirm")
    driver.space()  # looked over
    for line in ("1.4M", "1.4M", "0"):
        driver.type(line)
    first, *_ = driver.session.snapshot().suspicion.suspects
    assert first.kind == "wire-open"
    assert {"W2", "W3"} <= set(first.refs)
    assert driver.window.board().marking.wires
    assert {"W2", "W3"} <= driver.window.board().marking.accused.keys()
    number = 1 + [words.startswith("wire 1 ") for words in first.words].index(True)
    driver.type(f"found {first.letter.lower()}{number}")
    (repair,) = driver.session.build.repairs
    assert repair.cause == "wire-open"
    assert repair.told[0].startswith("wire-open rwire_1")


def test_where_a_part_is_accused_the_wires_are_not_drawn(stopped):
    assert stopped.session.snapshot().suspicion.suspects[0].kind not in KINDS.values()
    assert not stopped.window.board().marking.wires
