"""The shelf: what is in hand, what is finished, which kits are not begun."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from nuvlo import clock
from nuvlo.files.kit_folder import Cover, cover_of
from nuvlo.kit import Stage
from nuvlo.logbook.projections import Card, Dries
from nuvlo.problems import NuvloError
from nuvlo.workshop.places import SHIPPED, SHIPPED_PREFIX
from nuvlo.workshop.session import Session
from nuvlo.workshop.snapshot import Snapshot
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
    cards = sorted(_cards(workshop), key=lambda c: c.last_at.timestamp() if c.last_at else 0.0, reverse=True)
    return Shelf(
        tuple(sorted((c for c in cards if not c.finished), key=lambda c: not (c.stuck or c.problem))), tuple(c for c in cards if c.finished), tuple(_kits(workshop, cards))
    )


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
    kept, now = workshop.logbook.cards(), clock.now()
    out = []
    for build_id, events in workshop.logbook.counts().items():
        card = kept.get(build_id)
        if card is None or card.events != events or any(one.until <= now for one in card.dries):  # what dried has let a step go on
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


def _kits(workshop: Workshop, cards: list[Card]) -> list[Cover]:
    """Kits in the workshop's folder, those that its builds are made of, and the shipped ones where it uses any."""
    folders: dict[Path, None] = {}
    if any(c.folder.startswith(SHIPPED_PREFIX) for c in cards) or not cards:
        folders |= dict.fromkeys(sorted(f for f in SHIPPED.iterdir() if (f / "bom.csv").exists()))
    own = workshop.places.kits
    if own.is_dir():
        folders |= dict.fromkeys(sorted(f for f in own.iterdir() if (f / "bom.csv").exists()))
    folders |= dict.fromkeys(Path(c.folder) for c in cards if c.folder and not c.folder.startswith(SHIPPED_PREFIX))
    return sorted((cover_of(f) for f in folders if f.is_dir()), key=lambda c: c.name.lower())
