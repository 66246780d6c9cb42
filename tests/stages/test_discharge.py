"""High voltage: nobody is sent inside without a measured voltage, no meter in the line, no section by itself."""

import math
import re
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from nuvlo import clock
from nuvlo.circuit.ohms import resistance
from nuvlo.craft.high_voltage import SAFE_V, discharge_seconds, discharger, is_high, reservoirs
from nuvlo.craft.order import board_order
from nuvlo.craft.schools import school_from
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook import Build
from nuvlo.logbook.build import Reading
from nuvlo.measurement import volts_at
from nuvlo.model import WorkingModel
from nuvlo.model.asked import across_supplies
from nuvlo.model.ensemble import known_to, laws
from nuvlo.quantity import Measured
from nuvlo.stages import discharge, fit, hand_over, hook_up, prove, unpack, wake
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.commands.verbs import VERBS
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.session import Refused
from nuvlo.workshop.workshop import Workshop

KITS = sorted(p.name for p in SHIPPED.iterdir())


@pytest.fixture
def kilnlight():
    return read_kit(SHIPPED / "kilnlight")


@pytest.fixture
def session(tmp_path, kilnlight):
    workshop = Workshop(tmp_path / "shop")
    yield workshop.start(kilnlight, bench="simulated:3")
    workshop.close()


def line(session, text):
    session.settle()
    now = session.now()
    return execute(session, understand(text, session.kit, now.task if now else None, session.stage))


def test_only_one_kit_is_of_that_kind():
    """48 V of phantom power through its resistors is not."""
    assert [name for name in KITS if is_high(read_kit(SHIPPED / name))] == ["kilnlight"]


def test_how_long_the_reservoirs_take(kilnlight):
    """R·C·ln(V/10): one of two bleeders of 150 kΩ, 116 µF at the top of their tolerance, 337 V of peak."""
    seconds = discharge_seconds(kilnlight)
    farads = sum(kilnlight.part(r).value * (1 + kilnlight.part(r).tolerance[1]) for r in ("C1", "C2", "C3"))
    assert seconds >= 150e3 * farads * 3.5
    assert 60 < seconds < 200


def test_what_it_is_discharged_through(kilnlight):
    """10 V in time, R·C·ln(V/10); the wire bears what it is given for that long, and an iron's cord would not."""
    through = discharger(kilnlight)
    farads = 1.2 * (47e-6 + 47e-6 + 22e-6)
    assert through.seconds >= through.ohms * farads * math.log(306 * 1.1 / 10) > 0.5 * through.seconds
    assert (306 * 1.1) ** 2 / through.ohms <= 5 * through.watts
    task, *_ = discharge.tasks(kilnlight, Build("1"), Stage.WAKE, always=True)
    for said in ("10\u202fkΩ", "5\u202fW", "insulated clips", "chassis end goes on first", "TP1, TP2 and TP3", "One hand in your pocket", "black on the chassis"):
        assert said in task.detail


def test_a_capacitor_behind_an_open_resistor_is_found_whatever_the_kit(tmp_path):
    """None of the kit's own: two sections, one without a point; a cathode's electrolytic is none of them."""
    (tmp_path / "bom.csv").write_text("ref,kind,value\nC1,electrolytic,100u\nC2,electrolytic,47u\nC3,electrolytic,22u\nR1,resistor,220k\nR2,resistor,1k\nR3,resistor,470\n")
    (tmp_path / "circuit.cir").write_text("* t\nc1 b 0 100u\nr1 b 0 220k\nr2 b s 1k\nc2 s 0 47u\nr3 k 0 470\nc3 k 0 22u\n")
    (tmp_path / "rest.cir").write_text("* t\n.include circuit.cir\nv1 b 0 400\ni1 s k 10m\n")
    (tmp_path / "kit.toml").write_text(
        '[kit]\nname = "Stranger"\n[[setup]]\nname = "at rest"\nfile = "rest.cir"\n[[supply]]\nname = "ht"\nelement = "v1"\nnode = "b"\nvolts = 400\n'
        'current_limit = 0.1\n[[point]]\nname = "P1"\nnode = "b"\n'
    )
    kit = read_kit(tmp_path)
    assert [(p.name, p.node) for p in reservoirs(kit)] == [("P1", "b"), ("plus of C2", "s")]


