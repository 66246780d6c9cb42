"""What a heading means, and which column holds what where there are no headings."""

from __future__ import annotations

import re
from collections.abc import Sequence

from nuvlo.kit.parts_list.references import references
from nuvlo.kit.parts_list.sheets import Line

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
        "qty", "quantity", "count", "how many", "pcs", "pieces", "amount", "no", "number", "anzahl", "menge", "stück", "stueck", "stk", "qte",
        "quantité", "qté", "cantidad", "quantità", "aantal",
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
_MEANING_OF = {word: meaning for meaning, words in WORDS.items() for word in words}
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
    for count in range(len(words), 0, -1):
        text = " ".join(words[:count])
        found = _MEANING_OF.get(text) or _MEANING_OF.get(text.removesuffix("s"))
        if found:
            return found
    return None


def heading_meanings(line: Line) -> dict[int, str] | None:
    """Column → meaning where ``line`` is a heading: at least two of its cells are known words, and no cell is a value."""
    cells = [(k, c) for k, c in enumerate(line.cells) if c]
    found = {k: m for k, c in cells if (m := meaning(c)) is not None}
    if len(found) < 2 or 2 * len(found) < len(cells) or not {"ref", "value", "kind", "quantity"} & set(found.values()):
        return None
    return _each_once(found)


def _each_once(found: dict[int, str]) -> dict[int, str]:
    """The first column of each meaning; a second description is a note."""
    out: dict[int, str] = {}
    for k, m in found.items():
        taken = m in out.values()
        out[k] = (
            m if not taken else ("note" if m in ("value", "kind", "note") and "note" not in out.values() else "nothing")
        )
    return out


def heading_in_strange_words(lines: Sequence[Line], columns: dict[int, str]) -> int | None:
    """Where the heading stands if its words are not known: right before the first part, and itself no part."""
    at = next((k for k, m in columns.items() if m == "ref"), None)
    if at is None:
        return None
    first = next((n for n, line in enumerate(lines) if len(line.cells) > at and references(line.cells[at])), 0)
    before = lines[first - 1] if first else None
    if before is None or sum(map(bool, before.cells)) < 2 or any(re.search(r"\d", c) for c in before.cells):
        return None
    return first - 1


def guessed(lines: Sequence[Line]) -> dict[int, str]:
    """Column → meaning where no heading says it, from what most of the cells look like."""
    wide = max((len(line.cells) for line in lines), default=0)
    out: dict[int, str] = {}
    for k in range(wide):
        cells = [line.cells[k] for line in lines if len(line.cells) > k and line.cells[k]]
        if not cells:
            continue
        share = {
            "ref": sum(bool(references(c)) for c in cells) / len(cells),
            "quantity": sum(bool(re.fullmatch(r"\d{1,4}\s*[x×]?", c)) for c in cells) / len(cells),
        }
        if share["ref"] >= 0.5 and "ref" not in out.values():
            out[k] = "ref"
        elif share["quantity"] >= 0.8 and "quantity" not in out.values() and k < wide - 1:
            out[k] = "quantity"
        elif "value" not in out.values():
            out[k] = "value"
        else:
            out[k] = "note"
    return out
