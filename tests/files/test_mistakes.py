"""How often mistakes are made: the shipped table, a workshop's own, and what repairs teach."""

import pytest

from nuvlo.diagnosis.mistakes import single_mistakes
from nuvlo.files.mistakes import REPAIRS, learnt, read_habits, shipped
from nuvlo.problems import NuvloError


def test_every_kind_that_is_made_stands_in_the_table(gorsefire):
    assert {m.kind for m in single_mistakes(gorsefire)} <= set(shipped())
    assert all(h.weight > 0 and 0 <= h.seen <= 1 and h.says for h in shipped().values())


def test_a_workshop_may_say_otherwise(tmp_path):
    own = tmp_path / "mistakes.csv"
    own.write_text("kind,weight,seen\nbridge,9,0.5\n")
    found = read_habits(own)
    assert (found["bridge"].weight, found["bridge"].seen) == (9.0, 0.5)
    assert found["open"] == shipped()["open"]


@pytest.mark.parametrize(("row", "says"), [("bridg,1,0.5", "bridg"), ("open,-1,0.5", "weight"), ("open,1,1.5", "share"), ("open,much,0.5", "much")])
def test_a_slip_in_it_is_named_with_its_line(tmp_path, row, says):
    own = tmp_path / "mistakes.csv"
    own.write_text(f"kind,weight,seen\n{row}\n")
    with pytest.raises(NuvloError, match=says) as why:
        read_habits(own)
    assert why.value.problems[0].line == 2


def test_repairs_teach_as_counts_of_a_multinomial():
    """By hand: a prior worth REPAIRS counts, ten bridges more."""
    total = sum(h.weight for h in shipped().values())
    found = learnt(shipped(), {"bridge": 10})
    share = found["bridge"].weight / sum(h.weight for h in found.values())
    assert share == pytest.approx((REPAIRS * shipped()["bridge"].weight / total + 10) / (REPAIRS + 10))
    assert sum(h.weight for h in found.values()) == pytest.approx(total)
