"""``wake``: first power, step by step, with what to expect, what is out of bounds and when to switch off."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from nuvlo.cli.answer import Answer, Verbs, beside
from nuvlo.problems import Problem

if TYPE_CHECKING:
    from nuvlo.model import Window, WorkingModel

SCHOOLS = ("limit", "charge", "bulb", "straight")
MOST_MOVED = 5  # mistakes that are told of a point


def add_verbs(verbs: Verbs) -> None:
    """Add wake."""
    one = verbs.add("wake", _wake, "first power, step by step: what to expect and when to switch off")
    one.add_argument("folder", type=Path)
    one.add_argument("--measured", type=Path, metavar="CSV", help="ref,value,unit,uncertainty of measured parts")
    one.add_argument("--school", choices=SCHOOLS, default="limit", help="how to switch on")
    one.add_argument("--why", metavar="POINT", help="what widens the window of a test point or supply, and which mistakes move it")


def _wake(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.kit import Stage
    from nuvlo.logbook import Build
    from nuvlo.model import WorkingModel
    from nuvlo.model.windows import finite
    from nuvlo.stages import registry, wake
    from nuvlo.stages.answer import Asked
    from nuvlo.stages.task import finding

    kit = read_kit(a.folder)
    build = Build("", stances={"power": a.school})
    left_out: list[Problem] = []
    if a.measured:
        from nuvlo.instruments.measured import read_measured

        build.measured = read_measured(a.measured, kit, None, left_out)
    model = WorkingModel(kit, build)
    if a.why:
        return _why(a.why, model)
    solved = wake.ask(Asked(model))
    steps, lines = [], []
    for n, task in enumerate(registry.tasks(Stage.WAKE, kit, build), 1):
        f = finding(task, build, solved.windows)
        w = f.window
        advice = wake.advice_on(f, solved)
        says = " ".join(x for x in (task.hazard.do if task.hazard else task.detail, advice) if x)
        row = {"n": n, "title": task.title, "says": says, "stops": w is not None or task.hazard is not None}
        if w is not None:
            row |= {"point": w.of.name, "quantity": w.of.quantity, "unit": w.unit, "nominal": finite(w.nominal), "low": finite(w.low), "high": finite(w.high)}
        steps.append(row)
        lines.append(f"{n:3d}  {task.title}{_between(w)}\n     {says}")
    woken = solved if isinstance(solved, wake.Woken) else wake.Woken()
    document = {
        "steps": steps,
        "first_power": [
            {"supply": f.of.name, "school": f.school, "amount": f.amount, "unit": f.unit, "set": f.set_to, "well": f.well, "wrong": f.wrong} for f in woken.first
        ],
        "heat": [
            {"ref": h.ref, "watts": h.watts, "rise": h.rise, "celsius": h.celsius, "seconds": h.seconds, "says": h.says, "over": h.over} for h in woken.warm
        ],
    }  # fmt: skip
    return beside((0, document, "\n".join(lines)), left_out)


def _between(w: Window | None) -> str:
    from nuvlo.quantity import format_span

    return f": {format_span(w.low, w.high, w.unit)}" if w is not None else ""


def _why(point: str, model: WorkingModel) -> Answer:
    from nuvlo.diagnosis.why import why

    found = why(model, point)
    return 0, {
        "point": found.of.name, "quantity": found.of.quantity, "low": found.low, "high": found.high,
        "widened_by": [{"of": of, "share": share} for of, share in found.widened],
        "moved_by": [{"mistake": text, "to": to} for text, to in found.moved],
    }, "\n".join(found.lines(MOST_MOVED))  # fmt: skip
