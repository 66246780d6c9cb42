"""The board map: a true mirror, nearer and turned, nets, and a picture beneath by two clicks."""

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtTest import QTest

from nuvlo.desktop import theme
from nuvlo.desktop.board import kept
from nuvlo.desktop.board.inside import InsideMap
from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.board.painter import tree
from nuvlo.desktop.board.view import MOST, Underlay, View
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.step_id import wire_step
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun

BOARDS = sorted(p.name for p in SHIPPED.iterdir() if (p / "placement.csv").exists())


@pytest.fixture
def board(qtbot):
    theme.load_fonts()
    widget = BoardMap()
    qtbot.addWidget(widget)
    widget.resize(700, 500)
    widget.show()
    return widget


@pytest.mark.parametrize("kit", BOARDS)
def test_the_solder_side_is_a_true_mirror(board, kit):
    """Every pad lies as far from the right edge as it lay from the left, and as high."""
    opened = read_kit(SHIPPED / kit)
    pads = opened.board.pads
    board.show_board(opened, Marking())
    top = [board.place(q.x_mm, q.y_mm) for q in pads]
    edge = board.place(opened.board.left, 0).x() + board.place(opened.board.left + opened.board.size[0], 0).x()
    board.show_board(opened, Marking(side="bottom"))
    for pad, there in zip(pads, top, strict=True):
        here = board.place(pad.x_mm, pad.y_mm)
        assert here.x() == pytest.approx(edge - there.x())
        assert here.y() == pytest.approx(there.y())


@pytest.mark.parametrize("kit", BOARDS)
def test_the_map_is_to_scale_and_every_fitted_part_is_on_it_or_says_where_it_goes(board, kit):
    opened = read_kit(SHIPPED / kit)
    board.show_board(opened, Marking())
    a, b, c = board.place(0, 0), board.place(10, 0), board.place(0, 10)
    assert b.x() - a.x() == pytest.approx(a.y() - c.y())
    assert b.x() - a.x() == pytest.approx(10 * board.scale())
    for part in opened.parts.values():
        if part.on_board and part.kind != "chip" and part.ref not in opened.board.placements:
            assert "on the tags of" in part.note


def test_nearer_keeps_the_place_under_the_pointer(board, gorsefire):
    board.show_board(gorsefire, Marking())
    at = board.place(20.0, 20.0)
    board.look(board.view.zoomed(3.0, at, board.centre()))
    assert (board.place(20.0, 20.0) - at).manhattanLength() < 1e-6
    assert board.scale() == pytest.approx(3.0 * board._fit()[0])
    board.look(board.view.zoomed(1000.0, at, board.centre()))
    assert board.view.zoom == MOST
    board.look(View().turned(90))
    a, b = board.place(10, 10), board.place(20, 10)
    assert abs(b.x() - a.x()) < 1e-6
    assert b.y() - a.y() == pytest.approx(10 * board.scale())


def test_a_drag_moves_the_board_and_a_click_picks(board, gorsefire):
    board.show_board(gorsefire, Marking())
    before = board.place(20.0, 20.0)
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=QPoint(300, 300))
    QTest.mouseMove(board, QPoint(340, 320))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=QPoint(340, 320))
    moved = board.place(20.0, 20.0) - before
    assert (moved.x(), moved.y()) == (pytest.approx(40), pytest.approx(20))
    picked = []
    board.picked.connect(picked.append)
    pad = gorsefire.board.pads_of("R3")[0]
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.place(pad.x_mm, pad.y_mm).toPoint())
    assert picked == ["R3"]


def test_what_is_moved_looks_like_what_is_painted_there_anew(board, qtbot, gorsefire):
    """While the hand moves the kept picture is laid elsewhere; once it rests the board is painted sharp in the same place."""
    board.show_board(gorsefire, Marking())
    painted(board)
    board.look(View().moved(QPointF(60, 10)))
    moving = painted(board)
    qtbot.waitUntil(lambda: not board._moving, timeout=2000)
    rested = painted(board)
    inside = [(x, y) for x in range(150, 560, 23) for y in range(130, 400, 23)]
    same = sum(moving.pixelColor(x, y) == rested.pixelColor(x, y) for x, y in inside)
    assert same > 0.95 * len(inside)


def test_a_net_is_lit_and_joined_by_the_shortest_tree(board, gorsefire):
    board.show_board(gorsefire, Marking())
    plain = painted(board)
    board.show_board(gorsefire, Marking(net="vcc"))
    lit = painted(board)
    pad = next(q for q in gorsefire.board.pads if q.net == "vcc" and q.ref == "R1")
    at = board.place(pad.x_mm, pad.y_mm).toPoint() + QPoint(round(0.6 * board.scale()), 0)
    assert plain.pixelColor(at) != lit.pixelColor(at)
    assert tree([(0, 0), (10, 0), (1, 0), (11, 0)]) == [(0, 2), (2, 1), (1, 3)]
    assert tree([]) == []


