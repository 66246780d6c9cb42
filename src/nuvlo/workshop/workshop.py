"""A workshop: its logbook, its places, and the sessions that are opened in it."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from nuvlo.files.kit_folder import read_kit
from nuvlo.files.whole import folder_whole
from nuvlo.instruments.bench import Bench, follow
from nuvlo.instruments.practice import PracticeBench, hidden_mistake
from nuvlo.instruments.recorded import RecordedBench
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit
from nuvlo.kit.revision import differences
from nuvlo.logbook import Build, BuildStarted, Event
from nuvlo.logbook.benches import PRACTICE, RECORDED, SIMULATED
from nuvlo.logbook.store import Logbook
from nuvlo.problems import NuvloError, Problem
from nuvlo.workshop.places import Places
from nuvlo.workshop.session import Session


class Workshop:
    """A folder with a logbook, and the kits within reach."""

    def __init__(self, folder: Path, wrong: Mapping[str, str | float] | None = None) -> None:
        """``wrong`` puts wrong parts into the units of simulated benches, for practice and for tests."""
        self.places = Places(folder)
        self.wrong = wrong
        self.logbook = Logbook(self.places.logbook)

    def close(self) -> None:
        self.logbook.close()

    def builds(self) -> list[Build]:
        return self.logbook.builds()

    def start(self, kit: Kit, serial: str | None = None, bench: str = "typed") -> Session:
        """A new build of ``kit``. ``bench`` names the instruments: ``typed`` or ``simulated:SEED``, or
        ``simulated:SEED:R3=390R`` for a unit with a wrong part in it; ``practice:SEED`` hides a mistake, ``practice:SEED:easy`` one that shows
        soon, ``practice:SEED:ID`` the one of this id; ``recorded:NAME`` gives the readings of a file that :meth:`Places.keep_recording` took in."""
        self.logbook.refuse_changes()
        place = self.places.keep_kit(kit)
        build = self.logbook.start(kit.name, place, serial, bench)
        return self.open(build.id)

    def open(self, build_id: str) -> Session:
        """A build as its log left it."""
        events = self.logbook.events(build_id)
        folder = _folder_of(events)
        if not folder:
            raise NuvloError(
                Problem("the beginning of this build cannot be read, so its kit is not known.",
                        "A newer Nuvlo may read it; what is in the log is left as it is.")
            )  # fmt: skip
        kit = self.places.kit_at(folder)
        return Session(self.logbook, self.places, self.bench_for, kit, build_id, events)

    def open_kit(self, kit: Kit, *, anew: bool = False) -> tuple[Session, str]:
        """The build of a kit that is in hand, or a first one, or another where one is wanted ``anew``; and where the kit is
        another revision of one that was built here, what it has otherwise."""
        place, builds = self.places.keep_kit(kit), self.builds()
        mine = [b for b in builds if b.folder == place]
        if mine and not anew:
            return self.open(mine[-1].id), ""
        others = [b for b in builds if b.kit == kit.name and b.folder != place]
        return self.start(kit), "" if mine or not others else self._told_from(kit, others[-1])

    def _told_from(self, kit: Kit, built: Build) -> str:
        with suppress(NuvloError):
            found = differences(self.places.kit_at(built.folder), kit)
            told = "; ".join(found) or "in its notes alone"
            return f"This is another revision of {kit.name} than No. {built.serial} was begun with: {told}."
        return ""

    def start_from_list(
        self, path: Path, name: str, columns: Mapping[str, str] | None = None, mended: Mapping[int, str] | None = None
    ) -> Session:
        """A kit of the parts list at ``path``, with columns and lines put right, kept in this workshop, and a first build of it.

        Raises :class:`NuvloError` where the list cannot be read, holds no parts, or the name is taken or no name.
        """
        from nuvlo.files.parts_list import bom_csv, read_parts_list

        self.logbook.refuse_changes()
        found = read_parts_list(path, columns, mended)
        if not found.parts:
            raise NuvloError(
                Problem("the list holds no parts.", "Say what its columns are, and read it again.", found.name)
            )
        folder = self.places.kits / "".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip()
        if folder.exists() or folder == self.places.kits:
            raise NuvloError(Problem(f"there is a kit '{name}' already.", "Take another name."))
        listed = bom_csv(p.part for p in found.parts)
        try:
            folder_whole(folder, lambda there: (there / "bom.csv").write_text(listed, encoding="utf-8"))
        except OSError as bad:
            raise NuvloError(
                Problem(f"'{name}' cannot be kept: {bad.strerror}.", "Take a shorter name, or free some space.")
            ) from bad
        return self.start(read_kit(folder))

    def bench_for(self, kit: Kit, build: Build) -> Bench | None:
        """The bench of a build, standing where the log left it; None where values are typed in."""
        kind, _, unit = build.bench.partition(":")
        if kind == PRACTICE and kit.unit is not None:
            seed, _, how = unit.partition(":")
            practice = PracticeBench(kit, int(seed), hidden_mistake(kit, int(seed), how))
            return _following(practice, kit, build)
        if kind == RECORDED:
            return RecordedBench(kit, self.places.recordings / Path(unit).name, build)
        if kind != SIMULATED or kit.unit is None:
            return None
        seed, _, wrong = unit.partition(":")
        hidden = dict(item.partition("=")[::2] for item in wrong.split(",") if item)
        return _following(SimulatedBench(HiddenUnit(kit, int(seed or 0), self.wrong or hidden)), kit, build)


def _following(bench: Bench, kit: Kit, build: Build) -> Bench:
    """A fresh bench, brought to where the log left it."""
    follow(bench, build, {part.ref: part.text for part in kit.parts.values()})
    return bench


def _folder_of(events: list[Event]) -> str:
    """Where the kit of a build is, as it remembers it."""
    return next((e.body.folder for e in events if isinstance(e.body, BuildStarted)), "")
