"""The solver against published figures: equalisation, phantom feed, filter and crossover tables, alignments, two-ports."""

import numpy as np
import pytest
import skrf

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import impedances, load_on, log_frequencies, response
from tests.circuit.circuits import kit_file


def _db(text: str, node: str, frequency, source: str = "v1", **overrides):
    point = operating_point(Circuit.from_text(f"t\n{text}"), overrides)
    return response(point, source, node, np.atleast_1d(np.asarray(frequency, float))).magnitude_db[0]


@pytest.mark.parametrize(
    ("frequency", "db"),
    [(20, 19.27), (50, 16.95), (100, 13.09), (500, 2.65), (1000, 0.0), (2120, -2.87), (5000, -8.21), (10000, -13.73), (20000, -19.62)],
)  # fmt: skip
def test_the_time_constants_of_a_record(frequency, db):
    """IEC 60098: 3180, 318 and 75 µs; figures of the replay curve. Network: S. P. Lipshitz, JAES 27, 1979, R1C1 = 2187 µs,
    R1C2 = 750 µs, R2C1 = 318 µs."""
    text = "v1 a 0 ac 1\nr1 a b 75k\nr2 b c 10.905k\nc1 c 0 29.16n\nc2 b 0 10n"
    found = _db(text, "b", [frequency, 1000.0])
    assert found[0] - found[1] == pytest.approx(db, abs=0.05)


@pytest.mark.parametrize("volts", [44.0, 48.0, 52.0])
def test_phantom_feed(volts):
    """IEC 61938, P48: 48 V ± 4 V through 6.8 kΩ in each leg, no more than 10 mA taken in all."""
    point = operating_point(Circuit.from_file(kit_file("reedling")), {"vphan": volts})
    amps = -point.currents()["vphan"][0]
    assert 0.002 < amps < 0.010
    assert point.voltage("pin2")[0] == pytest.approx(volts - amps / 2 * 6810, abs=0.01)
    feed = Circuit.from_text(f"t\nvp p 0 {volts}\nr1 p a 6.8k\nr2 p b 6.8k\ni1 a 0 5m\ni2 b 0 5m")
    assert operating_point(feed).voltage("a")[0] == pytest.approx(volts - 34.0)


LADDERS = {  # doubly terminated in 1 Ω, 1 rad/s (A. Zverev, Handbook of Filter Synthesis, 1967, Butterworth tables)
    2: (1.4142, 1.4142), 3: (1.0, 2.0, 1.0), 4: (0.7654, 1.8478, 1.8478, 0.7654), 5: (0.6180, 1.6180, 2.0, 1.6180, 0.6180),
}  # fmt: skip


@pytest.mark.parametrize("order", LADDERS)
def test_butterworth_ladders(order):
    lines, node = ["v1 s 0 ac 1", "rs s n0 1"], 0
    for k, value in enumerate(LADDERS[order]):
        if k % 2 == 0:
            lines.append(f"c{k} n{node} 0 {value}")
        else:
            lines.append(f"l{k} n{node} n{node + 1} {value}")
            node += 1
    lines.append(f"rl n{node} 0 1")
    omega = np.array([0.2, 1.0, 3.0])
    expected = 20 * np.log10(0.5) - 10 * np.log10(1 + omega ** (2 * order))
    assert _db("\n".join(lines), f"n{node}", omega / (2 * np.pi)) == pytest.approx(expected, abs=0.01)


