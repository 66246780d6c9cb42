"""Verbs of Choose: ``choose``, ``compare`` and ``recipe``."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from nuvlo.cli.answer import Answer, Document, Verbs
from nuvlo.cli.numbers import whole
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value


def add_verbs(verbs: Verbs) -> None:
    """Add choose, compare, recipe and both."""
    choose = verbs.add("choose", _choose, "values that do what is wanted, best first")
    choose.add_argument("folder", type=Path)
    choose.add_argument("choice", nargs="?", help="its id; without one the choices of the kit are listed")
    choose.add_argument("--most", type=whole(1, 100), default=5)
    choose.add_argument("--drawer", type=Path, metavar="CSV", help="only what is in this drawer")
    compare = verbs.add("compare", _compare, "a kit and a changed one side by side; alone it lists the kit's variants")
    compare.add_argument("folder", type=Path)
    compare.add_argument("changes", nargs="*", metavar="CHANGE", help="a variant, or r9=100k, u2=tl072, vsup=12")
    compare.add_argument("--no-clipping", dest="clipping", action="store_false", help="do not follow a sine in time")
    recipe = verbs.add("recipe", _recipe, "a small recurring problem worked out; alone it lists them")
    recipe.add_argument("name", nargs="?")
    recipe.add_argument("inputs", nargs="*", metavar="key=value")
    recipe.add_argument("--folder", type=Path, action="append", default=[], help="folder with recipes of your own")
    recipe.add_argument("--most", type=whole(1, 100), default=5)
    recipe.add_argument("--save", metavar="NAME", help="keep it with these inputs as a recipe of yours, in --folder")
    both = verbs.add("both", _both, "where builders disagree: both sides, and what they differ by in this kit")
    both.add_argument("folder", type=Path)


def proposals_document(proposals: Sequence[Any], named: Mapping[str, str] | None = None) -> list[Document]:
    """JSON of proposals, values by the reference that ``named`` gives for an element; figures that are none become null."""
    from nuvlo.model.windows import finite

    return [
        {"values": {(named or {}).get(k, k): v for k, v in p.values.items()}, "results": {k: finite(v) for k, v in p.results.items()}, "yield": p.good, "miss": finite(p.miss),
         "changed": p.changed, "new": p.new}
        for p in proposals
    ]  # fmt: skip


def _choose(a: argparse.Namespace) -> Answer:
    from nuvlo.files.drawer import read_drawer
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.model.results import unit_of
    from nuvlo.stages.choose import choice_of, propose, told

    kit = read_kit(a.folder)
    if a.choice is None:
        choices = [{"id": c.id, "title": c.title, "says": c.says} for c in kit.info.choice]
        return (
            0,
            {"choices": choices},
            "\n".join(f"{c['id']}: {c['title']}" for c in choices) or "This kit leaves nothing to choose.",
        )
    choice = choice_of(kit, a.choice)
    found = propose(kit, choice, a.most, drawer=read_drawer(a.drawer) if a.drawer else (), only_drawer=bool(a.drawer))
    units = {aim.name: unit_of(aim) for aim in (*choice.aim, *told(kit, choice))}
    value_units = {e: m.unit for m in choice.move for e in m.elements} | {p.ref: p.unit for p in kit.parts.values()}
    named = {e: part.ref for m in choice.move for e in m.elements if (part := kit.part_of(e)) is not None}
    return 0, {"proposals": proposals_document(found, named)}, _said(found, value_units, units)


def _recipe(a: argparse.Namespace) -> Answer:
    from nuvlo.files.recipe import read_recipe, recipe_folders, save_recipe
    from nuvlo.model.results import unit_of
    from nuvlo.stages.choose.recipes import given_in, named, work_out

    if a.name is None:
        every = [read_recipe(f) for f in recipe_folders(a.folder).values()]
        document = {
            "recipes": [
                {"name": r.name, "title": r.info.title, "says": r.info.says,
                 "inputs": [{"name": i.name, "unit": i.unit, "default": i.default, "says": i.says} for i in r.info.input],
                 "values": [m.element for m in r.info.move],
                 "results": [{"name": x.name, "unit": unit_of(x), "says": x.says} for x in r.info.aim]}
                for r in every
            ]
        }  # fmt: skip
        lines = [
            f"{r.name:22s} {r.info.title}\n{'':22s} {' '.join(f'{i.name}={i.default}' for i in r.info.input)}"
            for r in every
        ]
        return 0, document, "\n".join(lines)
    recipe, given = named(a.name, a.folder), given_in(a.inputs)
    if a.save:
        if not a.folder:
            raise NuvloError(Problem("where is it to be kept?", "Name a folder with --folder."))
        saved = save_recipe(recipe, recipe.inputs(given), a.folder[0], a.save)
        print(f"Saved as '{a.save}' in {saved.parent.name}/.", file=sys.stderr)
    found = work_out(recipe, given, a.most)
    answer: Document = {
        "proposals": proposals_document(found),
        "inputs": recipe.inputs(given),
        "caution": recipe.info.caution,
    }
    caution = f"Caution: {recipe.info.caution}\n" if recipe.info.caution else ""
    units = {aim.name: unit_of(aim) for aim in recipe.info.aim}
    return 0, answer, caution + _said(found, {m.element: m.unit for m in recipe.info.move}, units)


def _both(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.stages.choose.both import both_sides

    found = both_sides(read_kit(a.folder), {})
    questions = [
        {"id": s.question.id, "title": s.question.title, "taken": s.taken, "difference": s.difference, "where": s.question.where,
         "sides": [{"name": x.name, "says": x.says} for x in s.question.sides]}
        for s in found
    ]  # fmt: skip
    lines = []
    for s in found:
        lines.append(s.question.title)
        lines += [f"  {'*' if x.name == s.taken else ' '} {x.name:15s} {x.says}" for x in s.question.sides]
        lines.append(f"    here: {s.difference}")
    return 0, {"questions": questions}, "\n".join(lines)


def _said(found: Sequence[Any], value_units: Mapping[str, str], units: Mapping[str, str]) -> str:
    out = []
    for n, p in enumerate(found, 1):
        values = ", ".join(f"{k} {format_value(v, value_units.get(k, ''), 4)}" for k, v in p.values.items())
        results = ", ".join(f"{k} {format_value(v, units.get(k, ''), 4)}" for k, v in p.results.items())
        share = f"   {100 * p.good:.0f} of 100 are right" if p.values else ""
        out.append(f"{n}  {values}{share}\n   {results}")
    return "\n".join(out)


def _compare(a: argparse.Namespace) -> Answer:
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.kit.variant import changes_in, varied
    from nuvlo.model.windows import finite
    from nuvlo.stages.choose.mods import Figures, figures, in_words

    kit = read_kit(a.folder)
    if not a.changes:
        known = [{"id": v.id, "title": v.title, "says": v.says} for v in kit.info.variant]
        return (
            0,
            {"variants": known},
            "\n".join(f"{v['id']}: {v['title']}" for v in known) or "This kit names no variants.",
        )
    changes = changes_in(kit, a.changes)
    before, after = figures(kit, clipping=a.clipping), figures(varied(kit, changes), clipping=a.clipping)

    def document(f: Figures) -> Document:
        heard = {} if f.signal is None else {
            "gain_db": f.signal.gain_db, "corner_low": finite(f.signal.corner_low), "corner_high": finite(f.signal.corner_high),
            "noise": f.signal.noise, "clips": finite(f.signal.clips),
            "frequency": f.signal.frequency.tolist(), "response_db": f.signal.response.tolist(),
        }  # fmt: skip
        return {
            **heard, "points": f.points, "currents": f.currents, "watts": f.watts, "hottest": {"ref": f.hottest[0], "watts": f.hottest[1]},
            "over": [{"ref": ref, "why": why} for ref, why in f.over],
        }  # fmt: skip

    answer = {
        "changes": [{"part": c.part, "was": c.was, "to": c.to, "why": c.why} for c in changes],
        "before": document(before), "after": document(after),
    }  # fmt: skip
    lines = [f"{c.part}: {c.was} → {c.to}{', ' + c.why if c.why else ''}" for c in changes]
    lines += [f"{what:22s} {x:>26s}   {y}" for what, x, y in in_words(before, after)]
    return 0, answer, "\n".join(lines)
