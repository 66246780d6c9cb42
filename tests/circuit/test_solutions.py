"""Solutions against closed forms and against themselves: ensembles, elimination, ohms, distortion."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.devices import THERMAL_VOLTAGE, Devices
from nuvlo.circuit.elimination import FEW, Elimination
from nuvlo.circuit.equations import Equations, ensemble_size
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.ohms import Ohmmeter, resistance
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.periodic import PeriodicSolver, TooNonlinear, harmonic_distortion, largest_clean_level
from nuvlo.circuit.small_signal import log_frequencies, response

MODELS = "\n.model dd d(is=1f)\n.model qn npn(is=15f bf=400 vaf=80 rb=90 cje=12p cjc=5p tf=0.6n)"


def test_an_ensemble_equals_its_members_one_by_one(circuit):
    rng = np.random.default_rng(5)
    values = {"r3": rng.uniform(20e3, 60e3, 40), "q1.bf": rng.uniform(50, 900, 40), "xrv1.pos": rng.uniform(0, 1, 40)}
    together = operating_point(circuit, values)
    assert together.failed == []
    for k in range(0, 40, 7):
        alone = operating_point(circuit, {name: float(v[k]) for name, v in values.items()})
        assert together.x[:, k] == pytest.approx(alone.x[:, 0], rel=1e-6, abs=1e-9)


def test_kirchhoff_holds_at_every_node(circuit):
    point = operating_point(circuit)
    current = point.currents()
    assert current["r3"][0] > current["q1"][0], "what is left over drives the second base"
    assert current["vsup"][0] == pytest.approx(-current["d1"][0])
    assert current["r1"][0] == pytest.approx(current["d1"][0])
    assert sum(current[n][0] for n in ("r3", "r4", "r6")) == pytest.approx(current["r1"][0], rel=1e-9)


def test_extreme_members_converge_by_stepping(circuit):
    """Shorted, open and absurd values in one ensemble: each gets a status of its own and a solution."""
    values = {"r3": np.array([39e3, 1.0, 1e9, 39e3, 39e3]), "vsup": np.array([9.0, 9.0, 9.0, 100.0, -9.0])}
    point = operating_point(circuit, values)
    assert point.converged.tolist() == [True] * 5
    assert point.voltage("vcc")[4] < 0.5, "a reversed plug is kept out by the diode"


def test_a_member_without_a_solution_is_reported_by_index():
    c = Circuit.from_text("t\nv1 a 0 1\nr1 a b 1k\nr2 b 0 1k")
    point = operating_point(c, {"r2": np.array([1e3, np.nan, 2e3])})
    assert point.failed == [1]
    assert point.voltage("b")[[0, 2]] == pytest.approx([0.5, 2 / 3])


def test_overrides_of_differing_length_are_refused():
    with pytest.raises(ValueError, match="differing length"):
        ensemble_size({"r1": np.ones(3), "r2": np.ones(4)})


def test_unknown_names_are_named():
    c = Circuit.from_text("t\nv1 a 0 1\nr1 a 0 1k")
    for call in (lambda: c.node("q"), lambda: c.element("r7"), lambda: response(operating_point(c), "r1", "a", [1.0])):
        with pytest.raises(NetlistError, match=r"no node 'q'|no element 'r7'|'r1' is not a source"):
            call()


@given(st.lists(st.floats(1.0, 1e6), min_size=6, max_size=6), st.integers(0, 2), st.integers(0, 2))
def test_resistor_networks_obey_reciprocity_and_power_balance(ohms, i, j):
    """Tellegen's theorem and reciprocity of a passive network (Desoer and Kuh, Basic Circuit Theory, 1969, ch. 9, 16)."""
    pairs = [("a", "0"), ("b", "0"), ("c", "0"), ("a", "b"), ("b", "c"), ("a", "c")]
    body = "\n".join(f"r{k} {a} {b} {r!r}" for k, ((a, b), r) in enumerate(zip(pairs, ohms, strict=True)))

    def volts(into: str, at: str) -> float:
        return float(operating_point(Circuit.from_text(f"t\ni1 0 {into} 1m\n{body}")).voltage(at)[0])

    names = "abc"
    assert volts(names[i], names[j]) == pytest.approx(volts(names[j], names[i]), rel=1e-6)
    point = operating_point(Circuit.from_text(f"t\ni1 0 a 1m\n{body}"))
    power = sum(float(point.currents()[f"r{k}"][0]) ** 2 * r for k, r in enumerate(ohms))
    assert power == pytest.approx(1e-3 * float(point.voltage("a")[0]), rel=1e-6)


