"""Where events are kept: one SQLite database, write-ahead log, every commit on the disk before it is acknowledged."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
import time
import uuid
import zlib
from collections.abc import Iterable, Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from itertools import count
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from pydantic import ValidationError
from sqlalchemy.exc import DatabaseError, DBAPIError

from nuvlo import clock
from nuvlo.logbook.build import Build, fold
from nuvlo.logbook.errors import LogbookError, Overtaken
from nuvlo.logbook.events import BODY, Body, BuildStarted, Event, Unread, as_text, new_ids
from nuvlo.logbook.layouts import bring_up, layout_of
from nuvlo.logbook.projections import Card
from nuvlo.logbook.tail import unread_frames
from nuvlo.problems import Problem, refused

_METADATA = sa.MetaData()
_EVENTS = sa.Table(
    "events",
    _METADATA,
    sa.Column("number", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("id", sa.String(32), nullable=False, unique=True),
    sa.Column("build", sa.String(32), nullable=False, index=True),
    sa.Column("at", sa.String(40), nullable=False),
    sa.Column("body", sa.Text, nullable=False),
    sa.Column("sum", sa.Integer),  # CRC-32 of all this, so that a changed byte is told from what was entered
)
_CARDS = sa.Table(  # what builds are listed by; made of the events, and made anew where it is missing
    "cards",
    _METADATA,
    sa.Column("build", sa.String(32), primary_key=True),
    sa.Column("card", sa.Text, nullable=False),
)
VERSION = 2  # the layout of the log, as :mod:`nuvlo.logbook.layouts` counts them: a newer program's log is opened for viewing only
MOST_SALVAGED = 200_000  # entries that are looked for one by one
SUMMED = 2  # the first whose entries carry a sum
LOOK_AGAIN = 0.05  # s
LOCK_WAIT = 3.0  # s to wait for another program to let go of the database


class Logbook:
    """All builds of one workshop. ``place`` is a file, or any SQLAlchemy URL."""

    def __init__(self, place: Path | str, *, lock_wait: float = LOCK_WAIT) -> None:
        self.path = Path(place) if "://" not in str(place) else None
        self.name = self.path.name if self.path else str(place)
        self.read_only = self.newer = False
        self.salvaged: int | None = None  # entries that can still be read of a damaged log
        self.cut_short: Path | None = None  # a copy of a write-ahead log whose end cannot be read
        self._copy: tempfile.TemporaryDirectory[str] | None = None
        self._lock_wait = lock_wait
        url = str(place)
        if self.path is not None:
            opened = self.path
            with self._explained("opened"):
                if self._is_new():
                    self._set_out()
                else:
                    self._look_at_tail()
                    if self._not_writable():
                        opened = self._readable_copy()
            url = f"sqlite:///{opened}"
        self._engine = self._engine_for(url)
        with self._explained("opened"):
            if self.path is not None and not self._sound():
                self._engine.dispose()
                self._engine = self._engine_for(f"sqlite:///{self._salvage()}")
            if url.startswith("sqlite"):
                self._bring_up_to_date()
            if not self.newer:
                with self._writing() as connection:
                    _METADATA.create_all(connection)

    def _engine_for(self, url: str) -> sa.Engine:
        plain = not url.startswith("sqlite")
        made = sa.create_engine(
            url, connect_args={} if plain else {"timeout": self._lock_wait, "check_same_thread": False}
        )
        if not plain:
            sa.event.listen(made, "connect", _durable)
            sa.event.listen(made, "begin", _begin)
        return made

    def _sound(self) -> bool:
        """Whether all of the database can be read: tables, indices, and that they agree."""
        try:
            with self._engine.connect() as connection:
                return bool(connection.exec_driver_sql("PRAGMA integrity_check(1)").scalar() == "ok")
        except UnicodeError:
            return False
        except DatabaseError as error:
            if _is_damage(error) or "disk i/o" in str(error.orig).lower():  # it ends too soon
                return False
            raise

    def _look_at_tail(self) -> None:
        """Keep a write-ahead log whose end cannot be read: SQLite would go on without a word and write over it."""
        assert self.path is not None
        if not unread_frames(self.path):
            return
        time.sleep(LOOK_AGAIN)  # a log that somebody is writing to may look so for a moment
        log = self.path.with_name(f"{self.path.name}-wal")
        if not unread_frames(self.path):
            return
        self.cut_short = log.with_name(f"{log.name}.damaged-{datetime.now():%Y%m%d-%H%M%S}")
        with suppress(OSError):
            shutil.copyfile(log, self.cut_short)

    @property
    def warning(self) -> str:
        """What is to be known before going on; empty where all is as it was entered."""
        if self.cut_short is None:
            return ""
        kept = f" The damaged log is kept as '{self.cut_short.name}'." if self.cut_short.exists() else ""
        return f"The end of the log cannot be read: what was entered last is missing. Look at the newest entries of each build before you go on.{kept}"

    def _salvage(self) -> Path:
        """A database of its own with every entry that can still be read of a damaged one, for viewing.

        Raises :class:`LogbookError` where there is none.
        """
        broken = self._readable_copy()
        found: dict[int, tuple[object, ...]] = {}
        version = SUMMED
        with closing(sqlite3.connect(broken)) as database:
            database.text_factory = lambda data: data.decode("utf-8", "replace")
            with suppress(sqlite3.Error, UnicodeError):
                database.execute("PRAGMA writable_schema=ON")  # else a file shorter than it says is not read at all
                version = database.execute("PRAGMA user_version").fetchone()[0]
            total = "sum" if version >= SUMMED else "NULL"  # without its sum nothing of a newer one is to be trusted
            rows = f"SELECT number, id, build, at, body, {total} FROM events"
            for way in ("ASC", "DESC"):  # from either end as far as it goes
                with suppress(sqlite3.Error, UnicodeError):
                    for row in database.execute(f"{rows} ORDER BY number {way}"):
                        if isinstance(row[0], int):  # else the table is not what it was
                            found.setdefault(row[0], row)
            last = max(found, default=0)
            with suppress(sqlite3.Error, UnicodeError, TypeError, ValueError):
                counted = database.execute("SELECT seq FROM sqlite_sequence WHERE name = 'events'").fetchone()
                last = max(last, int(counted[0]))
            for number in range(1, min(last, MOST_SALVAGED) + 1):  # then one by one what lies between
                if number not in found:
                    with suppress(sqlite3.Error, UnicodeError):
                        for row in database.execute(f"{rows} WHERE number = ?", (number,)):
                            found[number] = row
        if not found:
            raise LogbookError(self._damaged())
        whole = broken.with_name("salvaged.db")
        self._make(whole)
        with closing(sqlite3.connect(whole)) as database, database:
            for row in sorted(
                found.values(), key=lambda row: (str(row[3]), row[0])
            ):  # its numbers may be what is wrong
                with suppress(sqlite3.IntegrityError):
                    database.execute("INSERT INTO events (id, build, at, body, sum) VALUES (?, ?, ?, ?, ?)", row[1:])
        self.salvaged = len(found)
        return whole

    def _bring_up_to_date(self) -> None:
        """Look at the layout of a log: an older one is kept beside as it was, a newer one is for viewing only."""
        with self._engine.connect() as connection:
            layout = layout_of(connection)
            there = sa.inspect(connection).has_table(_EVENTS.name)
            filled = there and connection.execute(sa.select(sa.func.count()).select_from(_EVENTS)).scalar()
        if layout > VERSION:
            self.read_only = self.newer = True
            return
        if layout == VERSION:
            return
        if filled and self.path is not None and not self.read_only:
            beside = self.path.with_name(f"{self.path.name}.before-{datetime.now():%Y%m%d-%H%M%S-%f}")
            half = self.path.with_name(f".{self.path.name}-{uuid.uuid4().hex[:8]}")  # until it is whole
            try:
                with self._writing(transaction=False) as connection:
                    connection.exec_driver_sql("VACUUM INTO ?", (str(half),))
                half.replace(beside)
            finally:
                half.unlink(missing_ok=True)
        with self._writing() as connection:
            if layout_of(connection) < VERSION:  # else another program was quicker
                bring_up(connection, VERSION)

    def close(self) -> None:
        """Bring the log's files together and let go of them."""
        self.checkpoint()
        self._engine.dispose()
        if self._copy is not None:
            self._copy.cleanup()

    def checkpoint(self) -> None:
        """Bring what stands in the write-ahead log into the database itself, where nobody else is at it."""
        if self.path is None or self.read_only:
            return
        with suppress(DatabaseError), self._writing(transaction=False) as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")

    def copy_to(self, path: Path) -> None:
        """Write the database, whole as of this moment, to a file that is not there yet."""
        with self._explained("copied"), self._writing(transaction=False) as connection:
            connection.exec_driver_sql("VACUUM INTO ?", (str(path),))

    def mark(self) -> object:
        """Changes when somebody has written. Quick: nothing is opened."""
        if self.path is None:
            return None
        found = []
        for suffix in ("", "-wal"):
            try:
                of = self.path.with_name(self.path.name + suffix).stat()
            except OSError:
                continue
            found.append((suffix, of.st_mtime_ns, of.st_size))
        return tuple(found)

    # -- writing ----------------------------------------------------------------------------------------------

    def start(self, kit: str, folder: str, serial: str | None = None, bench: str = "typed") -> Build:
        """A new build of a kit; without a ``serial`` it gets the first that no other build of the kit has."""
        build_id = uuid.uuid4().hex
        with self._written() as connection:
            body = BuildStarted(kit=kit, folder=folder, serial=serial or self._free(connection, kit), bench=bench)
            _insert(connection, build_id, (body,))
        return self.build(build_id)

    @staticmethod
    def _free(connection: sa.Connection, kit: str) -> str:
        begun = sa.select(_EVENTS.c.body).where(_EVENTS.c.body.like('%"build_started"%'))
        taken = set()
        for (text,) in connection.execute(begun):
            with suppress(ValidationError, TypeError, ValueError):
                body = BODY.validate_json(text)
                if isinstance(body, BuildStarted) and body.kit == kit:
                    taken.add(body.serial)
        return next(serial for k in count(1) if (serial := f"{k:03d}") not in taken)

    def append(self, build_id: str, *bodies: Body, seen: int | None = None) -> tuple[Event, ...]:
        """Add events in one transaction. When this returns they are on the disk.

        ``seen`` is how many events of the build the writer knows: where there are others by now, :class:`Overtaken` is
        raised. Raises :class:`LogbookError` when nothing could be written; then none of ``bodies`` was.
        """
        with self._written() as connection:
            if seen is not None:
                there = sa.select(sa.func.count()).select_from(_EVENTS).where(_EVENTS.c.build == build_id)
                if connection.execute(there).scalar() != seen:
                    raise Overtaken(
                        Problem("another window has gone on with this build.", "Look, then enter it again.")
                    )
            return _insert(connection, build_id, bodies)

    def take_over(self, events: Sequence[Event], card: Card) -> None:
        """Write the whole log of a build that was carried out elsewhere, with its ids and times, and the card that goes with it."""
        with self._written() as connection:
            _write(connection, events)
            connection.execute(sa.insert(_CARDS), [{"build": card.build, "card": card.model_dump_json()}])

    def refuse_changes(self) -> None:
        """Raises :class:`LogbookError` where this workshop can only be viewed."""
        if not self.read_only:
            return
        raise LogbookError(Problem("this workshop can be viewed but not changed.", self.why_read_only, self.name))

    @property
    def why_read_only(self) -> str:
        """Why it can only be viewed, and what to do about it; empty where it can be written."""
        if self.salvaged is not None:
            return f"Its log is damaged: {self.salvaged} entries of it can still be read. Restore your last backup to go on."
        if self.newer:
            return "A newer Nuvlo wrote it: go on building with that one."
        return "Make its folder writable to go on building." if self.read_only else ""

    @contextmanager
    def _written(self) -> Iterator[sa.Connection]:
        """One transaction that writes: no other program can until it has ended."""
        self.refuse_changes()
        with self._explained("written"), self._writing() as connection:
            yield connection

    @contextmanager
    def _writing(self, *, transaction: bool = True) -> Iterator[sa.Connection]:
        with self._engine.connect() as plain:
            connection = plain.execution_options(writes=transaction, reads=transaction)
            with connection.begin():
                yield connection

    def _is_new(self) -> bool:
        """Whether there is no database yet. One of no bytes was one: ours are never seen before they are whole."""
        assert self.path is not None
        try:
            size = self.path.stat().st_size
        except FileNotFoundError:
            return True
        if size == 0:
            raise LogbookError(self._damaged())
        return False

    def _set_out(self) -> None:
        """An empty database, made beside and put in its place whole: of several programs that do so the first counts."""
        assert self.path is not None
        self.path.parent.mkdir(parents=True, exist_ok=True)
        beside = self.path.with_name(f".{self.path.name}-{uuid.uuid4().hex[:8]}")
        try:
            self._make(beside)
            try:
                os.link(beside, self.path)
            except FileExistsError:
                pass
            except OSError:  # a stick or a share may know no links
                if not self.path.exists():
                    beside.replace(self.path)
        finally:
            for suffix in ("", "-wal", "-shm"):
                beside.with_name(beside.name + suffix).unlink(missing_ok=True)

    @staticmethod
    def _make(path: Path) -> None:
        """Write an empty database."""
        made = sa.create_engine(f"sqlite:///{path}")
        sa.event.listen(made, "connect", _durable)
        _METADATA.create_all(made)
        with made.connect() as connection:
            connection.exec_driver_sql(f"PRAGMA user_version = {VERSION}")
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        made.dispose()

    # -- reading ----------------------------------------------------------------------------------------------

    def events(self, build_id: str, after: int = 0) -> list[Event]:
        """Events of a build, oldest first, but for so many of the first."""
        query = sa.select(_EVENTS).where(_EVENTS.c.build == build_id).order_by(_EVENTS.c.number)
        if after:
            query = query.offset(after)
        with self._explained("read"), self._engine.connect() as connection:
            rows = connection.execute(query).all()
        out: list[Event] = []
        for row in rows:
            before = out[-1].at if out else datetime.min.replace(tzinfo=UTC)
            out.append(_event(row.id, row.build, row.at, row.body, row.sum, before))
        return out

    def build(self, build_id: str) -> Build:
        """Present state of a build."""
        return fold(build_id, self.events(build_id))

    def builds(self) -> list[Build]:
        """All builds, oldest first."""
        query = sa.select(_EVENTS.c.build).group_by(_EVENTS.c.build).order_by(sa.func.min(_EVENTS.c.number))
        with self._explained("read"), self._engine.connect() as connection:
            ids = [str(r[0]) for r in connection.execute(query).all()]
        return [self.build(i) for i in ids]

    # -- listing ----------------------------------------------------------------------------------------------

    def counts(self) -> dict[str, int]:
        """How many events each build has, oldest build first."""
        query = (
            sa.select(_EVENTS.c.build, sa.func.count())
            .group_by(_EVENTS.c.build)
            .order_by(sa.func.min(_EVENTS.c.number))
        )
        with self._explained("read"), self._engine.connect() as connection:
            return {str(build): int(count) for build, count in connection.execute(query).all()}

    def cards(self) -> dict[str, Card]:
        """Kept cards by build, as far as they can be read; some may be out of date."""
        with self._explained("read"), self._engine.connect() as connection:
            rows = connection.execute(sa.select(_CARDS)).all()
        out = {}
        for row in rows:
            with suppress(ValidationError):  # of another version: made anew
                out[str(row.build)] = Card.model_validate_json(row.card)
        return out

    def keep_card(self, card: Card) -> None:
        """Keep a card in place of the one before. Raises :class:`LogbookError` where it cannot be written."""
        with self._written() as connection:
            connection.execute(sa.delete(_CARDS).where(_CARDS.c.build == card.build))
            connection.execute(sa.insert(_CARDS), [{"build": card.build, "card": card.model_dump_json()}])

    # -- what can go wrong ------------------------------------------------------------------------------------

    def _not_writable(self) -> bool:
        assert self.path is not None
        return not (os.access(self.path, os.W_OK) and os.access(self.path.parent, os.W_OK))

    def _readable_copy(self) -> Path:
        """A copy with its write-ahead log, so that the newest events of a read-only workshop are seen too."""
        assert self.path is not None
        self.read_only = True
        self._copy = tempfile.TemporaryDirectory(prefix="nuvlo-")
        target = Path(self._copy.name) / self.path.name
        for suffix in ("", "-wal"):
            source = self.path.with_name(self.path.name + suffix)
            if source.exists():
                shutil.copyfile(source, target.with_name(target.name + suffix))
        return target

    def _damaged(self) -> Problem:
        return Problem(
            "is damaged and was left as it is.",
            "Put a copy of it aside, then restore your last backup; the kits themselves are not touched.",
            self.name,
        )

    @contextmanager
    def _explained(self, doing: str) -> Iterator[None]:
        try:
            yield
        except DatabaseError as error:
            raise LogbookError(self._explain(error, doing)) from error
        except UnicodeError as error:  # not even what is wrong with it can be told
            raise LogbookError(self._damaged()) from error
        except OSError as error:
            why, remedy = refused(error)
            folder = self.path.parent if self.path is not None else self.name
            raise LogbookError(Problem(f"could not be {doing} in '{folder}': {why}.", f"{remedy} Or name another folder.", self.name)) from error

    def _explain(self, error: DBAPIError, doing: str) -> Problem:
        text = str(error.orig).lower()
        kept = "What was entered before is kept; this last entry is not."
        if "locked" in text or "busy" in text:
            return Problem(f"could not be {doing}: another program holds the logbook.",
                           f"Close it and try again. {kept}", self.name)  # fmt: skip
        if _is_damage(error):
            return self._damaged()
        if "full" in text or "disk i/o" in text or "too large" in text:
            return Problem(f"could not be {doing}: the disk is full or refuses to write.",
                           f"Free some space and enter it again. {kept}", self.name)  # fmt: skip
        if "readonly" in text or "unable to open" in text:
            return Problem(f"could not be {doing}: no permission to write there.",
                           f"Make its folder writable. {kept}", self.name)  # fmt: skip
        return Problem(f"could not be {doing}: {error.orig}.", kept, self.name)


