"""Units whose netlists are edited as text and solved in an independent simulator (ngspice), read by a meter of their own.

Nothing here is solved, varied, broken or measured by Nuvlo: of the product only the questions are taken, which node a reading asks and how a
tone is fed in. The meter draws 10 MΩ, is off by up to half its tolerance, and shows whole digits of its range; its ohms are the ratio to a
resistor of each range, with an open voltage that differs from meter to meter. The mains is a wave behind its rectifier, followed in time, and so
is each tone. What a mistake comes to, and how often each kind is made, is common practice without a source.
"""

from __future__ import annotations

import csv
import math
import re
import subprocess
import tempfile
import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from nuvlo.diagnosis.probes import Reading
from nuvlo.measurement import Observable
from nuvlo.quantity import Measured

LIBRARY = Path(__file__).parents[1] / "src" / "nuvlo" / "circuit" / "library"
SETTLED = 4.4  # s, behind which a mains supply has charged all there is
COUNTS = 6000
SHARE, DIGITS = 0.005, 1.0  # of a reading, and digits, that the meter may be off
METER_OHMS = 10e6
OPEN_VOLTS = (0.5, 1.3, 2.8)  # V that the ohms ranges of one meter or another give with the leads open
MOST_AMPERES = 1e-3
OHM_RANGES = (600.0, 6e3, 60e3, 600e3, 6e6, 60e6)
CYCLES, LAST, STEPS = 24, 4, 60  # of a tone, those that are read, and steps of each
SIGMAS = 2.5  # of what parts scatter, to the end of their tolerance
Key = Observable


@dataclass
class Netlist:
    """A kit's circuit as lines of text, in words; what is below the circuit (models, subcircuits, includes) as it stands."""

    folder: Path
    lines: dict[str, list[str]] = field(default_factory=dict)  # name of the element: its words
    rest: list[str] = field(default_factory=list)
    models: list[str] = field(default_factory=list)  # of this unit's own transistors
    supply: dict[str, float] = field(default_factory=dict)  # times what it should be, by its element

    @classmethod
    def of(cls, folder: Path) -> Netlist:
        out = cls(folder)
        text = re.sub(r"\n\+", " ", (folder / "circuit.cir").read_text().lower())
        depth = 0
        for line in text.splitlines()[1:]:
            words = line.split()
            if not words or line.startswith("*") or words[0] == ".end":
                continue
            depth += words[0] == ".subckt"
            if depth or words[0].startswith("."):
                out.rest.append(line)
            else:
                out.lines[words[0]] = words
            depth -= words[0] == ".ends"
        return out

    def copy(self) -> Netlist:
        return Netlist(self.folder, {k: [*v] for k, v in self.lines.items()}, [*self.rest], [*self.models], {**self.supply})

    @property
    def nodes(self) -> set[str]:
        return {n for words in self.lines.values() for n in words[1:] if "=" not in n} | {"0"}

    def ends(self, name: str) -> tuple[int, ...]:
        """Where its nodes stand among its words."""
        words = self.lines[name]
        last = {"r": 3, "c": 3, "l": 3, "d": 3, "q": 4, "j": 4, "m": 5}.get(name[0]) or next((k for k, w in enumerate(words) if "=" in w), len(words)) - 1
        return tuple(range(1, last))

    def text(self, gone: Sequence[str] = ()) -> str:
        body = [" ".join(words) for name, words in self.lines.items() if name not in gone]
        return "\n".join([*body, *_included(self.rest), *self.models])


def _included(lines: Sequence[str]) -> list[str]:
    out = []
    for line in lines:
        words = line.split()
        out += _included((LIBRARY / words[1]).read_text().lower().splitlines()) if words and words[0] == ".include" and (LIBRARY / words[1]).exists() else [line]
    return out


def number(word: str) -> float:
    """A value of a netlist: ``meg`` is a million and ``m`` a thousandth there."""
    found = re.fullmatch(r"([-+\d.]+(?:e[-+]?\d+)?)(meg|[tgkmunpf]?)[a-zΩ]*", word)
    assert found, word
    return float(found[1]) * {"": 1, "t": 1e12, "g": 1e9, "meg": 1e6, "k": 1e3, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12, "f": 1e-15}[found[2]]


