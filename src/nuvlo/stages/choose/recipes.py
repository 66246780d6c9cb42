"""A recipe worked out: the same search as for a kit, on a small circuit of its own."""

from __future__ import annotations

from collections.abc import Mapping

from nuvlo.kit.recipe import Recipe
from nuvlo.model.results import results
from nuvlo.stages.choose.search import Proposal, Question, miss, search


def work_out(recipe: Recipe, given: Mapping[str, str], most: int = 5) -> list[Proposal]:
    """The best values for what is ``given``; one proposal without values where the recipe only tells results."""
    names = recipe.inputs(given)
    question = Question(recipe.circuit, recipe.info.move, recipe.info.aim, {}, names, {})
    if recipe.info.move:
        return search(question, most)
    found = results(recipe.circuit, recipe.info.aim, dict(names), names)
    off = float(miss(recipe.info.aim, found, names)[0])
    return [Proposal({}, {k: float(v[0]) for k, v in found.items()}, 1.0 if off <= 1 else 0.0, off, 0)]
