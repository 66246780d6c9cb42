"""Weighting of noise by how the ear hears it."""

from __future__ import annotations

import numpy as np

from nuvlo.arrays import Array


def a_weighting(frequency: Array) -> Array:
    """Amplitude weighting A, 1 at 1 kHz (IEC 61672-1:2013, annex E, equation E.1)."""
    f = np.asarray(frequency, float) ** 2
    f1, f2, f3, f4 = 20.598997, 107.65265, 737.86223, 12194.217

    def raw(x: Array) -> Array:
        return np.asarray(f4**2 * x**2 / ((x + f1**2) * np.sqrt((x + f2**2) * (x + f3**2)) * (x + f4**2)))

    return raw(f) / raw(np.array(1e6))
