"""What recorders and clients say to each other, checked on arrival."""

from __future__ import annotations

import hashlib
import hmac
from typing import Annotated, Any, Final

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from kumpel.core.plain_values import check_plain, check_text

SERVICE_TYPE: Final = "_kumpel-recorder._tcp.local."
LATEST: Final = 4_102_444_800.0
LONGEST_S: Final = 400 * 86_400.0
LARGEST: Final = 1 << 40
MOST_SESSIONS: Final = 10_000


def _clean(text: str) -> str:
    check_text(text)
    return text


def _plain(value: dict[str, Any]) -> dict[str, Any]:
    check_plain(value)
    return value


Name = Annotated[str, AfterValidator(_clean)]
Plain = Annotated[dict[str, Any], AfterValidator(_plain)]
StoredName = Annotated[str, AfterValidator(_clean), Field(max_length=40)]
Moment = Annotated[float, Field(ge=0, le=LATEST, allow_inf_nan=False)]


class Code:
    """Error codes (docs/link-protocol.md, 6)."""

    BAD_REQUEST: Final = "bad-request"
    UNKNOWN_CALL: Final = "unknown-call"
    LOCKED: Final = "locked"
    WRONG_PASSCODE: Final = "wrong-passcode"
    WRONG_MODE: Final = "wrong-mode"
    NOT_FOUND: Final = "not-found"
    STALE_SETUP: Final = "stale-setup"
    BAD_SETUP: Final = "bad-setup"
    BAD_VALUE: Final = "bad-value"
    RECORDING: Final = "recording"
    NOT_RECORDING: Final = "not-recording"
    HASH_MISMATCH: Final = "hash-mismatch"
    NOT_GENUINE: Final = "not-genuine"
    FULL: Final = "full"
    FAULT: Final = "fault"


class Message(BaseModel):
    """Unknown fields are ignored, so that later versions can add some. Everything else is typed, finite and bounded."""

    model_config = ConfigDict(frozen=True, strict=True)


class Mode:
    """What a recorder is doing (docs/link-protocol.md, 7)."""

    READY: Final = "ready"
    RECORDING: Final = "recording"
    TRANSFER_OFF: Final = "transfer-off"
    WARMING_UP: Final = "warming-up"
    POWER_SAVE: Final = "power-save"
    CHECKING: Final = "checking"
    UPDATING: Final = "updating"


SHUT: Final = (Mode.TRANSFER_OFF, Mode.WARMING_UP, Mode.POWER_SAVE, Mode.UPDATING)
"""Modes in which a recorder answers `describe` and `status` only."""


class Hello(Message):
    """First frame of the recorder on every connection."""

    protocol: int
    serial: Name = Field(min_length=1, max_length=64)
    nonce: bytes = Field(min_length=16, max_length=16)
    locked: bool


class MeasuredChannel(Message):
    """A quantity that a recorder measures, and how often in a second at the most."""

    key: Name = Field(min_length=1, max_length=40)
    name: Name = Field(max_length=80)
    unit: Name = Field(max_length=20)
    most_hz: float = Field(default=1.0, gt=0, le=100_000, allow_inf_nan=False)
    raw_unit: Name = Field(default="", max_length=20)
    """The unit of its sensor's raw value; empty: it tells none."""


class Description(Message):
    serial: Name = Field(min_length=1, max_length=64)
    name: Name = Field(max_length=40)
    token: Name = Field(max_length=8)
    kind: Name = Field(max_length=40)
    model: Name = Field(default="", max_length=80)
    firmware: Name = Field(default="", max_length=40)
    keeps_one: bool = False
    can: list[Name] = Field(default_factory=list, max_length=32)
    channels: list[MeasuredChannel] = Field(default_factory=list, max_length=64)


class LinkState(Message):
    """How a recorder is connected, as far as it can tell; quality as a share (0..1)."""

    over: Name = Field(default="", max_length=20)
    quality: float | None = Field(default=None, ge=0, le=1, allow_inf_nan=False)
    bytes_per_s: float | None = Field(default=None, gt=0, le=1e10, allow_inf_nan=False)


class Status(Message):
    """Battery and memory as shares (0..1), how many hours the battery lasts as it is set up, how large the memory is; clock in Unix
    seconds by the recorder."""

    clock: Moment
    utc_offset_min: int = Field(ge=-1080, le=1080)
    battery: float = Field(ge=0, le=1, allow_inf_nan=False)
    lasts_h: float | None = Field(default=None, ge=0, le=100_000, allow_inf_nan=False)
    memory_used: float = Field(ge=0, le=1, allow_inf_nan=False)
    memory_bytes: int | None = Field(default=None, gt=0, le=1 << 50)
    mode: Name = Field(max_length=40)
    mode_left_s: float | None = Field(default=None, ge=0, le=86_400, allow_inf_nan=False)
    press: Name = Field(default="", max_length=200)
    place: Name = Field(default="", max_length=80)
    link: LinkState = Field(default_factory=LinkState)


class ListedSession(Message):
    id: Name = Field(min_length=1, max_length=64)
    start: Moment
    length_s: float = Field(ge=0, le=LONGEST_S, allow_inf_nan=False)
    size: int = Field(ge=0, le=LARGEST)
    sha256: bytes | None = Field(default=None, min_length=32, max_length=32)
    complete: bool
    about: Name = Field(default="", max_length=200)


class SessionList(Message):
    sessions: list[ListedSession] = Field(max_length=MOST_SESSIONS)
    more: bool = False


class RecordedEvent(Message):
    """An event of a session; `data` as in the recording file."""

    at_s: float = Field(ge=0, le=LONGEST_S, allow_inf_nan=False)
    code: Name = Field(max_length=80)
    text: Name = Field(default="", max_length=400)
    data: Plain = Field(default_factory=dict)


class EventList(Message):
    events: list[RecordedEvent] = Field(max_length=500)
    more: bool = False


class Piece(Message):
    """Whole items of a recording file, from `offset` on; `next` is the offset after them."""

    offset: int = Field(ge=0, le=LARGEST)
    next: int = Field(ge=0, le=LARGEST)
    items: bytes


class SetupState(Message):
    revision: int = Field(ge=0, le=2**31 - 1)
    setup: Plain
    slip: Plain = Field(default_factory=dict)
    names: dict[Name, StoredName] = Field(default_factory=dict, max_length=16)
    names_withheld: bool = False


class Cleared(Message):
    cleared: list[Name] = Field(max_length=MOST_SESSIONS)


def proof(passcode: str, side: str, recorder_nonce: bytes, client_nonce: bytes) -> bytes:
    """HMAC-SHA256 (RFC 2104) of side, recorder's nonce and client's nonce, keyed with the passcode."""
    return hmac.new(passcode.encode(), side.encode() + recorder_nonce + client_nonce, hashlib.sha256).digest()
