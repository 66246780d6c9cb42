"""A recipe worked out: the same search as for a kit, on a small circuit of its own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from nuvlo.files.recipe import Recipe, read_recipe, recipe_folders
from nuvlo.model.results import results
from nuvlo.problems import NuvloError, Problem
from nuvlo.stages.choose.search import Proposal, Question, miss, search


def question_of(recipe: Recipe, given: Mapping[str, str]) -> Question:
    """What to search, with the inputs in place. Raises :class:`NuvloError` for an input that is none."""
    return Question(recipe.circuit, recipe.info.move, recipe.info.aim, {}, recipe.inputs(given), {})


def work_out(recipe: Recipe, given: Mapping[str, str], most: int = 5) -> list[Proposal]:
    """The best values for what is ``given``; one proposal without values where the recipe only tells results."""
    question = question_of(recipe, given)
    if recipe.info.move:
        return search(question, most)
    found = results(recipe.circuit, recipe.info.aim, dict(question.names), question.names)
    off = float(miss(recipe.info.aim, found, question.names)[0])
    return [Proposal({}, {k: float(v[0]) for k, v in found.items()}, 1.0 if off <= 1 else 0.0, off, 0)]


def given_in(words: Iterable[str]) -> dict[str, str]:
    """``db=20`` and its like by name. Raises :class:`NuvloError` for a word without a value."""
    out = {}
    for word in words:
        key, equals, value = word.partition("=")
        if not equals or not value:
            raise NuvloError(Problem(f"'{word}' gives no value.", "Write key=value, as in db=20."))
        out[key.strip().lower()] = value.strip()
    return out


def named(name: str, more: Iterable[Path] = ()) -> Recipe:
    """The recipe of this name. Raises :class:`NuvloError` that names the nearest one."""
    folders = recipe_folders(more)
    if name not in folders:
        from rapidfuzz import fuzz, process

        near = process.extractOne(name, list(folders), scorer=fuzz.ratio)
        raise NuvloError(Problem(f"there is no recipe '{name}'.", f"Did you mean '{near[0]}'?" if near else ""))
    return read_recipe(folders[name])
