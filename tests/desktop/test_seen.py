"""Seen by tired eyes and reached without a mouse: contrast, the least type, low screens, Tab through stages and gauges."""

import sys
from itertools import pairwise

import pytest
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath
from PyQt6.QtTest import QTest

from nuvlo.desktop import theme
from nuvlo.desktop.board import wire as wires
from nuvlo.desktop.board.wire import WIRES, draw_wire
from nuvlo.desktop.focus import MainButton
from nuvlo.desktop.main_window import SIZE, fitting
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage, Wire
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun
from tests.desktop.test_window import contrast


@pytest.mark.parametrize("light", theme.THEMES.values(), ids=lambda t: t.name)
def test_what_can_be_pressed_or_typed_into_has_an_edge_that_is_seen(light):
    """WCAG 2.1, success criterion 1.4.11: at least 3 to 1."""
    for ground in (light.paper, light.card):
        assert contrast(light.edge, ground) >= 3.0
        assert contrast(light.ink, ground) >= 3.0
    assert f"border: 1px solid {light.edge}" in theme.style_sheet(light).split("QLineEdit {")[1]
    assert f"placeholder-text-color: {light.faint}" in theme.style_sheet(light)


@pytest.mark.parametrize("light", ["daylight", "lamp"])
def test_the_focus_of_the_main_button_is_a_ring_that_differs_from_what_lies_on_both_its_sides(qtbot, light):
    theme.use(light)
    button = MainButton("Read the meter")
    qtbot.addWidget(button)
    button.setStyleSheet(theme.style_sheet(theme.current()))
    button.resize(240, 48)
    button.show()
    button.activateWindow()
    qtbot.waitUntil(button.isActiveWindow)

    def rim() -> list[str]:
        """Colours from the left edge inwards at half height."""
        seen = button.grab().toImage()
        return [QColor(seen.pixel(x, 24)).name() for x in range(8)]

    button.clearFocus()
    before = rim()
    button.setFocus()
    after = rim()
    theme.use("daylight")
    t = theme.THEMES[light]
    assert contrast(after[0], t.paper) >= 3.0
    gap = next(c for c in after if contrast(c, after[0]) >= 3.0)
    assert contrast(gap, after[7]) >= 3.0, "the ring is told from the fill by its gap"
    assert max(contrast(a, b) for a, b in zip(before, after, strict=True)) >= 3.0


def test_nothing_on_the_screen_is_smaller_than_the_least_type(drive, monkeypatch):
    sizes = set()
    for name in ("words", "values"):
        made = getattr(theme, name)

        def noted(points=theme.BASE, made=made, **kw):
            if sys._getframe(1).f_globals["__name__"] != "nuvlo.desktop.board.painter":  # what is printed on parts and boards is to scale
                sizes.add(points)
            return made(points, **kw)

        monkeypatch.setattr(theme, name, noted)
    driver = drive()
    for stage in Stage:
        driver.type(f"stage {stage.label.lower()}")
        for _ in range(2):
            driver.type("confirm" if (now := driver.session.now()) and now.task.hazard else "next")
        driver.window.grab()
    driver.type("bonds")
    driver.window.grab()
    assert theme.SMALL >= 10
    assert len(sizes) > 4
    assert min(sizes) >= theme.SMALL


@pytest.mark.parametrize(("room", "fits"), [((1280, 772), (1272, 728)), ((1920, 1080), SIZE), ((960, 516), (952, 472)), ((1288, 844), SIZE)])
def test_the_first_window_fits_the_screen_with_its_frame(room, fits):
    assert fitting(QSize(*room)) == QSize(*fits)


def test_at_twice_the_scale_a_common_screen_shows_every_stage_whole(drive):
    """1920 by 1080 at 200 %: 960 by 540, less a panel and a title bar."""
    driver = drive()
    driver.window.resize(960, 494)
    for stage in Stage:
        driver.type(f"stage {stage.label.lower()}")
        for _ in range(3):
            driver.type("confirm" if (now := driver.session.now()) and now.task.hazard else "next")
            least = driver.window.minimumSizeHint()
            assert (driver.window.height(), driver.window.width()) == (494, 960), stage
            assert least.height() <= 494, stage
            assert least.width() <= 960


def test_a_part_is_shown_beside_the_board_only_where_there_is_room(drive):
    driver = drive()
    driver.until(Stage.FIT, "Fit")
    portrait = driver.window.picture().portrait
    assert portrait.height() > 100
    driver.window.resize(960, 494)
    driver.settle()
    assert portrait.height() == 0
    driver.window.resize(*SIZE)
    driver.settle()
    assert portrait.height() > 100


