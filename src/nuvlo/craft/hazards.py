"""What can hurt at each stage: what the kit names, and the usual cautions that its parts call for.

The usual ones are common practice of the trade, no source; local codes and licensed practice go before them.
"""

from __future__ import annotations

from nuvlo.craft.high_voltage import SAFE_V, is_high
from nuvlo.kit.kit import Kit
from nuvlo.kit.schema import Hazard, Stage

IRON = Hazard(
    id="iron", stage=Stage.FIT, danger="The iron burns, and solder fumes irritate the lungs.",
    do="Stand the iron in its rest, open a window or run the extractor, wear glasses when you clip leads, and wash your hands "
       "afterwards: some solder holds lead.",
)  # fmt: skip
DUST = Hazard(
    id="dust", stage=Stage.FIT, danger="Dust and vapour harm the lungs, and blades cut to the bone.",
    do="Cut and sand outside or with extraction, wear a mask for fine dust, glasses and ear defenders, and clamp the work.",
)  # fmt: skip
FIRST_POWER = Hazard(
    id="first-power", stage=Stage.WAKE, danger="An electrolytic capacitor put in backwards can burst when power comes on.",
    do="Look at every electrolytic once more, lean back, and set the supply's current limit first.",
)  # fmt: skip
HIGH_VOLTAGE = Hazard(
    id="high-voltage", stage=Stage.WAKE, danger="Voltages in here can kill, and remain for a while after switching off.",
    do="Clip the meter on while the power is off, keep one hand in your pocket, put loads on the outputs first. Before hands go inside: "
       f"unplug, discharge, and measure less than {SAFE_V:g} V. Mains wiring, its earth bond and its fuse follow your local code and are "
       "for a qualified person.",
)  # fmt: skip


def hazards(kit: Kit, stage: Stage) -> list[Hazard]:
    """Cautions of ``stage``: the usual ones first, but for those the kit words itself (by their id), then the kit's own."""
    own = [h for h in kit.info.hazard if h.stage is stage]
    named = {h.id for h in own}
    return [h for h in _usual(kit) if h.stage is stage and h.id not in named] + own


def _usual(kit: Kit) -> list[Hazard]:
    parts = kit.parts.values()
    called_for = (
        (IRON, any(p.on_board for p in parts)),
        (DUST, bool(kit.info.craft)),
        (FIRST_POWER, bool(kit.info.supply) and any(p.kind == "electrolytic" for p in parts)),
        (HIGH_VOLTAGE, is_high(kit)),
    )
    return [hazard for hazard, wanted in called_for if wanted]
