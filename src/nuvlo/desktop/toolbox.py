"""What the window shows beside its stages: each tool is worked out off the interface thread, then shown."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog, QWidget

from nuvlo.desktop.frame import Frame
from nuvlo.desktop.jobs import LOG, then_or_say
from nuvlo.files.kit_folder import Cover
from nuvlo.logbook.benches import PRACTICE, hidden_in
from nuvlo.logbook.projections import Card
from nuvlo.workshop.commands.arguments import ColumnMeans, LineSays, NotUnderstood, line_says, nearest
from nuvlo.workshop.snapshot import Snapshot

if TYPE_CHECKING:
    from nuvlo.workshop.shelf import Shelf
    from nuvlo.workshop.workshop import Workshop

BEGUN_BY = {"begin": "typed", "practise": "simulated", "hunt": "practice"}  # what begins a unit, and its bench
FIRST_ONES = 2  # that a beginner is given
FIRST_SEED = 101  # of units that are begun for practice


class Toolbox:
    """The tools of one window. Each method carries out what is typed after its word."""

    def __init__(self, window: Frame) -> None:
        self.window = window
        self.list_path: Path | None = None
        self.list_columns: dict[str, str] = {}
        self.list_mended: dict[int, str] = {}
        self.shelf: Shelf | None = None
        self._first = ""  # what is said before what is on the shelf
        self._glimpsed: Shelf | None = None  # what is shown of a workshop that is still opening
        self._then: Callable[[], None] | None = None  # what was picked there

    @property
    def _shown(self) -> Snapshot:
        shown = self.window.controller.shown
        assert shown is not None, "a tool of a build was asked for on the shelf"
        return shown

    @property
    def _workshop(self) -> Workshop:
        workshop = self.window.controller.workshop
        assert workshop is not None, "a tool was asked for before a workshop was open"
        return workshop

    def _say(self, words: str, good: bool) -> None:
        self.window.bench_line.say(words, good)

    def _answer(
        self, words: str, job: Callable[[], Any], tool: Callable[[], QWidget], after: str = "Esc returns to the stage."
    ) -> None:
        """Work something out, then show it in a tool of its own."""

        def show(found: Any) -> None:
            made: Any = tool()
            made.show_answer(found)
            self.window.show_tool(made)
            self._say(after, True)

        self.window.controller.work(words, job, show)

    # -- the shelf ----------------------------------------------------------------------------------------------

    def list_shelf(self, *, anew: bool = True) -> None:
        """Look over the workshop, off the interface thread, and show its shelf; unless ``anew``, only where it has changed."""
        from nuvlo.workshop.shelf import shelf

        workshop = self.window.controller.workshop
        if workshop is None:
            return

        def show(found: Shelf) -> None:
            if found == self.shelf and not anew:
                return
            self.shelf = found
            if found != self._glimpsed:
                self.window.shelf.show_shelf(workshop.places.folder.name, found)
            self._glimpsed = None
            self.window.controller.stands()
            known = {f"{c.kit} {c.serial}": c.step or c.verdict for c in found.cards} | {
                k.name: k.family for k in found.kits
            }
            if self.window.controller.shown is None:
                self.window.bench_line.use(None, known)
                first, self._first = self._first, ""
                self._say(
                    f"{first}{len(found.in_hand)} in hand, {len(found.finished)} finished, {len(found.kits)} kits within reach.",
                    True,
                )
            then, self._then = self._then, None
            if then is not None:
                then()

        self.window.controller.jobs.start(LOG, lambda: shelf(workshop), then_or_say(show, self._say))

    def glimpse(self, folder: str, found: Shelf | None) -> None:
        """Show the shelf of a workshop that is still opening; with None there is nothing to see of it."""
        self._glimpsed = found
        if found is None:
            self._then = None
        else:
            self.window.shelf.show_shelf(folder, found)

    def once_open(self, act: Callable[[], None]) -> None:
        """Do what was picked on the shelf as soon as the workshop is open; what is picked last counts."""
        if self.shelf is not None:
            act()
        else:
            self._then = act
            self._say("The workshop is opening; then this is done.", True)

    def take_card(self, card: Card) -> None:
        """Go on with a build."""
        if card.problem:
            self._say(card.problem, False)
            return
        self.window.controller.take_in_hand(lambda workshop: workshop.open(card.build))

    def begin_kit(self, cover: Cover, on: str) -> None:
        """Begin a build of a kit, with a typed, a simulated or a practice bench. The first mistakes to be found are easy ones."""
        from nuvlo.files.kit_folder import read_kit
        from nuvlo.instruments.practice import EASY_ONES

        begun = sum(c.kit == cover.name for c in self.shelf.cards) if self.shelf else 0
        hunted = sum(c.kit == cover.name and hidden_in(c.bench) for c in self.shelf.cards) if self.shelf else 0
        easy = f":{EASY_ONES}" if hunted < FIRST_ONES else ""
        bench = {"simulated": f"simulated:{FIRST_SEED + begun}", "practice": f"{PRACTICE}:{hunted + 1}{easy}"}.get(on, "typed")
        self.window.controller.take_in_hand(
            lambda workshop: workshop.start(read_kit(cover.folder), bench=bench), "Reading the kit"
        )

    def pick_file(self) -> None:
        """Let the builder pick a kit's zip or a parts list."""
        chosen, _ = QFileDialog.getOpenFileName(
            self.window.bench_line,
            "Open a kit or a parts list",
            "",
            "Kits and parts lists (*.zip *.csv *.tsv *.txt *.xlsx *.toml);;All (*)",
        )
        if chosen:
            path = Path(chosen)
            self.open_path(path.parent if path.name in ("kit.toml", "bom.csv") else path)

    def pick_folder(self) -> None:
        """Let the builder pick a kit folder."""
        chosen = QFileDialog.getExistingDirectory(self.window.bench_line, "Open a kit folder")
        if chosen:
            self.open_path(Path(chosen))

    def open_sheet(self, *, folder: bool) -> None:
        """Let the desktop open the sheet that was written, or the folder it lies in."""
        sheet = self._shown.sheet_path
        if not self._shown.build.exports or not sheet.exists():
            self._say("No sheet is written yet: type 'sheet'.", False)
            return
        what = sheet.parent if folder else sheet
        if QDesktopServices.openUrl(QUrl.fromLocalFile(str(what))):
            self._say(f"{what.name} is opened.", True)
        else:
            self._say(f"This desktop has nothing that opens it. It lies here: {what}", False)

    def open_path(self, path: Path) -> None:
        """A kit folder or zip is begun, or gone on with where it was; anything else is read as a parts list."""
        from nuvlo.files.kit_folder import read_kit

        if path.is_dir() or path.suffix.lower() == ".zip":
            self.window.controller.take_in_hand(lambda workshop: workshop.open_kit(read_kit(path)), "Reading the kit")
            return
        self.import_path(path)

    def back_up(self, place: str) -> None:
        """Write all of the workshop to one file; beside its folder where no ``place`` is named."""
        from nuvlo.workshop.backup import back_up

        workshop = self._workshop
        target = Path(place.strip("'\"")).expanduser() if place else None
        self.window.controller.work(
            "Writing the backup", lambda: back_up(workshop, target),
            lambda kept: self._say(f"Written: {kept.place}: {kept.words}.", True),
        )  # fmt: skip

    def restore(self, text: str) -> None:
        """Put a backup back as a workshop beside this one, named as its file, and open it."""
        from nuvlo.workshop.backup import Kept, restore

        source, beside = self.window.file_named(text), self._workshop.places.folder.resolve()
        if source is None:
            return
        target = beside.with_name(f"{source.stem}-restored")

        def put_back() -> tuple[Kept, Workshop]:
            from nuvlo.workshop.workshop import Workshop

            kept = restore(source, target)
            return kept, Workshop(kept.place)

        def then(found: tuple[Kept, Workshop]) -> None:
            kept, workshop = found
            self._first = f"Restored to {kept.place.name}: {kept.words}. "
            self.window.controller.change_workshop(workshop)

        self.window.controller.work("Looking over the backup", put_back, then)

    def typed_at_shelf(self, line: str) -> bool:
        """A line typed while no build is in hand: the name of one, of a kit, or one of the few words that make sense there.
        Whether anything came of it."""
        word, _, rest = line.partition(" ")
        if self.shelf is None:
            self._say("The workshop is still opening.", False)
            return False
        if word.lower() == "import" and rest:
            self.import_list(rest)
        elif word.lower() == "column" and rest:
            heading, _, meaning = rest.replace("=", " ").rpartition(" ")
            self.column(ColumnMeans(heading.strip(), meaning.strip().lower()))
        elif word.lower() == "line" and rest:
            try:
                self.mend_line(line_says(rest))
            except NotUnderstood as why:
                self._say(str(why), False)
                return False
        elif word.lower() == "take":
            self.take(rest)
        elif word.lower() == "backup":
            self.back_up(rest)
        elif word.lower() == "restore" and rest:
            self.restore(rest)
        elif word.lower() in ("daylight", "lamp"):
            self.window.set_theme(word.lower())
        elif word.lower() == "help":
            self._say(
                "Type the name of a build or kit, 'begin' and a kit for another unit, 'practise' or 'hunt' and a kit to learn on one, import and a file, or backup.",
                True,
            )
        else:
            return self._pick_named(line)
        return True

    def _pick_named(self, line: str) -> bool:
        assert self.shelf is not None
        on = BEGUN_BY.get(line.partition(" ")[0].lower() if " " in line else "", "")
        anew = bool(on)
        name = line.partition(" ")[2].strip().lower() if anew else line.lower()
        card = next((c for c in self.shelf.cards if name in (f"{c.kit} {c.serial}".lower(), c.kit.lower())), None)
        cover = next((k for k in self.shelf.kits if name == k.name.lower()), None)
        if card is not None and not anew:
            self.take_card(card)
        elif cover is not None:
            self.begin_kit(cover, on)
        else:
            known = [*(f"{c.kit} {c.serial}" for c in self.shelf.cards), *(k.name for k in self.shelf.kits)]
            self._say(f"There is no build or kit '{line}' on the shelf. {nearest(name, known)}", False)
            return False
        return True

    # -- tools of a build ---------------------------------------------------------------------------------------

    def recipe(self, line: str) -> None:
        from nuvlo.desktop.tools.recipe import RecipeTool, answer
        from nuvlo.files.recipe import save_recipe

        recipes = self._workshop.places.recipes
        name = line.split()[1:] if line.split()[:1] == ["save"] else []
        if not name:
            self._answer("Working out the recipe", lambda: answer(line, [recipes]), RecipeTool)
            return
        shown = self.window.tool.shown if isinstance(self.window.tool, RecipeTool) else None
        if shown is None:
            self._say("Work one out first: recipe pad db=20 load=2k4.", False)
            return
        self.window.controller.work(
            "Saving the recipe", lambda: save_recipe(shown.recipe, shown.inputs, recipes, name[0]),
            lambda folder: self._say(f"Saved as '{folder.name}' in {recipes.name}/.", True),
        )  # fmt: skip

    def what(self) -> None:
        from nuvlo.desktop.tools.what import WhatTool

        self.window.show_tool(WhatTool(self._shown.kit, self._shown.build.ticked))

    def alike(self) -> None:
        """Parts of this kit that are easily taken for one another."""
        from nuvlo.desktop.tools.alike import AlikeTool

        kit = self._shown.kit
        self._answer("Looking for what is alike", lambda: kit, AlikeTool)

    def cabinet(self, line: str) -> None:
        """Ways to wire loudspeakers: those named, else the kit's own."""
        from nuvlo.desktop.tools.cabinet import CabinetTool, answer

        own = [p for p in self._shown.kit.parts.values() if p.kind == "driver"]
        said = [m[1] for p in own if (m := re.search(r"([\d.]+)\s*Ω", p.text))]
        if not line and said:
            line = "+".join(f"1x{ohms}" for ohms in said)
        elif line and "=" in line.split()[0] and said:
            line = "+".join(f"1x{ohms}" for ohms in said) + f" {line}"
        self._answer("Wiring them every way", lambda: answer(line), CabinetTool)

    def why(self, name: str) -> None:
        """What widens the window of a reading, and which mistakes move it: of the one in hand where none is named."""
        from nuvlo.desktop.tools.why import WhyTool
        from nuvlo.diagnosis.why import why

        session, stop = self.window.controller.session, self._shown.stop() or self._shown.now()
        place = name or (stop.task.target if stop else "")
        if session is None or not place:
            self._say("Why what? Name a test point.", False)
            return
        self._answer(f"Trying what moves {place}", lambda: why(session.working_model(), place), WhyTool)

    def power(self) -> None:
        """What the unit draws."""
        from nuvlo.desktop.tools.power import PowerTool
        from nuvlo.electrics.power import rails

        kit, build = self._shown.kit, self._shown.build
        self._answer("Working out what it draws", lambda: rails(kit, build=build), PowerTool)

    def pedalboard(self, line: str) -> None:
        """Plans of a pedalboard's interface."""
        from nuvlo.desktop.tools.pedalboard import PedalboardTool, answer

        path = self.window.file_named(line) if line.lower().endswith(".toml") else Path(line)
        if path is not None:
            self._answer("Working out the treble", lambda: answer(str(path) if line else ""), PedalboardTool)

    def rack(self, line: str) -> None:
        """What a rack draws from its supply."""
        from nuvlo.desktop.tools.rack import RackTool
        from nuvlo.electrics.rack import racked
        from nuvlo.files.rack import read_rack

        path = self.window.file_named(line)
        if path is not None:
            self._answer("Adding up the rack", lambda: racked(read_rack(path)), RackTool)

    def bonds(self) -> None:
        """Ground and case."""
        from nuvlo.desktop.tools.power import BondsTool
        from nuvlo.electrics.radio import radio_filters
        from nuvlo.electrics.straps import settings
        from nuvlo.model.bonds import bonds

        kit = self._shown.kit
        self._answer("Following the metal", lambda: (kit, bonds(kit), settings(kit), radio_filters(kit)), BondsTool)

    def help(self) -> None:
        """What can be typed here."""
        from nuvlo.desktop.tools.help import HelpTool

        if isinstance(self.window.tool, HelpTool):
            self.window.close_tool()
            return
        tool = HelpTool()
        tool.show_answer(self._shown.stage)
        self.window.show_tool(tool)

    def compare(self, line: str) -> None:
        from nuvlo.desktop.tools.compare import CompareTool, answer

        kit, built = self._shown.box, self._shown.kit.changes
        if not line and not built:
            known = ", ".join(f"{v.id} ({v.title.lower()})" for v in kit.info.variant) or "none named"
            self._say(f"Variants: {known}. Or change what you like: compare r3=47k.", True)
            return
        self._answer("Comparing", lambda: answer(kit, line, built), CompareTool)

    def both(self) -> None:
        from nuvlo.desktop.tools.both import BothTool, answer

        kit, stances = self._shown.kit, self._shown.build.stances
        self._answer("Working out how the sides differ", lambda: answer(kit, stances), BothTool)

    def manual(self, line: str) -> None:
        """What a manual's own order blocks or endangers."""
        from nuvlo.desktop.tools.manual import ManualTool, answer

        kit, path = self._shown.kit, self.window.file_named(line)
        if path is not None:
            self._answer("Checking the order", lambda: answer(kit, path), ManualTool)

    def calendar(self, line: str) -> None:
        from nuvlo.desktop.tools.calendar import CalendarTool
        from nuvlo.workshop.schedule import schedule, written

        session = self.window.controller.session
        assert session is not None
        words = line.split()

        def job() -> Any:
            made = schedule(session, all_builds="all" in words)
            return made, written(session, made) if "save" in words else None

        def show(found: Any) -> None:
            tool = CalendarTool()
            tool.show_answer(found[0])
            self.window.show_tool(tool)
            saved = found[1]
            self._say(
                f"Written: {saved.name} and .csv in {saved.parent.name}/." if saved else "Esc returns to the stage.",
                True,
            )

        self.window.controller.work("Laying out the evenings", job, show)

    # -- parts lists --------------------------------------------------------------------------------------------

    def forget_list(self) -> None:
        """No list is open."""
        self.list_path, self.list_columns, self.list_mended = None, {}, {}

    def import_list(self, text: str) -> None:
        """Read a parts list anew, by the name that was typed."""
        path = self.window.file_named(text)
        if path is not None:
            self.import_path(path)

    def import_path(self, path: Path) -> None:
        """Read a parts list anew."""
        self.list_path = path
        self.read_list({}, {})

    def read_list(self, columns: dict[str, str], mended: dict[int, str]) -> None:
        """Read the open list with ``columns`` and lines put right; they are kept only where it can be read so."""
        from nuvlo.desktop.tools.parts_list import PartsListTool
        from nuvlo.files.parts_list import read_parts_list

        path = self.list_path
        assert path is not None

        def show(found: Any) -> None:
            self.list_columns, self.list_mended = columns, mended
            tool = self.window.tool
            if not isinstance(tool, PartsListTool):
                tool = PartsListTool()
                tool.begun.connect(self._take_as_named)
                tool.mends.connect(self.window.bench_line.begin_with)
            tool.show_list(found)
            self.window.show_tool(tool)
            self._say(f"{len(found.parts)} parts. 'take NAME' begins a build of them.", True)

        self.window.controller.work("Reading the list", lambda: read_parts_list(path, columns, mended), show)

    def _open_list(self) -> Path | None:
        """The list that is open; where none is, that is said."""
        if self.list_path is None:
            self._say("No list is open: type import and the file's name.", False)
        return self.list_path

    def column(self, given: ColumnMeans) -> None:
        """Take a column of the open list for something else."""
        if self._open_list():
            self.read_list({**self.list_columns, given.heading: given.meaning}, self.list_mended)

    def mend_line(self, given: LineSays) -> None:
        """Put a line of the open list right."""
        if self._open_list():
            self.read_list(self.list_columns, {**self.list_mended, given.number: given.text})

    def _take_as_named(self) -> None:
        """Begin a build under the name of the list's file; where a kit has that, the builder is asked for another."""
        path = self._open_list()
        if path is not None and (self._workshop.places.kits / path.stem).exists():
            self.window.bench_line.begin_with(f"take {path.stem} ")
            self._say(f"There is a kit '{path.stem}' already: give this one a name of its own.", False)
        else:
            self.take("")

    def take(self, name: str) -> None:
        """Make a kit of the list that is shown, and begin a build of it."""
        path, columns, mended = self._open_list(), dict(self.list_columns), dict(self.list_mended)
        if path is None:
            return
        # The list stays open until there is a kit of it: what was put right in it is not lost to a name that is taken.
        self.window.controller.take_in_hand(lambda workshop: workshop.start_from_list(path, name or path.stem, columns, mended))
