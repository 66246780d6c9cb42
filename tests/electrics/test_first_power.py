"""First power worked out by hand, a filament beside its handbook exponents, and warmth beside the derating of resistors."""

from __future__ import annotations

import re

import numpy as np
import pytest

from nuvlo.diagnosis.why import why
from nuvlo.electrics.first_power import CURRENT_POWER, DIM, drawn_words, lamp_share, lasts, light, limit_for, ways_for
from nuvlo.electrics.heat import ROOM, case_rise, warmths
from nuvlo.electrics.stress import stresses
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit.kit import SOCKETS_EMPTY
from nuvlo.logbook import Build
from nuvlo.measurement import amps_of, volts_at
from nuvlo.model import WorkingModel
from nuvlo.model.asked import powered
from nuvlo.model.leaks import farads_on, leakage
from nuvlo.model.windows import JOINT_COVERAGE, Window
from nuvlo.quantity import Verdict, judge
from nuvlo.stages import wake
from nuvlo.stages.answer import Asked
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but

POWERED = ["gorsefire", "landing", "lampwick", "millrace", "reedling", "tidewheel"]


@pytest.mark.parametrize("name", long_but(["gorsefire", "landing"], POWERED))
def test_windows_are_honest(name):
    """2,000 units that the windows were not made of: each window covers what it claims, and nearly all units pass everywhere at once, a
    meter's error on each reading."""
    kit = read_kit(SHIPPED / name)
    windows = woken(kit).windows
    other = WorkingModel(kit, seed=99)
    runs = {p.name for p in kit.info.point if p.running}
    rows = {volts_at(p.name): other.point_in(kit.setup(p.setup)).voltage(p.node, p.reference) for p in kit.info.point if p.name not in runs}
    rows |= {amps_of(s.name): -other.point_in(kit.setup()).currents()[s.element] for s in kit.info.supply}
    if kit.at_sockets:
        empty = other.point_in(kit.setup(SOCKETS_EMPTY))
        rows |= {amps_of(s.name, empty=True): -empty.currents()[s.element] for s in kit.info.supply}
        rows |= {volts_at(place, empty=True): empty.voltage(node) for place, node in kit.at_sockets}
    meter, dice = MeterSpec(), np.random.default_rng(7)
    passes = np.ones(2000, dtype=bool)
    for key, true in rows.items():
        w = windows[key]
        inside = (true >= w.low) & (true <= w.high)
        assert inside.mean() >= JOINT_COVERAGE - 0.01, key
        shown = true + np.array([meter.limits(float(v), w.unit) for v in true]) * dice.uniform(-1, 1, 2000)
        verdicts = [judge(meter.measured(float(v), w.unit), w.low, w.high) for v in shown]
        passes &= np.array([v is not Verdict.OUT for v in verdicts])
    assert passes.mean() >= 0.95


def woken(kit, **stances) -> wake.Woken:
    return wake.ask(Asked(WorkingModel(kit, Build("", stances=stances))))


@pytest.mark.parametrize(("most", "limit"), [(2.58e-3, 5e-3), (20e-3, 30e-3), (30.5e-3, 46e-3), (0.333, 0.50)])
def test_a_limit_is_half_as_much_again_in_two_digits(most, limit):
    assert limit_for(most) == pytest.approx(limit)


def test_a_charge_lasts_as_its_capacitor_says():
    """1000 µF from 9 V to 4.5 V at 2.25 mA: C ΔV / I, by hand. Shared with 500 µF it begins at 6 V; shared with as much, there is nothing left."""
    assert lasts(1000e-6, 0.0, 9.0, 2.25e-3) == pytest.approx(2.0)
    assert lasts(1000e-6, 500e-6, 9.0, 2.25e-3) == pytest.approx(1.0)
    assert lasts(1000e-6, 1000e-6, 9.0, 2.25e-3) == 0.0


