"""Is it the right part, and is it in tolerance? Two questions with two answers."""

import numpy as np
import pytest

from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError
from nuvlo.quantity import Verdict
from nuvlo.stages.unpack.check_in import check_in, strips
from nuvlo.workshop.workshop import Workshop
from tests.stages.test_unpack import STRIP, a_kit, read
from tests.workshop.test_journey import type_line

BOX = "R1,resistor,100k,1%,,\nR2,resistor,4k7,5%,,\nR3,resistor,5k1,5%,,\nR4,resistor,220,1%,,\nC1,capacitor,100n,10%,,\nC2,capacitor,470u,-20/+50%,,\n"


@pytest.mark.parametrize(
    ("ref", "shown", "verdict", "large", "quiet"),
    [
        ("R1", 100.4e3, "in", "100 kΩ, right", "fits"),
        (
            "R1",
            100.9e3,
            "in",
            "100 kΩ, right",
            "fits",
        ),  # inside what is printed: the meter's doubt is no reason to worry
        ("R1", 101.4e3, "near", "100 kΩ, right", "fits, as far as this meter can tell"),
        ("R1", 103e3, "out", "100 kΩ, too far off", "2 kΩ high"),
        ("R1", 100.0, "out", "looks like 100 Ω", ""),
        ("R1", 10.0e3, "out", "looks like 10 kΩ", ""),
        ("R1", 4.71e3, "out", "looks like 4.7 kΩ", ""),  # another value of this kit
        ("R1", 47.2e3, "out", "looks like 47 kΩ", ""),  # one that is made
        ("R4", np.inf, "out", "over range", ""),
        ("R4", 0.0, "out", "shorted", ""),
        ("C1", 0.0, "out", "open", ""),
        ("C2", np.inf, "out", "over range", ""),
        ("C1", 112e-9, "near", "100 nF, right", "fits, as far as this meter can tell"),
        ("C1", 47e-9, "out", "looks like 47 nF", ""),
        ("C2", 640e-6, "in", "470 µF, right", "fits"),
    ],
)
def test_two_questions(ref, shown, verdict, large, quiet, tmp_path):
    kit = a_kit(tmp_path, BOX)
    unit = kit.part(ref).unit
    one = next(c for c in check_in(kit, {ref: [MeterSpec().measured(shown, unit)]}) if c.part.ref == ref)
    plain = [w.replace("\u202f", " ") for w in (one.is_words, one.fits_words)]
    assert (one.verdict.value, plain[0]) == (verdict, large)
    assert not quiet or plain[1] == quiet


@pytest.mark.parametrize(
    ("ref", "shown", "says"), [("R1", np.inf, "it is open"), ("R1", 0.0, "it is shorted"), ("C1", 0.0, "it is open"), ("C1", np.inf, "it is shorted, or more")]
)
def test_open_and_shorted_are_the_other_way_about_for_a_capacitor(ref, shown, says, tmp_path):
    kit = a_kit(tmp_path, BOX)
    one = next(c for c in check_in(kit, {ref: [MeterSpec().measured(shown, kit.part(ref).unit)]}) if c.part.ref == ref)
    assert says in one.words


def test_what_two_values_of_the_kit_could_be_is_said(tmp_path):
    """4.9 kΩ lies within 5 % of both 4.7 and 5.1 kΩ."""
    kit = a_kit(tmp_path, BOX)
    words = next(c.words for c in check_in(kit, read(R2=4.9e3)) if c.part.ref == "R2").replace("\u202f", " ")
    assert (
        words == "R2 is right: 4.7 kΩ. It reads 4.9 kΩ and fits. It could also be 5.1 kΩ of this kit: read its marking."
    )


def test_a_whole_strip_of_100_ohm_is_no_100_kilohm(tmp_path):
    """TRADE.md section 1: brown-black-brown for brown-black-yellow."""
    kit = a_kit(tmp_path, STRIP)
    checked = check_in(kit, read(R1=100.3, R2=99.9))
    assert "is not 100" in checked[0].words
    assert "looks like 100" in checked[0].words
    assert "bands" in checked[0].words
    assert strips(checked)[0].likely == checked[0].which.likely


@pytest.mark.parametrize("value", [10.0, 47.0, 220.0, 4.7e3, 33e3, 1e6])
@pytest.mark.parametrize("tolerance", [0.01, 0.05, 0.1])
def test_a_good_part_is_always_the_right_one(value, tolerance, tmp_path):
    """Whatever its value inside its tolerance and whatever a good meter makes of it."""
    kit = a_kit(tmp_path, f"R1,resistor,{value:g},{100 * tolerance:g}%,,\n")
    rng, spec = np.random.default_rng(7), MeterSpec()
    for true in value * (1 + tolerance * rng.uniform(-1, 1, 40)):
        shown = true + rng.uniform(-1, 1) * spec.limits(true, "Ω") / 3**0.5
        one = check_in(kit, {"R1": [spec.measured(float(shown), "Ω")]})[0]
        assert one.which.right
        assert one.verdict in (Verdict.IN, Verdict.NEAR)


