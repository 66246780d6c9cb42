"""Values as builders write and read them."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.quantity import UnreadableValue, format_value, parse_value, sentence


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("4k7", 4700.0), ("100n", 1e-7), ("4.7 kΩ", 4700.0), ("0R1", 0.1), ("1M", 1e6), ("2.2u", 2.2e-6),
        ("10,5 mV", 0.0105), ("R47", 0.47), ("100R", 100.0), ("1K", 1e3), ("1meg", 1e6), ("22 pF", 22e-12),
        ("47 µF", 47e-6), ("47 μF", 47e-6), ("2u2F", 2.2e-6), ("1 mΩ", 1e-3), ("0,001", 1e-3), ("-3.2 V", -3.2),
        ("−3.2 V", -3.2), ("9V", 9.0), ("2V5", 2.5), ("1e3", 1e3), (".5", 0.5), ("12 MHz", 12e6), ("4,7k", 4700.0),
        ("4.7\u202fkΩ", 4700.0), ("1m", 1e-3), ("0", 0.0),
    ],
)  # fmt: skip
def test_parse_reads_what_builders_write(text, value):
    assert parse_value(text) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no value"), ("k", "no value"), ("fish", "no value"), ("4k7k", "unit"), ("1,000", "leave the comma out"),
        ("1,000.5", "decimal mark"), ("1.2.3", "no value"), ("4 parsec", "unit"), ("1e999", "too large"),
    ],
)  # fmt: skip
def test_unreadable_values_say_what_was_expected(text, says):
    with pytest.raises(UnreadableValue) as caught:
        parse_value(text)
    assert says in str(caught.value)
    assert "4k7" in str(caught.value), "an error shows a good example"


def test_a_wrong_unit_is_refused_and_a_missing_one_is_not():
    assert parse_value("4k7", "Ω") == 4700.0
    with pytest.raises(UnreadableValue, match="in V where Ω is wanted"):
        parse_value("4.7 V", "Ω")


@pytest.mark.parametrize(
    ("value", "unit", "digits", "text"),
    [
        (4700.0, "Ω", 3, "4.7\u202fkΩ"), (-17.7, "dB", 3, "−17.7\u202fdB"), (1e-7, "F", 3, "100\u202fnF"),
        (4.7e-6, "F", 3, "4.7\u202fµF"), (0.0, "V", 3, "0\u202fV"), (4.4812, "V", 4, "4.481\u202fV"),
        (-0.31, "V", 2, "−310\u202fmV"), (2.2e-3, "F", 3, "2200\u202fµF"), (0.47e-12, "F", 3, "0.47\u202fpF"), (0.5e-12, "F", 3, "0.5\u202fpF"), (1e-3, "F", 2, "1000\u202fµF"), (22.4e-3, "F", 4, "22400\u202fµF"), (math.inf, "Ω", 3, "open"), (math.nan, "V", 3, "—"), (0.2, "dB", 2, "0.20\u202fdB"),
    ],
)  # fmt: skip
def test_format_prints_engineering_notation(value, unit, digits, text):
    assert format_value(value, unit, digits) == text


@given(st.floats(1e-12, 1e9), st.sampled_from("ΩFVAH"))
def test_what_is_printed_can_be_read_again(value, unit):
    assert parse_value(format_value(value, unit, 6), unit) == pytest.approx(value, rel=1e-5)


@given(st.text(max_size=12))
def test_any_text_is_a_number_or_a_clear_error(text):
    try:
        assert math.isfinite(parse_value(text))
    except UnreadableValue as error:
        assert error.problems[0].message


def test_sentence_keeps_capitals():
    assert sentence("emitter of Q2") == "Emitter of Q2"
    assert sentence("") == ""
