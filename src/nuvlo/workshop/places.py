"""Where things are kept: shipped kits, and what a workshop's folder holds."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from io import BytesIO
from pathlib import Path

from nuvlo.files.drawer import Spare, read_drawer
from nuvlo.files.kit_folder import is_scratch, read_kit
from nuvlo.files.meter import read_reach
from nuvlo.files.mistakes import Habits, learnt, read_habits, shipped
from nuvlo.files.whole import bytes_of, folder_whole, write_whole
from nuvlo.kit import Kit
from nuvlo.kit.kit import HAND_HELD, Reach
from nuvlo.kit.reach import within
from nuvlo.logbook import Build
from nuvlo.problems import NuvloError, Problem

SHIPPED = Path(__file__).parents[1] / "demo" / "kits"
SHIPPED_PREFIX = "shipped:"
MOST_PICTURE = 50_000_000  # bytes
LOGBOOK = "logbook.db"
FREE = "free.csv"  # when the builder has time


def kit_place(text: str) -> Path:
    """Folder of a kit as a build remembers it."""
    return SHIPPED / text.removeprefix(SHIPPED_PREFIX) if text.startswith(SHIPPED_PREFIX) else Path(text)


def remembered_as(folder: Path) -> str:
    """What a build remembers of the folder of its kit. Shipped kits move with the program: their place is kept by name."""
    folder = folder.resolve()
    return f"{SHIPPED_PREFIX}{folder.name}" if folder.parent == SHIPPED.resolve() else str(folder)


class Places:
    """The folder of one workshop."""

    def __init__(self, folder: Path) -> None:
        self.folder = Path(folder)
        self._kits: dict[str, Kit] = {}  # by the folder a build remembers

    @property
    def logbook(self) -> Path:
        return self.folder / LOGBOOK

    @property
    def sheets(self) -> Path:
        """What is written for people."""
        return self.folder / "sheets"

    @property
    def pictures(self) -> Path:
        """Pictures of boards and joints."""
        return self.folder / "pictures"

    @property
    def kits(self) -> Path:
        """Kits made of parts lists, and others that were put on the shelf."""
        return self.folder / "kits"

    @property
    def recordings(self) -> Path:
        """Readings that were taken elsewhere."""
        return self.folder / "recordings"

    def keep_recording(self, path: Path) -> str:
        """Copy a table of readings into the workshop; its name there. Raises :class:`NuvloError`."""
        data = bytes_of(path)
        name = f"{path.stem}-{hashlib.sha256(data).hexdigest()[:8]}{path.suffix.lower()}"
        try:
            self.recordings.mkdir(parents=True, exist_ok=True)
            write_whole(self.recordings / name, lambda there: there.write_bytes(data))
        except OSError as bad:
            raise NuvloError(Problem(f"{path.name} cannot be kept: {bad.strerror}.", "Check the folder.")) from bad
        return name

    def elsewhere(self, place: str) -> Path:
        """Where a backup puts the kit of a build that stood outside the workshop."""
        return self.folder / "elsewhere" / hashlib.sha256(place.encode()).hexdigest()[:16]

    @property
    def recipes(self) -> Path:
        """Recipes of one's own, a folder each."""
        return self.folder / "recipes"

    @property
    def free(self) -> Path:
        """The builder's free evenings."""
        return self.folder / FREE

    def drawer(self) -> list[Spare]:
        """Spare parts; none where there is no ``drawer.csv``. Raises :class:`NuvloError` for one with mistakes."""
        path = self.folder / "drawer.csv"
        return read_drawer(path) if path.exists() else []

    def reach(self) -> Reach:
        """What its meter reads of AC: as its own ``meter.toml`` says, else as a hand-held one."""
        own = self.folder / "meter.toml"
        return read_reach(own) if own.exists() else HAND_HELD

    def habits(self, repairs: Mapping[str, int]) -> Habits:
        """How often each kind of mistake is made: as shipped or in the workshop's own ``mistakes.csv``, and as its ``repairs`` by kind
        have taught. Raises :class:`NuvloError` for a table with mistakes."""
        own = self.folder / "mistakes.csv"
        return learnt(read_habits(own) if own.exists() else shipped(), repairs)

    def found(self, text: str) -> Path:
        """A file as it was typed: from here, else from the workshop's folder. Raises :class:`NuvloError` for none."""
        path = Path(text.strip().strip("'\""))
        with suppress(RuntimeError):  # there may be no such user
            path = path.expanduser()
        for there in (path, self.folder / path):
            with suppress(OSError, ValueError):  # a name longer than any, or with what no name holds
                if there.is_file():
                    return there
        raise NuvloError(Problem(f"there is no file '{text}'.", "Name it from here or from the workshop's folder."))

    def keep_picture(self, path: Path) -> str:
        """Copy a picture into the workshop; its name there. Raises :class:`NuvloError`."""
        from PIL import Image

        data = bytes_of(path, most=MOST_PICTURE)
        try:
            with Image.open(BytesIO(data)) as picture:
                picture.load()
        except Exception as bad:  # whatever a damaged one makes of the reader
            raise NuvloError(
                Problem(f"{path.name} is not a picture that can be read.", "Take a PNG or a JPEG.")
            ) from bad
        try:
            name = f"{path.stem}-{hashlib.sha256(data).hexdigest()[:8]}{path.suffix.lower()}"
            self.pictures.mkdir(parents=True, exist_ok=True)
            write_whole(self.pictures / name, lambda there: there.write_bytes(data))
        except OSError as bad:
            raise NuvloError(Problem(f"{path.name} cannot be kept: {bad.strerror}.", "Check the folder.")) from bad
        return name

    def keep_kit(self, kit: Kit) -> str:
        """Remember a kit that was read; what a build is to remember of its place. One out of a zip is copied into the workshop,
        under its contents: the same zip is the same kit."""
        if is_scratch(kit.folder):
            kit = replace(kit, folder=self._own_copy(kit))
        place = remembered_as(kit.folder)
        self._kits[place] = within(kit, self.reach())
        return place

    def _own_copy(self, kit: Kit) -> Path:
        digest = hashlib.sha256()
        for file in sorted(f for f in kit.folder.rglob("*") if f.is_file()):
            digest.update(str(file.relative_to(kit.folder)).encode() + b"\0" + file.read_bytes())
        safe = "".join(c if c.isalnum() or c in " -_" else "-" for c in kit.name)[:60].strip() or "kit"
        target = self.kits / f"{safe}-{digest.hexdigest()[:8]}"
        if not target.exists():
            try:
                folder_whole(target, lambda there: shutil.copytree(kit.folder, there, dirs_exist_ok=True))
            except OSError as bad:
                raise NuvloError(Problem(f"{kit.name} cannot be kept: {bad.strerror}.", "Check the folder.")) from bad
        return target

    def kit_of(self, build: Build) -> Kit:
        """The kit of a build, as it came; read once. Raises :class:`NuvloError` where it is gone."""
        return self.kit_at(build.folder)

    def kit_at(self, place: str) -> Kit:
        """The kit at a place as builds remember it; read once. Raises :class:`NuvloError` where it is gone."""
        folder = kit_place(place)
        if not folder.exists():  # the workshop was moved, or put back from a backup
            moved = (self.kits / folder.name, self.elsewhere(place))
            folder = next((f for f in moved if f.is_dir()), folder)
        if place not in self._kits or not folder.exists():
            self._kits[place] = within(read_kit(folder), self.reach())
        return self._kits[place]
