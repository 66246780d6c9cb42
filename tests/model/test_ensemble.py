"""Which values a unit may have."""

import pytest

from nuvlo.kit.step_id import part_step
from nuvlo.logbook import Build
from nuvlo.model.ensemble import laws
from nuvlo.quantity import Measured


@pytest.mark.parametrize(("value", "counts"), [(47e3, True), (3.9e3, False), (1e9, False), (10.0, False)])
def test_a_value_that_no_good_part_has_is_the_wrong_part_and_counts_only_once_accepted(gorsefire, value, counts):
    """It is swapped before it goes in: nothing is expected of the unit with it, and no solver is sent after gigaohms."""
    build = Build("b", measured={"R3": [Measured(value, 0.01 * value, "Ω")]})
    printed = laws(gorsefire)["r3"]
    assert (laws(gorsefire, build)["r3"] != printed) is counts
    build.accepted[part_step("R3")] = "it is meant"
    assert laws(gorsefire, build)["r3"].nominal == pytest.approx(value, rel=0.02)
