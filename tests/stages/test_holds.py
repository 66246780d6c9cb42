"""What dries or warms up holds the readings that need it. A reading taken all the same is a fact: it is kept, judged like any other, and the sheet
says what it did not wait for."""

from datetime import timedelta

import pytest
from pypdf import PdfReader

from nuvlo import clock
from nuvlo.craft.order import board_order
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook import HoldPassed, StepAccepted, StepDone, fold
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.session import Refused
from nuvlo.workshop.workshop import Workshop

HALF = {
    "bom.csv": "ref,kind,value,tolerance\nR1,resistor,22k,1%\nR2,resistor,22k,1%\n",
    "circuit.cir": "* half\nvs vcc 0 9\nr1 vcc mid 22k\nr2 mid 0 22k\n.end\n",
    "kit.toml": '[kit]\nname = "Half"\n[[supply]]\nname = "battery"\nelement = "vs"\nnode = "vcc"\nvolts = 9.0\n[[point]]\nname = "TP1"\nnode = "mid"\n',
}
WET = "is dry"


def line(session, text):
    session.settle()
    now = session.now()
    return execute(session, understand(text, session.kit, now.task if now else None, session.stage)).words


@pytest.fixture
def wet(tmp_path):
    """``wet(name)``: a unit whose board has just been washed, at the first reading of Wake that this holds."""
    opened = []

    def make(name, bench="typed", stage="wake"):
        folder = SHIPPED / name
        if name == "half":
            folder = tmp_path / name
            folder.mkdir()
            for file, text in HALF.items():
                (folder / file).write_text(text)
        workshop = Workshop(tmp_path / f"shop {len(opened)}")
        opened.append(workshop)
        session = workshop.start(read_kit(folder), bench=bench)
        session.record(*(StepDone(step=s.id) for s in board_order(session.kit, session.build.school) if s.verb == "wash"))
        line(session, f"stage {stage}")
        while not session.now().waits:
            now = session.now().task
            line(session, "confirm" if now.hazard else "0.2" if now.target == "leads" else "next")
        return session

    yield make
    for workshop in opened:
        workshop.close()



@pytest.mark.parametrize(("name", "at"), [("half", "battery"), ("gorsefire", "TP0"), ("kilnlight", "TP1"), ("millrace", "TP13"), ("sluice", "CC1")])
def test_a_reading_typed_on_a_wet_board_is_kept_and_said_on_the_sheet(wet, name, at):
    """Cold readings come first in most; first power is the first in the least."""
    session = wet(name)
    f = session.now()
    assert (f.task.wants, f.task.target) == (Wants.READING, at)
    for refused in ("next", "read"):
        with pytest.raises(Refused, match=r"Brush and wash.*: not dry before"):
            line(session, refused)
    session.settle()
    said = line(session, f"{session.now().window.nominal:.9g}")
    assert "in window" in said or "too close to the edge" in said
    assert WET in said
    assert "the sheet will say so" in said
    done = next(g for g in session.findings(Stage.WAKE) if g.task.id == f.task.id)
    assert done.done
    assert done.ahead.endswith(WET)
    assert [f.task.title in kept and WET in kept for kept in session.snapshot().sheet().ahead] == [True]
    again = fold(session.build.id, session.log.events(session.build.id))
    assert again.passed == session.build.passed


@pytest.mark.parametrize(("stage", "name"), [("set", "gorsefire"), ("prove", "gorsefire"), ("prove", "sluice")])
def test_no_stage_that_powers_a_unit_is_a_way_round_the_wet_board(wet, stage, name):
    session = wet(name, "simulated:4", stage)
    with pytest.raises(Refused, match=r"Brush and wash.*: not dry"):
        line(session, "next")


def test_a_sweep_does_not_go_past_it(wet):
    session = wet("gorsefire", "simulated:4")
    line(session, "stage prove")
    with pytest.raises(Refused, match=r"Brush and wash.*: not dry"):
        line(session, "sweep")


def test_what_is_typed_there_and_out_of_its_window_stops_the_build(wet):
    session = wet("half")
    line(session, "12m")
    assert session.now().stuck or session.snapshot().stop() is not None
    assert session.snapshot().sheet().overall == "not as meant"


