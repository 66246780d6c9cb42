"""Pictures: what is drawn stands where it should."""

import numpy as np
import pytest
from PyQt6.QtGui import QFontMetrics

from nuvlo.desktop import theme
from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.curve import CurveView, Line, Picture, warm
from nuvlo.desktop.lanes import NextLane, NextStep, ReadingsLane
from nuvlo.desktop.path_bar import PathBar
from nuvlo.desktop.proposals import ProposalList
from nuvlo.kit import Stage
from nuvlo.kit.schema import Aim
from nuvlo.measurement import volts_at
from nuvlo.quantity import Measured
from nuvlo.stages.choose.search import Proposal
from nuvlo.stages.task import Finding, Task, Wants
from tests.desktop.conftest import painted


@pytest.fixture
def board(qtbot, gorsefire):
    widget = BoardMap()
    qtbot.addWidget(widget)
    widget.resize(640, 620)
    widget.show_board(gorsefire, Marking(wires=True, wire_now="7", lit=frozenset({"FUZZ.3", "W6"})))
    widget.show()
    return widget


@pytest.mark.parametrize("side", ["top", "bottom"])
@pytest.mark.parametrize("size", [(640, 620), (300, 400), (1200, 500)])
def test_the_map_is_to_scale_and_inside_its_lane(board, gorsefire, side, size):
    board.resize(*size)
    board.show_board(gorsefire, Marking(side=side, wires=True))
    a, b, c = board.place(0, 0), board.place(64, 0), board.place(0, 42)
    scale = abs(b.x() - a.x()) / 64
    assert abs(c.y() - a.y()) / 42 == pytest.approx(scale), "one scale for both axes"
    for pad in gorsefire.board.pads:
        at = board.place(pad.x_mm, pad.y_mm)
        assert 0 < at.x() < size[0]
        assert 0 < at.y() < size[1]
    assert (b.x() > a.x()) == (side == "top"), "the solder side is a mirror image"


def test_lugs_of_the_panel_stand_apart_and_in_the_order_of_their_pads(board, gorsefire):
    lugs = board.lugs()
    assert {w.start for w in gorsefire.wires} <= set(lugs)
    places = [(p.x(), p.y()) for p in lugs.values()]
    for i, a in enumerate(places):
        for b in places[i + 1 :]:
            assert abs(a[0] - b[0]) > 12 or abs(a[1] - b[1]) > 12
    assert lugs["J1.tip"].x() < lugs["FUZZ.3"].x() < lugs["VOLUME.3"].x()


def test_the_map_says_what_is_lit(board):
    assert "lit: FUZZ.3, W6" in board.accessibleName()
    assert painted(board)


def test_frequency_axis_labels_thin_out_when_it_is_narrow(qtbot):
    view = CurveView()
    qtbot.addWidget(view)
    f = np.geomspace(20, 20e3, 50)
    view.show_picture(Picture("t", "frequency", "dB", [Line(f, np.zeros(50), "flat")], (f, f * 0 - 1, f * 0 + 1)))
    qtbot.waitUntil(lambda: view.plot is not None)
    axis = view.plot.getAxis("bottom")
    wide = axis.tickValues(1.3, 4.3, 800)[0][1]
    narrow = axis.tickValues(1.3, 4.3, 300)[0][1]
    assert len(narrow) < len(wide)
    assert axis.tickStrings(narrow, 1, 1) == ["100\u202fHz", "1\u202fkHz", "10\u202fkHz"]


def test_the_cursor_tells_values_in_words(qtbot):
    view = CurveView()
    qtbot.addWidget(view)
    view.resize(600, 400)
    f = np.geomspace(20, 20e3, 50)
    view.show_picture(Picture("t", "frequency", "gain, dB", [Line(f, np.full(50, 41.5), "measured")]))
    view.show()
    qtbot.waitUntil(lambda: view.plot is not None and len(view.plot.plotItem.listDataItems()) == 1)
    centre = view.plot.plotItem.vb.sceneBoundingRect().center()
    view._moved(centre)
    assert "measured 41.5\u202fdB" in view.cursor_words.text()
    view.show_picture(Picture("none", "x", "y", log=False))
    view._moved(centre)


