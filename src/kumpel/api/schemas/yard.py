"""Vehicles and courses."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Line, Out, Text, example
from kumpel.api.schemas.laps import CourseCorner

Profile = Literal["kart", "geared kart", "car", "motorcycle", "hauler"]


class DerivedChannel(BaseModel):
    """A channel that a formula makes of recorded ones (docs/formulas.md)."""

    model_config = example(name="Combined acceleration", unit="g", formula="sqrt(lateral_g^2 + forward_g^2)")
    name: Line = Field(min_length=1, max_length=40)
    unit: Line = Field(default="", max_length=12)
    formula: str = Field(min_length=1, max_length=1000)


Value = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Volts = Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]


class FurtherSensor(BaseModel):
    """An analogue sensor of a vehicle, wired to an input of its logger: `low` to `high` in its unit at `low_v` to `high_v`."""

    model_config = example(name="Brake line pressure", quantity="pressure", unit="bar", low=0, high=100, input=1)
    name: Line = Field(min_length=1, max_length=40)
    quantity: Line = Field(default="", max_length=40)
    unit: Line = Field(default="", max_length=12)
    low: Value = 0.0
    high: Value = 100.0
    low_v: Volts = Field(default=0.5, description="V at `low`, by its data sheet")
    high_v: Volts = Field(default=4.5, description="V at `high`, by its data sheet")
    input: int = Field(default=1, ge=1, le=16)
    hz: int = Field(default=10, ge=1, le=1000)
    points: int = Field(default=2, ge=1, le=9, description="points of its calibration; 1: one press, at rest")


class FormulaWish(BaseModel):
    """A formula being typed, the derived channels that stand before it, and the further sensors of the vehicle."""

    model_config = example(formula="sqrt(lateral_g^2 + forward_g^2)", before=[])
    formula: str = Field(max_length=1100)
    before: list[DerivedChannel] = Field(default_factory=list, max_length=12)
    sensors: list[FurtherSensor] = Field(default_factory=list, max_length=8)


class FormulaCheck(Out):
    """What is wrong with a formula and where (from 1); the channels that it reads, and those there are."""

    error: str
    position: int
    reads: list[str]
    there: list[str]


CheckDays = Annotated[dict[str, Annotated[int, Field(ge=1, le=3650)]], Field(max_length=20)]


class Vehicle(Out):
    id: int
    name: str = Field(examples=["kart K-2"])
    number: str
    profile: str
    team: str
    notes: str
    derived: list[DerivedChannel]
    sensors: list[FurtherSensor]
    limit_set_id: int | None = Field(description="what its sessions are held against; null: the set of the kind")
    check_days: CheckDays = Field(description="for how many days a calibration holds, by sensor; others as usual")
    looks: dict[str, Any] = Field(description="how its sessions are looked at, such as which lanes are shown")


Short = Annotated[str, Field(max_length=120)]
Look = Short | list[Short] | dict[Short, Short | float | list[float] | None]
"""Words, or what a table asks: nothing deeper is an arrangement."""


class Arrangement(BaseModel):
    model_config = example(value=["rpm", "lateral_g"]) | ConfigDict(extra="forbid")
    value: Look | None


class NewVehicle(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=60, examples=["kart K-2"])
    number: Line = Field(default="", max_length=8)
    profile: Profile = "kart"
    team: Line = Field(default="", max_length=120)
    notes: Text = Field(default="", max_length=400)
    derived: list[DerivedChannel] = Field(default_factory=list, max_length=12)
    sensors: list[FurtherSensor] = Field(default_factory=list, max_length=8)
    limit_set_id: int | None = Field(default=None, gt=0, lt=2**31)
    check_days: CheckDays = Field(default_factory=dict)


class VehicleChange(BaseModel):
    """Only the facts given are changed."""

    model_config = example(number="27") | ConfigDict(extra="forbid")
    name: Line = Field(default_factory=str, min_length=1, max_length=60)
    number: Line = Field(default_factory=str, max_length=8)
    profile: Profile = Field(default_factory=lambda: "kart")
    team: Line = Field(default_factory=str, max_length=120)
    notes: Text = Field(default_factory=str, max_length=400)
    derived: list[DerivedChannel] = Field(default_factory=list, max_length=12)
    sensors: list[FurtherSensor] = Field(default_factory=list, max_length=8)
    limit_set_id: int | None = Field(default=None, gt=0, lt=2**31)
    check_days: CheckDays = Field(default_factory=dict)


class Course(Out):
    """A course with its outline for drawing, in m around its middle."""

    id: int
    name: str
    closed: bool
    length_m: float
    sectors: int
    outline: list[list[float]]


class NewCourse(BaseModel):
    """A course as the content of a GPX file, or in its plain form as JSON; without a name, the one that stands in it."""

    name: Line = Field(default="", max_length=80, examples=["Surface loop"])
    content: str = Field(
        max_length=8_000_000, examples=['{"start": {"lat": 51.6, "lon": 12.1, "bearing_deg": 90}, "points": []}']
    )


class LineOn(Out):
    """A line of a course: its place in m along the points, how far it reaches to each side."""

    name: str
    at_m: float
    half_width_m: float


class CourseVersion(Out):
    id: int
    made_at: datetime
    by: str
    current: bool


class CourseDetail(Out):
    """A course as drawn: points every `step_m` in m east and north, of a loop from the start line on; lines, corners, versions."""

    id: int
    name: str
    closed: bool
    current: bool
    length_m: float
    step_m: float
    x: list[float]
    y: list[float]
    lines: list[LineOn]
    corners: list[CourseCorner]
    versions: list[CourseVersion]


class CourseChange(BaseModel):
    """Its lines in driving order: start, those between and, when open, finish, in m along its points."""

    model_config = example(name="Surface loop", at_m=[0, 420, 810], half_width_m=15)
    name: Line = Field(default="", max_length=80)
    at_m: list[Annotated[float, Field(allow_inf_nan=False)]] = Field(min_length=1, max_length=32)
    half_width_m: float = Field(default=15.0, allow_inf_nan=False)


class LearntCourse(BaseModel):
    model_config = example(session_id=12, lap=2, name="Surface loop")
    session_id: int
    lap: int
    name: Line = Field(default="", max_length=80)


class BestLap(Out):
    course: str
    seconds: float
    session_id: int


class VehicleMonth(Out):
    """A month from its first day on; `reached` and `actions` count sessions that reached a limit, or an action level."""

    first: date
    sessions: int
    hours: float
    reached: int
    actions: int
    best: list[BestLap]


class VehicleMonths(Out):
    """Newest first; `wrong`: what is wrong with the checks of its loggers now, in words."""

    months: list[VehicleMonth]
    next_check: datetime | None
    wrong: list[str]
