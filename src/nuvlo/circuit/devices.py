"""Junction devices: static currents, charges and their derivatives, for every device of a kind and every member.

Each device is seen as *branches* between pairs of nodes. A diode is one branch; a bipolar transistor is two, base to
emitter and base to collector, whose currents are i₀ = IB + IC and i₁ = −IC; a junction FET is two likewise, gate to
source and gate to drain. Arrays end in the member axis.

Sources: the diode, Gummel–Poon and Shichman–Hodges equations as in the ngspice 39 manual, chapters 7.3, 8.2 and 9.1 (the same as L. W.
Nagel, SPICE2, UCB/ERL M520, 1975, appendix 4).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from nuvlo.circuit.circuit import Array, Circuit, Overrides
from nuvlo.circuit.dual import Dual, plain, slope_of

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


class _Group(ABC):
    """All devices of one kind. ``branches`` of each; ``entries`` are (row, column) pairs among them."""

    kind: ClassVar[str]
    defaults: ClassVar[dict[str, float]]
    by_area: ClassVar[tuple[str, ...]]  # parameters that grow with the device
    branches: ClassVar[int]
    emission: ClassVar[tuple[str, ...]]  # emission coefficient of each branch's junction

    def __init__(self, circuit: Circuit, overrides: Overrides) -> None:
        self.elements = circuit.of_kind(self.kind)
        area = self._table(circuit, overrides, "area", 1.0)
        self.p = {name: self._table(circuit, overrides, name, value) for name, value in self.defaults.items()}
        for name in self.by_area:
            self.p[name] = self.p[name] * area

    def _table(self, circuit: Circuit, overrides: Overrides, name: str, default: float) -> Array:
        """(devices, K) with K = 1 where nothing varies."""
        found = [circuit.parameter(e, name, overrides, default) for e in self.elements]
        values = [np.atleast_1d(np.asarray(v, float)) for v in found]
        width = max((v.size for v in values), default=1)
        return np.array([np.broadcast_to(v, width) for v in values]).reshape(len(self.elements), width)

    @abstractmethod
    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        """(plus, minus) node of each branch; ``inner`` are nodes behind series resistances."""

    @abstractmethod
    def evaluate(self, v: Array, gmin: float, charges: bool) -> tuple[Array, Array, Array, Array]:
        """Currents (B, K), conductances (E, K), charges and capacitances; the last two only where asked for."""

    def widths(self) -> list[int]:
        """Branches of each device."""
        return [self.branches] * len(self.elements)

    def starting_voltages(self, critical: Array) -> Array:
        return critical

    def members(self, chosen: NDArray[np.int_]) -> _Group:
        out = object.__new__(type(self))
        out.__dict__.update(self.__dict__)
        out.p = {k: v[:, chosen] if v.shape[1] > 1 else v for k, v in self.p.items()}
        return out

    def steps(self) -> tuple[Array, Array]:
        """(B, 1) emission voltage and saturation current of each branch, for limiting a step."""
        n = np.stack([_middle(self.p[name]) for name in self.emission], axis=1).reshape(-1, 1)
        return n * THERMAL_VOLTAGE, np.repeat(_middle(self.p["is"]), self.branches, axis=0)


class _Diodes(_Group):
    kind, branches, emission, by_area = "d", 1, ("n",), ("is", "cjo")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-14, "n": 1.0, "bv": np.inf, "ibv": 1e-3, "cjo": 0.0, "m": 0.5, "vj": 1.0, "fc": 0.5, "tt": 0.0, "kf": 0.0,
        "af": 1.0,
    }  # fmt: skip

    def __init__(self, circuit: Circuit, overrides: Overrides) -> None:
        super().__init__(circuit, overrides)
        self.p["knee"] = _knee(self.p)

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        return [(inner.get((d.name, "rs"), d.nodes[0]), d.nodes[1]) for d in self.elements]

    def evaluate(self, v: Array, gmin: float, charges: bool) -> tuple[Array, Array, Array, Array]:
        p = self.p
        static, slope = _junction(v, p["is"], p["n"])
        broken = v < -p["knee"]
        if broken.any():
            nvt = p["n"] * THERMAL_VOLTAGE
            rise = np.exp(np.minimum(-(p["knee"] + v) / nvt, LARGEST_EXPONENT))
            static = np.where(broken, -p["is"] * rise, static)
            slope = np.where(broken, p["is"] * rise / nvt, slope)
        current, conductance = np.asarray(static + gmin * v), np.asarray(slope + gmin)
        if not charges:
            return current, conductance, current, conductance
        q, c = _depletion(v, p["cjo"], p["vj"], p["m"], p["fc"])
        return current, conductance, q + p["tt"] * static, c + p["tt"] * slope


class _Bipolars(_Group):
    kind, branches, emission = "q", 2, ("nf", "nr")
    by_area = ("is", "ise", "isc", "ikf", "ikr", "cje", "cjc")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-16, "bf": 100.0, "br": 1.0, "nf": 1.0, "nr": 1.0, "vaf": np.inf, "var": np.inf, "ikf": np.inf,
        "ikr": np.inf, "ise": 0.0, "ne": 1.5, "isc": 0.0, "nc": 2.0, "cje": 0.0, "vje": 0.75, "mje": 0.33, "cjc": 0.0,
        "vjc": 0.75, "mjc": 0.33, "fc": 0.5, "tf": 0.0, "tr": 0.0, "kf": 0.0, "af": 1.0,
    }  # fmt: skip

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

    def evaluate(self, v: Array, gmin: float, charges: bool) -> tuple[Array, Array, Array, Array]:
        """Gummel–Poon: branch currents (IB + IC, −IC), their derivatives by (vbe, vbc), and the charges."""
        p, vbe, vbc = self.p, v[0::2], v[1::2]
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
        current, conductance = np.empty(v.shape), np.empty((2 * v.shape[0], v.shape[1]))
        current[0::2], current[1::2] = base + collector, -collector
        conductance[0::4], conductance[1::4] = db_e + dc_e, db_c + dc_c
        conductance[2::4], conductance[3::4] = -dc_e, -dc_c
        if not charges:
            return current, conductance, current, conductance
        charge, capacitance = np.empty_like(current), np.empty_like(conductance)
        qe, ce = _depletion(vbe, p["cje"], p["vje"], p["mje"], p["fc"])
        qc, cc = _depletion(vbc, p["cjc"], p["vjc"], p["mjc"], p["fc"])
        stored = p["tf"] * forward / qb
        charge[0::2], charge[1::2] = qe + stored, qc + p["tr"] * backward
        capacitance[0::4] = ce + p["tf"] * (g_forward - forward * dqb_e / qb) / qb
        capacitance[1::4] = -p["tf"] * forward * dqb_c / (qb * qb)
        capacitance[2::4] = 0.0
        capacitance[3::4] = cc + p["tr"] * g_backward
        return current, conductance, charge, capacitance


class _Jfets(_Group):
    kind, branches, emission, by_area = "j", 2, ("n", "n"), ("is", "beta", "cgs", "cgd")
    defaults: ClassVar[dict[str, float]] = {
        "is": 1e-14, "n": 1.0, "vto": -2.0, "beta": 1e-4, "lambda": 0.0, "cgs": 0.0, "cgd": 0.0, "pb": 1.0, "fc": 0.5,
        "kf": 0.0, "af": 1.0,
    }  # fmt: skip

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out = []
        for j in self.elements:
            d, s = inner.get((j.name, "rd"), j.nodes[0]), inner.get((j.name, "rs"), j.nodes[2])
            out += [(j.nodes[1], s), (j.nodes[1], d)]
        return out

    def starting_voltages(self, critical: Array) -> Array:
        return np.full_like(critical, -1.0)

    def evaluate(self, v: Array, gmin: float, charges: bool) -> tuple[Array, Array, Array, Array]:
        """Shichman–Hodges: branch currents (IGS + ID, IGD − ID), their derivatives by (vgs, vgd), and the charges.

        Drain and source change places where the drain is the lower: the equations know only which end is which.
        """
        p, vgs, vgd = self.p, v[0::2], v[1::2]
        igs, ggs = _junction(vgs, p["is"], p["n"])
        igd, ggd = _junction(vgd, p["is"], p["n"])
        turned = vgs < vgd
        above = np.maximum(np.where(turned, vgd, vgs) - p["vto"], 0.0)
        across = np.abs(vgs - vgd)
        slope = p["beta"] * (1.0 + p["lambda"] * across)
        saturated = above <= across
        drive = np.where(saturated, above**2, across * (2.0 * above - across))
        channel = slope * drive
        gm = slope * np.where(saturated, 2.0 * above, 2.0 * across)
        gds = p["beta"] * p["lambda"] * drive + np.where(saturated, 0.0, 2.0 * slope * (above - across))
        sign = np.where(turned, -1.0, 1.0)
        channel = sign * channel
        # By the voltages of the branches: vds = vgs − vgd, and the gate drives from the end that is the source.
        by_gs = np.where(turned, gds, gm + gds)
        by_gd = np.where(turned, -gm - gds, -gds)
        current, conductance = np.empty(v.shape), np.empty((2 * v.shape[0], v.shape[1]))
        current[0::2] = igs + gmin * vgs + channel
        current[1::2] = igd + gmin * vgd - channel
        conductance[0::4], conductance[1::4] = ggs + gmin + by_gs, by_gd
        conductance[2::4], conductance[3::4] = -by_gs, ggd + gmin - by_gd
        if not charges:
            return current, conductance, current, conductance
        half = np.full((1, 1), 0.5)
        charge, capacitance = np.empty_like(current), np.zeros_like(conductance)
        charge[0::2], capacitance[0::4] = _depletion(vgs, p["cgs"], p["pb"], half, p["fc"])
        charge[1::2], capacitance[3::4] = _depletion(vgd, p["cgd"], p["pb"], half, p["fc"])
        return current, conductance, charge, capacitance


@dataclass(frozen=True)
class NoiseCurrent:
    """A noise current between two nodes: ``white`` A²/Hz and ``flicker`` A²/Hz at 1 Hz, (K,) each."""

    name: str
    nodes: tuple[int, int]
    white: Array
    flicker: Array


class _Behavioural(_Group):
    """B sources: the first branch of each puts its expression in; every branch brings one of its inputs."""

    kind, branches, emission, by_area = "b", 0, (), ()
    defaults: ClassVar[dict[str, float]] = {}

    def __init__(self, circuit: Circuit, overrides: Overrides, branch: dict[str, int]) -> None:
        self.elements = circuit.of_kind("b")
        self.branch = branch
        self.p = {}
        for element in self.elements:
            for name in element.card.parameters["value"].names:
                if name == "time":
                    found: float | Array = 0.0
                elif name == "temper":
                    found = NOMINAL_TEMPERATURE - 273.15
                else:
                    found = element.scope.value(name, overrides)
                self.p[f"{element.name}:{name}"] = np.atleast_1d(np.asarray(found, float))[None, :]

    def widths(self) -> list[int]:
        return [max(1, len(e.senses)) for e in self.elements]

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out: list[tuple[int, int]] = []
        for element in self.elements:
            mine = [(self.branch.get(of, -1), -1) if isinstance(of, str) else of for _, of in element.senses]
            out += mine or [(-1, -1)]
        return out

    def injections(self) -> list[tuple[int, int]]:
        out: list[tuple[int, int]] = []
        for element, width in zip(self.elements, self.widths(), strict=True):
            # A voltage stands in the equation of its own branch, taken off the difference of its ends.
            first = (-1, self.branch[element.name]) if element.gives_volts else (element.nodes[0], element.nodes[1])
            out += [first] + [(-1, -1)] * (width - 1)
        return out

    def starting_voltages(self, critical: Array) -> Array:
        return np.zeros_like(critical)

    def evaluate(self, v: Array, gmin: float, charges: bool) -> tuple[Array, Array, Array, Array]:
        current, slopes = np.zeros_like(v), []
        at = 0
        for element, width in zip(self.elements, self.widths(), strict=True):
            inputs = dict(zip((label for label, _ in element.senses), Dual.inputs(v[at : at + width]), strict=False))

            def look_up(name: str, inputs: dict[str, Dual] = inputs, owner: str = element.name) -> Any:
                return inputs[name] if name in inputs else self.p[f"{owner}:{name}"][0]

            with np.errstate(all="ignore"):
                found = element.card.parameters["value"](look_up)
            current[at] = plain(found)
            slope = np.zeros((width, v.shape[1]))
            slope[: len(element.senses)] = slope_of(found)
            slopes.append(slope)
            at += width
        conductance = np.concatenate(slopes)
        return current, conductance, np.zeros_like(current), np.zeros_like(conductance)


class Devices:
    """All junction devices of a circuit with their parameters for one ensemble.

    ``pairs`` are the (plus, minus) nodes of each branch; ``rows`` and ``columns`` say which branch current each
    conductance entry belongs to and which branch voltage it is taken by.
    """

    def __init__(
        self, circuit: Circuit, overrides: Overrides, inner: dict[tuple[str, str], int], branch: dict[str, int]
    ) -> None:
        every: list[_Group] = [_Diodes(circuit, overrides), _Bipolars(circuit, overrides), _Jfets(circuit, overrides)]
        behavioural = _Behavioural(circuit, overrides, branch)
        self.groups = [g for g in (*every, behavioural) if g.elements]
        self.diodes, self.bipolars, self.jfets = (g.elements for g in every)
        self.pairs = [pair for g in self.groups for pair in g.pairs(inner)]
        junctions = sum(g.branches * len(g.elements) for g in every)
        self.injections = self.pairs[:junctions] + behavioural.injections()
        rows, columns = [], []
        at = 0
        for group in self.groups:
            for width in group.widths():
                outputs = range(1) if group is behavioural else range(width)
                rows += [at + r for r in outputs for _ in range(width)]
                columns += [at + c for _ in outputs for c in range(width)]
                at += width
        self.rows, self.columns = np.array(rows, dtype=int), np.array(columns, dtype=int)
        signs = [
            float(e.polarity)
            for g in self.groups
            for e, w in zip(g.elements, g.widths(), strict=True)
            for _ in range(w)
        ]
        self.sign = np.array(signs)[:, None] if signs else np.ones((0, 1))
        # Voltage beyond which a Newton step is limited logarithmically (Nagel 1975, appendix 5: "critical voltage").
        steps = [g.steps() for g in every if g.elements]
        steps.append((np.ones((at - junctions, 1)), np.zeros((at - junctions, 1))))
        self.step_voltage = np.concatenate([s for s, _ in steps])
        saturation = np.concatenate([i for _, i in steps])
        with np.errstate(divide="ignore"):  # what is no junction has no saturation current, and is not limited
            self.critical_voltage = self.step_voltage * np.log(self.step_voltage / (np.sqrt(2.0) * saturation))

    def noise(self, voltage: Array, gmin: float) -> list[NoiseCurrent]:
        """Shot, channel and flicker noise at branch voltages (B, K) (ngspice manual, chapters 7.3, 8.2 and 9.1)."""
        v = voltage * self.sign
        out = []
        for group, span in self._spans():
            if group.kind == "b":
                continue  # an expression makes no noise of its own
            pairs = self.pairs[span]
            current, conductance, _, _ = group.evaluate(v[span], gmin, False)
            for k, element in enumerate(group.elements):
                kf, af = group.p["kf"][k], group.p["af"][k]
                if group.kind == "d":
                    amps = np.abs(current[k])
                    out.append(NoiseCurrent(element.name, pairs[k], 2 * CHARGE * amps, kf * amps**af))
                    continue
                (control, low), (_, high) = pairs[2 * k], pairs[2 * k + 1]
                first, second = current[2 * k], current[2 * k + 1]
                if group.kind == "q":
                    collector, base = np.abs(second), np.abs(first + second)
                    out.append(NoiseCurrent(element.name, (high, low), 2 * CHARGE * collector, 0.0 * collector))
                    out.append(NoiseCurrent(element.name, (control, low), 2 * CHARGE * base, kf * base**af))
                else:
                    _, at_gate = _junction(v[span][2 * k], group.p["is"][k], group.p["n"][k])
                    gm = np.abs(conductance[4 * k] + conductance[4 * k + 1] - at_gate - gmin)
                    thermal = 4 * BOLTZMANN * NOMINAL_TEMPERATURE * 2.0 / 3.0 * gm
                    out.append(NoiseCurrent(element.name, (high, low), thermal, kf * np.abs(second) ** af))
        return out

    @property
    def count(self) -> int:
        return len(self.pairs)

    def members(self, chosen: NDArray[np.int_]) -> Devices:
        """The same devices for some members only."""
        out = object.__new__(Devices)
        out.__dict__.update(self.__dict__)
        out.groups = [g.members(chosen) for g in self.groups]
        return out

    def _spans(self) -> list[tuple[_Group, slice]]:
        """Each group with its rows among all branches."""
        out, at = [], 0
        for group in self.groups:
            wide = sum(group.widths())
            out.append((group, slice(at, at + wide)))
            at += wide
        return out

    def spans_by_name(self) -> dict[str, tuple[int, int]]:
        """First and last branch (exclusive) of each device."""
        out, at = {}, 0
        for group in self.groups:
            for element, width in zip(group.elements, group.widths(), strict=True):
                out[element.name] = (at, at + width)
                at += width
        return out

    def starting_voltages(self) -> Array:
        """(B, 1): diodes and base-emitter junctions at their critical voltage, other junctions at rest."""
        out = self.critical_voltage.copy()
        for group, span in self._spans():
            out[span] = group.starting_voltages(out[span])
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
        nothing = np.zeros((0, v.shape[1]))
        if not self.groups:
            return Evaluation(nothing, nothing, nothing, nothing)
        found = [group.evaluate(v[span], gmin, charges) for group, span in self._spans()]
        current, conductance, charge, capacitance = (np.concatenate(part) for part in zip(*found, strict=True))
        return Evaluation(
            current * self.sign,
            conductance,
            charge * self.sign if charges else nothing,
            capacitance if charges else nothing,
        )


def _middle(table: Array) -> Array:
    """One column that stands for all members: limiting a step needs a scale, not exactness."""
    return np.asarray(table.mean(axis=1, keepdims=True))


def _junction(v: Array, saturation: Array, n: Array) -> tuple[Array, Array]:
    """Current and conductance of an ideal junction."""
    nvt = n * THERMAL_VOLTAGE
    exponential = saturation * np.exp(np.minimum(v / nvt, LARGEST_EXPONENT))
    return exponential - saturation, exponential / nvt


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
