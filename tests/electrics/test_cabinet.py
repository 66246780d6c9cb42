"""Wirings of several loudspeakers, against the known count, hand calculation and power balance."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.cli.main import main
from nuvlo.electrics.cabinet import CabinetError, Driver, drivers_of, ohms_of, polarity, wirings

COUNTS = [1, 2, 4, 10, 24, 66, 180, 522]  # OEIS A000084: series-parallel networks with n unlabeled edges


@pytest.mark.parametrize(("n", "count"), list(enumerate(COUNTS, 1)))
def test_as_many_as_macmahon_counted(n, count):
    found = wirings(drivers_of(f"{n}x8"))
    assert len(found) == count
    assert len({w.expression for w in found}) == count


def test_two_sorts_of_two_by_hand():
    found = {w.expression for w in wirings(drivers_of("16+8"))}
    assert found == {"8 + 16", "8 | 16"}
    three = {w.expression for w in wirings(drivers_of("2x16+8"))}
    row, abreast = "8 + 16 + 16", "8 | 16 | 16"
    assert three == {row, abreast, "16 + (8 | 16)", "8 + (16 | 16)", "16 | (8 + 16)", "8 | (16 + 16)"}


def test_four_of_sixteen_are_sixteen_and_measure_thirteen_and_a_half():
    """Common practice, no source: four 16 Ω drivers in series-parallel are 16 Ω, and a meter says about 13.5 Ω."""
    best, other = wirings(drivers_of("4x16"), 16.0)[:2]
    assert {best.expression, other.expression} == {"(16 | 16) + (16 | 16)", "(16 + 16) | (16 + 16)"}
    assert (best.nominal, best.dc) == (pytest.approx(16.0), pytest.approx(13.5, rel=0.01))
    assert best.minimum >= 0.8 * 16  # IEC 60268-5


def test_the_resistances_that_were_measured_count():
    (series, parallel) = sorted(wirings(drivers_of("2x8", [6.2, 7.0])), key=lambda w: -w.dc)
    assert series.dc == pytest.approx(13.2)
    assert parallel.dc == pytest.approx(1 / (1 / 6.2 + 1 / 7.0))


def test_what_is_too_low_comes_last_and_is_said_so():
    found = wirings(drivers_of("4x8"), 4.0)
    assert [w.allowed for w in found] == sorted((w.allowed for w in found), reverse=True)
    assert {w.expression for w in found if not w.allowed} == {"8 | 8 | 8 | 8", "8 | 8 | (8 + 8)"}


def test_a_low_minimum_stops_it_though_the_nominal_is_right():
    assert not wirings(drivers_of("8", [5.0]), 8.0)[0].allowed  # 5.25 Ω of modulus, 6.4 Ω asked


def test_a_driver_in_series_is_damped_through_the_others():
    by_name = {w.expression: w for w in wirings(drivers_of("4x16"))}
    assert by_name["16 + 16 + 16 + 16"].behind == pytest.approx([48.0] * 4)
    assert by_name["16 | 16 | 16 | 16"].behind == pytest.approx([0.0] * 4)
    assert by_name["(16 + 16) | (16 + 16)"].behind == pytest.approx([16.0] * 4)
    assert by_name["(16 | 16) + (16 | 16)"].behind == pytest.approx([16 / 3] * 4)


@given(st.lists(st.sampled_from([4, 6, 8, 16]), min_size=1, max_size=5))
def test_all_power_goes_somewhere_and_every_driver_is_used_once(nominal):
    for w in wirings(drivers_of("+".join(f"1x{z}" for z in nominal))):
        assert sum(w.share) == pytest.approx(1.0)
        assert sorted(w.group.drivers()) == list(range(len(nominal)))
        assert w.nominal == pytest.approx(ohms_of(w.group, nominal))
        assert min(nominal) / len(nominal) - 1e-9 <= w.nominal <= sum(nominal) + 1e-9


@given(st.lists(st.sampled_from([4.0, 8.0, 16.0]), min_size=2, max_size=5), st.integers(0, 10_000))
def test_shares_are_those_of_the_nodal_equations(nominal, pick):
    """The same network built as a graph and solved by Kirchhoff's laws, without the recursion."""
    found = wirings(drivers_of("+".join(f"{z:g}" for z in nominal)))
    w = found[pick % len(found)]
    edges, nodes = [], [2]

    def lay(group, a, b):
        if not group.sign:
            edges.append((a, b, nominal[group.driver], group.driver))
            return
        for k, member in enumerate(group.members):
            if group.sign == "|":
                lay(member, a, b)
                continue
            last = k == len(group.members) - 1
            far = b if last else nodes[0]
            nodes[0] += not last
            lay(member, a, far)
            a = far

    lay(w.group, 0, 1)
    g = np.zeros((nodes[0], nodes[0]))
    for a, b, r, _ in edges:
        g[[a, b], [a, b]] += 1 / r
        g[[a, b], [b, a]] -= 1 / r
    inject = np.zeros(nodes[0])
    inject[0] = 1.0
    keep = [n for n in range(nodes[0]) if n != 1]
    v = np.zeros(nodes[0])
    v[keep] = np.linalg.solve(g[np.ix_(keep, keep)], inject[keep])
    assert v[0] == pytest.approx(w.nominal)
    for a, b, r, driver in edges:
        assert (v[a] - v[b]) ** 2 / r / v[0] == pytest.approx(w.share[driver])


