"""Hidden mistakes on the practice bench, kit by kit: how often the right group is named, after how many readings, how honest the chances are.

Seeds here are used nowhere else. ``NUVLO_HIDDEN`` sets how many units are tried of each kit (300), ``NUVLO_KITS`` which.
"""

from __future__ import annotations

import os
import time

import pytest

from benchmarks.hidden_mistakes import HEADS, own_windows, row, score
from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED

UNITS, SEED = int(os.environ.get("NUVLO_HIDDEN", "300")), 20261127
KITS = os.environ.get("NUVLO_KITS", "").split() or sorted(p.name for p in SHIPPED.iterdir())


@pytest.mark.parametrize("name", KITS)
def test_hidden_mistakes_are_found(name, capsys):
    d = Diagnosis(read_kit(SHIPPED / name))
    begun = time.perf_counter()
    d.table  # noqa: B018  made here
    made = time.perf_counter() - begun
    d.rank({})
    begun = time.perf_counter()
    d.rank({})
    asks = time.perf_counter() - begun
    found = score(d, UNITS, SEED, good=UNITS // 3, two=UNITS // 5)
    by_chance = score(d, UNITS // 3, SEED, chosen=False)
    stopped = score(d, UNITS // 3, SEED + 1, windows=own_windows(d.kit))
    with capsys.disabled():
        print(f"\n{HEADS}\n{row(name, d, found, by_chance, stopped, made, asks)}")
    assert found.first > by_chance.first / max(by_chance.tried, 1)
