"""Loops that may hang either way: both ways are found, and each is followed to where values of its own put it."""

from __future__ import annotations

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import let_go, mirrored, operating_point, rest_of, solve

LOOPS = {
    "trigger": ("rf o a 100k\nrg a 0 10k\nr1 m 0 10k\nx1 a m p n o tl072", True),
    "amplifier": ("rf o m 100k\nrg m 0 10k\nr1 a 0 10k\nx1 a m p n o tl072", False),
    "follower behind a trigger": ("rf o a 100k\nrg a 0 10k\nr1 m 0 10k\nx1 a m p n o tl072\nx2 o q p n q tl072\nrl q 0 10k", True),
}


def built(name: str) -> Circuit:
    return Circuit.from_text(f"{name}\nvp p 0 12\nvn n 0 -12\n.include opamp.lib\n{LOOPS[name][0]}\nr9 o 0 10k")


@pytest.mark.parametrize("name", LOOPS)
def test_what_hangs_at_one_rail_may_hang_at_the_other(name):
    circuit = built(name)
    found = operating_point(circuit, {"rf": np.array([100e3, 120e3, 80e3])})
    other, there = mirrored(found.equations, found.x)
    out = circuit.node("o")
    if not LOOPS[name][1]:
        assert np.abs(other[out, there] - found.x[out, there]).max(initial=0.0) < 1e-3
        return
    assert there.all()
    assert (np.abs(other[out]) > 8.0).all()  # of 12 V, less what its output stage takes
    assert (np.sign(other[out]) == -np.sign(found.x[out])).all() or np.abs(found.x[out]).max() < 1.0  # the third is between
    again = Equations(circuit, {"rf": np.array([95e3, 110e3, 70e3])})
    led, held = let_go(again, other)
    assert held.all()
    assert (np.sign(led[out]) == np.sign(other[out])).all()


@pytest.mark.parametrize("name", LOOPS)
def test_some_of_many_rest_where_they_do_among_all(name):
    here = Equations(built(name), {"rf": np.array([100e3, 120e3, 80e3, 95e3])})
    every, some = solve(here), np.array([2, 0])
    x, there = rest_of(here, some, start=every.x[:, some])
    assert there.all()
    assert x == pytest.approx(every.x[:, some], abs=1e-4)
    led, held = let_go(here, every.x[:, some], some=some)
    assert led[:, held] == pytest.approx(every.x[:, some][:, held], abs=1e-3)
    first, there = rest_of(here, np.array([0]))
    assert there.all()
    assert first == pytest.approx(every.x[:, :1], abs=1e-4)


def test_where_nothing_makes_gain_nothing_else_is_found():
    found = operating_point(Circuit.from_text("divider\nv1 a 0 9\nr1 a m 1k\nd1 m 0 dd\n.model dd d"), {"r1": np.array([1e3, 2e3])})
    assert not mirrored(found.equations, found.x)[1].any()


def test_unknowns_are_carried_to_a_circuit_much_like_it():
    """By name, with a node and a source that the other has not."""
    here = Equations(Circuit.from_text("one\nv1 a 0 9\nr1 a m 1k\nr2 m 0 2k"), {})
    more = Equations(Circuit.from_text("more\nv2 g 0 1\nv1 a 0 9\nr1 a m 1k\nr2 m 0 2k\nr3 g m 1meg"), {})
    x = more.unknowns_of(here, np.arange(1.0, 1.0 + here.size)[:, None])
    named = dict(zip([*more.names, *more.branch], x[:, 0], strict=True))
    assert (named["a"], named["m"]) == (1.0, 2.0)
    assert named["g"] == named["v2"] == 0.0
    assert named["v1"] == 3.0
