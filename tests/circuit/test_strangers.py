"""Netlists as strangers write them, each with one word in it, beside ngspice 39: none refused, none silently different.

Voltages within 0.1 % or 0.2 mV at every node, responses within 0.02 dB, courses within 1 % of their peak. Where ngspice does not read
what other simulators do, or is known to be coarse, the value stands here by hand.
"""

import math

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.circuit.transient import transient
from tests.circuit import ngspice
from tests.circuit.strangers import AC, OP, TRAN

WARNED = ("mos by its oxide",)  # its charge is not counted, and that is said
ONLY_HERE = ("node as a drawing program names it",)  # ngspice cuts such a name


def made(name, text):
    whole = f"{name}\n{text}\n.end\n"
    circuit = Circuit.from_text(whole)
    assert not any(w.alters for w in circuit.warnings) or name in WARNED, [str(w) for w in circuit.warnings]
    return whole, circuit, [n for n in circuit.nodes if not set(".#:") & set(n)]


@pytest.mark.parametrize("name", [n for n in OP if n not in ONLY_HERE])
def test_at_rest(name, tmp_path):
    text, circuit, nodes = made(name, OP[name])
    point = operating_point(circuit)
    ours = [float(point.voltage(n)[0]) for n in nodes]
    assert ours == pytest.approx(ngspice.operating_point(text, nodes, tmp_path), rel=1e-3, abs=2e-4)


@pytest.mark.parametrize("name", AC)
def test_small_signals(name, tmp_path):
    text, circuit, nodes = made(name, AC[name])
    hertz, theirs = ngspice.response(text, nodes, 10, 1e6, 5, tmp_path)
    source, size = next((e.name, s) for e in circuit.elements if e.kind in "vi" and (s := float(circuit.parameter(e, "ac", {}))))
    found = responses(operating_point(circuit), source, nodes, hertz)
    ours = size * np.array([found[n].transfer[0] for n in nodes])
    heard = np.abs(theirs) > 1e-7
    assert np.abs(ours[~heard]).max(initial=0) < 1e-6
    assert np.abs(20 * np.log10(np.abs(ours[heard] / theirs[heard]))).max() < 0.02


@pytest.mark.parametrize("name", TRAN)
def test_over_time(name, tmp_path):
    body, step, stop, *uic = TRAN[name]
    text, circuit, nodes = made(name, body + (f"\n.tran {step} {stop} uic" if uic else ""))
    time, theirs = ngspice.course(text, nodes, step, stop, tmp_path, *uic)
    found = transient(circuit, step, stop, nodes)
    for node, wave in zip(nodes, theirs, strict=True):
        off = np.abs(np.interp(time, found.time, found.voltage[node][0]) - wave)[1:]
        assert off.max() < 0.01 * max(np.ptp(wave), 1e-3) + (0.08 if "switch" in name else 0)


FEED = "v1 a 0 dc 5 ac 1\n"


@pytest.mark.parametrize(
    ("text", "node", "volts"),
    [
        (FEED + "r1 a Net-(C1-Pad1) 1k\nr2 Net-(C1-Pad1) 0 2k\nb1 b 0 v={2*v(net-(c1-pad1))}\nr3 b 0 1k", "b", 20 / 3),
        (FEED + ".param p=1k, q=2k\nr1 a b {p}\nr2 b 0 {q}", "b", 10 / 3),
        (FEED + "r1 a b 1k tc=0.01,0.001\nr2 b 0 1k\n.temp 50", "b", 5 / (2 + 0.01 * 23 + 0.001 * 23**2)),
        (FEED + "d1 b 0 dd 3\nr1 a b 1k\n.model dd d(is=1e-14)", "b", 0.02586492 * math.log(4.33e-3 / 3e-14)),
        (FEED + "r1 a b 1k\nr2 b 0 1k\n.model odd nmos level=54 version=4.5\n.model xx frog(legs=4)", "b", 2.5),
        (FEED + "b1 b 0 v={v(a)%3}\nr1 b 0 1k", "b", 2.0),
        (FEED + "b1 b 0 v={if(v(a)>2, 3, 4)}\nr1 b 0 1k", "b", 3.0),
        (FEED + "e1 b 0 table {v(a)} = (0,0) (2,4) (4,4.5)\nr1 b 0 1k", "b", 4.5),
        (FEED + "l1 a 0 1\nr1 a 0 1k\n", None, None),  # a coil across a source
        ("i1 0 a 1m m=3\nr1 a 0 1k", "a", 3.0), (FEED + "x1 a b s m=3\nr2 b 0 1k\n.subckt s a b\nr1 a b 3k\n.ends", "b", 2.5),
        (".global vcc\nv1 vcc 0 5\nx1 o s\n.subckt s o\nx2 o t\n.subckt t o\nr1 vcc o 1k\nr2 o 0 1k\n.ends\n.ends", "o", 2.5),
        ("v1 c 0 1\nx1 c s\n.subckt s c is=1e-12\nr1 c p 1k\nd1 p 0 dq\n.ends\n.model dq d(is={is})\n.param is=1e-15", "x1.p", 0.6848),  # the model's own names
    ],
)  # fmt: skip
def test_by_hand(text, node, volts):
    if node is None:
        with pytest.raises(Exception, match="closes a loop"):
            Circuit.from_text(f"t\n{text}\n.end\n")
        return
    point = operating_point(Circuit.from_text(f"t\n{text}\n.end\n"))
    assert point.voltage(node)[0] == pytest.approx(volts, rel=2e-3)