@pytest.mark.parametrize("members", [1, 5, 40])
def test_elimination_agrees_with_lapack(members):
    rng = np.random.default_rng(members)
    slots = {
        (r, c): k for k, (r, c) in enumerate((r, c) for r in range(7) for c in range(7) if (r * 3 + c) % 4 or r == c)
    }
    values = [rng.normal(size=members) for _ in slots]
    dense = np.zeros((members, 7, 7))
    for (r, c), k in slots.items():
        dense[:, r, c] = values[k]
    right = rng.normal(size=(7, 2, members))
    x = Elimination(7, slots, [v[0] for v in values]).solve(values, right)
    assert np.moveaxis(x, -1, 0) == pytest.approx(np.linalg.solve(dense, np.moveaxis(right, -1, 0)), rel=1e-6, abs=1e-9)


def test_elimination_rescues_members_its_plan_does_not_suit():
    """Member 3 has a zero where the plan pivots; member 5 is singular. Neither spoils the others."""
    members = 2 * FEW  # enough that the plan is used at all
    slots = {(0, 0): 0, (0, 1): 1, (1, 0): 2, (1, 1): 3}
    values = [np.full(members, v) for v in (4.0, 1.0, 1.0, 3.0)]
    values[0] = values[0].copy()
    values[0][3] = 0.0
    values[3] = values[3].copy()
    values[0][5], values[3][5] = 1.0, 1.0
    values[0][7] = 1e-18  # no zero, but as good as one: the plan's answer is finite and wrong
    plan = Elimination(2, slots, [v[0] for v in values])
    assert plan.planned
    with np.errstate(divide="ignore", invalid="ignore"):
        x = plan.solve(values, np.ones((2, members)))
    assert x[:, 3] == pytest.approx([-2.0, 1.0])
    assert x[:, 7] == pytest.approx([-2.0, 1.0]), "only its residual tells"
    assert np.isnan(x[:, 5]).all() or not np.isfinite(x[:, 5]).all()
    assert x[:, 0] == pytest.approx([2 / 11, 3 / 11])


@pytest.mark.parametrize("voltage", [-2.0, -0.05, 0.0, 0.3, 0.55, 0.62])
def test_junction_derivatives_are_exact(circuit, voltage):
    """Each conductance and capacitance is the derivative of its current or charge, by central differences."""
    devices = Equations(circuit).devices
    assert isinstance(devices, Devices)
    rest = np.full((devices.count, 1), voltage) * np.linspace(0.8, 1.0, devices.count)[:, None]
    at = devices.evaluate(rest, 1e-12, charges=True)
    h = 1e-6
    for e, (row, column) in enumerate(zip(devices.rows, devices.columns, strict=True)):
        step = np.zeros_like(rest)
        step[column] = h
        up, down = (devices.evaluate(rest + s * step, 1e-12, charges=True) for s in (1, -1))
        for found, name in ((at.conductance, "current"), (at.capacitance, "charge")):
            slope = (getattr(up, name)[row] - getattr(down, name)[row]) / (2 * h)
            assert found[e] == pytest.approx(slope, rel=2e-4, abs=1e-13 if name == "current" else 1e-19)


def test_corner_of_an_rc():
    """−3.01 dB and −45° at 1/(2πRC)."""
    c = Circuit.from_text("t\nv1 a 0 ac 1\nr1 a b 1k\nc1 b 0 159.15494309n")
    found = response(operating_point(c), "v1", "b", np.array([1000.0]))
    assert found.magnitude_db[0, 0] == pytest.approx(-3.0103, abs=1e-4)
    assert found.phase_deg[0, 0] == pytest.approx(-45.0, abs=1e-3)


def test_pads_of_the_trade():
    """TRADE.md section 2 [arithmetic]: 1 kΩ over 150 Ω is −17.7 dB; backwards into 2.4 kΩ about −3 dB."""
    forward = Circuit.from_text("t\nv1 a 0 ac 1\nr1 a b 1k\nr2 b 0 150")
    backward = Circuit.from_text("t\nv1 a 0 ac 1\nr1 a b 1k\nr2 a 0 150\nr3 b 0 2.4k")
    for c, db in ((forward, -17.7), (backward, -3.0)):
        assert response(operating_point(c), "v1", "b", np.array([1e3])).magnitude_db[0, 0] == pytest.approx(
            db, abs=0.05
        )


