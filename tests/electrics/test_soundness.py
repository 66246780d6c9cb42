"""A kit that could not be built as it is written: each fault planted in a copy of a shipped kit is found, and no other."""

import re
import shutil
from pathlib import Path

import pytest

from nuvlo.circuit.netlist import LIBRARY
from nuvlo.circuit.shipped import node_order
from nuvlo.cli.main import main
from nuvlo.electrics.soundness import unsound
from nuvlo.electrics.stress import overstressed
from nuvlo.files.kit_folder import check_kit, read_kit
from nuvlo.kit.variant import changes_in, varied
from nuvlo.problems import errors
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but

KITS = sorted(p.name for p in SHIPPED.iterdir())


@pytest.mark.parametrize("name", KITS)
def test_nothing_is_wrong_with_the_kits_as_shipped(name):
    kit = read_kit(SHIPPED / name)
    found = [*check_kit(SHIPPED / name)[1], *unsound(kit)]
    assert [str(p) for p in found if not p.message.startswith("nothing says how")] == []
    untold = {p.ref for p in kit.parts.values() if p.kind == "trimmer"} - {t.trimmer for t in kit.info.trim}
    assert {p.ref for p in found} == untold, "and of each trimmer that no procedure sets"


@pytest.mark.parametrize(("name", "changes", "message"), [
    ("millrace", [("kit.toml", r"The tab of U1 is its output", "The tab of U1 is its adjusting leg")], "the tab of a LM317 is its output, not its adjusting"),
    ("millrace", [("kit.toml", r"The tab of U2 is its input", "The tab of U2 is ground")], "the tab of a LM337 is its input, not its ground"),
    ("millrace", [("kit.toml", r'(?s)\[\[relation\]\]\npart = "U1"\nhow = "insulate".*?\n\n', "")], "its tab is its output, and stands on the side of the case"),
    ("millrace", [("kit.toml", r'(?s)\[\[relation\]\]\npart = "U2"\nhow = "insulate".*?\n\n', "")], "its tab is its input, and stands on the side of the case"),
    ("sluice", [("bom.csv", r"(C1,.*)100 V", r"\g<1>50 V")], "it bears 52 V in 'signal'"), ("sluice", [("bom.csv", r"(C2,.*)100 V", r"\g<1>35 V")], "is rated 35"),
    ("reedling", [("wiring.csv", r"4,CAP.1.*\n5,CAP.2.*\n", "")], "'CAP' is off the board, and no wire goes to it"),
    ("lampwick", [("wiring.csv", r".*D6.*\n", "")], "'D6' is off the board"),
    ("reedling", [("wiring.csv", r"4,CAP.1.*\n5,CAP.2.*\n", "")], "'W4' is a pad for a wire"), ("gorsefire", [("wiring.csv", r".*,W3,.*\n", "")], "'W3' is a pad for a wire"),
    ("barrowmoor", [("kit.toml", r'after = \["wire"\]', 'after = ["mount"]')], "'Let the drivers run in' wants the unit to sound"),
    ("oxbow", [("kit.toml", r'after = \["wire"\]', "after = []")], "'Break-in: 50 W' wants the unit to sound"),
    ("kilnlight", [("kit.toml", r"(?s)\[\[heater\]\].*?\n\n", "")], "no [[heater]]"), ("kilnlight", [("wiring.csv", r"44,T3.9.*\n", "")], "the heaters H1 float"),
    ("kilnlight", [("wiring.csv", r"44,T3.9,W18,0", "44,T3.9,W18,heater")], "the heaters H1 float"),
    ("gorsefire", [("kit.toml", r"emitter of Q2", "emitter of Q2, 1.2 V")], "the text of TP4 states 1.2"), ("lampwick", [("kit.toml", r"long leg of the lamp", "long leg of the lamp, 3 V")], "states 3"),
    ("gorsefire", [("kit.toml", r"(?s)\[\[trim\]\].*?\n\n", "")], "nothing says how RV1 is set"),
    ("kilnlight", [("pads.csv", r"(R101,1,.*),wl", r"\1,inl")], "circuit.cir has it on 'wl', and none of its pads is"), ("gorsefire", [("pads.csv", r"(C4,1,.*),vcc", r"\1,vd")], "has it on 'vcc'"),
    ("landing", [("pads.csv", r"(R1,1,.*),\w+", r"\1,0")], "none of its pads is"), ("gorsefire", [("circuit.cir", r"r2 in 0", "r2 in vcc")], "circuit.cir has it on 'vcc'"),
    ("tollgate", [("pads.csv", r"(TP4,.*)", r"\1\nTP5,1,38.1,33.02,2,gin")], "its pad is on 'gin', and nothing else on the board is"), ("sluice", [("pads.csv", r"(TP4,.*)", r"\1\nTP5,1,40.64,33.02,2,case")], "would read as open"),
])  # fmt: skip
def test_what_a_kit_claims_is_held_against_what_it_is(tmp_path, name, changes, message):
    folder = tmp_path / name
    shutil.copytree(SHIPPED / name, folder)
    for file, was, to in changes:
        text = (folder / file).read_text()
        changed = re.sub(was, to, text)
        assert changed != text
        (folder / file).write_text(changed)
    assert any(message in p.message for p in unsound(read_kit(folder)))