@dataclass
class KitText:
    """What the files of a kit say, read as tables."""

    folder: Path

    def __post_init__(self) -> None:
        self.toml = tomllib.loads((self.folder / "kit.toml").read_text())
        self.bom = list(csv.DictReader((self.folder / "bom.csv").open()))
        pads = self.folder / "pads.csv"
        self.pads = list(csv.DictReader(pads.open())) if pads.exists() else []
        self.netlist = Netlist.of(self.folder)
        self.chips = [row["ref"] for row in self.bom if row["kind"] in ("chip", "valve")]
        self.setups = {s["name"]: s["file"] for s in self.toml.get("setup", [])}

    def elements(self, ref: str) -> list[str]:
        """R1 is r1; U1 is xu1, or xu1a and xu1b."""
        low = ref.lower()
        return [n for n in self.netlist.lines if n == low or re.fullmatch(rf"x{re.escape(low)}[a-d]?", n)]

    def tolerance(self, row: dict[str, str]) -> float:
        found = re.search(r"([\d.]+)\s*%", row.get("tolerance") or "")
        return float(found[1]) / 100 if found else 0.0


def varied(kit: KitText, dice: np.random.Generator) -> Netlist:
    """A good unit: values within their tolerances, transistors that scatter, knobs about where they should stand."""
    unit = kit.netlist.copy()
    for row in kit.bom:
        for name in kit.elements(row["ref"]):
            words, by = unit.lines[name], 1 + kit.tolerance(row) * float(np.clip(dice.normal() / SIGMAS, -1, 1))
            if name[0] in "rcl" and len(words) > 3:
                words[3] = f"{number(words[3]) * by:.6g}"
            for k, word in enumerate(words):
                if name[0] == "x" and word.startswith("r=") and row["kind"] in ("potentiometer", "trimmer"):
                    words[k] = f"r={number(word[2:]) * by:.6g}"
                if name[0] == "x" and re.match(r"(rp|rs|lm|re|fs|qms|qes|vas)=", word):  # windings and voice coils differ too
                    words[k] = f"{word.split('=')[0]}={number(word.split('=')[1]) * (1 + 0.1 * float(np.clip(dice.normal() / SIGMAS, -1, 1))):.6g}"
                if word.startswith("pos="):
                    words[k] = f"pos={float(np.clip(number(word[4:]) + 0.02 * dice.normal(), 0, 1)):.4f}"
    models = {m[1]: m[2] for line in re.sub(r"\n\+", " ", "\n".join(_included(unit.rest))).splitlines() if (m := re.match(r"\.model\s+(\S+)\s+(.*)", line))}
    for name, words in unit.lines.items():
        if name[0] in "qj" and words[4] in models:
            own = f"{words[4]}_{name}"
            text = models[words[4]]
            for parameter, by in (("bf", math.exp(0.15 * dice.normal())), ("is", math.exp(0.15 * dice.normal())), ("vto", 1 + 0.1 * dice.normal()), ("beta", 1 + 0.1 * dice.normal())):
                text = re.sub(rf"\b{parameter}=(-?[\w.+-]+)", lambda m, p=parameter, b=by: f"{p}={number(m[1]) * b:.6g}", text)
            unit.models.append(f".model {own} {text}")
            words[4] = own
    return unit


@dataclass(frozen=True)
class Fault:
    """What was edited, in words, of which kind; the parts it concerns (a supply: none, then its name is what is looked for)."""

    kind: str
    says: str
    refs: tuple[str, ...]


# How often each kind is planted; behind the bar those that are not in Nuvlo's list, or not quite as it thinks of them.
KINDS = {
    "decade": 14, "missing": 12, "cold": 5, "bridge": 8, "reversed": 10, "turned": 7, "exchanged": 8, "shorted": 5, "leaky electrolytic": 4, "dead transistor": 4,
    "another value of the kit": 6,
    "pot leads": 4, "supply": 4, "leaky film": 4, "two of a strip": 5, "fifth off": 6,
}  # fmt: skip
BESIDE_THE_LIST = ("pot leads", "supply", "leaky film", "two of a strip", "fifth off", "dead transistor")


