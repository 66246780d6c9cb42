"""The verdict of a finished unit stands on what was measured, and says what was not."""

from dataclasses import replace

import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.kit import Reach
from nuvlo.kit.reach import within
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import tone_at, volts_at
from nuvlo.model import Window
from nuvlo.quantity import Measured, Verdict
from nuvlo.stages.hand_over import Sheet
from nuvlo.stages.lacks import lacks, untold_trimmers
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.workshop.places import SHIPPED


def point(name: str, verdict=Verdict.IN, accepted=False) -> Finding:
    window = Window(volts_at(name), "V", 4.5, 4.0, 5.0)
    task = Task(StepId.of(Stage.WAKE, name), Stage.WAKE, Wants.READING, name, of=volts_at(name), unit="V")
    if verdict is Verdict.NOT_TAKEN:
        return Finding(task, False, window=window, accepted=accepted)
    return Finding(task, True, verdict, reading=Measured(4.5, 0.01, "V"), window=window, accepted=accepted)


def tone(done=True, accepted=False) -> Finding:
    task = Task(StepId.of(Stage.PROVE, "Tone"), Stage.PROVE, Wants.READING, "Tone", of=tone_at("Tone"), unit="Hz")
    return Finding(task, done, accepted=accepted)


def turn(done=True) -> Finding:
    task = Task(StepId.of(Stage.SET, "bias", "turn"), Stage.SET, Wants.TURN, "Turn T1", "", "T1")
    return Finding(task, done)


@pytest.mark.parametrize(("found", "overall"), [
    ([point("TP1"), point("TP2", Verdict.NEAR), tone()], "as meant"),
    ([point("TP1"), point("TP2", Verdict.NEAR)], "not judged: nothing that sounds was measured"),
    ([point("TP1"), tone(), turn(False)], "not judged: T1 is not set"),
    ([point("TP1"), tone(), turn()], "as meant"),
    ([point("TP1"), point("TP2", Verdict.NOT_TAKEN), tone()], "not judged: 1 of 3 readings are not taken"),
    ([point("TP1"), point("TP2", Verdict.OUT), point("TP3", Verdict.NOT_TAKEN)], "not as meant"),
    ([point("TP1"), tone(False)], "not judged: 1 of 2 readings are not taken"),
    ([point("TP1"), tone(False, accepted=True)], "as meant, but for what was accepted"),
    ([point("TP1"), point("TP2", Verdict.OUT, accepted=True), tone()], "as meant, but for what was accepted"),
    ([point("TP1"), point("TP2", Verdict.NOT_TAKEN, accepted=True), tone()], "as meant, but for what was accepted"),
    ([point("TP1"), replace(tone(), ahead="30 min before 'Brush and wash' is dry")], "as meant, but for what was not waited for"),
    ([replace(point("TP1"), ahead="too early"), tone(False, accepted=True)], "as meant, but for what was accepted and not waited for"),
    ([], "not judged: nothing was measured, because this kit asks for no readings"),
])  # fmt: skip
def test_as_meant_wants_every_reading(gorsefire, found, overall):
    assert Sheet(gorsefire, Build("b"), tuple(found)).overall == overall


@pytest.mark.parametrize("kit", ["tidewheel", "millrace", "reedling"])
def test_a_kit_that_sets_nothing_of_its_trimmers_judges_no_unit(kit):
    """An oscillator that nobody tuned is not as meant, however good its rails read."""
    kit = read_kit(SHIPPED / kit)
    sheet = Sheet(kit, Build("b"), (point("TP1"), tone()))
    assert sheet.overall.startswith("not judged: ")
    assert "no procedure" in sheet.overall
    assert all(t in sheet.overall for t in untold_trimmers(kit))
    assert "a [[trim]] in kit.toml" in lacks(kit, Stage.SET)


def test_what_the_verdict_stands_on_is_told(gorsefire):
    told = Sheet(
        gorsefire, Build("b"), (point("TP1"), point("TP2", Verdict.NEAR), point("TP3", Verdict.NOT_TAKEN))
    ).told
    assert told == (
        "Readings taken: Wake 2 of 3. 1 lies too close to the edge of its window to tell. Nothing was asked in Set and Prove."
    )


@pytest.mark.parametrize(("name", "hertz", "said"), [
    ("kilnlight", 1e3, "A3 (16 kHz) and A6 (16 kHz) were not measured; A8 (16 kHz) was read at 1 kHz."),
    ("lampwick", 1e3, "A2 (8 kHz) and A4 (8 kHz) were read at 1 kHz."), ("barrowmoor", 1e3, "A4 (8 kHz) and A5 (8 kHz) were not measured."),
    ("lampwick", 400.0, "read at 400 Hz."), ("kilnlight", 20e3, ""), ("lampwick", 8e3, ""), ("gorsefire", 400.0, ""),
])  # fmt: skip
def test_what_the_meter_does_not_read_is_not_vouched_for(name, hertz, said):
    sheet = Sheet(within(read_kit(SHIPPED / name), Reach(hertz)), Build("b"), (point("TP1"), tone()))
    told = sheet.told.replace("\u202f", " ")
    assert sheet.overall == ("as meant, as far as this meter reads" if said else "as meant")
    assert said in told
    assert ("This meter reads AC to" in told) is bool(said)
