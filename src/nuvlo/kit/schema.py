"""The schema of ``kit.toml``. ``docs/kit-format.md`` says the same for people."""

from __future__ import annotations

import math
from collections.abc import Mapping
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from nuvlo.quantity import UnreadableValue, parse_value

SOUND_MS = 343.0  # m/s in air of 20 °C
END_SHARE = 0.73  # of its bore by which the air in a port is longer than the port


class Stage(StrEnum):
    """The nine stages of a build, in order."""

    UNPACK = "unpack"
    CHOOSE = "choose"
    SEQUENCE = "sequence"
    FIT = "fit"
    HOOK_UP = "hook_up"
    WAKE = "wake"
    SET = "set"
    PROVE = "prove"
    HAND_OVER = "hand_over"

    @property
    def label(self) -> str:
        return self.value.replace("_", " ").capitalize()


def _as_builders_write(value: Any) -> Any:
    if isinstance(value, str):
        try:
            return parse_value(value)
        except UnreadableValue as bad:
            raise ValueError(str(bad)) from bad
    return value


Value = Annotated[float, BeforeValidator(_as_builders_write), Field(ge=-1e6, le=1e6)]  # volts, amperes, money

Name = Annotated[str, Field(min_length=1, max_length=120)]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class About(_Strict):
    """What the kit is."""

    name: Name
    family: str = ""
    revision: str = ""
    says: str = ""


class Setup(_Strict):
    """What stands round the unit at the bench: a netlist that includes circuit.cir and adds supplies, sources and loads.

    Parts named in ``out`` are not in the unit: chips that are still out of their sockets.
    """

    name: Name
    file: Name
    says: str = ""
    out: tuple[str, ...] = ()


class Supply(_Strict):
    """A supply and where it enters. ``volts`` V, ``tolerance`` a fraction, ``current_limit`` A for the first power.

    With ``mains_hz`` the volts are the peak of a transformer's wave before its full-wave rectifier; ``settled`` is then the d.c.
    that leaves as much behind the rectifier once the unit draws its current, and what its element has in the set-ups.
    """

    name: Name
    element: str
    node: str
    volts: Value
    tolerance: float = Field(0.05, ge=0, lt=1)
    current_limit: Value = 0.1
    mains_hz: float = Field(0.0, ge=0, le=1000)
    settled: Value | None = None
    point: str | None = None

    @property
    def running(self) -> float:
        """V of its element while the unit runs."""
        return self.volts if self.settled is None else self.settled


class Port(_Strict):
    """A signal input or output."""

    name: Name
    kind: Literal["input", "output"]
    node: str
    element: str | None = None


class Control(_Strict):
    """A pot or trimmer. ``start`` is its position at first power, 0 anticlockwise to 1 clockwise."""

    name: Name
    ref: str
    kind: Literal["pot", "trimmer"] = "pot"
    travel_deg: float = Field(270.0, gt=0, le=36_000)
    start: float = Field(0.5, ge=0, le=1)


class Point(_Strict):
    """A test point: a node measured against ``reference``, in ``setup`` (the kit's first where none is named). ``running`` is
    what it reads on DC (low, nominal, high) in a unit that runs by itself, where that is not what it would be at rest."""

    name: Name
    node: str
    reference: str = "0"
    setup: str = ""
    running: tuple[float, float, float] | None = None
    says: str = ""


class Heater(_Strict):
    """Heaters of valves: ``volts`` r.m.s. between two lugs of a socket, ``across``, and the lug by which their winding is ``held`` to ground. They are
    in no circuit; they are read before a valve goes in."""

    name: Name
    volts: float = Field(gt=0, le=50)
    across: tuple[str, str]
    held: str


class Running(_Strict):
    """A unit that runs by itself once it is powered, and how long its course is followed until it has settled, s."""

    setup: str = ""
    seconds: float = Field(0.05, gt=0, le=10)


