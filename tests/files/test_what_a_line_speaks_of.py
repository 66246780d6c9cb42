"""What kind of part a line of a list speaks of, and what it is worth: cases in which one word was taken for all."""

import pytest

from nuvlo.files.kit_folder import check_kit, read_kit
from nuvlo.files.parts_list import bom_csv, read_parts_list
from nuvlo.kit import Stage
from nuvlo.stages.fit.seating import way_round
from nuvlo.stages.registry import tasks
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.workshop import Workshop


def parts_of(tmp_path, text):
    (tmp_path / "list.csv").write_text(text)
    found = read_parts_list(tmp_path / "list.csv")
    assert not found.unread, found.unread
    return {p.part.ref: p.part for p in found.parts}


@pytest.mark.parametrize(("line", "kind", "text"), [
    ("U1,TL072,DIP8,+ socket", "chip", "TL072"), ("U1,NE5532,DIP8,with IC socket", "chip", "NE5532"), ("IC2,LM386,in DIL socket,", "chip", "LM386"),
    ("U1,TL072,DIP8 & 8 pin socket,", "chip", "TL072"), ("U1,TL072,DIP8 incl. socket,", "chip", "TL072"), ("V1,ECC83,plus noval base,", "valve", "ECC83"),
    ("Q1,BC549,TO92,with socket", "transistor", "BC549"), ("U1,DIP8 socket,,", "socket", "DIP8 socket"), ("SKT1,8 pin IC socket,,", "socket", "8 pin IC socket"),
    ("C1,1uF,film (NOT electrolytic),", "capacitor", "1µF"), ("C1,1uF,not electrolytic!,", "capacitor", "1µF"), ("C1,4.7uF,kein Elko,", "capacitor", "4.7µF"),
    ("C1,10uF,electrolytic,", "electrolytic", "10µF"), ("RV1,10k log,,", "potentiometer", "10kΩ audio"), ("RV1,10k lin,16 mm,", "potentiometer", "10kΩ linear"),
    ("RV1,B100K,,", "potentiometer", "100kΩ linear"), ("RV1,10k trimmer,log,", "trimmer", "10kΩ audio"), ("RV1,10k,,", "trimmer", "10kΩ"),
    ("R5,1k,,for the LED", "resistor", "1kΩ"), ("R5,1k,LED resistor,", "resistor", "1kΩ"), ("R5,1k,,limits lamp current", "resistor", "1kΩ"),
    ("R5,1k,,see Q2 transistor", "resistor", "1kΩ"), ("T1,mains transf.,,", "transformer", "mains transf."), ("VR1,2x100k log,,", "potentiometer", "100kΩ audio"),
    ("VR1,2 x 50k lin,,", "potentiometer", "50kΩ linear"), ("D1,red LED,,", "lamp", "red LED"), ("VR1,LM7805 regulator,,", "chip", "LM7805"),
])  # fmt: skip
def test_the_words_of_a_line_are_weighed_together(tmp_path, line, kind, text):
    (part,) = parts_of(tmp_path, f"Ref,Value,Package,Remarks\n{line}\n").values()
    assert (part.kind, part.text) == (kind, text)
    if "socket" in line and kind == "chip":
        assert "socket" in part.note + part.package
        assert part.polarised


HEADINGS = ("Part value", "Component Value", "Value", "Nominal value", "Wert", "Value / rating")


@pytest.mark.parametrize("heading", HEADINGS)
@pytest.mark.parametrize(("described", "value", "worth"), [
    ("Res 1/4W 1%", "2K2", 2200.0), ("Res 1/4W 1%", "10 kΩ", 10e3), ("Metal film 0.6W", "4R7", 4.7), ("Resistor 1/2W 5%", "1M", 1e6), ("Res 2W", "100", 100.0),
])  # fmt: skip
def test_a_heading_that_says_value_is_one(tmp_path, heading, described, value, worth):
    found = parts_of(tmp_path, f"Ref,Description,{heading}\nR1,{described},{value}\nR2,{described},47k\nC1,Cap 50V,104\n")
    assert found["R1"].value == worth
    assert found["C1"].value == pytest.approx(100e-9)


@pytest.mark.parametrize("described", ["Res 1/4W 1%", "Resistor 1/4W", "Res 0.5W 5%", "Res 2 W", "Cap 63V", "Resistor 1/8 W 350V", "Elko 16V"])
def test_a_value_never_comes_out_of_a_rating(tmp_path, described):
    letter = "C" if described[0] in "CE" else "R"
    (tmp_path / "list.csv").write_text(f"Ref,Description\n{letter}1,{described}\n{letter}2,{described}\n")
    found = read_parts_list(tmp_path / "list.csv")
    assert not found.parts
    assert all("holds no value" in u.why for u in found.unread)


