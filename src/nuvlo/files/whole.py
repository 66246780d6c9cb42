"""Files that people hand us are read within bounds; files we write for people are whole or not there.

The bounds are stated in ``docs/kit-format.md``.
"""

from __future__ import annotations

import csv
import errno
import io
import os
import re
import shutil
import tomllib
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from zipfile import ZipFile

from nuvlo.problems import NuvloError, Problem
from nuvlo.progress import pause

MOST_BYTES = 8_000_000  # of one file that is read
ZIPPED = b"PK\x03\x04"
MOST_IN_ZIP, MOST_FILES = 64_000_000, 500  # bytes unpacked, and files


def bytes_of(path: Path, folder: Path | None = None, most: int = MOST_BYTES) -> bytes:
    """What a file holds. One that is no plain file, is too large, or leads out of ``folder`` is refused with
    :class:`NuvloError`."""
    name = path.name
    if folder is not None and not path.resolve().is_relative_to(folder.resolve()):
        raise NuvloError(Problem("leads out of its folder.", "Put the file itself there, not a link.", name))
    try:
        if path.exists() and not path.is_file():
            raise NuvloError(Problem("is not a file that can be read.", "Check its name.", name))
        with path.open("rb") as file:
            data = file.read(most + 1)
    except OSError as bad:
        raise NuvloError(Problem(f"cannot be read: {bad.strerror}.", "Check its name and permissions.", name)) from bad
    if len(data) > most:
        raise NuvloError(
            Problem(f"is larger than {most // 1_000_000} MB.", "Take out what does not belong there.", name)
        )
    return data


def text_of(path: Path, folder: Path | None = None) -> str:
    """What stands in a text file, read like :func:`bytes_of`. Raises :class:`NuvloError` where it is no UTF-8."""
    data = bytes_of(path, folder)
    if data.startswith(ZIPPED):
        raise NuvloError(Problem("is a workbook or a zip, not text.", "Save it as CSV in UTF-8.", path.name))
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        raise NuvloError(Problem(f"is not UTF-8 text (byte {bad.start}).", "Save it as UTF-8.", path.name)) from bad


def toml_of(text: str, name: str) -> dict[str, Any]:
    """The tables of a TOML file. Raises :class:`NuvloError` with the line where it cannot be read, or is nested or has
    numbers beyond what any file for a person has."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as bad:
        place = re.search(r"line (\d+), column (\d+)", str(bad))
        line, column = (int(place[1]), int(place[2])) if place else (len(text.splitlines()), 1)
        message = re.sub(r" \(at .*\)", "", str(bad))
        lines = text.splitlines()
        here = lines[line - 1] if line <= len(lines) else ""
        if here.split("#")[0].count('"') % 2 and ("'\\n'" in message or "nterminated" in message):
            raise NuvloError(Problem("a quotation mark is missing: a text begins here and does not end.", "Put \" behind it.", name, line, column)) from bad
        raise NuvloError(Problem(f"{message}.", "Mend the TOML there.", name, line, column)) from bad
    except (RecursionError, ValueError) as bad:
        why = "is nested too deeply" if isinstance(bad, RecursionError) else "holds a number of thousands of digits"
        raise NuvloError(Problem(f"{why}.", "Mend the TOML.", name, 1, 1)) from bad


def csv_rows(text: str, name: str) -> Iterator[tuple[int, list[str]]]:
    """Each row of a CSV table with the number of its last line. Raises :class:`NuvloError` where a field is longer than
    ``csv`` takes, or an old line ending stands within one."""
    reader = csv.reader(io.StringIO(text))
    try:
        for number, cells in enumerate(reader):
            if number % 256 == 0:
                pause()
            yield reader.line_num, cells
    except csv.Error as bad:
        remedy = "Look for a quotation mark that is not closed, and save it with plain line ends."
        raise NuvloError(Problem(f"cannot be cut into fields: {bad}.", remedy, name, reader.line_num, 1)) from bad


@contextmanager
def opened_zip(
    path: Path, kind: str = "zip", most_bytes: int = MOST_IN_ZIP, most_files: int = MOST_FILES
) -> Iterator[ZipFile]:
    """A zip, or a ``kind`` of file that is one inside, opened for reading. One that would unpack to too much or is
    encrypted is refused with :class:`NuvloError`, and so is one that turns out damaged while it is read."""
    try:
        with ZipFile(path) as archive:
            inside = archive.infolist()
            if len(inside) > most_files or sum(i.file_size for i in inside) > most_bytes:
                most = f"{most_files} files and {most_bytes // 1_000_000} MB"
                raise NuvloError(Problem(f"holds more than {most}.", "What belongs here is small.", path.name))
            if any(i.flag_bits & 1 for i in inside):
                raise NuvloError(Problem("is encrypted.", "Take the password off it first.", path.name))
            yield archive
    except NuvloError:
        raise
    except Exception as bad:  # each way of packing has failures of its own
        if isinstance(bad, OSError) and bad.errno not in (None, errno.EINVAL):
            raise NuvloError(Problem(f"cannot be unpacked: {bad.strerror or bad}.", "Free some space.", path.name)) from bad
        raise NuvloError(Problem(f"is no {kind} that can be opened.", "Save or send it again.", path.name)) from bad


def unpack(path: Path, target: Path) -> None:
    """Unpack a zip. One that :func:`opened_zip` refuses, or that leads out of ``target``, is refused before a byte is
    written, with :class:`NuvloError`."""
    with opened_zip(path) as archive:
        for one in archive.infolist():
            if not (target / one.filename).resolve().is_relative_to(target.resolve()) or one.external_attr >> 28 == 0xA:
                raise NuvloError(Problem(f"'{one.filename}' in it leads out of it.", "Send it again.", path.name))
        archive.extractall(target)


def _within(folder: Path, name: str) -> bool:
    return (folder / name).resolve().is_relative_to(folder.resolve())


def write_whole(path: Path, write: Callable[[Path], object]) -> None:
    """Let ``write`` fill a file beside ``path``, which then takes its place: a kill or a full disk leaves the old one whole.

    Raises ``OSError`` where it cannot be written.
    """
    beside = path.with_name(f".{path.stem[:40]}-{uuid.uuid4().hex[:8]}{path.suffix}")
    try:
        write(beside)
        with beside.open("rb") as file:
            os.fsync(file.fileno())
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)


def folder_whole(path: Path, fill: Callable[[Path], object]) -> None:
    """The same for a folder that is not there yet: it is there with all that ``fill`` puts into it, or not at all."""
    beside = path.with_name(f".{path.name[:40]}-{uuid.uuid4().hex[:8]}")
    try:
        beside.mkdir(parents=True)
        fill(beside)
        beside.rename(path)
    finally:
        shutil.rmtree(beside, ignore_errors=True)


def file_name(*words: str, most: int = 80) -> str:
    """A name of a file for what is called ``words``: bounded, and another one for other words."""
    text = "-".join(words).lower()
    safe = "".join(c if c.isascii() and c.isalnum() else "-" for c in text)
    if safe == text and len(safe) <= most:
        return safe
    import hashlib

    return f"{safe[:most].strip('-') or 'unnamed'}-{hashlib.sha256(chr(0).join(words).encode('utf-8', 'replace')).hexdigest()[:8]}"
