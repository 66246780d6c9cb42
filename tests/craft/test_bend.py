"""Bending leads: against brute force, and as seen in the hand."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvlo.craft.bend import LEAD_MM, LEAST_MM, LENGTHS_MM, bends
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.board import Board, Pad, Placement
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but


class Trial:
    """A board with nothing else of a kit."""

    def __init__(self, board):
        self.board = board
        self.memory = {}

    def find_part(self, ref):
        return None


def a_board(pads):
    refs = {p.ref for p in pads}
    return Trial(
        Board(((0, 0), (40, 0), (40, 30), (0, 30)), tuple(pads), {r: Placement(r, "", 0, 0, 0, "top") for r in refs})
    )


def by_sampling(board, lead, clock, length):
    """Clearance along a finely divided lead, the hour read on the mirrored board."""
    pad = next(p for p in board.pads if (p.ref, p.pin) == (lead.ref, lead.pin))
    angle = np.radians(90 - 30 * clock)
    best = np.inf
    for s in np.linspace(0, length, 400):
        x, y = -s * np.cos(angle) + pad.x_mm, s * np.sin(angle) + pad.y_mm
        for q in board.pads:
            if q.net != pad.net:
                best = min(best, np.hypot(q.x_mm - x, q.y_mm - y) - q.pad_mm / 2 - LEAD_MM / 2)
    return best


BOARDS = sorted(p.name for p in SHIPPED.iterdir() if (p / "pads.csv").exists())
places = st.tuples(st.integers(2, 38), st.integers(2, 28))


@settings(max_examples=6, deadline=None)
@given(st.lists(places, min_size=3, max_size=8, unique=True), st.integers(2, 4))
def test_no_lead_points_nearer_than_its_best_clearance(spots, nets):
    trial = a_board([Pad(f"R{k}", "1", x, y, 1.8, f"n{k % nets}") for k, (x, y) in enumerate(spots)])
    for lead in bends(trial):
        assert lead.clearance_mm == pytest.approx(by_sampling(trial.board, lead, lead.clock, lead.length_mm), abs=0.01)
        every = [by_sampling(trial.board, lead, hour, lead.length_mm) for hour in range(1, 13)]
        assert min(lead.clearance_mm, 2.0) >= min(max(every), 2.0) - 0.01


@pytest.mark.parametrize(("dx", "dy", "clock"), [(3, 0, 3), (-3, 0, 9), (0, 3, 6), (0, -3, 12)])
def test_the_hour_is_that_of_the_board_turned_over(dx, dy, clock):
    """A foreign pad to the right of the component side lies to the left of the solder side: bend away, to three."""
    trial = a_board([Pad("R1", "1", 20, 15, 1.8, "a"), Pad("R2", "1", 20 + dx, 15 + dy, 1.8, "b")])
    lead = next(one for one in bends(trial) if one.ref == "R1")
    off = (lead.clock - clock + 6) % 12 - 6
    assert abs(off) <= 2, "away from the pad, if not straight away"


def test_a_lead_shut_in_is_told_and_bent_short():
    ring = [Pad("X", str(k), 20 + 1.9 * np.cos(k), 15 + 1.9 * np.sin(k), 1.6, "b") for k in np.linspace(0, 6, 14)]
    lead = next(one for one in bends(a_board([Pad("R1", "1", 20, 15, 1.8, "a"), *ring])) if one.ref == "R1")
    assert lead.tight
    assert lead.clearance_mm < LEAST_MM
    assert lead.length_mm in LENGTHS_MM


def test_the_same_net_is_harmless():
    trial = a_board([Pad("R1", "1", 20, 15, 1.8, "a"), Pad("R2", "1", 22.5, 15, 1.8, "a")])
    assert all(np.isinf(lead.clearance_mm) for lead in bends(trial))


def test_the_shipped_board_has_room_for_every_lead():
    found = bends(read_kit(SHIPPED / "gorsefire"))
    assert {lead.ref for lead in found} >= {"R1", "C4", "Q2", "D1"}
    assert "RV1" not in {lead.ref for lead in found}, "a trimmer's legs are not bent"
    assert [lead for lead in found if lead.tight] == []


@pytest.mark.parametrize("kit", long_but(("gorsefire", "reedling"), BOARDS))
def test_every_shipped_board_bends_by_the_best_of_all_hours(kit):
    """A few leads of each board, every hour tried along a finely divided lead."""
    opened = read_kit(SHIPPED / kit)
    leads = bends(opened)
    assert not any(lead.tight for lead in leads)
    for lead in leads[:: max(1, len(leads) // 3)]:
        every = [by_sampling(opened.board, lead, hour, lead.length_mm) for hour in range(1, 13)]
        assert min(lead.clearance_mm, 2.0) >= min(max(every), 2.0) - 0.01
