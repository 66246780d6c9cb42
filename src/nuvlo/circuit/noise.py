"""Noise of a circuit about its operating point: thermal, shot, channel and flicker, for every member and frequency."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.audio.weighting import a_weighting
from nuvlo.circuit.devices import BOLTZMANN, NoiseCurrent
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.small_signal import Complex, LinearisedCircuit, response


@dataclass(frozen=True)
class Noise:
    """Noise at a node. ``frequency`` (F,) Hz; densities (N, F) V/√Hz (the input's in the unit of its source);
    ``total`` (N,) V r.m.s. over the band; ``parts`` (N,) V² that each element contributes to its square."""

    frequency: Array
    output_density: Array
    input_density: Array
    total: Array
    parts: dict[str, Array]


def noise(point: OperatingPoint, source: str, node: str, frequency: Array, weighting: str | None = None) -> Noise:
    """Noise at ``node`` and referred to ``source``, over the band ``frequency`` (F,) Hz; ``weighting`` is "A" or None.

    Resistors give 4kT/R (H. Nyquist, Phys. Rev. 32, 1928); the total is integrated piecewise as a power of
    frequency, exact for white and for 1/f noise whatever the spacing. Weighting enters the total, not the densities.
    """
    eq = point.equations
    frequency = np.atleast_1d(np.asarray(frequency, float))
    pick = np.zeros((eq.size, 1))
    at = eq.circuit.node(node)
    if at >= 0:
        pick[at] = 1.0
    weight = a_weighting(frequency) ** 2 if weighting == "A" else np.ones_like(frequency)
    members = point.x.shape[1]
    square = np.zeros((members, frequency.size))
    parts: dict[str, Array] = {}
    currents = _sources(point)
    blocks: dict[int, list[tuple[slice, Complex]]] = {}
    for some, along, adjoint in LinearisedCircuit(point).pieces(frequency, pick, transposed=True):
        blocks.setdefault(some.start, []).append((some, adjoint[:, 0]))
        if along.stop < frequency.size:
            continue
        adjoint = np.concatenate([x for _, x in blocks.pop(some.start)], axis=-1)
        full = np.concatenate([adjoint, np.zeros_like(adjoint[:1])])
        for current in currents:
            plus, minus = current.nodes
            transfer = np.abs(full[plus] - full[minus]) ** 2
            white, flicker = (v[some] if v.size > 1 else v for v in (current.white, current.flicker))
            density = transfer * (white[:, None] + flicker[:, None] / frequency)
            square[some] += density
            share = parts.setdefault(current.name, np.zeros(members))
            share[some] += integrate(frequency, density * weight)
    gain = np.abs(response(point, source, node, frequency).transfer)
    with np.errstate(divide="ignore", invalid="ignore"):
        referred = np.sqrt(square) / gain
    total = np.sqrt(sum(parts.values(), np.zeros(members)))
    return Noise(frequency, np.sqrt(square), referred, total, parts)


def integrate(frequency: Array, density: Array) -> Array:
    """∫ density df over (…, F), each stretch taken as a power of frequency."""
    if frequency.size < 2:
        return np.zeros(density.shape[:-1])
    low, high = frequency[:-1], frequency[1:]
    first, last = np.maximum(density[..., :-1], 1e-300), np.maximum(density[..., 1:], 1e-300)
    ratio = np.log(high / low)
    power = np.log(last / first) / ratio + 1.0
    # (f·S) grows as exp(power·x) over the logarithm x of frequency; expm1 keeps the 1/f case, power 0, exact.
    small = np.abs(power * ratio) < 1e-9
    stretch = np.where(small, ratio, np.expm1(power * ratio) / np.where(small, 1.0, power))
    out: Array = (first * low * stretch).sum(axis=-1)
    return out


def _sources(point: OperatingPoint) -> list[NoiseCurrent]:
    """Every noise current of the circuit; those of series resistances go by the name of their device."""
    eq = point.equations
    four_kt = 4.0 * BOLTZMANN * eq.temperature
    named = {entry: name for name, entry in eq.resistor_entry.items()}
    out = []
    for k, (a, b, siemens) in enumerate(eq.conductors):
        if k in named and "noisy" in (own := eq.circuit.element(named[k])).card.parameters and not np.any(eq.circuit.parameter(own, "noisy", eq.overrides)):
            continue
        inner = next((eq.names[n].partition("#")[0] for n in (b, a) if n >= 0 and "#" in eq.names[n]), "")
        out.append(NoiseCurrent(named.get(k, inner), (a, b), four_kt * siemens, np.zeros(1)))
    if eq.devices.count:
        out += eq.devices.noise(eq.branch_voltages(point.x), point.tolerances.gmin)
    return out
