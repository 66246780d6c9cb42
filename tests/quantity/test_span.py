"""A window in words: both ends, one, or none."""

import math

import pytest

from nuvlo.cli.main import main
from nuvlo.quantity import format_span
from nuvlo.workshop.places import SHIPPED


@pytest.mark.parametrize(("low", "high", "says"), [
    (4.12, 4.29, "4.12\u202fV to 4.29\u202fV"), (0.0, 1.0, "0\u202fV to 1\u202fV"), (-1.4, -1.2, "−1.4\u202fV to −1.2\u202fV"),
    (2e6, math.inf, "at least 2\u202fMV"), (math.inf, math.inf, "open"),
])  # fmt: skip
def test_a_span(low, high, says):
    assert format_span(low, high, "V") == says


@pytest.mark.parametrize("kit", ["gorsefire", "oxbow", "sluice", "tollgate"])
def test_ringing_out_says_where_both_leads_go(kit, capsys):
    assert main(["ring-out", str(SHIPPED / kit)]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) > 3
    assert all("red on " in line and "black on " in line for line in lines)
    assert not any("black on 0" in line or "open to open" in line for line in lines)
