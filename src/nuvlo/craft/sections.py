"""In which order the sections of a board are built, which can be tested before the next goes in, and at which points."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from nuvlo.circuit.cards import Card
from nuvlo.kit.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES

CARRIES = ("switch", "fuse", "jack", "socket")  # off the board, but bridged by the supply's own clips at the bench


def read_at(kit: Kit, sections: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """``sections`` in the order in which they are built, and for each the points that come alive with it.

    That is the order given, but a section waits for the one that feeds it. A point comes alive where direct current reaches it
    from a supply through what is soldered by then, and not by way of a pin whose chip is not in its socket yet, unless that is
    one of the chip's supplies. A section with a socket has none. Nor has any section of a kit without a circuit or a supply.
    """
    if kit.unit is None or kit.passive:
        return dict.fromkeys(sections, ())
    board = _Board(kit, sections)
    waiting = list(sections)
    out: dict[str, tuple[str, ...]] = {}
    while waiting:
        fed = (s for s in waiting if board.alive(s, [*out, s]) or not board.alive(s, sections))
        section = next(fed, waiting[0])
        out[section] = () if section in board.socketed else board.alive(section, [*out, section])
        waiting.remove(section)
    return out


class _Board:
    """The cards of a kit's netlist by section, and what of them is dead while sockets are empty."""

    def __init__(self, kit: Kit, sections: Sequence[str]) -> None:
        assert kit.unit is not None
        empty = {e for part in kit.plugged for e in kit.elements_of(part.ref)}
        self.points = kit.info.point
        self.socketed = {p.section for p in kit.plugged}
        self.cards: dict[str, list[Card]] = {s: [] for s in sections}
        self.carrying: list[Card] = []
        asleep: set[str] = set()
        for card in kit.unit.netlist.top.cards:
            part = kit.part_of(card.name)
            if card.name in empty:
                asleep |= set(card.nodes)
            elif part is not None and part.on_board:
                self.cards.setdefault(part.section, []).append(card)
            elif part is not None and part.kind in CARRIES:
                self.carrying.append(card)
        self.rails = {s.node.lower() for s in kit.info.supply}
        by_rail = [c for s in sections if any(set(c.nodes) & self.rails for c in self.cards[s]) for c in self.cards[s]]
        self.asleep = asleep - self._reached(by_rail, ())

    def alive(self, section: str, fitted: Collection[str]) -> tuple[str, ...]:
        """Points on nodes of ``section`` that no other one in ``fitted`` has, and that a supply reaches."""
        known = {n for s in fitted if s != section for c in self.cards[s] for n in c.nodes}
        fresh = {n for c in self.cards[section] for n in c.nodes} - known
        live = self._reached([c for s in fitted for c in self.cards[s]], self.asleep) - self.asleep
        grounds = live | {*GROUND_NAMES}
        return tuple(p.name for p in self.points if p.node in live & fresh and p.reference in grounds)

    def _reached(self, cards: Sequence[Card], barred: Collection[str]) -> set[str]:
        """Nodes to which direct current comes from the supplies; neither ground nor what is ``barred`` passes any on."""
        ends = [set(c.nodes) - {*GROUND_NAMES, *barred} for c in (*cards, *self.carrying) if c.kind != "c"]
        out = set(self.rails)
        while new := [e for e in ends if e & out and not e <= out]:
            out = out.union(*new)
        return out