def test_the_clock_of_the_bleeders_holds_the_reading(session):
    run(session, Stage.WAKE, "Heaters H1: what")
    line(session, "next")
    task = session.now().task
    assert (task.id, session.now().waits) == ("wake.discharge.sockets", True)
    with pytest.raises(Refused, match="The reservoir empties through its bleeders: not empty before"):
        line(session, "next")
    assert not VERBS["accept"].offered(session.snapshot())
    line(session, "3")
    assert session.now().task.target == "TP2 off", "but what was read counts"


@pytest.mark.parametrize("bleeder", ["R1", "R4"])
def test_a_bleeder_that_is_open_shows_before_power(kilnlight, bleeder):
    """75 kΩ with both, 150 kΩ with one."""
    model = WorkingModel(kilnlight)
    window, _ = model.predict(across_supplies(model.kit))
    assert window.nominal == pytest.approx(75e3, rel=0.01)
    element = kilnlight.element_of(bleeder)
    nominal = {name: law.nominal for name, law in laws(kilnlight).items()}
    unit = kilnlight.unpowered("hv")
    ohms = resistance(unit, "hv", "0", None, known_to(unit, {**nominal, element: 1e9})).ohms[0]
    assert ohms == pytest.approx(150e3, rel=0.01)
    assert not window.low <= ohms <= window.high


def test_mains_is_for_a_qualified_person_before_anything_is_switched_on(kilnlight):
    tasks = wake.tasks(kilnlight, Build("x"))
    ids = [t.id for t in tasks]
    mains = next(t for t in tasks if t.id == "wake.mains")
    assert "qualified person" in mains.title
    assert all(word in mains.detail for word in ("earth bond", "fuse", "insulation", "local code"))
    assert ids.index("wake.short.TP1") < ids.index("wake.mains") < next(k for k, i in enumerate(ids) if i.startswith("wake.lamp"))
    assert not any(t.id == "wake.mains" for t in wake.tasks(read_kit(SHIPPED / "gorsefire"), Build("x")))


def test_before_the_lid_and_before_a_part_is_measured_again_the_reservoir_is_read(kilnlight):
    handed = [t.id for t in hand_over.tasks(kilnlight, Build("x"))]
    assert handed.index("hand_over.discharge") < next(k for k, i in enumerate(handed) if i.startswith("hand_over.close"))
    live = Build("x", live=True, ticked=set(kilnlight.parts) - {"R102"})
    assert unpack.tasks(kilnlight, live)[0].id == "unpack.discharge"
    assert unpack.tasks(kilnlight, replace(live, ticked=set(kilnlight.parts)))[0].id != "unpack.discharge"
    assert unpack.tasks(kilnlight, Build("x"))[0].id != "unpack.discharge"


def test_a_supply_behind_a_rectifier_is_not_what_its_point_reads(kilnlight):
    build = Build("x", readings=[Reading(volts_at("TP1"), Measured(262.0, 2.0, "V"), "wake", datetime.now(UTC), "typed")])
    assert laws(kilnlight, build)["vht"].nominal == pytest.approx(270.6)


def test_cones_move_out_before_they_are_broken_in_and_both_belong_to_prove():
    oxbow = read_kit(SHIPPED / "oxbow")
    titles = [t.title for t in prove.tasks(oxbow, Build("x"))]
    assert titles[0].startswith("Polarity")
    assert [t for t in titles if t.startswith("Break-in")] == titles[1:7]
    assert not any("Break-in" in t.title for t in fit.tasks(oxbow, Build("x")))


