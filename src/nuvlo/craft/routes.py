"""A board that is joined letter to letter: every A to every A, by leads on its back. Which pads each lead joins, in which order they are
laid, and where one crosses another."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from nuvlo.kit import Kit, Pad
from nuvlo.kit.packages import body_mm
from nuvlo.words import listed

CROSSING_MM, TOUCH_MM = 60.0, 400.0  # what a crossing and a lead over a pad of another letter cost, in mm of lead
CLEAR_MM = 1.5  # between a bare lead and the rim of such a pad
ENDS_MM = 6.0  # of lead at each joint, bent round (common practice, no source)
TIED_MM = 20.0  # bodies from that size on are held by ties through the board (common practice, no source)

Place = tuple[float, float]


@dataclass(frozen=True)
class Lead:
    """One straight lead from joint to joint: its ``letter`` and net, the letters it ``crosses``, the parts whose ties it lies under."""

    letter: str
    net: str
    start: Pad
    end: Pad
    crosses: tuple[str, ...]
    under: tuple[str, ...]

    @property
    def name(self) -> str:
        return f"{_joint(self.start)}–{_joint(self.end)}"

    @property
    def cut_mm(self) -> float:
        """Length to cut, its bent ends included, up to the next 5 mm."""
        return 5.0 * math.ceil((_apart(self.start, self.end) + 2 * ENDS_MM) / 5)


@dataclass(frozen=True)
class Join:
    """All leads of one letter, in the order to lay them."""

    letter: str
    net: str
    leads: tuple[Lead, ...]

    @property
    def words(self) -> str:
        """What to lay, in one sentence a lead."""
        said = []
        for lead in self.leads:
            over = f", in sleeve over {listed(lead.crosses)}" if lead.crosses else ""
            under = f", under the ties of {listed(lead.under)}" if lead.under else ""
            said.append(f"{lead.name}, {lead.cut_mm:g} mm{under}{over}")
        return "; ".join(said)


def joins(kit: Kit) -> list[Join]:
    """The leads of a lettered board, letter by letter in the order to lay them: what lies under ties first, then what crosses nothing,
    long ones before short; what crosses others last, in sleeve over them. Empty for a board that is not lettered."""
    board = kit.board
    if board is None or not kit.info.work.letters:
        return []
    if "joins" not in kit.memory:
        nets = lettered(kit)
        trees = routed([[pad for pad in board.pads if pad.net == net] for net in nets.values()])
        ties = _ties(kit)
        leads: dict[str, list[Lead]] = {}
        flat = [(letter, a, b) for letter, tree in zip(nets, trees, strict=True) for a, b in tree]
        for k, (letter, a, b) in enumerate(flat):
            # Of two that cross, the one that is laid later wears the sleeve: it is told once.
            over = [other for other, c, d in flat[:k] if other != letter and _cross(a, b, c, d)]
            under = [ref for ref, ends in ties if any(_lines_cross((a.x_mm, a.y_mm), (b.x_mm, b.y_mm), *end) for end in ends)]
            leads.setdefault(letter, []).append(Lead(letter, nets[letter], a, b, tuple(dict.fromkeys(over)), tuple(dict.fromkeys(under))))
        found = [Join(letter, nets[letter], tuple(sorted(row, key=_first))) for letter, row in leads.items()]
        kit.memory["joins"] = sorted(found, key=lambda j: max(bool(lead.crosses) for lead in j.leads))
    made: list[Join] = kit.memory["joins"]
    return made


def lettered(kit: Kit) -> dict[str, str]:
    """The letter of each net that joins two pads or more, those that wires of the case come to first."""
    pads = kit.board.pads if kit.board else ()
    ends = set(kit.wire_ends)
    order = dict.fromkeys([*(p.net for p in pads if p.ref in ends), *(p.net for p in pads)])
    nets = [net for net in order if sum(p.net == net for p in pads) > 1]
    return {_letter(k): net for k, net in enumerate(nets)}


def routed(nets: Sequence[Sequence[Pad]]) -> list[list[tuple[Pad, Pad]]]:
    """For each net the leads that join its pads: a tree over them, as short as crossings allow. Begins with the shortest trees (J. B.
    Kruskal, Proc. AMS 7, 1956), then exchanges one lead after another for a better one until none is."""
    trees = [_shortest(pads) for pads in nets]
    pads = [p for net in nets for p in net]
    better = True
    while better:
        better = False
        for n, tree in enumerate(trees):
            for k in range(len(tree)):
                others = [lead for m, row in enumerate(trees) if m != n for lead in row]
                rest = [*tree[:k], *tree[k + 1 :]]
                one, other = _sides(nets[n], rest)
                best = min(((a, b) for a in one for b in other), key=lambda lead: _cost(lead, others, pads))
                if _cost(best, others, pads) < _cost(tree[k], others, pads) - 1e-9:
                    tree[k], better = best, True
    return trees


def crossings(leads: Iterable[tuple[Pad, Pad]]) -> int:
    """How often leads of different nets cross."""
    row = list(leads)
    return sum(a.net != c.net and _cross(a, b, c, d) for k, (a, b) in enumerate(row) for c, d in row[:k])


def _shortest(pads: Sequence[Pad]) -> list[tuple[Pad, Pad]]:
    import networkx as nx  # not before it is needed

    graph = nx.Graph()
    graph.add_nodes_from(range(len(pads)))
    graph.add_weighted_edges_from((i, j, _apart(pads[i], pads[j])) for j in range(len(pads)) for i in range(j))
    return [(pads[i], pads[j]) for i, j in nx.minimum_spanning_edges(graph, data=False)]


def _sides(pads: Sequence[Pad], rest: Sequence[tuple[Pad, Pad]]) -> tuple[list[Pad], list[Pad]]:
    """The two halves that are left of a tree without one of its leads."""
    import networkx as nx  # not before it is needed

    graph = nx.Graph()
    graph.add_nodes_from(pads)
    graph.add_edges_from(rest)
    one, other = nx.connected_components(graph)
    return sorted(one, key=_joint), sorted(other, key=_joint)


def _cost(lead: tuple[Pad, Pad], others: Sequence[tuple[Pad, Pad]], pads: Sequence[Pad]) -> float:
    a, b = lead
    touched = sum(p.net != a.net and _beside(p, a, b) < p.pad_mm / 2 + CLEAR_MM for p in pads)
    return _apart(a, b) + CROSSING_MM * sum(_cross(a, b, c, d) for c, d in others) + TOUCH_MM * touched


def _first(lead: Lead) -> tuple[bool, bool, float]:
    return bool(lead.crosses), not lead.under, -lead.cut_mm


def _ties(kit: Kit) -> list[tuple[str, list[tuple[Place, Place]]]]:
    """Where the ties of each large body run on the back: across it, at a quarter and three quarters of its length."""
    out = []
    assert kit.board is not None
    for ref, at in kit.board.placements.items():
        part = kit.find_part(ref)
        if part is None or max(body_mm(part)) < TIED_MM:
            continue
        long, wide = body_mm(part)
        turn = math.radians(at.rotation)
        along, across = (math.cos(turn), math.sin(turn)), (-math.sin(turn), math.cos(turn))
        ends = []
        for share in (-0.25, 0.25):
            x, y = at.x_mm + share * long * along[0], at.y_mm + share * long * along[1]
            ends.append(((x - wide / 2 * across[0], y - wide / 2 * across[1]), (x + wide / 2 * across[0], y + wide / 2 * across[1])))
        out.append((ref, ends))
    return out


def _cross(a: Pad, b: Pad, c: Pad, d: Pad) -> bool:
    return _lines_cross(*((p.x_mm, p.y_mm) for p in (a, b, c, d)))


def _lines_cross(a: Place, b: Place, c: Place, d: Place) -> bool:
    """Whether two stretches cross between their ends."""

    def side(p: Place, q: Place, r: Place) -> float:
        return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


def _beside(p: Pad, a: Pad, b: Pad) -> float:
    """How far a pad lies from a stretch, mm."""
    dx, dy = b.x_mm - a.x_mm, b.y_mm - a.y_mm
    share = ((p.x_mm - a.x_mm) * dx + (p.y_mm - a.y_mm) * dy) / max(dx * dx + dy * dy, 1e-9)
    share = min(max(share, 0.0), 1.0)
    return math.hypot(p.x_mm - a.x_mm - share * dx, p.y_mm - a.y_mm - share * dy)


def _apart(a: Pad, b: Pad) -> float:
    return math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm)


def _joint(pad: Pad) -> str:
    return f"{pad.ref}.{pad.pin}"


def _letter(k: int) -> str:
    return chr(65 + k) if k < 26 else _letter(k // 26 - 1) + chr(65 + k % 26)
