"""What only recorders with an ability say (docs/link-protocol.md, 8 to 13, 16 and 17), checked on arrival."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Final, Self

import cbor2
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from kumpel.core.plain_values import check_plain
from kumpel.link.messages import Message, Moment, Name

LIVE, RAW, CALIBRATIONS, CHECKS, COURSES = "live", "raw", "calibrations", "checks", "courses"
DISPLAY, PICTURE, MAKER_PICTURE, FIRMWARE, NAMES = "display", "picture", "maker-picture", "firmware", "names"
NEWS: Final = "news"
RADIO: Final = "radio"
ALL: Final = (LIVE, RAW, CALIBRATIONS, CHECKS, COURSES, DISPLAY, PICTURE, MAKER_PICTURE, FIRMWARE, NAMES, NEWS, RADIO)
CALLS: Final[Mapping[str, tuple[str, ...]]] = {
    LIVE: ("live",),
    RAW: ("capture",),
    CALIBRATIONS: ("calibrations", "calibrate"),
    CHECKS: ("checks", "check"),
    COURSES: ("courses", "course", "write-course", "remove-course"),
    DISPLAY: ("display", "draw"),
    PICTURE: ("picture", "write-picture"),
    MAKER_PICTURE: ("maker-picture",),
    FIRMWARE: ("firmware", "firmware-begin", "firmware-block", "firmware-verify", "firmware-switch"),
    NEWS: ("news",),
    RADIO: ("radio", "join-network", "leave-network"),
}
"""The calls that belong to each ability; `names` has none of its own."""
MOST_COURSE_VALUES: Final = 20_000

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-(2.0**53), le=2.0**53)]


def _plain_course(value: dict[str, Any]) -> dict[str, Any]:
    check_plain(value, MOST_COURSE_VALUES)
    return value


Course = Annotated[dict[str, Any], AfterValidator(_plain_course)]


def course_hash(course: Mapping[str, Any]) -> bytes:
    """SHA-256 of a course's core deterministic encoding (RFC 8949, 4.2.1)."""
    return hashlib.sha256(cbor2.dumps(course, canonical=True)).digest()


# -- live values: SenML (RFC 8428) in its CBOR labels (clause 6)

BASE_NAME, BASE_TIME, RECORD_NAME, UNIT, VALUE, TEXT, TIME = -2, -3, 0, 1, 2, 3, 6
MISSING: Final = "missing"
RAW_VALUE: Final = ":raw"
"""Behind a channel's key: its sensor's raw value."""


class LiveAs(Message):
    """What a recorder sends from now on."""

    channels: list[Name] = Field(max_length=64)
    every_ms: int = Field(ge=20, le=60_000)


class LiveValue(BaseModel):
    """A value of a channel at a moment (Unix s by the recorder's clock); nan where nothing was measured."""

    model_config = ConfigDict(frozen=True)
    channel: str
    unit: str
    value: float
    at: float


def senml(serial: str, at: float, values: Sequence[tuple[str, str, float]]) -> list[dict[int, Any]]:
    """A SenML pack of (channel, unit, value) at a moment; nan becomes the text value `missing`."""
    records: list[dict[int, Any]] = []
    for channel, unit, value in values:
        measured: dict[int, Any] = {TEXT: MISSING} if math.isnan(value) else {VALUE: float(value)}
        records.append({RECORD_NAME: channel, UNIT: unit} | measured)
    if records:
        records[0] = {BASE_NAME: f"{serial}/", BASE_TIME: at} | records[0]
    return records


def live_values(records: object) -> list[LiveValue]:
    """The values of a SenML pack as a recorder sends it. Raises ValueError for what is none."""
    if not isinstance(records, list) or len(records) > 128:
        raise ValueError("a pack of live values is a list of 128 records at the most")
    base = 0.0
    found = []
    for record in records:
        if not isinstance(record, dict):
            raise ValueError("a record of live values is a map")
        base = _number(record.get(BASE_TIME, base))
        channel, unit = record.get(RECORD_NAME), record.get(UNIT, "")
        if (
            not isinstance(channel, str)
            or not isinstance(unit, str)
            or len(channel) > 40 + len(RAW_VALUE)
            or len(unit) > 20
        ):
            raise ValueError("a record of live values without a channel")
        value = math.nan if record.get(TEXT) == MISSING else _number(record.get(VALUE))
        at = _number(base + _number(record.get(TIME, 0.0)))
        found.append(LiveValue(channel=channel, unit=unit, value=value, at=at))
    return found


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError("a live value that is no finite number")
    return float(value)


