"""Choose: what each option of a choice does, before a part is fitted."""

from __future__ import annotations

from nuvlo.kit import Kit, Stage
from nuvlo.logbook import Build
from nuvlo.model import Task, Wants, WorkingModel
from nuvlo.model.working import Comparison
from nuvlo.quantity import format_value, parse_value


def tasks(kit: Kit, build: Build) -> list[Task]:
    """One task for each choice of the kit."""
    out = []
    for choice in kit.info.choice:
        unit = kit.part(choice.part).unit
        options = "\n".join(
            f"{n}  {format_value(parse_value(o.value, unit), unit)}: {o.says}." for n, o in enumerate(choice.options, 1)
        )
        out.append(
            Task(f"choose.{choice.id}", Stage.CHOOSE, Wants.CHOOSE, f"Choose {choice.part}: {choice.title.lower()}",
                 f"{choice.says}\n{options}\nType 'choose 2' for the second; Space keeps the first.", choice.id, parts=(choice.part,))
        )  # fmt: skip
    return out


def effects(model: WorkingModel, choice_id: str) -> list[Comparison]:
    """Response, gain, corner and current of every option, solved."""
    return model.compare(choice_id)


def in_words(option: Comparison, printed: Comparison) -> str:
    """One option against the kit as printed."""
    corner = format_value(option.corner_hz, "Hz", 2) if option.corner_hz else "below the band"
    gain = option.gain_db - printed.gain_db
    change = "gain as printed" if abs(gain) < 0.05 else f"gain {format_value(gain, 'dB', 2)}"
    return f"corner {corner}, {change}, supply {format_value(option.current, 'A', 3)}"
