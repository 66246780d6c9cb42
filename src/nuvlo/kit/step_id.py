"""What the log calls the steps of a build. Built and read here, nowhere else."""

from __future__ import annotations

import zlib
from collections.abc import Iterable

from nuvlo.kit.schema import Stage


class StepId(str):
    """``stage.verb.about``, such as ``fit.craft.lid``: a ``str``, because it stands in logs as it is.

    Some steps have no ``about`` (``prove.sweep``); ``about`` may hold points of its own (``hook_up.ring.J1.tip``).
    """

    __slots__ = ()

    @classmethod
    def of(cls, stage: Stage, *words: str) -> StepId:
        """A step of ``stage``."""
        return cls(".".join((stage.value, *words)))

    @property
    def verb(self) -> str:
        """The word behind the stage; empty where the log holds none."""
        return [*self.split(".", 2), ""][1]

    @property
    def about(self) -> str:
        """What it is done to: all behind the verb."""
        return [*self.split(".", 2), "", ""][2]

    def does(self, stage: Stage, *verbs: str) -> bool:
        """Whether it is one of the ``verbs`` of ``stage``."""
        return self.partition(".")[0] == stage.value and self.verb in verbs


def craft_step(craft_id: str) -> StepId:
    """A step of cabinet work."""
    return StepId.of(Stage.FIT, "craft", craft_id)


def part_step(ref: str) -> StepId:
    """The step of Unpack in which a part is found, and measured where it has a value."""
    return StepId.of(Stage.UNPACK, ref)


def fit_step(ref: str) -> StepId:
    """The fitting of one part."""
    return StepId.of(Stage.FIT, "fit", ref)


def wire_step(name: str) -> StepId:
    """The running of one wire."""
    return StepId.of(Stage.HOOK_UP, "wire", name)


def join_step(letter: str) -> StepId:
    """The leads of one letter on a board that is joined by letters."""
    return StepId.of(Stage.HOOK_UP, "join", letter)


def board_step(stage: Stage, verb: str, parts: Iterable[str]) -> StepId:
    """A step of the order of work. It keeps its name whatever its number: another order, or other parts in the post,
    change neither its stage, its verb nor its parts."""
    if stage is not Stage.FIT:
        return StepId.of(stage, verb)
    return StepId.of(stage, verb, f"{zlib.crc32(' '.join(sorted(parts)).encode()):08x}")