class Tone(_Strict):
    """A sine of ``hertz`` from ``source``, set so that a meter shows ``level`` V r.m.s. at ``at`` against ``at_reference`` (where
    it is empty: against ``reference``), and then read at ``node`` against ``reference``. ``fed`` and ``read`` say in words where that is, outside the case. One meter reads both, so that its error cancels. In ``setup``; where none is named, in the first that
    has them. What is ``common`` to both legs of an input, or to two channels, should cancel: there is nothing to follow."""

    name: Name
    source: str
    at: str
    at_reference: str = ""
    fed: str = ""
    read: str = ""
    node: str
    reference: str = "0"
    hertz: float = Field(400.0, ge=20, le=20_000)
    level: Value = 0.1
    common: bool = False
    setup: str = ""
    says: str = ""

    @property
    def fed_at(self) -> tuple[str, str]:
        """The nodes between which its level is set."""
        return self.at, self.at_reference or self.reference


class Cold(_Strict):
    """A reading of the unit alone, before it is powered and with its sockets empty, from ``node`` to ``reference``: ohms, or the
    capacitance that a bridge shows at ``hertz`` (that of electrolytics is stated at 100 Hz, IEC 60384-4). ``read`` says in words
    where the leads go."""

    name: Name
    kind: Literal["ohms", "capacitance"] = "ohms"
    node: str
    reference: str = "0"
    hertz: float = Field(100.0, ge=50, le=100_000)
    read: str
    says: str = ""

    @property
    def quantity(self) -> str:
        return "resistance" if self.kind == "ohms" else "capacitance"

    @property
    def unit(self) -> str:
        return "Ω" if self.kind == "ohms" else "F"


class Option(_Strict):
    """One value a choice allows."""

    value: str
    says: str = ""


ResultKind = Literal[
    "gain", "corner_low", "corner_high", "peak", "voltage", "share", "current", "power", "input_impedance", "impedance",
    "noise", "expression", "least_impedance", "mean", "swing",
]  # fmt: skip


class Aim(_Strict):
    """A result, and what is wanted of it: ``want`` within ``within``, ``at_least`` or ``at_most``; none where it is only told.

    ``kind`` says how it is found: ``gain`` dB from ``source`` to ``node`` at ``at`` Hz, or the ``voltage`` (also against
    ``reference``), ``current`` through ``element``, and so on (docs/kit-format.md). ``value`` is the formula of an
    ``expression``, in the names of inputs and of results before it. ``mean`` and ``swing`` are those of the settled wave at
    ``node``, whose sources repeat ``at`` times a second.
    """

    name: Name
    kind: ResultKind
    unit: str = ""
    says: str = ""
    source: str = ""
    node: str = ""
    reference: str = "0"
    of: str = ""
    element: str = ""
    at: str = "1k"
    value: str = ""
    want: str | None = None
    within: str | None = None
    at_least: str | None = None
    at_most: str | None = None
    prefer: Literal["low", "high"] | None = None  # among sets of values that are equally right

    @property
    def wanted(self) -> bool:
        return self.want is not None or self.at_least is not None or self.at_most is not None


class Move(_Strict):
    """A value that may be picked: of ``element``, its ``element.parameter`` or a ``.param``, in steps of a preferred
    ``series`` (or of what is in the ``drawer``) between ``low`` and ``high``; a decade either way of what is printed where they are not given.
    ``also`` are elements that get the same value, as in the other channel."""

    element: str
    also: tuple[str, ...] = ()
    unit: str = "Ω"
    tolerance: float = Field(0.01, ge=0, lt=1)
    series: Literal["E3", "E6", "E12", "E24", "E48", "E96", "drawer"] = "E24"
    low: str | None = None
    high: str | None = None

    @property
    def elements(self) -> tuple[str, ...]:
        """All that get the value."""
        return (self.element, *self.also)


class Choice(_Strict):
    """What the builder picks: one of the ``options`` for ``part``, or values of several parts that meet the aims.

    Asked in ``setup``; where none is named, in the first that has all sources and elements it speaks of.
    """

    id: str
    title: str
    part: str = ""
    setup: str = ""
    says: str = ""
    options: tuple[Option, ...] = ()
    move: tuple[Move, ...] = ()
    aim: tuple[Aim, ...] = ()

    @model_validator(mode="after")
    def _complete(self) -> Choice:
        if self.move:
            if not any(a.wanted for a in self.aim):
                raise ValueError("a choice with moves needs an aim that says what is wanted")
        elif not self.part or len(self.options) < 2:
            raise ValueError("a choice needs a part with at least two options, or moves and aims")
        return self


