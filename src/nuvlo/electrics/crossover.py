"""The coils of a crossover on their board: how they couple, what that does to what is heard, and where they had better lie."""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.cards import Card
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.expression import constant
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import load_on, responses
from nuvlo.electrics.coils import Pose, Winding, coupling, mutual, steel_share
from nuvlo.kit import Kit
from nuvlo.kit.packages import body_mm, coil_mm
from nuvlo.model.ensemble import known_to, laws
from nuvlo.problems import NuvloError, Problem

HERTZ = np.geomspace(20.0, 20e3, 80)
HEARD_DB = 30.0  # what a driver gives lies so far below its best at most, or it does not count
EDGE_MM, APART_MM = 4.0, 3.0  # free round the board, and between two coils
TRIES, HOT, COLD = 6000, 1.0, 1e-3  # moves of a search; relative rise that a move may cost, at first and at last
LEADS_MM, GRID_MM = 4.0, 2.0  # a lead's bend at either end of a body; how finely places are tried
WAYS = ("flat", "edge", "across")  # axis upright, along the board, and across it

Pair = tuple[str, str]


@dataclass(frozen=True)
class Coil:
    """One coil of the board: its middle there, mm, and how it lies."""

    ref: str
    winding: Winding
    x_mm: float
    y_mm: float
    way: str

    @property
    def pose(self) -> Pose:
        lying = self.way != "flat"
        up = (self.winding.outer_mm if lying else self.winding.length_mm) / 2
        axis = {"flat": (0.0, 0.0, 1.0), "edge": (1.0, 0.0, 0.0), "across": (0.0, 1.0, 0.0)}[self.way]
        return Pose((self.x_mm, self.y_mm, up), axis)

    @property
    def size(self) -> tuple[float, float]:
        """Along and across the board, mm."""
        d, l = self.winding.outer_mm, self.winding.length_mm
        return {"flat": (d, d), "edge": (l, d), "across": (d, l)}[self.way]


@dataclass(frozen=True)
class Heard:
    """The most that coupling changes: dB at each driver where it is heard, and Ω of what the amplifier sees, with the Hz where."""

    db: Mapping[str, tuple[float, float]]
    ohms: tuple[float, float]

    @property
    def worst_db(self) -> float:
        return max((db for db, _ in self.db.values()), default=0.0)


def coils_of(kit: Kit) -> list[Coil]:
    """Coils on the kit's board, by their packages and ``[[winding]]``. Raises :class:`NuvloError` where it has none."""
    out = []
    for w in kit.info.winding:
        part = kit.part(w.part)
        shape, place = coil_mm(part.package), kit.board.placements.get(part.ref) if kit.board else None
        if shape is None or place is None:
            continue
        across, length, edge = shape
        way = "flat" if not edge else "edge" if place.rotation % 180 == 0 else "across"
        out.append(Coil(part.ref, Winding(w.inner_mm, across, length, w.turns), place.x_mm, place.y_mm, way))
    if not out:
        raise NuvloError(Problem(f"{kit.name} says nothing of windings on a board.", "It needs [[winding]] for each coil, and their places."))
    return out


def couplings(coils: Sequence[Coil]) -> dict[Pair, float]:
    """The coupling factor of each two coils, −1 to 1."""
    return {(a.ref, b.ref): coupling(a.winding, a.pose, b.winding, b.pose) for a, b in itertools.combinations(coils, 2)}


