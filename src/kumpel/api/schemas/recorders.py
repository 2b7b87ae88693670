"""Recorders, their settings as a form, hand-overs."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Id, Line, Out, Tags, Text, example


class Recorder(Out):
    id: int
    serial: str
    kind: str
    token: str = Field(examples=["N-07"])
    name: str
    model: str
    firmware: str
    keeps_one: bool
    in_reach: bool
    trouble: str
    seen_at: datetime | None
    clock_error_s: float | None
    clock_set_at: datetime | None
    battery: float | None
    memory_used: float | None
    mode: str
    mode_left_s: float | None = Field(description="how long the mode still lasts, where the recorder knows")
    press: str = Field(description="what to press or do on it")
    can: list[str]
    sets_up: bool = Field(description="whether it can be set up and handed out; a folder of files cannot")
    lasts_h: float | None = Field(description="hours that the battery lasts as it is set up")
    place: str
    over: str | None
    quality: float | None
    bytes_per_s: float | None
    holder: str
    holder_id: int | None
    since: datetime | None
    expected_at: datetime | None
    new_sessions: int
    check_list: list[str]
    overdue: list[str] = Field(description="what is wrong with its checks and calibrations now, in words")
    calibrates: bool = Field(description="whether its sensors are calibrated here")


class RecorderList(BaseModel):
    """A page of the register; `total` is how many match in all."""

    recorders: list[Recorder]
    total: int


class LookedIn(Out):
    """A network in which recorders are looked for, an address, a port, a folder, or a dock of whose recorders none answers."""

    what: Literal["network", "address", "port", "folder", "dock"]
    name: str
    addresses: list[str]
    in_reach: int
    missing: str = Field(description="equipment on the way to recorders that is not there or not usable, in words")
    empty: bool = Field(description="only that nothing is plugged in, as on most days")


class NewRecorder(BaseModel):
    model_config = example(address="192.168.10.20:7400")
    address: Line = Field(max_length=300)


class SetupChoice(Out):
    value: Any
    words: str


class SetupForm(Out):
    """How a field is filled in: its type, choices, bounds; `part_of` the list item it belongs to."""

    type: Literal["choice", "number", "whole", "text", "time"]
    choices: list[SetupChoice]
    low: float | None
    high: float | None
    empty: bool
    part_of: str
    brings: dict[str, dict[str, Any]] = Field(
        description="what the fields beside it become, by the value it is changed to"
    )
    fold: str = Field(description="the closed line in which it stands with others; empty: it stands open")
    personal: str = Field(description="the fact about the person that it is")


class SetupList(Out):
    """A list of the setup: what one item is called, how many there may be, what a new one begins with, its columns as a table."""

    path: str
    label: str
    fewest: int
    most: int
    blank: dict[str, Any]
    columns: list[str] = Field(
        description="fields of an item that stand side by side as a table; none: one after the other"
    )


class SetupField(Out):
    path: str
    label: str
    unit: str
    draft: str
    on_recorder: str
    unit_on_recorder: str
    differs: bool
    value: Any = None
    value_on_recorder: Any = None
    form: SetupForm


class KeptSetup(Out):
    """A named setup of one's own; `team` is empty when it is for everybody."""

    id: int
    name: str
    team: str


class NewKeptSetup(BaseModel):
    name: Line = Field(min_length=1, max_length=60, examples=["Choir practice"])
    team: Line = Field(default="", max_length=120)
    kind: str = Field(description="key of the kind")
    settings: dict[str, Any] = Field(examples=[{"name": "Choir practice"}])


class CourseOnIt(Out):
    """A course of the register or of a recorder: whether it is here, whether it is there, whether both are the same; its outline in m."""

    name: str
    here: bool
    on_it: bool
    same: bool
    outline: list[list[float]]


class PlanFact(Out):
    figure: str
    words: str
    about: str
    short: bool


class SetupPlan(Out):
    """What will come of the settings: facts, and moments in minutes after `starts_min`, which are minutes after midnight."""

    facts: list[PlanFact]
    starts_min: float
    length_min: float
    marks_min: list[float]
    values: dict[str, float]


