"""One rule for repeated readings, wherever they are judged."""

import pytest

from nuvlo.logbook import Build
from nuvlo.quantity import Measured, Verdict, judge
from nuvlo.quantity.uncertainty import mean_of_repeats
from nuvlo.stages.unpack.check_in import check_in


def test_repeats_are_judged_alike_at_check_in_and_in_the_window(gorsefire):
    """101.15 and 101.5 Ω on a 100 Ω 1 % part were out in one place and too close to tell in the other."""
    ref = next(p.ref for p in gorsefire.parts.values() if p.value == 100.0 and p.tolerance == (-0.01, 0.01))
    readings = [Measured(101.15, 0.2, "Ω"), Measured(101.5, 0.2, "Ω")]
    build = Build("b", measured={ref: readings})
    own = judge(build.part_value(ref), 99.0, 101.0)
    checked = next(c for c in check_in(gorsefire, build.measured) if c.part.ref == ref)
    assert own is checked.verdict is Verdict.NEAR
    assert checked.measured == build.part_value(ref)


@pytest.mark.parametrize(("values", "mean", "doubt"), [
    ((100.0,), 100.0, 0.5),
    ((100.0, 100.2), 100.1, 0.5),  # the meter's own doubt is larger than the scatter's
    ((100.0, 100.9), 100.45, 0.9),  # the scatter's is: twice 0.636 over the root of two
    ((130.0, 100.0), 100.0, 0.5),  # a slip, put right
])  # fmt: skip
def test_what_scatters_is_doubt_of_its_own(values, mean, doubt):
    """JCGM 100:2008, 4.2.3: the experimental standard deviation of the mean, expanded with k = 2."""
    found, _ = mean_of_repeats([Measured(v, 0.5, "Ω") for v in values])
    assert found.value == pytest.approx(mean)
    assert found.uncertainty == pytest.approx(doubt, rel=1e-6)
