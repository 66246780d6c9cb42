"""Sines driven into clipping: harmonic balance against following the same wave in time."""

import numpy as np
import pytest

from nuvlo.circuit.balance import SAMPLES, Balance, onset
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.periodic import TooNonlinear, harmonic_distortion
from nuvlo.circuit.steady import steady_sine
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but

CLIPPER = "t\nv1 a 0 dc 0 ac 1\nr1 a b 2.2k\nd1 b 0 d1n\nd2 0 b d1n\nc1 b 0 10n\n.model d1n d(is=2.5n n=1.75)\n"
FOLLOWER = (
    "t\nvcc c 0 9\nv1 a 0 dc 4.5 ac 1\nq1 c a e qn\nre e 0 1k\nc1 e o 10u\nrl o 0 330\n.model qn npn(bf=200 is=1e-14)\n"
)


@pytest.mark.parametrize(
    ("text", "source", "node", "level"),
    [(CLIPPER, "v1", "b", 2.0), pytest.param(FOLLOWER, "v1", "o", 2.0, marks=pytest.mark.long)],
)
def test_a_wave_is_the_one_that_is_reached_in_time(text, source, node, level):
    circuit = Circuit.from_text(text)
    balance = Balance(operating_point(circuit), source, (node,), 1000.0)
    swing = balance.at_rest
    for part in (0.1, 0.3, 0.6, 0.8, 1.0):
        swing, waves = balance.solve(part * level, swing)
    followed = steady_sine(circuit, source, node, 1000.0, np.array([level]), cycles=40)
    spectrum, want = (2 * np.abs(np.fft.rfft(w))[1:6] / w.size for w in (waves[0], followed.wave[0, 0]))
    assert spectrum == pytest.approx(want, rel=0.02, abs=0.002 * want[0])
    assert harmonic_distortion(waves)[0] > 0.05


@pytest.mark.parametrize("name", long_but(["gorsefire"], ["gorsefire", "kilnlight", "millrace"]))
def test_where_a_kit_clips(name):
    """1 % distortion, from harmonic balance, and from waves followed in time just below and above."""
    kit = read_kit(SHIPPED / name)
    source = next(p.element for p in kit.info.port if p.kind == "input")
    node = next(p.node for p in kit.info.port if p.kind == "output")
    found = onset(operating_point(kit.setup("signal")), source, node, 0.01, 1000.0, 1e-3, 10.0)
    assert found.followed
    around = steady_sine(kit.setup("signal"), source, node, 1000.0, found.level * np.array([0.9, 1.1]), cycles=8)
    below, above = around.distortion[0]
    assert below < 0.01 < above
    assert found.output == pytest.approx(np.sqrt(0.5) * np.mean(around.fundamental[0]), rel=0.08)


def test_what_never_clips_and_what_always_does():
    divider = Circuit.from_text("t\nv1 a 0 dc 0 ac 1\nr1 a b 1k\nr2 b 0 1k\n")
    assert onset(operating_point(divider), "v1", "b", 0.01, 1000.0, 0.01, 100.0) is None
    assert onset(operating_point(Circuit.from_text(CLIPPER)), "v1", "b", 0.01, 1000.0, 2.0, 10.0) is None


def test_dense_elimination_takes_the_step_that_gmres_takes():
    balance = Balance(operating_point(Circuit.from_text(CLIPPER)), "v1", ("b",), 1000.0)
    swing, _ = balance.solve(0.8, balance.at_rest)
    linear = np.fft.irfft(balance.solver.from_source[: balance.branches] * np.fft.rfft(0.9 * balance.sine), SAMPLES)
    state = balance._state(swing, linear)
    assert balance._dense_step(state) == pytest.approx(balance._newton_step(state), abs=2e-3 * np.abs(swing).max())


def test_a_leap_that_is_too_large_is_said():
    kit = read_kit(SHIPPED / "lampwick")
    balance = Balance(operating_point(kit.setup("signal")), "vinl", ("out",), 1000.0)
    with pytest.raises(TooNonlinear):
        balance.solve(3.0, balance.at_rest)
