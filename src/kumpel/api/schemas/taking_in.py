"""What is on the recorders, taking it in, clearing."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Id, Line, Out, Tags, Text, example
from kumpel.api.schemas.recorders import Recorder


class Found(Out):
    recorder_session: str
    start: datetime
    length_s: float
    size: int
    about: str
    standing: Literal["new", "arriving", "stored", "aside", "deleted", "recording", "unreadable"]
    too_short: bool
    session_id: int | None
    received: int
    trouble: str
    tags: dict[str, str]
    may_clear: bool
    kind: str
    person: str
    team: str
    transfer_s: float | None = Field(description="how long reading what is left of it takes, where that is known")
    figures: str
    verdict: str
    key_figure: str
    clock_error_s: float | None = Field(description="how wrong the recorder's clock was when it was taken in")
    clock_shift_s: float = Field(description="by how much it was moved since")
    signed: bool
    to_clear: bool = Field(description="it is to be removed on the recorder and is there yet")
    nth: int = Field(description="which recording of its recorder on its day it is, from 1; 0: too short to count")
    of_day: int


class Bay(BaseModel):
    recorder: Recorder
    utc_offset_min: int
    tags: dict[str, str]
    sessions: list[Found]


class TakeInWish(BaseModel):
    """A session to take in, and what is known about it."""

    model_config = example(
        recorder_id=5, recorder_session="NM-000107-00012", tags={"place": "crusher hall"}, shift_clock=True
    )
    recorder_id: int
    recorder_session: Line = Field(max_length=64)
    tags: Tags = Field(default_factory=dict)
    note: Text = Field(default="", max_length=4000)
    person_id: Id | None = None
    unclaimed: bool = False
    shift_clock: bool = False
    clear_after: bool = Field(
        default=False, description="remove it on the recorder once it is stored and was read again"
    )


class TakeIn(BaseModel):
    model_config = example(sessions=[{"recorder_id": 5, "recorder_session": "NM-000107-00012"}])

    sessions: list[TakeInWish] = Field(min_length=1)


class Begun(BaseModel):
    session_ids: list[int]


class Stopped(BaseModel):
    sessions: int


class Clear(BaseModel):
    """Sessions to remove on the recorder, named one by one."""

    model_config = example(recorder_sessions=["NM-000107-00012"])
    recorder_sessions: list[str] = Field(min_length=1)
    passcode: str = ""


class Cleared(BaseModel):
    cleared: list[str]
