"""The working model of the unit on the bench: the kit's circuit with everything measured so far put in place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import Enum
from functools import cached_property

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loaded import shown
from nuvlo.circuit.ohms import FAINT, GENTLE, SLIGHT, STRONG, Ohmmeter, capacitance, resistance
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.periodic import largest_clean_level
from nuvlo.circuit.small_signal import log_frequencies, response
from nuvlo.kit import Kit, Trim
from nuvlo.kit.schema import Cold, Prove
from nuvlo.logbook import Build
from nuvlo.measurement import Observable, amps_of, volts_at
from nuvlo.model.ensemble import Law, known_to, laws, sample
from nuvlo.model.leaks import leakage
from nuvlo.model.placed import Placed, placed, watched_at
from nuvlo.model.rectifier import drawn, ripple
from nuvlo.model.results import corner
from nuvlo.model.tones import tone_volts
from nuvlo.model.windows import JOINT_COVERAGE, Window, joint_windows
from nuvlo.model.wired import thrown, wired
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import parse_value

MEMBERS = 2000
BAND_MEMBERS = 600
TRIM_VOLTS = 1e-3  # a trimmer is placed when every member shows its reading this closely
CONTACT_OHMS = 1.0  # the most that a sound wire with its two joints and plug may show (common practice, no source)
STRAY = {"V": 8e-3, "A": 10e-6}  # offsets, contacts, the meter's zero (common practice, no source)
STRAY_TONE = 0.5e-3  # V r.m.s.: hum, noise, the last digits of a meter on AC (common practice, no source)
TONE_SHARE = 0.025  # of two readings of about 1 % each, one of them set by hand (common practice, no source)
CHARGING_HZ, SLOW_S = 0.01, 1.0  # at which capacitors are seen to charge, and from when on a hand would notice
STRAY_OHMS = 0.3  # of leads and clips, from one reading to the next (common practice, no source)
OTHER_METERS = (Ohmmeter(0.3e-3), Ohmmeter(0.1e-3), STRONG, FAINT, GENTLE, SLIGHT)  # beside the usual 1 mA (common practice, no source)
BRIDGE_SHARE = 0.03  # of what a hand-held bridge shows in circuit (common practice, no source)
LOST_SHARE = 0.02  # of the members, that may have no solution before a window is not worth having
HIDDEN, BETWEEN_METERS = 3.0, 1.25  # times what the usual meter shows, from where junctions hide what lies behind them; room for meters yet other
THROUGH_A_JUNCTION = 0.05  # share by which ohms follow the test current where it is no resistor
LEAST_SHARE = 0.01  # of a spread, that is worth telling: chance alone makes one in two thousand
CLEAN_MARGIN = 0.7  # of the level found for a few members, for those not tried




class ModelError(NuvloError):
    """The model cannot answer; says what the kit lacks or which members failed."""


@dataclass(frozen=True)
class Band:
    """Response window: ``frequency`` (F,) Hz; ``nominal``, ``low``, ``high`` (F,) dB."""

    frequency: Array
    nominal: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class TrimCurve:
    """What the watched point reads over a trimmer's travel: ``position`` (P,) 0…1; volts (P,)."""

    position: Array
    nominal: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class Comparison:
    """What one option of a choice does. Response dB over ``frequency`` Hz; corner Hz; gain dB; supply current A."""

    value: str
    says: str
    frequency: Array
    magnitude_db: Array
    gain_db: float
    corner_hz: float
    current: float