def broken(kit: KitText, unit: Netlist, kind: str, dice: np.random.Generator) -> Fault | None:
    """``unit`` with a mistake of this kind edited into its text; None where the kit has no place for one."""
    rows = {row["ref"]: row for row in kit.bom if kit.elements(row["ref"])}
    one = {ref: kit.elements(ref)[0] for ref in rows}

    def pick(some: Sequence[str]) -> str | None:
        return some[int(dice.integers(len(some)))] if len(some) else None

    def beside(name: str, ohms: float, nodes: Sequence[str] | None = None) -> None:
        a, b = nodes or unit.lines[name][1:3]
        unit.lines[f"rfault{len(unit.lines)}"] = [f"rfault{len(unit.lines)}", a, b, f"{ohms:.6g}"]

    passive = [r for r, n in one.items() if n[0] in "rc"]
    resistors = [r for r, n in one.items() if n[0] == "r" and rows[r]["kind"] == "resistor"]
    electrolytic = [r for r, n in one.items() if n[0] == "c" and rows[r]["kind"] == "electrolytic"]
    film = [r for r, n in one.items() if n[0] == "c" and rows[r]["kind"] == "capacitor"]
    diodes = [r for r, n in one.items() if n[0] == "d"]
    transistors = [r for r, n in one.items() if n[0] in "qj"]
    if kind == "decade":
        ref = pick(passive)
        by = float(dice.choice([10, 0.1, 100, 0.01, 1000], p=[0.35, 0.35, 0.1, 0.1, 0.1]))
        if ref:
            unit.lines[one[ref]][3] = f"{number(unit.lines[one[ref]][3]) * by:.6g}"
            return Fault(kind, f"{ref} is {by:g} times its value", (ref,))
    elif kind == "fifth off":
        ref = pick(resistors)
        if ref:
            by = float(dice.choice([0.8, 1.2]))
            unit.lines[one[ref]][3] = f"{number(unit.lines[one[ref]][3]) * by:.6g}"
            return Fault(kind, f"{ref} is {by:g} times its value", (ref,))
    elif kind == "missing":
        ref = pick([r for r, n in one.items() if n[0] in "rcldqj"])
        if ref:
            del unit.lines[one[ref]]
            return Fault(kind, f"{ref} is missing", (ref,))
    elif kind == "cold":
        ref = pick([r for r, n in one.items() if n[0] in "rdqj"])
        if ref:
            words, ohms = unit.lines[one[ref]], float(np.exp(dice.uniform(np.log(1e3), np.log(1e5))))
            at = int(dice.choice(unit.ends(one[ref])))
            unit.lines["rcold"] = ["rcold", words[at], "nodecold", f"{ohms:.4g}"]
            words[at] = "nodecold"
            return Fault(kind, f"a joint of {ref} has {ohms:.3g} ohm", (ref,))
    elif kind == "bridge":
        pads = [p for p in kit.pads if p["net"] in kit.netlist.nodes]
        near = [(a, b) for k, a in enumerate(pads) for b in pads[k + 1 :] if a["net"] != b["net"] and math.hypot(float(a["x_mm"]) - float(b["x_mm"]), float(a["y_mm"]) - float(b["y_mm"])) < 4.0]
        if near:
            a, b = near[int(dice.integers(len(near)))]
            beside("", 0.05, (a["net"], b["net"]))
            across = [r for r, n in one.items() if n in unit.lines and {a["net"], b["net"]} <= {unit.lines[n][k] for k in unit.ends(n)}]
            return Fault(kind, f"solder joins {a['ref']}.{a['pin']} and {b['ref']}.{b['pin']}", (a["ref"], b["ref"], *across))
    elif kind == "reversed":
        ref = pick(diodes + electrolytic)
        if ref:
            words = unit.lines[one[ref]]
            if ref in diodes:
                words[1], words[2] = words[2], words[1]
            else:
                beside(one[ref], float(np.exp(dice.uniform(np.log(300), np.log(5e3)))))
            return Fault(kind, f"{ref} is the wrong way round", (ref,))
    elif kind == "turned":
        ref = pick(transistors)
        if ref:
            words = unit.lines[one[ref]]
            order = [(3, 2, 1), (2, 1, 3), (1, 3, 2)][int(dice.choice(3, p=[0.6, 0.2, 0.2]))]
            words[1:4] = [words[k] for k in order]
            return Fault(kind, f"{ref} stands {order}", (ref,))
    elif kind in ("exchanged", "another value of the kit"):
        a = pick(resistors)
        others = [r for r in resistors if a and number(unit.lines[one[r]][3]) / number(unit.lines[one[a]][3]) not in (0, 1) and rows[r]["value"] != rows[a]["value"]]
        b = pick(others)
        if a and b:
            mine, yours = unit.lines[one[a]], unit.lines[one[b]]
            if kind == "exchanged":
                mine[3], yours[3] = yours[3], mine[3]
                return Fault(kind, f"{a} and {b} are exchanged", (a, b))
            mine[3] = yours[3]
            return Fault(kind, f"{a} has the value of {b}", (a,))
    elif kind == "two of a strip":
        values = [r["value"] for r in rows.values() if r["ref"] in resistors]
        a = pick([r for r in resistors if values.count(rows[r]["value"]) > 1])
        same = [r for r in resistors if a and r != a and rows[r]["value"] == rows[a]["value"]]
        b, c = pick(same), pick([r for r in resistors if a and rows[r]["value"] != rows[a]["value"]])
        if a and b and c:
            for ref in (a, b):
                unit.lines[one[ref]][3] = kit.netlist.lines[one[c]][3]
            return Fault(kind, f"{a} and {b} have the value of {c}", tuple(r for r in (a, *same)))
    elif kind == "shorted":
        ref = pick(passive + diodes)
        if ref:
            beside(one[ref], 0.2)
            return Fault(kind, f"{ref} is shorted", (ref,))
    elif kind in ("leaky electrolytic", "leaky film"):
        ref = pick(electrolytic if kind == "leaky electrolytic" else film)
        if ref:
            low, high = (2e3, 5e4) if kind == "leaky electrolytic" else (5e4, 1e6)
            ohms = float(np.exp(dice.uniform(np.log(low), np.log(high))))
            beside(one[ref], ohms)
            return Fault(kind, f"{ref} leaks through {ohms:.3g} ohm", (ref,))
    elif kind == "dead transistor":
        ref = pick([r for r in transistors if one[r][0] == "q"])
        if ref:
            c, b, e = unit.lines[one[ref]][1:4]
            how = int(dice.integers(3))
            if how == 2:
                unit.lines["rdead"] = ["rdead", b, "nodedead", "1e9"]
                unit.lines[one[ref]][2] = "nodedead"
            else:
                beside("", 2.0, ((c, e), (b, e))[how])
            return Fault(kind, f"{ref}: {('collector shorted to emitter', 'base shorted to emitter', 'base open')[how]}", (ref,))
    elif kind == "pot leads":
        ref = pick([r for r, n in one.items() if n[0] == "x" and rows[r]["kind"] in ("potentiometer", "trimmer")])
        if ref:
            words = unit.lines[one[ref]]
            k = int(dice.choice([1, 3]))
            words[2], words[k] = words[k], words[2]
            return Fault(kind, f"wiper and an end of {ref} are exchanged", (ref,)) if words[2] != words[k] else None
    elif kind == "supply" and kit.toml.get("supply"):
        which = kit.toml["supply"][int(dice.integers(len(kit.toml["supply"])))]
        unit.supply[which["element"]] = by = float(dice.choice([0.8, 1.2]))
        return Fault(kind, f"the {which['name']} is {by:g} times what it should be", ())
    return None


