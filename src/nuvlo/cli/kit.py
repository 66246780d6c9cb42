"""Verbs that look at a kit folder: ``kit check``."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs
from nuvlo.problems import errors


def add_verbs(verbs: Verbs) -> None:
    """Add ``kit check``."""
    kit = verbs.group("kit", "look at a kit folder").add_subparsers(metavar="VERB", required=True)
    check = verbs.add("check", _kit_check, "report everything that is wrong with a kit folder", kit)
    check.add_argument("folder", type=Path)


def _kit_check(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.soundness import unsound
    from nuvlo.files.kit_folder import check_kit, read_kit

    name, found = check_kit(a.folder)
    problems = list(found)
    if not errors(problems):  # what it says can be read: now whether it can be built
        problems += unsound(read_kit(a.folder))
    document = {"kit": name, "problems": [p.as_json() for p in problems]}
    text = "\n".join(f"{p.severity}: {p}" for p in problems) or f"{name}: nothing wrong."
    return (1 if errors(problems) else 0), document, text
