"""What is printed on parts, as a builder holds them: the first answer is the likeliest.

IEC 60062:2016 (R-K-M, tolerance letters) and EIA codes; where no standard is named, common practice, no source.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.markings.codes import read_code
from nuvlo.markings.marking import CHIP_LETTERS, EIA_96, VOLTS, colours_in, e96, read_bands
from nuvlo.problems import NuvloError
from nuvlo.stages.unpack.identify import identify

FIRST = {
    # no capacitor of a farad without saying so
    "4702F": "resistor 47 kΩ ± 1 %", "2F104K": "capacitor 100 nF ± 10 %, 315 V", "10R0F": "resistor 10 Ω ± 1 %",
    "52F": "resistor 34 MΩ ± 1 %", "1F": "capacitor 1 F",
    # a unit that is written is believed
    "330uH": "inductor 330 µH", "22pF": "capacitor 22 pF", "47uF": "capacitor 47 µF", "100nF": "capacitor 100 nF",
    "330uH K": "inductor 330 µH ± 10 %", "100nFJ": "capacitor 100 nF ± 5 %", "0.1 MFD": "capacitor 100 nF",
    "470 MMF": "capacitor 470 pF", "100 ohm": "resistor 100 Ω", "4,7 kOhm": "resistor 4.7 kΩ", "100Ω": "resistor 100 Ω",
    # discs of two digits, fractions on film
    "47": "capacitor 47 pF", "22J": "capacitor 22 pF ± 5 %", "1.0": "capacitor 1 µF", "2.2": "capacitor 2.2 µF",
    ".22K250": "capacitor 220 nF ± 10 %, 250 V", "1H104Z": "capacitor 100 nF −20/+80 %, 50 V",
    "2H103K": "capacitor 10 nF ± 10 %, 500 V", "2V104J": "capacitor 100 nF ± 5 %, 350 V", "100N": "capacitor 100 nF",
    # rated volts and watts in words of their own
    "100 25V": "capacitor 100 µF, 25 V", "33 16": "capacitor 33 µF, 16 V", "10uF 16V": "capacitor 10 µF, 16 V",
    "47uF16V": "capacitor 47 µF, 16 V", "107 6.3V": "capacitor 100 µF, 6.3 V", "10n 63V": "capacitor 10 nF, 63 V",
    "220R 5%": "resistor 220 Ω ± 5 %", "5W220RJ": "resistor 220 Ω ± 5 %, 5 W", "R33 5W": "resistor 330 mΩ, 5 W",
    "1K 1W": "resistor 1 kΩ, 1 W", "10k 0.1%": "resistor 10 kΩ ± 0.1 %", "47 R": "resistor 47 Ω", "1/4W 10k": "resistor 10 kΩ, 0.25 W",
    # resistors as they are printed
    "0R": "link 0 Ω", "33E": "resistor 33 Ω", "18E": "resistor 18 Ω", "2E2": "resistor 2.2 Ω", "M22": "resistor 220 kΩ",
    "4K7J": "resistor 4.7 kΩ ± 5 %", "R47": "resistor 470 mΩ", "47K": "resistor 47 kΩ", "12R": "resistor 12 Ω",
    "150E": "resistor 150 Ω", "01C": "resistor 10 kΩ ± 1 %", "104K": "capacitor 100 nF ± 10 %", "221K": "capacitor 220 pF ± 10 %",
    # pots and trimmers
    "W103": "trimmer 10 kΩ", "B100K": "potentiometer 100 kΩ, linear", "500KA": "potentiometer 500 kΩ, audio",
    "103B": "potentiometer 10 kΩ, linear", "100k log": "potentiometer 100 kΩ, audio", "10k B": "potentiometer 10 kΩ, linear",
    # zeners
    "5V1": "zener 5.1 V ± 5 %", "BZX55C5V1": "zener 5.1 V ± 5 %", "1N4733A": "zener 5.1 V ± 5 %", "1N4742": "zener 12 V ± 5 %",
    "BZX85C12": "zener 12 V ± 5 %", "BZX79B4V7": "zener 4.7 V ± 2 %",
    # ceramic chips and tantalums
    "A5": "capacitor 100 nF", "S3": "capacitor 4.7 nF", "D226": "capacitor 22 µF, 20 V",
    # either sign for ohms; volts behind a stroke, or by their code as a word; what it is made of
    "10 k\u2126": "resistor 10 kΩ", "10 k\u03a9": "resistor 10 kΩ", "4k7 \u2126": "resistor 4.7 kΩ", "2,2 MΩ": "resistor 2.2 MΩ",
    "220uF/25V": "capacitor 220 µF, 25 V", "4n7/100": "capacitor 4.7 nF, 100 V", "33/16": "capacitor 33 µF, 16 V",
    "104J 2A": "capacitor 100 nF ± 5 %, 100 V", "473K 2G": "capacitor 47 nF ± 10 %, 400 V", "MKT 104K": "capacitor 100 nF ± 10 %",
    "MKP 473J 400": "capacitor 47 nF ± 5 %, 400 V", "X7R 104": "capacitor 100 nF", "NP0 22J": "capacitor 22 pF ± 5 %",
    # a small m, a letter as the point before the unit, L for a linear track
    "1m": "resistor 1 MΩ", "2m2H": "inductor 2.2 mH", "4u7H": "inductor 4.7 µH", "4n7F": "capacitor 4.7 nF",
    "10KL": "potentiometer 10 kΩ, linear", "100kL": "potentiometer 100 kΩ, linear",
    # types
    "1N4148": "signal diode 1N4148", "BC549C": "NPN transistor BC549C", "2N3904": "NPN transistor 2N3904",
}  # fmt: skip


@pytest.mark.parametrize("marking", FIRST)
def test_the_likeliest_comes_first(marking):
    assert identify(marking)[0].words.replace("\u202f", " ") == FIRST[marking]


@pytest.mark.parametrize("marking", ["1N4148", "2N5457", "1N60", "2N3055", "10N60"])
def test_no_type_is_taken_for_a_capacitor_of_odd_value(marking):
    assert not any("4.1" in str(m) or "3.9" in str(m) for m in read_code(marking))


@pytest.mark.parametrize("marking", ["99C", "00K", "fish", "12.3.4", "47 K 100 zz", "10V lin", "4k7 25V", "2W 100n"])
def test_what_contradicts_itself_means_nothing(marking):
    with pytest.raises(NuvloError):
        identify(marking)


def test_a_farad_is_said_to_be_one():
    assert "supercapacitor" in identify("1F")[0].how
    for text in ("47F", "100F", "4702F", "2F104K", "33F", "680F"):
        assert all(m.value < 0.2 for m in read_code(text) if m.unit == "F"), text


@pytest.mark.parametrize("place", range(1, 97))
def test_all_of_the_ninety_six(place):
    """EIA-96: every place with every letter, among the readings and first where no other is usual."""
    for letter, scale in EIA_96.items():
        found = [m for m in read_code(f"{place:02d}{letter}") if "EIA-96" in m.how]
        assert [m.value for m in found] == [pytest.approx(e96()[place - 1] * scale)]


@pytest.mark.parametrize("code", VOLTS)
def test_rated_volts_by_their_code(code):
    assert next(m.rating for m in read_code(f"{code}104K") if m.unit == "F") == f"{VOLTS[code]:g} V"


@given(st.sampled_from(sorted(CHIP_LETTERS)), st.integers(0, 7))
def test_ceramic_chips(letter, power):
    found = [m for m in read_code(f"{letter}{power}") if "ceramic chip" in m.how]
    assert [m.value for m in found] == [pytest.approx(CHIP_LETTERS[letter] * 10.0 ** (power - 12), rel=1e-5)]


def test_the_likelier_tolerance_comes_first():
    """1 % parts are met more often than 2 %: red red brown red brown is 22.1 kΩ, and 12.1 kΩ only from the other end."""
    assert [(m.value, m.tolerance[1]) for m in read_bands(colours_in("red red brown red brown"))] == [
        (22.1e3, 0.01),
        (12.1e3, 0.02),
    ]


def test_bands_of_a_coil_are_microhenries():
    found = [m for m in read_bands(colours_in("yellow violet gold gold")) if m.kind == "inductor"]
    assert [m.value for m in found] == [pytest.approx(4.7e-6)]
    assert not [m for m in read_bands(colours_in("brown black black orange brown")) if m.kind == "inductor"]


@given(st.text("0123456789RKMEpnuFHJVWABC.% ", max_size=12))
def test_what_makes_no_sense_breaks_nothing(text):
    for m in read_code(text):
        assert 0 <= m.value < 1e13
        assert m.unit != "F" or m.value <= 0.1 or "supercapacitor" in m.how
