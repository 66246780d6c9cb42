"""A bench that was recorded answers as the one that was there; what the file does not hold is said."""

import pytest

from nuvlo.clock import standing
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments import InstrumentError
from nuvlo.instruments.recorded import RecordedBench
from nuvlo.logbook import Build, ReadingTaken
from nuvlo.logbook.benches import RECORDED
from nuvlo.measurement import LEADS, Observable, loose, ohms_at, tone_at, volts_at
from nuvlo.measurement.trace import Sweep
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.papers import write_sheet
from nuvlo.workshop.workshop import Workshop
from tests.stages.test_stages import build

HEAD = "point,quantity,value,unit,uncertainty\n"


@pytest.fixture
def recorded(tmp_path, gorsefire):
    """``recorded(rows, events)``: a bench on a table of readings."""

    def make(rows: str, *events) -> RecordedBench:
        path = tmp_path / "evening.csv"
        path.write_text(HEAD + rows, encoding="utf-8")
        return RecordedBench(gorsefire, path, build(*events) if events else Build(""))

    return make


def carried(workshop: Workshop, kit, bench: str):
    session = workshop.start(kit, bench=bench)
    with standing():
        outcome = run(session)
        if not outcome.finished:
            write_sheet(session)
    return session, outcome


@pytest.mark.parametrize(("name", "bench"), [("gorsefire", "simulated:5"), ("gorsefire", "simulated:5:R3=390R"), ("sluice", "simulated:3"), ("lampwick", "simulated:4")])
def test_what_one_bench_read_another_gives_again(tmp_path, name, bench):
    """From box to sheet, or to the same stop, with the same verdicts: read by the file that the sheet left."""
    kit, workshop = read_kit(SHIPPED / name), Workshop(tmp_path)
    first, came = carried(workshop, kit, bench)
    table = first.sheet_path.with_suffix(".csv")
    again, went = carried(workshop, kit, f"{RECORDED}:{workshop.places.keep_recording(table)}")
    assert (went.finished, went.stage, went.stopped_at, went.reason) == (came.finished, came.stage, came.stopped_at, came.reason)
    assert not again.build.practised, "its unit is there"
    told, retold = ([r for r in s.build.readings if r.of != LEADS] for s in (first, again))
    assert [r.of for r in retold] == [r.of for r in told]
    for one, other in zip(retold, told, strict=True):
        assert one.measured.value == pytest.approx(other.measured.value), one.of
        assert one.expected == (other.expected and pytest.approx(other.expected, rel=2e-3)), "written with three figures of its doubt"


def test_readings_of_one_place_come_in_their_order_and_the_last_stays(recorded):
    rows = "TP5,voltage,4.1,V,0.03\nTP5,voltage,4.3,V,0.03\nR3,value,99.2k,Ω,200\nR4,resistance,682k,Ω,900\n"
    bench = recorded(rows)
    assert [bench.take(volts_at("TP5")).value for _ in range(3)] == [4.1, 4.3, 4.3]
    assert (bench.take(loose("R3")).value, bench.take(loose("R4")).value) == (99.2e3, 682e3)
    assert bench.take(LEADS).value == 0.0, "they are taken off already"
    gone_on = recorded(rows, ReadingTaken(point="TP5", quantity="voltage", value=4.1, uncertainty=0.03, unit="V", stage="wake", instrument="x"))
    assert gone_on.take(volts_at("TP5")).value == 4.3, "the log has the first"


def test_pads_and_pairs_that_nobody_asks_for_are_read_too(recorded):
    bench = recorded("R3.1-R3.2,resistance,4k7,Ω,\nTP5-TP2,voltage,3.1,V,\nboard,look-over,wrong,,\nR3,look,wrong,,\nR3,touch,hot,,\n")
    assert bench.take(ohms_at("R3.1-R3.2")).value == 4700
    assert bench.take(volts_at("TP5-TP2")).value == 3.1
    assert bench.looked_over() == ("R3",)
    assert bench.take(Observable("R3", "touch")).value == 1.0


@pytest.mark.parametrize("of", [volts_at("TP4"), tone_at("T1000"), loose("R1"), volts_at("TP5", empty=True)])
def test_what_it_does_not_hold_is_named_with_the_file(recorded, of):
    with pytest.raises(InstrumentError, match=r"'evening\.csv' holds no") as said:
        recorded("TP5,voltage,4.1,V,\n").take(of)
    assert of.name in str(said.value)


@pytest.mark.parametrize("rows", ["TP99,voltage,4.1,V,\n", "TP5,voltage,four,V,\n", "TP5,smell,4.1,V,\n", "R99.1,voltage,2,V,\n"])
def test_a_row_that_means_nothing_is_placed(recorded, rows):
    bench = recorded("TP1,voltage,8.6,V,\n" + rows)
    with pytest.raises(NuvloError, match=r"evening\.csv:3:"):
        bench.take(volts_at("TP1"))


def test_a_response_is_read_between_its_points_and_never_beyond(recorded):
    import numpy as np

    bench = recorded("100 Hz,response,0,dB,0.2\n1 kHz,response,10,dB,0.1\n10 kHz,response,0,dB,0.1\n")
    trace = bench.play(Sweep(100, 10e3, 0.01), np.array([100.0, 10**2.5, 1e3, 1e4]))
    assert trace.values == pytest.approx((0.0, 5.0, 10.0, 0.0))
    assert trace.uncertainty == 0.2
    with pytest.raises(InstrumentError, match="100 to 10000 Hz"):
        bench.play(Sweep(20, 10e3, 0.01), np.array([20.0, 1e3]))
    with pytest.raises(InstrumentError, match="holds no response"):
        recorded("TP1,voltage,8.6,V,\n").play(Sweep(20, 10e3, 0.01), np.array([100.0]))


@pytest.mark.parametrize("name", ["gone.csv", "../../secret.csv"])
def test_a_build_whose_file_is_gone_opens_and_says_so_at_the_first_reading(tmp_path, gorsefire, name):
    """A log that came from elsewhere leads to no file outside the workshop."""
    (tmp_path / "secret.csv").write_text(HEAD + "R1,value,100,Ω,1\n")
    (tmp_path / "Shed" / "recordings").mkdir(parents=True)
    assert not name.startswith("..") or (tmp_path / "Shed" / "recordings" / name).exists()
    session = Workshop(tmp_path / "Shed").start(gorsefire, bench=f"{RECORDED}:{name}")
    with pytest.raises(NuvloError, match="read"):
        session.bench.take(loose("R1"))
