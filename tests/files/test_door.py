"""Whatever a stranger's file makes of its reader, it is told as a problem of that file: a rule at the door, not case by case."""

import io
import json
import random
import shutil
import zipfile
from pathlib import Path

import pytest

from nuvlo import problems
from nuvlo.circuit.circuit import Circuit
from nuvlo.cli.main import main
from nuvlo.files.drawer import read_drawer
from nuvlo.files.kit_folder import check_kit, read_kit
from nuvlo.files.meter import read_reach
from nuvlo.files.mistakes import read_habits
from nuvlo.files.parts_list import read_parts_list
from nuvlo.files.pedalboard import read_plan
from nuvlo.files.rack import read_rack
from nuvlo.files.recipe import curve_figures, read_recipe
from nuvlo.instruments.measured import read_measured, read_places
from nuvlo.problems import NuvloError, Unforeseen, reading
from nuvlo.progress import Stopped
from nuvlo.workshop.backup import restore
from nuvlo.workshop.demo import SHIPPED


@pytest.fixture
def guarded(monkeypatch):
    """As the program runs; tests else want such failures bare."""
    monkeypatch.setattr(problems, "bare_faults", False)


def gorsefire_copy(tmp_path: Path) -> Path:
    return shutil.copytree(SHIPPED / "gorsefire", tmp_path / "kit")




@pytest.mark.parametrize("failure", [KeyError((0, 0)), OverflowError("too large"), RecursionError(), MemoryError(), AssertionError("x"), OSError(5, "Input/output error")])
@pytest.mark.parametrize(("read", "name"), [
    (read_drawer, "drawer.csv"), (read_rack, "rack.csv"), (read_habits, "mistakes.csv"), (lambda p: read_measured(p, None), "m.csv"),
    (lambda p: read_places(p, {}), "r.csv"), (read_plan, "plan.toml"), (curve_figures, "c.zma"), (read_parts_list, "list.csv"), (read_reach, "meter.toml"),
])  # fmt: skip
def test_any_failure_of_any_reader_is_a_problem_of_its_file(guarded, tmp_path, monkeypatch, read, name, failure):
    def fails(*_):
        raise failure

    for module in ("drawer", "rack", "mistakes", "pedalboard", "recipe", "meter"):
        monkeypatch.setattr(f"nuvlo.files.{module}.text_of", fails)
    monkeypatch.setattr("nuvlo.files.whole.text_of", fails)
    monkeypatch.setattr("nuvlo.files.parts_list.reader.read_lines", fails)
    (tmp_path / name).write_text("x")
    with pytest.raises(NuvloError) as told:
        read(tmp_path / name)
    assert [p.file for p in told.value.problems] == [name]
    assert isinstance(told.value, Unforeseen) is not isinstance(failure, OSError)


@pytest.mark.parametrize("file", ["kit.toml", "circuit.cir", "bom.csv", "pads.csv", "panel.csv", "wiring.csv"])
def test_one_file_of_a_kit_that_breaks_its_reader_hides_no_other(guarded, tmp_path, monkeypatch, file):
    kit = gorsefire_copy(tmp_path)
    other = "placement.csv" if file != "placement.csv" else "pads.csv"
    (kit / other).write_text("Nothing\n1\n")
    import nuvlo.files.kit_folder as reader

    text_of, bytes_of = reader.text_of, reader.bytes_of

    def fails(path, *rest):
        if path.name == file:
            raise KeyError(file)
        return text_of(path, *rest)

    monkeypatch.setattr(reader, "text_of", fails)
    monkeypatch.setattr(reader, "bytes_of", lambda path, *rest: fails(path) if path.name == file else bytes_of(path, *rest))
    _, found = check_kit(kit)
    assert {file, other} <= {p.file for p in found}
    assert all(p.file for p in found)


def test_what_is_stopped_is_no_fault_of_a_file(guarded):
    with pytest.raises(Stopped) as told, reading("a.csv"):
        raise Stopped
    assert told.value.problems[0].file is None


def run(capsys, *argv):
    status = main([*map(str, argv), "--json"])
    out = capsys.readouterr()
    return status, json.loads(out.out) if out.out.strip() else {}, out.err


@pytest.mark.parametrize("rating", ["9" * 320 + " W", "1/" + "9" * 320 + " W", "9" * 320 + "/4 W", "9" * 320 + "/" + "9" * 320 + "W", "1/0 W", "9" * 5000 + "V"])
def test_a_rating_of_any_length_is_read_or_left(tmp_path, rating):
    (tmp_path / "l.csv").write_text(f"Ref,Value,Rating\nR1,10k,{rating}\nR2,22k,1/4 W\n")
    found = {p.part.ref: p.part for p in read_parts_list(tmp_path / "l.csv").parts}
    assert found["R1"].value == 10e3
    assert found["R2"].rating == "0.25 W"


