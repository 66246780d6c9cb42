"""First power worked out by hand, a filament beside its handbook exponents, and warmth beside the derating of resistors."""

from __future__ import annotations

import numpy as np
import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit.kit import SOCKETS_EMPTY
from nuvlo.logbook import Build
from nuvlo.model import WorkingModel
from nuvlo.model.first_power import CURRENT_POWER, DIM, lamp_share, lasts, light, limit_for
from nuvlo.model.heat import ROOM, case_rise, warmths
from nuvlo.model.stress import stresses
from nuvlo.model.why import why
from nuvlo.model.windows import JOINT_COVERAGE
from nuvlo.model.working import EMPTY
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
    rows = {(p.name, "voltage"): other.point_in(kit.setup(p.setup)).voltage(p.node, p.reference) for p in kit.info.point if p.name not in runs}
    rows |= {(s.name, "current"): -other.point_in(kit.setup()).currents()[s.element] for s in kit.info.supply}
    if kit.at_sockets:
        empty = other.point_in(kit.setup(SOCKETS_EMPTY))
        rows |= {(f"{s.name}{EMPTY}", "current"): -empty.currents()[s.element] for s in kit.info.supply}
        rows |= {(f"{place}{EMPTY}", "voltage"): empty.voltage(node) for place, node in kit.at_sockets}
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
    """1000 µF from 9 V to 4.5 V at 2.25 mA: C ΔV / I, by hand."""
    assert lasts(1000e-6, 9.0, 2.25e-3) == pytest.approx(2.0)


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
    (first,) = woken(kit).first
    assert first.school == "bulb"
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
    amps, volts = windows["battery without chips", "current"], windows["TP1 without chips", "voltage"]
    full = windows["battery", "current"]
    assert amps.high < full.low
    assert 8.5 < volts.nominal < 9.0
    order = [t.id for t in wake.tasks(kit, Build(""))]
    empty, plug, on = (next(k for k, i in enumerate(order) if i.verb == v) for v in ("empty", "plug", "current"))
    assert empty < plug < on
