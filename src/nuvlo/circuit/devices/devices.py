"""All devices of a circuit for one ensemble, group by group."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from copy import copy
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.devices.behavioural import Behavioural
from nuvlo.circuit.devices.bipolar import Bipolars
from nuvlo.circuit.devices.diode import Diodes
from nuvlo.circuit.devices.fets import Jfets, Mosfets
from nuvlo.circuit.devices.group import Evaluation, Group, NoiseCurrent
from nuvlo.circuit.overrides import ABSENT, direction, present

FORETOLD, NEGLIGIBLE = 1e-3, 1e-7  # of its value, and V or A, by which an expression may differ from its straight line


class Devices:
    """All junction devices of a circuit with their parameters for one ensemble.

    ``pairs`` are the (plus, minus) nodes of each branch; ``rows`` and ``columns`` say which branch current each
    conductance entry belongs to and which branch voltage it is taken by.
    """

    def __init__(
        self, circuit: Circuit, overrides: Overrides, temperature: Array, inner: dict[tuple[str, str], int],
        branch: dict[str, int],
    ) -> None:  # fmt: skip
        kinds = (Diodes, Bipolars, Jfets, Mosfets)
        every: list[Group] = [kind(circuit, overrides, temperature) for kind in kinds if circuit.of_kind(kind.kind)]
        if circuit.of_kind("b"):
            every.append(Behavioural(circuit, overrides, temperature, branch))
        self.groups = every
        ends = np.cumsum([0, *(sum(g.widths()) for g in every)]).tolist()
        self.spans = [slice(a, b) for a, b in pairwise(ends)]
        self.pairs = [pair for g in every for pair in g.pairs(inner)]
        self.injections = [pair for g in every for pair in g.injections(inner)]
        rows: list[int] = []
        columns: list[int] = []
        owners: list[Element] = []
        for group in every:
            for element, width, entries in zip(group.elements, group.widths(), group.entries(), strict=True):
                rows += [len(owners) + r for r, _ in entries]
                columns += [len(owners) + c for _, c in entries]
                owners += [element] * width
        self.rows, self.columns = np.array(rows, dtype=int), np.array(columns, dtype=int)
        self.sign = _table([e.polarity * direction(e, overrides) for e in owners])
        self.present = _table([present(e, overrides) for e in owners])
        self.store = any(g.stores() for g in every)
        self.whole = bool((self.present == 1.0).all())
        # Voltage beyond which a Newton step is limited logarithmically (Nagel 1975, appendix 5: "critical voltage").
        steps = [g.steps() for g in every] or [(np.ones((0, 1)), np.ones((0, 1)))]
        self.step_voltage = np.concatenate([s for s, _ in steps])
        self.knee = np.concatenate([g.knees() for g in every] or [np.ones((0, 1))])
        self.breaks = bool(np.isfinite(self.knee).any())
        saturation = np.concatenate([i for _, i in steps])
        with np.errstate(divide="ignore"):  # what is no junction has no saturation current, and is not limited
            self.critical_voltage = self.step_voltage * np.log(self.step_voltage / (np.sqrt(2.0) * saturation))

    def moved(self, elements: Collection[Element], inner: dict[tuple[str, str], int]) -> Devices:
        """The same with ``elements`` on other nodes."""
        out, others = copy(self), {e.name: e for e in elements}
        out.groups = [g.moved(others) if any(e.name in others for e in g.elements) else g for g in self.groups]
        out.pairs = [pair for g in out.groups for pair in g.pairs(inner)]
        out.injections = [pair for g in out.groups for pair in g.injections(inner)]
        return out

    def at_time(self, seconds: float) -> None:
        """From now on expressions know this as the time."""
        for group in self.groups:
            if isinstance(group, Behavioural):
                group.at_time(seconds)

    def guessed(self) -> NDArray[np.bool_] | bool:
        """(K,): members in which the last evaluation of an expression had to stand in for one without a value."""
        for group in self.groups:
            if isinstance(group, Behavioural) and group.guessed.any():
                return np.asarray(group.guessed.any(axis=0))
        return False

    def formulas_hold(self, found: Evaluation, old: Array, new: Array) -> NDArray[np.bool_] | bool:
        """(K,): whether every expression comes to what its straight line foretold. Where that is as steep as at the foot of a root, a step
        of next to nothing is no sign of being there."""
        for group, span in self.spanned():
            if isinstance(group, Behavioural):
                inside = (self.rows >= span.start) & (self.rows < span.stop)
                foretold = found.current[span].copy()
                np.add.at(foretold, self.rows[inside] - span.start, found.conductance[inside] * (new - old)[self.columns[inside]])
                there = group.evaluate(new[span], 0.0, False)[0]
                return np.asarray((np.abs(there - foretold) <= FORETOLD * np.abs(there) + NEGLIGIBLE).all(axis=0))
        return True

    def bearable(self, found: Evaluation, most: float) -> NDArray[np.bool_]:
        """(K,): whether no junction carries more than ``most`` A, as one may where a guess went astray."""
        formulas = next((span.start for group, span in self.spanned() if isinstance(group, Behavioural)), self.count)
        return np.asarray((np.abs(found.current[:formulas]) < most).all(axis=0))

    def without_value(self) -> str:
        """The element whose expression has no value in the first member, by the last evaluation."""
        for group in self.groups:
            if isinstance(group, Behavioural) and group.guessed[:, 0].any():
                return group.elements[int(np.argmax(group.guessed[:, 0]))].name
        return ""

    def noise(self, voltage: Array, gmin: float) -> list[NoiseCurrent]:
        """Noise currents of every device at branch voltages (B, K); none from a part that is missing."""
        v = voltage * self.sign
        there = {e.name: self.present[first] for e, (first, _) in self._spans_of_elements()}
        out = []
        for group, span in self.spanned():
            for found in group.noise(v[span], self.pairs[span], gmin):
                share = there[found.name]
                out.append(NoiseCurrent(found.name, found.nodes, share * found.white, share * found.flicker))
        return out

    @property
    def count(self) -> int:
        return len(self.pairs)

    def members(self, chosen: NDArray[np.int_]) -> Devices:
        """The same devices for some members only."""
        out = object.__new__(Devices)
        out.__dict__.update(self.__dict__)
        out.groups = [g.members(chosen) for g in self.groups]
        for name in ("sign", "present"):
            table = getattr(self, name)
            setattr(out, name, table[:, chosen] if table.shape[1] > 1 else table)
        return out

    def spanned(self) -> Iterable[tuple[Group, slice]]:
        """Each group with its rows among all branches."""
        return zip(self.groups, self.spans, strict=True)

    def spans_by_name(self) -> dict[str, tuple[int, int]]:
        """First and last branch (exclusive) of each device."""
        return {element.name: span for element, span in self._spans_of_elements()}

    def _spans_of_elements(self) -> list[tuple[Element, tuple[int, int]]]:
        out, at = [], 0
        for group in self.groups:
            for element, width in zip(group.elements, group.widths(), strict=True):
                out.append((element, (at, at + width)))
                at += width
        return out

    def starting_voltages(self) -> Array:
        """(B, 1): diodes and base-emitter junctions at their critical voltage, other junctions at rest."""
        out = self.critical_voltage.copy()
        for group, span in self.spanned():
            out[span] = group.starting_voltages(out[span])
        return np.asarray(out * self.sign[:, :1])

    def limited(self, new: Array, old: Array) -> tuple[Array, NDArray[np.bool_]]:
        """Junction voltages (B, K) held to steps an exponential can bear, and which were held (Nagel 1975, app. 5)."""
        new, old = new * self.sign, old * self.sign
        held, jump = self._stepped(new, old)
        if self.breaks:  # beyond the knee the exponential is the same one, turned round
            mirrored, broken = self._stepped(-(new + self.knee), -(old + self.knee))
            held, jump = np.where(broken, -(mirrored + self.knee), held), jump | broken
        return held * self.sign, jump

    def _stepped(self, new: Array, old: Array) -> tuple[Array, NDArray[np.bool_]]:
        """A step along an exponential, held where it is too long, and where it was."""
        vt = self.step_voltage
        with np.errstate(invalid="ignore", divide="ignore"):
            jump = (new > self.critical_voltage) & (np.abs(new - old) > 2.0 * vt)
            if not jump.any():
                return new, jump
            ratio = 1.0 + (new - old) / vt
            from_above = np.where(ratio > 0, old + vt * np.log(np.maximum(ratio, 1e-300)), self.critical_voltage)
            from_below = vt * np.log(np.maximum(new / vt, 1e-300))
        return np.where(jump, np.where(old > 0, from_above, from_below), new), jump

    def evaluate(self, voltage: Array, gmin: float, *, charges: bool = False) -> Evaluation:
        """Currents and conductances at branch voltages (B, K), with ``gmin`` (S) across every junction."""
        v = voltage * self.sign
        nothing = np.zeros((0, v.shape[1]))
        if not self.groups:
            return Evaluation(nothing, nothing, nothing, nothing)
        found = [group.evaluate(v[span], gmin, charges) for group, span in self.spanned()]
        current, conductance, charge, capacitance = (np.concatenate(part) for part in zip(*found, strict=True))
        if not self.whole:
            share, entry = self.present, self.present[self.rows]
            own = np.where(self.rows == self.columns, 1.0, 0.0)[:, None]
            current = share * current + (1.0 - share) * ABSENT * v
            conductance = entry * conductance + (1.0 - entry) * own * ABSENT
            if charges:
                charge, capacitance = share * charge, entry * capacitance
        current *= self.sign
        if not charges:
            return Evaluation(current, conductance, nothing, nothing)
        return Evaluation(current, conductance, charge * self.sign, capacitance)


def _table(values: list[Array | float]) -> Array:
    """(branches, K) with K = 1 where nothing varies."""
    width = max((np.size(v) for v in values), default=1)
    return np.array([np.broadcast_to(v, width) for v in values], float).reshape(len(values), width)
