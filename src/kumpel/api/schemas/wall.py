"""The wall: marks, answers, whom to call."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Id, Line, Out, example


class NewMark(BaseModel):
    """Something that happens now, of a recorder and who wears it, or of everybody who is out."""

    model_config = example(text="blast", recorder_id=6)
    text: Line = Field(min_length=1, max_length=120)
    recorder_id: Id | None = None


class WallMark(Out):
    id: int
    at: datetime
    text: str
    token: str
    person: str
    by: str
    session_id: int | None


class WallMarks(BaseModel):
    marks: list[WallMark]


class WallAnswer(BaseModel):
    """Somebody has called who wears a recorder."""

    model_config = example(recorder_id=6)
    recorder_id: Id


class WallCall(BaseModel):
    """Whom to call for a team, and if it gets worse; empty where nobody said."""

    team: str
    call: str
    worse: str


class NewWallLink(BaseModel):
    """An address of the wall for a screen, for so many hours."""

    model_config = example(name="screen at the barrier", hours=12)
    name: Line = Field("", max_length=120)
    hours: int = Field(12, ge=1, le=168)


class WallLink(BaseModel):
    """`address` is told once, when it is made: what opens it is not kept."""

    id: int
    name: str
    until: datetime
    used_at: datetime | None
    address: str = ""


class WallScreen(BaseModel):
    until: datetime
    calls: list[WallCall]


class WallCalls(BaseModel):
    """For each team, and for everybody (an empty name)."""

    calls: list[WallCall]