def test_nothing_dangerous_is_said(kilnlight):
    """In any school, at any stage: no earthing of oneself, no meter in line, no section powered alone."""
    for order in ("lowest", "sections"):
        steps = board_order(kilnlight, school_from({"order": order}))
        assert not [s for s in steps if s.verb == "test"], "no section is powered by itself"
    build = Build("1")
    said = [t.title + " " + t.detail for stage in (fit, hook_up, wake) for t in stage.tasks(kilnlight, build)]
    for words in said:
        assert "arth yourself" not in words
        assert "meter in line and" not in words
        assert "section alone" not in words
    assert not [t for t in wake.tasks(kilnlight, build) if t.quantity == "current"], "no ammeter in the high-voltage line"
    assert any("series lamp" in s for s in said)
    volts = [t for t in wake.tasks(kilnlight, build) if t.quantity == "voltage" and "off" not in t.target]
    assert all("clip the meter on" in t.detail for t in volts)


def test_nobody_reaches_into_a_socket_before_a_voltage_was_measured(session):
    """First power with the sockets empty is through the lamp, hands away; then a reading below 10 V; then the valves."""
    ids = [t.id for t in wake.tasks(session.kit, session.build)]
    power = next(i for i in ids if i.startswith("wake.power"))
    plug = next(i for i in ids if i.startswith("wake.plug"))
    wanted = ["wake.short.TP1", "wake.mains", power, "wake.discharge.sockets", plug, "wake.lamp.high tension", "wake.TP1"]
    assert [i for i in ids if i in wanted] == wanted
    assert ids[-3:] == ["wake.discharge", "wake.discharge.TP2", "wake.discharge.TP3"]
    assert ids.index("wake.discharge.sockets.TP3") < ids.index(plug)
    for task in wake.tasks(session.kit, session.build):
        assert "at its socket" not in task.detail
        assert "Earth yourself" not in task.detail
    assert "no hand is on it" in next(t.detail for t in wake.tasks(session.kit, session.build) if t.target == "TP10")
    run(session, Stage.WAKE, "Unplug")
    assert session.now().task.id == "wake.discharge.sockets"
    line(session, "40")
    assert session.now().stuck
    for volts, then in (("2", "TP2 off"), ("9.2", "TP3 off"), ("-0.3", "")):
        line(session, volts)
        session.settle()
        assert session.now().task.id == plug if not then else session.now().task.target == then
    line(session, "next")
    left = [t.id for t in wake.tasks(session.kit, session.build)]
    assert "wake.discharge.sockets" not in left, "it has done its work"
    assert session.now().task.id == "wake.lamp.high tension"


def test_wake_ends_with_a_measured_voltage_that_is_never_accepted(session):
    run(session, Stage.WAKE, "Measure TP12")
    for _ in range(3):  # the reading, thump and hum, warmth
        line(session, "next")
        session.settle()
    with pytest.raises(Refused, match=r"Ten minutes on: what is warm: not over before"):
        line(session, "next")
    assert session.running()[0].words_before_time_left == "Ten minutes on: what is warm: ready in"
    clock.ahead().wait_until(session.now().task.held.until)
    session.forget()
    line(session, "next")
    session.settle()
    assert session.now().task.id == "wake.discharge"
    assert session.now().task.target == "TP1 off"
    line(session, "262")
    assert session.now().stuck, "262 V at the reservoir lets nobody in"
    assert not VERBS["accept"].offered(session.snapshot()), "and no button offers to"
    for asked, says in (("next", "Hands stay out"), ("accept in a hurry", "not to be accepted")):
        with pytest.raises(Refused, match=says):
            line(session, asked)
    line(session, "3.2")
    session.settle()
    assert session.now().task.target == "TP2 off"
    line(session, "2")
    assert session.now().task.target == "TP3 off"
    line(session, "238")
    assert session.now().stuck, "behind an open R3 it stays charged"
    assert discharge.charged(session.kit, session.build)
    line(session, "1")
    assert not discharge.charged(session.kit, session.build)
    session.settle()
    assert session.now() is None or session.now().task.stage is not Stage.WAKE


@pytest.mark.long
def test_a_hand_that_goes_in_again_measures_first(session):
    assert run(session).finished
    line(session, "rework r102")
    session.settle()
    first = next(f.task for f in session.findings(Stage.FIT) if not f.done)
    assert first.target != "TP1 off", "it was measured after the last reading, and not powered since"


