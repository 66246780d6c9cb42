"""What can be typed, made of the table of commands: first what belongs to the stage in hand."""

from __future__ import annotations

from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.kit import Stage
from nuvlo.workshop.commands.verbs import EVERY, ROWS, Verb


class HelpTool(Page):
    """A line of type and a sentence for each command."""

    def show_answer(self, stage: Stage) -> None:
        column = self.fresh(4)
        column.addWidget(label("What can be typed", 15, bold=True))
        column.addWidget(
            label("Space does what the step asks for. Tab completes a name, Up brings back a line.", 11, "faint")
        )
        here = [v for v in ROWS if stage in v.stages and v.stages != EVERY]
        always = [v for v in ROWS if v.stages == EVERY]
        elsewhere = [v for v in ROWS if stage not in v.stages]
        for heading, verbs in ((f"In {stage.label}", here), ("Always", always), ("In other stages", elsewhere)):
            column.addSpacing(8)
            column.addWidget(label(heading, 11, "faint", bold=True))
            for verb in verbs:
                column.addWidget(label(typed(verb), 11, "slate", mono=True))
                column.addWidget(label(verb.says, 10.5))
        self.turn(column)


def typed(verb: Verb) -> str:
    """How a command is typed, with its short forms and its key."""
    also = [*verb.short, *([f"key {verb.key}"] if verb.key else [])]
    return verb.example + (f"   ({', '.join(also)})" if also else "")
