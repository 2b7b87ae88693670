"""Reports."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Line, Out, Text, example


class ReportOptions(BaseModel):
    """Parts that go in; `named` false leaves every name out."""

    model_config = example(parts=["checks", "figures", "curve"], named=True)
    parts: list[str]
    named: bool = True


class ReportForm(Out):
    """A choice of parts by a name; `named` false: without anybody's name."""

    label: str
    parts: list[str]
    named: bool


class ReportChoices(BaseModel):
    parts: dict[str, str]
    one_page: list[str]
    forms: list[ReportForm]


class Pages(BaseModel):
    """The true pages as PNG, each as a data URL, and what is to be said of them."""

    pages: list[str]
    notes: list[str]


class Report(BaseModel):
    id: int
    number: str = Field(examples=["R-2026-00017"])
    title: str
    session_id: int | None = Field(description="the (first) session in it; a group's report has none")
    group_id: int | None
    session_started_at: datetime | None
    pages: int
    sha256: str
    issued_at: datetime
    issued_by: str
    named: bool = Field(description="the person's name is in it")


class ReportList(BaseModel):
    reports: list[Report]
    total: int


class MailWish(BaseModel):
    """A report for somebody: the address, the forms it is attached in, a few words."""

    model_config = example(recipient="dr.moe@tarnfels.example", forms=["pdf"]) | ConfigDict(extra="forbid")
    recipient: Line = Field(min_length=3, max_length=254)
    forms: list[Literal["pdf", "docx", "html"]] = Field(["pdf"], min_length=1, max_length=3)
    note: Text = Field(default="", max_length=2000)


class Mail(Out):
    """A mail with a report: where it stands, and what the mail server said where it was not taken."""

    id: int
    report_id: int
    recipient: str
    forms: list[str]
    size: int = Field(description="bytes of what is attached")
    state: Literal["waiting", "sent", "refused"]
    tries: int
    problem: str
    asked_at: datetime
    next_at: datetime
    sent_at: datetime | None
