"""For each kit: every single mistake (open, short, ten times, a tenth, reversed), and whether a reading would show it.

Run: python tools/single_mistakes.py [KIT ...] [--list] [--suggest] [--running]. A mistake is seen where at least one reading leaves its
window: a loose part at check-in, ohms of the ring-out, at a supply and cold, currents and points of Wake, tones and the sweep of Prove; one without an
operating point counts as seen, since a unit that cannot be at rest does not read as meant. ``--suggest`` names the nodes that
would show most of what is left, as a point or as a tone from the first source.
"""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.faults import Bridge, Missing, Reversed
from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.small_signal import response, responses
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit import Kit
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import override_of_element
from nuvlo.model import Window, WorkingModel, asked
from nuvlo.model.ensemble import known_to, laws
from nuvlo.model.placed import placed
from nuvlo.model.rectifier import ripple, rippling
from nuvlo.model.running import means
from nuvlo.model.tones import tone_volts
from nuvlo.model.windows import joint_windows
from nuvlo.model.wired import thrown, wired
from nuvlo.model.working import STRAY, STRAY_TONE, farads
from nuvlo.problems import NuvloError
from nuvlo.quantity import Verdict, judge
from nuvlo.workshop.demo import SHIPPED

SHORT = 0.5  # Ω
METER = MeterSpec()
HERTZ = (40.0, 400.0, 8000.0)  # at which tones are suggested
SWEPT_DB = 0.2  # of doubt in a swept level


@dataclass
class Mistake:
    """What is wrong with a part, as an override, and the stages whose readings show it."""

    ref: str
    word: str
    key: str
    value: float
    seen: set[str] = field(default_factory=set)

    def __str__(self) -> str:
        return f"{self.ref} {self.word}"


def mistakes(kit: Kit) -> Iterator[Mistake]:
    """Every single mistake of the kit's parts."""
    unit = kit.unit
    assert unit is not None
    names = ["0", *unit.nodes]
    for part in kit.parts.values():
        for element in kit.elements_of(part.ref):
            if element.startswith("x"):
                continue
            e = unit.element(element)
            if e.kind in "rcldqj":
                yield Mistake(part.ref, "open", Missing(element).key, 1.0)
            if e.kind in "rcld":
                a, b = (names[n + 1] for n in e.nodes[:2])
                if a != b:
                    yield Mistake(part.ref, "short", Bridge(a, b).key, SHORT)
            if e.kind == "r" and part.value:
                for word, k in (("×10", 10.0), ("÷10", 0.1)):
                    loose = {"check-in"} if kind_of(part.kind).meter and part.tolerance else set()
                    yield Mistake(part.ref, word, override_of_element(element), part.value * k, loose)
            if e.kind == "d":
                yield Mistake(part.ref, "reversed", Reversed(element).key, 1.0)


