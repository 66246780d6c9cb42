"""What can happen to a build. Events are only ever added; names and fields stay readable for ever."""

from __future__ import annotations

import math
import uuid
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter

from nuvlo.measurement import Observable, read_stored

PRINTED = "printed"  # what a part is changed back to


def _over_range(value: Any) -> Any:
    """Logs written before over range had a word of its own hold null where it was meant."""
    return math.inf if value is None else value


Shown = Annotated[float, BeforeValidator(_over_range)]  # what a display shows; infinite where it is over range


class _Body(BaseModel):
    # JSON knows no infinity: it is written as a word, and read back as the number.
    model_config = ConfigDict(extra="forbid", frozen=True, ser_json_inf_nan="strings")


class BuildStarted(_Body):
    """A kit was opened for building. ``bench`` names the instruments in use: ``typed`` or ``simulated:SEED``."""

    kind: Literal["build_started"] = "build_started"
    kit: str
    folder: str
    serial: str
    bench: str = "typed"


class PartTicked(_Body):
    """A part was found in the box."""

    kind: Literal["part_ticked"] = "part_ticked"
    ref: str


class PartMeasured(_Body):
    """A loose part was measured. ``uncertainty`` is expanded, k = 2, in ``unit``."""

    kind: Literal["part_measured"] = "part_measured"
    ref: str
    value: Shown
    uncertainty: float
    unit: str
    instrument: str = "typed"
    shown: Shown | None = None  # what the meter showed, where its leads were taken off
    leads: float = 0.0


class ReferenceRead(_Body):
    """A part known better than the meter was measured: ``value`` in ``unit``, ``tolerance`` a fraction; ``shown`` by the meter."""

    kind: Literal["reference_read"] = "reference_read"
    value: float
    tolerance: float
    shown: float
    uncertainty: float
    unit: str


class PartMarked(_Body):
    """A part was given a state: ``missing``, ``wrong``, ``reversed``, ``doubtful``; ``swapped`` says another one is in."""

    kind: Literal["part_marked"] = "part_marked"
    ref: str
    state: str


class ChoiceMade(_Body):
    """An option of a choice was taken; ``value`` as the kit writes it. ``kept``: the part is what it was meant to be before, so
    what was measured of it still holds."""

    kind: Literal["choice_made"] = "choice_made"
    choice: str
    part: str
    value: str
    kept: bool = False


class TrayOrdered(_Body):
    """The order in which parts are checked in: ``value``, ``strip``, ``section`` or ``list``."""

    kind: Literal["tray_ordered"] = "tray_ordered"
    order: str


class SchoolTaken(_Body):
    """The order of work was chosen, such as ``lowest+groups``."""

    kind: Literal["school_taken"] = "school_taken"
    school: str


class StanceTaken(_Body):
    """A side was taken where builders disagree, such as ``measure``: ``spot``."""

    kind: Literal["stance_taken"] = "stance_taken"
    question: str
    side: str


class KitChanged(_Body):
    """A part or supply is something other than printed, and why; ``printed`` puts it back."""

    kind: Literal["kit_changed"] = "kit_changed"
    part: str
    to: str
    why: str = ""


class BoardPictured(_Body):
    """A picture of one side of the board, aligned by two pads (``R1.1``) and where they are in it, px. ``file`` lies in the
    workshop's ``pictures``; an empty one takes the picture away."""

    kind: Literal["board_pictured"] = "board_pictured"
    file: str
    side: str
    first: tuple[str, float, float] = ("", 0.0, 0.0)
    second: tuple[str, float, float] = ("", 0.0, 0.0)


class StepBegun(_Body):
    """A step against a clock was begun: the glue is spread."""

    kind: Literal["step_begun"] = "step_begun"
    step: str


class JointMarked(_Body):
    """A joint (``R4.1``) is ``dull``, a ``bridge``, ``missing``, or ``reflowed``."""

    kind: Literal["joint_marked"] = "joint_marked"
    joint: str
    mark: str


class PartReworked(_Body):
    """A part was taken ``off`` or re-heated (``hot``). ``reopened`` are the steps that no longer hold; readings taken since it
    went in do not either."""

    kind: Literal["part_reworked"] = "part_reworked"
    ref: str
    what: str
    reopened: tuple[str, ...] = ()
    why: str = ""


class MistakeFound(_Body):
    """What had gone wrong was found and put right: ``text`` says it, ``mistake`` is its id where the table of mistakes knows it, and ``cause``
    its kind there. Readings of the unit no longer hold."""

    kind: Literal["mistake_found"] = "mistake_found"
    text: str
    cause: str
    refs: tuple[str, ...] = ()
    mistake: str = ""


