"""The shelf: what is in hand, what is finished, which kits are not begun."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nuvlo import clock
from nuvlo.files.kit_folder import Cover, cover_of
from nuvlo.kit import Stage
from nuvlo.logbook.glance import cards_at_a_glance
from nuvlo.logbook.projections import Card, Dries
from nuvlo.problems import NuvloError
from nuvlo.workshop.places import SHIPPED, SHIPPED_PREFIX, Places
from nuvlo.workshop.session import Session
from nuvlo.workshop.snapshot import Snapshot

if TYPE_CHECKING:  # it brings SQLAlchemy, and a shelf is seen before that has loaded
    from nuvlo.workshop.workshop import Workshop


@dataclass(frozen=True)
class Shelf:
    """All of a workshop, builds newest first, of those in hand what is stuck before the others. ``kits`` are those within reach, begun or not."""

    in_hand: tuple[Card, ...]
    finished: tuple[Card, ...]
    kits: tuple[Cover, ...]

    @property
    def cards(self) -> tuple[Card, ...]:
        return self.in_hand + self.finished


def shelf(workshop: Workshop) -> Shelf:
    """What stands on the shelf. Builds whose card is out of date are looked at anew, which takes longer."""
    return _in_order(_cards(workshop), workshop.places)


def shelf_at_a_glance(folder: Path) -> Shelf | None:
    """What stood on the shelf of the workshop in ``folder`` when it was closed, as long as all of it still holds; read before the
    workshop is open. None where it has to be looked over, or where there is no build."""
    places = Places(folder)
    cards = cards_at_a_glance(places.logbook)
    return _in_order(cards, places) if cards and not any(map(_has_dried, cards)) else None


def _in_order(cards: Iterable[Card], places: Places) -> Shelf:
    newest = sorted(cards, key=lambda c: c.last_at.timestamp() if c.last_at else 0.0, reverse=True)
    in_hand = sorted((c for c in newest if not c.finished), key=lambda c: not (c.stuck or c.problem))
    return Shelf(tuple(in_hand), tuple(c for c in newest if c.finished), tuple(_kits(places, newest)))


def _has_dried(card: Card) -> bool:
    """Whether something has dried since, so that a step can go on that waited for it."""
    return any(one.until <= clock.now() for one in card.dries)


def keep_card(session: Session) -> None:
    """Keep what the shelf says of a build, so that it need not be folded to be listed."""
    if not session.read_only:
        session.log.keep_card(card_of(session.snapshot()))


def card_of(shown: Snapshot) -> Card:
    """What the shelf says of one state of a build."""
    build, now = shown.build, shown.now()
    stuck = next((f for s in Stage for f in shown.findings(s) if f.stuck), None)
    finished = bool(build.exports) and now is None
    waits = now.words if now is not None and now.waits else ""
    posted = [ref for ref, mark in build.marks.items() if mark == "posted"]
    if not waits and posted:
        waits = f"{', '.join(posted)} {'is' if len(posted) == 1 else 'are'} in the post."
    return Card(
        build=build.id, events=build.events, kit=build.kit, serial=build.serial, folder=build.folder, bench=build.bench,
        last_at=build.last_at, finished=finished, stage=shown.stage.value,
        step=now.task.title if now else "", states=tuple(s.state for s in shown.path()),
        stuck=stuck.words or stuck.task.title if stuck else "", waits=waits,
        dries=() if finished else tuple(Dries(words=r.words_before_moment, until=r.until) for r in shown.running()),
        verdict=shown.sheet().overall if build.exports else "",
    )  # fmt: skip


def _cards(workshop: Workshop) -> list[Card]:
    kept = workshop.logbook.cards()
    out = []
    for build_id, events in workshop.logbook.counts().items():
        card = kept.get(build_id)
        if card is None or card.events != events or _has_dried(card):
            card = _anew(workshop, build_id)
        out.append(card)
    return out


def _anew(workshop: Workshop, build_id: str) -> Card:
    """The card of a build made from its events; where its kit is gone, it says so."""
    try:
        session = workshop.open(build_id)
        keep_card(session)
        return card_of(session.snapshot())
    except NuvloError as bad:
        build = workshop.logbook.build(build_id)
        return Card(
            build=build_id, events=build.events, kit=build.kit, serial=build.serial, folder=build.folder, bench=build.bench,
            last_at=build.last_at, finished=False, problem=str(bad.problems[0]),
        )  # fmt: skip


def _kits(places: Places, cards: list[Card]) -> list[Cover]:
    """Kits in the workshop's folder, those that its builds are made of, and the shipped ones where it uses any."""
    folders: dict[Path, None] = {}
    if any(c.folder.startswith(SHIPPED_PREFIX) for c in cards) or not cards:
        folders |= dict.fromkeys(sorted(f for f in SHIPPED.iterdir() if (f / "bom.csv").exists()))
    own = places.kits
    if own.is_dir():
        folders |= dict.fromkeys(sorted(f for f in own.iterdir() if (f / "bom.csv").exists()))
    folders |= dict.fromkeys(Path(c.folder) for c in cards if c.folder and not c.folder.startswith(SHIPPED_PREFIX))
    return sorted((cover_of(f) for f in folders if f.is_dir()), key=lambda c: c.name.lower())