def test_slices_along_members_and_frequency_join_without_a_seam(circuit):
    f = log_frequencies(20, 20e3, 50)
    assert (f[0], f[-1]) == (20.0, 20e3)
    many = {"r3": np.linspace(30e3, 50e3, 300)}
    together = response(operating_point(circuit, many), "vin", "out", f)
    alone = response(operating_point(circuit, {"r3": float(many["r3"][211])}), "vin", "out", f)
    assert together.transfer[211] == pytest.approx(alone.transfer[0], rel=1e-6)


@pytest.mark.parametrize(
    ("body", "ohms"),
    [
        ("r1 a 0 1k\nr2 a 0 1k", 500.0), ("r1 a b 1k\nr2 b 0 2k", 3000.0), ("r1 a 0 1k\nv1 b 0 9\nr2 a b 1k", 1000.0),
        ("r1 a 0 1k\nc1 a 0 1u", 1000.0), ("r1 a 0 2.2meg", 2.2e6), ("r1 b 0 1k\nc1 a b 1u\nr2 a c 1g\nr3 c 0 1g", np.inf),
    ],
)  # fmt: skip
def test_ohms_in_circuit(body, ohms):
    """Parallel paths count; sources are out; capacitors are charged; beyond 60 MΩ a meter shows open."""
    assert resistance(Circuit.from_text("t\n" + body), "a", "0").ohms[0] == pytest.approx(ohms, rel=2e-4)


def test_ohms_through_a_junction():
    """At 1 mA a diode of 1 fA shows Vt·ln(10¹²) over 1 mA; the other way round it is open; kept sources count."""
    c = Circuit.from_text("t\nd1 a 0 dd\nr1 a 0 100meg" + MODELS)
    assert resistance(c, "a", "0").ohms[0] == pytest.approx(THERMAL_VOLTAGE * np.log(1e12) / 1e-3, rel=1e-3)
    assert np.isinf(resistance(c, "0", "a").ohms[0])
    assert resistance(c, "a", "a").ohms[0] == 0.0
    linked = Circuit.from_text("t\nv1 a b 0\nr1 b 0 47\nr2 a 0 1meg")
    assert resistance(linked, "a", "0", keep=("v1",)).ohms[0] == pytest.approx(47.0, rel=1e-3)
    assert resistance(linked, "a", "0", Ohmmeter(1e-6)).ohms[0] == pytest.approx(1e6, rel=1e-3)


def test_distortion_of_a_junction_matches_its_series():
    """A diode's current for v = V0 + A·sin is a Bessel series: second harmonic = I₂(A/Vt)/I₁(A/Vt) of the first
    (Abramowitz and Stegun, Handbook of Mathematical Functions, 9.6.34)."""
    from scipy.special import iv

    c = Circuit.from_text("t\nv1 a 0 dc 0.6\nr1 a b 1m\nd1 b m dd\nr2 m 0 1m" + MODELS)
    a = 0.004
    point = operating_point(c)
    solver = PeriodicSolver.prepare(point, "v1", ("m",), 64, 64e3)
    wave = solver.solve(a * np.sin(2 * np.pi * np.arange(64) / 64))
    spectrum = np.abs(np.fft.rfft(wave[0]))
    x = a / THERMAL_VOLTAGE
    assert spectrum[2] / spectrum[1] == pytest.approx(iv(2, x) / iv(1, x), rel=1e-3)


def test_small_signals_pass_as_the_response_says(circuit):
    point = operating_point(circuit)
    wave = PeriodicSolver.prepare(point, "vin", ("out",), 64, 64e3).solve(1e-6 * np.sin(2 * np.pi * np.arange(64) / 64))
    gain = abs(np.fft.rfft(wave[0])[1]) / 32 / 1e-6
    assert gain == pytest.approx(abs(response(point, "vin", "out", np.array([1e3])).transfer[0, 0]), rel=1e-4)


def test_clean_level_is_clean_and_the_next_is_not(circuit):
    point = operating_point(circuit, {"xrv1.pos": 0.6})
    levels = np.geomspace(1e-4, 1.0, 60)
    level = largest_clean_level(point, "vin", ("c1", "c2", "out"), 0.01, 1e3, levels)
    solver = PeriodicSolver.prepare(point, "vin", ("c1", "c2", "out"), 64, 64e3)
    sine = np.sin(2 * np.pi * np.arange(64) / 64)
    assert harmonic_distortion(solver.solve(level * sine)).max() < 0.01
    assert harmonic_distortion(solver.solve(1.2 * level * sine)).max() > 0.01
    with pytest.raises(TooNonlinear):
        solver.solve(3.0 * sine)
    assert largest_clean_level(point, "vin", ("c2",), 1e-9, 1e3, levels) == 0.0
