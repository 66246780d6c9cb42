"""What is kept beside the events so that builds can be listed without folding them: made of the events, and made anew where missing."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, ConfigDict

from nuvlo.logbook.benches import numbered


class Dries(BaseModel):
    """Something that is not dry, set or cool before ``until``."""

    model_config = ConfigDict(frozen=True)

    words: str
    until: datetime


class Card(BaseModel):
    """Where a build stands. ``events`` is how many it was made of: with more in the log it is out of date.

    ``stage`` is the one in hand, ``step`` its next thing to do; ``states`` the state of each stage in order. ``stuck`` and
    ``waits`` say why it cannot go on, ``verdict`` what a finished one came to.
    """

    model_config = ConfigDict(frozen=True)

    build: str
    events: int
    kit: str
    serial: str
    folder: str
    bench: str = "typed"
    last_at: datetime | None = None
    finished: bool = False
    stage: str = ""
    step: str = ""
    states: tuple[str, ...] = ()
    stuck: str = ""
    waits: str = ""
    dries: tuple[Dries, ...] = ()
    verdict: str = ""
    problem: str = ""  # why nothing more can be said of it

    @property
    def number(self) -> str:
        """Its serial, and that it is for practice where it is."""
        return numbered(self.serial, self.bench)
