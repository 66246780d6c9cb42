"""Names that strangers give things are shown as they are written: no mark-up of theirs is followed."""

import shutil

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from nuvlo.desktop.curve import CurveView, Line, Picture
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.workshop.demo import SHIPPED
from tests.desktop.conftest import begun

EVIL = "<b>x</b><img src='/dev/zero'>"


def test_every_word_of_the_window_is_plain(drive, tmp_path):
    folder = tmp_path / "kit"
    shutil.copytree(SHIPPED / "gorsefire", folder)
    toml = (folder / "kit.toml").read_text()
    (folder / "kit.toml").write_text(
        toml.replace('name = "Gorsefire"', f'name = "{EVIL}"').replace('says = "', f'says = "{EVIL} ')
    )
    driver = drive(opener=lambda: begun(tmp_path / "shop", read_kit(folder), "simulated:3"))
    assert driver.session.kit.name == EVIL
    for stage in Stage:
        driver.type(f"stage {stage.value}")
        rich = [
            w for w in driver.window.findChildren(QLabel) if w.text() and w.textFormat() is not Qt.TextFormat.PlainText
        ]
        assert not rich, [w.text() for w in rich]
        tips = [w.toolTip() for w in driver.window.findChildren(QWidget) if "<img" in w.toolTip()]
        assert not tips
    driver.press(Qt.Key.Key_F2)
    shown = [w for w in driver.window.shelf.findChildren(QLabel) if EVIL in w.text()]
    assert shown
    assert all(w.textFormat() is Qt.TextFormat.PlainText for w in shown)
    assert not [w.toolTip() for w in driver.window.findChildren(QWidget) if "<img" in w.toolTip()]


def test_labels_of_axes_are_plain(qtbot):
    view = CurveView()
    qtbot.addWidget(view)
    view.show()
    x = np.geomspace(20, 2e4, 20)
    view.show_picture(Picture("t", "f", f"{EVIL}, V", [Line(x, x * 0, EVIL, True)]))
    qtbot.wait(40)
    assert "<img" not in view.plot.getAxis("left").labelString()
    assert "&lt;img" in view.plot.getAxis("left").labelString()
