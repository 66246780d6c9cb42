"""Kits built otherwise: what a change wins and costs, what it does to a build, and both sides of what builders disagree on."""

import re

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.craft.schools import QUESTIONS
from nuvlo.electrics.stress import overstressed, ripple, stresses
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.variant import changes_in, varied
from nuvlo.measurement import volts_at
from nuvlo.problems import NuvloError
from nuvlo.progress import Progress, Stopped, under
from nuvlo.stages import hook_up, unpack, wake
from nuvlo.stages.choose import choice_of, propose
from nuvlo.stages.choose.both import both_sides
from nuvlo.stages.choose.mods import figures, in_words
from nuvlo.workshop.demo import SHIPPED
from tests.circuit import ngspice
from tests.circuit.circuits import kit_text
from tests.conftest import reopened
from tests.workshop.test_session import line

KITS = sorted(p.name for p in SHIPPED.iterdir() if (p / "kit.toml").exists())


def test_a_raised_supply_wins_headroom_and_names_the_part_it_overstrains():
    """Twice the volts: the op-amp's drop stays, so a little more than 6 dB of headroom; a 16 V capacitor on 18.3 V."""
    kit = read_kit(SHIPPED / "landing")
    changes = changes_in(kit, ["eighteen"])
    assert [(c.part, c.was, c.to) for c in changes] == [("9 V supply", "9\u202fV", "18 V")]
    before, after = figures(kit), figures(varied(kit, changes))
    assert 6.0 < 20 * np.log10(after.signal.clips / before.signal.clips) < 10.0
    assert before.over == ()
    assert dict(after.over)["C1"].startswith("18.3")
    assert after.currents["9 V supply"] > before.currents["9 V supply"]
    assert ("over its rating", "", f"C1: {dict(after.over)['C1']}") in in_words(before, after)


def test_a_chip_swapped_for_another_of_the_same_pins():
    kit = read_kit(SHIPPED / "millrace")
    before, after = (
        figures(kit, clipping=False),
        figures(varied(kit, changes_in(kit, ["u3=tl072", "u4=TL072"])), clipping=False),
    )
    # NE5532 4 mA and TL072 1.4 mA an amplifier, four of them (data sheets, from memory).
    assert before.currents["raw +24 V"] - after.currents["raw +24 V"] == pytest.approx(4 * 2.6e-3, rel=0.05)
    assert np.isnan(after.signal.clips)


def test_a_changed_value_changes_what_it_should():
    kit = read_kit(SHIPPED / "gorsefire")
    before, after = figures(kit, clipping=False), figures(varied(kit, changes_in(kit, ["C1=220n"])), clipping=False)
    assert after.signal.corner_low / before.signal.corner_low == pytest.approx(74 / 28, rel=0.05)
    assert after.signal.gain_db == pytest.approx(before.signal.gain_db, abs=0.05)


@pytest.mark.parametrize(
    ("words", "says"),
    [(["fish"], "not a change"), ([], "nothing is changed"), (["r99=1k"], "no part and no supply"), (["r3=fish"], "no value"),
     (["q1=fish"], "fish")],
)  # fmt: skip
def test_what_is_no_change(words, says):
    kit = read_kit(SHIPPED / "gorsefire")
    with pytest.raises(NuvloError, match=says):
        figures(varied(kit, changes_in(kit, words)), clipping=False)


def test_a_kit_without_ports_is_compared_in_what_it_draws_and_at_its_points():
    """An oscillator has no gain. Ohm's law: 11.76 V less a lamp's 2 V through 10 kΩ and not 4.7 kΩ."""
    kit = read_kit(SHIPPED / "tidewheel")
    before, after = figures(kit), figures(varied(kit, changes_in(kit, ["r19=10k", "r14=12k"])))
    assert before.signal is None
    assert before.currents["+12 V"] - after.currents["+12 V"] == pytest.approx(9.8 * (1 / 4.7e3 - 1 / 10e3), rel=0.1)
    told = [what for what, _, _ in in_words(before, after)]
    assert "gain at 1 kHz" not in told
    assert "TP6 at rest" in told


