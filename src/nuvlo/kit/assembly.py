"""The order in which a board is filled: lowest profile first, heat-hardy before heat-shy, with gates between.

Rules are common practice, no source: the board must lie flat when it is turned over, so what stands lower goes in
first; a part that minds heat goes in after its neighbours that do not, unless it stands much lower than they do.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

from nuvlo.kit.folder import Kit
from nuvlo.kit.schools import BATCH, DEFAULT_SCHOOL, school_named
from nuvlo.kit.tables import Part

HEAT_SHY_MM = 3.0  # how much taller a heat-shy part is taken to be when its turn is decided
MINUTES_PER_PART, SOLDER_MINUTES, SECTION_MINUTES = 1.5, 0.7, 10.0
UNKNOWN_HEIGHT_MM = 8.0
PLURALS = {"resistor": "resistors", "capacitor": "film capacitors", "diode": "diodes", "switch": "switches"}


@dataclass(frozen=True)
class Step:
    """One step of the order. ``gate`` names the check a gate step is; ``after`` are numbers of earlier steps."""

    n: int
    action: str
    parts: tuple[str, ...]
    gate: str | None
    after: tuple[int, ...]
    reason: str
    minutes: float


TRAY_ORDERS = ("value", "strip", "section", "list")


def in_tray_order(kit: Kit, order: str = "value") -> list[Part]:
    """Parts in the order that suits the hand.

    ``value``: by kind in order of the list, each kind by rising value. ``strip``: what comes on one bandolier together,
    the longest first. ``section``: section by section, each by value. ``list``: as listed.
    """
    parts = list(kit.parts.values())
    kinds = list(dict.fromkeys(p.kind for p in parts))
    sections = list(dict.fromkeys(p.section for p in parts))
    alike = Counter(sort_of(p) for p in parts)

    def by_value(part: Part) -> tuple[int, float]:
        return kinds.index(part.kind), part.value if part.value is not None else 0.0

    keys: dict[str, Callable[[Part], Any]] = {
        "value": by_value, "section": lambda p: (sections.index(p.section), by_value(p)),
        "strip": lambda p: (-alike[sort_of(p)], by_value(p), sort_of(p)), "list": lambda p: 0,
    }  # fmt: skip
    return sorted(parts, key=keys.get(order, by_value))


def sort_of(part: Part) -> tuple[str, str, str]:
    """What parts of one strip or bag have in common."""
    return part.kind, part.text, part.rating


FIRST_IN_MANUALS = ("socket", "diode", "transistor", "lamp", "chip", "regulator")


@dataclass(frozen=True)
class _Group:
    """Parts that go in together: what they are called, why they come here, and the section that ends with them."""

    name: str
    parts: tuple[Part, ...]
    reason: str
    ends: str = ""


def board_order(kit: Kit, school: str = DEFAULT_SCHOOL) -> list[Step]:
    """Steps for the parts on the board in the order of a ``school``, then for those on the panel.

    Gates come before what they guard in every school: values, and polarity apart, before soldering; joints before the
    wash. Raises :class:`NuvloError` for a school that is none.
    """
    order, soldering, *chips = school_named(school).split("+")
    socketed = [] if chips else plugged(kit)
    groups = _grouped(kit, order, soldering, socketed)
    steps: list[Step] = []

    def add(action: str, parts: tuple[str, ...], reason: str, minutes: float, gate: str | None = None) -> None:
        after = (steps[-1].n,) if steps else ()
        steps.append(Step(len(steps) + 1, action, parts, gate, after, reason, minutes))

    def fasten(name: str, parts: tuple[Part, ...]) -> None:
        refs = tuple(p.ref for p in parts)
        add(
            f"Check the values of {name}",
            refs,
            "A wrong value is easy to lift now and hard once soldered.",
            1.0,
            "values",
        )
        if any(p.polarised for p in parts):
            add(f"Check which way round {name} sit", refs, "Polarity deserves a look of its own.", 1.0, "polarity")
        why = "Checked, so it may be made fast: one leg, see that it sits flush, then the rest."
        add(f"Solder {name}", refs, why, SOLDER_MINUTES * len(parts))

    waiting: list[Part] = []
    for group in groups:
        refs = tuple(p.ref for p in group.parts)
        add(f"Fit {group.name}", refs, group.reason, MINUTES_PER_PART * len(refs))
        waiting += group.parts
        if soldering != "together" or group.ends:
            fasten(group.name if soldering != "together" else f"the parts of {group.ends}", tuple(waiting))
            waiting = []
        if group.ends:
            why = "A fault has few places to hide now; with everything in it has many."
            add(f"Test {group.ends} by itself", refs, why, SECTION_MINUTES, "section")
    if waiting:
        fasten("all of it", tuple(waiting))
    if groups:
        everything = tuple(p.ref for g in groups for p in g.parts)
        add("Look over the solder side for dull joints and bridges", everything,
            "Found now it is a minute's work; found at power-up it may cost a part.", 4.0, "joints")  # fmt: skip
        add(
            "Brush and wash the solder side", everything, "Flux left at high resistances leaks and hisses.", 5.0, "wash"
        )
    if socketed:
        why = "Last of all: no iron comes near them any more. Earth yourself first; notch to notch."
        add("Plug in the chips", tuple(p.ref for p in socketed), why, 1.0 * len(socketed))
    panel = tuple(p.ref for p in kit.parts.values() if not p.on_board and p.kind != "case")
    if panel:
        add("Mount the panel parts, finger-tight", panel,
            "Pots, jacks and lamp line up with the panel before anything holds them.", 2.0 * len(panel))  # fmt: skip
    return steps


def plugged(kit: Kit) -> list[Part]:
    """Chips that go into sockets, where the kit has any: they are never soldered."""
    if not any(p.kind == "socket" and p.on_board for p in kit.parts.values()):
        return []
    return [p for p in kit.parts.values() if p.kind == "chip" and p.on_board]


def _grouped(kit: Kit, order: str, soldering: str, socketed: list[Part]) -> list[_Group]:
    """The parts on the board as a school puts them in. Without chips to be ``socketed`` the sockets stay in their bag."""
    later = {p.ref for p in socketed}
    if not socketed and plugged(kit):
        later = {p.ref for p in kit.parts.values() if p.kind == "socket"}
    parts = sorted((p for p in kit.parts.values() if p.on_board and p.ref not in later), key=_turn)
    if order == "semiconductors":
        parts.sort(
            key=lambda p: FIRST_IN_MANUALS.index(p.kind) if p.kind in FIRST_IN_MANUALS else len(FIRST_IN_MANUALS)
        )
    sections = list(dict.fromkeys(p.section for p in kit.parts.values() if p.on_board)) if order == "sections" else [""]
    out: list[_Group] = []
    for section in sections:
        mine = [p for p in parts if order != "sections" or p.section == section]
        groups = _by_batch(mine) if soldering == "batches" else _by_kind(mine, order)
        if section and groups:
            groups[-1] = replace(groups[-1], ends=section)
        out += groups
    return out


def _by_kind(parts: list[Part], order: str) -> list[_Group]:
    out: list[_Group] = []
    previous: Part | None = None
    for kind, alike in groupby(parts, key=lambda p: p.kind):
        mine = tuple(alike)
        reason = _reason(mine[0], previous)
        if order == "semiconductors" and kind in FIRST_IN_MANUALS:
            reason = (
                "As the manual has it: what must sit right goes on a bare board. Mind the heat of every joint after."
            )
        out.append(_Group(f"the {plural(kind)}", mine, reason))
        previous = mine[0]
    return out


def _by_batch(parts: list[Part]) -> list[_Group]:
    """A dozen at a time, outside in being the builder's own eye."""
    out = []
    for k in range(0, len(parts), BATCH):
        mine = tuple(parts[k : k + BATCH])
        why = "Taped down together, so the board can be turned over." if k else "The lowest dozen, taped down together."
        out.append(_Group(f"batch {k // BATCH + 1}", mine, why))
    return out


def plural(kind: str) -> str:
    return PLURALS.get(kind, kind + "s")


def _height(part: Part) -> float:
    return UNKNOWN_HEIGHT_MM if part.height_mm is None else part.height_mm


def _turn(part: Part) -> tuple[float, str, str]:
    return _height(part) + (HEAT_SHY_MM if part.heat_sensitive else 0.0), part.kind, part.ref


def _reason(part: Part, previous: Part | None) -> str:
    if previous is None:
        return "They lie lowest: the board stays flat when it is turned over."
    taller, before = _height(part), _height(previous)
    if part.heat_sensitive and taller < before:
        return f"They mind heat, so they come after the {plural(previous.kind)} although they stand lower."
    return f"They stand {taller:g} mm, the {plural(previous.kind)} before them {before:g} mm."
