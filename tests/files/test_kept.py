"""What takes long is made once, and anew as soon as anything is other than it was."""

import shutil

import grimp
import numpy as np
import pytest

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.files import kept as keeping
from nuvlo.files.kept import MOST, OWN, content_of, kept
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED


def made(calls, value=1.0):
    def make():
        calls.append(value)
        return np.array([value, np.nan, np.inf])

    return make


def test_it_is_made_once(tmp_path):
    calls: list[float] = []
    first = kept(tmp_path / "deep" / "er", ("a", 1, 2.5), made(calls))
    assert np.array_equal(first, kept(tmp_path / "deep" / "er", ("a", 1, 2.5), made(calls, 2.0)), equal_nan=True)
    assert calls == [1.0]


@pytest.mark.parametrize("other", [("b", 1, 2.5), ("a", 1, 2.5000001), ("a", 12, 0.5), ("a1", 2.5), ()])
def test_of_anything_else_it_is_made_anew(tmp_path, other):
    calls: list[float] = []
    kept(tmp_path, ("a", 1, 2.5), made(calls))
    assert kept(tmp_path, other, made(calls, 2.0))[0] == 2.0


@pytest.mark.parametrize("harm", [lambda b: b[: len(b) // 2], lambda b: b"", lambda b: b"fish" * 100, lambda b: b[:60] + bytes([b[60] ^ 255]) + b[61:]])
def test_a_damaged_file_is_made_anew(tmp_path, harm):
    calls: list[float] = []
    kept(tmp_path, ("a",), made(calls))
    (file,) = tmp_path.iterdir()
    file.write_bytes(harm(file.read_bytes()))
    assert kept(tmp_path, ("a",), made(calls))[0] == 1.0


def test_code_in_a_file_is_never_run(tmp_path):
    calls: list[float] = []
    kept(tmp_path, ("a",), made(calls))
    (file,) = tmp_path.iterdir()
    np.savez(file, array=np.array([print], dtype=object))
    assert kept(tmp_path, ("a",), made(calls))[0] == 1.0


def test_where_nothing_can_be_kept_it_is_made_all_the_same(tmp_path):
    (tmp_path / "file").write_text("in the way")
    assert kept(tmp_path / "file" / "tables", ("a",), made([]))[0] == 1.0
    assert kept(None, ("a",), made([]))[0] == 1.0


def test_no_more_are_kept_than_are_of_use(tmp_path):
    for k in range(MOST + 3):
        kept(tmp_path, (k,), made([]))
    assert len(list(tmp_path.iterdir())) == MOST


@pytest.mark.parametrize(("file", "was", "to"), [("circuit.cir", "r3 vcc c1 39k", "r3 vcc c1 36k"), ("kit.toml", "tolerance = 0.03", "tolerance = 0.05"), ("bom.csv", "R4,resistor,680R,1%", "R4,resistor,680R,5%")])
def test_a_changed_kit_is_another(tmp_path, file, was, to):
    folder = tmp_path / "kit"
    shutil.copytree(SHIPPED / "gorsefire", folder)
    before = content_of(folder)
    text = (folder / file).read_text()
    assert was in text
    (folder / file).write_text(text.replace(was, to))
    assert content_of(folder) != before


def test_a_table_is_read_again_as_it_was_made(tmp_path, monkeypatch):
    first = Diagnosis(read_kit(SHIPPED / "sluice"), keep=tmp_path)
    table, many = first.table, first.many
    monkeypatch.setattr(keeping, "_save", lambda *_: pytest.fail("it is there already"))
    again = Diagnosis(read_kit(SHIPPED / "sluice"), keep=tmp_path)
    assert np.array_equal(table, again.table, equal_nan=True)
    assert np.array_equal(many, again.many, equal_nan=True)


def test_a_change_of_the_program_makes_all_anew(tmp_path, monkeypatch):
    kept(tmp_path, ("a",), made([]))
    monkeypatch.setattr(keeping, "_own", lambda: "another")
    assert kept(tmp_path, ("a",), made([], 2.0))[0] == 2.0


def test_every_package_a_table_is_made_by_is_in_its_sum():
    """By the imports, as import-linter reads them; readers of files, the log and what writes numbers change no table."""
    graph = grimp.build_graph("nuvlo")
    needed = {name.split(".")[1] for name in graph.find_upstream_modules("nuvlo.diagnosis.diagnosis") | {"nuvlo.diagnosis"} if "." in name}
    others = {"arrays", "clock", "files", "log", "logbook", "problems", "progress", "quantity", "words", "audio"}
    assert needed - others <= set(OWN), "a change there must make all tables anew"
    assert {"circuit", "model", "electrics", "diagnosis"} <= needed
