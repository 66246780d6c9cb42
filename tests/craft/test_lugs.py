"""Lugs as a hand sees them: every wire of every kit ends at one of its part, none on another, numbered as standards number them."""

import math
from dataclasses import replace
from itertools import combinations, pairwise

import pytest

from nuvlo.craft.lugs import lug_view, lugs_in, throws_told
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Part
from nuvlo.logbook import Build
from nuvlo.stages import hook_up
from nuvlo.workshop.demo import SHIPPED

WIRED = sorted(p.parent.name for p in SHIPPED.glob("*/wiring.csv"))


def part(kind, text, note=""):
    return Part("X1", kind, text, None, "", None, "", "", None, False, False, False, None, (), False, note, "", False)


def used(kit):
    """Lugs that wires go to, by part."""
    out = {}
    for w in kit.wires:
        for end in w.ends:
            ref, dot, lug = end.partition(".")
            if dot:
                out.setdefault(ref, set()).add(lug)
    return out


@pytest.mark.parametrize("name", WIRED)
def test_every_wire_has_its_lug_and_no_lug_lies_on_another(name):
    kit = read_kit(SHIPPED / name)
    for ref, lugs in used(kit).items():
        view = lug_view(kit.part(ref), sorted(lugs))
        assert lugs <= set(view.places), ref
        assert view.seen
        for (a, (x, y)), (b, (u, v)) in combinations(view.places.items(), 2):
            assert math.hypot(x - u, y - v) >= 4.5, (ref, a, b)


def test_a_pot_from_behind_has_its_first_lug_on_the_right():
    places = lug_view(part("potentiometer", "100k audio"), ["1", "2", "3"]).places
    assert places["1"][0] > places["2"][0] > places["3"][0]


def test_xlr_from_the_solder_side_is_the_mating_face_the_other_way_round():
    """IEC 61076-2-103: on the mating face of pins 1, 2 clockwise over 3; on that of the holes the other way round."""
    male, female = (lug_view(part("jack", f"XLR {sex}, 3 pins"), "123").places for sex in ("male", "female"))
    assert male["2"][0] < 0 < male["1"][0]
    assert female["1"][0] < 0 < female["2"][0]
    assert male["3"] == female["3"]


@pytest.mark.parametrize("pins", [7, 8, 9])
def test_valve_pins_go_clockwise_from_below_and_leave_the_gap_at_the_foot(pins):
    places = lug_view(part("socket", f"{pins} pins"), ["1"]).places
    angles = [math.degrees(math.atan2(*places[str(k)][::-1])) % 360 for k in range(1, pins + 1)]
    turns = [(a - b) % 360 for a, b in pairwise(angles)]
    assert turns == pytest.approx([turns[0]] * (pins - 1))
    assert places["1"][0] < 0 < places[str(pins)][0]


def test_the_pin_of_a_power_socket_is_what_the_list_says():
    centre_minus = lug_view(part("socket", "2.1 mm", "centre negative: the pin is minus"), ["minus", "plus"]).places
    assert centre_minus["minus"][1] > 0 > centre_minus["plus"][1]
    assert lug_view(part("socket", "2.1 mm"), ["minus", "plus"]).places["plus"][1] > 0


def test_what_is_unknown_lies_in_a_row_by_its_marks():
    assert list(lug_view(part("hardware", "battery clip"), ["plus", "minus"]).places) == ["minus", "plus"]


@pytest.mark.parametrize("turned", [False, True])
def test_the_stripe_of_a_supplys_lead_lies_along_its_negative_pins(turned):
    """As the board lies, and with the header turned end for end."""
    kit = read_kit(SHIPPED / "tidewheel")
    x = sum(p.x_mm for p in kit.board.pads_of("J4")) / 10
    if turned:
        pads = tuple(replace(p, x_mm=2 * x - p.x_mm) if p.ref == "J4" else p for p in kit.board.pads)
        kit = replace(kit, board=replace(kit.board, pads=pads), memory={})
    view = lugs_in(kit, "J4")
    (stripe,) = (s for s in view.outline if s.kind == "stripe")
    assert (stripe.at[0] > 0) == turned
    assert stripe.at[0] == stripe.at[2]
    assert abs(stripe.at[0] - view.places["1"][0]) < abs(stripe.at[0] - view.places["3"][0])
    assert view.seen == "Component side; red stripe along pins 1 and 2, -12 V; pins 9 and 10, +12 V"
    (task,) = hook_up.tasks(kit, Build(""))
    assert task.title == "The supply's lead on J4: red stripe to -12 V"
    assert set(task.parts) == {"J4", "J4.1", "J4.2"}


def test_throws_are_told_by_their_lugs():
    told = throws_told(lugs_in(read_kit(SHIPPED / "gorsefire"), "SW1"))
    assert told == "Effect joins 1–2 and 4–5; bypass joins 2–3 and 5–6."
