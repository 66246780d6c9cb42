"""The verb ``journey``: a kit built without hands on the simulated bench."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs
from nuvlo.cli.numbers import SEED
from nuvlo.cli.solve import number
from nuvlo.clock import standing


def add_verbs(verbs: Verbs) -> None:
    """Add ``journey``."""
    journey = verbs.add("journey", _journey, "build a kit from box to sheet on the simulated bench, or by readings on file")
    journey.add_argument("folder", type=Path)
    journey.add_argument("--seed", type=SEED, default=1)
    journey.add_argument("--wrong", default="", help="wrong parts in the bag, such as r3=390R,q1.bf=12")
    journey.add_argument("--readings", type=Path, metavar="CSV", help="readings of a real unit, as the CSV beside a sheet holds them, in place of a simulated bench")
    journey.add_argument("--out", type=Path, help="folder for the workshop and the sheet")


def _journey(a: argparse.Namespace) -> Answer:
    import tempfile

    from nuvlo.files.kit_folder import read_kit
    from nuvlo.logbook.benches import RECORDED
    from nuvlo.workshop.journey import run
    from nuvlo.workshop.workshop import Workshop

    wrong: dict[str, str | float] = {}
    for item in filter(None, a.wrong.split(",")):
        name, _, value = item.partition("=")
        wrong[name.strip()] = value.strip() if "." not in name else number(value)
    kit = read_kit(a.folder)
    with tempfile.TemporaryDirectory() as scratch:
        workshop = Workshop(a.out or Path(scratch), wrong)
        bench = f"{RECORDED}:{workshop.places.keep_recording(a.readings)}" if a.readings else f"simulated:{a.seed}"
        session = workshop.start(kit, bench=bench)
        with standing():  # nobody stands at the bench: time passes where something dries
            outcome = run(session)
        sheet = str(session.sheet_path) if a.out and outcome.finished else None
        workshop.close()
    document = {
        "finished": outcome.finished, "stage": outcome.stage.value, "stopped_at": outcome.stopped_at,
        "reason": outcome.reason, "steps": outcome.steps, "sheet": os.path.basename(sheet) if sheet else None,
    }  # fmt: skip
    text = (
        f"Finished after {outcome.steps} steps."
        if outcome.finished
        else f"Stopped in {outcome.stage.label}: {outcome.reason}"
    )
    return (0 if outcome.finished else 1), document, text
