"""Library subcircuits against data-sheet points and closed forms."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, response
from nuvlo.circuit.transient import transient


@pytest.mark.parametrize(("va", "vg", "ia", "gm"), [(250.0, -2.0, 1.2e-3, 1.6e-3), (100.0, -1.0, 0.5e-3, 1.25e-3)])
def test_ecc83_at_its_typical_points(va, vg, ia, gm):
    """ECC83 data sheets, typical characteristics (figures from memory): plate current 5 %, transconductance 10 %."""
    c = Circuit.from_text(f"t\n.include valves.lib\nva a 0 {va}\nvg g 0 {vg}\nx1 a g 0 ecc83")
    found = operating_point(c, {"vg": vg + np.array([0.0, 0.02, -0.02])}).currents()["va"]
    assert -found[0] == pytest.approx(ia, rel=0.05)
    assert (found[2] - found[1]) / 0.04 == pytest.approx(gm, rel=0.10)


@pytest.mark.parametrize(
    ("v", "vg", "ia", "gm", "screen"), [(250.0, -7.3, 48e-3, 11.3e-3, 5.5e-3), (210.0, -6.4, 36e-3, 10.4e-3, 3.9e-3)]
)
def test_el84_at_its_typical_points(v, vg, ia, gm, screen):
    """EL84 data sheets, class A (figures from memory): plate 5 %, transconductance 10 %, screen 20 %."""
    c = Circuit.from_text(f"t\n.include valves.lib\nva a 0 {v}\nvs s 0 {v}\nvg g 0 {vg}\nx1 a s g 0 el84")
    point = operating_point(c, {"vg": vg + np.array([0.0, 0.02, -0.02])})
    plate, at_screen = point.currents()["va"], point.currents()["vs"]
    assert -plate[0] == pytest.approx(ia, rel=0.05)
    assert (plate[2] - plate[1]) / 0.04 == pytest.approx(gm, rel=0.10)
    assert -at_screen[0] == pytest.approx(screen, rel=0.20)


def _amplifier(gain: float, kind: str = "ne5532") -> Circuit:
    return Circuit.from_text(
        f"t\n.include opamp.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 dc 0 ac 1 sin(0 1 1k)\nr1 m 0 1k\nr2 m o {gain - 1}k\n"
        f"x1 a m p n o {kind}\nrl o 0 10k"
    )


@pytest.mark.parametrize(("kind", "gbw"), [("ne5532", 10e6), ("tl072", 3e6)])
def test_gain_and_bandwidth_of_a_noninverting_stage(kind, gbw):
    """Closed loop: gain 1 + R2/R1, and −3 dB where gain × bandwidth is spent."""
    found = response(operating_point(_amplifier(101.0, kind)), "v1", "o", np.array([100.0, gbw / 101]))
    assert found.magnitude_db[0, 0] == pytest.approx(20 * np.log10(101), abs=0.05)
    assert found.magnitude_db[0, 0] - found.magnitude_db[0, 1] == pytest.approx(3.01, abs=0.2)


def test_input_noise_of_a_stage_is_the_amplifiers_own():
    """en, with in and the resistors beside it small: 5 nV/√Hz and 1 kΩ ∥ 100 kΩ (4.05 nV/√Hz) make 6.4 together."""
    found = noise(operating_point(_amplifier(101.0)), "v1", "o", log_frequencies(100, 10e3, 5))
    expected = np.sqrt(5e-9**2 + 4 * 1.380649e-23 * 300.15 * 990 + (0.7e-12 * 990) ** 2)
    assert found.input_density[0, 2] == pytest.approx(expected, rel=0.01)


def test_slew_rate_and_clipping_in_time():
    slow = Circuit.from_text(
        "t\n.include opamp.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 pulse(-5 5 1u 1n 1n 20u 40u)\nx1 a o p n o opamp slew=2meg gbw=5meg\nrl o 0 10k"
    )
    found = transient(slow, 5e-8, 8e-6, ["o"])
    slope = np.gradient(found.voltage["o"][0], found.time).max()
    assert slope == pytest.approx(2e6, rel=0.03)
    loud = _amplifier(31.0)
    wave = transient(loud, 1e-5, 2e-3, ["o"]).voltage["o"][0]
    assert wave.max() == pytest.approx(13.5, abs=0.2)
    assert wave.min() == pytest.approx(-13.5, abs=0.2)


def test_output_current_comes_from_the_rail():
    c = Circuit.from_text("t\n.include opamp.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 dc 10\nx1 a o p n o ne5532\nrl o 0 1k")
    current = operating_point(c).currents()
    assert -current["vp"][0] == pytest.approx(4e-3 + 10e-3, rel=0.01)
    assert current["vn"][0] == pytest.approx(4e-3, rel=0.01)


@pytest.mark.parametrize(("n", "db"), [(8, 18.06), (16, 24.08)])
def test_a_step_up_transformer_has_its_ratio(n, db):
    """TRADE.md section 2: 1:8 is 18 dB, 1:16 is 24 dB; the load seen is divided by the ratio squared."""
    c = Circuit.from_text(
        f"t\n.include passive.lib\nv1 a 0 ac 1\nr0 a b 1\nx1 b 0 s 0 transformer n={n} rp=1m rs=1m lm=50 ll=1u\nrl s 0 1g"
    )
    point = operating_point(c)
    assert response(point, "v1", "s", np.array([1e3])).magnitude_db[0, 0] == pytest.approx(db, abs=0.02)
    loaded = operating_point(c, {"rl": 47e3})
    across = abs(response(loaded, "v1", "b", np.array([1e3])).transfer[0, 0])
    assert 1 / (1 / across - 1) == pytest.approx(47e3 / n**2, rel=0.02)


def test_a_pickup_and_its_cable_ring_where_they_should():
    """Resonance of 3 H with 600 pF at 3.75 kHz, raised above the flat part where the load is light."""
    c = Circuit.from_text("t\n.include passive.lib\nx1 tip 0 pickup\nrl tip 0 1meg")
    f = log_frequencies(100, 20e3, 400)
    db = response(operating_point(c), "x1.vin", "tip", f).magnitude_db[0]
    # Losses in the pots pull the peak a little below the resonance of coil and cable alone.
    assert f[np.argmax(db)] == pytest.approx(1 / (2 * np.pi * np.sqrt(3 * 600e-12)), rel=0.15)
    assert db.max() > db[0] + 2
