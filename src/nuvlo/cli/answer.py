"""What every verb answers: an exit status, a JSON document and words for people. Printed in one place.

Exit status: 0 done, 1 something in the input is wrong or cannot be solved, 2 wrong usage.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence
from typing import Any

from nuvlo.problems import NuvloError, Problem, at_fault, of_system

Document = dict[str, Any]
Answer = tuple[int, Document, str]
Handler = Callable[[argparse.Namespace], Answer]


class Verbs:
    """Where families of verbs add theirs."""

    def __init__(self, parser: argparse.ArgumentParser) -> None:
        self._verbs = parser.add_subparsers(title="verbs", metavar="VERB")

    def add(self, name: str, handler: Handler, says: str, under: Any = None) -> argparse.ArgumentParser:
        """A verb, of the command itself or ``under`` a group."""
        made: argparse.ArgumentParser = (under or self._verbs).add_parser(name, help=says, description=says)
        made.set_defaults(handler=handler)
        made.add_argument("--json", action="store_true", help="print one JSON document")
        return made

    def group(self, name: str, says: str) -> argparse.ArgumentParser:
        """A word with verbs of its own behind it, as ``kit check``."""
        made: argparse.ArgumentParser = self._verbs.add_parser(name, help=says, description=says)
        return made


def _said(handler: Handler, arguments: argparse.Namespace) -> tuple[int, str]:
    """The exit status, and what is printed."""
    try:
        status, document, text = handler(arguments)
        return status, _as_json(document) if arguments.json else text
    except NuvloError:
        raise
    except OSError as refused:
        raise of_system(refused) from refused
    except Exception as fault:
        raise at_fault(fault) from fault


def beside(answer: Answer, left_out: Sequence[Problem]) -> Answer:
    """An answer with the rows of a file that were left out: first of all in words, and under ``left_out``."""
    if not left_out:
        return answer
    status, document, text = answer
    told = [f"{p} This row is left out." for p in left_out]
    return status, {**document, "left_out": [p.as_json() for p in left_out]}, "\n".join([*told, text])


def _as_json(document: object) -> str:
    return json.dumps(document, ensure_ascii=False, allow_nan=False)


def answered(handler: Handler, arguments: argparse.Namespace) -> int:
    """Run ``handler`` and print what it answers, or what was wrong; the exit status."""
    try:
        status, text = _said(handler, arguments)
    except KeyboardInterrupt:
        print("stopped.", file=sys.stderr)
        return 130
    except NuvloError as error:
        status, text = 1, _as_json({"problems": [p.as_json() for p in error.problems]}) if arguments.json else ""
        print(error, file=sys.stderr)
    try:
        if text:
            print(text)
        sys.stdout.flush()
    except BrokenPipeError:  # the reader has seen enough, as `head` has; nothing more is to be said at the end either
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return status
