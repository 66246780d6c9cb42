"""What may be wrong with wires, beside what may be wrong with parts; and what is read of both while they are rung out."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import replace

from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.probes import WHOLE, Reading, readings_of
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Tone
from nuvlo.measurement import Observable, ohms_at
from nuvlo.model import wired
from nuvlo.model.asked import ringing_out
from nuvlo.model.bonds import shell_bonds

KINDS = {"missing": "wire-open", "exchanged": "wire-exchanged", "beside": "wire-beside", "case": "wire-ground"}  # in the table of mistakes
LATER = (KINDS["missing"], KINDS["case"])
MOST_TOLD, LEAST_TOLD = 3, 0.03  # mistakes of a group that are named, suspicions too; and the share of one that is worth a look


def in_words_of(mistakes: Sequence[Mistake]) -> str:
    """Mistakes that nothing read so far tells apart, in a sentence."""
    told, more = ", or ".join(m.text for m in mistakes[:MOST_TOLD]), len(mistakes) - MOST_TOLD
    return f"{told}, or one of {more} more that read the same so far" if more > 0 else told


def wiring_mistakes(kit: Kit) -> list[Mistake]:
    """Every single mistake with wires, lugs and bonds."""
    return [Mistake(m.words, (), KINDS[m.kind], m.overrides, pads=m.ends, wired=True) for m in wired.mistakes(kit)]


def every_mistake(kit: Kit) -> list[Mistake]:
    """Those of parts, then those of wires."""
    return [*single_mistakes(kit), *(wiring_mistakes(kit) if kit.unit is not None and kit.ringing.wires else ())]


def mistakes_under_power(kit: Kit) -> list[Mistake]:
    """Those of parts, and of wires what may come after they were rung out: one that breaks, one that comes to touch. To try every exchange of two and
    every lug beside would take longer than all else together, and Hook up has asked for these."""
    return [_limited(kit, m) for m in every_mistake(kit) if not m.wired or m.kind in LATER]


def _limited(kit: Kit, m: Mistake) -> Mistake:
    """A wire of a supply that touches ground leaves none of its volts: it limits its current, or a fuse goes."""
    nets = {w.net for w in kit.ringing.wires if {*w.ends} & {*m.pads}} if m.kind == KINDS["case"] else set()
    gone = tuple((s.element, 0.0) for s in kit.info.supply if s.node in nets)
    return replace(m, besides=gone) if gone else m


def rung_out(kit: Kit, mistakes: Iterable[Mistake], taken: Collection[Observable]) -> set[str]:
    """The ids of those mistakes with wires for which all was read that the ring-out asks of their nets."""
    nets = {end: w.net for w in kit.ringing.wires for end in w.ends} | {b.other: b.net for b in shell_bonds(kit)}
    asked: dict[str, list[Observable]] = {}
    for place, net in (*kit.ringing.places, *((b.other, b.net) for b in shell_bonds(kit))):
        asked.setdefault(net, []).append(ohms_at(place))
    return {m.id for m in mistakes if m.wired and (places := [of for end in m.pads for of in asked.get(nets.get(end, ""), ())]) and all(of in taken for of in places)}


def rung(kit: Kit) -> list[Reading]:
    """The readings of the ring-out, at the lugs of the unit with each wire an element of its own; then what is read with the power off of the unit so:
    the kit's own ohms, parts by themselves, looks."""
    leads, nets = wired.leads(kit), {*wired.wired(kit).nodes, *GROUND_NAMES}
    out = [Reading(of, "Ω", (leads[of].red, leads[of].black), throw=leads[of].throw, lugs=True) for of in ringing_out(kit)]
    known = {r.of for r in out}
    for r in readings_of(kit):
        if r.quantity == "resistance" and not r.minutes and set(r.nodes) <= nets and r.of not in known:
            out.append(replace(r, lugs=True))
        elif r.quantity in ("lifted", "look", *WHOLE):
            out.append(r)
    return out


def rings_out(kit: Kit, r: Reading) -> bool:
    """Whether it is one of the ring-out, red on a lug or pad."""
    return r.lugs and r.of in ringing_out(kit)


def on_wires(kit: Kit, r: Reading, turn: int = 0) -> tuple[str, str]:
    """The nodes that the leads lie on for a reading, of the unit with its wires as elements. A tone is read and fed in outside the case. Where a kit names
    a net alone the lead may lie on either side of the wire: at every other ``turn`` outside the case."""
    if r.tone is not None and not r.of.follows:
        return _outside(kit, *r.nodes)
    red, black = (wired.on_the_board(kit, net) for net in r.nodes)
    if r.between:
        one, other = (wired.leads_at(kit, place, net) for place, net in zip(r.between, r.nodes, strict=True))
        return one, other
    if r.cold is not None or r.through:
        return _outside(kit, *r.nodes) if turn % 2 else (red, black)
    if r.of.exchanged:
        return red, wired.leads_at(kit, r.of.place, r.nodes[1])
    return wired.leads_at(kit, r.of.place, r.nodes[0]) if r.of.place and not r.of.follows else red, black


def fed_outside(kit: Kit, tone: Tone) -> Tone:
    """A tone that is fed in at the socket itself."""
    red, black = _outside(kit, *tone.fed_at)
    return tone.model_copy(update={"at": red, "at_reference": black})


def _outside(kit: Kit, red: str, black: str) -> tuple[str, str]:
    """Where two nets lead out of the unit, ground by the socket of the other."""
    return wired.off_board(kit, red), kit.ringing.socket(black, kit.ringing.sockets(red)) or wired.off_board(kit, black)
