"""Responses by poles against responses by elimination: every kit, members that have no poles to rely on, deep nulls."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import LinearisedCircuit, log_frequencies, responses
from tests.circuit.circuits import KITS, kit_file

FREQUENCY = log_frequencies(1.0, 1e6, 40)
MEMBERS = 30


def both(circuit, source, nodes, frequency=FREQUENCY, **overrides):
    """(nodes, N, F) by poles, and by elimination alone."""
    point = operating_point(circuit, overrides)
    eq = point.equations
    found = responses(point, source, nodes, frequency)
    rows = [eq.circuit.node(n) for n in nodes]
    exact = LinearisedCircuit(point).solve(frequency, eq.unit_source(source)[:, None], rows)[:, 0]
    return np.array([found[n].transfer for n in nodes]), exact


@pytest.mark.parametrize("name", [k for k in KITS if k != "tidewheel"])
def test_every_kit(name):
    circuit = Circuit.from_file(kit_file(name))
    source, node = KITS[name][:2]
    resistors = [e.name for e in circuit.of_kind("r") if "." not in e.name][:8]
    rng = np.random.default_rng(3)
    spread = {
        r: float(circuit.parameter(circuit.element(r), "value", {})) * rng.uniform(0.8, 1.2, MEMBERS) for r in resistors
    }
    if not spread:
        spread = {"rsum": np.linspace(1e6, 2e6, MEMBERS)}
    found, exact = both(circuit, source, [node, circuit.nodes[0], "0"], **spread)
    assert np.abs(found - exact).max(axis=-1) == pytest.approx(0, abs=1e-6 * np.abs(exact).max())
    heard = np.abs(exact) > 1e-12
    assert np.abs(found[heard] / exact[heard] - 1).max() < 1e-6


def test_alike_sections_have_one_pole_twice_and_no_two_eigenvectors():
    """H = 1/(1 + sRC)⁴, buffered sections: a defective matrix where members are alike, nearly so where they differ."""
    text = "t\nv1 n0 0 ac 1\n" + "".join(
        f"e{k} b{k} 0 n{k} 0 1\nr{k} b{k} n{k + 1} 1k\nc{k} n{k + 1} 0 1u\n" for k in range(4)
    )
    found, exact = both(Circuit.from_text(text), "v1", ["n4"], r0=1e3 * (1 + np.linspace(0, 1e-3, MEMBERS)))
    assert np.abs(found / exact - 1).max() < 1e-6
    closed = 1 / (1 + 2j * np.pi * FREQUENCY * 1e-3) ** 4
    assert np.abs(found[0, 0] / closed - 1).max() < 1e-6


def test_a_deep_null_keeps_its_depth():
    """Twin-T: the sum over poles cancels at the null, where elimination has to answer."""
    c = Circuit.from_text(
        "t\nv1 a 0 ac 1\nr1 a b 10k\nr2 b c 10k\nc1 b 0 20n\nc2 a d 10n\nc3 d c 10n\nr3 d 0 5k\nr4 c 0 1g"
    )
    at_null = 1 / (2 * np.pi * 10e3 * 10e-9)
    frequency = at_null * np.concatenate([np.geomspace(0.01, 0.9, 15), [1.00000003], np.geomspace(1.1, 100, 14)])
    found, exact = both(c, "v1", ["c"], frequency, r4=np.geomspace(1e9, 1e12, MEMBERS))
    assert np.abs(exact[0, :, 15]).max() < 1e-7
    assert np.abs(found / exact - 1).max() < 1e-6


def test_members_without_an_operating_point_leave_the_others_alone():
    c = Circuit.from_text("t\nv1 a 0 ac 1\nr1 a b 1k\nc1 b 0 1u\nl1 b c 1m\nr2 c 0 8")
    r2 = np.full(MEMBERS, 8.0)
    r2[4] = np.nan
    found, _ = both(c, "v1", ["c"], r2=r2)
    whole, exact = both(c, "v1", ["c"], r2=np.full(MEMBERS, 8.0))
    assert np.isnan(found[0, 4]).all()
    good = np.arange(MEMBERS) != 4
    assert np.abs(found[0, good] / exact[0, good] - 1).max() < 1e-9
    assert np.abs(whole / exact - 1).max() < 1e-9
