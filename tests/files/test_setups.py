"""The unit and the bench are two netlists: what is asked where, what is refused, and the same files elsewhere."""

import shutil
import subprocess

import numpy as np
import pytest

from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.transient import transient
from nuvlo.files.kit_folder import check_kit, read_kit
from nuvlo.kit.kit import KitError
from nuvlo.measurement import ohms_at
from nuvlo.model import WorkingModel
from nuvlo.model.placed import Placed
from nuvlo.problems import errors
from nuvlo.workshop.demo import SHIPPED
from tests.circuit import ngspice
from tests.circuit.circuits import kit_text
from tests.conftest import long_but

KITS = sorted(p.name for p in SHIPPED.iterdir())
FILES = [(kit, s.file) for kit in KITS for s in {s.file: s for s in read_kit(SHIPPED / kit).info.setup}.values()]


@pytest.mark.parametrize("at", long_but([f for f in FILES if f[0] != "tidewheel"], FILES), ids=" ".join)
def test_each_runs_unchanged_in_the_independent_simulator(at, tmp_path):
    """Told only where the library lies, as any user of it would be. An oscillator has no point of rest: how it begins."""
    name, file = at
    folder = tmp_path / "kit"
    shutil.copytree(SHIPPED / name, folder)
    (folder / ".spiceinit").write_text(f"set sourcepath = ( . {ngspice.LIBRARY} )\n")
    circuit = next(read_kit(folder).setup(s.name) for s in read_kit(folder).info.setup if s.file == file)
    nodes = " ".join(f"v({n})" for n in circuit.nodes if "." not in n)
    analysis = "tran 1u 10u" if name == "tidewheel" else "op"
    (folder / "run.cir").write_text(
        f"* run\n.control\nsource {file}\nset wr_singlescale\nset numdgt=12\noption {ngspice.OPTIONS}\n"
        f"{analysis}\nwrdata out.txt {nodes}\nquit\n.endc\n.end\n"
    )
    done = subprocess.run(["ngspice", "-b", "run.cir"], cwd=folder, capture_output=True, text=True, timeout=60)
    assert "rror" not in done.stderr, done.stderr
    theirs = np.loadtxt(folder / "out.txt", ndmin=2)[-1, 1:]
    wanted = [n for n in circuit.nodes if "." not in n]
    if name == "tidewheel":
        ours = [transient(circuit, 1e-6, 1e-5, wanted).voltage[n][0, -1] for n in wanted]
    else:
        point = operating_point(circuit)
        ours = [point.voltage(n)[0] for n in wanted]
    assert ours == pytest.approx(theirs, rel=1e-3, abs=2e-3)


def test_chips_out_is_the_netlist_without_their_lines(tmp_path):
    kit = read_kit(SHIPPED / "millrace")
    lines = kit_text("millrace", "rest").splitlines()
    left = "\n".join(line for line in lines if line.split(" ")[0] not in ("xu3a", "xu3b", "xu4a", "xu4b"))
    circuit = kit.setup("chips out")
    nodes = ["vp", "vn", "k1", "k2", "ref", "e1", "outh"]
    theirs = ngspice.operating_point(left, nodes, tmp_path)
    point = operating_point(circuit)
    assert [point.voltage(n)[0] for n in nodes] == pytest.approx(theirs, rel=1e-3, abs=1e-3)
    assert point.voltage("k1")[0] == pytest.approx(point.voltage("vp")[0] - 5.1e3 * 1.5e-3, abs=1.5), "nothing holds it"


def test_a_ring_out_is_of_the_unit_alone(gorsefire):
    """VOLUME reads its own 100 kΩ; with the load of a set-up across it, it would read a tenth less."""
    windows = {w.of.name: w for w in WorkingModel(gorsefire).windows_of([Placed(ohms_at("VOLUME"), "Ω", ("vtop", "0"))])}
    assert windows["VOLUME"].nominal == pytest.approx(100e3, rel=1e-3)


def test_where_a_question_is_asked(gorsefire):
    bass, lamp = gorsefire.info.choice
    assert gorsefire.asked_in(bass) is gorsefire.setup("signal")
    assert gorsefire.asked_in(lamp) is gorsefire.setup() is gorsefire.setup("At rest")
    assert gorsefire.asked_in(lamp, "vin", "out") is gorsefire.setup("signal")
    assert gorsefire.setup(having=["vin", "nowhere"]) is gorsefire.setup()
    with pytest.raises(KitError, match="no set-up 'loaded'"):
        gorsefire.setup("loaded")


def test_a_kit_with_its_bench_in_its_netlist_is_read_as_before(tmp_path, gorsefire):
    folder = tmp_path / "old"
    shutil.copytree(SHIPPED / "gorsefire", folder)
    (folder / "circuit.cir").write_text(kit_text("gorsefire"))
    toml = (folder / "kit.toml").read_text()
    (folder / "kit.toml").write_text(
        "[kit]" + toml.split("[kit]")[1].split("[[setup]]")[0] + "[[supply]]" + toml.split("[[supply]]", 1)[1]
    )
    kit = read_kit(folder)
    assert kit.setup() is kit.unit
    assert operating_point(kit.setup()).voltage("c2") == pytest.approx(operating_point(gorsefire.setup()).voltage("c2"))


@pytest.mark.parametrize(
    ("file", "was", "to", "says"),
    [("kit.toml", 'file = "rest.cir"', 'file = "rust.cir"', "kit.toml:16:1: there is no file 'rust.cir'"),
     ("kit.toml", 'name = "signal"', 'name = "At rest"', "two set-ups are called 'At rest'"),
     ("kit.toml", 'file = "signal.cir"', 'file = "signal.cir"\nout = ["U7"]', "has no 'U7' to leave out"),
     ("kit.toml", 'node = "dcin"\nsays', 'node = "dcin"\nsetup = "loaded"\nsays', "there is no set-up 'loaded'"),
     ("kit.toml", 'id = "bass"', 'id = "bass"\nsetup = "loaded"', "there is no set-up 'loaded'"),
     ("rest.cir", ".include circuit.cir", "r1 dcin 0 1k", "rest.cir:1:1: does not hold the unit. Begin it with .include"),
     ("signal.cir", "rsrc src in 10k", "rsrc src in", "signal.cir:5:10: 'rsrc' needs 2 nodes and a value"),
     ("signal.cir", "rsrc src in 10k", "rsrc src in 10k\nrx lone far 1k\nix 0 lone 1m", "nothing sets the d.c. voltage"),
     ("pads.csv", ",in", ",src", "is on 'src', which circuit.cir does not have")],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_place(tmp_path, file, was, to, says):
    folder = tmp_path / "kit"
    shutil.copytree(SHIPPED / "gorsefire", folder)
    text = (folder / file).read_text()
    assert was in text
    (folder / file).write_text(text.replace(was, to, 1))
    found = [str(p) for p in errors(check_kit(folder)[1])]
    assert any(says in f for f in found), found
