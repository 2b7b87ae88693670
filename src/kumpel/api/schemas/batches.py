"""Reports for many in one go."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Line, Out, Text, example


class CandidatesWish(BaseModel):
    model_config = example(sessions=[12, 13, 14]) | ConfigDict(extra="forbid")
    sessions: list[Id] = Field(max_length=1_000)


class Candidate(Out):
    """A session of which a report can be issued; `why_not` says why it cannot."""

    session_id: int
    person_id: int | None
    name: str
    is_place: bool
    kind: str
    verdict: str
    key_figure: str
    started_at: datetime
    utc_offset_min: int
    why_not: str
    address: str = Field(description="the person's e-mail address, as far as one is known")
    is_new: bool = Field(description="nothing was sent to this address before")
    issued: str = Field(description="the report it was issued in since it was signed")


class BatchWish(BaseModel):
    """Whose reports, in the order they are printed in."""

    model_config = example(sessions=[12, 13, 14], name="Crusher hall") | ConfigDict(extra="forbid")
    sessions: list[Id] = Field(max_length=1_000)
    one_each: bool = Field(True, description="all sessions of a person in one report")
    parts: dict[str, list[str]] = Field(
        default_factory=dict, description="the parts by kind; else those of the one page"
    )
    named: bool = True
    name: Line = Field("", max_length=200)
    group_id: Id | None = None
    group_named: bool = True
    mail_to: dict[int, Line] = Field(default_factory=dict, description="addresses by person")
    forms: list[Literal["pdf", "docx", "html"]] = Field(["pdf"], min_length=1, max_length=3)
    note: Text = Field("", max_length=2_000)


class BatchItem(BaseModel):
    id: int
    who: str
    sessions: list[int]
    is_group: bool
    recipient: str
    state: Literal["waiting", "issued", "failed"]
    problem: str
    report_id: int | None
    number: str
    mail_id: int | None


class Batch(BaseModel):
    id: int
    name: str
    state: Literal["going", "stopped", "done"]
    made_at: datetime
    total: int
    issued: int
    failed: int
    items: list[BatchItem] = Field(description="only of one that is asked for alone")
