"""What each stage asks, and what it makes of the answers."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from nuvlo.craft.joints import rings
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.step_id import wire_step
from nuvlo.logbook import (
    Build,
    CautionConfirmed,
    ChoiceMade,
    CurveTaken,
    Event,
    PartMarked,
    PartMeasured,
    PartTicked,
    ReadingTaken,
    StepAccepted,
    StepDone,
    TrimmerTurned,
    fold,
)  # fmt: skip
from nuvlo.measurement import ohms_at
from nuvlo.model import WorkingModel
from nuvlo.model.placed import placed
from nuvlo.model.windows import Window
from nuvlo.quantity import Verdict
from nuvlo.reports.readings import write_readings
from nuvlo.stages import choose, fit, hand_over, hook_up, prove, sequence, set_up, unpack, wake
from nuvlo.stages.task import Task, Wants, finding
from nuvlo.workshop.demo import SHIPPED
from tests.workshop.test_session import line


def build(*bodies) -> Build:
    now = datetime(2026, 1, 1, tzinfo=UTC)
    return fold("b", [Event(id=f"e{k}", build="b", at=now, body=body) for k, body in enumerate(bodies)])


def volts(point, value, stage="set"):
    return ReadingTaken(point=point, quantity="voltage", value=value, uncertainty=0.012, unit="V", stage=stage)


def measured(ref, value, uncertainty=1.0):
    return PartMeasured(ref=ref, value=value, uncertainty=uncertainty, unit="Ω")


@pytest.mark.parametrize("module", [unpack, choose, sequence, fit, hook_up, wake, set_up, prove, hand_over])
def test_every_stage_has_tasks_with_titles_and_unique_names(module, gorsefire):
    tasks = module.tasks(gorsefire, build())
    assert tasks
    assert len({t.id for t in tasks}) == len(tasks)
    assert all(t.title for t in tasks)


@pytest.mark.parametrize(
    ("value", "uncertainty", "verdict", "stuck"),
    [(100.0, 0.2, "in", False), (101.0, 0.6, "near", False), (103.0, 0.6, "out", True), (100e3, 600.0, "out", True)],
)
def test_unpack_judges_a_measured_part_with_its_guard_band(gorsefire, value, uncertainty, verdict, stuck):
    state = build(measured("R1", value, uncertainty))
    task = next(t for t in unpack.tasks(gorsefire, state) if t.target == "R1")
    found = finding(task, state, {})
    assert (found.verdict, found.stuck, found.done) == (Verdict(verdict), stuck, True)
    if stuck:
        assert "expected 99" in found.words


def test_unpack_counts_ticks_and_knows_missing_parts(gorsefire):
    state = build(PartTicked(ref="D1"), PartMarked(ref="Q1", state="missing"))
    found = {t.target: finding(t, state, {}) for t in unpack.tasks(gorsefire, state)}
    assert found["D1"].done
    assert not found["J1"].done
    assert found["Q1"].stuck
    assert found["Q1"].words == "Q1 is marked missing."
    assert len(found) == len(gorsefire.parts)


def test_unpack_measures_what_was_chosen(gorsefire):
    state = build(ChoiceMade(choice="bass", part="C1", value="220n"))
    task = next(t for t in unpack.tasks(gorsefire, state) if t.target == "C1")
    assert task.window.nominal == pytest.approx(220e-9)


def test_an_accepted_reading_no_longer_sticks(gorsefire):
    state = build(measured("R1", 120.0), StepAccepted(step="unpack.R1", why="it will do"))
    task = next(t for t in unpack.tasks(gorsefire, state) if t.target == "R1")
    found = finding(task, state, {})
    assert found.verdict is Verdict.OUT
    assert not found.stuck
    assert found.accepted


def test_fit_follows_the_order_and_stops_at_a_wrong_part(gorsefire):
    tasks = fit.tasks(gorsefire, build())
    fitted = [t.target for t in tasks if t.target]
    ordered = [r for s in sequence.order(gorsefire) if s.action.startswith("Fit") for r in s.parts]
    assert fitted == ordered
    gates = [t for t in tasks if t.title.startswith(("Check", "Look"))]
    looks = len(rings(gorsefire, next(s for s in sequence.order(gorsefire) if s.gate == "joints").parts))
    assert len(gates) == sum(s.gate in ("values", "polarity") for s in sequence.order(gorsefire)) + looks
    state = build(PartMarked(ref="D1", state="reversed"))
    stuck = [finding(t, state, {}) for t in fit.tasks(gorsefire, state) if "D1" in t.parts]
    assert all(f.stuck for f in stuck)


def test_fit_says_which_way_round(gorsefire):
    said = {t.target: t.detail for t in fit.tasks(gorsefire, build(measured("R3", 39.1e3, 100.0))) if t.target}
    assert "band" in said["D1"]
    assert "Long lead" in said["C2"]
    assert "flat" in said["Q1"].lower()
    assert "measured 39.1" in said["R3"]


def test_wake_looks_for_shorts_before_power(gorsefire):
    quantities = [t.quantity for t in wake.tasks(gorsefire, build())]
    assert quantities == ["", "resistance", "resistance", "current", *["voltage"] * 7, "", "", "", ""]  # a look, ohms both ways; last, what is heard and felt


def test_hook_up_lists_wires_then_rings_out_every_net(gorsefire):
    tasks = hook_up.tasks(gorsefire, build())
    wires = [t for t in tasks if t.wants is Wants.STEP]
    assert len(wires) == len(gorsefire.wires)
    nets = [placed(gorsefire, t.of).nodes[0] for t in tasks if t.id.startswith("hook_up.ring") and not t.of.throw]
    asked = [t.of.place for t in tasks if t.id.startswith("hook_up.ring")]
    assert {"J2.tip", "SW1.5"} & set(asked) == {"J2.tip"}, "a jack's tip reads all that its only wire leads to"
    assert {"FUZZ.3", "W6"} <= set(asked), "the pot reads itself without its wire"
    assert {w.net for w in gorsefire.wires} - {"bypass"} == set(nets), "a bridge between lugs of a switch is on no net of the circuit"
    assert next(t for t in tasks if t.wants is Wants.READING).target == "leads", "zeroed before anything is rung out"


@pytest.mark.parametrize(("reading", "way"), [(6.0, "clockwise"), (3.0, "anticlockwise")])
def test_advice_says_which_way_and_about_how_far(gorsefire, reading, way):
    state = build(volts("TP1", 8.6, "wake"), volts("TP5", reading))
    model = WorkingModel(gorsefire, state)
    advice = set_up.advise(model, gorsefire.info.trim[0])
    assert advice.target == pytest.approx(4.3)
    assert f" {way} about" in advice.words
    assert (advice.degrees > 0) == (way == "clockwise")
    # Turned by that much, the nominal curve would stand at the target.
    curve = model.trim_curve(gorsefire.info.trim[0])
    here = np.interp(reading, curve.nominal[::-1], curve.position[::-1])
    there = np.interp(here + advice.degrees / 240.0, curve.position, curve.nominal)
    assert there == pytest.approx(4.3, abs=0.02)


def test_advice_stops_inside_the_window_and_says_when_it_drifts(gorsefire):
    trim = gorsefire.info.trim[0]
    turn = TrimmerTurned(ref="RV1", degrees=10.0)
    good = set_up.advise(WorkingModel(gorsefire, build(volts("TP1", 8.6, "wake"), volts("TP5", 4.31))), trim)
    assert good.degrees == 0.0
    assert "Stop here" in good.words
    closing = build(volts("TP1", 8.6, "wake"), volts("TP5", 5.5), turn, volts("TP5", 4.8))
    assert "Closing in" in set_up.advise(WorkingModel(gorsefire, closing), trim).settling
    drifting = build(volts("TP1", 8.6, "wake"), volts("TP5", 5.0), turn, volts("TP5", 5.8))
    assert "Drifting off" in set_up.advise(WorkingModel(gorsefire, drifting), trim).settling
    assert "Read TP1 first" in set_up.advise(WorkingModel(gorsefire, build()), trim).words
    beyond = build(volts("TP1", 8.6, "wake"), volts("TP5", 0.1))
    assert "beyond" in set_up.advise(WorkingModel(gorsefire, beyond), trim).words
    unread = build(volts("TP1", 8.6, "wake"))
    assert set_up.advise(WorkingModel(gorsefire, unread), trim).words == "Read TP5."


def test_set_asks_again_after_each_turn(gorsefire):
    def asked(*bodies):
        state = build(volts("TP1", 8.6, "wake"), *bodies)
        return [(t.wants, finding(t, state, {}).done) for t in set_up.tasks(gorsefire, state)]

    turn = TrimmerTurned(ref="RV1", degrees=10.0)
    assert asked() == [(Wants.READING, False), (Wants.TURN, False)]
    assert asked(volts("TP5", 5.5)) == [(Wants.READING, True), (Wants.TURN, False)]
    assert asked(volts("TP5", 5.5), turn) == [(Wants.READING, False), (Wants.TURN, False)]
    assert asked(volts("TP5", 5.5), turn, volts("TP5", 4.3)) == [(Wants.READING, True)]


@pytest.mark.parametrize(
    ("wants", "body"),
    [
        (Wants.CONFIRM, CautionConfirmed(hazard="x")), (Wants.CHOOSE, ChoiceMade(choice="x", part="C1", value="1u")),
        (Wants.TICK, PartTicked(ref="x")), (Wants.STEP, StepDone(step="t")),
        (Wants.SWEEP, CurveTaken(name="x", frequency=(1.0,), magnitude_db=(0.0,), uncertainty_db=0.1, level=1.0)),
    ],
)  # fmt: skip
def test_tasks_are_done_by_their_event(wants, body):
    task = Task("t", Stage.FIT, wants, "T", target="x")
    assert not finding(task, build(), {}).done
    assert finding(task, build(body), {}).done


def test_zero_ohms_is_no_edge_to_straddle():
    task = Task("t", Stage.HOOK_UP, Wants.READING, "T", of=ohms_at("x"), unit="Ω",
                window=Window(ohms_at("x"), "Ω", 0.0, 0.0, 1.0))  # fmt: skip
    state = build(ReadingTaken(point="x", quantity="resistance", value=0.1, uncertainty=0.2, unit="Ω", stage="hook_up"))
    assert finding(task, state, {}).verdict is Verdict.IN


def test_the_sheet_says_what_is_not_as_meant(gorsefire, tmp_path: Path):
    state = build(measured("R1", 120.0), volts("TP1", 8.6, "wake"))
    found = tuple(finding(t, state, {}) for t in unpack.tasks(gorsefire, state))
    sheet = hand_over.Sheet(gorsefire, state, found)
    assert sheet.overall == "not as meant"
    assert sheet.rows[0][:2] == ("R1", "resistance")
    write_readings(gorsefire, state, tmp_path / "r.csv")
    lines = (tmp_path / "r.csv").read_text().splitlines()
    assert lines[0].startswith("point,quantity,value,unit,uncertainty")
    assert lines[1].startswith("R1,resistance,120,Ω,1,unpack")
    assert lines[2].startswith("TP1,voltage,8.6,V,0.012,wake")


def test_what_a_pad_read_before_its_wire_went_on_says_nothing_of_the_wire():
    kit = read_kit(SHIPPED / "lampwick")
    wire = next(w for w in kit.wires if w.ends == ("J1.tip", "W3"))
    start = datetime(2026, 1, 1, tzinfo=UTC)
    bodies = [rung("W3"), StepDone(step=wire_step(wire.name)), rung("W3"), volts("TP1", 4.0, "wake")]
    events = [Event(id=f"e{k}", build="b", at=start + timedelta(minutes=k), body=body) for k, body in enumerate(bodies)]

    def done(*which):
        state = fold("b", [events[k] for k in which])
        (task,) = (t for t in hook_up.tasks(kit, state) if t.id == "hook_up.ring.W3")
        return finding(task, state, {}).done

    assert [done(0), done(0, 1), done(0, 1, 2)] == [True, False, True]
    assert done(0, 1, 3), "it was powered since"


def rung(point):
    return ReadingTaken(point=point, quantity="resistance", value=1000.0, uncertainty=8.0, unit="Ω", stage="hook_up")


@pytest.mark.parametrize(("name", "before", "new", "twice"), [("gorsefire", "FUZZ.3", "W6", 0), ("gorsefire", "SW1.5", "J2.tip", 0), ("kilnlight", "W9", "SKT1.1", 8),
                                                              ("tollgate", "T1.3", "W1", 0), ("lampwick", "VOL.L3", "W6", 2)])  # fmt: skip
def test_a_net_that_was_rung_out_at_one_end_stays_so_once_the_unit_was_powered(name, before, new, twice):
    """Each net was asked at its first end alone, and units built so are finished."""
    kit = read_kit(SHIPPED / name)

    def asked(*bodies):
        tasks = [t for t in hook_up.tasks(kit, build(*bodies)) if t.of is not None]
        assert len({t.of for t in tasks if t.id.does(Stage.HOOK_UP, "before")} & {t.of for t in tasks if t.id.does(Stage.HOOK_UP, "ring")}) == twice
        return [t.of.place for t in tasks]

    assert new in asked()
    assert {before, new} <= set(asked(rung(before)))
    woken = asked(rung(before), volts("TP1", 4.0, "wake"))
    assert before in woken
    assert new not in woken
    assert new in asked(volts("TP1", 4.0, "wake")), "not read at all"
    assert {before, new} <= set(asked(rung(before), rung(new), volts("TP1", 4.0, "wake")))


def test_a_jack_is_rung_out_before_and_after_and_a_rise_is_told(bench):
    """What the pad read before the jack went on, the lug must read after it: a rise is contact resistance, not luck."""
    session = bench(kind="typed")
    line(session, "stage hook_up")
    titles = [f.task.title for f in session.findings(Stage.HOOK_UP)]
    before = next(k for k, t in enumerate(titles) if t.startswith("Ring out SW1.2 before J1.tip"))
    assert before < next(k for k, t in enumerate(titles) if t.startswith("Wire") and "J1.tip" in t)
    line(session, "sw1.2 2.21M")
    line(session, "j1.tip 2.22M")
    assert not any(f.stuck for f in session.findings(Stage.HOOK_UP))
    line(session, "w3 4.90k")
    line(session, "j3.plus 4.99k")
    (stuck,) = (f for f in session.findings(Stage.HOOK_UP) if f.stuck)
    assert "more than W3 did before the jack" in stuck.words
    line(session, "j3.plus 4.90k")
    assert not any(f.stuck for f in session.findings(Stage.HOOK_UP))
