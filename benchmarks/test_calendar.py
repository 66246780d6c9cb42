"""Calendar: 150 steps over 30 days in at most five seconds, with their bound."""

from datetime import datetime

import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.stages.sequence.calendar import plan
from nuvlo.stages.sequence.evenings import USUAL, read_free
from nuvlo.stages.sequence.jobs import jobs, of_unit
from nuvlo.workshop.demo import SHIPPED

NOW = datetime(2026, 11, 23, 18, 0)


@pytest.mark.parametrize(("kit", "units"), [("millrace", 3), ("barrowmoor", 6), ("gorsefire", 5)])
def test_many_units(benchmark, kit, units):
    one = jobs(read_kit(SHIPPED / kit))
    every = [j for n in range(units) for j in of_unit(one, f"unit {n + 1}")]
    free = read_free(USUAL, NOW, days=30)
    found = benchmark.pedantic(lambda: plan(every, free, NOW), rounds=1)
    gap = (found.finish - found.bound).total_seconds() / max((found.finish - NOW).total_seconds(), 1)
    print(
        f"\n{kit} x {units}: {len(every)} steps, done {found.finish:%d %b %H:%M}, optimal {found.optimal}, gap {100 * gap:.1f} %"
    )
