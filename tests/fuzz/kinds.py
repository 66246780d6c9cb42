"""Kinds of input that are made up: each is given to the program as a person would, and comes to a result or to a refusal
in words. Anything else (another exception, ten seconds of work, a gigabyte of memory) is a finding.

An input is told by its kind and its number alone: the same number is the same input, but for the names and times that a
logbook and a backup are full of.
"""

from __future__ import annotations

import io
import re
import shutil
import zipfile
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from functools import cache
from pathlib import Path
from random import Random

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.expression import ExpressionError, parse_expression
from nuvlo.circuit.netlist import LIBRARY
from nuvlo.circuit.operating_point import operating_point
from nuvlo.desktop.look import read_look
from nuvlo.electrics.pedalboard import netlist as netlist_of
from nuvlo.files.drawer import read_drawer
from nuvlo.files.kit_folder import check_kit, cover_of, read_kit
from nuvlo.files.manual import faults
from nuvlo.files.meter import read_reach
from nuvlo.files.mistakes import SHIPPED as HABITS
from nuvlo.files.mistakes import read_habits
from nuvlo.files.parts_list import read_parts_list
from nuvlo.files.pedalboard import SHIPPED as PLANS
from nuvlo.files.pedalboard import read_plan
from nuvlo.files.rack import read_rack
from nuvlo.files.recipe import curve_figures, read_recipe, recipe_folders
from nuvlo.instruments.measured import read_measured, read_places
from nuvlo.kit import Stage
from nuvlo.logbook import Note
from nuvlo.measurement import Observable, tone_at, volts_at
from nuvlo.problems import NuvloError, reading
from nuvlo.quantity import parse_value
from nuvlo.stages.sequence.evenings import read_free
from nuvlo.stages.unpack.identify import identify
from nuvlo.workshop.backup import back_up, restore
from nuvlo.workshop.commands.execute import begin
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.commands.outcome import Work
from nuvlo.workshop.commands.verbs import VERBS, WORDS
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.shelf import shelf
from nuvlo.workshop.workshop import Workshop

NASTY = (
    "", "0", "-1", "1e999", "-0", "nan", "inf", "OL", "9" * 400, "1e-400", "4k7", "4.7meg", "1/0", "((((", "))))", "{", "}", "'", '"', ",", ";",
    "=", "\t", "\n", "\r", "\r\n", "\0", "\ufeff", "\u2028", "\u0664", "²", "½", "µ", "\ud7ff", "<b>x</b>", "../../x", "~nobody/x", "%s", "|", "A" * 5000,
    "+" * 300, "-" * 300, "#", "[[x]]", "[" * 200, "R1", "r1 a b", ".include x", ".subckt s a b", ".ends", ".param p={p}", "limit(", "v(a)", "i(v1)", "?:",
)  # fmt: skip
FILES = ("bom.csv", "kit.toml", "circuit.cir", "pads.csv", "placement.csv", "outline.csv", "wiring.csv", "panel.csv")


def mangled(rnd: Random, data: bytes) -> bytes:
    """``data`` with a few things done to it that happen to files, and some that are done to them."""
    out = bytearray(data)
    for _ in range(rnd.choice((1, 1, 2, 3, 6))):
        at = rnd.randrange(len(out) + 1)
        to = min(len(out), at + rnd.choice((1, 2, 8, 60, 400)))
        match rnd.randrange(7):
            case 0 if out:
                out[rnd.randrange(len(out))] ^= 1 << rnd.randrange(8)
            case 1:
                del out[at:to]
            case 2:
                out[at:at] = out[at:to] * rnd.choice((1, 1, 3, 50))
            case 3:
                del out[at:]
            case 4:
                lines = out.split(b"\n")
                rnd.shuffle(lines)
                out = bytearray(b"\n".join(lines))
            case _:
                out[at : rnd.choice((at, to))] = rnd.choice(NASTY).encode("utf-8", "surrogatepass")
    return bytes(out)


@cache
def _netlists() -> tuple[bytes, ...]:
    return tuple(p.read_bytes() for p in [*sorted(SHIPPED.glob("*/circuit.cir")), *sorted(LIBRARY.glob("*.lib"))])


