"""Hidden units with one wiring mistake each, drawn by lot, rung out and judged: how often it is named among the first two.

Run: python tools/hidden_wirings.py [KIT ...] [--mistakes 20]. What no meter shows at these settings is counted apart.
"""

from __future__ import annotations

import argparse
import time

import numpy as np

from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit import Kit
from nuvlo.model import Window, WorkingModel
from nuvlo.model.asked import ringing_out
from nuvlo.model.ensemble import laws, sample
from nuvlo.model.wired import WireMistake, explained, mistakes, shown_at
from nuvlo.quantity import Measured
from nuvlo.workshop.demo import SHIPPED


def read_out(kit: Kit, windows: list[Window], mistake: WireMistake, seed: int) -> dict[str, Measured]:
    """What a meter shows at every place of a hidden unit."""
    spec, dice = MeterSpec(), np.random.default_rng(seed)
    unit = {k: float(v[1]) for k, v in sample(laws(kit), 2, seed).items()}
    gain = 1 + dice.uniform(-0.8, 0.8) * spec.percent / 100
    true = shown_at(kit, [w.of for w in windows], {**unit, **dict(mistake.overrides)})
    return {p: spec.measured(r * gain, "Ω") if np.isfinite(r) else Measured(np.inf, 0.0, "Ω") for p, r in true.items()}


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("kits", nargs="*")
    asked.add_argument("--mistakes", type=int, default=20)
    a = asked.parse_args()
    for name in a.kits or sorted(p.parent.name for p in SHIPPED.glob("*/wiring.csv")):
        began, kit = time.monotonic(), read_kit(SHIPPED / name)
        model = WorkingModel(kit, members=300)
        windows, every = model.predict(ringing_out(kit)), mistakes(kit)
        drawn = np.random.default_rng(20).choice(len(every), min(a.mistakes, len(every)), replace=False)
        shown = named = 0
        missed = []
        for seed, k in enumerate(drawn):
            suspects = explained(kit, read_out(kit, windows, every[k], seed), windows)
            shown += bool(suspects)
            if any(every[k] in s.mistakes for s in suspects[:2]):
                named += 1
            elif suspects:
                missed.append(every[k].words)
        print(f"{name:11s} {named} of {shown} that show are named among the first two; {len(drawn) - shown} of {len(drawn)} do not show "
              f"({len(every)} in all, {time.monotonic() - began:.0f} s)", *missed, sep="\n            ", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
