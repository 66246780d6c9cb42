"""Workbooks that lie about their size, are damaged, or are tricks: what is in them is read, or a plain word says why not."""

import io
import random
import re
import zipfile

import pytest
from openpyxl import Workbook

from nuvlo.files.parts_list.sheets import read_lines
from nuvlo.problems import NuvloError

LAUGHS = (
    '<?xml version="1.0"?><!DOCTYPE l [<!ENTITY a "aaaaaaaaaa">'
    + "".join(f'<!ENTITY {chr(98 + k)} "{("&" + chr(97 + k) + ";") * 10}">' for k in range(9))
    + "]>"
)


def plain() -> bytes:
    book = Workbook()
    for row in (["Ref", "Value", "Qty"], ["R1", "10k", 1], ["C1", "100n", 2]):
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def changed(old: str, new: str, member: str = "xl/worksheets/sheet1.xml") -> bytes:
    """The plain workbook with the text ``old`` of one member replaced."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(plain())) as before, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as after:
        for name in before.namelist():
            text = before.read(name).decode()
            if name == member:
                assert re.search(old, text), text
                text = re.sub(old, lambda _: new, text)
            after.writestr(name, text)
    return out.getvalue()


def lines(data: bytes, tmp_path) -> list[tuple[int, tuple[str, ...]]]:
    path = tmp_path / "list.xlsx"
    path.write_bytes(data)
    return [(line.number, line.cells) for line in read_lines(path)]


READ = [(1, ("Ref", "Value", "Qty")), (2, ("R1", "10k", "1")), (3, ("C1", "100n", "2"))]


def test_a_plain_one(tmp_path):
    assert lines(plain(), tmp_path) == READ


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("<dimension[^>]*>", '<dimension ref="A1:XFD1048576"/>'), ("<dimension[^>]*>", '<dimension ref="A1"/>'),
        ("</sheetData>", '<row r="1048576"><c r="XFD1048576" s="0"/></row></sheetData>'),
        ("</sheetData>", '</sheetData><mergeCells><mergeCell ref="E1:XFD1048576"/></mergeCells>'),
    ],
    ids=["says it is vast", "says it is small", "an empty cell far out", "merged cells to the end"],
)  # fmt: skip
def test_what_is_empty_far_out_costs_nothing(old, new, tmp_path):
    assert lines(changed(old, new), tmp_path) == READ


CELL = '<row r="{row}"><c r="{at}" t="inlineStr"><is><t>R9</t></is></c></row></sheetData>'


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("</sheetData>", CELL.format(row=999999999, at="A999999999"), "20,000 rows"),
        ("</sheetData>", CELL.format(row=4, at="XFD4"), "200 columns"),
        ("</sheetData>", CELL.format(row="9" * 5000, at="A" + "9" * 5000), "no workbook"),
        ("</sheetData>", "", "no workbook"), ("<sheetData>", "<sheetData>" + "<x>" * 5000, "no workbook"),
        ("^(<.xml[^>]*>)?(<worksheet[^>]*>)", LAUGHS + "<worksheet>&j;", "no workbook"),
    ],
    ids=["row", "column", "digits", "cut off", "nested", "entities"],
)  # fmt: skip
def test_what_is_no_parts_list_is_refused(old, new, says, tmp_path):
    with pytest.raises(NuvloError, match=says):
        lines(changed(old, new), tmp_path)


def test_one_that_would_unpack_to_too_much(tmp_path):
    out = io.BytesIO(plain())
    with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as book:
        book.writestr("xl/more.xml", b"\0" * 40_000_000)
    with pytest.raises(NuvloError, match="16 MB"):
        lines(out.getvalue(), tmp_path)


def test_a_cell_may_hold_what_formulas_leave(tmp_path):
    book = Workbook()
    book.active.append(["R1", "=1/0", None, 0.1 + 0.2, True])
    out = io.BytesIO()
    book.save(out)
    ((number, cells),) = lines(out.getvalue(), tmp_path)
    assert (number, cells[0]) == (1, "R1")


@pytest.mark.parametrize("seed", range(60))
def test_damaged_ones_are_read_or_refused(seed, tmp_path):
    rnd = random.Random(seed)
    if seed % 2:  # a byte of the file; else one of what is in it
        data = bytearray(plain())
        for _ in range(rnd.randrange(1, 6)):
            data[rnd.randrange(len(data))] ^= 1 << rnd.randrange(8)
        data = bytes(data[: rnd.randrange(len(data) // 2, len(data) + 1)])
    else:
        with zipfile.ZipFile(io.BytesIO(plain())) as book:
            member = rnd.choice(book.namelist())
            text = book.read(member).decode()
        at = rnd.randrange(len(text))
        cut = text[at : at + rnd.randrange(1, 12)]
        data = changed(re.escape(cut), rnd.choice(["", "<", "&x;", '"', "9" * 30, "\u0660", cut * 3]), member)
    try:
        lines(data, tmp_path)
    except NuvloError as refused:
        assert refused.problems[0].file == "list.xlsx"
