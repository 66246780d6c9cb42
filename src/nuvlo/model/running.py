"""A unit that never is at rest: what a meter on DC shows at its points while it runs."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from nuvlo.circuit.transient import transient
from nuvlo.kit import Kit
from nuvlo.model.ensemble import known_to

SAMPLES = 1500  # of the whole course


SWINGS_V = 0.005  # peak to peak, from which a node is not at rest
FEW_SAMPLES = 500


def swinging(kit: Kit) -> frozenset[str]:
    """Nodes that never rest in a good unit; none of a kit that does not run by itself."""
    running = kit.info.running
    if running is None:
        return frozenset()
    if "swinging" not in kit.memory:
        circuit = kit.setup(running.setup)
        course = transient(circuit, running.seconds / FEW_SAMPLES, running.seconds, list(circuit.nodes))
        late = {node: volts[0, FEW_SAMPLES // 3 :] for node, volts in course.voltage.items()}
        kit.memory["swinging"] = frozenset(node for node, volts in late.items() if np.ptp(volts) > SWINGS_V)
    found: frozenset[str] = kit.memory["swinging"]
    return found


def means(kit: Kit, values: Mapping[str, float]) -> dict[str, float]:
    """Mean volts at every point, by name, over the latter two thirds of the course that the kit's ``[running]`` names, for one unit
    with these ``values`` (override names)."""
    running = kit.info.running
    assert running is not None
    circuit = kit.setup(running.setup)
    nodes = sorted({n for p in kit.info.point for n in (p.node, p.reference) if n in circuit.nodes})
    course = transient(circuit, running.seconds / SAMPLES, running.seconds, nodes, known_to(circuit, values))
    tail = SAMPLES - SAMPLES // 3
    # A meter forgets slowly, so it does not matter to it where a period is cut off: neither does it to these weights.
    weights = np.hanning(tail) / np.hanning(tail).sum()
    mean = {n: float(course.voltage[n][0, -tail:] @ weights) for n in nodes}
    return {p.name: mean.get(p.node, 0.0) - mean.get(p.reference, 0.0) for p in kit.info.point}
