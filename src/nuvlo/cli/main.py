"""The ``nuvlo`` command. Every verb takes ``--json`` and then prints one document on standard output."""

from __future__ import annotations

import argparse
import sys
from io import TextIOWrapper

from nuvlo import __version__
from nuvlo.cli import (
    backup,
    bonds,
    cabinet,
    choose,
    crossover,
    diagnose,
    drill,
    journey,
    kit,
    menu,
    pedalboard,
    power,
    predict,
    ring_out,
    sequence,
    solve,
    types,
    unpack,
    wake,
    window,
    wires,
)
from nuvlo.cli.answer import Verbs, answered
from nuvlo.log import keep_log

FAMILIES = (window, kit, solve, predict, unpack, types, choose, sequence, journey, wires, ring_out, cabinet, crossover, power, bonds, diagnose, drill, pedalboard, wake, backup, menu)


def main(argv: list[str] | None = None) -> int:
    """Run one verb; returns the exit status."""
    for stream in (sys.stdout, sys.stderr):  # half a letter of a file name must not stop an answer
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    keep_log()
    parser = command_line()
    arguments = parser.parse_args(argv)
    if not hasattr(arguments, "handler"):
        arguments.handler, arguments.json = window.shelf, False
    return answered(arguments.handler, arguments)


def command_line() -> argparse.ArgumentParser:
    """The parser, with the verbs of all families."""
    parser = argparse.ArgumentParser(
        prog="nuvlo", description="Bench companion for builders of audio electronics kits. Alone it opens the shelf of your workshop."
    )
    parser.add_argument("--version", action="version", version=f"nuvlo {__version__}")
    verbs = Verbs(parser)
    for family in FAMILIES:
        family.add_verbs(verbs)
    return parser


if __name__ == "__main__":
    sys.exit(main())
