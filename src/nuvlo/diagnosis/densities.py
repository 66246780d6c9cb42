"""How likely readings are about what is expected of them: Student's distributions (K. L. Lange, R. J. A. Little, J. M. G. Taylor, "Robust
statistical modeling using the t distribution", J. Am. Stat. Assoc. 84, 1989)."""

from __future__ import annotations

import math

import numpy as np

from nuvlo.arrays import Array

TAILS, ONE_TAILS = 20.0, 30.0  # degrees of freedom, of all readings together and of each by itself


def together(away: Array, spread: Array) -> Array:
    """(N,) logarithm of the density of Student's distribution of ``away`` (N, R) with ``spread`` (N, R, R)."""
    p, nu = away.shape[1], TAILS
    weighed = np.einsum("mr,mr->m", away, np.linalg.solve(spread, away[..., None])[..., 0])
    _, size = np.linalg.slogdet(spread)
    edge = math.lgamma((nu + p) / 2) - math.lgamma(nu / 2) - p / 2 * math.log(nu * math.pi)
    out: Array = edge - size / 2 - (nu + p) / 2 * np.log1p(weighed / nu)
    return out


def along_lines(away: Array, along: Array, spread: Array) -> Array:
    """(K, P) the same of K · P points ``away`` (R, K, P), all with the one ``spread`` (R, R), and each with so much more ``along`` (R, K, P) a line
    (J. Sherman, W. J. Morrison, Ann. Math. Stat. 21, 1950)."""
    p, nu = away.shape[0], TAILS
    half = np.linalg.solve(np.linalg.cholesky(spread), np.concatenate([away.reshape(p, -1), along.reshape(p, -1)], axis=1))
    a, u = half[:, : half.shape[1] // 2], half[:, half.shape[1] // 2 :]
    more = 1.0 + (u**2).sum(axis=0)
    weighed = (a**2).sum(axis=0) - (a * u).sum(axis=0) ** 2 / more
    _, size = np.linalg.slogdet(spread)
    edge = math.lgamma((nu + p) / 2) - math.lgamma(nu / 2) - p / 2 * math.log(nu * math.pi)
    out: Array = edge - (size + np.log(more)) / 2 - (nu + p) / 2 * np.log1p(weighed / nu)
    return out.reshape(away.shape[1:])


def given(away: Array, spread: Array, also: Array) -> tuple[Array, Array]:
    """What is known of other readings from those that lie ``away`` (N, R) with ``spread`` (N, R, R), and go with the others by ``also`` (N, A, R):
    how far their middles move (N, A), and by how much their variances shrink (T. W. Anderson, *An Introduction to Multivariate Statistical
    Analysis*, 3rd ed., 2.5)."""
    solved = np.linalg.solve(spread, np.concatenate([away[..., None], also.transpose(0, 2, 1)], axis=2))
    return (also @ solved[..., :1])[..., 0], (also * solved[..., 1:].transpose(0, 2, 1)).sum(axis=2)


def given_along(away: Array, along: Array, spread: Array, also: Array, beside: Array) -> tuple[Array, Array, Array]:
    """The same of K · P points ``away`` (R, K, P) with the one ``spread`` (R, R), each anywhere ``along`` (R, K, P) a line, which takes other
    readings ``beside`` (A, K, P): how far these move (A, K, P), by how much the variance that goes with the others shrinks (A,), and what is left
    along the line (A, K, P)."""
    solved = np.linalg.solve(spread, np.concatenate([also.T, away.reshape(len(away), -1), along.reshape(len(along), -1)], axis=1))
    gain, a, u = np.split(solved, [len(also), len(also) + away[0].size], axis=1)
    flat = along.reshape(len(along), -1)
    more = 1.0 + (flat * u).sum(axis=0)
    onward = beside.reshape(len(beside), -1) - also @ u
    moved = also @ a + onward * (flat * a).sum(axis=0) / more
    return moved.reshape(beside.shape), (also * gain.T).sum(axis=1), (onward**2 / more).reshape(beside.shape)


def by_itself(away: Array, wide: Array) -> Array:
    """The same of each reading by itself, of any shape."""
    nu = ONE_TAILS
    one = math.lgamma((nu + 1) / 2) - math.lgamma(nu / 2) - 0.5 * math.log(nu * math.pi)
    out: Array = one - np.log(wide) - (nu + 1) / 2 * np.log1p((away / wide) ** 2 / nu)
    return out
