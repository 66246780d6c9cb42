"""What a heading means, and which column holds what where there are no headings."""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence

from nuvlo.files.parts_list.references import references
from nuvlo.files.parts_list.sheets import Line
from nuvlo.files.parts_list.words import KIND_OF_LETTERS, kind_in

# What a column may be taken for.
MEANINGS = ("ref", "quantity", "value", "kind", "tolerance", "rating", "package", "cost", "note", "fitted", "nothing")
# Words seen as headings, in the languages lists come in.
WORDS: dict[str, tuple[str, ...]] = {
    "ref": (
        "ref", "refs", "reference", "references", "refdes", "designator", "designators", "part", "part no", "part ref",
        "bauteil", "bezeichner", "referenz", "repère", "repere", "référence", "riferimento", "referencia", "onderdeel", "component", "teil", "bezeichnung", "designation", "rif",
        "location", "places",
    ),
    "quantity": (
        "qty", "quantity", "count", "how many", "pcs", "pieces", "amount", "no", "number", "anzahl", "anz", "menge", "stück", "stueck", "stk", "qte",
        "quantité", "qté", "cantidad", "quantità", "qta", "q tà", "nombre", "nbre", "nb", "aantal",
    ),
    "value": (
        "value", "values", "val", "wert", "valeur", "valore", "valor", "waarde", "what", "marking", "part number", "code", "p n", "mpn", "mfg p n",
        "mfr part", "manufacturer part", "was",
    ),
    "kind": ("type", "kind", "description", "desc", "item", "category", "beschreibung", "art", "désignation", "descrizione", "tipo", "typ", "omschrijving"),
    "tolerance": ("tolerance", "tol", "toleranz", "tolérance", "tolleranza"),
    "rating": ("rating", "voltage", "power", "ratings", "watt", "spannung", "leistung", "tension", "puissance"),
    "package": ("package", "footprint", "case", "size", "gehäuse", "bauform", "boîtier", "pattern"),
    "cost": ("cost", "price", "unit price", "preis", "prix", "prezzo", "precio", "prijs"),
    "note": ("note", "notes", "comment", "comments", "remark", "remarks", "bemerkung", "hinweis", "remarque", "supplier note", "nota", "bem", "notiz"),
    "fitted": ("dnp", "dnf", "do not fit", "not fitted"),
    "nothing": ("pos", "line", "index", "datasheet", "supplier", "order code", "url", "link", "total", "subtotal"),
}  # fmt: skip
VALUE_WORDS = frozenset({"value", "values", "wert", "valeur", "valore", "valor", "waarde"})
_MEANING_OF = {word: meaning for meaning, words in WORDS.items() for word in words}
FULL = 0.6  # share of cells that are references where a column holds them
PLACES = frozenset(KIND_OF_LETTERS) | {"JP", "SK", "SKT", "CN", "CON", "BR", "RLY", "LDR", "ZD", "LS", "TX", "FB", "VC"}
LOOKED_AT = 15  # lines in which a heading is looked for


def meaning(heading: str) -> str | None:
    """What a heading's words mean; None where they mean nothing known.

    ``Ref(s)``, ``Bauteil-Nr.``, ``Wert/Typ`` and ``Preis EUR`` are known by their first words.
    """
    low = heading.lower()
    if re.fullmatch(r"(item|line|pos|row|lfd)\W*(#|no|nr|number)?\W*", low):
        return "nothing" if low.strip(" .:") != "item" else "kind"
    clean = re.sub(r"\(.*?\)|\bin\b.*", " ", low)
    words = re.sub(r"[^\w%]+", " ", clean).split()
    if "$" in low or "€" in low or "£" in low:
        return "cost"
    if re.search(r"\d", clean):
        return _MEANING_OF.get(" ".join(words))
    if VALUE_WORDS & set(words) and not {"total", "stock", "order"} & set(words):
        return "value"  # a heading that says value is one, whatever stands before it: "Part value"
    for count in range(len(words), 0, -1):
        text = " ".join(words[:count])
        found = _MEANING_OF.get(text) or _MEANING_OF.get(text.removesuffix("s"))
        if found:
            return found
    return None


def counting(lines: Sequence[Line]) -> frozenset[int]:
    """Columns that only number the lines: 1, 2, 3, whatever their heading calls them."""
    out = set()
    for k in range(max((len(line.cells) for line in lines), default=0)):
        cells = [line.cells[k].rstrip(".") for line in lines if len(line.cells) > k and line.cells[k]]
        numbers = [int(c) for c in cells if re.fullmatch(r"\d{1,4}", c)]
        rising = sum(b == a + 1 for a, b in itertools.pairwise(numbers))
        if len(numbers) > 2 and len(numbers) >= len(cells) - 3 and rising >= 0.8 * (len(numbers) - 1):
            out.add(k)
    return frozenset(out)


