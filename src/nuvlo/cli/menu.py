"""``desktop``: put Nuvlo into the desktop's menu, or take it out."""

from __future__ import annotations

import argparse

from nuvlo.cli.answer import Answer, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add ``desktop``."""
    menu = verbs.add("desktop", _desktop, "put Nuvlo into the desktop's menu, or take it out")
    menu.add_argument("what", choices=("install", "remove"))


def _desktop(a: argparse.Namespace) -> Answer:
    from nuvlo.desktop.entry import data_home, install, remove

    paths = (install if a.what == "install" else remove)(data_home())
    said = "Written" if a.what == "install" else "Removed"
    return 0, {"done": a.what, "files": [p.name for p in paths]}, "\n".join(f"{said}: {p}" for p in paths) or "There was nothing to remove."
