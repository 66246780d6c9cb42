"""Where Newton gets lost: breakdown, gains, formulas without a value, jumps over time; each last resort alone; random blocks of audio."""

import numpy as np
import pytest

from nuvlo.circuit import newton as solver
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import impedance, responses
from nuvlo.circuit.transient import transient
from tests.circuit import ngspice
from tests.circuit.blocks import circuit as random_blocks
from tests.conftest import long_but

NPN = ".model n npn(is=1e-14 bf=150 vaf=60 rb=50)\n"


@pytest.mark.parametrize("seed", long_but(range(40), range(2000)))
def test_random_blocks_are_found_and_right(seed, tmp_path):
    """ngspice finds all of these 2,000."""
    text = random_blocks(seed)
    circuit = Circuit.from_text(text)
    point = operating_point(circuit)
    assert point.converged[0]
    theirs = ngspice.operating_point(text, circuit.nodes, tmp_path)
    assert [float(point.voltage(n)[0]) for n in circuit.nodes] == pytest.approx(list(theirs), rel=2e-3, abs=2e-3 * max(1, np.abs(theirs).max()))


ZENER_AND_LAMPS = "vs r 0 24\nr1 r z 220\nd1 0 z z12\nr2 r a 470\nd2 a b led\nd3 b c led\nd4 c 0 led\nd5 0 a z12\n.model z12 d(is=1e-15 rs=5 bv=12 ibv=2m)\n.model led d(is=1e-17 n=1.9 rs=4)\n"
MACRO = "vi i 0 0.3\nra i m 10k\nrb m o 100k\nb1 0 x i={1m*tanh(19*(0-v(m)))}\nrx x 0 1meg\nb2 o 0 v={max(min(v(x),13),-13)}\n"


@pytest.mark.parametrize("way", ["gmin_steps", "leak_steps", "source_steps", "come_to_rest"])
@pytest.mark.parametrize("text", [ZENER_AND_LAMPS, MACRO], ids=["zener and lamps", "macro"])
def test_each_last_resort_finds_what_is_to_be_found(way, text):
    circuit = Circuit.from_text(f"t\n{text}")
    eq = Equations(circuit)
    newton = solver.Newton(eq, eq.linear(), eq.right_side(), 1, solver.DEFAULT)
    given = (np.zeros((eq.size, 1)), eq.devices.starting_voltages()) if way == "gmin_steps" else ()
    with np.errstate(all="ignore"):
        x, ok = getattr(newton, way)(np.array([0]), *given)
    assert ok.all()
    assert x[:, 0] == pytest.approx(operating_point(circuit).x[:, 0], rel=1e-4, abs=1e-6)


def test_a_point_says_by_which_way_it_was_found(monkeypatch):
    plain = operating_point(Circuit.from_text("t\nv1 a 0 5\nr1 a b 1k\nd1 b 0 d\n.model d d\n"))
    assert plain.found_by() == "at once"
    iterate = solver.Newton.iterate

    def lost_at_first(self, chosen, start, junctions, gmin=None, scale=1.0, turns=None):
        x, ok = iterate(self, chosen, start, junctions, gmin, scale, turns)
        return x, ok & (turns is not None)

    monkeypatch.setattr(solver.Newton, "iterate", lost_at_first)
    assert operating_point(Circuit.from_text("t\nv1 a 0 5\nr1 a b 1k\nd1 b 0 d\n.model d d\n")).found_by() == "by gmin steps"


def test_what_is_lost_among_many_is_found_among_few():
    """The order of elimination is that of the first member: a mistake may make it a bad one. Here every other member has one."""
    text = f"t\n{ZENER_AND_LAMPS}r9 z b 1k\n"
    ohms = np.where(np.arange(60) % 2, 1e-3, 1e9)
    point = operating_point(Circuit.from_text(text), {"r9": ohms})
    assert point.converged.all()
    assert np.ptp(point.voltage("z")[::2]) < 1e-6
    assert np.ptp(point.voltage("z")[1::2]) < 1e-6


@pytest.mark.parametrize(
    ("formula", "node", "volts"),
    [
        ("v={v(a)/v(b)}", "c", 2.0), ("v={ln(v(b))}", "c", 0.0), ("i={-1m/v(b)}", "c", 1.0), ("v={1/(1/v(a)+1/v(b))}", "c", 2 / 3),
        ("v={v(a)**1.5/v(b)**0.5}", "c", 2**1.5), ("i={-1m*sqrt(v(c)+1)}", "c", (1 + 5**0.5) / 2),
    ],
)  # fmt: skip
def test_a_formula_without_a_value_at_nothing_is_begun_elsewhere(formula, node, volts):
    point = operating_point(Circuit.from_text(f"t\nv1 a 0 2\nr1 a b 1k\nr2 b 0 1k\nb1 c 0 {formula}\nr3 c 0 1k\n"))
    assert point.voltage(node)[0] == pytest.approx(volts, rel=1e-6, abs=1e-9)


def test_the_foot_of_a_root_is_no_solution():
    """There the slope is endless and every step next to nothing: 2 V by 1 kΩ into √v mA is 0.61 V."""
    point = operating_point(Circuit.from_text("t\nv1 a 0 2\nr1 a b 1k\nr3 b 0 1k\nb1 b 0 i={1m*sqrt(v(b))}\n"))
    assert point.voltage("b")[0] == pytest.approx(((17**0.5 - 1) / 4) ** 2, rel=1e-6)


