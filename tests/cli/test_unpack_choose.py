"""Verbs of Unpack and Choose: shapes of their documents, exit status, and what they say of wrong input."""

import json

import pytest

from nuvlo.cli.main import main
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import ON_THE_BENCH, SHIPPED

KIT = str(SHIPPED / "gorsefire")
MILLRACE = str(SHIPPED / "millrace")


def run(capsys, *arguments):
    status = main([*arguments, "--json"])
    out = capsys.readouterr()
    return status, json.loads(out.out), out.err


@pytest.fixture
def csv_file(tmp_path):
    def write(text, name="measured.csv"):
        path = tmp_path / name
        path.write_text(text, encoding="utf-8")
        return str(path)

    return write


def test_bom(capsys, tmp_path):
    status, document, _ = run(capsys, "bom", str(ON_THE_BENCH / "lampwick.csv"), "--kit", str(tmp_path / "kit"))
    assert status == 0
    assert set(document) == {"parts", "unread", "headings", "columns", "made_up"}
    assert {"ref", "kind", "value", "unit", "tolerance", "rating", "note"} <= set(document["parts"][0])
    assert document["columns"]["Remarks"] == "note"
    assert [u["line"] for u in document["unread"]] == [28]
    assert len(read_kit(tmp_path / "kit").parts) == len(document["parts"])
    assert run(capsys, "bom", str(ON_THE_BENCH / "lampwick.csv"), "--kit", str(tmp_path / "kit"))[0] == 1
    status, document, _ = run(capsys, "bom", str(ON_THE_BENCH / "lampwick.csv"), "--column", "Remarks=nothing")
    assert document["columns"]["Remarks"] == "nothing"
    assert run(capsys, "bom", str(ON_THE_BENCH / "lampwick.csv"), "--column", "Remarks")[0] == 1


def test_identify(capsys):
    _, document, _ = run(capsys, "identify", "brown black black orange brown")
    assert [c["value"] for c in document["candidates"]] == [100e3, 130.0]
    assert document["candidates"][0]["tolerance"] == [-0.01, 0.01]
    _, document, _ = run(capsys, "identify", "--reading", "39.2k", "--kit", KIT)
    assert document["candidates"][0]["refs"] == ["R3"]
    for wrong in (("identify", "fish"), ("identify",), ("identify", "--reading", "1k")):
        status, document, err = run(capsys, *wrong)
        assert status == 1
        assert document["problems"][0]["message"] in err


def test_check_in(capsys, csv_file):
    path = csv_file("ref,value,unit,uncertainty\nR3,39.1k,,\nR3,39.2k,,\nR4,1k,,\nX9,47k,,\n")
    status, document, _ = run(capsys, "check-in", KIT, "--measured", path)
    assert status == 0
    parts = {p["ref"]: p for p in document["parts"]}
    assert len(parts) == len(read_kit(SHIPPED / "gorsefire").parts)
    assert (parts["R3"]["readings"], parts["R4"]["verdict"], parts["C1"]["verdict"]) == (2, "out", "not_taken")
    assert parts["R3"]["measured"] == pytest.approx(39.15e3)
    assert parts["R3"]["spread"] == pytest.approx(70.7, rel=0.01)
    assert document["surplus"] == [{"ref": "X9", "measured": 47e3}]
    assert document["strips"] == []
    assert any("CASE" in s["what"] for s in document["shopping"])
    assert "part: 9 posts for wires, at W1, W2, W3, W4, W5, W6, W7, W8, W9" in [s["what"] for s in document["shopping"]]
    _, document, _ = run(capsys, "check-in", KIT, "--measured", path, "--letter")
    assert "R4 (resistor 680R) reads 1" in document["letter"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("ref,worth\nR3,1\n", "column value is missing"),
        ("ref,value\nR3,fish\n", "no value"),
        ("ref,value\nR3,1 F\n", "F"),
    ],
)
def test_measurements_that_are_none(capsys, csv_file, text, says):
    status, document, _ = run(capsys, "check-in", KIT, "--measured", csv_file(text))
    assert status == 1
    assert says in document["problems"][0]["message"]


def test_match(capsys, csv_file):
    path = csv_file("ref,value\nR18,10.05k\nR19,9.97k\nS1,10.049k\n")
    status, document, _ = run(capsys, "match", MILLRACE, "--measured", path)
    assert status == 0
    assert document["places"] == {"R18": "R18", "R19": "S1"}
    assert document["mismatch_after"] < document["mismatch_before"]
    assert document["effects"][0]["result"] == "common"
    assert run(capsys, "match", KIT, "--measured", path)[0] == 1


