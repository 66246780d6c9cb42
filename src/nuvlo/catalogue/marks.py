"""What is printed on a part of a type, as small bodies shorten it (common practice, no source)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache

from nuvlo.catalogue.table import types
from nuvlo.catalogue.type import DIODES, TRANSISTORS, VALVES, Type

WOUND = ("DO-35", "DO-7", "DO-41", "DO-27")  # bodies so small that the print runs in rows round them


def marks(t: Type) -> tuple[str, ...]:
    """Every way a part of the type is printed, the likeliest first; none for what bears no print."""
    name = t.name
    if t.sort in ("led", "ldr-opto"):
        return ()
    if t.package == "TO-92" and re.match(r"B[CFS]\d", name):  # the B is left out for want of room
        return name[1:], name
    if re.match(r"2S[ACJK]\d", name):  # 2S is understood
        return name[2:], name
    if t.sort == "zener" and name.startswith("BZX"):
        volts = name.removeprefix("BZX55C")
        return f"C{volts}", *((volts,) if "V" in volts else ()), name
    if t.sort != "zener" and t.package in WOUND and re.fullmatch(r"1N\d{4}", name):  # 1N in a row of its own
        return name[2:], name
    if t.sort == "zener":
        return name, name[:-1]
    return (name,)


def print_of(t: Type) -> str:
    """What is printed on it, in words."""
    words = " or ".join(marks(t))
    if t.sort == "led":
        return "nothing is printed on it: the lens tells its colour, and a clear one does not"
    if not words:
        return "print differs from maker to maker"
    if t.sort in VALVES:
        return f"printed on the glass, where it wipes off: {words}"
    if t.sort in TRANSISTORS:
        return f"printed on it: {words}, another line being maker and date"
    if t.sort in DIODES:
        return f"printed on it: {words}"
    return f"printed on it: {words}, the maker's letters before it, package and grade behind; the other line is its date"


def printed(text: str) -> tuple[Type, ...]:
    """Types that may be printed so."""
    return _by_mark().get(text.strip().upper(), ())


@cache
def _by_mark() -> Mapping[str, tuple[Type, ...]]:
    out: dict[str, tuple[Type, ...]] = {}
    for t in types().values():
        for mark in marks(t):
            out[mark.upper()] = (*out.get(mark.upper(), ()), t)
    return out
