"""The compiled part says what Python says, and nothing else: laws, orders of elimination, Newton's iteration and courses."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from nuvlo.circuit import equations, kernel
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.elimination import PIVOT_THRESHOLD
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, response
from nuvlo.circuit.tape import OPERATIONS, Tape, UnrecordedError
from nuvlo.circuit.transient import transient
from tests.circuit.circuits import KITS, kit_text
from tests.conftest import long_but

MODELS = """
.model dz d(is=1e-14 n=1.1 rs=2 bv=5.1 ibv=1m nbv=1.5 cjo=20p tt=5n ikf=10m isr=1n)
.model qn npn(is=2e-15 bf=250 nf=1.01 vaf=80 var=20 ikf=50m ise=1e-14 isc=1e-13 rb=100 rbm=20 irb=1m re=0.5 rc=1 cje=10p cjc=4p tf=0.4n tr=20n
+ xcjc=0.6 cjs=2p xtf=5 itf=0.1 vtf=3)
.model qp pnp(is=1e-15 bf=120 vaf=60 cje=10p cjc=5p tf=1n)
.model jn njf(vto=-1.8 beta=1.2m lambda=0.01 cgs=5p cgd=3p is=1e-14 b=0.8)
.model mn nmos(vto=1.4 kp=2m lambda=0.01 gamma=0.3 cbd=10p cbs=10p cgso=1n cgdo=1n cgbo=1n)
"""
CIRCUITS = {
    "zener": "z\nv1 a 0 12 ac 1 sin(12 6 1k)\nr1 a b 470\nd1 0 b dz\nc1 b 0 100n\nrl b 0 1k\n" + MODELS,
    "gummel": "g\nvcc c 0 12\nv1 i 0 0 ac 1 sin(0 20m 1k)\nc1 i b 10u\nr1 c b 220k\nr2 b 0 47k\nr3 c o 4.7k\nr4 e 0 1k\nq1 o b e 0 qn\nq2 0 o f qp\nr5 c f 2.2k\n" + MODELS,
    "fets": "f\nvcc c 0 9\nv1 i 0 0 ac 1 sin(0 0.2 1k)\nc1 i g 100n\nr1 g 0 1meg\nj1 d g s jn\nr2 c d 4.7k\nr3 s 0 1k\nc2 d m 1u\nr4 c m 1meg\nr5 m 0 470k\nm1 o m 0 0 mn w=100u l=10u\nr6 c o 2.2k\n" + MODELS,
    "formulas": "b\nv1 a 0 2 ac 1 sin(2 1 1k)\nr1 a 0 1k\nb1 o 0 v={tanh(v(a)-2)*limit(v(a),-1,3)+max(v(a),0.2)**1.5+u(v(a)-1)*atan(v(a))}\nr2 o p 1k\nb2 p 0 i=1m*v(p)*abs(v(p))+1u*time\nc1 p 0 100n\n",
    "coils": "l\nv1 a 0 0 ac 1 pulse(0 5 10u 1u 1u 200u 500u)\nr1 a b 50\nl1 b 0 10m\nl2 o 0 40m\nk1 l1 l2 0.98\nr2 o 0 10k\nd1 o p dz\nc1 p 0 1u\nr3 p 0 2k\n" + MODELS,
    "waves": "w\nv1 a 0 exp(0 3 20u 50u 300u 80u)\ni1 0 b sffm(1m 1m 2k 3 300)\nv2 c 0 am(1 0.5 400 5k 100u)\nv3 d 0 pwl(0 0 100u 1 101u -1 600u 2)\nr1 a b 1k\nr2 b c 2.2k\nr3 c d 3.3k\nc1 b 0 47n\n",
}  # fmt: skip


@pytest.fixture
def pure(monkeypatch):
    """Nothing compiled, as long as it is called."""

    def without(circuit: str, ask):
        with monkeypatch.context() as m:
            m.setattr(kernel, "compiled", None)
            return ask(Circuit.from_text(circuit))

    return without


def test_it_was_built_where_it_could_be():
    header = Path(sysconfig.get_paths()["include"]) / "Python.h"
    if os.environ.get("NUVLO_PURE") or not (header.exists() and (shutil.which("cc") or shutil.which("gcc"))):
        pytest.skip("not wanted, or no compiler or header of Python here")
    assert kernel.compiled is not None


def spread(circuit: Circuit, members: int) -> dict[str, np.ndarray]:
    """Values of resistors and devices all over the place, with a part missing, turned or the wrong way round here and there."""
    dice = np.random.default_rng(3)
    out = {}
    for e in circuit.elements:
        if e.kind == "r" and not e.scope.prefix:
            out[e.name] = float(np.mean(circuit.parameter(e, "value", {}))) * dice.uniform(0.5, 2.0, members)
        if e.kind in "dqj" and not e.scope.prefix:
            out[f"{e.name}.is"] = float(np.mean(circuit.parameter(e, "is", {}, 1e-15))) * dice.uniform(0.3, 3.0, members)
            out[f"{e.name}.missing"] = (dice.uniform(size=members) < 0.1) * 1.0
        if e.kind == "d":
            out[f"{e.name}.reversed"] = (dice.uniform(size=members) < 0.1) * 1.0
    return out


@pytest.fixture(params=[2, 4, 8])
def at_once(request):
    """Instructions for so many numbers at once, where the processor has them."""
    if kernel.compiled is None or kernel.compiled.at_once(request.param) != request.param:
        pytest.skip("not built, or not by this processor")
    yield
    kernel.compiled.at_once(8)


@pytest.mark.parametrize("name", CIRCUITS)
def test_side_by_side_as_one_by_one(at_once, name):
    """Whatever the processor is asked to do with them: as many as fill no lanes, some and all, whatever is beside them."""
    circuit = Circuit.from_text(CIRCUITS[name])
    members = 21
    values, hertz = spread(circuit, members), log_frequencies(10, 1e5, 2)
    source = next((e.name for e in circuit.elements if e.kind == "v" and "ac" in e.card.parameters), None)

    def ask(some: slice):
        point = operating_point(circuit, {k: v[some] for k, v in values.items()})
        return point.x, response(point, source, circuit.nodes[-1], hertz).transfer if source else np.zeros((1, 1))

    x, transfer = ask(slice(None))
    for k in range(members):
        alone, by_itself = ask(slice(k, k + 1))
        assert x[:, [k]] == pytest.approx(alone, rel=1e-5, abs=1e-6)
        if source:
            assert transfer[[k]] == pytest.approx(by_itself, rel=1e-3, abs=1e-9)


LOST_IN_PYTHON = ("millrace", "lampwick", "tidewheel")  # of sixty such members some are lost, and Python alone looks for each a long time
SAME = [(name, members) for members in (1, 60) for name in (*CIRCUITS, *KITS)]


@pytest.mark.parametrize("what", long_but([(n, m) for n, m in SAME if m == 1 or n not in LOST_IN_PYTHON], SAME))
def test_same_points_and_responses(pure, what):
    name, members = what
    text = CIRCUITS.get(name) or kit_text(name)
    hertz = log_frequencies(10, 1e5, 9)

    def ask(circuit: Circuit):
        point = operating_point(circuit, spread(circuit, members) if members > 1 else {})
        source = next((e.name for e in circuit.elements if e.kind == "v" and "ac" in e.card.parameters), None)
        node = circuit.nodes[-1]
        return point.x, response(point, source, node, hertz).transfer if source else np.zeros(1)

    x, transfer = ask(Circuit.from_text(text))
    x_too, transfer_too = pure(text, ask)
    # What has two states may be found in either; a supply that is off hangs on leakage.
    same = np.isclose(x, x_too, rtol=1e-5, atol=1e-7 + 1e-7 * np.nanmax(np.abs(x_too))).all(axis=0)
    assert same.mean() >= 0.95
    if transfer.size > 1:
        size = np.abs(transfer_too[same]).max(axis=1, keepdims=True)
        assert (np.abs(transfer[same] - transfer_too[same]) <= 5e-3 * size + 1e-9).all()


@pytest.mark.parametrize("members", [1, 3])
@pytest.mark.parametrize("name", CIRCUITS)
def test_same_courses(pure, name, members):
    def ask(circuit: Circuit):
        values = {"r1": np.linspace(0.9, 1.1, members) * float(np.mean(circuit.parameter(circuit.element("r1"), "value", {})))}
        return transient(circuit, 5e-6, 1e-3, circuit.nodes, values if members > 1 else {})

    course, same = ask(Circuit.from_text(CIRCUITS[name])), pure(CIRCUITS[name], ask)
    for node, volts in same.voltage.items():
        assert np.abs(course.voltage[node] - volts).max() <= 2e-3 * max(np.abs(volts).max(), 1e-3)


def test_a_course_with_signals_of_its_own():
    """A function may give one number, or one for each member; what is wrong with it comes out."""
    circuit = Circuit.from_text("s\nv1 a 0 0\nr1 a b 1k\nc1 b 0 1u")
    values = {"r1": np.array([1e3, 1e3])}
    one = transient(circuit, 1e-5, 1e-3, ["b"], values, signals={"v1": lambda t: min(1.0, t * 1e4)}).voltage["b"]
    each = transient(circuit, 1e-5, 1e-3, ["b"], values, signals={"v1": lambda t: np.array([1.0, 2.0]) * min(1.0, t * 1e4)}).voltage["b"]
    assert np.abs(one[0] - each[0]).max() < 2e-3
    assert np.allclose(each[1], 2 * each[0], rtol=1e-6, atol=1e-9)

    def broken(t: float) -> float:
        if t > 0:
            raise ZeroDivisionError
        return 0.0

    with pytest.raises(ZeroDivisionError):
        transient(circuit, 1e-5, 1e-3, ["b"], signals={"v1": broken})


PLAIN = {"minimum", "maximum", "less", "less_equal", "greater", "greater_equal", "equal", "not_equal", "logical_and", "logical_or", "fmod", "add",
         "subtract", "multiply", "divide", "power", "where"}  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(OPERATIONS), st.floats(-3, 3), st.floats(-3, 3), st.booleans())
def test_each_operation_is_that_of_numpy(name, a, b, known):
    """One after the other, on a formula made of it alone: as the current of a device."""
    if kernel.compiled is None:
        pytest.skip("not built")

    def law(x, y):
        if name == "where":
            return np.where(x > y, x, y)
        if name == "steep":
            return np.nan_to_num(x, nan=0.0, posinf=1e12, neginf=-1e12)
        return getattr(np, name)(x, y) if name in PLAIN else getattr(np, name)(x)

    second = np.array([[b]]) if known else None
    tape = Tape(2)
    first, other = tape.inputs
    made = law(first, other if second is None else second)
    program = tape.program([(made, 0, [0])], np.array([[0], [1]], dtype=np.int32))
    with np.errstate(all="ignore"):
        wanted = float(np.ravel(law(np.float64(a), np.float64(b)))[0])
    assume(np.isfinite(wanted))
    for members in (1, 3):
        assert run(program, [a, b], members) == pytest.approx(np.full(members, wanted), rel=1e-12, abs=1e-300)


@settings(max_examples=200, deadline=None)
@given(st.one_of(st.floats(-760, 720), st.sampled_from([0.0, 709.78, 709.79, -699.9, -745.2, 88.72])))
def test_exponentials_side_by_side(x):
    """To the last digits; nothing where that is less than anything counts for, no number where that is more than there are."""
    if kernel.compiled is None:
        pytest.skip("not built")
    tape = Tape(1)
    program = tape.program([(np.exp(tape.inputs[0]), 0, [0])], np.array([[0]], dtype=np.int32))
    with np.errstate(over="ignore"):
        wanted = np.exp(x)
    for most in (2, 4, 8):
        kernel.compiled.at_once(most)
        got = run(program, [x], 2)
        assert got == pytest.approx(np.full(2, wanted), rel=1e-14, abs=1e-303) if np.isfinite(wanted) else np.isnan(got).all()


def run(program, volts: list[float], members: int) -> np.ndarray:
    """The first output of a program at branch voltages, (members,) times, by a circuit of sources and one resistor that it feeds."""
    assert kernel.compiled is not None
    branches = np.zeros(len(volts), dtype=np.int32)
    ones, none = np.ones((1, len(volts))), np.zeros((0, 3), dtype=np.int32)
    endless = np.full(len(volts), np.inf)
    # Branch k is across node k; the current of branch 0 goes into node n, which one siemens holds.
    nodes = len(volts) + 1
    plus = np.arange(len(volts), dtype=np.int32)
    out_of = np.array([nodes - 1] + [-1] * (len(volts) - 1), dtype=np.int32)
    devices = kernel.compiled.devices(
        len(volts), 0, 0, 0, nodes, len(volts), 1, 0, 0, 1e-12, branches[:0], branches[:0], plus, branches - 1, out_of, branches - 1, none, ones,
        np.zeros((0, 0)), np.ones(len(volts)), endless, endless, [program.packed()],
    )  # fmt: skip
    diagonal = np.arange(nodes, dtype=np.int32)
    plan = kernel.compiled.plan(nodes, nodes, diagonal, diagonal, np.ones(nodes, dtype=complex), PIVOT_THRESHOLD)
    x, status = np.zeros((members, nodes)), np.zeros(members, dtype=np.int32)
    still = (0, np.ones(nodes), np.zeros(0, dtype=np.int32), np.zeros((1, 0)))
    drive = np.array([[*volts, 0.0]])
    kernel.compiled.newton(
        devices, plan, still, np.zeros(members, dtype=np.int32), members, 1, 1, 0.0, 1e-9, 1.0, 1.0, np.inf, 1e-12, PIVOT_THRESHOLD, 9, 0, np.zeros((0, 2)),
        np.full(nodes, 1e-9), drive, drive.copy(), np.array([volts]), x, status,
    )  # fmt: skip
    return np.where(status == kernel.FOUND, -x[:, -1], np.nan)


def test_what_hangs_on_parameters_alone_is_not_recorded():
    tape = Tape(1)
    (v,) = tape.inputs
    p = {"is": np.array([[1e-14, 2e-14]]), "vt": np.array([[0.026]]), "off": np.zeros((1, 1))}
    made = p["is"] * (p["vt"] + 1.0) * np.exp(v / p["vt"]) + p["off"] * np.sqrt(v)
    program = tape.program([(made, 0, [0])], np.zeros((1, 1), dtype=np.int32))
    assert len(program.code) == 3  # by the reciprocal of vt, exp, times what the parameters come to
    assert program.varying.shape == (2, 1, 1)


def test_what_cannot_be_recorded_says_so():
    (v,) = Tape(1).inputs
    with pytest.raises(UnrecordedError, match="cbrt"):
        np.cbrt(v)
    with pytest.raises(UnrecordedError, match="interp"):
        np.interp(v, [0, 1], [0, 1])


@settings(max_examples=40, deadline=None)
@given(st.integers(2, 30), st.integers(0, 10_000), st.booleans(), st.booleans())
def test_sweeps_solve_what_lapack_solves(size, seed, planned, transposed):
    """Random sparse systems with rows of unlike units; one whose matrix is singular has no number."""
    if kernel.compiled is None:
        pytest.skip("not built")
    dice = np.random.default_rng(seed)
    ways = dice.uniform(size=(size, size)) < 3 / size
    ways[np.arange(size), dice.permutation(size)] = True
    row, column = (np.ascontiguousarray(k, dtype=np.int32) for k in np.nonzero(ways))
    g = dice.normal(size=row.size) * 10.0 ** dice.integers(-6, 3, size)[row]
    c = dice.normal(size=row.size) * 1e-9
    right = dice.normal(size=(size, 2)) + 0j
    omega = np.geomspace(1.0, 1e6, 11)
    at = (column, row) if transposed else (row, column)
    plan = kernel.compiled.plan(size, row.size, *at, g + 1j * omega[0] * c if planned else None, PIVOT_THRESHOLD)
    out = np.zeros((size, 2, 1, omega.size), dtype=complex)
    none = np.zeros(0, dtype=np.int32)
    tables = [(0, np.ascontiguousarray(of), none, np.zeros((1, 0))) for of in (g, c)]
    kernel.compiled.sweep(plan, *tables, 0, 1, omega, omega.size, right, 2, np.arange(size, dtype=np.int32), size, 1e-9, PIVOT_THRESHOLD, out)
    for k, w in enumerate(omega):
        matrix = np.zeros((size, size), dtype=complex)
        matrix[at] = g + 1j * w * c
        if np.linalg.cond(matrix) < 1e12:
            assert np.abs(matrix @ out[:, :, 0, k] - right).max() <= 1e-7 * (np.abs(matrix) @ np.abs(out[:, :, 0, k])).max()


def test_a_singular_system_has_no_number():
    circuit = Circuit.from_text("x\ni1 0 a 0 ac 1\nc1 a b 1n\nc2 b 0 1n\nr1 a 0 1k")
    assert np.isfinite(response(operating_point(circuit), "i1", "a", np.array([1e3])).transfer).all()


@pytest.mark.parametrize("name", KITS)
def test_equations_of_a_few_values_are_those_of_all(name, monkeypatch):
    """Those that start from the circuit as it stands are the same, number for number, as those that are laid out anew."""
    circuit = Circuit.from_text(kit_text(name))
    dice = np.random.default_rng(5)
    values: dict[str, object] = {}
    for e in circuit.elements:
        if e.kind in "rcvi" and not e.scope.prefix:
            parameter = "dc" if e.kind in "vi" else "value"
            nominal = float(np.mean(circuit.parameter(e, parameter, {})))
            values[e.name] = nominal * dice.uniform(0.5, 2.0, 5) if dice.uniform() < 0.7 else nominal * 1.1
    few = Equations(circuit, values)
    assert few.base is not None
    monkeypatch.setattr(equations.Equations, "_simple", staticmethod(lambda *_: None))
    all_anew = Equations(circuit, values)
    for mine, theirs in ((few.linear(), all_anew.linear()), (few.capacitive(), all_anew.capacitive())):
        for a, b in zip(mine, theirs, strict=True):
            assert np.array_equal(np.broadcast_to(a, b.shape), b)
    assert np.array_equal(few.right_side(), all_anew.right_side())


CHAIN = """p
.param pos=0.5 track={pos*2}
.subckt pot a w b r=10k turn=0.5
r1 a w {r*(1-turn)+1}
r2 w b {r*turn+1}
.ends
v1 a 0 9
x1 a w 0 pot turn={track/2}
d1 w o dd
r9 o 0 1k
.model dd d(is={1e-14*track})
"""


@pytest.mark.parametrize(("key", "names"), [
    ("pos", {"x1.r1", "x1.r2", "d1"}), ("track", {"x1.r1", "x1.r2", "d1"}), ("x1.turn", {"x1.r1", "x1.r2"}), ("x1.r", {"x1.r1", "x1.r2"}),
    ("r9", {"r9"}), ("d1.is", {"d1"}), ("x1.r1", {"x1.r1"}), ("temper", None), ("r9.missing", None), ("d1.reversed", None), ("bridge a b", None),
])  # fmt: skip
def test_what_hangs_on_an_override(key, names):
    assert Circuit.from_text(CHAIN).touched({key: 1.0}) == names


def test_without_it_the_command_says_the_same(tmp_path):
    (tmp_path / "c.cir").write_text(CIRCUITS["gummel"])
    said = [
        subprocess.run(
            [sys.executable, "-m", "nuvlo", "solve", str(tmp_path / "c.cir"), "op"], capture_output=True, text=True, check=False,
            env={**os.environ, **extra},
        ).stdout
        for extra in ({}, {"NUVLO_PURE": "1"})
    ]  # fmt: skip
    assert said[0]
    assert said[0] == said[1]