@pytest.mark.parametrize("method", [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_a_zip_with_a_bad_byte_is_refused_however_it_is_packed(tmp_path, method):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", method) as archive:
        for name in ("bom.csv", "circuit.cir"):
            archive.write(SHIPPED / "gorsefire" / name, name)
    refused = 0
    for seed in range(60):
        data, rnd = bytearray(packed.getvalue()), random.Random(seed)
        data[rnd.randrange(len(data))] ^= 1 << rnd.randrange(8)
        (tmp_path / "kit.zip").write_bytes(data)
        try:
            read_kit(tmp_path / "kit.zip")
        except NuvloError as told:
            refused += 1
            assert all(p.file for p in told.problems)
            assert "Free some space" not in str(told)
    assert refused > 20


def test_a_damaged_backup_names_itself(tmp_path):
    (tmp_path / "b.zip").write_bytes(b"PK\x03\x04 and no more")
    with pytest.raises(NuvloError) as told:
        restore(tmp_path / "b.zip", tmp_path / "new")
    assert told.value.problems[0].file == "b.zip"


@pytest.mark.parametrize("drivers", ["9" * 30 + "x8", "9" * 5000 + "x8", "4x16+" + "9" * 20 + "x8", "0x8", "-3x8", "x".join("9" * 9)])
def test_a_cabinet_of_any_number_is_refused_in_words(capsys, drivers):
    status, document, _ = run(capsys, "cabinet", drivers) if not drivers.startswith("-") else (1, {"problems": [1]}, "")
    assert status == 1
    assert document["problems"]


@pytest.mark.parametrize("cell", ['"a\rb"', '"a\r\nb"', '"a\nb"', '"a\x0bb"', '"a\u2028b"', '"a\x85b"'])
def test_a_list_made_of_a_list_is_read_back(tmp_path, capsys, cell):
    (tmp_path / "l.csv").write_bytes(f"Ref,Value,Note\nR1,4k7,{cell}\nR2,10k,\n".encode())
    assert run(capsys, "bom", tmp_path / "l.csv", "--kit", tmp_path / "k")[0] == 0
    kit = read_kit(tmp_path / "k")
    assert kit.parts["R1"].value == 4700
    assert kit.parts["R2"].value == 10e3


@pytest.mark.parametrize("analysis", [["op"], ["power"], ["ohms", "--between", "a,b"], ["sensitivity", "--of", "b"], ["ac", "--source", "v1", "--node", "b"], ["noise", "--source", "v1", "--node", "b"]])
@pytest.mark.parametrize("value", ["1e308", "1e-308", "1e30", "0"])
@pytest.mark.parametrize("vary", ["", "r1=5%", "r2=4k7:5%", "r1=1:5%,r2=5%"])
def test_a_part_of_any_size_is_solved_or_named(tmp_path, capsys, analysis, value, vary):
    (tmp_path / "c.cir").write_text(f"t\nv1 a 0 dc 9 ac 1\nr1 a b {value}\nr2 b 0 1k\nc1 b 0 1n\n")
    status, document, _ = run(capsys, "solve", tmp_path / "c.cir", *analysis, *(["--vary", vary, "--builds", "5"] if vary else []))
    assert status in (0, 1)
    assert status == 0 or all(p["file"] == "c.cir" for p in document["problems"])


@pytest.mark.parametrize("text", ["t\nr1 a 0 1k\n", "t\nv1 a 0 9\nr1 a b 1k\nr2 b 0 1k\n"])
def test_what_a_netlist_lacks_names_it(tmp_path, capsys, text):
    (tmp_path / "c.cir").write_text(text)
    status, document, _ = run(capsys, "solve", tmp_path / "c.cir", "ac", "--source", "v9", "--node", "zz")
    assert status == 1
    assert [p["file"] for p in document["problems"]] == ["c.cir"] * len(document["problems"])


def test_a_fault_of_ours_is_a_sentence_and_a_log(guarded, capsys, monkeypatch, tmp_path):
    monkeypatch.setattr("nuvlo.log.log_path", lambda: tmp_path / "nuvlo.log")
    monkeypatch.setattr("nuvlo.electrics.cabinet.wirings", lambda *_: 1 / 0)
    status, document, said = run(capsys, "cabinet", "4x16")
    assert status == 1
    assert "division by zero" in document["problems"][0]["message"]
    assert "Traceback" not in said


def test_the_circuit_of_a_file_names_it(tmp_path):
    (tmp_path / "c.cir").write_text("t\nr1 a b 1k\nd1 a b nomodel\n")
    with pytest.raises(NuvloError) as told:
        Circuit.from_file(tmp_path / "c.cir")
    assert {p.file for p in told.value.problems} == {"c.cir"}


def test_a_recipe_names_its_file(tmp_path):
    (tmp_path / "recipe.toml").write_text("title = 1\n")
    with pytest.raises(NuvloError) as told:
        read_recipe(tmp_path)
    assert all(p.file for p in told.value.problems)


def test_what_stands_within_a_block_of_the_library_is_not_found_by_name():
    from nuvlo.circuit.shipped import index, library_file

    assert all(name in library_file(path).models or name in library_file(path).subcircuits for name, path in index().items())