@pytest.mark.parametrize("name", ["half", "gorsefire", "kilnlight", "tidewheel"])
def test_not_to_wait_is_not_to_accept_what_is_read_then(wet, name):
    """Who goes on without waiting still reads; what it reads is judged."""
    session = wet(name)
    title = session.now().task.title
    assert WET in line(session, "accept no time")
    session.settle()
    f = session.now()
    assert (f.task.title, f.waits, f.accepted, f.done, f.ahead) == (title, False, False, False, "")
    assert session.snapshot().sheet().ahead == [], "it was not read yet"
    beyond = f.window.low / 20 if f.task.unit == 'Ω' else 20 * f.window.high
    line(session, f"{beyond:.6g}")
    f = next(g for g in session.findings(Stage.WAKE) if g.task.id == f.task.id)
    assert f.stuck
    assert f.ahead.endswith(f"{WET}; no time")


def test_what_is_read_again_once_it_is_dry_had_waited_after_all(wet):
    session = wet("half")
    held = session.now().task.held
    line(session, "0.2m")
    assert WET in line(session, "tp1 4.5")
    assert WET in line(session, "tp1 4.49"), "nor is it drier at the second reading"
    assert [row[-1] for row in session.snapshot().sheet().rows if row[0] == "TP1"] == ["in window, early"]
    assert len(session.snapshot().sheet().ahead) == 2
    clock.ahead().wait_until(held.until)
    session.forget()
    line(session, "stage wake")
    assert WET not in line(session, "tp1 4.51")
    assert [row[-1] for row in session.snapshot().sheet().rows if row[0] == "TP1"] == ["in window"]
    assert [kept.partition(":")[0] for kept in session.snapshot().sheet().ahead] == ["Power on"]


def test_who_said_to_go_on_and_waited_all_the_same_had_waited(wet):
    session = wet("half")
    held = session.now().task.held
    line(session, "accept")
    clock.ahead().wait_until(held.until)
    line(session, "0.2m")
    assert session.snapshot().sheet().ahead == []


def test_one_line_one_undo(wet):
    session = wet("half")
    before = session.now().task.id
    line(session, "0.2m")
    assert "the reading at battery" in line(session, "undo")
    assert session.build.passed == {}
    assert (session.now().task.id, session.now().waits) == (before, True)
    line(session, "accept")
    assert "Power on" in line(session, "undo")
    assert session.now().waits
    line(session, "redo")
    assert not session.now().waits


def test_another_wash_holds_anew(wet):
    session = wet("half")
    line(session, "accept")
    clock.ahead().wait_until(session.now().task.holds[0].until)
    wash = next(s for s in board_order(session.kit, session.build.school) if s.verb == "wash")
    session.record(StepDone(step=wash.id))
    assert session.now().waits, "what was not waited for was the first"


def test_the_reservoirs_are_read_as_early_as_anybody_likes(tmp_path):
    """Below 10 V the reading itself says that there was nothing to wait for; above it nothing goes on."""
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(SHIPPED / "kilnlight"), bench="simulated:3")
    run(session, Stage.WAKE, "Heaters H1: what")
    line(session, "next")
    assert session.now().waits
    assert "before" not in line(session, "3")
    assert session.build.passed == {}
    workshop.close()


def test_valves_that_are_cold(tmp_path):
    """The lamp's step is over once it was begun and the valves are warm; to go past that is said."""
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(SHIPPED / "kilnlight"), bench="simulated:3")
    run(session, Stage.WAKE, "Power of the high tension")
    line(session, "next")
    with pytest.raises(Refused, match="The valves warm up: not over before"):
        line(session, "next")
    assert "before 'The valves warm up' is over" in line(session, "accept")
    line(session, "next")
    (kept,) = session.snapshot().sheet().ahead
    assert kept.startswith("Power of the high tension")
    workshop.close()


def test_the_sheet_says_it_in_words(wet):
    session = wet("half")
    line(session, "0.2m")
    line(session, "tp1 4.5")
    line(session, "stage hand-over")
    line(session, "sheet")
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(session.sheet_path).pages).split())
    assert "Not waited for: Power on: current of the battery" in text


def test_a_log_of_before_still_counts_what_was_accepted_as_passed(wet):
    session = wet("half")
    session.record(StepAccepted(step=session.now().task.id, why="Brush and wash is not dry for another 29 min"))
    assert not session.now().waits
    assert session.snapshot().sheet().skipped


def test_an_end_that_has_no_time_stays(wet):
    session = wet("half")
    session.record(HoldPassed(step=session.now().task.id, what="while 'Run it in' is still open"))
    assert session.now().waits, "that says nothing of the wash"
    assert session.now().task.held.until - clock.now() > timedelta(minutes=1)