def test_a_charge_counts_what_the_unit_has_to_fill(gorsefire):
    """Gorsefire's 100 µF at C4 and less besides, by hand: 8.2 V of nine are left to begin with."""
    charge = next(f for f in woken(gorsefire, power="charge").first if f.school == "charge")
    seconds = float(re.search(r"within about ([\d.]+)", charge.well)[1])
    own = farads_on(gorsefire, gorsefire.info.supply[0])
    assert own == pytest.approx(100e-6, rel=0.05)
    window = woken(gorsefire).windows[amps_of("9 V supply")]
    assert seconds == pytest.approx((1000e-6 + own) * (9 * 1000e-6 / (1000e-6 + own) - 4.5) / window.nominal, rel=0.05)


@pytest.mark.parametrize(("name", "ways"), [
    ("gorsefire", {"limit", "straight", "charge"}), ("tidewheel", {"limit", "straight"}), ("millrace", {"limit", "straight"}), ("kilnlight", {"bulb"}), ("lampwick", {"limit", "straight", "charge"}),
])  # fmt: skip
def test_ways_that_make_no_sense_are_not_offered(name, ways):
    """No series lamp where there is no mains, no adapter's charge for two rails."""
    kit = read_kit(SHIPPED / name)
    assert {w for s in kit.info.supply for w in ways_for(kit, s)} == ways


@pytest.mark.parametrize("name", ["gorsefire", "tidewheel", "lampwick", "kilnlight"])
@pytest.mark.parametrize("school", ["limit", "charge", "bulb", "straight"])
def test_the_way_stands_at_the_first_power_and_once(name, school):
    kit = read_kit(SHIPPED / name)
    steps = [t for t in wake.tasks(kit, Build("", stances={"power": school})) if t.id.verb in ("power", "current", "lamp")]
    said = [[w for w in wake.FIRST_POWER.values() if w in t.detail] for t in steps]
    assert len(said[0]) == 1, "where power comes on first"
    if name != "kilnlight":  # through the lamp each time
        assert all(not s for s in said[1:] if len(steps) > len(kit.info.supply)), "and not again"
    assert not any(re.search(r"\d\s?mA", t.detail) for t in steps), "one figure, that of the advice"
    if name in ("gorsefire", "lampwick", "tidewheel"):
        assert wake.FIRST_POWER["bulb"] not in steps[0].detail


def _window(low, nominal, high):
    return Window(amps_of("x"), "A", nominal, low, high)


@pytest.mark.parametrize(("window", "said"), [
    (_window(-8.6e-3, -6e-3, -5e-3), "5 mA to 8.6 mA"), (_window(5e-3, 6e-3, 8.6e-3), "5 mA to 8.6 mA"), (_window(-1e-5, 0.0, 1e-5), "next to nothing: below 10 µA after a minute"),
    (_window(-2e-4, 1e-6, 1e-5), "next to nothing: below 200 µA after a minute"),
])  # fmt: skip
def test_what_is_drawn_is_said_in_order_or_as_next_to_nothing(window, said):
    assert drawn_words(window).replace("\u202f", " ") == said


def test_electrolytics_leak_in_every_window_of_a_current(gorsefire):
    """0.03 µA per microfarad and volt after a minute, and 3 µA: 30 µA for C4 (IEC 60384-4, from memory)."""
    supply = gorsefire.info.supply[0]
    assert leakage(gorsefire, supply) == pytest.approx(0.03 * 100e-6 * 9 + 3e-6)
    bare = WorkingModel(gorsefire)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("nuvlo.model.working.leakage", lambda *_: 0.0)
        dry = next(w for w in WorkingModel(gorsefire).predict(powered(gorsefire)) if w.of.quantity == "current")
    wet = next(w for w in bare.predict(powered(bare.kit)) if w.of.quantity == "current")
    assert wet.high - dry.high == pytest.approx(leakage(gorsefire, supply))


def test_a_split_supply_is_read_before_its_chips():
    kit = read_kit(SHIPPED / "lampwick")
    ids = [t.id for t in wake.tasks(kit, Build(""))]
    assert ids.index("wake.empty.TP3") < next(k for k, i in enumerate(ids) if i.startswith("wake.plug"))
    window = woken(kit).windows[volts_at("TP3", empty=True)]
    assert window.low < 4.4 < window.high


