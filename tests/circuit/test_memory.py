"""What a circuit remembers may be asked for by two threads at once: the bench reads while the model solves."""

import sys
import threading

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit, Memory
from nuvlo.circuit.operating_point import operating_point


@pytest.fixture
def hasty_switches():
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    yield
    sys.setswitchinterval(before)


def test_two_threads_solve_one_circuit(hasty_switches):
    """With a plain dictionary some in a thousand of these raised KeyError or RuntimeError."""
    circuit = Circuit.from_text("divider\nv1 in 0 9\nr1 in out 1k\nr2 out 0 1k\n.end\n")
    wrong = []

    def solve(seed: int) -> None:
        rng = np.random.default_rng(seed)
        for _ in range(150):
            ohms = float(rng.integers(1, 9)) * 1e3
            try:
                volts = float(operating_point(circuit, {"r2": ohms}).voltage("out")[0])
                assert volts == pytest.approx(9 * ohms / (ohms + 1e3), rel=1e-6)
            except Exception as bad:
                wrong.append(bad)

    threads = [threading.Thread(target=solve, args=(k,)) for k in range(3)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert not wrong


def test_the_oldest_is_forgotten():
    memory, made = Memory(2), []

    def recall(key):
        return memory.recall(key, lambda: made.append(key) or [key])

    for key in "abacab":
        assert recall(key) == [key]
    assert made == ["a", "b", "c", "b"], "b was asked for longest ago when c came"
