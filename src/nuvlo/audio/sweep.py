"""Swept sines: played into a unit, and its response taken from the recording."""

from __future__ import annotations

import numpy as np

from nuvlo.arrays import Array

SWEEP_SECONDS = 1.0
BEYOND = 2 ** (1 / 3)  # a third of an octave
RATE = 48_000.0


def log_sweep(start: float, stop: float, level: float, seconds: float = SWEEP_SECONDS, rate: float = RATE) -> Array:
    """Exponential sweep (T,) of ``level`` V peak, with silence before and after so that the record may be taken as periodic.

    Source: A. Farina, "Simultaneous measurement of impulse response and distortion with a swept-sine technique",
    AES 108th Convention, Paris 2000, equation 12. The sweep runs a third of an octave beyond both ends, as far as the
    ``rate`` (Hz) allows, and is faded in and out there by half a cosine, so that it neither begins nor ends with a click.
    """
    from scipy.signal import chirp

    low, high = start / BEYOND, min(stop * BEYOND, 0.49 * rate)
    count = round(seconds * rate)
    t = np.arange(count) / rate
    window = np.ones(count)
    for reach, part in ((start / low, slice(None, None)), (high / min(stop, 0.99 * high), slice(None, None, -1))):
        fade = max(2, round(count * np.log(reach) / np.log(high / low)))
        window[part][:fade] *= 0.5 - 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / fade)
    silence = np.zeros(count // 4)
    wave = chirp(t, low, seconds, high, method="logarithmic", phi=-90.0)
    out: Array = np.concatenate([silence, level * window * wave, silence])
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
