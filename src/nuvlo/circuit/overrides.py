"""What may differ from member to member besides values: temperature (``temper``, °C), and the mistakes a builder makes.

All are overrides, a number or one for each member, so one call may hold good units and bad ones side by side. Mistakes are
those of :mod:`~nuvlo.circuit.faults`.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Collection, Iterator

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import GROUND, Asked, Circuit, Element, Overrides
from nuvlo.circuit.faults import LEGS, Bridge, Missing, Moved, Reversed, Turned, Value, fault_named
from nuvlo.circuit.netlist import NetlistError
from nuvlo.problems import Problem

ABSENT = 1e-12  # S that stays where a part is missing, so that a node it alone held still has a voltage


def present(element: Element, overrides: Overrides) -> Array | float:
    """1 for members that have the part as this element has it, 0 for the others."""
    if not element.stands_by and isinstance(overrides, Asked) and overrides.faultless:
        return 1.0
    there = 1.0 - np.asarray(overrides.get(Missing(element.part).key, 0.0), float)
    for block in _blocks_round(element.part):
        gone = overrides.get(Missing(block).key)
        there = there if gone is None else there * (1.0 - np.asarray(gone, float))
    if element.stands_by:
        share = np.asarray(overrides[element.stands_by], float)
    else:
        share = 1.0 - sum((np.asarray(overrides[m.key], float) for m in _moves(element.part, overrides)), np.zeros(()))
    return np.asarray(there * share)


def _blocks_round(name: str) -> Iterator[str]:
    """The instances of subcircuits that an element is inside of: ``xu1a.xa`` and ``xu1a`` of ``xu1a.xa.ro``."""
    while "." in name:
        name = name.rpartition(".")[0]
        yield name


def direction(element: Element, overrides: Overrides) -> Array | float:
    """−1 for members that have the part the other way round."""
    return 1.0 - 2.0 * np.asarray(overrides.get(Reversed(element.name).key, 0.0), float)


def bridges(circuit: Circuit, overrides: Overrides) -> list[tuple[int, int, Array]]:
    """(node, node, S) of every bridge."""
    out = []
    for key, ohms in overrides.items():
        fault = fault_named(key)
        if isinstance(fault, Bridge):
            siemens = 1.0 / np.atleast_1d(np.asarray(ohms, float))
            out.append((circuit.node(fault.a), circuit.node(fault.b), siemens))
    return out


def with_moved(circuit: Circuit, overrides: Overrides) -> Circuit:
    """The circuit with a second copy of what stands between other nodes in some members: a transistor with its legs in other holes, half of a pot."""
    extra = []
    for element in circuit.elements if any(isinstance(fault_named(key), Turned | Moved) for key in overrides) else ():
        for move in _moves(element.name, overrides):
            if element.kind in move.kinds:
                extra.append(dataclasses.replace(_moved(circuit, move), name=f"{element.name}~{move.how}", copy_of=element.name, stands_by=move.key))
    return circuit.with_elements(extra) if extra else circuit


def moved(circuit: Circuit, moves: Collection[Turned | Moved]) -> Circuit:
    """The circuit of a unit in which these stand so in all members, each in place of the one that belongs there."""
    out = circuit.with_elements([_moved(circuit, move) for move in moves])
    out.upright = circuit if all(isinstance(move, Turned) and not move.like for move in moves) else None
    return out


def _moved(circuit: Circuit, move: Turned | Moved) -> Element:
    """What stands there then, under the name of what belongs there. Raises :class:`NetlistError` where the legs are not its own."""
    element = circuit.element(move.element)
    if isinstance(move, Moved):
        return dataclasses.replace(element, nodes=(circuit.node(move.a), circuit.node(move.b)))
    stands = circuit.element(move.like) if move.like else element
    letters = LEGS.get(stands.kind, "")
    if not move.fits(stands.kind):
        raise NetlistError(Problem(f"'{move.legs}' are not the legs of '{stands.name}'.", f"Write {letters} in another order."))
    nodes = tuple(element.nodes[move.legs.index(leg)] for leg in letters[:3]) + element.nodes[3 : len(stands.nodes)]
    return dataclasses.replace(stands, name=element.name, nodes=nodes)


def _moves(element: str, overrides: Overrides) -> list[Turned | Moved]:
    faults = (fault_named(key) for key in (overrides.moved if isinstance(overrides, Asked) else overrides))
    return [f for f in faults if isinstance(f, Turned | Moved) and f.element == element]


def can_override(circuit: Circuit, name: str) -> bool:
    """Whether ``name`` is a value of ``circuit``, its temperature, or a mistake that can be made in it."""
    if name == "temper" or circuit.has_parameter(name):
        return True
    match fault_named(name):
        case Value():
            return False
        case Bridge(a, b):
            return all(n in (*GROUND, *circuit.nodes) for n in (a, b))
        case Missing(element) if any(e.name.startswith(f"{element}.") for e in circuit.elements):
            return True
        case Moved(_, a, b) as fault if any(n not in (*GROUND, *circuit.nodes) for n in (a, b)):
            return False
        case Missing() | Reversed() | Turned() | Moved() as fault:
            return any(e.name == fault.element and e.kind in fault.kinds for e in circuit.elements)


def check(circuit: Circuit, overrides: Overrides) -> None:
    """Raise :class:`NetlistError` naming the first override that speaks of nothing in ``circuit``."""
    for name in overrides:
        if not can_override(circuit, name):
            raise NetlistError(
                Problem(f"there is nothing called '{name}' here.", "Names are as in the netlist.", ref=name)
            )
