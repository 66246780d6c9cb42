"""Markings against IEC 60062:2016 and 60063 (tables from memory, E series from the eseries package), both ways."""

import eseries
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.markings.codes import read_code
from nuvlo.markings.marking import (
    LETTERS,
    capacitor_code,
    chip_code,
    colours_in,
    eia96_code,
    mantissas,
    preferred,
    read_bands,
    resistor_bands,
)
from nuvlo.quantity.value import format_value, parse_value

E24 = [round(v) for v in eseries.series(eseries.E24)]
E96 = [round(v) for v in eseries.series(eseries.E96)]


def first(code, kind):
    return next((m for m in read_code(code) if m.kind == kind), None)


@pytest.mark.parametrize(
    ("bands", "ohms", "tolerance"),
    [
        # IEC 60062:2016, clause 3: significant figures, multiplier, tolerance.
        ("yellow violet red gold", 4.7e3, 0.05), ("brown black brown", 100, 0.2), ("brown black yellow", 100e3, 0.2),
        ("brown black black orange brown", 100e3, 0.01), ("green blue silver silver", 0.56, 0.1),
        ("red red pink gold", 0.022, 0.05), ("yellow violet black brown violet", 4.7e3, 0.001),
        ("orange orange white black blue", 339, 0.0025), ("brown green black red green", 15e3, 0.005),
        ("bn bk bk rd bn rd", 10e3, 0.01), ("grey red gold gold", 8.2, 0.05), ("violet green green silver", 7.5e6, 0.1),
    ],
)  # fmt: skip
def test_bands_are_read(bands, ohms, tolerance):
    found = read_bands(colours_in(bands))
    assert any(m.value == pytest.approx(ohms) and m.tolerance[1] == tolerance for m in found)


def test_both_directions_are_offered_the_preferred_value_first():
    found = read_bands(colours_in("brown black black orange brown"))
    assert [m.value for m in found] == [100e3, 130.0]
    other = read_bands(colours_in("brown orange black black brown"))
    assert other[0].value in (130.0, 100e3)
    backwards = read_bands(colours_in("gold red violet yellow"))
    assert [m.value for m in backwards if m.kind == "resistor"] == [4.7e3]


def test_a_single_black_band_is_a_link():
    assert [(m.kind, m.value) for m in read_bands(["black"])] == [("link", 0.0)]


@pytest.mark.parametrize(
    "bands", ["brown", "red red", "gold gold gold gold", "black brown red gold", "brown pink red gold"]
)
def test_bands_that_mean_nothing(bands):
    assert read_bands(colours_in(bands)) == []


def test_what_is_no_colour_is_not_taken_for_one():
    assert colours_in("brown black mauve") is None
    assert colours_in("104") is None


@given(
    st.sampled_from(E96),
    st.integers(-1, 6),
    st.sampled_from([0.0001, 0.0002, 0.0005, 0.001, 0.0025, 0.005, 0.01, 0.02]),
)
def test_five_bands_round_trip(mantissa, power, tolerance):
    ohms = float(f"{mantissa}e{power}")
    found = read_bands(resistor_bands(ohms, tolerance))
    assert any(m.value == pytest.approx(ohms) and m.tolerance == (-tolerance, tolerance) for m in found)


@given(st.sampled_from(E24), st.integers(-3, 9), st.sampled_from([0.05, 0.1, 0.2]))
def test_three_and_four_bands_round_trip(mantissa, power, tolerance):
    ohms = float(f"{mantissa}e{power}")
    assert any(m.value == pytest.approx(ohms) for m in read_bands(resistor_bands(ohms, tolerance)))


