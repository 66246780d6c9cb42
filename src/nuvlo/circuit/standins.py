"""Elements that are solved as others: a switch as a conductance by a formula, a vertical MOS transistor as a block of the library."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.cards import Card, Model
from nuvlo.circuit.expression import Expression, constant, joined, sensed
from nuvlo.circuit.shipped import vertical_block
from nuvlo.problems import Problem

SHARP = 1e-3  # of its threshold, over which a switch without hysteresis goes over


def vertical(card: Card, model: Model) -> Card:
    """A vertical MOS transistor as the block that stands for it."""
    given = {name: value for name, value in model.parameters.items() if name not in ("pchan", "nchan")}
    return replace(card, kind="x", model=vertical_block(model), parameters={**given, **card.parameters})


def switch(card: Card, model: Model, value: Callable[[Expression], float | Array]) -> tuple[Card, list[Problem]]:
    """A switch as a conductance that goes from its one value to the other over the width of its hysteresis, on a smooth path on the scale
    of its logarithm; it remembers nothing. ``value`` is what an expression of its model comes to. With what is to be told of it."""

    def given(name: str, default: float) -> float:
        return float(np.mean(value(model.parameters[name]))) if name in model.parameters else default

    said = []
    kind = "v" if card.kind == "s" else "i"
    middle, half = given(f"{kind}t", 0.0), abs(given(f"{kind}h", 0.0))
    closed, opened = given("ron", 1.0), given("roff", 1e12)
    if f"{kind}on" in model.parameters:
        on, off = given(f"{kind}on", 1.0), given(f"{kind}off", 0.0)
        middle, half = (on + off) / 2, abs(on - off) / 2
        closed, opened = (closed, opened) if on >= off else (opened, closed)
    elif half:
        at = card.token
        said.append(
            Problem(f"the hysteresis of '{model.name}' is taken as a gradual way from off to on.", "Say nothing of it for a sharp edge.",
                    at.file, at.line, at.column, card.name, severity="warning", alters=True)
        )  # fmt: skip
    half = max(half, SHARP * max(abs(middle), 1e-3 if kind == "i" else 1.0))
    share = joined("limit", joined("/", joined("-", card.parameters["value"], constant(middle - half)), constant(2 * half)), constant(0.0), constant(1.0))
    smooth = joined("*", joined("*", share, share), joined("-", constant(3.0), joined("*", constant(2.0), share)))
    ways = joined("+", constant(-math.log(opened)), joined("*", constant(math.log(opened / closed)), smooth))
    amps = joined("*", sensed("v", *card.nodes), joined("exp", ways))
    if "m" in card.parameters:
        amps = joined("*", amps, card.parameters["m"])
    return replace(card, kind="b", nodes=card.nodes[:2], parameters={"value": amps}, model="amps"), said
