"""What stands round one unit, and what may be asked of it: to read, to look, to play, to turn, to fit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from nuvlo.arrays import Array
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import CLOSE, WHOLE, Reading
from nuvlo.logbook import Build, Repair
from nuvlo.measurement import Observable
from nuvlo.measurement.trace import Stimulus, Trace
from nuvlo.quantity import Measured


class Bench(Protocol):
    """One bench. A real one, a simulated one and one that was recorded answer the same questions, or say why they cannot."""

    @property
    def name(self) -> str: ...

    @property
    def hidden(self) -> tuple[Mistake, ...]:
        """What is known to be wrong with the unit, where it is one to practise on."""

    def take(self, of: Observable) -> Measured:
        """What the instrument shows. Of a look 1 where a part is seen to be wrong, else 0; of a finger 1 where it is hot. Raises
        :class:`~nuvlo.instruments.protocols.InstrumentError` where it cannot tell, or the kit has no such place."""

    def looked_over(self, closely: bool = False) -> tuple[str, ...]:
        """Parts that a look over the whole board finds to be wrong, or one ``closely`` at all of it."""

    def play(self, stimulus: Stimulus, at: Array) -> Trace:
        """The unit's response to a stimulus, dB over what was fed in, ``at`` these frequencies (F,) Hz."""

    def turn(self, ref: str, degrees: float) -> None:
        """Turn a trimmer, clockwise where ``degrees`` are more than none."""

    def fit(self, ref: str, value: str) -> None:
        """Put another part in: one of the choices, or a good one in place of a wrong one."""

    def repair(self, repair: Repair) -> None:
        """Do what the builder says was done about a mistake."""

    def told(self, build: Build, hunts: Sequence[Build] = ()) -> str:
        """How a hunt for what is hidden in the unit goes so far, in words, and the ``hunts`` of the workshop up to now; empty where nothing is."""


def observed(bench: Bench, reading: Reading) -> dict[Observable, Measured]:
    """All that one reading tells: a look at several parts of each of them, one at the whole board of those it finds to be wrong too. Raises
    :class:`~nuvlo.instruments.protocols.InstrumentError` where the bench cannot tell."""
    if reading.quantity not in WHOLE:
        return {one.of: bench.take(one.of) for one in reading.alone}
    wrong = bench.looked_over(reading.quantity == CLOSE)
    return {reading.of: Measured(float(bool(wrong)), 0.0, ""), **{Observable(ref, "look"): Measured(1.0, 0.0, "") for ref in wrong}}


def follow(bench: Bench, build: Build, usual: dict[str, str]) -> None:
    """Bring a fresh bench to where the log left it: chosen parts fitted, mistakes put right, trimmers turned. ``usual`` is what each part of the kit
    is marked with."""
    for ref, value in build.chosen_values.items():
        if value != usual[ref]:
            bench.fit(ref, value)
    for ref in build.swapped:
        bench.fit(ref, build.chosen_values.get(ref, usual[ref]))
    for repair in build.repairs:
        bench.repair(repair)
    for turn in build.turns:
        bench.turn(turn.ref, turn.degrees)
