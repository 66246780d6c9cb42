"""Cautions: the usual ones that parts call for, and those a kit words itself."""

import pytest

from nuvlo.craft.hazards import hazards
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.workshop.demo import SHIPPED


@pytest.mark.parametrize(
    ("kit", "stage", "ids"),
    [
        ("gorsefire", Stage.FIT, ["iron"]), ("barrowmoor", Stage.FIT, ["iron", "dust"]), ("oxbow", Stage.FIT, ["dust"]),
        ("kilnlight", Stage.WAKE, ["first-power", "high-voltage"]), ("reedling", Stage.WAKE, ["first-power"]),
        ("sluice", Stage.WAKE, []), ("gorsefire", Stage.UNPACK, []),
    ],
)  # fmt: skip
def test_each_stage_has_the_cautions_that_its_parts_call_for(kit, stage, ids):
    found = hazards(read_kit(SHIPPED / kit), stage)
    assert sorted(h.id for h in found) == sorted(ids)
    assert all(h.danger and h.do for h in found)


def test_a_kit_words_its_own_and_is_not_asked_twice():
    (first,) = hazards(read_kit(SHIPPED / "gorsefire"), Stage.WAKE)
    assert "C2 and C4" in first.do


def test_a_list_of_parts_alone_is_cautioned_and_high_voltage_is_seen(tmp_path):
    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\nC1,electrolytic,10u\n")
    assert [h.id for h in hazards(read_kit(tmp_path), Stage.FIT)] == ["iron"]
    (tmp_path / "kit.toml").write_text(
        '[kit]\nname = "k"\n[[supply]]\nname = "s"\nelement = "v"\nnode = "n"\nvolts = 250\n'
    )
    assert [h.id for h in hazards(read_kit(tmp_path), Stage.WAKE)] == ["first-power", "high-voltage"]