def _is_damage(error: DBAPIError) -> bool:
    text = str(error.orig).lower()
    return any(word in text for word in ("not a database", "malformed", "unsupported file format"))


def _insert(connection: sa.Connection, build_id: str, bodies: Sequence[Body]) -> tuple[Event, ...]:
    """Write events that happen now at the end of a build's log."""
    now = clock.now().astimezone(UTC)
    made = tuple(
        Event(id=new, build=build_id, at=now, body=body) for new, body in zip(new_ids(len(bodies)), bodies, strict=True)
    )
    _write(connection, made)
    return made


def _write(connection: sa.Connection, made: Iterable[Event]) -> None:
    rows = []
    for e in made:
        assert not isinstance(e.body, Unread), "what cannot be read is never written"
        at, text = e.at.astimezone(UTC).isoformat(), as_text(e.body)
        rows.append({"id": e.id, "build": e.build, "at": at, "body": text, "sum": _sum(e.id, e.build, at, text)})
    connection.execute(sa.insert(_EVENTS), rows)


def _begin(connection: sa.Connection) -> None:
    """Whoever is going to write says so at the beginning: two that only find out later would stand in each other's way."""
    options = connection.get_execution_options()
    if options.get("reads", True):
        connection.exec_driver_sql("BEGIN IMMEDIATE" if options.get("writes") else "BEGIN")


def _durable(connection: Any, _record: object) -> None:
    """Settings of each new connection: a commit is on the disk before it returns."""
    connection.isolation_level = None  # transactions are begun by :func:`_begin` alone
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")
    cursor.close()
    # A bad byte spoils the row it stands in, not the reading of all.
    connection.text_factory = lambda data: data.decode("utf-8", "replace")


def _sum(event_id: str, build: str, at: str, body: str) -> int:
    return zlib.crc32(f"{event_id}|{build}|{at}|{body}".encode("utf-8", "surrogatepass"))


def _event(event_id: str, build: str, at: str, body: str, total: int | None, before: datetime) -> Event:
    """One row as an event; what cannot be read of it, or is not as it was written, is set aside with the reason."""
    try:
        when = datetime.fromisoformat(at)
    except (TypeError, ValueError):
        when = before
    if total is not None and total != _sum(event_id, build, at, body):
        return Event(id=str(event_id), build=str(build), at=when, body=Unread(why="it is not as it was written"))
    try:
        return Event(id=event_id, build=build, at=when, body=BODY.validate_json(body))
    except (ValidationError, TypeError, ValueError) as bad:
        return Event(id=str(event_id), build=str(build), at=when, body=Unread(why=str(bad).splitlines()[0]))
