"""The order of work."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.craft.order import HEAT_SHY_MM, board_order, events, moved, plan_of
from nuvlo.craft.plan import has_value
from nuvlo.craft.precedence import RULES, broken, precedences
from nuvlo.craft.schools import school_named, schools
from nuvlo.craft.tray import in_tray_order
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.manual import faults
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED
from tests.files.large_kit import write_large_kit


def test_lowest_profile_first_and_heat_hardy_before_heat_shy(gorsefire):
    fitted = [ref for s in board_order(gorsefire) if s.verb == "fit" for ref in s.parts]
    assert sorted(fitted) == sorted(p.ref for p in gorsefire.parts.values() if p.on_board)
    parts = [gorsefire.parts[r] for r in fitted]
    for before, after in itertools.pairwise(parts):
        if before.kind == after.kind:
            continue
        lift = HEAT_SHY_MM if after.heat_sensitive else 0.0
        assert before.height_mm <= after.height_mm + lift
    kinds = list(dict.fromkeys(p.kind for p in parts))
    assert kinds.index("resistor") < kinds.index("capacitor") < kinds.index("transistor") < kinds.index("electrolytic")


def test_every_solder_step_has_its_gates_before_it(gorsefire):
    steps = board_order(gorsefire)
    for k, step in enumerate(steps):
        if step.verb != "solder":
            continue
        gates = {s.gate for s in steps[:k] if set(step.parts) & set(s.parts)}
        polarised = any(gorsefire.parts[r].polarised for r in step.parts)
        assert "values" in gates
        assert ("polarity" in gates) == polarised
    assert [s.gate for s in steps if s.gate][-3:] == ["joints", "wash", "recheck"]


def test_steps_are_numbered_and_come_after_earlier_ones(gorsefire):
    steps = board_order(gorsefire)
    assert [s.n for s in steps] == list(range(1, len(steps) + 1))
    assert all(a < s.n for s in steps for a in s.after)
    assert all(s.reason and s.minutes > 0 for s in steps)


def test_the_tray_is_sorted_by_rising_value(gorsefire):
    resistors = [p.value for p in in_tray_order(gorsefire) if p.kind == "resistor"]
    assert resistors == sorted(resistors)


def test_a_kit_without_heights_still_has_an_order(tmp_path):
    from nuvlo.files.kit_folder import read_kit

    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\nC1,electrolytic,10u\n")
    steps = board_order(read_kit(tmp_path))
    assert {r for s in steps for r in s.parts} == {"R1", "C1"}
    assert sum(s.minutes for s in steps) > 0
    assert [s.parts for s in steps if s.verb == "fit"] == [("R1",), ("C1",)]
    assert steps[3].reason == "It usually stands 12 mm, the resistors before it 2.5 mm."


@pytest.mark.parametrize(
    ("order", "refs"),
    [("value", "R3 R1 R4 R2"), ("strip", "R1 R4 R2 R3"), ("section", "R1 R2 R3 R4"), ("list", "R1 R4 R2 R3")],
)
def test_the_tray_lies_as_the_hand_wants_it(order, refs, tmp_path):
    (tmp_path / "bom.csv").write_text(
        "ref,kind,value,section\nR1,resistor,10k,output\nR4,resistor,10k,input\nR2,resistor,10k,output\nR3,resistor,47,input\n"
    )
    assert [p.ref for p in in_tray_order(read_kit(tmp_path), order)] == refs.split()


KITS = sorted(p.name for p in SHIPPED.iterdir())


@pytest.mark.parametrize("school", [s.name for s in schools()])
@pytest.mark.parametrize("kit", KITS)
def test_in_every_school_each_part_is_fitted_once_and_guarded(kit, school):
    opened = read_kit(SHIPPED / kit)
    steps = board_order(opened, school)
    fitted = [ref for s in steps if s.verb == "fit" for ref in s.parts]
    in_sockets = [ref for s in steps if s.verb == "plug" for ref in s.parts]
    assert sorted([*fitted, *(r for r in in_sockets if opened.parts[r].on_board)]) == sorted(
        p.ref for p in opened.parts.values() if p.on_board
    )
    inserted: set[str] = set()
    seen: dict[str, set[str]] = {"values": set(), "polarity": set()}
    for step in steps:
        if step.verb == "fit":
            inserted |= set(step.parts)
        elif step.gate in seen:
            assert set(step.parts) <= inserted
            seen[step.gate] |= set(step.parts)
        elif step.verb == "solder":
            valued = {r for r in step.parts if has_value(opened.parts[r])}
            assert valued <= seen["values"], "values are looked at before they are made fast"
            assert {r for r in step.parts if opened.parts[r].polarised} <= seen["polarity"]
    soldered = [ref for s in steps if s.verb == "solder" for ref in s.parts]
    assert sorted(soldered) == sorted(fitted)
    assert all(a < s.n for s in steps for a in s.after)
    assert all(s.reason for s in steps)


def fits(kit, school):
    return [s for s in board_order(read_kit(SHIPPED / kit), school) if s.verb == "fit"]


def test_sections_are_finished_and_tested_one_by_one():
    opened = read_kit(SHIPPED / "millrace")
    steps = board_order(opened, "sections")
    tests = [s for s in steps if s.gate == "section"]
    assert [s.action.partition(":")[0] for s in tests] == [
        "Section Regulators", "Section Phantom", "Section The pair", "Section Lamp",
    ]  # fmt: skip
    for step in tests:
        before = {r for s in steps[: step.n] if s.verb == "solder" for r in s.parts}
        section = opened.part(step.parts[0]).section
        assert {
            p.ref for p in opened.parts.values() if p.section == section and p.on_board and p.kind != "chip"
        } <= before
    assert not any("Gain" in s.action for s in tests)  # its resistors hang on the switch, which comes later


@pytest.mark.parametrize(
    ("kit", "tested"),
    [
        ("reedling", ["Followers on the phantom feed", "Supply", "Capsule and FET"]),  # each fed by the one before it
        ("tidewheel", ["Supply"]),  # all else hangs on chips that are not in yet
        ("lampwick", ["Right", "Lamp"]),  # the split and the left need what is in their sockets
        ("gorsefire", ["Supply", "First stage", "Second stage"]),  # a series resistor at the input reads nothing
        ("barrowmoor", ["Woofer", "Midrange", "Tweeter"]),  # nothing is powered: they are rung through
    ],
)
def test_a_section_is_tested_where_a_supply_reaches_a_point_of_its_own(kit, tested):
    steps = board_order(read_kit(SHIPPED / kit), "sections+groups")
    assert [s.action.partition(":")[0].removeprefix("Section ") for s in steps if s.verb == "test"] == tested


def test_heater_wires_lie_under_what_hangs_on_the_tags():
    steps = board_order(read_kit(SHIPPED / "kilnlight"))
    (heaters,) = (s.n for s in steps if s.verb == "heaters")
    hung = [s for s in steps if s.verb == "fit" and "tags" in s.action]
    assert heaters < hung[0].n
    assert {s.parts[-1] for s in hung} == {"C205", "R109", "R209"}, "one socket after the other, what decides a variant last"


def test_a_tab_on_the_case_comes_off_for_the_wash_and_goes_on_for_good_after_it():
    order = [(s.verb, ref) for s in board_order(read_kit(SHIPPED / "millrace")) for ref in s.parts]
    at = [order.index((verb, "U1")) for verb in ("fit", "screw", "solder", "joints", "wash", "bolt")]
    assert at == sorted(at)


def test_chips_with_sockets_are_plugged_in_last_and_never_soldered():
    steps = board_order(read_kit(SHIPPED / "millrace"))
    wash = next(s.n for s in steps if s.gate == "wash")
    (plug,) = (s for s in steps if "U3" in s.parts)
    assert plug.action == "Plug in what goes into sockets"
    assert wash < next(s.n for s in steps if s.verb == "power") < plug.n
    assert plug.parts == ("U3", "U4")


def test_semiconductors_first_and_batches_of_a_dozen():
    assert fits("lampwick", "semiconductors")[0].action == "Fit the sockets"
    assert all(len(s.parts) <= 12 for s in fits("millrace", "batches"))
    together = board_order(read_kit(SHIPPED / "gorsefire"), "together")
    assert sum(s.verb == "solder" for s in together) == 1


@pytest.mark.parametrize(("text", "name"), [("sections", "sections+groups"), ("batches", "lowest+batches"), ("together+semiconductors", "semiconductors+together")])  # fmt: skip
def test_schools_are_named_by_either_half(text, name):
    assert school_named(text) == name
    with pytest.raises(NuvloError, match="no school 'fish'"):
        school_named(f"{text}+fish")


# -- rules and their reasons -----------------------------------------------------------------------------------------

HEADING = "ref,kind,value,package,height_mm,heat,static,polarised,place,section\n"
# What each rule holds back, in a kit made for it: without the rule the order does what it should not.
EVERYTHING = (
    "R1,resistor,1k,axial-10,2.4,,,,,In\nR2,resistor,2k,axial-10,2.4,,,,,Out\nR3,resistor,1k,0805,0.6,,,,,In\nR4,resistor,9k,axial-10,2.4,,,,,In\n"
    "Q1,transistor,BC549C,to92,5.2,yes,,yes,,In\nQ2,transistor,2N5457,to92,2,yes,yes,yes,,In\nC1,electrolytic,10u,radial-5,11,,,yes,,Out\n"
    "C2,capacitor,100n,film-5,2,,,,,In\nU1,regulator,adjustable,to220,16,yes,,yes,,Out\nL1,inductor,1m,coil,30,,,,,Out\n"
    "SKT1,socket,DIP-8,dip-8,4,,,yes,,Out\nU2,chip,TL072,dip-8,8,yes,yes,yes,,Out\nPOT,potentiometer,10k,pot16,9,,,,both,Out\n"
    "SW1,switch,2 ways,,5,,,,,Out\nR5,resistor,5k,axial-10,2.4,,,,,In\nJ1,jack,6.35 mm,,,,,,panel,\nCASE,case,steel,,,,,,panel,\n"
    "SKT9,socket,9 pins,,,,,,panel,\nR6,resistor,1k,axial-10,2.4,,,,,Late\nKNOB1,knob,black,,,,,,panel,\nBAT,battery,9 V,,,,,,panel,\n"
    "CAP,capsule,34 mm,,,,,,panel,\nRV1,trimmer,10k,trim,6,,,,,In\nWIRE,wire,1 m,,,,,,panel,\n"
)
RELATIONS = """
[work]
snap = true
bake = true
[[relation]]
part = "R1"
how = "touches"
to = "Q1"
[[relation]]
part = "U1"
how = "sink"
to = "the case"
[[relation]]
part = "L1"
how = "insulate"
to = "tape"
[[relation]]
part = "C1"
how = "below"
to = "R2"
[[relation]]
part = "R6"
how = "tags"
to = "SKT9"
[[relation]]
part = "C2"
how = "bars"
to = "C1"
[[variant]]
id = "other"
title = "Other"
change = [{ part = "R4", to = "8k2" }]
"""


@pytest.fixture(scope="module")
def everything(tmp_path_factory):
    folder = tmp_path_factory.mktemp("everything")
    (folder / "bom.csv").write_text(HEADING + EVERYTHING)
    (folder / "kit.toml").write_text(
        '[kit]\nname = "Everything"\n' + RELATIONS + '[[supply]]\nname = "s"\nelement = "v"\nnode = "n"\nvolts = 9\n'
    )
    (folder / "placement.csv").write_text("Designator,Package,Mid X,Mid Y,Rotation,Layer\nR1,axial-10,10,10,0,top\n")
    (folder / "pads.csv").write_text("ref,pin,x_mm,y_mm,pad_mm,net\nR1,1,8,10,1.8,a\nW1,1,2,2,2.2,a\n")
    return read_kit(folder)


SCHOOLS = {"section": "sections", "leads": "direct"}  # rules that only show in a school of their own


@pytest.mark.parametrize("rule", RULES)
def test_each_rule_switched_off_alone_makes_an_order_wrong(rule, everything):
    school = SCHOOLS.get(rule, "lowest")
    if rule == "heaters":  # wires that are in no circuit need one
        everything = read_kit(SHIPPED / "kilnlight")
    if rule == "wash":  # what is dried was washed: only where nothing is dried the wash stands alone
        work = everything.info.work.model_copy(update={"bake": False})
        everything = replace(everything, info=everything.info.model_copy(update={"work": work}))
    wanted = precedences(plan_of(everything, school))
    for without, sound in (((), True), ((rule,), False)):
        plan = plan_of(everything, school, without)
        wrong = broken(events(plan, precedences(plan, without)), wanted)
        assert (not wrong) == sound
        assert sound or any(w.rule == rule for w in wrong), [w.rule for w in wrong]


def test_every_rule_gives_its_reason_where_it_shows(everything):
    steps = {s.verb: s for s in reversed(board_order(everything))}
    assert "would bar the way to C1" in " ".join(next(s for s in board_order(everything) if s.parts == ("C2",)).because)
    assert "R1 must touch Q1" in steps["contact"].reason
    assert steps["snap"].n == 1
    assert "oven" in steps["bake"].reason
    assert [s.verb for s in board_order(everything)][-8:] == [
        "power", "plug", "set", "delicate", "battery", "recheck", "close", "knob",
    ]  # fmt: skip
    assert all(s.reason for s in board_order(everything))


def test_posts_go_in_before_what_towers_over_them_and_wires_after_all_else():
    """The two sides of 'wires to the board' (TRADE's fifth disagreement)."""
    kit = read_kit(SHIPPED / "gorsefire")
    assert kit.wire_ends == tuple(f"W{k}" for k in range(1, 10))
    for school, verb in (("posts", "posts"), ("direct", "leads")):
        order = [(s.verb, ref) for s in board_order(kit, school) for ref in s.parts]
        first, last = order.index((verb, "W1")), order.index(("wash", "R1"))
        electrolytic = order.index(("fit", "C4"))
        soldered = max(k for k, (done, _) in enumerate(order) if done == "solder")
        assert first < electrolytic if verb == "posts" else soldered < first < last
    assert not any(s.verb in ("posts", "leads") for s in board_order(read_kit(SHIPPED / "oxbow")))


def test_a_look_at_joints_has_its_reason_where_nothing_follows_it(tmp_path):
    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\n")
    (tmp_path / "kit.toml").write_text('[kit]\nname = "k"\n[work]\nwash = false\n')
    last = board_order(read_kit(tmp_path))[-1]
    assert last.verb == "joints"
    assert "a minute's work" in last.reason


def test_bare_wood_is_not_washed():
    verbs = [s.verb for s in board_order(read_kit(SHIPPED / "barrowmoor"))]
    assert "wash" not in verbs
    assert verbs[-6:] == ["joints", "mount", "tighten", "wire", "recheck", "close"]


KINDS = st.sampled_from(
    [
        "resistor",
        "capacitor",
        "electrolytic",
        "diode",
        "transistor",
        "socket",
        "chip",
        "regulator",
        "potentiometer",
        "jack",
    ]
)
PARTS = st.lists(
    st.tuples(KINDS, st.sampled_from(["0805", "axial-10", "to92"]), st.integers(0, 30), st.booleans(), st.booleans(), st.booleans(),
              st.sampled_from(["board", "panel", "both"]), st.sampled_from(["", "In", "Out"])),
    min_size=1, max_size=14,
)  # fmt: skip
LINKS = st.lists(
    st.tuples(
        st.integers(0, 13), st.sampled_from(["touches", "sink", "insulate", "below", "bars"]), st.integers(0, 13)
    ),
    max_size=5,
)


WORK = st.fixed_dictionaries({name: st.booleans() for name in ("snap", "bake", "wash")})


@given(PARTS, LINKS, WORK, st.sampled_from([s.name for s in schools()]), st.booleans(), st.booleans())
def test_no_order_ever_breaks_a_precedence(tmp_path_factory, parts, links, work, school, soldered, direct):
    """Random kits with random relations: every event once, and none before what it must wait for."""
    rows = [
        f"P{k},{kind},{'1k' if kind in ('resistor', 'potentiometer') else '1n'},{package},{height},{yes(heat)},{yes(static)},{yes(way)},{place},{section}"
        for k, (kind, package, height, heat, static, way, place, section) in enumerate(parts)
    ]
    tables = [
        f'[[relation]]\npart = "P{a}"\nhow = "{how}"\nto = "P{b}"' for a, how, b in links if a > b and a < len(parts)
    ]
    folder = tmp_path_factory.mktemp("kit")
    (folder / "bom.csv").write_text(HEADING + "\n".join(rows))
    (folder / "kit.toml").write_text(
        '[kit]\nname = "k"\n[work]\n'
        + "".join(f"{k} = {str(v).lower()}\n" for k, v in work.items())
        + "\n".join(tables)
    )
    (folder / "placement.csv").write_text("Designator,Package,Mid X,Mid Y,Rotation,Layer\nP0,axial-10,10,10,0,top\n")
    (folder / "pads.csv").write_text("ref,pin,x_mm,y_mm,pad_mm,net\nP0,1,8,10,1.8,a\nW1,1,2,2,2.2,a\n")
    name = school + ("+soldered" if soldered else "") + ("+direct" if direct else "")
    try:
        kit = read_kit(folder)
        plan = plan_of(kit, name)
    except (ValueError, NuvloError):
        assert any(
            how == "below" for _, how, _ in links
        )  # the only relation that points the other way can close a circle
        return
    wanted = precedences(plan)
    order = events(plan, wanted)
    assert len(order) == len(set(order))
    assert {e for p in wanted for e in (p.before, p.after)} <= set(order)
    assert broken(order, wanted) == []
    steps = board_order(kit, name)
    told = [(s.verb, ref) for s in steps for ref in s.parts if s.verb in ("fit", "solder")]
    assert told == [e for e in order if e[0] in ("fit", "solder")]
    assert all(a < s.n for s in steps for a in s.after)


def yes(flag):
    return "yes" if flag else ""


def test_relations_that_go_in_a_circle_are_said(tmp_path):
    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\nR2,resistor,2k\n")
    relation = '[[relation]]\npart = "{}"\nhow = "touches"\nto = "{}"\n'
    (tmp_path / "kit.toml").write_text(
        '[kit]\nname = "k"\n' + relation.format("R1", "R2") + relation.format("R2", "R1")
    )
    with pytest.raises(NuvloError, match="come before the other"):
        read_kit(tmp_path)


def test_a_tall_part_goes_in_after_its_neighbours_by_the_board(tmp_path):
    """Neighbours by placement.csv, without a word in kit.toml."""
    (tmp_path / "bom.csv").write_text(
        "ref,kind,value,height_mm,heat\nC1,electrolytic,1m,25,\nU1,regulator,x,24,yes\nQ1,transistor,x,12,yes\n"
    )
    (tmp_path / "placement.csv").write_text(
        "Designator,Package,Mid X,Mid Y,Rotation,Layer\nC1,radial-5,10,10,0,top\nQ1,to92,16,10,0,top\nU1,to220,60,10,0,top\n"
    )
    (tmp_path / "pads.csv").write_text(
        "ref,pin,x_mm,y_mm,pad_mm,net\nC1,1,8,10,1.8,a\nQ1,1,16,10,1.8,a\nU1,1,60,10,1.8,a\n"
    )
    kit = read_kit(tmp_path)
    refs = [r for s in board_order(kit, "lowest+batches") if s.verb == "fit" for r in s.parts]
    assert refs.index("Q1") < refs.index("C1")
    assert any("C1 stands 25 mm and would bar the way to Q1" in w for s in board_order(kit) for w in s.because)


# -- a manual's own order --------------------------------------------------------------------------------------------

MANUAL = """# a manual of the hasty sort
1. fit SKT1, SKT2
solder all
fit D1-D5
fit R1-R3, R5-R7, Q1-Q6
check values R1-R3 R5-R7
solder rest
wash
power
"""


def test_what_a_manual_endangers():
    found = faults(read_kit(SHIPPED / "lampwick"), MANUAL)
    said = [(f.line, f.rule) for f in found]
    assert (3, "polarity") in said
    assert (4, "contact") in said
    assert (7, "values") in said
    assert (8, "joints") in said
    assert (0, "complete") in said
    assert "D2 fitted before Q3 fitted" in [f.words for f in found]
    assert all(f.reason for f in found)


@pytest.mark.parametrize("kit", KITS)
def test_our_own_orders_find_no_fault_as_a_manual(kit):
    opened = read_kit(SHIPPED / kit)
    for school in ("lowest", "sections+batches", "together+direct"):
        lines = []
        for step in board_order(opened, school):
            named = opened.parts[step.parts[0]].section if step.verb == "test" else " ".join(step.parts)
            lines.append(step.verb if step.verb in ("joints", "wash", "bake", "panel", "wire", "tighten", "set", "look") else f"{step.verb} {named}")
        assert faults(opened, "\n".join(lines)) == []


@pytest.mark.parametrize(
    ("text", "says"),
    [("fry R1", "'fry' is not a step"), ("fit R99", "no part 'R99'"), ("test Moon", "no section 'Moon'")],
)
def test_a_line_that_cannot_be_read_is_placed(text, says):
    with pytest.raises(NuvloError, match=says) as caught:
        faults(read_kit(SHIPPED / "lampwick"), f"wash\n{text}\n")
    assert [p.line for p in caught.value.problems] == [2]


def test_a_manual_that_speaks_of_wires_is_held_to_them():
    kit = read_kit(SHIPPED / "lampwick")
    assert "leads" in [f.rule for f in faults(kit, "fit R1\nwires\nsolder R1")]
    assert {f.rule for f in faults(kit, "fit R1\njoints")}.isdisjoint({"posts", "leads"})


def test_what_another_school_moves():
    kit = read_kit(SHIPPED / "lampwick")
    moves = moved(board_order(kit), board_order(kit, "semiconductors"), kit)
    assert "transistors from place 6 to 3" in moves
    assert moved(board_order(kit), board_order(kit), kit) == []


@pytest.mark.parametrize(("school", "waits"), [("lowest+groups", True), ("sections+groups", False)])
def test_static_waits_for_its_own_section_only_where_sections_are_tested(tmp_path, school, waits):
    """A chip that static kills goes in after everything else; section by section, after what its own section holds."""
    (tmp_path / "bom.csv").write_text(
        HEADING
        + "Q1,transistor,2N5457,to92,5,no,yes,yes,board,first\nR1,resistor,1k,axial,2.5,no,no,no,board,first\n"
        + "R2,resistor,2k,axial,9,no,no,no,board,second\n"
    )
    fitted = [ref for s in board_order(read_kit(tmp_path), school) if s.verb == "fit" for ref in s.parts]
    assert fitted.index("Q1") > fitted.index("R1")
    assert (fitted.index("Q1") > fitted.index("R2")) == waits


def test_a_large_kit_is_put_in_order_with_few_words(tmp_path):
    """So many precedences to a part, however many parts there are: each look and each joint named with each was millions."""
    kit = read_kit(write_large_kit(tmp_path / "large", 1200))
    assert len(precedences(plan_of(kit))) < 8 * 1200
    steps = board_order(kit)
    verbs = [s.verb for s in steps]
    assert verbs[0] == "fit"
    assert {"values", "solder", "joints"} <= set(verbs)
    assert sum(len(s.parts) for s in steps if s.verb == "fit") == 1200
