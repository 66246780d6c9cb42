"""What kind of part a line speaks of: its reference, its value and its words together, for each alone is often of something else.

A remark names neighbours ("for the LED"), what comes with a part ("+ socket"), and what it must not be ("not electrolytic").
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from nuvlo.files.parts_list import words
from nuvlo.kit.kinds import VALUED, kind_of

ANY = ("any",)
# What words may make of the kind that the letters of a reference stand for; others are said of something beside it.
REFINED: Mapping[str, tuple[str, ...]] = {
    "resistor": ("trimmer", "potentiometer", "link", "inductor"), "capacitor": ("electrolytic", "trimmer"), "inductor": ("lamp", "transformer", "relay"),
    "diode": ("lamp",), "lamp": (), "transistor": ("transformer", "regulator", "chip"), "chip": ("regulator", "transistor", "header", "socket"),
    "trimmer": ("potentiometer",), "potentiometer": ("trimmer", "jack", "switch", "chip", "regulator", "header"), "valve": ("lamp", "socket", "chip", "regulator"),
    "jack": ANY, "switch": ANY, "fuse": ("inductor",), "relay": ANY,
}  # fmt: skip
_NOT = re.compile(r"\b(?:not?|non|never|nicht|kein\w*|pas|sans|without|w/o|instead of|statt)\b[\s:-]*(?:an?\s+|the\s+)?[\w-]+", re.IGNORECASE)
_BESIDE = re.compile(
    r"(?:[+&]|\b(?:with|incl\w*\.?|including|plus|mit|avec|in|into)\b|\bw/)\s*(?:an?\s+|its\s+|\d+\s*x\s*)?(?:(?:ic|dip|dil|chip|valve|noval|octal)?[\s-]?\d*[\s-]*(?:pins?)?\s*)"
    r"(?:sockets?|base|holder|bezel|knob|clip|washer|insulator|heat\s?sink|fassung)\b",
    re.IGNORECASE,
)  # fmt: skip
_PURPOSE = re.compile(r"\b(?:for|to|of|from|near|beside|next to|under|before|after|sets|limits|feeds|drives|see|für|pour|per|zu)\b[^,;()]*", re.IGNORECASE)
_TAPERED = re.compile(r"\b(?:lin(?:ear)?|log(?:arithmic)?|audio|rev(?:erse)?|anti-?log)\b|\d\s?[kM]\s?[ABC]\b|\b[ABC]\s?\d+\s?[kM]\b", re.IGNORECASE)


def plain(text: str) -> str:
    """``text`` without what it denies, and without what only comes with the part."""
    return _BESIDE.sub(" ", _NOT.sub(" ", text))


def kind_of_line(refs: tuple[str, ...], fields: Mapping[str, str], described: str, section: str) -> str:
    """The kind of part; ``part`` where nothing tells it."""
    letters = words.kind_by_letters(refs[0]) if refs else None
    named, valued = words.kind_in(plain(fields.get("kind", ""))), words.kind_in(plain(fields.get("value", "")))
    noted = words.kind_in(_PURPOSE.sub(" ", plain(described)))
    if letters is None:
        found = named or valued or noted or section or words.kind_by_value(fields.get("value", "")) or "part"
        return "electrolytic" if section == "electrolytic" and found == "capacitor" and not (named or valued or noted) else found
    may_be = REFINED.get(letters, ())
    typed = kind_of(letters).typed and bool(words.type_in(plain(fields.get("value", ""))))
    for told in (named, valued, noted):
        if told is None or told == letters or (told == "socket" and typed):
            continue
        if may_be is ANY or told in may_be:
            return told
        if told is named and not _worth(letters, fields):
            return told  # the list says so, and nothing speaks for what the letters stand for
    if letters == "trimmer" and _TAPERED.search(fields.get("value", "")) and "trimmer" not in (named, valued, noted):
        return "potentiometer"
    if letters == "capacitor" and section == "electrolytic" and "capacitor" not in (named, valued, noted):
        return "electrolytic"
    return "part" if refs[0][0] == "X" and not (named or valued or noted) else letters  # a crystal, or whatever


def _worth(kind: str, fields: Mapping[str, str]) -> bool:
    """Whether the line has a value that a part of this kind has, or a type where it has one."""
    value = fields.get("value", "")
    if kind not in VALUED:
        return kind_of(kind).typed and bool(words.type_in(value))
    try:
        words.value_in(kind, value)
    except words.NoValue:
        return False
    return True
