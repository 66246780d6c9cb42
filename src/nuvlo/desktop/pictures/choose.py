"""Choose: the options on one plot, or the sets of values a search found, with their numbers in words."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea

from nuvlo.desktop.curve import Line
from nuvlo.desktop.curve import Picture as Plot
from nuvlo.desktop.pictures.frames import CurveFrame
from nuvlo.desktop.proposals import ProposalList
from nuvlo.kit import Choice, Stage
from nuvlo.quantity import format_value, parse_value
from nuvlo.stages import choose
from nuvlo.stages.choose.search import Proposal, wish_words
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot

CURVE_ABOVE_CARDS, UNBOUND = 320, 16_777_215  # px


class Picture(CurveFrame):
    """What the choice in hand does."""

    def __init__(self) -> None:
        super().__init__()
        self.proposals = ProposalList()
        self.cards = QScrollArea()
        self.cards.setWidgetResizable(True)
        self.cards.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.cards.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.cards.setWidget(self.proposals)
        self.cards.hide()
        self.column.addWidget(self.cards, 1)

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        solved = shown.answer(Stage.CHOOSE, choose.Proposed)
        problem = shown.solved(Stage.CHOOSE)
        choices = shown.kit.info.choice
        wanted = now.task.target if now else None
        choice = next((c for c in choices if c.id == wanted), choices[0] if choices else None)
        proposals = solved.proposals.get(choice.id, ()) if solved and choice else ()
        options = [o.value for o in choice.options] if choice else []
        drawn = bool(options and solved and [c.value for c in solved.comparisons] == options)
        self.cards.setVisible(bool(proposals) and not drawn)
        if drawn and choice and solved:
            self._draw(shown, choice, solved)
        elif proposals and choice:
            self._list(shown, choice, proposals)
        else:
            self._heading(
                problem.problem if problem and problem.problem else
                "Working out what each option does" if choices else "This kit leaves nothing to choose."
            )  # fmt: skip

    def _heading(self, words: str) -> None:
        self.curve.heading.setText(words)
        self.curve.show_rest(False)

    def _list(self, shown: Snapshot, choice: Choice, proposals: tuple[Proposal, ...]) -> None:
        wanted = wish_words(choice.aim, proposals[0].results)
        where = "from the drawer" if shown.from_drawer else "'drawer' keeps to what you have"
        how = f"Sets of values, the best first ({where}): type 'choose 2' for the second." if choice.move else ""
        heading = "  ".join(w for w in (f"{choice.title}.", f"Wanted: {wanted}." if wanted else "", how) if w)
        solved = shown.answer(Stage.CHOOSE, choose.Proposed)
        assert solved is not None
        units = {m.element: m.unit for m in choice.move} | {p.ref: p.unit for p in shown.kit.parts.values()}
        at = next((k for k, p in enumerate(proposals) if _is_chosen(shown, p)), -1)
        printed = solved.printed.get(choice.id)
        self.curve.setMaximumHeight(CURVE_ABOVE_CARDS if choice.id in solved.curves else UNBOUND)
        if choice.id in solved.curves:
            frequency, db, aim = solved.curves[choice.id]
            names = ["as printed", "1", "2"]
            lines = [Line(frequency, row, name, name == "1") for row, name in zip(db, names, strict=False)]
            self.curve.show_rest(True)
            self.curve.show_picture(Plot(heading, "frequency", f"{aim.source} to {aim.node}, dB", lines))
        else:
            self._heading(heading)
        aims = (*choice.aim, *choose.told(shown.kit, choice))
        self.proposals.show_proposals(proposals, units, aims, at, printed)

    def _draw(self, shown: Snapshot, choice: Choice, solved: choose.Proposed) -> None:
        self.curve.setMaximumHeight(UNBOUND)
        self.curve.show_rest(True)
        chosen = shown.build.choices.get(choice.id, choice.options[0].value)
        printed = solved.comparisons[0]
        unit = shown.kit.part(choice.part).unit

        def told(value: str) -> str:
            return format_value(parse_value(value, unit), unit)

        lines = [
            Line(c.frequency, c.magnitude_db, f"{choice.part} {told(c.value)}", c.value == chosen)
            for c in solved.comparisons
        ]
        words = [f"{told(c.value)}:  {choose.in_words(c, printed)}" for c in solved.comparisons]
        picture = Plot(f"{choice.title}, jack to jack", "frequency", "gain, dB", lines, words=words)
        self.curve.show_picture(picture)


def _is_chosen(shown: Snapshot, proposal: Proposal) -> bool:
    """Whether every value of ``proposal`` is the one that was chosen."""
    for name, value in proposal.values.items():
        part = shown.kit.find_part(name) or shown.kit.part_of(name)
        text = shown.build.chosen_values.get(part.ref) if part else None
        if part is None or text is None or abs(parse_value(text, part.unit) / value - 1) > 1e-3:
            return False
    return True
