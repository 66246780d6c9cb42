"""What is typed by slip or by mischief at the command line: an answer or a plain word, never a traceback."""

import json
import subprocess
import sys

import pytest

from nuvlo.cli.main import main
from nuvlo.kit.variant import changes_in, varied
from nuvlo.workshop.demo import SHIPPED

KIT = str(SHIPPED / "gorsefire")


@pytest.mark.parametrize(
    "line",
    [
        ["journey", KIT, "--seed", "-1"], ["predict", KIT, "--seed", "-1"], ["predict", KIT, "--builds", "1" + "0" * 30],
        ["calendar", KIT, "--tonight", "nan"], ["calendar", KIT, "--tonight", "1e300"],
        ["calendar", KIT, "--units", "99999"], ["choose", KIT, "--most", "0"], ["calendar", KIT, "--seconds", "inf"],
        ["solve", f"{KIT}/signal.cir", "ac", "--points", "1000000000"],
    ],
    ids=lambda line: " ".join(line[-2:])[:30],
)  # fmt: skip
def test_numbers_of_absurd_size_are_wrong_usage(line, capsys):
    with pytest.raises(SystemExit) as ended:
        main(line)
    assert ended.value.code == 2
    said = capsys.readouterr().err.strip().splitlines()[-1]
    assert "is not a" in said
    assert " from " in said


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (["calendar", KIT, "--now", "9999-12-31T23:59"], "not one to build in"),
        (["calendar", KIT, "--now", "99999999999"], "is not a time"),
        (["kit", "check", "~nosuchuser/kit"], "not a kit folder"), (["identify", "5e-324"], "not a code"),
        (["identify", "\udc80"], "not a code"), (["identify", "²k²"], "not a code"), (["identify", "9" * 400], "not a code"),
        (["bom", f"{KIT}/bom.csv", "--kit", f"{KIT}/kit.toml"], "no kit can be made"),
        (["solve", "n" * 300, "op"], "cannot be opened"),
    ],
    ids=lambda x: x[-1][:30] if isinstance(x, list) else "",
)  # fmt: skip
@pytest.mark.parametrize("as_json", [[], ["--json"]])
def test_odd_words_are_refused_in_words(line, says, as_json, capfd):
    assert main([*line, *as_json]) == 1
    said = "".join(capfd.readouterr())
    assert says in said
    assert len(said) < 900


def test_a_moment_may_name_its_zone(capsys):
    assert main(["calendar", KIT, "--now", "2026-11-27T19:30+01:00", "--tonight", "20"]) == 0


def test_a_variant_named_twice_is_taken_once(gorsefire):
    once = changes_in(gorsefire, ["twelve"])
    assert changes_in(gorsefire, ["twelve", "twelve"]) == once
    supplies = [varied(gorsefire, changes).info.supply for changes in (once, once * 2)]
    assert supplies[0] == supplies[1]


