"""Read a SPICE netlist into cards. Every mistake in the file is found in one pass and says where it is.

Every word is honoured, or refused, or passed over with a warning that says so; one that may change what is worked out is marked
as such (``Problem.alters``). Grammar: the title line, then cards; comments and continued lines as in :mod:`lines`; case does not
matter. Reference: the ngspice 39 manual, chapters 2 to 7.
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import cache
from pathlib import Path

from nuvlo.circuit.cards import Block, Model, Netlist, Token
from nuvlo.circuit.elements import ElementReader
from nuvlo.circuit.expression import Expression, ExpressionError, Function, constant, parse_expression
from nuvlo.circuit.lines import Line, assigned, logical_lines
from nuvlo.circuit.models import ALIASES, FOR_PEOPLE, KNOWN_PARAMETERS, LEVELS, MODEL_TYPES, OF_DIODES, OF_VERTICAL
from nuvlo.circuit.over_time import ONE
from nuvlo.problems import NuvloError, Problem, Severity, errors, reader

LIBRARY = Path(__file__).parent / "library"
MOST_BYTES = 8_000_000  # of a netlist with all that it includes
MOST_INCLUDED, DEEPEST = 200, (20, 50)  # files; includes in includes, and subcircuits in subcircuits
COLDEST, HOTTEST = -200.0, 400.0  # °C
IGNORED_CARDS = {".op", ".ac", ".noise", ".dc", ".print", ".plot", ".save", ".end", ".width", ".probe", ".meas", ".measure", ".title", ".four"}
IGNORED_CARDS |= {".sens", ".tf", ".pz", ".disto", ".csparam", ".endc", ".backanno"}
HELD = re.compile(r"v\s*\(\s*([^\s()]+(?:\([^()]*\)[^\s()]*)?)\s*\)\s*=\s*(\{[^}]*\}|'[^']*'|[^\s,]+)", re.IGNORECASE)


class NetlistError(NuvloError):
    """The netlist cannot be used; ``problems`` has every finding of the pass."""


@reader
def read_netlist(path: Path) -> Netlist:
    """Read a netlist file. Raises :class:`NetlistError` listing every error with line and column."""
    path = Path(path)
    return parse_netlist(_text_in(path), path.name, path.parent)


def _text_in(path: Path) -> str:
    """Text of a netlist: UTF-8 where it is that, else the older Western letters many are still saved in."""
    try:
        with path.open("rb") as file:
            data = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise NetlistError(
            Problem(f"cannot be opened: {error.strerror}.", "Check the name.", file=path.name)
        ) from error
    if len(data) > MOST_BYTES:
        raise NetlistError(Problem(f"is larger than {MOST_BYTES // 1_000_000} MB.", "No netlist is.", file=path.name))
    try:
        text = data.decode()
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    return text.replace("\r\n", "\n").replace("\r", "\n")


def parse_netlist(text: str, name: str = "circuit.cir", folder: Path | None = None) -> Netlist:
    """Parse netlist ``text``; ``folder`` is where ``.include`` looks before the shipped library."""
    reader = _Reader(folder)
    reader.title, _, rest = text.partition("\n")
    reader.read(rest, name, first_line=2)
    reader.finish(name)
    if errors(reader.problems):
        raise NetlistError(reader.problems)
    reader.top.parameters.setdefault("temper", constant(reader.degrees))
    return Netlist(
        reader.title.lstrip("* ").strip(), reader.top, tuple(reader.problems), reader.degrees, reader.nominal,
        frozenset(reader.everywhere), reader.leads, reader.holds, reader.from_stated,
    )  # fmt: skip


@cache
def library_file(path: Path) -> Block:
    """What a file of the library defines. Each is read once: kits include the same ones again and again."""
    return parse_netlist(f"{path.name}\n{_text_in(path)}", path.name).top


class _Reader(ElementReader):
    def __init__(self, folder: Path | None) -> None:
        super().__init__()
        self.folder = folder
        self.title = ""
        self.problems: list[Problem] = []
        self.top = Block("")
        self.block = self.top
        self.including: list[str] = []
        self.included = self.characters = 0  # files and letters so far
        self.overfull = False
        self.in_control = False
        self.choices: list[tuple[bool, bool]] = []  # of each .if that is open: whether one of its branches was taken, and this one is
        self.placed: dict[tuple[int, str, str], Token] = {}  # where models and subcircuits were defined
        self.degrees = self.nominal = 27.0
        self.everywhere: set[str] = set()
        self.leads: dict[str, Expression] = {}
        self.holds: dict[str, Expression] = {}
        self.from_stated = False

    # -- lines into cards -------------------------------------------------------------------------------------

    def read(self, text: str, name: str, first_line: int) -> None:
        lines = list(logical_lines(text, name, first_line, self.say))
        for line in lines:  # a function may be used before it is defined
            if line.text[:5].lower() == ".func":
                self.function(line)
        for line in lines:
            if self.overfull or not self.line(line):
                return

    def stop(self, message: str, at: Token) -> None:
        """Read no further: what is left would only say the same again."""
        if not self.overfull:
            self.say(message, at)
        self.overfull = True

    def say(self, message: str, at: Token, remedy: str = "", severity: Severity = "error", *, alters: bool = False) -> None:
        self.problems.append(Problem(message, remedy or "Mend this line, or take it out.", at.file, at.line, at.column, severity=severity, alters=alters))

    def line(self, line: Line) -> bool:
        """Take in one line; False at ``.end``."""
        words = line.words()
        if not words:
            return True
        head = words[0]
        if self.in_control:
            self.in_control = head.text != ".endc"
            return True
        if head.text in (".if", ".elseif", ".else", ".endif"):
            self.choose(head, line)
            return True
        if not all(taken for _, taken in self.choices):
            return True
        if head.text.startswith("."):
            return self.dot_card(line, words)
        self.element(line, words)
        return True

    def choose(self, head: Token, line: Line) -> None:
        """Which branch of ``.if`` counts, by the parameters known so far."""
        if head.text == ".if":
            there = all(taken for _, taken in self.choices) and self.holds_true(head, line)
            self.choices.append((there, there))
            return
        if not self.choices:
            self.say(f"there is no .if for this {head.text}.", head)
            return
        before, _ = self.choices.pop()
        if head.text != ".endif":
            outside = all(taken for _, taken in self.choices)
            now = outside and not before and (head.text == ".else" or self.holds_true(head, line))
            self.choices.append((before or now, now))

    def holds_true(self, head: Token, line: Line) -> bool:
        text, index = line.behind(1)
        try:
            found = parse_expression(text.strip().strip("{}'").lower(), self.functions)
            known = {name: value for block in reversed(list(self.block.around())) for name, value in block.parameters.items()}
            return bool(_worked_out(found, known))
        except (ExpressionError, KeyError, RecursionError) as bad:
            what = f"the parameter {bad} is not known here" if isinstance(bad, KeyError) else str(bad)
            self.say(f"in {text}: {what}.", line.token(text, index), "A condition speaks of parameters that stand above it.")
            return False

    def dot_card(self, line: Line, words: list[Token]) -> bool:
        head = words[0]
        if head.text == ".end":
            return False
        if head.text == ".control":
            self.in_control = True
            self.say("what stands in .control is for a simulator and is passed over.", head, severity="warning")
        elif head.text == ".model":
            self.model(words)
        elif head.text in (".param", ".params"):
            self.parameters(line, head)
        elif head.text in (".include", ".inc"):
            self.include(line, head)
        elif head.text == ".lib":
            self.library(line, words)
        elif head.text == ".subckt":
            self.open_subcircuit(words)
        elif head.text == ".ends":
            if self.block.parent is None:
                self.say("there is no .subckt for this .ends to close.", head)
            else:
                self.block = self.block.parent
        elif head.text == ".temp":
            self.temperature(words)
        elif head.text in (".option", ".options", ".opt"):
            self.options(words)
        elif head.text == ".global":
            self.everywhere |= {w.text for w in words[1:] if w.text not in "(),"}
        elif head.text in (".nodeset", ".ic"):
            self.stated(line, head)
        elif head.text == ".tran":
            self.from_stated |= any(w.text == "uic" for w in words)
        elif head.text not in (*IGNORED_CARDS, ".func"):
            self.say(f"'{head.text}' is not known and is passed over.", head, severity="warning", alters=True)
        return True

    def finish(self, name: str) -> None:
        if self.block.parent is not None and not self.overfull:
            self.problems.append(
                Problem(f"the subcircuit '{self.block.name}' is never closed.", "Add .ends.", file=name)
            )
        if self.choices and not self.overfull:
            self.problems.append(Problem("an .if is never closed.", "Add .endif.", file=name))
        if not self.overfull:
            self.valued_by_models()

    # -- dot cards --------------------------------------------------------------------------------------------

    def function(self, line: Line) -> None:
        """``.func f(x,y) {x*y}``."""
        text, index = line.behind(1)
        found = re.match(r"\s*([a-z_]\w*)\s*\(([^)]*)\)\s*=?\s*(.*)", text.lower(), re.DOTALL)
        at = line.token(text, index)
        if found is None:
            self.say("a .func needs a name, its values in brackets and what it comes to.", at, "For example: .func twice(x) {2*x}.")
            return
        names = tuple(n.strip() for n in found[2].split(",") if n.strip())
        try:
            body = parse_expression(found[3].strip().strip("{}'"), self.functions)
        except ExpressionError as bad:
            self.say(f"in {found[3]}: {bad}.", at)
            return
        if found[1] in self.functions and self.functions[found[1]] != Function(names, body):
            self.say(f"the function '{found[1]}' is defined twice.", at, "Keep one of them.")
        self.functions[found[1]] = Function(names, body)

    def parameters(self, line: Line, head: Token) -> None:
        """``.param a=1 b=a*2``: a value goes on to the next name, with or without braces."""
        text, index = line.behind(1)
        found = assigned(text)
        if not found and not text.strip():
            self.say("a .param without a name says nothing.", head, severity="warning")
        elif not found:
            self.say("a .param needs a name, = and a value.", head, "For example: .param gain={10}.")
        for name, value, at_name, at_value in found:
            if not value:
                self.say(f"a value is missing after '{name}'.", line.token(name, index + at_name))
                continue
            token = line.token(value.lower(), index + at_value)
            wrapped = value[0] in "{'\"" or re.fullmatch(r"[+-]?[\d.][\w.+-]*", value)
            self.block.parameters[name] = self.number(token if wrapped else replace(token, text=f"{{{value.lower()}}}"))

    def options(self, words: list[Token]) -> None:
        """Of all options two change the circuit: its temperature, and that at which parameters are stated."""
        for k, word in enumerate(words[:-2]):
            if word.text in ("temp", "tnom") and words[k + 1].text == "=":
                degrees = self.degrees_of(words[k + 2])
                if word.text == "temp":
                    self.degrees = degrees
                else:
                    self.nominal = degrees

    def stated(self, line: Line, head: Token) -> None:
        """``.ic v(a)=1`` and ``.nodeset v(a)=1``."""
        text, index = line.behind(1)
        kept = self.leads if head.text == ".nodeset" else self.holds
        found = list(HELD.finditer(text))
        if not found:
            self.say(f"'{head.text}' needs v(node)=volts.", head)
        for m in found:
            kept[m[1].lower()] = self.number(line.token(m[2].lower(), index + m.start(2)))

    def include(self, line: Line, head: Token) -> None:
        text, index = line.behind(1)
        if not text.strip():
            self.say("a file name is missing after .include.", head)
            return
        self.take_in(text.strip().strip("\"'{}").strip(), line.token(text, index), "")

    def library(self, line: Line, words: list[Token]) -> None:
        """``.lib file``, or ``.lib file section``. A section of this file is there for others, and is passed over."""
        text, index = line.behind(1)
        found = re.fullmatch(r"\s*(\"[^\"]*\"|'[^']*'|\S+)(?:\s+(\S+))?\s*", text)
        if found is None:
            self.say("a file name is missing after .lib.", words[0])
        else:
            self.take_in(found[1].strip("\"'"), line.token(text, index), (found[2] or "").lower())

    def take_in(self, wanted: str, at: Token, section: str) -> None:
        """Read another file here: of the kit's folder, else of the library."""
        wanted = wanted.lower()
        for folder in (self.folder, LIBRARY):
            found = _file_in(folder, wanted) if folder else None
            if found is None:
                continue
            if wanted in self.including and not section:
                self.say(f"'{wanted}' includes itself.", at)
                return
            text = _text_in(found)
            self.included += 1
            self.characters += len(text)
            if self.included > MOST_INCLUDED or self.characters > MOST_BYTES:
                self.stop(f"more than {MOST_INCLUDED} files or {MOST_BYTES // 1_000_000} MB are included.", at)
            elif len(self.including) >= DEEPEST[0]:
                self.stop(f"files include each other more than {DEEPEST[0]} deep.", at)
            elif folder == LIBRARY:
                self.define(library_file(found))
            else:
                first = 1
                if section:
                    cut = re.search(rf"^[ \t]*\.lib[ \t]+{re.escape(section)}[ \t]*$(.*?)^[ \t]*\.endl\b", text, re.M | re.S | re.I)
                    if cut is None:
                        self.say(f"there is no section '{section}' in '{wanted}'.", at, "Look for its .lib line.")
                        return
                    first, text = text.count("\n", 0, cut.start(1)) + 1, cut[1]
                self.including.append(wanted)
                self.read(text, found.name, first_line=first)
                self.including.pop()
            return
        self.say(
            f"'{wanted}' is neither in the kit folder nor in the library.",
            at,
            "Put the file itself beside the netlist, and name it alone: a path is not followed." if "/" in wanted or "\\" in wanted
            else "Put the file beside the netlist.",
        )

    def define(self, book: Block) -> None:
        """Take in what a file of the library defines, as if it were read here."""
        self.block.models |= book.models
        self.block.subcircuits |= {n: replace(b, parent=self.block) for n, b in book.subcircuits.items()}

    def only_one(self, what: str, name: Token) -> None:
        """A second definition of one name in one block is refused; a file that is read twice says the same thing twice."""
        key = (id(self.block), what, name.text)
        first = self.placed.setdefault(key, name)
        if (first.file, first.line) != (name.file, name.line):
            self.say(f"the {what} '{name.text}' is defined twice: in {first.file}, line {first.line}, too.", name, "Keep one of them.")

    def open_subcircuit(self, card: list[Token]) -> None:
        names = [t for t in card if t.text not in "(),"]
        if len(names) < 2:
            self.say("a .subckt needs a name.", card[0])
            return
        cut = next((i for i, t in enumerate(names) if t.text in ("=", "params:")), len(names))
        if cut < len(names) and names[cut].text == "=":
            cut -= 1
        ports = tuple(t.text for t in names[2:cut])
        if sum(1 for _ in self.block.around()) > DEEPEST[1]:
            self.stop(f"subcircuits stand in each other more than {DEEPEST[1]} deep.", card[0])
            return
        self.only_one("subcircuit", names[1])
        block = Block(names[1].text, ports, self.assignments(names[cut:]), parent=self.block)
        self.block.subcircuits[names[1].text] = block
        self.block = block

    def degrees_of(self, word: Token) -> float:
        degrees = self.number(word)
        if degrees.names:
            self.say("the temperature is a plain number in °C.", word, "Write .temp 50.")
            return 27.0
        found = float(degrees(lambda name: 27.0))
        if not COLDEST < found < HOTTEST:
            self.say(f"nothing works at {found:g} °C.", word, "Write .temp 50.")
        return found

    def temperature(self, card: list[Token]) -> None:
        words = [t for t in card[1:] if t.text != "="]
        if not words:
            self.say("a temperature in °C is missing after .temp.", card[0])
            return
        self.degrees = self.degrees_of(words[0])
        if len(words) > 1:
            self.say("only the first temperature counts; an ensemble takes the others.", words[1], severity="warning", alters=True)

    def model(self, card: list[Token]) -> None:
        card = [t for t in card if t.text not in "(),"]
        if len(card) < 3:
            self.say("a .model needs a name and a type.", card[0], "For example: .model bc549c npn(bf=520).")
            return
        name, kind = card[1], card[2]
        self.only_one("model", name)
        if kind.text not in KNOWN_PARAMETERS:
            not_read = Problem(f"models of type '{kind.text}' are not read yet.", f"Use {', '.join(KNOWN_PARAMETERS)}.", kind.file, kind.line, kind.column)
            self.block.models[name.text] = Model(name.text, kind.text, {}, (not_read,))
            return
        element = next(k for k, names in MODEL_TYPES.items() if kind.text in names)
        known, problems = KNOWN_PARAMETERS[kind.text], []
        parameters: dict[str, Expression] = {}
        settings, spare = self.settings(card[3:], FOR_PEOPLE)
        if kind.text == "vdmos":
            settings |= {t.text: (ONE, t) for t in spare if t.text in ("pchan", "nchan")}
            spare = [t for t in spare if t.text not in settings]
        for key, (expression, token) in settings.items():
            key = OF_DIODES.get(key, key) if element == "d" else key
            if key in known:
                key = ALIASES.get(key, key)
                parameters[OF_VERTICAL.get(key, key) if kind.text == "vdmos" else key] = expression
            elif key == "level":
                level = None if expression.names else float(expression(float))
                if level not in LEVELS[element] and LEVELS[element]:
                    problems.append(
                        Problem(f"level {level:g} of '{kind.text}' is not solved." if level is not None else "a level is a plain number.",
                                "Only level 1 is.", token.file, token.line, token.column)
                    )  # fmt: skip
            elif key not in FOR_PEOPLE:
                problems.append(
                    Problem(f"the parameter '{key}' is not known and is passed over.", "Take it out, or look for what else makes it so.",
                            token.file, token.line, token.column, severity="warning", alters=True)
                )  # fmt: skip
        for token in spare:
            problems.append(Problem(f"'{token.text}' should be followed by = and a value.", "Write name=value, or take it out.", token.file, token.line, token.column))
        self.block.models[name.text] = Model(name.text, kind.text, parameters, tuple(problems))


def _worked_out(expression: Expression, known: dict[str, Expression]) -> float:
    return float(expression(lambda name: _worked_out(known[name], known)))


def _file_in(folder: Path, wanted: str) -> Path | None:
    """The file named ``wanted`` directly in ``folder``, whatever its case; never one outside it, nor a link that leads there."""
    if not folder.is_dir():
        return None
    there = (p for p in folder.iterdir() if p.name.lower() == wanted and p.is_file())
    return next((p for p in there if p.resolve().parent == folder.resolve()), None)
