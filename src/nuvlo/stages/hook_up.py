"""Hook up: wire by wire, then ring out every wired net against ground."""

from __future__ import annotations

from nuvlo.kit import Kit, Stage
from nuvlo.kit.schools import taken
from nuvlo.logbook import Build
from nuvlo.model import Task, Wants, Window
from nuvlo.quantity import sentence

LEADS = "leads"
LEADS_WINDOW = Window(LEADS, "resistance", "Ω", 0.2, 0.0, 1.0)

JOINTS = {
    "twist": " Twist first; solder seals it.",
    "tin": " Tin lug and wire, then fuse the two.",
}


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Wires, then the meter's own leads, then one reading for each net."""
    out = []
    for wire in kit.wires:
        length = f", {wire.length_mm:g} mm" if wire.length_mm else ""
        note = f" {sentence(wire.note)}." if wire.note else ""
        note += JOINTS[taken(build.stances, "joints")]
        out.append(
            Task(f"hook_up.wire.{wire.name}", Stage.HOOK_UP, Wants.STEP, f"Wire {wire.name}: {wire.start} to {wire.end}",
                 f"{sentence(wire.colour) or 'Wire'}{length}.{note}", wire.name, parts=(wire.start, wire.end),
                 nodes=(wire.net,))
        )  # fmt: skip
    if not kit.wires:
        return out
    out.append(
        Task("hook_up.leads", Stage.HOOK_UP, Wants.READING, "Short the meter's leads", "Their own resistance is taken off "
             "every reading that follows.", LEADS, "resistance", "Ω", window=LEADS_WINDOW)
    )  # fmt: skip
    seen: set[str] = set()
    for wire in kit.wires:
        if wire.net in seen and wire.net != "0":
            continue
        seen.add(wire.net)
        out.append(
            Task(f"hook_up.ring.{wire.start}", Stage.HOOK_UP, Wants.READING, f"Ring out {wire.start} to ground",
                 "Supply off and unplugged, controls where they start. Red lead on the lug, black on the case.",
                 wire.start, "resistance", "Ω", parts=(wire.start,), nodes=(wire.net,))
        )  # fmt: skip
    return out