@pytest.mark.parametrize("turn", [0.0, 90.0, 33.0])
def test_a_picture_laid_by_two_places_fits_everywhere_else(qapp, turn):
    """A picture made by turning, scaling and moving the board: two places give the rest back."""
    made = View(2.7, (31.0, -12.0), turn).transform(QPointF(100, 100))

    def pixel(x, y):
        at = made.map(QPointF(x, -y))
        return at.x(), at.y()

    under = Underlay(QPixmap(), "top", pixel(5, 5), pixel(60, 40), (5, 5), (60, 40)).to_board()
    for x, y in ((0, 0), (64, 0), (30, 21)):
        back = under.map(QPointF(*pixel(x, y)))
        assert (back.x(), back.y()) == (pytest.approx(x, abs=1e-6), pytest.approx(y, abs=1e-6))
    with pytest.raises(ValueError, match="the same"):
        Underlay(QPixmap(), "top", (1, 1), (1, 1), (0, 0), (5, 5)).to_board()


def test_a_picture_is_aligned_by_two_clicks_and_kept(drive, tmp_path):
    driver = drive()
    driver.type("stage fit")
    driver.type("confirm")
    board = driver.window.picture().board
    path = tmp_path / "board.png"
    photo = QPixmap(600, 400)
    photo.fill(QColor("#204020"))
    painter = QPainter(photo)
    painter.fillRect(40, 340, 8, 8, QColor("white"))
    painter.end()
    photo.save(str(path))
    driver.type(f"picture {path}")
    assert "Click where pad" in driver.said
    frame = board._picture_frame(photo)
    for corner in ((44, 344), (560, 50)):
        QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=frame.map(QPointF(*corner)).toPoint())
    driver.settle()
    kept = driver.session.build.pictures["top"]
    assert (kept.first[1], kept.first[2]) == (pytest.approx(44, abs=1.5), pytest.approx(344, abs=1.5))
    assert (driver.session.places.pictures / kept.file).exists()
    assert board.underlay_shown()
    pad = next(q for q in driver.session.kit.board.pads if f"{q.ref}.{q.pin}" == kept.first[0])
    lies = (board.underlays["top"].to_board()).map(QPointF(*kept.first[1:]))
    assert (lies.x(), lies.y()) == (pytest.approx(pad.x_mm - driver.session.kit.board.left), pytest.approx(pad.y_mm))
    driver.type("picture off")
    assert not board.underlay_shown()
    driver.type(f"picture {tmp_path / 'none.png'}")
    assert "no file" in driver.said
    (tmp_path / "words.png").write_text("not a picture at all")
    driver.type(f"picture {tmp_path / 'words.png'}")
    assert "not a picture" in driver.said


def test_looking_by_words(drive):
    driver = drive()
    driver.type("net vcc")
    assert "no map" in driver.said
    driver.type("stage fit")
    driver.type("confirm")
    board = driver.window.picture().board
    driver.type("zoom 3")
    assert board.view.zoom == pytest.approx(3.0)
    lit = next(q for q in driver.session.kit.board.pads if q.ref in board.marking.lit)
    assert board.rect().contains(board.place(lit.x_mm, lit.y_mm).toPoint())
    driver.type("rotate 90")
    assert board.view.turn == 90.0
    driver.type("zoom fit")
    assert board.view == View()
    driver.type("net fish")
    assert "no net 'fish'" in driver.said
    driver.type("net vcc")
    assert board.marking.net == "vcc"
    assert driver.session.stage is Stage.FIT
    driver.type("net off")
    assert board.marking.net == ""


def painted(board):
    """The map once all of it is painted: a large one takes several goes."""
    image = board.grab().toImage()
    while not board.whole:
        image = board.grab().toImage()
    return image


@pytest.mark.parametrize("side", ["top", "bottom"])
def test_touching_up_paints_what_painting_anew_would(board, side):
    """Step after step, with parts lit and unlit: the kept picture is the one painted from nothing."""
    kit = read_kit(SHIPPED / "millrace")
    steps = [
        (frozenset(), frozenset({"R1", "R2"})),
        (frozenset({"R1", "R2"}), frozenset({"C1"})),
        (frozenset({"R1", "R2", "C1"}), frozenset({"U1", "D4"})),
    ]
    for done, lit in steps:
        board.show_board(kit, Marking(lit, done, side))
        touched = painted(board)
        board.kept.forget()
        board.update()
        anew = painted(board)
        off = sum(
            touched.pixelColor(x, y) != anew.pixelColor(x, y) for x in range(0, 700, 3) for y in range(25, 500, 3)
        )
        assert off <= 4, f"{off} pixels differ"