class Elsewhere:
    """The readings of a kit, taken in the other simulator."""

    def __init__(self, kit: KitText, readings: Sequence[Reading]) -> None:
        self.kit = kit
        self.readings = [r for r in readings if r.quantity in ("voltage", "current", "resistance", "capacitance", "tone", "lifted")]

    def read(self, unit: Netlist, seed: int) -> dict[Key, Measured]:
        """All readings that the unit gives on this meter; what the simulator does not solve is not there."""
        dice = np.random.default_rng([seed, 33])
        meter = _Meter(float(dice.uniform(-0.5, 0.5)) * SHARE, float(dice.choice(OPEN_VOLTS)))
        self.scale = {s["element"]: 1 + float(dice.uniform(-0.8, 0.8)) * s.get("tolerance", 0.0) for s in self.kit.toml.get("supply", [])}
        out: dict[Key, Measured] = {}
        setups: dict[tuple[str, bool], list[Reading]] = {}
        tones: dict[tuple[str, str, float], list[Reading]] = {}
        for r in self.readings:
            if r.quantity in ("voltage", "current"):
                setups.setdefault(("" if r.of.empty else r.setup, r.of.empty), []).append(r)
            elif r.tone:
                tones.setdefault((r.tone.setup, r.tone.source, r.tone.hertz), []).append(r)
        for (setup, empty), some in setups.items():
            out |= self._at_rest(unit, setup, empty, some, meter)
        for some in tones.values():
            out |= self._toned(unit, some, meter)
        out |= self._ohms(unit, [r for r in self.readings if r.quantity == "resistance"], meter)
        out |= self._farads(unit, [r for r in self.readings if r.quantity == "capacitance"], meter)
        out |= self._lifted(unit, meter)
        return {key: shown for key, shown in out.items() if not math.isnan(shown.value)}

    # -- decks ---------------------------------------------------------------------------------------------------

    def _around(self, unit: Netlist, setup: str, having: str = "", sine: tuple[str, float, float] | None = None, mains: bool = False) -> str | None:
        """What stands round the unit: supplies as they happen to be, one source as a tone."""
        names = [setup] if setup else [n for n, f in self.kit.setups.items() if not having or re.search(rf"^{having}\s", (self.kit.folder / f).read_text().lower(), re.M)]
        if not names:
            return None
        out = []
        supplies = {s["element"]: s for s in self.kit.toml.get("supply", [])}
        for line in (self.kit.folder / self.kit.setups[names[0]]).read_text().lower().splitlines()[1:]:
            words = line.split()
            if not words or line.startswith("*") or words[0] in (".end", ".include"):
                continue
            if words[0] in supplies:
                volts = number(words[words.index("dc") + 1]) * self.scale[words[0]] * unit.supply.get(words[0], 1.0)
                line = f"{' '.join(words[:3])} dc {volts:.8g}"
                if mains and supplies[words[0]].get("mains_hz"):
                    peak = supplies[words[0]]["volts"] * self.scale[words[0]] * unit.supply.get(words[0], 1.0)
                    line = f"{' '.join(words[:3])} dc 0 sin(0 {peak:.8g} {supplies[words[0]]['mains_hz']})"
            elif sine and words[0] == sine[0]:
                line = f"{' '.join(words[:3])} dc 0 ac 1 sin(0 {sine[1]:.8g} {sine[2]:.8g})"
            elif words[0][0] == "v" and "ac" in words:
                line = f"{' '.join(words[: words.index('ac')])} ac 0"
            out.append(line)
        return "\n".join(out)

    def _sockets(self, empty: bool) -> list[str]:
        return [name for ref in self.kit.chips for name in self.kit.elements(ref)] if empty else []

    def _known(self, unit: Netlist, around: str) -> set[str]:
        return unit.nodes | set(re.findall(r"[\w]+", around))

    def _at_rest(self, unit: Netlist, setup: str, empty: bool, some: Sequence[Reading], meter: _Meter) -> dict[Key, Measured]:
        around = self._around(unit, setup)
        assert around is not None
        known = self._known(unit, around)
        volts = [r for r in some if r.quantity == "voltage" and set(r.nodes) <= known]
        supplies = {s["name"]: s for s in self.kit.toml.get("supply", [])}
        amps = [(r, supplies[r.of.place]) for r in some if r.quantity == "current" and r.of.place in supplies]
        loads = [f"rmeter{k} {r.nodes[0]} {r.nodes[1]} 1e15" for k, r in enumerate(volts)]
        control = ["op", *(f"print {_across(r.nodes)}" for r in volts), *(f"print i({s['element']})" for _, s in amps)]
        for k, r in enumerate(volts):
            control += [f"alter rmeter{k} = {METER_OHMS:g}", "op", f"print {_across(r.nodes)}", f"alter rmeter{k} = 1e15"]
        found = _printed(_run("\n".join([unit.text(self._sockets(empty)), around, *loads]), control))
        if len(found) < len(volts) * 2 + len(amps):
            return {}
        bare, drawn, loaded = found[: len(volts)], found[len(volts) : len(volts) + len(amps)], found[len(volts) + len(amps) :]
        out = {}
        if any(s.get("mains_hz") for s in supplies.values()):
            mean, rms, current = self._on_the_mains(unit, setup, empty, [r.nodes for r in volts], [s["element"] for _, s in amps])
            if mean is None:
                return {}
            loaded = [m * (b / a if a else 1.0) for m, a, b in zip(mean, bare, loaded, strict=True)]
            drawn = current
            by_node = {r.nodes: k for k, r in enumerate(volts)}
            for r in self.readings:
                if r.quantity == "tone" and r.supply and not empty and r.nodes in by_node:
                    out[r.of] = meter.shows(rms[by_node[r.nodes]], "V")
        out |= {r.of: meter.shows(v, "V") for r, v in zip(volts, loaded, strict=True)}
        for (r, supply), i in zip(amps, drawn, strict=True):
            out[r.of] = meter.shows(abs(i) if supply.get("mains_hz") else -i, "A")
        return out

    def _on_the_mains(self, unit: Netlist, setup: str, empty: bool, nodes: Sequence[tuple[str, str]], sources: Sequence[str]):
        """Mean and ripple (r.m.s.) of volts, and mean amperes, once the wave has charged all: its rectified mean, of a source the mean size."""
        around = self._around(unit, setup, mains=True)
        save = [_across(pair) for pair in nodes] + [f"i({s})" for s in sources]
        table = _course("\n".join([unit.text(self._sockets(empty)), around or ""]), save, 2e-4, SETTLED, SETTLED - 0.2)
        if table is None:
            return None, None, None
        time, values = table
        mean = [float(np.trapezoid(v, time) / (time[-1] - time[0])) for v in values[: len(nodes)]]
        rms = [float(np.sqrt(np.trapezoid((v - m) ** 2, time) / (time[-1] - time[0]))) for v, m in zip(values, mean, strict=False)]
        amps = [float(np.trapezoid(np.abs(v), time) / (time[-1] - time[0])) for v in values[len(nodes) :]]
        return mean, rms, amps

    def _toned(self, unit: Netlist, some: Sequence[Reading], meter: _Meter) -> dict[Key, Measured]:
        """Each as a meter for any wave shows it, the tone set at its place first."""
        tone = some[0].tone
        assert tone is not None
        around = self._around(unit, tone.setup, tone.source, (tone.source, 1.0, tone.hertz))
        if around is None:
            return {}
        known = self._known(unit, around)
        if not set(tone.fed_at) <= known:
            return {}
        asked = [r for r in some if set(r.nodes) <= known]
        loads = [f"rmeter{k} {r.nodes[0]} {r.nodes[1]} 1e15" for k, r in enumerate(asked)]
        text = "\n".join([unit.text(), around, *loads])
        ac = f"ac lin 1 {tone.hertz:g} {tone.hertz:g}"
        control = [ac, f"print mag({_across(tone.fed_at)})", *(f"print mag({_across(r.nodes)})" for r in asked)]
        for k, r in enumerate(asked):
            control += [f"alter rmeter{k} = {METER_OHMS:g}", ac, f"print mag({_across(r.nodes)})", f"alter rmeter{k} = 1e15"]
        found = _printed(_run(text, control))
        if len(found) != 1 + 2 * len(asked) or found[0] < 1e-9:
            return {}
        pulled = [b / a if a > 0 else 1.0 for a, b in zip(found[1 : 1 + len(asked)], found[1 + len(asked) :], strict=True)]
        level = min(tone.level * math.sqrt(2) / found[0], 30.0)
        around = self._around(unit, tone.setup, tone.source, (tone.source, level, tone.hertz)) or ""
        step, stop = 1 / tone.hertz / STEPS, CYCLES / tone.hertz
        table = _course("\n".join([unit.text(), around]), [_across(tone.fed_at), *(_across(r.nodes) for r in asked)], step, stop, (CYCLES - LAST) / tone.hertz)
        if table is None:
            return {}
        rms = []
        for v in table[1]:
            line = np.polyval(np.polyfit(table[0], v, 1), table[0])  # what still creeps is no wave
            rms.append(float(np.sqrt(np.trapezoid((v - line) ** 2, table[0]) / (table[0][-1] - table[0][0]))))
        by = tone.level / rms[0] if rms[0] > 0 and found[0] * level > tone.level * 1.3 else 1.0  # the builder sets it by the meter
        return {r.of: meter.shows(max(v * by * p, 0.0), "V") for r, v, p in zip(asked, rms[1:], pulled, strict=True)}

    def _ohms(self, unit: Netlist, some: Sequence[Reading], meter: _Meter) -> dict[Key, Measured]:
        """By the ratio to the resistor of the range that fits, from the lowest: cold, sockets empty."""
        gone = self._sockets(True)
        known = {n for name, words in unit.lines.items() if name not in gone for n in words[1:]} | {"0"}
        asked = [r for r in some if set(r.nodes) <= known]
        out = {r.of: Measured(math.inf, 0.0, "Ω") for r in some if r not in asked}
        sources = [line for k, r in enumerate(asked) for line in (f"vleads{k} leads{k} {r.nodes[1]} dc {meter.open_volts}", f"rrange{k} leads{k} {r.nodes[0]} 1e15")]
        ranges = np.full(len(asked), 2)
        value = np.full(len(asked), np.nan)
        text = "\n".join([unit.text(gone), *sources])
        left = list(range(len(asked)))
        tried: dict[int, set[int]] = {k: set() for k in left}
        while left:
            control = []
            for k in left:
                control += [f"alter rrange{k} = {meter.range_ohms(int(ranges[k])):g}", "op", f"print {_across(asked[k].nodes)}", f"alter rrange{k} = 1e15"]
                tried[k].add(int(ranges[k]))
            found = _printed(_run(text, control))
            if len(found) != len(left):
                return out
            again = []
            for k, v in zip(left, found, strict=True):
                ref = meter.range_ohms(int(ranges[k]))
                ohms = ref * v / (meter.open_volts - v) if v < meter.open_volts * (1 - 1e-9) else math.inf
                value[k] = ohms
                fits = next((n for n, most in enumerate(OHM_RANGES) if ohms < most), len(OHM_RANGES) - 1)
                if fits not in tried[k]:
                    ranges[k] = fits
                    again.append(k)
            left = again
        for k, r in enumerate(asked):
            out[r.of] = meter.shows(float(value[k]), "Ω") if value[k] < OHM_RANGES[-1] else Measured(math.inf, 0.0, "Ω")
        return out

    def _farads(self, unit: Netlist, some: Sequence[Reading], meter: _Meter) -> dict[Key, Measured]:
        gone = self._sockets(True)
        known = {n for name, words in unit.lines.items() if name not in gone for n in words[1:]} | {"0"}
        out = {}
        for r in (r for r in some if set(r.nodes) <= known and r.cold):
            hertz = r.cold.hertz if r.cold else 0.0
            found = _printed(_run("\n".join([unit.text(gone), f"vbridge {r.nodes[0]} {r.nodes[1]} dc 0 ac 1"]), [f"ac lin 1 {hertz:g} {hertz:g}", "print imag(-i(vbridge))"]))
            if found:
                out[r.of] = meter.shows(max(found[0] / (2 * math.pi * hertz), 0.0), "F")
        return out

    def _lifted(self, unit: Netlist, meter: _Meter) -> dict[Key, Measured]:
        """Parts by themselves, as they stand in the text."""
        out = {}
        shorted = [words for name, words in unit.lines.items() if name.startswith("rfault") and float(words[3]) < 1]
        for r in (r for r in self.readings if r.quantity == "lifted"):
            words = unit.lines.get(r.part.lower())  # a part is called so in netlists
            nodes = self.kit.netlist.lines[r.part.lower()][1:3] if r.part.lower() in self.kit.netlist.lines else []
            if words is None:
                out[r.of] = Measured(math.inf if r.unit == "Ω" else 0.0, 0.0, r.unit)
            elif not any(s[1:3] == nodes for s in shorted):
                out[r.of] = meter.shows(number(words[3]), r.unit)
        return out


