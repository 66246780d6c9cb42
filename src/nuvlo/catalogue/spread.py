"""How far units of one type differ, as limits of parameters of its model."""

from __future__ import annotations

from nuvlo.catalogue.type import DIODES, Type, TypeSpread

# Where a table gives none: the junction of one batch to the next and a warm or cold room, ± 25 mV (common practice, no source).
JUNCTION = TypeSpread("is", -0.6, 1.5, relative=True)


def spread_of(t: Type) -> tuple[TypeSpread, ...]:
    """Parameters that differ from unit to unit, with their limits."""
    given = {s.parameter for s in t.spread}
    junction = t.sort in ("npn", "pnp", "led") or (t.sort in DIODES and t.sort != "zener")
    return t.spread + ((JUNCTION,) if junction and "is" not in given else ())