def test_a_large_board_is_painted_in_slices_and_comes_out_the_same(board, monkeypatch):
    kit = read_kit(SHIPPED / "millrace")
    board.show_board(kit, Marking(frozenset({"R1"}), frozenset({"R2"}), "top"))
    at_once = painted(board)
    monkeypatch.setattr(kept, "SLICE_MS", 0.0)
    board.kept.forget()
    board.update()
    board.grab()
    assert not board.whole
    board.show_board(kit, Marking(frozenset({"R3"}), frozenset({"R1", "R2"}), "top"))  # the hand goes on meanwhile
    painted(board)
    board.show_board(kit, Marking(frozenset({"R1"}), frozenset({"R2"}), "top"))
    in_slices = painted(board)
    off = sum(
        at_once.pixelColor(x, y) != in_slices.pixelColor(x, y) for x in range(0, 700, 3) for y in range(25, 500, 3)
    )
    assert off <= 4, f"{off} pixels differ"


@pytest.mark.parametrize(("off", "picks"), [(10, True), (24, True), (30, False)])
def test_a_click_picks_within_reach_only(board, gorsefire, off, picks):
    board.show_board(gorsefire, Marking())
    got = []
    board.picked.connect(got.append)
    pad = min(gorsefire.board.pads, key=lambda p: (p.y_mm, p.x_mm))  # at the edge: nothing else lies below it
    at = board.place(pad.x_mm, pad.y_mm)
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y()) + off))
    assert got == ([pad.ref] if picks else [])


@pytest.mark.parametrize("button", [Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton])
def test_only_the_left_button_picks(board, gorsefire, button):
    board.show_board(gorsefire, Marking())
    got = []
    board.picked.connect(got.append)
    pad = gorsefire.board.pads_of("R1")[0]
    QTest.mouseClick(board, button, pos=board.place(pad.x_mm, pad.y_mm).toPoint())
    assert got == []


def test_a_drag_that_begins_on_a_part_picks_nothing(board, gorsefire):
    board.show_board(gorsefire, Marking())
    got = []
    board.picked.connect(got.append)
    pad = gorsefire.board.pads_of("R1")[0]
    at = board.place(pad.x_mm, pad.y_mm).toPoint()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=at)
    for step in (15, 30, 45):
        QTest.mouseMove(board, at + QPoint(step, 0))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=at + QPoint(45, 0))
    assert got == []
    assert board.view.moved(QPointF(0, 0)) != View(), "the board was moved instead"


def test_readings_side_by_side_do_not_cover_each_other(qtbot):
    """Kilnlight's nine points stand in one row, nearer to each other than their values are wide."""
    kit = read_kit(SHIPPED / "kilnlight")
    board = BoardMap()
    qtbot.addWidget(board)
    board.resize(640, 560)
    board.show_board(kit, Marking(readings={f"TP{k}": (f"TP{k}  274.4\u202fV", "in") for k in range(1, 10)}))
    first = {pad.ref: pad for pad in reversed(kit.board.pads)}
    boxes = [box for box, _, _ in board.reading_boxes(board.fontMetrics(), first)]
    assert len(boxes) == 9
    assert not [1 for k, a in enumerate(boxes) for b in boxes[k + 1 :] if a.intersects(b)]


@pytest.mark.parametrize(("name", "lug", "wire"), [("gorsefire", "J2.tip", "12"), ("gorsefire", "FUZZ.1", "9"), ("kilnlight", "POSTS1.8", "35"), ("oxbow", "D3.plus", "3")])
def test_a_lug_that_is_clicked_tells_its_wires_and_shows_their_step(drive, tmp_path, name, lug, wire):
    """By the hand as by the line 'trace': with a board, and in a box that has none."""
    kit = read_kit(SHIPPED / name)
    driver = drive(opener=lambda: begun(tmp_path / name, kit))
    driver.type("stage hook up")
    while driver.session.now().task.hazard:
        driver.type("confirm")
    shown = next(w for kind in (BoardMap, InsideMap) for w in driver.window.findChildren(kind) if w.isVisible())
    QTest.mouseClick(shown, Qt.MouseButton.LeftButton, pos=shown.lugs()[lug].toPoint())
    driver.settle()
    now = driver.session.snapshot().now().task
    assert now.id == wire_step(wire)
    assert lug in now.parts
    driver.type("stage hand over")
    driver.type(f"trace {lug.lower()}")
    assert f"Wire {wire}, " in driver.said
    driver.type("trace nowhere")
    assert "no wire goes to 'nowhere'" in driver.said
