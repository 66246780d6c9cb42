"""Read the tables of types once, and find a type by any of the ways it is written."""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from nuvlo.catalogue.type import LEGS, LETTERS, Pin, Published, Type, TypeSpread
from nuvlo.catalogue.zeners import zeners
from nuvlo.circuit.number import spice_number
from nuvlo.problems import NuvloError, Problem

FOLDER = Path(__file__).parent / "types"
TABLES = ("transistors", "diodes", "fets", "amplifiers", "regulators", "valves", "others")
# What makers put before and behind a registered number: who made it, its case, its grade.
_MAKER = re.compile(r"^(?:[lumkn]?[ajm]?)(?=\d{3,})|(?<=\d)(?:[acdgnpt]{1,3}\d?|bcp|-?n)$")


@cache
def types() -> Mapping[str, Type]:
    """Every type by its name, in the order of the tables."""
    pinouts = {row["name"]: _pins(row["pins"]) for row in _rows("pinouts")}
    out = {}
    for table in TABLES:
        for row in _rows(table):
            out[row["name"]] = _type(row, pinouts)
    return out | {z.name: z for z in zeners()}


def find(name: str) -> Type | None:
    """The type of this name, however it is written: ``1n4148``, ``BC 549 C``, ``TL072CP``, ``12AX7``, ``12 V zener``."""
    known = _index()
    plain = _plain(name)
    if plain in known:
        return known[plain]
    volts = re.fullmatch(r"(?:zener)?(\d+)(?:v|\.)(\d*)v?(?:zener)?", plain)
    if "zener" in plain and volts:
        return known.get(_plain(f"bzx55c{volts[1]}{'v' + volts[2] if volts[2] else ''}")) or known.get(
            _plain(f"bzx55c{volts[1]}v0")
        )
    shorter = _MAKER.sub("", plain)
    return known.get(shorter) if len(shorter) >= 3 else None


def named(name: str) -> Type:
    """The type of this name. Raises :class:`NuvloError` that names the nearest ones."""
    found = find(name)
    if found is None:
        near = ", ".join(t.name for t in nearest(name))
        raise NuvloError(Problem(f"nothing is known of a type '{name}'.", f"Nearest by name: {near}.", ref=name))
    return found


def nearest(name: str, count: int = 3) -> list[Type]:
    """Types whose names look most like ``name``."""
    from rapidfuzz import fuzz, process  # not before it is needed

    found = process.extract(_plain(name), list(_index()), scorer=fuzz.ratio, limit=4 * count)
    return list(dict.fromkeys(_index()[key] for key, _, _ in found))[:count]


@cache
def _index() -> Mapping[str, Type]:
    out: dict[str, Type] = {}
    for t in types().values():
        for written in (*t.also, t.model, t.name):
            out[_plain(written)] = t
    return out


def _plain(name: str) -> str:
    return re.sub(r"[\s_\-]", "", name.lower())


def _rows(table: str) -> list[dict[str, str]]:
    with (FOLDER / f"{table}.csv").open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def _type(row: Mapping[str, str], pinouts: Mapping[str, tuple[Pin, ...]]) -> Type:
    pins = pinouts.get(row["pins"]) or tuple(
        Pin(k, LETTERS.get(row["sort"], {}).get(letter) or LEGS[letter]) for k, letter in enumerate(row["pins"], 1)
    )
    also = row["also"].split("|") if "|" in row["also"] or row["sort"] in ("led", "ldr-opto") else row["also"].split()
    return Type(
        row["name"], tuple(a for a in also if a), row["sort"], row["package"], pins, row["ratings"],
        tuple(_spread(word) for word in row["spread"].split()), tuple(_published(word) for word in row["points"].split()),
        tuple(_instead(one) for one in row["instead"].split("; ") if one and not one.startswith("none")),
        row["ended"] == "yes", row["says"],
        tuple((k, spice_number(v)) for k, _, v in (word.partition("=") for word in row.get("more", "").split())),
    )  # fmt: skip


def _pins(text: str) -> tuple[Pin, ...]:
    """``1 offset|2 −in``."""
    return tuple(Pin(int(number), what) for number, _, what in (one.partition(" ") for one in text.split("|")))


def _spread(word: str) -> TypeSpread:
    """``bf=420..800``, or ``kg1=-15%..15%``."""
    name, _, limits = word.partition("=")
    low, high = limits.split("..")
    if low.endswith("%"):
        return TypeSpread(name, float(low[:-1]) / 100, float(high[:-1]) / 100, relative=True)
    return TypeSpread(name, spice_number(low), spice_number(high))


def _published(word: str) -> Published:
    """``hfe@2m=290``, ``gm@250/-2=1.6m``, ``iq=4m``."""
    left, _, value = word.partition("=")
    what, _, at = left.partition("@")
    return Published(what, tuple(spice_number(one) for one in at.split("/")) if at else (), spice_number(value))


def _instead(text: str) -> tuple[str, str]:
    name, _, change = text.partition(": ")
    return name, change