@pytest.mark.parametrize("name", KITS)
def test_every_variant_solves_and_changes_nothing_but_what_it_names(name):
    kit = read_kit(SHIPPED / name)
    for variant in kit.info.variant:
        after = varied(kit, changes_in(kit, [variant.id]))
        named = {c.part for c in variant.change}
        assert {ref for ref in kit.parts if kit.parts[ref] != after.parts[ref]} == named & set(kit.parts)
        assert not any(operating_point(circuit).failed for circuit in after.setups.values())
        assert [c.was for c in after.changes] != [c.to for c in after.changes]
        assert kit.unit is not after.unit


def test_a_varied_circuit_is_the_netlist_edited_by_hand():
    kit = read_kit(SHIPPED / "millrace")
    text = (kit.folder / "circuit.cir").read_text()
    edited = re.sub(r"(?m)^(xu3a? .*) ne5532$", r"\1 tl072", re.sub(r"(?m)^(xu3b .*) ne5532$", r"\1 tl072", text))
    edited = re.sub(r"(?m)^(r9 \S+ \S+) \S+", r"\1 12345", edited)
    assert edited != text
    bench = (kit.folder / "signal.cir").read_text()
    want = operating_point(Circuit.from_text(bench.replace(".include circuit.cir", edited.removesuffix(".end\n")), kit.folder))
    got = operating_point(varied(kit, changes_in(kit, ["u3=TL072", "r9=12345"])).setup("signal"))
    assert got.x == pytest.approx(want.x, rel=1e-9, abs=1e-12)


def test_a_rating_is_changed_with_its_value():
    kit = varied(read_kit(SHIPPED / "landing"), changes_in(read_kit(SHIPPED / "landing"), ["eighteen", "c1=100u 35 V"]))
    assert (kit.part("C1").text, kit.part("C1").rating) == ("100u", "35 V")
    assert "C1" not in dict(overstressed(kit))
    assert overstressed(varied(kit, changes_in(kit, ["c1=100u 10V"])))


@pytest.mark.long
def test_the_ripple_of_a_rectified_supply_against_an_independent_simulator(tmp_path):
    """Kilnlight's first filter capacitors, behind a full wave of 50 Hz: the same netlist with the wave as its source."""
    kit = read_kit(SHIPPED / "kilnlight")
    text = kit_text("kilnlight", "rest")
    peak = kit.info.supply[0].volts * (1 + kit.info.supply[0].tolerance)
    text = text.replace("vht raw ht2 dc 270.6", f"braw raw ht2 v={peak}*cos(2*pi*50*time)")
    control = (
        "tran 100u 1.2 1.1 100u\nmeas tran ic1 rms @c1[i] from=1.1 to=1.2\nmeas tran ic2 rms @c2[i] from=1.1 to=1.2"
    )
    deck = ngspice.deck(ngspice.with_library(text), control).replace(
        ".options", ".save @c1[i] @c2[i]\n.options method=gear"
    )
    printed = ngspice.run(re.sub(r" reltol=\S+ abstol=\S+ vntol=\S+ gmin=\S+", "", deck), tmp_path)
    want = {name: float(re.search(rf"i{name}\s*=\s*(\S+)", printed)[1]) for name in ("c1", "c2")}
    found = ripple(kit)
    assert found["c1"] == pytest.approx(want["c1"], rel=0.03)
    assert found["c2"] == pytest.approx(want["c2"], rel=0.04)
    assert stresses(kit)["C1"].amps == found["c1"]
    assert overstressed(varied(kit, changes_in(kit, ["c1=47u 450V 100mA"])))
    assert ripple(read_kit(SHIPPED / "gorsefire")) == {}


# -- a build of it --------------------------------------------------------------------------------------------------