class Changed(_Strict):
    """One part (or supply) of a variant, what it becomes, and why."""

    part: str
    to: str
    why: str = ""


class Variant(_Strict):
    """A kit built otherwise: another gain, another chip, other rails."""

    id: str
    title: str
    says: str = ""
    change: tuple[Changed, ...] = Field(min_length=1)


class Match(_Strict):
    """Places that should agree, two by two: legs of a difference amplifier, channels, a pair of transistors.

    ``aim`` are results that mismatch spoils, told before and after.
    """

    title: str
    pairs: tuple[tuple[str, str], ...] = Field(min_length=1)
    setup: str = ""
    says: str = ""
    aim: tuple[Aim, ...] = ()


class Trim(_Strict):
    """Turn ``trimmer`` until ``watch`` is ``fraction`` of ``supply_point``, within ``within`` (a fraction of it)."""

    id: str
    title: str
    trimmer: str
    watch: str
    supply_point: str
    fraction: float = Field(0.5, gt=0, lt=1)
    within: float = Field(0.02, gt=0, lt=1)
    setup: str = ""
    says: str = ""


class Prove(_Strict):
    """The sweep that proves the unit. Frequencies in Hz; ``max_distortion`` a fraction at each of ``stages`` (nodes)."""

    source: str
    node: str
    from_hz: float = Field(20.0, gt=0, le=1e6)
    to_hz: float = Field(20000.0, gt=0, le=1e6)
    points: int = Field(60, ge=2, le=2000)
    reference_hz: float = Field(1000.0, gt=0, le=1e6)
    max_distortion: float = Field(0.01, gt=0, lt=0.2)
    stages: tuple[str, ...] = ()
    setup: str = ""
    says: str = ""


class Chamber(_Strict):
    """Air behind drivers, which share it alike: ``inside_l`` litres between the walls, less what ``takes_l`` says by name; a port
    of ``port_mm`` length and ``bore_mm`` across where it is vented."""

    drivers: tuple[str, ...] = Field(min_length=1)
    inside_l: float = Field(gt=0, le=10_000)
    takes_l: dict[str, float] = {}
    bore_mm: float = Field(0.0, ge=0, le=1000)
    port_mm: float = Field(0.0, ge=0, le=5000)

    @property
    def net_l(self) -> float:
        """Litres that are left in all."""
        return self.inside_l - sum(self.takes_l.values())

    @property
    def each_l(self) -> float:
        """Litres that each driver works on."""
        return self.net_l / len(self.drivers)

    @property
    def tuned_hz(self) -> float:
        """Resonance of the port with the air that is left, 0 without one: H. von Helmholtz, with 0.73 of the bore added to the
        port for its two ends, one of them in a baffle (common practice)."""
        if not self.port_mm:
            return 0.0
        area, long = math.pi * (self.bore_mm / 2e3) ** 2, (self.port_mm + END_SHARE * self.bore_mm) / 1e3
        return SOUND_MS / (2 * math.pi) * math.sqrt(area / (long * self.net_l / 1e3))


class Enclosure(_Strict):
    """A box or a panel in mm, seen from the front: ``depth_mm`` 0 for a bare panel. ``board`` is where the corner of the board is that
    is nearest to the left, the bottom and the front; it lies ``behind`` the front and faces it, or ``flat`` and faces upwards; ``turned``
    by a right angle where its drawing lies across."""

    width_mm: float = Field(gt=0, le=2000)
    height_mm: float = Field(gt=0, le=2000)
    depth_mm: float = Field(0.0, ge=0, le=2000)
    wall_mm: float = Field(2.0, ge=0, le=50)
    board: tuple[float, float, float] | None = None
    lies: Literal["behind", "flat"] = "behind"
    turned: bool = False


class Metal(_Strict):
    """A metal ``part`` that is screwed to another, ``to``: its body, or the ``lug`` that is one with it. It touches ``bare`` metal, or
    paint that has to be ``scraped`` away under it, or is ``insulated``."""

    part: str
    to: str
    how: Literal["bare", "scraped", "insulated"] = "bare"
    lug: str = ""


