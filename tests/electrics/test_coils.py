"""Windings in air against published tables and closed forms, and what their coupling does in a crossover."""

import json
from dataclasses import replace

import numpy as np
import pytest

from nuvlo.cli.main import main
from nuvlo.electrics.coils import MU0, Pose, Winding, coaxial, coupling, mutual, steel_share, wound
from nuvlo.electrics.crossover import arranged, coils_of, couplings, heard, placed
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.packages import body_mm
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED

UP, ALONG = (0.0, 0.0, 1.0), (1.0, 0.0, 0.0)
HERE = Pose((0, 0, 0), UP)
RING = Winding(9.99, 10.01, 0.02, 1)


@pytest.mark.parametrize(("ratio", "factor"), [(0.5, 0.818136), (1, 0.688423), (2, 0.525510), (4, 0.365432)])
def test_a_single_layer_follows_nagaokas_table(ratio, factor):
    """H. Nagaoka, "The inductance coefficients of solenoids", 1909: the table by diameter over length."""
    radius, turns = 0.05, 100
    long = 2 * radius / ratio
    sheet = MU0 * turns**2 * np.pi * radius**2 / long * factor
    assert Winding(99.9, 100.1, 1e3 * long, turns).inductance == pytest.approx(sheet, rel=5e-3)


def test_brooks_coil():
    """F. W. Grover, "Inductance Calculations", chapter 13: L = 1.6994 µH/m · a · N², its cut a square of two thirds of a."""
    assert Winding(40, 80, 20, 100).inductance == pytest.approx(1.6994e-6 * 0.03 * 100**2, rel=2e-3)


@pytest.mark.parametrize("apart", [5.0, 20.0, 60.0])
def test_neumanns_integral_is_maxwells_for_circles_on_one_axis(apart):
    one, other = Winding(99.99, 100.01, 0.02, 1), Winding(59.99, 60.01, 0.02, 1)
    exact = coaxial(np.array([0.05]), np.array([0.03]), np.array([apart / 1e3]))[0]
    assert mutual(one, HERE, other, Pose((0, 0, apart), UP), fine=1) == pytest.approx(exact, rel=1e-6)


@pytest.mark.parametrize(
    ("there", "dipoles"), [(Pose((0, 0, 200), UP), 2), (Pose((200, 0, 0), UP), -1), (Pose((200, 0, 0), ALONG), 0)]
)
def test_small_circles_far_apart_are_dipoles(there, dipoles):
    """Field of a dipole: twice on its axis what it is, the other way, beside it; nothing across it."""
    unit = MU0 * np.pi * 5e-3**4 / (4 * 0.2**3)
    assert mutual(RING, HERE, RING, there) / unit == pytest.approx(dipoles, abs=0.01)


def test_coupling_goes_both_ways_and_never_beyond_one():
    a, b = Winding(30, 50, 20, 112), Winding(50, 100, 40, 249)
    at, there = Pose((0, 0, 10), UP), Pose((60, 20, 50), ALONG)
    assert mutual(a, at, b, there) == pytest.approx(mutual(b, there, a, at), rel=1e-9)
    assert 0.3 < coupling(a, HERE, a, Pose((0, 0, 20.5), UP)) < 1


def test_steel_near_a_coil_adds_up_to_its_own_again():
    coil = Winding(30, 50, 20, 112)
    lying = ((10, UP), (25, ALONG))  # both on the board
    shares = [steel_share(coil, Pose((0, 0, high), way), depth) for high, way in lying for depth in (0.5, 10, 50)]
    assert 1 > shares[0] > shares[1] > shares[2] > 0
    assert shares[1] > shares[4] > 0  # least where its axis lies along the sheet


def test_a_coil_is_wound_to_its_value():
    coil = wound(2.7e-3, 1.64, 45, 36)
    assert coil.inductance == pytest.approx(2.7e-3, rel=0.01)
    assert coil.resistance(1.64) == pytest.approx(0.4, rel=0.03)


def test_the_kit_has_its_coils_where_they_are_quiet_and_side_by_side_they_would_be_heard():
    kit = read_kit(SHIPPED / "barrowmoor")
    coils = coils_of(kit)
    assert heard(kit, couplings(coils)).worst_db < 0.05
    side = [replace(c, x_mm=105.0 * k, y_mm=90.0, way="edge") for k, c in enumerate(coils)]
    coaxial_row = heard(kit, couplings(side))
    assert coaxial_row.worst_db > 0.5
    assert coaxial_row.ohms[0] > 0.05


def test_a_search_lays_two_coils_across_each_other_and_within_the_opening():
    two = [replace(c, way="flat", x_mm=40 + 60 * k, y_mm=40) for k, c in enumerate(coils_of(read_kit(SHIPPED / "barrowmoor"))[2:])]
    found = arranged(two, 140, 90)
    ((_, factor),) = couplings(found).items()
    assert abs(factor) < 1e-3 < abs(couplings(two)["L3", "L4"])
    for c in found:
        assert c.size[0] / 2 <= c.x_mm <= 140 - c.size[0] / 2
        assert c.size[1] / 2 <= c.y_mm <= 90 - c.size[1] / 2
    with pytest.raises(NuvloError, match="do not go into 60 × 40"):
        arranged(two, 60, 40)


def test_the_other_parts_go_round_the_coils_and_touch_nothing():
    kit = read_kit(SHIPPED / "barrowmoor")
    coils = coils_of(kit)
    spots = placed(kit, coils, 280, 180)
    assert {s.ref for s in spots} == set(kit.board.placements) - {c.ref for c in coils}
    boxes = [(c.x_mm, c.y_mm, *c.size) for c in coils]
    for s in spots:
        long, wide = body_mm(kit.part(s.ref))
        boxes.append((s.x_mm, s.y_mm, *((wide, long) if s.turned else (long, wide))))
    for k, (x, y, w, h) in enumerate(boxes):
        assert 0 < x - w / 2 < x + w / 2 < 280
        assert 0 < y - h / 2 < y + h / 2 < 180
        assert all(abs(x - ox) >= (w + ow) / 2 or abs(y - oy) >= (h + oh) / 2 for ox, oy, ow, oh in boxes[:k])
    with pytest.raises(NuvloError, match="does not go into 40 × 30"):
        placed(kit, coils, 40, 30)


def test_the_verb(capsys):
    assert main(["crossover-board", str(SHIPPED / "barrowmoor"), "--steel", "10", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert {c["part"] for c in found["coils"]} == {"L1", "L2", "L3", "L4"}
    assert set(found["error_db"]) == {"WOOFER", "MID", "TWEETER"}
    assert main(["crossover-board", str(SHIPPED / "barrowmoor"), "--steel", "-5"]) == 1
    assert "'-5' is above the board" in capsys.readouterr().err
    assert main(["crossover-board", str(SHIPPED / "gorsefire")]) == 1
    assert "says nothing of windings" in capsys.readouterr().err
