"""A kind with its words."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Out


class ChannelWord(Out):
    key: str
    name: str
    unit: str
    reduce: Literal["mean", "energy", "angle", "state", "any"]
    usual: bool


class Choice(BaseModel):
    value: str
    words: str


class DecisionWord(BaseModel):
    key: str
    label: str
    type: Literal["number", "length", "text", "choice", "course"]
    unit: str
    low: float | None
    high: float | None
    choices: list[Choice]
    offers: list[Choice]
    hint: str
    needs_reason: bool


class StretchWord(Out):
    what: Literal["left out", "task", "asleep"]
    label: str
    reasons: list[str]
    moves_edges: bool


class EventWord(Out):
    code: str
    one: str
    many: str
    droppable: bool
    keepable: bool
    reasons: list[str]
    around_s: float
    types: list[str]


class CheckInput(Out):
    key: str
    label: str
    unit: str
    units: dict[str, str]


class CheckWord(Out):
    code: str
    label: str
    inputs: list[CheckInput]
    every_days: int
    judged_by: str
    sensor_in: str


class TagWord(Out):
    key: str
    label: str
    hint: str
    suggestions: list[str]
    setting: str = Field(description="the setting of a recorder that says it; empty: none does")


class Followed(Out):
    """A figure that is looked at from session to session, with a short name."""

    figure: str
    label: str


class ReadingBar(Out):
    """Two readings that are the ends of one bar."""

    low: str
    high: str


class SensorName(Out):
    """A sensor that is calibrated, and for how many days that holds as long as nobody says otherwise."""

    key: str
    label: str
    every_days: int


class Kind(Out):
    """A kind of recorder as screens need it: its words, and what a reviewer may decide."""

    key: str
    name: str
    recorder_name: str
    main_channel: str
    method: str
    reaches: bool = Field(description="the scale of a lane reaches to its nearest limit")
    patient: bool = Field(description="worn by a patient: medicines, doctor and complaint are shown")
    compares: bool = Field(description="two recordings of one person can be compared")
    stands: bool = Field(description="a recorder may stand in a room; then its sessions belong to a place")
    groups: list[Followed] = Field(description="figures that are looked at over the people of a group")
    exports: list[str] = Field(description="open formats beside a workbook and CSV")
    one_table: list[str] = Field(description="tables whose rows stand in one with those of other recordings")
    blocks: list[str] = Field(description="the house's own text blocks for a conclusion")
    channels: list[ChannelWord]
    readings: list[str]
    reading_code: str
    reading_bars: list[ReadingBar]
    decisions: list[DecisionWord]
    stretches: list[StretchWord]
    events: list[EventWord]
    checks: list[CheckWord]
    tags: list[TagWord]
    sensors: list[SensorName]
    registers: list[Followed]
    trends: list[Followed]
    report_parts: dict[str, str]
    one_page: list[str]