def test_choose(capsys, tmp_path):
    _, document, _ = run(capsys, "choose", KIT)
    assert [c["id"] for c in document["choices"]] == ["bass", "lamp"]
    status, document, _ = run(capsys, "choose", KIT, "lamp")
    assert status == 0
    first = document["proposals"][0]
    assert first["values"] == {"R6": 10e3}
    assert first["yield"] > 0.8
    assert set(first["results"]) >= {"lamp", "all"}
    _, document, _ = run(capsys, "choose", KIT, "bass")
    assert [p["values"]["C1"] for p in document["proposals"]] == pytest.approx([1e-6, 220e-9, 47e-9])
    assert run(capsys, "choose", KIT, "treble")[0] == 1
    _, document, _ = run(capsys, "choose", KIT, "lamp", "--drawer", str(ON_THE_BENCH / "drawer.csv"))
    assert document["proposals"][0]["values"]["R6"] == 9.1e3


def test_recipe(capsys, tmp_path):
    _, document, _ = run(capsys, "recipe")
    pad = next(r for r in document["recipes"] if r["name"] == "pad")
    assert [i["name"] for i in pad["inputs"]] == ["db", "source", "load", "seen"]
    assert "loss" in [r["name"] for r in pad["results"]]
    status, document, _ = run(capsys, "recipe", "pad", "db=18", "load=2k4", "--most", "2")
    assert status == 0
    assert len(document["proposals"]) == 2
    assert document["proposals"][0]["results"]["loss"] == pytest.approx(18, abs=0.5)
    assert document["inputs"]["load"] == 2400
    for wrong, says in ((("pda",), "Did you mean 'pad'"), (("pad", "db"), "key=value"), (("pad", "x=1"), "Inputs: db")):
        status, document, _ = run(capsys, "recipe", *wrong)
        assert status == 1
        assert says in document["problems"][0]["remedy"]
    assert run(capsys, "recipe", "heat-sink")[1]["caution"].startswith("A finger")


def test_compare(capsys):
    _, document, _ = run(capsys, "compare", KIT)
    assert [v["id"] for v in document["variants"]] == ["twelve"]
    status, document, _ = run(capsys, "compare", KIT, "twelve", "C1=220n", "--no-clipping")
    assert status == 0
    assert [(c["part"], c["to"]) for c in document["changes"]] == [("9 V supply", "12 V"), ("C1", "220n")]
    assert document["after"]["corner_low"] > 2 * document["before"]["corner_low"]
    assert document["after"]["clips"] is None
    assert len(document["after"]["response_db"]) == len(document["after"]["frequency"])
    assert run(capsys, "compare", KIT, "fish")[0] == 1


@pytest.mark.parametrize(
    "arguments",
    [("bom", str(ON_THE_BENCH / "lampwick.csv")), ("identify", "104"), ("choose", KIT, "lamp"), ("recipe",), ("recipe", "pad"), ("compare", KIT, "C1=220n", "--no-clipping")],
    ids=lambda a: " ".join(a[:1]),
)  # fmt: skip
def test_each_says_the_same_in_words(capsys, arguments):
    assert main(list(arguments)) == 0
    assert len(capsys.readouterr().out.splitlines()) >= 1


def test_both_sides(capsys):
    status, document, _ = run(capsys, "both", KIT, "--json")
    assert status == 0
    assert [q["id"] for q in document["questions"]][:3] == ["order", "soldering", "measure"]
    assert all(q["difference"] and len(q["sides"]) > 1 for q in document["questions"])


def test_a_recipe_is_saved_as_ones_own(capsys, tmp_path):
    own = ("--folder", str(tmp_path))
    status, _, _ = run(capsys, "recipe", "pad", "db=18", "--save", "mine", *own, "--json")
    assert status == 0
    _, document, _ = run(capsys, "recipe", "mine", *own, "--json")
    assert document["inputs"]["db"] == 18.0
    status, document, _ = run(capsys, "recipe", "pad", "--save", "mine", *own, "--json")
    assert (status, "cannot be the name" in document["problems"][0]["message"]) == (1, True)
    assert run(capsys, "recipe", "pad", "--save", "other", "--json")[0] == 1