def planted(folder, name, *changes):
    """A copy of a kit with lines changed: (file, pattern, what stands there then); an empty text takes the line out."""
    shutil.copytree(SHIPPED / name, folder)
    for file, was, to in changes:
        text = (folder / file).read_text()
        found = re.sub(rf"(?m)^{was}$\n?" if to == "" else rf"(?m){was}", to, text, count=1)
        assert found != text, (file, was)
        (folder / file).write_text(found)
    return folder


def pads_exchanged(ref, one, other, a, b):
    """The nets of two pads of a part exchanged."""
    return (("pads.csv", rf"^({ref},{a},.*),{one}$", rf"\1,{other}"), ("pads.csv", rf"^({ref},{b},.*),{other}$", rf"\1,{one}"))


PLANTED = [
    # Room, steps and controls.
    ("gorsefire", (("bom.csv", r"122 x 66 x 39 mm", "60 x 40 x 31 mm"),), "CASE: the board of 64 × 42 mm does not go into it"),
    ("gorsefire", (("bom.csv", r"122 x 66 x 39 mm", "112 x 60 x 20 mm"),), "CASE: C4 stands 12 mm, and above the board are 9 mm"),
    ("tidewheel", (("bom.csv", r"21 units wide", "8 units wide"),), "PANEL: the board of 100 × 90 mm does not go into it"),
    ("millrace", (("circuit.cir", r"0.5 \? 5m :", "0.5 ? 27.9 :"),), "a step of 27.9"),
    ("gorsefire", (("kit.toml", r'^ref = "FUZZ"', 'ref = "KNOB1"'),), "KNOB1: 'FUZZ' is a control, and circuit.cir has no element"),
    ("barrowmoor", (("kit.toml", r'^inside_l = 57.5', "inside_l = 48"),), "WOOFER: it works on 38.5 l, and the circuit reckons with 48 l"),
    ("barrowmoor", (("kit.toml", r'^port_mm = 216', "port_mm = 120"),), "WOOFER: its port resonates at 39.6 Hz"),
    ("oxbow", (("kit.toml", r'"D5", "D6"', '"D5"'),), "D6: the circuit reckons with air behind it"),
    ("gorsefire", (("kit.toml", r'(part = "J1"\nto = "CASE"\nhow = )"scraped"', r'\1"insulated"'),), "CASE: it is metal, and on no net"),
    ("landing", (("kit.toml", r'(part = "J4"\nto = "PLATE"\nhow = )"insulated"', r'\1"bare"'),), "a ring of ground is closed by"),
    # Legs and pins.
    ("gorsefire", pads_exchanged("Q1", "c1", "b1", 1, 2), "Q1: pin 1 is its collector, on 'c1', and its pad is on 'b1'"),
    ("gorsefire", (("bom.csv", r"^Q1,transistor,BC549C", "Q1,transistor,2N5088"),), "Q1: pin 1 is its emitter"),
    ("gorsefire", (("bom.csv", r"^Q2,transistor,BC549C", "Q2,transistor,2SC1815"),), "Q2: pin 1 is its emitter"),
    ("gorsefire", pads_exchanged("D1", "dcin", "vd", 1, 2), "D1: pin 1 is its anode"),
    ("tidewheel", (("bom.csv", r"^J1,transistor,2N5457", "J1,transistor,2N3819"),), "J1: pin 2 is its gate"),
    ("millrace", pads_exchanged("U1", "adjp", "vp", 1, 2), "U1: pin 1 is its adjust"),
    ("millrace", (("bom.csv", r"^U2,regulator,LM337", "U2,regulator,LM317"),), "U2: pin 2 is its output"),
    ("millrace", pads_exchanged("SKT3", "vn", "vp", 4, 8), "U3: pin 4 is its V−, on 'vn', and its pad is on 'vp'"),
    ("millrace", pads_exchanged("SKT3", "ref", "k1", 3, 2), "U3: pin 2 is its −in A"),
    ("lampwick", pads_exchanged("Q3", "el", "vcc", 1, 2), "Q3: pin 1 is its emitter"),
    # The wrong way round.
    ("gorsefire", pads_exchanged("C4", "vcc", "0", 1, 2), "C4: its plus, on '0', stands"),
    ("millrace", pads_exchanged("C2", "0", "rawn", 1, 2), "C2: its plus, on 'rawn', stands 26.4"),
    ("tidewheel", pads_exchanged("C2", "0", "vn", 1, 2), "C2: its plus, on 'vn', stands"),
    ("kilnlight", (("circuit.cir", "c103 k101 0 220u", "c103 0 k101 220u"),), "C103: its plus, on '0', stands"),
    # Too much.
    ("kilnlight", (("bom.csv", r"^(R109,resistor,)220R?(.*)$", r"\g<1>150R\2"), ("circuit.cir", "r109 k101 0 220", "r109 k101 0 150")), "V2: 12.8"),
    ("kilnlight", (("bom.csv", r"^(C1,[^,]*,[^,]*,[^,]*,)\d+ V", r"\g<1>250 V"),), "C1: "),
    ("reedling", (("bom.csv", r"^(C5,[^,]*,[^,]*,[^,]*,)\d+ V", r"\g<1>10 V"),), "C5: "),
    ("millrace", (("bom.csv", r"^(C7,[^,]*,[^,]*,[^,]*,)\d+ V", r"\g<1>25 V"),), "C7: "),
    ("millrace", (("bom.csv", r"^U3,chip,NE5532", "U3,chip,TLC272"), ("bom.csv", r"^U4,chip,NE5532", "U4,chip,TL072")), "U3: 34.1"),
    ("gorsefire", (("bom.csv", r"^(R1,resistor,)100R(,1%,)0.25 W", r"\g<1>100R\g<2>0.0001 W"),), "R1: "),
    # Nets.
    ("gorsefire", (("circuit.cir", r"^r5 e2 b1", "r5 e2 b9"), ("pads.csv", r"^(R5,\d,.*),b1$", r"\1,b9")), "the net 'b9' has one pin only, of r5"),
    ("gorsefire", (("pads.csv", r"^(C1,1,.*),in$", r"\1,nowhere"),), "C1: pad 1 of C1 is on 'nowhere'"),
    ("gorsefire", (("circuit.cir", r"^r6 vcc led_a", "r6 vcc led_b"), ("circuit.cir", r"^d2 led_a", "d2 led_b"), ("pads.csv", r"^(R6,2,.*),led_a$", r"\1,nc"), ("pads.csv", r"^W4,1.*", ""), ("wiring.csv", r"^5,.*", "")), "D2: it is off the board, and its net 'led_b' comes to no pad"),
    ("lampwick", (("circuit.cir", "xu1b div u1b vcc 0 u1b ne5532", ""), *((("pads.csv", rf"^(SKT1,{n},.*),\w+$", r"\1,nc")) for n in (5, 6, 7))), "U1: 1 of its 2 amplifiers"),
    # Places.
    ("lampwick", (("placement.csv", r"^D2,axial-7,[\d.]+,", "D2,axial-7,100.0,"),), "D2: it is to touch Q3, and lies 68 mm from it"),
    # The list.
    ("gorsefire", (("placement.csv", r"^R2,.*", "R2,axial-10,28,29.5,0,top"),), "R2: its body lies over that of R3"),
    ("lampwick", (("pads.csv", r"^W7,1.*", ""), ("wiring.csv", r"^8,.*", "")), "VOL: it is off the board, and its net 'wl' comes to no pad"),
    ("millrace", (("pads.csv", r"^W6,1.*", ""), ("wiring.csv", r"^7,.*", "")), "'in' is a port, and its net 'mic1' comes to no pad"),
    ("landing", (("pads.csv", r"^W1,1.*", ""), ("wiring.csv", r"^1,.*", "")), "the 9 V supply comes from outside, and its net 'dcin' comes to no pad"),
    ("landing", (("pads.csv", r"^R8,1,.*", ""), ("pads.csv", r"^R8,2,.*", ""), ("placement.csv", r"^R8,.*", "")), "R8: it belongs on the board, and has no pads"),
    ("gorsefire", (("bom.csv", r"^R3,resistor,39k,", "R3,resistor,40k,"), ("circuit.cir", "r3 vcc c1 39k", "r3 vcc c1 40k")), "R3: 40k is in none of the series"),
    ("gorsefire", (("bom.csv", "KNOB1,.*", ""),), "lacks a knob for each potentiometer"),
    ("gorsefire", (("bom.csv", "SCREWS,.*", ""),), "lacks screws or spacers"),
    ("gorsefire", (("bom.csv", "WIRE,.*", ""),), "lacks wire"),
    ("gorsefire", (("bom.csv", "BOARD,.*", ""),), "lacks a board"),
    ("kilnlight", (("bom.csv", "F1,.*", ""), ("bom.csv", "mains inlet with fuse holder", "mains inlet")), "lacks a fuse: it is fed from the mains"),
    ("kilnlight", (("bom.csv", "SW1,.*", ""),), "lacks a mains switch"),
    ("kilnlight", (("bom.csv", "INLET,.*", ""),), "lacks a mains inlet"),
    ("lampwick", (("bom.csv", "CLIP,.*", ""), ("wiring.csv", r"^1,.*", ""), ("wiring.csv", r"^3,.*", ""), ("kit.toml", r'^reads = \[\["CLIP.*', "")), "lacks a battery clip"),
    # What the folder's own check finds: one file against another.
    ("gorsefire", (("bom.csv", r"^R3,resistor,39k,", "R3,resistor,3k9,"),), "'R3' is 3.9\u202fkΩ here and 39\u202fkΩ in circuit.cir"),
    ("gorsefire", (("bom.csv", r"^R4,", "R3,"),), "'R3' is listed twice"),
    ("gorsefire", (("kit.toml", r'ref = "RV1"', 'ref = "RV9"'),), "there is no part 'rv9' in this kit"),
    ("gorsefire", (("kit.toml", r'node = "b1"', 'node = "b7"'),), "there is no node 'b7' in this kit"),
    ("gorsefire", (("wiring.csv", r",W3,", ",W33,"),), "neither a pad nor a part"),
    ("gorsefire", (("circuit.cir", r"^q1 c1 b1 0 bc549c", "q1 c1 b1 0 bc999"), ("circuit.cir", r"\.model bc549c", ".model bc549x")), "'bc999' is not defined"),
    ("gorsefire", (("circuit.cir", r"^r5 e2 b1 120k", ""),), "'R5' has no element in circuit.cir"),
]  # fmt: skip