def heard(kit: Kit, factors: Mapping[Pair, float], grown: Mapping[str, float] | None = None) -> Heard:
    """What coils that couple, or whose inductance has ``grown`` by a share near steel, do to the response of each driver and to
    the impedance, whichever way round their leads are: the worst of all."""
    base = kit.setup("", (kit.source,))
    token = base.netlist.top.cards[0].token
    refs = sorted({ref for pair in factors for ref in pair})
    signs = np.array([(1.0, *rest) for rest in itertools.product((1.0, -1.0), repeat=max(len(refs) - 1, 0))]) if refs else np.ones((1, 0))
    cards: list[Card] = []
    values: dict[str, float | Array] = dict(known_to(base, {name: law.nominal for name, law in laws(kit).items()}))
    for k, ((a, b), factor) in enumerate(factors.items()):
        ends = (kit.element_of(a) or "", kit.element_of(b) or "")
        cards.append(Card(f"k_coils_{k}", "k", (), {"value": constant(0.0)}, None, token, ends))
        # The first member is the crossover without coupling.
        values[f"k_coils_{k}"] = np.concatenate([[0.0], factor * signs[:, refs.index(a)] * signs[:, refs.index(b)]])
    members = 1 + len(signs)
    for ref, share in (grown or {}).items():
        name = kit.element_of(ref) or ""
        values[name] = (kit.part(ref).value or 0.0) * np.array([1.0, *[1.0 + share] * (members - 1)])
    circuit = Circuit(replace(base.netlist, top=replace(base.netlist.top, cards=[*base.netlist.top.cards, *cards])))
    point = operating_point(circuit, values)
    names = ["0", *circuit.nodes]
    drivers = {p.ref: _ends(kit, names, p.ref) for p in kit.parts.values() if p.kind == "driver" and kit.elements_of(p.ref)}
    nodes = sorted({n for pair in drivers.values() for n in pair if n != "0"})
    found = responses(point, kit.source, nodes, HERTZ)
    db = {}
    for ref, (a, b) in drivers.items():
        volts = (found[a].transfer if a != "0" else 0.0) - (found[b].transfer if b != "0" else 0.0)
        level = 20 * np.log10(np.maximum(np.abs(volts), 1e-12))
        off = np.abs(level[1:] - level[:1]).max(axis=0)
        off[level[0] < level[0].max() - HEARD_DB] = 0.0
        db[ref] = _most(off)
    ohms = np.abs(load_on(point, kit.source, HERTZ))
    return Heard(db, _most(np.abs(ohms[1:] - ohms[:1]).max(axis=0)))


def _ends(kit: Kit, names: Sequence[str], ref: str) -> tuple[str, str]:
    card = next(c for c in kit.unit.netlist.top.cards if c.name == kit.element_of(ref)) if kit.unit else None
    assert card is not None
    return card.nodes[0], card.nodes[1]


def _most(off: Array) -> tuple[float, float]:
    k = int(np.argmax(off))
    return float(off[k]), float(HERTZ[k])


def near_steel(coils: Sequence[Coil], distance_mm: float) -> dict[str, float]:
    """By what share each inductance grows over a sheet of steel so far below the board."""
    return {c.ref: steel_share(c.winding, c.pose, distance_mm) for c in coils}


def arranged(coils: Sequence[Coil], width_mm: float, height_mm: float, seed: int = 1) -> list[Coil]:
    """The same coils within an opening, where they couple least: a search over places and ways to lie by simulated annealing (S.
    Kirkpatrick, C. D. Gelatt, M. P. Vecchi, Science 220, 1983). Raises :class:`NuvloError` where they do not fit."""
    dice = random.Random(seed)
    now = _first(coils, width_mm, height_mm, dice)
    couple = {(i, j): _squared(now[i], now[j]) for i, j in itertools.combinations(range(len(now)), 2)}
    best, least = list(now), sum(couple.values())
    for step in range(TRIES):
        warm = HOT * (COLD / HOT) ** (step / TRIES)
        reach = 4.0 + max(width_mm, height_mm) / 2 * (1 - step / TRIES) ** 2
        k = dice.randrange(len(now))
        way = dice.choice(WAYS) if dice.random() < 0.25 else now[k].way
        trial = replace(now[k], x_mm=now[k].x_mm + dice.uniform(-reach, reach), y_mm=now[k].y_mm + dice.uniform(-reach, reach), way=way)
        if not _fits(trial, [c for i, c in enumerate(now) if i != k], width_mm, height_mm):
            continue
        fresh = {(min(k, i), max(k, i)): _squared(trial, c) for i, c in enumerate(now) if i != k}
        before, after = sum(couple[p] for p in fresh), sum(fresh.values())
        if after <= before or dice.random() < math.exp(-(after / max(before, 1e-12) - 1) / warm):
            now[k] = trial
            couple.update(fresh)
            if (total := sum(couple.values())) < least:
                best, least = list(now), total
    return best


