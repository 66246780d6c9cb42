"""The compiled part looks at every index, size and number of samples before it uses it: it is handed what strangers' netlists became."""

from types import SimpleNamespace

import numpy as np
import pytest

from nuvlo.circuit import kernel
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import response
from nuvlo.circuit.transient import transient

NETLIST = """t
v1 a 0 dc 9 ac 1 sin(0 1 1k)
r1 a b 10k
q1 b c 0 qm
r2 a c 1meg
d1 b 0 dm
c1 b 0 1u
b1 e 0 v={tanh(v(b))*2+v(c)}
r3 e 0 1k
.model qm npn(bf=100 is=1e-14 vaf=80)
.model dm d(is=1e-14 cjo=1p)
"""
needed = pytest.mark.skipif(kernel.compiled is None, reason="nothing was compiled here")


@pytest.fixture(scope="module")
def calls():
    """What each function of the compiled part is given while a small circuit is solved in every way."""
    real = kernel.compiled
    given: dict[str, tuple] = {}

    def watched(name):
        def call(*arguments):
            given.setdefault(name, arguments)
            return getattr(real, name)(*arguments)

        return call

    names = ("devices", "plan", "newton", "sweep", "course", "follow")
    proxy = SimpleNamespace(**{name: watched(name) for name in names})
    kernel.compiled = proxy
    try:
        rng = np.random.default_rng(1)
        values = {"r1": 1e4 * rng.uniform(0.9, 1.1, 12), "q1.bf": rng.uniform(90, 300, 12), "c1": 1e-6 * rng.uniform(0.8, 1.2, 12)}
        circuit = Circuit.from_text(NETLIST)
        point = operating_point(circuit, values)
        response(point, "v1", "b", np.array([10.0, 1e3]))
        transient(circuit, 1e-5, 1e-4, ["b"], values)
    finally:
        kernel.compiled = real
    assert set(given) == set(names)
    return given


def places(argument, path=()):
    """(path, value) of every whole number and every array of whole numbers in nested arguments."""
    if isinstance(argument, tuple | list):
        for k, inner in enumerate(argument):
            yield from places(inner, (*path, k))
    elif isinstance(argument, int) and not isinstance(argument, bool):
        yield path, argument
    elif isinstance(argument, np.ndarray) and argument.dtype == np.int32 and argument.size:
        for k in {0, argument.size // 2, argument.size - 1}:
            yield (*path, slice(k, k + 1)), int(argument.flat[k])


def changed(argument, path, value):
    """A copy with one number changed."""
    if not path:
        return value
    if isinstance(path[0], slice):
        out = argument.copy()
        out.reshape(-1)[path[0]] = value
        return out
    out = [changed(inner, path[1:], value) if k == path[0] else inner for k, inner in enumerate(argument)]
    return type(argument)(out) if isinstance(argument, tuple) else out


@needed
@pytest.mark.parametrize("name", ["devices", "plan", "newton", "sweep", "course", "follow"])
def test_no_number_is_trusted(calls, name):
    call, given = getattr(kernel.compiled, name), calls[name]
    refused = 0
    for path, value in places(given):
        for wrong in {-2, -1, value + 1, value + 1000, 2**31 - 1, -(2**31)}:
            arguments = [a.copy() if isinstance(a, np.ndarray) and a.dtype == float else a for a in changed(given, path, wrong)]
            try:
                call(*arguments)
            except (ValueError, OverflowError, SystemError):
                refused += 1
            except MemoryError:
                pass
    assert refused > 3 or name == "follow"  # it is given no whole numbers, only arrays of stated sizes


@needed
@pytest.mark.parametrize("name", ["newton", "sweep", "follow"])
def test_no_array_is_taken_to_be_larger_than_it_is(calls, name):
    given = calls[name]
    for k, argument in enumerate(given):
        if isinstance(argument, np.ndarray) and argument.size > 1:
            shorter = np.ascontiguousarray(argument.reshape(-1)[:-1])
            with pytest.raises(ValueError, match=r"array of|room|from|members|state"):
                getattr(kernel.compiled, name)(*given[:k], shorter, *given[k + 1 :])


@needed
def test_samples_beyond_those_that_vary_are_refused(calls):
    given = list(calls["newton"])
    given[3] = np.full_like(given[3], 12)
    with pytest.raises(ValueError, match="members of"):
        kernel.compiled.newton(*given)


@needed
def test_devices_of_another_circuit_are_refused(calls):
    small = Circuit.from_text("t\nv1 a 0 1\nd1 a 0 dm\n.model dm d\n")
    from nuvlo.circuit.equations import Equations

    eq = Equations(small)
    plan = eq.kernel.plan(None)
    given = list(calls["newton"])
    given[1] = plan
    with pytest.raises(ValueError, match=r"of devices|array of"):
        kernel.compiled.newton(*given)
