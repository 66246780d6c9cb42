"""Radio filters at connectors: which capacitor, its corner by hand, and what its lead undoes."""

import json
import math

import pytest

from nuvlo.cli.main import main
from nuvlo.electrics.radio import RadioFilter, radio_filters
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED


def test_a_balanced_output_is_kept_clean_against_what_is_joined_to_it():
    """Sluice by hand: 220 pF at each leg; a leg sees 787 Ω to its half of the source, 196 Ω across to the other leg
    with its own 220 pF, and the 1.2 kΩ of the input beside the phantom feed."""
    found = {f.lug: f for f in radio_filters(read_kit(SHIPPED / "sluice"))}
    assert (found["XLR2.2"].part, found["XLR2.2"].farads) == ("C1", 220e-12)
    source, across, load = 787 + 100 * 20e3 / (20e3 + 100), 196.0, 1 / (1 / 1.2e3 + 1 / 6.81e3)
    leg = 1 / (1 / source + 1 / load)

    def seen(hertz):
        other = 1 / (1 / leg + 2j * math.pi * hertz * 220e-12)
        return abs(1 / (1 / leg + 1 / (across + other)))

    low, high = 1e5, 1e8
    for _ in range(60):  # halving
        middle = math.sqrt(low * high)
        low, high = (middle, high) if seen(middle) * 2 * math.pi * middle * 220e-12 < 1 else (low, middle)
    assert found["XLR2.2"].corner == pytest.approx(low, rel=0.06)  # as finely as frequencies are tried
    assert 'no capacitor' in found["XLR1.2"].words


def test_the_lead_undoes_a_capacitor_that_is_far_off():
    near, far = (RadioFilter("J1.tip", "C9", 100e-12, mm, 1e6) for mm in (10.0, 250.0))
    assert near.undone == pytest.approx(159e6, rel=0.01)
    assert "undoes" not in near.words
    assert "From 32\u202fMHz on its lead undoes it" in far.words
    assert "takes treble with it" in RadioFilter("J1.tip", "C9", 4.7e-9, 10.0, 15e3).words


def test_bonds_tells_them(capsys):
    assert main(["bonds", str(SHIPPED / "millrace"), "--json"]) == 0
    assert [r["part"] for r in json.loads(capsys.readouterr().out)["radio"]] == ["C10", "C11"]
