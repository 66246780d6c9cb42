"""Lay out a kit's board: sections as the signal runs, each part near what it is joined to, with room for fingers.

Run: python tools/lay_out.py KIT [WIDTH HEIGHT] [--wires "NET …"] [--keep REF …]. Writes the kit's outline.csv, placement.csv and pads.csv anew.
Supplies lie along the top, the other sections of the list side by side from left to right, wire pads along the lower edge, towards
the panel. Simulated annealing (S. Kirkpatrick, C. D. Gelatt, M. P. Vecchi, "Optimization by simulated annealing", Science 220,
1983) over places and turns shortens the connections; bodies and their labels never lie over one another.
"""

from __future__ import annotations

import argparse
import csv
import math
import random
from collections import defaultdict
from dataclasses import dataclass, field
from pathlib import Path

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Kit, Part
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.packages import body_mm
from nuvlo.workshop.demo import SHIPPED

GRID = 1.27  # mm
MARGIN = 4.0  # mm from the edge that stays free: screws and guides
ROOM = 0.9  # mm round each body: fingers, and an iron's tip
LABEL = 2.4  # mm above a body whose name does not go inside it
MOVES = 160_000
HOT, COLD = 12.0, 0.15  # mm of connection that a move may cost, at first and at last
STRAYED = 2.0  # what a millimetre outside its section's field weighs, against one of connection
QUIET = 0.12  # the same for ground and rails, which are wide and go everywhere
CLOSE = 6.0  # and for parts that are to touch
COILS = 4e5  # and two coils, by one over the square of their distance in mm
LENGTHWISE = ("resistor", "diode", "zener")


@dataclass
class Item:
    """A part, a measuring point or a wire pad, with its pads (pin, x, y, mm, net) about its middle, unturned."""

    ref: str
    pads: list[tuple[str, float, float, float, str]]
    size: tuple[float, float]
    above: float
    turns: tuple[int, ...]
    section: str = ""
    package: str = ""
    fixed: bool = False
    edge: bool = False
    x: float = 0.0
    y: float = 0.0
    turn: int = 0
    home: tuple[float, float, float, float] | None = None
    near: list[str] = field(default_factory=list)

    def box(self) -> tuple[float, float, float, float]:
        """Left, low, right, high of what must stay free."""
        w, h = self.size if self.turn % 180 == 0 else self.size[::-1]
        return (self.x - w / 2 - ROOM, self.y - h / 2 - ROOM, self.x + w / 2 + ROOM, self.y + h / 2 + ROOM + self.above)

    def placed(self) -> list[tuple[str, float, float, float, str]]:
        c, s = {0: (1, 0), 90: (0, 1), 180: (-1, 0), 270: (0, -1)}[self.turn]
        return [(pin, self.x + c * x - s * y, self.y + s * x + c * y, mm, net) for pin, x, y, mm, net in self.pads]