def heading_meanings(line: Line, numbers: frozenset[int] = frozenset()) -> list[dict[int, str]] | None:
    """Column → meaning where ``line`` is a heading: at least two of its cells are known words, and no cell is a value.

    One for each table: where the heading of the references comes again, another table stands beside the first.
    ``numbers``: columns that only number the lines.
    """
    cells = [(k, c) for k, c in enumerate(line.cells) if c]
    found = {k: "nothing" if k in numbers else m for k, c in cells if (m := meaning(c)) is not None}
    if len(found) < 2 or 2 * len(found) < len(cells) or not {"ref", "value", "kind", "quantity"} & set(found.values()):
        return None
    first = next((line.cells[k] for k, m in found.items() if m == "ref"), None)
    starts = [k for k in found if line.cells[k] == first] or [min(found)]
    ends = [*starts[1:], len(line.cells)]
    starts[0] = 0
    return [
        _each_once({k: m for k, m in found.items() if start <= k < end})
        for start, end in zip(starts, ends, strict=True)
    ]


def settled(tables: Sequence[dict[int, str]], below: Sequence[Line]) -> list[dict[int, str]]:
    """Meanings after a look at what stands ``below`` the heading: a column full of references holds them, whatever it is called,
    and one that is called so and names no part does not."""
    return [_with_references(columns, below) for columns in tables]


def _with_references(columns: dict[int, str], below: Sequence[Line]) -> dict[int, str]:
    reach = range(min(columns, default=0), max((len(line.cells) for line in below), default=0))
    cells = {k: [line.cells[k] for line in below if len(line.cells) > k and line.cells[k]] for k in reach}
    share = {k: sum(map(_names_places, c)) / len(c) for k, c in cells.items() if c}
    called = next((k for k, m in columns.items() if m == "ref"), None)
    best = max(share, key=lambda k: share[k], default=None)
    if best is None or best == called or share[best] < FULL or (called is not None and share.get(called, 0.0) > 1 - FULL):
        return columns
    out = dict(columns)
    if called is not None:
        out[called] = _what_else(cells[called], out) if cells.get(called) else "nothing"
    return out | {best: "ref"}


def _names_places(cell: str) -> bool:
    """Whether a cell is references of parts, and no type that looks like one (``TL072``)."""
    found = references(cell)
    return bool(found) and all(re.sub(r"\d.*", "", ref) in PLACES for ref in found)


def _what_else(cells: Sequence[str], columns: dict[int, str]) -> str:
    """What a column holds that was taken for references."""
    taken = set(columns.values())
    if "quantity" not in taken and all(re.fullmatch(r"\d{1,4}", c) for c in cells):
        return "quantity"
    kinds = sum(kind_in(c) is not None for c in cells)
    return next((m for m in (("kind", "value") if 2 * kinds > len(cells) else ("value", "kind")) if m not in taken), "note")


def _each_once(found: dict[int, str]) -> dict[int, str]:
    """The first column of each meaning; further descriptions are notes."""
    out: dict[int, str] = {}
    for k, m in found.items():
        taken = m in out.values()
        out[k] = m if not taken else "note" if m in ("value", "kind", "note") else "nothing"
    return out


def heading_in_strange_words(lines: Sequence[Line], tables: Sequence[dict[int, str]]) -> int | None:
    """Where the heading stands if its words are not known: right before the first part, and itself no part."""
    at = next((k for columns in tables for k, m in columns.items() if m == "ref"), None)
    if at is None:
        return None
    first = next((n for n, line in enumerate(lines) if len(line.cells) > at and references(line.cells[at])), 0)
    before = lines[first - 1] if first else None
    if before is None or sum(map(bool, before.cells)) < 2 or any(re.search(r"\d", c) for c in before.cells):
        return None
    return first - 1


def guessed(lines: Sequence[Line]) -> list[dict[int, str]]:
    """Column → meaning where no heading says it, from what most of the cells look like; one for each table side by side."""
    wide = max((len(line.cells) for line in lines), default=0)
    columns = [[line.cells[k] for line in lines if len(line.cells) > k and line.cells[k]] for k in range(wide)]
    starts = [k for k, cells in enumerate(columns) if sum(bool(references(c)) for c in cells) > 0.5 * len(cells)]
    named = [ref for k in starts for cell in columns[k] for ref in references(cell)]
    beside = (
        len(starts) > 1 and len(named) == len(set(named)) and not any(c.islower() for k in starts for c in columns[k])
    )
    cuts = [0, *starts[1:], wide] if beside else [0, wide]
    return [_looks(columns, range(low, high)) for low, high in itertools.pairwise(cuts)]


def _looks(columns: Sequence[Sequence[str]], within: range) -> dict[int, str]:
    out: dict[int, str] = {}
    for k in within:
        cells = columns[k]
        if not cells:
            continue
        share = {
            "ref": sum(bool(references(c)) for c in cells) / len(cells),
            "quantity": sum(bool(re.fullmatch(r"\d{1,4}\s*[x×]?", c)) for c in cells) / len(cells),
        }
        if share["ref"] >= 0.5 and "ref" not in out.values():
            out[k] = "ref"
        elif share["quantity"] >= 0.8 and "quantity" not in out.values() and k < within[-1]:
            out[k] = "quantity"
        elif "value" not in out.values():
            out[k] = "value"
        else:
            out[k] = "note"
    return out