def test_one_of_a_strip_that_stands_apart_is_pointed_at(tmp_path):
    """Each is inside its tolerance with a meter's doubt, but the meter's error is the same for all of them."""
    kit = a_kit(tmp_path, "".join(f"R{k},resistor,10k,1%,,\n" for k in range(1, 7)))
    checked = check_in(kit, read(R1=9.93e3, R2=9.94e3, R3=9.92e3, R4=10.06e3, R5=9.93e3, R6=9.935e3))
    assert [c.part.ref for c in checked if c.apart] == ["R4"]
    assert "1.3 % more than the other 5 of its strip" in checked[3].apart
    assert not any(c.apart for c in check_in(kit, read(R1=9.93e3, R2=9.94e3, R3=9.92e3, R4=10.0e3)))


def test_a_pair_is_judged_by_difference(tmp_path):
    kit = a_kit(tmp_path, STRIP, '[[match]]\ntitle = "Legs"\npairs = [["R1", "R2"]]\n')
    words = check_in(kit, read(R1=100.2e3, R2=99.9e3))[0].words
    assert "R1 and R2 are a pair, 0.3 % apart, ± 0.08 %." in words
    assert "a pair" not in check_in(kit, read(R1=100.2e3, R2=100.0))[0].words


def test_a_chosen_value_is_the_one_that_is_meant(tmp_path):
    kit = a_kit(tmp_path, STRIP)
    one = check_in(kit, read(R4=33.1e3), chosen={"R4": "33k"})[3]
    assert (one.verdict, one.is_words) == (Verdict.IN, "33\u202fkΩ, right")


def test_the_window_asks_large_and_quietly(tmp_path):
    """By the bench line: what is said, what stands on the gauge, and that a near one stops nobody."""
    session = Workshop(tmp_path / "shop").start(a_kit(tmp_path, STRIP), bench="typed")
    plain = type_line(session, "r1 101.4k").words.replace("\u202f", " ")
    assert plain == "R1 is right: 100 kΩ. It reads 101.4 kΩ and fits, as far as this meter can tell."
    type_line(session, "r4 100")
    found = {f.task.target: f for f in session.findings(Stage.UNPACK)}
    assert (found["R1"].brief, found["R1"].aside) == ("100\u202fkΩ, right", "fits, as far as this meter can tell")
    assert (found["R1"].tone, found["R1"].stuck) == (Verdict.IN, False)
    assert (found["R4"].verdict_words, found["R4"].stuck) == ("looks like 100\u202fΩ", True)


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("reference 5k 0.1% 4.98k", "The meter shows 0.3"), ("reference 5k 0,1 % 5.0k", "The meter is right"),
        ("reference 10k", "its value, its tolerance"), ("reference 10k 5% 9.97k", "no better than the meter"),
        ("reference 10k 0.1% 100", "far from"), ("reference 10k 0.1% OL", "has a value"), ("reference 0 0.1% 0", "has a value"),
    ],
)  # fmt: skip
def test_the_meter_is_learnt_from_one_reference(line, says, tmp_path):
    session = Workshop(tmp_path / "shop").start(a_kit(tmp_path, STRIP), bench="typed")
    try:
        words = type_line(session, line).words
    except NuvloError as bad:
        words = str(bad)
    assert says in words
    told = "The meter" in next(f.task.detail for f in session.findings(Stage.UNPACK) if f.task.target == "R4")
    assert told is (words.startswith("The meter")), "4.7 kΩ is read on the range of the reference"


def test_the_sheet_counts_in_the_same_way(tmp_path):
    session = Workshop(tmp_path / "shop").start(a_kit(tmp_path, STRIP), bench="typed")
    for line in ("r1 100.2k", "r2 101.4k", "r3 100", "r4 4.9k"):
        type_line(session, line)
    sheet = session.snapshot().sheet()
    verdicts = {row[0]: row[-1].replace("\u202f", " ") for row in sheet.rows}
    assert verdicts == {"R1": "fits", "R2": "fits, as far as this meter can tell", "R3": "looks like 100 Ω", "R4": "150 Ω high"}
    assert "1 part fits as far as this meter can tell." in sheet.told
    assert "too close" not in sheet.told
    assert sheet.overall == "not as meant"
