"""Windings in air: what they induce in themselves and in each other, from their shape alone.

A winding is cut into filaments, each a circle that carries its share of the turns. Coaxial circles follow J. C. Maxwell, "A Treatise
on Electricity and Magnetism", 1873, art. 701 (complete elliptic integrals); any others F. Neumann's double integral. Sections of a
rectangular cut have the self-inductance of a circle of their geometric mean distance, 0.2235 times the sum of their sides (F. W.
Grover, "Inductance Calculations", 1946).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from nuvlo.arrays import Array

MU0 = 4e-7 * math.pi
COPPER = 1.724e-8  # Ω·m at 20 °C, the resistivity of annealed copper (IEC 60028)
PACKED = 0.88  # of the room that round wire with its lacquer takes up, in wild windings (common practice, no source)
SECTIONS, MOST = 60, 400  # of a winding, and in one direction, for what it induces in itself
ARC = 48  # points of a circle


@dataclass(frozen=True)
class Winding:
    """A cylindrical coil: mm across inside and outside, mm long, and its turns."""

    inner_mm: float
    outer_mm: float
    length_mm: float
    turns: float

    @cached_property
    def inductance(self) -> float:
        """H, alone in air."""
        deep = (self.outer_mm - self.inner_mm) / 2
        side = math.sqrt(deep * self.length_mm / SECTIONS)  # sections as square as they can be, and not too many of a thin layer
        cuts = [min(max(1, round(mm / side)), MOST) for mm in (deep, self.length_mm)]
        radii, places, each = self._sections(*cuts)
        count = radii.size
        a, b = np.meshgrid(radii, radii, indexing="ij")
        apart = places[:, None] - places[None, :]
        itself = np.eye(count, dtype=bool)
        out = coaxial(a, b, np.where(itself, 1.0, apart))
        across = deep / 1e3 / cuts[0], self.length_mm / 1e3 / cuts[1]
        out[itself] = MU0 * radii * (np.log(8 * radii / (0.2235 * sum(across))) - 2)
        return float(each**2 * out.sum())

    def resistance(self, wire_mm: float) -> float:
        """Ω of its copper at 20 °C."""
        metres = self.turns * math.pi * (self.inner_mm + self.outer_mm) / 2e3
        return COPPER * metres / (math.pi * (wire_mm / 2e3) ** 2)

    def _sections(self, radially: int, along: int) -> tuple[Array, Array, float]:
        """Radii and places on the axis, m, of the middles of its sections, and the turns of each."""
        inner, outer, half = self.inner_mm / 2e3, self.outer_mm / 2e3, self.length_mm / 2e3
        r = inner + (outer - inner) * (np.arange(radially) + 0.5) / radially
        z = -half + 2 * half * (np.arange(along) + 0.5) / along
        radii, places = (m.ravel() for m in np.meshgrid(r, z, indexing="ij"))
        return radii, places, self.turns / radii.size

    def circles(self, radially: int, along: int) -> tuple[Array, Array, Array]:
        """Radii and places, m, of circles that stand for the winding at a distance, and the turns of each (Gauss and Legendre)."""
        (x, wx), (y, wy) = (np.polynomial.legendre.leggauss(n) for n in (radially, along))
        inner, outer, half = self.inner_mm / 2e3, self.outer_mm / 2e3, self.length_mm / 2e3
        radii, places = np.meshgrid((inner + outer) / 2 + (outer - inner) / 2 * x, half * y, indexing="ij")
        weight = self.turns * np.outer(wx, wy) / 4
        return radii.ravel(), places.ravel(), weight.ravel()


@dataclass(frozen=True)
class Pose:
    """Where the middle of a winding is, mm, and the direction of its axis, a unit vector."""

    middle: tuple[float, float, float]
    axis: tuple[float, float, float]


def wound(henries: float, wire_mm: float, inner_mm: float, length_mm: float) -> Winding:
    """The winding of so much inductance on a former: turns and outer diameter, found by bisection."""

    def with_turns(n: float) -> Winding:
        deep = n * wire_mm**2 / PACKED / length_mm
        return Winding(inner_mm, inner_mm + 2 * deep, length_mm, n)

    low, high = 1.0, 2.0
    while with_turns(high).inductance < henries:
        high *= 2
    while high - low > 0.5:
        middle = (low + high) / 2
        low, high = (middle, high) if with_turns(middle).inductance < henries else (low, middle)
    return with_turns(round(high))


def coaxial(a: Array, b: Array, apart: Array) -> Array:
    """H between circles of radii ``a`` and ``b`` m on one axis, ``apart`` m from each other."""
    from scipy.special import ellipe, ellipk  # not before it is needed

    m = 4 * a * b / ((a + b) ** 2 + apart**2)
    k = np.sqrt(m)
    out: Array = MU0 * np.sqrt(a * b) * ((2 / k - k) * ellipk(m) - 2 / k * ellipe(m))
    return out


def mutual(one: Winding, at: Pose, other: Winding, there: Pose, *, fine: int = 3, points: int = ARC) -> float:
    """H between two windings in any position, ``fine`` circles radially and along the axis of each."""
    p, dp = _arcs(one, at, fine, points)
    q, dq = _arcs(other, there, fine, points)
    apart = np.linalg.norm(p[:, None, :] - q[None, :, :], axis=2)
    return float(MU0 / (4 * math.pi) * ((dp @ dq.T) / apart).sum())


def _arcs(winding: Winding, pose: Pose, fine: int, points: int) -> tuple[Array, Array]:
    """Middles (K, 3) in m and turns times steps (K, 3) of all pieces of arc of a winding's circles."""
    axis = np.asarray(pose.axis, float)
    aside = np.cross(axis, (0.0, 0.0, 1.0) if abs(axis[2]) < 0.9 else (1.0, 0.0, 0.0))
    aside /= np.linalg.norm(aside)
    third = np.cross(axis, aside)
    turn = 2 * math.pi * (np.arange(points) + 0.5) / points
    round_, along = np.cos(turn)[:, None] * aside + np.sin(turn)[:, None] * third, -np.sin(turn)[:, None] * aside + np.cos(turn)[:, None] * third
    radii, places, turns = winding.circles(fine, fine)
    middle = np.asarray(pose.middle) / 1e3
    at = middle + places[:, None, None] * axis + radii[:, None, None] * round_
    steps = (turns * radii * 2 * math.pi / points)[:, None, None] * along
    return at.reshape(-1, 3), steps.reshape(-1, 3)


def coupling(one: Winding, at: Pose, other: Winding, there: Pose) -> float:
    """M over the geometric mean of their inductances, −1 to 1."""
    return mutual(one, at, other, there) / math.sqrt(one.inductance * other.inductance)


def steel_share(winding: Winding, at: Pose, depth_mm: float) -> float:
    """By what share its inductance grows over a sheet of steel at ``z = −depth_mm``: one without end and of permeability without
    limit, which mirrors the winding (J. C. Maxwell, art. 318). A smaller piece, or a magnet, does less."""
    (x, y, z), (ax, ay, az) = at.middle, at.axis
    mirrored = Pose((x, y, -2 * depth_mm - z), (-ax, -ay, az))
    return mutual(winding, at, winding, mirrored, fine=4) / winding.inductance