def test_a_build_follows_what_was_changed_and_undo_takes_it_back(bench):
    session = bench(kind="typed")
    said = line(session, "variant twelve").words
    assert said.startswith("9 V supply 9\u202fV → 12 V")
    assert session.kit.info.supply[0].volts == 12.0
    line(session, "mod r3 22k because it should bite")
    assert "R3: 39k → 22k, it should bite" in line(session, "mod").words
    assert session.kit.part("R3").value == 22e3
    again = reopened(session)
    assert again.kit.changes == session.kit.changes
    assert "R3 is as printed again" in line(session, "mod r3 printed").words
    assert session.kit.part("R3").value == 39e3
    line(session, "undo")
    assert session.kit.part("R3").value == 22e3
    for _ in range(2):
        line(session, "undo")
    assert session.kit.changes == ()
    assert session.kit.info.supply[0].volts == 9.0


@pytest.mark.parametrize(
    ("text", "says"),
    [("variant fish", "no variant 'fish'"), ("mod r3 fish", "no value"), ("mod fish 3", "not a part or supply"), ("mod q1 fish", "fish"),
     ("school fish", "no school"), ("variant", "Which variant")],
)  # fmt: skip
def test_a_change_that_cannot_be_made_leaves_the_build_alone(bench, text, says):
    session = bench(kind="typed")
    before = session.build.events
    with pytest.raises(NuvloError, match=says):
        line(session, text)
    assert session.build.events == before


def test_a_substitute_is_judged_at_the_supply_that_was_chosen(bench):
    session = bench(kind="typed")
    (session.places.folder / "drawer.csv").write_text(
        "kind,value,count,tolerance,rating\nelectrolytic,100u,2,20%,10 V\n"
    )
    assert "but" not in line(session, "instead c4").words
    line(session, "variant twelve")
    assert "may bear 10" in line(session, "instead c4").words


def test_the_bench_and_the_windows_follow_a_change(bench):
    session = bench()
    line(session, "stage wake")
    session.settle()
    before = session.solved(session.stage).windows[volts_at("TP1")]
    line(session, "variant twelve")
    assert session.wants_solving(session.stage)
    session.settle()
    after = session.solved(session.stage).windows[volts_at("TP1")]
    assert after.nominal > before.nominal + 2
    assert session.bench.take(volts_at("TP1")).value == pytest.approx(after.nominal, abs=1.0)


# -- both sides -----------------------------------------------------------------------------------------------------


def test_both_sides_are_there_with_what_they_differ_by():
    found = both_sides(read_kit(SHIPPED / "kilnlight"), {"order": "sections"})
    assert [s.question for s in found] == list(QUESTIONS)
    assert all(len(s.question.sides) >= 2 and s.difference for s in found)
    assert next(s.taken for s in found if s.question.id == "order") == "sections"
    told = {s.question.id: s.difference for s in found}
    assert "26 readings or 11" in told["measure"]
    assert "cool: 80\u202fmA becomes 71\u202fmA" in told["rails"]


@pytest.mark.long
def test_sides_of_a_bare_list_and_of_a_circuit_without_ports():
    told = {s.question.id: s.difference for s in both_sides(read_kit(SHIPPED / "tidewheel"), {})}
    assert told["rails"]


def test_what_a_side_changes(bench):
    session = bench(kind="typed")
    every = [t.title for t in unpack.tasks(session.kit, session.build) if t.title.startswith("Measure")]
    line(session, "school spot")
    spot = [t.title for t in unpack.tasks(session.kit, session.build) if t.title.startswith("Measure")]
    assert set(spot) <= set(every)
    line(session, "school straight")
    assert "Straight on" in " ".join(t.detail for t in wake.tasks(session.kit, session.build))
    line(session, "school tin")
    assert "fuse" in hook_up.tasks(session.kit, session.build)[0].detail
    line(session, "school sections")
    line(session, "school batches")
    assert session.build.school == "sections+batches"


