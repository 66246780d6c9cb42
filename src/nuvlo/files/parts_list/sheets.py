"""From a file to lines of cells: encodings, separators, workbooks, tables drawn with bars, and plain text."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import iterparse
from zipfile import ZipFile

from nuvlo.files.whole import ZIPPED, bytes_of, opened_zip
from nuvlo.problems import NuvloError, Problem
from nuvlo.progress import pause

SEPARATORS = ("\t", ";", ",", "|")
SPACES = re.compile(r"\s{2,}")  # columns drawn up with spaces
MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
MOST_UNPACKED = 16_000_000  # bytes of a workbook
MOST_ROWS, MOST_COLUMNS = 20_000, 200


@dataclass(frozen=True)
class Line:
    """One line that is not blank: where it stands, its cells, and how it reads. ``sheet`` of a workbook."""

    number: int
    cells: tuple[str, ...]
    text: str
    sheet: str = ""


def read_lines(path: Path) -> list[Line]:
    """All lines of a parts list. Raises :class:`NuvloError` where the file cannot be opened or is none."""
    data = bytes_of(path)
    if data.startswith(ZIPPED):
        return _workbook(path)
    if b"\0" in data and not data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        raise NuvloError(Problem("is neither text nor a workbook.", "Save the list as CSV or XLSX.", path.name))
    found = lines_of(decoded(data))
    if len(found) > MOST_ROWS:
        raise NuvloError(Problem(f"has more than {MOST_ROWS:,} lines.", "Name the parts list.", path.name))
    return found


def decoded(data: bytes) -> str:
    """Text of ``data``: by its mark, else UTF-8 where it is that, else the Western code page of most spreadsheets."""
    for mark, name in MARKS:
        if data.startswith(mark):
            return data.decode(name, errors="replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def lines_of(text: str) -> list[Line]:
    """Lines of ``text`` cut into cells by the separator that cuts it most evenly."""
    separator = _separator(text)
    if separator is None and _drawn_up(text):
        return [
            Line(n, tuple(SPACES.split(t.strip())), t.strip()) for n, t in enumerate(text.splitlines(), 1) if t.strip()
        ]
    if separator is None:
        return [Line(n, (t.strip(),), t.strip()) for n, t in enumerate(text.splitlines(), 1) if t.strip()]
    out = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, skipinitialspace=True)
    before = 0
    try:
        for row in reader:
            first, before = before + 1, reader.line_num
            cells = [c.strip() for c in row]
            if separator == "|" and cells and not cells[0]:  # a table with bars at both ends
                cells = cells[1:]
            if any(cells) and not all(re.fullmatch(r":?-+:?|", c) for c in cells):
                out.append(Line(first, tuple(cells), separator.join(cells).strip(separator + " ")))
    except csv.Error:
        return [Line(n, (t.strip(),), t.strip()) for n, t in enumerate(text.splitlines(), 1) if t.strip()]
    return out


def _drawn_up(text: str) -> bool:
    """Whether most lines fall into three or more cells at runs of spaces."""
    lines = [t for t in text.splitlines() if re.search(r"\w", t)]
    wide = [len(SPACES.split(t.strip())) for t in lines]
    return len(lines) > 2 and sum(w >= 3 for w in wide) >= 0.6 * len(lines)


def _separator(text: str) -> str | None:
    """The separator that gives most lines one and the same number of cells; None for plain text."""
    lines = [t for t in text.splitlines() if t.strip()][:400]
    best, most = None, 0.0
    spaced = _drawn_up(text)
    for candidate in SEPARATORS:
        try:
            counts = Counter(len(row) for row in csv.reader(lines, delimiter=candidate))
        except csv.Error:  # a field longer than any cell
            continue
        counts.pop(1, None)
        if not counts:
            continue
        wide, often = counts.most_common(1)[0]
        score = often / len(lines) + 0.01 * min(wide, 8)
        if spaced and candidate == ",":
            continue  # the commas stand within cells
        if often >= max(2, 0.4 * len(lines)) and score > most + 0.05:
            best, most = candidate, score
    return best


def _workbook(path: Path) -> list[Line]:
    from openpyxl import load_workbook

    out = []
    try:
        with opened_zip(path, "workbook", MOST_UNPACKED) as archive:
            sheets = [name for name in archive.namelist() if re.fullmatch(r"xl/worksheets/[^/]*\.xml", name)]
            rows, columns = (max(extent) for extent in zip((1, 1), *(_filled(archive, s) for s in sheets), strict=True))
        if rows > MOST_ROWS or columns > MOST_COLUMNS:
            raise NuvloError(
                Problem(f"has cells beyond {MOST_ROWS:,} rows or {MOST_COLUMNS} columns.", "Take out what is no part.",
                        path.name)
            )  # fmt: skip
        book = load_workbook(path, read_only=True, data_only=True)
        for sheet in book.worksheets:
            for number, row in enumerate(sheet.iter_rows(max_row=rows, max_col=columns, values_only=True), 1):
                if number % 256 == 0:
                    pause()
                cells = tuple(_cell(v) for v in row)
                while cells and not cells[-1]:
                    cells = cells[:-1]
                if cells:
                    out.append(Line(number, cells, ", ".join(c for c in cells if c), sheet.title))
        book.close()
    except NuvloError:
        raise
    except Exception as bad:  # whatever a damaged one makes of the reader
        raise NuvloError(
            Problem("is no workbook that can be opened.", "Save the list as CSV or XLSX.", path.name)
        ) from bad
    return out


def _filled(archive: ZipFile, sheet: str) -> tuple[int, int]:
    """The last row and the last column of a sheet that hold anything, from its XML: what it says of its own size may be
    untrue, and empty cells may stand far out."""
    last_row = last_column = 1
    row = column = 0
    with archive.open(sheet) as source:
        for event, element in iterparse(source, ("start", "end")):
            kind = element.tag.rpartition("}")[2]
            if kind == "row" and event == "start":
                row, column = int(element.get("r", row + 1)), 0
                pause()
            elif kind == "c" and event == "end":
                letters = re.match("[A-Z]*", element.get("r", ""))
                column = _column_of(letters[0]) if letters and letters[0] else column + 1
                if len(element):
                    last_row, last_column = max(last_row, row), max(last_column, column)
            if event == "end" and kind == "row":
                element.clear()
    return last_row, last_column


def _column_of(letters: str) -> int:
    """Number of a column: A is 1, XFD is 16384."""
    out = 0
    for letter in letters[:8]:
        out = 26 * out + ord(letter) - 64
    return out


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.12g}"
    return str(value).strip()
