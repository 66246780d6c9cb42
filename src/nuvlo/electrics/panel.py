"""The holes of a panel or a box, what stands behind them and whether it meets, and the scales of its controls."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.kit import Kit, PanelHole, Part
from nuvlo.kit.schema import Enclosure
from nuvlo.model.ensemble import known_to, laws
from nuvlo.problems import NuvloError, Problem

GAP_MM = 1.0  # that two bodies, or a body and a wall, keep (common practice, no source)
BOARD = "the board"
UNDER_MM, BOARD_MM = 3.0, 1.6  # cut leads behind a board, and its own thickness
# Across, up and deep behind the panel in mm, by kind and what the list says (usual sizes, from memory); the first that fits.
BODIES: tuple[tuple[str, str, tuple[float, float, float]], ...] = (
    ("potentiometer", "dual", (17, 22, 20)), ("potentiometer", "", (17, 22, 12)),
    ("jack", r"xlr", (24, 26, 26)), ("jack", r"3[.,]5", (9, 11, 12)), ("jack", "phono", (12, 12, 20)), ("jack", "three", (60, 20, 22)),
    ("jack", r"posts", (40, 20, 22)), ("jack", "", (17, 22, 26)),
    ("switch", "positions", (28, 28, 25)), ("switch", "latching", (17, 19, 26)), ("switch", "mains", (22, 30, 25)), ("switch", "", (8, 13, 20)),
    ("socket", "pins", (24, 24, 18)), ("socket", "inlet", (28, 48, 30)), ("socket", "block", (22, 10, 12)), ("socket", "", (12, 14, 22)),
    ("lamp", "", (7, 7, 14)), ("fuse", "", (15, 15, 30)),
)  # fmt: skip
TRAVEL_DEG = 300.0  # of a pot (common practice)
SCALE_DB = (0, -3, -6, -10, -15, -20, -30, -40, -60)
LEAST_APART_DEG, LEAST_MARKS = 10.0, 6  # of marks in dB: closer, or fewer, they are no scale
FROM_BEHIND = ("back", "left", "bottom")  # faces whose left is the right of one who looks at the front
LEAST_RANGE_DB = 20.0  # a control that moves the gain so far is a level
POSITIONS = 121
MIDDLE_HZ = 1000.0


@dataclass(frozen=True)
class Face:
    """One face that is drilled: mm wide and high, and its holes, as one looks at it from outside."""

    name: str
    width: float
    height: float
    holes: tuple[PanelHole, ...]

    def seen(self, x_mm: float) -> float:
        """Where a place that is stated as in ``panel.csv`` is seen from outside."""
        return self.width - x_mm if self.name in FROM_BEHIND else x_mm


@dataclass(frozen=True)
class Body:
    """What stands behind a hole: corners (x, y, z) mm inside the box, z backwards from the front."""

    ref: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]


@dataclass(frozen=True)
class Tick:
    """A mark of a scale: degrees clockwise from straight up, and what stands there; nothing for a small one."""

    degrees: float
    text: str


def faces(kit: Kit) -> list[Face]:
    """Every face with holes. Raises :class:`NuvloError` where the kit says nothing of them."""
    box = enclosure(kit)
    size = {"front": (box.width_mm, box.height_mm), "left": (box.depth_mm, box.height_mm), "top": (box.width_mm, box.depth_mm)}
    size |= {"back": size["front"], "right": size["left"], "bottom": size["top"]}
    out = []
    for name, (wide, high) in size.items():
        holes = tuple(h for h in kit.panel if h.face == name)
        if not holes:
            continue
        outside = [h.ref for h in holes if not (0 <= h.x_mm <= wide and 0 <= h.y_mm <= high)]
        if outside:
            raise NuvloError(Problem(f"{', '.join(outside)} lie outside the {name} of {wide:g} × {high:g} mm.", "Mend panel.csv."))
        face = Face(name, wide, high, ())
        out.append(replace(face, holes=tuple(replace(h, x_mm=face.seen(h.x_mm)) for h in holes)))
    return out


def enclosure(kit: Kit) -> Enclosure:
    """The box. Raises :class:`NuvloError` where the kit says nothing of it or of holes."""
    if not kit.panel or kit.info.enclosure is None:
        raise NuvloError(Problem(f"{kit.name} says nothing of its panel.", "It needs panel.csv and [enclosure] in kit.toml."))
    return kit.info.enclosure


def behind(part: Part) -> tuple[float, float, float] | None:
    """Across, up and deep, mm, of what is behind a part's hole; None for a hole with nothing."""
    words = f"{part.text} {part.note}".lower()
    return next((size for kind, word, size in BODIES if part.kind == kind and re.search(word, words)), None)


