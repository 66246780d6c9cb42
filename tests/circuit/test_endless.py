"""Tiny files that would never end, and deep ones that would end the program: a result, or a problem with its place."""

import signal

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.netlist import NetlistError, parse_netlist
from nuvlo.circuit.operating_point import operating_point
from nuvlo.progress import Progress, Stopped, under

GUARD = 30  # s; what fails here would go on for hours, so that a slow machine makes no difference


@pytest.fixture(autouse=True)
def ends():
    def late(*_):
        raise AssertionError("it did not end")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(GUARD)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def volts(text: str, node: str = "a") -> float:
    return float(operating_point(Circuit.from_text("t\n" + text)).voltage(node)[0])


def test_doubling_parameters_come_to_their_value():
    lines = [f".param p{k}={{p{k - 1}+p{k - 1}}}" for k in range(1, 41)]
    assert volts("\n".join([".param p0=1", *lines, "v1 a 0 {p40}", "r1 a 0 1k"])) == 2.0**40


def test_a_long_chain_of_parameters_comes_to_its_value():
    lines = [f".param p{k}={{p{k - 1}+1}}" for k in range(1, 2001)]
    assert volts("\n".join([*reversed(lines), ".param p0=0", "v1 a 0 {p2000}", "r1 a 0 1k"])) == 2000.0


def test_a_circle_of_parameters_is_still_found():
    with pytest.raises(NetlistError, match="defined by itself"):
        volts(".param p={q}\n.param q={p}\nv1 a 0 {p}\nr1 a 0 1k")
    assert volts(".param k=2\n.subckt s a k=3\nr1 a 0 {k*1k}\n.ends\nv1 a 0 9\nx1 a s k={k}") == 9.0


@pytest.mark.parametrize("depth", [20, 60])
def test_limits_in_limits(depth):
    text = "v(a)"
    for _ in range(depth):
        text = f"limit({text},-5,v(a)+1)"
    assert volts(f"v1 a 0 3\nr1 a 0 1k\nb1 b 0 v={{{text}}}\nr2 b 0 1k", "b") == pytest.approx(3.0)


def test_a_sum_of_nine_hundred_terms():
    assert volts(f"v1 a 0 {{{'+'.join(['1'] * 900)}}}\nr1 a 0 1k") == 900.0
    text = "+".join(["v(a)"] * 900)
    assert volts(f"v1 a 0 2\nr1 a 0 1k\nb1 b 0 v={{{text}}}\nr2 b 0 1k", "b") == pytest.approx(1800.0)


@pytest.mark.parametrize(
    "text",
    [
        "(" * 5000 + "1" + ")" * 5000, "-" * 5000 + "1", "1?" * 2000 + "1" + ":1" * 2000,
        "abs(" * 1900 + "1" + ")" * 1900, "1?2:" * 2000 + "3",
    ],
    ids=["parentheses", "minus", "choices", "functions", "choice after choice"],
)  # fmt: skip
def test_what_is_nested_too_deeply_is_refused_at_its_place(text):
    with pytest.raises(NetlistError, match=r"more than 100 deep|longer than 10,000") as refused:
        parse_netlist(f"t\nv1 a 0 {{{text}}}\nr1 a 0 1k")
    assert refused.value.problems[0].line == 2
    assert len(str(refused.value)) < 500


def test_what_is_as_deep_as_may_be_is_read():
    assert volts("v1 a 0 {" + "(" * 95 + "2" + ")" * 95 + "}\nr1 a 0 1k") == 2.0


def test_an_expression_has_a_longest():
    with pytest.raises(NetlistError, match="longer than") as refused:
        parse_netlist("t\nv1 a 0 {" + "+".join(["1"] * 40_000) + "}\nr1 a 0 1k")
    assert len(str(refused.value)) < 500


def test_doubling_subcircuits_are_refused():
    subs = "".join(f".subckt s{k} a b\nx1 a b s{k - 1}\nx2 a b s{k - 1}\n.ends\n" for k in range(1, 31))
    with pytest.raises(NetlistError, match="more than 10,000 elements"):
        Circuit.from_text(f"t\n.subckt s0 a b\nr1 a b 1k\n.ends\n{subs}v1 a 0 1\nx1 a 0 s30")
    empty = subs.replace("s0", "nothing")
    with pytest.raises(NetlistError, match="more than 10,000"):  # nor ones that hold nothing at all
        Circuit.from_text(f"t\n.subckt nothing a b\n.ends\n{empty}v1 a 0 1\nr1 a 0 1\nx1 a 0 s30")


@pytest.mark.parametrize("many", [1500])
def test_subcircuits_in_subcircuits(many):
    chain = "".join(f".subckt s{k} a b\nx1 a b s{k + 1}\n.ends\n" for k in range(many))
    with pytest.raises(NetlistError, match="more than 50 deep"):
        Circuit.from_text(f"t\n{chain}.subckt s{many} a b\nr1 a b 1k\n.ends\nv1 a 0 1\nx1 a 0 s0")
    nested = "".join(f".subckt s{k} a b\n" for k in range(many)) + "r1 a b 1k\n" + ".ends\n" * many
    with pytest.raises(NetlistError, match="more than 50 deep"):
        Circuit.from_text(f"t\n{nested}v1 a 0 1\nx1 a 0 s0\nr1 a 0 1")
    flat = "".join(f".subckt s{k} a b\nr1 a b 1k\n.ends\n" for k in range(many))
    assert operating_point(Circuit.from_text(f"t\n{flat}v1 a 0 1\nx1 a 0 s7")).voltage("a")[0] == 1.0


def test_doubling_includes_are_refused(tmp_path):
    for k in range(18):
        (tmp_path / f"f{k}.inc").write_text(f".include f{k + 1}.inc\n.include f{k + 1}.inc\n")
    (tmp_path / "f18.inc").write_text("* nothing\n")
    with pytest.raises(NetlistError, match="more than 200 files") as refused:
        parse_netlist("t\n.include f0.inc\nr1 a 0 1k", folder=tmp_path)
    assert len(refused.value.problems) == 1
    for k in range(60):
        (tmp_path / f"g{k}.inc").write_text(f".include g{k + 1}.inc\n")
    with pytest.raises(NetlistError, match="more than 20 deep"):
        parse_netlist("t\n.include g0.inc\nr1 a 0 1k", folder=tmp_path)


def test_a_long_chain_of_sources_is_looked_through():
    chain = "\n".join(f"l{k} n{k} n{k + 1} 1m" for k in range(4000))
    c = Circuit.from_text(f"t\nv1 n0 0 1\n{chain}\nr1 n4000 0 1k")
    assert len(c.elements) == 4002
    with pytest.raises(NetlistError, match="closes a loop"):
        Circuit.from_text(f"t\nv1 n0 0 1\n{chain}\nr1 n4000 0 1k\nlx n4000 0 1m")


def test_reading_can_be_stopped():
    progress = Progress()
    progress.stop()
    with pytest.raises(Stopped), under(progress):
        Circuit.from_text("t\nv1 a 0 1\n" + "\n".join(f"r{k} a 0 1k" for k in range(3000)))


def test_members_still_vary_through_parameters():
    c = Circuit.from_text("t\n.param k=2\n.param m={k*2}\nv1 a 0 {m}\nr1 a 0 {m*1k}")
    assert operating_point(c, {"k": np.array([1.0, 3.0])}).voltage("a") == pytest.approx([2.0, 6.0])
