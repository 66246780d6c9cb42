"""A mistake is known by what it is, not by the sentence it is told in: words may change, and old logs still say what was found."""

import shutil
from dataclasses import replace

import pytest

from nuvlo.diagnosis.mistakes import flaws_of, ids_of, single_mistakes
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.practice import PracticeBench, hidden_mistake
from nuvlo.logbook import MistakeFound, ReadingTaken, Repair
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop

KITS = sorted(p.name for p in SHIPPED.iterdir())


@pytest.mark.parametrize("drawn", [True, False])
@pytest.mark.parametrize("name", KITS)
def test_each_mistake_of_a_kit_has_an_id_of_its_own(name, drawn, tmp_path):
    """With its circuit, and of the parts list and the board alone."""
    folder = shutil.copytree(SHIPPED / name, tmp_path / name)
    if not drawn:
        for path in folder.glob("*.cir"):
            path.unlink()
        (folder / "kit.toml").write_text(f'[kit]\nname = "{name}"\n')
    every = single_mistakes(read_kit(folder))
    assert len({m.id for m in every}) == len(every) > 0
    assert [replace(m, text="told otherwise").id for m in every] == [m.id for m in every]


@pytest.fixture(scope="module")
def gorsefire():
    return read_kit(SHIPPED / "gorsefire")


@pytest.mark.parametrize(
    ("told", "id_"),
    [
        (("open r1.missing=1", "said quite otherwise"), "open r1.missing=1"), (("", "R1 is missing, or one of its joints is open"), "open r1.missing=1"),
        # As they were told at a time.
        (("", "C2 is the wrong way round, or leaks"), "leaky"), (("", "Q1 stands in other holes: legs ebc where cbe belong"), "turned"),
        (("", "the dog chewed it"), ""), (("", "R99 stands in other holes: legs ebc where cbe belong"), ""),
    ],
)  # fmt: skip
def test_what_a_log_holds_is_found(gorsefire, told, id_):
    every = single_mistakes(gorsefire)
    found = ids_of(every, [told])
    assert len(found) == bool(id_)
    assert all(one.startswith(id_) for one in found)
    if id_ == "turned":
        (mistake,) = (m for m in every if m.id in found)
        assert (mistake.refs, mistake.overrides[0][0][-3:]) == (("Q1",), "ebc")


def test_a_bridge_knows_its_pads(gorsefire):
    for m in (m for m in single_mistakes(gorsefire) if m.kind in ("bridge", "lead")):
        assert {pad.partition(".")[0] for pad in m.pads} == set(m.refs)
        assert flaws_of(replace(m, text="solder where none belongs"))[0].pads == m.pads
        assert m.text.endswith(" joins " + " and ".join(m.pads))


def test_a_repair_that_is_told_otherwise_heals(gorsefire):
    hidden = hidden_mistake(gorsefire, 3)
    bridge = next(m for m in single_mistakes(gorsefire) if m.kind == "bridge")
    assert hidden_mistake(gorsefire, 8, hidden.id) == hidden_mistake(gorsefire, 8, hidden.text) == hidden
    for told, healed in (((bridge.id, "in other words"), True), (("", bridge.text), True), (("", "in other words"), False)):
        bench = PracticeBench(gorsefire, 3, bridge)
        bench.repair(Repair(told[1], bridge.kind, (), 3, 2, 1.0, told[0]))
        assert (bench.hidden == ()) is healed


def test_what_was_found_is_logged_by_its_id(tmp_path, gorsefire):
    from nuvlo.workshop.commands.execute import execute
    from nuvlo.workshop.commands.grammar import understand
    from nuvlo.workshop.demo import SHIPPED

    workshop = Workshop(tmp_path)
    session = workshop.start(read_kit(SHIPPED / "gorsefire"), bench="typed")
    session.record(ReadingTaken(point="TP1", quantity="voltage", value=0.0, uncertainty=0.01, unit="V", stage="wake"))
    for line, known in (("found R1 is missing, or one of its joints is open", "open r1.missing=1"), ("found the dog chewed it", "")):
        execute(session, understand(line, session.kit, None, session.stage))
        events = [e.body for e in session.log.events(session.build.id) if isinstance(e.body, MistakeFound)]
        assert (events[-1].mistake, session.build.repairs[-1].mistake) == (known, known)
    workshop.close()