def items_of(kit: Kit, keep: set[str], wires: list[str], width: float) -> list[Item]:
    """Everything on the board as it is now; its wire pads anew where ``wires`` names their nets."""
    assert kit.board is not None
    out = [_new(kit, p) for p in kit.parts.values() if _lacks_a_place(kit, p)]
    apart = (width - 2 * MARGIN - 4) / max(len(wires) - 1, 1)
    out += [Item(f"W{n + 1}", [("1", 0.0, 0.0, 2.4, net)], (2.2, 2.2), LABEL, (0,), fixed=True, edge=True, x=round(MARGIN + 2 + n * apart, 2), y=5.0)
            for n, net in enumerate(wires)]  # fmt: skip
    for ref, pads in kit.board.pads_by_ref.items():
        if wires and ref in kit.wire_ends:
            continue
        place, part = kit.board.placements.get(ref), kit.find_part(ref)
        if part is not None and any(p.ref == ref for p in kit.plugged):
            continue  # over its socket
        if place is None or part is None:
            x, y = pads[0].x_mm, pads[0].y_mm
            edge = ref in kit.wire_ends
            out.append(Item(ref, [(p.pin, 0.0, 0.0, p.pad_mm, p.net) for p in pads], (2.2, 2.2), LABEL, (0,), edge=edge, x=x, y=y))
            continue
        angle = -math.radians(place.rotation)
        own = []
        for p in pads:
            dx, dy = p.x_mm - place.x_mm, p.y_mm - place.y_mm
            own.append((p.pin, dx * math.cos(angle) - dy * math.sin(angle), dx * math.sin(angle) + dy * math.cos(angle), p.pad_mm, p.net))
        across = max(abs(x) + mm / 2 for _, x, _, mm, _ in own), max(abs(y) + mm / 2 for _, _, y, mm, _ in own)
        body = body_mm(part)
        size = max(body[0], 2 * across[0]), max(body[1], 2 * across[1])
        inside = part.kind in LENGTHWISE or min(size) > 6
        turns = (0,) if place.package.startswith(("dip", "header", "jack", "pot")) else (0, 180)
        fixed = ref in keep
        out.append(Item(ref, own, size, 0.0 if inside else LABEL, turns if not fixed else (int(place.rotation),), part.section, place.package,
                        fixed, x=place.x_mm, y=place.y_mm, turn=int(place.rotation) if fixed else 0))  # fmt: skip
    by_ref = {i.ref: i for i in out}
    for r in kit.info.relation:
        if r.how == "touches" and r.part in by_ref and r.to in by_ref:
            by_ref[r.part].near.append(r.to)
    return out


def _lacks_a_place(kit: Kit, part: Part) -> bool:
    assert kit.board is not None
    two_legs = part.package in ("axial-10", "axial-7")
    return part.on_board and two_legs and part.ref not in kit.board.placements and part.ref not in kit.on_tags


def _new(kit: Kit, part: Part) -> Item:
    """A part with two legs that is on no board yet, its pads on the nets of its element."""
    assert kit.unit is not None
    names = ["0", *kit.unit.nodes]
    nets = [names[n + 1] for n in kit.unit.element(kit.element_of(part.ref) or "").nodes[:2]]
    half = {"axial-10": 5.08, "axial-7": 3.81}[part.package]
    pads = [(pin, x, 0.0, 1.8, net) for pin, x, net in (("1", -half, nets[0]), ("2", half, nets[1]))]
    return Item(part.ref, pads, (2 * half + 1.8, 2.7), 0.0, (0, 180), part.section, part.package)


def fields(items: list[Item], width: float, height: float) -> None:
    """Give each section a field of the board by its area: supplies on top, the rest side by side in the order of the list."""
    area: dict[str, float] = defaultdict(float)
    for i in items:
        if i.section:
            l, b, r, t = i.box()
            area[i.section] += (r - l) * (t - b)
    total = sum(area.values()) or 1.0
    top = [s for s in area if any(w in s.lower() for w in ("supply", "regulator", "phantom", "lamp"))]
    low = MARGIN + 8.0
    split = height - MARGIN - (height - MARGIN - low) * sum(area[s] for s in top) / total
    for row, bottom, ceiling in ((top, split, height - MARGIN), ([s for s in area if s not in top], low, split)):
        share, x = sum(area[s] for s in row) or 1.0, MARGIN
        for s in row:
            wide = (width - 2 * MARGIN) * area[s] / share
            for i in items:
                if i.section == s:
                    i.home = (x, bottom, x + wide, ceiling)
            x += wide


