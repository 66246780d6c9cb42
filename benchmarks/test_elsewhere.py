"""Mistakes edited into netlists as text and solved in an independent simulator, beside units of the model's own, asked in one way.

Seeds here are used nowhere else. ``NUVLO_ELSEWHERE`` sets how many units are tried of each kit (40), ``NUVLO_KITS`` which, ``NUVLO_SEED`` another.
"""

from __future__ import annotations

import os

from benchmarks.elsewhere import KitText
from benchmarks.elsewhere_score import HEADS, added, row, score_elsewhere, score_own
from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED

UNITS, SEED = int(os.environ.get("NUVLO_ELSEWHERE", "40")), int(os.environ.get("NUVLO_SEED", "20261302"))
NOTHING_TO_EDIT = ("oxbow",)  # drivers and wires alone
KITS = os.environ.get("NUVLO_KITS", "").split() or [p.name for p in sorted(SHIPPED.iterdir()) if p.name not in NOTHING_TO_EDIT]


def test_mistakes_solved_elsewhere_are_found(capsys):
    found = []
    for name in KITS:
        d = Diagnosis(read_kit(SHIPPED / name))
        found.append((score_own(d, UNITS, SEED), *score_elsewhere(d, KitText(SHIPPED / name), UNITS, SEED)))
        with capsys.disabled():
            print(f"\n{HEADS}\n" if len(found) == 1 else "", row(name, *found[-1]), sep="", flush=True)
    own, listed, others = (added(some) for some in zip(*found, strict=True))
    with capsys.disabled():
        print(row("all", own, listed, others))
        for kind in sorted({kind for kind, _ in [*listed.by_kind, *others.by_kind]}):
            hits, missed = (listed.by_kind[kind, how] + others.by_kind[kind, how] for how in ("first", "not"))
            print(f"    {kind:26s} {hits:4d} of {hits + missed}")
    assert listed.first > listed.visible / 2
