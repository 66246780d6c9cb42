"""The ledger of wires, and what a builder is told with each."""

import json

import pytest

from nuvlo.cli.main import main
from nuvlo.craft.order import board_order
from nuvlo.craft.wires import JACK, LONG, POWER, ROW, SHORT, ledger, ticked
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.step_id import wire_step
from nuvlo.logbook import Build
from nuvlo.stages import hook_up
from nuvlo.workshop.demo import SHIPPED

WIRED = sorted(p.parent.name for p in SHIPPED.glob("*/wiring.csv"))


@pytest.mark.parametrize("name", WIRED)
def test_every_wire_once_power_first_jacks_last_and_twists_together(name):
    kit = read_kit(SHIPPED / name)
    runs = ledger(kit)
    assert sorted(r.wire.name for r in runs) == sorted(w.name for w in kit.wires)
    assert [ROW.index(r.turn) for r in runs] == sorted(ROW.index(r.turn) for r in runs)
    for turn in (POWER, LONG, SHORT):
        lengths = [r.wire.length_mm or 0 for r in runs if r.turn == turn and not r.twisted]
        assert lengths == sorted(lengths, reverse=True)
    for r in runs:
        places = [runs.index(o) for o in runs if r.wire.twist and o.wire.twist == r.wire.twist]
        assert not places or max(places) - min(places) == len(places) - 1
        assert set(r.twisted) == {runs[p].wire.name for p in places} - {r.wire.name}


@pytest.mark.parametrize("name", WIRED)
def test_every_pad_for_a_wire_has_one(name):
    """A builder who finds a pad left over looks for what is missing."""
    kit = read_kit(SHIPPED / name)
    reached = {end for w in kit.wires for end in w.ends}
    own = {"tidewheel": {"W1", "W2", "W3"}}.get(name, set())
    assert set(kit.wire_ends) - reached == own


@pytest.mark.parametrize("name", WIRED)
def test_a_wire_joins_what_is_on_its_net(name):
    kit = read_kit(SHIPPED / name)
    nets = {p.ref: p.net for p in (kit.board.pads if kit.board else ()) if p.ref in kit.wire_ends}
    wrong = [(w.name, end) for w in kit.wires for end in w.ends if nets.get(end, w.net) != w.net]
    assert wrong == []
    lugs = {}
    for w in kit.wires:
        for end in w.ends:
            if w in kit.ringing.wires:
                assert lugs.setdefault(end, w.net) == w.net, end


def test_what_comes_in_is_power_with_its_return():
    turns = {r.wire.name: r.turn for r in ledger(read_kit(SHIPPED / "kilnlight"))}
    assert {turns[n] for n in ("1", "2", "3", "4")} == {POWER}  # high tension and heaters
    turns = {r.wire.name: r.turn for r in ledger(read_kit(SHIPPED / "gorsefire"))}
    assert (turns["1"], turns["2"], turns["3"], turns["5"]) == (POWER, POWER, JACK, SHORT)


def test_a_shared_lug_is_left_open_until_its_last_wire():
    kit = read_kit(SHIPPED / "kilnlight")
    (task,) = (t for t in hook_up.tasks(kit, Build("")) if t.id == wire_step("3"))
    assert "Twisted with wire 4." in task.detail
    assert "Leave SKT2.4 open: wire 5 and 7 comes to it too." not in task.detail  # read it aloud
    assert "Leave SKT2.4 open: wires 5 and 7 come to it too." in task.detail
    (last,) = (t for t in hook_up.tasks(kit, Build("", done={wire_step("3"), wire_step("5")})) if t.id == wire_step("7"))
    assert "open" not in last.detail


def test_the_verb_says_why_and_what_the_labels_say(capsys):
    assert main(["wires", str(SHIPPED / "landing"), "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)["wires"]
    assert rows[0]["turn"] == POWER
    assert rows[0]["reason"].startswith("Power first")
    assert {"J5.pin ▸ W2", "W2 ▸ J5.pin"} == set(next(r for r in rows if r["from"] == "J5.pin")["labels"])
    assert main(["wires", str(SHIPPED / "tidewheel")]) == 0
    assert "no wiring.csv" in capsys.readouterr().out


def test_heater_wires_that_went_on_before_the_tags_are_not_asked_for_again():
    kit = read_kit(SHIPPED / "kilnlight")
    (step,) = (s for s in board_order(kit) if s.verb == "heaters")
    assert ticked(kit, {step.id}) == {"3", "4", "5", "6", "7", "8"} == {w.name for w in kit.ringing.heaters}
    (task,) = (t for t in hook_up.tasks(kit, Build("k", done={step.id})) if t.target == "5")
    assert task.done
    assert "Leave" not in task.detail, "none is to come to its lugs"
