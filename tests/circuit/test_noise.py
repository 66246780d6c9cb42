"""Noise: against ngspice within 0.2 dB, against Nyquist's formula, and the weighting against its standard."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import a_weighting, integrate, noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies
from tests.circuit import ngspice
from tests.circuit.test_against_ngspice import BJT, _text

CASES = {
    "resistor": ("r1 a 0 10k\nr2 a b 47k\nv1 b 0 dc 0 ac 1", "v1", "a"),
    "diode": ("v1 a 0 dc 3 ac 1\nr1 a b 4.7k\nd1 b 0 dd", "v1", "b"),
    "coil": ("v1 a 0 ac 1\nr1 a b 600\nl1 b 0 10m\nr2 b c 1k\nc1 c 0 100n", "v1", "c"),
    "common emitter": ("vc vcc 0 12\nv1 s 0 ac 1\nr9 s t 1k\nc1 t b 1u\nr1 vcc b 220k\nr2 b 0 47k\nr3 vcc c 4.7k\nr4 e 0 1k\nq1 c b e qn", "v1", "c"),
    "pnp stage": ("vc vcc 0 9\nv1 s 0 ac 1\nc1 s b 1u\nr1 vcc b 100k\nr2 b 0 220k\nr3 c 0 2.2k\nr4 vcc e 470\nq1 c b e qp", "v1", "c"),
    "fet amplifier": ("vd vdd 0 12\nv1 s 0 ac 1\nr9 s t 100k\nc1 t g 10n\nr1 g 0 10meg\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u", "v1", "d"),
    "flicker": ("vc vcc 0 9\nv1 s 0 dc 0.65 ac 1\nr1 s b 10k\nr2 vcc c 4.7k\nq1 c b 0 qf\n.model qf npn(bf=300 is=10f kf=2f af=1.1)", "v1", "c"),
    "controlled": ("v1 a 0 ac 1\nr1 a 0 1k\nr3 a m 10k\nr4 m 0 10k\ne1 b 0 m 0 10\nr2 b c 1k\nc1 c 0 10n", "v1", "c"),
    "Gorsefire": (None, "vin", "out"),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_densities_and_totals_agree_with_ngspice(name, tmp_path):
    body, source, node = CASES[name]
    text = _text("Gorsefire") if body is None else f"{name}\n{body}\n{BJT}.end\n"
    control = (
        f"noise v({node}) {source} dec 10 10 100k 1\nset wr_singlescale\nset numdgt=12\nsetplot noise1\n"
        "wrdata out.txt onoise_spectrum inoise_spectrum\nsetplot noise2\nprint onoise_total"
    )
    printed = ngspice.run(ngspice.deck(ngspice.with_library(text), control), tmp_path)
    frequency, output, referred = np.loadtxt(tmp_path / "out.txt", ndmin=2).T[:3]
    found = noise(operating_point(Circuit.from_text(text)), source, node, frequency)
    for ours, theirs in ((found.output_density[0], output), (found.input_density[0], referred)):
        assert np.abs(20 * np.log10(ours / theirs)).max() < 0.2
    total = float(next(line for line in printed.splitlines() if "onoise_total" in line).split("=")[1])
    assert abs(20 * np.log10(found.total[0] / total)) < 0.2
    assert sum(p[0] for p in found.parts.values()) == pytest.approx(found.total[0] ** 2, rel=1e-9)


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
