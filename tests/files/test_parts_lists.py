"""Parts lists of different habits, the first twelve written before the reader was; every line of them accounted for."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvlo.files.kit_folder import read_kit
from nuvlo.files.parts_list import bom_csv, read_parts_list, words
from nuvlo.files.parts_list.references import references
from nuvlo.files.parts_list.sheets import lines_of, read_lines
from nuvlo.problems import NuvloError

LISTS = Path(__file__).parent / "parts_lists"
TYPES = {("16-comments.csv", "U1"): "TL072", ("16-comments.csv", "D2"): "1N4148", ("21-netlist-like.txt", "Q1"): "BC549C",
         ("22-invoice.txt", "U1"): "NE5532P"}  # fmt: skip
# File → how many parts, lines that give none, and some parts as they should be read: (ref, kind, value, tolerance, rating).
EXPECTED = {
    "01-plain.csv": (16, [], [("R5", "resistor", 100e3, 0.01, ""), ("C3", "electrolytic", 47e-6, None, "25 V"),
                              ("VOLUME", "potentiometer", 100e3, None, ""), ("Q2", "transistor", None, None, "")]),
    "02-semicolons.csv": (13, [], [("R1", "resistor", 4.7e3, 0.01, ""), ("C1", "capacitor", 0.1e-6, None, ""),
                                   ("C3", "electrolytic", 10e-6, None, "35 V"), ("P1", "potentiometer", 100e3, None, "")]),
    "03-tabs.txt": (9, [11], [("R11", "resistor", 5.1e3, 0.001, ""), ("C9", "electrolytic", 47e-6, 0.2, "63 V"),
                              ("C13", "capacitor", 47e-12, 0.05, "50 V")]),
    "04-sections.csv": (13, [], [("R4", "resistor", 680, 0.01, "0.25 W"), ("C2", "electrolytic", 47e-6, None, "25 V"),
                                 ("J1", "jack", None, None, ""), ("SW1", "switch", None, None, "")]),
    "05-manual.txt": (12, [], [("R3", "resistor", 4.7e3, 0.01, ""), ("R4", "resistor", 10, None, "1 W"),
                               ("C2", "electrolytic", 220e-6, None, "25 V"), ("LED1", "lamp", None, None, "")]),
    "06-bag.csv": (23, [], [("R10", "resistor", 100e3, 0.01, ""), ("C3", "electrolytic", 100e-6, None, "25 V"),
                            ("RV1", "trimmer", 10e3, None, ""), ("Q1", "transistor", None, None, "")]),
    "07-drawing-export.csv": (12, [7], [("C4", "capacitor", 100e-9, None, ""), ("C3", "electrolytic", 10e-6, None, ""),
                                        ("R4", "link", None, None, ""), ("U1", "chip", None, None, "")]),
    "08-workbook.xlsx": (11, [1, 13], [("R109", "resistor", 220, None, "5 W"), ("C102", "capacitor", 220e-9, None, "400 V"),
                                       ("T1", "transformer", None, None, "10 W")]),
    "09-unicode-text.txt": (6, [], [("R3", "resistor", 1e9, None, ""), ("C1", "capacitor", 60e-12, None, ""),
                                    ("J1", "transistor", None, None, ""), ("X1", "jack", None, None, "")]),
    "10-table.md": (11, [], [("R9", "resistor", 10e6, None, ""), ("C1", "electrolytic", 220e-6, None, "16 V")]),
    "11-codes.csv": (10, [5, 13], [("C2", "capacitor", 47e-9, 0.05, "100 V"), ("R1", "resistor", 10e3, 0.01, ""),
                                   ("R2", "resistor", 30.1e3, 0.01, ""), ("POT1", "potentiometer", 1e3, None, ""),
                                   ("POT2", "potentiometer", 1e6, None, ""), ("L1", "inductor", 100e-6, 0.1, "")]),
    "12-messy.csv": (20, [11, 12], [("R3", "resistor", 100e3, 0.01, ""), ("R8", "resistor", 470, None, "0.25 W"),
                                    ("C1", "electrolytic", 4.7e-6, None, "50 V"), ("Q2", "transistor", None, None, ""),
                                    ("D4", "diode", None, None, "")]),
    "13-drawn-up.txt": (9, [], [("R2", "resistor", 4.7e3, 0.01, ""), ("C2", "capacitor", 100e-9, None, "63 V"),
                                ("C4", "electrolytic", 10e-6, None, "25 V"), ("IC1", "chip", None, None, "")]),
    "14-unknown-headings.txt": (9, [], [("R4", "resistor", 10e3, None, ""), ("C1", "electrolytic", 2200e-6, None, "35 V"),
                                        ("P1", "potentiometer", 10e3, None, "")]),
    "15-order.csv": (15, [], [("R2", "resistor", 4.99e3, 0.01, "0.25 W"), ("C3", "capacitor", 100e-9, None, "50 V"),
                              ("C4", "electrolytic", 220e-6, 0.2, "25 V"), ("U1", "chip", None, None, ""),
                              ("Q1", "transistor", None, None, "40 V")]),
    # Of habits the reader had not met; each was read wrong in some way at first.
    "16-comments.csv": (12, [8], [("R8", "resistor", 4.7e3, 0.01, "0.25 W"), ("C2", "capacitor", 100e-9, None, "63 V"),
                                  ("C3", "electrolytic", 47e-6, None, "25 V"), ("VR1", "potentiometer", 100e3, None, "")]),
    "17-code-page.txt": (15, [], [("R3", "resistor", 10e3, 0.01, ""), ("C2", "electrolytic", 10e-6, None, "35 V"),
                                  ("P1", "potentiometer", 50e3, None, ""), ("HW4", "hardware", None, None, "")]),
    "18-typed.txt": (17, [], [("R3", "resistor", 10e3, None, ""), ("C3", "electrolytic", 100e-6, None, "16 V"),
                              ("VR2", "potentiometer", 500e3, None, ""), ("LED1", "lamp", None, None, ""), ("CASE1", "case", None, None, "")]),
    "19-ranges.csv": (15, [], [("R4", "resistor", 47e3, None, ""), ("C4", "electrolytic", 2200e-6, None, "35 V"),
                               ("F1", "fuse", None, None, "250 V")]),
    "20-side-by-side.csv": (14, [8], [("R4", "resistor", 10e3, None, ""), ("C4", "electrolytic", 47e-6, None, "16 V"),
                                         ("C5", "capacitor", 22e-12, None, ""), ("IC1", "chip", None, None, "")]),
    "21-netlist-like.txt": (5, [], [("Q1", "transistor", None, None, ""), ("VR1", "potentiometer", 100e3, None, "")]),
    "22-invoice.txt": (22, [12], [("R12", "resistor", 4.99e3, 0.01, "0.6 W"), ("C6", "electrolytic", 470e-6, None, "35 V"),
                                  ("U2", "chip", None, None, ""), ("SKT2", "socket", None, None, "")]),
    "23-shorthand.txt": (14, [], [("R5", "resistor", 4.7e3, None, ""), ("C2", "capacitor", 100e-9, None, ""), ("U1", "chip", None, None, ""),
                                  ("VR1", "potentiometer", 1e6, None, ""), ("BAT1", "battery", None, None, "")]),
    "24-catalogue.csv": (16, [], [("R9", "resistor", 10e3, 0.01, "0.25 W"), ("C4", "electrolytic", 10e-6, 0.2, "63 V"),
                                  ("RV1", "trimmer", 10e3, None, "0.5 W"), ("L1", "inductor", 100e-6, None, "1 A")]),
}  # fmt: skip


def test_none_is_left_out():
    assert sorted(EXPECTED) == sorted(p.name for p in LISTS.iterdir())


@pytest.mark.parametrize("name", EXPECTED)
def test_each_is_read_with_every_line_accounted_for(name):
    found = read_parts_list(LISTS / name)
    count, unread, some = EXPECTED[name]
    parts = {p.part.ref: p.part for p in found.parts}
    assert len(found.parts) == len(parts) == count
    assert [u.line for u in found.unread] == unread
    assert all(u.why for u in found.unread)
    for ref, kind, value, tolerance, rating in some:
        part = parts[ref]
        assert (part.kind, part.rating) == (kind, rating), part
        assert part.value == (pytest.approx(value) if value is not None else None)
        assert part.tolerance is None if tolerance is None else part.tolerance[1] == tolerance
    told = {p.line for p in found.parts} | {u.line for u in found.unread} | {n for n, _ in found.headings}
    assert {line.number for line in read_lines(LISTS / name)} == told


@pytest.mark.parametrize(("name", "ref"), TYPES)
def test_a_type_is_picked_out_of_its_description(name, ref):
    (found,) = [p.part for p in read_parts_list(LISTS / name).parts if p.part.ref == ref]
    assert found.text == TYPES[name, ref]


@pytest.mark.parametrize("name", EXPECTED)
def test_each_makes_a_kit_and_comes_back_the_same(name, tmp_path):
    found = read_parts_list(LISTS / name)
    (tmp_path / "bom.csv").write_text(bom_csv(p.part for p in found.parts), encoding="utf-8")
    kit = read_kit(tmp_path)
    for listed in found.parts:
        back = kit.part(listed.part.ref)
        assert (back.kind, back.value, back.tolerance, back.rating) == (
            listed.part.kind, pytest.approx(listed.part.value) if listed.part.value is not None else None,
            listed.part.tolerance, listed.part.rating,
        )  # fmt: skip


@pytest.mark.parametrize(
    ("text", "refs"),
    [
        ("R1", "R1"), ("r1,r2", "R1 R2"), ("R1-R3", "R1 R2 R3"), ("R1–3", "R1 R2 R3"), ("R7,8", "R7 R8"),
        ("R1 to R3", "R1 R2 R3"), ("D1..D3", "D1 D2 D3"), ("Q1/Q2", "Q1 Q2"), ("Q1/2", "Q1 Q2"), ("C2 & C3", "C2 C3"),
        ("R1, R4-R6;R9", "R1 R4 R5 R6 R9"), ("LED1+LED2", "LED1 LED2"), ("R1A", "R1A"), ("R1 R1", "R1"),
        ("100k", ""), ("R3-R1", ""), ("R1-C3", ""), ("", ""), ("R1 and more", ""), ("R1-R999", ""),
    ],
)  # fmt: skip
def test_references(text, refs):
    assert references(text) == tuple(refs.split())


def test_a_column_taken_wrongly_can_be_put_right(tmp_path):
    path = tmp_path / "list.csv"
    path.write_text("Ref,Code,Value\nR1,xyz,100k\nR2,abc,4k7\n")
    wrong = read_parts_list(path)
    assert wrong.columns["Code"] == "value"
    assert len(wrong.unread) == 0 or wrong.parts == ()
    right = read_parts_list(path, {"code": "nothing", "Value": "value"})
    assert [p.part.value for p in right.parts] == [100e3, 4.7e3]
    with pytest.raises(NuvloError, match="no column"):
        read_parts_list(path, {"colour": "value"})
    with pytest.raises(NuvloError, match="not a meaning"):
        read_parts_list(path, {"code": "flavour"})


@pytest.mark.parametrize(
    ("content", "says"), [(b"", "no lines"), (b"\x00\x01\x02", "neither text"), (b"PK\x03\x04rubbish", "no workbook")]
)
def test_what_is_no_list_is_refused(content, says, tmp_path):
    path = tmp_path / "list.csv"
    path.write_bytes(content)
    with pytest.raises(NuvloError, match=says):
        read_parts_list(path)
    with pytest.raises(NuvloError, match="cannot be read"):
        read_parts_list(tmp_path / "none.csv")


@settings(max_examples=150, deadline=None)
@given(st.text(st.characters(codec="utf-8", exclude_characters="\x00"), min_size=1, max_size=200))
def test_no_text_breaks_the_reader_or_loses_a_line(tmp_path_factory, text):
    path = tmp_path_factory.mktemp("any") / "list.csv"
    path.write_text(text, encoding="utf-8")
    numbers = {line.number for line in lines_of(text)}
    try:
        found = read_parts_list(path)
    except NuvloError:
        return
    told = {p.line for p in found.parts} | {u.line for u in found.unread} | {n for n, _ in found.headings}
    assert told == {line.number for line in read_lines(path)}
    assert numbers == told


@pytest.mark.parametrize(
    ("text", "refs"),
    [("R1 à R3", "R1 R2 R3"), ("C2..C4", "C2 C3 C4"), ("D1 thru D3", "D1 D2 D3"), ("Q1 t/m Q2", "Q1 Q2"), ("R7 et R9", "R7 R9"), ("R1 → R3", "R1 R2 R3"),
     ("R1 al R2", "R1 R2"), ("R3 bis R5", "R3 R4 R5"), ("R1 a lot", "")],
)  # fmt: skip
def test_ranges_in_the_tongues_lists_come_in(text, refs):
    assert references(text) == tuple(refs.split())


@pytest.mark.parametrize(
    ("text", "kind"),
    [("4k7", "resistor"), ("470R", "resistor"), ("2.2 MΩ", "resistor"), ("100n", "capacitor"), ("4u7", "capacitor"), ("10µF", "capacitor"),
     ("100uH", "inductor"), ("220", None), ("BC549C", None), ("5V", None)],
)  # fmt: skip
def test_the_kind_that_a_bare_value_tells(text, kind):
    assert words.kind_by_value(text) == kind


@pytest.mark.parametrize(
    ("text", "found"),
    [("Op-amp NE5532P DIP8", "NE5532P"), ("transistor, NPN, TO-92, BC549C", "BC549C"), ("LED RED 3mm", ""), ("1N914 or 1N4148", "1N914"),
     ("Schottky 1A DO-41 1N5817", "1N5817"), ("IC socket 8-pin", "")],
)  # fmt: skip
def test_the_type_in_a_description(text, found):
    assert words.type_in(text) == found


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("R1,10k,C1,100n\nR2,22k,C2,1u\nR3,47k,C3,10n\n", {"R1": 10e3, "C1": 100e-9, "R3": 47e3, "C3": 10e-9}),
        ("No,Part,Value\n1,R1,10k\n2,R2,22k\n3,C1,1n\n", {"R1": 10e3, "R2": 22e3, "C1": 1e-9}),
        ("Item,Ref,Type\n1,R1,4k7\n2,R2,1k\n3,C1,47n\n", {"R1": 4.7e3, "C1": 47e-9}),
        ("Ref,Remarks\nR1,10k 1%\nC1,22n/100V\n", {"R1": 10e3, "C1": 22e-9}),
        # content before headings: references stand under Pos., and Bauteil says what they are
        ("Pos.;Anzahl;Bauteil;Wert\nR1, R4-R6;4;Widerstand;10k\nC1, C2;2;Kondensator;100n\nR2;1;Widerstand;4k7\n",
         {"R1": 10e3, "R5": 10e3, "C2": 100e-9, "R2": 4.7e3}),
        ("Bauteil;Wert;Lage\nWiderstand;10k;R1-R2\nKondensator;22n;C7\n", {"R1": 10e3, "R2": 10e3, "C7": 22e-9}),
        ("Part,Value,Notes\n10k,Resistor,R1\n22k,Resistor,R2\n1n,Capacitor,C1\n", {"R1": 10e3, "R2": 22e3, "C1": 1e-9}),
        ("Item,Component,Marking\nR1,resistor,4k7\nR2,resistor,47k\nC3,capacitor,104\n", {"R1": 4.7e3, "C3": 100e-9}),
        ("Ref,Value,Device\nR1,10k,R2\nR7,12k,R2\nC1,1n,C5\n", {"R1": 10e3, "R7": 12e3, "C1": 1e-9}),  # called so, and so
    ],
)
def test_columns_are_taken_for_what_they_hold(text, parts, tmp_path):
    """Tables side by side without a heading; a column of line numbers; values among remarks."""
    (tmp_path / "list.csv").write_text(text)
    found = read_parts_list(tmp_path / "list.csv")
    assert found.unread == ()
    values = {p.part.ref: p.part.value for p in found.parts}
    assert {ref: values[ref] for ref in parts} == pytest.approx(parts)
    assert len(values) == len({ref for p in found.parts for ref in [p.part.ref]})


def test_types_under_a_heading_of_their_own_are_no_references(tmp_path):
    (tmp_path / "list.csv").write_text("Part,Value,Qty\nOp-amp,TL072,2\nTransistor,BC549C,3\nRegulator,LM317,1\n")
    found = read_parts_list(tmp_path / "list.csv")
    assert sorted(p.part.text for p in found.parts) == ["BC549C"] * 3 + ["LM317"] + ["TL072"] * 2
    assert "no references that I can find" in found.made_up


def test_made_up_references_are_said_once(tmp_path):
    (tmp_path / "list.csv").write_text("Ref,Value\nR1,10k\nR2,22k\n,box\n")
    (tmp_path / "none.txt").write_text("2 x 10k resistor\n")
    assert read_parts_list(tmp_path / "list.csv").made_up == ""
    assert read_parts_list(tmp_path / "none.txt").made_up.startswith("This list has no references")


def test_a_part_beside_a_sum_is_not_lost(tmp_path):
    (tmp_path / "list.csv").write_text("Ref,Value,Ref,Value\nR1,10k,C1,1n\nR2,22k,C2,1u\nR3,47k,Total,2\nTotal,3,,\n")
    found = read_parts_list(tmp_path / "list.csv")
    assert [p.part.ref for p in found.parts] == ["R1", "C1", "R2", "C2", "R3"]
    assert [(u.line, u.why) for u in found.unread] == [(4, "a sum, not a part"), (5, "a sum, not a part")]
