"""The netlist reader: SPICE's own rules, and every mistake with its place."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.expression import ExpressionError, parse_expression
from nuvlo.circuit.netlist import NetlistError, parse_netlist
from nuvlo.circuit.number import BadNumber, spice_number
from nuvlo.circuit.operating_point import operating_point


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1m", 1e-3), ("1M", 1e-3), ("1meg", 1e6), ("1MEG", 1e6), ("4.7k", 4700.0), ("10kohm", 1e4), ("100nF", 1e-7),
        ("1e-3", 1e-3), ("2.5e3k", 2.5e6), ("-.5", -0.5), ("1mil", 25.4e-6), ("3t", 3e12), ("7f", 7e-15), ("5v", 5.0),
    ],
)  # fmt: skip
def test_numbers_as_spice_reads_them(text, value):
    """ngspice 39 manual, 2.3.1.2: scale factors, case and trailing letters ignored."""
    assert spice_number(text) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "hint"), [("4k7", "4.7k"), ("2u2", "2.2u"), ("abc", "not a number"), ("1.2.3", "not")]
)
def test_numbers_spice_would_misread_are_refused(text, hint):
    with pytest.raises(BadNumber, match=hint):
        spice_number(text)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1+2*3", 7.0), ("(1+2)*3", 9.0), ("2^3^2", 64.0), ("-2**2", -4.0), ("10/4", 2.5), ("3>2 ? 1k : 2k", 1000.0),
        ("min(2,3)+max(2,3)", 5.0), ("pwr(-2,3)", -8.0), ("limit(5,0,2)", 2.0), ("a*2", 6.0), ("sqrt(16)+abs(-1)", 5.0),
        ("1==1 && 2!=2", 0.0), ("0 || 2", 1.0), ("u(-1)+uramp(3)", 3.0), ("ln(exp(2))", 2.0), ("pi", 3.141592653589793),
        ("1k+1meg", 1001000.0), ("8-3-2", 3.0), ("sgn(-4)", -1.0), ("!3+!0", 1.0), ("7%4", 3.0), ("1|0", 1.0), ("pwl(3,0,0,2,4,10,5)", 4.125), ("if(0,1,2)", 2.0), ("int(-2.7)", -2.0),
    ],
)  # fmt: skip
def test_expressions(text, value):
    assert float(parse_expression(text)({"a": 3.0}.__getitem__)) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "column"), [("1+", 3), ("(1", 3), ("foo(1)", 1), ("min(1)", 1), ("1 $ 2", 2), ("4k7", 1), ("1 2", 3)]
)
def test_expressions_say_where_they_go_wrong(text, column):
    with pytest.raises(ExpressionError) as caught:
        parse_expression(text)
    assert caught.value.column == column


@pytest.mark.parametrize(
    ("body", "line", "column", "says"),
    [
        ("r1 a 0 4k7", 2, 8, "write 4.7k"), ("r1 a 0", 2, 6, "nodes and a value"), ("q1 a b c", 2, 8, "and a model"),
        ("r1 a 0 1k\nr1 a 0 2k", 3, 1, "used twice"), ("d1 a 0 nosuch\nr1 a 0 1", 2, 1, "not defined"), ("f1 a 0 v9 2\nr1 a 0 1", 2, 1, "no voltage source"),
        ("b1 a 0 v={v(a}\nr1 a 0 1", 2, 10, "missing"), ("b1 a 0 w=3\nr1 a 0 1", 2, 8, "nodes and"),
        ("b1 a 0 v={i(v7)}\nr1 a 0 1", 2, 1, "no voltage source"), ("b1 a 0 v={v(a,b,c)}\nr1 a 0 1", 2, 10, "one or two nodes"),
        ("k1 l1 l2 0.9\nr1 a 0 1", 2, 1, "no inductor"), ("f1 a 0 v9\nr1 a 0 1", 2, 1, "other element"), ("e1 a 0 b 2", 2, 10, "4 nodes"),
        ("x1 a 0 nosuch\nr1 a 0 1", 2, 1, "not defined"), (".include ../secret.lib", 2, 10, "neither in the kit"),
        ("r1 a 0 {1+}", 2, 11, "a value is missing"), ("r1 a 0 {2*(3}", 2, 13, "missing"), ("z1 a b 3", 2, 1, "not read yet"),
        ("1x a b 3", 2, 1, "starts with a letter"), (".ends", 2, 1, "no .subckt"), ("+ 1k", 2, 1, "no line above"),
        ("q1 a 0 0 x\n.model x npn(bf)", 3, 14, "followed by ="), (".subckt s a\nr1 a 0 1", None, None, "never closed"),
        ("d1 a 0 m\n.model m jj(is=1)", 3, 10, "not read yet"), ("v1 a a 3\nr1 a 0 1", 2, 1, "same node"),
        (".subckt s a\nx1 a s\n.ends\nx2 n s\nr1 n 0 1", 3, 1, "contains itself"), ("r1 a 0 {q}", None, None, "not defined"),
        ("v1 a 0 dc", 2, 8, "missing after"), (".param p={p+1}\nr1 a 0 {p}", None, None, "defined by itself"),
        ("r1 a 0 1k esr", 2, 1, "the model 'esr' is not defined"), ("d1 a 0 x 2 on 3\n.model x d", 2, 15, "not expected here"), ("e1 a 0 b 0 2 3\nr1 a b 1", 2, 14, "not expected"),
        ("f1 a 0 v1 2 x\nv1 a 0", 2, 13, "not expected"), ("m1 a b 0 0 x\n.model x nmos(level=3)", 3, 15, "level 3 of 'nmos' is not solved"),
        (".model x d\n.model x d(is=1f)", 3, 8, "defined twice: in circuit.cir, line 2"), ("l1 a 0 1m\nl2 b 0 1m\nk1 l1 l2 1.2", 4, 1, "more than there can be"),
        ("l1 a 0 1m\nl2 b 0 1m\nl3 c 0 1m\nk1 l1 l2 0.9\nk2 l2 l3 0.9\nk3 l1 l3 -0.9", 5, 1, "no field couples"),
        (".if (q>1)\nr1 a 0 1\n.endif", 2, 5, "not known here"), (".if (1)\nr1 a 0 1", None, None, "never closed"), (".else", 2, 1, "no .if"),
        ("b1 a 0 v={sdt(v(a))}\nr1 a 0 1", 2, 10, "an integral is idt"), ("b1 a 0 v={pwl(v(a),1,2,0,3)}\nr1 a 0 1", 2, 10, "left to right"),
        ("l1 a 0 l={1m*v(a)}\nr1 a 0 1", 2, 1, "is not solved"), ("x1 a s m=1.5\n.subckt s a\nr1 a 0 1\n.ends", 2, 1, "whole number"),
        (".func f(x)", 2, 7, "in : "), ("r1 a 0 1k tc1=", 2, 11, "followed by ="), ("v1 a 0 sin(1)", 2, 8, "takes 2 to 6"),
    ],
)  # fmt: skip
def test_mistakes_are_placed(body, line, column, says):
    from nuvlo.circuit.operating_point import operating_point

    with pytest.raises(NetlistError) as caught:
        operating_point(Circuit.from_text("title\n" + body))
    problem = caught.value.problems[0]
    assert says in str(problem)
    assert (problem.line, problem.column) == (line, column)


def test_all_mistakes_come_in_one_pass():
    with pytest.raises(NetlistError) as caught:
        parse_netlist("t\nr1 a 0 4k7\nc1 b\nz3 1 2\n")
    assert [p.line for p in caught.value.problems] == [2, 3, 4]


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ("r1 a 0 1k\ni1 0 b 1m\nc1 b 0 1n", "'b'"), ("v1 a 0 1\nv2 a 0 2\nr1 a 0 1", "'v2' closes a loop"),
        ("v1 a b 1\nr1 a b 1k", "'a'"), ("", "no elements"),
    ],
)  # fmt: skip
def test_circuits_without_an_operating_point_are_named(body, says):
    with pytest.raises(NetlistError, match=r"nothing sets|closes a loop|no elements") as caught:
        Circuit.from_text("title\n" + body)
    assert says in str(caught.value)


def test_warnings_do_not_stop_the_reading():
    text = "t\nr1 a 0 1M\n.foo bar\n.model d1 d(is=1f zz=3 mfg=none)\n.control\nrun\n.endc\nr2 a 0 1k esr=3\nr3 a 0 1m\nr4 a 0 2.2kohm\nd1 a 0 d1\n"
    circuit = Circuit.from_text(text + "x1 a s q=3\n.subckt s a\nr1 a 0 1\n.ends\n.model unused jj(foo=1)\n")
    said = [(p.line, p.alters) for p in circuit.warnings]
    assert said == [(2, False), (3, True), (5, False), (8, True), (4, True), (12, True)]
    assert [w for w in ("milliohms", "'.foo'", ".control", "'esr'", "'zz'", "'q'") if w not in str(circuit.warnings)] == []
    assert all(p.severity == "warning" for p in circuit.warnings)


def test_a_node_whose_own_voltage_alone_is_undefined_is_told_and_held():
    """The rest is solved as if it were not there; where a current has no way to go, nothing is."""
    circuit = Circuit.from_text("t\nv1 a 0 1\nr1 a 0 1k\nc1 a b 1n\nr2 b c 1k\n")
    assert "node 'b', 'c'; it is held at ground" in str(circuit.warnings[0])
    point = operating_point(circuit)
    assert (point.voltage("a")[0], abs(point.voltage("b")[0])) == pytest.approx((1.0, 0.0), abs=1e-9)
    with pytest.raises(NetlistError, match="nothing sets"):
        Circuit.from_text("t\nv1 a 0 1\nr1 a 0 1k\nc1 a b 1n\ni1 0 b 1m\n")


def test_comments_continuations_case_and_scopes():
    c = Circuit.from_text(
        "t\n* a comment\nV1 A 0 DC 9 ; trailing\n.param top=2k\n.subckt pad in out r=1k\n+ s={r/2}\nR1 in out {r}\n"
        "R2 out m {s}\nR3 m 0 {top} $ more\n.ends\nXP A B pad r=3k\nr9 B 0 1meg\n.end\nr10 never 0 read"
    )
    value = {e.name: c.parameter(e, "value", {}) for e in c.of_kind("r")}
    assert value == {"xp.r1": 3000.0, "xp.r2": 1500.0, "xp.r3": 2000.0, "r9": 1e6}
    assert c.nodes == ["a", "b", "xp.m"]
    overridden = {e.name: c.parameter(e, "value", {"xp.r": 8e3, "r9": 5.0}) for e in c.of_kind("r")}
    assert (overridden["xp.r2"], overridden["r9"]) == (4e3, 5.0)
    assert c.has_parameter("xp.r")
    assert not c.has_parameter("xp.q")


def test_include_comes_from_the_kit_first(tmp_path):
    (tmp_path / "Own.lib").write_text(".model dx d(is=7f)\n")
    (tmp_path / "a.cir").write_text('t\n.include "own.LIB"\n.include pot.lib\nd1 a 0 dx\nx1 a w 0 pot_lin r=1k\n')
    circuit = Circuit.from_file(tmp_path / "a.cir")
    assert circuit.parameter(circuit.element("d1"), "is", {}) == 7e-15
    (tmp_path / "b.cir").write_text("t\n.include b.cir\nr1 a 0 1\n")
    with pytest.raises(NetlistError, match="includes itself"):
        Circuit.from_file(tmp_path / "b.cir")
    with pytest.raises(NetlistError, match="cannot be opened"):
        Circuit.from_file(tmp_path / "none.cir")


@given(st.text(alphabet="rcvdqx.+*{}()=0123456789 kmeg\nabn-_/$;ü", max_size=80))
def test_any_text_parses_or_gives_a_placed_error(text):
    try:
        Circuit.from_text("title\n" + text)
    except NetlistError as error:
        assert all(p.message for p in error.problems)


@pytest.mark.parametrize("formula", ["1/a", "sqrt(a-1)"])
def test_a_formula_without_a_number_is_placed(formula):
    """Not a fault of Python's, and not a circuit that finds no rest."""
    circuit = Circuit(parse_netlist(f"title\n.param a=0\nv1 in 0 1\nr1 in 0 {{{formula}}}\n", "z.cir"))
    with pytest.raises(NetlistError, match="divided by zero") as caught:
        operating_point(circuit)
    assert (caught.value.problems[0].line, caught.value.problems[0].ref) == (4, "r1")


@pytest.mark.parametrize(
    ("text", "names", "value"),
    [("1/a", {"a": 0.0}, np.inf), ("a/a", {"a": 0.0}, np.nan), ("1/a", {"a": np.array([0.0, 2.0])}, [np.inf, 0.5]), ("sqrt(a)", {"a": -1.0}, np.nan),
     ("6/a", {"a": 4.0}, 1.5)],
)  # fmt: skip
def test_what_has_no_number_has_none_for_one_and_for_many(text, names, value):
    found = parse_expression(text)(names.__getitem__)
    np.testing.assert_array_equal(np.asarray(found, float), np.asarray(value, float))