class Throw(_Strict):
    """One setting of a switch, jack or strap. ``joins`` pairs of its lugs; or ``sets`` parameters of its element in the circuit.
    ``reads`` the places between which it is rung out when it is set so, red lead on the first."""

    name: Name
    joins: tuple[tuple[str, str], ...] = ()
    sets: Mapping[str, float] = {}
    reads: tuple[tuple[str, str], ...] = ()
    says: str = ""


class Switch(_Strict):
    """What of ``part`` is joined in each of its ``throws``; the first is how the circuit stands. A ``strap`` joins grounds, and may be
    lifted."""

    part: str
    throws: tuple[Throw, ...] = Field(min_length=2)
    strap: bool = False


class Winding(_Strict):
    """How a coil in air is wound: mm across its former and its wire, and its turns. Its package says how large it is and how it lies."""

    part: str
    inner_mm: float = Field(gt=0, le=500)
    wire_mm: float = Field(gt=0, le=10)
    turns: float = Field(gt=0, le=100_000)


class Need(_Strict):
    """A tool, a consumable or a part that the box never holds, with what it costs where that is known."""

    name: Name
    kind: Literal["tool", "consumable", "part"] = "tool"
    cost: Value | None = None


class Relation(_Strict):
    """How two parts lie to each other, which decides their order.

    ``touches``: ``part`` must touch ``to``; ``sink``: it is screwed to ``to`` before it is soldered; ``insulate``: it lies
    on ``to``, a tape or washer; ``below``: it lies below ``to``; ``bars``: it would bar the way to ``to``; ``tags``: it is soldered
    to the tags of ``to``, which is mounted first.
    """

    part: str
    how: Literal["touches", "sink", "insulate", "below", "bars", "tags"]
    to: str
    why: str = ""


class Craft(_Strict):
    """One step of cabinet work. ``minutes`` hands-on, ``wait_hours`` until the next may begin, ``open_minutes`` until glue grabs.

    ``stage`` is ``fit`` or ``prove``; ``plays`` says that the unit sounds during it, so that it is wired by then. ``after`` are ids of other such steps or verbs of the order of work (``wash``, ``mount``); ``holds_up`` verbs that wait for it.
    """

    id: str
    title: str
    stage: Stage = Stage.FIT
    says: str = ""
    minutes: float = Field(gt=0, le=600)
    wait_hours: float = Field(0.0, ge=0, le=1000)
    open_minutes: float = Field(0.0, ge=0, le=1440)
    clamps: int = Field(0, ge=0, le=100)
    after: tuple[str, ...] = ()
    holds_up: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    caution: str = ""
    plays: bool = False


class Work(_Strict):
    """What the boards want done to them: ``snap`` apart, ``wash`` off the flux (not on bare wood or tags), ``bake`` dry after it. ``letters``: it is
    joined letter to letter by leads on its back."""

    letters: bool = False
    snap: bool = False
    wash: bool = True
    bake: bool = False


class Hazard(_Strict):
    """Something that can hurt, shown before ``stage`` and confirmed deliberately."""

    id: str
    stage: Stage
    danger: str
    do: str


class KitFile(_Strict):
    """All of ``kit.toml``."""

    kit: About
    setup: tuple[Setup, ...] = ()
    supply: tuple[Supply, ...] = ()
    port: tuple[Port, ...] = ()
    control: tuple[Control, ...] = ()
    point: tuple[Point, ...] = ()
    heater: tuple[Heater, ...] = ()
    running: Running | None = None
    tone: tuple[Tone, ...] = ()
    cold: tuple[Cold, ...] = ()
    choice: tuple[Choice, ...] = ()
    variant: tuple[Variant, ...] = ()
    need: tuple[Need, ...] = ()
    relation: tuple[Relation, ...] = ()
    work: Work = Work()
    craft: tuple[Craft, ...] = ()
    chamber: tuple[Chamber, ...] = ()
    winding: tuple[Winding, ...] = ()
    metal: tuple[Metal, ...] = ()
    switch: tuple[Switch, ...] = ()
    enclosure: Enclosure | None = None
    match: tuple[Match, ...] = ()
    trim: tuple[Trim, ...] = ()
    prove: Prove | None = None
    hazard: tuple[Hazard, ...] = ()
