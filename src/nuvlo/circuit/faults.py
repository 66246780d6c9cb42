"""The mistakes a builder makes, as values: what is wrong with a part, or between two nodes.

Each has a ``key`` by which it stands among the overrides of a circuit, 1 (or the ohms of a bridge) for the members that have it:

- ``r3.missing``: the part is not there, or one of its joints is open; ``xu2a.missing``: nothing that is inside the block;
- ``d1.reversed``: a diode, or the current or voltage of a source, the other way round;
- ``q1.legs_ebc``: in the holes for collector, base and emitter (or drain, gate and source, written ``dgs``) stand these legs;
- ``q1.legs_cbe_as_q2``: there stand these legs of a transistor such as ``q2``;
- ``xfuzz.r2.between(a,b)``: a resistor stands between these nodes, as half of a pot does whose leads are on each other's lugs;
- ``bridge(a,b)``: ohms between two nodes that should not touch, infinite for none;
- anything else is a value that is not what is printed.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

LEGS = {"q": "cbe", "j": "dgs", "m": "dgsb"}  # by the letter of the element
_BRIDGE = re.compile(r"bridge\((.+),(.+)\)")
_BETWEEN = re.compile(r"(.+)\.between\((.+),(.+)\)")
_LEGS, _AS = "legs_", "_as_"
STANDS = (f".{_LEGS}", ".between(")  # in the keys of what stands between other nodes than its own


@dataclass(frozen=True)
class Missing:
    """A part that is not there; of an instance of a subcircuit, all that is inside it."""

    element: str
    kinds: ClassVar[str] = "rclvidqjmefgh"

    @property
    def key(self) -> str:
        return f"{self.element}.missing"


@dataclass(frozen=True)
class Reversed:
    """A part the other way round."""

    element: str
    kinds: ClassVar[str] = "dvi"

    @property
    def key(self) -> str:
        return f"{self.element}.reversed"


@dataclass(frozen=True)
class Turned:
    """A transistor with ``legs`` in the holes for collector, base and emitter (drain, gate and source); where that is named, another one
    ``like`` some element."""

    element: str
    legs: str
    like: str = ""
    kinds: ClassVar[str] = "qjm"

    @property
    def key(self) -> str:
        return f"{self.element}.{_LEGS}{self.how}"

    @property
    def how(self) -> str:
        """What is behind the name of the element."""
        return f"{self.legs}{_AS}{self.like}" if self.like else self.legs

    @classmethod
    def of(cls, element: str, how: str) -> Turned:
        """The same from :attr:`how`."""
        legs, _, like = how.partition(_AS)
        return cls(element, legs, like)

    def fits(self, kind: str) -> bool:
        """Whether ``legs`` are those of an element of this kind, in some order."""
        letters = LEGS.get(kind, "")
        return len(self.legs) >= 3 and sorted(self.legs) == sorted(letters[: len(self.legs)])


@dataclass(frozen=True)
class Moved:
    """A resistor between other nodes than its own."""

    element: str
    a: str
    b: str
    kinds: ClassVar[str] = "r"

    @property
    def key(self) -> str:
        return f"{self.element}.{self.how}"

    @property
    def how(self) -> str:
        """What is behind the name of the element."""
        return f"between({self.a},{self.b})"


@dataclass(frozen=True)
class Bridge:
    """Two nodes that touch: solder between pads, a bent lead, a part that is shorted."""

    a: str
    b: str

    @property
    def key(self) -> str:
        return f"bridge({self.a},{self.b})"


@dataclass(frozen=True)
class Value:
    """Something that has another value than printed: an element, a parameter, a control."""

    name: str

    @property
    def key(self) -> str:
        return self.name


Fault = Missing | Reversed | Turned | Moved | Bridge | Value


def open_joint(element: str) -> Missing:
    """A joint that does not conduct: for a part with two legs the same as if it were missing."""
    return Missing(element)


@lru_cache(maxsize=4096)
def fault_named(key: str) -> Fault:
    """The fault that a key stands for. What is no other fault is a value."""
    bridge = _BRIDGE.fullmatch(key)
    if bridge:
        return Bridge(bridge[1].strip(), bridge[2].strip())
    moved = _BETWEEN.fullmatch(key)
    if moved:
        return Moved(moved[1], moved[2].strip(), moved[3].strip())
    element, _, what = key.rpartition(".")
    if what == "missing":
        return Missing(element)
    if what == "reversed":
        return Reversed(element)
    return Turned.of(element, what.removeprefix(_LEGS)) if what.startswith(_LEGS) else Value(key)


def is_fault(key: str) -> bool:
    """Whether an override stands for a mistake, and not for a value."""
    return not isinstance(fault_named(key), Value)


def is_made(key: str, value: float) -> bool:
    """Whether a mistake is there at all: a bridge of any ohms, or a share of anything else."""
    fault = fault_named(key)
    return not isinstance(fault, Value) and (math.isfinite(value) if isinstance(fault, Bridge) else value != 0.0)
