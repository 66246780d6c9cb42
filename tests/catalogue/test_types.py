"""Registered types: every model against the figures that data sheets give, and a type found however it is written.

Figures are typical ones from memory of usual data sheets; those of ECC83 and EL84 are the ones printed in handbooks of the time.
"""

import re

import pytest

from nuvlo.catalogue import find, marks, named, nearest, printed, types
from nuvlo.catalogue.bench import shown
from nuvlo.catalogue.spread import spread_of
from nuvlo.catalogue.type import VALVES
from nuvlo.catalogue.words import SORTS, told
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.shipped import index
from nuvlo.problems import NuvloError
from tests.conftest import long_but

# How near a model comes to a typical figure: units differ by far more.
WITHIN = {"vbe": 0.04, "vf": 0.05, "vz": 0.02, "vref": 0.01, "vout": 0.03, "ctrl": 0.02, "ia": 0.05}
USUAL = 0.25
OFFSET = 5e-4  # V at which a comparator may trip instead of 0
EVERY = list(types().values())
FEW = [next(t for t in EVERY if t.sort == sort) for sort in SORTS]  # one of each sort


@pytest.mark.parametrize("one", long_but(FEW, EVERY), ids=lambda t: t.model)
def test_its_model_gives_its_published_figures(one):
    assert len(one.published) >= 3
    for p in one.published:
        got = shown(one, p)
        if p.value == 0.0:
            assert abs(got) < OFFSET, p
        else:
            assert got == pytest.approx(p.value, rel=WITHIN.get(p.what, USUAL)), p


@pytest.mark.parametrize(
    ("mark", "name"),
    [("C549C", "BC549C"), ("c1815", "2SC1815"), ("K30A", "2SK30A"), ("4148", "1N4148"), ("4007", "1N4007"), ("C5V1", "BZX55C5V1"),
     ("5V1", "BZX55C5V1"), ("1N4733", "1N4733A"), ("S170", "BS170"), ("TL072", "TL072"), ("EL84", "EL84")],
)  # fmt: skip
def test_a_print_tells_its_type(mark, name):
    assert [t.name for t in printed(mark)] == [name]
    assert mark.upper() in told(named(name), figures=False)[2 + bool(named(name).also)]


def test_a_print_never_belongs_to_two_types_and_a_lamp_has_none():
    assert all(len(printed(m)) == 1 for t in EVERY for m in marks(t))
    assert [t for t in EVERY if not marks(t)] == [t for t in EVERY if t.sort in ("led", "ldr-opto")]
    assert "lens" in " ".join(told(named("LED red"), figures=False))


def test_there_are_enough_and_each_is_whole():
    assert len([t for t in EVERY if t.sort != "zener"]) >= 150
    for t in EVERY:
        assert t.model in index(), t.name
        assert t.sort in SORTS, t.name
        assert len({p.number for p in t.pins}) == len(t.pins) > 1, t.name
        assert {find(t.name), find(t.model)} == {t}, t.name
        assert all(s.low < s.high for s in spread_of(t)), t.name
        for name, change in t.instead:
            assert change, (t.name, name)
            for one in re.split(r" to | or ", name):
                assert find(one) not in (None, t), (t.name, one)


@pytest.mark.parametrize("one", [t for t in EVERY if t.instead], ids=lambda t: t.model)
def test_what_stands_in_says_so_where_its_pins_differ(one):
    """The first thing that goes wrong with another type: the same holes, the legs in another order."""
    for name, change in one.instead:
        other = find(name)
        if other and one.order and other.order and one.sort == other.sort and one.package == other.package:
            assert one.order == other.order or re.search(rf"pins {other.order}\b", change), (name, change)


@pytest.mark.parametrize(
    ("written", "name"),
    [("1n4148", "1N4148"), ("BC 549 C", "BC549C"), ("bc549", "BC549C"), ("TL072CP", "TL072"), ("12AX7", "ECC83"), ("LM317T", "LM317"),
     ("uA741CN", "LM741"), ("JRC4558D", "RC4558"), ("NE5532P", "NE5532"), ("12 V zener", "BZX55C12"), ("5V1 zener", "BZX55C5V1"),
     ("1N4733", "1N4733A"), ("BZX79C5V1", "BZX55C5V1"), ("red 5 mm", "LED red"), ("L7805", "7805"), ("EL84", "EL84"), ("6bq5", "EL84")],
)  # fmt: skip
def test_found_however_it_is_written(written, name):
    assert find(written).name == name


