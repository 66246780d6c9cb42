"""A unit that never is at rest: what a meter on DC shows at its points while it runs."""

from __future__ import annotations

from collections.abc import Mapping

from nuvlo.circuit.transient import transient
from nuvlo.kit import Kit
from nuvlo.model.ensemble import known_to

SAMPLES = 1500  # of the whole course


def means(kit: Kit, values: Mapping[str, float]) -> dict[str, float]:
    """Mean volts at every point, by name, over the latter half of the course that the kit's ``[running]`` names, for one unit
    with these ``values`` (override names). A meter averages over many periods; half a course holds some."""
    running = kit.info.running
    assert running is not None
    circuit = kit.setup(running.setup)
    nodes = sorted({n for p in kit.info.point for n in (p.node, p.reference) if n in circuit.nodes})
    course = transient(circuit, running.seconds / SAMPLES, running.seconds, nodes, known_to(circuit, values))
    mean = {n: float(course.voltage[n][0, SAMPLES // 2 :].mean()) for n in nodes}
    return {p.name: mean.get(p.node, 0.0) - mean.get(p.reference, 0.0) for p in kit.info.point}
