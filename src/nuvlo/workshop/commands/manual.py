"""The manual page of the bench line, made of the table of commands."""

from __future__ import annotations

from nuvlo.kit import Stage
from nuvlo.workshop.commands.verbs import EVERY, ROWS, Verb

HEAD = """# The bench line

Made from the table of commands by `make manual`; do not edit it by hand.

Everything can be typed at the foot of the window, and most of it clicked on the strip under the picture. What was
understood is said before Enter. Space on an empty line does what the step in hand asks for; it never passes a caution.
Tab completes a name and shows what is known of it, Up and Down bring lines back, Esc stops what is being worked out and
leaves what is shown beside the stage.

A line may begin with a name: a part (`r4 99.2k` what it measures, `r4` it is there, `r4 missing` what is the matter with it),
a test point (`tp3 4.48`) or a lug (`j1.tip 2.2M`). A bare value is for what is asked. Values are written as usual:
`4k7`, `4.7k`, `4,7 k`, `M` for mega and `m` for milli; `OL` or `open` for over range.

"""


def manual_page() -> str:
    """The page as Markdown."""
    out = [HEAD]
    always = [v for v in ROWS if v.stages == EVERY]
    out.append(_table("In every stage", always))
    for stage in Stage:
        mine = [v for v in ROWS if stage in v.stages and v.stages != EVERY]
        if mine:
            out.append(_table(stage.label, mine))
    return "\n".join(out)


def _table(heading: str, verbs: list[Verb]) -> str:
    rows = [f"## {heading}", "", "| typed | what it does | also |", "|---|---|---|"]
    for v in verbs:
        also = [
            *(f"`{s}`" for s in v.short),
            *([v.key] if v.key else []),
            *([f"button: {v.button}"] if v.button else []),
        ]
        rows.append(f"| `{v.example}` | {v.says} | {', '.join(also)} |")
    return "\n".join([*rows, ""])