def netlist(rnd: Random, scratch: Path) -> None:
    """A circuit, read and solved."""
    text = mangled(rnd, rnd.choice(_netlists())).decode("utf-8", "replace")
    if rnd.random() < 0.3:
        text += f"\nb9 n9 0 v={{{expression_text(rnd)}}}\nr9 n9 0 1k\n"
    (scratch / "c.cir").write_bytes(text.encode("utf-8", "surrogatepass"))
    circuit = Circuit.from_file(scratch / "c.cir")
    if len(circuit.elements) < 400:
        with reading("c.cir", "solved"):
            operating_point(circuit)


def expression_text(rnd: Random, depth: int = 6) -> str:
    """An expression, or nearly one."""
    if depth == 0 or rnd.random() < 0.2:
        return rnd.choice(("1", "2k", "a", "v(a)", "v(a,b)", "i(v1)", "pi", "0", "1e300", *NASTY[:20]))
    first, second, third = (expression_text(rnd, depth - 1 - k) if depth > k else "1" for k in range(3))
    return rnd.choice((
        f"{first}{rnd.choice(('+', '-', '*', '/', '**', '^', '<', '==', '&&', '||'))}{second}", f"({first})", f"-{first}",
        f"{rnd.choice(('abs', 'sqrt', 'exp', 'ln', 'tanh', 'u', 'uramp'))}({first})", f"limit({first},{second},{third})",
        f"{first}?{second}:{third}", f"pwr({first},{second})",
    ))  # fmt: skip


def expression(rnd: Random, scratch: Path) -> None:
    """A formula by itself."""
    try:
        parse_expression(expression_text(rnd, rnd.choice((3, 6, 9))))({"a": 1.0, "v(a)": 2.0}.get)
    except (ExpressionError, TypeError):  # a name that is not known here has no value
        return


def kit(rnd: Random, scratch: Path) -> None:
    """A kit folder with a file or two that are not as they should be, or its zip."""
    there = shutil.copytree(rnd.choice(sorted(p for p in SHIPPED.iterdir() if p.is_dir())), scratch / "kit")
    for name in rnd.sample(FILES, rnd.choice((1, 1, 2))):
        file = there / name
        file.write_bytes(mangled(rnd, file.read_bytes() if file.exists() else b""))
    if rnd.random() < 0.1:
        there = Path(shutil.make_archive(str(scratch / "box"), "zip", there))
        there.write_bytes(mangled(rnd, there.read_bytes()) if rnd.random() < 0.7 else there.read_bytes())
        read_kit(there)
        return
    name, problems = check_kit(there)
    assert name
    assert all(p.file for p in problems), "each says where"
    assert all(p.message for p in problems)
    cover_of(there)


@cache
def _lists() -> tuple[tuple[str, bytes], ...]:
    folder = Path(__file__).parents[1] / "files" / "parts_lists"
    return tuple((p.name, p.read_bytes()) for p in sorted(folder.iterdir()) if p.is_file())


def parts_list(rnd: Random, scratch: Path) -> None:
    """A parts list of any habit."""
    name, data = rnd.choice(_lists())
    if name.endswith(".xlsx") and rnd.random() < 0.7:
        data = _workbook_mangled(rnd, data)
    else:
        data = mangled(rnd, data)
    (scratch / name).write_bytes(data)
    read_parts_list(scratch / name)