class Layout:
    """Items on a grid of what is taken, and the length of their connections."""

    def __init__(self, items: list[Item], width: float, height: float, quiet: set[str], seed: int) -> None:
        self.items, self.width, self.height, self.quiet = items, width, height, quiet
        self.by_ref = {i.ref: i for i in items}
        self.random = random.Random(seed)
        self.taken: dict[tuple[int, int], str] = {}
        self.on: dict[str, list[Item]] = defaultdict(list)
        for i in items:
            for net in {p[4] for p in i.pads}:
                self.on[net].append(i)
        for i in sorted(items, key=lambda i: (not i.fixed, not i.edge, -i.size[0] * i.size[1])):
            if not i.fixed:
                self._first(i)
            self._mark(i, i.ref)

    def _cells(self, i: Item) -> list[tuple[int, int]]:
        left, low, right, high = i.box()
        return [(a, b) for a in range(math.floor(left / GRID), math.ceil(right / GRID)) for b in range(math.floor(low / GRID), math.ceil(high / GRID))]

    def _mark(self, i: Item, ref: str) -> None:
        for cell in self._cells(i):
            if ref:
                self.taken[cell] = ref
            else:
                self.taken.pop(cell, None)

    def _free(self, i: Item) -> bool:
        left, low, right, high = i.box()
        if left < 1.0 or low < 1.0 or right > self.width - 1.0 or high > self.height - 1.0:
            return False
        return all(self.taken.get(cell, i.ref) == i.ref for cell in self._cells(i))

    def _first(self, i: Item) -> None:
        a, b, c, d = i.home or (MARGIN, MARGIN, self.width - MARGIN, self.height - MARGIN)
        spots = [(x * GRID, y * 2 * GRID) for x in range(int(self.width / GRID)) for y in range(int(self.height / GRID / 2))]
        if i.edge:
            spots = [(x, MARGIN + 1.0) for x, _ in spots]
        spots.sort(key=lambda s: max(a - s[0], s[0] - c, 0) + max(b - s[1], s[1] - d, 0) + self.random.random() * 8)
        for i.x, i.y in spots:
            if self._free(i):
                return
        raise SystemExit(f"no room for {i.ref}: make the board larger")

    def length(self, net: str) -> float:
        xs, ys = [], []
        for i in self.on[net]:
            for _, x, y, _, n in i.placed():
                if n == net:
                    xs.append(x)
                    ys.append(y)
        return (max(xs) - min(xs) + max(ys) - min(ys)) * (QUIET if net in self.quiet else 1.0)

    def cost(self, moved: list[Item]) -> float:
        nets = {p[4] for i in moved for p in i.pads}
        out = sum(self.length(n) for n in nets)
        for i in moved:
            if i.home:
                a, b, c, d = i.home
                out += STRAYED * (max(a - i.x, i.x - c, 0) + max(b - i.y, i.y - d, 0))
            if i.package.startswith("coil") and not i.fixed:  # what couples two coils falls off steeply with their distance
                out += sum(COILS / max(math.hypot(i.x - o.x, i.y - o.y), 1.0) ** 2 for o in self.items if o.package.startswith("coil") and o is not i)
            out += CLOSE * sum(math.hypot(i.x - o.x, i.y - o.y) for o in self._mates(i))
        return out

    def _mates(self, i: Item) -> list[Item]:
        return [self.by_ref[r] for r in i.near] + [o for o in self.items if i.ref in o.near]

    def anneal(self) -> None:
        loose = [i for i in self.items if not i.fixed]
        for step in range(MOVES):
            warm = HOT * (COLD / HOT) ** (step / MOVES)
            reach = 4 + (self.width / 2) * (1 - step / MOVES) ** 2
            one = self.random.choice(loose)
            kind = self.random.random()
            mates = [o for o in loose if o.edge == one.edge and o is not one]
            other = self.random.choice(mates) if kind < 0.3 and mates else None
            moved = [one] + ([other] if other else [])
            before, was = self.cost(moved), [(i.x, i.y, i.turn) for i in moved]
            for i in moved:
                self._mark(i, "")
            if other:
                one.x, one.y, other.x, other.y = other.x, other.y, one.x, one.y
            elif kind < 0.4 and len(one.turns) > 1:
                one.turn = self.random.choice(one.turns)
            else:
                one.x = round((one.x + self.random.uniform(-reach, reach)) / GRID) * GRID
                if not one.edge:
                    one.y = round((one.y + self.random.uniform(-reach, reach)) / (2 * GRID)) * 2 * GRID
            good = self._free(one)
            if good:
                self._mark(one, one.ref)
                good = other is None or self._free(other)
                self._mark(one, "")
            if good:
                worse = self.cost(moved) - before
                good = worse <= 0 or self.random.random() < math.exp(-worse / warm)
            if not good:
                for i, before_it in zip(moved, was, strict=True):
                    i.x, i.y, i.turn = before_it
            for i in moved:
                self._mark(i, i.ref)

    def total(self) -> float:
        return sum(self.length(n) for n in self.on)