@pytest.mark.parametrize("written", ["", "1", "R3", "100k", "bc999", "tl0", "12 V", "5 mm", "🙂" * 50, "a" * 400])
def test_what_is_no_type_is_none_and_the_nearest_is_said(written):
    assert find(written) is None
    with pytest.raises(NuvloError, match="Nearest by name"):
        named(written)


def test_the_nearest_is_the_one_meant():
    assert [t.name for t in nearest("2n3940", 1)] == ["2N3904"]
    assert "TL072" in [t.name for t in nearest("tl072xx")]


@pytest.mark.parametrize(
    ("name", "order"),
    [("BC549C", "CBE"), ("2N3904", "EBC"), ("2SC1815", "ECB"), ("BD139", "ECB"), ("TIP41C", "BCE"), ("2N5457", "DSG"), ("2N7000", "SGD"),
     ("BS170", "DGS"), ("1N4007", "AK")],
)  # fmt: skip
def test_legs_by_package(name, order):
    """Common practice of the trade; makers' drawings, from memory."""
    assert find(name).order == order


@pytest.mark.parametrize(
    ("name", "pins"),
    [("TL072", {4: "V−", 8: "V+", 1: "out A"}), ("TL074", {4: "V+", 11: "V−"}), ("ECC83", {1: "plate b", 6: "plate a", 9: "heater middle"}),
     ("EL84", {7: "plate", 2: "grid", 9: "screen"}), ("7805", {1: "input", 2: "ground", 3: "output"}), ("7905", {1: "ground", 2: "input"}),
     ("78L05", {1: "output", 3: "input"}), ("LM317", {1: "adjust", 2: "output", 3: "input"}), ("LM337", {2: "input", 3: "output"})],
)  # fmt: skip
def test_pins_by_number(name, pins):
    """A positive regulator's tab is its middle pin, a negative one's too: ground of one, input of the other."""
    assert {p.number: p.name for p in find(name).pins}.items() >= pins.items()


def test_told_in_words():
    text = "\n".join(told(named("bc549")))
    assert "flat side towards you, legs down, from the left: 1 collector, 2 base, 3 emitter" in text
    assert "2N5088 (pins EBC)" in text
    assert "current gain at 2\u202fmA: 500 typical, its model 50" in text
    assert "No longer made" in "\n".join(told(named("ac128"), figures=False))


def test_a_netlist_names_a_type_without_its_model_and_its_own_model_wins():
    body = "t\nv1 a 0 9\nr1 a c 4.7k\nr2 a b 1meg\nq1 c b 0 {name}\n"
    known = operating_point(Circuit.from_text(body.format(name="2n3904"))).voltage("c")[0]
    own = body.format(name="2n3904") + ".model 2n3904 npn(bf=10)\n"
    assert operating_point(Circuit.from_text(own)).voltage("c")[0] > known + 3
    within = "t\nv1 a 0 9\nx1 a c stage\n.subckt stage a c\nr1 a c 4.7k\nr2 a b 1meg\nq1 c b 0 2n3904\n.ends\n"
    assert operating_point(Circuit.from_text(within)).voltage("c")[0] == pytest.approx(known)
    with pytest.raises(NuvloError, match="'2n39044' is not defined"):
        Circuit.from_text(body.format(name="2n39044"))


def test_a_subcircuit_is_found_with_what_it_stands_on():
    text = "t\nvp p 0 9\nvn n 0 -9\nvi i 0 1\nx1 i o p n o tl071\nrl o 0 10k\nx2 p j r lm317\nr1 r j 240\nr2 j 0 240\n"
    point = operating_point(Circuit.from_text(text))
    assert point.voltage("o")[0] == pytest.approx(1.0, abs=1e-3)
    assert point.voltage("r")[0] == pytest.approx(2.5, rel=0.01)


@pytest.mark.parametrize("one", [t for t in EVERY if t.sort in VALVES], ids=lambda t: t.name)
def test_a_valve_says_what_its_heater_wants(one):
    """From memory; heaters of one bottle never share a supply they would burn out on."""
    found = re.match(r"heater (\d+(?:\.\d+)?) V (\d+(?:\.\d+)?) A", one.says)
    assert found
    volts, amps = float(found[1]), float(found[2])
    assert volts in (5.0, 6.3, 12.6)
    assert 0.9 <= volts * amps <= 16.0, "watts"
    assert (volts == 5.0) == (one.name in ("GZ34", "5Y3GT", "5U4GB"))
