"""Prove: a log sweep through the finished unit, its response against the model's band, and its gain."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.circuit import Array
from nuvlo.kit import Kit, Stage
from nuvlo.logbook import Build, CurveTaken
from nuvlo.model import Band, Task, Wants
from nuvlo.quantity import Measured, Verdict, format_value, judge

SWEEP_SECONDS = 1.0
RATE = 48_000.0


@dataclass(frozen=True)
class Proof:
    """A measured response against its band. ``verdict`` is the worst of all frequencies."""

    verdict: Verdict
    words: str
    gain_db: float
    gain_low: float
    gain_high: float


def tasks(kit: Kit, build: Build) -> list[Task]:
    """One sweep."""
    prove = kit.info.prove
    if prove is None:
        return []
    title = f"Sweep {format_value(prove.from_hz, 'Hz')} to {format_value(prove.to_hz, 'Hz')}"
    return [
        Task("prove.sweep", Stage.PROVE, Wants.SWEEP, title, prove.says, "response", "gain", "dB", nodes=(prove.node,))
    ]


def log_sweep(start: float, stop: float, level: float, seconds: float = SWEEP_SECONDS, rate: float = RATE) -> Array:
    """Exponential sweep of ``level`` V peak, with silence before and after so that the record may be taken as periodic.

    Source: A. Farina, "Simultaneous measurement of impulse response and distortion with a swept-sine technique",
    AES 108th Convention, Paris 2000, equation 12. The sweep runs a third of an octave beyond both ends, faded there.
    """
    low, high = start / 2 ** (1 / 3), min(stop * 2 ** (1 / 3), 0.49 * rate)
    count = round(seconds * rate)
    t = np.arange(count) / rate
    ratio = np.log(high / low)
    phase = 2 * np.pi * low * seconds / ratio * (np.exp(t / seconds * ratio) - 1.0)
    fade = int(0.02 * count)
    window = np.ones(count)
    window[:fade] = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    window[-fade // 4 :] = window[: fade // 4 + (fade % 4 > 0)][::-1][-len(window[-fade // 4 :]) :]
    silence = np.zeros(count // 4)
    out: Array = np.concatenate([silence, level * window * np.sin(phase), silence])
    return out


def measured_response(played: Array, recorded: Array, rate: float, frequency: Array) -> Array:
    """Magnitude in dB of recorded over played at ``frequency`` (F,) Hz.

    The quotient of the spectra, averaged over a twenty-fourth of an octave about each frequency.
    """
    grid = np.fft.rfftfreq(played.size, 1.0 / rate)
    sent, came = np.fft.rfft(played), np.fft.rfft(recorded)
    cross, power = came * np.conj(sent), np.abs(sent) ** 2
    half = 2.0 ** (1 / 48)
    step = grid[1]
    low = np.maximum(1, np.round(frequency / half / step)).astype(int)
    high = np.maximum(low + 1, np.round(frequency * half / step).astype(int))
    total = np.concatenate([[0], np.cumsum(cross)])
    weight = np.concatenate([[0.0], np.cumsum(power)])
    out: Array = 20.0 * np.log10(np.abs((total[high] - total[low]) / (weight[high] - weight[low])))
    return out


def judge_curve(curve: CurveTaken, band: Band, reference_hz: float) -> Proof:
    """Verdict over all frequencies; where it is out, the widest stretch and by how much."""
    frequency = np.array(curve.frequency)
    measured = np.array(curve.magnitude_db)
    low = np.interp(np.log(frequency), np.log(band.frequency), band.low)
    high = np.interp(np.log(frequency), np.log(band.frequency), band.high)
    verdicts = [
        judge(Measured(float(m), curve.uncertainty_db, "dB"), float(a), float(b))
        for m, a, b in zip(measured, low, high, strict=True)
    ]
    at = float(np.interp(np.log(reference_hz), np.log(frequency), measured))
    gain_low, gain_high = (
        float(np.interp(np.log(reference_hz), np.log(band.frequency), edge)) for edge in (band.low, band.high)
    )
    gain = f"Gain at {format_value(reference_hz, 'Hz')}: {format_value(at, 'dB')}"
    expected = f"{format_value(gain_low, 'dB')} to {format_value(gain_high, 'dB')}"
    out = [k for k, v in enumerate(verdicts) if v is Verdict.OUT]
    if not out:
        verdict = Verdict.NEAR if Verdict.NEAR in verdicts else Verdict.IN
        return Proof(verdict, f"{gain}, expected {expected}. The response lies in its band.", at, gain_low, gain_high)
    miss = np.where(measured < low, measured - low, np.where(measured > high, measured - high, 0.0))
    worst = max(out, key=lambda k: abs(miss[k]))
    span = f"{format_value(float(frequency[out[0]]), 'Hz', 2)} to {format_value(float(frequency[out[-1]]), 'Hz', 2)}"
    side = "low" if miss[worst] < 0 else "high"
    words = (
        f"{gain}, expected {expected}. The response leaves its band from {span}; worst at "
        f"{format_value(float(frequency[worst]), 'Hz', 2)}, {format_value(abs(float(miss[worst])), 'dB', 2)} {side}."
    )
    return Proof(Verdict.OUT, words, at, gain_low, gain_high)
