"""A circuit driven by a sine as hard as one likes, followed in time until it repeats itself.

All levels of all members are followed together, as one ensemble. From the last period come gain and its compression,
harmonic distortion, the level at which clipping sets in, and how unlike the two halves of the wave are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.equations import ensemble_size
from nuvlo.circuit.periodic import harmonic_distortion
from nuvlo.circuit.transient import transient
from nuvlo.problems import NuvloError, Problem

SAMPLES = 128  # in a period
SETTLED = 1e-3  # of its swing that a wave may still change from one period to the next


@dataclass(frozen=True)
class SteadySine:
    """``levels`` (L,) V or A peak at the source; ``wave`` (N, L, samples) V, one period; ``settled`` (N, L)."""

    frequency: float
    levels: Array
    wave: Array
    settled: NDArray[np.bool_]

    @property
    def gain(self) -> Array:
        """(N, L) V/V of the fundamental."""
        return self.fundamental / self.levels

    @property
    def fundamental(self) -> Array:
        """(N, L) V peak of the fundamental."""
        out: Array = 2.0 * np.abs(np.fft.rfft(self.wave)[..., 1]) / self.wave.shape[-1]
        return out

    @property
    def compression_db(self) -> Array:
        """(N, L) dB by which gain has fallen from that at the smallest level."""
        out: Array = 20.0 * np.log10(self.gain[:, :1] / self.gain)
        return out

    @property
    def distortion(self) -> Array:
        """(N, L) total harmonic distortion, referred to the fundamental."""
        return harmonic_distortion(self.wave)

    @property
    def asymmetry(self) -> Array:
        """(N, L): how much farther the wave goes up from its mean than down, as a share of both: −1 to 1."""
        middle = self.wave.mean(axis=-1)
        up, down = self.wave.max(axis=-1) - middle, middle - self.wave.min(axis=-1)
        return np.asarray((up - down) / np.maximum(up + down, 1e-300))

    def onset(self, limit: float = 0.01) -> Array:
        """(N,) level at which distortion first passes ``limit``, by straight lines between logarithms; NaN for none."""
        soiled = self.distortion
        out = np.full(len(soiled), np.nan)
        for member, row in enumerate(soiled):
            above = np.flatnonzero(row > limit)
            if above.size and above[0] > 0:
                k = above[0]
                share = np.log(limit / row[k - 1]) / np.log(row[k] / row[k - 1])
                out[member] = self.levels[k - 1] * (self.levels[k] / self.levels[k - 1]) ** share
            elif above.size:
                out[member] = self.levels[0]
        return out

    def fundamental_at(self, level: Array) -> Array:
        """(N,) V peak at the output for ``level`` (N,) at the source, between the levels that were tried."""
        return np.array([np.interp(one, self.levels, row) for one, row in zip(level, self.fundamental, strict=True)])


def steady_sine(
    circuit: Circuit, source: str, node: str, frequency: float, levels: Array, overrides: Overrides | None = None,
    cycles: int = 12,
) -> SteadySine:  # fmt: skip
    """Drive ``source`` with sines of all ``levels`` (L,), rising, for ``cycles`` periods; the last one is kept.

    A wave whose last two periods differ by more than a thousandth of its swing is marked as not settled: coupling
    capacitors charged by clipping take many periods. Raises :class:`NuvloError` for levels that do not rise from above 0.
    """
    levels = np.atleast_1d(np.asarray(levels, float))
    if not (levels[0] > 0 and (np.diff(levels) > 0).all() and cycles >= 2):
        raise NuvloError(Problem("levels must rise from above 0, and at least 2 cycles be run.", "Try 0.01 to 1 V."))
    given = overrides or {}
    members = ensemble_size(given)
    spread = {k: np.repeat(np.asarray(v), levels.size) if np.ndim(v) == 1 else v for k, v in given.items()}
    for name in () if members * levels.size == 1 else (source,):  # make the ensemble as wide as its levels
        rest = np.atleast_1d(np.asarray(circuit.parameter(circuit.element(name), "dc", spread), float))
        spread = {**spread, name: np.broadcast_to(rest, members * levels.size).copy()}
    rest = np.atleast_1d(np.asarray(circuit.parameter(circuit.element(source), "dc", spread), float))
    size = np.tile(levels, members)
    step = 1.0 / (SAMPLES * frequency)
    course = transient(
        circuit, step, cycles / frequency, [node], spread,
        signals={source: lambda t: rest + size * np.sin(2.0 * np.pi * frequency * t)},
    )  # fmt: skip
    wave = course.voltage[node].reshape(members, levels.size, -1)
    last, before = wave[..., -SAMPLES - 1 : -1], wave[..., -2 * SAMPLES - 1 : -SAMPLES - 1]
    swing = last.max(axis=-1) - last.min(axis=-1)
    settled = np.abs(last - before).max(axis=-1) <= SETTLED * np.maximum(swing, 1e-12)
    return SteadySine(frequency, levels, last, settled)
