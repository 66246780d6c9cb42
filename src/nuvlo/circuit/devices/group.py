"""What all kinds of device have in common: parameters for every member, branches, and where derivatives stand."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Hashable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.devices.junction import NOMINAL_TEMPERATURE, ZERO_CELSIUS, thermal_voltage

FEW_MEMBERS = 32  # whose parameters are compared with those of others

Parts = tuple[Array, Array, Array, Array]
Column = Sequence["Array | None"]
Laws = tuple[Column, Column, Column, Column]


@dataclass(frozen=True)
class Evaluation:
    """Branch currents and charges (B, K) with conductances and capacitances (E, K) at entries (row, column)."""

    current: Array
    conductance: Array
    charge: Array
    capacitance: Array


@dataclass(frozen=True)
class NoiseCurrent:
    """A noise current between two nodes: ``white`` A²/Hz and ``flicker`` A²/Hz at 1 Hz, (K,) each."""

    name: str
    nodes: tuple[int, int]
    white: Array
    flicker: Array


class Group(ABC):
    """All devices of one kind. ``branches`` of each; ``emission`` names the emission coefficient of each junction."""

    kind: ClassVar[str]
    defaults: ClassVar[dict[str, float]]
    by_area: ClassVar[tuple[str, ...]]  # parameters that grow with the device
    charging: ClassVar[tuple[str, ...]]  # parameters without which it stores no charge
    branches: int
    emission: ClassVar[tuple[str, ...]]

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array) -> None:
        self.elements = circuit.of_kind(self.kind)
        area = self._table(circuit, overrides, "area", 1.0)
        self.p = {name: self._table(circuit, overrides, name, value) for name, value in self.defaults.items()}
        self.prepare()
        for name in self.by_area:
            self.p[name] = self.p[name] * area
        warm = temperature[None, :] + self._table(circuit, overrides, "dtemp", 0.0)
        own = np.array([["temp" in e.card.parameters] for e in self.elements])
        if own.any():
            warm = np.where(own, self._table(circuit, overrides, "temp", 0.0) + ZERO_CELSIUS, warm)
        self.p["temperature"] = warm
        self.p["nominal"] = self._table(circuit, overrides, "tnom", circuit.nominal) + ZERO_CELSIUS
        self.p["vt"] = thermal_voltage(self.p["temperature"])
        if (warm != NOMINAL_TEMPERATURE).any() or (self.p["nominal"] != NOMINAL_TEMPERATURE).any():
            self.warm(self.p["temperature"])

    @cached_property
    def programs(self) -> dict[tuple[int, int, bool], Any]:
        """Its laws as they were recorded for the compiled part."""
        return {}

    def moved(self, others: Mapping[str, Element]) -> Self:
        """The same with ``others`` in the places of the elements of their names, on other nodes: their laws hang on no node."""
        laws, out = self.programs, copy(self)
        out.elements = [others.get(e.name, e) for e in self.elements]
        out.programs = laws
        return out

    def content(self) -> tuple[Hashable, ...] | None:
        """What its laws hang on; None for too many members to compare."""
        values = list(self.p.values())
        many = max(v.shape[-1] for v in values)
        return (type(self), len(self.elements), *(v.tobytes() for v in values)) if many <= FEW_MEMBERS else None

    def prepare(self) -> None:  # noqa: B027 — most kinds have nothing to fill in
        """Fill in what hangs on other parameters, before anything is scaled."""

    def _table(self, circuit: Circuit, overrides: Overrides, name: str, default: float) -> Array:
        """(devices, K) with K = 1 where nothing varies."""
        found = [circuit.parameter(e, name, overrides, default) for e in self.elements]
        if all(isinstance(v, float) for v in found):
            return np.array(found).reshape(len(found), 1)
        values = [np.atleast_1d(np.asarray(v, float)) for v in found]
        width = max((v.size for v in values), default=1)
        return np.array([np.broadcast_to(v, width) for v in values]).reshape(len(self.elements), width)

    @abstractmethod
    def warm(self, temperature: Array) -> None:
        """Turn the parameters of the nominal temperature into those of this one, (devices, K) K."""

    @abstractmethod
    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        """(plus, minus) node of each branch; ``inner`` are nodes behind series resistances."""

    def injections(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        """Where each branch current flows out and in: across its own branch."""
        return self.pairs(inner)

    @abstractmethod
    def evaluate(self, v: Array, gmin: float, charges: bool) -> Parts:
        """Currents (B, K), conductances (E, K), charges and capacitances; the last two only where asked for."""

    def noise(self, v: Array, pairs: list[tuple[int, int]], gmin: float) -> list[NoiseCurrent]:
        """Noise currents at branch voltages ``v`` (B, K)."""
        return []

    def stores(self) -> bool:
        """Whether any device of any member stores charge."""
        return any(bool(self.p[name].any()) for name in self.charging)

    def widths(self) -> list[int]:
        """Branches of each device."""
        return [self.branches] * len(self.elements)

    def entries(self) -> list[list[tuple[int, int]]]:
        """For each device, which branch current depends on which branch voltage: all of its own on all."""
        whole = [(r, c) for r in range(self.branches) for c in range(self.branches)]
        return [whole] * len(self.elements)

    def starting_voltages(self, critical: Array) -> Array:
        return critical

    def knees(self) -> Array:
        """(B, 1) V below zero at which each branch breaks down; infinite where it does not."""
        return np.full((sum(self.widths()), 1), np.inf)

    def members(self, chosen: NDArray[np.int_]) -> Group:
        out = object.__new__(type(self))
        out.__dict__.update(self.__dict__)
        out.__dict__.pop("programs", None)
        out.p = {k: v[:, chosen] if v.shape[1] > 1 else v for k, v in self.p.items()}
        return out

    def steps(self) -> tuple[Array, Array]:
        """(B, 1) emission voltage and saturation current of each branch, for limiting a step."""
        vt = np.repeat(_middle(self.p["vt"]), self.branches, axis=0)
        n = np.stack([_middle(self.p[name]) for name in self.emission], axis=1).reshape(-1, 1)
        return n * vt, np.repeat(_middle(self.p["is"]), self.branches, axis=0)


class Alike(Group):
    """Devices that all follow the same laws."""

    @abstractmethod
    def laws(self, v: Sequence[Array], gmin: float, charges: bool) -> Laws:
        """Currents of a device's branches, conductances of its entries, charges and capacitances, each (devices, K) or None where it is
        nothing, at branch voltages ``v``, (devices, K) each. Charges and capacitances only where asked for.

        What is written here with operators and NumPy's functions alone is recorded by :mod:`~nuvlo.circuit.tape` too: a branch that hangs
        on voltages must be one of ``np.where``, and ``any`` of voltages no more than a way to spare work.
        """

    def evaluate(self, v: Array, gmin: float, charges: bool) -> Parts:
        """Currents (B, K), conductances (E, K), charges and capacitances; the last two only where asked for."""
        found = self.laws([v[k :: self.branches] for k in range(self.branches)], gmin, charges)
        parts = [_interleaved(part, len(self.elements), v.shape[1]) for part in (found if charges else found[:2])]
        current, conductance, charge, capacitance = parts if charges else (*parts, *parts)
        return current, conductance, charge, capacitance


def _interleaved(parts: Column, devices: int, members: int) -> Array:
    """(devices · parts, K), device by device."""
    out = np.zeros((devices * len(parts), members))
    for k, part in enumerate(parts):
        if part is not None:
            out[k :: len(parts)] = part
    return out


def _middle(table: Array) -> Array:
    """One column that stands for all members: limiting a step needs a scale, not exactness."""
    return np.asarray(table.mean(axis=1, keepdims=True))
