"""What the model was asked about a build, and what it answered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from nuvlo.kit import Kit, Stage
from nuvlo.logbook import Build
from nuvlo.model import WorkingModel
from nuvlo.problems import NuvloError
from nuvlo.progress import Stopped
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.registry import asked_as, key, row


@dataclass(frozen=True)
class Question:
    """What a stage wants to know of one state of one build. Its ``key`` names the build and all that the answer hangs on."""

    stage: Stage
    key: object


@dataclass(frozen=True)
class Answer:
    """What came of a question."""

    question: Question
    solved: Solved


class Answers:
    """The newest answers for one build. Given to snapshots as they are: a new answer makes a new mapping."""

    def __init__(self) -> None:
        self.solved: Mapping[Stage, Answer] = {}
        self._model: tuple[object, WorkingModel] | None = None

    def question(self, stage: Stage, kit: Kit, build: Build, only_drawer: bool) -> Question:
        """What ``stage`` would ask now."""
        return Question(asked_as(stage), key(stage, kit, build, only_drawer))

    def model(self, kit: Kit, build: Build) -> WorkingModel:
        """The model of a state; the one that answered for the same state is used again for what it has solved."""
        state = (id(kit), key(Stage.SET, kit, build, False))  # the kit is held by the model, so its id stays its own
        if self._model is None or self._model[0] != state:
            self._model = (state, WorkingModel(kit, build))
        return self._model[1]

    def take(self, answer: Answer) -> None:
        """Take in an answer."""
        self.solved = {**self.solved, answer.question.stage: answer}


def solve(question: Question, asked: Asked) -> Answer:
    """Put a question to the model. Slow; changes nothing. What cannot be solved is an answer too, and says why."""
    ask = row(question.stage).ask
    try:
        return Answer(question, ask(asked) if ask else Solved())
    except Stopped:
        raise
    except NuvloError as error:
        return Answer(question, Solved(problem=str(error)))
