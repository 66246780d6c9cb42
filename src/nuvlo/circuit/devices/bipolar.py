"""Bipolar transistors by Gummel–Poon: base to emitter, base to collector, with currents i₀ = IB + IC and i₁ = −IC.

Equations as in the ngspice 39 manual, chapter 8.2 (Nagel 1975, appendix 4).
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.devices.group import Group, NoiseCurrent, Parts
from nuvlo.circuit.devices.junction import (
    CHARGE,
    NOMINAL_TEMPERATURE,
    depletion,
    depletion_at,
    junction,
    saturation_growth,
)


class Bipolars(Group):
    """Terminals collector, base, emitter."""

    kind, branches, emission = "q", 2, ("nf", "nr")
    by_area = ("is", "ise", "isc", "ikf", "ikr", "cje", "cjc")
    charging = ("cje", "cjc", "tf", "tr")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-16, "bf": 100.0, "br": 1.0, "nf": 1.0, "nr": 1.0, "vaf": np.inf, "var": np.inf, "ikf": np.inf,
        "ikr": np.inf, "ise": 0.0, "ne": 1.5, "isc": 0.0, "nc": 2.0, "cje": 0.0, "vje": 0.75, "mje": 0.33, "cjc": 0.0,
        "vjc": 0.75, "mjc": 0.33, "fc": 0.5, "tf": 0.0, "tr": 0.0, "kf": 0.0, "af": 1.0, "eg": 1.11, "xti": 3.0, "xtb": 0.0,
    }  # fmt: skip

    def warm(self, temperature: Array) -> None:
        p = self.p
        growth = saturation_growth(temperature, p["eg"], p["xti"])
        gain = (temperature / NOMINAL_TEMPERATURE) ** p["xtb"]
        p["is"] = p["is"] * growth
        p["bf"], p["br"] = p["bf"] * gain, p["br"] * gain
        p["ise"] = p["ise"] * growth ** (1.0 / p["ne"]) / gain
        p["isc"] = p["isc"] * growth ** (1.0 / p["nc"]) / gain
        p["cje"], p["vje"] = depletion_at(temperature, p["cje"], p["vje"], p["mje"])
        p["cjc"], p["vjc"] = depletion_at(temperature, p["cjc"], p["vjc"], p["mjc"])

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out = []
        for q in self.elements:
            c, b, e = (inner.get((q.name, p), n) for p, n in zip(("rc", "rb", "re"), q.nodes, strict=True))
            out += [(b, e), (b, c)]
        return out

    def starting_voltages(self, critical: Array) -> Array:
        out = critical.copy()
        out[1::2] = 0.0
        return out

    def evaluate(self, v: Array, gmin: float, charges: bool) -> Parts:
        """Branch currents (IB + IC, −IC), their derivatives by (vbe, vbc), and the charges."""
        p, vbe, vbc = self.p, v[0::2], v[1::2]
        forward, g_forward = junction(vbe, p["is"], p["nf"], p["vt"])
        backward, g_backward = junction(vbc, p["is"], p["nr"], p["vt"])
        i_base_e, g_base_e = forward / p["bf"], g_forward / p["bf"]
        i_base_c, g_base_c = backward / p["br"], g_backward / p["br"]
        if p["ise"].any():
            leak, g_leak = junction(vbe, p["ise"], p["ne"], p["vt"])
            i_base_e, g_base_e = i_base_e + leak, g_base_e + g_leak
        if p["isc"].any():
            leak, g_leak = junction(vbc, p["isc"], p["nc"], p["vt"])
            i_base_c, g_base_c = i_base_c + leak, g_base_c + g_leak
        # Base charge: Early effect in q1, high injection in q2.
        q1 = 1.0 / (1.0 - vbc / p["vaf"] - vbe / p["var"])
        q2 = forward / p["ikf"] + backward / p["ikr"]
        root = np.sqrt(np.maximum(1.0 + 4.0 * q2, 1e-12))
        qb = q1 * (1.0 + root) / 2.0
        d_early_e, d_early_c = qb * q1 / p["var"], qb * q1 / p["vaf"]
        dqb_e = d_early_e + q1 * g_forward / (p["ikf"] * root)
        dqb_c = d_early_c + q1 * g_backward / (p["ikr"] * root)
        transport = (forward - backward) / qb
        gm_e = (g_forward - transport * dqb_e) / qb
        gm_c = (-g_backward - transport * dqb_c) / qb
        collector = transport - i_base_c - gmin * vbc
        base = i_base_e + i_base_c + gmin * (vbe + vbc)
        dc_e, dc_c = gm_e, gm_c - g_base_c - gmin
        db_e, db_c = g_base_e + gmin, g_base_c + gmin
        current, conductance = np.empty(v.shape), np.empty((2 * v.shape[0], v.shape[1]))
        current[0::2], current[1::2] = base + collector, -collector
        conductance[0::4], conductance[1::4] = db_e + dc_e, db_c + dc_c
        conductance[2::4], conductance[3::4] = -dc_e, -dc_c
        if not charges:
            return current, conductance, current, conductance
        charge, capacitance = np.empty_like(current), np.empty_like(conductance)
        qe, ce = depletion(vbe, p["cje"], p["vje"], p["mje"], p["fc"])
        qc, cc = depletion(vbc, p["cjc"], p["vjc"], p["mjc"], p["fc"])
        stored = p["tf"] * forward / qb
        charge[0::2], charge[1::2] = qe + stored, qc + p["tr"] * backward
        capacitance[0::4] = ce + p["tf"] * (g_forward - forward * dqb_e / qb) / qb
        capacitance[1::4] = -p["tf"] * forward * dqb_c / (qb * qb)
        capacitance[2::4] = 0.0
        capacitance[3::4] = cc + p["tr"] * g_backward
        return current, conductance, charge, capacitance

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Shot noise of collector and base, and flicker in the base."""
        current = self.evaluate(v, gmin, False)[0]
        out = []
        for k, element in enumerate(self.elements):
            (base, emitter), (_, collector) = pairs[2 * k], pairs[2 * k + 1]
            into_collector, into_base = np.abs(current[2 * k + 1]), np.abs(current[2 * k] + current[2 * k + 1])
            flicker = self.p["kf"][k] * into_base ** self.p["af"][k]
            nothing = np.zeros_like(into_collector)
            out.append(NoiseCurrent(element.name, (collector, emitter), 2 * CHARGE * into_collector, nothing))
            out.append(NoiseCurrent(element.name, (base, emitter), 2 * CHARGE * into_base, flicker))
        return out
