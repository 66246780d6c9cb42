"""A small share of what `make fuzz` tries for as long as it is told."""

import pytest

from tests.fuzz.kinds import KINDS, tried

SHARE = {"netlist": 25, "kit": 15, "parts_list": 15, "database": 15, "backup": 15}


@pytest.mark.parametrize("kind", KINDS)
def test_a_result_or_a_word(kind, tmp_path):
    for number in range(SHARE.get(kind, 60)):
        try:
            tried(kind, number, tmp_path)
        except Exception as finding:
            raise AssertionError(
                f"{kind} {number}: tools/fuzz.py --kind {kind} --first {number} --count 1"
            ) from finding
