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
from nuvlo.circuit.faults import LEGS, Bridge, Missing, Reversed, Turned, Value, fault_named
from nuvlo.circuit.netlist import NetlistError
from nuvlo.problems import Problem

ABSENT = 1e-12  # S that stays where a part is missing, so that a node it alone held still has a voltage


def present(element: Element, overrides: Overrides) -> Array | float:
    """1 for members that have the part as this element has it, 0 for the others."""
    if not element.legs and isinstance(overrides, Asked) and overrides.faultless:
        return 1.0
    there = 1.0 - np.asarray(overrides.get(Missing(element.part).key, 0.0), float)
    for block in _blocks_round(element.part):
        gone = overrides.get(Missing(block).key)
        there = there if gone is None else there * (1.0 - np.asarray(gone, float))
    turns = _turns(element.part, overrides)
    if element.legs:
        share = np.asarray(overrides[Turned.of(element.part, element.legs).key], float)
    else:
        share = 1.0 - sum((np.asarray(overrides[t.key], float) for t in turns), np.zeros(()))
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


def with_turned_legs(circuit: Circuit, overrides: Overrides) -> Circuit:
    """The circuit with a second copy of each transistor whose legs some members have in other holes."""
    extra = []
    for element in circuit.elements if any(isinstance(fault_named(key), Turned) for key in overrides) else ():
        for turn in _turns(element.name, overrides) if element.kind in LEGS else ():
            extra.append(dataclasses.replace(_turned(circuit, turn), name=f"{element.name}~{turn.how}", copy_of=element.name, legs=turn.how))
    return circuit.with_elements(extra) if extra else circuit


def turned(circuit: Circuit, turns: Collection[Turned]) -> Circuit:
    """The circuit of a unit whose transistors stand so in all members: each in place of the one that belongs there."""
    out = circuit.with_elements([_turned(circuit, turn) for turn in turns])
    out.upright = None if any(turn.like for turn in turns) else circuit
    return out


def _turned(circuit: Circuit, turn: Turned) -> Element:
    """What stands in the holes of a transistor then, under its name. Raises :class:`NetlistError` where the legs are not its own."""
    element = circuit.element(turn.element)
    stands = circuit.element(turn.like) if turn.like else element
    letters = LEGS.get(stands.kind, "")
    if not turn.fits(stands.kind):
        raise NetlistError(Problem(f"'{turn.legs}' are not the legs of '{stands.name}'.", f"Write {letters} in another order."))
    moved = tuple(element.nodes[turn.legs.index(leg)] for leg in letters[:3]) + element.nodes[3 : len(stands.nodes)]
    return dataclasses.replace(stands, name=element.name, nodes=moved)


def _turns(element: str, overrides: Overrides) -> list[Turned]:
    faults = (fault_named(key) for key in (overrides.turned if isinstance(overrides, Asked) else overrides))
    return [f for f in faults if isinstance(f, Turned) and f.element == element]


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
        case Missing() | Reversed() | Turned() as fault:
            return any(e.name == fault.element and e.kind in fault.kinds for e in circuit.elements)


def check(circuit: Circuit, overrides: Overrides) -> None:
    """Raise :class:`NetlistError` naming the first override that speaks of nothing in ``circuit``."""
    for name in overrides:
        if not can_override(circuit, name):
            raise NetlistError(
                Problem(f"there is nothing called '{name}' here.", "Names are as in the netlist.", ref=name)
            )
