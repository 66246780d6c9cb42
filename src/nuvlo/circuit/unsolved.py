"""Why a circuit has no operating point, in a sentence that names the node."""

from __future__ import annotations

import numpy as np

from nuvlo.circuit.elimination import scales
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.systems import Few
from nuvlo.problems import Problem

SINGULAR = 1e-13  # of the largest singular value: below it a direction is not held at all
TURNS = 40


def explain(point: OperatingPoint, member: int = 0) -> Problem:
    """What keeps ``member`` from having an operating point: a node that nothing holds, or one that does not settle."""
    equations = point.equations
    overrides = {k: np.asarray(v)[member] if np.ndim(v) else v for k, v in equations.overrides.items()}
    alone = Equations(equations.circuit, overrides, open_sources=equations.open_sources)
    file = alone.circuit.elements[0].card.token.file
    names = [*alone.names, *alone.branch]
    restless, formula = _restless(alone, names, point.tolerances.gmin)
    if formula:
        at = alone.circuit.element(formula).card.token
        return Problem(
            "no operating point was found: its formula has no value where it was looked for.",
            "Something is divided by zero, or a root or a logarithm is taken of what is below it.", at.file, at.line, at.column, ref=formula,
        )  # fmt: skip
    loose = _loose(alone, names, point.tolerances.gmin)
    if loose:
        return Problem(
            f"no operating point was found: nothing fixes the voltage or current of {loose}.",
            "Its sources contradict or repeat each other: add a resistance, or take one out.", file, ref=loose,
        )  # fmt: skip
    return Problem(
        f"no operating point was found: '{restless}' does not settle.",
        "Look for a value that is far off, or a part turned round, near it.", file, ref=restless,
    )  # fmt: skip


def _name(name: str) -> str:
    return name.partition("#")[0]


def _loose(eq: Equations, names: list[str], gmin: float) -> str:
    """The names of unknowns that the equations leave free at rest; empty where they leave none."""
    volts = eq.devices.starting_voltages()
    conductance = eq.devices.evaluate(volts, gmin).conductance
    matrix = Few(eq, eq.linear(), [np.zeros(1)] * len(eq.slots)).matrix(conductance)
    free = (~np.isfinite(matrix[0])).any(axis=1)  # a value that is no number
    if not free.any():
        rows, columns = scales(matrix)
        _, sizes, directions = np.linalg.svd((matrix * rows * columns)[0])
        if sizes[-1] > SINGULAR * sizes[0]:
            return ""
        free = np.abs(directions[-1]) > 0.3 * np.abs(directions[-1]).max()
    return " and ".join(f"'{_name(names[k])}'" for k in np.flatnonzero(free)[:4])


def _restless(eq: Equations, names: list[str], gmin: float) -> tuple[str, str]:
    """The device whose current is furthest from what was foretold of it after many plain Newton steps, or without devices the unknown
    that still moves most; and the element whose formula has no value there."""
    few = Few(eq, eq.linear(), [np.zeros(1)] * len(eq.slots))
    volts, x = eq.devices.starting_voltages(), np.zeros((eq.size, 1))
    moved, off = np.zeros(eq.size), np.zeros(eq.devices.count)
    formula = ""
    with np.errstate(all="ignore"):
        for turn in range(TURNS):
            found = eq.devices.evaluate(volts, gmin)
            formula = eq.devices.without_value()
            new = few.solve(found.conductance, found.current, volts, eq.right_side())
            if not np.isfinite(new).all():
                break
            share = (np.abs(new - x) / (np.abs(new) + np.abs(x) + 1e-3))[:, 0]
            moved = moved + share if turn >= TURNS // 2 else moved
            there = eq.branch_voltages(new)
            if turn >= TURNS // 2 and eq.devices.count:
                foretold = found.current.copy()
                np.add.at(foretold, eq.devices.rows, found.conductance * (there - volts)[eq.devices.columns])
                after = eq.devices.evaluate(eq.devices.limited(there, volts)[0], gmin).current
                off += np.nan_to_num(np.abs(after - foretold) / (np.abs(after) + np.abs(foretold) + 1e-12))[:, 0]
            x, volts = new, eq.devices.limited(there, volts)[0]
    if off.any():
        worst = int(np.argmax(off))
        return next(name for name, (first, end) in eq.devices.spans_by_name().items() if first <= worst < end), formula
    return _name(names[int(np.argmax(moved[: eq.first_branch]))]), formula