def test_spot_checks_measure_one_of_a_strip():
    kit = read_kit(SHIPPED / "kilnlight")
    from nuvlo.logbook import Build

    asked = [t for t in unpack.tasks(kit, Build("x", stances={"measure": "spot"})) if t.title.startswith("Measure R")]
    assert len(asked) == 11


def test_stored_charge_is_not_offered_where_it_kills():
    kit = read_kit(SHIPPED / "kilnlight")
    from nuvlo.logbook import Build

    words = " ".join(t.detail for t in wake.tasks(kit, Build("x", stances={"power": "charge"})))
    assert "series lamp" in words
    assert "Charge the adapter" not in words


# -- long work ------------------------------------------------------------------------------------------------------


def test_long_work_says_how_far_it_is_and_stops_when_asked():
    kit = read_kit(SHIPPED / "gorsefire")
    said: list[str] = []
    with under(Progress(said.append)):
        propose(kit, choice_of(kit, "lamp"))
    assert any("sets of values" in s for s in said)
    progress = Progress(lambda words: progress.stop())  # at the first word of it
    with pytest.raises(Stopped), under(progress):
        ripple(read_kit(SHIPPED / "kilnlight"))


@pytest.mark.long
def test_the_settled_wave_leaves_what_its_direct_voltage_leaves(tmp_path):
    """Kilnlight behind a full wave of 50 Hz, in the independent simulator: the mean at its points, and some 11 V of ripple."""
    kit = read_kit(SHIPPED / "kilnlight")
    (supply,) = kit.info.supply
    wave = kit_text("kilnlight", "rest").replace("vht raw ht2 dc 270.6", f"braw raw ht2 v={supply.volts}*cos(2*pi*50*time)")
    names = ("hv", "hs", "hp", "k101")
    asked = "\n".join(f"meas tran m_{n} avg v({n}) from=1.9 to=2" for n in names)
    control = f"tran 100u 2 1.9 100u\n{asked}\nmeas tran swing pp v(hv) from=1.9 to=2"
    said = ngspice.run(ngspice.deck(ngspice.with_library(wave), control), tmp_path)
    figure = {name: float(value) for name, value in re.findall(r"^(\w+)\s*=\s*([-+.\de]+)", said, re.MULTILINE)}
    point = operating_point(kit.setup())
    for n in names:
        assert point.voltage(n)[0] == pytest.approx(figure[f"m_{n}"], rel=0.01), n
    assert figure["swing"] == pytest.approx(11.4, rel=0.1)


def test_values_that_are_at_hand_go_before_those_to_be_bought():
    from nuvlo.files.drawer import Spare

    kit = read_kit(SHIPPED / "gorsefire")
    found = propose(kit, choice_of(kit, "lamp"), most=20)
    bought = next(p for p in found if p.new)
    (element,) = bought.values
    spare = Spare("resistor", bought.values[element], "Ω", (-0.01, 0.01), "", 1)
    again = propose(kit, choice_of(kit, "lamp"), most=20, drawer=[spare])
    assert next(p for p in again if p.values == bought.values).new == 0


@pytest.mark.parametrize(("supply", "reach"), [("9.0", True), ("12", True), ("15", True), ("24", False)])
def test_a_changed_kit_is_trimmed_before_it_is_compared(supply, reach):
    """Gorsefire's second collector is half of TP1 once it is set; at 24 V the trimmer's 10 kΩ may no longer do."""
    kit = read_kit(SHIPPED / "gorsefire")
    after = figures(varied(kit, changes_in(kit, [f"supply={supply}"])), clipping=False) if supply != "9.0" else figures(kit, clipping=False)
    share, there = after.trimmed["RV1"]
    if there:
        assert after.points["TP5"] / after.points["TP1"] == pytest.approx(0.5, abs=0.005)
    assert 0.0 <= share <= 1.0
    assert there or not reach
    said = str(in_words(after, after))
    assert "RV1 set to" in said
    assert there or "does not get there" in said
