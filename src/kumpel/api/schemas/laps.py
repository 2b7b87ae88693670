"""Laps side by side over a course."""

from __future__ import annotations

import math
from datetime import datetime
from typing import Annotated

from pydantic import BeforeValidator, Field

from kumpel.api.schemas.common import Out


def _known(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else value


Known = Annotated[float | None, BeforeValidator(_known)]
"""A number; null where it was not measured."""


class CoursePlace(Out):
    at_m: float
    name: str


class CourseCorner(Out):
    number: int
    begin_m: float
    apex_m: float
    end_m: float
    right: bool


class CoursePicture(Out):
    """The middle line of a course: m east and north, a point every `step_m` from the start line on."""

    name: str
    origin: str = Field(description="setup, position, learnt, beacon or none")
    backwards: bool
    closed: bool
    length_m: float
    step_m: float
    x: list[float]
    y: list[float]
    lines: list[CoursePlace]
    corners: list[CourseCorner]


class LapRow(Out):
    key: str = Field(description="what a decision about this lap names it by")
    number: int
    kind: str = Field(description="timed, out (before the first line) or in (after the last)")
    start_s: float
    end_s: float
    time_s: float
    sectors_s: list[Known]
    best: list[bool] = Field(description="which of its sectors are the best of the laps that count")
    top_km_h: Known
    counts: bool
    why: str
    unsure: bool


class LapSums(Out):
    """What the laps that count add up to."""

    count: int
    best_lap: int | None = Field(description="its number")
    best_s: Known
    theoretical_s: Known
    mean_s: Known
    consistency_s: Known
    top_km_h: Known


class LapLane(Out):
    key: str
    name: str
    unit: str
    decimals: int
    reference: list[Known]
    lap: list[Known]
    also: list[list[Known]]


class LapClock(Out):
    """When the laps of the lanes are at each of their points: seconds since the start line."""

    reference: list[float]
    lap: list[float]
    also: list[list[float]]


class LapGap(Out):
    of: str = Field(description="reference or lap")
    from_m: float
    to_m: float


class AlsoLap(Out):
    session: int | None = Field(description="whose lap it is; null: of this session")
    lap: int
    time_s: float


class NotOver(Out):
    session: int | None
    why: str


class CourseStretch(Out):
    corner: int
    part: str = Field(description="entry or exit")
    from_m: float
    to_m: float


class Loss(Out):
    """Time lost in a stretch; in `laps` of `of` other laps that count time is lost there, too."""

    stretch: CourseStretch
    lost_s: float
    laps: int
    of: int
    reason: str
    code: str
    cause: int = Field(description="the corner where it was made")


class TimeLost(Out):
    """`lost_s` is the difference of the lap times as stated: the sum of the rows and of `elsewhere_s`. In `unknown` stretches positions
    are missing: they have no row."""

    lap: int
    reference: int
    lost_s: float
    rows: list[Loss]
    elsewhere_s: float
    unknown: list[CourseStretch]


class LapSheet(Out):
    course: CoursePicture | None
    laps: list[LapRow]
    sums: LapSums
    lap: int | None
    reference: int | None
    lanes: list[LapLane]
    behind_s: list[float] = Field(description="time lost so far, a value every `step_m` of the course")
    lost: TimeLost | None
    why_not: str = Field(description="why nothing is compared")
    offered: dict[str, str] = Field(description="channels (name by key) that may be lanes as well")
    also: list[AlsoLap] = Field(description="further laps whose lanes are there")
    clock: LapClock
    gaps: list[LapGap] = Field(description="where positions of the two laps were missing")
    not_over: list[NotOver] = Field(description="sessions whose laps cannot be laid over these, and why")
    beside: list[LapRow] = Field(description="laps of the other session, when the reference is one of them")
    beside_sums: LapSums | None


class OtherSession(Out):
    """A session on the same course, to be laid beside."""

    id: int
    person: str
    started_at: datetime
    utc_offset_min: int
    vehicle: str
    run: str
    best_s: Known


class Quantity(Out):
    key: str
    name: str
    unit: str


class OffTarget(Out):
    column: int
    row: int
    seconds: float
    by: float = Field(description="how far its mean is off: positive above, negative below")
    where: str = Field(description="where on the course most of its readings fall")
    from_m: Known
    to_m: Known


class PickedReadings(Out):
    """Readings that lie in the ranges asked for: how many in each cell, the seconds of all."""

    count: list[list[int]]
    seconds: float


class BinSheet(Out):
    """One quantity over two others: rows from the lowest values of `and_over` up, columns from the lowest of `over`."""

    quantities: list[Quantity]
    quantity: Quantity
    over: Quantity
    and_over: Quantity
    edges: list[float]
    and_edges: list[float]
    low: float | None = Field(description="of the target")
    high: float | None
    fewest: int
    laps: str
    mean: list[list[Known]]
    lowest: list[list[Known]]
    highest: list[list[Known]]
    count: list[list[int]]
    interval_s: float
    whole_s: float
    on_target_s: float
    above_s: float
    below_s: float
    grey_s: float
    outside: int
    without_value: int
    off: list[OffTarget]
    dots: list[list[float]]
    spread_edges: list[float]
    spread_s: list[float]
    picked: PickedReadings | None
    points: list[float] = Field(description="middles of the cells across, when asked for around points")
    and_points: list[float]
    share: list[list[Known]] = Field(
        description="fuel to add (positive) or to take, in %; of the mixture with a target"
    )
    fuels: dict[str, float] = Field(description="kg of air that burn a kg of each fuel known")
