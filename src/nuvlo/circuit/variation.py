"""How values differ from unit to unit: the law of each, drawing an ensemble, and writing both on a command line."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.overrides import can_override
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, UnreadableValue, parse_value


@dataclass(frozen=True)
class Law:
    """Uniform between ``low`` and ``high``: all that a printed tolerance or a meter's limits say (JCGM 101, 6.4.2)."""

    nominal: float
    low: float
    high: float

    @property
    def width(self) -> float:
        return self.high - self.low

    def around(self, value: float) -> Law:
        """The same spread about another nominal value."""
        scale = value / self.nominal
        return Law(value, *sorted((self.low * scale, self.high * scale)))

    @classmethod
    def between(cls, low: float, high: float) -> Law:
        """A span; its nominal value is the middle by ratio where both ends have one sign."""
        middle = float(np.sqrt(low * high)) * (1 if low > 0 else -1) if low * high > 0 else (low + high) / 2
        return cls(middle, low, high)

    def narrowed(self, measured: Measured) -> Law:
        """The law after a measurement: the meter's limits, whatever the marking says."""
        low, high = measured.limits
        return Law(measured.value, low, high)


def sample(of: dict[str, Law], members: int, seed: int) -> dict[str, Array]:
    """(members,) values of each quantity; member 0 is nominal.

    Latin hypercube: each law is cut into as many equal strips as there are members and each strip is used once, so
    quantiles settle with far fewer members than plain random draws (McKay, Beckman, Conover, Technometrics 21, 1979).
    """
    rng = np.random.default_rng(seed)
    out = {}
    for name, law in of.items():
        strips = (rng.permutation(members) + rng.random(members)) / members
        values = law.low + strips * law.width
        values[0] = law.nominal
        out[name] = values
    return out


def parse_variations(text: str, circuit: Circuit) -> dict[str, Law]:
    """Laws from ``r1=4k7:5%,q1.bf=100..400``: a value with a tolerance, or a span. Values are written as builders do.

    The nominal value of a span is its middle, by ratio where both ends have one sign. Raises :class:`NuvloError` naming
    the piece that cannot be read.
    """
    out: dict[str, Law] = {}
    for piece in filter(None, (p.strip() for p in text.split(","))):
        name, _, rest = piece.partition("=")
        name = name.strip().lower()
        if not can_override(circuit, name):
            raise NuvloError(
                Problem(f"there is nothing called '{name}' to vary.", "Name an element, or element.parameter.")
            )
        try:
            out[name] = _law(rest.strip())
        except (UnreadableValue, ValueError) as bad:
            raise NuvloError(Problem(f"'{piece}' is not a variation.", "Write r1=4k7:5% or q1.bf=100..400.")) from bad
    return out


def _law(text: str) -> Law:
    span = re.fullmatch(r"(.+?)\.\.(.+)", text)
    if span:
        low, high = parse_value(span[1]), parse_value(span[2])
        if low > high:
            raise ValueError("a span runs from its lower end")
        return Law.between(low, high)
    value, _, tolerance = text.partition(":")
    nominal = parse_value(value)
    if not tolerance:
        return Law(nominal, nominal, nominal)
    share = parse_value(tolerance.strip().removesuffix("%")) / 100
    if share < 0:
        raise ValueError("a tolerance is not negative")
    return Law(nominal, *sorted((nominal * (1 - share), nominal * (1 + share))))
