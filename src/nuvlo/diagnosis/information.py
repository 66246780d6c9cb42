"""Bits: how much of what is wrong a reading tells (T. M. Cover, J. A. Thomas, *Elements of Information Theory*, 2nd ed., 2.4)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array

BINS, FEW_BINS = 48, 10  # of a reading's scale, and where it is only judged roughly


def roughly(middle: Array, wide: Array, w: Array) -> Array:
    """(R,) about the bits of :func:`bits_of` for readings (R, N) each, in a few bins of the middles."""
    from scipy.special import ndtr

    order = np.argsort(middle, axis=1)
    share = np.cumsum(w[order], axis=1)
    at = (share[:, None, :] < np.linspace(0, 1, FEW_BINS + 1)[1:-1, None]).sum(axis=2).clip(0, w.size - 1)
    edges = np.take_along_axis(np.take_along_axis(middle, order, axis=1), at, axis=1)
    away = (edges[:, :, None] - middle[:, None, :]) / wide[:, None, :]
    under = np.empty((len(middle), FEW_BINS + 1, w.size), np.float32)  # single precision is plenty here, and twice as fast
    under[:, 0], under[:, -1] = 0.0, 1.0
    ndtr(away.astype(np.float32), out=under[:, 1:-1])
    share = np.diff(under, axis=1)
    out: Array = parts(share @ w).sum(axis=1) - parts(share).sum(axis=1) @ w
    return out


def bits_of(middle: Array, wide: Array, w: Array, which: NDArray[np.intp] | None = None) -> float:
    """Mutual information of which of some normal distributions it is, with chances ``w``, and what is read; those of the same ``which`` are
    one."""
    from scipy.special import ndtr

    spots = (middle[:, None] + wide[:, None] * np.array([-1.5, -0.5, 0.5, 1.5])).ravel()
    order = np.argsort(spots)
    at = np.searchsorted(np.cumsum(np.repeat(w / 4, 4)[order]), np.linspace(0, 1, BINS + 1)[1:-1])
    edges = np.unique(spots[order][np.minimum(at, order.size - 1)])
    under = np.diff(np.concatenate([np.zeros((w.size, 1)), ndtr((edges - middle[:, None]) / wide[:, None]), np.ones((w.size, 1))], axis=1), axis=1)
    if which is not None:
        names, place = np.unique(which, return_inverse=True)
        if names.size < which.size:
            together = np.zeros((names.size, w.size))
            together[place, np.arange(w.size)] = w
            w = together.sum(axis=1)
            under = together @ under / np.where(w > 0, w, 1.0)[:, None]
    return float(entropies(w @ under) - w @ entropies(under))


def parts(share: Array) -> Array:
    """What each share adds to the bits of all."""
    with np.errstate(divide="ignore", invalid="ignore"):
        out: Array = -np.where(share > 0, share * np.log2(share), 0.0)
    return out


def entropies(share: Array) -> Array:
    """Bits of each row of shares that make one."""
    out: Array = parts(share).sum(axis=-1)
    return out


def of_two(share: Array) -> Array:
    """Bits of one thing that is so with a chance of ``share``."""
    return entropies(np.stack([share, 1.0 - share], axis=-1))
