"""A review: decisions, conclusion, signatures."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.assessments import Assessment
from kumpel.api.schemas.common import Id, Line, Out, Text, example
from kumpel.api.schemas.limits import LimitWish
from kumpel.api.schemas.sessions import Channel, Event, Session


class Decision(Out):
    """Something a reviewer decided: a stretch, an event dropped or kept, a setting, an accepted finding."""

    id: int
    what: Literal["left out", "task", "asleep", "dropped", "kept", "edge", "type", "setting", "accepted"]
    key: str
    start_s: float | None
    end_s: float | None
    value: float | str | None
    reason: str
    made_at: datetime
    lost: bool = False


class Signature(BaseModel):
    """Who signed what and when; `differs` says what would stand there otherwise today, `opened_*` who opened it again and why."""

    by: str
    at: datetime
    conclusion: str
    differs: list[str] = Field(default_factory=list)
    opened_by: str = ""
    opened_at: datetime | None = None
    opened_why: str = ""


class MarkBeside(Out):
    """Something that was marked on the wall meanwhile, in s after the start by the recorder's corrected clock."""

    at_s: float
    text: str
    by: str


class Review(BaseModel):
    """Everything a review shows of a session. `limit_set_id` is the set it was computed with.

    While the figures are being computed, or when nothing could be computed (`failure` says why), there are none.
    """

    session: Session
    recorded_by: str = Field(description="model, serial number and firmware of what recorded it")
    unchecked: list[str] = Field(description="checks of the recorder that were due when this was recorded, in words")
    version: int
    figures: Literal["waiting", "assessed", "failed"]
    failure: str
    limit_set_id: int
    recorded: Assessment | None
    reviewed: Assessment | None
    decisions: list[Decision]
    events: list[Event]
    marks: list[MarkBeside]
    channels: list[Channel]
    main_channel: str
    undo: str
    redo: str
    conclusion: str
    conclusion_version: int
    conclusion_by: str
    signature: Signature | None
    earlier: list[Signature]


class DecisionWish(BaseModel):
    """A decision to take. A setting of null is taken back; `value` of a dropped or kept event is its length in seconds.

    An "edge" says whether an event begins at a moment ("begins", "goes on"), a "type" of which type one is; null: as found.
    """

    model_config = example(what="left out", start_s=1200.0, end_s=1260.0, reason="meter knocked") | ConfigDict(
        extra="forbid"
    )
    what: Literal["left out", "task", "asleep", "dropped", "kept", "edge", "type", "setting", "accepted"]
    key: Line = Field(default="", max_length=120)
    start_s: float | None = Field(default=None, strict=True, allow_inf_nan=False)
    end_s: float | None = Field(default=None, strict=True, allow_inf_nan=False)
    value: Annotated[float, Field(strict=True, allow_inf_nan=False)] | Annotated[str, Field(max_length=200)] | None = (
        None
    )
    reason: Line = Field(default="", max_length=400)


class Decisions(BaseModel):
    """Decisions to take and to take away (by id), in one step that one undo takes back; `version` is the review looked at."""

    model_config = example(
        version=3, add=[{"what": "setting", "key": "working_day_s", "value": 28800.0}], remove=[]
    ) | ConfigDict(extra="forbid")
    version: int
    add: list[DecisionWish] = Field(default_factory=list, max_length=2000)
    remove: list[Id] = Field(default_factory=list, max_length=2000)


class Supposed(BaseModel):
    """Decisions that are not taken yet, another limit set or one that is only wished, to see what would come out."""

    model_config = example(add=[{"what": "left out", "start_s": 0.0, "end_s": 60.0, "reason": "moving"}]) | ConfigDict(
        extra="forbid"
    )
    add: list[DecisionWish] = Field(default_factory=list, max_length=2000)
    remove: list[Id] = Field(default_factory=list, max_length=2000)
    limit_set_id: Id | None = None
    limits: LimitWish | None = None


class Version(BaseModel):
    """The version of the review that was looked at."""

    model_config = example(version=3)
    version: int


class Opening(BaseModel):
    model_config = example(why="A task was missing.")
    why: Line = Field(min_length=1, max_length=400)


class ConclusionText(BaseModel):
    """The text, and the version of the conclusion that the writer saw before."""

    model_config = example(text="Liner change alone brings half of the day's dose.", version=0)

    text: Text = Field(max_length=20_000)
    version: int = Field(ge=0)


class ConclusionKept(BaseModel):
    version: int


class Signing(BaseModel):
    """What the signer saw: the versions of the review and of the conclusion."""

    model_config = example(version=3, conclusion_version=1)
    version: int
    conclusion_version: int
