"""A bench that is not there: a hidden unit with values of its own, a meter and an interface that err like real ones.

It solves the same circuit the kit ships, but with true values no other part of the program can see.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from nuvlo.arrays import Array
from nuvlo.audio.sweep import RATE, log_sweep, measured_response
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loaded import shown
from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.periodic import PeriodicSolver, TooNonlinear
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import CLOSE, looks_of
from nuvlo.diagnosis.table import FELT_K, HOT_K
from nuvlo.electrics.heat import rises
from nuvlo.instruments.protocols import InstrumentError, MeterSpec, Recording
from nuvlo.kit import Kit
from nuvlo.kit.kit import override_of_element
from nuvlo.kit.schema import Tone
from nuvlo.logbook import Build, Repair
from nuvlo.measurement import LEADS, Observable
from nuvlo.measurement.trace import Stimulus, Trace
from nuvlo.model.ensemble import Law, known_to, laws, usual
from nuvlo.model.placed import Placed, placed
from nuvlo.model.rectifier import drawn, ripple
from nuvlo.model.running import means
from nuvlo.model.tones import tone_volts
from nuvlo.model.wired import thrown, wired
from nuvlo.model.working import farads
from nuvlo.problems import Problem
from nuvlo.progress import pause
from nuvlo.quantity import Measured, parse_value

INTERFACE_NOISE = 5e-6  # V r.m.s. at the interface's input, 20 Hz to 20 kHz
INTERFACE_GAIN_DB = 0.1  # its level error lies within ± this
LEFT_VOLTS = 0.4  # that a discharged capacitor gathers again
UNLOADED = 1.05  # times its volts, that a winding gives where nothing loads it
HALF_WINDING = 0.1  # Ω of a heater winding, from its end to its middle
HAND_SHARE = 0.08  # of a turn: how far a hand misses the angle it was told
HAND_DEGREES = 1.5


class HiddenUnit:
    """One unit with its true values. ``wrong`` maps references to the value really in the bag (``{"R3": "390R"}``),
    or override names to true numbers (``{"q1.bf": 15.0}``)."""

    def __init__(self, kit: Kit, seed: int, wrong: Mapping[str, str | float] | None = None) -> None:
        self.kit = kit
        self.seed = seed
        rng = np.random.default_rng([seed, 101])
        self.law: dict[str, Law] = laws(kit)
        self.share = {name: float(rng.random()) for name in self.law}
        self.turned: dict[str, float] = {}
        self.swapped: dict[str, float] = {}  # override name → value of a part put in since
        self.wrong: dict[str, float] = {}
        for name, value in (wrong or {}).items():
            part = kit.find_part(name)
            element = kit.element_of(name) if part else None
            if part is None or element is None:
                self.wrong[name] = float(value)
                continue
            key = override_of_element(element)
            nominal = parse_value(value, part.unit) if isinstance(value, str) else float(value)
            low, high = part.tolerance or (0.0, 0.0)
            self.wrong[key] = nominal * (1 + low + self.share.get(key, 0.5) * (high - low))

    def values(self) -> dict[str, float]:
        """True values by override name."""
        out = {n: law.low + self.share[n] * law.width for n, law in self.law.items()}
        for control in self.kit.info.control:
            name = self.kit.position_of(control.ref)
            if name in out:
                out[name] = float(np.clip(out[name] + self.turned.get(control.ref, 0.0) / control.travel_deg, 0.0, 1.0))
        return {**out, **self.wrong, **self.swapped}

    def fit_part(self, ref: str, value: str) -> None:
        """Put another part in: one of the choices, or a good one in place of a wrong one."""
        part, element = self.kit.part(ref), self.kit.element_of(ref)
        if element is None:
            return
        if not part.unit:  # a transistor or diode: a good one has its parameters inside their spread
            self.wrong = {k: v for k, v in self.wrong.items() if not k.startswith(element + ".")}
            return
        key = override_of_element(element)
        low, high = part.tolerance or (0.0, 0.0)
        self.swapped[key] = parse_value(value, part.unit) * (1 + low + (1 - self.share[key]) * (high - low))


class SimulatedBench:
    """Meter, audio interface and hand around one hidden unit."""

    name = "simulated bench"

    def __init__(self, unit: HiddenUnit, spec: MeterSpec | None = None) -> None:
        self.unit = unit
        self.spec = spec or MeterSpec()
        rng = np.random.default_rng([unit.seed, 202])
        # One meter is off by the same share on a range for its whole life.
        self._gain_error = float(rng.uniform(-0.8, 0.8))
        self._offset_error = float(rng.uniform(-0.8, 0.8))
        self._level_error_db = float(rng.uniform(-INTERFACE_GAIN_DB, INTERFACE_GAIN_DB))
        self._turns = 0
        self._solved: tuple[dict[str, float], dict[int, OperatingPoint]] = ({}, {})  # values, and where each circuit rests with them
        self._ran: tuple[dict[str, float], dict[str, float]] | None = None  # values, and the means they made

    @property
    def hidden(self) -> tuple[Mistake, ...]:
        return ()

    def told(self, build: Build, hunts: Sequence[Build] = ()) -> str:
        return ""

    # -- meter ------------------------------------------------------------------------------------------------

    def _shown(self, true: float, unit: str) -> Measured:
        """What the display shows of a true value, rounded to its last digit."""
        if not np.isfinite(true):
            return Measured(float("inf"), 0.0, unit)
        percent = self.spec.capacitance_percent if unit == "F" else self.spec.percent
        floor = {"V": 1e-4, "Ω": 0.1, "A": 1e-6, "F": 1e-11}[unit]
        step = max(self.spec.resolution(true), floor)
        raw = true * (1 + self._gain_error * percent / 100) + self._offset_error * (self.spec.digits - 0.5) * step
        return self.spec.measured(round(raw / step) * step, unit)

    def take(self, of: Observable) -> Measured:
        match of.quantity:
            case "value":
                return self._loose(of.place)
            case "lifted":
                return self._lifted(of.place)
            case "look":
                return Measured(float(self._looks_wrong(of.place)), 0.0, "")
            case "look-over" | "look-close":
                return Measured(float(bool(self.looked_over(of.quantity == CLOSE))), 0.0, "")
            case "touch":
                return self._touched(of.place)
        if of == LEADS:
            return self._shown(self.spec.lead_ohms, "Ω")
        if of.unplugged:
            return self._shown(LEFT_VOLTS, "V")
        at = placed(self.unit.kit, of)
        if at.heater is not None:
            return self._shown(at.heater.volts * UNLOADED, "V") if of.quantity == "tone" else self._shown(HALF_WINDING + self.spec.lead_ohms, "Ω")
        match of.quantity:
            case "voltage":
                return self._volts(at)
            case "current" if at.supply:
                return self._shown(float(drawn(self._point(at.setup), at.supply)[0]), "A")
            case "tone" if at.tone:
                return self._alternating(float(tone_volts(self._tone_point(at.tone), at.tone)[0]))
            case "tone" if at.supply:
                return self._alternating(float(ripple(self.unit.kit, self._point(""), at.supply)[0]))
            case "resistance":
                return self._ohms(at)
            case "capacitance" if at.cold:
                return self._shown(float(farads(self.unit.kit, at.cold, self.unit.values())[0]), "F")
        raise InstrumentError(Problem(f"no instrument here reads {of.quantity} at '{of.name}'.", "Measure it, and type what it reads.", ref=of.name))

    def looked_over(self, closely: bool = False) -> tuple[str, ...]:
        return tuple(r.part for r in looks_of(self.unit.kit) if self._looks_wrong(r.part))

    def _loose(self, ref: str) -> Measured:
        part, element = self.unit.kit.part(ref), self.unit.kit.element_of(ref)
        if element is None or not part.unit:
            raise InstrumentError(Problem(f"a meter does not measure {ref}.", "Read its marking.", ref=ref))
        true = self.unit.values()[override_of_element(element)]
        return self._shown(true + (self.spec.lead_ohms if part.unit == "Ω" else 0.0), part.unit)

    def _lifted(self, ref: str) -> Measured:
        """A part by itself, one leg out of the board."""
        return self._loose(ref)

    def _point(self, setup: str = "", having: tuple[str, ...] = ()) -> OperatingPoint:
        circuit, every = self.unit.kit.setup(setup, having), self.unit.values()
        if self._solved[0] != every:
            self._solved = (every, {})
        if id(circuit) not in self._solved[1]:  # the kit keeps its circuits
            self._solved[1][id(circuit)] = self._solved_for(circuit)
        return self._solved[1][id(circuit)]

    def _solved_for(self, circuit: Circuit) -> OperatingPoint:
        values = known_to(circuit, self.unit.values())
        point = operating_point(circuit, values)
        if point.failed:  # from a good unit it may be followed to
            both = {name: np.array([usual(self.unit.kit, self.unit.law, name), value]) for name, value in values.items()}
            point = operating_point(circuit, values, start=operating_point(circuit, both).x[:, 1:])
        if point.failed:
            raise InstrumentError(Problem("the display will not settle.", "Switch off and look for a wrong part."))
        return point

    def _tone_point(self, tone: Tone) -> OperatingPoint:
        return self._point(tone.setup, (tone.source, tone.at, tone.node))

    def _volts(self, at: Placed) -> Measured:
        kit = self.unit.kit
        runs = next((p.name for p in kit.info.point if p.running and (p.node, p.reference) == at.nodes), None)
        if runs and kit.info.running:
            return self._shown(self._means()[runs], "V")
        return self._shown(float(shown(self._point(at.setup), [at.nodes], self.spec.volts_ohms)[0, 0]), "V")

    def _means(self) -> dict[str, float]:
        """What the unit's points read on DC while it runs; followed anew only where a value has changed since."""
        values = self.unit.values()
        if self._ran is None or self._ran[0] != values:
            self._ran = (values, means(self.unit.kit, values))
        return self._ran[1]

    def _alternating(self, volts: float) -> Measured:
        """What the display shows on AC: never less than nothing."""
        shown = self._shown(volts, "V")
        return shown if shown.value > 0 else replace(shown, value=0.0)

    def _ohms(self, at: Placed) -> Measured:
        kit = self.unit.kit
        unit = wired(kit) if at.throw else kit.unpowered(*at.nodes)
        known = {**known_to(unit, self.unit.values()), **(thrown(kit, at.throw) if at.throw else {})}
        true = float(resistance(unit, *at.nodes, self.spec.ohmmeter, known).ohms[0])
        return self._shown(true + self.spec.lead_ohms, "Ω")

    def _looks_wrong(self, ref: str) -> bool:
        mine = [f"{e}." for e in self.unit.kit.elements_of(ref)]
        return any(f"{key}.".startswith(tuple(mine)) and key not in self.unit.swapped for key in self.unit.wrong) if mine else False

    def _touched(self, ref: str) -> Measured:
        """1 where a finger finds a part hotter than it should be, 0 where it does not; of one and the same unit always the same."""
        kit = self.unit.kit
        should = float(rises(kit, operating_point(kit.setup()), [ref])[ref][0])
        doubt = np.random.default_rng([self.unit.seed, 909, list(kit.parts).index(ref)]).normal(0.0, FELT_K)
        return Measured(float(float(rises(kit, self._point(), [ref])[ref][0]) - should + doubt > HOT_K), 0.0, "")

    # -- audio ------------------------------------------------------------------------------------------------

    def play(self, stimulus: Stimulus, at: Array) -> Trace:
        played = log_sweep(stimulus.from_hz, stimulus.to_hz, stimulus.level)
        recording = self.play_and_record(played, RATE)
        pause()
        db = measured_response(played, recording.signal, recording.rate, at)
        return Trace(tuple(at.tolist()), tuple(db.tolist()), uncertainty=recording.uncertainty_db)

    def play_and_record(self, signal: Array, rate: float) -> Recording:
        """The unit's output for ``signal`` V at its input, through the solved circuit, distortion and noise included."""
        prove = self.unit.kit.info.prove
        assert prove is not None
        point = self._point(prove.setup, (prove.source, prove.node))
        solver = PeriodicSolver.prepare(point, prove.source, (prove.node,), signal.size, rate)
        try:
            out = solver.solve(signal)[0]
        except TooNonlinear as bad:
            raise InstrumentError(
                Problem("the unit overloads: the recording is clipped.", "Lower the level and sweep again.")
            ) from bad
        noise = np.random.default_rng([self.unit.seed, 303]).normal(0.0, INTERFACE_NOISE, signal.size)
        gain = 10.0 ** (self._level_error_db / 20.0)
        # Limits of ± INTERFACE_GAIN_DB are rectangular; expanded as everywhere.
        return Recording(gain * out + noise, rate, 2.0 * INTERFACE_GAIN_DB / np.sqrt(3.0))

    # -- hand -------------------------------------------------------------------------------------------------

    def fit(self, ref: str, value: str) -> None:
        self.unit.fit_part(ref, value)

    def repair(self, repair: Repair) -> None:
        """Good parts in place of those that a repair touched."""
        for ref in repair.refs:
            self.fit(ref, self.unit.kit.part(ref).text)

    def turn(self, ref: str, degrees: float) -> None:
        rng = np.random.default_rng([self.unit.seed, 404, self._turns])
        self._turns += 1
        meant = degrees * (1 + rng.uniform(-HAND_SHARE, HAND_SHARE)) + rng.uniform(-HAND_DEGREES, HAND_DEGREES)
        self.unit.turned[ref] = self.unit.turned.get(ref, 0.0) + meant
