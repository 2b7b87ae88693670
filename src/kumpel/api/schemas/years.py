"""A person over the years."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Day, Id, Line, Out, example
from kumpel.api.schemas.kinds import Followed
from kumpel.api.schemas.people import Medicine


class Mark(Out):
    session_id: int
    started_at: datetime
    utc_offset_min: int
    length_s: float
    value: float | None
    verdict: str
    signed: bool
    low: float | None = Field(description="the lower end, of what has two")
    projected: bool = Field(False, description="it stands for more than was measured")


class LaneStep(Out):
    value: float
    name: str
    verdict: str
    below: bool


class InForce(Out):
    """The limit set that sessions from a moment on were held against, and its steps for the figure of the lane."""

    since: datetime
    name: str
    steps: list[LaneStep]


class Told(Out):
    """A slope per day or a difference with its interval, and the same in words."""

    value: float | None
    low: float | None
    high: float | None
    shows: bool
    words: str


class SinceThen(Out):
    intervention_id: int
    told: Told


class YearsWeek(Out):
    """A week: its figure where every working day was measured, else on how many."""

    monday: date
    measured: int
    of: int
    value: float | None


class YearsCurve(Out):
    """A mean over so many days, a value a day from the first on."""

    name: str
    first: date
    values: list[float | None]


class OnCourse(Out):
    """What was driven on a course on a day: best and theoretical best lap."""

    session_id: int
    course: str
    day: date
    values: list[float | None]


class Effort(Out):
    """The best over a distance ever and lately, in s, each with its session."""

    figure: str
    label: str
    unit: str
    session_id: int
    day: date
    value: float
    lately_id: int | None
    lately: float | None
    of: int


class YearsLane(Out):
    kind: str
    figure: str
    label: str
    unit: str
    choices: list[Followed]
    marks: list[Mark]
    in_force: list[InForce]
    trend: Told
    since: list[SinceThen]
    load: str = Field(description="the load of the last days in words, of a kind that has one")
    weekly: str
    weeks: list[YearsWeek]
    curves: list[YearsCurve]
    courses: list[OnCourse]
    efforts: list[Effort]


class Changed(Out):
    id: int
    day: date
    words: str
    of: str = Field(description="person, team or place")
    whom: str = Field(description="which team or place")


class Years(Out):
    lanes: list[YearsLane]
    changed: list[Changed]
    taken: list[Medicine]


class NewIntervention(BaseModel):
    """For one of a person, a team (by name), or a place."""

    model_config = example(day="2026-09-12", words="new liner at the crusher", place="crusher hall")
    day: Day
    words: Line = Field(min_length=1, max_length=120)
    person_id: Id | None = None
    team: Line = Field("", max_length=120)
    place: Line = Field("", max_length=200)


class Noted(BaseModel):
    id: int