# -- raw values and calibrations


class Captured(Message):
    """A sensor's raw value held for a while: mean, standard deviation and count of its readings."""

    channel: Name = Field(max_length=40)
    raw: Finite
    spread: Finite = Field(ge=0)
    count: int = Field(ge=1, le=1_000_000)


class CalibrationPoint(Message):
    raw: Finite
    true: Finite


class Calibration(Message):
    channel: Name = Field(max_length=40)
    points: list[CalibrationPoint] = Field(max_length=9)
    at: Moment


class CalibrationList(Message):
    calibrations: list[Calibration] = Field(max_length=64)


# -- checks


class CheckMade(Message):
    check: Name = Field(max_length=40)
    sensor: Name = Field(max_length=40)
    at: Moment
    applied: Finite | None = None
    before: Finite | None = None
    read: Finite | None = None
    factor: Finite | None = None
    unit: Name = Field(default="", max_length=20)
    gas: Name = Field(default="", max_length=20)
    lot: Name = Field(default="", max_length=40)
    type: Name = Field(default="", max_length=40)
    serial: Name = Field(default="", max_length=40)
    adjusted: bool = False
    passed: bool


class CheckList(Message):
    checks: list[CheckMade] = Field(max_length=500)


class CheckBegun(Message):
    seconds: float = Field(ge=0, le=86_400, allow_inf_nan=False)


# -- courses


class ListedCourse(Message):
    name: Name = Field(min_length=1, max_length=80)
    sha256: bytes = Field(min_length=32, max_length=32)
    points: int = Field(ge=0, le=MOST_COURSE_VALUES)


class CourseList(Message):
    courses: list[ListedCourse] = Field(max_length=200)


class OneCourse(Message):
    course: Course


# -- display and picture


class Offer(Message):
    key: Name = Field(min_length=1, max_length=40)
    label: Name = Field(max_length=40)


class Display(Message):
    width: int = Field(ge=1, le=1024)
    height: int = Field(ge=1, le=1024)
    greys: int = Field(ge=2, le=256)
    round: bool = False
    offers: list[Offer] = Field(max_length=100)
    most_pages: int = Field(default=1, ge=1, le=20)
    most_fields: int = Field(default=1, ge=1, le=12)


class Picture(Message):
    """A byte a pixel, row by row from the top left; 0 is black, `greys` - 1 white."""

    width: int = Field(ge=0, le=1024)
    height: int = Field(ge=0, le=1024)
    greys: int = Field(ge=2, le=256)
    pixels: bytes = Field(max_length=1 << 20)

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if len(self.pixels) != self.width * self.height:
            raise ValueError("as many pixels as width times height")
        if self.pixels and max(self.pixels) >= self.greys:
            raise ValueError("a grey that the display does not have")
        return self


# -- firmware


class Firmware(Message):
    """What runs and what waits; whether a new one is taken now, and what somebody has to press first where it is not."""

    running: Name = Field(max_length=40)
    ready: bool = True
    press: Name = Field(default="", max_length=200)
    keys: list[Annotated[bytes, Field(min_length=8, max_length=8)]] = Field(default_factory=list, max_length=16)
    """Names of the keys whose signatures it trusts, where it tells."""
    waiting: Name = Field(default="", max_length=40)
    size: int = Field(default=0, ge=0, le=1 << 30)
    received: int = Field(default=0, ge=0, le=1 << 30)
    verified: bool = False


# -- radio


class RadioState(Message):
    """The network that it is to join (empty: none) and whether it is in it; the network that it opens itself (empty: none). Never a key."""

    network: Name = Field(default="", max_length=32)
    joined: bool = False
    own: Name = Field(default="", max_length=32)


# -- news


class News(Message):
    """How often something on a recorder has changed since it was switched on; said on every change, and every `every_s`."""

    count: int = Field(ge=0, le=2**53)
    every_s: float = Field(default=5.0, ge=1, le=60, allow_inf_nan=False)
