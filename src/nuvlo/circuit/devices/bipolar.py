"""Bipolar transistors by Gummel–Poon: base to emitter, base to collector, with currents i₀ = IB + IC and i₁ = −IC.

Where a model asks for more, three branches come to them: the base resistance that falls with current, the capacitance to the substrate,
and that of the collector to the outer base. Equations as in the ngspice 39 manual, chapter 8.2 (Nagel 1975, appendix 4).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.devices.group import Alike, Laws, NoiseCurrent
from nuvlo.circuit.devices.junction import (
    BOLTZMANN,
    CHARGE,
    depletion,
    depletion_at,
    junction,
    saturation_growth,
    unlimited,
)

PLAIN, WHOLE = 2, 5  # branches of a device
BE, BC, BASE, SUBSTRATE, OUTER = range(5)
EXTRAS = ("cjs", "rbm", "irb", "xcjc")


def falling_base(circuit: Circuit, element: Element, overrides: Overrides) -> bool:
    """Whether the base resistance of a transistor falls with current."""
    lowest = circuit.parameter(element, "rbm", overrides, -1.0)
    return bool(np.any(np.asarray(lowest) >= 0)) or bool(np.any(np.asarray(circuit.parameter(element, "irb", overrides)) > 0))


class Bipolars(Alike):
    """Terminals collector, base, emitter, and the substrate where one is given."""

    kind, emission = "q", ("nf", "nr")
    branches = PLAIN
    by_area = ("is", "ise", "isc", "ikf", "ikr", "cje", "cjc", "cjs", "itf", "irb")
    charging = ("cje", "cjc", "tf", "tr", "cjs")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-16, "bf": 100.0, "br": 1.0, "nf": 1.0, "nr": 1.0, "vaf": np.inf, "var": np.inf, "ikf": np.inf,
        "ikr": np.inf, "ise": 0.0, "ne": 1.5, "isc": 0.0, "nc": 2.0, "cje": 0.0, "vje": 0.75, "mje": 0.33, "cjc": 0.0,
        "vjc": 0.75, "mjc": 0.33, "fc": 0.5, "tf": 0.0, "tr": 0.0, "kf": 0.0, "af": 1.0, "eg": 1.11, "xti": 3.0, "xtb": 0.0,
        "cjs": 0.0, "vjs": 0.75, "mjs": 0.0, "xcjc": 1.0, "xtf": 0.0, "itf": 0.0, "vtf": np.inf, "rb": 0.0, "rbm": np.nan, "irb": 0.0,
    }  # fmt: skip

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array) -> None:
        super().__init__(circuit, overrides, temperature)
        self.falling = [falling_base(circuit, e, overrides) for e in self.elements]
        p = self.p
        if any(self.falling) or p["cjs"].any() or (p["xcjc"] != 1.0).any():
            self.branches = WHOLE  # of all: one layout for the whole group
        area = self._table(circuit, overrides, "area", 1.0)
        p["rbm"] = np.where(np.isnan(p["rbm"]), p["rb"], p["rbm"]) / area
        p["rb_falls"] = p["rb"] / area - p["rbm"]

    def prepare(self) -> None:
        for name in ("vaf", "var", "ikf", "ikr", "vtf"):
            self.p[name] = unlimited(self.p[name])

    def warm(self, temperature: Array) -> None:
        p, nominal = self.p, self.p["nominal"]
        growth = saturation_growth(temperature, p["eg"], p["xti"], 1.0, nominal)
        gain = (temperature / nominal) ** p["xtb"]
        p["is"] = p["is"] * growth
        p["bf"], p["br"] = p["bf"] * gain, p["br"] * gain
        p["ise"] = p["ise"] * growth ** (1.0 / p["ne"]) / gain
        p["isc"] = p["isc"] * growth ** (1.0 / p["nc"]) / gain
        for c, v, m in (("cje", "vje", "mje"), ("cjc", "vjc", "mjc"), ("cjs", "vjs", "mjs")):
            p[c], p[v] = depletion_at(temperature, p[c], p[v], p[m], nominal)

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out = []
        for q, falls in zip(self.elements, self.falling, strict=True):
            c, b, e = (inner.get((q.name, p), n) for p, n in zip(("rc", "rb", "re"), q.nodes[:3], strict=True))
            out += [(b, e), (b, c)]
            if self.branches == WHOLE:
                under = q.nodes[3] if len(q.nodes) > 3 else -1
                # An n-p-n transistor stands on its collector, a p-n-p one lies beside its base.
                out += [(q.nodes[1], b) if falls else (-1, -1), (under, c if q.polarity > 0 else b), (q.nodes[1], c)]
        return out

    def entries(self) -> list[list[tuple[int, int]]]:
        own = [(k, k) for k in range(PLAIN, self.branches)]
        return [[(BE, BE), (BE, BC), (BC, BE), (BC, BC), *own]] * len(self.elements)

    def steps(self) -> tuple[Array, Array]:
        """Only the two junctions are limited."""
        n = self.branches
        volts, amps = np.ones((n * len(self.elements), 1)), np.zeros((n * len(self.elements), 1))
        for branch, name in ((BE, "nf"), (BC, "nr")):
            volts[branch::n] = (self.p[name] * self.p["vt"]).mean(axis=1, keepdims=True)
            amps[branch::n] = self.p["is"].mean(axis=1, keepdims=True)
        return volts, amps

    def starting_voltages(self, critical: Array) -> Array:
        out = np.zeros_like(critical)
        out[BE :: self.branches] = critical[BE :: self.branches]
        return out

    def laws(self, v: Sequence[Array], gmin: float, charges: bool) -> Laws:
        """Branch currents (IB + IC, −IC), their derivatives by (vbe, vbc), and the charges."""
        p, vbe, vbc = self.p, v[BE], v[BC]
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
        dqb_e = qb * q1 / p["var"] + q1 * g_forward / (p["ikf"] * root)
        dqb_c = qb * q1 / p["vaf"] + q1 * g_backward / (p["ikr"] * root)
        transport = (forward - backward) / qb
        gm_e = (g_forward - transport * dqb_e) / qb
        gm_c = (-g_backward - transport * dqb_c) / qb
        collector = transport - i_base_c - gmin * vbc
        base = i_base_e + i_base_c + gmin * (vbe + vbc)
        dc_e, dc_c = gm_e, gm_c - g_base_c - gmin
        db_e, db_c = g_base_e + gmin, g_base_c + gmin
        current: list[Array | None] = [base + collector, -collector]
        conductance: list[Array | None] = [db_e + dc_e, db_c + dc_c, -dc_e, -dc_c]
        whole = self.branches == WHOLE
        if whole:
            siemens = np.array(self.falling)[:, None] / np.maximum(self._base_ohms(base, qb), 1e-6)
            current += [siemens * v[BASE], None, None]
            conductance += [siemens, None, None]
        if not charges:
            return current, conductance, (), ()
        qe, ce = depletion(vbe, p["cje"], p["vje"], p["mje"], p["fc"])
        qc, cc = depletion(vbc, p["cjc"], p["vjc"], p["mjc"], p["fc"])
        more, steeper, by_collector = self._more_transit(forward, vbe, vbc)
        stored = forward * (1.0 + more) / qb
        charge: list[Array | None] = [qe + p["tf"] * stored, p["xcjc"] * qc + p["tr"] * backward]
        capacitance: list[Array | None] = [
            ce + p["tf"] * (g_forward * (1.0 + steeper) - stored * dqb_e) / qb, p["tf"] * (by_collector - stored * dqb_c) / qb,
            None, p["xcjc"] * cc + p["tr"] * g_backward,
        ]  # fmt: skip
        if whole:
            under, c_under = depletion(v[SUBSTRATE], p["cjs"], p["vjs"], p["mjs"], np.zeros((1, 1)))
            outer, c_outer = depletion(v[OUTER], p["cjc"], p["vjc"], p["mjc"], p["fc"])
            charge += [None, under, (1.0 - p["xcjc"]) * outer]
            capacitance += [None, c_under, (1.0 - p["xcjc"]) * c_outer]
        return current, conductance, charge, capacitance

    def _more_transit(self, forward: Array, vbe: Array, vbc: Array) -> tuple[Array | float, Array | float, Array | float]:
        """By what share the charge in transit grows at high currents, that of its slope, and its slope by vbc."""
        p = self.p
        if not p["xtf"].any():
            return 0.0, 0.0, 0.0
        per_volt = 1.0 / (1.44 * p["vtf"])
        on = vbe > 0
        share = forward / np.where(on, forward + p["itf"], 1.0)
        more = np.where(on, p["xtf"] * np.exp(np.minimum(vbc * per_volt, 50.0)) * share**2, 0.0)
        return more, more * (3.0 - 2.0 * share), forward * more * per_volt

    def _base_ohms(self, base: Array, qb: Array) -> Array:
        """Base resistance at a base current: by the charge of the base, or where IRB is given by crowding."""
        p = self.p
        ohms = p["rbm"] + p["rb_falls"] / qb
        if p["irb"].any():
            crowded = np.maximum(base / np.where(p["irb"] > 0, p["irb"], 1.0), 1e-9)
            z = (np.sqrt(1.0 + 14.59025 * crowded) - 1.0) / (2.4317 * np.sqrt(crowded))
            tangent = np.tan(z)
            ohms = np.where(p["irb"] > 0, p["rbm"] + 3.0 * p["rb_falls"] * (tangent - z) / (z * tangent**2), ohms)
        return ohms

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Shot noise of collector and base, and flicker in the base."""
        current, conductance, _, _ = self.evaluate(v, gmin, False)
        out, n = [], self.branches
        for k, element in enumerate(self.elements):
            (base, emitter), (_, collector) = pairs[n * k], pairs[n * k + 1]
            into_collector, into_base = np.abs(current[n * k + 1]), np.abs(current[n * k] + current[n * k + 1])
            flicker = self.p["kf"][k] * into_base ** self.p["af"][k]
            nothing = np.zeros_like(into_collector)
            out.append(NoiseCurrent(element.name, (collector, emitter), 2 * CHARGE * into_collector, nothing))
            out.append(NoiseCurrent(element.name, (base, emitter), 2 * CHARGE * into_base, flicker))
            if self.falling[k]:
                white = 4 * BOLTZMANN * self.p["temperature"][k] * conductance[(n + 2) * k + 4]
                out.append(NoiseCurrent(element.name, pairs[n * k + BASE], white, nothing))
        return out
