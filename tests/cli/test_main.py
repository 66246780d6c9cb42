"""The verbs: shapes of their documents, exit status, and where messages go."""

import csv
import json
import subprocess
import sys

import pytest

from nuvlo.cli.main import main
from nuvlo.workshop.demo import SHIPPED

KIT = str(SHIPPED / "gorsefire")
CIRCUIT = str(SHIPPED / "gorsefire" / "signal.cir")


def run(capsys, *arguments):
    status = main(list(arguments))
    out = capsys.readouterr()
    return status, (json.loads(out.out) if "--json" in arguments else out.out), out.err


def test_kit_check(capsys, tmp_path):
    assert run(capsys, "kit", "check", KIT, "--json")[:2] == (0, {"kit": "Gorsefire", "problems": []})
    (tmp_path / "bom.csv").write_text("ref,kind,value\nR1,resistor,9q\n")
    status, document, _ = run(capsys, "kit", "check", str(tmp_path), "--json")
    assert status == 1
    problem = document["problems"][0]
    assert (problem["file"], problem["line"], problem["column"], problem["ref"]) == ("bom.csv", 2, 13, "R1")
    assert set(problem) == {"file", "line", "column", "ref", "message", "remedy", "severity"}
    assert "error: bom.csv:2:13" in run(capsys, "kit", "check", str(tmp_path))[1]


def test_solve_op(capsys, tmp_path):
    status, document, _ = run(capsys, "solve", CIRCUIT, "op", "--json", "--csv", str(tmp_path / "op.csv"))
    assert status == 0
    assert document["converged"] is True
    assert document["nodes"]["vd"] == pytest.approx(8.80, abs=0.01)
    assert document["currents"]["r1"] == pytest.approx(2.33e-3, rel=0.01)
    assert "xrv1.r1" in document["currents"], "names inside subcircuits are dotted"
    rows = list(csv.reader((tmp_path / "op.csv").open()))
    assert rows[0] == ["what", "name", "value", "unit"]
    assert len(rows) == 1 + len(document["nodes"]) + len(document["currents"])


def test_solve_ac(capsys):
    arguments = (
        "solve",
        CIRCUIT,
        "ac",
        "--from",
        "20",
        "--to",
        "20k",
        "--points",
        "7",
        "--source",
        "vin",
        "--node",
        "out",
        "--json",
    )
    status, document, _ = run(capsys, *arguments)
    assert status == 0
    assert (document["frequency"][0], document["frequency"][-1]) == (20.0, 20000.0)
    assert len(document["frequency"]) == len(document["magnitude_db"]) == len(document["phase_deg"]) == 7
    ratios = [b / a for a, b in zip(document["frequency"], document["frequency"][1:], strict=False)]
    assert ratios == pytest.approx([ratios[0]] * 6)


@pytest.mark.parametrize(
    ("text", "says"),
    [("r1 a 0 4k7", "write 4.7k"), ("r1 a 0 1k\nc1 a b 1n", "nothing sets"), ("v1 a 0 1\nr1 a 0 1k", "no node 'q'")],
)
def test_what_cannot_be_solved_is_status_1_with_problems(capsys, tmp_path, text, says):
    (tmp_path / "x.cir").write_text("t\n" + text)
    status, document, err = run(
        capsys, "solve", str(tmp_path / "x.cir"), "ac", "--source", "v1", "--node", "q", "--json"
    )
    assert status == 1
    assert says in document["problems"][0]["message"] + document["problems"][0]["remedy"] or says in err
    assert says in err


def test_warnings_alone_leave_0(capsys, tmp_path):
    (tmp_path / "x.cir").write_text("t\nv1 a 0 1\nr1 a 0 1M\n")
    status, document, err = run(capsys, "solve", str(tmp_path / "x.cir"), "op", "--json")
    assert status == 0
    assert document["problems"][0]["severity"] == "warning"
    assert "milliohms" in err


def test_predict_and_its_narrowing(capsys, tmp_path):
    status, printed, _ = run(capsys, "predict", KIT, "--json", "--seed", "2")
    assert status == 0
    assert [w["point"] for w in printed["windows"]] == ["9 V supply", "TP0", "TP1", "TP2", "TP3", "TP4", "TP5", "TP6"]
    assert set(printed["windows"][0]) == {"point", "quantity", "unit", "nominal", "low", "high"}
    assert all(w["low"] <= w["nominal"] <= w["high"] for w in printed["windows"])
    table = tmp_path / "m.csv"
    table.write_text('ref,value,unit,uncertainty\nrv1,9k5,ohm,20\nR4,"0,68k",,\n')
    narrowed = run(capsys, "predict", KIT, "--measured", str(table), "--json", "--seed", "2")[1]
    assert (
        narrowed["windows"][6]["high"] - narrowed["windows"][6]["low"]
        < printed["windows"][6]["high"] - printed["windows"][6]["low"]
    )
    assert narrowed["windows"][6]["nominal"] > printed["windows"][6]["nominal"], "less resistance in the collector"
    again = run(capsys, "predict", KIT, "--json", "--seed", "2")[1]
    assert again == printed, "a seed gives the same windows"
    for stage, point in (("wake", "TP0"), ("hook_up", "J3.plus")):
        assert (
            run(capsys, "predict", KIT, "--stage", stage, "--builds", "50", "--json")[1]["windows"][0]["point"] == point
        )


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("R99,1k", "not a part"),
        ("R1,1q", "unit"),
        ("R1,1k,V", "measured in Ω"),
        ("J1,1k", "no value"),
        ("R1,-5", "not a value"),
    ],
)
def test_measured_tables_with_mistakes(capsys, tmp_path, row, says):
    table = tmp_path / "m.csv"
    table.write_text("ref,value,unit\n" + row + "\n")
    status, document, _ = run(capsys, "predict", KIT, "--measured", str(table), "--json")
    assert status == 1
    assert (document["problems"][0]["file"], document["problems"][0]["line"]) == ("m.csv", 2)
    assert says in str(document["problems"][0])


