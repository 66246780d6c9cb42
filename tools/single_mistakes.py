"""For each kit: every single mistake (open, short, ten times, a tenth, reversed), and whether a reading of Wake would show it.

Run: python tools/single_mistakes.py [KIT ...] [--list]. A mistake is seen where at least one reading leaves its window; one
without an operating point counts as seen, since a unit that cannot be at rest does not read as meant.
"""

from __future__ import annotations

import argparse

import numpy as np

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.faults import Bridge, Missing, Reversed
from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Kit
from nuvlo.kit.kit import override_of_element
from nuvlo.model import WorkingModel
from nuvlo.model.ensemble import known_to, laws
from nuvlo.workshop.demo import SHIPPED

SHORT = 0.5  # Ω


def mistakes(kit: Kit) -> list[tuple[str, str, str, float]]:
    """(reference, what is wrong, key of the override, its value)."""
    out = []
    unit = kit.unit
    assert unit is not None
    names = ["0", *unit.nodes]
    for part in kit.parts.values():
        for element in kit.elements_of(part.ref):
            if element.startswith("x"):
                continue
            e = unit.element(element)
            if e.kind in "rcldqj":
                out.append((part.ref, "open", Missing(element).key, 1.0))
            if e.kind in "rcld":
                a, b = (names[n + 1] for n in e.nodes[:2])
                if a != b:
                    out.append((part.ref, "short", Bridge(a, b).key, SHORT))
            if e.kind == "r" and part.value:
                out += [
                    (part.ref, word, override_of_element(element), part.value * k)
                    for word, k in (("×10", 10.0), ("÷10", 0.1))
                ]
            if e.kind == "d":
                out.append((part.ref, "reversed", Reversed(element).key, 1.0))
    return out


def seen(kit: Kit, found: list[tuple[str, str, str, float]]) -> list[bool]:
    """Whether each mistake puts a reading out of its window, all else nominal."""
    model = WorkingModel(kit)
    nominal = {name: law.nominal for name, law in laws(kit).items()}
    windows = model.resistance_windows(model.point_pairs()) if kit.passive else model.voltage_windows()
    out = []
    for _, _, key, value in found:  # one by one: each bridge is a circuit of its own
        rows = _readings(kit, {**nominal, key: value})
        out.append(rows is None or any(not w.low <= v <= w.high for w, v in zip(windows, rows, strict=True)))
    return out


def _readings(kit: Kit, values: dict[str, float]) -> list[float] | None:
    if kit.passive:
        assert kit.unit is not None
        mine = known_to(kit.unit, values)
        return [float(resistance(kit.unit, p.node, p.reference, None, mine).ohms[0]) for p in kit.info.point]
    points = {}
    for name in {"", *(p.setup for p in kit.info.point)}:
        circuit: Circuit = kit.setup(name)
        points[name] = operating_point(circuit, known_to(circuit, values))
        if points[name].failed:
            return None
    out = [float(-points[""].currents()[s.element][0]) for s in kit.info.supply]
    return out + [float(points[p.setup].voltage(p.node, p.reference)[0]) for p in kit.info.point]


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("kits", nargs="*")
    asked.add_argument("--list", action="store_true", help="name those that no reading shows")
    a = asked.parse_args()
    for name in a.kits or sorted(p.name for p in SHIPPED.iterdir()):
        kit = read_kit(SHIPPED / name)
        found = mistakes(kit)
        with np.errstate(all="ignore"):
            shown = seen(kit, found)
        print(
            f"{name:11s} {sum(shown):4d} of {len(found):4d} single mistakes put a reading out: {100 * np.mean(shown or [0]):.0f} in 100",
            flush=True,
        )
        if a.list:
            print(
                "            unseen:",
                ", ".join(f"{ref} {word}" for (ref, word, _, _), s in zip(found, shown, strict=True) if not s),
            )


if __name__ == "__main__":
    main()
