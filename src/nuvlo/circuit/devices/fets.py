"""Field-effect transistors: junction FETs as gate-source and gate-drain branches, MOS (level 1) as six.

Equations: H. Shichman, D. Hodges, IEEE J. Solid-State Circuits 3, 1968, as in the ngspice 39 manual, chapters 9.1 and 11.2.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.devices.group import Alike, Laws, NoiseCurrent
from nuvlo.circuit.devices.junction import (
    BOLTZMANN,
    band_gap,
    depletion,
    depletion_at,
    junction,
    potential_at,
    thermal_voltage,
)


class Jfets(Alike):
    """Terminals drain, gate, source."""

    kind, branches, emission, by_area = "j", 2, ("n", "n"), ("is", "beta", "cgs", "cgd")
    charging = ("cgs", "cgd")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-14, "n": 1.0, "vto": -2.0, "beta": 1e-4, "lambda": 0.0, "cgs": 0.0, "cgd": 0.0, "pb": 1.0, "fc": 0.5,
        "kf": 0.0, "af": 1.0, "b": 1.0, "betatce": 0.0, "vtotc": 0.0,
    }  # fmt: skip

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out = []
        for j in self.elements:
            d, s = inner.get((j.name, "rd"), j.nodes[0]), inner.get((j.name, "rs"), j.nodes[2])
            out += [(j.nodes[1], s), (j.nodes[1], d)]
        return out

    def starting_voltages(self, critical: Array) -> Array:
        return np.full_like(critical, -1.0)

    def laws(self, v: Sequence[Array], gmin: float, charges: bool) -> Laws:
        """Shichman–Hodges: branch currents (IGS + ID, IGD − ID), their derivatives by (vgs, vgd), and the charges.

        Drain and source change places where the drain is the lower: the equations know only which end is which.
        """
        p, (vgs, vgd) = self.p, v
        igs, ggs = junction(vgs, p["is"], p["n"], p["vt"])
        igd, ggd = junction(vgd, p["is"], p["n"], p["vt"])
        turned = vgs < vgd
        above = np.maximum(np.where(turned, vgd, vgs) - p["vto"], 0.0)
        across = np.abs(vgs - vgd)
        slope = p["beta"] * (1.0 + p["lambda"] * across)
        saturated = above <= across
        drive = np.where(saturated, above**2, across * (2.0 * above - across))
        by_gate = np.where(saturated, 2.0 * above, 2.0 * across)
        by_drain = np.where(saturated, 0.0, 2.0 * (above - across))
        if (p["b"] != 1.0).any():  # the tail of doping: A. E. Parker, D. J. Skellern, as in the manual, 9.1
            tail = (1.0 - p["b"]) / (p["pb"] - p["vto"])
            inner = np.minimum(across, above)
            drive = np.where(saturated, above**2 * (p["b"] + tail * above), inner * (p["b"] * (2 * above - inner) + tail * inner * (3 * above - 2 * inner)))
            by_gate = np.where(saturated, above * (2 * p["b"] + 3 * tail * above), across * (2 * p["b"] + 3 * tail * across))
            by_drain = np.where(saturated, 0.0, (above - across) * (2 * p["b"] + 6 * tail * across))
        channel = slope * drive
        gm = slope * by_gate
        gds = p["beta"] * p["lambda"] * drive + slope * by_drain
        sign = np.where(turned, -1.0, 1.0)
        channel = sign * channel
        # By the voltages of the branches: vds = vgs − vgd, and the gate drives from the end that is the source.
        by_gs = np.where(turned, gds, gm + gds)
        by_gd = np.where(turned, -gm - gds, -gds)
        current = [igs + gmin * vgs + channel, igd + gmin * vgd - channel]
        conductance = [ggs + gmin + by_gs, by_gd, -by_gs, ggd + gmin - by_gd]
        if not charges:
            return current, conductance, (), ()
        half = np.full((1, 1), 0.5)
        (q_gs, c_gs), (q_gd, c_gd) = (depletion(volts, p[name], p["pb"], half, p["fc"]) for volts, name in ((vgs, "cgs"), (vgd, "cgd")))
        return current, conductance, [q_gs, q_gd], [c_gs, None, None, c_gd]

    def warm(self, temperature: Array) -> None:
        p = self.p
        growth = np.exp((temperature / p["nominal"] - 1.0) * 1.11 / p["vt"])
        p["is"] = p["is"] * growth
        rise = temperature - p["nominal"]
        p["vto"] = p["vto"] + p["vtotc"] * rise
        p["beta"] = p["beta"] * 1.01 ** (p["betatce"] * rise)
        half = np.full((1, 1), 0.5)
        for name in ("cgs", "cgd"):
            p[name], moved = depletion_at(temperature, p[name], p["pb"], half, p["nominal"])
        p["pb"] = moved

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Thermal noise of the channel, 8kT·gm/3, and flicker."""
        current, conductance, _, _ = self.evaluate(v, gmin, False)
        out = []
        for k, element in enumerate(self.elements):
            _, at_gate = junction(v[2 * k], self.p["is"][k], self.p["n"][k], self.p["vt"][k])
            gm = np.abs(conductance[4 * k] + conductance[4 * k + 1] - at_gate - gmin)
            thermal = 4 * BOLTZMANN * self.p["temperature"][k] * 2.0 / 3.0 * gm
            flicker = self.p["kf"][k] * np.abs(current[2 * k + 1]) ** self.p["af"][k]
            out.append(NoiseCurrent(element.name, (pairs[2 * k + 1][1], pairs[2 * k][1]), thermal, flicker))
        return out