def test_order(capsys):
    status, document, _ = run(capsys, "order", KIT, "--json")
    assert status == 0
    assert set(document["steps"][0]) >= {"n", "action", "parts", "gate", "after", "reason", "minutes"}
    assert "Fit the resistors" in run(capsys, "order", KIT)[1]


def test_journey(capsys, tmp_path):
    status, document, _ = run(capsys, "journey", KIT, "--seed", "9", "--out", str(tmp_path), "--json")
    assert (status, document["finished"]) == (0, True)
    assert (tmp_path / "sheets" / document["sheet"]).exists()
    status, document, _ = run(capsys, "journey", KIT, "--wrong", "r3=390R,q1.bf=12", "--json")
    assert (status, document["stopped_at"]) == (1, "R3")


@pytest.mark.parametrize(
    ("arguments", "status"),
    [(["no-such-verb"], 2), (["solve"], 2), (["solve", CIRCUIT, "ac"], 2), (["kit"], 2), (["order", "/nowhere"], 1),
     (["open", "/nowhere"], 1), (["predict", KIT, "--builds", "1"], 1),
     (["solve", CIRCUIT, "ac", "--source", "vin", "--node", "out", "--from", "9", "--to", "1"], 1),
     (["solve", CIRCUIT, "ac", "--source", "vin", "--node", "out", "--from", "x"], 2)],
)  # fmt: skip
def test_exit_status_of_wrong_usage_and_wrong_input(arguments, status, capsys):
    try:
        got = main(arguments)
    except SystemExit as ended:
        got = ended.code
    assert got == status


def test_the_command_is_installed_and_quiet_on_stdout():
    done = subprocess.run(
        [sys.executable, "-m", "nuvlo", "solve", CIRCUIT, "op", "--json"], capture_output=True, text=True, timeout=60
    )
    assert done.returncode == 0
    assert json.loads(done.stdout)["converged"]


def test_order_in_schools(capsys):
    _, document, _ = run(capsys, "order", KIT, "--schools", "--json")
    assert document["default"] in [s["name"] for s in document["schools"]]
    assert all(s["says"] for s in document["schools"])
    _, document, _ = run(capsys, "order", KIT, "--school", "together", "--json")
    assert {"n", "action", "parts", "gate", "after", "reason", "minutes"} <= set(document["steps"][0])
    assert run(capsys, "order", KIT, "--school", "fish", "--json")[0] == 1


def test_bend(capsys):
    _, document, _ = run(capsys, "bend", KIT, "--json")
    assert all(1 <= lead["clock"] <= 12 and lead["clearance_mm"] > 0.5 for lead in document["leads"])
    assert {"ref", "pin", "clock", "clearance_mm"} <= set(document["leads"][0])


# -- sequence --------------------------------------------------------------------------------------------------------


def test_calendar(capsys, tmp_path):
    (tmp_path / "free.csv").write_text(
        "start,end\n2026-11-27T19:00,2026-11-27T21:30\n2026-11-28T10:00,2026-11-28T12:30\n"
    )
    status, document, _ = run(
        capsys, "calendar", KIT, "--free", str(tmp_path / "free.csv"), "--now", "2026-11-25T18:00", "--ics", str(tmp_path / "c.ics"),
        "--csv", str(tmp_path / "c.csv"), "--json",
    )  # fmt: skip
    assert status == 0
    assert {"step", "start", "end"} <= set(document["tasks"][0])
    assert document["tasks"][0]["start"] == "2026-11-27T19:00:00"
    assert document["bound"] <= document["finish"]
    assert isinstance(document["optimal"], bool)
    assert (tmp_path / "c.ics").read_bytes().startswith(b"BEGIN:VCALENDAR")
    assert len((tmp_path / "c.csv").read_text().splitlines()) == len(document["tasks"]) + 1
    two = run(capsys, "calendar", KIT, "--units", "2", "--now", "2026-11-25T18:00", "--seconds", "1", "--json")[1]
    assert {t["unit"] for t in two["tasks"]} == {"unit 1", "unit 2"}
    tonight = run(capsys, "calendar", KIT, "--tonight", "40", "--now", "2026-11-25T18:00", "--json")[1]
    assert 0 < sum(t["minutes"] for t in tonight["tasks"]) <= 40


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--free", "nowhere.csv"], "cannot be read"),
        (["--now", "fish"], "not a time"),
        (["--school", "fish"], "no school"),
    ],
)
def test_calendar_says_what_is_wrong(capsys, arguments, says):
    status, document, _ = run(capsys, "calendar", KIT, *arguments, "--json")
    assert status == 1
    assert says in document["problems"][0]["message"]


def test_a_manual_is_checked(capsys, tmp_path):
    path = tmp_path / "manual.txt"
    path.write_text("fit R1\nsolder R1\n")
    status, document, _ = run(capsys, "order", KIT, "--manual", str(path), "--json")
    assert status == 0
    assert {f["rule"] for f in document["faults"]} == {"values", "complete"}
    path.write_text("fry R1\n")
    status, document, _ = run(capsys, "order", KIT, "--manual", str(path), "--json")
    assert (status, document["problems"][0]["line"]) == (1, 1)
