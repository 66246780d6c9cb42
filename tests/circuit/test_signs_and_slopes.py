"""Small facts that only one line of the solver holds, each against arithmetic done by hand."""

import numpy as np
import pytest

from nuvlo.circuit.balance import onset
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point


@pytest.mark.parametrize(
    ("celsius", "factor"), [(27.0, 1.0), (77.0, 1.0 + 50e-3 + 2500 * 4e-6), (-23.0, 1.0 - 50e-3 + 2500 * 4e-6)]
)
def test_a_resistor_follows_both_of_its_coefficients(celsius, factor):
    """1 + TC1·ΔT + TC2·ΔT²: cold and warm tell the square from the slope."""
    circuit = Circuit.from_text("t\ni1 0 a 1m\nr1 a 0 1k rm\n.model rm r(tc1=1m tc2=4u)\n")
    assert operating_point(circuit, {"temper": celsius}).voltage("a")[0] == pytest.approx(factor, rel=1e-9)


def test_the_way_of_a_current_controlled_current():
    """SPICE: F draws gain × i(v) from its first node through itself to its second; i(v) flows into v's plus.

    1 V across 1 kΩ beyond the sensing source makes +1 mA in it; three times that leaves node b through f: b falls.
    """
    circuit = Circuit.from_text("t\nv1 a 0 1\nvs a s 0\nr1 s 0 1k\nf1 b 0 vs 3\nr2 b 0 2k\n")
    point = operating_point(circuit)
    assert point.currents()["vs"][0] == pytest.approx(1e-3)
    assert point.voltage("b")[0] == pytest.approx(-6.0)


def test_the_onset_of_clipping_lies_between_two_levels_two_per_cent_apart():
    """A known law: y = x − x³/4 has third harmonic a²/16 / (1 − 3a²/16); the level where that is 1 % is found to 2 %."""
    circuit = Circuit.from_text("t\nv1 a 0 0\nra a 0 1k\nb1 o 0 v={v(a)-v(a)**3/4}\nro o 0 1k\n")
    found = onset(operating_point(circuit), "v1", "o", 0.01, 1000.0, 1e-3, 10.0)
    level = np.sqrt(0.01 / ((1 + 0.03) / 16))
    swing = (level - 3 * level**3 / 16) / np.sqrt(2)
    assert found.level == pytest.approx(level, rel=0.02)
    assert found.level <= level * 1.001, "it is still clean there"
    assert found.output == pytest.approx(swing, rel=0.02)
