"""Where the lugs of a part are as a hand sees them that solders to it: pots and switches from behind, valve sockets from below, XLR
from the solder side.

Sockets of valves are numbered clockwise from below (IEC 60067). Of XLR the pins of the mating faces are those of IEC 61076-2-103, seen
here from the other side. All else is common practice, no source; where types differ, ``seen`` says so.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from nuvlo.kit import Kit, Part
from nuvlo.quantity import sentence

Place = tuple[float, float]
LARGER = 2.8  # than it is, a header is drawn: its pins stand close
HEADER_RIM_MM = 2.4 * LARGER  # from a pin to the edge of its header


@dataclass(frozen=True)
class Shape:
    """One stroke of an outline in mm, y upwards: a ``circle`` (x, y, across), a ``box`` (x, y, wide, high), a ``line`` (x, y, x, y) or the
    red ``stripe`` of a flat lead (the same)."""

    kind: str
    at: tuple[float, ...]


@dataclass(frozen=True)
class LugView:
    """``seen`` says from where; ``places`` mm of each lug; ``outline`` what is round them."""

    seen: str
    places: dict[str, Place]
    outline: tuple[Shape, ...]
    ring: bool = False  # whether they stand in a ring, and not in rows
    joins: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()  # each throw, and the lugs that it joins


def throws_told(view: LugView) -> str:
    """Which lugs each throw joins, in words; empty for what has no throws."""
    told = []
    for name, pairs in view.joins:
        joined = " and ".join(f"{a}–{b}" for a, b in pairs)
        told.append(f"{name} joins {joined}" if joined else f"{name} joins nothing")
    return sentence("; ".join(told)) + "." if told else ""


def lugs_in(kit: Kit, ref: str) -> LugView:
    """The lugs of a kit's part, and what its throws join."""
    if kit.part(ref).kind == "header" and (made := header_view(kit, ref)) is not None:
        return made
    names = sorted({e.partition(".")[2] for w in kit.wires for e in w.ends if e.partition(".")[0] == ref})
    view = lug_view(kit.part(ref), names)
    joins = tuple((t.name, t.joins) for s in kit.info.switch if s.part == ref and ref in kit.ringing.contacts for t in s.throws)
    return replace(view, joins=joins)


def header_view(kit: Kit, ref: str) -> LugView | None:
    """The pins of a header that brings power, from the component side, with the stripe of its lead along the lowest rail; None where no
    rail below ground comes in by it."""
    pins = {pad.pin: pad for pad in (kit.board.pads if kit.board else ()) if pad.ref == ref}
    rails = sorted((s for s in kit.info.supply if any(pad.net == s.node for pad in pins.values())), key=lambda s: s.volts)
    if not rails or rails[0].volts >= 0:
        return None
    x = sum(pad.x_mm for pad in pins.values()) / len(pins)
    y = sum(pad.y_mm for pad in pins.values()) / len(pins)
    places = {pin: (LARGER * (pad.x_mm - x), LARGER * (pad.y_mm - y)) for pin, pad in pins.items()}
    low = [places[pin] for pin, pad in pins.items() if pad.net == rails[0].node]
    wide, high = (max(p[k] for p in places.values()) + HEADER_RIM_MM for k in (0, 1))
    at_x, at_y = (sum(p[k] for p in low) / len(low) for k in (0, 1))
    edge = (math.copysign(wide, at_x), -high, math.copysign(wide, at_x), high)
    if abs(at_y) > abs(at_x):
        edge = (-wide, math.copysign(high, at_y), wide, math.copysign(high, at_y))
    outline = (Shape("box", (-wide, -high, 2 * wide, 2 * high)), Shape("stripe", edge))
    told = "; ".join(f"{_pins(pin for pin, pad in pins.items() if pad.net == s.node)}, {s.name}" for s in rails)
    return LugView(f"Component side; red stripe along {told}", places, outline)


def _pins(names: Iterable[str]) -> str:
    row = list(names)
    return f"pin {row[0]}" if len(row) == 1 else f"pins {', '.join(row[:-1])} and {row[-1]}"


