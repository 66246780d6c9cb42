"""Expressions carry exact derivatives."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.compiled import compiled
from nuvlo.circuit.expression import parse_expression, replaced, tree
from nuvlo.circuit.operating_point import operating_point

TEXTS = [
    "a*b+a/b-3*a", "a**2.5", "2**a", "a^b", "exp(a)*ln(b)", "log10(a*b)", "sqrt(a+b)", "tanh(a-b)", "atan(a*b)", "sin(a)*cos(b)",
    "abs(a-2*b)", "min(a,b)+max(a,2*b)", "limit(a,0.2,0.9)", "pwr(a-b,3)", "a>b ? a*a : b*b*b", "uramp(a-b)", "sgn(a)*b", "-a*-b",
    "1/(1+exp(-a))", "a*(b>0.5)+u(a)", "pow(a,2)*pi",
]  # fmt: skip


@pytest.mark.parametrize("text", TEXTS)
@given(a=st.floats(0.1, 3.0), b=st.floats(0.1, 3.0))
def test_derivatives_agree_with_differences(text, a, b):
    at = np.array([[a], [b]])
    expression = parse_expression(text)

    def value(point):
        return np.broadcast_to(np.asarray(expression({"a": point[0], "b": point[1]}.__getitem__), float), (1,))[0]

    leaves = {"a": tree("input", 0), "b": tree("input", 1)}
    on_arrays, on_numbers = compiled((replaced(expression.tree, leaves),), (tuple(leaves.values()),))
    (found,), slopes = on_arrays(at, [])
    (alone,), lone_slopes = on_numbers([a, b], [])
    assert np.broadcast_to(found, (1,))[0] == pytest.approx(value(at), rel=1e-12)
    assert alone == pytest.approx(value(at), rel=1e-12)
    slopes = np.array([np.broadcast_to(s, (1,)) for s in slopes])
    assert lone_slopes == pytest.approx(slopes[:, 0], rel=1e-9, abs=1e-12)
    for k in (0, 1):
        h = np.zeros((2, 1))
        h[k] = 1e-6
        up, middle, down = value(at + h), value(at), value(at - h)
        if abs(up - 2 * middle + down) < 1e-8:  # not on a corner or a jump
            assert slopes[k, 0] == pytest.approx((up - down) / 2e-6, rel=1e-4, abs=1e-4)


def test_what_plain_numbers_cannot_say_is_left_to_arrays():
    """A pole: dividing by nothing stops plain numbers, and arrays go on with infinity."""
    c = Circuit.from_text("t\nv1 a 0 0\nr1 a 0 1k\nb1 b 0 i={v(a)>0.5 ? 1m/v(a) : 0}\nr2 b 0 1k")
    assert operating_point(c).voltage("b")[0] == 0.0


def test_an_expression_uses_the_values_of_its_member():
    c = Circuit.from_text("t\n.param k=2\nv1 a 0 3\nr1 a 0 1k\nb1 b 0 v={k*v(a)**2}\nr2 b 0 1k")
    found = operating_point(c, {"k": np.array([1.0, 2.0, 5.0]), "v1": np.array([1.0, 2.0, 3.0])})
    assert found.voltage("b") == pytest.approx([1.0, 8.0, 45.0])
    assert found.currents()["r2"] == pytest.approx([1e-3, 8e-3, 45e-3])


def test_an_expression_makes_neither_heat_nor_noise():
    from nuvlo.circuit.noise import noise

    c = Circuit.from_text("t\nv1 a 0 dc 1 ac 1\nr1 a 0 1k\nb1 0 b i={1m*v(a)}\nr2 b 0 1k")
    point = operating_point(c)
    assert set(point.dissipation()) == {"r1", "r2"}
    assert point.currents()["b1"][0] == pytest.approx(1e-3)
    assert "b1" not in noise(point, "v1", "b", np.array([1e3, 2e3])).parts
