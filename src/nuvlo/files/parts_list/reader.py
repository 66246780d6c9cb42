"""Lines → parts, with a reason for every line that gives none."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from nuvlo.files.parts_list import words
from nuvlo.files.parts_list.columns import (
    LOOKED_AT,
    MEANINGS,
    counting,
    guessed,
    heading_in_strange_words,
    heading_meanings,
    settled,
)
from nuvlo.files.parts_list.evidence import kind_of_line, plain
from nuvlo.files.parts_list.references import NAMED, leading_references, references
from nuvlo.files.parts_list.sheets import Line, read_lines
from nuvlo.kit.kinds import KINDS, VALUED, kind_of
from nuvlo.kit.parts import Part
from nuvlo.problems import NuvloError, Problem, reader
from nuvlo.quantity import UnreadableValue, format_value, parse_value

LARGE = 10e-6  # F: from here on a capacitor of which nothing more is said has a way round (common practice, no source)
MOST_ALIKE = 200  # parts that one line may stand for
_COUNT = re.compile(r"(\d{1,4})\s*(?:x|×|pcs\.?|off|stk\.?|Stück)?\s+(?=\S)", re.IGNORECASE)
_BEHIND = re.compile(r"[(\[:]\s*([^()\[\]:]+?)\s*[)\]]?$")  # references that follow what they are
A_SUM = "a sum, not a part"
MADE_UP = "reference made up, the list has none"
HEAT_SHY = ("diode", "transistor", "lamp", "chip")


@dataclass(frozen=True)
class ListedPart:
    """A part and the line that lists it."""

    part: Part
    line: int
    note: str = ""


@dataclass(frozen=True)
class Unread:
    """A line that gives no part, and why."""

    line: int
    text: str
    why: str


@dataclass(frozen=True)
class PartsList:
    """Every line that is not blank is in ``parts``, in ``unread`` or in ``headings``.

    ``columns`` says what each column was taken for, by its heading (or ``column 2`` where it has none).
    """

    name: str
    parts: tuple[ListedPart, ...]
    unread: tuple[Unread, ...]
    headings: tuple[tuple[int, str], ...]
    columns: dict[str, str] = field(default_factory=dict)

    @property
    def made_up(self) -> str:
        """How many parts the list names no reference for, in a sentence; empty where it names all."""
        count = sum(p.note == MADE_UP for p in self.parts)
        if not count:
            return ""
        if count == len(self.parts):
            return "This list has no references that I can find: all of them were made up. If a column holds them, say which."
        return f"This list has no reference for {count} of {len(self.parts)} parts: theirs were made up."


@reader
def read_parts_list(path: Path, columns: Mapping[str, str] | None = None, mended: Mapping[int, str] | None = None) -> PartsList:
    """Read the parts list at ``path``; ``columns`` (heading → meaning) corrects what a column is taken for, ``mended`` (number of
    a line → plain text, empty to leave it out) what a line says.

    Raises :class:`NuvloError` where the file cannot be opened, or a column or line is not there.
    """
    path = Path(path)
    lines = read_lines(path)
    if not lines:
        raise NuvloError(Problem("holds no lines.", "Name another file.", path.name))
    if lost := sorted(set(mended or ()) - {line.number for line in lines}):
        raise NuvloError(Problem(f"there is no line {lost[0]}.", f"Its lines are numbered 1 to {lines[-1].number}.", path.name))
    return _Reading(path.name, lines, columns or {}, mended or {}).read()


class _Reading:
    def __init__(self, name: str, lines: list[Line], wanted: Mapping[str, str], mended: Mapping[int, str]) -> None:
        self.name, self.wanted, self.mended = name, {k.lower(): v for k, v in wanted.items()}, mended
        for heading, meaning in wanted.items():
            if meaning not in MEANINGS:
                raise NuvloError(
                    Problem(
                        f"'{meaning}' is not a meaning of a column.", f"One of: {', '.join(MEANINGS)}.", ref=heading
                    )
                )
        sheet = self._main_sheet(lines)
        self.lines = [line for line in lines if line.sheet == sheet]
        self.unread = [
            Unread(line.number, line.text, f"stands on sheet '{line.sheet}', not on the one with the parts")
            for line in lines if line.sheet != sheet
        ]  # fmt: skip
        self.parts: list[tuple[int, tuple[str, ...], int, Part, str]] = []  # line, refs, count, model part, note
        self.headings: list[tuple[int, str]] = []
        self.blocks: list[dict[int, str]] = [{}]  # column → meaning, once for each table that stands beside another
        self.shown: dict[str, str] = {}
        self.section: dict[str, str] = {}
        self.seen: dict[str, int] = {}

    @staticmethod
    def _main_sheet(lines: list[Line]) -> str:
        sheets = dict.fromkeys(line.sheet for line in lines)
        return max(
            sheets, key=lambda s: sum(any(references(c) for c in line.cells) for line in lines if line.sheet == s)
        )

    def read(self) -> PartsList:
        numbers = counting(self.lines)
        first = next((k for k, line in enumerate(self.lines[:LOOKED_AT]) if heading_meanings(line, numbers)), None)
        strange: int | None = None
        if first is None:
            looks = guessed([line for line in self.lines if sum(map(bool, line.cells)) > 1])
            first = strange = heading_in_strange_words(self.lines, looks)
            self._take_columns(None if strange is None else self.lines[strange], looks)
        for k, line in enumerate(self.lines):
            meanings = heading_meanings(line, numbers)
            if line.number in self.mended:
                self._mended(line)
            elif k == strange:
                self.headings.append((line.number, line.text))
            elif meanings is not None and k >= (first or 0):
                self._take_columns(line, settled(meanings, self._below(k, numbers)))
                self.headings.append((line.number, line.text))
            elif (
                (first is not None and k < first)
                or not re.search(r"\w", line.text)
                or line.text.startswith(("#", "//"))
            ):
                self.headings.append((line.number, line.text))
            else:
                self._each_table(line)
        missing = [h for h in self.wanted if h not in {s.lower() for s in self.shown}]
        if missing:
            raise NuvloError(
                Problem(f"there is no column '{missing[0]}'.", f"Columns here: {', '.join(self.shown)}.", self.name)
            )
        return PartsList(self.name, tuple(self._numbered()), tuple(sorted(self.unread, key=lambda u: u.line)),
                         tuple(self.headings), self.shown)  # fmt: skip

    def _below(self, at: int, numbers: frozenset[int]) -> list[Line]:
        """The lines of a table: from its heading to the next one."""
        out = []
        for line in self.lines[at + 1 :]:
            if heading_meanings(line, numbers) is not None:
                break
            out.append(line)
        return [line for line in out if sum(map(bool, line.cells)) > 1]

    def _take_columns(self, line: Line | None, tables: list[dict[int, str]]) -> None:
        """``tables``: column → meaning of each table; a column that is in none belongs to the one before it."""
        wide = len(line.cells) if line else max((len(one.cells) for one in self.lines), default=0)
        starts = [min(t, default=0) for t in tables]
        self.blocks = [{} for _ in tables]
        for k in range(wide):
            at = max((i for i, start in enumerate(starts) if start <= k), default=0)
            heading = line.cells[k] if line and line.cells[k] else f"column {k + 1}"
            self.blocks[at][k] = self.wanted.get(heading.lower(), tables[at].get(k, "nothing"))
        self._value_among_notes(line)
        for block in self.blocks:
            for k, meaning in block.items():
                if wide > 1 and (line is None or line.cells[k] or meaning != "nothing"):
                    self.shown[line.cells[k] if line and line.cells[k] else f"column {k + 1}"] = meaning

    def _value_among_notes(self, line: Line | None) -> None:
        """Where no column is said to hold values or kinds, a remark does."""
        for block in self.blocks:
            if {"value", "kind"}.isdisjoint(block.values()):
                noted = [k for k, meaning in block.items() if meaning == "note"]
                if noted and not (line and line.cells[noted[0]].lower() in self.wanted):
                    block[noted[0]] = "value"

    # -- one line -----------------------------------------------------------------------------------------------

    def _mended(self, line: Line) -> None:
        """A line as the builder put it: plain text, whatever its columns were."""
        text = self.mended[line.number].strip()
        if not text:
            self._give_up(line, "left out by you")
            return
        self._line(Line(line.number, (text,), text, line.sheet), {})

    def _each_table(self, line: Line) -> None:
        """A line, or each part of it where tables stand side by side."""
        if len(self.blocks) == 1:
            self._line(line, self.blocks[0])
            return
        if self._is_sum(line):  # once for the whole line, not for each table
            self._give_up(line, A_SUM)
            return
        for block in self.blocks:
            cells = tuple(line.cells[k] for k in block if k < len(line.cells))
            if any(cells):
                text = ", ".join(c for c in cells if c)
                meanings = dict(enumerate(block.values()))
                self._line(Line(line.number, cells, text, line.sheet), meanings)

    def _line(self, line: Line, columns: Mapping[int, str]) -> None:
        fields = self._fields(line, columns)
        refs, rest = self._references(fields)
        count = self._count(fields)
        if not refs and count is None and self._is_section(line, fields):
            self.headings.append((line.number, line.text))
            return
        said = [fields[m] for m in ("kind", "value", "package", "note") if fields.get(m)]
        if self._is_sum(line):
            self._give_up(line, A_SUM)
            return
        several = self._several(line) if not refs and count is None else []
        for one in several:
            self._part(line, (), 1, {"value": one}, one)
        if several:
            return
        described = " ".join(said)
        if rest:
            described = f"{rest} {described}".strip()
        if fields.get("fitted", "").lower() not in ("", "no", "0", "false") or words.NOT_FITTED.fullmatch(
            fields.get("value", "")
        ):
            self._give_up(line, "marked as not fitted")
        elif refs:
            self._part(line, refs, count, fields, described)
        elif described and (count or (len(line.cells) == 1 and self._one_of_a_kind(described))):
            self._part(line, (), count or 1, fields, described)
        else:
            self._give_up(line, "names no part and no quantity")

    @staticmethod
    def _is_sum(line: Line) -> bool:
        """Whether a line adds up: it says so, and names no part."""
        says = any(words.SUM.fullmatch(cell.strip(" :")) for cell in line.cells)
        return says and not any(references(cell) for cell in line.cells)

    def _several(self, line: Line) -> list[str]:
        """Parts of one kind that a line of plain text lists by value: ``Pots: 100KA (Volume), 500KB (Tone)``."""
        title, colon, listed = line.text.partition(":")
        kind = words.kind_in(title)
        pieces = [piece.strip() for piece in listed.split(",")]
        if len(line.cells) != 1 or not colon or kind is None or kind not in VALUED or len(pieces) < 2:
            return []
        try:
            for piece in pieces:
                words.value_in(kind, piece)
        except words.NoValue:
            return []
        return [f"{title.strip()} {piece}" for piece in pieces]

    def _one_of_a_kind(self, text: str) -> bool:
        """Whether a line of plain text without a number is a part all the same: a few words, one of them a kind."""
        return bool(self.parts) and words.kind_in(text) is not None and len(text.split()) < 8 and not text.endswith(".")

    def _fields(self, line: Line, columns: Mapping[int, str]) -> dict[str, str]:
        if len(line.cells) == 1 and len(columns) < 2:
            return self._free(line.text)
        out: dict[str, str] = {}
        for k, cell in enumerate(line.cells):
            meaning = columns.get(k, "note")
            if cell and meaning != "nothing":
                out[meaning] = f"{out[meaning]} {cell}" if meaning in out else cell
        return out

    @staticmethod
    def _free(text: str) -> dict[str, str]:
        """A line of plain text: references, or a count, then words."""
        refs, rest = leading_references(text.lstrip("-*• "))
        if refs:
            return {"ref": text[: len(text) - len(rest)].strip(" =:-–,"), "value": rest}
        counted = _COUNT.match(text)
        if counted is None:
            return {"note": text}
        what, out = text[counted.end() :], {"quantity": counted[1]}
        behind = _BEHIND.search(what)
        if behind and len(references(behind[1].replace(" ", ", "))) == int(counted[1]):
            what, out["ref"] = what[: behind.start()].strip(), behind[1].replace(" ", ", ")
        return out | {"value": what}

    def _references(self, fields: dict[str, str]) -> tuple[tuple[str, ...], str]:
        text = fields.get("ref", "")
        refs, rest = leading_references(text)
        inside = re.search(r"\(([^()]*)\)", text)
        if not refs and inside and (found := references(inside[1])):  # TONE (RV1)
            return found, text.replace(inside[0], " ").strip()
        if not refs and NAMED.fullmatch(text) and len(fields) > 1:  # a control named on the panel
            return (text,), ""
        if not refs and not text and (found := references(fields.get("note", ""))):  # it stands among the remarks
            return found, ""
        return (refs, rest) if refs else ((), text)

    @staticmethod
    def _count(fields: dict[str, str]) -> int | None:
        found = re.match(r"\s*(\d{1,4})", fields.get("quantity", ""))
        return int(found[1]) if found else None

    def _is_section(self, line: Line, fields: dict[str, str]) -> bool:
        """A title, or the heading of a section, which tells the kind and perhaps tolerance and rating of what follows."""
        if sum(map(bool, line.cells)) != 1:
            return False
        kind = words.kind_in(line.text)
        shouted = line.text.isupper() or line.text.rstrip(" ,;|").endswith(":")
        if kind is None and ((self.parts and not shouted) or not re.search(r"[^\W\d_]{3}", line.text)):
            return False
        rest = re.sub(r"\(.*\)", "", line.text)
        if re.search(r"\d", rest) and kind is not None:
            return False
        if (
            len(self.blocks[0]) < 2
            and not shouted
            and kind is not None
            and kind_of(kind).alone
            and len(line.text.split()) > 1
        ):
            return False  # a battery clip, typed as a line of its own
        rating = words.rating_in(line.text)
        self.section = {"kind": kind or "", "text": line.text, "rating": rating}
        return True

    def _part(
        self, line: Line, refs: tuple[str, ...], count: int | None, fields: dict[str, str], described: str
    ) -> None:
        kind = kind_of_line(refs, fields, described, self.section.get("kind", ""))
        try:
            model = self._model(kind, fields, described)
        except words.NoValue as why:
            self._give_up(line, str(why))
            return
        if (count or 1) > MOST_ALIKE:
            self._give_up(line, f"lists {count} of one kind: more than {MOST_ALIKE}")
            return
        repeated = [r for r in refs if r in self.seen]
        if repeated:
            self._give_up(line, f"{repeated[0]} is listed on line {self.seen[repeated[0]]} already")
            return
        self.seen.update(dict.fromkeys(refs, line.number))
        note = ""
        if refs and count is not None and count != len(refs):
            note = f"the list says {count} and names {len(refs)}"
        self.parts.append((line.number, refs, count or 1, model, note))

    def _model(self, kind: str, fields: dict[str, str], described: str) -> Part:
        """The part without its reference. Raises :class:`words.NoValue`."""
        section = self.section if not self.section.get("kind") or self.section["kind"] == kind else {}
        everything = " ".join(v for k, v in fields.items() if k not in ("ref", "quantity", "cost"))
        tolerance = words.tolerance_in(fields.get("tolerance", "")) or words.tolerance_in(everything)
        if tolerance is None and section:
            tolerance = words.tolerance_in(section.get("text", ""))
        rating = words.rating_in(fields.get("rating", "")) or words.rating_in(described) or section.get("rating", "")
        unit = VALUED.get(kind, "")
        named = " ".join(fields[m] for m in ("kind", "note") if fields.get(m)) or described
        text, value = fields.get("value") or words.without_kind(fields.get("kind") or named) or kind, None
        also = ""
        if kind_of(kind).typed:
            whole, text = text, words.type_in(text) or text
            also = whole if len(whole.split()) > 1 and ("value" in fields or _OR.search(whole)) else ""
            also = "; ".join(t for t in (also, fields.get("kind", "") if _OR.search(fields.get("kind", "")) and also != fields.get("kind") else "") if t)
            text = text.upper() if re.fullmatch(r"(?=.*\d)[a-z0-9-]+", text) else text
        if unit:
            found = self._value(kind, fields, described)
            value = found.value
            if kind == "capacitor" and value >= LARGE and words.kind_in(plain(described)) != "capacitor":
                kind = "electrolytic"
            if kind == "resistor" and value == 0:
                kind, unit, value = "link", "", None
            text = format_value(found.value, VALUED.get(kind, "Ω"), 4).replace("\u202f", "")
            taper = found.taper or _taper(described)
            text = f"{text} {taper}".strip() if kind in ("potentiometer", "trimmer") else text
            tolerance, rating = tolerance or found.tolerance, rating or found.rating
            also = "; ".join(t for t in dict.fromkeys((fields.get("value", ""), fields.get("kind", ""))) if _OR.search(t))
        return Part(
            "", kind, text, value, unit, tolerance, rating, fields.get("package", ""), None, kind in HEAT_SHY,
            kind == "chip", kind_of(kind).one_way_round, _cost(fields.get("cost", "")), (), kind_of(kind).on_board and kind in KINDS,
            "; ".join(t for t in (also, fields.get("note", "")) if t), self.section.get("text", "").strip(" ,;:|").capitalize(),
            asked=kind not in KINDS,
        )  # fmt: skip

    @staticmethod
    def _value(kind: str, fields: dict[str, str], described: str) -> words.Found:
        surface_mount = bool(words.SURFACE_MOUNT.search(described))
        first: words.NoValue | None = None
        for text in (fields.get("value", ""), fields.get("kind", ""), fields.get("note", "")):
            if text:
                try:
                    return words.value_in(kind, text, surface_mount=surface_mount)
                except words.NoValue as why:
                    first = first or why
        raise first or words.NoValue("there is no value")

    def _give_up(self, line: Line, why: str) -> None:
        self.unread.append(Unread(line.number, line.text, why))

    # -- references for parts that have none ------------------------------------------------------------------------

    def _numbered(self) -> list[ListedPart]:
        taken = {ref for _, refs, _, _, _ in self.parts for ref in refs}
        out = []
        for line, refs, count, model, note in self.parts:
            made_up = not refs
            for ref in refs or self._free_references(model.kind, count, taken):
                text = MADE_UP if made_up else note
                noted = "; ".join(t for t in (model.note, text) if t)
                out.append(ListedPart(_named(model, ref, noted), line, text))
        return out

    @staticmethod
    def _free_references(kind: str, count: int, taken: set[str]) -> tuple[str, ...]:
        letters = words.LETTERS_OF_KIND.get(kind, "PART")
        out: list[str] = []
        number = 1
        while len(out) < count:
            if f"{letters}{number}" not in taken:
                out.append(f"{letters}{number}")
            number += 1
        taken.update(out)
        return tuple(out)


def _named(model: Part, ref: str, note: str) -> Part:
    from dataclasses import replace

    return replace(model, ref=ref, note=note)


_OR = re.compile(r"\b(?:or|oder|ou|o|optional\w*|alternativ\w*|alt)\b", re.IGNORECASE)  # what a builder is to know of


def _taper(text: str) -> str:
    low = text.lower()
    for word, taper in (("lin", "linear"), ("audio", "audio"), ("log", "audio"), ("rev", "reverse audio")):
        if re.search(rf"\b{word}", low):
            return taper
    return ""


def _cost(text: str) -> float | None:
    try:
        return parse_value(re.sub(r"[^\d.,]", "", text)) if text else None
    except UnreadableValue:
        return None
