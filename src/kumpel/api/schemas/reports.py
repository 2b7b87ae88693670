"""Reports."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import example


class ReportOptions(BaseModel):
    """Parts that go in; `named` false leaves every name out."""

    model_config = example(parts=["checks", "figures", "curve"], named=True)
    parts: list[str]
    named: bool = True


class ReportChoices(BaseModel):
    parts: dict[str, str]
    one_page: list[str]


class Pages(BaseModel):
    """The true pages as PNG, each as a data URL, and what is to be said of them."""

    pages: list[str]
    notes: list[str]


class Report(BaseModel):
    id: int
    number: str = Field(examples=["R-2026-00017"])
    title: str
    session_id: int
    session_started_at: datetime
    pages: int
    sha256: str
    issued_at: datetime
    issued_by: str


class ReportList(BaseModel):
    reports: list[Report]
    total: int