def write(kit: Kit, layout: Layout) -> None:
    """Outline with its corners cut, placements and pads."""
    folder, w, h = Path(kit.folder), layout.width, layout.height
    corners = [(2, 0), (w - 2, 0), (w, 2), (w, h - 2), (w - 2, h), (2, h), (0, h - 2), (0, 2)]
    _csv(folder / "outline.csv", ["x_mm", "y_mm"], [[f"{x:g}", f"{y:g}"] for x, y in corners])
    assert kit.board is not None
    by_ref = {i.ref: i for i in layout.items}
    order = dict.fromkeys([*kit.parts, *kit.board.pads_by_ref, *by_ref])
    places, pads = [], []
    for ref in order:
        item = by_ref.get(ref) or _socket_of(kit, ref, by_ref)
        if item is None:
            continue
        if ref in kit.parts and (ref in kit.board.placements or item.package):
            old = kit.board.placements.get(ref)
            places.append([ref, old.package if old else item.package, f"{item.x:.2f}", f"{item.y:.2f}", f"{item.turn}", "top"])
        if ref in by_ref or ref in kit.board.pads_by_ref:
            nets = {p.pin: p.net for p in kit.board.pads_of(ref)} if ref not in by_ref else {}
            for pin, x, y, mm, net in item.placed():
                pads.append([ref, pin, *(f"{v:.2f}".rstrip("0").rstrip(".") for v in (x, y)), f"{mm:g}", nets.get(pin, net)])
    _csv(folder / "placement.csv", ["Designator", "Package", "Mid X", "Mid Y", "Rotation", "Layer"], places)
    _csv(folder / "pads.csv", ["ref", "pin", "x_mm", "y_mm", "pad_mm", "net"], pads)


def _socket_of(kit: Kit, ref: str, items: dict[str, Item]) -> Item | None:
    """The socket that lies where a plugged part is placed."""
    assert kit.board is not None
    place = kit.board.placements.get(ref)
    if place is None:
        return None
    there = (i for i in items.values() if (p := kit.board.placements.get(i.ref)) and (p.x_mm, p.y_mm) == (place.x_mm, place.y_mm))
    return next(there, None)


def _csv(path: Path, head: list[str], rows: list[list[str]]) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, lineterminator="\n").writerows([head, *rows])


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("kit")
    asked.add_argument("size", nargs="*", type=float)
    asked.add_argument("--wires", default="", help="nets of the wire pads, in the order of the panel")
    asked.add_argument("--keep", nargs="*", default=[])
    asked.add_argument("--seed", type=int, default=1)
    a = asked.parse_args()
    kit = read_kit(SHIPPED / a.kit)
    assert kit.board is not None
    width, height = a.size or kit.board.size
    items = items_of(kit, set(a.keep), a.wires.split(), width)
    fields(items, width, height)
    quiet = {*GROUND_NAMES, *(n for n in {p.net for p in kit.board.pads} if n.lower() in ("vcc", "vp", "vn", "rawp", "rawn", "hv"))}
    layout = Layout(items, width, height, quiet, a.seed)
    before = layout.total()
    layout.anneal()
    write(kit, layout)
    print(f"{a.kit}: {len(items)} things on {width:g} × {height:g} mm, connections {before:.0f} → {layout.total():.0f} mm")


if __name__ == "__main__":
    main()
