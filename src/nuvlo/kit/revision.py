"""What one revision of a kit has otherwise than another of the same name."""

from __future__ import annotations

from nuvlo.kit.kit import Kit

MOST = 8  # parts that are named one by one


def differences(before: Kit, after: Kit) -> list[str]:
    """What ``after`` has otherwise, part by part first; empty where it would be built and judged the same."""
    out = []
    marks = (before.info.kit.revision, after.info.kit.revision)
    if marks[0] != marks[1]:
        out.append(f"revision {marks[0] or 'without a mark'} → {marks[1] or 'without a mark'}")
    parts = []
    for ref in dict.fromkeys((*before.parts, *after.parts)):
        was, now = before.parts.get(ref), after.parts.get(ref)
        if was is None and now is not None:
            parts.append(f"{ref} {now.text} is new")
        elif now is None and was is not None:
            parts.append(f"{ref} {was.text} is gone")
        elif was is not None and now is not None and was != now:
            same = was.text == now.text
            parts.append(f"{ref} is listed otherwise" if same else f"{ref} {was.text} → {now.text}")
    out += parts[:MOST]
    if len(parts) > MOST:
        out.append(f"{len(parts) - MOST} more parts")
    if _wired(before) != _wired(after):
        out.append("its circuit is wired otherwise")
    for what, was_there, is_there in (
        ("board", before.board, after.board), ("wiring", before.wires, after.wires), ("panel", before.panel, after.panel),
    ):  # fmt: skip
        if was_there != is_there:
            out.append(f"its {what} is another")
    plain = [k.info.model_copy(update={"kit": before.info.kit}) for k in (before, after)]
    if plain[0] != plain[1]:
        out.append("its points, trims or procedures are others")
    return out


def _wired(kit: Kit) -> set[tuple[object, ...]]:
    """Which element of the unit hangs where, whatever its value, and what stands round it with its values."""
    cards = kit.unit.netlist.top.cards if kit.unit else ()
    own = {c.name for c in cards}
    out: set[tuple[object, ...]] = {(c.name, c.nodes, c.model, c.controls) for c in cards}
    for name, circuit in kit.setups.items():
        for c in circuit.netlist.top.cards:
            if c.name not in own:
                values = tuple(sorted((k, v.text) for k, v in c.parameters.items()))
                out.add((name, c.name, c.nodes, c.model, c.controls, values))
    return out
