"""A netlist's text as logical lines and words: comments taken off, lines that go on with ``+`` joined, each word with its place."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

from nuvlo.circuit.cards import Token
from nuvlo.progress import pause

LINES_TO_PAUSE = 256
_BRACES = r"\{(?:[^{}]|\{(?:[^{}]|\{(?:[^{}]|\{[^{}]*\})*\})*\})*\}?"  # formulas in braces, and braces in them
_WORD = re.compile(rf"{_BRACES}|'[^']*'?|\"[^\"]*\"?|[^\s(),={{}}'\"]+|=|[(),]")
_ASSIGNED = re.compile(r"([a-z_][\w.]*)\s*=(?!=)", re.IGNORECASE)


@dataclass(frozen=True)
class Line:
    """One logical line: its ``text``, and from where in it each line of the file goes, with the column there."""

    text: str
    file: str
    starts: tuple[tuple[int, int, int], ...]  # index, line, column

    def at(self, index: int) -> tuple[int, int]:
        """Line and column in the file."""
        start, line, column = self.starts[bisect_right(self._indices, index) - 1]
        return line, column + index - start

    @cached_property
    def _indices(self) -> list[int]:
        return [index for index, _, _ in self.starts]

    def token(self, text: str, index: int) -> Token:
        line, column = self.at(index)
        return Token(text, self.file, line, column)

    def words(self) -> list[Token]:
        """Its words in lower case. Brackets, commas and ``=`` are words of their own; what braces or quotes hold is one."""
        return [self._word(m[0], m.start()) for m in _WORD.finditer(self.text)]

    def _word(self, text: str, index: int) -> Token:
        line, column = self.at(index)
        return Token(text.lower(), self.file, line, column, index, text)

    def behind(self, words: int) -> tuple[str, int]:
        """The text behind so many words, and where it begins."""
        found = list(re.finditer(r"\S+", self.text))
        index = found[words].start() if len(found) > words else len(self.text)
        return self.text[index:], index


def logical_lines(text: str, name: str, first_line: int, say: Callable[[str, Token], None]) -> Iterator[Line]:
    """The lines of a file; ``say`` is told of a ``+`` that continues nothing."""
    parts: list[str] = []
    starts: list[tuple[int, int, int]] = []
    length = 0
    for number, raw in enumerate(text.split("\n"), first_line):
        if number % LINES_TO_PAUSE == 0:
            pause()
        line = without_comment(raw)
        stripped = line.strip()
        if not stripped:
            continue
        indent = len(line) - len(line.lstrip())
        goes_on = stripped[0] == "+"
        if goes_on and not parts:
            say("there is no line above for this '+' to continue.", Token("+", name, number, indent + 1))
            stripped, indent, goes_on = stripped[1:], indent + 1, False
        if not goes_on and parts:
            yield Line(" ".join(parts), name, tuple(starts))
            parts, starts, length = [], [], 0
        piece = line[indent + 1 :] if goes_on else line[indent:]
        starts.append((length, number, indent + (2 if goes_on else 1)))
        parts.append(piece.rstrip())
        length += len(parts[-1]) + 1
    if parts:
        yield Line(" ".join(parts), name, tuple(starts))


def without_comment(line: str) -> str:
    """A line without what is only for people: ``*`` or ``$`` at its start, ``;``, ``$`` or ``//`` behind a space."""
    if line.lstrip()[:1] in ("*", "$"):
        return ""
    cut = re.search(r";|(?<=\s)\$|(?<=\s)//", line)
    return line[: cut.start()] if cut else line


def assigned(text: str) -> list[tuple[str, str, int, int]]:
    """``a=1 b=a*2, c={…}`` as (name, value, where the name stands, where the value stands): a value goes on to the next name."""
    found = [m for m in _ASSIGNED.finditer(text) if _bare(text, m.start())]
    out = []
    for k, m in enumerate(found):
        end = found[k + 1].start() if k + 1 < len(found) else len(text)
        value = text[m.end() : end].strip().rstrip(",").rstrip()
        out.append((m[1].lower(), value, m.start(), m.end() + len(text[m.end() : end]) - len(text[m.end() : end].lstrip())))
    return out


def _bare(text: str, index: int) -> bool:
    """Whether a place stands in no braces, quotes or brackets."""
    before = text[:index]
    return before.count("{") == before.count("}") and before.count("'") % 2 == 0 and before.count("(") == before.count(")")
