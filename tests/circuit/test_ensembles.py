"""Random variants against the independent simulator, and properties of devices every member must have."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.devices import THERMAL_VOLTAGE
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import Tolerances, operating_point
from nuvlo.circuit.small_signal import response
from nuvlo.files.kit_folder import read_kit
from nuvlo.model.ensemble import laws, sample
from nuvlo.workshop.demo import SHIPPED
from tests.circuit import ngspice
from tests.circuit.circuits import kit_text

VARIANTS = 30
ALTERED = ("r1", "r3", "r4", "r5", "r6", "vsup")


def test_thirty_random_variants_of_gorsefire_agree_with_ngspice(gorsefire, circuit, tmp_path):
    """One ensemble here; one process there that alters, solves and writes each variant in turn."""
    values = {k: v[:VARIANTS] for k, v in sample(laws(gorsefire), 2000, 8).items() if k in ALTERED}
    text = ngspice.with_library(kit_text("gorsefire"))
    nodes = ["vcc", "c1", "b1", "e2", "c2"]
    control = ["set wr_singlescale", "set numdgt=12"]
    for k in range(VARIANTS):
        control += [f"alter {name} = {v[k]:.12g}" for name, v in values.items()]
        control += ["op", f"wrdata out{k}.txt " + " ".join(f"v({n})" for n in nodes), "destroy all"]
    ngspice.run(ngspice.deck(text, "\n".join(control)), tmp_path)
    theirs = np.array([np.loadtxt(tmp_path / f"out{k}.txt", ndmin=2)[0, 1:] for k in range(VARIANTS)])
    point = operating_point(circuit, values)
    ours = np.array([point.voltage(n) for n in nodes]).T
    assert ours == pytest.approx(theirs, rel=2e-5, abs=1e-6)
    assert np.ptp(ours[:, 0]) > 0.1, "the variants differ"


@given(st.floats(0.5, 20.0), st.floats(10.0, 1e6))
def test_a_diode_and_a_resistor_share_the_voltage_they_are_given(volts, ohms):
    """The solution satisfies V = I·R + n·Vt·ln(1 + I/Is), the Shockley equation with a series resistor."""
    c = Circuit.from_text("t\nv1 a 0 5\nr1 a b 1k\nd1 b 0 dd\n.model dd d(is=2f n=1.3)")
    point = operating_point(c, {"v1": volts, "r1": ohms})
    amps = float(point.currents()["d1"][0])
    assert amps * ohms + 1.3 * THERMAL_VOLTAGE * np.log1p(amps / 2e-15) == pytest.approx(volts, rel=1e-6, abs=1e-7)


@pytest.mark.parametrize("kind", ["npn", "pnp"])
def test_a_transistor_in_its_active_range_has_its_gain(kind):
    sign = 1 if kind == "npn" else -1
    c = Circuit.from_text(f"t\nv1 c 0 {5 * sign}\ni1 0 b {sign}u\nq1 c b 0 q\n.model q {kind}(is=10f bf=250)")
    current = operating_point(c).currents()
    assert current["q1"][0] == pytest.approx(sign * 250e-6, rel=1e-4)


def test_early_effect_raises_the_current_by_its_share():
    """Ic ∝ 1 + Vcb/VAF for constant Vbe (ngspice manual 8.2: q1 = 1/(1 − Vbc/VAF))."""
    c = Circuit.from_text("t\nv1 c 0 1\nv2 b 0 0.6\nq1 c b 0 q\n.model q npn(is=10f bf=250 vaf=50)")
    current = operating_point(c, {"v1": np.array([1.6, 11.6])}).currents()["q1"]
    assert current[1] / current[0] == pytest.approx((1 + 11.0 / 50) / (1 + 1.0 / 50), rel=1e-4)


@given(st.lists(st.floats(-5, 5), min_size=4, max_size=4), st.lists(st.floats(-1, 0.9), min_size=4, max_size=4))
def test_a_limited_step_never_goes_further_than_was_asked(new, old):
    c = Circuit.from_text("t\nv1 a 0 1\nd1 a 0 dd\nd2 0 a dd\nq1 a a 0 q\n.model dd d(is=1f)\n.model q npn(is=1f)")
    devices = Equations(c).devices
    wanted, before = np.array(new)[:, None], np.array(old)[:, None]
    taken, held = devices.limited(wanted, before)
    assert (np.abs(taken - before)[~held] == np.abs(wanted - before)[~held]).all()
    assert (taken[held] <= wanted[held] + 1e-12).all(), "only steps up an exponential are held"


def test_tighter_tolerances_change_nothing_that_matters(circuit):
    loose, tight = (
        operating_point(circuit, tolerances=Tolerances(reltol=r, vntol=v)) for r, v in ((1e-4, 1e-6), (1e-9, 1e-12))
    )
    assert loose.x == pytest.approx(tight.x, rel=1e-6, abs=1e-7)


def test_capacitors_are_open_and_their_nodes_hold_at_d_c(circuit):
    point = operating_point(circuit)
    assert point.currents()["c1"][0] == 0.0
    assert point.voltage("out")[0] == pytest.approx(0.0, abs=1e-9)
    assert point.voltage("c2", "top")[0] == pytest.approx(point.voltage("c2")[0] - point.voltage("top")[0])


@pytest.mark.parametrize("members", [1, 13, 700])
def test_responses_do_not_depend_on_how_many_are_asked_for(circuit, members):
    values = {"r5": np.linspace(100e3, 140e3, members)} if members > 1 else {"r5": 100e3}
    found = response(operating_point(circuit, values), "vin", "out", np.array([100.0, 1000.0]))
    alone = response(operating_point(circuit, {"r5": 100e3}), "vin", "out", np.array([100.0, 1000.0]))
    assert found.transfer.shape == (members, 2)
    assert found.transfer[0] == pytest.approx(alone.transfer[0], rel=1e-7)


def test_a_response_at_the_source_is_one_and_at_ground_nothing(circuit):
    point = operating_point(circuit)
    assert response(point, "vin", "src", np.array([1e3])).magnitude_db[0, 0] == pytest.approx(0.0)
    assert response(point, "vin", "0", np.array([1e3])).magnitude_db[0, 0] == -np.inf


def test_a_loop_that_can_also_hang_is_followed_from_its_first_member():
    """Tidewheel's comparator at rest: the middle of three branches, which plain Newton leaves for a sixth of its variants."""
    kit = read_kit(SHIPPED / "tidewheel")
    members = sample(laws(kit), 200, 1)
    point = operating_point(kit.setup(), members)
    assert point.failed == []
    for k in (5, 8, 25):  # lost until they were followed
        alone = operating_point(kit.setup(), {name: values[k] for name, values in members.items()})
        if alone.converged[0]:
            for node in ("saw", "cmp", "oct"):
                assert point.voltage(node)[k] == pytest.approx(alone.voltage(node)[0], rel=1e-5, abs=1e-6)
