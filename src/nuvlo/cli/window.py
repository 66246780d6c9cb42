"""Verbs that open the window: ``demo``, ``open``."""

from __future__ import annotations

import argparse
import gc
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs
from nuvlo.problems import NuvloError, Problem


def add_verbs(verbs: Verbs) -> None:
    """Add ``demo`` and ``open``."""
    demo = verbs.add("demo", _demo, "open the demo workshop")
    demo.add_argument("--check", action="store_true", help="paint the first window, then end")
    demo.add_argument("--folder", type=Path, help="where the demo workshop is kept")
    demo.add_argument("--new", action="store_true", help="begin another unit")
    opened = verbs.add("open", _open, "open a build, a kit folder or a workshop")
    opened.add_argument("path", type=Path, nargs="?", help="your own workshop if not given")
    opened.add_argument("--new", action="store_true", help="begin another unit of the kit")
    opened.add_argument("--build", metavar="NAME", help="which build of a workshop, as 002 or \"Gorsefire 002\"; its shelf if not given")
    opened.add_argument("--workshop", type=Path, help="workshop that keeps builds of a kit opened by its folder")
    opened.add_argument("--check", action="store_true", help="paint the first window, then end")


def _without_sweeping() -> None:
    """Nothing is thrown away while a program starts: the garbage collector would look through all of it again and again. The window
    lets it go on once it is shown."""
    gc.disable()


def user_folder() -> Path:
    """Where workshops are kept unless another place is named."""
    from platformdirs import user_data_path

    return user_data_path("nuvlo", appauthor=False)


def _demo(a: argparse.Namespace) -> Answer:
    _without_sweeping()
    from nuvlo.desktop.app import start
    from nuvlo.desktop.controller import Opened

    folder = a.folder or user_folder() / "demo"

    def opener() -> Opened:
        from nuvlo.workshop.demo import demo_workshop, write_sheets

        workshop = demo_workshop(folder, another=a.new)
        newest = workshop.open(workshop.builds()[-1].id) if a.new else None
        return Opened(workshop, newest, afterwards=("Writing the sheets", lambda: write_sheets(workshop)))

    status = start(opener, shelf_of=None if a.new else folder, check=a.check)
    return (
        status,
        {"folder": folder.name, "status": status},
        "The demo's window was painted." if a.check and not status else "",
    )


def shelf(a: argparse.Namespace) -> Answer:
    """Open the shelf of the user's own workshop, which is begun where there is none."""
    _without_sweeping()
    from nuvlo.desktop.app import start
    from nuvlo.desktop.controller import Opened

    folder = user_folder() / "workshop"

    def opener() -> Opened:
        from nuvlo.workshop.workshop import Workshop

        return Opened(Workshop(folder))

    status = start(opener, shelf_of=folder, check=getattr(a, "check", False))
    return status, {"folder": folder.name, "status": status}, ""


def _open(a: argparse.Namespace) -> Answer:
    _without_sweeping()
    from nuvlo.desktop.app import start
    from nuvlo.desktop.controller import Opened

    if a.path is None and not (a.workshop or a.build or a.new):
        return shelf(a)
    path: Path = a.path or a.workshop or user_folder() / "workshop"
    if not path.exists():
        raise NuvloError(Problem(f"'{path}' is not there.", "Name a kit folder, its zip, or a workshop folder."))
    inside = path if path.is_dir() else path.parent
    is_workshop = (inside / "logbook.db").exists() and not (path.is_dir() and (path / "bom.csv").exists())
    folder = inside if is_workshop else (a.workshop or user_folder() / "workshop")

    wanted = "" if a.build is None else _named(folder, a.build, None if is_workshop else path)

    def opener() -> Opened:
        from nuvlo.files.kit_folder import read_kit
        from nuvlo.workshop.workshop import Workshop

        workshop = Workshop(folder)
        if wanted:
            return Opened(workshop, workshop.open(wanted))
        if is_workshop:
            return Opened(workshop)
        return Opened(workshop, *workshop.open_kit(read_kit(path), anew=a.new))

    status = start(opener, shelf_of=folder if is_workshop and not wanted else None, check=a.check)
    return status, {"folder": folder.name, "status": status}, ""


def _named(folder: Path, said: str, kit: Path | None) -> str:
    """The id of the newest build that is called ``said``, by its number or by its kit's name and number; of a kit, where one is opened. Asked before
    there is a window, so that a name that is none ends the command."""
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.workshop.workshop import Workshop

    of = read_kit(kit).name if kit is not None else None
    workshop = Workshop(folder)
    try:
        builds = [b for b in workshop.builds() if of in (None, b.kit)]
    finally:
        workshop.close()
    words = said.strip().lower()
    found = [b.id for b in builds if words in (b.serial.lower(), f"{b.kit} {b.serial}".lower())]
    if not found:
        serials = ", ".join(f"{b.kit} {b.serial}" for b in builds) or "none yet"
        raise NuvloError(Problem(f"there is no build '{said}' {'of this kit ' if of else ''}in this workshop.", f"Builds here: {serials}."))
    return found[-1]
