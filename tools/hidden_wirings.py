"""Hidden units with one mistake each, of a wire and of a part, drawn by lot, rung out and judged: how often it is named first and among the first
two, and how often something innocent is accused with more than 60 %.

Run: python tools/hidden_wirings.py [KIT ...] [--mistakes 20] [--seed 20]. What no meter shows at the lugs is counted apart.
"""

from __future__ import annotations

import argparse
import time

import numpy as np

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.wires import wiring_mistakes
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit import Kit
from nuvlo.measurement import Observable
from nuvlo.model import Window, WorkingModel
from nuvlo.model.asked import ringing_out
from nuvlo.model.ensemble import laws, sample
from nuvlo.model.wired import shown_at
from nuvlo.quantity import Measured, Verdict, judge
from nuvlo.workshop.demo import SHIPPED

SURE = 0.6


def read_out(kit: Kit, windows: list[Window], mistake: Mistake, seed: int) -> dict[Observable, Measured]:
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
    asked.add_argument("--seed", type=int, default=20)
    a = asked.parse_args()
    for name in a.kits or sorted(p.parent.name for p in SHIPPED.glob("*/wiring.csv")):
        began, kit = time.monotonic(), read_kit(SHIPPED / name)
        windows = WorkingModel(kit, members=300).predict(ringing_out(kit))
        diagnosis = Diagnosis(kit, wiring=True)
        for what, every in (("wires", wiring_mistakes(kit)), ("parts", [m for m in single_mistakes(kit) if m.overrides])):
            drawn = np.random.default_rng(a.seed).choice(len(every), min(a.mistakes, len(every)), replace=False)
            shown = first = second = innocent = 0
            for seed, k in enumerate(drawn):
                read = read_out(kit, windows, every[k], a.seed + seed)
                if not any(judge(read[w.of], w.low, w.high) is Verdict.OUT for w in windows):
                    continue
                groups = [g for g in diagnosis.rank(read).groups if not g.silent]
                right = [any(m.id == every[k].id for m in g.mistakes) for g in groups[:2]]
                shown += 1
                first += right[:1] == [True]
                second += any(right)
                innocent += right[:1] == [False] and groups[0].probability > SURE
            print(f"{name:11s} {what}: {first} first and {second} among the first two of {shown} that show; {innocent} innocents; "
                  f"{len(drawn) - shown} of {len(drawn)} do not show ({time.monotonic() - began:.0f} s)", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
