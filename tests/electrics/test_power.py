"""What units draw: against the solver's own currents, and the sums of many against counting."""

import json
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.circuit.operating_point import operating_point
from nuvlo.cli.main import main
from nuvlo.electrics.power import Drawn, added, battery_hours, drop, leave_out, rails
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but


@pytest.mark.parametrize("name", long_but(["gorsefire", "reedling"], ["gorsefire", "millrace", "tidewheel", "reedling"]))
def test_a_rail_draws_what_the_solver_says_flows_from_its_source(name):
    kit = read_kit(SHIPPED / name)
    amps = operating_point(kit.setup()).currents()
    for rail, supply in zip(rails(kit), kit.info.supply, strict=True):
        assert rail.typical == pytest.approx(abs(float(amps[supply.element][0])), rel=0.2, abs=2e-5)
        assert rail.worst > rail.typical


def test_a_reservoir_is_what_has_to_be_filled():
    (rail,) = rails(read_kit(SHIPPED / "gorsefire"))
    assert 80e-6 < rail.farads < 120e-6  # C4 of 100 µF behind R1
    assert rail.centre == "J3: minus"
    assert (rail.limit, rail.margin) == (None, None)


def test_a_microphone_has_ten_milliamperes_and_a_preamp_gives_them():
    (fed,) = rails(read_kit(SHIPPED / "reedling"))
    assert (fed.limit, fed.by) == (10e-3, "IEC 61938, one microphone")
    assert fed.margin == pytest.approx(1 - fed.worst / 10e-3)
    feeding = rails(read_kit(SHIPPED / "millrace"))[2]
    assert feeding.limit is None
    assert feeding.worst == pytest.approx(10e-3, rel=0.02)


def test_a_rectifier_rushes_in_by_the_resistance_before_it_and_ripples_through_its_reservoir():
    (rail,) = rails(read_kit(SHIPPED / "kilnlight"))
    assert rail.rush == pytest.approx(306 * 1.1 / 120, rel=0.05)  # the winding's 120 Ω
    assert 0.1 < rail.ripple["C1"] < 0.35


def test_copper_and_batteries():
    assert drop(1.0, 1.0, 10.0) == pytest.approx(0.345, rel=0.01)  # 17.2 mΩ a metre and square millimetre, both ways
    assert battery_hours("9 V block", 0.025) == pytest.approx(23.2)
    assert battery_hours("AA", 0.1) == pytest.approx(24)
    hours = [battery_hours("AA", a) for a in np.geomspace(1e-3, 0.5, 40)]
    assert hours == sorted(hours, reverse=True)


UNITS = st.lists(
    st.builds(Drawn, st.sampled_from("abcd"), st.integers(1, 2), st.just({}), st.fixed_dictionaries({"+": st.integers(1, 90), "-": st.integers(0, 90)}), st.just({})),
    min_size=1, max_size=4,
)  # fmt: skip


@given(UNITS, st.integers(1, 200), st.integers(1, 200))
def test_what_is_left_out_is_the_fewest_that_let_all_rails_hold(units, plus, minus):
    supply = {"+": plus, "-": minus}
    single = [u.worst for u in units for _ in range(u.count)]

    def holds(left):
        return all(sum(w[r] for k, w in enumerate(single) if k not in left) <= supply[r] for r in supply)

    fewest = next((n for n in range(5) for left in combinations(range(len(single)), n) if holds(left)), None)
    assert len(leave_out(units, supply)) == (fewest or 0)
    assert added(units, supply)[0].worst == sum(w["+"] for w in single)


def test_the_verbs(tmp_path, capsys):
    assert main(["power", str(SHIPPED / "gorsefire"), "--supply", "9 V supply=100m", "--wire", "0.22", "--length", "2", "--json"]) == 0
    (rail,) = json.loads(capsys.readouterr().out)["rails"]
    assert rail["margin"] > 0.9
    assert main(["power", str(SHIPPED / "gorsefire"), "--supply", "9 V supply=1m"]) == 1
    assert "TOO MUCH" in capsys.readouterr().out
    assert main(["power", str(SHIPPED / "gorsefire"), "--supply", "12 V=1"]) == 1
    assert "Its supplies: 9 V supply" in capsys.readouterr().err
    (tmp_path / "tide").symlink_to(SHIPPED / "tidewheel")
    rack = tmp_path / "case.csv"
    rack.write_text("unit,count,kit,+12 V,-12 V,+12 V worst\nsupply,,,200,150,\noscillator,3,tide,,,\nfilter,2,,60,40,75\nsequencer,,,0.12 A,10,\n")
    assert main(["rack", str(rack), "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    assert found["rails"][0]["worst"] == pytest.approx(3 * 0.0109 + 2 * 0.075 + 0.12, rel=0.02)
    assert found["leave_out"] == ["sequencer"]
    rack.write_text("unit,+12 V\nfilter,-60\n")
    assert main(["rack", str(rack)]) == 1
    assert "case.csv:2" in capsys.readouterr().err