class DisplayOffer(Out):
    key: str
    label: str


class Display(Out):
    """What a recorder's display can show: its size, its greys, the values it offers, how many pages and values a page."""

    width: int
    height: int
    greys: int
    round: bool
    offers: list[DisplayOffer]
    most_pages: int
    most_fields: int


class DisplayPage(BaseModel):
    fields: list[str] = Field(min_length=1, max_length=12, examples=[["time", "distance"]])


class Drawn(BaseModel):
    """A picture as a display has it: a byte a pixel in base64, row by row from the top left, 0 black to `greys` - 1 white."""

    model_config = example(width=2, height=1, greys=2, pixels="AAE=") | ConfigDict(from_attributes=True)
    width: int = Field(ge=1, le=1024)
    height: int = Field(ge=1, le=1024)
    greys: int = Field(ge=2, le=256)
    pixels: str = Field(max_length=1_500_000)


class Unfinished(Out):
    """A hand-over that was cut off, and what of it is on the recorder."""

    id: uuid.UUID
    person_id: int
    person: str
    begun_at: datetime
    on_it: Literal["all of it", "nothing of it", "not known"]


class Swap(BaseModel):
    """Another recorder in the middle of a hand-over, and why."""

    model_config = example(recorder_id=7, why="broken")
    recorder_id: int
    why: Text = Field(max_length=200)
    passcode: str = ""
    despite: Text = Field(default="", max_length=200)


class SetupDraft(Out):
    kind: str
    settings: dict[str, Any]
    based_on: str
    revision: int
    fields: list[SetupField]
    library: list[str]
    last_worn: str
    tags: dict[str, str]
    others: dict[str, str]
    lists: list[SetupList]
    kept: list[KeptSetup]
    known: dict[str, Any] = Field(description="settings that are facts about the person, as known of them")
    plan: SetupPlan
    unfinished: Unfinished | None
    courses: list[CourseOnIt]


class DraftWish(BaseModel):
    """Start from the given settings (`fit`: those of somebody else, to be made this person's), else a kept or a shipped setup, else
    the person's last, else (or with `recorder`) the recorder's."""

    model_config = example(person_id=12)
    person_id: int | None = None
    library: str = ""
    kept: int | None = None
    settings: dict[str, Any] | None = None
    fit: bool = False
    recorder: bool = False


class NewHandOver(BaseModel):
    recorder_id: int
    person_id: int
    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    expected_at: datetime | None = None
    tags: Tags = Field(default_factory=dict, examples=[{"place": "crusher hall", "shift": "early, 8 h"}])
    passcode: str = ""
    despite: Text = Field(default="", max_length=200)
    personal: list[str] = Field(
        default_factory=list, max_length=20, description="personal settings changed here; they go back to the person"
    )
    picture: Drawn | None = Field(default=None, description="shown at switching on; without it that stays as it is")
    courses: list[Line] | None = Field(
        default=None, max_length=200, description="the courses that are to be on it; without it those there stay"
    )


class WriteOnly(BaseModel):
    model_config = example(settings={"name": "Full shift", "run_length_min": 480}, revision=4)

    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    passcode: str = ""
    picture: Drawn | None = None
    courses: list[Line] | None = Field(default=None, max_length=200)


class HandOver(BaseModel):
    id: uuid.UUID
    recorder_id: int
    token: str
    kind: str
    recorder_name: str
    person_id: int
    person: str
    given_at: datetime
    expected_at: datetime | None
    returned_at: datetime | None
    clock_error_s: float | None
    in_reach: bool
    tags: dict[str, str]


class Passcode(BaseModel):
    model_config = example(passcode="")

    passcode: str = ""


class LeafletWish(BaseModel):
    """A leaflet for somebody with the settings of a slip that is not written yet."""

    model_config = example(person_id=20, settings={"interval_awake_min": 30}, tags={}) | ConfigDict(extra="forbid")
    person_id: Id
    settings: dict[str, Any]
    tags: Tags = Field(default_factory=dict)


class LeafletPages(BaseModel):
    """The page as a picture and as PDF, each as a data URL."""

    name: str
    page: str
    pdf: str