@pytest.mark.parametrize("state", ["done", "in hand", "stuck", "to come", "nothing to do", "lacks input"])
def test_each_stone_has_a_word_and_a_shape_of_its_own(qtbot, state):
    from nuvlo.workshop.session import StageState

    bar = PathBar()
    qtbot.addWidget(bar)
    bar.resize(900, 76)
    bar.show_path("Gorsefire", "001", [StageState(Stage.WAKE, state, 1, 3)], None)
    assert state in bar.accessibleDescription()
    image = bar.grab().toImage()
    inked = sum(image.pixelColor(x, 20).name() != theme.current().paper.lower() for x in range(500, 570))
    assert inked > 0


def test_the_next_lane_asks_for_a_value_where_no_instrument_is(qtbot):
    lane = NextLane()
    qtbot.addWidget(lane)
    task = Task("t", Stage.WAKE, Wants.READING, "Measure TP1", of=volts_at("TP1"), unit="V")
    lane.show_task(NextStep(Finding(task, False), instrument=False))
    assert lane.button is None
    lane.show_task(NextStep(Finding(task, False), ["a"] * 9, "advice"))
    assert "Space" in lane.button.text()
    lane.show_task(NextStep(None, closed="Wake is finished", closing="Go on."))
    assert lane.button is None


def test_the_readings_lane_keeps_its_gauges_while_places_stay_the_same(qtbot):
    lane = ReadingsLane()
    qtbot.addWidget(lane)
    task = Task("t", Stage.WAKE, Wants.READING, "Measure TP1", of=volts_at("TP1"), unit="V")
    lane.show_findings("Readings", [Finding(task, False)], None, "")
    (gauge,) = lane.gauges
    taken = Finding(task, True, reading=Measured(4.5, 0.01, "V"))
    lane.show_findings("Readings", [taken], taken, "")
    assert lane.gauges == [gauge], "not built anew for every reading"
    assert gauge.finding is taken
    assert gauge.present
    assert "4.5" in gauge.accessibleName()
    lane.show_findings("Readings", [taken, taken], None, "")
    assert len(lane.gauges) == 2


def test_a_curve_is_drawn_again_only_when_it_looks_different(qtbot):
    f = np.geomspace(20, 20e3, 10)

    def picture(level, words=()):
        return Picture("t", "x", "y", [Line(f.copy(), np.full(10, level), "a")], words=words)

    assert picture(1.0).same_as(picture(1.0))
    assert not picture(1.0).same_as(picture(2.0))
    assert not picture(1.0).same_as(picture(1.0, ("more",)))
    assert not picture(1.0).same_as(None)
    warm()


def test_fonts_have_every_mark_that_values_need(qtbot):
    """The narrow space, true minus, ohm, micro and degree: none may fall back to another font or an empty box."""
    from fontTools.ttLib import TTFont

    for face in theme.FONTS.glob("*.ttf"):
        known = TTFont(face).getBestCmap()
        assert all(ord(c) in known for c in "\u202f−Ωµ°±×—"), face.name


@pytest.mark.parametrize("wide", [320, 380, 700])
def test_cards_are_as_high_as_their_values_need(qtbot, wide):
    """Three values and their results, in a narrow lane too: each card ends below its last word, and none is cut off."""
    cards = ProposalList()
    qtbot.addWidget(cards)
    cards.resize(wide, 100)
    values = {"r2": 2400.0, "r4": 2200.0, "xrv1.pos": 0.5}
    aims = [Aim(name="rail", kind="voltage", node="n", want="15", says="positive rail")]
    units = {"r2": "Ω", "r4": "Ω"}
    cards.show_proposals([Proposal(values, {"rail": 15.4}, 1.0, 0.2, 0)], units, aims)
    (row,) = cards.rows
    head = cards._head(row)
    metrics = QFontMetrics(theme.values(13, bold=True))
    longest = max(metrics.horizontalAdvance(piece) for piece in row.values.split("   "))
    assert longest <= head.width()
    lines = -(-metrics.horizontalAdvance(row.values) // int(head.width()))
    assert head.height() >= lines * metrics.height() - 1
    assert cards.height() >= head.bottom() + QFontMetrics(theme.words(10)).height()
    assert painted(cards)
