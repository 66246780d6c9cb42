"""Straps between grounds: what each setting joins, what hangs, and which channel it would leave without a return."""

import json
import shutil

from nuvlo.cli.main import main
from nuvlo.electrics.straps import settings
from nuvlo.files.kit_folder import read_kit
from nuvlo.workshop.demo import SHIPPED


def test_a_strap_that_only_parts_grounds_leaves_the_sound_and_says_what_hangs(capsys):
    joined, lifted = settings(read_kit(SHIPPED / "tollgate"))
    assert (joined.joined, lifted.joined) == (True, False)
    assert lifted.sides == (("J1", "J2", "GND", "CASE"), ("J3", "J4"))
    assert (joined.hang, lifted.hang) == ((), ("J1", "J2", "GND", "CASE"))
    assert not joined.lost
    assert not lifted.lost
    assert main(["bonds", str(SHIPPED / "tollgate"), "--json"]) == 0
    assert [s["throw"] for s in json.loads(capsys.readouterr().out)["straps"]] == ["joined", "lifted"]


def test_a_strap_that_is_a_channels_only_return_is_named(tmp_path):
    """One builder got one channel only: with the strap lifted the right secondary has no way back."""
    kit = tmp_path / "k"
    shutil.copytree(SHIPPED / "tollgate", kit)
    circuit = (kit / "circuit.cir").read_text()
    circuit = circuit.replace("xt2 inr gin outr gout", "xt2 inr gin outr gr").replace("r2 outr gout", "r2 outr gr").replace("c2 zr gout", "c2 zr gr")
    (kit / "circuit.cir").write_text(circuit.replace("xstrap gin gout", "xstrap gr gout").replace("xcase", "rjoin gin gout 10m\nxcase"))
    wires = (kit / "wiring.csv").read_text()
    (kit / "wiring.csv").write_text(wires.replace("T2.4,W4,gout", "T2.4,W4,gr").replace("T2.4,J4.sleeve,gout", "T2.4,STRAP.1,gr").replace("STRAP.1,J1.sleeve,gin", "J4.sleeve,J3.sleeve,gout"))
    pads = (kit / "pads.csv").read_text().splitlines()
    moved = {"R2", "C2", "W4"}
    (kit / "pads.csv").write_text("\n".join(row[:-4] + "gr" if row.endswith("gout") and row.split(",")[0] in moved else row for row in pads) + "\n")
    joined, lifted = settings(read_kit(kit))
    assert not joined.lost
    assert lifted.lost == ("A3", "A4")
    assert "NO RETURN: A3, A4 cannot be heard so." in " ".join(lifted.words)
