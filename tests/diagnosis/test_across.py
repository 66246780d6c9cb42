"""Ohms from pad to pad: the pairs that are chosen, beside the readings of every mistake."""

import numpy as np
import pytest

from nuvlo.circuit.ohms import driven_each, resistance
from nuvlo.diagnosis.across import MOST_ACROSS, PLAINLY, shown_by, telling_pairs
from nuvlo.diagnosis.mistakes import single_mistakes
from nuvlo.diagnosis.probes import readings_of
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.mistakes import shipped
from nuvlo.workshop.demo import SHIPPED


@pytest.mark.parametrize("name", ["sluice", "tollgate"])
def test_of_resistors_alone_every_mistake_that_shows_is_foretold(name):
    """Every pair of nets and every mistake, read as a meter would."""
    kit = read_kit(SHIPPED / name)
    circuit = kit.unpowered()
    nets = [n for n in dict.fromkeys(p.net.lower() for p in kit.board.pads) if n in {"0", *circuit.nodes}]
    pairs = [(a, b) for k, a in enumerate(nets) for b in nets[:k]][:40]
    mistakes = [m for m in single_mistakes(kit) if not m.asleep and m.loose == 1.0 and m.kind in ("decade", "open", "bridge", "lead", "look-alike")]
    foretold = shown_by(kit, circuit, mistakes, driven_each(circuit, pairs))
    good = np.array([resistance(circuit, *p).ohms[0] for p in pairs])
    agree = []
    for k, one in enumerate(mistakes[:: max(1, len(mistakes) // 40)]):
        k = mistakes.index(one)
        then = np.array([resistance(circuit, *p, overrides=dict(one.overrides)).ohms[0] for p in pairs])
        with np.errstate(invalid="ignore", divide="ignore"):
            off = np.abs(then / good - 1.0)
        plain = np.isfinite(good) & (np.abs(off - PLAINLY) > 0.02)
        agree += list((off[plain] > PLAINLY) == (foretold[k][plain] > 0))
    assert len(agree) > 100
    assert np.mean(agree) > 0.97


def test_what_is_chosen_shows_more_than_as_many_at_random():
    dice, kit = np.random.default_rng(3), read_kit(SHIPPED / "reedling")
    circuit, mistakes = kit.unpowered(), [m for m in single_mistakes(kit) if not m.asleep]
    nets = [n for n in dict.fromkeys(p.net.lower() for p in kit.board.pads) if n in {"0", *circuit.nodes}]
    every = [(a, b) for k, a in enumerate(nets) for b in nets[:k]]
    weights = np.array([shipped()[m.kind].weight * m.share for m in mistakes])

    def shown(pairs):
        return float(weights @ shown_by(kit, circuit, mistakes, driven_each(circuit, pairs)).any(axis=1))

    chosen = telling_pairs(kit)
    assert len(chosen) == len({frozenset(p) for p in chosen}) == MOST_ACROSS
    assert shown(chosen) > max(shown([every[k] for k in dice.choice(len(every), MOST_ACROSS, replace=False)]) for _ in range(20))


@pytest.mark.parametrize("name", ["gorsefire", "kilnlight", "tollgate", "oxbow"])
def test_no_two_ohms_are_the_same_reading(name):
    """What the kit asks for already is not asked again from pad to pad, and each place can be typed."""
    read = [r for r in readings_of(read_kit(SHIPPED / name)) if r.quantity == "resistance" and not r.of.name.endswith("back")]
    assert len({frozenset(r.nodes) for r in read}) == len(read)
    assert len({r.of for r in read}) == len(read)
    assert all(" " not in "-".join(r.between) for r in read if r.between)
