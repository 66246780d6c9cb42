"""The solver against one ngspice process that repeats alter, analysis, destroy all; same variants, same tolerances.

Ratios are taken in one run and pair by pair, since a shared machine changes its pace from one second to the next.
"""

from __future__ import annotations

import resource
import subprocess
import time
from collections.abc import Callable

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, response
from nuvlo.circuit.transient import transient
from nuvlo.files.kit_folder import read_kit
from nuvlo.model.ensemble import known_to, laws, sample
from nuvlo.workshop.demo import SHIPPED
from tests.circuit import ngspice
from tests.circuit.circuits import COURSES, KITS, MODELS, OSCILLATORS, kit_file, kit_text
from tests.circuit.test_never_lost import chain

VARIANTS = 2000
PAIRS = 7
ALTERED = {
    "gorsefire": ("r1", "r3", "r4", "r5", "r6"),
    "millrace": ("r1", "r3", "r8", "r10", "r11", "r12", "r13", "r14", "r15", "r16", "r17", "r18", "r20"),
    "kilnlight": ("r103", "r104", "r109", "r110", "r203", "r209"),
}
OUTPUT = {"gorsefire": ("vin", "out"), "millrace": ("vin", "out")}


def _variants(name: str, circuit: Circuit, members: int = VARIANTS) -> dict[str, np.ndarray]:
    """Every altered resistor anywhere within 1 %; the first member nominal."""
    rng = np.random.default_rng(1)
    out = {}
    for ref in ALTERED[name]:
        out[ref] = float(circuit.parameter(circuit.element(ref), "value", {})) * rng.uniform(0.99, 1.01, members)
        out[ref][0] = circuit.parameter(circuit.element(ref), "value", {})
    return out


