"""Who is signed in, the line, people."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, computed_field

from kumpel.api.schemas.common import Birthday, Day, Line, Out, Text, example
from kumpel.core.readers_units import ReadersUnits

Stay = Literal["", "in-patient", "out-patient"]
ShortLine = Annotated[Line, Field(max_length=20)]
WALL_TIME = "^([01][0-9]|2[0-3]):[0-5][0-9]$"


class Conversion(Out):
    """How a kept unit is read: read = kept x factor + offset, with so many decimals more (or fewer)."""

    kept: str
    read: str
    factor: float
    offset: float
    decimals: int


class Me(Out):
    id: int
    login: str
    name: str
    role: str
    units: list[str]
    """What they read in other units than what is kept: keys of `UnitChoice`."""

    @computed_field
    def reads(self) -> list[Conversion]:
        """How each kept unit that is concerned is read."""
        return [Conversion.model_validate(each) for each in ReadersUnits(self.units).conversions]


class UnitChoice(Out):
    """A quantity that may be read in other units: as it is kept, and the other."""

    key: str
    label: str
    usual: str
    other: str


class UnitsWish(BaseModel):
    """What is read in other units than what is kept; the others as they are kept."""

    model_config = example(units=["distance", "temperature"])
    units: list[str] = Field(max_length=20)


class State(BaseModel):
    """Who is signed in; `first_visit` until there is an administrator."""

    first_visit: bool
    me: Me | None
    version: str


class SignIn(BaseModel):
    login: str = Field(max_length=80, examples=["officer"])
    password: str = Field(max_length=200)


class FirstAdministrator(SignIn):
    name: Line = Field(max_length=120, examples=["Runa Halvorsen"])


class Waiting(Out):
    hand_out: int
    take_in: int
    review: int
    report: int
    arriving: int
    assessing: int
    issuing: int


class Hit(Out):
    what: Literal["person", "recorder", "session", "certificate"]
    id: int
    title: str
    about: str


class Person(Out):
    id: int
    number: str = Field(examples=["TF-0412"])
    name: str = Field(examples=["Ida Brandvik"])
    is_place: bool = Field(default=False, description="a place where recorders stand; nothing personal is known of it")
    team: str = ""
    born: date | None = None
    sex: str | None = None
    height_cm: float | None = None
    weight_kg: float | None = None
    gets_up: str | None = None
    goes_to_bed: str | None = None
    heart_rate_highest: int | None = None
    heart_rate_resting: int | None = None
    contact: str = ""
    notes: str = ""
    real_name: str = Field(default="", description="the name of somebody who is kept under a code")
    clinic: str = ""
    doctor: str = ""
    complaint: str = ""
    stay: Stay = ""
    sessions: int = 0
    last_session_at: datetime | None = None
    has_recorder: bool = False


class TeamName(BaseModel):
    name: str


class PersonList(BaseModel):
    people: list[Person]
    total: int


class NewPerson(BaseModel):
    """A name is enough; a number is made when none is given. `again` says that a second one of the same name is meant."""

    model_config = ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=200, examples=["Ida Brandvik"])
    number: Line | None = Field(default=None, max_length=40)
    is_place: bool = False
    team: Line | None = Field(default=None, max_length=120)
    born: Birthday | None = None
    contact: Line | None = Field(default=None, max_length=400)
    notes: Text | None = Field(default=None, max_length=4000)
    again: bool = False


class PersonChange(BaseModel):
    """Only the fields given are changed; null takes away what may be missing, and is refused where something is needed."""

    model_config = example(team="Crusher hall", born="1984-02-11") | ConfigDict(extra="forbid")
    name: Line = Field(default_factory=str, min_length=1, max_length=200)
    number: Line = Field(default_factory=str, min_length=1, max_length=40)
    team: Line | None = Field(default=None, max_length=120)
    born: Birthday | None = None
    sex: Line | None = Field(default=None, max_length=20)
    height_cm: float | None = Field(default=None, strict=True, gt=20, lt=300, allow_inf_nan=False)
    weight_kg: float | None = Field(default=None, strict=True, gt=0.3, lt=500, allow_inf_nan=False)
    gets_up: str | None = Field(default=None, pattern=WALL_TIME)
    goes_to_bed: str | None = Field(default=None, pattern=WALL_TIME)
    heart_rate_highest: int | None = Field(default=None, strict=True, ge=100, le=240)
    heart_rate_resting: int | None = Field(default=None, strict=True, ge=25, le=110)
    contact: Line = Field(default_factory=str, max_length=400)
    notes: Text = Field(default_factory=str, max_length=4000)
    clinic: Line = Field(default_factory=str, max_length=120)
    doctor: Line = Field(default_factory=str, max_length=120)
    complaint: Line = Field(default_factory=str, max_length=400)
    stay: Stay = ""


class Coded(BaseModel):
    model_config = example(coded=True) | ConfigDict(extra="forbid")
    coded: bool


class Medicine(Out):
    """A medicine with the days on which it was taken; `since` null: not known from when, `until` null: still taken."""

    id: int
    person_id: int
    name: str = Field(examples=["ramipril"])
    dose: str = Field(examples=["5 mg"])
    times: list[str] = Field(examples=[["08:10"]])
    since: date | None
    until: date | None


class NewMedicine(BaseModel):
    model_config = example(name="ramipril", dose="5 mg", times=["08:10"]) | ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=80)
    dose: Line = Field(default="", max_length=40)
    times: list[ShortLine] = Field(default_factory=list, max_length=8)
    since: Day | None = None


class NewDose(BaseModel):
    model_config = example(dose="10 mg", times=["08:10"], since="2026-11-06") | ConfigDict(extra="forbid")
    dose: Line = Field(max_length=40)
    times: list[ShortLine] = Field(default_factory=list, max_length=8)
    since: Day


class MedicineEnd(BaseModel):
    model_config = example(until="2026-11-06") | ConfigDict(extra="forbid")
    until: Day | None


class Spread(Out):
    """Over how many sessions, and seconds at each whole value that occurred."""

    sessions: int
    values: list[int]
    seconds: list[float]
