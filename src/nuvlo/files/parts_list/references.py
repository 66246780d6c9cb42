"""Grouped references: ``R1, R4-R6``, ``R7,8``, ``D1..D4``, ``Q1/Q2``, ``C2 & C3`` → each one."""

from __future__ import annotations

import re

MOST = 200  # references in one range: more is a slip of the key
_ONE = r"[A-Za-z]{1,8}\d{1,4}[A-Za-z]?"
_REFERENCE = re.compile(_ONE)
_RANGE = re.compile(
    rf"({_ONE})\s*(?:-|–|—|~|→|\.\.+|\b(?:to|thru|through|bis|à|a|al|t/m|tot)\b)\s*([A-Za-z]{{0,8}})(\d{{1,4}})(?![\w.])",
    re.IGNORECASE,
)
_NEXT = re.compile(r"\d{1,4}(?![\w.])")
_PARTING = re.compile(r"[\s,;/&+]+(?:(?:and|und|et|e|y|en)\b)?\s*", re.IGNORECASE)
NAMED = re.compile(r"[A-Z][A-Z_]{2,15}\d{0,3}")  # a control named on the panel: VOLUME


def references(text: str) -> tuple[str, ...]:
    """Every reference ``text`` names, in upper case and in its order; empty where it is not all references.

    >>> references("R1, R4-6")
    ('R1', 'R4', 'R5', 'R6')
    """
    found, rest = leading_references(text.strip())
    return found if not rest else ()


def leading_references(text: str) -> tuple[tuple[str, ...], str]:
    """The references that ``text`` begins with, and what follows them."""
    out: list[str] = []
    at, letters = 0, ""
    while at < len(text):
        span, one, number = _RANGE.match(text, at), _REFERENCE.match(text, at), _NEXT.match(text, at)
        if span and (expanded := _expanded(span)):
            out += expanded
            letters, end = _letters(span[1]), span.end()
        elif one and not re.match(r"[\w.]", text[one.end() :]):
            out.append(one[0].upper())
            letters, end = _letters(one[0]), one.end()
        elif number and letters:
            out.append(f"{letters.upper()}{number[0]}")
            end = number.end()
        else:
            break
        at = end
        parting = _PARTING.match(text, at)
        if not parting:
            break
        # What follows is another reference, or the rest of the line.
        after = parting.end()
        more = _REFERENCE.match(text, after) or (("," in parting[0] or "/" in parting[0]) and _NEXT.match(text, after))
        at = after if more else at
        if not more:
            break
    return tuple(dict.fromkeys(out)), text[at:].strip(" \t,;:=-–")


def _letters(reference: str) -> str:
    """``RV`` of ``RV12``."""
    return re.sub(r"\d.*", "", reference)


def _expanded(span: re.Match[str]) -> list[str]:
    first = re.fullmatch(r"([A-Za-z]+)(\d+)[A-Za-z]?", span[1])
    if first is None or (span[2] and span[2].upper() != first[1].upper()):
        return []
    low, high = int(first[2]), int(span[3])
    if not low < high <= low + MOST:
        return []
    return [f"{first[1].upper()}{k}" for k in range(low, high + 1)]
