"""A recipe worked out: what is given, the best sets of values, and their curves side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from nuvlo.desktop.labels import label
from nuvlo.desktop.lanes import HazardShape
from nuvlo.desktop.proposals import ProposalList
from nuvlo.desktop.tools.page import Page
from nuvlo.files.recipe import GROUPS, Recipe, read_recipe, recipe_folders
from nuvlo.quantity import format_value
from nuvlo.stages.choose.recipes import given_in, named, question_of, work_out
from nuvlo.stages.choose.search import Proposal, curves, wish_words

DRAWN = 3  # sets whose curves are shown


@dataclass(frozen=True)
class Worked:
    """A recipe with its answer. ``curves`` are (frequency, dB by set, name of the result) or None."""

    recipe: Recipe
    inputs: Mapping[str, float]
    proposals: Sequence[Proposal]
    curves: Any


def answer(line: str, more: Sequence[Any] = ()) -> Worked | list[Recipe]:
    """What ``recipe LINE`` asks: a recipe worked out, or all of them where nothing is named. Takes up to a few seconds."""
    words = line.split()
    if not words:
        return [read_recipe(folder) for folder in recipe_folders(more).values()]
    recipe, given = named(words[0].lower(), more), given_in(words[1:])
    found = work_out(recipe, given)
    drawn = curves(question_of(recipe, given), found[:DRAWN]) if recipe.info.move else None
    return Worked(recipe, recipe.inputs(given), found, drawn)


class RecipeTool(Page):
    """Shows a :class:`Worked` recipe, or the list of all."""

    def __init__(self) -> None:
        super().__init__()
        self.proposals = ProposalList()
        self.shown: Worked | None = None

    def show_answer(self, found: Worked | list[Recipe]) -> None:
        self.shown = found if isinstance(found, Worked) else None
        column = self.fresh()
        if isinstance(found, list):
            self._list(column, found)
        else:
            self._worked(column, found)
        self.turn(column)

    @staticmethod
    def _list(column: QVBoxLayout, recipes: list[Recipe]) -> None:
        column.addWidget(label("Recipes: small recurring problems", 10, "faint", bold=True))
        column.addWidget(label("Type its name after 'recipe', with what you know: recipe pad db=20 load=2k4", 11))
        group = ""
        for one in sorted(recipes, key=lambda r: (list(GROUPS).index(r.info.group) if r.info.group in GROUPS else len(GROUPS), r.name)):
            if one.info.group != group:
                group = one.info.group
                column.addWidget(label(group, 12, bold=True))
            row = QHBoxLayout()
            name = label(one.name, 11, "slate", bold=True, mono=True)
            name.setFixedWidth(200)
            name.setWordWrap(False)
            row.addWidget(name)
            row.addWidget(label(one.info.title, 11), 1)
            column.addLayout(row)

    def _worked(self, column: QVBoxLayout, found: Worked) -> None:
        info = found.recipe.info
        column.addWidget(label(info.title, 15, bold=True))
        column.addWidget(label(info.says, 11))
        if info.caution:
            card = QFrame()
            card.setObjectName("hazard")
            row = QHBoxLayout(card)
            row.addWidget(HazardShape())
            row.addWidget(label(info.caution, 11), 1)
            column.addWidget(card)
        given = "   ".join(f"{i.name} {format_value(found.inputs[i.name], i.unit, 3)}" for i in info.input if i.name in found.inputs)
        column.addWidget(label(given, 11, "slate", mono=True))
        wanted = wish_words(info.aim, {**found.inputs, **found.proposals[0].values, **found.proposals[0].results})
        if wanted:
            column.addWidget(label(f"Wanted: {wanted}.", 11))
        if found.curves is not None:
            column.addWidget(self._curve(found))
        self.proposals = ProposalList()
        self.proposals.show_proposals(found.proposals, {m.element: m.unit for m in info.move}, info.aim)
        column.addWidget(self.proposals)
        change = " ".join(f"{i.name}={i.default}" for i in info.input[:2])
        column.addWidget(
            label(
                f"Change what is given: recipe {found.recipe.name} {change}. Keep it as yours: recipe save NAME. "
                "Esc returns to the stage.",
                10,
                "faint",
            )
        )

    @staticmethod
    def _curve(found: Worked) -> QWidget:
        from nuvlo.desktop.curve import CurveView, Line, Picture

        frequency, db, aim = found.curves
        view = CurveView()
        lines = [Line(frequency, row, str(n), n == 1) for n, row in enumerate(db, 1)]
        view.setFixedHeight(250)
        view.show_picture(
            Picture(f"The first {len(lines)} sets: {aim.says or aim.name}", "frequency", "gain, dB", lines)
        )
        return view
