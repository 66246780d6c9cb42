"""``diagnose`` and ``practice``: what single mistake explains the readings, and a unit to try it on."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from nuvlo.cli.answer import Answer, Verbs, beside
from nuvlo.cli.numbers import SEED
from nuvlo.problems import Problem
from nuvlo.words import listed

if TYPE_CHECKING:
    from nuvlo.diagnosis.diagnosis import Group
    from nuvlo.diagnosis.probes import Reading

SHOWN, NAMED = 5, 4  # groups that are printed, and mistakes of each; all are in the document
WORTH_BITS = 0.01  # expected of a reading that is worth taking
STAGES = {"hook-up": ("resistance", "capacitance", "look", "look-over", "look-close"), "wake": (), "set": (), "prove": ()}  # what can be read there; all, where nothing is said
LEAST = 0.005  # probability of a group that is told


def add_verbs(verbs: Verbs) -> None:
    """Add diagnose and practice."""
    one = verbs.add("diagnose", _diagnose, "what single mistake explains the readings, and what to read next")
    one.add_argument("folder", type=Path)
    one.add_argument("--readings", type=Path, metavar="CSV", help="point,quantity,value,unit,uncertainty of what was read", required=True)
    one.add_argument("--stage", choices=(*STAGES,), help="what is safe and within reach there; all, without")
    one = verbs.add("practice", _practice, "a unit with one mistake hidden in it, to be read and found")
    one.add_argument("folder", type=Path)
    one.add_argument("--seed", type=SEED, required=True, help="which unit")
    one.add_argument("--read", metavar="POINT", help="take a reading there")
    one.add_argument("--quantity", choices=("voltage", "current", "resistance", "capacitance", "tone", "lifted", "look", "look-over", "look-close", "touch"), help="of what; the first there is, without")
    one.add_argument("--easy", action="store_true", help="a mistake that shows soon")
    one.add_argument("--reveal", action="store_true", help="tell the mistake")


def _diagnose(a: argparse.Namespace) -> Answer:
    from platformdirs import user_cache_path

    from nuvlo.diagnosis.diagnosis import Diagnosis
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.instruments.measured import read_places
    from nuvlo.logbook import Build
    from nuvlo.measurement import Observable
    from nuvlo.stages.slips import slip

    diagnosis = Diagnosis(read_kit(a.folder), keep=user_cache_path("nuvlo", appauthor=False) / "tables")
    left_out: list[Problem] = []
    skipped: set[Observable] = set()
    taken = read_places(a.readings, {r.of: r.unit for r in diagnosis.readings}, "", left_out, skipped)
    found = diagnosis.rank(taken, STAGES.get(a.stage or "", ()), skipped=skipped)
    told = [g for g in found.groups if g.probability >= LEAST]
    odd = slip(diagnosis, Build(""), taken, found.unexplained)
    lines = [f"Read {odd[0].name} again: {odd[1]}"] if odd else []
    lines += [f"{100 * g.probability:3.0f} %  {_said(g)}" for g in told[:SHOWN]]
    lines.append(f"{100 * found.good_unit:3.0f} %  a good unit")
    lines.append(f"{100 * found.unexplained:3.0f} %  no single mistake explains what was read")
    if found.next and found.next[1] >= WORTH_BITS:
        reading, bits = found.next
        lines.append(f"Next: {reading.words}, from which {bits:.2f} bits are expected.")
    else:
        lines.append("No reading here tells more.")
    return beside((0, {
        "groups": [{"mistakes": [m.text for m in g.mistakes], "probability": g.probability} for g in told],
        "good_unit": found.good_unit, "unexplained": found.unexplained,
        "next": _next(*found.next) if found.next else None,
    }, "\n".join(lines)), left_out)  # fmt: skip


def _next(reading: Reading, bits: float) -> dict[str, object]:
    """Of a look, the parts beside it too."""
    beside = {"beside": list(reading.beside)} if reading.beside else {}
    return {"point": reading.of.name, "quantity": reading.quantity, "expected_bits": bits, **beside}


def _said(group: Group) -> str:
    """The mistakes of a group, the first few; of those that no reading shows, how many there are."""
    if group.silent:
        return f"one of {len(group.mistakes)} mistakes that no reading here tells from a good unit: look at joints and markings"
    more = len(group.mistakes) - NAMED
    return " · ".join(m.text for m in group.mistakes[:NAMED]) + (f" · and {more} more" if more > 0 else "")


def _practice(a: argparse.Namespace) -> Answer:
    from nuvlo.diagnosis.probes import SENSES, TOUCH, WHOLE, readings_of
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.instruments.bench import observed
    from nuvlo.instruments.practice import EASY_ONES, PracticeBench, hidden_mistake
    from nuvlo.model.windows import finite

    kit = read_kit(a.folder)
    readings = readings_of(kit)
    hidden = hidden_mistake(kit, a.seed, EASY_ONES if a.easy else "")
    if a.reveal:
        return 0, {"mistakes": [hidden.text]}, hidden.text
    if a.read is None:
        rows = [{"point": r.of.name, "quantity": r.quantity, "unit": r.unit} for r in readings]
        return 0, {"seed": a.seed, "readings": rows}, "\n".join(f"{r.of.name:16s} {r.quantity}" for r in readings)
    reading = _wanted(readings, a.read, a.quantity)
    seen = observed(PracticeBench(kit, a.seed, hidden), reading)
    found, wrong = seen[reading.of], [of.place for of, shown in seen.items() if of != reading.of and shown.value > 0.5]
    document: dict[str, object] = {"point": reading.of.name, "quantity": reading.quantity, "value": finite(found.value), "unit": found.unit, "uncertainty": found.uncertainty}
    if document["value"] is None:
        document["open"] = True
    if reading.quantity == TOUCH:
        return 0, document, f"{reading.of.place} is {'hot' if found.value > 0.5 else 'no hotter than it should be'}"
    if reading.quantity in SENSES:
        said = f"{listed(wrong) or reading.of.place} looks wrong" if found.value > 0.5 else f"{'the whole ' if reading.quantity in WHOLE else ''}{reading.of.place} looks right"
        return 0, {**document, **({"wrong": wrong} if reading.quantity in WHOLE else {})}, said
    return 0, document, f"{reading.of.name}: {found}"


def _wanted(readings: list[Reading], point: str, quantity: str | None) -> Reading:
    from nuvlo.problems import NuvloError, Problem

    for r in readings:
        if r.of.name.lower() == point.lower() and quantity in (None, r.quantity):
            return r
    known = ", ".join(dict.fromkeys(r.of.name for r in readings if quantity in (None, r.quantity)))
    raise NuvloError(Problem(f"there is no {quantity or 'reading'} at '{point}'.", f"There are: {known}.", ref=point))