@dataclass(frozen=True)
class Spot:
    """Where a part that is no coil goes: its middle on the board, mm, along it or ``turned`` across."""

    ref: str
    x_mm: float
    y_mm: float
    turned: bool


def placed(kit: Kit, coils: Sequence[Coil], width_mm: float, height_mm: float) -> list[Spot]:
    """The other parts of the board round its coils, the largest first, each where its leads are shortest to what is placed already.
    Raises :class:`NuvloError` for one that does not go in."""
    board = kit.board
    assert board is not None
    there = {c.ref for c in coils}
    nets = {ref: {pad.net for pad in board.pads_of(ref)} for ref in board.placements}
    taken = [(c.x_mm, c.y_mm, c.size[0] + APART_MM, c.size[1] + APART_MM) for c in coils]
    middles = {c.ref: (c.x_mm, c.y_mm) for c in coils}
    out = []
    parts = [kit.part(ref) for ref in board.placements if ref not in there]
    for part in sorted(parts, key=lambda p: -math.prod(body_mm(p))):
        near = [at for ref, at in middles.items() if nets[ref] & nets[part.ref]]
        free = []
        for turned in (False, True):
            long, wide = body_mm(part)
            w, h = (wide, long + 2 * LEADS_MM) if turned else (long + 2 * LEADS_MM, wide)
            xs, ys = np.meshgrid(np.arange(EDGE_MM + w / 2, width_mm - EDGE_MM - w / 2, GRID_MM), np.arange(EDGE_MM + h / 2, height_mm - EDGE_MM - h / 2, GRID_MM))
            fits = np.ones(xs.shape, dtype=bool)
            for x, y, ow, oh in taken:
                fits &= (np.abs(xs - x) >= (w + ow) / 2) | (np.abs(ys - y) >= (h + oh) / 2)
            lead = sum((np.hypot(xs - x, ys - y) for x, y in near), np.hypot(xs - width_mm / 2, ys - height_mm / 2) * 1e-3)
            if fits.any():
                k = int(np.argmin(np.where(fits, lead, np.inf)))
                free.append((float(lead.flat[k]), Spot(part.ref, float(xs.flat[k]), float(ys.flat[k]), turned), w, h))
        if not free:
            raise NuvloError(Problem(f"{part.ref} does not go into {width_mm:g} × {height_mm:g} mm beside the coils.", "Give a larger opening, or another seed."))
        _, spot, w, h = min(free, key=lambda f: f[0])
        out.append(spot)
        taken.append((spot.x_mm, spot.y_mm, w + GRID_MM, h + GRID_MM))
        middles[part.ref] = spot.x_mm, spot.y_mm
    return out


def _squared(a: Coil, b: Coil) -> float:
    rough = mutual(a.winding, a.pose, b.winding, b.pose, fine=1, points=24)
    return rough**2 / (a.winding.inductance * b.winding.inductance)


def _fits(coil: Coil, others: Sequence[Coil], width: float, height: float) -> bool:
    w, h = coil.size
    if not (EDGE_MM + w / 2 <= coil.x_mm <= width - EDGE_MM - w / 2 and EDGE_MM + h / 2 <= coil.y_mm <= height - EDGE_MM - h / 2):
        return False
    return all(
        abs(coil.x_mm - o.x_mm) >= (w + o.size[0]) / 2 + APART_MM or abs(coil.y_mm - o.y_mm) >= (h + o.size[1]) / 2 + APART_MM for o in others
    )


def _first(coils: Sequence[Coil], width: float, height: float, dice: random.Random) -> list[Coil]:
    for _ in range(200):
        out: list[Coil] = []
        for coil in sorted(coils, key=lambda c: -c.winding.outer_mm):
            for _ in range(200):
                here = replace(coil, x_mm=dice.uniform(0, width), y_mm=dice.uniform(0, height), way=dice.choice(WAYS))
                if _fits(here, out, width, height):
                    out.append(here)
                    break
        if len(out) == len(coils):
            return out
    raise NuvloError(Problem(f"{len(coils)} coils do not go into {width:g} × {height:g} mm.", "Give them a larger opening."))
