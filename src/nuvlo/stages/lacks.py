"""What a kit does not say, so that a stage has nothing to ask, or a finished unit cannot be judged: what is missing, and how to supply it."""

from __future__ import annotations

from nuvlo.kit import Kit, Stage
from nuvlo.words import listed

FORMAT = "docs/kit-format.md says what stands in it."
NO_CIRCUIT = f"circuit.cir, so nothing says what this unit should read. Add its netlist to the kit: {FORMAT}"
ON_PANEL = ("jack", "switch", "potentiometer", "lamp", "driver", "capsule")


def untold_trimmers(kit: Kit) -> list[str]:
    """Trimmers of the list that no procedure sets."""
    told = {t.trimmer for t in kit.info.trim}
    return [p.ref for p in kit.parts.values() if p.kind == "trimmer" and p.ref not in told]


def sounds(kit: Kit) -> bool:
    """Whether the kit asks for anything that sounds: a tone, or a sweep."""
    return bool(kit.info.tone or kit.info.prove)


def lacks(kit: Kit, stage: Stage) -> str:
    """What a stage lacks of the kit and how to give it, as the end of a sentence; empty where it lacks nothing."""
    if kit.unit is None and stage in (Stage.WAKE, Stage.SET, Stage.PROVE):
        return NO_CIRCUIT
    match stage:
        case Stage.HOOK_UP if not kit.wires and any(p.kind in ON_PANEL and not p.on_board for p in kit.parts.values()):
            return f"wiring.csv, so nothing says which lead goes where. Add it to the kit: {FORMAT}"
        case Stage.WAKE if not kit.info.point:
            return f"test points: a [[point]] in kit.toml for each. {FORMAT}"
        case Stage.SET if refs := untold_trimmers(kit):
            return f"what sets {listed(refs)}: a [[trim]] in kit.toml for each. {FORMAT}"
        case Stage.PROVE if not sounds(kit):
            return f"anything that sounds: a [[tone]] or a [prove] in kit.toml. {FORMAT}"
    return ""
