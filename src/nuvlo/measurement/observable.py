"""One thing that can be read of a unit: where, of what, and how the unit and the leads stand meanwhile.

It is known by its fields alone. Its text form (:attr:`Observable.name` beside its quantity) is that of logs, tables and what is typed; it is
taken apart here and nowhere else.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

RIPPLE, BACK, EMPTY, OFF = "~", " back", " without chips", " off"  # behind a place, in text
IN = " in set-up "  # and before the name of one
THROWN, FOLLOWED = ":", "@"  # behind what stands before a place
GOES_WITH = {BACK: ("resistance",), EMPTY: ("current", "voltage"), OFF: ("voltage",), RIPPLE: ("tone",)}  # the quantities with which an end means something
STANDS_BEFORE = {"resistance": THROWN, "tone": FOLLOWED}


@dataclass(frozen=True)
class Observable:
    """``quantity`` is ``voltage``, ``current``, ``resistance``, ``capacitance``, ``tone`` (AC volts), ``gain``, ``value`` (of a loose part),
    ``lifted`` (a part by itself, one leg out), ``look`` and the like. ``place`` is a test point, a pin, a supply, a part, or two places with a stroke between them.

    ``ripple``: AC volts of what a rectifier leaves. ``exchanged``: red and black lead exchanged. ``empty``: with the sockets empty. ``unplugged``:
    after the unit was powered, its plug pulled. ``throw``: a switch and how it is thrown, ``SW1.bypass``. ``follows``: a tone that is read at
    another place than its own. ``setup``: the kit's set-up that the unit stands in, of volts that are read in another than their point is.
    """

    place: str
    quantity: str
    ripple: bool = False
    exchanged: bool = False
    empty: bool = False
    unplugged: bool = False
    throw: str = ""
    follows: str = ""
    setup: str = ""

    @property
    def name(self) -> str:
        """Its text form, beside its quantity: ``TP1``, ``TP1~``, ``TP1 back``, ``U1.8 without chips``, ``TP1 off``, ``T100@R5.2``, ``SW1.on:a-b``."""
        before = f"{self._marked(self.throw)}{THROWN}" * bool(self.throw) + f"{self._marked(self.follows)}{FOLLOWED}" * bool(self.follows)
        return before + self._marked(self.place) + RIPPLE * self.ripple + BACK * self.exchanged + EMPTY * self.empty + OFF * self.unplugged + f"{IN}{self.setup}" * bool(self.setup)

    @property
    def short(self) -> str:
        """The same for a narrow place on the screen: nothing but where, and how it stands."""
        place = f"{self.follows}@{self.place}" if self.follows else self.place
        return place + RIPPLE * self.ripple + BACK * self.exchanged + EMPTY * self.empty + OFF * self.unplugged

    @property
    def words(self) -> str:
        """Where it is read, as it is named in a sentence: ``TP0, leads exchanged``, ``TP1, ripple``, ``T100 at R5.2``."""
        place = f"{self.follows} at {self.place}" if self.follows else self.place
        how = ", ripple" * self.ripple + ", leads exchanged" * self.exchanged + ", plug pulled" * self.unplugged + f", {self.throw}" * bool(self.throw)
        return place + EMPTY * self.empty + how + f"{IN}{self.setup}" * bool(self.setup)

    def _marked(self, place: str) -> str:
        """A place with a stroke before whatever would mean something else with this quantity."""
        marked = re.sub(rf"[\\{STANDS_BEFORE.get(self.quantity, '')}]", r"\\\g<0>", place)
        if self.quantity == "voltage":
            marked = marked.replace(IN, f"\\{IN}")
        ends = "|".join(re.escape(end) for end, quantities in GOES_WITH.items() if self.quantity in quantities)
        return re.sub(f"({ends})$", r"\\\1", marked) if ends else marked

    def __str__(self) -> str:
        return f"{self.quantity} {self.name}"

    def to(self, place: str) -> Observable:
        """The same at another place."""
        return replace(self, place=place)


def read_stored(name: str, quantity: str) -> Observable:
    """The observable of a text form. Logs of before knew no strokes: there a mark counts only with the quantity that it goes with."""
    left, has, setup = name, dict.fromkeys(GOES_WITH, False), ""
    if quantity == "voltage" and (cut := re.search(rf"(?<!\\){IN}", name)):
        left, setup = name[: cut.start()], name[cut.end() :]
    for end in (OFF, EMPTY, BACK, RIPPLE):
        if quantity in GOES_WITH[end] and left.endswith(end) and not left.endswith("\\" + end):
            left, has[end] = left.removesuffix(end), True
    throw, left = _before(left, THROWN) if quantity == "resistance" else ("", left)
    follows, left = _before(left, FOLLOWED) if quantity == "tone" else ("", left)
    return Observable(_plain(left), quantity, has[RIPPLE], has[BACK], has[EMPTY], has[OFF], _plain(throw), _plain(follows), setup)


def _before(text: str, mark: str) -> tuple[str, str]:
    """What stands before the first ``mark`` without a stroke, and what behind it."""
    found = re.match(rf"(?:[^\\{mark}]|\\.)*", text)
    end = found.end() if found else 0
    return (text[:end], text[end + 1 :]) if text[end : end + 1] == mark else ("", text)


def _plain(text: str) -> str:
    return re.sub(r"\\(.)", r"\1", text)


def volts_at(place: str, *, empty: bool = False, unplugged: bool = False, setup: str = "") -> Observable:
    return Observable(place, "voltage", empty=empty, unplugged=unplugged, setup=setup)


def amps_of(supply: str, *, empty: bool = False) -> Observable:
    return Observable(supply, "current", empty=empty)


def ohms_at(place: str, *, exchanged: bool = False, throw: str = "") -> Observable:
    return Observable(place, "resistance", exchanged=exchanged, throw=throw)


LEADS = Observable("leads", "resistance")  # of the meter, held together


def farads_at(place: str) -> Observable:
    return Observable(place, "capacitance")


def tone_at(name: str, at: str = "") -> Observable:
    """AC volts of a tone where the kit reads it, or followed to the place ``at``."""
    return Observable(at, "tone", follows=name) if at else Observable(name, "tone")


def ripple_at(point: str) -> Observable:
    return Observable(point, "tone", ripple=True)


def loose(ref: str) -> Observable:
    """The value of a part by itself, before it is fitted."""
    return Observable(ref, "value")


def gain_read() -> Observable:
    return Observable("gain", "gain")
