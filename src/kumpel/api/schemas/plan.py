"""The plan."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Day, Id, Line, Out, example


class NewRule(BaseModel):
    """For each of a team, or for one person or place."""

    model_config = example(team="Crusher hall", count=3, every_days=365) | ConfigDict(extra="forbid")
    kind: str = Field(max_length=40)
    every_days: int = Field(ge=1, le=4000)
    count: int = Field(1, ge=1, le=100)
    team: Line = Field("", max_length=120)
    person_id: Id | None = None
    after: Literal["", "medicine"] = ""
    starts: Day | None = None


class PlanRule(BaseModel):
    """A rule with how far it is; `measured` of `wanted` measurements count."""

    id: int
    kind: str
    who: str
    words: str
    person_id: int | None
    people: int
    done: int
    due: int
    overdue: int
    measured: int
    wanted: int


class PlanKind(Out):
    kind: str
    recorders: int
    there: list[int]
    wanted: list[int]


class PlanItem(BaseModel):
    """Somebody who is due: planned for `day`; `moved_to` is proposed where that day wants too many recorders."""

    rule_id: int
    person_id: int
    name: str
    team: str
    kind: str
    state: Literal["due", "overdue"]
    deadline: date
    missing: int
    done: int
    first: date
    last: date
    day: date
    chosen: bool
    moved_to: date | None
    recorder_id: int | None
    token: str
    out: str = Field(description="the recorder that is with them already")


class PlanCheck(Out):
    recorder_id: int
    token: str
    kind: str
    sensor: str
    label: str
    on: date
    overdue: bool
    words: str


class PlanAhead(BaseModel):
    today: date
    days: list[date]
    rules: list[PlanRule]
    kinds: list[PlanKind]
    items: list[PlanItem]
    checks: list[PlanCheck]


class PlannedDay(BaseModel):
    """A day for somebody; null lets the plan choose again."""

    model_config = ConfigDict(extra="forbid")
    rule_id: Id
    person_id: Id
    day: Day | None


class PlannedDays(BaseModel):
    model_config = example(days=[{"rule_id": 1, "person_id": 2, "day": "2026-12-03"}]) | ConfigDict(extra="forbid")
    days: list[PlannedDay] = Field(min_length=1, max_length=1_000)


class DueOfPerson(BaseModel):
    """How somebody stands under a rule."""

    rule_id: int
    kind: str
    words: str
    state: Literal["done", "due", "overdue"]
    deadline: date
    missing: int


class Unprinted(BaseModel):
    """Signed sessions that stand on no report yet, the oldest first."""

    sessions: list[int]


class NewFeed(BaseModel):
    model_config = example(named=False, name="phone") | ConfigDict(extra="forbid")
    named: bool = False
    name: Line = Field("", max_length=120)


class Feed(BaseModel):
    """A calendar feed; its address is told once, when it is made."""

    id: int
    name: str
    named: bool
    made_at: datetime
    used_at: datetime | None
    path: str = ""


class Overdue(BaseModel):
    people: int


class PlannedOne(BaseModel):
    model_config = ConfigDict(extra="forbid")
    rule_id: Id
    person_id: Id


class PlannedOnes(BaseModel):
    """People who are planned for today, each under a rule."""

    model_config = example(wanted=[{"rule_id": 2, "person_id": 5}]) | ConfigDict(extra="forbid")
    wanted: list[PlannedOne] = Field(min_length=1, max_length=200)


class Given(Out):
    """What became of somebody's hand-over: the recorder that they have now, or why they have none."""

    rule_id: int
    person_id: int
    name: str
    token: str
    done: bool
    why: str


class NewAway(BaseModel):
    model_config = example(since="2026-12-24", until="2027-01-01", why="leave") | ConfigDict(extra="forbid")
    since: Day
    until: Day
    why: Line = Field(default="", max_length=80)


class Away(Out):
    """Days on which somebody is away, both ends counted."""

    id: int
    since: date
    until: date
    why: str
