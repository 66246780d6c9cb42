"""The order of work."""

import itertools

import pytest

from nuvlo.kit import read_kit
from nuvlo.kit.assembly import HEAT_SHY_MM, board_order, in_tray_order
from nuvlo.kit.schools import school_named, schools
from nuvlo.problems import NuvloError
from nuvlo.workshop import SHIPPED


def test_lowest_profile_first_and_heat_hardy_before_heat_shy(gorsefire):
    fitted = [ref for s in board_order(gorsefire) if s.action.startswith("Fit") for ref in s.parts]
    assert sorted(fitted) == sorted(p.ref for p in gorsefire.parts.values() if p.on_board)
    parts = [gorsefire.parts[r] for r in fitted]
    for before, after in itertools.pairwise(parts):
        if before.kind == after.kind:
            continue
        lift = HEAT_SHY_MM if after.heat_sensitive else 0.0
        assert before.height_mm <= after.height_mm + lift
    kinds = list(dict.fromkeys(p.kind for p in parts))
    assert kinds.index("resistor") < kinds.index("capacitor") < kinds.index("transistor") < kinds.index("electrolytic")


def test_every_solder_step_has_its_gates_before_it(gorsefire):
    steps = board_order(gorsefire)
    for k, step in enumerate(steps):
        if not step.action.startswith("Solder"):
            continue
        gates = {s.gate for s in steps[:k] if s.parts == step.parts}
        polarised = any(gorsefire.parts[r].polarised for r in step.parts)
        assert "values" in gates
        assert ("polarity" in gates) == polarised
    assert [s.gate for s in steps if s.gate][-2:] == ["joints", "wash"]


def test_steps_are_numbered_and_come_after_earlier_ones(gorsefire):
    steps = board_order(gorsefire)
    assert [s.n for s in steps] == list(range(1, len(steps) + 1))
    assert all(a < s.n for s in steps for a in s.after)
    assert all(s.reason and s.minutes > 0 for s in steps)


def test_the_tray_is_sorted_by_rising_value(gorsefire):
    resistors = [p.value for p in in_tray_order(gorsefire) if p.kind == "resistor"]
    assert resistors == sorted(resistors)


def test_a_kit_without_heights_still_has_an_order(tmp_path):
    from nuvlo.kit import read_kit

    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,1k\nC1,electrolytic,10u\n")
    steps = board_order(read_kit(tmp_path))
    assert {r for s in steps for r in s.parts} == {"R1", "C1"}
    assert sum(s.minutes for s in steps) > 0


@pytest.mark.parametrize(
    ("order", "refs"),
    [("value", "R3 R1 R4 R2"), ("strip", "R1 R4 R2 R3"), ("section", "R1 R2 R3 R4"), ("list", "R1 R4 R2 R3")],
)
def test_the_tray_lies_as_the_hand_wants_it(order, refs, tmp_path):
    (tmp_path / "bom.csv").write_text(
        "ref,kind,value,section\nR1,resistor,10k,output\nR4,resistor,10k,input\nR2,resistor,10k,output\nR3,resistor,47,input\n"
    )
    assert [p.ref for p in in_tray_order(read_kit(tmp_path), order)] == refs.split()


KITS = sorted(p.name for p in SHIPPED.iterdir())


@pytest.mark.parametrize("school", [s.name for s in schools()])
@pytest.mark.parametrize("kit", KITS)
def test_in_every_school_each_part_is_fitted_once_and_guarded(kit, school):
    opened = read_kit(SHIPPED / kit)
    steps = board_order(opened, school)
    fitted = [ref for s in steps if s.action.startswith("Fit ") for ref in s.parts]
    in_sockets = [ref for s in steps if s.action.startswith("Plug in ") for ref in s.parts]
    assert sorted(fitted + in_sockets) == sorted(p.ref for p in opened.parts.values() if p.on_board)
    inserted: set[str] = set()
    seen: dict[str, set[str]] = {"values": set(), "polarity": set()}
    for step in steps:
        if step.action.startswith("Fit "):
            inserted |= set(step.parts)
        elif step.gate in seen:
            assert set(step.parts) <= inserted
            seen[step.gate] |= set(step.parts)
        elif step.action.startswith("Solder "):
            assert set(step.parts) <= seen["values"], "values are looked at before they are made fast"
            assert {r for r in step.parts if opened.parts[r].polarised} <= seen["polarity"]
    soldered = [ref for s in steps if s.action.startswith("Solder ") for ref in s.parts]
    assert sorted(soldered) == sorted(fitted)
    assert all(a < s.n for s in steps for a in s.after)
    assert all(s.reason for s in steps)


def fits(kit, school):
    return [s for s in board_order(read_kit(SHIPPED / kit), school) if s.action.startswith("Fit ")]


def test_sections_are_finished_and_tested_one_by_one():
    opened = read_kit(SHIPPED / "millrace")
    steps = board_order(opened, "sections")
    tests = [s for s in steps if s.gate == "section"]
    assert [s.action for s in tests][:2] == ["Test Regulators by itself", "Test Phantom by itself"]
    for step in tests:
        before = {r for s in steps[: step.n] if s.action.startswith("Solder ") for r in s.parts}
        section = opened.part(step.parts[0]).section
        assert {
            p.ref for p in opened.parts.values() if p.section == section and p.on_board and p.kind != "chip"
        } <= before


def test_chips_with_sockets_are_plugged_in_last_and_never_soldered():
    steps = board_order(read_kit(SHIPPED / "millrace"))
    wash = next(s.n for s in steps if s.gate == "wash")
    (plug,) = (s for s in steps if "U3" in s.parts)
    assert plug.action == "Plug in the chips"
    assert plug.n > wash
    assert plug.parts == ("U3", "U4")


def test_semiconductors_first_and_batches_of_a_dozen():
    assert fits("lampwick", "semiconductors")[0].action == "Fit the sockets"
    assert all(len(s.parts) <= 12 for s in fits("millrace", "batches"))
    together = board_order(read_kit(SHIPPED / "millrace"), "together")
    assert sum(s.action.startswith("Solder ") for s in together) == 1


@pytest.mark.parametrize(("text", "name"), [("sections", "sections+groups"), ("batches", "lowest+batches"), ("together+semiconductors", "semiconductors+together")])  # fmt: skip
def test_schools_are_named_by_either_half(text, name):
    assert school_named(text) == name
    with pytest.raises(NuvloError, match="no school 'fish'"):
        school_named(f"{text}+fish")
