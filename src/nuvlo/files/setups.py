"""The set-ups of a kit: its unit with what stands round it at the bench, a netlist each."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.rewritten import without
from nuvlo.files.whole import bytes_of
from nuvlo.kit.schema import Setup
from nuvlo.problems import NuvloError, Problem
from nuvlo.progress import Stopped

AS_DRAWN = "as drawn"  # of a kit that names no set-ups: its netlist has the bench in it
Misplaced = Callable[[tuple[str | int, ...], str, str], None]  # says what is wrong in kit.toml: where, what, what to do


def read_setups(
    folder: Path, wanted: Sequence[Setup], unit: Circuit, misplaced: Misplaced
) -> tuple[dict[str, Circuit], list[Problem]]:
    """Each set-up's circuit by its name, and what is wrong with their files."""
    if not wanted:
        return {AS_DRAWN: unit}, []
    out: dict[str, Circuit] = {}
    problems: list[Problem] = []
    files: dict[str, Circuit | None] = {}
    for i, setup in enumerate(wanted):
        if setup.name.lower() in {name.lower() for name in out}:
            misplaced(("setup", i, "name"), f"two set-ups are called '{setup.name}'.", "Name one otherwise.")
        if not (folder / setup.file).is_file():
            misplaced(
                ("setup", i, "file"), f"there is no file '{setup.file}' in this kit.", "Write it, or mend the name."
            )
            continue
        if setup.file not in files:
            files[setup.file], found = _read(folder, setup.file, unit)
            problems += found
        circuit = files[setup.file]
        if circuit is None:
            continue
        gone: set[str] = set()
        for ref in setup.out:
            mine = {
                c.name for c in unit.netlist.top.cards if re.fullmatch(rf"x?{re.escape(ref.lower())}[a-z]?", c.name)
            }
            if not mine:
                misplaced(("setup", i, "out"), f"circuit.cir has no '{ref}' to leave out.", "Mend the reference.")
            gone |= mine
        out[setup.name] = without(circuit, gone) if gone else circuit
    return out, problems


def _read(folder: Path, name: str, unit: Circuit) -> tuple[Circuit | None, list[Problem]]:
    """The circuit of one file, and what is wrong with it beyond what is wrong with the unit."""
    try:
        bytes_of(folder / name, folder)
        circuit = Circuit.from_file(folder / name)
    except Stopped:
        raise
    except NuvloError as bad:
        return None, list(bad.problems)
    within = {(c.name, c.nodes) for c in circuit.netlist.top.cards}
    if not all((c.name, c.nodes) in within for c in unit.netlist.top.cards):
        return None, [Problem("does not hold the unit.", "Begin it with .include circuit.cir.", name, 1, 1)]
    return circuit, [w for w in circuit.warnings if w not in unit.warnings]
