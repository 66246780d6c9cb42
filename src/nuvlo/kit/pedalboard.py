"""What stands between an instrument and its amplifiers, piece by piece: a plan of a pedalboard's interface."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator


class Piece(BaseModel):
    """One piece of the way, behind the one ``after`` it names (the one written before it, where it names none).

    ``source`` a guitar's pickup with its controls; ``cable`` of so many ``metres``; ``jack`` a port that is plugged into; ``buffer``; ``pedal``
    whose bypass is true or, ``buffered``, is not; ``loop`` an insert point, send and return, whose normal joins the two while nothing is
    plugged in; ``amplifier`` at the end, of so many ``ohms``.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["source", "cable", "jack", "buffer", "pedal", "loop", "amplifier"]
    name: str = ""
    after: str = ""
    metres: float = Field(0.0, ge=0, le=100)
    pf_per_metre: float = Field(100.0, ge=0, le=1000)
    ohms: float = Field(1e6, gt=0, le=1e9)
    buffered: bool = False
    in_use: bool = True
    milliamperes: float = Field(3.0, ge=0, le=1000)
    says: str = ""


class Plan(BaseModel):
    """A plan: what it is for, the volts it is fed with, and its pieces in order."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    title: str
    says: str = ""
    volts: float = Field(9.0, ge=5, le=36)
    piece: tuple[Piece, ...] = Field(min_length=2, max_length=60)

    @model_validator(mode="after")
    def _joined(self) -> Plan:
        """Every piece has a name, and follows one that was written before it."""
        seen: list[str] = []
        pieces = []
        for k, one in enumerate(self.piece):
            name = one.name or f"{one.kind} {sum(p.kind == one.kind for p in self.piece[: k + 1])}"
            if name in seen:
                raise ValueError(f"two pieces are called '{name}'")
            after = one.after or (seen[-1] if seen and one.kind != "source" else "")
            if (after and after not in seen) or (not after) != (one.kind == "source"):
                raise ValueError(f"'{name}' comes after '{after}', which is no piece before it" if after else f"'{name}' follows nothing")
            seen.append(name)
            pieces.append(one.model_copy(update={"name": name, "after": after}))
        object.__setattr__(self, "piece", tuple(pieces))
        return self
