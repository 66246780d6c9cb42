"""A course over time has bounds, says so, and can be stopped inside."""

import threading
import time

import pytest

from nuvlo.circuit import transient as room
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.transient import TransientError, transient
from nuvlo.progress import Progress, Stopped, under

RC = "t\nv1 a 0 {source}\nr1 a b 1k\nc1 b 0 1u\n"


def course(source: str, step: float, stop: float, **more):
    return transient(Circuit.from_text(RC.format(source=source)), step, stop, ["b"], **more)


@pytest.mark.parametrize("source", ["5", "sin(0 1 1k)", "pulse(0 1 0 1u 1u 1m 2m)"])
@pytest.mark.parametrize(("step", "stop"), [(1e-12, 1.0), (1.0, 1e9), (1e-300, 1e300)])
def test_too_many_moments_are_refused_before_any_is_worked_out(source, step, stop):
    with pytest.raises(TransientError, match="moments"):
        course(source, step, stop)


@pytest.mark.parametrize("source", ["sin(0 1 10g)", "pulse(0 1 0 1p 1p 10p 20p)", "am(1 1 1k 1g)", "sffm(0 1 1g 5 1k)", "sffm(0 1 1k 1e6 1meg)"])
def test_a_source_too_fast_for_its_time_is_named(source):
    with pytest.raises(TransientError, match=r"'v1' goes through .* periods"):
        course(source, 1e-3, 1.0)


def test_only_corners_within_the_time_count():
    points = " ".join(f"{k}m {k % 3}" for k in range(150_000))
    assert course(f"pwl({points})", 1e-4, 5e-3).time.size == 51
    with pytest.raises(TransientError, match="corners"):
        course(f"pwl({points})", 1e-3, 150.0)


def test_too_many_builds_for_their_moments_are_refused():
    import numpy as np

    with pytest.raises(TransientError, match="2,000 builds"):
        course("5", 1e-6, 1.0, overrides={"r1": np.full(2000, 1e3)})


@pytest.mark.parametrize("pure", [False, True])
def test_steps_without_end_are_given_up(monkeypatch, pure):
    monkeypatch.setattr(room, "MOST_STEPS", 50)
    monkeypatch.setattr(room, "AT_ONCE", 1)
    if pure:
        monkeypatch.setattr("nuvlo.circuit.equations.Equations.kernel", None)
    with pytest.raises(TransientError, match="given up at"):
        course("sin(0 1 1k)", 1e-5, 0.1)


def test_a_course_that_fills_the_memory_is_given_up(monkeypatch):
    monkeypatch.setattr(room, "AT_ONCE", 1)
    monkeypatch.setattr(room, "MOST_BYTES", 400)
    with pytest.raises(TransientError, match="given up at"):
        course("sin(0 1 1k)", 1e-5, 0.1)


def test_it_can_be_stopped_inside():
    said: list[str] = []
    going = Progress(said.append)

    def stop():
        while not said:
            time.sleep(0.001)
        going.stop()

    threading.Thread(target=stop).start()
    with under(going), pytest.raises(Stopped):
        course("sin(0 1 1k)", 1e-5, 10.0)
    assert "of 10 s" in said[-1]


def test_a_key_stops_the_command(tmp_path, monkeypatch, capsys):
    from nuvlo.cli.main import main

    (tmp_path / "c.cir").write_text(RC.format(source="5"))

    def pressed(*_, **__):
        raise KeyboardInterrupt

    monkeypatch.setattr("nuvlo.circuit.transient.transient", pressed)
    assert main(["solve", str(tmp_path / "c.cir"), "tran", "--step", "1u", "--stop", "1m", "--node", "b"]) == 130
    assert capsys.readouterr().err == "stopped.\n"
