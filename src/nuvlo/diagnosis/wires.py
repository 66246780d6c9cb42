"""What may be wrong with wires, beside what may be wrong with parts; and what is read of both while they are rung out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.probes import WHOLE, Reading, readings_of
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.model import wired
from nuvlo.model.asked import ringing_out

KINDS = {"missing": "wire-open", "exchanged": "wire-exchanged", "beside": "wire-beside", "case": "wire-ground"}  # in the table of mistakes
MOST_TOLD, LEAST_TOLD = 3, 0.03  # mistakes of a group that are named, suspicions too; and the share of one that is worth a look


def in_words_of(mistakes: Sequence[Mistake]) -> str:
    """Mistakes that nothing read so far tells apart, in a sentence."""
    told, more = ", or ".join(m.text for m in mistakes[:MOST_TOLD]), len(mistakes) - MOST_TOLD
    return f"{told}, or one of {more} more that read the same so far" if more > 0 else told


def wiring_mistakes(kit: Kit) -> list[Mistake]:
    """Every single mistake with wires, lugs and bonds."""
    return [Mistake(m.words, (), KINDS[m.kind], m.overrides, pads=m.ends) for m in wired.mistakes(kit)]


def every_mistake(kit: Kit) -> list[Mistake]:
    """Those of parts, then those of wires."""
    return [*single_mistakes(kit), *(wiring_mistakes(kit) if kit.unit is not None and kit.ringing.wires else ())]


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
