"""Verbs that open the window: ``demo``, ``open``."""

from __future__ import annotations

import argparse
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
    opened.add_argument("path", type=Path)
    opened.add_argument("--new", action="store_true", help="begin another unit of the kit")
    opened.add_argument("--build", metavar="SERIAL", help="which build of a workshop; its shelf if not given")
    opened.add_argument("--workshop", type=Path, help="workshop that keeps builds of a kit opened by its folder")
    opened.add_argument("--check", action="store_true", help="paint the first window, then end")


def user_folder() -> Path:
    """Where workshops are kept unless another place is named."""
    from platformdirs import user_data_path

    return user_data_path("nuvlo", appauthor=False)


def _demo(a: argparse.Namespace) -> Answer:
    from nuvlo.desktop.app import start
    from nuvlo.desktop.controller import Opened

    folder = a.folder or user_folder() / "demo"

    def opener() -> Opened:
        from nuvlo.workshop.demo import demo_workshop

        workshop = demo_workshop(folder, another=a.new)
        return Opened(workshop, workshop.open(workshop.builds()[-1].id) if a.new else None)

    status = start(opener, check=a.check)
    return (
        status,
        {"folder": folder.name, "status": status},
        "The demo's window was painted." if a.check and not status else "",
    )


def _open(a: argparse.Namespace) -> Answer:
    from nuvlo.desktop.app import start
    from nuvlo.desktop.controller import Opened

    path: Path = a.path
    if not path.exists():
        raise NuvloError(Problem(f"'{path}' is not there.", "Name a kit folder, its zip, or a workshop folder."))
    inside = path if path.is_dir() else path.parent
    is_workshop = (inside / "logbook.db").exists() and not (path.is_dir() and (path / "bom.csv").exists())
    folder = inside if is_workshop else (a.workshop or user_folder() / "workshop")

    def opener() -> Opened:
        from nuvlo.files.kit_folder import read_kit
        from nuvlo.workshop.workshop import Workshop

        workshop = Workshop(folder)
        builds = workshop.builds()
        if is_workshop and a.build is None:
            return Opened(workshop)
        if is_workshop:
            wanted = [b for b in builds if a.build == b.serial]
            if not wanted:
                serials = ", ".join(f"{b.kit} {b.serial}" for b in builds) or "none yet"
                raise NuvloError(Problem("this workshop has no such build.", f"Builds here: {serials}."))
            return Opened(workshop, workshop.open(wanted[-1].id))
        return Opened(workshop, *workshop.open_kit(read_kit(path), anew=a.new))

    status = start(opener, check=a.check)
    return status, {"folder": folder.name, "status": status}, ""
