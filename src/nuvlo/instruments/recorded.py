"""A bench that was: readings from a file, taken again in the order in which they were taken."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from pathlib import Path

import numpy as np

from nuvlo.arrays import Array
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import readings_of
from nuvlo.instruments.measured import read_curve, read_rows
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.kit import Kit
from nuvlo.logbook import Build, Repair
from nuvlo.measurement import LEADS, Observable, gain_read, loose, read_stored
from nuvlo.measurement.trace import Stimulus, Trace
from nuvlo.model.asked import ringing_out
from nuvlo.model.placed import NoPlace, known, placed
from nuvlo.problems import Problem
from nuvlo.quantity import Measured


class RecordedBench:
    """Readings of one unit of a kit in a CSV as :func:`~nuvlo.reports.readings.write_readings` writes it. Of what was read several times each
    is given once, in their order, and the last again and again; ``build`` says how many of them its log has already. Whoever turned, fitted and
    looked did it then, and the ohms of the leads are taken off already. Where the file cannot be read, that is said at
    the first reading."""

    def __init__(self, kit: Kit, path: Path, build: Build) -> None:
        self.name = f"readings of {path.name}"
        self.hidden: tuple[Mistake, ...] = ()
        self._kit, self._path, self._file = kit, path, path.name
        self._next = Counter(r.of for r in build.readings) + Counter({loose(ref): len(some) for ref, some in build.measured.items()})

    @cached_property
    def _read(self) -> dict[Observable, list[Measured]]:
        out: dict[Observable, list[Measured]] = {}
        for of, measured in read_rows(self._path, _readable(self._kit), found=lambda name, quantity: _placed(self._kit, name, quantity)):
            out.setdefault(of, []).append(measured)
        return out

    def take(self, of: Observable) -> Measured:
        if of == LEADS:
            return Measured(0.0, 0.0, "Ω")
        found = self._read.get(of, [])
        if not found:
            raise InstrumentError(Problem(f"'{self._file}' holds no {of.quantity} at '{of.name}'.", "Measure it, and type what it reads.", ref=of.name))
        turn = self._next[of]
        self._next[of] += 1
        return found[min(turn, len(found) - 1)]

    def looked_over(self, closely: bool = False) -> tuple[str, ...]:
        return tuple(of.place for of, found in self._read.items() if of.quantity == "look" and found[-1].value > 0.5)

    def play(self, stimulus: Stimulus, at: Array) -> Trace:
        curve = read_curve(self._path)
        if curve is None:
            raise InstrumentError(Problem(f"'{self._file}' holds no response.", "Measure the gain and type it, as in 'gain 41.5'."))
        axis, values = np.array(curve.axis), np.array(curve.values)
        if at.min() < axis.min() * (1 - 1e-3) or at.max() > axis.max() * (1 + 1e-3):
            raise InstrumentError(Problem(f"the response in '{self._file}' goes from {axis.min():g} to {axis.max():g} Hz, which is not all that is asked for.", "Sweep once more."))
        there = np.interp(np.log(at), np.log(axis), values)
        return Trace(tuple(at.tolist()), tuple(there.tolist()), uncertainty=curve.uncertainty)

    def turn(self, ref: str, degrees: float) -> None:
        """What the trimmer did is in the reading that follows."""

    def fit(self, ref: str, value: str) -> None:
        """It was in when it was read."""

    def repair(self, repair: Repair) -> None:
        """It was done before what was read next."""

    def told(self, build: Build, hunts: Sequence[Build] = ()) -> str:
        return ""


def _readable(kit: Kit) -> dict[Observable, str]:
    """Whatever such a file may hold of a kit, with the unit that it is read in."""
    out = {of: at.unit for of, at in known(kit).items()}
    out |= {r.of: r.unit for r in readings_of(kit)}
    if kit.unit is not None:
        out |= dict.fromkeys(ringing_out(kit), "Ω")
    out |= {loose(part.ref): part.unit for part in kit.parts.values() if part.unit}
    return out | {LEADS: "Ω", gain_read(): "dB"}


def _placed(kit: Kit, name: str, quantity: str) -> tuple[Observable, str] | None:
    """A pad or a pair of places that nobody is asked for."""
    of = read_stored(name, quantity)
    try:
        return of, placed(kit, of).unit
    except NoPlace:
        return None