OXIDE, USUAL_KP = 3.9 * 8.854214871e-12, 2e-5  # F/m; A/V² where neither KP nor an oxide is given
NOISE_OXIDE = OXIDE / 1e-7  # F/m²: what SPICE takes for flicker noise where no oxide is given
DS, GS, BS, BD, GD, GB = range(6)  # the branches of a MOS transistor


class Mosfets(Alike):
    """Terminals drain, gate, source, bulk. Only the overlap capacitances of the gate are known: no oxide charge."""

    kind, branches, emission, by_area = "m", 6, (), ()
    charging = ("cbd", "cbs", "cgso", "cgdo", "cgbo")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-14, "vto": 0.0, "kp": np.nan, "gamma": 0.0, "phi": 0.6, "lambda": 0.0, "cbd": 0.0, "cbs": 0.0, "pb": 0.8,
        "mj": 0.5, "fc": 0.5, "cgso": 0.0, "cgdo": 0.0, "cgbo": 0.0, "ld": 0.0, "l": 1e-4, "w": 1e-4, "m": 1.0, "kf": 0.0,
        "af": 1.0, "tox": 0.0, "uo": 600.0,
    }  # fmt: skip

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array) -> None:
        super().__init__(circuit, overrides, temperature)
        p = self.p
        sign = np.array([float(e.polarity) for e in self.elements]).reshape(-1, 1)
        p["vto"] = p["vto"] * sign  # from here on all is as in an n-channel device
        p["vbi"] = p.get("vbi", p["vto"] - p["gamma"] * np.sqrt(p["phi"]))
        for name in ("is", "cbd", "cbs"):
            p[name] = p[name] * p["m"]
        length = p["l"] - 2.0 * p["ld"]
        p["beta"] = p["m"] * p["kp"] * p["w"] / length
        p["c_gs"], p["c_gd"] = (p["m"] * p[name] * p["w"] for name in ("cgso", "cgdo"))
        p["c_gb"] = p["m"] * p["cgbo"] * length
        p["gate"] = p["m"] * p["w"] * length * NOISE_OXIDE**2

    def prepare(self) -> None:
        """Without KP the oxide says it, by the carriers' mobility."""
        p = self.p
        by_oxide = np.where(p["tox"] > 0, p["uo"] * 1e-4 * OXIDE / np.where(p["tox"] > 0, p["tox"], 1.0), USUAL_KP)
        p["kp"] = np.where(np.isnan(p["kp"]), by_oxide, p["kp"])

    def warm(self, temperature: Array) -> None:
        p = self.p
        sign = np.array([float(e.polarity) for e in self.elements]).reshape(-1, 1)
        gap, nominal_gap = band_gap(temperature), band_gap(p["nominal"])
        phi = potential_at(temperature, p["phi"], p["nominal"])
        flat = sign * p["vto"] - p["gamma"] * np.sqrt(p["phi"])
        p["vbi"] = flat + sign * 0.5 * (nominal_gap - gap) + 0.5 * (phi - p["phi"])
        p["phi"] = phi
        p["kp"] = p["kp"] * (temperature / p["nominal"]) ** -1.5
        p["is"] = p["is"] * np.exp(nominal_gap / thermal_voltage(p["nominal"]) - gap / p["vt"])
        for name in ("cbd", "cbs"):
            p[name], moved = depletion_at(temperature, p[name], p["pb"], p["mj"], p["nominal"])
        p["pb"] = moved

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out = []
        for m in self.elements:
            d, s = inner.get((m.name, "rd"), m.nodes[0]), inner.get((m.name, "rs"), m.nodes[2])
            g, b = m.nodes[1], m.nodes[3]
            out += [(d, s), (g, s), (b, s), (b, d), (g, d), (g, b)]
        return out

    def entries(self) -> list[list[tuple[int, int]]]:
        own = [(k, k) for k in (GS, BS, BD, GD, GB)]
        return [[(DS, DS), (DS, GS), (DS, BS), *own]] * len(self.elements)

    def starting_voltages(self, critical: Array) -> Array:
        out = np.zeros_like(critical)
        out[GS::6] = np.maximum(self.p["vto"][:, :1], 0.0)
        return out

    def steps(self) -> tuple[Array, Array]:
        """Only the two bulk junctions are limited."""
        rows = 6 * len(self.elements)
        volts, amps = np.ones((rows, 1)), np.zeros((rows, 1))
        for branch in (BS, BD):
            volts[branch::6] = self.p["vt"].mean()
            amps[branch::6] = self.p["is"].mean(axis=1, keepdims=True)
        return volts, amps

    def laws(self, v: Sequence[Array], gmin: float, charges: bool) -> Laws:
        p, (vds, vgs, vbs, vbd, vgd, vgb) = self.p, v
        turned = vds < 0  # then drain and source change places
        across = np.abs(vds)
        gate, bulk = np.where(turned, vgs - vds, vgs), np.where(turned, vbs - vds, vbs)
        root = np.sqrt(p["phi"])
        sarg = np.where(
            bulk <= 0, np.sqrt(np.maximum(p["phi"] - bulk, 1e-12)), np.maximum(root - bulk / (2 * root), 0.0)
        )
        by_bulk = np.where(sarg > 0, p["gamma"] / (2.0 * np.maximum(sarg, 1e-12)), 0.0)
        above = np.maximum(gate - p["vbi"] - p["gamma"] * sarg, 0.0)
        stretch = 1.0 + p["lambda"] * across
        saturated = above <= across
        drive = np.where(saturated, 0.5 * above**2, across * (above - 0.5 * across))
        gm = p["beta"] * stretch * np.where(saturated, above, across)
        gds = p["beta"] * (p["lambda"] * drive + np.where(saturated, 0.0, stretch * (above - across)))
        sign = np.where(turned, -1.0, 1.0)
        gmbs = gm * by_bulk
        (bs, g_bs), (bd, g_bd) = (junction(volts, p["is"], np.ones(1), p["vt"]) for volts in (vbs, vbd))
        current = [sign * p["beta"] * stretch * drive, None, bs + gmin * vbs, bd + gmin * vbd, None, None]
        # By (DS, DS), (DS, GS), (DS, BS), then each other branch by itself.
        conductance = [
            np.where(turned, gm + gmbs + gds, gds), sign * gm, sign * gmbs, None, g_bs + gmin, g_bd + gmin, None, None,
        ]  # fmt: skip
        if not charges:
            return current, conductance, (), ()
        (q_bs, c_bs), (q_bd, c_bd) = (depletion(volts, p[name], p["pb"], p["mj"], p["fc"]) for volts, name in ((vbs, "cbs"), (vbd, "cbd")))
        c_gs, c_gd, c_gb = p["c_gs"], p["c_gd"], p["c_gb"]
        return current, conductance, [None, c_gs * vgs, q_bs, q_bd, c_gd * vgd, c_gb * vgb], [None, None, None, c_gs, c_bs, c_bd, c_gd, c_gb]

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Thermal noise of the channel, 8kT·gm/3, flicker, and shot noise of the bulk junctions left out as nothing."""
        current, conductance, _, _ = self.evaluate(v, gmin, False)
        out = []
        for k, element in enumerate(self.elements):
            thermal = 4 * BOLTZMANN * self.p["temperature"][k] * 2.0 / 3.0 * np.abs(conductance[8 * k + 1])
            flicker = self.p["kf"][k] * np.abs(current[6 * k]) ** self.p["af"][k] / self.p["gate"][k]
            out.append(NoiseCurrent(element.name, pairs[6 * k], thermal, flicker))
        return out