# Every time the quick ones; the rest, of kits that take a second or two to solve, with make long.
QUICK = [p for k, p in enumerate(PLANTED) if p[0] in ("gorsefire", "kilnlight") or k % 4 == 3]


@pytest.mark.parametrize("one", long_but(QUICK, PLANTED), ids=lambda one: f"{one[0]} {one[2][:24]}")
def test_a_planted_fault_is_found(tmp_path, one):
    name, changes, says = one
    folder = planted(tmp_path / "kit", name, *changes)
    found = list(check_kit(folder)[1])
    found += unsound(read_kit(folder)) if not errors(found) else []
    assert any(says in str(p) for p in found), [str(p) for p in found]
    assert all(p.remedy or "nothing" in p.message for p in found), "each says what to do"


def test_there_are_forty_kinds():
    assert len(PLANTED) >= 40


def test_the_verb_keeps_errors_and_warnings_apart(tmp_path, capsys):
    burst = planted(tmp_path / "burst", "tidewheel", *pads_exchanged("C2", "0", "vn", 1, 2))
    assert main(["kit", "check", str(burst)]) == 1
    assert "error: pads.csv: C2: its plus" in capsys.readouterr().out
    bare = planted(tmp_path / "bare", "gorsefire", ("bom.csv", "WIRE,.*", ""))
    assert main(["kit", "check", str(bare)]) == 0
    assert capsys.readouterr().out.startswith("warning: bom.csv: the list lacks wire")


