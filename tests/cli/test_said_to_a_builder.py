"""What verbs of the command line say to somebody with a lead in each hand."""

import json
import re

import pytest

from nuvlo.cli.main import main
from nuvlo.cli.window import _named
from nuvlo.diagnosis.probes import readings_of
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.practice import PracticeBench, hidden_mistake
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.workshop.places import SHIPPED
from nuvlo.workshop.workshop import Workshop


def said(capsys, *words: str) -> str:
    assert main([words[0], str(SHIPPED / words[1]), *words[2:]]) == 0
    return capsys.readouterr().out


@pytest.mark.parametrize("kit", ["oxbow", "barrowmoor"])
def test_no_capacitor_against_radio_in_a_loudspeaker(kit, capsys):
    assert "100 pF" not in said(capsys, "bonds", kit)


@pytest.mark.parametrize("kit", ["kilnlight", "gorsefire", "millrace", "lampwick"])
def test_wires_are_numbered_as_they_are_run(kit, capsys):
    lines = said(capsys, "wires", kit).splitlines()
    numbers = [int(m[1]) for line in lines if (m := re.match(r" *(\d+)\. wire ", line))]
    assert numbers == list(range(1, len(read_kit(SHIPPED / kit).wires) + 1))


def test_twisted_wires_name_each_other(capsys):
    told = {int(m[1]): m[2] for m in re.finditer(r"^ *(\d+)\. wire .*twisted with (\d+)", said(capsys, "wires", "kilnlight"), re.MULTILINE)}
    assert told
    assert all(told.get(int(other)) == str(n) for n, other in told.items())


@pytest.mark.parametrize(("kit", "seed"), [("sluice", 1), ("sluice", 2), ("oxbow", 1), ("barrowmoor", 3), ("gorsefire", 5)])
def test_whatever_practice_reads_is_a_document_and_no_ac_volts_lie_below_nothing(kit, seed, capsys):
    whole = read_kit(SHIPPED / kit)
    bench = PracticeBench(whole, seed, hidden_mistake(whole, seed))
    kinds = {}
    for r in readings_of(whole):
        if r.quantity not in ("resistance", "tone", "voltage"):
            continue
        try:
            shown = bench.take(r.of)
        except InstrumentError:
            continue
        assert r.quantity != "tone" or shown.value >= 0, r.of.name
        kinds[shown.value == float("inf")] = r
    for open_, r in kinds.items():
        found = json.loads(said(capsys, "practice", kit, "--seed", str(seed), "--read", r.of.name, "--quantity", r.quantity, "--json"))
        assert (found["value"] is None) is open_
        assert found.get("open", False) is open_


@pytest.fixture
def shop(tmp_path):
    workshop = Workshop(tmp_path / "shop")
    ids = [workshop.start(read_kit(SHIPPED / kit)).build.id for kit in ("gorsefire", "sluice", "gorsefire")]
    workshop.close()
    return tmp_path / "shop", ids


@pytest.mark.parametrize(("said_so", "kit", "which"), [
    ("002", None, 2), ("Gorsefire 002", None, 2), ("gorsefire 001", None, 0), (" SLUICE 001 ", None, 1), ("001", "gorsefire", 0), ("Sluice 001", "sluice", 1),
])  # fmt: skip
def test_a_build_is_opened_by_its_number_or_its_name(shop, said_so, kit, which):
    folder, ids = shop
    assert _named(folder, said_so, SHIPPED / kit if kit else None) == ids[which]


@pytest.mark.parametrize(("words", "says"), [
    (["SHOP", "--build", "999"], "Builds here: Gorsefire 001, Sluice 001, Gorsefire 002"), (["SHOP", "--build", "Gorsefire 003"], "no build 'Gorsefire 003'"),
    (["KIT", "--workshop", "SHOP", "--build", "999"], "of this kit"), (["KIT", "--workshop", "SHOP", "--build", "Sluice 001"], "Builds here: Gorsefire 001, Gorsefire 002"),
])  # fmt: skip
def test_a_build_that_is_none_ends_the_command_before_there_is_a_window(shop, words, says, capsys):
    there = {"SHOP": str(shop[0]), "KIT": str(SHIPPED / "gorsefire")}
    assert main(["open", *(there.get(w, w) for w in words)]) == 1
    assert says in capsys.readouterr().err


def test_alone_it_opens_the_shelf(monkeypatch, tmp_path):
    from nuvlo.desktop import app

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    opened = []
    monkeypatch.setattr(app, "start", lambda opener, shelf_of, check: opened.append(opener()) or 0)
    assert main([]) == 0
    assert opened[0].session is None
    assert opened[0].workshop.builds() == []
    opened[0].workshop.close()
    assert (tmp_path / "nuvlo" / "workshop" / "logbook.db").exists()


def test_the_version(capsys):
    with pytest.raises(SystemExit) as ended:
        main(["--version"])
    assert ended.value.code == 0
    assert re.fullmatch(r"nuvlo \d+\.\d+\.\d+\n", capsys.readouterr().out)
