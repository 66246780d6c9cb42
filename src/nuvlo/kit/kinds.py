"""The kinds of part, a row each: everything that is known of a part from its kind alone.

A kind is added by its row here; one that is drawn like no other also wants its drawing in ``desktop/board/portrait.py``.
Heights, ways round, seats and mistakes are common practice of the trade, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Kind:
    """``unit`` its value is written in, where it has one; ``meter`` whether it is measured loose with a common meter;
    ``typed`` whether its type is read off it. ``stands_mm`` how high it usually stands.

    ``way_round``, ``seat``, ``look`` and ``mistake`` are sentences for the hand; ``body_mm`` its body from above, long and
    wide; ``shade`` the colour it usually has; ``print_mm`` how far from its middle its print stands; ``drawn_as`` the portrait
    it shares with another kind; ``px_mm`` how large that is drawn.
    """

    name: str
    plural: str = ""
    unit: str = ""
    meter: bool = False
    typed: bool = False
    stands_mm: float = 8.0
    one_way_round: bool = False
    either_way: bool = False  # has no way round
    fits_one_way: bool = False  # its legs go into their holes in one way only
    on_board: bool = True
    alone: bool = False  # a list may have one of it, without a number
    plugged: bool = False  # goes into a socket, where there are any
    bent: bool = True  # its leads are bent on the solder side
    along: bool = False  # lies along its pads
    early: int = 0  # its turn in manuals that begin with semiconductors
    big: bool = False  # wants the hot iron
    encloses: bool = False  # other parts go into it
    mounted: bool = True  # a step of its own puts it in its place
    in_the_box: bool = True  # of a kit
    forward: bool = False  # carries a rated current
    body_alike: bool = False  # mistaken for others of the same body
    marked_as: str = ""  # the kind whose markings it bears
    may_be: tuple[str, ...] = ()  # kinds that may stand in for it
    way_round: str = ""
    seat: str = ""
    look: str = ""
    mistake: str = ""
    body_mm: tuple[float, float] = (7.0, 7.0)
    shade: str = "#B9BEC2"
    print_mm: float = 2.4
    drawn_as: str = ""
    upright: bool = False  # stands on its legs in its portrait
    px_mm: float = 11.0


DARK = "#2B2F33"
ROWS = (
    Kind("resistor", unit="Ω", either_way=True, meter=True, stands_mm=2.5, along=True, seat="Flush on the board.",
         mistake="The usual mistake: its neighbour's value.", body_mm=(6.5, 2.3), shade="#D9C7A0"),
    Kind("capacitor", "film capacitors", "F", either_way=True, meter=True, stands_mm=8.0, along=True, may_be=("capacitor",), seat="Flush on the board.",
         look="No way round.", mistake="The usual mistake: its code read a decade out; the last figure counts zeros, in pF.", body_mm=(7.2, 3.2), shade="#B5523B",
         print_mm=2.9),
    Kind("electrolytic", unit="F", stands_mm=12.0, one_way_round=True, marked_as="capacitor", may_be=("electrolytic", "capacitor"),
         way_round="Long lead to the hole marked plus; the stripe is mostly minus, some makers mark plus.",
         seat="Flush, so that nothing pulls at its pads.", look="Long lead plus; the stripe is minus.",
         mistake="The usual mistake: the wrong way round, which bursts.", shade="#39495A", print_mm=4.3, upright=True, px_mm=8.5),
    Kind("inductor", unit="H", either_way=True, stands_mm=9.0, big=True, seat="Lying, its axis across that of its neighbour.", shade="#9A5B34"),
    Kind("trimmer", unit="Ω", stands_mm=7.0, bent=False, fits_one_way=True,
         seat="Leave its screw where the driver can reach it once boards are stacked, at mid travel.",
         look="Three legs; a screw on top.", shade="#3D6EA8", print_mm=4.7),
    Kind("potentiometer", unit="Ω", stands_mm=18.0, fits_one_way=True, on_board=False, alone=True, big=True, marked_as="trimmer",
         seat="Loose, until the panel holds it.", px_mm=5.0),
    Kind("diode", typed=True, stands_mm=2.7, one_way_round=True, along=True, early=2, forward=True, body_alike=True,
         way_round="Painted band to the printed band.", seat="Flush, its leads bent clear of the body.",
         look="The painted band is the cathode.", mistake="The usual mistake: the wrong way round.", body_mm=(5.2, 2.7), shade=DARK),
    Kind("transistor", typed=True, stands_mm=5.2, one_way_round=True, early=3, body_alike=True,
         way_round="Flat to the printed flat; all three legs free before you push.",
         seat="A few millimetres up: its legs keep heat away.", look="Flat face towards you: legs 1, 2, 3 from the left.",
         mistake="The usual mistakes: turned round, or a regulator of the same body.", shade=DARK, print_mm=3.7, upright=True,
         px_mm=9.5),
    Kind("chip", typed=True, stands_mm=4.5, one_way_round=True, plugged=True, bent=False, early=5, body_alike=True,
         way_round="Notch to the printed notch; the dot is pin 1."),
    Kind("valve", typed=True, stands_mm=50.0, one_way_round=True, plugged=True, body_alike=True),
    Kind("regulator", typed=True, stands_mm=16.0, early=6, body_alike=True, seat="As high as its hole in the heat sink wants it.",
         shade=DARK),
    Kind("lamp", typed=True, stands_mm=9.0, one_way_round=True, alone=True, early=4, forward=True, way_round="Long lead is plus.",
         seat="Loose, at the height the panel wants.", look="Long lead plus; the flat on the rim is minus.",
         mistake="The usual mistake: the wrong way round.", upright=True, px_mm=9.0),
    Kind("socket", stands_mm=5.0, alone=True, bent=False, early=1, way_round="Notch to the printed notch.",
         seat="Flush: two corners first, look, then the rest.", mistake="The usual mistake: a leg bent under, unseen.", shade=DARK,
         drawn_as="jack", px_mm=5.0),
    Kind("header", bent=False, way_round="Red stripe of the lead to the negative rail.", seat="Flush and upright: one pin first."),
    Kind("jack", stands_mm=11.0, fits_one_way=True, on_board=False, alone=True, bent=False, big=True, in_the_box=False,
         seat="Loose, until the panel holds it.", body_mm=(9.0, 10.5), px_mm=5.0),
    Kind("switch", "switches", stands_mm=18.0, fits_one_way=True, on_board=False, alone=True, bent=False, big=True, seat="Flush and square.", px_mm=5.0),
    Kind("link", either_way=True, stands_mm=1.0),
    Kind("relay", stands_mm=10.0, bent=False, fits_one_way=True),
    Kind("fuse", either_way=True, stands_mm=10.0, on_board=False, alone=True),
    Kind("transformer", stands_mm=30.0, big=True, fits_one_way=True),
    Kind("case", on_board=False, alone=True, encloses=True, in_the_box=False, px_mm=5.0),
    Kind("panel", encloses=True, in_the_box=False),
    Kind("knob", on_board=False, alone=True, in_the_box=False),
    Kind("hardware", "hardware", on_board=False, alone=True, in_the_box=False, mounted=False),
    Kind("wire", on_board=False, alone=True, mounted=False),
    Kind("driver", on_board=False), Kind("capsule", on_board=False), Kind("port", on_board=False, either_way=True),
    Kind("battery", "batteries", on_board=False, alone=True, in_the_box=False),
)  # fmt: skip
KINDS: Mapping[str, Kind] = {k.name: k for k in ROWS}
VALUED: Mapping[str, str] = {k.name: k.unit for k in ROWS if k.unit}  # kinds that have a value, and its unit


def kind_of(name: str) -> Kind:
    """What is known of a kind; of one that is not known, what holds of most."""
    return KINDS.get(name) or Kind(name)


def plural_of(name: str) -> str:
    """``diodes``."""
    return kind_of(name).plural or f"{name}s"
