"""Ohms from pad to pad: between which nets of the board a meter sees most of what may be wrong.

There are hundreds of pairs, and the table of a diagnosis has room for some. What each would tell is judged from a good unit alone, as if all
were straight from where the meter has it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.faults import Bridge, Value, fault_named
from nuvlo.circuit.ohms import Driven, driven_each
from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.files.mistakes import shipped
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.model.ensemble import laws, usual

MOST_ACROSS = 12  # pairs: what more would show is little
PLAINLY = 0.13  # share by which a reading is to change: some times what tolerances do
LESS = 4  # power by which a mistake counts the less, the more of the pairs show it already
MOST_OHMS = 2e6  # beyond, what leaks is read too


def telling_pairs(kit: Kit, taken: Collection[frozenset[str]] = (), others: Sequence[tuple[str, str]] = ()) -> list[tuple[str, str]]:
    """Pairs of nets of the board beside those ``taken`` anyway, or of these ``others``: the most telling first."""
    key = "across", frozenset(taken), tuple(others)
    if key not in kit.memory:
        kit.memory[key] = _chosen(kit, taken, others)
    found: list[tuple[str, str]] = kit.memory[key]
    return found


def _chosen(kit: Kit, taken: Collection[frozenset[str]], others: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    circuit, taken = kit.unpowered(), {*taken, *map(frozenset, others)}
    here = {*GROUND_NAMES, *circuit.nodes}
    nets = [net for net in dict.fromkeys(p.net.lower() for p in (kit.board.pads if kit.board else ())) if net in here]
    pairs = [*others, *((red, black) for k, red in enumerate(nets) for black in nets[:k] if frozenset((red, black)) not in taken)]
    mistakes = [m for m in single_mistakes(kit) if not m.asleep]
    if not pairs or not mistakes:
        return []
    driven, habits = driven_each(circuit, pairs), shipped()
    shown = shown_by(kit, circuit, mistakes, driven)
    weights, times = np.array([habits[m.kind].weight * m.share for m in mistakes]), np.zeros(len(mistakes))
    out = []
    for _ in range(MOST_ACROSS):
        worth = (weights / (1.0 + times) ** LESS) @ shown
        best = int(np.argmax(worth))
        if not worth[best]:
            break
        out.append(pairs[best])
        times += shown[:, best]
        shown[:, best] = 0.0
    return out


def shown_by(kit: Kit, circuit: Circuit, mistakes: Sequence[Mistake], driven: Driven) -> Array:
    """(mistakes, pairs) 1 where a reading between a pair probably shows a mistake."""
    known = np.isfinite(driven.amps) & (driven.volts != 0) & (np.abs(driven.volts) <= MOST_OHMS * np.nan_to_num(driven.amps))
    here, own = {*GROUND_NAMES, *circuit.nodes}, laws(kit)
    faults = [[(fault_named(key), value) for key, value in one.overrides] for one in mistakes]
    joined = list(dict.fromkeys((f.a, f.b) for some in faults for f, _ in some if isinstance(f, Bridge) and {f.a, f.b} <= here))
    place = {pair: k for k, pair in enumerate(joined)}
    with np.errstate(all="ignore"):
        bridged, changes = driven.changes([(circuit.node(a), circuit.node(b)) for a, b in joined])
        out = np.zeros((len(mistakes), known.size))
        for k, some in enumerate(faults):
            for fault, value in some:
                if isinstance(fault, Bridge):
                    change = bridged[place[fault.a, fault.b]] if (fault.a, fault.b) in place else None
                elif isinstance(fault, Value):
                    good = usual(kit, own, fault.name)
                    change = changes(fault.name.partition(".")[0], good / value) if good and value else None
                else:
                    change = changes(fault.element, 0.0)
                if change is not None:
                    out[k] = np.maximum(out[k], known & (np.abs(change) > PLAINLY))
    return out
