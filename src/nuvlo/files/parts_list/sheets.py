"""From a file to lines of cells: encodings, separators, workbooks, tables drawn with bars, and plain text."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

from nuvlo.problems import NuvloError, Problem

SEPARATORS = ("\t", ";", ",", "|")
SPACES = re.compile(r"\s{2,}")  # columns drawn up with spaces
MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
MOST_BYTES = 20_000_000


@dataclass(frozen=True)
class Line:
    """One line that is not blank: where it stands, its cells, and how it reads. ``sheet`` of a workbook."""

    number: int
    cells: tuple[str, ...]
    text: str
    sheet: str = ""


def read_lines(path: Path) -> list[Line]:
    """All lines of a parts list. Raises :class:`NuvloError` where the file cannot be opened or is none."""
    try:
        data = path.read_bytes()
    except OSError as bad:
        raise NuvloError(
            Problem(f"cannot be opened: {bad.strerror}.", "Check its name and permissions.", path.name)
        ) from bad
    if len(data) > MOST_BYTES:
        raise NuvloError(Problem("is too large for a parts list.", "Name another file.", path.name))
    if data[:4] == b"PK\x03\x04":
        return _workbook(path)
    if b"\0" in data and not data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        raise NuvloError(Problem("is neither text nor a workbook.", "Save the list as CSV or XLSX.", path.name))
    return lines_of(decoded(data))


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
    from zipfile import BadZipFile

    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        book = load_workbook(path, read_only=True, data_only=True)
        out = []
        for sheet in book.worksheets:
            for number, row in enumerate(sheet.iter_rows(values_only=True), 1):
                cells = tuple(_cell(v) for v in row)
                if any(cells):
                    out.append(Line(number, cells, ", ".join(c for c in cells if c), sheet.title))
        book.close()
    except (BadZipFile, InvalidFileException, KeyError, ValueError, OSError) as bad:
        raise NuvloError(
            Problem("is no workbook that can be opened.", "Save the list as CSV or XLSX.", path.name)
        ) from bad
    return out


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.12g}"
    return str(value).strip()
