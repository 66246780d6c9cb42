"""What a suspect would read, as a meter shows it."""

import math

import pytest

from nuvlo.stages.suspects import in_words


@pytest.mark.parametrize(
    ("value", "unit", "words"),
    [(14.2e-6, "V", "0 V"), (-3e-4, "V", "0 V"), (0.6e-3, "V", "600 µV"), (1.39, "V", "1.39 V"), (2e-8, "A", "0 A"), (3e-3, "A", "3 mA"), (0.01, "Ω", "0 Ω"), (math.inf, "Ω", "open"), (47e-12, "F", "47 pF")],
)
def test_no_more_digits_than_a_meter_has(value, unit, words):
    assert in_words(value, unit).replace("\u202f", " ") == words