def test_the_reader_may_close_early():
    script = "import sys; from nuvlo.cli.main import main; sys.exit(main(['order', sys.argv[1], '--json']))"
    with subprocess.Popen(
        [sys.executable, "-c", script, KIT], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as process:
        process.stdout.close()
        assert process.stderr.read() == ""
        assert process.wait(60) == 0


@pytest.mark.parametrize(
    ("card", "says"), [(".temp {x}", "plain number"), (".temp 1e9", "nothing works"), (".temp", "missing")]
)
def test_a_temperature_is_a_number_of_degrees(card, says, tmp_path, capsys):
    (tmp_path / "t.cir").write_text(f"t\n.param x=50\n{card}\nv1 a 0 1\nr1 a 0 1k\n")
    assert main(["solve", str(tmp_path / "t.cir"), "op"]) == 1
    assert says in capsys.readouterr().err
    (tmp_path / "t.cir").write_text("t\n.temp 50\nv1 a 0 1\nr1 a 0 1k\n")
    assert main(["solve", str(tmp_path / "t.cir"), "op"]) == 0


def test_an_uncertainty_is_not_less_than_nothing(tmp_path, capsys):
    (tmp_path / "m.csv").write_text("ref,value,unit,uncertainty\nR1,1k,,-1\n")
    assert main(["predict", KIT, "--measured", str(tmp_path / "m.csv")]) == 1
    assert "m.csv:2" in (said := capsys.readouterr().err)
    assert "less than nothing" in said


def test_a_workbook_named_csv_says_what_it_is(tmp_path, capsys):
    import shutil

    kit = shutil.copytree(KIT, tmp_path / "kit")
    (kit / "bom.csv").write_bytes(b"PK\x03\x04 and so on")
    assert main(["kit", "check", str(kit)]) == 1
    assert "bom.csv: is a workbook or a zip, not text" in capsys.readouterr().out


def test_names_are_bounded(tmp_path, capsys):
    import shutil

    kit = shutil.copytree(KIT, tmp_path / "kit")
    text = (kit / "kit.toml").read_text()
    (kit / "kit.toml").write_text(text.replace('name = "Gorsefire"', f'name = "{"G" * 300}"', 1))
    assert main(["kit", "check", str(kit)]) == 1
    assert "120" in capsys.readouterr().out


@pytest.mark.parametrize(("line", "says"), [("wake .", "no circuit.cir"), ("practice . --seed 1", "no circuit.cir")])
def test_a_list_in_the_folder_one_stands_in(line, says, tmp_path, monkeypatch, capsys):
    """'.' has no name of its own to call the kit by."""
    (tmp_path / "bom.csv").write_text("ref,kind,value\nD1,diode,1N4148\nR1,resistor,1k\n")
    monkeypatch.chdir(tmp_path)
    assert main(line.split()) == 1
    assert says in capsys.readouterr().err


def test_a_list_alone_is_diagnosed_by_looks(tmp_path, monkeypatch, capsys):
    (tmp_path / "bom.csv").write_text("ref,kind,value\nD1,diode,1N4148\nR1,resistor,1k\n")
    (tmp_path / "r.csv").write_text("point,quantity,value\nD1,look,1\n")
    monkeypatch.chdir(tmp_path)
    assert main(["diagnose", ".", "--readings", "r.csv"]) == 0
    assert "D1 is the wrong way round" in capsys.readouterr().out.splitlines()[0]


@pytest.mark.parametrize(
    ("verb", "option", "rows", "bad", "kept"),
    [
        ("diagnose", "--readings", "point,quantity,value\nTP1,voltage,8.57\nTP2,voltage,1x2\nTP3,voltage,580m\n", "1x2", "a good unit"),
        ("diagnose", "--readings", "point,quantity,value\nTP99,voltage,1\nTP1,voltage,8.57\n", "TP99", "a good unit"),
        ("check-in", "--measured", "ref,value\nR1,99.5\nR2,fish\nR3,39.1k\n", "fish", "R3 is right"),
        ("predict", "--measured", "ref,value\nR99,100\nR3,39.1k\n", "R99", "TP2"),
        ("ring-out", "--measured", "point,value\nJ1.tip,2.2M\nNOWHERE,1\n", "NOWHERE", "J1.tip"),
    ],
)  # fmt: skip
def test_one_bad_row_does_not_stop_the_rest(verb, option, rows, bad, kept, tmp_path, capsys):
    (tmp_path / "rows.csv").write_text(rows)
    assert main([verb, str(SHIPPED / "gorsefire"), option, str(tmp_path / "rows.csv")]) == 0
    said = capsys.readouterr().out
    assert "This row is left out" in said
    assert bad in said
    assert kept in said
    assert main([verb, str(SHIPPED / "gorsefire"), option, str(tmp_path / "rows.csv"), "--json"]) == 0
    (problem,) = json.loads(capsys.readouterr().out)["left_out"]
    assert problem["file"] == "rows.csv"


def test_where_no_row_can_be_read_nothing_is_answered(tmp_path, capsys):
    (tmp_path / "rows.csv").write_text("point,quantity,value\nTP1,voltage,fish\n")
    assert main(["diagnose", str(SHIPPED / "gorsefire"), "--readings", str(tmp_path / "rows.csv")]) == 1
    assert "fish" in capsys.readouterr().err


@pytest.mark.parametrize("word", ["skip", "Skipped", "SKIP"])
def test_what_is_skipped_is_not_asked_again(word, tmp_path, capsys):
    def next_after(rows):
        (tmp_path / "rows.csv").write_text("point,quantity,value\nTP1,voltage,8.57\n" + rows)
        assert main(["diagnose", str(SHIPPED / "gorsefire"), "--readings", str(tmp_path / "rows.csv"), "--json"]) == 0
        found = json.loads(capsys.readouterr().out)["next"]
        return found["point"], found["quantity"]

    first = next_after("")
    assert next_after(f"{first[0]},{first[1]},{word}\n") != first