@pytest.mark.parametrize(("lamp", "load"), [(40.0, 33.0), (60.0, 60.0), (100.0, 15.0), (25.0, 200.0)])
def test_a_series_lamp_carries_what_the_unit_carries(lamp, load):
    """At the share found, the filament's current (0.55th power of its volts) is that of the load."""
    v = lamp_share(lamp, load)
    assert lamp * v**CURRENT_POWER == pytest.approx(load * (1 - v), rel=1e-6)
    assert 0 < v < 1


def test_a_dead_short_gives_full_light_and_no_load_none():
    assert light(lamp_share(60.0, 1e9)) == pytest.approx(1.0, abs=1e-3)
    assert light(lamp_share(60.0, 1e-6)) == pytest.approx(0.0, abs=1e-6)
    assert light(0.5) == pytest.approx(0.095, abs=0.002)  # a lamp at half its volts: about a tenth (IES Lighting Handbook, from memory)


def test_the_lamp_of_a_valve_amplifier_is_dim_when_all_is_well():
    kit = read_kit(SHIPPED / "kilnlight")
    first, empty = woken(kit).first
    assert {f.school for f in (first, empty)} == {"bulb"}
    assert empty.amount < first.amount, "bleeders alone take little: a small lamp guards them better"
    assert light(lamp_share(empty.amount, 306**2 / 75e3)) < DIM
    taken = 270.6 * 0.091 + 2 * 6.3 * 0.76 + 12.6 * 0.15  # high tension at its typical draw, two EL84 and an ECC83 heated
    assert light(lamp_share(first.amount, taken)) < 1.5 * DIM
    assert "unplug" in first.wrong


@pytest.mark.parametrize("school", ["limit", "charge", "straight"])
def test_each_school_says_what_to_set_and_both_ends(school, gorsefire):
    found = woken(gorsefire, power=school)
    first = next(f for f in found.first if f.school == school)
    assert first.set_to
    assert first.well
    assert first.wrong
    step = next(t for t in wake.tasks(gorsefire, Build("", stances={"power": school})) if t.id.verb == "current")
    from nuvlo.stages.task import finding

    assert wake.advice_on(finding(step, Build(""), found.windows), found) == first.words


def test_a_resistor_at_its_rating_is_as_hot_as_its_film_may_be():
    """IEC 60115-1: full watts up to 70 °C about it; a film of 155 °C. Half the watts make half the rise."""
    kit = read_kit(SHIPPED / "kilnlight")
    stress, found = stresses(kit, quick=True), {w.ref: w for w in warmths(kit)}
    assert found["R1"].rise == pytest.approx(stress["R1"].watts * 85.0 / 2.0)
    assert found["R1"].celsius == pytest.approx(ROOM + found["R1"].rise + case_rise(kit, sum(s.watts for s in stress.values()) + 2 * 6.3 * 0.76 + 12.6 * 0.15), abs=0.5)
    assert all("never" in found[v].says for v in ("V1", "V2", "V3"))


def test_what_widens_a_window_adds_up_and_is_the_part_it_hangs_on(gorsefire):
    found = why(WorkingModel(gorsefire), "tp4")
    shares = dict(found.widened)
    assert 0.7 < sum(shares.values()) < 1.3
    assert max(shares, key=shares.get).startswith("Q1")
    assert all(not found.low <= to <= found.high for _, to in found.moved)


def test_no_such_point_is_named(gorsefire):
    with pytest.raises(Exception, match="TP99"):
        why(WorkingModel(gorsefire), "TP99")


def test_chips_out_reads_as_the_rest_of_the_unit():
    """Lampwick without its chips: 9 V less a Schottky diode, the lamp's 1 mA, the divider and the driver stages' bias strings."""
    kit = read_kit(SHIPPED / "lampwick")
    windows = woken(kit).windows
    amps, volts = windows[amps_of("battery", empty=True)], windows[volts_at("TP1", empty=True)]
    full = windows[amps_of("battery")]
    assert amps.high < full.low
    assert 8.5 < volts.nominal < 9.0
    order = [t.id for t in wake.tasks(kit, Build(""))]
    empty, plug, on = (next(k for k, i in enumerate(order) if i.verb == v) for v in ("empty", "plug", "current"))
    assert empty < plug < on
