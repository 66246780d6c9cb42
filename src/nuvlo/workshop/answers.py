"""What the model was asked about a build, and what it answered."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.files.mistakes import Habits
from nuvlo.kit import Kit, Stage
from nuvlo.logbook import Build
from nuvlo.measurement import Observable
from nuvlo.model import WorkingModel
from nuvlo.problems import NuvloError
from nuvlo.progress import Stopped
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.registry import asked_as, key, row
from nuvlo.stages.suspects import suspect
from nuvlo.stages.task import Task

SUSPECTS = "suspects"


@dataclass(frozen=True)
class Question:
    """What a stage wants to know of one state of one build. Its ``key`` names the build and all that the answer hangs on."""

    stage: Stage
    key: object
    stopped: Task | None = None  # what reads out of its window, where it is asked what went wrong

    @property
    def about(self) -> Stage | str:
        """Under what its answer is kept."""
        return self.stage if self.stopped is None else SUSPECTS


@dataclass(frozen=True)
class Answer:
    """What came of a question."""

    question: Question
    solved: Solved


class Answers:
    """The newest answers for one build. Given to snapshots as they are: a new answer makes a new mapping."""

    def __init__(self) -> None:
        self.solved: Mapping[Stage | str, Answer] = {}
        self._model: tuple[object, WorkingModel] | None = None
        self._diagnoses: dict[bool, tuple[object, Diagnosis]] = {}  # of what is read while wires are rung out, and of all else

    def question(self, stage: Stage, kit: Kit, build: Build, only_drawer: bool) -> Question:
        """What ``stage`` would ask now."""
        return Question(asked_as(stage), key(stage, kit, build, only_drawer))

    def model(self, kit: Kit, build: Build) -> WorkingModel:
        """The model of a state; the one that answered for the same state is used again for what it has solved."""
        state = (id(kit), key(Stage.SET, kit, build, False))  # the kit is held by the model, so its id stays its own
        if self._model is None or self._model[0] != state:
            self._model = (state, WorkingModel(kit, build))
        return self._model[1]

    def suspecting(self, kit: Kit, build: Build, stopped: Task, skipped: frozenset[Observable] = frozenset()) -> Question:
        """What would be asked of a unit that has ``stopped``."""
        read = tuple((r.of, r.measured) for r in build.readings)
        return Question(stopped.stage, (_fitted(kit, build), stopped.id, read, skipped), stopped)

    def diagnosis(self, kit: Kit, build: Build, habits: Callable[[], Habits], stage: Stage) -> Diagnosis:
        """The table of mistakes for what is in the unit, and for what is read in ``stage``; the one that was made for the same parts is used again."""
        state, wiring = _fitted(kit, build), stage is Stage.HOOK_UP
        if self._diagnoses.get(wiring, (None,))[0] != state:
            self._diagnoses[wiring] = (state, Diagnosis(kit, build, habits=habits(), wiring=wiring))
        return self._diagnoses[wiring][1]

    def knows_table(self, kit: Kit, build: Build, stage: Stage) -> bool:
        """Whether it takes no time to say what went wrong."""
        state, made = self._diagnoses.get(stage is Stage.HOOK_UP, (None, None))
        return made is not None and state == _fitted(kit, build) and "table" in vars(made)

    def take(self, answer: Answer) -> None:
        """Take in an answer."""
        self.solved = {**self.solved, answer.question.about: answer}


def _fitted(kit: Kit, build: Build) -> object:
    """Changes whenever other parts are in the unit, or its trimmers stand elsewhere."""
    parts = tuple((ref, tuple(v)) for ref, v in sorted(build.measured.items()))
    return id(kit), parts, tuple(sorted(build.chosen_values.items())), tuple(build.changes.items()), tuple((t.ref, t.degrees) for t in build.turns)


def solve(question: Question, asked: Asked) -> Answer:
    """Put a question to the model. Slow; changes nothing. What cannot be solved is an answer too, and says why."""
    ask = row(question.stage).ask
    try:
        if question.stopped is not None and asked.diagnosis is not None:
            return Answer(question, suspect(asked.diagnosis, asked.build, question.stopped, asked.skipped))
        return Answer(question, ask(asked) if ask else Solved())
    except Stopped:
        raise
    except NuvloError as error:
        return Answer(question, Solved(problem=str(error)))
