"""The analyses of ``nuvlo solve`` beyond the operating point: shapes, quantiles and figures."""

import csv
import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.sensitivity import even_laws, sensitivity
from nuvlo.circuit.variation import Law, parse_variations
from nuvlo.cli.main import main
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED

CIRCUIT = str(SHIPPED / "gorsefire" / "signal.cir")
DIVIDER = "divider\nv1 a 0 dc 9 ac 1\nr1 a m 1k\nr2 m 0 2k\n"


@pytest.fixture
def divider(tmp_path):
    (tmp_path / "d.cir").write_text(DIVIDER)
    return str(tmp_path / "d.cir")


def run(capsys, *arguments):
    status = main(["solve", *arguments, "--json"])
    out = capsys.readouterr()
    return status, json.loads(out.out), out.err


@pytest.mark.parametrize(
    ("text", "law"),
    [
        ("r1=4k7:5%", Law(4700.0, 4465.0, 4935.0)), ("r1=1k", Law(1e3, 1e3, 1e3)), ("r1=100..400", Law(200.0, 100.0, 400.0)),
        ("v1=-1..3", Law(1.0, -1.0, 3.0)), ("R1 = 10k:1 %", Law(1e4, 9900.0, 10100.0)), ("v1=-2:10%", Law(-2.0, -2.2, -1.8)),
    ],
)  # fmt: skip
def test_variations_are_read(text, law):
    (found,) = parse_variations(text, Circuit.from_text(DIVIDER)).values()
    assert (found.nominal, found.low, found.high) == pytest.approx((law.nominal, law.low, law.high))


@pytest.mark.parametrize("text", ["r9=1k", "r1", "r1=5q", "r1=1k:x", "r1=9..2", "r1=1k:-5%", "q1.bf=1..2"])
def test_bad_variations_are_refused(text):
    with pytest.raises(NuvloError, match=r"to vary|not a variation"):
        parse_variations(text, Circuit.from_text(DIVIDER))


def test_an_ensemble_gives_nominal_low_and_high(capsys, divider):
    status, document, _ = run(
        capsys, divider, "op", "--vary", "r1=1k:10%,r2=2k:10%", "--builds", "4000", "--quantiles", "0,1"
    )
    assert status == 0
    assert document["failed"] == []
    m = document["nodes"]["m"]
    assert m["nominal"] == pytest.approx(6.0)
    assert m["low"] == pytest.approx(9 * 1.8 / (1.1 + 1.8), rel=2e-3), "the corners of the tolerances"
    assert m["high"] == pytest.approx(9 * 2.2 / (0.9 + 2.2), rel=2e-3)
    narrower = run(capsys, divider, "op", "--vary", "r1=1k:10%,r2=2k:10%")[1]["nodes"]["m"]
    assert m["low"] < narrower["low"] < narrower["nominal"] < narrower["high"] < m["high"]


def test_arrays_become_three_arrays(capsys, divider, tmp_path):
    out = tmp_path / "ac.csv"
    arguments = (
        "ac",
        "--source",
        "v1",
        "--node",
        "m",
        "--points",
        "4",
        "--vary",
        "r1=1k:5%",
        "--builds",
        "50",
        "--csv",
        str(out),
    )
    document = run(capsys, divider, *arguments)[1]
    assert set(document["magnitude_db"]) == {"nominal", "low", "high"}
    assert all(len(v) == 4 for v in document["magnitude_db"].values())
    rows = list(csv.reader(out.open()))
    assert rows[0][:4] == ["frequency_hz", "magnitude_db_nominal", "magnitude_db_low", "magnitude_db_high"]
    assert len(rows) == 5


def test_ohms(capsys, divider, tmp_path):
    status, document, _ = run(capsys, divider, "ohms", "--between", "a,0", "--csv", str(tmp_path / "o.csv"))
    assert status == 0
    assert document["ohms"] == pytest.approx(3000.0, rel=1e-6)
    assert document["volts"] == 2.0, "3 V would pass the compliance"
    assert run(capsys, divider, "ohms", "--between", "a,m", "--keep", "v1", "--test-current", "0.1m")[1][
        "ohms"
    ] != pytest.approx(1000, rel=0.1)
    assert run(capsys, divider, "ohms", "--between", "a,m", "--test-current", "0.1m")[1]["volts"] == pytest.approx(0.1)
    spread = run(capsys, CIRCUIT, "ohms", "--between", "vcc,0", "--vary", "r6=4k7:10%", "--builds", "30")[1]["ohms"]
    assert spread["low"] < spread["nominal"] < spread["high"]
    assert run(capsys, divider, "ohms", "--between", "a")[0] == 1
    assert run(capsys, divider, "ohms", "--between", "a,0", "--compliance", "0")[0] == 1


def test_heat_in_all_parts_is_what_the_supply_gives(capsys):
    """Tellegen's theorem: Σ V·I over the whole circuit is nothing."""
    status, document, _ = run(capsys, CIRCUIT, "power")
    assert status == 0
    current = operating_point(Circuit.from_file(Path(CIRCUIT))).currents()["vsup"][0]
    assert sum(document["parts"].values()) == pytest.approx(-9.0 * current, rel=1e-6)
    assert document["parts"]["r6"] == pytest.approx(1.504e-3**2 * 4700, rel=0.01)
    assert {"q1", "q2", "d1", "xrv1.r1"} <= set(document["parts"])


