"""Choose: every option on one plot, with its numbers in words."""

from __future__ import annotations

from nuvlo.desktop.curve import Line
from nuvlo.desktop.curve import Picture as Plot
from nuvlo.desktop.pictures.frames import CurveFrame
from nuvlo.kit import Stage
from nuvlo.quantity import format_value, parse_value
from nuvlo.stages import choose


class Picture(CurveFrame):
    """The response with each option; the chosen one strong."""

    def show_session(self, session, now, side: str) -> None:
        solved = session.solved(Stage.CHOOSE)
        choices = session.kit.info.choice
        if solved is None or not solved.comparisons or not choices:
            self.curve.heading.setText(
                solved.problem if solved and solved.problem else
                "Working out what each option does" if choices else "This kit leaves nothing to choose."
            )  # fmt: skip
            return
        choice = choices[0]
        chosen = session.build.choices.get(choice.id, choice.options[0].value)
        printed = solved.comparisons[0]
        unit = session.kit.part(choice.part).unit

        def shown(value: str) -> str:
            return format_value(parse_value(value, unit), unit)

        lines = [
            Line(c.frequency, c.magnitude_db, f"{choice.part} {shown(c.value)}", c.value == chosen)
            for c in solved.comparisons
        ]
        words = [f"{shown(c.value)}:  {choose.in_words(c, printed)}" for c in solved.comparisons]
        picture = Plot(f"{choice.title}, jack to jack", "frequency", "gain, dB", lines, words=words)
        self.curve.show_picture(picture)