@dataclass(frozen=True)
class _Meter:
    off: float  # share by which it is wrong everywhere
    open_volts: float

    def range_ohms(self, number: int) -> float:
        """Of the resistor that ohms are compared with; no range drives more than a milliampere."""
        return max(OHM_RANGES[number], self.open_volts / MOST_AMPERES)

    def shows(self, value: float, unit: str) -> Measured:
        """Whole digits of the lowest range that holds it, and what it may be off: twice that of one standard deviation would be less."""
        if not math.isfinite(value):
            return Measured(value, 0.0, unit)
        low = {"V": 0.6, "A": 6e-3, "Ω": 600.0, "F": 6e-9}[unit]
        span = low * 10.0 ** max(0, math.ceil(math.log10(max(abs(value), low) / low) - 1e-12))
        digit = span / COUNTS
        shown = round(value * (1 + self.off) / digit) * digit
        return Measured(shown, SHARE * abs(shown) + DIGITS * digit, unit)


def _across(nodes: Sequence[str]) -> str:
    red, black = nodes
    return f"v({red})" if black == "0" else f"-v({black})" if red == "0" else f"(v({red})-v({black}))"


def _deck(text: str, control: Sequence[str]) -> str:
    return "\n".join(["* a unit", text, ".options reltol=1e-4 abstol=1e-13 vntol=1e-7 gmin=1e-13 rshunt=1e12", ".control", "set numdgt=9", *control, "quit", ".endc", ".end"])


