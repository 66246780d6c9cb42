"""Cards of a workshop read without its engine, for the moment in which that is still loading."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from pydantic import ValidationError

from nuvlo.logbook.projections import Card

WAIT = 0.1  # s for another program to let go of the database: there is a longer way that waits


def cards_at_a_glance(file: Path) -> list[Card] | None:
    """The card of every build in a logbook, oldest build first, in which nothing is written. None where one is missing or not of
    the newest entries, or the file cannot be read as it is: then the logbook is opened, which finds out why."""
    try:
        with closing(sqlite3.connect(f"{file.resolve().as_uri()}?mode=ro", uri=True, timeout=WAIT)) as database:
            counted = database.execute("SELECT build, COUNT(*) FROM events GROUP BY build ORDER BY MIN(number)").fetchall()
            kept = {build: Card.model_validate_json(card) for build, card in database.execute("SELECT build, card FROM cards")}
    except (sqlite3.Error, ValidationError, UnicodeError):
        return None
    cards = [kept[build] for build, events in counted if build in kept and kept[build].events == events]
    return cards if len(cards) == len(counted) else None