def volts(group, ohms, across):
    """V across each driver, by division."""
    if not group.sign:
        return {group.driver: across}
    inner = [ohms_of(m, ohms) for m in group.members]
    shares = [z / sum(inner) for z in inner] if group.sign == "+" else [1.0] * len(inner)
    return {d: v for m, k in zip(group.members, shares, strict=True) for d, v in volts(m, ohms, across * k).items()}


@pytest.mark.parametrize("fault", ["reversed", "open", "shorted"])
@pytest.mark.parametrize("count", [2, 3, 4])
def test_the_cones_of_every_wiring_name_the_driver_that_is_wrong(count, fault):
    """Each single fault in each wiring, by what division of the battery's volts makes the cones do."""
    for wiring in wirings([Driver.printed(8.0)] * count):
        for wrong in range(count):
            ohms = [{"open": 1e9, "shorted": 1e-9}.get(fault, 6.7) if k == wrong else 6.7 for k in range(count)]
            ours = volts(wiring.group, [*ohms], 9.0 if ohms_of(wiring.group, ohms) > 1e-6 else 0.0)
            moved = ["still" if (k == wrong and fault != "reversed") or abs(ours[k]) < 0.01 else "out" for k in range(count)]
            if fault == "reversed":
                moved[wrong] = "in"
            said = polarity(wiring.group, moved)
            assert len(said) == 1, (wiring.expression, moved, said)
            assert f"D{wrong + 1}" in said[0] or "Nothing moves" in said[0], (wiring.expression, moved, said)


def test_what_cones_say_when_nothing_is_wrong_or_all_is_turned():
    (pair, *_) = wirings([Driver.printed(8.0)] * 2)
    assert polarity(pair.group, ["out", "out"]) == []
    assert "terminals are exchanged" in polarity(pair.group, ["in", "in"])[0]
    with pytest.raises(CabinetError, match="'up' is no way for a cone to move"):
        polarity(pair.group, ["out", "up"])
    with pytest.raises(CabinetError, match="1 words for 2 cones"):
        polarity(pair.group, ["out"])


@pytest.mark.parametrize(("text", "dc"), [("9x8", ()), ("4xsix", ()), ("0x8", ()), ("2x8", (6.0,)), ("x", ())])
def test_what_cannot_be_wired_is_refused(text, dc):
    with pytest.raises(CabinetError):
        drivers_of(text, dc)


def test_the_verb_tells_watts(capsys):
    assert main(["cabinet", "2x8", "--amp-min", "4", "--power", "50", "--dc", "6.6,6.8"]) == 0
    said = capsys.readouterr().out
    assert "25 W, 25 W" in said.replace("\u202f", " ")
    assert "3.35" in said
