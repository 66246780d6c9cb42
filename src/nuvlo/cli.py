"""The ``nuvlo`` command. Every verb takes ``--json`` and then prints one document on standard output.

Exit status: 0 done, 1 something in the input is wrong or cannot be solved, 2 wrong usage.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from nuvlo import choosing, planning, solving, unpacking
from nuvlo.problems import NuvloError, Problem, errors

Document = dict[str, Any]
Handler = Callable[[argparse.Namespace], tuple[int, Document, str]]


def main(argv: list[str] | None = None) -> int:
    """Run one verb; returns the exit status."""
    parser = _parser()
    arguments = parser.parse_args(argv)
    if not hasattr(arguments, "handler"):
        parser.print_help()
        return 2
    try:
        handler: Handler = arguments.handler
        status, document, text = handler(arguments)
    except NuvloError as error:
        status, document, text = 1, {"problems": [p.as_json() for p in error.problems]}, ""
        print(error, file=sys.stderr)
    except BrokenPipeError:
        return 0
    if getattr(arguments, "json", False):
        print(json.dumps(document, ensure_ascii=False, allow_nan=False))
    elif text:
        print(text)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="nuvlo", description="Bench companion for builders of audio electronics kits."
    )
    verbs = parser.add_subparsers(title="verbs", metavar="VERB")

    def verb(name: str, handler: Handler, says: str, under: Any = verbs) -> argparse.ArgumentParser:
        made: argparse.ArgumentParser = under.add_parser(name, help=says, description=says)
        made.set_defaults(handler=handler)
        made.add_argument("--json", action="store_true", help="print one JSON document")
        return made

    demo = verb("demo", _demo, "open the demo workshop")
    demo.add_argument("--check", action="store_true", help="paint the first window, then end")
    demo.add_argument("--folder", type=Path, help="where the demo workshop is kept")
    demo.add_argument("--new", action="store_true", help="begin another unit")
    opened = verb("open", _open, "open a build, a kit folder or a workshop")
    opened.add_argument("path", type=Path)
    opened.add_argument("--new", action="store_true", help="begin another unit of the kit")
    opened.add_argument("--build", metavar="SERIAL", help="which build of a workshop; the newest if not given")
    opened.add_argument("--workshop", type=Path, help="workshop that keeps builds of a kit opened by its folder")
    opened.add_argument("--check", action="store_true", help="paint the first window, then end")
    kit = verbs.add_parser("kit", help="look at a kit folder").add_subparsers(metavar="VERB", required=True)
    check = verb("check", _kit_check, "report everything that is wrong with a kit folder", kit)
    check.add_argument("folder", type=Path)
    solve = verbs.add_parser("solve", help="solve a SPICE netlist")
    solving.add_verbs(solve, verb)
    predict = verb("predict", _predict, "what each test point should read")
    predict.add_argument("folder", type=Path)
    predict.add_argument("--measured", type=Path, metavar="CSV", help="ref,value,unit,uncertainty of measured parts")
    predict.add_argument("--stage", choices=("hook_up", "wake"), help="readings of one stage")
    predict.add_argument("--builds", type=int, default=2000)
    predict.add_argument("--seed", type=int, default=1)
    unpacking.add_verbs(verb)
    choosing.add_verbs(verb)
    planning.add_verbs(verb)
    order = verb("order", _order, "the order of work with its checks")
    order.add_argument("folder", type=Path)
    order.add_argument("--school", default="", help="such as sections+batches")
    order.add_argument("--manual", type=Path, metavar="TXT", help="check a manual's own order, line by line")
    order.add_argument("--schools", action="store_true", help="list the schools and what speaks for each")
    bend = verb("bend", _bend, "which way to bend each lead on the solder side")
    bend.add_argument("folder", type=Path)
    journey = verb("journey", _journey, "build a kit from box to sheet on the simulated bench")
    journey.add_argument("folder", type=Path)
    journey.add_argument("--seed", type=int, default=1)
    journey.add_argument("--wrong", default="", help="wrong parts in the bag, such as r3=390R,q1.bf=12")
    journey.add_argument("--out", type=Path, help="folder for the workshop and the sheet")
    return parser


# -- window -------------------------------------------------------------------------------------------------------


def user_folder() -> Path:
    """Where workshops are kept unless another place is named."""
    from platformdirs import user_data_path

    return user_data_path("nuvlo", appauthor=False)


def _demo(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.desktop.app import start

    folder = a.folder or user_folder() / "demo"

    def opener() -> Any:
        from nuvlo.workshop import demo_workshop

        workshop = demo_workshop(folder, another=a.new)
        return workshop.open(workshop.builds()[-1].id)

    status = start(opener, folder, check=a.check)
    return (
        status,
        {"folder": folder.name, "status": status},
        "The demo's window was painted." if a.check and not status else "",
    )


def _open(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.desktop.app import start

    path: Path = a.path
    if not path.exists():
        raise NuvloError(Problem(f"'{path}' is not there.", "Name a kit folder, its zip, or a workshop folder."))
    inside = path if path.is_dir() else path.parent
    is_workshop = (inside / "logbook.db").exists() and not (path.is_dir() and (path / "bom.csv").exists())
    folder = inside if is_workshop else (a.workshop or user_folder() / "workshop")

    def opener() -> Any:
        from nuvlo.kit import read_kit
        from nuvlo.workshop import Workshop, kit_place

        workshop = Workshop(folder)
        builds = workshop.builds()
        if is_workshop:
            wanted = [b for b in builds if a.build in (None, b.serial)]
            if not wanted:
                serials = ", ".join(f"{b.kit} {b.serial}" for b in builds) or "none yet"
                raise NuvloError(Problem("this workshop has no such build.", f"Builds here: {serials}."))
            return workshop.open(wanted[-1].id)
        kit = read_kit(path)
        mine = [b for b in builds if kit_place(b.folder).resolve() == kit.folder.resolve()]
        return workshop.open(mine[-1].id) if mine and not a.new else workshop.start(kit)

    status = start(opener, folder, check=a.check)
    return status, {"folder": folder.name, "status": status}, ""


# -- kits ---------------------------------------------------------------------------------------------------------


def _kit_check(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.kit import check_kit

    name, problems = check_kit(a.folder)
    document = {"kit": name, "problems": [p.as_json() for p in problems]}
    text = "\n".join(f"{p.severity}: {p}" for p in problems) or f"{name}: nothing wrong."
    return (1 if errors(problems) else 0), document, text


def _order(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.kit import read_kit
    from nuvlo.kit.manual import faults
    from nuvlo.kit.schools import DEFAULT_SCHOOL, schools
    from nuvlo.kit.tables import text_of
    from nuvlo.stages.sequence import order

    if a.schools:
        known = [{"name": s.name, "says": s.says} for s in schools()]
        lines = [f"{s['name']:24s} {s['says']}" for s in known]
        return 0, {"schools": known, "default": DEFAULT_SCHOOL}, "\n".join(lines)
    kit = read_kit(a.folder)
    if a.manual:
        found = faults(kit, text_of(a.manual), a.manual.name)
        told = [{"line": f.line, "fault": f.words, "reason": f.reason, "rule": f.rule} for f in found]
        lines = [f"line {f.line}: {f.words}. {f.reason}" for f in found] or ["Nothing is blocked or endangered."]
        return 0, {"faults": told}, "\n".join(lines)
    steps = order(kit, a.school or DEFAULT_SCHOOL)
    document = {
        "steps": [
            {"n": s.n, "action": s.action, "parts": list(s.parts), "gate": s.gate, "after": list(s.after), "reason": s.reason,
             "because": list(s.because), "minutes": s.minutes, "waits_hours": s.waits_hours, "stage": s.stage}
            for s in steps
        ]
    }  # fmt: skip
    board = sum(p.on_board for p in kit.parts.values())
    lines = []
    for s in steps:
        refs = f": {', '.join(s.parts)}" if 0 < len(s.parts) < board and ", ".join(s.parts) not in s.action else ""
        lines.append(f"{s.n:3d}  {s.action}{refs}\n     {s.reason}")
    return 0, document, "\n".join(lines)


def _bend(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.kit import read_kit
    from nuvlo.kit.bend import bends
    from nuvlo.model.windows import finite

    found = bends(read_kit(a.folder))
    document = {
        "leads": [
            {"ref": x.ref, "pin": x.pin, "clock": x.clock, "clearance_mm": finite(x.clearance_mm), "length_mm": x.length_mm,
             "near": x.near, "tight": x.tight}
            for x in found
        ]
    }  # fmt: skip
    lines = [
        f"{x.ref:6s} leg {x.pin}: {x.clock:2d} o'clock, clear by {x.clearance_mm:.1f} mm"
        f"{f' only, of {x.near}' if x.tight else ''}" for x in found
    ]  # fmt: skip
    return 0, document, "\n".join(lines) or "This kit has no board."


def _predict(a: argparse.Namespace) -> tuple[int, Document, str]:
    from nuvlo.kit import read_kit
    from nuvlo.logbook import Build
    from nuvlo.model import WorkingModel
    from nuvlo.quantity import format_value

    if a.builds < 2:
        raise NuvloError(Problem("an ensemble needs at least 2 builds.", "Use --builds 2000."))
    kit = read_kit(a.folder)
    build = Build("")
    if a.measured:
        build.measured = unpacking.read_measured(a.measured, kit)
    model = WorkingModel(kit, build, a.builds, a.seed)
    windows = []
    if a.stage in (None, "wake"):
        windows += model.voltage_windows()
    if a.stage == "wake":
        windows = model.resistance_windows(model.supply_pairs()) + windows
    if a.stage == "hook_up":
        windows += model.resistance_windows(model.ring_out_pairs())
    text = "\n".join(
        f"{w.point:12s} {format_value(w.nominal, w.unit, 4):>12s}   {format_value(w.low, w.unit, 4)} to "
        f"{format_value(w.high, w.unit, 4)}"
        for w in windows
    )
    return 0, {"windows": [w.as_json() for w in windows]}, text


# -- journey ------------------------------------------------------------------------------------------------------


def _journey(a: argparse.Namespace) -> tuple[int, Document, str]:
    import tempfile

    from nuvlo.journey import run
    from nuvlo.kit import read_kit
    from nuvlo.workshop import Workshop

    wrong: dict[str, str | float] = {}
    for item in filter(None, a.wrong.split(",")):
        name, _, value = item.partition("=")
        wrong[name.strip()] = value.strip() if "." not in name else solving.number(value)
    kit = read_kit(a.folder)
    with tempfile.TemporaryDirectory() as scratch:
        workshop = Workshop(a.out or Path(scratch), wrong)
        session = workshop.start(kit, bench=f"simulated:{a.seed}")
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


if __name__ == "__main__":
    sys.exit(main())
