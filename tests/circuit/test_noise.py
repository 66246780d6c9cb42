"""Noise: against Nyquist's formula, and the weighting against its standard."""

import numpy as np
import pytest

from nuvlo.audio.weighting import a_weighting
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import integrate, noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies


@pytest.mark.parametrize(("ohms", "density"), [(1e3, 4.07e-9), (1e6, 129e-9)])
def test_a_resistor_makes_what_nyquist_says(ohms, density):
    """4kTR at 27 °C: about 4.07 nV/√Hz for 1 kΩ."""
    c = Circuit.from_text(f"t\nr1 a 0 {ohms:g}\ni1 0 a dc 0 ac 1")
    found = noise(operating_point(c), "i1", "a", log_frequencies(20, 20e3, 5))
    assert found.output_density[0] == pytest.approx(density, rel=0.005)
    assert found.total[0] == pytest.approx(density * np.sqrt(20e3 - 20), rel=0.005)


def test_kt_over_c_does_not_know_the_resistor():
    """The total noise of an RC is √(kT/C), whatever R (a consequence of equipartition)."""
    c = Circuit.from_text("t\nr1 a 0 1k\nc1 a 0 1n\ni1 0 a dc 0 ac 1")
    point = operating_point(c, {"r1": np.array([1e3, 1e5])})
    found = noise(point, "i1", "a", log_frequencies(1e-2, 1e10, 400))
    assert found.total == pytest.approx(np.sqrt(1.380649e-23 * 300.15 / 1e-9), rel=2e-3)


@pytest.mark.parametrize(
    ("frequency", "db"),
    [(31.623, -39.4), (63.096, -26.2), (125.89, -16.1), (251.19, -8.6), (501.19, -3.2), (1000.0, 0.0), (1995.3, 1.2), (3981.1, 1.0),
     (7943.3, -1.1), (15849.0, -6.6)],
)  # fmt: skip
def test_a_weighting(frequency, db):
    """IEC 61672-1:2013, table 3 (exact base-ten frequencies)."""
    assert 20 * np.log10(a_weighting(np.array([frequency])))[0] == pytest.approx(db, abs=0.06)


def test_weighting_enters_the_total(circuit):
    point = operating_point(circuit)
    f = log_frequencies(20, 20e3, 100)
    plain, weighted = (noise(point, "vin", "out", f, w) for w in (None, "A"))
    assert weighted.total[0] < plain.total[0]
    assert (weighted.output_density == plain.output_density).all()


@pytest.mark.parametrize("power", [-2.0, -1.0, 0.0, 1.0])
def test_integration_is_exact_for_powers_of_frequency(power):
    f = np.array([10.0, 35.0, 1000.0])
    exact = np.log(100.0) if power == -1 else (1000.0 ** (power + 1) - 10.0 ** (power + 1)) / (power + 1)
    assert integrate(f, f**power) == pytest.approx(exact, rel=1e-9)
    assert integrate(f[:1], f[:1]) == 0.0


def test_members_have_their_own_noise(circuit):
    point = operating_point(circuit, {"rsrc": np.array([1e3, 10e3, 100e3])})
    total = noise(point, "vin", "out", log_frequencies(20, 20e3, 30)).total
    assert total.shape == (3,)
    assert len(set(total.tolist())) == 3
