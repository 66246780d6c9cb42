"""How likely readings are about what is expected of them: Student's distributions (K. L. Lange, R. J. A. Little, J. M. G. Taylor, "Robust
statistical modeling using the t distribution", J. Am. Stat. Assoc. 84, 1989)."""

from __future__ import annotations

import math

import numpy as np

from nuvlo.arrays import Array

TAILS, ONE_TAILS = 7.0, 30.0  # degrees of freedom, of all readings together and of each by itself


def together(away: Array, spread: Array) -> Array:
    """(N,) logarithm of the density of Student's distribution of ``away`` (N, R) with ``spread`` (N, R, R)."""
    p, nu = away.shape[1], TAILS
    weighed = np.einsum("mr,mr->m", away, np.linalg.solve(spread, away[..., None])[..., 0])
    _, size = np.linalg.slogdet(spread)
    edge = math.lgamma((nu + p) / 2) - math.lgamma(nu / 2) - p / 2 * math.log(nu * math.pi)
    out: Array = edge - size / 2 - (nu + p) / 2 * np.log1p(weighed / nu)
    return out


def by_itself(away: Array, wide: Array) -> Array:
    """The same of each reading by itself, of any shape."""
    nu = ONE_TAILS
    one = math.lgamma((nu + 1) / 2) - math.lgamma(nu / 2) - 0.5 * math.log(nu * math.pi)
    out: Array = one - np.log(wide) - (nu + 1) / 2 * np.log1p((away / wide) ** 2 / nu)
    return out
