"""What strangers hand over is data: no kit, no backup and no workshop gets code of its own run."""

import json
import os
import re
import subprocess
import sys
import zipfile
from hashlib import sha256
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings

import nuvlo
from nuvlo.desktop.look import Look, keep_look, read_look
from nuvlo.desktop.main_window import Window
from nuvlo.diagnosis import helper, trials
from nuvlo.workshop.backup import back_up, restore
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop

SOURCES = sorted(Path(nuvlo.__file__).parent.rglob("*.py"))
PLANTED = ("nuvlo/__init__.py", "numpy.py", "pickle.py", "json.py", "sitecustomize.py", "usercustomize.py", "PyQt6/__init__.py", "scipy/__init__.py")


class _Trap:
    """What makes a file when it is unpickled."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def __reduce__(self):
        return Path.touch, (self.path,)


def trapped_settings(path: Path, mark: Path) -> None:
    """A window's look as Nuvlo kept it at first, with an object in it."""
    settings = QSettings(str(path), QSettings.Format.IniFormat)
    for key in ("geometry", "lanes", "theme"):
        settings.setValue(key, _Trap(mark))
    settings.sync()
    assert "PyQt_PyObject" in path.read_text()


def test_the_trap_would_spring(tmp_path):
    trapped_settings(tmp_path / "look", tmp_path / "ran")
    (tmp_path / "look").rename(tmp_path / "window.ini")  # else it is remembered
    QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat).value("theme")
    assert (tmp_path / "ran").exists()


@pytest.mark.parametrize("name", ["window.ini", "look.json", "window.json", "pictures/window.ini"])
def test_the_look_in_a_restored_backup_is_not_read(tmp_path, qtbot, name):
    workshop, mark = Workshop(tmp_path / "shop"), tmp_path / "ran"
    trapped_settings(tmp_path / "look", mark)
    kept = back_up(workshop, tmp_path / "b.zip").place
    workshop.close()
    with zipfile.ZipFile(kept) as archive:
        files = {n: archive.read(n) for n in archive.namelist()}
    files[name] = (tmp_path / "look").read_bytes()
    about = json.loads(files["nuvlo-backup.json"])
    about["sha256"][name] = sha256(files[name]).hexdigest()
    files["nuvlo-backup.json"] = json.dumps(about).encode()
    with zipfile.ZipFile(kept, "w") as archive:
        for each, data in files.items():
            archive.writestr(each, data)
    restore(kept, tmp_path / "back")
    assert not (tmp_path / "back" / "window.ini").exists()
    from nuvlo.desktop.controller import Opened

    window = Window(tmp_path / "back" / "look.json")
    qtbot.addWidget(window, before_close_func=lambda w: w.controller.close())
    window.show()
    window.controller.open(lambda: Opened(Workshop(tmp_path / "back")))
    qtbot.waitUntil(lambda: window.controller.workshop is not None)
    window.set_theme("lamp")
    window.close()
    assert not mark.exists()


@pytest.mark.parametrize("text", [
    "", "{", "[]", '{"theme": "purple"}', '{"place": [0, 0, -5, 10]}', '{"place": [0, 0, 1e99, 10]}', '{"lanes": [1, 2]}',
    '{"lanes": ["a", 2, 3]}', '{"filling": "yes"}', "[" * 100_000, '{"theme": 7}', "\udcff",
])  # fmt: skip
def test_a_look_that_is_none_is_the_usual_one(tmp_path, text):
    (tmp_path / "look.json").write_bytes(text.encode(errors="surrogateescape"))
    assert read_look(tmp_path / "look.json") == Look()


def test_a_look_comes_back(tmp_path):
    look = Look(theme="lamp", place=(5, 6, 700, 500), filling=True, lanes=(300, 400, 310))
    keep_look(look, tmp_path / "new" / "look.json")
    assert read_look(tmp_path / "new" / "look.json") == look


def test_a_backup_takes_no_look_along(tmp_path):
    workshop = Workshop(tmp_path / "shop")
    (tmp_path / "shop" / "window.ini").write_text("[General]")
    with zipfile.ZipFile(back_up(workshop, tmp_path / "b.zip").place) as archive:
        assert "window.ini" not in archive.namelist()
    workshop.close()


@pytest.mark.parametrize("word", [r"\bQSettings\b", r"\bmarshal\b", r"\bshelve\b", r"\byaml\b", r"\bliteral_eval\b", r"allow_pickle", r"\bos\.system\b", r"shell=True"])
def test_nothing_that_would_run_data_is_used(word):
    assert not [p.name for p in SOURCES if re.search(word, p.read_text())]


def test_objects_are_unpickled_from_our_own_pipes_alone():
    assert {p.name for p in SOURCES if re.search(r"\bpickle\b", p.read_text())} == {"helper.py", "helping.py", "trials.py"}
    assert {p.name for p in SOURCES if re.search(r"\bsubprocess\b|\bmultiprocessing\b|\bPopen\b", p.read_text())} == {"helper.py"}


def planted(folder: Path, mark: Path) -> None:
    """Modules called as some of ours and of the libraries, that leave a mark when they are imported."""
    for name in PLANTED:
        (folder / name).parent.mkdir(exist_ok=True)
        (folder / name).write_text(f"open({str(mark)!r}, 'a').write(__file__ + '\\n')\n")


@pytest.fixture
def poisoned(tmp_path):
    """A kit folder with such modules in it, and the mark that they would leave."""
    import shutil

    kit, mark = tmp_path / "kit", tmp_path / "ran"
    shutil.copytree(SHIPPED / "gorsefire", kit)
    planted(kit, mark)
    (kit / "readings.csv").write_text("point,quantity,value,unit\nTP1,voltage,0.3,V\n")
    subprocess.run([sys.executable, "-c", "import nuvlo"], cwd=kit, check=False, capture_output=True)
    assert mark.exists(), "they would run where nobody guards against it"
    mark.unlink()
    return kit, mark


def test_a_helper_imports_nothing_from_where_it_was_begun(poisoned, monkeypatch):
    kit, mark = poisoned
    answers = []

    class Watched(helper.Helper):
        def answer(self):
            answers.append(super().answer())
            return answers[-1]

    monkeypatch.setattr(trials, "Helper", Watched)
    monkeypatch.setattr(helper, "WORTH", 1)
    monkeypatch.setattr(os, "cpu_count", lambda: 4)
    monkeypatch.setenv("PYTHONPATH", str(kit))
    monkeypatch.chdir(kit)
    from nuvlo.cli.main import main

    assert main(["diagnose", ".", "--readings", "readings.csv", "--json"]) == 0
    assert answers, "a helper was at work"
    assert not mark.exists(), mark.read_text()


@pytest.mark.parametrize("verb", [["kit", "check", "."], ["solve", "circuit.cir", "op"], ["bom", "bom.csv"], ["order", "."], ["predict", "."], ["practice", ".", "--seed", "1"]])
def test_no_verb_imports_from_where_it_is_begun(poisoned, verb):
    kit, mark = poisoned
    command = Path(sys.executable).with_name("nuvlo")
    subprocess.run([str(command), *verb], cwd=kit, check=False, capture_output=True)
    assert not mark.exists(), mark.read_text()
