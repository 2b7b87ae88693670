"""Recorders, their settings as a form, hand-overs."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Line, Out, Tags, Text, example


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
    battery: float | None
    memory_used: float | None
    mode: str
    mode_left_s: float | None = Field(description="how long the mode still lasts, where the recorder knows")
    press: str = Field(description="what to press or do on it")
    can: list[str]
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


class LookedIn(Out):
    """A network in which recorders are looked for (without `addresses` this machine has no part in it now), an address, a port or a
    folder that is there."""

    where: str
    what: Literal["network", "address", "port", "folder"]
    addresses: list[str]
    in_reach: int


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


class DraftWish(BaseModel):
    """Start from the given settings, else the library, else the person's last, else the recorder's."""

    model_config = example(person_id=12)
    person_id: int | None = None
    library: str = ""
    settings: dict[str, Any] | None = None


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


class WriteOnly(BaseModel):
    model_config = example(settings={"name": "Full shift", "run_length_min": 480}, revision=4)

    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    passcode: str = ""


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
