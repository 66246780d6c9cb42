"""2,000 variants of Gorsefire: one batched solve against one ngspice process repeating alter, op, destroy all."""

from __future__ import annotations

import subprocess
import time

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, response
from nuvlo.kit import read_kit
from nuvlo.model.ensemble import laws, sample
from nuvlo.workshop import SHIPPED
from tests.circuit import ngspice

VARIANTS = 2000
ALTERED = ("r1", "r3", "r4", "r5", "r6")


@pytest.fixture(scope="module")
def variants() -> dict[str, np.ndarray]:
    kit = read_kit(SHIPPED / "gorsefire")
    return {k: v for k, v in sample(laws(kit), VARIANTS, 1).items() if k in ALTERED}


@pytest.fixture(scope="module")
def circuit() -> Circuit:
    return Circuit.from_file(SHIPPED / "gorsefire" / "circuit.cir")


def simulator_seconds(variants: dict[str, np.ndarray], folder, runs: int = 3) -> float:
    """Best of ``runs``: the time of the loop, less that of a process which reads the file and does nothing."""
    text = ngspice.with_library((SHIPPED / "gorsefire" / "circuit.cir").read_text())
    loop = []
    for k in range(VARIANTS):
        loop += [f"alter {name} = {values[k]:.9g}" for name, values in variants.items()]
        loop += ["op", "destroy all"]

    def seconds(control: str) -> float:
        (folder / "deck.cir").write_text(ngspice.deck(text, control))
        best = np.inf
        for _ in range(runs):
            start = time.perf_counter()
            subprocess.run(
                ["ngspice", "-b", "deck.cir"], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            best = min(best, time.perf_counter() - start)
        return float(best)

    return seconds("\n".join(loop)) - seconds("")


def test_operating_point_of_2000_variants(benchmark, circuit, variants, tmp_path, capsys):
    point = benchmark(lambda: operating_point(circuit, variants))
    assert point.failed == []
    theirs = simulator_seconds(variants, tmp_path)
    ours = benchmark.stats.stats.min
    with capsys.disabled():
        print(f"\n  operating point, {VARIANTS} variants: Nuvlo {1e3 * ours:.1f} ms, ngspice {1e3 * theirs:.0f} ms, "
              f"ratio {theirs / ours:.1f} (goal: at least 15)")  # fmt: skip


def test_every_law_of_the_kit_varied(benchmark, circuit):
    """What the window asks for: all tolerances, transistor spreads and control positions at once."""
    values = sample(laws(read_kit(SHIPPED / "gorsefire")), VARIANTS, 1)
    assert benchmark(lambda: operating_point(circuit, values)).failed == []


def test_response_of_2000_variants_at_200_frequencies(benchmark, circuit, variants):
    frequency = log_frequencies(20, 20e3, 200)
    point = operating_point(circuit, variants)
    found = benchmark.pedantic(lambda: response(point, "vin", "out", frequency), rounds=3)
    assert found.transfer.shape == (VARIANTS, 200)
