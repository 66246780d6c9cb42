"""Random single mistakes in every kit: what a builder may do to a unit must not leave its solver without an answer."""

from __future__ import annotations

import random
from itertools import permutations

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit, Element
from nuvlo.circuit.faults import LEGS, Bridge, Missing, Reversed, Turned
from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED

KITS = sorted(path.name for path in SHIPPED.iterdir() if (path / "kit.toml").exists())
AT_ONCE = 200  # mistakes of one ensemble, beside the good unit
ENOUGH = 0.995  # of 10,000 that must be found


def one(circuit: Circuit, dice: random.Random) -> tuple[str, float, float] | None:
    """A mistake, its amount, and the amount of those that do not have it."""
    parts = [e for e in circuit.elements if e.kind in "rcdqjml" and "." not in e.name]

    def any_of(kinds: str) -> Element | None:
        there = [e for e in parts if e.kind in kinds]
        return dice.choice(there) if there else None

    match dice.choice(("missing", "reversed", "bridge", "bridge", "turned", "value")):
        case "missing":
            return Missing(dice.choice(parts).name).key, 1.0, 0.0
        case "reversed" if (e := any_of("d")):
            return Reversed(e.name).key, 1.0, 0.0
        case "bridge":
            a, b = dice.sample(["0", *(n for n in circuit.nodes if "." not in n)], 2)
            return Bridge(a, b).key, dice.choice((0.05, 1.0, 30.0)), np.inf
        case "turned" if (e := any_of("qj")):
            legs = LEGS[e.kind]
            return Turned(e.name, dice.choice(["".join(p) for p in permutations(legs) if "".join(p) != legs])).key, 1.0, 0.0
        case "value" if (e := any_of("rcl")):
            usual = float(np.mean(circuit.parameter(e, "value", {})))
            return e.name, usual * 10.0 ** dice.choice((-3, -2, -1, 1, 2, 3)), usual
    return None


def lost(kit: str, count: int, seed: int) -> tuple[int, list[tuple[str, str]]]:
    """How many mistakes were made in all set-ups, and which were lost."""
    made, out = 0, []
    for name, circuit in read_kit(SHIPPED / kit).setups.items():
        dice = random.Random(seed)
        mistakes = [m for m in (one(circuit, dice) for _ in range(count)) if m]
        for first in range(0, len(mistakes), AT_ONCE):
            some = mistakes[first : first + AT_ONCE]
            values: dict[str, np.ndarray] = {}
            for k, (key, amount, none) in enumerate(some):
                values.setdefault(key, np.full(len(some) + 1, none))[k + 1] = amount
            failed = operating_point(circuit, values).failed
            out += [(name, some[k - 1][0] if k else "the good unit") for k in failed]
        made += len(mistakes)
    return made, out


@pytest.mark.parametrize("kit", KITS)
def test_a_few_in_every_kit(kit):
    made, gone = lost(kit, 40, 11)
    assert made > 10
    assert len(gone) <= 1, gone


@pytest.mark.long
def test_ten_thousand():
    made, gone = 0, []
    for kit in KITS:
        here, missing = lost(kit, 560, 77)
        made, gone = made + here, [*gone, *((kit, *m) for m in missing)]
    print(f"\n  {made} mistakes, {len(gone)} lost: {gone[:10]}")
    assert made >= 10_000
    assert len(gone) <= (1 - ENOUGH) * made, gone
