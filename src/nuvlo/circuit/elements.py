"""Lines of elements into cards: every habit of writing them that is common, and every word of them accounted for.

What SPICE has as a habit of its own (polynomials, tables, a resistance that depends on a voltage, a derivative over time) becomes a B
source here, or an element or two more, so that the solver knows few kinds. Reference: the ngspice 39 manual, chapters 3 to 5.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from itertools import combinations_with_replacement

from nuvlo.circuit.cards import Block, Card, Token
from nuvlo.circuit.expression import (
    Expression,
    ExpressionError,
    Function,
    constant,
    joined,
    parse_expression,
    sensed,
)
from nuvlo.circuit.lines import Line
from nuvlo.circuit.models import MODEL_TYPES, sheet_value
from nuvlo.circuit.number import BadNumber, spice_number
from nuvlo.circuit.over_time import ONE, OverTime
from nuvlo.circuit.waveform import KINDS, at_rest
from nuvlo.problems import Severity

# Terminals of each element; X takes a variable number and is treated apart.
TERMINALS = {"r": 2, "c": 2, "l": 2, "v": 2, "i": 2, "d": 2, "e": 2, "g": 2, "f": 2, "h": 2, "j": 3, "m": 4, "q": 3, "k": 0, "b": 2, "s": 4, "w": 2, "t": 4}
WARM = ("temp", "dtemp")
OF_PASSIVES = {
    "r": frozenset({"ac", "noisy", "m", "tc1", "tc2", "scale", "l", "w", *WARM}), "c": frozenset({"m", "tc1", "tc2", "scale", "ic", "l", "w", *WARM}),
    "l": frozenset({"m", "tc1", "tc2", "scale", "ic", *WARM}),
}  # fmt: skip
OF_DEVICES = {
    "d": frozenset({"area", "m", "ic", *WARM}), "q": frozenset({"area", "m", "ic", *WARM}), "j": frozenset({"area", "m", "ic", *WARM}),
    "m": frozenset({"l", "w", "m", "nrd", "nrs", "ic", *WARM}), "s": frozenset({"m"}), "w": frozenset({"m"}),
}  # fmt: skip
STARTS = {"q": 2, "j": 2, "m": 3}  # values that ``ic=`` has
UNITS = re.compile(r"(?:meg|[tgkmunpf])?(?:ohms?|volts?|amps?|farads?|henr(?:y|ies)|hz|v|a|f|h|w|s|deg|degrees)")
HOLDS_NOTHING = ("off", "on")  # where a search begins, not what is found
Settings = dict[str, tuple[Expression, Token]]


class ElementReader(OverTime, ABC):
    """Reads the lines of elements into cards of ``block``."""

    def __init__(self) -> None:
        self.functions: dict[str, Function] = {}
        self.seen: set[tuple[int, str]] = set()
        self.by_model: list[tuple[Block, Token, str, list[str], str, dict[str, Expression]]] = []
        self.units: list[tuple[Block, Token]] = []  # words behind a value that name a model, or are its unit

    @abstractmethod
    def say(self, message: str, at: Token, remedy: str = "", severity: Severity = "error", *, alters: bool = False) -> None:
        """Keep a finding."""

    def element(self, line: Line, words: list[Token]) -> None:
        """Take in one line."""
        head, kind = words[0], words[0].text[0]
        if not kind.isalpha():
            self.say(f"'{head.text}' is not the name of an element.", head, "A name starts with a letter.")
        elif kind != "x" and kind not in TERMINALS:
            self.say(f"elements of kind '{kind.upper()}' are not read yet.", head, "Use R C L K V I E G F H B D Q J M S T W or X.")
        elif self.new_name(head):
            self.read_element(line, words, head, kind)

    def read_element(self, line: Line, words: list[Token], head: Token, kind: str) -> None:
        if kind == "x":
            self.instance(words)
            return
        terminals = TERMINALS[kind]
        nodes, rest = cut_nodes(words[1:], terminals)
        if kind == "m" and len(nodes) == terminals and not self.model_named(rest):  # a vertical transistor has three
            terminals = 3
            nodes, rest = cut_nodes(words[1:], terminals)
        if len(nodes) < terminals or (not rest and kind != "v"):
            what = "and a model" if kind in MODEL_TYPES and kind not in "rc" else "and a value"
            at = next((t for t in reversed(words) if t.text not in "(),"), head)
            self.say(f"'{head.text}' needs {TERMINALS[kind]} nodes {what}.", at if len(words) > 1 else head)
        elif kind == "b" or (kind in "eg" and rest[0].text in ("value", "vol", "cur")):
            self.behavioural(line, nodes, rest, head)
        elif kind in "eg":
            self.controlled(line, nodes, rest, head)
        elif kind in "fh":
            self.by_current(nodes, rest, head)
        elif kind == "k":
            self.coupling(rest, head)
        elif kind in "vi":
            self.source(nodes, rest, head)
        elif kind in "rcl":
            self.passive(nodes, rest, head)
        elif kind in "sw":
            self.switch(nodes, rest, head)
        elif kind == "t":
            self.transmission_line(nodes, rest, head)
        else:
            self.device(nodes, rest, head)

    def new_name(self, head: Token) -> bool:
        key = (id(self.block), head.text)
        if key in self.seen:
            self.say(f"'{head.text}' is used twice.", head, "Give each element a name of its own.")
            return False
        self.seen.add(key)
        return True

    def keep(self, head: Token, kind: str, nodes: Iterable[str], parameters: dict[str, Expression], model: str | None = None,
             controls: tuple[str, ...] = (), waveform: tuple[str, tuple[Expression, ...]] | None = None) -> None:  # fmt: skip
        self.block.cards.append(Card(head.text, kind, tuple(nodes), parameters, model, head, controls, waveform))

    # -- passive ones -----------------------------------------------------------------------------------------

    def passive(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``r1 a b 1k tc=0.01``, ``r1 a b model 1k``, ``c1 a b c=10n``, ``r1 a b r={1k*(1+v(c))}``."""
        kind, model, value = head.text[0], None, None
        unit: Token | None = None  # what may be one, or the name of a model
        settings, spare = self.settings(rest)
        for token in spare:
            if _is_value(token) and value is None:
                value = self.number(token, sensing=True)
                self.warn_of_small_megohm(kind, token)
            elif not _is_value(token) and model is None and kind in "rc":
                model = token.text
                unit = token if value is not None and UNITS.fullmatch(token.text) else None
            elif UNITS.fullmatch(token.text):
                self.unit_apart(token)
            else:
                self.number(token) if not _is_value(token) and model is None else self.unexpected(token)
        for name in (kind, {"r": "resistance", "c": "capacitance", "l": "inductance"}[kind]):
            if name in settings and value is None:
                value = settings.pop(name)[0]
        parameters = {name: found for name, (found, _) in settings.items() if name in OF_PASSIVES[kind]}
        self.pass_over(settings, OF_PASSIVES[kind], head)
        if value is None and model is not None:
            self.by_model.append((self.block, head, kind, nodes, model, parameters))
            return
        if value is None:
            self.say(f"'{head.text}' needs 2 nodes and a value.", rest[-1])
            return
        if unit is not None:
            self.units.append((self.block, unit))
        self.keep_passive(head, kind, nodes, value, parameters, model)

    def keep_passive(self, head: Token, kind: str, nodes: list[str], value: Expression, parameters: dict[str, Expression], model: str | None) -> None:
        for name in ("l", "w") if kind in "rc" else ():
            parameters.pop(name, None)
        many, scale = parameters.pop("m", None), parameters.pop("scale", None)
        if scale is not None:
            value = joined("*", value, scale)
        if many is not None:
            value = joined("*" if kind == "c" else "/", value, many)
        if not value.senses:
            self.keep(head, kind, nodes, {"value": value} | parameters, model)
            return
        if parameters or model:
            self.say(f"'{head.text}' depends on a voltage: nothing else can be said of it.", head, "Put the rest into its expression.")
        across = sensed("v", *nodes)
        if kind == "r":
            self.keep(head, "b", nodes, {"value": joined("/", across, value)}, "amps")
        elif kind == "c":
            current = joined("*", value, self.over_time(across, head))
            self.keep(head, "b", nodes, {"value": current}, "amps")
        else:
            self.say("an inductance that depends on a voltage or current is not solved.", head, "Give a number.")

    def valued_by_models(self) -> None:
        """Passive elements whose value is their model's, once all models are read: of sheets, by length and width (ngspice 39 manual,
        3.2.3 and 3.2.7)."""
        for block, head, kind, nodes, name, parameters in self.by_model:
            model = block.find_model(name)
            if model is None:
                self.say(f"the model '{name}' is not defined, and there is no value.", head, f"Add .model {name} {kind}(…), or write a value.")
                continue
            value = sheet_value(kind, model.parameters, parameters)
            if value is None:
                what = "rsh= with l= here, or r=" if kind == "r" else "cj= with l= here, or cap="
                self.say(f"'{head.text}' has no value, and its model '{name}' gives none.", head, f"Write one; a model gives it by {what}.")
                continue
            self.block = block
            self.keep_passive(head, kind, nodes, value, parameters, name)
        for block, token in self.units:
            if block.find_model(token.text) is None:
                self.unit_apart(token)

    def warn_of_small_megohm(self, kind: str, token: Token) -> None:
        if kind == "r" and re.fullmatch(r"[+-]?[\d.]+(?:e[+-]?\d+)?M", token.written):
            self.say(f"'{token.written}' is milliohms to SPICE, whose M is milli.", token, "Write meg for mega, or m.", "warning")

    def coupling(self, rest: list[Token], head: Token) -> None:
        words = [t for t in rest if t.text != "="]
        if len(words) < 3:
            self.say(f"'{head.text}' needs the name of 2 other element(s) and a value.", head)
            return
        names, value = words[:-1], words[-1]
        for k, (a, b) in enumerate((a, b) for n, b in enumerate(names) for a in names[:n]):
            own = head if k == 0 else Token(f"{head.text}#{k}", head.file, head.line, head.column)
            self.keep(own, "k", (), {"value": self.number(value)}, None, (a.text, b.text))

    # -- sources ----------------------------------------------------------------------------------------------

    def source(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """Values at d.c. and a.c., and the course over time, if any; without ``dc`` its value at the start counts there."""
        out: dict[str, Expression] = {"ac": constant(0.0), "acphase": constant(0.0)}
        waveform: tuple[str, tuple[Expression, ...]] | None = None
        words, many = [t for t in rest if t.text not in "(),="], ONE
        at = 0
        if words and _is_value(words[0]):
            out["dc"] = self.number(words[0])
            at = 1
        while at < len(words):
            word, end = words[at], at + 1
            while end < len(words) and _is_value(words[end]):
                end += 1
            values = words[at + 1 : end]
            if word.text in KINDS:
                fewest, most = KINDS[word.text]
                if word.text == "pulse" and len(values) == 8:
                    self.say("the 8th value of a pulse, how many there are, is not read.", values[7], "Leave it out, and end the course before the next pulse.")
                    return
                if not fewest <= len(values) <= most or (word.text == "pwl" and len(values) % 2):
                    self.say(f"'{word.text}' takes {fewest} to {most} values, not {len(values)}.", word)
                    return
                waveform = (word.text, tuple(self.number(v) for v in values))
            elif word.text == "dc" and len(values) == 1:
                out["dc"] = self.number(values[0])
            elif word.text == "dc":
                self.say("a value is missing after 'dc'." if not values else "there is more than one value after 'dc'.", word)
                return
            elif word.text == "ac" and len(values) <= 2:
                out["ac"] = self.number(values[0]) if values else constant(1.0)
                if len(values) > 1:
                    out["acphase"] = self.number(values[1])
            elif word.text == "m" and len(values) == 1 and head.text[0] == "i":
                many = self.number(values[0])
            elif word.text in ("r", "td") and waveform and waveform[0] == "pwl":
                self.say(f"'{word.text}=' of a pwl is not read.", word, "Write out the points of each period, or use pulse.")
                return
            elif UNITS.fullmatch(word.text):
                self.unit_apart(word)
                return
            else:
                self.say(f"'{word.text}' is not expected in a source.", word, "Write dc VALUE ac VALUE, or sin(…).")
                return
            at = end
        if "dc" not in out:
            out["dc"] = at_rest(*waveform) if waveform else constant(0.0)
        if many is not ONE:
            if waveform:
                self.say("m= of a source with a course is not read.", head, "Put it into its values.")
            out |= {name: joined("*", out[name], many) for name in ("dc", "ac")}
        self.keep(head, head.text[0], nodes, out, None, (), waveform)

    def behavioural(self, line: Line, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``b1 a b v={…}`` or ``i={…}``; E and G with ``value``, ``vol`` or ``cur`` are the same by another name."""
        word = rest[0]
        if word.text not in ("v", "i", "value", "vol", "cur") or len(rest) < 2:
            self.say(f"'{head.text}' needs 2 nodes and v={{…}} or i={{…}}.", word)
            return
        gives_volts = word.text in ("v", "vol") or (word.text == "value" and head.text[0] == "e")
        text = line.text[word.index + len(word.written) :]
        start = word.index + len(word.written) + len(text) - len(text.lstrip(" \t="))
        text = line.text[start:].rstrip()
        if text[:1] in "{'\"":
            close = _closed_at(text)
            if close < 0:
                self.say(f"in {text}: the closing brace is missing.", line.token(text, start))
                return
            text, behind = text[1:close], [t for t in rest if t.index > start + close]
        else:
            behind = []
        expression = self.parsed(text.lower(), line.token(text, start), head)
        if expression is None:
            return
        settings, spare = self.settings(behind)
        if (many := settings.pop("m", None)) is not None and not gives_volts:
            expression = joined("*", expression, many[0])
        self.pass_over(settings, frozenset(), head)
        for token in spare:
            self.unexpected(token)
        self.keep(head, "b", nodes, {"value": expression}, "volts" if gives_volts else "amps")

    def controlled(self, line: Line, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``e1 a b c d 10``, and polynomials and tables of voltages."""
        volts = head.text[0] == "e"
        if rest[0].text == "poly":
            count, words = self.dimensions(rest[1:], head)
            if count:
                across, words = cut_nodes(words, 2 * count)
                self.polynomial(head, nodes, [sensed("v", *across[k : k + 2]) for k in range(0, 2 * count, 2)], words, volts)
            return
        if rest[0].text == "table":
            self.table(line, nodes, rest, head, volts)
            return
        across, words = cut_nodes(rest, 2)
        settings, spare = self.settings(words)
        many = settings.pop("m", None)
        self.pass_over(settings, frozenset(), head)
        if len(across) < 2 or not spare:
            self.say(f"'{head.text}' needs 4 nodes and a value.", (spare or rest)[-1])
            return
        gain = self.number(spare[0])
        for token in spare[1:]:
            self.unexpected(token)
        if many is not None and not volts:
            gain = joined("*", gain, many[0])
        self.keep(head, head.text[0], [*nodes, *across], {"value": gain})

    def by_current(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``f1 a b v1 10``, and polynomials of currents."""
        if rest[0].text == "poly":
            count, words = self.dimensions(rest[1:], head)
            names = [t for t in words if t.text not in "(),"]
            if count:
                self.polynomial(head, nodes, [sensed("i", t.text) for t in names[:count]], names[count:], head.text[0] == "h")
            return
        settings, spare = self.settings(rest[1:])
        many = settings.pop("m", None)
        self.pass_over(settings, frozenset(), head)
        if not spare:
            self.say(f"'{head.text}' needs the name of 1 other element(s) and a value.", head)
            return
        gain = self.number(spare[0])
        for token in spare[1:]:
            self.unexpected(token)
        if many is not None and head.text[0] == "f":
            gain = joined("*", gain, many[0])
        self.keep(head, head.text[0], nodes, {"value": gain}, None, (re.sub(r"^[a-z]\.(?=x)", "", rest[0].text),))

    def dimensions(self, words: list[Token], head: Token) -> tuple[int, list[Token]]:
        """How many inputs ``poly(2)`` has, and what is behind it; 0 where it does not say."""
        at = [k for k, t in enumerate(words) if t.text not in "()"]
        if not at or not words[at[0]].text.isdigit() or not 1 <= int(words[at[0]].text) <= 20:
            self.say("poly needs the number of its inputs.", head, "For example: poly(2).")
            return 0, []
        behind = at[0] + 1 + (at[0] + 1 < len(words) and words[at[0] + 1].text == ")")
        return int(words[at[0]].text), words[behind:]

    def polynomial(self, head: Token, nodes: list[str], inputs: Sequence[Expression], words: Sequence[Token], volts: bool) -> None:
        """Coefficients in SPICE's order: 1; x, y; x², xy, y²; x³ … A single one is that of x."""
        spare = [t for t in words if t.text not in "(),"]
        bad = next((t for t in spare if not _is_value(t)), None)
        if bad is not None or not spare or not inputs:
            self.say(f"'{head.text}' needs the coefficients of its polynomial.", bad or head)
            return
        coefficients = [self.number(t) for t in spare]
        if len(coefficients) == 1 and len(inputs) == 1:
            coefficients.insert(0, constant(0.0))
        total, degree, at = coefficients[0], 1, 1
        while at < len(coefficients):
            for chosen in combinations_with_replacement(range(len(inputs)), degree):
                if at >= len(coefficients):
                    break
                term = coefficients[at]
                for k in chosen:
                    term = joined("*", term, inputs[k])
                total, at = joined("+", total, term), at + 1
            degree += 1
        self.keep(head, "b", nodes, {"value": total}, "volts" if volts else "amps")

    def table(self, line: Line, nodes: list[str], rest: list[Token], head: Token, volts: bool) -> None:
        """``table {v(a)} = (0,0) (2,4)``."""
        text = line.text[rest[0].index + 5 :]
        found = re.fullmatch(r"\s*=?\s*(\{[^}]*\}|\([^=]*\)|[^={(]+)\s*=\s*(.+)", text, re.DOTALL)
        numbers = re.findall(r"[^\s(),]+", found[2]) if found else []
        if found is None or len(numbers) < 4 or len(numbers) % 2:
            self.say(f"'{head.text}' needs table {{expression}} = (x,y) (x,y) and so on.", rest[0])
            return
        body = found[1].strip().strip("{}").lower()
        expression = self.parsed(f"table({body},{','.join(n.lower() for n in numbers)})", rest[0], head)
        if expression is not None:
            self.keep(head, "b", nodes, {"value": expression}, "volts" if volts else "amps")

    # -- semiconductors ---------------------------------------------------------------------------------------

    def device(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``d1 a c model 2 off``, ``q1 c b e s model m=2``, ``m1 d g s b model l=2u w=20u``."""
        kind = head.text[0]
        settings, spare = self.settings(rest, starts=STARTS.get(kind, 1))
        if kind == "q" and len(spare) > 1 and (spare[0].text[0] == "[" or (not _is_number(spare[1]) and spare[1].text not in HOLDS_NOTHING)):
            nodes, spare = [*nodes, spare[0].text.strip("[]")], spare[1:]
        if not spare:
            self.say(f"'{head.text}' needs {len(nodes)} nodes and a model.", head)
            return
        model, area = spare[0].text, None
        for token in spare[1:]:
            if token.text in HOLDS_NOTHING:
                continue
            if _is_value(token) and area is None and kind in "dqj":
                area = self.number(token)
            else:
                self.unexpected(token)
        parameters = {name: found for name, (found, _) in settings.items() if name in OF_DEVICES[kind] and name != "ic"}
        self.pass_over(settings, OF_DEVICES[kind], head)
        if "ic" in settings:
            self.say(f"'ic' of '{head.text}' is passed over.", settings["ic"][1], "With uic, state it of nodes and capacitors.", "warning")
        if kind in "dqj":
            area = parameters.pop("area", area)
            many = parameters.pop("m", None)
            if many is not None:
                area = joined("*", area, many) if area is not None else many
            if area is not None:
                parameters["area"] = area
        self.keep(head, kind, nodes, parameters, model)

    def switch(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``s1 a b c d model`` by a voltage, ``w1 a b vsource model`` by a current."""
        settings, spare = self.settings(rest)
        spare = [t for t in spare if t.text not in HOLDS_NOTHING]
        wanted = 2 if head.text[0] == "w" else 1
        if len(spare) < wanted:
            self.say(f"'{head.text}' needs {'the name of a source' if wanted == 2 else '4 nodes'} and a model.", head)
            return
        for token in spare[wanted:]:
            self.unexpected(token)
        self.pass_over(settings, OF_DEVICES[head.text[0]], head)
        seen = sensed("i", spare[0].text) if wanted == 2 else sensed("v", *nodes[2:])
        parameters = {"value": seen} | {name: found for name, (found, _) in settings.items() if name == "m"}
        self.keep(head, head.text[0], nodes[:2], parameters, spare[wanted - 1].text)

    @staticmethod
    def model_named(rest: Sequence[Token]) -> bool:
        """Whether what follows the nodes begins with a name, and not with ``name=value``."""
        return bool(rest) and not (len(rest) > 1 and rest[1].text == "=")

    def transmission_line(self, nodes: list[str], rest: list[Token], head: Token) -> None:
        """``t1 a b c d z0=50 td=10n``, or its delay as ``f=1meg nl=0.25`` wavelengths."""
        settings, spare = self.settings(rest)
        for token in spare:
            self.unexpected(token)
        given = {name: found for name, (found, _) in settings.items()}
        if "td" not in given and "f" in given:
            given["td"] = joined("/", given.get("nl", constant(0.25)), given["f"])
        if "z0" not in given or "td" not in given:
            self.say(f"'{head.text}' needs 4 nodes, z0= and td=.", head, "For example: t1 a 0 b 0 z0=50 td=10n.")
            return
        self.pass_over(settings, frozenset({"z0", "td", "f", "nl"}), head)
        self.say(f"'{head.text}' is solved as 32 sections: edges faster than a tenth of its delay ring.", head, "Build it of more sections where that matters.", "warning")
        self.keep(head, "x", nodes, {"z0": given["z0"], "td": given["td"]}, "transmission_line")

    def instance(self, words: list[Token]) -> None:
        head = words[0]
        cut = next((i for i, t in enumerate(words) if t.text in ("=", "params:")), len(words) + 1)
        cut -= cut <= len(words) and words[cut].text == "=" if cut < len(words) else 1
        names, _ = cut_nodes(words[1:cut], len(words))
        if not names:
            self.say(f"'{head.text}' needs nodes and the name of a subcircuit.", head)
            return
        parameters = self.assignments(words[cut:])
        self.keep(head, "x", names[:-1], parameters, names[-1])

    # -- values -----------------------------------------------------------------------------------------------

    def settings(self, words: Sequence[Token], unread: frozenset[str] = frozenset(), starts: int = 1) -> tuple[Settings, list[Token]]:
        """``name=value`` pairs, and the words that are none; ``tc=1,2`` are two, and so many as ``starts`` are of ``ic=``. Of those
        ``unread`` the value is no number."""
        out: Settings = {}
        spare: list[Token] = []
        words = [t for t in words if t.text not in ("(", ")", "params:")]
        at = 0
        while at < len(words):
            word = words[at]
            if word.text == ",":
                at += 1
            elif at + 1 < len(words) and words[at + 1].text == "=":
                if at + 2 >= len(words):
                    self.say(f"'{word.text}' should be followed by = and a value.", word)
                    break
                name = "tc1" if word.text == "tc" else word.text
                if name in out:
                    self.say(f"'{word.text}' is given twice.", word)
                out[name] = (ONE if name in unread else self.number(words[at + 2], sensing=name in ("r", "c", "l")), word)
                at += 3
                for _ in range({"tc": 2, "ic": starts}.get(word.text, 1) - 1):
                    behind = at + (at < len(words) and words[at].text == ",")
                    if behind >= len(words) or not _is_value(words[behind]):
                        break
                    if word.text == "tc":
                        out["tc2"] = (self.number(words[behind]), word)
                    at = behind + 1
            else:
                spare.append(word)
                at += 1
        return out, spare

    def assignments(self, words: Sequence[Token]) -> dict[str, Expression]:
        """``name=value`` pairs, and nothing else."""
        found, spare = self.settings(words)
        for token in spare:
            self.say(f"'{token.text}' should be followed by = and a value.", token)
        return {name: expression for name, (expression, _) in found.items()}

    def pass_over(self, settings: Settings, known: frozenset[str], head: Token) -> None:
        """Warn of what is not known of this kind of element."""
        for name, (_, token) in settings.items():
            if name not in known:
                self.say(f"'{name}' is not known of '{head.text}' and is passed over.", token, "Mend the word, or build it from an element of its own.",
                         "warning", alters=True)  # fmt: skip

    def unit_apart(self, word: Token) -> None:
        self.say(f"'{word.text}' is a unit that stands apart from its value.", word, "Join the two, or leave the unit out: 5V, 10u, 1k.")

    def unexpected(self, token: Token) -> None:
        if UNITS.fullmatch(token.text):
            self.unit_apart(token)
            return
        self.say(f"'{token.text}' is not expected here.", token, "Take it out, or write name=value.")

    def number(self, token: Token, *, sensing: bool = False) -> Expression:
        text = token.text
        try:
            if text[0] in "{'\"":
                if len(text) < 2 or text[-1] != {"{": "}", "'": "'", '"': '"'}[text[0]]:
                    raise ExpressionError("the closing brace is missing", 1)
                found = parse_expression(text[1:-1], self.functions)
                if found.senses and not sensing:
                    raise ExpressionError("what stands here cannot depend on a voltage or a current", 1)
                return found
            return constant(spice_number(text))
        except BadNumber as bad:
            self.say(f"{bad}.", token, "Numbers look like 4.7k, 100n or 1meg.")
        except ExpressionError as bad:
            self.say(f"in {text}: {bad}.", Token(text, token.file, token.line, token.column + bad.column))
        return ONE

    def parsed(self, text: str, at: Token, head: Token) -> Expression | None:
        """An expression that may speak of voltages, currents and their derivatives over time."""
        try:
            found = parse_expression(text.strip(), self.functions)
        except ExpressionError as bad:
            self.say(f"in {text.strip()}: {bad}.", at)
            return None
        return self.without_derivatives(found, head)


def _closed_at(text: str) -> int:
    """Where the quote or brace that begins ``text`` is closed; −1 where it is not."""
    if text[0] != "{":
        return text.find(text[0], 1)
    depth = 0
    for k, letter in enumerate(text):
        depth += {"{": 1, "}": -1}.get(letter, 0)
        if not depth:
            return k
    return -1


def cut_nodes(words: Sequence[Token], count: int) -> tuple[list[str], list[Token]]:
    """The first ``count`` names, and what is behind them. Brackets and commas part names; but what stands in brackets right behind a
    name, ``net-(c1-pad1)``, is of it."""
    nodes: list[str] = []
    at = 0
    while at < len(words) and len(nodes) < count:
        word = words[at]
        at += 1
        if word.text in ("(", ")", ","):
            continue
        name, end = word.text, word.index + len(word.written)
        while at < len(words) and words[at].text == "(" and words[at].index == end and name not in ("poly", "table"):
            depth = 0
            while at < len(words):
                depth += {"(": 1, ")": -1}.get(words[at].text, 0)
                name, end, at = name + words[at].text, words[at].index + len(words[at].written), at + 1
                if not depth:
                    break
            if at < len(words) and words[at].index == end and words[at].text not in ("(", ")", ",", "="):
                name, end, at = name + words[at].text, end + len(words[at].written), at + 1
        nodes.append(name)
    return nodes, list(words[at:])


def _is_number(token: Token) -> bool:
    """Whether it is one for certain: a model may be called ``2n3904``."""
    try:
        spice_number(token.text)
    except BadNumber:
        return token.text[0] in "{'\""
    return True


def _is_value(token: Token) -> bool:
    return bool(re.match(r"[+-]?\.?[0-9]", token.text)) or token.text[0] in "{'\""
