"""Read a kit folder, check everything in it against everything else, and report all findings in one pass."""

from __future__ import annotations

import atexit
import re
import shutil
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from difflib import get_close_matches
from math import isclose
from pathlib import Path
from typing import Any

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.files import tables
from nuvlo.files.setups import read_setups
from nuvlo.files.whole import bytes_of, text_of, toml_of, unpack
from nuvlo.kit.board import Board
from nuvlo.kit.kinds import KINDS
from nuvlo.kit.kit import HAND_HELD, Kit, KitError
from nuvlo.kit.nets import GROUND_NAMES, UNCONNECTED
from nuvlo.kit.parts import Part
from nuvlo.kit.reach import within
from nuvlo.kit.schema import Choice, KitFile, Match
from nuvlo.problems import NuvloError, Problem, errors, reader, reading
from nuvlo.progress import Stopped
from nuvlo.quantity import UnreadableValue, format_value, parse_value


@reader
def read_kit(folder: Path) -> Kit:
    """Read a kit. Raises :class:`KitError` with every problem of every file."""
    kit, problems = _Reader(_unpacked(Path(folder))).read()
    if kit is None or errors(problems):
        raise KitError(problems)
    return within(kit, HAND_HELD)


@reader
def check_kit(folder: Path) -> tuple[str, tuple[Problem, ...]]:
    """Name of the kit and everything that is wrong with the folder, errors and warnings."""
    kit, problems = _Reader(_unpacked(Path(folder))).read()
    return (kit.name if kit else Path(folder).name), tuple(problems)


@dataclass(frozen=True)
class Cover:
    """What a kit says of itself, read without the rest of it. ``problem`` where it cannot be read."""

    folder: Path
    name: str
    family: str = ""
    says: str = ""
    parts: int = 0
    problem: str = ""


def cover_of(folder: Path) -> Cover:
    """The cover of a kit folder."""
    try:
        with reading(folder.name):
            written = folder / "kit.toml"
            about = toml_of(text_of(written, folder), written.name).get("kit") if written.exists() else None
            rows = sum(1 for line in text_of(folder / "bom.csv", folder).splitlines() if line.strip(" ,;"))
    except NuvloError as bad:
        return Cover(folder, folder.name, problem=f"It cannot be read: {bad.problems[0]}")
    about = about if isinstance(about, dict) else {}
    return Cover(
        folder,
        str(about.get("name", folder.name)),
        str(about.get("family", "")),
        str(about.get("says", "")),
        max(0, rows - 1),
    )


def _unpacked(path: Path) -> Path:
    """``path`` itself, or where the zip at ``path`` was unpacked for this run."""
    if path.suffix.lower() != ".zip" or not path.is_file():
        return path
    target = Path(tempfile.mkdtemp(prefix="nuvlo-kit-"))
    _scratch.append(target)
    inside = target / path.stem  # a zip that was made inside the kit's folder has no name of its own
    try:
        unpack(path, inside)
    except NuvloError as bad:
        raise KitError(bad.problems) from bad
    folders = [p for p in inside.iterdir() if p.is_dir()]
    # Zips made by right-click hold one folder; those made inside it hold the files.
    return folders[0] if len(folders) == 1 and not (inside / "bom.csv").exists() else inside


_scratch: list[Path] = []  # folders of this run, gone with it


def is_scratch(folder: Path) -> bool:
    """Whether a kit's folder is gone when the program ends."""
    return any(folder.is_relative_to(s) for s in _scratch)


@atexit.register
def leave_nothing() -> None:
    """Take away what was unpacked for this run."""
    while _scratch:
        shutil.rmtree(_scratch.pop(), ignore_errors=True)


