"""The verb ``predict``: what each test point should read."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs, beside
from nuvlo.cli.numbers import BUILDS, SEED
from nuvlo.problems import NuvloError, Problem


def add_verbs(verbs: Verbs) -> None:
    """Add ``predict``."""
    predict = verbs.add("predict", _predict, "what each test point should read")
    predict.add_argument("folder", type=Path)
    predict.add_argument("--measured", type=Path, metavar="CSV", help="ref,value,unit,uncertainty of measured parts")
    predict.add_argument("--stage", choices=("hook_up", "wake", "prove"), help="readings of one stage")
    predict.add_argument("--builds", type=BUILDS, default=2000)
    predict.add_argument("--seed", type=SEED, default=1)


def _predict(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.logbook import Build
    from nuvlo.model import WorkingModel, asked
    from nuvlo.quantity import format_value

    if a.builds < 2:
        raise NuvloError(Problem("an ensemble needs at least 2 builds.", "Use --builds 2000."))
    kit = read_kit(a.folder)
    build = Build("")
    left_out: list[Problem] = []
    if a.measured:
        from nuvlo.instruments.measured import read_measured

        build.measured = read_measured(a.measured, kit, None, left_out)
    model = WorkingModel(kit, build, a.builds, a.seed)
    windows = []
    if a.stage in (None, "wake"):
        windows += model.predict(asked.at_points(kit) if kit.passive else asked.powered(kit))
    if a.stage == "wake":
        windows = model.predict([*asked.across_supplies(kit), *asked.cold(kit)]) + windows
    if a.stage in (None, "prove"):
        windows += model.predict(asked.tones(kit))
    if a.stage == "hook_up":
        windows += model.predict(asked.ringing_out(kit))
    text = "\n".join(
        f"{w.of.name:12s} {format_value(w.nominal, w.unit, 4):>12s}   {format_value(w.low, w.unit, 4)} to "
        f"{format_value(w.high, w.unit, 4)}"
        for w in windows
    )
    return beside((0, {"windows": [w.as_json() for w in windows]}, text), left_out)