def test_noise(capsys):
    arguments = ("noise", "--source", "vin", "--node", "out", "--points", "20")
    plain = run(capsys, CIRCUIT, *arguments)[1]
    assert set(plain) >= {"frequency", "output_density", "input_density", "total"}
    weighted = run(capsys, CIRCUIT, *arguments, "--weighting", "A")[1]
    assert weighted["total"] < plain["total"]
    spread = run(capsys, CIRCUIT, *arguments, "--vary", "r3=39k:5%", "--builds", "20")[1]
    assert spread["total"]["low"] <= spread["total"]["nominal"] <= spread["total"]["high"]


def test_sensitivity_of_a_divider_has_its_closed_form(capsys, divider):
    """d(9·R2/(R1+R2)): −9·R2/(R1+R2)² by R1, 9·R1/(R1+R2)² by R2; equal tolerances, so equal shares."""
    document = run(capsys, divider, "sensitivity", "--of", "m")[1]
    assert document["parts"]["r1"]["slope"] == pytest.approx(-9 * 2e3 / 9e6, rel=1e-4)
    assert document["parts"]["r2"]["slope"] == pytest.approx(9 * 1e3 / 9e6, rel=1e-4)
    assert [p["share"] for p in document["parts"].values()] == pytest.approx([0.5, 0.5], rel=1e-3)
    wider = run(capsys, divider, "sensitivity", "--of", "m", "--vary", "r1=1k:1%,r2=2k:2%")[1]["parts"]
    assert wider["r2"]["share"] == pytest.approx(0.8, rel=1e-2)
    assert run(capsys, divider, "sensitivity", "--of", "m", "--vary", "r1=1k")[0] == 1


def test_shares_foretell_the_variance_of_an_ensemble(circuit):
    from nuvlo.circuit.variation import sample

    laws = even_laws(circuit)
    found = sensitivity(circuit, "c2", laws)
    assert sum(s.share for s in found.values()) == pytest.approx(1.0)
    spread = operating_point(circuit, sample(laws, 4000, 3)).voltage("c2").var()
    foretold = sum((found[n].slope * law.width) ** 2 / 12 for n, law in laws.items())
    assert spread == pytest.approx(foretold, rel=0.05)


@pytest.mark.parametrize("bad", [("--vary", "r9=1k"), ("--vary", "r1=1k:5%", "--builds", "1")])
def test_bad_ensembles_are_status_1(capsys, divider, bad):
    assert run(capsys, divider, "op", *bad)[0] == 1


def test_a_member_that_fails_is_listed_and_left_out(capsys, divider):
    from nuvlo.cli.solve import _Ensemble

    class Arguments:
        file, vary, builds, seed, quantiles = Path(divider), "r1=1k:5%", 20, 1, (0.0, 1.0)

    ensemble = _Ensemble(Arguments)
    ensemble.values["r1"][7] = np.nan
    point = ensemble.point()
    assert ensemble.failed == [7]
    told = ensemble.told(point.voltage("m"))
    assert told["low"] > 5.8
    assert ensemble.document(x=1)["failed"] == [7]


def test_a_first_answer_loads_nothing_that_it_does_not_need(tmp_path):
    """It takes four tenths of a second; what these take would come to it."""
    file = tmp_path / "x.cir"
    file.write_text("t\nv1 a 0 9\nr1 a b 1k\nd1 b 0 dd\n.model dd d(is=1e-14)\n")
    code = "import sys\nfrom nuvlo.cli.main import main\nmain(sys.argv[1:])\nprint([m for m in ('scipy', 'pydantic', 'nuvlo.kit.kit', 'PyQt6') if m in sys.modules])"
    said = subprocess.run([sys.executable, "-c", code, "solve", str(file), "op"], capture_output=True, text=True, check=True).stdout
    assert said.splitlines()[-1] == "[]"


def test_the_sections_of_a_line_are_not_read_out(tmp_path, capsys):
    file = tmp_path / "x.cir"
    file.write_text("t\nv1 a 0 4\nr1 a b 50\nt1 b 0 c 0 z0=50 td=10n\nr2 c 0 50\n")
    assert main(["solve", str(file), "op"]) == 0
    said = capsys.readouterr()
    assert [line.split()[0] for line in said.out.splitlines()] == ["a", "b", "c", "v1", "r1", "r2"]
    assert "x.cir:4:1: 't1' is solved as 32 sections" in said.err


@pytest.mark.parametrize(("verb", "heads"), [("ac", "frequency_hz magnitude_db phase_deg"), ("noise", "frequency_hz output_density input_density"), ("tran", "time_s value")])
def test_curves_have_headings(capsys, divider, verb, heads):
    more = ["--step", "1m", "--stop", "2m"] if verb == "tran" else ["--points", "3", "--source", "v1"]
    assert main(["solve", divider, verb, "--node", "m", *more]) == 0
    assert capsys.readouterr().out.splitlines()[0].split() == heads.split()
