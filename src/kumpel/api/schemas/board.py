"""The board of recorders."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Out, example


class OnBoard(Out):
    """A recorder in its cell: why it is there, and what somebody does about it."""

    recorder_id: int
    token: str
    kind: str
    name: str
    cell: Literal["go", "press", "hand", "out", "away"]
    words: str
    deed: str
    mark: str = Field(description="what is late or soon due, in words")
    battery: float | None
    place: str
    person_id: int | None
    holder: str
    since: datetime | None
    until: datetime | None
    late: bool


class RecordersChosen(BaseModel):
    model_config = example(recorders=[3, 7]) | ConfigDict(extra="forbid")
    recorders: list[Id] = Field(min_length=1, max_length=2000)


class Righted(Out):
    """What one press did to a recorder, or why it did nothing."""

    recorder_id: int
    token: str
    done: str
    why: str


class Held(Out):
    person_id: int
    name: str
    since: datetime
    until: datetime | None
    session_id: int | None


class Recorded(Out):
    session_id: int
    started_at: datetime
    clock_error_s: float | None
    shifted: bool


class CheckedOnce(Out):
    at: datetime
    label: str
    passed: bool
    due_at: datetime | None


class RecorderLife(Out):
    """What happened to a recorder since a moment, and how much ever."""

    since: datetime
    sessions_ever: int
    people_ever: int
    held: list[Held]
    recorded: list[Recorded]
    checked: list[CheckedOnce]
    clock_set: list[datetime]
    not_taken_in: int
    next_check: datetime | None
