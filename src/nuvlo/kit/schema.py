"""The schema of ``kit.toml``. ``docs/kit-format.md`` says the same for people."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from nuvlo.quantity import UnreadableValue, parse_value


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


Value = Annotated[float, BeforeValidator(_as_builders_write)]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class About(_Strict):
    """What the kit is."""

    name: str
    family: str = ""
    revision: str = ""
    says: str = ""


class Supply(_Strict):
    """A supply and where it enters. ``volts`` V, ``tolerance`` a fraction, ``current_limit`` A for the first power."""

    name: str
    element: str
    node: str
    volts: Value
    tolerance: float = Field(0.05, ge=0, lt=1)
    current_limit: Value = 0.1
    point: str | None = None


class Port(_Strict):
    """A signal input or output."""

    name: str
    kind: Literal["input", "output"]
    node: str
    element: str | None = None


class Control(_Strict):
    """A pot or trimmer. ``start`` is its position at first power, 0 anticlockwise to 1 clockwise."""

    name: str
    ref: str
    kind: Literal["pot", "trimmer"] = "pot"
    travel_deg: float = Field(270.0, gt=0)
    start: float = Field(0.5, ge=0, le=1)


class Point(_Strict):
    """A test point: a node measured against ``reference``."""

    name: str
    node: str
    reference: str = "0"
    says: str = ""


class Option(_Strict):
    """One value a choice allows."""

    value: str
    says: str = ""


class Choice(_Strict):
    """A part whose value the builder picks."""

    id: str
    title: str
    part: str
    says: str = ""
    options: tuple[Option, ...] = Field(min_length=2)


class Trim(_Strict):
    """Turn ``trimmer`` until ``watch`` is ``fraction`` of ``supply_point``, within ``within`` (a fraction of it)."""

    id: str
    title: str
    trimmer: str
    watch: str
    supply_point: str
    fraction: float = Field(0.5, gt=0, lt=1)
    within: float = Field(0.02, gt=0, lt=1)
    says: str = ""


class Prove(_Strict):
    """The sweep that proves the unit. Frequencies in Hz; ``max_distortion`` a fraction at each of ``stages`` (nodes)."""

    source: str
    node: str
    from_hz: float = Field(20.0, gt=0)
    to_hz: float = Field(20000.0, gt=0)
    points: int = Field(60, ge=2, le=2000)
    reference_hz: float = Field(1000.0, gt=0)
    max_distortion: float = Field(0.01, gt=0, lt=0.2)
    stages: tuple[str, ...] = ()
    says: str = ""


class Hazard(_Strict):
    """Something that can hurt, shown before ``stage`` and confirmed deliberately."""

    id: str
    stage: Stage
    danger: str
    do: str


class KitFile(_Strict):
    """All of ``kit.toml``."""

    kit: About
    supply: tuple[Supply, ...] = ()
    port: tuple[Port, ...] = ()
    control: tuple[Control, ...] = ()
    point: tuple[Point, ...] = ()
    choice: tuple[Choice, ...] = ()
    trim: tuple[Trim, ...] = ()
    prove: Prove | None = None
    hazard: tuple[Hazard, ...] = ()
