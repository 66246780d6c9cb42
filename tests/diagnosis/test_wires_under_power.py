"""A stop under power may accuse a wire: the unit with its wires as elements reads as the plain one does, and a wire that is cut in a netlist by hand and
solved in an independent simulator is found."""

from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import numpy as np
import pytest

from nuvlo.diagnosis.diagnosis import GOOD, UNEXPLAINED, Diagnosis
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import readings_of
from nuvlo.diagnosis.trials import Trials
from nuvlo.diagnosis.wires import every_mistake, mistakes_under_power, on_wires, rung_out
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.step_id import wire_step
from nuvlo.logbook import Build
from nuvlo.logbook.build import Reading
from nuvlo.measurement import ohms_at, volts_at
from nuvlo.model.asked import ringing_out
from nuvlo.model.ensemble import as_they_stand, laws, sample
from nuvlo.model.wired import leads_at
from nuvlo.quantity import Measured
from nuvlo.stages import hook_up
from nuvlo.stages.suspects import passed_rung
from nuvlo.workshop.demo import SHIPPED
from tests.circuit import ngspice

WIRED = sorted(p.name for p in SHIPPED.iterdir() if p.name != "tidewheel")  # which has none
LEAST = {"V": 1e-3, "A": 1e-6, "Ω": 0.3, "F": 1e-12}


@pytest.mark.parametrize("name", [n if n in ("gorsefire", "kilnlight", "tollgate", "oxbow") else pytest.param(n, marks=pytest.mark.long) for n in WIRED])
def test_with_nothing_wrong_it_reads_as_without_wires(name):
    """Every reading, in four draws: whatever lay on another net would be a mistake that is none."""
    kit = read_kit(SHIPPED / name)
    readings, known = readings_of(kit), {**as_they_stand(kit), **laws(kit)}
    nothing = Mistake("nothing", (), "wire-open", (), wired=True)
    plain, wired = Trials(kit, [nothing], readings, known, sample(known, 4, 5), 4).table().transpose(1, 0, 2)
    for r, without, with_them in zip(readings, plain, wired, strict=True):
        if r.unit:
            assert with_them == pytest.approx(without, rel=0.02, abs=LEAST[r.unit], nan_ok=True), f"{r.of} on {r.nodes}"


CUTS = [  # a wire, the elements that are behind it, the net that is parted, and the points that are read behind it
    ("gorsefire", "wire 1 ", ["d1 dcin"], "dcin", {"TP0"}), ("gorsefire", "wire 7 ", ["xfuzz 0 fw e2"], "e2", set()),
    ("kilnlight", "wire 15 ", ["xv1a a1", "c105 a1"], "a1", set()),  # a plate, with what hangs on the tags there
    ("millrace", "wire 1 ", ["xu1 rawp", "c1 rawp"], "rawp", set()), ("lampwick", "wire 2 ", ["d1 batt"], "batt", set()),
]  # fmt: skip


def cut(name, behind, net):
    """The netlist of a unit at rest, a net parted in it by hand, as text."""
    unit = (SHIPPED / name / "circuit.cir").read_text()
    for was in behind:
        assert f"\n{was} " in unit
        unit = unit.replace(f"\n{was} ", f"\n{was.removesuffix(net)}cut ")
    return (SHIPPED / name / "rest.cir").read_text().replace(".include circuit.cir", unit.replace(".end\n", "") + f"rparted {net} cut 1e12")


def read_there(kit, text, net, moved, folder):
    """Each of the kit's own points as a meter of 10 MΩ shows it, one after the other."""
    out = {}
    for p in (p for p in kit.info.point if not p.setup and not p.running):
        red = "cut" if p.name in moved else p.node
        pair = [n for n in (red, p.reference) if n != "0"]
        volts = ngspice.operating_point(f"{text.rstrip().removesuffix('.end')}rmeter {red} {p.reference} 10meg\n.end\n", pair, folder)
        volt = float(volts[0] - (volts[1] if len(pair) > 1 else 0.0))
        out[volts_at(p.name)] = Measured(volt, 0.005 * abs(volt) + 0.002, "V")
    return out


@pytest.mark.parametrize(("name", "wire", "behind", "net", "moved"), [pytest.param(*c, marks=[pytest.mark.long] * (c[0] in ("millrace", "lampwick")), id=f"{c[0]} {c[1]}") for c in CUTS])
def test_a_wire_that_is_cut_by_hand_is_among_the_suspects(name, wire, behind, net, moved, tmp_path):
    """And much less so once all of its net was rung out."""
    kit = read_kit(SHIPPED / name)
    d, taken = Diagnosis(kit), read_there(kit, cut(name, behind, net), net, moved, tmp_path)

    def told(rung):
        groups = [g for g in d.rank(taken, rung=rung).groups if not g.silent]
        place = next(k for k, g in enumerate(groups) if any(m.kind == "wire-open" and m.text.startswith(wire) for m in g.mistakes))
        print(place, [(round(g.probability, 3), [m.text for m in g.mistakes]) for g in groups[:3]])
        return place, groups[place].probability

    place, share = told(())
    assert place < 3
    assert told(ringing_out(kit))[1] < share


