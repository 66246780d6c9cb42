"""A kit and a changed one side by side: both responses on one plot, and every figure before and after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtWidgets import QGridLayout

from nuvlo.desktop.curve import CurveView, Line, Picture
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.kit import Kit
from nuvlo.kit.kit import Change
from nuvlo.kit.variant import changes_in, varied
from nuvlo.stages.choose.mods import Figures, figures, in_words


@dataclass(frozen=True)
class Compared:
    """What ``compare`` found."""

    title: str
    changes: Sequence[Change]
    before: Figures
    after: Figures
    variant: str = ""  # its name, where it has one
    wanted: bool = True  # only asked about, not built so


def answer(kit: Kit, line: str, built: Sequence[Change] = ()) -> Compared:
    """What ``compare LINE`` asks of ``kit`` as it came; without a line, how it is ``built``. Seconds, on a large circuit tens."""
    wanted = line.split()
    changes = changes_in(kit, wanted) if wanted else list(built)
    variant = next((v for v in kit.info.variant if v.id in wanted), None)
    title = (
        f"{kit.name}: {variant.title if variant else 'as printed and changed' if wanted else 'as printed and as built'}"
    )
    return Compared(
        title, changes, figures(kit), figures(varied(kit, changes)), variant.id if variant else "", bool(wanted)
    )


class CompareTool(Page):
    """Shows a :class:`Compared`."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, str, str]] = []

    def show_answer(self, found: Compared) -> None:
        column = self.fresh()
        column.addWidget(label(found.title, 15, bold=True))
        for change in found.changes:
            why = f"   {change.why}" if change.why else ""
            column.addWidget(label(f"{change.part}: {change.was} → {change.to}{why}", 11, "slate", mono=True))
        if found.before.signal and found.after.signal:
            curve = CurveView()
            curve.setFixedHeight(260)
            lines = [
                Line(found.before.signal.frequency, found.before.signal.response, "as printed", False),
                Line(found.after.signal.frequency, found.after.signal.response, "changed", True),
            ]
            curve.show_picture(Picture("Input to output", "frequency", "gain, dB", lines))
            column.addWidget(curve)
        column.addLayout(self._table(found))
        first = found.changes[0]
        line = f"variant {found.variant}" if found.variant else f"mod {first.part.lower()} {first.to} because …"
        more = "" if found.variant or len(found.changes) == 1 else ", and a line for each of the others,"
        hint = f"'{line}'{more} builds it so. " if found.wanted else ""
        column.addWidget(label(f"{hint}Esc returns to the stage.", 10, "faint"))
        self.turn(column)
        self.setAccessibleName("; ".join(f"{what}: {before}, {after}" for what, before, after in self.rows))

    def _table(self, found: Compared) -> QGridLayout:
        self.rows = in_words(found.before, found.after)
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setColumnStretch(2, 1)
        for k, heading in enumerate(("", "as printed", "changed")):
            grid.addWidget(label(heading, 10, "faint", bold=True), 0, k)
        for n, (what, before, after) in enumerate(self.rows, 1):
            over = what == "over its rating"
            grid.addWidget(label(what, 11, "out" if over else "ink", bold=over), n, 0)
            grid.addWidget(label(before, 11, "faint", mono=True), n, 1)
            grid.addWidget(label(after, 11, "out" if over else "ink", bold=True, mono=not over), n, 2)
        return grid
