"""Parts of a kit that are easily taken for one another, computed from what is marked on them and what they look like."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from math import isclose, log10

from nuvlo.catalogue import find
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import Kit
from nuvlo.kit.parts import Part
from nuvlo.markings.marking import capacitor_code, read_bands, resistor_bands
from nuvlo.quantity import format_value

TIMES = {1: "ten", 2: "a hundred", 3: "a thousand", 4: "ten thousand", 5: "a hundred thousand", 6: "a million"}


@dataclass(frozen=True)
class LookAlike:
    """Two sorts of part: the references of each, why they are mistaken, and how to tell them apart."""

    first: tuple[str, ...]
    second: tuple[str, ...]
    why: str
    tell: str

    @property
    def refs(self) -> tuple[str, ...]:
        return self.first + self.second


def look_alikes(kit: Kit) -> list[LookAlike]:
    """Every pair of sorts that can be mistaken, the most treacherous first."""
    if "look_alikes" not in kit.memory:
        kit.memory["look_alikes"] = _pairs(kit)
    found: list[LookAlike] = kit.memory["look_alikes"]
    return found


def warning(kit: Kit, ref: str) -> str:
    """The most treacherous look-alike of a part in a sentence; empty where it has none."""
    for pair in look_alikes(kit):
        for mine, other in ((pair.first, pair.second), (pair.second, pair.first)):
            if ref in mine:
                named = f"{', '.join(other[:4])}{' and more' if len(other) > 4 else ''}"
                return f"Look-alike: {named} ({pair.why}). To tell them apart: {pair.tell}."
    return ""


def _pairs(kit: Kit) -> list[LookAlike]:
    sorts: dict[tuple[object, ...], list[Part]] = {}
    for part in kit.parts.values():
        sorts.setdefault(
            (part.kind, part.value, part.text if part.value is None else "", part.rating, part.package), []
        ).append(part)
    out = []
    for a, b in itertools.combinations(sorts.values(), 2):
        found = next(_reasons(a[0], b[0]), None)
        if found is not None:
            rank, why, tell = found
            out.append((rank, LookAlike(tuple(p.ref for p in a), tuple(p.ref for p in b), why, tell)))
    return [pair for _, pair in sorted(out, key=lambda one: one[0])]


def about(kit: Kit, refs: Iterable[str]) -> list[LookAlike]:
    """Those that concern any of ``refs``."""
    wanted = set(refs)
    return [pair for pair in look_alikes(kit) if wanted & set(pair.refs)]


def _reasons(a: Part, b: Part) -> Iterator[tuple[int, str, str]]:
    if a.value is not None and b.value is not None and a.unit == b.unit:
        yield from _values(a, b)
    elif (
        kind_of(a.kind).body_alike
        and kind_of(b.kind).body_alike
        and a.package == b.package
        and a.text != b.text
        and a.package
    ):
        same = "" if a.kind == b.kind else f": a {a.kind} and a {b.kind}"
        orders = [known.order if (known := find(p.text)) else "" for p in (a, b)]
        if all(orders) and orders[0] != orders[1]:
            same += f", legs in another order: {orders[0]} and {orders[1]}"
        yield 2, f"the same body ({a.package}){same}", f"read the print: {a.text} or {b.text}"


def _values(a: Part, b: Part) -> Iterator[tuple[int, str, str]]:
    assert a.value is not None
    assert b.value is not None
    if a.kind != b.kind and {a.kind, b.kind} != {"capacitor", "electrolytic"}:
        return
    both = f"{format_value(a.value, a.unit)} and {format_value(b.value, b.unit)}"
    if isclose(a.value, b.value, rel_tol=1e-6):
        if a.rating != b.rating or a.package != b.package:
            what = f"{a.rating or a.package or 'one'} and {b.rating or b.package or 'the other'}"
            yield (
                0,
                f"the same value in two sizes: {what}",
                "the larger rating is the larger body: lay them side by side",
            )
        return
    if a.kind == "resistor" and b.kind == "resistor":
        yield from _banded(a, b, both)
    elif a.unit == "F" and a.package == b.package:
        yield from _coded(a, b, both)


def _bands(part: Part) -> tuple[str, ...]:
    try:
        return resistor_bands(part.value or 0.0, part.tolerance[1] if part.tolerance else 0.05)
    except ValueError:
        return ()


def _banded(a: Part, b: Part, both: str) -> Iterator[tuple[int, str, str]]:
    first, second = _bands(a), _bands(b)
    if not first or not second:
        return
    assert b.value is not None
    if any(isclose(m.value, b.value, rel_tol=1e-6) for m in read_bands(first)[0:2]):
        yield (
            0,
            f"{both}: one read from the wrong end is the other",
            "the tolerance band stands a little apart: begin at the other end; measure",
        )
    different = [k for k, (x, y) in enumerate(zip(first, second, strict=False)) if x != y]
    if len(first) != len(second) or len(different) != 1:
        return
    k = different[0]
    ordinal = ("first", "second", "third", "fourth", "fifth")[k]
    tell = f"the {ordinal} band: {first[k]} or {second[k]}; measure where the light is poor"
    assert a.value is not None
    decades = abs(log10(a.value / b.value))
    if isclose(decades, round(decades), abs_tol=1e-6):
        yield (
            1,
            f"{both}: the same digits, {TIMES.get(round(decades), 'many')} times apart",
            tell,
        )
    else:
        yield 3, f"{both}: all bands but one alike", tell


def _coded(a: Part, b: Part, both: str) -> Iterator[tuple[int, str, str]]:
    try:
        first, second = capacitor_code(a.value or 0.0), capacitor_code(b.value or 0.0)
    except ValueError:
        return
    if sum(x != y for x, y in zip(first, second, strict=False)) == 1 and len(first) == len(second):
        yield 1, f"{both} in one sort of body", f"the code: {first} or {second}"
