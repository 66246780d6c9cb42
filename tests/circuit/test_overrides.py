"""What members may differ in besides values: each mistake in one call with good units, against a netlist that has it."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.devices import THERMAL_VOLTAGE
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import fault_named
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.operating_point import operating_point, solve
from nuvlo.circuit.overrides import can_override, moved
from nuvlo.circuit.small_signal import response

STAGE = """stage
vcc vcc 0 12
vin in 0 dc 0.1 ac 1
r1 vcc b 220k
r2 b 0 47k
r3 vcc c 4.7k
{q}
r4 e 0 1k
{d}
cin in b 1u
r5 c out 10k
r6 out 0 {r6}
{more}
.model qn npn(is=10f bf=200 vaf=80 rb=50 br=4)
.model dd d(is=1n n=1.7 rs=1)
"""
GOOD = {"q": "q1 c b e qn", "d": "d1 out 0 dd", "r6": "100k", "more": ""}
MISTAKES = {
    "r6.missing": {"r6": "1e12"},
    "d1.reversed": {"d": "d1 0 out dd"},
    "d1.missing": {"d": ""},
    "q1.legs_ebc": {"q": "q1 e b c qn"},
    "q1.legs_bce": {"q": "q1 b c e qn"},
    "q1.missing": {"q": ""},
    "bridge(c,out)": {"more": "rb c out 10m"},
    "vcc.reversed": {"more": "*"},
}


def _with(**changes: str) -> Circuit:
    return Circuit.from_text(STAGE.format(**(GOOD | changes)))


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_is_an_axis_beside_good_units(name):
    """Member 0 is as drawn, member 1 has the mistake; both agree with a netlist written that way."""
    values = np.array([np.inf, 0.01]) if name.startswith("bridge") else np.array([0.0, 1.0])
    wrong = _with(**MISTAKES[name])
    overrides = {"vcc": -12.0} if name == "vcc.reversed" else {}
    point = operating_point(_with(), {name: values})
    assert point.failed == []
    frequency = np.array([1e3])
    gain = abs(response(point, "vin", "out", frequency).transfer[:, 0])
    for member, circuit, given in ((0, _with(), {}), (1, wrong, overrides)):
        alone = operating_point(circuit, given)
        for node in ("b", "c", "e", "out"):
            if node in circuit.nodes:
                expected = alone.voltage(node)[0]
                assert point.voltage(node)[member] == pytest.approx(expected, rel=1e-4, abs=1e-5), (node, member)
        expected = abs(response(alone, "vin", "out", frequency).transfer[0, 0])
        assert gain[member] == pytest.approx(expected, rel=1e-3, abs=1e-6)


def test_values_faults_and_positions_in_one_call():
    c = Circuit.from_text(
        "t\n.include pot.lib\nv1 a 0 9\nx1 0 w a pot_lin r=10k pos=0.5\nr1 w 0 100k\nd1 w 0 dd\n.model dd d(is=1n)"
    )
    point = operating_point(
        c,
        {
            "x1.pos": np.array([0.5, 0.2, 0.5, 0.5]),
            "r1": np.array([100e3, 100e3, 1e3, 100e3]),
            "d1.missing": np.array([1.0, 1.0, 1.0, 0.0]),
        },
    )
    turn, load = np.array([0.5, 0.2, 0.5]), np.array([100e3, 100e3, 1e3])
    expected = 9 * turn * load / (load + 10e3 * turn * (1 - turn))
    assert point.voltage("w")[:3] == pytest.approx(expected, rel=1e-3)
    assert point.voltage("w")[3] < 0.6 < point.voltage("w")[0]


@pytest.mark.parametrize("legs", ["ceb", "bce", "ebc"])
def test_equations_of_a_turned_transistor_are_those_laid_out_anew(legs):
    """They start from the circuit whose transistors are upright; of series resistances too, of few values and of many, with and without sources."""
    text = (
        "t\nvp p 0 9\nr1 p b 470k\nr2 p c 4.7k\nr3 e 0 1k\nc1 b c 1n\nq1 c b e nn\nq2 p c o nn\nr4 o 0 1k\nb1 k 0 i=1m*v(o)\nr5 k 0 1k\nd1 k 0 dd\n"
        ".model nn npn bf=200 rb=100 re=1 rc=2 cje=5p\n.model dd d(rs=3)"
    )
    upright, turn = Circuit.from_text(text), fault_named(f"q1.legs_{legs}")
    values = {"r2": np.array([4.7e3, 4.6e3, 4.9e3]), "q1.bf": np.array([200.0, 150.0, 300.0]), "r5.missing": np.array([0.0, 0.0, 1.0])}
    for given in ({}, {"r2": 4e3}, values):
        for apart in ({}, {"open_sources": frozenset({"vp"}), "leak": 1e-12}):
            from_it, anew = moved(upright, [turn]), moved(upright, [turn])
            anew.upright = None
            mine, theirs = Equations(from_it, given, **apart), Equations(anew, given, **apart)
            assert mine.circuit is from_it
            assert mine.names == theirs.names
            for k in range(3 if given is values else 1):
                assert np.array_equal(_matrix(mine, k), _matrix(theirs, k))
            one, other = solve(mine), solve(theirs)
            assert one.x == pytest.approx(other.x, rel=1e-6, abs=1e-9)
    assert operating_point(upright).voltage("c") != pytest.approx(operating_point(moved(upright, [turn])).voltage("c"), abs=0.01)


def _matrix(eq, member: int):
    """Of one member: all that is linear, and its devices at a tenth of a volt."""
    values = [np.array([v[member % v.size]]) for v in eq.linear()]
    volts = np.full((eq.devices.count, max(eq.members, 1)), 0.1)
    eq.add_devices(values, eq.devices.evaluate(volts, 0.0).conductance[:, [member]])
    out = np.zeros((eq.size, eq.size))
    for place, value in zip(eq.slots, values, strict=True):
        out[place] += value[0]
    return out


def test_temperature_is_an_axis():
    """A junction at constant current falls by about 2 mV a degree (common practice, no source): here from its own law."""
    c = Circuit.from_text("t\ni1 0 a 1m\nd1 a 0 dd\n.model dd d(is=10f)")
    warm = operating_point(c, {"temper": np.array([27.0, 37.0])}).voltage("a")
    assert (warm[1] - warm[0]) / 10 == pytest.approx(-(1.11 - warm[0] + 3 * THERMAL_VOLTAGE) / 300.15, rel=0.03)


@pytest.mark.parametrize("name", ["r9", "r1.reversed", "q1.legs_xyz", "bridge(c,nowhere)", "r1.wrong"])
def test_an_override_that_speaks_of_nothing_is_refused(name):
    with pytest.raises(NetlistError) as refused:
        operating_point(_with(), {name: 1.0})
    assert "legs" in str(refused.value) or "nothing called" in str(refused.value)


@pytest.mark.parametrize(("key", "card"), [("q1.legs_cbe_as_q2", "q1 c b e pp"), ("q1.legs_ebc_as_q2", "q1 e b c pp"), ("q1.legs_sdg_as_j1", "j1x b e c jj")])
def test_another_type_in_its_holes_reads_as_a_netlist_with_it(key, card):
    """Some members have it, the others not; its legs stand where they are said to."""
    text = (
        "t\nvp p 0 9\nvn n 0 -9\nr1 n b 100k\nr2 p b 470k\nq1 c b e nn\nr3 p c 1k\nr4 e n 220\nq2 n p p pp\nj1 p n n jj\n"
        ".model nn npn bf=200\n.model pp pnp bf=120\n.model jj njf vto=-2 beta=1m"
    )
    both = operating_point(Circuit.from_text(text), {key: np.array([0.0, 1.0, 0.0])})
    stands = operating_point(moved(Circuit.from_text(text), [fault_named(key)]))
    good, wrong = operating_point(Circuit.from_text(text)), operating_point(Circuit.from_text(text.replace("q1 c b e nn", card)))
    for node in "cbe":
        assert both.voltage(node)[[0, 2]] == pytest.approx(good.voltage(node)[0], abs=1e-4)  # what is absent leaks a little
        assert both.voltage(node)[1] == pytest.approx(wrong.voltage(node)[0], abs=1e-4)
        assert stands.voltage(node)[0] == pytest.approx(wrong.voltage(node)[0], abs=1e-9)  # nothing is absent there
    assert abs(good.voltage("c")[0] - wrong.voltage("c")[0]) > 0.1 or abs(good.voltage("e")[0] - wrong.voltage("e")[0]) > 0.1


@pytest.mark.parametrize("pos", [0.1, 0.5, 0.93])
@pytest.mark.parametrize(("lugs", "half", "nodes"), [("w a b", "r2", ("a", "b")), ("a b w", "r1", ("b", "a"))])
@pytest.mark.parametrize("taper", ["pot_lin", "pot_audio"])
def test_a_pots_leads_on_each_others_lugs_are_the_netlist_with_its_nodes_exchanged(lugs, half, nodes, pos, taper):
    """Some members have it and some have not; or all of them."""
    text = f"* t\n.include pot.lib\nv1 a 0 9\nr1 b 0 1k\nr2 w 0 47k\nxp a w b {taper} r=10k pos={pos}\n"
    key = f"xp.{half}.between({','.join(nodes)})"
    both = operating_point(Circuit.from_text(text), {key: np.array([0.0, 1.0])})
    stands = operating_point(moved(Circuit.from_text(text), [fault_named(key)]))
    edited = operating_point(Circuit.from_text(text.replace("xp a w b", f"xp {lugs}")))
    for node in ("b", "w"):
        assert both.voltage(node) == pytest.approx([operating_point(Circuit.from_text(text)).voltage(node)[0], edited.voltage(node)[0]], rel=1e-7)
        assert stands.voltage(node) == pytest.approx(edited.voltage(node), rel=1e-7)
    assert abs(edited.voltage("w")[0] - both.voltage("w")[0]) > 1e-3


@pytest.mark.parametrize(("key", "can"), [("xp.r2.between(a,b)", True), ("xp.r2.between(a,nowhere)", False), ("xp.between(a,b)", False)])
def test_only_a_resistor_stands_between_other_nodes(key, can):
    circuit = Circuit.from_text("* t\n.include pot.lib\nv1 a 0 9\nr1 b 0 1k\nxp a w b pot_lin\nrw w 0 1k\n")
    assert can_override(circuit, key) is can