def test_a_derivative_over_time_is_exact():
    """ngspice's is coarse over time, and nothing to small signals."""
    still = operating_point(Circuit.from_text("t\nv1 a 0 dc 1 ac 1\nb1 b 0 v={1u*ddt(v(a))}\nr1 b 0 1k\n"))
    assert responses(still, "v1", ["b"], np.array([1e3]))["b"].transfer[0, 0] == pytest.approx(2e-3j * np.pi, rel=1e-9)
    found = transient(Circuit.from_text("t\nv1 a 0 sin(0 1 1k)\nb1 b 0 v={100u*ddt(v(a))}\nr1 b 0 1k\n"), 1e-5, 3e-3, ["b"])
    late = found.time > 1e-4
    assert found.voltage["b"][0][late] == pytest.approx(0.2 * np.pi * np.cos(2e3 * np.pi * found.time[late]), abs=2e-3)


def test_an_integral_over_time_is_exact():
    """Of what is nothing at rest; ngspice has none."""
    circuit = Circuit.from_text("t\nv1 a 0 dc 0 ac 1 sin(0 1 1k)\nb1 b 0 v={2k*idt(v(a))+1k*idt(idt(100*v(a)))}\nr1 b 0 1k\n")
    omega = 2e3 * np.pi
    found = responses(operating_point(circuit), "v1", ["b"], np.array([1e3]))["b"].transfer[0, 0]
    assert found == pytest.approx(2e3 / (1j * omega) - 1e5 / omega**2, rel=1e-6)
    course = transient(circuit, 1e-5, 2e-3, ["b"])
    time = course.time
    wanted = 2e3 * (1 - np.cos(omega * time)) / omega + 1e5 * (time / omega - np.sin(omega * time) / omega**2)
    assert course.voltage["b"][0] == pytest.approx(wanted, abs=2e-3)


def test_a_bistable_pair_goes_where_nodeset_leads_it():
    pair = "v1 c 0 5\nr1 c a 1k\nr2 c b 1k\nr3 a p 10k\nr4 b q 10k\nq1 a q 0 n\nq2 b p 0 n\n.model n npn(bf=100)\n"
    for led, other in (("a", "b"), ("b", "a")):
        point = operating_point(Circuit.from_text(f"t\n{pair}.nodeset v({led})=5 v({other})=0\n"))
        assert point.voltage(led)[0] > 4 > 1 > point.voltage(other)[0]


@pytest.mark.parametrize(("lenient", "status"), [([], 1), (["--lenient"], 0)])
def test_a_word_passed_over_that_may_change_the_answer_is_told_by_the_exit_status(lenient, status, tmp_path, capsys):
    from nuvlo.cli.main import main

    file = tmp_path / "x.cir"
    file.write_text("t\nv1 a 0 5\nr1 a b 1k esr=3\nr2 b 0 1k\n")
    assert main(["solve", str(file), "op", *lenient]) == status
    said = capsys.readouterr()
    assert "2.5" in said.out
    assert "x.cir:3:11: 'esr' is not known of 'r1'" in said.err


def test_a_resistor_that_is_not_noisy_makes_no_noise():
    text = "t\nv1 a 0 dc 1 ac 1\nr1 a b 1k{}\nr2 b 0 1k\n"
    loud, quiet = (noise(operating_point(Circuit.from_text(text.format(w))), "v1", "b", np.array([1e3])) for w in ("", " noisy=0"))
    assert quiet.output_density[0, 0] == pytest.approx(loud.output_density[0, 0] / 2**0.5, rel=1e-6)


def test_a_section_of_a_library_file_is_taken_in(tmp_path):
    (tmp_path / "my parts.lib").write_text("* parts\n.lib fast\n.param r=1k\n.endl\n.lib slow\n.param r=3k\n.endl\n")
    (tmp_path / "x.cir").write_text('t\n.lib "my parts.lib" slow\nv1 a 0 4\nr1 a b {r}\nr2 b 0 1k\n')
    assert operating_point(Circuit.from_file(tmp_path / "x.cir")).voltage("b")[0] == pytest.approx(1.0)
    (tmp_path / "y.cir").write_text('t\n.lib "my parts.lib" none\nv1 a 0 4\nr1 a 0 1k\n')
    with pytest.raises(Exception, match="no section 'none'"):
        Circuit.from_file(tmp_path / "y.cir")