def lug_view(part: Part, names: Sequence[str]) -> LugView:
    """The lugs of a part; those of ``names`` that its kind does not know lie in a row below."""
    words = f"{part.text} {part.note}".lower()
    make = next((make for kind, word, make in VIEWS if part.kind == kind and re.search(word, words)), _row)
    view = make(words, names)
    spare = [n for n in names if n not in view.places]
    if not spare:
        return view
    low = min((y for _, y in view.places.values()), default=0.0) - 8.0
    row = {n: (8.0 * (k - (len(spare) - 1) / 2), low) for k, n in enumerate(spare)}
    return LugView(view.seen, view.places | row, view.outline, view.ring)


def _pot(words: str, names: Sequence[str]) -> LugView:
    rows = [("", -12.0)] if "dual" not in words else [("R", -12.0), ("L", -21.0)]
    places = {f"{gang}{n}": (5.0 * (2 - n), y) for gang, y in rows for n in (1, 2, 3)}
    gangs = "; L next to the panel" if len(rows) > 1 else ""
    return LugView(f"From behind, shaft away, lugs down{gangs}", places, (Shape("circle", (0, 0, 17)), Shape("circle", (0, 0, 6))))


def _jack(words: str, names: Sequence[str]) -> LugView:
    order = ["sleeve", *(["ring"] if "stereo" in words or "ring" in names else []), "tip", *(["switch"] if "switch" in words else [])]
    places = {name: (5.0 + 11.0 * k, -9.0) for k, name in enumerate(order)}
    long = 11.0 * len(order)
    outline = (Shape("line", (0, -12, 0, 12)), Shape("box", (-7, -4, 7, 8)), Shape("box", (0, -6, long, 12)))
    return LugView("From the side; types differ: try each lug against a plug", places, outline)


def _phono(words: str, names: Sequence[str]) -> LugView:
    return LugView("From behind", {"tip": (0, 0), "sleeve": (0, -9)}, (Shape("circle", (0, 0, 14)), Shape("circle", (0, 0, 6))))


def _xlr(words: str, names: Sequence[str]) -> LugView:
    side = -1.0 if "female" in words else 1.0  # of pin 1
    places = {"1": (6.0 * side, 4.0), "2": (-6.0 * side, 4.0), "3": (0.0, -6.0)}
    outline = (Shape("circle", (0, 0, 24)), Shape("box", (-2.5, 10.5, 5, 3)))
    return LugView("From the solder side, key up", places, outline, ring=True)


def _power(words: str, names: Sequence[str]) -> LugView:
    minus = bool(re.search(r"(?:pin|cent(?:re|er)) (?:is )?(?:minus|negative)", words))
    pin, sleeve = ("minus", "plus") if minus else ("plus", "minus")
    known = {"pin": (0.0, 5.0), "sleeve": (0.0, -6.0), "switch": (7.0, 0.0)}
    places = {pin: known["pin"], sleeve: known["sleeve"]} if "plus" in names else known
    return LugView("From behind; the middle one is the pin. Measure before trusting it", places, (Shape("circle", (0, 0, 12)), Shape("circle", (0, 5, 5))))


def _lamp(words: str, names: Sequence[str]) -> LugView:
    outline = (Shape("circle", (0, 4, 10)), Shape("line", (4.4, 1, 4.4, 7)), Shape("line", (-2.5, 4, -2.5, -9)), Shape("line", (2.5, 4, 2.5, -5)))
    return LugView("From behind; flat and short lead are minus", {"plus": (-2.5, -10), "minus": (2.5, -6)}, outline)


def _switch(words: str, names: Sequence[str]) -> LugView:
    most = max([int(n) for n in names if n.isdigit()], default=2)
    rows, columns = (2, 1) if most <= 2 else (3, max(1, math.ceil(most / 3)))
    places = {f"{c * rows + r + 1}": (7.0 * (c - (columns - 1) / 2), 6.0 * ((rows - 1) / 2 - r)) for c in range(columns) for r in range(rows)}
    wide, high = 7.0 * columns + 3, 6.0 * rows + 3
    seen = "From behind" if "latching" in words else "From behind, lever up: up joins the middle to the lower lugs"
    return LugView(seen, places, (Shape("box", (-wide / 2, -high / 2, wide, high)),))


