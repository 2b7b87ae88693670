"""Two recordings of one person, side by side."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Out


class DaySpan(Out):
    """By how much a figure differs from one day to another without a reason; null: nobody can say."""

    value: float | None
    origin: Literal["own", "set", "none"]
    recordings: int


class FigureChange(Out):
    figure: str
    label: str
    unit: str
    decimals: int
    before: float | None
    after: float | None
    difference: float | None
    span: DaySpan
    standing: Literal["beyond", "within", "not known"]


class CompareQuestion(Out):
    """Something that has to be alike; `holds` null: not known. One that is `needed` withholds the differences."""

    text: str
    holds: bool | None
    about: str
    needed: bool


class Differing(BaseModel):
    what: str
    before: str
    after: str


class TakenBoth(Out):
    name: str
    before: str = Field(description="empty: not taken")
    after: str
    changed: bool


class Comparison(BaseModel):
    """What changed between two sessions of one person; `why_not` says why no difference is told."""

    before: int
    after: int
    limit_set_id: int
    changes: list[FigureChange]
    questions: list[CompareQuestion]
    differing: list[Differing]
    medicines: list[TakenBoth]
    changed_on: date | None
    why_not: str
    in_words: str
    spans_from: str