@pytest.mark.long
def test_after_power_came_on_again_it_is_asked_again(kilnlight, session):
    run(session, Stage.WAKE, "Measure TP2")
    line(session, "rework r102")
    session.settle()
    guard, *others = discharge.tasks(session.kit, session.build, Stage.FIT)
    assert [t.target for t in (guard, *others)] == ["TP1 off", "TP2 off", "TP3 off"]
    assert guard.window.high == SAFE_V
    open_steps = [f.task for f in session.findings(Stage.FIT) if not f.done and not f.task.hazard]
    assert open_steps[0].target == "TP1 off"


def test_another_point_never_stands_for_the_reservoir(kilnlight):
    """A cathode at 8 V would let a hand in while the reservoir is full: without a point there, its own net is read."""
    left = tuple(p for p in kilnlight.info.point if p.node != "hv")
    bare = replace(kilnlight, info=kilnlight.info.model_copy(update={"point": left}), memory={})
    for kit in (bare, replace(bare, info=bare.info.model_copy(update={"point": ()}), memory={})):
        guard, *others = discharge.tasks(kit, Build("1"), Stage.WAKE, always=True)
        assert guard.target == "reservoir off"
        assert [kit.named_place(n) in t.title for t, n in zip(others, ("hs", "hp"), strict=True)] == [True, True]
        assert kit.named_place("hv") in guard.title
        assert guard.title.endswith("read pin 1 of R1"), "a place on the board that is on that net"
        assert wake.tasks(kit, Build("1"))[-3].id == guard.id


@pytest.mark.parametrize("name", [k for k in KITS if k != "kilnlight"])
def test_others_are_not_asked(name):
    kit = read_kit(SHIPPED / name)
    assert discharge.tasks(kit, Build("1"), Stage.WAKE, always=True) == []


def test_the_bias_moves_both_channels_and_shows_plate_and_screen(kilnlight, capsys):
    """W at an electrode is its volts to the cathode times its amperes, by the same netlist solved as a stranger would."""
    import json

    from nuvlo.circuit.operating_point import operating_point
    from nuvlo.cli.main import main

    assert main(["choose", str(kilnlight.folder), "bias", "--json"]) == 0
    best = json.loads(capsys.readouterr().out)["proposals"][0]
    assert best["values"]["R109"] == best["values"]["R209"]
    point = operating_point(kilnlight.setup(), {"r109": best["values"]["R109"], "r209": best["values"]["R209"]})
    for name, amps, electrode in (("plate", "xv2.xp.ba", "pl"), ("screen", "xv2.xp.bs", "sl"), ("plate_right", "xv3.xp.ba", "pr")):
        cathode = "k201" if electrode == "pr" else "k101"
        watts = point.currents()[amps][0] * (point.voltage(electrode)[0] - point.voltage(cathode)[0])
        assert best["results"][name] == pytest.approx(watts, rel=1e-6)
    assert best["results"]["plate"] < 12
    assert best["results"]["screen"] < 2


def test_what_a_winding_gives_is_settled(kilnlight):
    """216 V r.m.s. is 306 V at the peak, in the list, in the netlists and in the kit's supply."""
    (supply,) = kilnlight.info.supply
    stated = float(re.search(r"to (\d+) V", kilnlight.part("T3").text)[1])
    assert supply.volts == pytest.approx(stated * math.sqrt(2), rel=2e-3)
    assert f"{stated:.0f} V winding" in (kilnlight.folder / "wiring.csv").read_text()
    assert f"{stated:.0f} V winding" in (kilnlight.folder / "rest.cir").read_text()
    assert "3 W" in kilnlight.info.kit.says
    assert "3 W into 8" in (kilnlight.folder / "circuit.cir").read_text()


def test_a_choice_between_sides_counts_the_heat_of_valves(kilnlight):
    from nuvlo.stages.choose.both import both_sides
    from nuvlo.stages.choose.mods import figures

    told = {s.question.id: s.difference for s in both_sides(kilnlight, {})}
    assert "the valves cool in air, V2 9.2" in told["compound"]
    assert "no device" not in told["compound"]
    assert told["power"].startswith("a series lamp")
    assert figures(kilnlight, clipping=False).hottest == ("V2", pytest.approx(9.17, rel=0.01))
