"""A workshop as one file: everything of it in a zip that any program opens, and back again, looked over on the way.

The zip holds ``logbook.db`` (an ordinary SQLite database, whole as of one moment), the kits, pictures, sheets, recipes and
tables of the workshop's folder, kits of builds that stand elsewhere, and ``nuvlo-backup.json`` with the SHA-256 of each.
"""

from __future__ import annotations

import hashlib
import json
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from zipfile import ZIP_DEFLATED, ZipFile

from nuvlo.files.whole import MOST_BYTES as KIT_FILE
from nuvlo.files.whole import folder_whole, opened_zip, write_whole
from nuvlo.logbook.store import Logbook
from nuvlo.problems import NuvloError, Problem, reader
from nuvlo.progress import pause
from nuvlo.workshop.places import LOGBOOK, Places, kit_place
from nuvlo.workshop.workshop import Workshop

CONTENTS = "nuvlo-backup.json"
LEFT_OUT = {"window.ini"}  # earlier the look of the window, which is of a user and not of a workshop: neither taken along nor put back
VERSION = 1
MOST_BYTES, MOST_FILES = 20_000_000_000, 100_000
CHUNK = 1 << 20


@dataclass(frozen=True)
class Kept:
    """A backup that was written or put back: where, how many files, and what its log holds."""

    place: Path
    files: int
    builds: int
    events: int

    @property
    def words(self) -> str:
        """What is in it."""
        counts = ((self.builds, "build", "builds"), (self.events, "entry", "entries"), (self.files, "file", "files"))
        builds, events, files = (f"{n} {one if n == 1 else more}" for n, one, more in counts)
        return f"{builds} with {events}, {files}"


def back_up(workshop: Workshop, target: Path | None = None) -> Kept:
    """Write all of a workshop to ``target``; without one beside its folder, named by the date.

    Raises :class:`NuvloError` where that cannot be written; then a backup that was there is as it was.
    """
    folder = workshop.places.folder.resolve()
    if target is None:
        target = folder.with_name(f"{folder.name}-{datetime.now():%Y%m%d-%H%M%S}.zip")
    elif target.is_dir():
        target = target / f"{folder.name}-{datetime.now():%Y%m%d-%H%M%S}.zip"
    elif not target.parent.is_dir() or (target.suffix.lower() != ".zip" and not target.exists()):
        raise NuvloError(Problem(f"there is no folder '{target}'.", "Look whether the stick is plugged in, or give the name of a file that ends in .zip."))
    if target.resolve().is_relative_to(folder):
        raise NuvloError(Problem("a backup within the workshop would go with it.", "Name a place outside its folder."))
    counts = workshop.logbook.counts()
    sums: dict[str, str] = {}

    def write(there: Path) -> None:
        with tempfile.TemporaryDirectory(prefix="nuvlo-") as scratch, ZipFile(there, "w", ZIP_DEFLATED) as archive:
            copy = Path(scratch) / LOGBOOK
            workshop.logbook.copy_to(copy)
            for name, file in _contents(workshop.places, copy, [b.folder for b in workshop.builds()]):
                pause(name)
                archive.write(file, name)
                sums[name] = _sum(file)
            about = {
                "version": VERSION, "workshop": folder.name, "written": datetime.now().astimezone().isoformat(),
                "builds": len(counts), "events": sum(counts.values()), "sha256": sums,
            }  # fmt: skip
            archive.writestr(CONTENTS, json.dumps(about, indent=1))

    try:
        write_whole(target, write)
    except OSError as bad:
        raise NuvloError(
            Problem(f"{target.name} cannot be written: {bad.strerror or bad}.", "Check the folder.")
        ) from bad
    return Kept(target, len(sums), len(counts), sum(counts.values()))


def _contents(places: Places, logbook: Path, kits: list[str]) -> Iterator[tuple[str, Path]]:
    """(name in the zip, file) of everything a workshop is made of."""
    yield LOGBOOK, logbook
    folder = places.folder.resolve()
    for file in sorted(folder.rglob("*")):
        name = file.relative_to(folder)
        ours = name.as_posix() not in LEFT_OUT and not any(p.startswith((".", LOGBOOK)) for p in name.parts)
        if ours and file.is_file() and file.resolve().is_relative_to(folder):  # no link that leads elsewhere
            yield name.as_posix(), file
    for place in sorted(set(kits)):
        kit = kit_place(place)
        if kit.is_absolute() and place == str(kit) and kit.is_dir() and not kit.resolve().is_relative_to(folder):
            for file in sorted(f for f in kit.iterdir() if f.is_file() and f.stat().st_size <= KIT_FILE):
                yield f"{places.elsewhere(place).relative_to(places.folder).as_posix()}/{file.name}", file


@reader
def restore(source: Path, folder: Path) -> Kept:
    """Put a backup back as the workshop ``folder``, which must not be there yet: every file is looked over first.

    Raises :class:`NuvloError` where it is damaged or no backup; then there is no such folder.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise NuvloError(Problem(f"'{folder.name}' is there already.", "Name a folder that is not there yet."))
    if folder.exists():
        folder.rmdir()
    found: list[Kept] = []

    def fill(there: Path) -> None:
        with opened_zip(source, "backup", MOST_BYTES, MOST_FILES) as archive:
            about = _about(archive, source)
            for name, wanted in about["sha256"].items():
                pause(name)
                if name not in LEFT_OUT:
                    _put_back(archive, name, wanted, there, source)
        log = Logbook(there / LOGBOOK)
        counts = log.counts()
        log.close()
        if sum(counts.values()) != about["events"]:
            raise _damaged(source, LOGBOOK)
        found.append(Kept(folder, len(about["sha256"]), len(counts), sum(counts.values())))

    try:
        folder_whole(folder, fill)
    except OSError as bad:
        raise NuvloError(
            Problem(f"'{folder.name}' cannot be made: {bad.strerror or bad}.", "Check the folder.")
        ) from bad
    return found[0]


def _about(archive: ZipFile, source: Path) -> dict[str, Any]:
    """What a backup says of itself."""
    try:
        about = json.loads(archive.read(CONTENTS))
        names = about["sha256"]
        if about["version"] > VERSION:
            raise NuvloError(Problem("was written by a newer Nuvlo.", "Restore it with that one.", source.name))
        if not all(isinstance(x, str) for pair in names.items() for x in pair) or LOGBOOK not in names:
            raise ValueError(CONTENTS)
        int(about["events"])
    except (KeyError, ValueError, TypeError, AttributeError, RecursionError) as bad:
        raise NuvloError(Problem("is no backup of a workshop.", "Name one that 'backup' wrote.", source.name)) from bad
    return dict(about)


def _put_back(archive: ZipFile, name: str, wanted: str, there: Path, source: Path) -> None:
    target = there / name
    if "\0" in name or not target.resolve().is_relative_to(there.resolve()):
        raise NuvloError(Problem(f"'{name}' in it leads out of it.", "Do not use this file.", source.name))
    target.parent.mkdir(parents=True, exist_ok=True)
    seen = hashlib.sha256()
    try:
        with archive.open(name) as inside, target.open("wb") as out:
            while block := inside.read(CHUNK):
                seen.update(block)
                out.write(block)
    except KeyError as missing:
        raise _damaged(source, name) from missing
    if seen.hexdigest() != wanted:
        raise _damaged(source, name)


def _damaged(source: Path, name: str) -> NuvloError:
    return NuvloError(Problem(f"'{name}' in it is damaged; nothing was put back.", "Take another backup.", source.name))


def _sum(file: Path) -> str:
    with file.open("rb") as data:
        return hashlib.file_digest(data, "sha256").hexdigest()
