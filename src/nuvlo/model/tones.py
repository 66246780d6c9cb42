"""Tones that a unit is fed, and what a meter shows of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.loaded import METER_OHMS, seen_from
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.small_signal import responses
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Tone

MOST_TONE = 3.0  # V r.m.s. that a generator or telephone with an amplifier gives at most (common practice, no source)
FOLLOWED_HZ, FOLLOWED_V = (100.0, 1000.0), 2e-3  # of a tone that no kit file speaks of: small, so that no stage bends it


def tone_volts(point: OperatingPoint, tone: Tone, meter_ohms: float = METER_OHMS) -> Array:
    """(N,) V r.m.s. that a meter shows at a tone's node while its level stands where it is fed in."""
    out: Array = tones_at(point, tone, [(tone.node, tone.reference)], meter_ohms)[0]
    return out


def tones_at(point: OperatingPoint, tone: Tone, places: Sequence[tuple[str, str]], meter_ohms: float = METER_OHMS) -> Array:
    """(P, N) V r.m.s. that a meter shows between the nodes of each place, while a tone's level stands where it is fed in."""
    fed, black = tone.fed_at
    wanted = dict.fromkeys(n for pair in (*places, (fed, black)) for n in pair if n not in GROUND_NAMES)
    found = responses(point, tone.source, list(wanted), np.array([tone.hertz]))
    still = np.zeros(point.x.shape[1])

    def across(red: str, black: str) -> Array:
        return np.asarray((found[red].transfer[:, 0] if red in found else still) - (found[black].transfer[:, 0] if black in found else still))

    given = across(fed, black)
    fed_volts = np.minimum(tone.level, MOST_TONE * np.abs(given))  # into a short no generator gives its level
    with np.errstate(invalid="ignore", divide="ignore"):  # where nothing can be fed in at all, nothing is told
        drawn_down = 1.0 / np.abs(1.0 + seen_from(point, places, tone.hertz) / meter_ohms)
        return np.asarray(drawn_down * [fed_volts * np.abs(across(*pair) / given) for pair in places])


def at_node(tone: Tone, node: str) -> Tone:
    """The same tone, fed in as it was, read at another node."""
    black = tone.fed_at[1]
    return tone.model_copy(update={"node": node, "reference": tone.reference, "at_reference": black, "read": ""})


def followable(kit: Kit) -> list[Tone]:
    """The tones that are fed in, each once; those of its sweep where the kit has none."""
    once: dict[tuple[str, float], Tone] = {}
    for tone in (t for t in kit.info.tone if not t.common):
        once.setdefault((tone.source, tone.hertz), tone)
    if once or kit.info.prove is None:
        return list(once.values())
    prove = kit.info.prove
    circuit = kit.setup(prove.setup, (prove.source, prove.node))
    names = ["0", *circuit.nodes]
    fed, black = (names[n + 1] for n in circuit.element(prove.source).nodes[:2])
    return [
        Tone(name=f"T{hertz:g}", source=prove.source, at=fed, at_reference=black, node=prove.node, reference=black, hertz=hertz,
             level=FOLLOWED_V, setup=prove.setup)
        for hertz in FOLLOWED_HZ
    ]  # fmt: skip
