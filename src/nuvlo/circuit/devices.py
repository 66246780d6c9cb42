"""Junction devices: static currents, charges and their derivatives, for every device of a kind and every member.

Each device is seen as *branches* between pairs of nodes. A diode is one branch; a bipolar transistor is two, base to
emitter and base to collector, whose currents are i₀ = IB + IC and i₁ = −IC. Arrays end in the member axis.

Sources: the diode and Gummel–Poon equations as in the ngspice 39 manual, chapters 7.3 and 8.2 (the same as L. W.
Nagel, SPICE2, UCB/ERL M520, 1975, appendix 4).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.circuit.circuit import Array, Circuit, Element, Overrides

BOLTZMANN = 1.380649e-23  # J/K, exact by definition (SI Brochure, 9th edition)
CHARGE = 1.602176634e-19  # C, exact by definition
NOMINAL_TEMPERATURE = 300.15  # K: SPICE's TNOM of 27 °C
THERMAL_VOLTAGE = BOLTZMANN * NOMINAL_TEMPERATURE / CHARGE
LARGEST_EXPONENT = 200.0  # far above any junction at rest; keeps a wild first step finite


@dataclass(frozen=True)
class Evaluation:
    """Branch currents and charges (B, K) with conductances and capacitances (E, K) at entries (row, column)."""

    current: Array
    conductance: Array
    charge: Array
    capacitance: Array


class Devices:
    """All junction devices of a circuit with their parameters for one ensemble.

    ``pairs`` are the (plus, minus) nodes of each branch; ``rows`` and ``columns`` say which branch current each
    conductance entry belongs to and which branch voltage it is taken by.
    """

    def __init__(self, circuit: Circuit, overrides: Overrides, extra_nodes: dict[tuple[str, str], int]) -> None:
        self.diodes = circuit.of_kind("d")
        self.bipolars = circuit.of_kind("q")
        n_diodes = len(self.diodes)
        self.pairs: list[tuple[int, int]] = []
        for d in self.diodes:
            self.pairs.append((extra_nodes.get((d.name, "rs"), d.nodes[0]), d.nodes[1]))
        for q in self.bipolars:
            c, b, e = (extra_nodes.get((q.name, p), n) for p, n in zip(("rc", "rb", "re"), q.nodes, strict=True))
            self.pairs += [(b, e), (b, c)]
        diode_entries = [(i, i) for i in range(n_diodes)]
        bjt_entries = []
        for k in range(len(self.bipolars)):
            at = n_diodes + 2 * k
            bjt_entries += [(at, at), (at, at + 1), (at + 1, at), (at + 1, at + 1)]
        entries = diode_entries + bjt_entries
        self.rows = np.array([r for r, _ in entries], dtype=int)
        self.columns = np.array([c for _, c in entries], dtype=int)

        def table(elements: list[Element], name: str, default: float) -> Array:
            """(devices, K) with K = 1 where nothing varies."""
            values = [
                np.atleast_1d(np.asarray(circuit.parameter(e, name, overrides, default), float)) for e in elements
            ]
            width = max((v.size for v in values), default=1)
            return np.array([np.broadcast_to(v, width) for v in values]).reshape(len(elements), width)

        diode_area = table(self.diodes, "area", 1.0)
        self.d = {name: table(self.diodes, name, default) for name, default in _DIODE_DEFAULTS.items()}
        for name in ("is", "cjo"):
            self.d[name] = self.d[name] * diode_area
        self.d["knee"] = _knee(self.d)
        bjt_area = table(self.bipolars, "area", 1.0)
        self.q = {name: table(self.bipolars, name, default) for name, default in _BJT_DEFAULTS.items()}
        for name in ("is", "ise", "isc", "ikf", "ikr", "cje", "cjc"):
            self.q[name] = self.q[name] * bjt_area
        self.sign = np.array([1.0] * n_diodes + [float(q.polarity) for q in self.bipolars for _ in (0, 1)])[:, None]
        # Voltage beyond which a Newton step is limited logarithmically (Nagel 1975, appendix 5: "critical voltage").
        kinds = range(len(self.bipolars))
        emission = [self.d["n"], *(self.q[f][k : k + 1] for k in kinds for f in ("nf", "nr"))]
        saturation = [self.d["is"], *(self.q["is"][k : k + 1] for k in kinds for _ in (0, 1))]
        self.step_voltage = np.concatenate([_middle(t) for t in emission]) * THERMAL_VOLTAGE
        smallest = np.concatenate([_middle(t) for t in saturation])
        self.critical_voltage = self.step_voltage * np.log(self.step_voltage / (np.sqrt(2.0) * smallest))

    @property
    def count(self) -> int:
        return len(self.pairs)

    def members(self, chosen: NDArray[np.int_]) -> Devices:
        """The same devices for some members only."""
        out = object.__new__(Devices)
        out.__dict__.update(self.__dict__)
        out.d = {k: v[:, chosen] if v.shape[1] > 1 else v for k, v in self.d.items()}
        out.q = {k: v[:, chosen] if v.shape[1] > 1 else v for k, v in self.q.items()}
        return out

    def starting_voltages(self) -> Array:
        """(B, 1): each diode and base-emitter junction at its critical voltage, base-collector junctions at 0 V."""
        out = self.critical_voltage.copy()
        out[len(self.diodes) + 1 :: 2] = 0.0
        return np.asarray(out * self.sign)

    def limited(self, new: Array, old: Array) -> tuple[Array, NDArray[np.bool_]]:
        """Junction voltages (B, K) held to steps an exponential can bear, and which were held (Nagel 1975, app. 5)."""
        new, old = new * self.sign, old * self.sign
        vt = self.step_voltage
        jump = (new > self.critical_voltage) & (np.abs(new - old) > 2.0 * vt)
        if not jump.any():
            return new * self.sign, jump
        ratio = 1.0 + (new - old) / vt
        with np.errstate(invalid="ignore", divide="ignore"):
            from_above = np.where(ratio > 0, old + vt * np.log(np.maximum(ratio, 1e-300)), self.critical_voltage)
            from_below = vt * np.log(np.maximum(new / vt, 1e-300))
        held = np.where(old > 0, from_above, from_below)
        return np.where(jump, held, new) * self.sign, jump

    def evaluate(self, voltage: Array, gmin: float, *, charges: bool = False) -> Evaluation:
        """Currents and conductances at branch voltages (B, K), with ``gmin`` (S) across every junction."""
        v = voltage * self.sign
        n_diodes, width = len(self.diodes), v.shape[1]
        current = np.empty((self.count, width))
        conductance = np.empty((self.rows.size, width))
        charge = np.zeros((self.count if charges else 0, width))
        capacitance = np.zeros((self.rows.size if charges else 0, width))
        if n_diodes:
            current[:n_diodes], conductance[:n_diodes] = _diode(v[:n_diodes], self.d, gmin)
            if charges:
                q, c = _depletion(v[:n_diodes], self.d["cjo"], self.d["vj"], self.d["m"], self.d["fc"])
                static = current[:n_diodes] - gmin * v[:n_diodes]
                charge[:n_diodes] = q + self.d["tt"] * static
                capacitance[:n_diodes] = c + self.d["tt"] * (conductance[:n_diodes] - gmin)
        if self.bipolars:
            _bipolar(
                v[n_diodes::2], v[n_diodes + 1 :: 2], self.q, gmin,
                current[n_diodes:], conductance[n_diodes:], charge[n_diodes:], capacitance[n_diodes:], charges,
            )  # fmt: skip
        return Evaluation(current * self.sign, conductance, charge * self.sign if charges else charge, capacitance)


_DIODE_DEFAULTS = {
    "is": 1e-14, "n": 1.0, "bv": np.inf, "ibv": 1e-3, "cjo": 0.0, "m": 0.5, "vj": 1.0, "fc": 0.5, "tt": 0.0,
}  # fmt: skip
_BJT_DEFAULTS = {
    "is": 1e-16, "bf": 100.0, "br": 1.0, "nf": 1.0, "nr": 1.0, "vaf": np.inf, "var": np.inf, "ikf": np.inf,
    "ikr": np.inf, "ise": 0.0, "ne": 1.5, "isc": 0.0, "nc": 2.0, "cje": 0.0, "vje": 0.75, "mje": 0.33, "cjc": 0.0,
    "vjc": 0.75, "mjc": 0.33, "fc": 0.5, "tf": 0.0, "tr": 0.0,
}  # fmt: skip


def _middle(table: Array) -> Array:
    """One column that stands for all members: limiting a step needs a scale, not exactness."""
    return np.asarray(table.mean(axis=1, keepdims=True))


def _junction(v: Array, saturation: Array, n: Array) -> tuple[Array, Array]:
    """Current and conductance of an ideal junction."""
    nvt = n * THERMAL_VOLTAGE
    exponential = saturation * np.exp(np.minimum(v / nvt, LARGEST_EXPONENT))
    return exponential - saturation, exponential / nvt


def _diode(v: Array, p: dict[str, Array], gmin: float) -> tuple[Array, Array]:
    current, slope = _junction(v, p["is"], p["n"])
    broken = v < -p["knee"]
    if broken.any():
        nvt = p["n"] * THERMAL_VOLTAGE
        rise = np.exp(np.minimum(-(p["knee"] + v) / nvt, LARGEST_EXPONENT))
        current = np.where(broken, -p["is"] * rise, current)
        slope = np.where(broken, p["is"] * rise / nvt, slope)
    return np.asarray(current + gmin * v), np.asarray(slope + gmin)


def _knee(p: dict[str, Array]) -> Array:
    """Voltage from which breakdown grows so that IBV flows at BV, by fixed point; infinite without breakdown.

    As SPICE does, an IBV too small to be more than leakage at BV is raised to it (Nagel 1975, appendix 4).
    """
    nvt = p["n"] * THERMAL_VOLTAGE
    breaks = np.isfinite(p["bv"])
    bv = np.where(breaks, p["bv"], 1.0)
    share = np.maximum(p["ibv"] / p["is"], bv / nvt)
    knee = bv - nvt * np.log1p(share)
    for _ in range(25):
        knee = bv - nvt * np.log(np.maximum(share + 1.0 - knee / nvt, 1e-12))
    return np.where(breaks, knee, np.inf)


def _depletion(v: Array, cj: Array, vj: Array, m: Array, fc: Array) -> tuple[Array, Array]:
    """Charge and capacitance of a depletion layer, linear beyond FC·VJ (Nagel 1975, appendix 4)."""
    knee = fc * vj
    below = v < knee
    arg = 1.0 - np.where(below, v, 0.0) / vj
    s = arg**-m
    f1 = vj / (1.0 - m) * (1.0 - (1.0 - fc) ** (1.0 - m))
    f2 = (1.0 - fc) ** (1.0 + m)
    f3 = 1.0 - fc * (1.0 + m)
    charge = np.where(
        below,
        vj * cj * (1.0 - arg * s) / (1.0 - m),
        cj * (f1 + (f3 * (v - knee) + m / (2.0 * vj) * (v * v - knee * knee)) / f2),
    )
    return charge, np.where(below, cj * s, cj / f2 * (f3 + m * v / vj))


def _bipolar(
    vbe: Array, vbc: Array, p: dict[str, Array], gmin: float,
    current: Array, conductance: Array, charge: Array, capacitance: Array, charges: bool,
) -> None:  # fmt: skip
    """Gummel–Poon: fills branch currents (IB + IC, −IC), their derivatives by (vbe, vbc), and the charges."""
    forward, g_forward = _junction(vbe, p["is"], p["nf"])
    backward, g_backward = _junction(vbc, p["is"], p["nr"])
    i_base_e, g_base_e = forward / p["bf"], g_forward / p["bf"]
    i_base_c, g_base_c = backward / p["br"], g_backward / p["br"]
    if p["ise"].any():
        leak, g_leak = _junction(vbe, p["ise"], p["ne"])
        i_base_e, g_base_e = i_base_e + leak, g_base_e + g_leak
    if p["isc"].any():
        leak, g_leak = _junction(vbc, p["isc"], p["nc"])
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
    current[0::2], current[1::2] = base + collector, -collector
    conductance[0::4], conductance[1::4] = db_e + dc_e, db_c + dc_c
    conductance[2::4], conductance[3::4] = -dc_e, -dc_c
    if not charges:
        return
    qe, ce = _depletion(vbe, p["cje"], p["vje"], p["mje"], p["fc"])
    qc, cc = _depletion(vbc, p["cjc"], p["vjc"], p["mjc"], p["fc"])
    stored = p["tf"] * forward / qb
    charge[0::2], charge[1::2] = qe + stored, qc + p["tr"] * backward
    capacitance[0::4] = ce + p["tf"] * (g_forward - forward * dqb_e / qb) / qb
    capacitance[1::4] = -p["tf"] * forward * dqb_c / (qb * qb)
    capacitance[2::4] = 0.0
    capacitance[3::4] = cc + p["tr"] * g_backward