class _Reader:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.problems: list[Problem] = []
        self.missing: list[str] = []
        self.toml_text = ""
        self.lines: dict[str, list[int]] = {}  # of each row kept, by file

    def read(self) -> tuple[Kit | None, list[Problem]]:
        if not self.folder.is_dir():
            self.problems.append(
                Problem("is not a kit folder.", "Name a folder that holds bom.csv.", self.folder.name)
            )
            return None, self.problems
        info = self.kit_file()
        parts = self.parts()
        unit = self.circuit(bench=not info.setup)
        setups: dict[str, Circuit] = {}
        if unit is not None:
            with self.collected("the set-ups"):
                setups, more = read_setups(self.folder, info.setup, unit, self.in_toml)
                self.problems += more
        board = self.board()
        wires = tuple(w for _, w in self.table("wiring.csv", ("wire", "from", "to", "net"), tables.wire, "Hook up"))
        panel = tuple(
            h for _, h in self.table("panel.csv", ("ref", "x_mm", "y_mm", "hole_mm"), tables.panel_hole, "the panel")
        )
        kit = Kit(
            self.folder, info, parts, unit, setups, board, wires, panel, tuple(self.missing), tuple(self.problems)
        )
        if not errors(self.problems):
            with self.collected(self.folder.name):
                self.cross_check(kit)
        return kit, self.problems

    @contextmanager
    def collected(self, file: str) -> Iterator[None]:
        """What goes wrong with one file stands beside what is wrong with the others."""
        try:
            with reading(file):
                yield
        except Stopped:
            raise
        except NuvloError as bad:
            self.problems += bad.problems

    # -- files ------------------------------------------------------------------------------------------------

    def text(self, name: str) -> str | None:
        path = self.folder / name
        if not path.exists():
            return None
        with self.collected(name):
            return text_of(path, self.folder)
        return None

    def kit_file(self) -> KitFile:
        from pydantic import ValidationError

        plain = KitFile.model_validate({"kit": {"name": self.folder.absolute().name or "kit"}})
        text = self.text("kit.toml")
        if text is None:
            self.missing.append("kit.toml: without it there are no test points, trims or choices")
            return plain
        self.toml_text = text
        with self.collected("kit.toml"):
            try:
                return KitFile.model_validate(toml_of(text, "kit.toml"))
            except ValidationError as bad:
                for error in bad.errors():
                    line, column = _place_in_toml(text, error["loc"])
                    name = ".".join(str(p) for p in error["loc"])
                    message = error["msg"].removeprefix("Value error, ")
                    remedy = "docs/kit-format.md lists what belongs there."
                    if error["type"] == "extra_forbidden" and len(error["loc"]) == 1 and (near := get_close_matches(name, KitFile.model_fields, 1)):
                        message, remedy = f"there is no [[{name}]] in a kit", f"Did you mean [[{near[0]}]]? {remedy}"
                    self.problems.append(Problem(f"{name}: {message}.", remedy, "kit.toml", line, column))
        return plain

    def table(
        self, name: str, columns: Sequence[str], make: Callable[[tables.Fields], tables.Row], lost: str
    ) -> list[tuple[int, tables.Row]]:
        text = self.text(name)
        if text is None:
            self.missing.append(f"{name}: without it {lost} cannot be shown")
            return []
        with self.collected(name):
            rows, problems = tables.read_table(text, name, columns, make)
            self.problems += problems
            self.lines[name] = [line for line, _ in rows]
            return rows
        return []

    def parts(self) -> dict[str, Part]:
        rows = self.table("bom.csv", ("ref", "kind", "value"), tables.part, "the parts list")
        if not rows and not (self.folder / "bom.csv").exists():
            self.problems.append(Problem("is missing.", "A kit needs at least a parts list.", "bom.csv"))
        out: dict[str, Part] = {}
        for line, part in rows:
            if part.ref in out:
                self.problems.append(
                    Problem(f"'{part.ref}' is listed twice.", "Give each part a reference of its own.", "bom.csv",
                            line, 1, part.ref)
                )  # fmt: skip
            out[part.ref] = part
        return out

    def circuit(self, *, bench: bool) -> Circuit | None:
        """The unit; with ``bench``, for want of set-ups, with what stands round it."""
        path = self.folder / "circuit.cir"
        if not path.exists():
            self.missing.append("circuit.cir: without it nothing can be predicted")
            return None
        with self.collected(path.name):
            bytes_of(path, self.folder)
            circuit = Circuit.from_file(path, check=bench)
            self.problems += circuit.warnings
            return circuit
        return None

    def board(self) -> Board | None:
        placements = self.table(
            "placement.csv", ("Designator", "Mid X", "Mid Y", "Rotation", "Layer"), tables.placement, "the board map"
        )
        pads = self.table("pads.csv", ("ref", "pin", "x_mm", "y_mm", "pad_mm", "net"), tables.pad, "pads")
        corners = tuple(c for _, c in self.table("outline.csv", ("x_mm", "y_mm"), tables.corner, "the outline"))
        if not placements or not pads:
            return None
        if len(corners) < 3:
            xs, ys = [p.x_mm for _, p in pads], [p.y_mm for _, p in pads]
            low_x, high_x, low_y, high_y = min(xs) - 4, max(xs) + 4, min(ys) - 4, max(ys) + 4
            corners = ((low_x, low_y), (high_x, low_y), (high_x, high_y), (low_x, high_y))
        return Board(corners, tuple(p for _, p in pads), {p.ref: p for _, p in placements})

    # -- one file against another -----------------------------------------------------------------------------

    def cross_check(self, kit: Kit) -> None:
        self.check_parts(kit)
        self.check_nodes(kit)
        self.check_relations(kit)
        self.check_names(kit)
        self.check_switches(kit)

    def in_toml(self, path: tuple[str | int, ...], message: str, remedy: str) -> None:
        line, column = _place_in_toml(self.toml_text, path)
        self.problems.append(Problem(message, remedy, "kit.toml", line, column))

    def check_parts(self, kit: Kit) -> None:
        self.check_kinds(kit)
        circuit = kit.unit
        if circuit is None:
            return
        for line, part in zip(self.lines.get("bom.csv", []), kit.parts.values(), strict=False):
            elements = kit.elements_of(part.ref)
            if part.unit and part.on_board and not elements:
                message = f"'{part.ref}' has no element in circuit.cir, so no reading can depend on it."
                self.problems.append(
                    Problem(message, "Add it there.", "bom.csv", line, 1, part.ref, severity="warning")
                )
            for element in elements if part.value is not None else ():
                self.check_value(line, part, element, circuit)

    def check_kinds(self, kit: Kit) -> None:
        """A kind that is none leaves a part without all that is known of its kind."""
        for line, part in zip(self.lines.get("bom.csv", []), kit.parts.values(), strict=False):
            if part.kind in KINDS:
                continue
            near = get_close_matches(part.kind, KINDS, 1)
            remedy = f"Write '{near[0]}'." if near else f"Kinds: {', '.join(KINDS)}."
            message = f"'{part.kind}' of {part.ref} is no kind of part, so nothing is known of how it is fitted."
            self.problems.append(Problem(message, remedy, "bom.csv", line, 1, part.ref, severity="warning"))

    def check_value(self, line: int, part: Part, element: str, circuit: Circuit) -> None:
        if element.startswith("x"):
            drawn: float | Array = circuit.given(element, "r")
        else:
            drawn = circuit.parameter(circuit.element(element), "value", {})
        assert part.value is not None
        if not isclose(float(drawn), part.value, rel_tol=1e-3):
            values = f"{format_value(part.value, part.unit)} here and {format_value(float(drawn), part.unit)}"
            self.problems.append(
                Problem(
                    f"'{part.ref}' is {values} in circuit.cir.", "Make the two agree.", "bom.csv", line, 1, part.ref
                )
            )

    def check_relations(self, kit: Kit) -> None:
        """A relation that goes round in a circle has no order."""
        from nuvlo.craft.order import plan_of

        refs = {r.lower() for r in kit.parts}
        for i, relation in enumerate(kit.info.relation):
            named = (relation.part, relation.to) if relation.how in ("touches", "below", "bars") else (relation.part,)
            for ref in named:
                if ref.lower() not in refs:
                    self.in_toml(
                        ("relation", i, "part"), f"there is no part '{ref}' in bom.csv.", "Mend the reference."
                    )
        try:
            if kit.info.relation:
                plan_of(kit)
        except ValueError as circle:
            self.in_toml(("relation", 0, "part"), f"{circle}.", "Take one of the relations out.")

    def check_nodes(self, kit: Kit) -> None:
        if kit.unit is None:
            return
        unit = {*kit.unit.nodes, *GROUND_NAMES}
        known = unit.union(*(c.nodes for c in kit.setups.values()))  # a loudspeaker's sound is at the bench
        wanted: list[tuple[tuple[str | int, ...], str]] = []
        for i, point in enumerate(kit.info.point):
            wanted += [(("point", i, "node"), point.node), (("point", i, "reference"), point.reference)]
        wanted += [(("tone", i, what), getattr(t, what)) for i, t in enumerate(kit.info.tone) for what in ("at", "at_reference", "node", "reference") if getattr(t, what)]
        wanted += [(("cold", i, what), getattr(c, what)) for i, c in enumerate(kit.info.cold) for what in ("node", "reference")]
        wanted += [(("supply", i, "node"), s.node) for i, s in enumerate(kit.info.supply)]
        wanted += [(("port", i, "node"), p.node) for i, p in enumerate(kit.info.port)]
        if kit.info.prove:
            wanted += [(("prove", "node"), kit.info.prove.node)]
            wanted += [(("prove", "stages"), n) for n in kit.info.prove.stages]
        for path, node in wanted:
            if node.lower() not in known:
                self.in_toml(path, f"there is no node '{node}' in this kit.", "Use a node of the netlist.")
        unit.add(UNCONNECTED)
        for number, pad in zip(self.lines.get("pads.csv", []), kit.board.pads if kit.board else (), strict=False):
            if pad.net not in unit:
                message = f"pad {pad.pin} of {pad.ref} is on '{pad.net}', which circuit.cir does not have."
                self.problems.append(Problem(message, "Use a node of the netlist.", "pads.csv", number, 1, pad.ref))

    def check_names(self, kit: Kit) -> None:
        refs = {r.lower() for r in kit.parts}
        points = {p.name for p in kit.info.point}
        taken = dict.fromkeys(refs, "a part")
        for table, what in (("point", "a test point"), ("tone", "a tone"), ("cold", "a cold reading")):
            for i, place in enumerate(getattr(kit.info, table)):
                if other := taken.get(place.name.lower()):
                    self.in_toml((table, i, "name"), f"'{place.name}' is {other} already.", "Give it a name of its own: it is typed at the bench.")
                taken[place.name.lower()] = what
        sources = {e.name for c in kit.setups.values() for e in c.elements if e.kind in "vi"}
        claims: list[tuple[tuple[str | int, ...], str, Iterable[str], str]] = []
        named = [(("point", i), p.setup) for i, p in enumerate(kit.info.point)]
        named += [(("trim", i), t.setup) for i, t in enumerate(kit.info.trim)]
        named += [(("tone", i), t.setup) for i, t in enumerate(kit.info.tone)]
        named += [(("prove", 0), kit.info.prove.setup)] if kit.info.prove else []
        setups = {name.lower() for name in kit.setups}
        claims += [((*at, "setup"), name.lower(), setups, "set-up") for at, name in named if name and kit.unit]
        for i, control in enumerate(kit.info.control):
            claims.append((("control", i, "ref"), control.ref.lower(), refs, "part"))
        asking: list[tuple[str, int, Choice | Match]] = [("choice", i, c) for i, c in enumerate(kit.info.choice)]
        asking += [("match", i, m) for i, m in enumerate(kit.info.match)]
        nowhere = [(table, i) for table, i, q in asking if q.setup and q.setup.lower() not in setups and kit.unit]
        for table, i in nowhere:
            self.in_toml((table, i, "setup"), f"there is no set-up '{getattr(kit.info, table)[i].setup}'.", "Mend the name.")
        for i, match in enumerate(kit.info.match):
            claims += [(("match", i, "pairs"), ref.lower(), refs, "part") for pair in match.pairs for ref in pair]
            if ("match", i) not in nowhere:
                self.check_aims(kit, ("match", i, "aim"), match)
        for i, choice in enumerate(kit.info.choice):
            if ("choice", i) not in nowhere:
                self.check_aims(kit, ("choice", i, "aim"), choice)
            for move in choice.move if ("choice", i) not in nowhere else ():
                for element in move.elements if kit.unit is not None else ():
                    if not kit.asked_in(choice).has_parameter(element):
                        self.in_toml(("choice", i, "move"), f"there is no element '{element}' in circuit.cir.", "Mend the name.")
            if not choice.part:
                continue
            claims.append((("choice", i, "part"), choice.part.lower(), refs, "part"))
            unit = kit.parts[choice.part].unit if choice.part in kit.parts else ""
            for option in choice.options:
                try:
                    parse_value(option.value, unit)
                except UnreadableValue as bad:
                    self.in_toml(("choice", i, "options"), str(bad), "")
        for i, trim in enumerate(kit.info.trim):
            claims.append((("trim", i, "trimmer"), trim.trimmer.lower(), refs, "part"))
            claims += [(("trim", i, k), v, points, "test point") for k, v in
                       (("watch", trim.watch), ("supply_point", trim.supply_point))]  # fmt: skip
        if kit.unit:
            claims += [(("supply", i, "element"), s.element, sources, "source") for i, s in enumerate(kit.info.supply)]
            claims += [(("tone", i, "source"), t.source, sources, "source") for i, t in enumerate(kit.info.tone)]
            if kit.info.prove:
                claims.append((("prove", "source"), kit.info.prove.source, sources, "source"))
        for path, name, known, what in claims:
            if name not in known:
                self.in_toml(path, f"there is no {what} '{name}' in this kit.", "Mend the name.")
        ends = {p.ref for p in kit.board.pads} if kit.board else set()
        for line, wire in zip(self.lines.get("wiring.csv", []), kit.wires, strict=False):
            for end in wire.ends:
                head = end.partition(".")[0]
                if head not in kit.parts and head not in ends and kit.board is not None:
                    message = f"wire {wire.name} goes to '{end}', which is neither a pad nor a part."
                    self.problems.append(Problem(message, "Mend the name.", "wiring.csv", line, 1))

    def check_switches(self, kit: Kit) -> None:
        """Throws join lugs of a part, or set what its element has, and are read where wires end."""
        ends = {end for w in kit.wires for end in w.ends}
        for i, switch in enumerate(kit.info.switch):
            at, elements = ("switch", i, "part"), kit.elements_of(switch.part)
            if switch.part not in kit.parts:
                self.in_toml(at, f"there is no part '{switch.part}' in bom.csv.", "Mend the reference.")
                continue
            for throw in switch.throws:
                for place in (p for pair in throw.reads for p in pair if kit.wires and p not in ends):
                    self.in_toml(at, f"'{throw.name}' of {switch.part} is read at '{place}', where no wire ends.", "Use an end of wiring.csv.")
                for key in throw.sets:
                    if kit.unit and not any(kit.unit.has_parameter(f"{e}.{key}") for e in elements):
                        self.in_toml(at, f"'{switch.part}' has no '{key}' in circuit.cir.", "Use a parameter of its subcircuit.")
                if throw.joins and elements:
                    self.in_toml(at, f"{switch.part} is an element of circuit.cir, so its lugs are joined there.", "Say what its throws set instead.")

    def check_aims(self, kit: Kit, path: tuple[str | int, ...], question: Choice | Match) -> None:
        """Sources, nodes and elements that results speak of."""
        if kit.unit is None:
            return
        circuit = kit.asked_in(question)
        nodes, elements = {*circuit.nodes, *GROUND_NAMES}, {e.name for e in circuit.elements}
        sources = {e.name for e in circuit.elements if e.kind in "vi"}
        for aim in question.aim:
            for name, known, what in ((aim.node, nodes, "node"), (aim.of, nodes, "node"), (aim.reference, nodes, "node"),
                                      (aim.source, sources, "source"), (aim.element, elements, "element")):  # fmt: skip
                if name and name.lower() not in known:
                    self.in_toml(path, f"{aim.name}: there is no {what} '{name}' in its set-up.", "Mend the name.")


def _place_in_toml(text: str, path: tuple[Any, ...]) -> tuple[int, int]:
    """Line and column of a key such as ``("supply", 0, "volts")``; of its table where the key is not there."""
    if not path:
        return 1, 1
    table = str(path[0])
    index = next((p for p in path[1:2] if isinstance(p, int)), None)
    key = next((p for p in path[1:] if isinstance(p, str)), None)
    seen, inside, header_line = -1, False, 1
    for number, line in enumerate(text.splitlines(), 1):
        header = re.match(r"\s*\[\[?\s*([A-Za-z_]+)", line)
        if header:
            if header[1] == table:
                seen += 1
            inside = header[1] == table and (index is None or seen == index)
            if inside:
                header_line = number
            continue
        found = re.match(rf"(\s*){re.escape(key)}\s*=", line) if key else None
        if inside and found:
            return number, len(found[1]) + 1
    return header_line, 1
