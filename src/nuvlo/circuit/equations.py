"""Modified nodal equations of a circuit for an ensemble: C dx/dt + G x + i(x) = b.

Unknowns: node voltages, inner nodes of devices with series resistance, then the current of each voltage source. Every
coefficient is an array over members, (1,) where all members share it, so that nothing is computed twice.
Source of the method: C.-W. Ho, A. Ruehli, P. Brennan, "The modified nodal approach to network analysis", IEEE Trans.
Circuits and Systems 22, 1975.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from copy import copy
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Asked, Circuit, Element, Overrides
from nuvlo.circuit.devices import ZERO_CELSIUS, Devices, Evaluation
from nuvlo.circuit.devices.bipolar import falling_base
from nuvlo.circuit.elimination import Elimination
from nuvlo.circuit.expression import Expression
from nuvlo.circuit.kernel import Kernel, kernel
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.overrides import ABSENT, bridges, check, direction, present, with_moved
from nuvlo.circuit.sums import Sums, add
from nuvlo.circuit.waveform import Waveform
from nuvlo.problems import Problem

BRANCH_KINDS = "vleh"
CLAMP = 1e6  # S that hold a node or a capacitor at stated volts
WIRE_OHMS = 1e-3  # what a resistor of 0 Ω is: a short piece of wire
EASED_OHMS = 1e-6  # of a coil that closes a loop of coils
SERIES_RESISTANCES = {
    "d": (("rs", 0),),
    "q": (("rc", 0), ("rb", 1), ("re", 2)),
    "j": (("rd", 0), ("rs", 2)),
    "m": (("rd", 0), ("rs", 2)),
}
MOST_KEPT = 1 << 20  # bytes of what is overridden, by which equations are kept for circuits with transistors in other holes
ONE: Array = np.ones(1)


def ensemble_size(overrides: Overrides) -> int:
    """Number of members that ``overrides`` describe; arrays of differing length are refused."""
    sizes = {np.size(v) for v in overrides.values() if np.ndim(v) == 1}
    if len(sizes) > 1:
        raise ValueError(f"overrides of differing length: {sorted(sizes)}")
    return sizes.pop() if sizes else 1


class Equations:
    """The equations of ``circuit`` with ``overrides`` put in place. Conductances S, capacitances F, sources V and A.

    ``open_sources`` names sources taken out (their branch carries no current); ``leak`` (S) ties each node to
    ground, for analyses in which parts of the circuit may float. ``clamps`` hold nodes at volts; ``stated`` holds every capacitor at its
    ``ic`` and every coil at its, nothing where it has none: what a course begins from with ``uic``.
    """

    def __init__(
        self, circuit: Circuit, overrides: Overrides | None = None, *, open_sources: frozenset[str] = frozenset(),
        leak: float = 0.0, clamps: Mapping[str, Expression] | None = None, stated: bool = False,
    ) -> None:  # fmt: skip
        overrides = Asked(overrides or {})
        check(circuit, overrides)
        self.base: Equations | None = None  # of the circuit as it stands, where all but a few values are its own
        if circuit.upright is not None and not (clamps or stated):
            self._start_from_upright(circuit, overrides, open_sources, leak)
            return
        usual = not (open_sources or leak or clamps or stated)
        if usual and overrides and (changed := self._simple(circuit, overrides)) is not None:
            self._start_from(circuit.equations, overrides, changed)
            return
        self.given = circuit  # before copies of what stands elsewhere are in it
        circuit = with_moved(circuit, overrides)
        self.circuit = circuit
        self.temperature = np.atleast_1d(np.asarray(overrides.get("temper", circuit.temperature), float)) + ZERO_CELSIUS
        self.nominal = circuit.nominal + ZERO_CELSIUS
        self.overrides = overrides
        self.members = ensemble_size(overrides)
        self.names = list(circuit.nodes)
        extra: dict[tuple[str, str], int] = {}
        conductors: list[tuple[int, int, Array]] = []
        self.inner = extra  # nodes behind series resistances
        for element in circuit.elements:
            series = SERIES_RESISTANCES.get(element.kind, ())
            area = np.asarray(circuit.parameter(element, "area", overrides, 1.0), float)
            for name, terminal in series:
                ohms = np.atleast_1d(np.asarray(circuit.parameter(element, name, overrides), float)) / area
                if element.kind == "m":
                    squares = circuit.parameter(element, f"n{name}", overrides) * np.asarray(circuit.parameter(element, "rsh", overrides))
                    ohms = np.where(ohms > 0, ohms, squares) / circuit.parameter(element, "m", overrides, 1.0)
                if element.kind == "q" and name == "rb" and falling_base(circuit, element, overrides):
                    extra[element.name, name] = len(self.names)  # its resistance is a branch of the transistor
                    self.names.append(f"{element.name}#{name}")
                elif (ohms > 0).any():
                    extra[element.name, name] = len(self.names)
                    conductors.append((element.nodes[terminal], len(self.names), 1.0 / np.maximum(ohms, 1e-6)))
                    self.names.append(f"{element.name}#{name}")
        # Elements whose current is an unknown of its own, with the row it stands in.
        branches = [
            e for e in circuit.elements
            if (e.kind in BRANCH_KINDS or e.gives_volts) and e.name not in open_sources
        ]  # fmt: skip
        self.first_branch = len(self.names)
        self.branch = {e.name: self.first_branch + k for k, e in enumerate(branches)}
        self.size = self.first_branch + len(branches)
        self.devices = Devices(circuit, overrides, self.temperature, extra, self.branch)
        self.capacitors: list[tuple[int, int, Array]] = []
        self.resistor_entry: dict[str, int] = {}
        self.capacitor_entry: dict[str, int] = {}
        self.alternating: list[tuple[int, int, Array]] = []  # S by which a resistor is another to alternating currents
        for element in circuit.elements:
            if element.kind == "r":
                if "ac" in element.card.parameters:
                    ohms = self._value(element.name, "value", overrides)
                    ohms = np.where(ohms == 0, WIRE_OHMS, ohms)
                    other = 1.0 / np.atleast_1d(np.asarray(circuit.parameter(element, "ac", overrides), float))
                    self.alternating.append((*_two(element.nodes), (other - 1.0 / ohms) / self._warmth(element)))
                self.resistor_entry[element.name] = len(conductors)
                conductors.append((*_two(element.nodes), self._siemens(element)))
            elif element.kind == "c":
                self.capacitor_entry[element.name] = len(self.capacitors)
                self.capacitors.append((*_two(element.nodes), self._farads(element)))
        conductors += bridges(circuit, overrides)
        self.stated = stated
        self.clamped: list[tuple[tuple[int, int], float]] = []  # pairs of nodes, and the A that hold them at their volts
        for node, volts in (clamps or {}).items():
            pair = (circuit.node(node), -1)
            conductors.append((*pair, np.array([CLAMP])))
            self.clamped.append((pair, CLAMP * float(np.mean(volts(lambda name: circuit.netlist.top.parameters[name](float))))))
        for element in circuit.elements if stated else ():
            if element.kind == "c":
                pair = _two(element.nodes)
                conductors.append((*pair, np.array([CLAMP])))
                self.clamped.append((pair, CLAMP * float(np.mean(circuit.parameter(element, "ic", overrides)))))
        leak = leak or (0.0 if circuit.checked else ABSENT)
        if leak:
            conductors += [(node, -1, np.array([leak])) for node in range(self.first_branch)]
        else:
            conductors += [(node, -1, np.array([ABSENT])) for node in circuit.held]
        self.conductors = conductors
        self.gains = {
            e.name: self._value(e.name, "value", overrides) * (self._warmth(e) if e.kind == "l" else present(e, overrides))
            for e in circuit.elements if e.kind in "leghfk"
        }  # fmt: skip
        self.strength = {
            e.name: np.atleast_1d(present(e, overrides) * direction(e, overrides)) for e in circuit.elements if e.kind in "vi"
        }  # fmt: skip
        self.sources = {
            name: strength * self._value(name, "dc", overrides) for name, strength in self.strength.items()
        }  # fmt: skip
        self.open_sources = open_sources
        self.lay_out()

    @staticmethod
    def _simple(circuit: Circuit, overrides: Overrides) -> list[Element] | None:
        """The resistors, capacitors and sources that are all that ``overrides`` change; None where they change more."""
        names = circuit.touched(overrides)
        if names is None:
            return None
        changed = [circuit.element(name) for name in names]
        if any(e.kind not in "rcvi" or ("ac" in e.card.parameters and e.kind == "r") for e in changed):
            return None
        if circuit.equations is None:
            try:
                circuit.equations = Equations(circuit)
            except NetlistError:  # what stands there has no value of its own
                return None
        return changed

    def _start_from(self, base: Equations, overrides: Asked, changed: list[Element]) -> None:
        """The equations of the circuit as it stands, but for the values of a few elements."""
        self.__dict__.update(base.__dict__)
        self.__dict__.pop("_as_member", None)
        self.base, self.overrides, self.members = base, overrides, ensemble_size(overrides)
        self.conductors, self.capacitors, self.sources = list(base.conductors), list(base.capacitors), dict(base.sources)
        self.changed_conductors, self.changed_capacitors = [], []
        for element in changed:
            if element.kind == "r":
                at = self.resistor_entry[element.name]
                self.conductors[at] = (*_two(element.nodes), self._siemens(element))
                self.changed_conductors.append(at)
            elif element.kind == "c":
                at = self.capacitor_entry[element.name]
                self.capacitors[at] = (*_two(element.nodes), self._farads(element))
                self.changed_capacitors.append(at)
            else:
                self.sources[element.name] = self.strength[element.name] * self._value(element.name, "dc", overrides)

    def _start_from_upright(self, circuit: Circuit, overrides: Asked, open_sources: frozenset[str], leak: float) -> None:
        """The equations of the circuit whose transistors are in their own holes, but for the nodes of those that are not here."""
        upright = circuit.upright
        assert upright is not None

        def make() -> Equations:
            return Equations(upright, overrides, open_sources=open_sources, leak=leak)

        values = {name: np.asarray(value, float) for name, value in overrides.items()}
        key = (open_sources, leak, *((name, value.size, value.tobytes()) for name, value in values.items()))
        self.__dict__.update((upright.asked.recall(key, make) if sum(v.nbytes for v in values.values()) <= MOST_KEPT else make()).__dict__)
        self.circuit = self.given = circuit
        moved = [e for e in circuit.elements if e is not upright.element(e.name)]
        self.devices = self.devices.moved(moved, self.inner)
        behind = {(e.name, name): e.nodes[leg] for e in moved for name, leg in SERIES_RESISTANCES[e.kind]}
        ends = {self.inner[what]: leg for what, leg in behind.items() if what in self.inner}
        self.conductors = [(ends.get(b, a), b, siemens) for a, b, siemens in self.conductors]
        self.lay_out()

    def _siemens(self, element: Element) -> Array:
        ohms = self._value(element.name, "value", self.overrides)
        ohms = np.where(ohms == 0, WIRE_OHMS, ohms)
        there = present(element, self.overrides)
        return np.atleast_1d(there / (ohms * self._warmth(element)) + (1.0 - there) * ABSENT)

    def _farads(self, element: Element) -> Array:
        out: Array = present(element, self.overrides) * self._value(element.name, "value", self.overrides) * self._warmth(element)
        return out

    def _value(self, name: str, parameter: str, overrides: Overrides) -> Array:
        element = self.circuit.element(name)
        found = np.atleast_1d(np.asarray(self.circuit.parameter(element, parameter, overrides), float))
        given = f"{element.part}.{parameter}" in overrides or element.part in overrides
        if not given and not np.isfinite(found).any():
            at = element.card.token
            message = f"its {parameter} comes out as no number: something is divided by zero, or a root is taken of less than zero."
            raise NetlistError(
                Problem(message, "Look at its formula and at what goes into it.", at.file, at.line, at.column, name)
            )
        return found

    def _warmth(self, element: Element) -> Array:
        """Factor on a value from the nominal temperature to that of the element: 1 + TC1·ΔT + TC2·ΔT²."""
        if not (element.card.model or element.card.parameters.keys() & {"tc1", "tc2"}) and f"{element.part}.tc1" not in self.overrides:
            return ONE
        own = element.card.parameters
        warm = self.temperature + self._value(element.name, "dtemp", self.overrides)
        if "temp" in own:
            warm = self._value(element.name, "temp", self.overrides) + ZERO_CELSIUS
        rise = warm - self.nominal
        first, second = (self._value(element.name, name, self.overrides) for name in ("tc1", "tc2"))
        return 1.0 + first * rise + second * rise**2

    def tied(self, a: int, b: int, siemens: float) -> Equations:
        """The same with a conductor more between two rows, −1 being ground. All else stands where it did: what is new comes behind it."""
        out, amount = copy(self), np.array([siemens])
        out.conductors = [*self.conductors, (a, b, amount)]
        if self.base is not None:
            out.lay_out()
            return out
        out.slots = dict(self.slots)
        stamps = out._pair_stamps(a, b)
        out._conductor_stamps = [*self._conductor_stamps, stamps]
        out._still = self._still.with_one(len(out.slots), stamps, amount)
        out._moving = Sums(len(out.slots), self._capacitor_stamps, self._dynamic)
        out.__dict__.pop("kernel", None)
        if self.kernel is not None:
            out.__dict__["kernel"] = self.kernel.laid_out(out)
        return out

    # -- pattern ----------------------------------------------------------------------------------------------

    def lay_out(self) -> None:
        self.base = None
        self.__dict__.pop("kernel", None)
        self.slots: dict[tuple[int, int], int] = {}
        self._conductor_stamps = [self._pair_stamps(a, b) for a, b, _ in self.conductors]
        self._capacitor_stamps = [self._pair_stamps(a, b) for a, b, _ in self.capacitors]
        self._static: list[tuple[int, Array]] = []
        self._dynamic: list[tuple[int, Array]] = []
        for element in self.circuit.elements:
            self._lay_out_element(element)
        pairs, into = self.devices.pairs, self.devices.injections
        self._plus, self._minus = np.array(pairs, dtype=int).reshape(-1, 2).T
        self.device_stamps: list[list[tuple[int, float]]] = []
        for row, column in zip(self.devices.rows, self.devices.columns, strict=True):
            stamps = []
            for i, s in zip(into[row], (1.0, -1.0), strict=True):
                for j, t in zip(pairs[column], (1.0, -1.0), strict=True):
                    if i >= 0 and j >= 0:
                        stamps.append((self._slot(i, j), s * t))
            self.device_stamps.append(stamps)
        self._still = Sums(len(self.slots), self._conductor_stamps, self._static)
        self._moving = Sums(len(self.slots), self._capacitor_stamps, self._dynamic)

    def _lay_out_element(self, element: Element) -> None:
        """Branch equations and controlled sources (Ho, Ruehli, Brennan 1975, table 1)."""
        row = self.branch.get(element.name)
        if row is not None and element.kind == "l" and self.stated:
            for node, sign in zip(element.nodes[:2], (ONE, -ONE), strict=True):
                self._entry(self._static, node, row, sign)
            self._entry(self._static, row, row, ONE)
        elif row is not None:
            for node, sign in zip(element.nodes[:2], (ONE, -ONE), strict=True):
                self._entry(self._static, node, row, sign)
                self._entry(self._static, row, node, sign)
            there = present(element, self.overrides)
            if np.any(there != 1.0):
                self._entry(self._static, row, row, np.atleast_1d((there - 1.0) / ABSENT))
        gain = self.gains.get(element.name)
        if gain is None:
            return
        if element.kind == "l":
            self._entry(self._dynamic, row, row, -gain)
            if element.name in self.circuit.eased:
                self._entry(self._static, row, row, np.array([-EASED_OHMS]))
        elif element.kind == "k":
            first, second = (self.branch[name] for name in element.controls)
            mutual = gain * np.sqrt(self.gains[element.controls[0]] * self.gains[element.controls[1]])
            self._entry(self._dynamic, first, second, -mutual)
            self._entry(self._dynamic, second, first, -mutual)
        elif element.kind == "e":
            for node, sign in zip(element.nodes[2:], (-gain, gain), strict=True):
                self._entry(self._static, row, node, sign)
        elif element.kind == "h":
            self._entry(self._static, row, self.branch.get(element.controls[0]), -gain)
        else:
            columns = (
                list(zip(element.nodes[2:], (gain, -gain), strict=True)) if element.kind == "g"
                else [(self.branch.get(element.controls[0]), gain)]
            )  # fmt: skip
            for column, amount in columns:
                for node, signed in zip(element.nodes[:2], (amount, -amount), strict=True):
                    self._entry(self._static, node, column, signed)

    def _entry(self, entries: list[tuple[int, Array]], row: int | None, column: int | None, amount: Array) -> None:
        """One coefficient; none for ground, nor for the branch of a source that was taken out."""
        if row is not None and column is not None and row >= 0 and column >= 0:
            entries.append((self._slot(row, column), amount))

    def _slot(self, row: int, column: int) -> int:
        return self.slots.setdefault((row, column), len(self.slots))

    def _pair_stamps(self, a: int, b: int) -> list[tuple[int, float]]:
        out = []
        for node in (a, b):
            if node >= 0:
                out.append((self._slot(node, node), 1.0))
        if a >= 0 and b >= 0:
            out += [(self._slot(a, b), -1.0), (self._slot(b, a), -1.0)]
        return out

    # -- coefficients -----------------------------------------------------------------------------------------

    def linear(self) -> list[Array]:
        """Values of all slots from all that is linear and does not depend on time."""
        if self.base is not None:
            return self._still.again(self.base.linear(), self.conductors, self.changed_conductors)
        return self._still.values(self.conductors)

    def capacitive(self, evaluation: Evaluation | None = None) -> list[Array]:
        """Values of all slots from capacitors and inductors, and from junctions where their ``evaluation`` is given."""
        if self.base is not None:
            values = self._moving.again(self.base.capacitive(), self.capacitors, self.changed_capacitors)
        else:
            values = self._moving.values(self.capacitors)
        if evaluation is not None:
            self.add_devices(values, evaluation.capacitance)
        return values

    def storage(self, evaluation: Evaluation) -> tuple[Array, list[tuple[int, int]], list[tuple[int, int, Array]]]:
        """What :meth:`capacitive` holds, as a product: C = U·D·Vᵀ.

        U (n, p) are the ways a current goes in; the pairs of unknowns (−1 for ground) across which something is stored
        are the columns of V; D is listed as (column of U, column of V, amount).
        """
        ways: dict[tuple[int, int], int] = {}
        pairs: dict[tuple[int, int], int] = {}
        stored: list[tuple[int, int, Array]] = []

        def keep(way: tuple[int, int], pair: tuple[int, int], amount: Array) -> None:
            if amount.any():
                stored.append((ways.setdefault(way, len(ways)), pairs.setdefault(pair, len(pairs)), amount))

        for a, b, farads in self.capacitors:
            keep((a, b), (a, b), farads)
        places = list(self.slots)
        for slot, amount in self._dynamic:
            row, column = places[slot]
            keep((row, -1), (column, -1), amount)
        devices = self.devices
        for entry, row, column in zip(evaluation.capacitance, devices.rows, devices.columns, strict=False):
            keep(devices.injections[row], devices.pairs[column], entry)
        into = np.zeros((self.size + 1, len(ways)))
        for k, (a, b) in enumerate(ways):
            into[a, k] += 1.0
            into[b, k] -= 1.0
        return into[:-1], list(pairs), stored

    def add_devices(self, values: list[Array], entries: Array) -> None:
        """Add junction conductances or capacitances (E, K) into ``values``."""
        for stamps, entry in zip(self.device_stamps, entries, strict=True):
            add(values, stamps, entry)

    def add_alternating(self, values: list[Array]) -> None:
        """Put in what resistors are to alternating currents, where they are another."""
        for a, b, siemens in self.alternating:
            add(values, self._pair_stamps(a, b), siemens)

    def right_side(self, scale: float = 1.0) -> Array:
        """(n, members or 1): what the sources drive at d.c."""
        width = max((v.size for v in self.sources.values()), default=1)
        out = np.zeros((self.size, width))
        for source in self.circuit.of_kind("v"):
            if source.name in self.branch:
                out[self.branch[source.name]] = scale * self.sources[source.name]
        for element in self.circuit.of_kind("i"):
            if element.name not in self.open_sources:
                self.inject(out, element.nodes, -scale * self.sources[element.name])
        return out

    def add_stated(self, right: Array) -> Array:
        """What is driven, with what holds nodes, capacitors and coils at their stated values."""
        out = right.copy()
        for pair, amps in self.clamped:
            self.inject(out, pair, amps)
        for element in self.circuit.of_kind("l") if self.stated else ():
            out[self.branch[element.name]] = self.circuit.parameter(element, "ic", self.overrides)
        return out

    @staticmethod
    def inject(right: NDArray[np.generic], nodes: tuple[int, ...], amps: object) -> None:
        """Drive ``amps`` out of ``nodes[1]`` into ``nodes[0]``."""
        for node, sign in zip(nodes, (1.0, -1.0), strict=False):
            if node >= 0:
                right[node] = right[node] + sign * np.asarray(amps)

    def waveforms(self, step: float, stop: float) -> dict[str, Waveform]:
        """The course over time of every source that has one."""
        out = {}
        for element in self.circuit.elements:
            if element.card.waveform is not None and element.name not in self.open_sources:
                kind, given = element.card.waveform
                values = [float(element.scope.evaluate(v, self.overrides)) for v in given]
                out[element.name] = Waveform(kind, values, step, stop)
        return out

    def right_side_without(self, courses: Iterable[str]) -> Array:
        """As :meth:`right_side`, with the sources named at nothing."""
        held = self.sources
        self.sources = {name: np.zeros(1) if name in courses else value for name, value in held.items()}
        try:
            return self.right_side()
        finally:
            self.sources = held

    def unit_source(self, name: str) -> Array:
        """(n,): the right side of a source of 1 V or 1 A, all others at 0."""
        element = self.circuit.element(name)
        out = np.zeros(self.size)
        if element.kind == "v":
            out[self.branch[element.name]] = 1.0
        elif element.kind == "i":
            self.inject(out, element.nodes, -1.0)
        else:
            raise NetlistError(Problem(f"'{name}' is not a source.", "Name a V or I element.", ref=name))
        return out

    def unknowns_of(self, there: Equations, x: Array) -> Array:
        """Unknowns ``x`` of other equations of this circuit, or of one much like it, as these have them. What stands behind the legs of a
        part that is not there is at the voltage of its node; of what is only here nothing is known, and it is 0."""
        place = {name: k for k, name in enumerate([*there.names, *there.branch])}
        out = np.zeros((self.size, x.shape[1]))
        for k, name in enumerate([*self.names, *self.branch]):
            if name in place:
                out[k] = x[place[name]]
        for k, name in enumerate(self.names):
            if name not in place and "#" in name:
                element = self.circuit.element(name.partition("#")[0])
                leg = dict(SERIES_RESISTANCES[element.kind])[name.partition("#")[2]]
                out[k] = out[element.nodes[leg]] if element.nodes[leg] >= 0 else 0.0
        return out

    def branch_voltages(self, x: Array) -> Array:
        """(B, K): the voltage across each junction."""
        full = np.concatenate([x, np.zeros((1, x.shape[1]))])
        out: Array = full[self._plus] - full[self._minus]
        return out

    def branch_nodes(self) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
        return self._plus, self._minus

    def add_branch_currents(self, right: Array, currents: Array) -> Array:
        """Take branch currents (B, K), which flow from plus to minus, off the right side."""
        out = right
        for (plus, minus), amps in zip(self.devices.injections, currents, strict=True):
            if plus >= 0:
                out[plus] -= amps
            if minus >= 0:
                out[minus] += amps
        return out

    def as_member(self, k: int) -> tuple[tuple[str, float], ...]:
        """What is overridden, as a member has it."""
        if k not in self._as_member:
            values = ((name, np.ravel(value)) for name, value in self.overrides.items())
            self._as_member[k] = tuple((name, float(value[k if value.size > 1 else 0])) for name, value in values)
        return self._as_member[k]

    @cached_property
    def _as_member(self) -> dict[int, tuple[tuple[str, float], ...]]:
        return {}

    @cached_property
    def kernel(self) -> Kernel | None:
        """The compiled part of the solver for these equations, where there is one."""
        return self.base.kernel if self.base is not None else kernel(self)

    def plan(self, values: list[Array]) -> Elimination:
        """Elimination order from member 0 of ``values``."""
        return Elimination(self.size, self.slots, [v[0] for v in values])

    def unplanned(self) -> Elimination:
        """Straight to LAPACK: for a single member no plan pays."""
        return Elimination(self.size, self.slots)


def _two(nodes: tuple[int, ...]) -> tuple[int, int]:
    return nodes[0], nodes[1]
