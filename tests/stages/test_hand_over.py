"""The verdict of a finished unit stands on what was measured, and says what was not."""

import pytest

from nuvlo.kit import Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.model import Window
from nuvlo.quantity import Measured, Verdict
from nuvlo.stages.hand_over import Sheet
from nuvlo.stages.task import Finding, Task, Wants


def point(name: str, verdict=Verdict.IN, accepted=False) -> Finding:
    window = Window(name, "voltage", "V", 4.5, 4.0, 5.0)
    task = Task(StepId.of(Stage.WAKE, name), Stage.WAKE, Wants.READING, name, target=name, quantity="voltage", unit="V")
    if verdict is Verdict.NOT_TAKEN:
        return Finding(task, False, window=window, accepted=accepted)
    return Finding(task, True, verdict, reading=Measured(4.5, 0.01, "V"), window=window, accepted=accepted)


@pytest.mark.parametrize(("found", "overall"), [
    ([point("TP1"), point("TP2", Verdict.NEAR)], "as meant"),
    ([point("TP1"), point("TP2", Verdict.NOT_TAKEN)], "not judged: 1 of 2 readings are not taken"),
    ([point("TP1"), point("TP2", Verdict.OUT), point("TP3", Verdict.NOT_TAKEN)], "not as meant"),
    ([point("TP1"), point("TP2", Verdict.OUT, accepted=True)], "as meant, but for what was accepted"),
    ([point("TP1"), point("TP2", Verdict.NOT_TAKEN, accepted=True)], "as meant, but for what was accepted"),
    ([], "not judged: nothing was measured, because this kit asks for no readings"),
])  # fmt: skip
def test_as_meant_wants_every_reading(gorsefire, found, overall):
    assert Sheet(gorsefire, Build("b"), tuple(found)).overall == overall


def test_what_the_verdict_stands_on_is_told(gorsefire):
    told = Sheet(
        gorsefire, Build("b"), (point("TP1"), point("TP2", Verdict.NEAR), point("TP3", Verdict.NOT_TAKEN))
    ).told
    assert told == (
        "Readings taken: Wake 2 of 3. 1 lies too close to the edge of their window to tell. This kit asks for none in Set and Prove."
    )