class WorkingModel:
    """Predictions for one state of one build. Cheap to make; each question is solved when first asked.

    ``members`` is the size of the ensemble, ``seed`` its randomness. Raises :class:`ModelError` where the kit has no
    circuit, or where a member has no operating point.
    """

    def __init__(self, kit: Kit, build: Build | None = None, members: int = MEMBERS, seed: int = 1) -> None:
        if kit.unit is None:
            raise ModelError(Problem(f"{kit.name} has no circuit.cir, so nothing can be predicted.", "Add one."))
        self.kit, self.build, self.members, self.seed = kit, build, members, seed
        self.unit: Circuit = kit.unit
        self._points: dict[int, OperatingPoint] = {}  # of each set-up that was asked for

    # -- the ensemble -----------------------------------------------------------------------------------------

    @cached_property
    def laws(self) -> dict[str, Law]:
        return laws(self.kit, self.build)

    @cached_property
    def values(self) -> dict[str, Array]:
        """Override arrays (members,). A trimmer read since its last turn is put where its reading says it is."""
        values = sample(self.laws, self.members, self.seed)
        for trim in self.kit.info.trim:
            reading = self.reading_since_turn(trim)
            if reading is not None:
                self._place_trimmer(trim, reading, values)
        return values

    def reading_since_turn(self, trim: Trim) -> float | None:
        """Latest reading at the trim's watched point, if its trimmer has not been turned since."""
        found = self.build.since_turn(trim.trimmer, watched_at(self.kit, trim)) if self.build else None
        return found.measured.value if found and np.isfinite(found.measured.value) else None

    def _place_trimmer(self, trim: Trim, reading: float, values: dict[str, Array]) -> None:
        """Give each member the trimmer position at which it would show ``reading`` (regula falsi, Illinois variant)."""
        watched = self.kit.point(trim.watch)
        name = self.kit.position_of(trim.trimmer)
        circuit = self.kit.setup(trim.setup)
        known = known_to(circuit, values)

        def error(position: Array) -> Array:
            volts = shown(operating_point(circuit, {**known, name: position}), [(watched.node, watched.reference)], self.kit.reach.ohms)[0]
            return np.asarray(volts - reading)

        low, high = np.zeros(self.members), np.ones(self.members)
        f_low, f_high = error(low), error(high)
        reachable = f_low * f_high <= 0
        position = values[name]
        for _ in range(15):
            position = np.clip((low * f_high - high * f_low) / np.where(f_high == f_low, 1.0, f_high - f_low), 0.0, 1.0)
            f = error(position)
            if np.abs(f[reachable]).max(initial=0.0) < TRIM_VOLTS:
                break
            upper = f * f_high > 0
            f_low = np.where(upper, f_low * 0.5, f)
            f_high = np.where(upper, f, f_high * 0.5)
            low, high = np.where(upper, low, position), np.where(upper, position, high)
        values[name] = np.where(reachable, position, values[name])

    def point_in(self, circuit: Circuit) -> OperatingPoint:
        """The whole ensemble at rest in one of the kit's set-ups, solved once."""
        if id(circuit) not in self._points:
            self._points[id(circuit)] = self._solved(operating_point(circuit, known_to(circuit, self.values)))
        return self._points[id(circuit)]

    def _solved(self, point: OperatingPoint) -> OperatingPoint:
        if point.failed:
            many = len(point.failed)
            first = ", ".join(str(k) for k in point.failed[:5])
            raise ModelError(
                Problem(f"{many} of {point.x.shape[1]} variants of {self.kit.name} have no operating point (first: {first}).",
                        "Look for a value that is far off, or a missing path to ground.")
            )  # fmt: skip
        return point

    # -- what readings should be ------------------------------------------------------------------------------

    def predict(self, asked: Iterable[Observable]) -> list[Window]:
        """Where a good unit reads, in the order of ``asked``; what is read in one sitting is one joint set (:class:`Sitting`). Raises
        :class:`~nuvlo.model.placed.NoPlace` for what the kit does not have, :class:`ModelError` for what no circuit foretells."""
        return self.windows_of([placed(self.kit, of) for of in asked])

    def windows_of(self, asked: Sequence[Placed]) -> list[Window]:
        """The same of what has been placed."""
        sittings: dict[Sitting, dict[Observable, Placed]] = {}
        for at in asked:
            sittings.setdefault(sitting(at), {})[at.of] = at
        found = {w.of: w for which, some in sittings.items() for w in self._sat(which, list(some.values()))}
        return [found[at.of] for at in asked]

    def _sat(self, which: Sitting, some: list[Placed]) -> list[Window]:
        """The windows of one sitting, one joint set."""
        if which in (Sitting.SHORTS, Sitting.OHMS):
            return self._ohm_windows(some)
        found = _windows([(at.of, at.unit) for at in some], np.array([self._read(at) for at in some]))
        if which is Sitting.TONES:
            found = [_at_least_as_wide(w, max(STRAY_TONE, TONE_SHARE * w.nominal)) for w in found]
            # No meter shows less than nothing; of what should cancel less is better, and printed values may cancel to the last digit.
            return [
                replace(w, low=0.0, nominal=w.nominal if w.nominal > STRAY_TONE else 0.0) if at.tone and at.tone.common else replace(w, low=max(w.low, 0.0))
                for w, at in zip(found, some, strict=True)
            ]
        if which is Sitting.FARADS:
            return [_at_least_as_wide(w, BRIDGE_SHARE * w.nominal) for w in found]
        # Where a unit runs, the kit says what a meter on DC shows: following the courses of an ensemble takes minutes.
        runs = {volts_at(p.name): p.running for p in self.kit.info.point if p.running}
        found = [Window(w.of, w.unit, run[1], run[0], run[2]) if (run := runs.get(w.of)) else w for w in found]
        return [_at_least_as_wide(w, STRAY[w.unit]) for w in self._leaking(found)]

    def _read(self, at: Placed) -> Array:
        """(members,) What each member of the ensemble reads; ohms apart."""
        match at.quantity:
            case "current" if at.supply:
                return drawn(self.point_in(self.kit.setup(at.setup)), at.supply)
            case "voltage":
                volts: Array = shown(self.point_in(self.kit.setup(at.setup)), [at.nodes], self.kit.reach.ohms)[0]
                return volts
            case "tone" if at.supply:
                return ripple(self.kit, self.point_in(self.kit.setup()), at.supply)
            case "tone" if at.tone:
                return tone_volts(self.point_in(self.kit.tone_setup(at.tone)), at.tone, self.kit.reach.ohms)
            case "capacitance" if at.cold:
                return farads(self.kit, at.cold, self.values)
        raise ModelError(Problem(f"{at.quantity} at '{at.of.name}' is in no circuit of {self.kit.name}, so it is not foretold.", "Measure it.", ref=at.of.name))

    def _leaking(self, found: list[Window]) -> list[Window]:
        """Supply currents with what electrolytics may leak on top of what the circuit draws: they are as dry, or as long unused, as they are."""
        leaks = {amps_of(s.name, empty=empty): leakage(self.kit, s) for s in self.kit.info.supply for empty in (False, True)}
        out = []
        for w in found:
            leak = leaks.get(w.of, 0.0)
            down, up = (leak if w.nominal < leak else 0.0), (leak if w.nominal > -leak else 0.0)
            out.append(replace(w, low=w.low - down, high=w.high + up) if leak else w)
        return out

    def _ohm_windows(self, some: list[Placed]) -> list[Window]:
        """Ohms of the unit alone, nothing plugged in."""
        # Several lugs hang on one net: each is solved once.
        every = {_circuit_of(at): at for at in some}
        ohms = {where: self._ohms(at, None) for where, at in every.items()}
        reach = {where: self._on_other_meters(every[where], found) for where, found in ohms.items()}
        rows = np.array([ohms[_circuit_of(at)] for at in some])
        lost = np.isnan(rows).any(axis=0)  # such a member would make a window in which nothing lies
        if lost.mean() > LOST_SHARE:
            raise ModelError(
                Problem(f"{lost.sum()} of {lost.size} variants of {self.kit.name} read no ohms.", "Look for a value that is far off.")
            )
        out = []
        found = _windows([(at.of, at.unit) for at in some], rows[:, ~lost])
        for window, at in zip(found, some, strict=True):
            # Wires and joints add a little to whatever the circuit shows; the leads are known to some tenths.
            low = min(window.low, max(0.0, window.nominal - STRAY_OHMS))
            least, most = reach[_circuit_of(at)]
            out.append(replace(window, low=min(low, least), high=max(window.high + CONTACT_OHMS, most)))
        return out

    def _meant(self, at: Placed) -> tuple[Circuit, dict[str, float]]:
        """What an ohmmeter sees: the unit alone, and how its switch is thrown."""
        if not at.throw:
            return self.kit.unpowered(*at.nodes), {}
        return self._wired, thrown(self.kit, at.throw)

    @cached_property
    def _wired(self) -> Circuit:
        return wired(self.kit)

    def _ohms(self, at: Placed, meter: Ohmmeter | None) -> Array:
        unit, set_so = self._meant(at)
        return resistance(unit, *at.nodes, meter, {**known_to(unit, self.values), **set_so}).ohms

    def _on_other_meters(self, at: Placed, usual: Array) -> tuple[float, float]:
        """The least and the most that meters of other test currents and volts show where a path leads through a junction, whose volts
        hardly follow the current; nothing (inf, −inf) where it does not."""
        unit, set_so = self._meant(at)
        nominal = {**known_to(unit, {name: law.nominal for name, law in self.laws.items()}), **set_so}
        low, high = np.inf, -np.inf
        for other in OTHER_METERS if at.short else OTHER_METERS[:-1]:  # where an open wire is looked for, the faintest would not tell it
            shown = float(resistance(unit, *at.nodes, other, nominal).ohms[0])
            if shown == usual[0] or abs(shown / usual[0] - 1) < THROUGH_A_JUNCTION:
                continue
            found = self._ohms(at, other)
            low, high = min(low, float(np.nanmin(found))), max(high, float(np.nanmax(found)))
        if at.short and np.isfinite(high) and high > HIDDEN * usual[0]:
            high = np.inf  # a meter that gives a little less sees still less of what lies behind
        return low, high * BETWEEN_METERS

    def widened_by(self, of: Observable) -> list[tuple[str, float]]:
        """Which values of the unit a reading hangs on, and the share of its spread that comes of each, most first: squared correlations
        over the ensemble, whose values are drawn apart from each other. Raises :class:`ModelError` where there is no such reading."""
        at = placed(self.kit, of)
        if sitting(at) is not Sitting.POWERED:
            raise ModelError(Problem(f"what widens {of.quantity} at '{of.name}' is not worked out.", "Ask of a test point, or of a supply's current or ripple."))
        read = self._read(at)
        off = read - read.mean()
        size = float(off @ off)
        shares = {}
        for key, value in self.values.items():
            mine = value - value.mean()
            both = float(mine @ mine) * size
            shares[key] = float(mine @ off) ** 2 / both if both > 0 else 0.0
        return sorted(((k, s) for k, s in shares.items() if s > LEAST_SHARE), key=lambda one: -one[1])

    def settling(self, windows: list[Window]) -> dict[Observable, float]:
        """Seconds for which a reading of ohms rises while capacitors charge, by place: three times its ohms by the capacitance there,
        nominal. Nothing where it stands still at once, or is open."""
        nominal = {name: law.nominal for name, law in self.laws.items()}
        farads_on: dict[tuple[str, ...], float] = {}
        out = {}
        for window in windows:
            if not np.isfinite(window.nominal) or window.nominal <= STRAY_OHMS:
                continue
            at = placed(self.kit, window.of)
            if _circuit_of(at) not in farads_on:
                unit, set_so = self._meant(at)
                known = {**known_to(unit, nominal), **set_so}
                farads_on[_circuit_of(at)] = float(capacitance(unit, *at.nodes, CHARGING_HZ, known)[0])
            seconds = 3 * window.nominal * farads_on[_circuit_of(at)]
            if seconds >= SLOW_S:
                out[window.of] = seconds
        return out

    @cached_property
    def response_band(self) -> Band:
        """Joint window of the response that :class:`Prove` asks for."""
        prove = self._prove()
        frequency = log_frequencies(prove.from_hz, prove.to_hz, prove.points)
        circuit = self._proving()
        few = {k: v[:BAND_MEMBERS] for k, v in known_to(circuit, self.values).items()}
        db = response(self._solved(operating_point(circuit, few)), prove.source, prove.node, frequency).magnitude_db
        low, high = joint_windows(db.T)
        return Band(frequency, db[0], low, high)

    def clean_level(self) -> float:
        """Drive in V peak that keeps distortion at every stage below the limit, for nominal and for extreme members."""
        prove = self._prove()
        circuit = self._proving()
        values = known_to(circuit, self.values)
        whole = self.point_in(circuit)
        gain = np.abs(response(whole, prove.source, prove.node, np.array([prove.reference_hz])).transfer[:, 0])
        tried = sorted({0, int(np.argmin(gain)), int(np.argmax(gain))})
        levels = np.geomspace(1e-5, 3.0, 56)
        nodes = prove.stages or (prove.node,)
        found = []
        for k in tried:
            point = operating_point(circuit, {name: float(v[k]) for name, v in values.items()})
            for f in (max(prove.from_hz, 40.0), prove.reference_hz, min(prove.to_hz, 8e3)):
                found.append(largest_clean_level(point, prove.source, nodes, prove.max_distortion, f, levels))
        return CLEAN_MARGIN * min(found)

    def trim_curve(self, trim: Trim, positions: int = 41, members: int = 150) -> TrimCurve:
        """Voltage at the watched point over the trimmer's travel."""
        position = np.linspace(0.0, 1.0, positions)
        circuit = self.kit.setup(trim.setup)
        free = known_to(circuit, sample(self.laws, members, self.seed))
        name = self.kit.position_of(trim.trimmer)
        spread = {k: np.repeat(v, positions) for k, v in free.items()}
        spread[name] = np.tile(position, members)
        watched = self.kit.point(trim.watch)
        volts = shown(operating_point(circuit, spread), [(watched.node, watched.reference)], self.kit.reach.ohms)[0].reshape(members, positions)
        return TrimCurve(position, volts[0], np.nanmin(volts, axis=0), np.nanmax(volts, axis=0))

    def compare(self, choice_id: str) -> list[Comparison]:
        """Each option of a choice, at nominal: response, gain at the reference, −3 dB corner, supply current."""
        choice = next(c for c in self.kit.info.choice if c.id == choice_id)
        prove = self._prove()
        part = self.kit.part(choice.part)
        element = self.kit.element_of(choice.part)
        if element is None:
            raise ModelError(Problem(f"'{choice.part}' is not in the circuit.", "Add it.", ref=choice.part))
        circuit = self._proving()
        nominal: dict[str, float | Array] = {k: law.nominal for k, law in known_to(circuit, self.laws).items()}
        wanted = np.array([parse_value(o.value, part.unit) for o in choice.options])
        point = self._solved(operating_point(circuit, {**nominal, element: wanted}))
        # From two decades below the band, so that a corner below it is found too.
        frequency = log_frequencies(prove.from_hz / 100.0, prove.to_hz, 20 * prove.points)
        db = response(point, prove.source, prove.node, frequency).magnitude_db
        at = int(np.argmin(np.abs(frequency - prove.reference_hz)))
        shown = frequency >= prove.from_hz / 2
        currents = sum((-point.currents()[s.element] for s in self.kit.info.supply), np.zeros(wanted.size))
        return [
            Comparison(o.value, o.says, frequency[shown], row[shown], float(row[at]), _low_corner(frequency, row), float(i))
            for o, row, i in zip(choice.options, db, currents, strict=True)
        ]  # fmt: skip

    def _proving(self) -> Circuit:
        """The set-up in which the unit is proved."""
        prove = self._prove()
        return self.kit.setup(prove.setup, (prove.source, prove.node))

    def _prove(self) -> Prove:
        if self.kit.info.prove is None:
            raise ModelError(Problem(f"{self.kit.name} says nothing of how to prove it.", "Add [prove] to kit.toml."))
        return self.kit.info.prove


