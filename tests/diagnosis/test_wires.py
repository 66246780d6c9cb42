"""What was rung out accuses wires and parts alike, and none that is innocent."""

import numpy as np
import pytest

from nuvlo.circuit.ohms import Ohmmeter, resistance
from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import single_mistakes
from nuvlo.diagnosis.wires import KINDS, every_mistake, wiring_mistakes
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.mistakes import shipped
from nuvlo.kit import Stage
from nuvlo.logbook import Build, PartReworked
from nuvlo.measurement import ohms_at
from nuvlo.model import WorkingModel
from nuvlo.model.asked import ringing_out
from nuvlo.model.ensemble import known_to, laws, sample
from nuvlo.model.wired import leads, thrown, wired
from nuvlo.quantity import Measured, Verdict, judge
from nuvlo.stages import hook_up
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.demo import SHIPPED
from tests.workshop.test_journey import type_line

SURE = 0.6  # from which an innocent is accused
MADE: dict[str, tuple[Diagnosis, list]] = {}


def made(name):
    """The diagnosis of a kit's ring-out, and its windows."""
    if name not in MADE:
        kit = read_kit(SHIPPED / name)
        MADE[name] = Diagnosis(kit, wiring=True), WorkingModel(kit, members=300).predict(ringing_out(kit))
    return MADE[name]


def rung_out(kit, windows, mistake, seed, meter=None):
    """What a meter of its own error shows at every lug of a unit of its own values, one after the other."""
    rng, circuit, at = np.random.default_rng([seed, 77]), wired(kit), leads(kit)
    values = {k: float(v[1]) for k, v in sample(laws(kit), 2, seed + 100).items()} | dict(mistake.overrides if mistake else ())
    gain, known, out = 1 + rng.uniform(-0.004, 0.004), known_to(circuit, values), {}
    for w in windows:
        place = at[w.of]
        so = {k: v for k, v in thrown(kit, place.throw).items() if k not in values} if place.throw else {}
        true = float(resistance(circuit, place.red, place.black, meter, {**known, **so}).ohms[0])
        out[w.of] = Measured(true * gain, abs(true) * 0.006 + 0.2, "Ω") if np.isfinite(true) else Measured(np.inf, 0.0, "Ω")
    return out


def accused(d, read, windows):
    out = [w for w in windows if judge(read[w.of], w.low, w.high) is Verdict.OUT]
    return [g for g in d.rank(read).groups if not g.silent] if out else None


@pytest.mark.parametrize(("name", "least"), [("sluice", 0.9), ("oxbow", 0.9), ("landing", 0.8), ("tollgate", 0.5), ("gorsefire", 0.4)])
def test_a_part_that_is_wrong_accuses_no_wire(name, least, capsys):
    """Hidden by lot, of those that show: before parts were tried beside wires each of them accused one, most of them with more than 60 %."""
    d, windows = made(name)
    pool = [m for m in single_mistakes(d.kit) if m.overrides]
    shown = named = innocent = 0
    for seed, k in enumerate(np.random.default_rng(31).choice(len(pool), min(24, len(pool)), replace=False)):
        groups = accused(d, rung_out(d.kit, windows, pool[k], seed), windows)
        if groups is None:
            continue
        shown += 1
        named += any(pool[k].id in (m.id for m in g.mistakes) for g in groups[:2])
        innocent += groups[0].probability > SURE and {m.kind for m in groups[0].mistakes} <= set(KINDS.values())
    with capsys.disabled():
        print(f"\n  {name}: {named} of {shown} mistakes with parts that show at lugs are among the first two; {innocent} accuse a wire")
    assert shown
    assert named >= least * shown
    assert innocent <= 0.1 * shown


@pytest.mark.parametrize("name", ["gorsefire", "sluice", "oxbow", "landing", "reedling", "barrowmoor"])
def test_a_wire_that_is_wrong_accuses_no_part(name):
    d, windows = made(name)
    pool = wiring_mistakes(d.kit)
    shown = named = innocent = 0
    for seed, k in enumerate(np.random.default_rng(32).choice(len(pool), min(16, len(pool)), replace=False)):
        groups = accused(d, rung_out(d.kit, windows, pool[k], seed), windows)
        if groups is None:
            continue
        shown += 1
        named += any(pool[k].id in (m.id for m in g.mistakes) for g in groups[:2])
        innocent += groups[0].probability > SURE and not {m.kind for m in groups[0].mistakes} & set(KINDS.values())
    assert named >= 0.9 * shown > 0
    assert innocent == 0


