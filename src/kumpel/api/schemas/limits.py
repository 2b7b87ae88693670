"""Limit sets, and what a wished one would do."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Line, Out, example


class LimitSet(Out):
    id: int
    key: str
    kind: str
    name: str
    issuer: str
    version: str
    valid_from: date
    shipped: bool
    why: str
    data: dict[str, Any]


class LimitStep(BaseModel):
    """A step of a rule: reached from `value` on, or only `beyond` it; `below`: reached from above."""

    model_config = example(value=85.0, verdict="action level reached", name="upper action level") | ConfigDict(
        extra="forbid"
    )
    value: Annotated[float, Field(allow_inf_nan=False)]
    verdict: Literal["action level reached", "above limit"]
    name: Line = Field(min_length=1, max_length=80)
    beyond: bool = False
    below: bool = False


class FurtherStep(Out):
    value: float
    verdict: str
    name: str
    beyond: bool
    below: bool


class FurtherRule(Out):
    """A rule that may be added to a set, with steps to begin with."""

    figure: str
    name: str
    unit: str
    parameters: dict[str, float | str]
    steps: list[FurtherStep]


class LimitRule(BaseModel):
    """A rule of a set on record, with its own steps."""

    model_config = ConfigDict(extra="forbid")
    figure: str = Field(max_length=80)
    name: Line = Field(max_length=120)
    parameters: dict[str, float | str] = Field(default_factory=dict, max_length=20)
    steps: list[LimitStep] = Field(min_length=1, max_length=6)


class LimitWish(BaseModel):
    """A limit set of the house, made from another one."""

    model_config = example(
        based_on=7,
        name="Levels of the mill",
        valid_from="2026-12-01",
        minimum_coverage=0.75,
        rules=[
            {
                "figure": "lex8h",
                "name": "Daily exposure",
                "parameters": {},
                "steps": [{"value": 79.0, "verdict": "action level reached", "name": "own action value"}],
            }
        ],
    ) | ConfigDict(extra="forbid")
    based_on: Id
    name: Line = Field(min_length=1, max_length=120)
    issuer: Line = Field(default="", max_length=120)
    valid_from: date
    minimum_coverage: float = Field(gt=0, le=1)
    rules: list[LimitRule] = Field(min_length=1, max_length=60)
    why: Line = Field(default="", max_length=200)


class Scale(Out):
    """A rule's figure over the sessions: each value with its number of sessions, each person's extreme with its number of people."""

    figure: str
    key: str
    unit: str
    values: list[tuple[float, int]]
    extremes: list[tuple[float, int]]
    unknown: int


class LimitsMeasured(Out):
    """How the sessions since a day lie on the scales of a set, in the order of its rules; `shares`: % measured, and how many."""

    since: date
    sessions: int
    people: int
    signed: int
    scales: list[Scale]
    shares: list[tuple[float, int]]


class LimitHit(Out):
    """Somebody of whom so many more sessions would reach a moved step (fewer, when negative); `others`: some reach it either way."""

    person_id: int
    name: str
    more: int
    others: bool


class LimitSets(Out):
    """Which sets are in use: the usual one of each kind by its key, and how many vehicles have one of their own."""

    usual: dict[str, str]
    vehicles: dict[str, int]
