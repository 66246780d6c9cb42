"""A board of 500 parts, moved and brought nearer: frames a second as painted into a window of 1280 × 800."""

import os
from time import perf_counter

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QApplication

from nuvlo.desktop import theme
from nuvlo.desktop.board.map import BoardMap, Marking
from nuvlo.files.kit_folder import read_kit

PARTS = 500


@pytest.fixture(scope="module")
def board(tmp_path_factory):
    folder = tmp_path_factory.mktemp("large")
    refs = [f"R{k}" for k in range(1, PARTS + 1)]
    (folder / "bom.csv").write_text(
        "ref,kind,value,tolerance\n" + "".join(f"{r},resistor,{k + 10}k,1%\n" for k, r in enumerate(refs))
    )
    places = {r: (10 + 14 * (k % 25), 8 + 9 * (k // 25)) for k, r in enumerate(refs)}
    (folder / "placement.csv").write_text(
        "Designator,Package,Mid X,Mid Y,Rotation,Layer\n"
        + "".join(f"{r},axial-10,{x},{y},0,top\n" for r, (x, y) in places.items())
    )
    (folder / "pads.csv").write_text(
        "ref,pin,x_mm,y_mm,pad_mm,net\n"
        + "".join(f"{r},1,{x - 5},{y},1.8,a\n{r},2,{x + 5},{y},1.8,b\n" for r, (x, y) in places.items())
    )
    app = QApplication.instance() or QApplication([])
    theme.load_fonts()
    widget = BoardMap()
    widget.resize(1280, 800)
    widget.show_board(read_kit(folder), Marking(done=frozenset(refs[:250]), lit=frozenset(refs[:8])))
    widget.app = app
    return widget


def whole(board):
    """The map with nothing of it still to be painted."""
    target = QPixmap(board.size())
    board.render(target)
    while not board.whole:
        board.render(target)
    return target


def test_a_frame_while_the_hand_moves(benchmark, board):
    target = whole(board)
    step = [0]

    def frame():
        step[0] += 1
        view = board.view.zoomed(1.02 if step[0] % 40 < 20 else 1 / 1.02, QPointF(640, 400), board.centre())
        board.look(view.moved(QPointF(1, 0)))
        board.render(target)

    benchmark(frame)
    print(
        f"\n{1 / benchmark.stats['median']:.0f} frames a second at the median, {1 / benchmark.stats['max']:.0f} at the slowest"
    )


def test_the_next_part_in_hand(benchmark, board):
    target = whole(board)
    at = [0]

    def step():
        at[0] = (at[0] + 1) % (PARTS - 1)
        board.show_board(
            board.kit, Marking(done=frozenset(f"R{k}" for k in range(1, at[0] + 1)), lit=frozenset({f"R{at[0] + 1}"}))
        )
        board.render(target)

    board.show_board(board.kit, Marking(lit=frozenset({"R1"})))
    whole(board)
    benchmark(step)


def test_the_board_painted_anew(benchmark, board):
    """In slices, so that no one of them holds the interface."""
    target = QPixmap(board.size())
    slices = []

    def anew():
        board.kept.forget()
        going = True
        while going:
            begun = perf_counter()
            board.render(target)
            slices.append(perf_counter() - begun)
            going = not board.whole

    benchmark(anew)
    print(
        f"\n{1000 * max(slices):.0f} ms the longest slice, {1000 * sorted(slices)[len(slices) // 2]:.0f} at the median"
    )
