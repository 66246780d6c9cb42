"""Kits with several trims, several supplies, and points that are measured against another than ground."""

import shutil

import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.measurement import volts_at
from nuvlo.stages.set_up import Trims
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.workshop import Workshop

MORE = """
[[supply]]
name = "bias supply"
element = "vbias"
node = "bias"
volts = 5.0

[[control]]
name = "Second"
ref = "RV2"
kind = "trimmer"

[[point]]
name = "TPX"
node = "c2"
reference = "vcc"
says = "across the load of Q2, black lead on the supply"

[[trim]]
id = "second"
title = "Second bias"
trimmer = "RV2"
watch = "TPY"
supply_point = "TP0"
fraction = 0.25
within = 0.05

[[point]]
name = "TPY"
node = "wiper"
says = "wiper of the second trimmer"
"""


@pytest.fixture
def kit(tmp_path, gorsefire):
    """A Gorsefire with a second supply that feeds a second trimmer, and a point against the supply."""
    folder = tmp_path / "two"
    shutil.copytree(SHIPPED / "gorsefire", folder)
    toml = (folder / "kit.toml").read_text()
    node = gorsefire.info.trim[0]
    watched = gorsefire.point(node.watch).node
    supply = gorsefire.info.supply[0].node
    (folder / "kit.toml").write_text(toml + MORE.replace('"c2"', f'"{watched}"').replace('"vcc"', f'"{supply}"'))
    circuit = (folder / "circuit.cir").read_text().rstrip()
    assert circuit.endswith(".end")
    circuit = circuit.removesuffix(".end") + "vbias bias 0 5\nxrv2 bias wiper 0 pot_lin r=10k pos=0.5\n.end\n"
    (folder / "circuit.cir").write_text(circuit)
    bom = (folder / "bom.csv").read_text().rstrip().splitlines()
    rv1 = next(line for line in bom if line.startswith("RV1,"))
    (folder / "bom.csv").write_text(
        "\n".join([*bom, rv1.replace("RV1,", "RV2,", 1).replace(rv1.split(",")[2], "10k", 1)]) + "\n"
    )
    return read_kit(folder)


@pytest.mark.long
@pytest.mark.parametrize("seed", [3, 4])
def test_a_good_unit_with_two_trims_and_a_reference_is_as_meant(tmp_path, kit, seed):
    """Read against ground, the point at the supply is out by most of the supply."""
    session = Workshop(tmp_path / "shop").start(kit, bench=f"simulated:{seed}")
    outcome = run(session)
    assert outcome.finished, outcome.reason
    assert session.snapshot().sheet().overall == "as meant"
    across = session.build.latest(volts_at("TPX")).measured.value
    assert -9.0 < across < -2.0, "collector against supply: below it"
    for trim in kit.info.trim:
        target = trim.fraction * session.build.latest(volts_at(trim.supply_point)).measured.value
        assert session.build.latest(volts_at(trim.watch)).measured.value == pytest.approx(target, rel=trim.within + 0.01)


def test_each_trim_has_its_own_advice_and_each_supply_its_own_current(tmp_path, kit):
    session = Workshop(tmp_path / "shop").start(kit, bench="simulated:3")
    run(session, Stage.SET)
    session.settle()
    assert set(session.answer(Stage.SET, Trims).advice) == {t.id for t in kit.info.trim}
    turns = [t for t in session.tasks(Stage.SET) if t.wants is Wants.TURN]
    assert {t.target for t in turns} <= {"RV1", "RV2"}
    tpx = next(t for t in session.tasks(Stage.WAKE) if t.target == "TPX")
    assert "Black lead on TP0" in tpx.detail
    asked = next(t for t in session.tasks(Stage.WAKE) if t.quantity == "current" and t.target == "bias supply")
    assert understand("current 0.5m", kit, asked, Stage.WAKE).given.of.place == "bias supply"
    assert understand("current 9 V supply 2m", kit, None, Stage.WAKE).given.of.place == "9 V supply"
    with pytest.raises(Exception, match="which supply"):
        understand("current 2m", kit, None, Stage.WAKE)
