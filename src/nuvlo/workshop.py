"""Opens kits and builds; with :mod:`nuvlo.session` and :mod:`nuvlo.commands` the only door the faces use."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from pathlib import Path

from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit, read_kit
from nuvlo.kit.drawer import Spare, read_drawer
from nuvlo.logbook import Build, fold
from nuvlo.logbook.store import Logbook
from nuvlo.problems import NuvloError, Problem
from nuvlo.session import Session

SHIPPED = Path(__file__).parent / "demo" / "kits"
ON_THE_BENCH = Path(__file__).parent / "demo" / "bench"  # the demo's drawer, and a parts list to read in
SHIPPED_PREFIX = "shipped:"
FIRST_SEED = 7  # of the demo's first unit


class Workshop:
    """A folder with a logbook, and the kits within reach."""

    def __init__(self, folder: Path, wrong: Mapping[str, str | float] | None = None) -> None:
        """``wrong`` puts wrong parts into the units of simulated benches, for practice and for tests."""
        self.folder = Path(folder)
        self.wrong = wrong
        self.logbook = Logbook(self.folder / "logbook.db")
        self._kits: dict[str, Kit] = {}  # by the folder a build remembers

    def close(self) -> None:
        self.logbook.close()

    @property
    def sheets(self) -> Path:
        return self.folder / "sheets"

    @property
    def pictures(self) -> Path:
        """Pictures of boards and joints."""
        return self.folder / "pictures"

    @property
    def kits(self) -> Path:
        """Kits made of parts lists."""
        return self.folder / "kits"

    @property
    def recipes(self) -> Path:
        """Recipes of one's own, a folder each."""
        return self.folder / "recipes"

    def drawer(self) -> list[Spare]:
        """Spare parts; none where the workshop has no ``drawer.csv``. Raises :class:`NuvloError` for one with mistakes."""
        path = self.folder / "drawer.csv"
        return read_drawer(path) if path.exists() else []

    def builds(self) -> list[Build]:
        return self.logbook.builds()

    def start(self, kit: Kit, serial: str | None = None, bench: str = "typed") -> Session:
        """A new build of ``kit``."""
        folder = kit.folder.resolve()
        # Shipped kits move with the program; their place is kept by name.
        place = f"{SHIPPED_PREFIX}{folder.name}" if folder.parent == SHIPPED.resolve() else str(folder)
        serial = serial or f"{1 + sum(b.kit == kit.name for b in self.builds()):03d}"
        build = self.logbook.start(kit.name, place, serial, bench)
        self._kits[place] = kit
        return Session(self, kit, build, self.logbook.events(build.id))

    def start_from_list(self, path: Path, name: str, columns: Mapping[str, str] | None = None) -> Session:
        """A kit of the parts list at ``path``, kept in this workshop, and a first build of it.

        Raises :class:`NuvloError` where the list cannot be read, holds no parts, or the name is taken or no name.
        """
        from nuvlo.kit.parts_list import bom_csv, read_parts_list

        found = read_parts_list(path, columns)
        if not found.parts:
            raise NuvloError(
                Problem("the list holds no parts.", "Say what its columns are, and read it again.", found.name)
            )
        folder = self.kits / "".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip()
        if folder.exists() or folder == self.kits:
            raise NuvloError(Problem(f"there is a kit '{name}' already.", "Take another name."))
        folder.mkdir(parents=True)
        (folder / "bom.csv").write_text(bom_csv(p.part for p in found.parts), encoding="utf-8")
        return self.start(read_kit(folder))

    def found(self, text: str) -> Path:
        """A file as it was typed: from here, else from the workshop's folder. Raises :class:`NuvloError` for none."""
        path = Path(text.strip().strip("'\"")).expanduser()
        for there in (path, self.folder / path):
            if there.is_file():
                return there
        raise NuvloError(Problem(f"there is no file '{text}'.", "Name it from here or from the workshop's folder."))

    def keep_picture(self, path: Path) -> str:
        """Copy a picture into the workshop; its name there. Raises :class:`NuvloError`."""
        data = path.read_bytes()
        name = f"{path.stem}-{hashlib.sha256(data).hexdigest()[:8]}{path.suffix.lower()}"
        try:
            self.pictures.mkdir(parents=True, exist_ok=True)
            (self.pictures / name).write_bytes(data)
        except OSError as bad:
            raise NuvloError(Problem(f"{name} cannot be kept: {bad.strerror}.", "Check the folder.")) from bad
        return name

    def kit_of(self, build: Build) -> Kit:
        """The kit of a build, as it came; read once. Raises :class:`NuvloError` where it is gone."""
        place = kit_place(build.folder)
        if build.folder not in self._kits or not place.exists():
            self._kits[build.folder] = read_kit(place)
        return self._kits[build.folder]

    def open(self, build_id: str) -> Session:
        """A build as its log left it."""
        events = self.logbook.events(build_id)
        build = fold(build_id, events)
        return Session(self, self.kit_of(build), build, events)

    def bench_for(self, kit: Kit, build: Build) -> SimulatedBench | None:
        """The simulated bench of a demo build, standing where the log left it; None where values are typed in."""
        kind, _, seed = build.bench.partition(":")
        if kind != "simulated" or kit.circuit is None:
            return None
        bench = SimulatedBench(HiddenUnit(kit, int(seed or 0), self.wrong))
        bench.follow(build)
        return bench


def kit_place(text: str) -> Path:
    """Folder of a kit as a build remembers it."""
    return SHIPPED / text.removeprefix(SHIPPED_PREFIX) if text.startswith(SHIPPED_PREFIX) else Path(text)


def demo_workshop(folder: Path, *, another: bool = False) -> Workshop:
    """The demo workshop in ``folder``, with a first build on a simulated bench when it is new, or ``another`` one."""
    workshop = Workshop(folder)
    builds = workshop.builds()
    if not workshop.logbook.read_only:
        for file in ON_THE_BENCH.iterdir():
            if not (workshop.folder / file.name).exists():
                (workshop.folder / file.name).write_bytes(file.read_bytes())
    if (another or not builds) and not workshop.logbook.read_only:
        # Each unit of the demo has parts of its own.
        workshop.start(read_kit(SHIPPED / "gorsefire"), bench=f"simulated:{FIRST_SEED + len(builds)}")
    return workshop
