"""A trim that cannot get there ends with the reason, and asks for no more turns."""

import numpy as np
import pytest

from nuvlo.kit import Stage
from nuvlo.logbook import Build, Reading
from nuvlo.logbook.build import Turn
from nuvlo.measurement import volts_at
from nuvlo.quantity import Measured
from nuvlo.stages.set_up import no_nearer
from nuvlo.workshop.commands.arguments import Words
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.journey import run


def set_by_hand(kit, *steps, supply=9.0, uncertainty=0.02):
    """A build in Set: (degrees turned, what is read then) one after the other."""
    (trim, *_) = kit.info.trim
    build = Build("b")

    def read(point, volts):
        build.readings.append(Reading(volts_at(point), Measured(volts, uncertainty, "V"), Stage.SET.value, None, "meter"))

    read(trim.supply_point, supply)
    for degrees, volts in steps:
        if degrees:
            build.turns.append(Turn(trim.trimmer, degrees, len(build.readings)))
        read(trim.watch, volts)
    return no_nearer(kit, build, trim)


@pytest.mark.parametrize(("steps", "said"), [
    ([(0, 3.1), (60, 3.1), (60, 3.101)], "stays at"),
    ([(0, np.inf), (60, np.inf), (60, np.inf)], "stays at"),
    ([(0, 3.1), (8, 3.1), (8, 3.1)], "stays at"),
    ([(0, 6.0), (-30, 5.8), (-60, 5.7), (-200, 5.4), (-60, 5.35)], "it is at its end"),
    ([(0, 4.0), *[(20, 5.1), (-20, 3.8)] * 7], "no nearer than"),
    ([(0, 3.1)], ""),
    ([(0, 3.1), (60, 3.1)], ""),  # once may be a slip
    ([(0, 3.1), (2, 3.1), (2, 3.1)], ""),  # too little to tell
    ([(0, 3.1), (60, 4.2), (8, 4.35)], ""),
    ([(0, 3.1), (60, 3.1), (60, 3.1), (60, 4.5)], ""),
    ([], ""),
])  # fmt: skip
def test_the_reason_comes_from_what_was_turned_and_read(gorsefire, steps, said):
    found = set_by_hand(gorsefire, *steps)
    assert said in found
    assert bool(said) == bool(found)


def test_a_meter_too_coarse_for_what_is_wanted_is_said(gorsefire):
    assert "this meter cannot tell so finely" in set_by_hand(gorsefire, (0, 4.48), uncertainty=0.5)


@pytest.mark.parametrize("stuck_at", [0.02, 0.6, 0.97])
def test_a_stuck_trimmer_ends_the_work_and_may_be_accepted(bench, gorsefire, stuck_at):
    """The hand turns it, and nothing comes of it: the wiper is stuck."""
    (trim, *_) = gorsefire.info.trim
    session = bench(3, {gorsefire.position_of(trim.trimmer): stuck_at})
    while (end := run(session)).stage is not Stage.SET:
        assert end.stage in (Stage.HOOK_UP, Stage.WAKE), end.reason
        execute(session, Command("accept", Words("the trimmer is stuck")))
    assert not end.finished
    assert end.stopped_at == trim.trimmer
    assert trim.watch in end.reason
    assert "is wanted" in end.reason
    assert 2 <= len(session.build.turns) < 12
    execute(session, Command("accept", Words("nothing better at hand")))
    assert session.now() is None or session.now().task.target != trim.trimmer
    assert any("nothing better at hand" in line for line in session.snapshot().sheet().skipped)
