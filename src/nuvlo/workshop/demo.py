"""The demo workshop: kits on the shelf, some builds half-way, some finished, one misbehaving. Made by the program's own commands."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from nuvlo.clock import standing
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.whole import write_whole
from nuvlo.kit import Stage
from nuvlo.logbook.events import Event
from nuvlo.logbook.projections import Card
from nuvlo.progress import pause
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.journey import run
from nuvlo.workshop.papers import write_sheet
from nuvlo.workshop.places import SHIPPED
from nuvlo.workshop.session import Session
from nuvlo.workshop.shelf import keep_card
from nuvlo.workshop.workshop import Workshop

ON_THE_BENCH = Path(__file__).parents[1] / "demo" / "bench"  # the demo's drawer, and a parts list to read in
WRITTEN_DOWN = ON_THE_BENCH.parent / "logbook.json"  # the scenes as they were carried out, made by make demo-log
SET_OUT = "demo-is-set-out"  # a file that says the scenes are all there
FIRST_SEED = 7  # of the demo's first unit
AGO = timedelta(days=2)  # that a scene began, so that what dried in it is dry by now
NAME = "Saltmarsh Sound Shed"


@dataclass(frozen=True)
class Scene:
    """One build of the demo: how far it goes, and what is typed first and last. ``bench`` as builds remember it."""

    kit: str
    bench: str
    until: Stage | None = None  # None: to the end, or to where it is stuck
    step: str = ""  # the title that the step in hand begins with
    first: tuple[str, ...] = ()
    last: tuple[str, ...] = ()


SCENES = (
    Scene("gorsefire", f"simulated:{FIRST_SEED}"),
    Scene("gorsefire", f"simulated:{FIRST_SEED + 1}:q1.bf=12", last=("note thin and quiet beside 001",)),
    Scene("reedling", "simulated:11", Stage.UNPACK, "Measure R3", first=("tray section",)),
    Scene("millrace", "simulated:12", Stage.UNPACK, "Find C", first=("u1 posted",)),
    Scene("barrowmoor", "typed", Stage.FIT, "Glue", first=("stage fit",), last=("begin", "next")),
    Scene("tollgate", "simulated:14", Stage.FIT, "Solder"),
    Scene("gorsefire", f"simulated:{FIRST_SEED + 2}", Stage.HOOK_UP, "Wire 4"),
)  # fmt: skip


def demo_workshop(folder: Path, *, another: bool = False) -> Workshop:
    """The demo workshop in ``folder``, set out when it is new; with ``another``, one more Gorsefire is begun."""
    workshop = Workshop(folder)
    if workshop.logbook.read_only:
        return workshop
    for file in ON_THE_BENCH.iterdir():
        if not (workshop.places.folder / file.name).exists():
            data = file.read_bytes()
            write_whole(workshop.places.folder / file.name, partial(_put, data))
    done = workshop.places.folder / SET_OUT
    if not done.exists():
        for scene in SCENES[len(workshop.logbook.counts()) :]:
            pause(f"{scene.kit.capitalize()}")
            if not take_over(workshop, scene):
                play(workshop, scene)
        done.touch()
    if another:
        begun = len(workshop.builds())
        workshop.start(read_kit(SHIPPED / "gorsefire"), bench=f"simulated:{FIRST_SEED + begun}")
    return workshop


def _put(data: bytes, there: Path) -> None:
    there.write_bytes(data)


def take_over(workshop: Workshop, scene: Scene) -> bool:
    """Put a scene in as :func:`carried_out` wrote it down, as if it had ended just now. False where it is not written down."""
    written = _written_down().get(repr(scene))
    if written is None:
        return False
    now = datetime.now().astimezone()
    moved = [{**e, "at": now + timedelta(seconds=e["at"])} for e in written["events"]]
    card = written["card"]
    dries = [{**d, "until": now + timedelta(seconds=d["until"])} for d in card["dries"]]
    workshop.logbook.take_over(
        [Event.model_validate(e) for e in moved], Card.model_validate({**card, "last_at": moved[-1]["at"], "dries": dries})
    )
    return True


def carried_out(folder: Path) -> dict[str, Any]:
    """Every scene played in a workshop in ``folder``: its events and its card, times in seconds from its end. What
    ``demo/logbook.json`` holds."""
    workshop = Workshop(folder)
    out: dict[str, Any] = {}
    for scene in SCENES:
        session = play(workshop, scene)
        events, card = workshop.logbook.events(session.build.id), workshop.logbook.cards()[session.build.id]
        end = datetime.now().astimezone()
        out[repr(scene)] = {
            "events": [{**e.model_dump(mode="json"), "at": round((e.at - end).total_seconds())} for e in events],
            "card": {**card.model_dump(mode="json"), "last_at": None,
                     "dries": [{**d.model_dump(mode="json"), "until": round((d.until - end).total_seconds())} for d in card.dries]},
        }  # fmt: skip
    workshop.close()
    return out


def write_sheets(workshop: Workshop) -> None:
    """Write the sheets of builds that are said to have one, where they are not there yet."""
    for build in workshop.builds():
        if build.exports:
            session = workshop.open(build.id)
            if not session.sheet_path.exists():
                write_sheet(session)


def _written_down() -> dict[str, Any]:
    try:
        found: dict[str, Any] = json.loads(WRITTEN_DOWN.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return {}
    return found


def play(workshop: Workshop, scene: Scene) -> Session:
    """Carry a scene out in the workshop."""
    with standing(datetime.now() - AGO) as clock:
        session = workshop.start(read_kit(SHIPPED / scene.kit), bench=scene.bench)
        for line in scene.first:
            _type(session, line)
        run(session, scene.until, scene.step)
        clock.wait_until(datetime.now())
        for line in scene.last:
            _type(session, line)
    session.forget()
    keep_card(session)
    return session


def _type(session: Session, line: str) -> None:
    now = session.now()
    execute(session, understand(line, session.kit, now.task if now else None, session.stage))