F, R = 2000.0, 8.0
CROSSOVERS = {  # low-pass, high-pass, dB at the crossover (constants of the loudspeaker handbooks, from memory)
    "Butterworth 1": (f"l1 a w {0.159155 * R / F}", f"c1 a t {0.159155 / (R * F)}", -3.01),
    "Butterworth 2": (f"l1 a w {0.2251 * R / F}\nc1 w 0 {0.1125 / (R * F)}", f"c2 a t {0.1125 / (R * F)}\nl2 t 0 {0.2251 * R / F}", -3.01),
    "Butterworth 3": (
        f"l1 a x {0.2387 * R / F}\nc1 x 0 {0.2122 / (R * F)}\nl2 x w {0.0796 * R / F}",
        f"c2 a y {0.1061 / (R * F)}\nl3 y 0 {0.1194 * R / F}\nc3 y t {0.3183 / (R * F)}", -3.01,
    ),
    "Linkwitz-Riley 2": (f"l1 a w {0.3183 * R / F}\nc1 w 0 {0.0796 / (R * F)}", f"c2 a t {0.0796 / (R * F)}\nl2 t 0 {0.3183 * R / F}", -6.02),
    "Linkwitz-Riley 4": (
        f"l1 a x {0.3000 * R / F}\nc1 x 0 {0.2533 / (R * F)}\nl2 x w {0.1500 * R / F}\nc2 w 0 {0.0563 / (R * F)}",
        f"c3 a y {0.0844 / (R * F)}\nl3 y 0 {0.1000 * R / F}\nc4 y t {0.1688 / (R * F)}\nl4 t 0 {0.4501 * R / F}", -6.02,
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CROSSOVERS)
def test_crossover_tables(name):
    """Both halves fall as they should at the crossover, and the even orders of Linkwitz and Riley add up flat."""
    low, high, at_crossover = CROSSOVERS[name]
    text = f"v1 a 0 ac 1\n{low}\nrw w 0 {R}\n{high}\nrt t 0 {R}"
    point = operating_point(Circuit.from_text(f"t\n{text}"))
    frequency = np.array([F / 8, F / 2, F, 2 * F, 8 * F])
    woofer, tweeter = (response(point, "v1", n, frequency).transfer[0] for n in "wt")
    assert 20 * np.log10(abs(woofer[2])) == pytest.approx(at_crossover, abs=0.03)
    assert 20 * np.log10(abs(tweeter[2])) == pytest.approx(at_crossover, abs=0.03)
    sign = -1 if name.endswith("2") else 1
    if "Linkwitz" in name or name.endswith(("1", "3")):
        assert np.abs(woofer + sign * tweeter) == pytest.approx(1.0, abs=0.005)


DRIVER = "re=6.2 le=1u rle=1meg fs=35 qms=5 qes=0.45 vas=60m sd=22m"


@pytest.mark.parametrize("box", [20e-3, 60e-3])
def test_a_closed_box_raises_resonance_and_q(box):
    """R. H. Small, "Closed-box loudspeaker systems", JAES 20, 1972: fc/fs = Qtc/Qts = √(1 + Vas/Vb)."""
    c = Circuit.from_text(f"t\n.include transducers.lib\nv1 a 0 ac 1\nx1 a 0 s driver_closed {DRIVER} vb={box}")
    f = log_frequencies(20, 200, 4000)
    seen = np.abs(load_on(operating_point(c), "v1", f)[0])
    rise = np.sqrt(1 + 60e-3 / box)
    assert f[np.argmax(seen)] == pytest.approx(35 * rise, rel=0.003)
    db = response(operating_point(c), "v1", "s", np.array([35 * rise, 5000.0])).magnitude_db[0]
    qts = 1 / (1 / 5 + 1 / 0.45)
    assert db[0] - db[1] == pytest.approx(20 * np.log10(qts * rise), abs=0.05)


def test_a_vented_box_of_the_maximally_flat_alignment():
    """A. N. Thiele, "Loudspeakers in vented boxes", JAES 19, 1971, alignment 5: Qts 0.383, Vas/Vb √2, fb = fs = f3."""
    text = "xd a 0 s driver_vented re=6 le=1u rle=1meg fs=40 qms=1meg qes=0.3827 vas=60m sd=22m vb={60m/sqrt(2)} fb=40 ql=1meg"
    db = _db(f".include transducers.lib\nv1 a 0 ac 1\n{text}", "s", [40.0, 80.0, 4000.0])
    expected = -10 * np.log10(1 + 0.5 ** (2 * 4 * np.array([0, 1])))
    assert db[:2] - db[2] == pytest.approx(expected, abs=0.05)


def test_a_driver_is_as_loud_as_its_parameters_say():
    """Small 1972: η0 = 4π²/c³ · fs³·Vas/Qes; 1 W of sound from a half space is 112.1 dB at 1 m (ρc = 413 rayl)."""
    db = _db(f".include transducers.lib\nv1 a 0 ac 1\nx1 a 0 s driver {DRIVER}", "s", [2000.0])[0]
    efficiency = 4 * np.pi**2 / 343.0**3 * 35.0**3 * 60e-3 / 0.45
    assert 20 * np.log10(np.sqrt(6.2)) + db - 20 * np.log10(20e-6) == pytest.approx(
        112.1 + 10 * np.log10(efficiency), abs=0.15
    )


@pytest.mark.parametrize("shape", ["tee", "pi", "coupled"])
def test_two_ports_against_scikit_rf(shape):
    """Open-circuit parameters of two-ports built from scikit-rf's own elements."""
    f = np.geomspace(1e3, 1e6, 31)
    media = skrf.media.DefinedGammaZ0(skrf.Frequency.from_f(f, unit="hz"), z0=50)
    if shape == "tee":
        theirs = media.resistor(220) ** media.shunt_capacitor(10e-9) ** media.inductor(1e-3)
        ours = "r1 a m 220\nc1 m 0 10n\nl1 m b 1m"
    elif shape == "pi":
        theirs = (
            media.shunt_inductor(2e-3) ** media.capacitor(4.7e-9) ** media.shunt(media.resistor(1e3) ** media.short())
        )
        ours = "l1 a 0 2m\nc1 a b 4.7n\nr1 b 0 1k"
    else:
        stages = [media.inductor(1e-3), media.shunt_capacitor(22e-9), media.resistor(47), media.shunt_capacitor(1e-9)]
        theirs = stages[0] ** stages[1] ** stages[2] ** stages[3]
        ours = "l1 a m 1m\nc1 m 0 22n\nr1 m b 47\nc2 b 0 1n"
    point = operating_point(Circuit.from_text(f"t\n{ours}\nrx a 0 1t\nry b 0 1t"))
    found = impedances(point, [("a", "0"), ("b", "0")], f)[0]
    assert found == pytest.approx(theirs.z, rel=1e-5)
