"""Vehicles and courses."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Line, Out, Text, example

Profile = Literal["kart", "geared kart", "car", "motorcycle", "hauler"]


class Vehicle(Out):
    id: int
    name: str = Field(examples=["kart K-2"])
    number: str
    profile: str
    team: str
    notes: str


class NewVehicle(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=60, examples=["kart K-2"])
    number: Line = Field(default="", max_length=8)
    profile: Profile = "kart"
    team: Line = Field(default="", max_length=120)
    notes: Text = Field(default="", max_length=400)


class VehicleChange(BaseModel):
    """Only the facts given are changed."""

    model_config = example(number="27") | ConfigDict(extra="forbid")
    name: Line = Field(default_factory=str, min_length=1, max_length=60)
    number: Line = Field(default_factory=str, max_length=8)
    profile: Profile = Field(default_factory=lambda: "kart")
    team: Line = Field(default_factory=str, max_length=120)
    notes: Text = Field(default_factory=str, max_length=400)


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
