"""Ohms and capacitances before first power: what volts at rest do not show."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.faults import Missing
from nuvlo.circuit.ohms import capacitance, resistance
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.kit import KitError
from nuvlo.logbook import Build
from nuvlo.measurement import Observable, farads_at
from nuvlo.model import WorkingModel
from nuvlo.model.asked import cold
from nuvlo.model.ensemble import known_to
from nuvlo.quantity import Verdict, judge
from nuvlo.stages import wake
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.workshop import Workshop
from tests.conftest import long_but
from tests.stages.test_unpack import a_kit

UNIT = "v1 in 0 dc 9\nr1 in out 10k\nc1 out 0 100u\n"
BOX = "R1,resistor,10k,1%,,\nC1,capacitor,100u,20%,,\n"
COLD = '[[cold]]\nname = "CC1"\nkind = "capacitance"\nnode = "out"\nread = "across C1"\n'


@pytest.mark.parametrize("hertz", [100.0, 1000.0])
def test_a_bridge_sees_what_lies_behind_a_resistor_less_the_higher_it_goes(hertz):
    """Y = jωC₁ + 1/(R + 1/jωC₂), by hand."""
    circuit = Circuit.from_text("t\nc1 a 0 10n\nr1 a b 1k\nc2 b 0 1u\nr2 a 0 1meg\n.end\n")
    x = 2 * np.pi * hertz * 1e3 * 1e-6
    assert capacitance(circuit, "a", "0", hertz)[0] == pytest.approx(10e-9 + 1e-6 / (1 + x**2), rel=1e-6)


def test_a_coil_that_outweighs_it_reads_below_nothing():
    circuit = Circuit.from_text("t\nc1 a 0 10n\nl1 a 0 1\n.end\n")
    w = 2 * np.pi * 100
    assert capacitance(circuit, "a", "0", 100.0)[0] == pytest.approx(10e-9 - 1 / w**2, rel=1e-6)


@pytest.mark.parametrize("where", long_but(["lampwick fb gnd1"], ["lampwick fb gnd1", "reedling e3 pin3"]))
def test_no_member_is_without_ohms(where):
    """Newton lost 3 of 2,000 at the usual current; the window then had no upper end, and nothing lay in it."""
    kit, red, black = where.split()
    model = WorkingModel(read_kit(SHIPPED / kit))
    unit = model.kit.unpowered(red, black)
    assert np.isfinite(resistance(unit, red, black, None, known_to(unit, model.values)).ohms).all()


def test_they_are_asked_before_first_power():
    kit = read_kit(SHIPPED / "millrace")
    order = [str(t.id) for t in wake.tasks(kit, Build(""))]
    cold = [i for i, name in enumerate(order) if name.startswith(("wake.OC", "wake.CC"))]
    assert len(cold) == len(kit.info.cold) > 5
    assert max(cold) < min(i for i, name in enumerate(order) if "current" in name or "power" in name)
    assert min(cold) > max(i for i, name in enumerate(order) if "short" in name)


def test_a_valve_amplifier_that_was_powered_meanwhile_is_discharged_first():
    kit = read_kit(SHIPPED / "kilnlight")
    fresh, powered = ([t.title for t in wake.tasks(kit, Build("", live=live))] for live in (False, True))
    at = next(i for i, title in enumerate(powered) if title.startswith("Cold"))
    assert powered[at - 3].startswith("Unplug, discharge")
    assert powered[at - 1] == "Still unplugged: read TP3 too"
    assert not fresh[next(i for i, title in enumerate(fresh) if title.startswith("Cold")) - 1].startswith("Unplug")


@pytest.mark.parametrize(("line", "quantity", "value"), [("oc1 6.91k", "resistance", 6910), ("CC3 46.2u", "capacitance", 46.2e-6)])
def test_they_are_typed_by_name_whatever_is_asked(line, quantity, value):
    given = understand(line, read_kit(SHIPPED / "millrace"), None, Stage.WAKE).given
    assert (given.of.quantity, given.value.value) == (quantity, pytest.approx(value))


@pytest.fixture(scope="module")
def millrace():
    kit = read_kit(SHIPPED / "millrace")
    return kit, {w.of.name: w for w in WorkingModel(kit, members=200).predict(cold(kit))}


@pytest.mark.parametrize(
    ("wrong", "name"),
    [({Missing("r5").key: 1.0}, "OC1"), ({"r7": 681.0}, "OC2"), ({Missing("c12").key: 1.0}, "CC4"), ({"c7": 4.7e-6}, "CC3")],
)
def test_a_mistake_shows_cold(wrong, name, tmp_path, millrace):
    kit, windows = millrace
    for planted in ({}, wrong):
        shop = Workshop(tmp_path / f"shop{len(planted)}", planted)
        bench = shop.start(kit, bench="simulated:3").bench
        c = kit.cold(name)
        shown = bench.take(Observable(name, c.quantity))
        shop.close()
        assert (judge(shown, windows[name].low, windows[name].high) is Verdict.OUT) is bool(planted)


def test_one_on_a_net_that_is_not_there_is_refused_and_so_is_a_name_that_is_taken(tmp_path):
    with pytest.raises(KitError, match="no node 'nowhere'"):
        a_kit(tmp_path, BOX, COLD.replace('"out"', '"nowhere"'), UNIT)
    with pytest.raises(KitError, match="'C1' is a part already"):
        a_kit(tmp_path, BOX, COLD.replace("CC1", "C1"), UNIT)
    with pytest.raises(KitError, match="'CC1' is a cold reading already"):
        a_kit(tmp_path, BOX, COLD + COLD, UNIT)


def test_a_kit_without_a_supply_is_asked_them_too(tmp_path):
    shop = Workshop(tmp_path)
    session = shop.start(read_kit(SHIPPED / "sluice"), bench="simulated:2")
    run(session)
    shop.close()
    assert {session.build.latest(farads_at(name), "wake") is not None for name in ("CC1", "CC2")} == {True}