@pytest.mark.parametrize(
    ("code", "kind", "value"),
    [
        # TRADE.md section 1, "codes forgotten at the bench": 104 = 0.1 µF; 102 on a pot = 1 kΩ, 105 = 1 MΩ.
        ("104", "capacitor", 100e-9), ("102", "trimmer", 1e3), ("105", "trimmer", 1e6), ("B102", "potentiometer", 1e3),
        ("A105", "potentiometer", 1e6), ("C50K", "potentiometer", 50e3),
        # EIA codes (common practice): 8 and 9 as last digit are 0.01 and 0.1; rated volts before.
        ("479", "capacitor", 4.7e-12), ("508", "capacitor", 0.5e-12), ("2A104J", "capacitor", 100e-9),
        ("1H223K", "capacitor", 22e-9), ("473K100", "capacitor", 47e-9), ("u1", "capacitor", 100e-9),
        ("4n7", "capacitor", 4.7e-9), ("n47", "capacitor", 470e-12), ("3p3C", "capacitor", 3.3e-12),
        (".047K", "capacitor", 47e-9), ("1u5J63", "capacitor", 1.5e-6),
        ("103", "resistor", 10e3), ("1002", "resistor", 10e3), ("4R7", "resistor", 4.7), ("R047", "resistor", 0.047),
        ("01C", "resistor", 10e3), ("30B", "resistor", 2e3), ("68X", "resistor", 49.9), ("96A", "resistor", 976),
        ("101", "inductor", 100e-6), ("4R7", "inductor", 4.7e-6), ("222K", "inductor", 2.2e-3), ("10mH", "inductor", 10e-3),
        # IEC 60062, R-K-M, with a tolerance letter.
        ("4K7J", "resistor", 4.7e3), ("R47K", "resistor", 0.47), ("47KG", "resistor", 47e3), ("2M2", "resistor", 2.2e6),
    ],
)  # fmt: skip
def test_codes_are_read(code, kind, value):
    found = [m for m in read_code(code) if m.kind == kind]
    assert any(m.value == pytest.approx(value) for m in found), read_code(code)


@pytest.mark.parametrize(
    ("code", "tolerance"),
    [("104J", (-0.05, 0.05)), ("104Z", (-0.2, 0.8)), ("104S", (-0.2, 0.5)), ("104M", (-0.2, 0.2)), ("109D", (-0.5, 0.5)),
     ("220G", (-0.02, 0.02)), ("339C", (-0.25 / 3.3, 0.25 / 3.3))],
)  # fmt: skip
def test_tolerance_letters(code, tolerance):
    """IEC 60062:2016, table 4 and 5: below 10 pF the letter is in picofarads."""
    assert first(code, "capacitor").tolerance == pytest.approx(tolerance)


@pytest.mark.parametrize(
    ("code", "volts"), [("1H104K", "50 V"), ("2A104J", "100 V"), ("104K250", "250 V"), ("104K", "")]
)
def test_rated_volts(code, volts):
    assert first(code, "capacitor").rating == volts


@given(
    st.sampled_from(E24), st.integers(-2, 7), st.sampled_from([None, *(t for c, t in LETTERS.items() if c in "FGJKMZ")])
)
def test_capacitor_codes_round_trip(mantissa, power, tolerance):
    farads = float(f"{mantissa}e{power - 12}")
    found = first(capacitor_code(farads, tolerance), "capacitor")
    assert found.value == pytest.approx(farads)
    if farads >= 10e-12:
        assert found.tolerance == tolerance


@given(st.sampled_from(E24), st.integers(-2, 6))
def test_chip_codes_round_trip(mantissa, power):
    ohms = float(f"{mantissa}e{power}")
    assert any(m.value == pytest.approx(ohms) for m in read_code(chip_code(ohms)) if m.kind == "resistor")


@given(st.sampled_from(E96), st.integers(-2, 5))
def test_ninety_six_codes_round_trip(mantissa, power):
    ohms = float(f"{mantissa}e{power}")
    found = [m for m in read_code(eia96_code(ohms)) if "EIA-96" in m.how]  # ``10E`` is likelier 10 Ω
    assert [m.value for m in found] == [pytest.approx(ohms)]


@given(st.sampled_from(E96), st.integers(-2, 6))
def test_values_as_written_round_trip(mantissa, power):
    ohms = float(f"{mantissa}e{power}")
    assert parse_value(format_value(ohms, "Ω", 4), "Ω") == pytest.approx(ohms)


@given(st.text(max_size=12))
def test_no_text_breaks_the_reader(text):
    for m in read_code(text):
        assert m.value >= 0


@pytest.mark.parametrize("series", [6, 12, 24])
def test_preferred_values_are_those_of_iec_60063(series):
    """IEC 60063 by way of the eseries package; membership in every decade."""
    wanted = {round(v * 10 if v < 100 else v) for v in eseries.series(getattr(eseries, f"E{series}"))}
    assert mantissas(series) == wanted
    for v in wanted:
        assert preferred(v * 1e-9, series)
        assert preferred(v * 10.0, series)
    assert not preferred(314.0, 24)
    assert not preferred(0.0)


@pytest.mark.parametrize(
    ("make", "value"), [(chip_code, 123.0), (capacitor_code, 1e-15), (eia96_code, 101.0), (chip_code, 1e12)]
)
def test_a_value_that_no_code_shows_is_refused(make, value):
    with pytest.raises(ValueError, match="show"):
        make(value)