class Sitting(Enum):
    """What is read one after the other, and cut as one joint set of windows."""

    SHORTS, OHMS, FARADS, SOCKETS_EMPTY, POWERED, TONES = range(6)


def sitting(at: Placed) -> Sitting:
    """The one to which an observable belongs."""
    match at.quantity:
        case "resistance":
            return Sitting.SHORTS if at.short else Sitting.OHMS
        case "capacitance":
            return Sitting.FARADS
        case "tone" if not at.supply:
            return Sitting.TONES
    return Sitting.SOCKETS_EMPTY if at.of.empty else Sitting.POWERED


def _circuit_of(at: Placed) -> tuple[str, str, str]:
    """Where an ohmmeter lies: two lugs of one net are one."""
    return (*at.nodes, at.throw)


def _at_least_as_wide(window: Window, half: float) -> Window:
    """A window that no offset, thermocouple or last digit of a meter can miss."""
    return replace(window, low=min(window.low, window.nominal - half), high=max(window.high, window.nominal + half))


def _windows(heads: list[tuple[Observable, str]], values: Array, coverage: float = JOINT_COVERAGE) -> list[Window]:
    low, high = joint_windows(values, coverage)
    return [
        Window(of, unit, float(values[k, 0]), float(low[k]), float(high[k]))
        for k, (of, unit) in enumerate(heads)
    ]


def farads(kit: Kit, cold: Cold, values: Mapping[str, float] | Mapping[str, Array]) -> Array:
    """(N,) F that a bridge shows at one of the kit's cold readings."""
    unit = kit.unpowered(cold.node, cold.reference)
    return capacitance(unit, cold.node, cold.reference, cold.hertz, known_to(unit, values))


def _low_corner(frequency: Array, magnitude_db: Array) -> float:
    """Frequency (Hz) below the peak of (F,) dB where the response has lost half its power; 0 where it never falls that far."""
    found = float(corner(frequency, magnitude_db[None], int(np.argmax(magnitude_db)), -1)[0])
    return 0.0 if found <= frequency[0] else found
