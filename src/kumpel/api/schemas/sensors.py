"""Sensors of a recorder: how each is calibrated, what was checked when."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, Self

from pydantic import AwareDatetime, BaseModel, Field

from kumpel.api.schemas.common import Line, Out, Text, example
from kumpel.services.recorders.sensors import Bench, SensorState

RawNumber = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]


class LiveChannel(Out):
    key: str
    name: str
    unit: str
    most_hz: float
    raw_unit: str = Field(description="empty: its sensor tells no raw value")


class CalibrationPoint(BaseModel):
    """A raw value and what it really means."""

    raw: RawNumber
    true: RawNumber


class Position(Out):
    """Where a sensor is held, and what it should read there."""

    words: str
    true: float
    channel: str


class ProofStep(Out):
    words: str
    low: float
    high: float


class RawRange(Out):
    """Bounds of raw values: outside `low` to `high` the wire is off, a spread over `steady` moved, points lie `apart`."""

    unit: str
    low: float
    high: float
    steady: float
    apart: float


class CheckStanding(Out):
    """How a check stands now: when it was last made, until when that holds, in words what is wrong."""

    check: str
    sensor: str
    label: str
    state: Literal["right", "overdue", "never", "failed"]
    at: datetime | None
    due_at: datetime | None
    words: str


class Sensor(Out):
    key: str
    label: str
    way: Literal["press", "positions"]
    unit: str
    channels: list[str]
    positions: list[Position]
    trues: list[float] = Field(
        description="true values to begin with, those of its vehicle's last calibration; more than positions: further points"
    )
    within: RawRange
    every_days: int
    stands: str
    proof: list[ProofStep]
    on_it: dict[str, list[CalibrationPoint]] | None = Field(
        description="points by channel as the recorder holds them; null: it was not asked"
    )
    serial: str
    standing: CheckStanding | None
    off: bool
    off_because: str

    @classmethod
    def of(cls, state: SensorState) -> Self:
        word = state.word
        return cls(
            key=word.key,
            label=word.label,
            way=word.way,
            unit=word.unit,
            channels=list(word.channels),
            positions=[Position.model_validate(p) for p in word.positions],
            trues=list(state.trues),
            within=RawRange.model_validate(word.within),
            every_days=word.every_days,
            stands=word.stands,
            proof=[ProofStep.model_validate(p) for p in word.proof],
            on_it=None
            if state.on_it is None
            else {key: [CalibrationPoint(raw=r, true=t) for r, t in pairs] for key, pairs in state.on_it.items()},
            serial=state.serial,
            standing=CheckStanding.model_validate(state.standing) if state.standing else None,
            off=state.off,
            off_because=state.off_because,
        )


class SensorCheck(Out):
    """A check on record; `by` is empty where the recorder itself tells of it."""

    id: int
    what: str
    sensor: str
    serial: str
    points: dict[str, Any]
    applied: float | None
    before: float | None
    read: float | None
    factor: float | None
    unit: str
    type: str
    gas: str
    lot: str
    adjusted: bool
    passed: bool
    at: datetime
    due_at: datetime | None
    by: str
    certificate: str
    note: str


class SensorBench(Out):
    """All about the sensors of a recorder; `trouble` says why it was not asked itself."""

    channels: list[LiveChannel]
    sensors: list[Sensor]
    standings: list[CheckStanding]
    checks: list[SensorCheck]
    trouble: str

    @classmethod
    def of(cls, bench: Bench) -> Self:
        return cls(
            channels=[LiveChannel.model_validate(c) for c in bench.channels],
            sensors=[Sensor.of(s) for s in bench.sensors],
            standings=[CheckStanding.model_validate(s) for s in bench.standings],
            checks=[SensorCheck.model_validate(r) for r in bench.rows],
            trouble=bench.trouble,
        )


class CaptureWish(BaseModel):
    """Hold one position; `trues` are the true values of all, `raws` the raw ones captured so far."""

    model_config = example(position=0, trues=[90, 0, -90], raws=[None, None, None])
    position: int = Field(ge=0, le=8)
    trues: list[RawNumber] = Field(min_length=2, max_length=9)
    raws: list[RawNumber | None] = Field(min_length=2, max_length=9)


class Capture(Out):
    """A held raw value with its spread (standard deviation); `refused` says why it cannot be used."""

    raw: float
    spread: float
    count: int
    refused: str


class CalibrationWish(BaseModel):
    """Points to write; none: one press takes them now."""

    model_config = example(
        points=[{"raw": 3.942, "true": 90}, {"raw": 2.487, "true": 0}, {"raw": 1.058, "true": -90}], serial="ST-118"
    )
    points: list[CalibrationPoint] = Field(default_factory=list, max_length=9)
    serial: Line = Field(default="", max_length=40)
    passcode: str = ""


class PutBack(BaseModel):
    model_config = example(check_id=12)
    check_id: int
    passcode: str = ""


class ProofWish(BaseModel):
    """What the live value was at each step of the proof, and for how many days it is to hold."""

    model_config = example(seen=[96.2, -93.4, 0.2], days=92)
    seen: list[RawNumber] = Field(max_length=9)
    days: int = Field(ge=1, le=3650)
    certificate: Line = Field(default="", max_length=120)


class Replaced(BaseModel):
    model_config = example(serial="ST-121", why="cable torn off")
    serial: Line = Field(max_length=40)
    why: Text = Field(default="", max_length=400)


class NewCheck(BaseModel):
    """A check that was made elsewhere, such as in a laboratory."""

    model_config = example(what="laboratory check", at="2026-03-02T10:00:00Z", due_at="2028-03-02T10:00:00Z")
    what: Line = Field(min_length=1, max_length=40)
    sensor: Line = Field(default="", max_length=40)
    serial: Line = Field(default="", max_length=40)
    applied: RawNumber | None = None
    read: RawNumber | None = None
    unit: Line = Field(default="", max_length=20)
    passed: bool = True
    at: AwareDatetime
    due_at: AwareDatetime | None = None
    certificate: Line = Field(default="", max_length=120)
    note: Text = Field(default="", max_length=400)
