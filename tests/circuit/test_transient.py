"""Courses over time: against closed forms, and for ensembles."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.transient import TransientError, transient
from nuvlo.circuit.waveform import Waveform
from nuvlo.cli.main import main


def test_a_low_pass_has_its_closed_form():
    """A sine switched on at t = 0 into an RC: particular solution plus the decaying start."""
    c = Circuit.from_text("t\nv1 a 0 sin(0 1 1k)\nr1 a b 1k\nc1 b 0 100n")
    found = transient(c, 5e-6, 3e-3, ["b", "0"])
    w, tau, t = 2e3 * np.pi, 1e-4, found.time
    exact = (np.sin(w * t) - w * tau * np.cos(w * t) + w * tau * np.exp(-t / tau)) / (1 + (w * tau) ** 2)
    assert found.voltage["b"][0] == pytest.approx(exact, abs=3e-4)
    assert (found.voltage["0"] == 0).all()
    assert (t[0], t[-1], t.size) == (0.0, 3e-3, 601)


def test_a_lossless_circuit_keeps_its_energy():
    """The trapezoidal rule neither damps nor feeds an oscillation: after 50 periods the swing is still within 1 %."""
    c = Circuit.from_text("t\nv1 a 0 pulse(1 0 1u 0.1u 0.1u 1 2)\nr1 a b 1m\nl1 b c 1m\nc1 c 0 1u")
    period = 2 * np.pi * np.sqrt(1e-3 * 1e-6)
    found = transient(c, period / 100, 50 * period, ["c"]).voltage["c"][0]
    assert np.ptp(found[-200:]) == pytest.approx(2.0, rel=0.03)


def test_members_of_an_ensemble_go_their_own_ways_at_one_pace():
    c = Circuit.from_text("t\nv1 a 0 pulse(0 1 0 1n 1n 1 2)\nr1 a b 1k\nc1 b 0 100n")
    ohms = np.array([500.0, 1e3, 2e3, *np.linspace(1e3, 2e3, 20)])
    found = transient(c, 1e-6, 4e-4, ["b"], {"r1": ohms})
    at = 200
    assert found.voltage["b"][:, at] == pytest.approx(1 - np.exp(-found.time[at] / (ohms * 1e-7)), rel=1e-3)
    alone = transient(c, 1e-6, 4e-4, ["b"], {"r1": 2e3})
    assert found.voltage["b"][2] == pytest.approx(alone.voltage["b"][0], abs=1e-3)


@pytest.mark.parametrize(
    ("kind", "values", "time", "value"),
    [
        ("sin", [1, 2, 1e3], 0.25e-3, 3.0), ("sin", [0, 1, 1e3, 1e-3], 0.5e-3, 0.0), ("sin", [0, 1, 1e3, 0, 1000], 1.25e-3, np.exp(-1.25)),
        ("pulse", [0, 5, 1e-3, 1e-4, 1e-4, 1e-3, 4e-3], 1.05e-3, 2.5), ("pulse", [0, 5, 1e-3, 1e-4, 1e-4, 1e-3, 4e-3], 5.5e-3, 5.0),
        ("pulse", [2, 5, 1e-3], 0.5e-3, 2.0), ("pwl", [0, 0, 1, 10], 0.3, 3.0), ("pwl", [0, 0, 1, 10], 7, 10.0),
        ("exp", [0, 1, 0, 1e-3, 1, 1], 1e-3, 1 - np.exp(-1)),
    ],
)  # fmt: skip
def test_courses_of_sources(kind, values, time, value):
    assert Waveform(kind, values, 1e-6, 10.0)(time) == pytest.approx(value, abs=1e-9)


def test_steps_land_on_the_corners_of_sources():
    wave = Waveform("pulse", [0, 5, 1e-3, 1e-4, 1e-4, 1e-3, 4e-3], 1e-6, 8e-3)
    assert [round(1e4 * t, 6) for t in wave.corners()] == [10, 11, 21, 22, 50, 51, 61, 62]


@pytest.mark.parametrize("line", ["v1 a 0 sin(1)", "v1 a 0 pwl(1)", "v1 a 0 wobble(1 2)"])
def test_courses_that_cannot_be_read(line):
    from nuvlo.circuit.netlist import NetlistError

    with pytest.raises(NetlistError, match=r"takes|not expected"):
        Circuit.from_text(f"t\n{line}\nr1 a 0 1k")


def test_what_cannot_be_followed_is_said(capsys, tmp_path):
    c = Circuit.from_text("t\nv1 a 0 1\nr1 a 0 1k")
    with pytest.raises(ValueError, match="between 0 and the stop time"):
        transient(c, 2.0, 1.0, ["a"])
    with pytest.raises(TransientError, match="no operating point"):
        transient(c, 0.1, 1.0, ["a"], {"r1": np.array([1.0, np.nan])})
    (tmp_path / "x.cir").write_text("t\nv1 a 0 sin(0 1 1k)\nr1 a b 1k\nr2 b 0 1k\n")
    assert (
        main(["solve", str(tmp_path / "x.cir"), "tran", "--step", "10u", "--stop", "1m", "--node", "b", "--json"]) == 0
    )
    assert '"time": [0.0, 1e-05' in capsys.readouterr().out
    assert main(["solve", str(tmp_path / "x.cir"), "tran", "--step", "2", "--stop", "1", "--node", "b", "--json"]) == 1