class Readings:
    """What a kit's readings should be, and what they are with a mistake in it, all else nominal."""

    def __init__(self, kit: Kit) -> None:
        self.kit, self.model = kit, WorkingModel(kit)
        self.nominal = {name: law.nominal for name, law in laws(kit).items()}
        ohms = asked.at_points(kit) if kit.passive else asked.across_supplies(kit)
        self.ohms = {stage: self.model.predict(some) for stage, some in (("hook up", asked.ringing_out(kit)), ("wake", ohms))}
        self.cold = self.model.predict(asked.cold(kit))
        self.volts = [] if kit.passive else self.model.predict(asked.powered(kit))
        self.tones = self.model.predict(asked.tones(kit))
        self.band = self.model.response_band if kit.info.prove else None

    def look(self, m: Mistake) -> None:
        """Note which stages show ``m``."""
        values = {**self.nominal, m.key: m.value}
        for stage, windows in self.ohms.items():
            shown = []
            for at in (placed(self.kit, w.of) for w in windows):
                unit = wired(self.kit) if at.throw else self.kit.unpowered(*at.nodes)
                known = {**known_to(unit, values), **(thrown(self.kit, at.throw) if at.throw else {})}
                shown.append(float(resistance(unit, *at.nodes, None, known).ohms[0]))
            if _out(windows, shown):
                m.seen.add(stage)
        if self._cold(values):
            m.seen.add("wake")
        points: dict[int, OperatingPoint] = {}

        def at(circuit: Circuit) -> OperatingPoint:
            if id(circuit) not in points:
                points[id(circuit)] = operating_point(circuit, known_to(circuit, values))
            return points[id(circuit)]

        if self.volts:
            rest = at(self.kit.setup())
            found = [float(-rest.currents()[s.element][0]) for s in self.kit.info.supply]
            found += [float(at(self.kit.setup(p.setup)).voltage(p.node, p.reference)[0]) for p in self.kit.info.point]
            found += [float(ripple(self.kit, rest, s)[0]) for s in rippling(self.kit).values()]
            # What only runs tells nothing at rest.
            runs = {p.name for p in self.kit.info.point if p.running}
            told = [(w, v) for w, v in zip(self.volts, found, strict=True) if w.of.place not in runs]
            if any(p.failed for p in points.values()) or _out([w for w, _ in told], [v for _, v in told]):
                m.seen.add("wake")
        tones = [float(tone_volts(at(self.kit.tone_setup(t)), t)[0]) for t in self.kit.info.tone]
        if _out(self.tones, tones):
            m.seen.add("prove")
        prove = self.kit.info.prove
        if prove and self.band is not None:
            point = at(self.kit.setup(prove.setup, (prove.source, prove.node)))
            db = response(point, prove.source, prove.node, self.band.frequency).magnitude_db[0]
            if not np.all((db >= self.band.low - SWEPT_DB) & (db <= self.band.high + SWEPT_DB)):
                m.seen.add("prove")

    def run(self, m: Mistake) -> None:
        """Note whether ``m`` shows where the unit runs, by its course: some ten seconds."""
        windows = {p.name: p.running for p in self.kit.info.point if p.running}
        try:
            found = means(self.kit, {**self.nominal, m.key: m.value})
        except NuvloError:
            m.seen.add("wake")  # what has no course does not run as meant
            return
        if any(not w[0] <= found[name] <= w[2] for name, w in windows.items()):
            m.seen.add("wake")

    def _cold(self, values: dict[str, float]) -> bool:
        read = {}
        for c in self.kit.info.cold:
            unit = self.kit.unpowered(c.node, c.reference)
            ohms = c.kind == "ohms"
            found = resistance(unit, c.node, c.reference, None, known_to(unit, values)).ohms if ohms else farads(self.kit, c, values)
            read[c.name] = float(found[0])
        return _out(self.cold, [read[w.of.name] for w in self.cold])

    # -- what would show the rest -----------------------------------------------------------------------------------

    def suggest(self, left: list[Mistake], most: int = 8) -> list[str]:
        """Nodes, as points or as tones, that would show most of what is ``left``."""
        kit = self.kit
        source = next((p.element for p in kit.info.port if p.kind == "input" and p.element), "vin")
        shown: dict[str, set[int]] = {}
        signal = kit.setup("", (source,))
        for name, circuit in (("rest", kit.setup()), ("signal", signal)):
            unit_nodes = [n for n in kit.unit.nodes if n in circuit.nodes] if kit.unit else []
            whole = self.model.point_in(circuit)
            hertz = np.array(HERTZ if name == "signal" else ())
            good = self._rows(whole, unit_nodes, source, hertz)
            wrong = [operating_point(circuit, known_to(circuit, {**self.nominal, m.key: m.value})) for m in left]
            rows = [self._rows(p, unit_nodes, source, hertz) for p in wrong]
            for key, row in good.items():
                low, high = (float(edge[0]) for edge in joint_windows(row[None], 0.999))
                stray = STRAY["V"] if "Hz" not in key else STRAY_TONE * 10
                middle = float(row[0])
                low, high = min(low, middle - stray), max(high, middle + stray)
                shown[f"{key} ({name})"] = {k for k, r in enumerate(rows) if not low <= float(r[key][0]) <= high}
        out, rest = [], set(range(len(left)))
        while rest and len(out) < most:
            best = max(shown, key=lambda key: len(shown[key] & rest))
            gained = shown[best] & rest
            if not gained:
                break
            out.append(f"{best}: {len(gained)} more ({', '.join(str(left[k]) for k in sorted(gained))})")
            rest -= gained
        return out

    def _rows(self, point: OperatingPoint, nodes: list[str], source: str, hertz: Array) -> dict[str, Array]:
        rows = {} if self.kit.passive else {n: point.voltage(n) for n in nodes}
        if hertz.size:
            found = responses(point, source, nodes, hertz)
            for n in nodes:
                for k, f in enumerate(hertz):
                    rows[f"{n} at {f:g} Hz"] = 0.1 * np.abs(found[n].transfer[:, k])
        return rows


def _out(windows: list[Window], values: list[float]) -> bool:
    """Whether a builder's meter would show one of them out of its window, and not just too close to tell."""
    for w, v in zip(windows, values, strict=True):
        if not np.isfinite(v) and np.isfinite(w.high):
            return True
        if np.isfinite(v) and judge(METER.measured(v, w.unit), w.low, w.high) is Verdict.OUT:
            return True
    return False


def why(kit: Kit, m: Mistake) -> str:
    """Why no reading shows a mistake, by what sort of part it is (common practice, no source)."""
    part = kit.part(m.ref)
    match part.kind, m.word:
        case "capacitor" | "electrolytic", "open":
            return "bypass, reservoir or radio filter: only ripple, noise or radio tells"
        case "resistor", "short":
            return "stopper or feed: what it does lies above the audible band, or in what it spares others"
        case "resistor", "open":
            return "something else holds the same volts"
        case "diode", _:
            return "protects: does nothing while all is right"
        case "lamp", _:
            return "a lamp: look at it"
    return "feedback makes up for it"


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("kits", nargs="*")
    asked.add_argument("--list", action="store_true", help="name those that no reading shows, by the reason")
    asked.add_argument("--suggest", action="store_true", help="name nodes that would show them")
    asked.add_argument("--running", action="store_true", help="follow the courses of units that run by themselves (minutes)")
    a = asked.parse_args()
    for name in a.kits or sorted(p.name for p in SHIPPED.iterdir()):
        kit = read_kit(SHIPPED / name)
        every = list(mistakes(kit))
        with np.errstate(all="ignore"):
            readings = Readings(kit)
            for m in every:  # one by one: each bridge is a circuit of its own
                readings.look(m)
                if a.running and kit.info.running and not m.seen:
                    readings.run(m)
            count = len(every) or 1
            by = {stage: sum(stage in m.seen for m in every) for stage in ("check-in", "hook up", "wake", "prove")}
            left = [m for m in every if not m.seen]
            told = ", ".join(f"{stage} {n}" for stage, n in by.items())
            print(f"{name:11s} {100 * (count - len(left)) / count:3.0f} in 100 of {len(every)} single mistakes are seen ({told})", flush=True)
            if a.list:
                for reason in dict.fromkeys(why(kit, m) for m in left):
                    print(f"            {reason}: {', '.join(str(m) for m in left if why(kit, m) == reason)}")
            if a.suggest:
                print(*(f"            {line}" for line in readings.suggest(left)), sep="\n")


if __name__ == "__main__":
    main()
