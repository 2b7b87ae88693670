"""What an assessment says: figures with their why, verdicts, tables, events."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from kumpel.api.schemas.common import Out, VerdictWord


class Put(Out):
    symbol: str
    meaning: str
    value: float | None
    unit: str


class Why(Out):
    formula: str
    numbers: list[Put]
    samples_used: int
    samples_left_out: int
    left_out_s: float
    source: str


class Over(Out):
    """What a figure is one of several of: the `measure` of one `member` of what it repeats over, `by`."""

    by: str
    member: str
    measure: str


class Figure(Out):
    key: str
    name: str
    value: float | None
    unit: str
    decimals: int
    coverage: float
    why: Why
    note: str
    at_s: float | None
    state: str = ""
    over: Over | None = None


class Step(Out):
    value: float
    verdict: VerdictWord
    name: str
    beyond: bool


class Judgement(Out):
    rule: str
    figure: str
    value: float | None
    unit: str
    verdict: VerdictWord
    words: str
    limit: float | None
    steps: list[Step]
    at_least: float | None = None


class Suggestion(Out):
    start_s: float
    end_s: float
    code: str
    reason: str


class TableColumn(Out):
    name: str
    unit: str
    decimals: int | None


class Table(Out):
    key: str
    title: str
    columns: list[TableColumn]
    rows: list[list[str | float | None]]


class Finding(Out):
    code: str
    text: str
    blocks: bool


class Quality(Out):
    coverage: float
    measured_s: float
    planned_s: float
    findings: list[Finding]


class Detected(Out):
    """An event that the assessment found or read; `key` is what a decision names it by."""

    at_s: float
    end_s: float
    code: str
    text: str
    kept: bool
    key: str
    numbers: dict[str, float | str | None]


class Span(Out):
    start_s: float
    end_s: float
    label: str


class Level(Out):
    """A line on a lane (the key of a channel or reading), from one time to another; `verdict` is empty for one only counted from."""

    lane: str
    value: float
    name: str
    start_s: float
    end_s: float
    verdict: VerdictWord | Literal[""]
    figure: str = Field(description="of the rule whose step it is; empty: of none")
    step: int


class Assessment(Out):
    kind: str
    basis: str
    verdict: VerdictWord
    words: str
    figures: list[Figure]
    judgements: list[Judgement]
    suggestions: list[Suggestion]
    tables: list[Table]
    quality: Quality
    key_figures: list[str]
    events: list[Detected] = Field(default_factory=list)
    stretches: list[Span] = Field(default_factory=list)
    levels: list[Level] = Field(default_factory=list)
