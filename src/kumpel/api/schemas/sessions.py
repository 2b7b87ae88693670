"""Sessions in lists, their channels and events."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Line, Out, Tags, Text, VerdictWord, example


class FigureName(BaseModel):
    key: str
    name: str
    unit: str


class Number(Out):
    """A figure of a session as a number; null where it was not measured."""

    value: float | None
    unit: str
    verdict: VerdictWord


class Session(BaseModel):
    id: int
    kind: str
    person_id: int | None
    person: str
    person_number: str
    token: str
    recorder_id: int | None
    serial: str
    recorder_session: str
    started_at: datetime
    utc_offset_min: int
    length_s: float
    size: int
    sha256: str
    aside: str
    trouble: str
    clock_error_s: float | None
    clock_shift_s: float
    note: str
    tags: dict[str, str]
    verdict: VerdictWord
    verdict_step: str
    key_figure: str
    figures: Literal["waiting", "assessed", "failed"]
    failure: str
    signed_at: datetime | None
    taken_in_at: datetime | None
    deleted_at: datetime | None
    report: str
    numbers: dict[str, Number]


class SessionList(BaseModel):
    """`total` is how many match; with `more`, at least so many: counting ended there."""

    sessions: list[Session]
    total: int
    more: bool = False


class SessionChange(BaseModel):
    """Only the fields given are changed; a `person_id` of null gives the session to nobody. Of the `tags` those that are named
    change, and an empty one goes.
    """

    model_config = example(person_id=12, tags={"place": "crusher hall", "task": "feed control"}) | ConfigDict(
        extra="forbid"
    )
    person_id: Id | None = None
    note: Text = Field(default_factory=str, max_length=4000)
    clock_shift_s: float = Field(
        default_factory=float, strict=True, ge=-366 * 86_400, le=366 * 86_400, allow_inf_nan=False
    )
    tags: Tags = Field(default_factory=dict)
    aside: Line = Field(default_factory=str, max_length=120)


class Channel(Out):
    index: int
    key: str
    name: str
    unit: str
    interval_s: float
    samples: int


class View(BaseModel):
    """A channel in equal bins; null where nothing was measured."""

    key: str
    unit: str
    bin_s: float
    start_s: float
    low: list[float | None]
    high: list[float | None]
    mean: list[float | None]


class Event(Out):
    at_s: float
    code: str
    text: str
    data: dict[str, Any]


class Shift(BaseModel):
    """Sessions to move by the error their recorder's clock had, or (`back`) to what the recorder said."""

    model_config = example(sessions=[17, 18])
    sessions: list[int] = Field(min_length=1, max_length=500)
    back: bool = False


class Shifted(BaseModel):
    """Those that moved; signed ones and those whose clock is not known stay."""

    sessions: list[int]


class ChangeOfOne(BaseModel):
    """Whose one session becomes, or what is said of it; only what is named changes."""

    model_config = ConfigDict(extra="forbid")
    id: Id
    person_id: Id | None = None
    tags: Tags = Field(default_factory=dict)
    aside: Line = Field(default_factory=str, max_length=120, description="why it is kept aside; empty brings it in")


class ManyChanges(BaseModel):
    model_config = example(each=[{"id": 12, "person_id": 3}]) | ConfigDict(extra="forbid")
    each: list[ChangeOfOne] = Field(min_length=1, max_length=1_000)


class ManySessions(BaseModel):
    model_config = example(sessions=[12, 13]) | ConfigDict(extra="forbid")
    sessions: list[Id] = Field(min_length=1, max_length=1_000)


class ManyDone(BaseModel):
    """What was done, what stayed because it is signed off, and what each was before: to take it back in one asking."""

    done: list[int]
    signed: list[int]
    before: list[ChangeOfOne]
