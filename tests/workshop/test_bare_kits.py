"""A user with less than the demo has: each stage gives what can be given and says what is missing for more."""

import shutil

import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.model.asked import powered
from nuvlo.model.working import ModelError, WorkingModel
from nuvlo.problems import NuvloError
from nuvlo.stages.lacks import lacks
from nuvlo.workshop.commands.arguments import PartMark, PartNamed, StageNamed, Words
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop

NEEDED_BY = {
    "kit.toml": ("test points",), "circuit.cir": ("predicted",), "placement.csv": ("board map",), "pads.csv": ("pads",),
    "wiring.csv": ("Hook up",), "panel.csv": ("panel",), "outline.csv": ("outline",),
}  # fmt: skip


def session_without(tmp_path, *files, bench="typed"):
    folder = shutil.copytree(SHIPPED / "gorsefire", tmp_path / "kit")
    for name in files:
        (folder / name).unlink()
    return Workshop(tmp_path / "shop").start(read_kit(folder), bench=bench)


@pytest.mark.parametrize("file", NEEDED_BY)
def test_what_a_missing_file_costs_is_said(tmp_path, file):
    # A netlist that is not there cannot name the nodes that kit.toml speaks of.
    session = session_without(tmp_path, file)
    assert any(file in said and NEEDED_BY[file][0] in said for said in session.kit.missing)
    for stage in Stage:
        assert isinstance(session.findings(stage), tuple)
    assert [s.stage for s in session.path()] == list(Stage)


def test_without_a_circuit_nothing_is_predicted_but_all_else_goes_on(tmp_path):
    session = session_without(tmp_path, "circuit.cir", bench="simulated:1")
    assert session.bench is None, "no circuit, no simulated bench"
    assert not session.wants_solving(Stage.WAKE)
    session.settle()
    execute(session, understand("r1 100.1", session.kit, session.now().task, session.stage))
    assert "R1" in session.build.measured
    execute(session, Command("stage", StageNamed(Stage.WAKE)))
    execute(session, Command("confirm"))
    execute(session, understand("tp1 8.5", session.kit, None, Stage.WAKE))
    found = next(f for f in session.findings(Stage.WAKE) if f.task.target == "TP1")
    assert found.done
    assert found.window is None, "a reading without a window is kept, and not judged"
    with pytest.raises(ModelError):
        WorkingModel(session.kit)


def test_without_procedures_the_model_says_what_it_lacks(tmp_path):
    session = session_without(tmp_path, "kit.toml")
    assert session.solve(Stage.WAKE).solved.windows == {}
    with pytest.raises(ModelError, match="how to prove it"):
        WorkingModel(session.kit).clean_level()
    assert session.findings(Stage.SET) == ()
    states = {s.stage: s.state for s in session.path()}
    assert states[Stage.SET] == states[Stage.PROVE] == "lacks input"
    assert states[Stage.CHOOSE] == "nothing to do"
    assert "RV1" in lacks(session.kit, Stage.SET)
    assert session.snapshot().sheet().overall.startswith("not judged: ")


def test_a_circuit_that_will_not_settle_is_said_in_the_stage(tmp_path):
    """A value far off, measured so: the model names how many variants have no answer, and the window shows it."""
    session = session_without(tmp_path)
    session.build.measured["R3"] = []
    bad = WorkingModel(session.kit, session.build)
    bad.values["r3"][5] = float("nan")
    with pytest.raises(ModelError, match=r"1 of 2000 variants .* \(first: 5\)"):
        bad.predict(powered(bad.kit))


def test_marks_that_stop_a_step_name_the_part(tmp_path):
    session = session_without(tmp_path)
    execute(session, Command("mark", PartMark("D1", "missing")))
    stuck = [f for f in session.findings(Stage.FIT) if f.stuck]
    assert {f.words for f in stuck} == {"D1 is marked missing."}
    assert next(s for s in session.path() if s.stage is Stage.UNPACK).state == "stuck"
    execute(session, Command("tick", PartNamed("D1")))
    assert not [f for f in session.findings(Stage.FIT) if f.stuck]


def test_read_only_workshops_are_looked_at_and_left(tmp_path):
    session = session_without(tmp_path)
    session.log.read_only = True
    execute(session, Command("stage", StageNamed(Stage.WAKE)))
    session.settle()
    assert session.solved(Stage.WAKE).windows
    with pytest.raises(Exception, match="viewed but not changed"):
        execute(session, Command("note", Words("hello")))
    assert session.read_only
    with pytest.raises(NuvloError, match="viewed but not changed"):
        execute(session, Command("accept"))
