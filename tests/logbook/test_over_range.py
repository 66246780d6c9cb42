"""Over range is a reading in its own right: stored, shown, judged and exported as such. It once locked the workshop for ever."""

import math
import sqlite3

import pytest

from nuvlo.kit import Stage
from nuvlo.logbook import PartMeasured, ReadingTaken, WindowKept
from nuvlo.logbook.events import BODY, as_text
from nuvlo.measurement import ohms_at
from nuvlo.reports.readings import write_readings
from nuvlo.stages.unpack.check_in import check_in
from nuvlo.workshop.journey import run
from tests.conftest import reopened
from tests.workshop.test_session import line


@pytest.mark.parametrize("typed", ["r1 OL", "r1 open", "r1 inf", "r1 ol"])
def test_a_part_that_reads_over_range_leaves_a_workshop_that_opens(bench, typed):
    session = bench(kind="typed")
    said = line(session, typed).words
    assert "over range" in said
    assert "100" in said, "what was expected stands beside it"
    again = reopened(session)
    assert math.isinf(again.build.part_value("R1").value)
    assert str(again.build.part_value("R1")) == "over range"
    assert again.now().stuck
    assert next(c for c in check_in(again.kit, again.build.measured) if c.part.ref == "R1").verdict == "out"
    assert len(again.log.builds()) == 1


def test_an_open_lug_and_a_window_that_ends_nowhere_are_kept(bench):
    session = bench(kind="typed")
    line(session, "stage hook")
    line(session, "leads 0.2")
    line(session, "j1.sleeve open")
    session.settle()
    again = reopened(session)
    reading = again.build.latest(ohms_at("J1.sleeve"))
    assert math.isinf(reading.measured.value)
    assert reading.expected is not None
    kept = BODY.validate_json(as_text(WindowKept(reading="x", nominal=math.inf, low=1e6, high=math.inf)))
    assert (kept.nominal, kept.high) == (math.inf, math.inf)


@pytest.mark.parametrize("body", [
    PartMeasured(ref="R1", value=math.inf, uncertainty=0.0, unit="Ω"),
    ReadingTaken(point="J1", quantity="resistance", value=math.inf, uncertainty=0.0, unit="Ω", stage="hook_up", expected=(1.0, 0.0, math.inf)),
    ReadingTaken(point="TP1", quantity="voltage", value=-1e-300, uncertainty=5e-324, unit="V", stage="wake"),
])  # fmt: skip
def test_every_number_comes_back_as_it_was(body):
    assert BODY.validate_json(as_text(body)) == body


def test_a_workshop_that_was_locked_by_it_opens_again(bench):
    """Logs written before had null where over range was meant."""
    session = bench(kind="typed")
    line(session, "r1 99.9")
    path = session.places.logbook
    with sqlite3.connect(path) as database:
        database.execute("update events set sum = null, body = replace(body, '99.9', 'null') where body like '%part_measured%'")
    again = reopened(session)
    assert math.isinf(again.build.part_value("R1").value)


def test_it_is_exported_as_the_meter_shows_it(bench, tmp_path):
    session = bench(kind="typed")
    line(session, "r1 OL")
    write_readings(session.kit, session.build, tmp_path / "r.csv")
    assert "R1,resistance,OL,Ω" in (tmp_path / "r.csv").read_text()


@pytest.mark.parametrize("typed", ["leads OL", "leads 1G", "leads 47"])
def test_leads_that_are_no_leads_are_refused(bench, typed):
    """Taken, every later reading of ohms would come to nothing and its true value be lost."""
    session = bench(kind="typed")
    with pytest.raises(Exception, match="leads"):
        line(session, typed)
    assert session.build.latest(ohms_at("leads")) is None


def test_readings_keep_what_the_meter_showed_beside_what_the_leads_take_off(bench):
    session = bench(kind="typed")
    line(session, "leads 0.3")
    line(session, "r1 100.4")
    taken = next(e.body for e in session.log.events(session.build.id) if isinstance(e.body, PartMeasured))
    assert (taken.value, taken.shown, taken.leads) == (pytest.approx(100.1), 100.4, 0.3)


def test_a_good_unit_still_goes_through(bench):
    assert run(bench(3), Stage.WAKE).stage is Stage.WAKE