def test_a_hot_plate_is_told_of_in_a_choice_too():
    """Kilnlight with 150 Ω at its output cathodes: more than the 12 W that an EL84's plate may bear."""
    kit = read_kit(SHIPPED / "kilnlight")
    assert overstressed(kit, quick=True) == []
    hot = dict(overstressed(varied(kit, changes_in(kit, ["r109=150"])), quick=True))
    assert re.match(r"1[234].*W in it where it may bear 12", hot["V2"])


@pytest.mark.parametrize(
    ("name", "changes", "message"),
    [
        ("gorsefire", [("bom.csv", r"R3,resistor.*", "")], "'r3' is in circuit.cir, and the list has no R3"),
        ("gorsefire", [("circuit.cir", r"^c3 c2 vtop 100n", "c3 c2 vtop 100n\nc9 c2 0 10n")], "'c9' is in circuit.cir, and the list has no C9"),
        ("lampwick", [("circuit.cir", r"^r23 vcc led 6.8k", "r23 vcc led 6.8k\nr99 vcc 0 1meg")], "the list has no R99"),
        ("gorsefire", [("circuit.cir", r"^q1 c1 b1 0", "q1 b1 c1 0")], "its base conducts to its collector"),
        ("lampwick", [("circuit.cir", r"^q3 vcc ul el", "q3 ul vcc el")], "its base conducts to its collector"),
        ("reedling", [("circuit.cir", r"^q2 col b3 e3", "q2 b3 col e3")], "its base conducts to its collector"),
        ("landing", [("circuit.cir", r"^xu1a p1 n1 vcc 0 o1", "xu1a p1 n1 0 vcc o1")], "its V+ stands below its V−"),
        ("tidewheel", [("circuit.cir", r"^xu1a 0 sum vp vn oct", "xu1a 0 sum vn vp oct")], "its V+ stands below its V−"),
        ("landing", [("circuit.cir", r"^xu1a p1 n1 vcc 0 o1", "xu1a o1 n1 p1 vcc 0")], "its V+ stands below its V−"),  # out first, as some number them
        ("landing", [("circuit.cir", r"^r6 o1 n1 100", "r6 n1 0 100"), *pads_exchanged("C5", "o1", "s1", 1, 2)], "leave the capacitor until it works"),
        ("lampwick", [("circuit.cir", r"^xu2a pl nl vcc 0 al", "xu2a pl nl al vcc 0")], "its V+ stands below its V−"),
    ],
)  # fmt: skip
def test_a_netlist_of_other_nodes_than_its_parts_have_is_told_as_that(tmp_path, name, changes, message):
    folder = planted(tmp_path / name, name, *changes)
    found = [str(p) for p in unsound(read_kit(folder))]
    assert any(message in p for p in found), found
    if "V+" in message or "leave" in message:
        assert not any("it would burst" in p for p in found), "nobody is told to reverse a capacitor of a circuit that does not work"


