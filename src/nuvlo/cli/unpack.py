"""Verbs of Unpack: ``bom``, ``identify``, ``check-in``, ``match``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from nuvlo.cli.answer import Answer, Verbs, beside
from nuvlo.files.whole import write_whole
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, Verdict, format_value


def add_verbs(verbs: Verbs) -> None:
    """Add bom, identify, check-in and match."""
    bom = verbs.add("bom", _bom, "read a parts list, whatever its habits")
    bom.add_argument("file", type=Path)
    bom.add_argument(
        "--column", action="append", default=[], metavar="HEADING=MEANING", help="correct what a column is taken for"
    )
    bom.add_argument("--kit", type=Path, metavar="FOLDER", help="make a kit folder of it")
    identify = verbs.add("identify", _identify, "what bands, a code or a reading can be")
    identify.add_argument("text", nargs="?", help="colours from end to end, or a code")
    identify.add_argument("--reading", help="what the meter shows, such as 99.4k")
    identify.add_argument("--kit", type=Path, help="kit whose references it may fit")
    check = verbs.add("check-in", _check_in, "judge measured parts, and find wrong strips")
    check.add_argument("folder", type=Path)
    check.add_argument("--measured", type=Path, required=True, metavar="CSV", help="ref,value,unit,uncertainty")
    check.add_argument("--letter", action="store_true", help="print a letter to the seller")
    match = verbs.add("match", _match, "which measured part goes where, so that pairs agree")
    match.add_argument("folder", type=Path)
    match.add_argument(
        "--measured", type=Path, required=True, metavar="CSV", help="ref,value; spares under names of their own"
    )


def _bom(a: argparse.Namespace) -> Answer:
    from nuvlo.files.parts_list import bom_csv, read_parts_list

    corrections = {}
    for item in a.column:
        heading, equals, meaning = item.rpartition("=")
        if not equals:
            raise NuvloError(Problem(f"'{item}' does not say what its column holds.", "Write --column 'Marking=note'."))
        corrections[heading] = meaning
    found = read_parts_list(a.file, corrections)
    document = {
        "parts": [
            {"ref": p.part.ref, "kind": p.part.kind, "value": p.part.value if p.part.value is not None else p.part.text,
             "unit": p.part.unit, "tolerance": list(p.part.tolerance) if p.part.tolerance else None, "rating": p.part.rating,
             "note": p.part.note, "line": p.line, "text": p.part.text, "package": p.part.package, "cost": p.part.cost}
            for p in found.parts
        ],
        "unread": [{"line": u.line, "text": u.text, "why": u.why} for u in found.unread],
        "headings": [{"line": n, "text": t} for n, t in found.headings],
        "columns": found.columns, "made_up": found.made_up,
    }  # fmt: skip
    if a.kit:
        if (a.kit / "bom.csv").exists():
            raise NuvloError(Problem(f"{a.kit.name} holds a bom.csv already.", "Name a new folder."))
        listed = bom_csv(p.part for p in found.parts)
        try:
            a.kit.mkdir(parents=True, exist_ok=True)
            write_whole(a.kit / "bom.csv", lambda there: there.write_text(listed, encoding="utf-8"))
        except OSError as bad:
            raise NuvloError(
                Problem(f"no kit can be made in {a.kit.name}: {bad.strerror}.", "Name a new folder.")
            ) from bad
    rows = [
        f"{p.line:4d}  {p.part.ref:8s} {p.part.kind:14s} {p.part.text:18s} {p.part.rating:8s} {p.note}"
        for p in found.parts
    ]
    rows += [f"{u.line:4d}  not read: {u.why}: {u.text}" for u in found.unread]
    columns = "; ".join(f"{h} → {m}" for h, m in found.columns.items())
    head = [found.made_up] if found.made_up else []
    return 0, document, "\n".join([*head, f"columns: {columns}" if columns else "plain text", *rows])


def _identify(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.stages.unpack.identify import identify, identify_reading

    kit = read_kit(a.kit) if a.kit else None
    if a.reading:
        if kit is None:
            raise NuvloError(Problem("a reading alone may be anything.", "Add --kit FOLDER."))
        found = identify_reading(a.reading, kit)
    elif a.text:
        found = identify(a.text, kit)
    else:
        raise NuvloError(Problem("nothing is given.", "Type bands, a code, or --reading 99.4k --kit FOLDER."))
    document = {
        "candidates": [
            {"kind": c.kind, "value": c.value, "unit": c.unit, "tolerance": list(c.tolerance) if c.tolerance else None,
             "refs": list(c.refs), "how": c.how, "more": c.more}
            for c in found
        ]
    }  # fmt: skip
    text = "\n".join(f"{c.words}  {c.how}  {', '.join(c.refs)}".rstrip() for c in found)
    return 0, document, text or "It fits nothing in this kit."


def _check_in(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.meter import learnt
    from nuvlo.model.windows import finite
    from nuvlo.stages.unpack.check_in import check_in, strips
    from nuvlo.stages.unpack.letter import letter, shopping_list

    kit = read_kit(a.folder)
    left_out: list[Problem] = []
    measured, surplus = _measurements(a.measured, kit, left_out)
    meter = learnt(kit, measured)
    checked = check_in(kit, measured, meter=meter)
    wrong = strips(checked)

    document = {
        "parts": [
            {"ref": c.part.ref, "verdict": c.verdict.value, "measured": finite(c.measured.value) if c.measured else None,
             "low": c.part.limits[0] if c.part.limits else None, "high": c.part.limits[1] if c.part.limits else None,
             "unit": c.part.unit, "readings": c.times, "spread": c.spread,
             "right": c.which.right if c.which else None, "likely": finite(c.which.likely) if c.which else None, "words": c.words}
            for c in checked
        ],
        "strips": [
            {"refs": list(s.refs), "printed": s.printed, "reads": s.reads, "likely": s.likely, "unit": s.unit, "why": s.why}
            for s in wrong
        ],
        "meter": [
            {"unit": unit, "full": full, "ratio": g.ratio, "uncertainty": g.doubt, "by": g.by}
            for (unit, full), g in meter.gains.items()
        ],
        "shopping": [{"what": what, "cost": cost} for what, cost in shopping_list(kit, {})],
        "surplus": [{"ref": ref, "measured": value} for ref, value in surplus.items()],
    }  # fmt: skip
    lines = [c.words or f"{c.part.ref} is {c.verdict.words}." for c in checked if c.verdict is not Verdict.NOT_TAKEN]
    lines += [f"Up to {format_value(full, unit)}: {g.words}" for (unit, full), g in meter.gains.items()]
    lines += [
        f"{', '.join(s.refs)}: one wrong strip, {format_value(s.likely, s.unit)} where {format_value(s.printed, s.unit)} is "
        f"printed. {s.why}".strip() for s in wrong
    ]  # fmt: skip
    if a.letter:
        lines.append("\n" + (letter(kit, checked, wrong, {}) or "There is nothing to write about."))
        document["letter"] = letter(kit, checked, wrong, {})
    return beside((0, document, "\n".join(lines)), left_out)


def _measurements(path: Path, kit: Any, left_out: list[Problem] | None = None) -> tuple[dict[str, list[Measured]], dict[str, float]]:
    """Readings by part, and what was measured that the kit does not list."""
    surplus: dict[str, float] = {}
    from nuvlo.instruments.measured import read_measured

    return read_measured(path, kit, surplus, left_out), surplus


def _match(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.files.tables import Fields, read_table
    from nuvlo.files.whole import text_of
    from nuvlo.stages.unpack.match import match

    def row(f: Fields) -> tuple[str, float]:
        return f.text("ref"), f.number("value")

    kit = read_kit(a.folder)
    rows, problems = read_table(text_of(a.measured), a.measured.name, ("ref", "value"), row)
    if problems:
        raise NuvloError(problems)
    found = match(kit, dict(one for _, one in rows))
    document = {
        "places": found.places, "mismatch_before": found.before, "mismatch_after": found.after, "uncertainty": found.doubt,
        **({"volts_before": found.volts[0], "volts_after": found.volts[1]} if found.volts else {}),
        "effects": [{"result": n, "unit": u, "before": x, "after": y} for n, u, x, y in found.effects],
    }  # fmt: skip
    moved = [f"{place}: the part measured as {item}" for place, item in found.places.items() if place != item]
    apart = (
        f"pairs are {format_value(found.volts[0], 'V', 2)} apart as listed, {format_value(found.volts[1], 'V', 2)} matched: 18 mV are a factor of two in current"
        if found.volts
        else f"pairs differ by {100 * found.before:.3g} % as listed, by {100 * found.after:.3g} % matched, "
        f"± {100 * found.doubt:.1g} % (one meter: its error is in both of a pair and cancels)"
    )
    text = [
        apart,
        *(moved or ["leave each where it is"]),
    ]
    text += [f"{n}: {format_value(x, u)} before, {format_value(y, u)} matched" for n, u, x, y in found.effects]
    return 0, document, "\n".join(text)