def _rotary(words: str, names: Sequence[str]) -> LugView:
    found = re.search(r"(\d+) positions", words)
    count = int(found[1]) if found else 6
    around = {f"{k}": (12 * math.sin(math.radians(30 * k)), 12 * math.cos(math.radians(30 * k))) for k in range(1, count + 1)}
    return LugView("From behind, clockwise", around | {"C": (0.0, -4.0)}, (Shape("circle", (0, 0, 28)), Shape("circle", (0, 0, 14))), ring=True)


def _valve(words: str, names: Sequence[str]) -> LugView:
    found = re.search(r"(\d+) pins", words)
    pins = int(found[1]) if found else 9
    step = 360 / (pins + 1) if pins != 8 else 45.0
    start = -90.0 if pins != 8 else -90.0 + step / 2
    places = {f"{k}": (9 * math.cos(math.radians(start - step * k)), 9 * math.sin(math.radians(start - step * k))) for k in range(1, pins + 1)}
    return LugView("From below, clockwise from the gap", places, (Shape("circle", (0, 0, 34)), Shape("circle", (0, 0, 6))), ring=True)


def _posts(words: str, names: Sequence[str]) -> LugView:
    order = ["8", "4", "C"] if "three" in words else ["minus", "plus"]
    places = {n: (12.0 * (k - (len(order) - 1) / 2), 0.0) for k, n in enumerate(order)}
    outline = tuple(Shape("circle", (x, y, 9)) for x, y in places.values())
    return LugView("From behind, so the other way round than in front", places, outline)


def _driver(words: str, names: Sequence[str]) -> LugView:
    return LugView("From behind; plus bears the mark", {"minus": (-5, -7), "plus": (5, -7)}, (Shape("circle", (0, 0, 26)), Shape("circle", (0, 2, 12))))


def _block(words: str, names: Sequence[str]) -> LugView:
    ways = max([int(n) for n in names if n.isdigit()], default=2)
    places = {f"{k + 1}": (6.0 * (k - (ways - 1) / 2), 0.0) for k in range(ways)}
    return LugView("From the side of the wires, 1 on the left", places, (Shape("box", (-3.0 * ways - 2, -5, 6.0 * ways + 4, 10)),))


def _transformer(words: str, names: Sequence[str]) -> LugView:
    most = max([int(n) for n in names if n.isdigit()], default=4)
    half = most // 2
    left = {f"{k + 1}": (-15.0, 7.0 * ((half - 1) / 2 - k)) for k in range(half)}
    right = {f"{half + k + 1}": (15.0, 7.0 * ((most - half - 1) / 2 - k)) for k in range(most - half)}
    outline = (Shape("box", (-11, -13, 22, 26)), Shape("line", (-1, -11, -1, 11)), Shape("line", (1, -11, 1, 11)))
    return LugView("By the numbers on its leads, not by their place", left | right, outline)


def _row(words: str, names: Sequence[str]) -> LugView:
    order = sorted(names)
    return LugView("As its leads are marked", {n: (10.0 * (k - (len(order) - 1) / 2), 0.0) for k, n in enumerate(order)}, ())


VIEWS: tuple[tuple[str, str, Callable[[str, Sequence[str]], LugView]], ...] = (
    ("potentiometer", "", _pot), ("jack", "xlr", _xlr), ("jack", "phono", _phono), ("jack", "post", _posts), ("jack", "", _jack),
    ("socket", "pins", _valve), ("socket", "block", _block), ("socket", r"\d mm", _power), ("lamp", "", _lamp),
    ("switch", "positions", _rotary), ("switch", "", _switch), ("driver", "", _driver), ("transformer", "", _transformer),
)  # fmt: skip
