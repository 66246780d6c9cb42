"""An independent circuit simulator, run on the same file: the Debian package ngspice. Missing, it fails the run."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import numpy as np

OPTIONS = "reltol=1e-6 abstol=1e-15 vntol=1e-9 gmin=1e-15"
LIBRARY = Path(__file__).parents[2] / "src" / "nuvlo" / "circuit" / "library"


def run(deck: str, folder: Path) -> str:
    """Run a deck in batch mode in ``folder``; its printed output."""
    assert shutil.which("ngspice"), "ngspice is missing: tools/bootstrap.sh test installs it"
    (folder / "deck.cir").write_text(deck)
    done = subprocess.run(["ngspice", "-b", "deck.cir"], cwd=folder, capture_output=True, text=True, timeout=120)
    assert "Error" not in done.stderr, done.stderr
    return done.stdout


def deck(text: str, control: str) -> str:
    """``text`` with tight options and a control block before its end."""
    body = "\n".join(line for line in text.splitlines() if line.strip().lower() != ".end")
    return f"{body}\n.options {OPTIONS}\n.control\nset sourcepath = ( . {LIBRARY} )\n{control}\nquit\n.endc\n.end\n"


def with_library(text: str) -> str:
    """Library files put in place of their .include, since batch mode reads the deck before ``sourcepath`` is set."""
    out = []
    for line in text.splitlines():
        words = line.split()
        if words and words[0].lower() == ".include" and (LIBRARY / words[1]).exists():
            out += with_library((LIBRARY / words[1]).read_text()).splitlines()
        else:
            out.append(line)
    return "\n".join(out)


def operating_point(text: str, nodes: list[str], folder: Path) -> np.ndarray:
    """Node voltages in V, in the order of ``nodes``."""
    names = " ".join(f"v({n})" for n in nodes)
    run(deck(with_library(text), f"op\nset wr_singlescale\nset numdgt=12\nwrdata out.txt {names}"), folder)
    return np.loadtxt(folder / "out.txt", ndmin=2)[0, 1:]


def response(text: str, nodes: list[str], start: float, stop: float, per_decade: int, folder: Path):
    """Frequency (F,) Hz and transfer (nodes, F) from the file's own AC source."""
    names = " ".join(f"v({n})" for n in nodes)
    command = f"ac dec {per_decade} {start:g} {stop:g}\nset wr_singlescale\nset numdgt=12\nwrdata out.txt {names}"
    run(deck(with_library(text), command), folder)
    table = np.loadtxt(folder / "out.txt", ndmin=2)
    return table[:, 0], (table[:, 1::2] + 1j * table[:, 2::2]).T


def course(text: str, nodes: list[str], step: float, stop: float, folder: Path, uic: str = ""):
    """Time (T,) s and voltages (nodes, T), at even steps; with ``uic`` from stated values."""
    names = " ".join(f"v({n})" for n in nodes)
    command = f"tran {step:g} {stop:g} 0 {step:g} {uic}\nlinearize {names}\nset wr_singlescale\nset numdgt=12\nwrdata out.txt {names}"
    run(deck(with_library(text), command), folder)
    table = np.loadtxt(folder / "out.txt", ndmin=2)
    return table[:, 0], table[:, 1:].T
