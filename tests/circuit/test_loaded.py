"""A meter's own resistance: against a divider worked by hand, and against netlists with a resistor of 10 MΩ written into them, solved elsewhere."""

import json

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loaded import METER_OHMS, seen_from, shown
from nuvlo.circuit.operating_point import operating_point
from nuvlo.cli.main import main
from nuvlo.diagnosis.probes import readings_of
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.measurement import volts_at
from nuvlo.workshop.places import SHIPPED
from tests.circuit import ngspice
from tests.circuit.circuits import kit_text


@pytest.mark.parametrize("ohms", [1e3, 1e6, 10e6, 1e9])
def test_a_divider_is_pulled_down_as_by_hand(ohms):
    c = Circuit.from_text("t\nv1 a 0 9\nr1 a m 1k\nr2 m 0 1k\n")
    point = operating_point(c, {"r1": np.array([1.0, 2.0]) * ohms, "r2": ohms})
    upper, lower = np.array([1.0, 2.0]) * ohms, 1 / (1 / ohms + 1 / METER_OHMS)
    (read,) = shown(point, [("m", "0")])
    assert read == pytest.approx(9 * lower / (upper + lower), rel=1e-6)
    assert shown(point, [("0", "m")])[0] == pytest.approx(-read)
    assert shown(point, [("m", "0")], np.inf)[0] == pytest.approx(point.voltage("m"))


MISSING = ["r1", "r2", "r3", "r4", "r6", "d1", "q2"]  # without r5 a base floats, and 82 mA too much meet at vcc in ngspice's own answer


@pytest.mark.parametrize("gone", MISSING)
def test_every_point_of_a_faulty_unit_reads_as_elsewhere(gone, tmp_path):
    """A part is cut out of the text, and the meter written into it, point by point: no operating point is shared."""
    kit = read_kit(SHIPPED / "gorsefire")
    lines = [x for x in kit_text("gorsefire").splitlines() if not x.lower().startswith(f"{gone} ")]
    point = operating_point(kit.setup(), {f"{gone}.missing": 1.0})
    for k, p in enumerate(q for q in kit.info.point if not q.setup):
        folder = tmp_path / str(k)
        folder.mkdir()
        text = "\n".join([*lines, f"rmeter {p.node} {p.reference} 1e7"])
        (theirs,) = ngspice.operating_point(text, [p.node], folder)
        assert shown(point, [(p.node, p.reference)])[0, 0] == pytest.approx(theirs, rel=2e-3, abs=2e-3), p.name


@pytest.mark.parametrize("hertz", [0.0, 1.0, 1e3])
def test_what_is_seen_is_the_impedance_there(hertz):
    c = Circuit.from_text("t\nv1 a 0 dc 9\nr1 a m 1meg\nc1 m 0 1u\n")
    (seen,) = seen_from(operating_point(c), [("m", "0")], hertz)
    assert seen[0] == pytest.approx(1 / (1e-6 + 2j * np.pi * hertz * 1e-6))


def test_the_bench_has_the_meter_that_it_states(gorsefire):
    """The same unit with another meter reads otherwise where the unit is weak, and the same where it is stiff."""
    unit = HiddenUnit(gorsefire, 4, {"R3": "4M7"})
    hard, soft = (SimulatedBench(unit, MeterSpec(volts_ohms=ohms)).take(volts_at("TP2")).value for ohms in (np.inf, 1e6))
    assert soft < 0.95 * hard
    stiff = [SimulatedBench(unit, MeterSpec(volts_ohms=ohms)).take(volts_at("TP0")).value for ohms in (np.inf, 1e6)]
    assert stiff[0] == stiff[1]


@pytest.mark.parametrize(("kit", "says"), [("gorsefire", "R2.1"), ("reedling", "R1.1"), ("landing", "R4.1"), ("lampwick", "C5.1")])
def test_no_volts_are_asked_for_where_the_meter_decides(kit, says):
    """Reedling's gate hangs on a gigaohm, and its own text says never."""
    assert says not in {r.of.name for r in readings_of(read_kit(SHIPPED / kit)) if r.quantity in ("voltage", "tone")}


@pytest.mark.parametrize(("readings", "accused"), [
    ("TP0,voltage,8.99,V,0.03\nTP1,voltage,0,V,0.001", "R1 is missing"),  # the textbook case: nothing floats above a meter
    ("TP0,voltage,9.02,V,0.03\nTP1,voltage,0.0003,V,0.001\nD1.2,voltage,8.96,V,0.03", "R1 is missing"),
    ("TP0,voltage,9.02,V,0.03\nTP1,voltage,0,V,0.001\nD1.2,voltage,0,V,0.001", "D1 is missing"),
])  # fmt: skip
def test_what_is_open_reads_nothing_behind_it(readings, accused, tmp_path, capsys):
    csv = tmp_path / "r.csv"
    csv.write_text(f"point,quantity,value,unit,uncertainty\n{readings}\n")
    assert main(["diagnose", str(SHIPPED / "gorsefire"), "--readings", str(csv), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    first = [g for g in said["groups"] if g["probability"] > 0.3]
    assert any(accused in m for g in first for m in g["mistakes"])
    assert said["unexplained"] < 0.2