def _run(text: str, control: Sequence[str]) -> str:
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "deck.cir").write_text(_deck(text, control))
        try:
            return subprocess.run(["ngspice", "-b", "deck.cir"], cwd=folder, capture_output=True, text=True, timeout=60).stdout
        except subprocess.TimeoutExpired:
            return ""


def _printed(text: str) -> list[float]:
    return [float(m[1]) for m in re.finditer(r"^[^=\n]* = (-?[\d.]+e[-+]\d+)\s*$", text, re.M)]


def _course(text: str, save: Sequence[str], step: float, stop: float, start: float):
    """Times (T,) and values (saved, T) from ``start`` to ``stop``."""
    with tempfile.TemporaryDirectory() as folder:
        names = [f"let saved{k} = {one}" for k, one in enumerate(save)]
        control = [f"tran {step:g} {stop:g} {start:g} {step:g}", *names, "set wr_singlescale", f"wrdata out.txt {' '.join(f'saved{k}' for k in range(len(save)))}"]
        (Path(folder) / "deck.cir").write_text(_deck(text, control).replace("reltol=1e-4", "reltol=1e-3 method=gear"))
        try:
            subprocess.run(["ngspice", "-b", "deck.cir"], cwd=folder, capture_output=True, text=True, timeout=90)
            table = np.loadtxt(Path(folder) / "out.txt", ndmin=2)
        except (subprocess.TimeoutExpired, OSError, ValueError):
            return None
    if table.shape[0] < 8 or table[-1, 0] < stop * 0.98:
        return None
    return table[:, 0], table[:, 1:].T


def planted(kit: KitText, seed: int) -> tuple[Netlist, Fault]:
    """A unit with one mistake in it."""
    dice = np.random.default_rng([seed, 44])
    names, often = list(KINDS), np.array(list(KINDS.values()), dtype=float)
    while True:
        unit = varied(kit, dice)
        fault = broken(kit, unit, str(dice.choice(names, p=often / often.sum())), dice)
        if fault:
            return unit, fault
