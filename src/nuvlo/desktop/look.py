"""How the window looked when it was last closed: light, place and lanes, as plain JSON in the user's own folder of settings.

It is of a user and a screen, not of a workshop: no backup holds it, none brings it back, and nothing in a workshop's folder can set it.
"""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nuvlo.files.whole import text_of, write_whole
from nuvlo.problems import NuvloError

Place = Annotated[int, Field(ge=-100_000, le=100_000)]  # px, of whatever screens there are
Extent = Annotated[int, Field(ge=1, le=100_000)]  # px


class Look(BaseModel):
    """Light, where the window stands and how wide its lanes are. All but the light is left out where it was never set."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True)
    theme: Literal["daylight", "lamp"] = "daylight"
    place: tuple[Place, Place, Extent, Extent] | None = Field(None, strict=False)  # left, top, width, height
    filling: bool = False  # the whole screen
    lanes: tuple[Extent, Extent, Extent] | None = Field(None, strict=False)


def look_file() -> Path:
    """Where the look of the window is kept."""
    from platformdirs import user_config_path

    return user_config_path("nuvlo", appauthor=False) / "window.json"


def read_look(path: Path | None) -> Look:
    """The look kept in ``path``; the usual one where there is none, or it is not what this module writes."""
    if path is None or not path.exists():
        return Look()
    try:
        return Look.model_validate_json(text_of(path))
    except (NuvloError, ValidationError) as bad:
        logging.getLogger("nuvlo").warning("the look of the window is not to be read: %s", bad)
        return Look()


def keep_look(look: Look, path: Path | None) -> None:
    """Keep ``look``. A folder that takes no file is noted in the log: nothing of a build is lost by it."""
    if path is None:
        return
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, lambda there: there.write_text(look.model_dump_json(indent=1), encoding="utf-8"))
    except OSError as bad:
        logging.getLogger("nuvlo").warning("the look of the window cannot be kept: %s", bad)