FLIPFLOP = """v1 c 0 5
r1 c a 1k
r2 c b 1k
r3 a p 10k
r4 b q 10k
q1 a q 0 n
q2 b p 0 n
vs s 0 pulse(0 5 1m 1u 1u 1m 5m)
rs s q 10k
vr r 0 pulse(0 5 3m 1u 1u 0.5m 5m)
rr r p 10k
"""
COMPARATOR = "vin i 0 sin(0 2 200)\nb1 o 0 v={{{}}}\nr1 o p 100k\nr2 p 0 20k\nr3 i 0 1k\n"


@pytest.mark.parametrize(
    ("text", "node", "stop"),
    [(FLIPFLOP, "a", 5e-3), (COMPARATOR.format("5*tanh(1e5*(v(p)-v(i)))"), "o", 1e-2), (COMPARATOR.format("max(min(1e6*(v(p)-v(i)),5),-5)"), "o", 1e-2)],
    ids=["flip-flop", "soft comparator", "hard comparator"],
)  # fmt: skip
def test_a_loop_that_jumps_without_capacitance_is_followed(text, node, stop, tmp_path):
    """All but the few samples on the edges as ngspice has them."""
    whole = f"t\n{text}{NPN}.end\n"
    time, (theirs,) = ngspice.course(whole, [node], 1e-5, stop, tmp_path)
    found = transient(Circuit.from_text(whole), 1e-5, stop, [node])
    off = np.abs(np.interp(time, found.time, found.voltage[node][0]) - theirs) > 0.02 * np.ptp(theirs)
    assert off.mean() < 0.01


def test_a_trigger_of_two_transistors_jumps_at_both_its_thresholds():
    """Which ngspice gives up: up at 3 V or so, where the first takes over, and down lower."""
    text = "v1 c 0 9\nvin i 0 pwl(0 0 10m 6 20m 0)\nr1 c a 2.2k\nr2 c b 2.2k\nre e 0 1k\nq1 a i e n\nrx a x 10k\nry x 0 10k\nq2 b x e n\n"
    found = transient(Circuit.from_text(f"t\n{text}{NPN}"), 1e-5, 2e-2, ["b", "i"])
    b, i = found.voltage["b"][0], found.voltage["i"][0]
    up = float(i[np.argmax(b > 6)])
    down = float(i[len(b) // 2 + np.argmax(b[len(b) // 2 :] < 6)])
    assert 1.5 < down < up - 0.2 < 4
    assert set(np.round(b[[0, 1000, -1]])) == {3.0, 9.0}


def chain(stages):
    lines = ["chain", "vs rail 0 12", "vin n0 0 dc 0 ac 1"]
    for k in range(stages):
        lines += [f"cc{k} n{k} b{k} 1u", f"rp{k} rail b{k} 82k", f"rq{k} b{k} 0 15k", f"q{k} c{k} b{k} e{k} n", f"rc{k} rail c{k} 4.7k", f"re{k} e{k} 0 1k",
                  f"rl{k} c{k} n{k + 1} 10k", f"rm{k} n{k + 1} 0 2.7k", f"cl{k} n{k + 1} 0 100p"]  # fmt: skip
    return "\n".join([*lines, NPN, ".end", ""])


def test_large_circuits_are_solved_as_small_ones_are(monkeypatch, tmp_path):
    """Sparse against dense on the same 200 unknowns, both ways through; and against ngspice."""
    text, hertz = chain(40), np.array([30.0, 1e3, 2e4])
    found = []
    for large in (50, 10**6):
        for where in ("systems", "small_signal"):
            monkeypatch.setattr(f"nuvlo.circuit.{where}.LARGE", large)
        point = operating_point(Circuit.from_text(text))
        found.append((point.x[:, 0], responses(point, "vin", ["n5", "n20"], hertz), impedance(point, "n20", hertz)))
    (x, by_sparse, ohms), (dense_x, by_dense, dense_ohms) = found
    assert x == pytest.approx(dense_x, rel=1e-6, abs=1e-12)
    assert ohms == pytest.approx(dense_ohms, rel=1e-9)
    for node in ("n5", "n20"):
        assert by_sparse[node].transfer == pytest.approx(by_dense[node].transfer, rel=1e-7)
    theirs, (heard,) = ngspice.response(text, ["n5"], 100, 1e5, 3, tmp_path)
    ours = responses(point, "vin", ["n5"], theirs)["n5"].transfer[0]
    assert np.abs(20 * np.log10(np.abs(ours / heard))).max() < 0.01
    over_time = text.replace("ac 1", "ac 1 sin(0 10m 1k)")
    monkeypatch.setattr("nuvlo.circuit.systems.LARGE", 50)
    sparse = transient(Circuit.from_text(over_time), 2e-5, 1e-3, ["n3"]).voltage["n3"][0]
    monkeypatch.setattr("nuvlo.circuit.systems.LARGE", 10**6)
    assert sparse == pytest.approx(transient(Circuit.from_text(over_time), 2e-5, 1e-3, ["n3"]).voltage["n3"][0], abs=2e-6)
