"""How a part's value is written."""

import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED


@pytest.mark.parametrize(
    ("kit", "ref", "text", "said"),
    [
        ("reedling", "R1", "1G", "1 GΩ"), ("reedling", "R1", None, "1 GΩ"), ("kilnlight", "R109", "220R", "220 Ω"), ("barrowmoor", "R5", "1R2", "1.2 Ω"),
        ("gorsefire", "C1", "220n", "220 nF"), ("gorsefire", "Q1", "BC549C", "BC549C"), ("gorsefire", "R1", "fish", "fish"), ("gorsefire", "D2", None, "red 5 mm"),
    ],
)  # fmt: skip
def test_values_are_written_as_values_are(kit, ref, text, said):
    assert read_kit(SHIPPED / kit).part(ref).said(text).replace("\u202f", " ") == said
