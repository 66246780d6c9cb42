"""A command: which row of the table it is, and what it was given."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from nuvlo.workshop.commands.arguments import Nothing

NOTHING = Nothing()


@dataclass(frozen=True)
class Command:
    """``verb`` names the row; ``given`` is of the type its reader gives; ``echo`` says in plain words what will happen."""

    verb: str
    given: Any = NOTHING
    echo: str = ""
