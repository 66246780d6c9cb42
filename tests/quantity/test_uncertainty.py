"""Guard bands, and the marking of resistors."""

import math

import pytest

from nuvlo.markings.marking import resistor_bands
from nuvlo.quantity import Measured, Verdict, judge
from nuvlo.quantity.uncertainty import distance_in_words, expanded_from_limits


@pytest.mark.parametrize(
    ("value", "verdict"),
    [
        (5.0, "in"),
        (4.1, "in"),
        (4.05, "near"),
        (4.0, "near"),
        (3.95, "near"),
        (3.85, "out"),
        (6.2, "out"),
        (6.05, "near"),
    ],
)
def test_guarded_verdict(value, verdict):
    """JCGM 106:2012, 8.3.2: acceptance interval = tolerance interval shrunk by the guard band, here w = U = 0.1."""
    assert judge(Measured(value, 0.1), 4.0, 6.0) is Verdict(verdict)


def test_readings_not_taken_and_open_circuits():
    assert judge(None, 0, 1) is Verdict.NOT_TAKEN
    assert judge(Measured(math.nan, 0), 0, 1) is Verdict.NOT_TAKEN
    assert judge(Measured(math.inf, 0, "Ω"), 1e6, math.inf) is Verdict.IN
    assert judge(Measured(math.inf, 0, "Ω"), 0, 10.0) is Verdict.OUT


def test_rectangular_limits_expand_as_in_the_guide():
    """JCGM 100:2008, 4.3.7: u = a/√3; expanded with k = 2."""
    assert expanded_from_limits(0.3) == pytest.approx(2 * 0.3 / math.sqrt(3))
    low, high = Measured(10.0, expanded_from_limits(0.3)).limits
    assert (low, high) == pytest.approx((9.7, 10.3))


def test_distance_is_said_as_a_builder_says_it():
    assert distance_in_words(Measured(0.69, 0.01, "V"), 1.0, 2.0) == "310\u202fmV low"
    assert distance_in_words(Measured(2.5, 0.01, "V"), 1.0, 2.0) == "500\u202fmV high"
    assert distance_in_words(Measured(1.5, 0.01, "V"), 1.0, 2.0) == ""


@pytest.mark.parametrize(
    ("ohms", "tolerance", "bands"),
    [
        # IEC 60062:2016, table 1; the pair of TRADE.md that was supplied wrong, one multiplier band apart.
        (100.0, 0.05, "brown black brown gold"), (100e3, 0.05, "brown black yellow gold"),
        (4700.0, 0.01, "yellow violet black brown brown"), (39e3, 0.01, "orange white black red brown"),
        (0.1, 0.05, "brown black silver gold"), (2.2e6, 0.01, "red red black yellow brown"), (0.0, 0.05, "black"),
        (1e3, 0.2, "brown black red"), (249.0, 0.001, "red yellow white black violet"),
    ],
)  # fmt: skip
def test_resistor_bands(ohms, tolerance, bands):
    assert " ".join(resistor_bands(ohms, tolerance)) == bands


@pytest.mark.parametrize("ohms", [1234.0, -5.0, math.inf, 1e13])
def test_values_bands_cannot_show(ohms):
    with pytest.raises(ValueError, match="show"):
        resistor_bands(ohms, 0.05)