def _workbook_mangled(rnd: Random, data: bytes) -> bytes:
    """A workbook with one of its members changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as before, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as after:
        chosen = rnd.choice(before.namelist())
        for name in before.namelist():
            inside = before.read(name)
            after.writestr(name, mangled(rnd, inside) if name == chosen else inside)
    return out.getvalue()


def table(rnd: Random, scratch: Path) -> None:
    """One of the small files that lie in a workshop or are given on the command line."""
    gorsefire = _gorsefire()
    which = rnd.randrange(5)
    file = scratch / ("free.csv", "drawer.csv", "measured.csv", "manual.txt", "recipe.toml")[which]
    samples = (
        "start,end\n2026-11-27T19:00,2026-11-27T21:30\n2026-11-28T10:00+01:00,2026-11-28T12:00+01:00\n",
        "kind,value,count\nresistor,4k7,10\ncapacitor,100n,3\n", "ref,value,unit,uncertainty\nR1,100,Ω,0.5\nC1,98n,F,\n",
        "Fit R1\nSolder all resistors\nFit Q1 and Q2\nCheck the values of R2\n", "",
    )  # fmt: skip
    if which == 4:
        folder = rnd.choice(list(recipe_folders([]).values()))
        for name in ("recipe.toml", "circuit.cir"):
            (scratch / name).write_bytes(mangled(rnd, (folder / name).read_bytes()))
        read_recipe(scratch)
        return
    file.write_bytes(mangled(rnd, samples[which].encode()))
    if which == 0:
        read_free(file.read_text("utf-8", "replace"), datetime(2026, 11, 26), "free.csv")
    elif which == 1:
        read_drawer(file)
    elif which == 2:
        read_measured(file, gorsefire)
    else:
        faults(gorsefire, file.read_text("utf-8", "replace"), "manual.txt")


def small_file(rnd: Random, scratch: Path) -> None:
    """What is named on the command line or lies in a workshop: how often mistakes are made, a plan of a pedalboard, a rack, readings, a curve,
    the look of the window."""
    gorsefire, which = _gorsefire(), rnd.choice(sorted(SMALL))
    name, sample = SMALL[which]
    file = scratch / name
    file.write_bytes(mangled(rnd, sample()))
    if which == "mistakes":
        read_habits(file)
    elif which == "plan":
        netlist_of(read_plan(str(file)))
    elif which == "rack":
        read_rack(file)
    elif which == "readings":
        places = {volts_at(p.name): "V" for p in gorsefire.info.point} | {Observable("TP1", "look"): "", Observable("Q1", "touch"): "", tone_at("A1"): "V"}
        read_places(file, places)
    elif which == "curve":
        curve_figures(file)
    elif which == "meter":
        read_reach(file)
    else:
        read_look(file)


SMALL: dict[str, tuple[str, Callable[[], bytes]]] = {
    "meter": ("meter.toml", lambda: b"ac_hertz = \"20k\"\nac_volts = 0.003\n"),
    "mistakes": ("mistakes.csv", lambda: HABITS.read_bytes()), "plan": ("plan.toml", lambda: (PLANS / "four-cable.toml").read_bytes()),
    "rack": ("rack.csv", lambda: b"unit,count,kit,+12 V,-12 V,+12 V worst\nosc,2,,21,19,25\nsupply,,,500,500,\n"),
    "readings": ("r.csv", lambda: b"point,quantity,value,unit,uncertainty\nTP1,voltage,4.5,V,0.02\nTP1,look,right,,\nQ1,touch,hot,,\nA1,tone,0.1,V,\nTP2,voltage,OL,V,\n"),
    "curve": ("c.zma", lambda: b"".join(b"%d %g 0\n" % (20 * 1.2**k, 8 + 30 / (1 + (k - 6) ** 2)) for k in range(30))),
    "look": ("window.json", lambda: b'{"theme": "lamp", "place": [0, 0, 1200, 700], "filling": false, "lanes": [300, 600, 300]}'),
}  # fmt: skip


@cache
def _gorsefire():
    return read_kit(SHIPPED / "gorsefire")


def value(rnd: Random, scratch: Path) -> None:
    """A value, a marking, colours of bands."""
    words = (
        "4k7",
        "10,5 mV",
        "104K",
        "brown",
        "black",
        "orange",
        "gold",
        "01C",
        "2A104J",
        "0R1",
        "47u 25V",
        "22n",
        *NASTY,
    )
    text = rnd.choice(("", " ", "-")).join(rnd.choice(words) for _ in range(rnd.choice((1, 1, 2, 4))))
    for read in (parse_value, identify, lambda t: identify(t, _gorsefire())):
        try:
            read(text)
        except NuvloError as refused:
            assert all(p.message and len(str(p)) < 2500 for p in refused.problems)


@cache
def _session(folder: Path):
    """A build that many lines are typed into, one after another."""
    return Workshop(folder).start(_gorsefire(), bench="typed")


def line(rnd: Random, scratch: Path) -> None:
    """A line typed at the bench, and all that the window then shows."""
    session = _session(scratch.parent / "shop")
    head = rnd.choice((*WORDS, *_gorsefire().parts, "tp1", "j1.tip", *(v.example for v in VERBS.values()), *NASTY))
    tail = " ".join(
        rnd.choice((*NASTY, "r3", "off", "because", "2k2", "4.48", "missing", "joints.png"))
        for _ in range(rnd.randrange(4))
    )
    now = session.now()
    outcome = begin(session, understand(f"{head} {tail}"[:400], session.kit, now.task if now else None, session.stage))
    assert isinstance(outcome, Work) or outcome.words
    if rnd.random() < 0.1:
        for stage in Stage:
            session.findings(stage)


@cache
def _logbook(folder: Path) -> tuple[bytes, dict[str, list[str]]]:
    """A whole database, and the notes of its builds."""
    workshop = Workshop(folder)
    for k in range(3):
        session = workshop.start(_gorsefire())
        for n in range(40):
            session.record(Note(text=f"note {k} {n}"))
    notes = {b.id: b.notes for b in workshop.builds()}
    workshop.close()
    return (folder / "logbook.db").read_bytes(), notes


def database(rnd: Random, scratch: Path) -> None:
    """A logbook that was cut short, or had bytes changed in it: what is whole is seen, the rest is said."""
    data, notes = _logbook(scratch.parent / "whole")
    if rnd.random() < 0.5:
        data = data[: rnd.randrange(len(data))]
    else:
        changed = bytearray(data)
        for _ in range(rnd.choice((1, 3, 20))):
            changed[rnd.randrange(len(changed))] ^= 1 << rnd.randrange(8)
        data = bytes(changed)
    file = scratch / "logbook.db"
    file.write_bytes(data)
    try:
        workshop = Workshop(scratch)
    except NuvloError as refused:
        assert file.read_bytes() == data, "a damaged one is left as it is"
        assert re.search("damaged|could not|newer|copied", str(refused))
        return
    try:
        shelf(workshop)
        found = {b.id: b for b in workshop.builds()}
        for build_id, build in found.items():
            written = iter(notes.get(build_id, ()))
            assert all(note in written for note in build.notes), (
                "nothing is shown that was not entered, nor in another order"
            )
            with suppress(NuvloError):
                workshop.open(build_id).snapshot().made_ready()
        lost = any(len(found[b].notes) < len(n) if b in found else True for b, n in notes.items())
        said = workshop.logbook.salvaged is not None or any(b.unread for b in found.values()) or set(found) - set(notes)
        assert said or not lost, "what is lost is said"
    finally:
        workshop.close()


def backup(rnd: Random, scratch: Path) -> None:
    """A backup that something happened to: put back whole, or not at all."""
    whole = _backup(scratch.parent / "kept")
    file = scratch / "b.zip"
    file.write_bytes(mangled(rnd, whole))
    try:
        restore(file, scratch / "new")
    except NuvloError:
        assert not (scratch / "new").exists()
        raise


@cache
def _backup(folder: Path) -> bytes:
    workshop = Workshop(folder / "shop")
    workshop.start(_gorsefire()).record(Note(text="kept"))
    made = back_up(workshop, folder / "b.zip")
    workshop.close()
    return made.place.read_bytes()


Kind = Callable[[Random, Path], None]
READ = ("netlist", "kit", "parts_list", "table", "small_file", "backup")  # kinds of input that are files
KINDS: dict[str, Kind] = {
    one.__name__: one for one in (netlist, expression, kit, parts_list, table, small_file, value, line, database, backup)
}


def tried(kind: str, number: int, scratch: Path) -> None:
    """Give one input to the program; returns where it came to a result or was refused in words."""
    there = scratch / "one"
    shutil.rmtree(there, ignore_errors=True)
    there.mkdir(parents=True)
    try:
        KINDS[kind](Random(f"{kind} {number}"), there)
    except NuvloError as refused:
        said = [str(p) for p in refused.problems]
        assert kind not in READ or all(p.file for p in refused.problems), f"a refusal names its file: {said}"
        assert said, "a refusal says something"
        assert all(s.strip() and "Traceback" not in s for s in said)
