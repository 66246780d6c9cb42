"""The table of a diagnosis: what each reading would be with each mistake, under a few draws of all tolerances."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import Bridge, Missing, Turned, fault_named
from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import OperatingPoint, operating_point, solve
from nuvlo.kit import Kit
from nuvlo.model.ensemble import Law, known_to
from nuvlo.model.mistakes import SHORT_OHMS, Mistake
from nuvlo.model.probes import Reading
from nuvlo.model.working import farads, tones_at

DRAWS_OF_OHMS = 4  # of each mistake: ohms are dear, and few are enough. It divides the number of draws
AT_ONCE = 2400  # members solved together


class Trials:
    """Tries ``mistakes`` of a kit whose values follow ``laws``, ``base`` holding (draws,) of each."""

    def __init__(self, kit: Kit, mistakes: Sequence[Mistake], readings: Sequence[Reading], laws: Mapping[str, Law], base: Mapping[str, Array], draws: int) -> None:
        self.kit, self.readings, self.laws, self.base, self.draws = kit, readings, laws, base, draws
        self.everyone: list[Mistake | None] = [None, *mistakes]

    def table(self) -> Array:
        """(readings, 1 + mistakes, draws): first the good unit. NaN where a member has no solution, and of what is looked at."""
        out = np.full((len(self.readings), len(self.everyone), self.draws), np.nan)
        done = 0
        for some in self._companies():
            progress.pause(f"trying {done:,} mistakes of {len(self.everyone) - 1:,}")
            done += len(some)
            for row, found in self._read([self.everyone[k] for k in some]).items():
                out[row][some] = found.reshape(len(some), self.draws)
        return out

    def _companies(self) -> list[list[int]]:
        """Which are solved together: transistors in other holes by themselves, since each is a part more in the circuit of all."""
        most = max(1, AT_ONCE // self.draws)
        plain: list[int] = []
        turned: dict[str, list[int]] = {}
        for k, one in enumerate(self.everyone):
            faults = [fault_named(key) for key, _ in one.overrides] if one else []
            legs = next((f.element for f in faults if isinstance(f, Turned)), "")
            (turned.setdefault(legs, []) if legs else plain).append(k)
        return [group[at : at + most] for group in (plain, *turned.values()) for at in range(0, len(group), most)]

    def _values(self, some: Sequence[Mistake | None], cold: bool = False) -> dict[str, Array]:
        """Override arrays (mistakes · draws,). While it is ``cold`` the sockets are empty: what is wrong with what they hold is not yet."""
        values = {name: np.tile(v, len(some)) for name, v in self.base.items()}
        for k, one in enumerate(some):
            mine = slice(k * self.draws, (k + 1) * self.draws)
            for key, amount in one.overrides if one and not (cold and one.asleep) else ():
                if key not in values:
                    law = self.laws.get(key)
                    usual = law.nominal if law else np.inf if isinstance(fault_named(key), Bridge) else self._usual(key)
                    values[key] = np.full(len(some) * self.draws, usual)
                values[key][mine] = amount
        return values

    def _usual(self, key: str) -> float:
        """What stands where nothing is wrong: of a mistake nothing, of a parameter what the netlist gives."""
        head, _, tail = key.rpartition(".")
        unit = self.kit.unit
        return unit.given(head, tail) if unit and head.startswith("x") and unit.has_parameter(key) else 0.0

    def _read(self, some: Sequence[Mistake | None]) -> dict[int, Array]:
        """What every reading would be, by its row."""
        hot, cold = self._values(some), self._values(some, cold=True)
        out = self._lifted(some)
        points: dict[int, OperatingPoint] = {}

        def at_rest(circuit: Circuit) -> OperatingPoint:
            if id(circuit) not in points:
                points[id(circuit)] = self._solved(circuit, hot)
            return points[id(circuit)]

        supplies = {s.name: s.element for s in self.kit.info.supply}
        tones: dict[tuple[str, str, float], list[int]] = {}
        for row, r in enumerate(self.readings):
            if r.quantity == "voltage":
                out[row] = at_rest(self.kit.setup(r.setup)).voltage(*r.nodes)
            elif r.quantity == "current":
                out[row] = -at_rest(self.kit.setup()).currents()[supplies[r.point]]
            elif r.quantity == "resistance":
                unit = self.kit.unpowered(*r.nodes)
                few = {name: self._few(v) for name, v in known_to(unit, cold).items()}
                out[row] = np.repeat(resistance(unit, *r.nodes, None, few).ohms, self.draws // DRAWS_OF_OHMS)
            elif r.quantity == "capacitance":
                out[row] = farads(self.kit, self.kit.cold(r.point), cold)
            elif r.quantity == "tone" and r.tone:
                tones.setdefault((r.tone.setup, r.tone.source, r.tone.hertz), []).append(row)
        for rows in tones.values():
            first = self.readings[rows[0]].tone
            assert first is not None
            found = tones_at(at_rest(self.kit.tone_setup(first)), first, [self.readings[row].nodes for row in rows])
            out.update(zip(rows, found, strict=True))
        return out

    def _lifted(self, some: Sequence[Mistake | None]) -> dict[int, Array]:
        """Parts by themselves: what a mistake makes of their value; nothing where they are missing, next to none where they are shorted."""
        out = {}
        for row, r in enumerate(self.readings):
            if r.quantity != "lifted":
                continue
            value = np.tile(self.base[r.part], (len(some), 1))
            none, through = (np.inf, SHORT_OHMS) if r.unit == "Ω" else (0.0, np.inf)
            for k, one in enumerate(some):
                for key, amount in one.overrides if one else ():
                    if key == r.part:
                        value[k] = amount
                    elif key == Missing(r.part).key:
                        value[k] = none
                if one and one.kind == "short" and one.refs == (r.point,):
                    value[k] = through
            out[row] = value.ravel()
        return out

    def _few(self, value: Array) -> Array:
        """The first few draws of each mistake."""
        return value.reshape(-1, self.draws)[:, :DRAWS_OF_OHMS].ravel()

    def _solved(self, circuit: Circuit, values: Mapping[str, Array]) -> OperatingPoint:
        """All draws; each mistake is looked for in its first draw by whatever it takes, and the others begin where that was found. One that
        does not lead on from there reads as the first does: of what hangs on leakage there is little else to say."""
        known = known_to(circuit, values)
        first = operating_point(circuit, {name: v[:: self.draws] for name, v in known.items()})
        begin = np.repeat(first.x, self.draws, axis=1)
        found = solve(Equations(circuit, known), stubborn=False, start=begin)
        x = np.where(found.converged, found.x, begin)
        return replace(found, x=x, converged=np.asarray(np.isfinite(x).all(axis=0)))
