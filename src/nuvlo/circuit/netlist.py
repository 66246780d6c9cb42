"""Read a SPICE netlist into cards. Every mistake in the file is found in one pass and says where it is.

Grammar: the title line, then cards; ``*`` starts a comment line, ``;`` or `` $`` a trailing comment, ``+`` continues
the line above; case does not matter. Reference: the ngspice 39 manual, chapters 2 and 7.
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import cache
from pathlib import Path

from nuvlo.circuit.cards import Block, Card, Model, Netlist, Token
from nuvlo.circuit.expression import Expression, ExpressionError, constant, parse_expression
from nuvlo.circuit.models import ALIASES, KNOWN_PARAMETERS, MODEL_TYPES
from nuvlo.circuit.number import BadNumber, spice_number
from nuvlo.circuit.waveform import KINDS
from nuvlo.problems import NuvloError, Problem, Severity, errors
from nuvlo.progress import pause

LIBRARY = Path(__file__).parent / "library"
MOST_BYTES = 8_000_000  # of a netlist with all that it includes
MOST_INCLUDED, DEEPEST = 200, (20, 50)  # files; includes in includes, and subcircuits in subcircuits
LINES_TO_PAUSE = 256
COLDEST, HOTTEST = -200.0, 400.0  # °C
# Terminals of each element; X and Q take a variable number and are treated apart.
TERMINALS = {"r": 2, "c": 2, "l": 2, "v": 2, "i": 2, "d": 2, "e": 4, "g": 4, "f": 2, "h": 2, "j": 3, "m": 4, "k": 0}
CONTROLLED_BY = {"f": 1, "h": 1, "k": 2}  # how many other elements a card names
IGNORED_CARDS = {".options", ".option", ".op", ".ac", ".tran", ".noise", ".dc", ".print", ".plot", ".save", ".end"}
IGNORED_CARDS |= {".width", ".probe", ".meas", ".measure", ".global", ".title"}


class NetlistError(NuvloError):
    """The netlist cannot be used; ``problems`` has every finding of the pass."""


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
    return Netlist(reader.title.lstrip("* ").strip(), reader.top, tuple(reader.problems), reader.degrees)


@cache
def library_file(path: Path) -> Block:
    """What a file of the library defines. Each is read once: kits include the same ones again and again."""
    return parse_netlist(f"{path.name}\n{_text_in(path)}", path.name).top


_WORD = re.compile(r"\{[^}]*\}?|'[^']*'?|[^\s(),={}']+|=|[(),]")


class _Reader:
    def __init__(self, folder: Path | None) -> None:
        self.folder = folder
        self.title = ""
        self.problems: list[Problem] = []
        self.top = Block("")
        self.block = self.top
        self.including: list[str] = []
        self.included = self.characters = 0  # files and letters so far
        self.overfull = False
        self.in_control = False
        self.seen: set[tuple[int, str]] = set()
        self.degrees = 27.0

    # -- lines into cards -------------------------------------------------------------------------------------

    def read(self, text: str, name: str, first_line: int) -> None:
        card: list[Token] = []
        for number, raw in enumerate(text.split("\n"), first_line):
            if number % LINES_TO_PAUSE == 0:
                pause()
            if self.overfull:
                return
            line = _without_comment(raw)
            if not line.strip():
                continue
            indent = len(line) - len(line.lstrip())
            if line.lstrip().startswith("+"):
                if not card:
                    self.say("there is no line above for this '+' to continue.", Token("+", name, number, indent + 1))
                card += self.tokens(line[indent + 1 :], name, number, indent + 1)
                continue
            if card and not self.card(card):
                return
            card = self.tokens(line, name, number, 0)
        if card and not self.overfull:
            self.card(card)

    def tokens(self, line: str, name: str, number: int, offset: int) -> list[Token]:
        return [Token(m[0].lower(), name, number, m.start() + offset + 1) for m in _WORD.finditer(line)]

    def stop(self, message: str, at: Token) -> None:
        """Read no further: what is left would only say the same again."""
        if not self.overfull:
            self.say(message, at)
        self.overfull = True

    def say(self, message: str, at: Token, remedy: str = "", severity: Severity = "error") -> None:
        self.problems.append(Problem(message, remedy, at.file, at.line, at.column, severity=severity))

    def card(self, card: list[Token]) -> bool:
        """Take in one card; False at ``.end``."""
        head = card[0]
        if self.in_control:
            self.in_control = head.text != ".endc"
            return True
        if head.text.startswith("."):
            return self.dot_card(card)
        kind = head.text[0]
        if kind == "x":
            self.instance(card)
        elif kind == "b" or (kind in "eg" and any(t.text in ("value", "vol", "cur") for t in card[3:])):
            self.behavioural(card, 2)
        elif kind in TERMINALS or kind == "q":
            self.element(card)
        elif kind.isalpha():
            self.say(
                f"elements of kind '{kind.upper()}' are not read yet.", head, "Use R C L K V I E G F H B D Q J M or X."
            )
        else:
            self.say(f"'{head.text}' is not the name of an element.", head, "A name starts with a letter.")
        return True

    def dot_card(self, card: list[Token]) -> bool:
        head = card[0]
        if head.text == ".end":
            return False
        if head.text == ".control":
            self.in_control = True
            self.say("what stands in .control is for a simulator and is passed over.", head, severity="warning")
        elif head.text == ".model":
            self.model(card)
        elif head.text == ".param":
            self.block.parameters |= self.assignments(card[1:])
        elif head.text in (".include", ".inc"):
            self.include(card)
        elif head.text == ".subckt":
            self.open_subcircuit(card)
        elif head.text == ".ends":
            if self.block.parent is None:
                self.say("there is no .subckt for this .ends to close.", head)
            else:
                self.block = self.block.parent
        elif head.text == ".temp":
            self.temperature(card)
        elif head.text not in IGNORED_CARDS:
            self.say(f"'{head.text}' is not known and is passed over.", head, severity="warning")
        return True

    def finish(self, name: str) -> None:
        if self.block.parent is not None and not self.overfull:
            self.problems.append(
                Problem(f"the subcircuit '{self.block.name}' is never closed.", "Add .ends.", file=name)
            )

    # -- dot cards --------------------------------------------------------------------------------------------

    def include(self, card: list[Token]) -> None:
        if len(card) < 2:
            self.say("a file name is missing after .include.", card[0])
            return
        wanted = "".join(t.text for t in card[1:]).strip("\"'")
        for folder in (self.folder, LIBRARY):
            found = _file_in(folder, wanted) if folder else None
            if found is None:
                continue
            if wanted in self.including:
                self.say(f"'{wanted}' includes itself.", card[1])
                return
            text = _text_in(found)
            self.included += 1
            self.characters += len(text)
            if self.included > MOST_INCLUDED or self.characters > MOST_BYTES:
                self.stop(f"more than {MOST_INCLUDED} files or {MOST_BYTES // 1_000_000} MB are included.", card[1])
            elif len(self.including) >= DEEPEST[0]:
                self.stop(f"files include each other more than {DEEPEST[0]} deep.", card[1])
            elif folder == LIBRARY:
                self.define(library_file(found))
            else:
                self.including.append(wanted)
                self.read(text, found.name, first_line=1)
                self.including.pop()
            return
        self.say(
            f"'{wanted}' is neither in the kit folder nor in the library.",
            card[1],
            "Put the file beside the netlist; a path outside the folder is not followed.",
        )

    def define(self, book: Block) -> None:
        """Take in what a file of the library defines, as if it were read here."""
        self.block.models |= book.models
        self.block.subcircuits |= {n: replace(b, parent=self.block) for n, b in book.subcircuits.items()}

    def open_subcircuit(self, card: list[Token]) -> None:
        if len(card) < 3:
            self.say("a .subckt needs a name and at least one terminal.", card[0])
            return
        cut = next((i for i, t in enumerate(card) if t.text in ("=", "params:")), len(card))
        if cut < len(card) and card[cut].text == "=":
            cut -= 1
        ports = tuple(t.text for t in card[2:cut])
        if sum(1 for _ in self.block.around()) > DEEPEST[1]:
            self.stop(f"subcircuits stand in each other more than {DEEPEST[1]} deep.", card[0])
            return
        block = Block(card[1].text, ports, self.assignments(card[cut:]), parent=self.block)
        self.block.subcircuits[card[1].text] = block
        self.block = block

    def temperature(self, card: list[Token]) -> None:
        words = [t for t in card[1:] if t.text != "="]
        if not words:
            self.say("a temperature in °C is missing after .temp.", card[0])
            return
        degrees = self.number(words[0])
        if degrees.names:
            self.say("the temperature is a plain number in °C.", words[0], "Write .temp 50.")
            return
        self.degrees = degrees(lambda name: 27.0)
        if not COLDEST < self.degrees < HOTTEST:
            self.say(f"nothing works at {self.degrees:g} °C.", words[0], "Write .temp 50.")
        if len(words) > 1:
            self.say("only the first temperature counts; an ensemble takes the others.", words[1], severity="warning")

    def model(self, card: list[Token]) -> None:
        if len(card) < 3:
            self.say("a .model needs a name and a type.", card[0], "For example: .model bc549c npn(bf=520).")
            return
        name, kind = card[1].text, card[2]
        known = KNOWN_PARAMETERS.get(kind.text)
        if known is None:
            self.say(f"models of type '{kind.text}' are not read yet.", kind, f"Use {', '.join(KNOWN_PARAMETERS)}.")
            return
        parameters: dict[str, Expression] = {}
        for key, (expression, token) in self.assignments_with_tokens(card[3:]).items():
            if key in known:
                parameters[ALIASES.get(key, key)] = expression
            else:
                self.say(f"the parameter '{key}' is not known and is passed over.", token, severity="warning")
        self.block.models[name] = Model(name, kind.text, parameters)

    # -- elements ---------------------------------------------------------------------------------------------

    def new_name(self, head: Token) -> bool:
        key = (id(self.block), head.text)
        if key in self.seen:
            self.say(f"'{head.text}' is used twice.", head, "Give each element a name of its own.")
            return False
        self.seen.add(key)
        return True

    def element(self, card: list[Token]) -> None:
        head, kind = card[0], card[0].text[0]
        if not self.new_name(head):
            return
        words = [t for t in card[1:] if t.text not in "(),"]
        count = 3 if kind == "q" else TERMINALS[kind]
        if len(words) < count + 1:
            what = "and a model" if kind in MODEL_TYPES and kind != "r" else "and a value"
            self.say(f"'{head.text}' needs {count} nodes {what}.", words[-1] if words else head)
            return
        nodes = tuple(t.text for t in words[:count])
        rest = words[count:]
        parameters: dict[str, Expression] = {}
        model = None
        controls: tuple[str, ...] = ()
        waveform: tuple[str, tuple[Expression, ...]] | None = None
        if kind in CONTROLLED_BY:
            cut = CONTROLLED_BY[kind]
            if len(rest) <= cut:
                self.say(f"'{head.text}' needs the name of {cut} other element(s) and a value.", head)
                return
            controls = tuple(t.text for t in rest[:cut])
            parameters["value"] = self.number(rest[cut])
        elif kind in MODEL_TYPES and kind != "r":
            substrate = len(rest) > 1 and not _starts_number(rest[1].text) and (len(rest) < 3 or rest[2].text != "=")
            if kind == "q" and substrate:
                rest = rest[1:]  # a substrate node, which the models here do not use
            model = rest[0].text
            if len(rest) == 2:
                parameters["area"] = self.number(rest[1])
            elif len(rest) > 2:
                parameters |= self.assignments(rest[1:])
        elif kind in "vi":
            parameters, waveform = self.source(rest, head)
        else:
            parameters["value"] = self.number(rest[0])
            self.warn_of_small_megohm(kind, rest[0])
            if kind == "r" and len(rest) > 1 and (len(rest) < 3 or rest[2].text != "="):
                model, rest = rest[1].text, rest[1:]
            parameters |= self.assignments(rest[1:])
        self.block.cards.append(Card(head.text, kind, nodes, parameters, model, head, controls, waveform))

    def warn_of_small_megohm(self, kind: str, token: Token) -> None:
        text = token.text
        if kind == "r" and text[-1:] == "m" and _starts_number(text):
            self.say(f"'{text}' is milliohms to SPICE, whose M is milli.", token, "Write meg for mega.", "warning")

    def behavioural(self, card: list[Token], terminals: int) -> None:
        """``b1 a b v={…}`` or ``i={…}``; E and G with ``value``, ``vol`` or ``cur`` are the same by another name."""
        head = card[0]
        if not self.new_name(head):
            return
        words = [t for k, t in enumerate(card) if k > terminals or t.text not in "(),"]
        nodes = tuple(t.text for t in words[1 : 1 + terminals])
        rest = words[1 + terminals :]
        if len(rest) > 1 and rest[1].text != "=":
            rest.insert(1, Token("=", rest[0].file, rest[0].line, rest[0].column))
        if len(nodes) < terminals or len(rest) < 3 or rest[0].text not in ("v", "i", "value", "vol", "cur"):
            self.say(f"'{head.text}' needs {terminals} nodes and v={{…}} or i={{…}}.", rest[0] if rest else head)
            return
        gives_volts = rest[0].text in ("v", "vol") or (rest[0].text == "value" and head.text[0] == "e")
        text = ""
        for token in rest[2:]:  # an expression outside braces was cut into words: join them again
            text += ("" if text[-1:] in "<>!=" and token.text == "=" else " ") + token.text.strip("{}'")
        try:
            expression = parse_expression(text.strip())
        except ExpressionError as bad:
            self.say(f"in {text.strip()}: {bad}.", rest[2])
            return
        parameters = {"value": expression}
        self.block.cards.append(Card(head.text, "b", nodes, parameters, "volts" if gives_volts else "amps", head))

    def source(
        self, words: list[Token], head: Token
    ) -> tuple[dict[str, Expression], tuple[str, tuple[Expression, ...]] | None]:
        """Values at d.c. and a.c., and the course over time, if any; without ``dc`` its first value counts there."""
        out: dict[str, Expression] = {"ac": constant(0.0), "acphase": constant(0.0)}
        waveform = None
        at = 0
        if words and _is_value(words[0]):
            out["dc"] = self.number(words[0])
            at = 1
        while at < len(words):
            word = words[at]
            end = at + 1
            while end < len(words) and _is_value(words[end]):
                end += 1
            values = words[at + 1 : end]
            if word.text in KINDS:
                fewest, most = KINDS[word.text]
                if not fewest <= len(values) <= most:
                    self.say(f"'{word.text}' takes {fewest} to {most} values, not {len(values)}.", word)
                waveform = (word.text, tuple(self.number(v) for v in values))
            elif word.text == "dc" and values:
                out["dc"] = self.number(values[0])
            elif word.text == "ac":
                out["ac"] = self.number(values[0]) if values else constant(1.0)
                if len(values) > 1:
                    out["acphase"] = self.number(values[1])
            elif word.text == "dc":
                self.say("a value is missing after 'dc'.", word)
            else:
                self.say(f"'{word.text}' is not expected in a source.", word, "Write dc VALUE ac VALUE, or sin(…).")
                break
            at = end
        if "dc" not in out:
            first = {"pwl": 1}.get(waveform[0], 0) if waveform else 0
            values_given = waveform[1] if waveform else ()
            out["dc"] = values_given[first] if len(values_given) > first else constant(0.0)
        return out, waveform

    def instance(self, card: list[Token]) -> None:
        head = card[0]
        if not self.new_name(head):
            return
        words = [t for t in card[1:] if t.text not in "(),"]
        cut = next((i for i, t in enumerate(words) if t.text == "="), len(words) + 1) - 1
        names = [t for t in words[:cut] if t.text != "params:"]
        if len(names) < 2:
            self.say(f"'{head.text}' needs nodes and the name of a subcircuit.", head)
            return
        parameters = self.assignments(words[cut:])
        nodes = tuple(t.text for t in names[:-1])
        self.block.cards.append(Card(head.text, "x", nodes, parameters, names[-1].text, head))

    # -- values -----------------------------------------------------------------------------------------------

    def assignments(self, tokens: list[Token]) -> dict[str, Expression]:
        return {k: e for k, (e, _) in self.assignments_with_tokens(tokens).items()}

    def assignments_with_tokens(self, tokens: list[Token]) -> dict[str, tuple[Expression, Token]]:
        words = [t for t in tokens if t.text not in ("(", ")", ",", "params:")]
        out: dict[str, tuple[Expression, Token]] = {}
        at = 0
        while at < len(words):
            if at + 2 >= len(words) or words[at + 1].text != "=":
                self.say(f"'{words[at].text}' should be followed by = and a value.", words[at])
                break
            out[words[at].text] = (self.number(words[at + 2]), words[at])
            at += 3
        return out

    def number(self, token: Token) -> Expression:
        text = token.text
        try:
            if text[0] in "{'":
                if len(text) < 2 or text[-1] != {"{": "}", "'": "'"}[text[0]]:
                    raise ExpressionError("the closing brace is missing", 1)
                return parse_expression(text[1:-1])
            return constant(spice_number(text))
        except BadNumber as bad:
            self.say(f"{bad}.", token, "Numbers look like 4.7k, 100n or 1meg.")
        except ExpressionError as bad:
            self.say(f"in {text}: {bad}.", Token(text, token.file, token.line, token.column + bad.column))
        return constant(1.0)


def _without_comment(line: str) -> str:
    if line.lstrip().startswith("*"):
        return ""
    cut = re.search(r";|(?<=\s)\$|(?<=\s)//", line)
    return line[: cut.start()] if cut else line


def _is_value(token: Token) -> bool:
    return _starts_number(token.text) or token.text[0] in "{'"


def _starts_number(text: str) -> bool:
    return bool(re.match(r"[+-]?\.?[0-9]", text))


def _file_in(folder: Path, wanted: str) -> Path | None:
    """The file named ``wanted`` directly in ``folder``, whatever its case; never one outside it, nor a link that leads there."""
    if not folder.is_dir():
        return None
    there = (p for p in folder.iterdir() if p.name.lower() == wanted and p.is_file())
    return next((p for p in there if p.resolve().parent == folder.resolve()), None)
