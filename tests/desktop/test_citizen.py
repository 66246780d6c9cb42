"""What a Linux desktop expects: a menu entry that its own validators take, folders that open, the sheet in its viewer."""

import os
import shutil
import subprocess
import sys
import xml.etree.ElementTree as ET
from configparser import ConfigParser
from pathlib import Path

import pytest
from PyQt6.QtGui import QDesktopServices, QImage
from PyQt6.QtWidgets import QFileDialog

from nuvlo import __version__
from nuvlo.desktop import entry
from nuvlo.desktop.controller import Opened
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop


def parsed(path: Path) -> dict[str, str]:
    """The one group of an entry."""
    read = ConfigParser(interpolation=None, delimiters=("=",))
    read.optionxform = str
    read.read(path, encoding="utf-8")
    return dict(read["Desktop Entry"])


def test_the_menu_entry_starts_this_nuvlo_and_its_parts_name_each_other(tmp_path):
    made = {p.suffix: p for p in entry.install(tmp_path)}
    fields = parsed(made[".desktop"])
    assert fields["Exec"] == f"{Path(sys.executable).with_name('nuvlo')} open %f"
    assert fields["Icon"] == made[".svg"].stem == made[".desktop"].stem == fields["StartupWMClass"]
    told = ET.parse(made[".xml"]).getroot()
    assert told.findtext("id") == made[".desktop"].stem
    assert told.findtext("launchable") == made[".desktop"].name
    assert told.find("releases/release").get("version") == __version__
    drawn = QImage(str(made[".svg"]))
    assert not drawn.isNull()
    assert not any("@" in p.read_text(encoding="utf-8") for p in made.values()), "every mark is filled in"
    assert len(entry.remove(tmp_path)) == 3
    assert entry.remove(tmp_path) == []


@pytest.mark.parametrize(("tool", "suffix"), [(("desktop-file-validate",), ".desktop"), (("appstreamcli", "validate", "--no-net"), ".xml")])
@pytest.mark.parametrize("folder", ["plain", "two words", "it's 100% \"so\" $HOME", "a\\b"])
def test_the_desktops_own_validators_take_it(tmp_path, monkeypatch, tool, suffix, folder):
    if not shutil.which(tool[0]):
        pytest.skip(f"no {tool[0]} here")
    monkeypatch.setattr(entry, "command", lambda: tmp_path / folder / "nuvlo")
    (path,) = (p for p in entry.install(tmp_path) if p.suffix == suffix)
    ran = subprocess.run([*tool, str(path)], capture_output=True, text=True, check=False)
    assert ran.returncode == 0, ran.stdout + ran.stderr


@pytest.mark.parametrize(
    ("path", "wants"),
    [
        ("/opt/nuvlo", "/opt/nuvlo"), ("/my kits/nuvlo", '"/my kits/nuvlo"'), ("/a%b/nuvlo", "/a%%b/nuvlo"),
        ("/a$b/nuvlo", '"/a\\\\$b/nuvlo"'), ('/a"b/nuvlo', '"/a\\\\"b/nuvlo"'), ("/a\\b/nuvlo", '"/a\\\\\\\\b/nuvlo"'),
    ],
)  # fmt: skip
def test_a_path_is_quoted_as_the_specification_has_it(tmp_path, monkeypatch, path, wants):
    """Desktop Entry Specification 1.5: an argument with a reserved character is quoted; inside, `"`, `` ` ``, `$` and `\\` take a
    backslash; then every backslash of a string is doubled; `%` is written twice."""
    monkeypatch.setattr(entry, "command", lambda: Path(path))
    (made,) = (p for p in entry.install(tmp_path) if p.suffix == ".desktop")
    assert parsed(made)["Exec"] == f"{wants} open %f"


@pytest.mark.skipif(os.geteuid() == 0, reason="root writes anywhere")
def test_a_folder_that_takes_no_file_is_named(tmp_path):
    (tmp_path / "applications").mkdir(mode=0o500)
    with pytest.raises(NuvloError, match="applications takes no file"):
        entry.install(tmp_path)


def test_a_kit_folder_is_opened_by_its_button(drive, tmp_path, monkeypatch):
    shutil.copytree(SHIPPED / "sluice", tmp_path / "mine")
    driver = drive(opener=lambda: Opened(Workshop(tmp_path / "shed")))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: "")
    driver.window.shelf.folder_button.click()
    driver.settle()
    assert driver.session is None, "nothing was picked"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "mine"))
    driver.window.shelf.folder_button.click()
    driver.settle()
    assert driver.session.kit.folder == tmp_path / "mine"


def test_the_sheet_and_its_folder_are_opened_once_it_is_written(drive, monkeypatch):
    asked = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: (asked.append(Path(url.toLocalFile())), len(asked) < 3)[1])
    driver = drive()
    driver.type("stage hand over")
    names = [b.text() for b in driver.window.strip.buttons]
    assert "Open the sheet" not in names
    driver.type("open")
    assert "No sheet is written yet" in driver.said
    assert not asked
    driver.type("sheet")
    driver.type("stage hand over")
    buttons = {b.text(): b for b in driver.window.strip.buttons}
    buttons["Open the sheet"].click()
    driver.settle()
    buttons["Open its folder"].click()
    driver.settle()
    assert asked[0].suffix == ".pdf"
    assert asked[0].exists()
    assert asked[1] == asked[0].parent
    driver.type("open")
    assert str(asked[0]) in driver.said, "where nothing opens it, it says where it lies"
    assert driver.session.stage is Stage.HAND_OVER