@pytest.mark.parametrize("name", WIRED)
def test_who_did_all_that_hook_up_asks_has_rung_out_all_that_can_be(name):
    """As its steps have it: of Tollgate's wires five in twenty-five counted, since both ends of each net were wanted."""
    kit = read_kit(SHIPPED / name)
    wires = [m for m in mistakes_under_power(kit) if m.wired]
    asked = {t.of for t in hook_up.tasks(kit, Build("")) if t.of is not None}
    told = rung_out(kit, wires, asked)
    assert told == rung_out(kit, wires, [ohms_at(end) for w in kit.wires for end in w.ends] + ringing_out(kit))
    switched = {w.name for w in kit.ringing.wires if w.net not in {net for _, net in kit.ringing.places}}  # which only a throw shows
    assert {m.id for m in wires if m.pads and not any(m.text.startswith(f"wire {n} ") for n in switched)} == told


@pytest.mark.parametrize(("name", "place", "net", "node"), [
    ("millrace", "TP13", "rawp", "lug#j1@rawp"), ("lampwick", "TP12", "batt", "lug#clip@batt"), ("gorsefire", "TP0", "dcin", "dcin"), ("gorsefire", "TP6", "top", "top"),
    ("kilnlight", "TP6", "a1", "a1"), ("tollgate", "TP1", "inl", "lug#j1@inl"), ("oxbow", "TP1", "red", "lug#jack@red"), ("landing", "R1.1", "dcin", "dcin"),
])  # fmt: skip
def test_a_lead_lies_on_the_board_at_a_pad_and_else_where_the_net_ends(name, place, net, node):
    assert leads_at(read_kit(SHIPPED / name), place, net) == node


def test_where_a_kit_names_a_net_alone_the_lead_lies_on_either_side_of_the_wire():
    kit = read_kit(SHIPPED / "landing")
    tip = next(r for r in readings_of(kit) if r.of == ohms_at("OC2"))
    assert [on_wires(kit, tip, turn) for turn in range(4)] == [("gtr", "0"), ("lug#j1@gtr", "lug#j1@0")] * 2


def test_wires_take_the_chance_of_no_part():
    """What is taken to be so before anything is read: one part in seventy of all, beside a good unit, is so whether wires are tried or not."""
    d = Diagnosis(read_kit(SHIPPED / "gorsefire"))
    likely, unexplained = d.posterior({})
    parts = np.array([not m.wired for m in d.mistakes])
    assert likely[1:][parts].sum() / likely[0] == pytest.approx((1 - GOOD - UNEXPLAINED) / GOOD)
    assert unexplained / likely[0] == pytest.approx(UNEXPLAINED / GOOD, rel=0.01)
    assert likely[1:][~parts].sum() / likely[1:][parts].sum() == pytest.approx(d.weights[~parts].sum() / d.weights[parts].sum())


def test_only_a_wire_whose_whole_net_was_rung_out_counts_as_rung_out():
    kit = read_kit(SHIPPED / "gorsefire")
    d = Diagnosis(kit)
    every = ringing_out(kit)
    whole = rung_out(kit, d.mistakes, every)
    assert {m.id for m in d.mistakes if m.wired and m.text.startswith("wire 7 ")} <= whole
    assert not {m.id for m in d.mistakes if not m.wired} & whole
    for left in (of for of in every if of.place in ("FUZZ.3", "W6")):
        assert not {m.id for m in d.mistakes if m.text.startswith("wire 7 ")} & rung_out(kit, d.mistakes, [of for of in every if of != left])


@pytest.mark.parametrize("name", ["gorsefire", "millrace", "lampwick"])
def test_a_wire_is_known_by_the_same_id_in_both_tables_and_one_of_a_supply_leaves_no_volts(name):
    """Under power it is the supply that gives way: told as found there, it is to be found in the list of all."""
    kit = read_kit(SHIPPED / name)
    here, every = mistakes_under_power(kit), every_mistake(kit)
    assert {m.id for m in here} <= {m.id for m in every}
    assert {m.kind for m in here if m.wired} == {"wire-open", "wire-ground"}
    gone = {s.element for s in kit.info.supply for m in here if (s.element, 0.0) in m.besides}
    assert gone == {s.element for s in kit.info.supply}


AT = datetime(2026, 11, 3, tzinfo=UTC)


@pytest.mark.parametrize(("value", "expected", "wire_on", "counts"), [
    (900.0, (1000.0, 800.0, 1200.0), -1, True), (900.0, (1000.0, 800.0, 1200.0), None, True), (900.0, (1000.0, 800.0, 1200.0), 1, False),
    (1300.0, (1000.0, 800.0, 1200.0), -1, False), (np.inf, (1000.0, 800.0, 1200.0), -1, False), (np.inf, (np.inf, 1e7, np.inf), -1, True), (900.0, None, -1, False),
])  # fmt: skip
def test_a_wire_counts_as_rung_out_only_where_it_read_as_it_should(value, expected, wire_on, counts):
    """What was accepted out of its window, or read before its wire was on, vouches for no wire; nor does what had no window to be judged by."""
    kit = SimpleNamespace(wiring=False, kit=read_kit(SHIPPED / "gorsefire"))
    of = ohms_at("W6")
    early = Reading(of, Measured(1000.0, 8.0, "Ω"), "hook_up", AT - timedelta(minutes=9), "typed", expected=(1000.0, 800.0, 1200.0))
    readings = [early, Reading(of, Measured(value, 8.0, "Ω"), "hook_up", AT, "typed", expected=expected)]
    done = {} if wire_on is None else {wire_step("7"): AT + timedelta(minutes=wire_on)}
    assert passed_rung(SimpleNamespace(readings=readings, done_at=done), kit) == ({of} if counts else set())
    assert not passed_rung(SimpleNamespace(readings=readings, done_at=done), SimpleNamespace(wiring=True, kit=kit.kit))
