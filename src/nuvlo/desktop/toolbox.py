"""What the window shows beside its stages: each tool is worked out off the interface thread, then shown."""

from __future__ import annotations

from pathlib import Path


class Toolbox:
    """The tools of one window. Each method carries out what is typed after its word."""

    def __init__(self, window) -> None:
        self.window = window
        self.list_path: Path | None = None
        self.list_columns: dict[str, str] = {}

    def recipe(self, line: str) -> None:
        from nuvlo.desktop.tools.recipe import RecipeTool, answer
        from nuvlo.kit.recipe import save_recipe

        workshop = self.window.controller.session.workshop
        own = [workshop.recipes]
        name = line.split()[1:] if line.split()[:1] == ["save"] else []
        if name:
            shown = self.window.tool.shown if isinstance(self.window.tool, RecipeTool) else None
            if shown is None:
                self.window.bench_line.say("Work one out first: recipe pad db=20 load=2k4.", False)
                return
            self.window.controller.work(
                "Saving the recipe", lambda: save_recipe(shown.recipe, shown.inputs, workshop.recipes, name[0]),
                lambda folder: self.window.bench_line.say(f"Saved as '{folder.name}' in {workshop.recipes.name}/.", True),
            )  # fmt: skip
            return
        self.window.controller.work(
            "Working out the recipe",
            lambda: answer(line, own),
            lambda found: self.window.show_answer(RecipeTool(), found),
        )

    def what(self) -> None:
        from nuvlo.desktop.tools.what import WhatTool

        if self.window.controller.session is not None:
            self.window.show_tool(WhatTool(self.window.controller.session))

    def compare(self, line: str) -> None:
        from nuvlo.desktop.tools.compare import CompareTool, answer

        session = self.window.controller.session
        kit, built = session.box, session.kit.changes
        if not line and not built:
            known = ", ".join(f"{v.id} ({v.title.lower()})" for v in kit.info.variant) or "none named"
            self.window.bench_line.say(f"Variants: {known}. Or change what you like: compare r3=47k.", True)
            return
        self.window.controller.work(
            "Comparing", lambda: answer(kit, line, built), lambda found: self.window.show_answer(CompareTool(), found)
        )

    def both(self) -> None:
        from nuvlo.desktop.tools.both import BothTool, answer

        session = self.window.controller.session
        self.window.controller.work(
            "Working out what the sides differ by", lambda: answer(session.kit, session.build.stances),
            lambda found: self.window.show_answer(BothTool(), found),
        )  # fmt: skip

    def manual(self, line: str) -> None:
        """What a manual's own order blocks or endangers."""
        from nuvlo.desktop.tools.manual import ManualTool, answer

        kit, path = self.window.controller.session.kit, self.window.file_named(line)
        if path is not None:
            self.window.controller.work(
                "Checking the order",
                lambda: answer(kit, path),
                lambda found: self.window.show_answer(ManualTool(), found),
            )

    def calendar(self, line: str) -> None:
        from nuvlo.desktop.tools.calendar import CalendarTool
        from nuvlo.schedule import schedule, written

        session = self.window.controller.session

        def job():
            made = schedule(session, all_builds="all" in line.split())
            return made, written(session, made) if "save" in line.split() else None

        def show(found) -> None:
            self.window.show_answer(CalendarTool(), found[0])
            if found[1] is not None:
                self.window.bench_line.say(f"Written: {found[1].name} and .csv in {found[1].parent.name}/.", True)

        self.window.controller.work("Laying out the evenings", job, show)

    def import_list(self, text: str) -> None:
        """Read a parts list anew."""
        path = self.window.file_named(text)
        if path is not None:
            self.list_path, self.list_columns = path, {}
            self.read_list({})

    def read_list(self, columns: dict[str, str]) -> None:
        """Read the open list with ``columns`` put right; they are kept only where it can be read so."""
        from nuvlo.desktop.tools.parts_list import PartsListTool
        from nuvlo.kit.parts_list import read_parts_list

        path = self.list_path
        assert path is not None

        def show(found) -> None:
            self.list_columns = columns
            tool = self.window.tool if isinstance(self.window.tool, PartsListTool) else PartsListTool()
            tool.show_list(found)
            self.window.show_tool(tool)
            self.window.bench_line.say(f"{len(found.parts)} parts. 'take NAME' begins a build of them.", True)

        self.window.controller.work("Reading the list", lambda: read_parts_list(path, columns), show)

    def column(self, text: str) -> None:
        heading, _, meaning = text.replace("=", " ").rpartition(" ")
        if self.list_path is None:
            self.window.bench_line.say("No list is open: type import and the file's name.", False)
            return
        self.read_list({**self.list_columns, heading.strip(): meaning.strip().lower()})

    def take(self, name: str) -> None:
        """Make a kit of the list that is shown, and begin a build of it."""
        if self.list_path is None or self.window.controller.session is None:
            self.window.bench_line.say("No list is open: type import and the file's name.", False)
            return
        path, columns, workshop = self.list_path, dict(self.list_columns), self.window.controller.session.workshop
        # The list stays open until there is a kit of it: what was put right in it is not lost to a name that is taken.
        self.window.controller.open(lambda: workshop.start_from_list(path, name or path.stem, columns))