def _simulator_seconds(text: str, values: dict[str, np.ndarray], members: int, analysis: str, folder) -> float:
    """Time of the loop, less that of a process which reads the file and does nothing."""
    loop = []
    for k in range(members):
        loop += [f"alter {name} = {v[k]:.9g}" for name, v in values.items()]
        loop += [analysis, "destroy all"]

    def seconds(control: str) -> float:
        (folder / "deck.cir").write_text(ngspice.deck(ngspice.with_library(text), control))
        start = time.perf_counter()
        subprocess.run(["ngspice", "-b", "deck.cir"], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        return time.perf_counter() - start

    return seconds("\n".join(loop)) - seconds("")


def _ratio(ours: Callable[[], object], theirs: Callable[[], float], pairs: int, tries: int, capsys, what: str) -> None:
    found = []
    for _ in range(pairs):
        simulator, best = theirs(), np.inf
        for _ in range(tries):
            start = time.perf_counter()
            ours()
            best = min(best, time.perf_counter() - start)
        found.append((simulator / best, best, simulator))
    ratio, best, simulator = sorted(found)[pairs // 2]
    with capsys.disabled():
        every = ", ".join(f"{f[0]:.3g}" for f in sorted(found))
        print(
            f"\n  {what}: Nuvlo {1e3 * best:.1f} ms, ngspice {1e3 * simulator:.0f} ms, ratio {ratio:.3g} (all: {every})"
        )


@pytest.mark.parametrize(("name", "goal"), [("gorsefire", 15), ("millrace", 10)])
def test_operating_point_of_2000_variants(benchmark, name, goal, tmp_path, capsys):
    circuit = Circuit.from_file(kit_file(name))
    values = _variants(name, circuit)
    assert benchmark(lambda: operating_point(circuit, values)).failed == []
    _ratio(
        lambda: operating_point(circuit, values),
        lambda: _simulator_seconds(kit_text(name), values, VARIANTS, "op", tmp_path),
        PAIRS, 4, capsys, f"operating point, {VARIANTS} variants of {name} (goal: at least {goal})",
    )  # fmt: skip


@pytest.mark.parametrize("name", ["gorsefire", "millrace"])
def test_response_of_2000_variants_at_200_frequencies(benchmark, name, tmp_path, capsys):
    """From the same start on both sides: operating point and sweep."""
    circuit = Circuit.from_file(kit_file(name))
    values, frequency = _variants(name, circuit), log_frequencies(20, 20e3, 200)
    source, node = OUTPUT[name]

    def ours():
        return response(operating_point(circuit, values), source, node, frequency)

    assert benchmark.pedantic(ours, rounds=2).transfer.shape == (VARIANTS, 200)
    _ratio(
        ours, lambda: _simulator_seconds(kit_text(name), values, VARIANTS, "ac lin 200 20 20k", tmp_path),
        3, 1, capsys, f"200 frequencies, {VARIANTS} variants of {name} (goal: at least 5)",
    )  # fmt: skip


def test_courses_of_kilnlight(benchmark, tmp_path, capsys):
    """20 ms, driven to some 5 V at the output: once, and a hundred variants together."""
    text = kit_text("kilnlight").replace("vinl inl 0 dc 0 ac 1", "vinl inl 0 dc 0 ac 1 sin(0 0.4 1k)")
    circuit = Circuit.from_text(text)
    values, none = _variants("kilnlight", circuit, 100), {}
    analysis = "tran 20u 20m 0 20u"

    def one():
        return transient(circuit, 2e-5, 2e-2, ["spl8"])

    benchmark.pedantic(one, rounds=3, warmup_rounds=1)
    _ratio(
        one, lambda: _simulator_seconds(text, none, 10, analysis, tmp_path) / 10, 5, 1, capsys,
        "one course of Kilnlight (goal: at least 0.1)",
    )  # fmt: skip
    _ratio(
        lambda: transient(circuit, 2e-5, 2e-2, ["spl8"], values),
        lambda: _simulator_seconds(text, values, 100, analysis, tmp_path), 2, 1, capsys,
        "100 courses of Kilnlight (goal: at least 1)",
    )  # fmt: skip


@pytest.mark.parametrize("name", ["gorsefire", "millrace"])
def test_cost_of_a_member_does_not_depend_on_how_many_there_are(benchmark, name, capsys):
    circuit = Circuit.from_file(kit_file(name))
    cost = {}
    for members in (1000, 2000, 5000, 10000, 50000):
        values, best = _variants(name, circuit, members), np.inf
        for _ in range(max(2, 20000 // members)):
            start = time.perf_counter()
            operating_point(circuit, values)
            best = min(best, time.perf_counter() - start)
        cost[members] = 1e6 * best / members
    benchmark.pedantic(lambda: operating_point(circuit, values), rounds=1)
    middle = (min(cost.values()) + max(cost.values())) / 2
    with capsys.disabled():
        told = ", ".join(f"{members}: {c:.1f}" for members, c in cost.items())
        print(
            f"\n  µs a member of {name}: {told}; {100 * (max(cost.values()) / middle - 1):.0f} % about the middle (goal: 30)"
        )


def test_every_law_of_the_kit_varied(benchmark):
    """What the window asks for: all tolerances, transistor spreads and control positions at once."""
    values = sample(laws(read_kit(SHIPPED / "gorsefire")), VARIANTS, 1)
    circuit = Circuit.from_file(kit_file("gorsefire"))
    assert benchmark(lambda: operating_point(circuit, values)).failed == []


def test_floor_of_batched_lapack(benchmark, capsys):
    """One solve of as many dense systems of Gorsefire's size: what a Newton step could not be quicker than that way."""
    circuit = Circuit.from_file(kit_file("gorsefire"))
    point = operating_point(circuit, _variants("gorsefire", circuit))
    size = point.equations.size
    rng = np.random.default_rng(1)
    matrix = rng.normal(size=(VARIANTS, size, size)) + 10 * np.eye(size)
    right = rng.normal(size=(VARIANTS, size, 1))
    benchmark(lambda: np.linalg.solve(matrix, right))
    with capsys.disabled():
        print(f"\n  LAPACK, {VARIANTS} systems of {size}: the figure in the table below is for one Newton step")


@pytest.mark.parametrize("stages", [47, 86, 195])
@pytest.mark.parametrize("analysis", ["op", "ac dec 16 20 20k"])
def test_one_large_circuit(benchmark, stages, analysis, tmp_path, capsys):
    """239, 434 and 979 unknowns: one operating point, or one response at 50 frequencies. ngspice's time is that of ten in one process, each
    after an alter, less that of reading the file; so is ours."""
    text, node = chain(stages), f"n{stages}"
    circuit = Circuit.from_text(text)
    point = operating_point(circuit)
    hertz = log_frequencies(20, 20e3, 50)
    times = 10

    def ours():
        for k in range(times):
            if analysis == "op":
                operating_point(circuit, {"rc0": 4700.0 + k})
            else:
                response(point, "vin", node, hertz)

    values = {"rc0": np.array([4700.0 + k for k in range(times)])}
    _ratio(ours, lambda: _simulator_seconds(text, values, times, analysis, tmp_path), 5, 1, capsys, f"{point.x.shape[0]} unknowns, {analysis}, ×{times}")
    benchmark.pedantic(ours, rounds=1)


def _courses() -> dict[str, tuple[str, list[str], float, float]]:
    """Name → netlist, nodes, step, stop of the audio circuits whose courses over time are compared."""
    out = {name: (f"{name}\n{body}\n{MODELS}.end\n", nodes, step, stop) for name, (body, nodes, step, stop) in COURSES.items()}
    out |= {name: (f"{name}\n{body}\n{MODELS}.end\n", [node], step, stop) for name, (body, node, step, stop) in OSCILLATORS.items()}
    for name, (source, node, wave, step, stop) in KITS.items():
        text = kit_text(name)
        if wave:
            text = "\n".join(f"{line} {wave}" if line.split(" ")[0] == source else line for line in text.splitlines())
        out[name] = (text, [node], step, stop)
    return out


def test_one_course_of_each_audio_circuit(benchmark, tmp_path, capsys):
    """Each once, from its operating point; the simulator's time is that of ten in one process, less that of reading the file."""
    ratios, rows = [], []
    for name, (text, nodes, step, stop) in _courses().items():
        circuit = Circuit.from_text(text)
        transient(circuit, step, stop, nodes)
        found = []
        for _ in range(3):
            theirs = _simulator_seconds(text, {}, 10, f"tran {step:g} {stop:g} 0 {step:g}", tmp_path) / 10
            start = time.perf_counter()
            transient(circuit, step, stop, nodes)
            found.append(((time.perf_counter() - start) / theirs, theirs))
        ratio, theirs = sorted(found)[1]
        ratios.append(ratio)
        rows.append(f"    {name:28s} {1e3 * ratio * theirs:8.1f} ms, ngspice {1e3 * theirs:8.1f} ms, {ratio:.2f} of its time")
    benchmark.pedantic(lambda: transient(circuit, step, stop, nodes), rounds=1)
    with capsys.disabled():
        print("\n" + "\n".join(rows))
        print(f"  one course of {len(ratios)} audio circuits: median {np.median(ratios):.2f} of ngspice's time (goal: at most 6), worst {max(ratios):.2f} (goal: at most 20)")


def test_response_of_2000_amplifiers_of_60_transistors(benchmark, capsys):
    """Every resistor within 1 %, 50 frequencies: all together, and what ten one by one would come to."""
    text = chain(60)
    circuit, hertz = Circuit.from_text(text), log_frequencies(20, 20e3, 50)
    rng = np.random.default_rng(1)
    values = {e.name: float(circuit.parameter(e, "value", {})) * rng.uniform(0.99, 1.01, VARIANTS) for e in circuit.elements if e.kind == "r"}

    def together():
        return response(operating_point(circuit, values), "vin", "n60", hertz)

    start = time.perf_counter()
    assert benchmark.pedantic(together, rounds=1).transfer.shape == (VARIANTS, 50)
    all_of_them = time.perf_counter() - start
    start = time.perf_counter()
    for k in range(10):
        response(operating_point(circuit, {name: float(v[k]) for name, v in values.items()}), "vin", "n60", hertz)
    one_by_one = (time.perf_counter() - start) * VARIANTS / 10
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    with capsys.disabled():
        print(f"\n  {VARIANTS} × 50 of 60 transistors: {all_of_them:.1f} s (goal: at most 20), one by one {one_by_one:.1f} s, at most {peak:.0f} MB (goal: 1000)")


@pytest.mark.parametrize("setup", ["rest", "signal", "octaves"])
def test_tidewheel_with_all_its_tolerances(benchmark, setup, capsys):
    circuit = Circuit.from_file(kit_file("tidewheel", setup))
    values = known_to(circuit, sample(laws(read_kit(SHIPPED / "tidewheel")), VARIANTS, 1))
    start = time.process_time()
    point = benchmark.pedantic(lambda: operating_point(circuit, values), rounds=1)
    took = time.process_time() - start
    with capsys.disabled():
        print(f"\n  {VARIANTS} members of Tidewheel, {setup}: {took:.2f} s of processor time (goal: at most 2), {len(point.failed)} lost")
