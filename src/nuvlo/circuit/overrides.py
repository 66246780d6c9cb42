"""What may differ from member to member besides values: temperature, and the mistakes a builder makes.

All are overrides, a number or one for each member, so one call may hold good units and bad ones side by side:

- ``temper``: °C, everywhere in the circuit;
- ``r3.missing``: 1 where the part is not there (or one of its joints is open);
- ``d1.reversed``: a diode, or the current or voltage of a source, the other way round;
- ``q1.legs_ebc``: in the holes for collector, base and emitter (or drain, gate and source, written ``dgs``) stand these
  legs;
- ``bridge(a,b)``: ohms between two nodes that should not touch, infinite for none.
"""

from __future__ import annotations

import dataclasses
import re

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import GROUND, Circuit, Element, Overrides
from nuvlo.circuit.netlist import NetlistError
from nuvlo.problems import Problem

ABSENT = 1e-12  # S that stays where a part is missing, so that a node it alone held still has a voltage
LEGS = {"q": "cbe", "j": "dgs", "m": "dgsb"}
_BRIDGE = re.compile(r"bridge\((.+),(.+)\)")


def present(element: Element, overrides: Overrides) -> Array | float:
    """1 for members that have the part as this element has it, 0 for the others."""
    there = 1.0 - np.asarray(overrides.get(f"{element.part}.missing", 0.0), float)
    turns = {name: np.asarray(overrides[name], float) for name in _turns(element.part, overrides)}
    mine = f"{element.part}.legs_{element.legs}"
    share = turns[mine] if element.legs else 1.0 - sum(turns.values(), np.zeros(()))
    return np.asarray(there * share)


def direction(element: Element, overrides: Overrides) -> Array | float:
    """−1 for members that have the part the other way round."""
    return 1.0 - 2.0 * np.asarray(overrides.get(f"{element.name}.reversed", 0.0), float)


def bridges(circuit: Circuit, overrides: Overrides) -> list[tuple[int, int, Array]]:
    """(node, node, S) of every bridge."""
    out = []
    for name, ohms in overrides.items():
        found = _BRIDGE.fullmatch(name)
        if found:
            a, b = (circuit.node(n.strip()) for n in found.groups())
            out.append((a, b, 1.0 / np.atleast_1d(np.asarray(ohms, float))))
    return out


def with_turned_legs(circuit: Circuit, overrides: Overrides) -> Circuit:
    """The circuit with a second copy of each transistor whose legs some members have in other holes."""
    extra = []
    for element in circuit.elements:
        letters = LEGS.get(element.kind, "")
        for name in _turns(element.name, overrides) if letters else ():
            order = name.rpartition("_")[2]
            if sorted(order) != sorted(letters[: len(order)]) or len(order) < 3:
                raise NetlistError(
                    Problem(f"'{order}' are not the legs of '{element.name}'.", f"Write {letters} in another order.")
                )
            moved = tuple(element.nodes[order.index(leg)] for leg in letters[:3]) + element.nodes[3:]
            extra.append(
                dataclasses.replace(
                    element, name=f"{element.name}~{order}", nodes=moved, copy_of=element.name, legs=order
                )
            )
    return circuit.with_elements(extra) if extra else circuit


def _turns(name: str, overrides: Overrides) -> list[str]:
    return [key for key in overrides if key.startswith(f"{name}.legs_")]


def can_override(circuit: Circuit, name: str) -> bool:
    """Whether ``name`` is a value of ``circuit``, its temperature, or a mistake that can be made in it."""
    return name == "temper" or circuit.has_parameter(name) or _is_mistake(circuit, name)


def check(circuit: Circuit, overrides: Overrides) -> None:
    """Raise :class:`NetlistError` naming the first override that speaks of nothing in ``circuit``."""
    for name in overrides:
        if not can_override(circuit, name):
            raise NetlistError(
                Problem(f"there is nothing called '{name}' here.", "Names are as in the netlist.", ref=name)
            )


def _is_mistake(circuit: Circuit, name: str) -> bool:
    found = _BRIDGE.fullmatch(name)
    if found:
        return all(n.strip() in (*GROUND, *circuit.nodes) for n in found.groups())
    head, _, tail = name.rpartition(".")
    kinds = {"missing": "rclvidqjmefgh", "reversed": "dvi"}.get(tail, "qjm" if tail.startswith("legs_") else "")
    return any(e.name == head and e.kind in kinds for e in circuit.elements)
