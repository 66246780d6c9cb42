"""Ohms in circuit: straight where junctions let nothing through and by Newton elsewhere, and what changes a reading."""

import math
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.kernel import compiled
from nuvlo.circuit.ohms import Ohmmeter, Unpowered, driven_each, resistance
from nuvlo.circuit.operating_point import solve

NODES = ["a", "b", "c", "d", "0"]
JUNCTIONS = "q1 c b 0 nn\nd1 a d dd\nd2 d b dd\n.model nn npn(is=10f bf=200 br=4)\n.model dd d(is=3n n=1.8)"


def network(ohms: list[float], more: str = "") -> Circuit:
    """A resistor between every two of five nodes."""
    rows = [f"r{k} {a} {b} {value:.6g}" for k, ((a, b), value) in enumerate(zip(combinations(NODES, 2), ohms, strict=True))]
    return Circuit.from_text("\n".join(["t", *rows, more]))


values = st.lists(st.floats(1.0, 6.0).map(lambda e: 10.0**e), min_size=10, max_size=10)


@given(values)
def test_what_reads_straight_is_what_newton_finds(ohms):
    """The two ways to a reading agree, whichever junctions let something through, both ways round."""
    circuit = network(ohms, JUNCTIONS)
    both = {"r0": np.array([ohms[0], ohms[0] * 3])}
    quick, slow = Unpowered(circuit, both), Unpowered(circuit, both)
    slow._straight = lambda ends, meter: np.full(2, np.nan)
    straight = 0
    for red, black in (("a", "d"), ("d", "a"), ("c", "0"), ("0", "b"), ("a", "0")):
        straight += int(np.isfinite(quick._straight((circuit.node(red), circuit.node(black)), Ohmmeter())).sum())
        assert quick.between(red, black).ohms == pytest.approx(slow.between(red, black).ohms, rel=5e-3)
        assert quick.between(red, black).volts == pytest.approx(slow.between(red, black).volts, rel=5e-3, abs=1e-6)
    assert 0 <= straight <= 10


@given(values, st.sampled_from(list(combinations(NODES, 2))), st.sampled_from([1.0, 1e3, 1e-2]))
def test_many_pairs_at_once_and_a_pair_that_is_tied_are_what_they_are_by_themselves(ohms, pair, siemens):
    """What is begun with for all pairs is what each begins with alone; and a conductor that is laid out behind all others is the same as one
    that stands in the circuit."""
    circuit = network(ohms, JUNCTIONS)
    both = {"r0": np.array([ohms[0], ohms[0] * 3])}
    alone, ready = Unpowered(circuit, both), Unpowered(circuit, both)
    ready.get_ready(list(combinations(NODES, 2)))
    assert np.array_equal(ready.between(*pair).ohms, alone.between(*pair).ohms)
    a, b = (circuit.node(n) for n in pair)
    tied = Equations(circuit, both, leak=1e-12)
    assert tied.kernel is not None or compiled is None  # else it is laid out with those of the circuit it came from
    tied = tied.tied(a, b, siemens)
    placed = Equations(network(ohms, f"{JUNCTIONS}\nrt {pair[0]} {pair[1]} {1 / siemens:g}"), both, leak=1e-12)
    drive = np.zeros((tied.size, 1))
    tied.inject(drive, (circuit.node("a"), circuit.node("d")), 1e-3)
    assert solve(tied, drive=drive).x == pytest.approx(solve(placed, drive=drive).x, rel=1e-6, abs=1e-9)


def test_a_junction_that_lets_something_through_is_not_read_straight():
    """At two volts a diode is no straight line, at a few millivolts it is."""
    for ohms, straight in ((1e6, False), (10.0, True)):
        unit = Unpowered(Circuit.from_text(f"t\nr1 a 0 {ohms}\nd1 a 0 dd\n.model dd d(is=10f)"))
        assert bool(np.isfinite(unit._straight((unit.circuit.node("a"), -1), Ohmmeter()))[0]) is straight


@given(values, st.integers(0, 9), st.sampled_from([0.1, 0.5, 10.0, math.inf]))
def test_what_changes_a_reading_is_foretold_exactly_where_all_is_straight(ohms, which, times):
    """A resistor that is more, less or missing, and two nodes that touch, beside the readings of the changed networks."""
    circuit = network(ohms)
    pairs = list(combinations(NODES, 2))
    bridged, changes = driven_each(circuit, pairs).changes([(circuit.node("a"), circuit.node("c"))])
    foretold = changes(f"r{which}", 1.0 / times)
    known = {f"r{which}.missing": 1.0} if math.isinf(times) else {f"r{which}": ohms[which] * times}
    good = np.array([resistance(circuit, *p).ohms[0] for p in pairs])
    for found, wrong in ((foretold, known), (bridged[0], {"bridge(a,c)": 1e-3})):
        then = np.array([resistance(circuit, *p, overrides=wrong).ohms[0] for p in pairs])
        assert np.abs(found) == pytest.approx(np.abs(then / good - 1.0), rel=2e-3, abs=1e-3)


def test_nothing_is_foretold_of_what_lets_nothing_through():
    circuit = Circuit.from_text("t\nr1 a 0 1k\nc1 a 0 1u")
    _, changes = driven_each(circuit, [("a", "0")]).changes([])
    assert changes("c1", 0.0) is None
    assert changes("r1", 0.5) == pytest.approx(1.0, rel=1e-6)
