"""Groups of people."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Line, Out, Text, example
from kumpel.services.groups.kept import GroupWish


class GroupMember(Out):
    id: int
    name: str
    number: str
    team: str
    is_place: bool


class GroupStep(Out):
    value: float
    name: str
    verdict: str


class GroupMeasured(Out):
    """A session of somebody in the group; `why_not` is empty where it counts."""

    session_id: int
    person_id: int
    day: date
    started_at: datetime
    value: float | None
    unit: str
    verdict: str
    signed: bool
    why_not: str
    by_hand: bool


class GroupNumber(BaseModel):
    label: str
    value: str


class GroupSpan(BaseModel):
    """The group on the scale: its mean, the span that is told with it, its 95th percentile."""

    mean: float | None
    low: float | None
    high: float | None
    p95: float | None


class GroupSplit(BaseModel):
    lower: list[int]
    upper: list[int]


class GroupSigned(BaseModel):
    """The signature in force, and what would be otherwise today."""

    at: datetime
    by: str
    conclusion: str
    differs: list[str]


class GroupChoice(BaseModel):
    key: str
    label: str


class GroupLook(BaseModel):
    """A group with everything that its measurements say now."""

    id: int
    name: str
    kind: str
    version: int
    wish: GroupWish
    figure_name: str
    unit: str
    logarithmic: bool
    steps: list[GroupStep]
    step: GroupStep | None
    members: list[GroupMember]
    measured: list[GroupMeasured]
    verdict: str
    words: str
    told: str = Field(description="the verdict in words, with the numbers that lead to it")
    numbers: list[GroupNumber]
    whole: GroupSpan | None
    split: GroupSplit | None
    split_words: str
    conclusion: str
    conclusion_version: int
    signed: GroupSigned | None
    figures: list[GroupChoice] = Field(description="figures that the kind looks at over people")


class GroupRow(BaseModel):
    """A group on the list."""

    id: int
    name: str
    kind: str
    people: int
    counted: int
    verdict: str
    words: str
    signed: bool
    changed: int = Field(description="how much would be otherwise than it was signed")


class NewGroup(BaseModel):
    model_config = example(name="Crusher hall operators", wish={"team": "Crusher hall"}) | ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=120)
    kind: str = Field(max_length=40)
    wish: GroupWish


class GroupChange(BaseModel):
    """A new version, made from the one that was seen."""

    model_config = example(version=1, wish={"team": "Crusher hall"}) | ConfigDict(extra="forbid")
    version: int
    wish: GroupWish
    name: Line | None = Field(default=None, max_length=120)


class GroupSplitWish(BaseModel):
    """Who goes into a group of their own, and who stays."""

    model_config = example(version=1, name="Control room", go=[4], stay=[1, 2]) | ConfigDict(extra="forbid")
    version: int
    name: Line = Field(min_length=1, max_length=120)
    go: list[Id] = Field(min_length=1, max_length=500)
    stay: list[Id] = Field(min_length=1, max_length=500)


class GroupConclusion(BaseModel):
    model_config = example(text="The liner carries the week.", version=0) | ConfigDict(extra="forbid")
    text: Text = Field(max_length=20_000)
    version: int


class GroupSign(BaseModel):
    model_config = example(version=1, conclusion_version=1) | ConfigDict(extra="forbid")
    version: int
    conclusion_version: int


class GroupReportWish(BaseModel):
    model_config = example(named=True) | ConfigDict(extra="forbid")
    named: bool = True


class Made(BaseModel):
    id: int
