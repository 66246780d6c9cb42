"""Diodes: one branch each. Equations as in the ngspice 39 manual, chapter 7.3."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.devices.group import Alike, Laws, NoiseCurrent
from nuvlo.circuit.devices.junction import (
    CHARGE,
    LARGEST_EXPONENT,
    depletion,
    depletion_at,
    junction,
    knee,
    saturation_growth,
    unlimited,
)


class Diodes(Alike):
    """Anode to cathode."""

    kind, branches, emission, by_area = "d", 1, ("n",), ("is", "cjo", "ibv", "ikf", "isr")
    charging = ("cjo", "tt")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-14, "n": 1.0, "bv": np.inf, "ibv": 1e-3, "cjo": 0.0, "m": 0.5, "vj": 1.0, "fc": 0.5, "tt": 0.0, "kf": 0.0,
        "af": 1.0, "eg": 1.11, "xti": 3.0, "ikf": np.inf, "isr": 0.0, "nr": 2.0, "nbv": np.nan,
    }  # fmt: skip

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array) -> None:
        super().__init__(circuit, overrides, temperature)
        self.p["nbv"] = np.where(np.isnan(self.p["nbv"]), self.p["n"], self.p["nbv"])
        self.p["ikf"] = unlimited(self.p["ikf"])
        self.p["knee"] = knee(self.p)

    def warm(self, temperature: Array) -> None:
        p = self.p
        p["is"] = p["is"] * saturation_growth(temperature, p["eg"], p["xti"], p["n"], p["nominal"])
        p["isr"] = p["isr"] * saturation_growth(temperature, p["eg"], p["xti"], p["nr"], p["nominal"])
        p["cjo"], p["vj"] = depletion_at(temperature, p["cjo"], p["vj"], p["m"], p["nominal"])

    def knees(self) -> Array:
        return np.asarray(self.p["knee"].mean(axis=1, keepdims=True))

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        return [(inner.get((d.name, "rs"), d.nodes[0]), d.nodes[1]) for d in self.elements]

    def laws(self, v: Sequence[Array], gmin: float, charges: bool) -> Laws:
        p, volts = self.p, v[0]
        static, slope = junction(volts, p["is"], p["n"], p["vt"])
        if np.isfinite(p["knee"]).any() and (broken := volts < -p["knee"]).any():
            nvt = p["nbv"] * p["vt"]
            rise = np.exp(np.minimum(-(p["knee"] + volts) / nvt, LARGEST_EXPONENT))
            static = np.where(broken, -p["is"] * rise, static)
            slope = np.where(broken, p["is"] * rise / nvt, slope)
        forward, along = static, slope
        if np.isfinite(p["ikf"]).any():  # high injection: i/(1 + √(i/IKF)), of the forward current alone
            root = np.sqrt(np.where(static > 0, static / p["ikf"], 0.0))
            static, slope = static / (1.0 + root), slope * (1.0 + 0.5 * root) / (1.0 + root) ** 2
        if p["isr"].any():  # recombination in the depletion layer, wider where the voltage is the other way
            amps, siemens = junction(volts, p["isr"], p["nr"], p["vt"])
            layer = (1.0 - volts / p["vj"]) ** 2 + 0.005
            grown = layer ** (0.5 * p["m"])
            static = static + amps * grown
            slope = slope + siemens * grown - amps * grown * p["m"] * (1.0 - volts / p["vj"]) / (p["vj"] * layer)
        current, conductance = [static + gmin * volts], [slope + gmin]
        if not charges:
            return current, conductance, (), ()
        q, c = depletion(volts, p["cjo"], p["vj"], p["m"], p["fc"])
        return current, conductance, [q + p["tt"] * forward], [c + p["tt"] * along]

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Shot noise of the current, and flicker."""
        amps = np.abs(self.evaluate(v, gmin, False)[0])
        return [
            NoiseCurrent(d.name, pairs[k], 2 * CHARGE * amps[k], self.p["kf"][k] * amps[k] ** self.p["af"][k])
            for k, d in enumerate(self.elements)
        ]