class PhotoKept(_Body):
    """A picture that goes with a step. ``file`` lies in the workshop's ``pictures``."""

    kind: Literal["photo_kept"] = "photo_kept"
    file: str
    step: str
    says: str = ""


class StepDone(_Body):
    """A step of a stage was done."""

    kind: Literal["step_done"] = "step_done"
    step: str


class StepAccepted(_Body):
    """A step whose reading is outside its window was accepted as it is, with a reason."""

    kind: Literal["step_accepted"] = "step_accepted"
    step: str
    why: str = ""


class HoldPassed(_Body):
    """A step went ahead of what holds it. ``what`` says so in words; ``until`` is when it would not have been held any more, None where
    something else was to be done first."""

    kind: Literal["hold_passed"] = "hold_passed"
    step: str
    what: str
    until: datetime | None = None


class ReadingTaken(_Body):
    """An instrument was read. ``point`` is the text form of what, beside its ``quantity``; ``stage`` says when."""

    kind: Literal["reading_taken"] = "reading_taken"
    point: str
    quantity: str
    value: Shown
    uncertainty: float
    unit: str
    stage: str
    instrument: str = "typed"
    shown: Shown | None = None  # what the meter showed, where its leads were taken off
    leads: float = 0.0
    expected: tuple[Shown, Shown, Shown] | None = None  # nominal, low, high, where the model had answered by then

    @property
    def of(self) -> Observable:
        return read_stored(self.point, self.quantity)


class WindowKept(_Body):
    """What the model expected of the reading ``reading`` (an event) when it was taken; later states expect otherwise."""

    kind: Literal["window_kept"] = "window_kept"
    reading: str
    nominal: Shown
    low: Shown
    high: Shown


class TrimmerTurned(_Body):
    """A pot or trimmer was turned, clockwise positive."""

    kind: Literal["trimmer_turned"] = "trimmer_turned"
    ref: str
    degrees: float


class CautionConfirmed(_Body):
    """A hazard was read and confirmed deliberately."""

    kind: Literal["caution_confirmed"] = "caution_confirmed"
    hazard: str


class CurveTaken(_Body):
    """A response was measured. ``level`` is the drive in V peak."""

    kind: Literal["curve_taken"] = "curve_taken"
    name: str
    frequency: tuple[float, ...]
    magnitude_db: tuple[float, ...]
    uncertainty_db: float
    level: float
    instrument: str = "typed"


class Note(_Body):
    """Something worth remembering."""

    kind: Literal["note"] = "note"
    text: str


class Exported(_Body):
    """A sheet was written. ``file`` is its name without folder."""

    kind: Literal["exported"] = "exported"
    file: str


class Undone(_Body):
    """The entry that the event ``target`` is part of no longer counts."""

    kind: Literal["undone"] = "undone"
    target: str


class Redone(_Body):
    """The undone entry that ``target`` is part of counts again."""

    kind: Literal["redone"] = "redone"
    target: str


Body = Annotated[
    BuildStarted | PartTicked | PartMeasured | ReferenceRead | PartMarked | ChoiceMade | TrayOrdered | SchoolTaken | StanceTaken | KitChanged | BoardPictured | StepBegun | JointMarked | PartReworked | PhotoKept | StepDone | StepAccepted | HoldPassed | ReadingTaken
    | MistakeFound | WindowKept | TrimmerTurned | CautionConfirmed | CurveTaken | Note | Exported | Undone | Redone,
    Field(discriminator="kind"),
]  # fmt: skip
BODY: TypeAdapter[Body] = TypeAdapter(Body)


ENTRY = 28  # characters of an event's id that all events of one entry share


def new_ids(count: int) -> list[str]:
    """Ids for the events of one entry: what one line brought about is taken back together."""
    entry = uuid.uuid4().hex[:ENTRY]
    return [f"{entry}{k:04x}" for k in range(count)]


def entry_of(event_id: str) -> str:
    """The entry that an event is part of."""
    return event_id[:ENTRY]


def as_text(body: Body) -> str:
    """An event's body as the log keeps it. By the model itself, whose settings write infinity as a word."""
    return body.model_dump_json()


class Unread(BaseModel):
    """Stands where a row of the log cannot be read: of a newer version, or damaged. Never written."""

    model_config = ConfigDict(frozen=True)

    why: str


class Event(BaseModel):
    """One line of the log."""

    model_config = ConfigDict(frozen=True)

    id: str
    build: str
    at: datetime
    body: Body | Unread