def test_large_print_leaves_the_board_its_height(drive):
    driver = drive()
    driver.until(Stage.WAKE, "Measure TP2")
    board = driver.window.board()
    before = board.height()
    driver.type("large")
    assert board.height() >= before
    assert driver.window.readings.gauges[0].isVisible()
    driver.type("large")
    assert board.height() == before


def test_stages_are_reached_by_tab_and_arrows(drive):
    driver = drive()
    bar = driver.window.path_bar
    bar.setFocus(Qt.FocusReason.TabFocusReason)
    assert "Unpack" in bar.accessibleName()
    for _ in range(2):
        driver.press(Qt.Key.Key_Right, bar)
    assert "Sequence" in bar.accessibleName()
    driver.press(Qt.Key.Key_Return, bar)
    assert driver.session.stage is Stage.SEQUENCE
    bar.setFocus(Qt.FocusReason.TabFocusReason)
    for _ in range(12):
        driver.press(Qt.Key.Key_Left, bar)
    driver.press(Qt.Key.Key_Space, bar)
    assert driver.session is None, "left of all stages stands the shelf"


def test_a_gauge_is_reached_by_tab_or_mouse_and_takes_its_step_in_hand(drive):
    driver = drive(kind="typed")
    driver.type("stage wake")
    driver.type("confirm")
    for k, gauge in enumerate(list(driver.window.readings.gauges)):
        task = gauge.finding.task
        if k % 2:
            gauge.setFocus(Qt.FocusReason.TabFocusReason)
            driver.press(Qt.Key.Key_Return, gauge)
        else:
            QTest.mouseClick(gauge, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
            driver.settle()
        assert driver.session.now().task.id == task.id, driver.said
        assert driver.window.bench_line.entry.hasFocus()
        driver.type(task.example)
        assert driver.session.build.latest(task.of) is not None, driver.said


@pytest.mark.parametrize(("kit", "typed", "says"), [("kilnlight", "step tp1", "comes first"), ("gorsefire", "step tp1", "comes first"), ("gorsefire", "step fish", "no step of Wake")])
def test_no_caution_is_passed_by_going_to_a_step_behind_it(drive, tmp_path, kit, typed, says):
    driver = drive(opener=lambda: begun(tmp_path / kit, read_kit(SHIPPED / kit)))
    driver.type("stage wake")
    driver.type(typed)
    assert says in driver.said
    assert driver.session.looking_at is None


def drawn_wire(colour: str, light: str = "daylight") -> list[list[float]]:
    """Brightness across (rows) and along a wire that is there, drawn level from left to right."""
    theme.use(light)
    paper = QImage(120, 30, QImage.Format.Format_RGB32)
    paper.fill(theme.colour("paper"))
    path = QPainterPath(QPointF(0, 15))
    path.lineTo(120, 15)
    p = QPainter(paper)
    draw_wire(p, path, Wire("7", "a", "b", "n", colour, None, ""), "", {"7"})
    p.end()
    theme.use("daylight")
    return [[QColor(paper.pixel(x, y)).lightnessF() for x in range(120)] for y in range(30)]


@pytest.mark.parametrize(("one", "other"), [("blue", "violet"), ("red", "brown"), ("red", "green"), ("white", "yellow"), ("white", "pink"), ("black", "grey"), ("orange", "brown")])
def test_no_two_wires_are_told_by_colour_alone(one, other):
    """Where some eyes take one colour for another (common practice, no source), the stripes along the wires differ: by how often they change."""
    changes = []
    for colour in (one, other):
        along = drawn_wire(colour)[15]
        changes.append(sum(abs(a - b) > 0.08 for a, b in pairwise(along)))
    assert abs(changes[0] - changes[1]) >= 8, changes


@pytest.mark.parametrize("light", theme.THEMES)
@pytest.mark.parametrize("colour", sorted(WIRES))
def test_every_wire_has_an_edge_on_every_ground(colour, light):
    across = [row[60] for row in drawn_wire(colour, light)]
    ground = across[0]
    assert max(abs(shade - ground) for shade in across) > 0.5


def test_numbers_stand_on_wires_that_are_there_and_on_the_one_in_hand(qtbot, monkeypatch):
    numbered = []
    monkeypatch.setattr(wires, "number_wire", lambda p, path, wire, at: numbered.append(wire.name))
    short, long = QPainterPath(QPointF(0, 0)), QPainterPath(QPointF(0, 0))
    short.lineTo(20, 0)
    long.lineTo(200, 0)
    routed = [(Wire(name, "a", "b", "n", "red", None, ""), path) for name, path in (("1", long), ("2", short), ("3", long), ("4", short))]
    paper = QImage(220, 30, QImage.Format.Format_RGB32)
    p = QPainter(paper)
    wires.draw_wires(p, routed, "4", {"1", "2"})
    p.end()
    assert numbered == ["1", "4"], "one to come has none, nor one too short for it, but for the one in hand"
