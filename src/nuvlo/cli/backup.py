"""The verbs ``backup`` and ``restore``: a workshop as one file, and back."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs
from nuvlo.problems import NuvloError, Problem


def add_verbs(verbs: Verbs) -> None:
    """Add ``backup`` and ``restore``."""
    backup = verbs.add("backup", _backup, "write all of a workshop to one zip file")
    backup.add_argument("workshop", type=Path)
    backup.add_argument(
        "file", type=Path, nargs="?", help="the file, or the folder it goes to; beside the workshop if none"
    )
    restore = verbs.add("restore", _restore, "put a backup back as a new workshop, every file looked over")
    restore.add_argument("file", type=Path)
    restore.add_argument("workshop", type=Path, help="a folder that is not there yet")


def _backup(a: argparse.Namespace) -> Answer:
    from nuvlo.workshop.backup import Kept, back_up
    from nuvlo.workshop.workshop import Workshop

    if not (a.workshop / "logbook.db").exists():
        raise NuvloError(Problem(f"'{a.workshop}' is not a workshop.", "Name the folder that holds logbook.db."))
    workshop = Workshop(a.workshop)
    try:
        made: Kept = back_up(workshop, a.file)
    finally:
        workshop.close()
    document = {"file": str(made.place), "files": made.files, "builds": made.builds, "events": made.events}
    return 0, document, f"Written: {made.place}: {made.words}."


def _restore(a: argparse.Namespace) -> Answer:
    from nuvlo.workshop.backup import restore

    made = restore(a.file, a.workshop)
    document = {"workshop": str(made.place), "files": made.files, "builds": made.builds, "events": made.events}
    return (
        0,
        document,
        f"Restored to {made.place}: {made.words}, each looked over. Open it with: nuvlo open {made.place}",
    )