def bodies(kit: Kit) -> list[Body]:
    """Everything that stands in the box: bodies behind holes, and the board with its tallest part."""
    box, out = enclosure(kit), []
    for hole in kit.panel:
        part = kit.find_part(hole.ref)
        size = behind(part) if part is not None else None
        if size is None:
            continue
        across, up, deep = size
        wall = box.wall_mm
        w, h, d = box.width_mm, box.height_mm, box.depth_mm
        x, y = hole.x_mm, hole.y_mm
        low, high = {
            "front": ((x - across / 2, y - up / 2, wall), (x + across / 2, y + up / 2, wall + deep)),
            "back": ((x - across / 2, y - up / 2, d - wall - deep), (x + across / 2, y + up / 2, d - wall)),
            "left": ((wall, y - up / 2, x - across / 2), (wall + deep, y + up / 2, x + across / 2)),
            "right": ((w - wall - deep, y - up / 2, x - across / 2), (w - wall, y + up / 2, x + across / 2)),
            "bottom": ((x - across / 2, wall, y - up / 2), (x + across / 2, wall + deep, y + up / 2)),
            "top": ((x - across / 2, h - wall - deep, y - up / 2), (x + across / 2, h - wall, y + up / 2)),
        }[hole.face]  # fmt: skip
        out.append(Body(hole.ref, low, high))
    if box.board is not None and kit.board is not None:
        x, y, z = box.board
        wide, long = kit.board.size[::-1] if box.turned else kit.board.size
        tall = max((kit.parts[r].stands_mm for r in kit.board.placements if r in kit.parts and not kit.parts[r].through_panel), default=0.0)
        thick = tall + BOARD_MM + UNDER_MM
        size = (wide, long, thick) if box.lies == "behind" else (wide, thick, long)
        out.append(Body(BOARD, (x, y, z), (x + size[0], y + size[1], z + size[2])))
    return out


def clashes(kit: Kit) -> list[str]:
    """What meets inside: two bodies, or a body and a wall, each with how much is lacking."""
    box, every, out = enclosure(kit), bodies(kit), []
    limits, wall = (box.width_mm, box.height_mm, box.depth_mm), box.wall_mm if box.depth_mm else 0.0
    for body in every:
        for axis, limit in enumerate(limits):
            if not limit:
                continue
            short = max(wall - body.low[axis], body.high[axis] - (limit - wall))
            if short > 1e-9:
                where = ("a side wall", "the end wall", "front or lid")[axis]
                out.append(f"{body.ref} meets {where}: {short:.1f} mm are lacking.")
    for a, b in combinations(every, 2):
        if BOARD in (a.ref, b.ref) and any(r in kit.parts and kit.parts[r].through_panel for r in (a.ref, b.ref)):
            continue  # it stands on the board
        apart = max(max(a.low[k] - b.high[k], b.low[k] - a.high[k]) for k in range(3))
        if apart < 0:
            out.append(f"{a.ref} and {b.ref} want the same room: {-apart:.1f} mm are lacking.")
        elif apart < GAP_MM and BOARD not in (a.ref, b.ref):
            out.append(f"{a.ref} and {b.ref} are only {apart:.1f} mm apart.")
    return out


def scale(kit: Kit, ref: str) -> list[Tick]:
    """Marks round a control: dB where it sets a level, by the solver; else 0 to 10."""
    control = next((c for c in kit.info.control if c.ref.lower() == ref.lower()), None)
    travel = control.travel_deg if control and control.travel_deg else TRAVEL_DEG
    levels = _levels(kit, ref) if control else None
    plain = [Tick(travel * (k / 20 - 0.5), f"{k // 2}" if k % 2 == 0 else "") for k in range(21)]
    if levels is None:
        return plain
    position, db = levels
    db = db - db.max()
    order = np.argsort(db)
    marks = [Tick(travel * (float(np.interp(mark, db[order], position[order])) - 0.5), f"{mark}") for mark in SCALE_DB if mark >= db.min()]
    apart: list[Tick] = []
    for tick in marks:
        if not apart or abs(tick.degrees - apart[-1].degrees) >= LEAST_APART_DEG:
            apart.append(tick)
    return apart if len(apart) >= LEAST_MARKS else plain


def _levels(kit: Kit, ref: str) -> tuple[Array, Array] | None:
    """Positions and dB of the first output, where a control moves it far enough and one way only."""
    if kit.unit is None or not kit.source or not kit.output or kit.element_of(ref) is None:
        return None
    circuit = kit.setup("", (kit.source, kit.output))
    position = np.linspace(0.01, 1.0, POSITIONS)
    values = {name: law.nominal for name, law in laws(kit).items()}
    point = operating_point(circuit, {**known_to(circuit, values), kit.position_of(ref): position})
    gain = np.abs(responses(point, kit.source, [kit.output], np.array([MIDDLE_HZ]))[kit.output].transfer[:, 0])
    db = 20 * np.log10(np.maximum(gain, 1e-9))
    steps = np.diff(db)
    one_way = bool((steps > 0).all() or (steps < 0).all())
    return (position, db) if one_way and np.ptp(db) >= LEAST_RANGE_DB else None


def tick_ends(hole: PanelHole, tick: Tick, inner: float, outer: float) -> Sequence[tuple[float, float]]:
    """Both ends of a tick, mm on its face."""
    angle = math.radians(90 - tick.degrees)
    return [(hole.x_mm + r * math.cos(angle), hole.y_mm + r * math.sin(angle)) for r in (inner, outer)]