@pytest.mark.parametrize(("line", "ref", "note"), [("TONE (RV1),100k log,", "RV1", ""), ("Volume (VR2),100k log,", "VR2", ""), (",47k,R9", "R9", ""), (",47k,\"R9, R10\"", "R10", "")])
def test_a_reference_is_found_where_it_stands(tmp_path, line, ref, note):
    found = parts_of(tmp_path, f"Ref,Value,Remarks\nR1,1k,\nR2,2k2,\n{line}\n")
    assert ref in found


@pytest.mark.parametrize(("described", "kept"), [("J113 or 2N5457", "or 2N5457"), ("BC549C (optional)", "optional"), ("TL072 alt. NE5532", "alt. NE5532")])
def test_what_may_be_fitted_instead_is_kept(tmp_path, described, kept):
    for heading in ("Value", "Description"):
        (part,) = parts_of(tmp_path, f"Ref,{heading},Remarks\nQ1,{described},\n").values()
        assert kept in part.note


@pytest.mark.parametrize(
    ("value", "description", "kept"),
    [("10k (optional)", "resistor", "optional"), ("100n", "film capacitor, optional", "optional"), ("4k7 or 5k1", "resistor", "or 5k1"), ("100u", "electrolytic", "")],
)
def test_what_is_optional_or_may_be_another_value_is_kept(tmp_path, value, description, kept):
    (part,) = parts_of(tmp_path, f"Ref,Value,Description\n{'C1' if value.startswith('100') else 'R1'},{value},\"{description}\"\n").values()
    assert kept in part.note if kept else part.note == ""


ASKED = 'Qty,Ref,Value,Remarks\n1,R1,10k,\n1,R2,22k,\n1,U1,TL072,+ socket\n1,ENC,1590B,\n1,JACK1,"1/4""",\n1,DC1,2.1 mm,\n1,X1,16 MHz,\n'


def test_what_nothing_tells_is_asked_about_and_not_soldered(tmp_path):
    (tmp_path / "list.csv").write_text(ASKED)
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start_from_list(tmp_path / "list.csv", "Stray")
    asked = [t for t in tasks(Stage.UNPACK, session.kit, session.build) if t.id.verb == "asked"]
    assert [t.target for t in asked] == ["ENC", "JACK1", "DC1", "X1"]
    assert "in the case, or on the board?" in asked[0].title

    def fitted():
        return {ref for t in tasks(Stage.FIT, session.kit, session.build) for ref in t.parts}

    assert {"R1", "U1"} <= fitted()
    assert not {"ENC", "JACK1", "DC1", "X1"} & fitted()
    words = [t.detail for t in tasks(Stage.FIT, session.kit, session.build) if t.target in ("U1", "R1")]
    assert ["Either way round" in w for w in words] == [True, False]

    def say(line):
        now = session.now()
        return execute(session, understand(line, session.kit, now.task if now else None, session.stage)).words

    for line in ("mod enc case", "mod jack1 board", "mod dc1 jack"):
        say(line)
    assert not session.kit.part("ENC").on_board
    assert session.kit.part("JACK1").on_board
    assert "JACK1" in fitted()
    assert session.kit.part("DC1").kind == "jack"
    say("undo")
    assert session.kit.part("DC1").asked
    with pytest.raises(Exception, match="says neither what X1 is"):
        say("mod x1 sideways")
    workshop.close()


def test_a_kit_of_a_list_keeps_that_it_is_not_known(tmp_path):
    found = parts_of(tmp_path, ASKED)
    (tmp_path / "kit").mkdir()
    (tmp_path / "kit" / "bom.csv").write_text(bom_csv(found.values()))
    again = read_kit(tmp_path / "kit").parts
    assert {r: p.asked for r, p in again.items()} == {r: p.asked for r, p in found.items()}


@pytest.mark.parametrize("kind", ["chip", "transistor", "diode", "socket", "header", "valve", "regulator", "crystal", "part", "display", "switch", "jack", "relay", "transformer"])
def test_nothing_with_pins_goes_either_way_round(tmp_path, kind):
    (tmp_path / "bom.csv").write_text(f"ref,kind,value,place\nX1,{kind},ABC123,board\n")
    part = read_kit(tmp_path).parts["X1"]
    assert "Either way" not in way_round(part)


@pytest.mark.parametrize(("kind", "near"), [("resitor", "resistor"), ("capasitor", "capacitor"), ("transisto", "transistor"), ("gizmo", "Kinds: ")])
def test_a_kind_that_is_none_is_told_with_what_is_near(tmp_path, kind, near):
    (tmp_path / "bom.csv").write_text(f"ref,kind,value\nR1,{kind},10k\n")
    _, problems = check_kit(tmp_path)
    assert any(kind in p.message and near in p.remedy and p.line == 2 for p in problems)
