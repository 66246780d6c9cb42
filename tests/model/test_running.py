"""An oscillator is judged while it runs: at rest only a stuck one reads so."""

import pytest

from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.model import WorkingModel
from nuvlo.model.asked import powered
from nuvlo.model.ensemble import laws
from nuvlo.model.running import means
from nuvlo.quantity import Verdict
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop
from tests.stages.test_unpack import a_kit
from tests.workshop.test_journey import type_line


@pytest.fixture
def tidewheel():
    return read_kit(SHIPPED / "tidewheel")


def test_a_mean_is_that_of_the_wave(tmp_path):
    """A sine on 2 V, wherever its last period is cut off: 2 V."""
    kit = a_kit(
        tmp_path, "R1,resistor,1k,1%,,\n",
        '[running]\nseconds = 0.04\n[[point]]\nname = "TP1"\nnode = "a"\nrunning = [1.9, 2.0, 2.1]\n',
        "v1 a 0 sin(2 1 430)\nr1 a 0 1k\n",
    )  # fmt: skip
    assert means(kit, {})["TP1"] == pytest.approx(2.0, abs=0.01)


def test_windows_are_of_the_running_unit_and_a_stuck_one_is_out(tidewheel):
    stuck = operating_point(tidewheel.setup(), {})
    windows = {w.of.name: w for w in WorkingModel(tidewheel, members=60).predict(powered(tidewheel))}
    for name in ("TP6", "TP7", "TP8"):
        point, window = tidewheel.point(name), windows[name]
        assert (window.low, window.nominal, window.high) == pytest.approx(point.running)
        assert not window.low <= float(stuck.voltage(point.node)[0]) <= window.high


@pytest.mark.long
def test_a_builder_is_told_so(tidewheel, tmp_path):
    session = Workshop(tmp_path / "shop").start(tidewheel, bench="typed")
    type_line(session, "stage wake")
    type_line(session, "tp7 -10.2")
    type_line(session, "tp6 -0.1")
    session.settle()
    found = {f.task.target: f.verdict for f in session.findings(Stage.WAKE) if f.task.quantity == "voltage"}
    assert (found["TP7"], found["TP6"]) == (Verdict.IN, Verdict.OUT)


@pytest.mark.long
def test_what_the_kit_says_is_what_its_course_gives(tidewheel):
    nominal = {name: law.nominal for name, law in laws(tidewheel).items()}
    found = means(tidewheel, nominal)
    for point in tidewheel.info.point:
        if point.running:
            assert found[point.name] == pytest.approx(point.running[1], rel=0.01)