@pytest.mark.parametrize("name", ["gorsefire", "tollgate", "barrowmoor", "lampwick", "oxbow", "millrace", "kilnlight"])
def test_a_wire_that_is_wrong_shows_where_hook_up_asks(name):
    """Of what shows at any end of a wire, by lot: a pot read itself, and its wire could be missing."""
    kit = read_kit(SHIPPED / name)
    ends = list(dict.fromkeys(ohms_at(end) for w in kit.ringing.to_black for end in w.ends))
    windows = WorkingModel(kit, members=200).predict(list(dict.fromkeys([*ringing_out(kit), *ends])))
    asked = {t.of for t in hook_up.tasks(kit, Build("")) if t.id.does(Stage.HOOK_UP, "ring")}
    pool = wiring_mistakes(kit)
    shown = unseen = 0
    for seed, k in enumerate(np.random.default_rng(33).choice(len(pool), min(20, len(pool)), replace=False)):
        read = rung_out(kit, windows, pool[k], seed)
        out = {w.of for w in windows if judge(read[w.of], w.low, w.high) is Verdict.OUT}
        shown += bool(out)
        unseen += bool(out) and not out & asked
    assert unseen == 0 < shown


@pytest.mark.parametrize("meter", [None, Ohmmeter(0.3e-3), Ohmmeter(0.1e-3), Ohmmeter(compliance=2.8)])
@pytest.mark.parametrize("name", ["gorsefire", "landing", "reedling"])
def test_a_good_unit_is_good_whatever_meter_rings_it_out(name, meter):
    d, windows = made(name)
    for seed in range(4):
        read = rung_out(d.kit, windows, None, seed, meter)
        if accused(d, read, windows) is None:
            continue
        assert d.rank(read).nothing_shown > 0.5


@pytest.mark.parametrize(("name", "text"), [("gorsefire", "R3 is shorted"), ("landing", "R5 is missing, or one of its joints is open")])
def test_less_than_any_meter_shows_through_a_junction_is_no_good_units(name, text):
    """It lies below the window, and was called a good unit's with half of all chances."""
    d, windows = made(name)
    (one,) = (m for m in d.mistakes if m.text == text)
    groups = accused(d, rung_out(d.kit, windows, one, 3), windows)
    assert groups is None or d.rank(rung_out(d.kit, windows, one, 3)).nothing_shown < 0.05


def test_every_kind_of_wire_has_its_row_and_an_id_is_one_change():
    for name in ("gorsefire", "kilnlight", "tollgate"):
        every = every_mistake(read_kit(SHIPPED / name))
        assert len({(m.id, m.overrides) for m in every}) == len({m.id for m in every}), "what has one id is one change of the circuit"
        assert {m.kind for m in every} <= shipped().keys()


def test_a_stop_in_hook_up_asks_on_and_what_it_was_is_put_right(bench):
    """A resistor ten times too small: the board, not a wire. It is read and looked at, named, and off the board for its repair."""
    session = bench(5, {"R6": "470R"})
    type_line(session, "stage hook_up")
    while session.snapshot().stop() is None:
        now = session.now()
        execute(session, Command("confirm" if now.task.wants is Wants.CONFIRM else "next"))
        session.settle()
    assert session.stage is Stage.HOOK_UP
    session.accuse()
    for _ in range(30):
        found = session.snapshot().suspicion
        if found.next is None:
            break
        assert found.next.state == "off", "nothing is powered yet"
        execute(session, Command("read"))
        session.accuse()
    found = session.snapshot().suspicion
    assert found.suspects[0].words[0].startswith("R6 is 470")
    assert found.suspects[0].share > 0.9
    assert session.now().task.title.startswith("Put it right: R6")
    type_line(session, "found a")
    assert session.build.repairs[-1].mistake == "decade r6=470"
    assert any(isinstance(e.body, PartReworked) and e.body.ref == "R6" for e in session.log.events(session.build.id))