@pytest.mark.parametrize("first", ["bass", "lamp"])
def test_a_choice_in_no_set_up_does_not_hide_what_is_wrong_behind_it(tmp_path, first):
    """Each fault of a kit is told in one go, whatever is wrong with a choice before it."""
    folder = planted(
        tmp_path / "kit", "gorsefire", ("kit.toml", rf'^id = "{first}"', f'id = "{first}"\nsetup = "nowhere"'), ("kit.toml", r'^supply_point = "TP1"', 'supply_point = "TP77"')
    )
    found = [str(p) for p in check_kit(folder)[1]]
    assert any("there is no set-up 'nowhere'" in p for p in found)
    assert any("TP77" in p for p in found)


NODES = {  # as data books draw them, and as docs/kit-format.md says
    "tl072": "p n vp vn o", "lm317": "in a out", "ecc83": "a g k", "el84": "a s g k", "pot_lin": "1 2 3", "jack": "tip sleeve normal", "bc549c": "c b e",
    "2n5457": "d g s", "1n4148": "anode cathode", "ne555": "gnd trig out reset ctrl thres disch vcc", "tl431": "ref a k",
}  # fmt: skip


@pytest.mark.parametrize("name", NODES)
def test_the_order_of_nodes_is_told(name):
    assert " ".join(node_order(name)) == NODES[name]


def test_the_document_names_the_nodes_of_every_block_of_the_library():
    text = (Path(__file__).parents[2] / "docs" / "kit-format.md").read_text()
    inner = {"thiele_small", "radiation"}
    for file in ("pot", "opamp", "valves", "passive", "regulators", "transducers", "chips"):
        for name in re.findall(r"^\.subckt (\S+)", (LIBRARY / f"{file}.lib").read_text(), re.MULTILINE):
            if name not in inner:
                assert re.search(rf"`{name}`[^|\n]*\| `{re.escape(' '.join(node_order(name)))}`", text), name


def test_the_verb_type_says_in_which_order_nodes_are_given(capsys):
    assert main(["type", "LM317"]) == 0
    assert "nodes in a netlist, in this order: in a out" in capsys.readouterr().out
