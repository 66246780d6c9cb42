"""Ground and case as a graph: which metal is bonded to what and by what, where a loop closes, and what floats."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES

ENCLOSING = ("case", "panel")


@dataclass(frozen=True)
class Link:
    """One piece of metal on another: ``by`` a wire or a contact, as a hand would say it. ``scrape``, paint is under it."""

    one: str
    other: str
    by: str
    net: str = ""
    scrape: bool = False


@dataclass(frozen=True)
class Bonds:
    """``bonds`` of case and panel to nets; ``loops`` as the links that close them; ``floating`` metal on no net; ``scrape`` what is
    open until the paint is off."""

    bonds: tuple[Link, ...]
    loops: tuple[tuple[Link, ...], ...]
    floating: tuple[str, ...]
    scrape: tuple[str, ...]

    @property
    def sound(self) -> bool:
        """Every metal part bonded, and once only."""
        return not self.loops and not self.floating


def links(kit: Kit) -> list[Link]:
    """Every wire, and every contact that ``[[metal]]`` states. All pads of a net are one: the board joins them."""
    pads = set(kit.wire_ends)

    def place(end: str, net: str) -> str:
        return f"the board's {_net(net)}" if end in pads else end

    out = [Link(place(w.start, w.net), place(w.end, w.net), f"wire {w.name}", w.net) for w in kit.wires]
    for m in kit.info.metal:
        if m.how != "insulated":
            own = f"{m.part}.{m.lug}" if m.lug else m.part
            out.append(Link(own, m.to, f"{own} screwed to {m.to}", _net_of(kit, own), m.how == "scraped"))
    return [Link(_case(kit, x.one), _case(kit, x.other), x.by, x.net, x.scrape) for x in out]


def bonds(kit: Kit, painted: Collection[str] = ()) -> Bonds:
    """How a kit's metal is joined when all is wired; contacts of parts that are still ``painted`` are open."""
    every = links(kit)
    there = [x for x in every if not (x.scrape and x.one.partition(".")[0] in painted)]
    shells = [p.ref for p in kit.parts.values() if p.kind in ENCLOSING and (any(p.ref in (x.one, x.other) for x in every) or kit.info.metal)]
    metal = dict.fromkeys([*shells, *(m.part for m in kit.info.metal if not m.lug and m.how != "insulated")])
    return found(there, shells, list(metal), tuple(x.one for x in every if x.scrape))


def told(kit: Kit, now: Bonds) -> list[str]:
    """What is to be known of a kit's metal, a sentence each."""
    refs = set(kit.parts)
    out = [f"{b.one if b.one in refs else b.other} is bonded by {b.by}." for b in now.bonds]
    out += [f"{ref} is open until the paint under it is scraped away." for ref in now.scrape]
    out += [f"LOOP: {', '.join(x.by for x in loop)}. Insulate one of them, or leave it out." for loop in now.loops]
    if now.floating:
        are, touches = ("is", "it") if len(now.floating) == 1 else ("are", "them")
        out.append(f"FLOATING: {', '.join(now.floating)} {are} on no net: hum where a hand touches {touches}, and no shield.")
    if any(s.mains_hz for s in kit.info.supply):
        out.append("The safety earth from the inlet to the case is another bond, by a screw of its own: for a qualified person.")
    if not kit.wires:
        return [f"{kit.name} has no wiring.csv, so nothing is known of its metal."]
    return out or [f"{kit.name} states no metal: [[metal]] in kit.toml says what touches the case."]


def shell_bonds(kit: Kit) -> list[Link]:
    """The bonds of case and panel: each a contact or a wire, from a lug or the board to the metal."""
    shells = {p.ref for p in kit.parts.values() if p.kind in ENCLOSING}
    return [x if x.other in shells else Link(x.other, x.one, x.by, x.net, x.scrape) for x in links(kit) if x.net and {x.one, x.other} & shells]


def found(there: list[Link], shells: Collection[str], metal: Collection[str], scrape: tuple[str, ...] = ()) -> Bonds:
    """The same of any links: ``shells`` are bonded, ``metal`` must not float. A loop is a ring of links; which of several
    rings are told is those with the fewest links (networkx, minimum cycle basis)."""
    import networkx as nx  # not before it is needed

    graph = nx.Graph()
    graph.add_nodes_from(metal)
    graph.add_nodes_from(shells)
    loops: list[tuple[Link, ...]] = []
    for link in there:
        if link.one == link.other or graph.has_edge(link.one, link.other):
            twice = graph.edges[link.one, link.other]["link"] if link.one != link.other else link
            loops.append((twice, link) if twice is not link else (link,))
        else:
            graph.add_edge(link.one, link.other, link=link)
    for ring in nx.minimum_cycle_basis(graph):
        around = graph.subgraph(ring).edges(data="link")
        loops.append(tuple(link for _, _, link in around if link is not None))
    net_of = {node: next((x.net for x in there if x.net and node in (x.one, x.other)), "") for node in graph}
    floating = [
        piece for piece in dict.fromkeys([*shells, *metal])
        if not any(net_of[node] for node in nx.node_connected_component(graph, piece))
    ]  # fmt: skip
    held = tuple(x for x in there if x.net and (x.one in shells or x.other in shells))
    return Bonds(held, tuple(loops), tuple(floating), scrape)


def _case(kit: Kit, end: str) -> str:
    """All lugs of a case are the case."""
    part = kit.find_part(end.partition(".")[0])
    return part.ref if part is not None and part.kind in ENCLOSING else end


def _net_of(kit: Kit, lug: str) -> str:
    return next((w.net for w in kit.wires if lug in w.ends), "")


def _net(net: str) -> str:
    return "ground" if net in GROUND_NAMES else net
