"""Results of a circuit by name, for a whole ensemble at once: what choices and recipes aim at."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.equations import ensemble_size
from nuvlo.circuit.expression import ExpressionError, parse_expression
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.small_signal import impedance, load_on, log_frequencies, responses
from nuvlo.circuit.transient import transient
from nuvlo.kit.schema import Aim
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import UnreadableValue, parse_value

LOWEST, HIGHEST, PER_DECADE = 2.0, 500e3, 20.4  # Hz: where corners are looked for, unless a frequency that is asked lies outside
REACH = 1e4
SETTLING, SAMPLES = 24, 100  # periods in which most waves settle, and points of one
SETTLED, LONGEST = 2e-3, 400  # share by which the mean of a settled one may still change in a period; periods when it is given up
AUDIBLE = log_frequencies(20.0, 20e3, 40)
CORNER_DB = 10.0 * np.log10(2.0)
UNITS = {
    "gain": "dB", "corner_low": "Hz", "corner_high": "Hz", "peak": "dB", "voltage": "V", "share": "", "current": "A", "power": "W",
    "input_impedance": "Ω", "impedance": "Ω", "noise": "V", "least_impedance": "Ω", "mean": "V", "swing": "V",
}  # fmt: skip


def unit_of(aim: Aim) -> str:
    return aim.unit or UNITS.get(aim.kind, "")


def amount(text: str, names: Mapping[str, object]) -> float | Array:
    """The number that ``text`` stands for: a value as builders write it, or a formula in ``names``.

    Raises :class:`NuvloError` for what is neither.
    """
    try:
        return parse_value(text)
    except UnreadableValue as no_value:
        try:
            found: float | Array = parse_expression(text.lower())(partial(_named, names))
        except ExpressionError as bad:
            raise NuvloError(
                Problem(f"'{text}' is neither a value nor a formula: {bad}.", "Write 4k7 or load/10.")
            ) from no_value
    return found


def _named(names: Mapping[str, object], name: str) -> object:
    if name not in names:
        raise NuvloError(
            Problem(f"'{name}' is neither an input nor a result.", f"Known here: {', '.join(names) or 'none'}.")
        )
    return names[name]


def results(
    circuit: Circuit,
    aims: Sequence[Aim],
    overrides: Overrides | None = None,
    names: Mapping[str, float | Array] | None = None,
) -> dict[str, Array]:
    """(N,) of every aim, in order, by its name; NaN for members without an operating point.

    Each analysis is made once, whatever the number of aims that need it. ``names`` are the inputs of a recipe.
    """
    return _Evaluation(circuit, aims, overrides or {}, names or {}).run()


class _Evaluation:
    def __init__(
        self, circuit: Circuit, aims: Sequence[Aim], overrides: Overrides, names: Mapping[str, float | Array]
    ) -> None:
        self.aims, self.overrides = aims, overrides
        self.names: dict[str, object] = dict(names)
        self.point: OperatingPoint = operating_point(circuit, overrides)
        self.members = ensemble_size(overrides)
        self.circuit = circuit
        self.curves: dict[tuple[str, str], tuple[Array, Array]] = {}
        self.waves: dict[tuple[str, str], Array] = {}

    def run(self) -> dict[str, Array]:
        out: dict[str, Array] = {}
        with np.errstate(all="ignore"):
            for aim in self.aims:
                found = np.broadcast_to(np.asarray(getattr(self, f"_{aim.kind}")(aim), float), (self.members,))
                out[aim.name] = self.names[aim.name] = found
        return out

    def _at(self, aim: Aim) -> Array:
        return np.atleast_1d(np.asarray(amount(aim.at, self.names), float)).ravel()[:1]

    def _curve(self, aim: Aim) -> tuple[Array, Array]:
        """Frequencies and (N, F) dB from the aim's source to its node, every frequency asked of that pair among them."""
        pair = (aim.source, aim.node)
        if pair not in self.curves:
            mine = [
                a
                for a in self.aims
                if (a.source, a.node) == pair and a.kind in ("gain", "corner_low", "corner_high", "peak")
            ]
            wide = any(a.kind != "gain" for a in mine)
            asked = np.concatenate([self._at(a) for a in mine])
            f = np.unique(np.concatenate([self._grid(mine) if wide else asked[:0], asked]))
            found = responses(self.point, aim.source, [aim.node], f)[aim.node]
            self.curves[pair] = (f, found.magnitude_db)
        return self.curves[pair]

    def _grid(self, aims: Sequence[Aim]) -> Array:
        """Frequencies that reach four decades from where each corner is looked for."""
        low, high = LOWEST, HIGHEST
        for aim in aims:
            at = float(self._at(aim)[0])
            low = min(low, at, at / REACH if aim.kind == "corner_low" else at)
            high = max(high, at, at * REACH if aim.kind == "corner_high" else at)
        return log_frequencies(low, high, round(PER_DECADE * np.log10(high / low)))

    def _gain(self, aim: Aim) -> Array:
        f, db = self._curve(aim)
        found: Array = db[:, int(np.searchsorted(f, self._at(aim)[0]))]
        return found

    def _corner_low(self, aim: Aim) -> Array:
        return self._corner(aim, -1)

    def _corner_high(self, aim: Aim) -> Array:
        return self._corner(aim, 1)

    def _corner(self, aim: Aim, way: int) -> Array:
        """Hz; 0, or infinite, where it never falls so far within reach."""
        f, db = self._curve(aim)
        found = corner(f, db, int(np.searchsorted(f, self._at(aim)[0])), way)
        return np.where(found <= f[0], 0.0, found) if way < 0 else np.where(found >= f[-1], np.inf, found)

    def _peak(self, aim: Aim) -> Array:
        """dB by which the response rises above that at ``at``, at most."""
        _, db = self._curve(aim)
        out: Array = db.max(axis=1) - self._gain(aim)
        return out

    def _voltage(self, aim: Aim) -> Array:
        return self.point.voltage(aim.node, aim.reference)

    def _share(self, aim: Aim) -> Array:
        """Voltage of a node as a share of another's."""
        return self.point.voltage(aim.node, aim.reference) / self.point.voltage(aim.of, aim.reference)

    def _current(self, aim: Aim) -> Array:
        """Its size: which way it is counted differs from element to element."""
        found = self.point.currents()
        if aim.element not in found:
            raise NuvloError(
                Problem(f"no current of '{aim.element}' is known.", "Name a source, resistor or device.", ref=aim.name)
            )
        return np.abs(found[aim.element])

    def _power(self, aim: Aim) -> Array:
        found = self.point.dissipation()
        if "." in aim.element and (inner := self.point.absorbed().get(aim.element)) is not None:
            return inner  # of one electrode of a valve
        if aim.element not in found:
            raise NuvloError(
                Problem(f"'{aim.element}' has no dissipation.", "Name a resistor or device.", ref=aim.name)
            )
        return found[aim.element]

    def _input_impedance(self, aim: Aim) -> Array:
        return np.abs(load_on(self.point, aim.source, self._at(aim))[:, 0])

    def _impedance(self, aim: Aim) -> Array:
        return np.abs(impedance(self.point, aim.node, self._at(aim), aim.reference)[:, 0])

    def _least_impedance(self, aim: Aim) -> Array:
        """The smallest modulus that the source sees in the audible range."""
        found: Array = np.abs(load_on(self.point, aim.source, AUDIBLE)).min(axis=1)
        return found

    def _mean(self, aim: Aim) -> Array:
        found: Array = self._wave(aim).mean(axis=1)
        return found

    def _swing(self, aim: Aim) -> Array:
        found: Array = np.ptp(self._wave(aim), axis=1)
        return found

    def _wave(self, aim: Aim) -> Array:
        """(N, T) V of the last of the periods in which a wave settles."""
        key = (aim.node, aim.at)
        if key not in self.waves:
            hertz = float(self._at(aim)[0])
            nodes = list({a.node for a in self.aims if a.kind in ("mean", "swing") and a.at == aim.at})
            periods = SETTLING
            while True:
                course = transient(self.circuit, 1 / hertz / SAMPLES, periods / hertz, nodes, self.overrides)
                last = np.array([course.voltage[node][:, -2 * SAMPLES :] for node in nodes])
                before, now = last[..., :SAMPLES].mean(axis=-1), last[..., SAMPLES:].mean(axis=-1)
                if periods >= LONGEST or np.allclose(before, now, rtol=SETTLED, atol=1e-6):
                    break
                periods *= 4
            self.waves |= {(node, aim.at): wave[:, SAMPLES:] for node, wave in zip(nodes, last, strict=True)}
        return self.waves[key]

    def _noise(self, aim: Aim) -> Array:
        """V r.m.s. at the node, A-weighted, 20 Hz to 20 kHz."""
        return noise(self.point, aim.source, aim.node, AUDIBLE, "A").total

    def _expression(self, aim: Aim) -> float | Array:
        return amount(aim.value, self.names)


def corner(frequency: Array, magnitude_db: Array, start: int, way: int) -> Array:
    """(N,) Hz where each response has lost half the power it has at index ``start``, going up (``way`` 1) or down (−1).

    ``frequency`` (F,) Hz, ``magnitude_db`` (N, F). The end of ``frequency`` where it never falls that far.
    """
    below = magnitude_db - magnitude_db[:, start, None] + CORNER_DB
    x = np.log(frequency)
    if way > 0:
        x, below = x[start:], below[:, start:]
    else:
        x, below = x[start::-1], below[:, start::-1]
    under = below < 0
    first = np.argmax(under, axis=1)
    rows = np.arange(len(below))
    before = np.maximum(first - 1, 0)
    y0, y1 = below[rows, before], below[rows, first]
    share = np.where(y0 != y1, y0 / np.where(y0 != y1, y0 - y1, 1.0), 0.0)
    at = x[before] + share * (x[first] - x[before])
    found: Array = np.where(under.any(axis=1), np.exp(at), np.exp(x[-1]))
    return found
