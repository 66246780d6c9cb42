"""A circuit with other values and other types in the same places: a kit as it was modified."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from nuvlo.circuit.cards import Card
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.expression import constant
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.shipped import defines, index
from nuvlo.problems import Problem

LINK, LINKED = "vlink", "apart#"  # by which a loop is measured, and what it parts from its net


def rewritten(circuit: Circuit, values: Mapping[str, float], types: Mapping[str, str]) -> Circuit:
    """``circuit`` with new ``values`` (``r1``, ``vsup``, ``xvol.r``) and new ``types`` (model or subcircuit by element name).

    A type that the netlist does not define is looked for in the shipped library. Raises :class:`NetlistError` where it is
    in neither, or does not fit its place.
    """
    top = circuit.netlist.top
    unknown = next((t for t in types.values() if not defines(top, t) and t not in index()), None)
    if unknown is not None:
        raise NetlistError(
            Problem(f"nothing called '{unknown}' is known.", "Name a type of the shipped library, or .include its model.",
                    ref=unknown)
        )  # fmt: skip
    block = replace(top, cards=[_card(card, values, types) for card in top.cards])
    return Circuit(replace(circuit.netlist, top=block), check=circuit.checked)


def without(circuit: Circuit, elements: Collection[str]) -> Circuit:
    """``circuit`` with some of its top elements taken out. What they alone held may float then."""
    top = circuit.netlist.top
    left = [card for card in top.cards if card.name not in elements]
    return Circuit(replace(circuit.netlist, top=replace(top, cards=left)), check=False)


def with_link(circuit: Circuit, *pins: str) -> Circuit:
    """``circuit`` with :data:`LINK`, of 0 V, put in at ``pins`` of one net (``r16.1``: the first terminal of R16), at which a
    loop may be measured.

    The link's first node is the net, its second what stands apart from it. Raises :class:`NetlistError`.
    """
    top = circuit.netlist.top
    cards = list(top.cards)
    nets, token = set(), None
    for pin in pins:
        name, _, number = pin.lower().partition(".")
        k = next((k for k, c in enumerate(cards) if c.name == name), None)
        if k is None or not number.isdecimal() or not 1 <= int(number) <= len(cards[k].nodes):
            raise NetlistError(Problem(f"there is no pin '{pin}'.", "Write r16.1 for the first terminal of r16.", ref=name))
        nodes, at = list(cards[k].nodes), int(number) - 1
        nets.add(nodes[at])
        nodes[at], token = LINKED, cards[k].token
        cards[k] = replace(cards[k], nodes=tuple(nodes))
    if len(nets) != 1 or token is None:
        raise NetlistError(Problem(f"{', '.join(pins)} are not on one net.", "A loop is opened at one place."))
    cards.append(Card(LINK, "v", (nets.pop(), LINKED), {"dc": constant(0.0)}, None, token))
    return Circuit(replace(circuit.netlist, top=replace(top, cards=cards)), check=circuit.checked)


def _card(card: Card, values: Mapping[str, float], types: Mapping[str, str]) -> Card:
    if card.name in types:
        card = replace(card, model=types[card.name])
    for name, value in values.items():
        element, _, parameter = name.partition(".")
        if element == card.name:
            key = parameter or ("dc" if card.kind in "vi" else "value")
            card = replace(card, parameters={**card.parameters, key: constant(value)})
    return card
