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
Moment = Annotated[float, Field(ge=0, le=LATEST, allow_inf_nan=False)]


class Code:
    """Error codes of version 1."""

    BAD_REQUEST: Final = "bad-request"
    UNKNOWN_CALL: Final = "unknown-call"
    LOCKED: Final = "locked"
    WRONG_PASSCODE: Final = "wrong-passcode"
    NOT_FOUND: Final = "not-found"
    STALE_SETUP: Final = "stale-setup"
    BAD_SETUP: Final = "bad-setup"
    RECORDING: Final = "recording"
    NOT_RECORDING: Final = "not-recording"
    HASH_MISMATCH: Final = "hash-mismatch"
    FULL: Final = "full"
    FAULT: Final = "fault"


class Message(BaseModel):
    """Unknown fields are ignored, so that later versions can add some. Everything else is typed, finite and bounded."""

    model_config = ConfigDict(frozen=True, strict=True)


class Hello(Message):
    """First frame of the recorder on every connection."""

    protocol: int
    serial: Name = Field(min_length=1, max_length=64)
    nonce: bytes = Field(min_length=16, max_length=16)
    locked: bool


class Description(Message):
    serial: Name = Field(min_length=1, max_length=64)
    name: Name = Field(max_length=40)
    token: Name = Field(max_length=8)
    kind: Name = Field(max_length=40)
    model: Name = Field(default="", max_length=80)
    firmware: Name = Field(default="", max_length=40)
    keeps_one: bool = False


class Status(Message):
    """Battery and memory as shares (0..1); clock in Unix seconds by the recorder."""

    clock: Moment
    utc_offset_min: int = Field(ge=-1080, le=1080)
    battery: float = Field(ge=0, le=1, allow_inf_nan=False)
    memory_used: float = Field(ge=0, le=1, allow_inf_nan=False)
    mode: Name = Field(max_length=40)
    place: Name = Field(default="", max_length=80)


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


class Piece(Message):
    """Whole items of a recording file, from `offset` on; `next` is the offset after them."""

    offset: int = Field(ge=0, le=LARGEST)
    next: int = Field(ge=0, le=LARGEST)
    items: bytes


class SetupState(Message):
    revision: int = Field(ge=0, le=2**31 - 1)
    setup: Plain
    slip: Plain = Field(default_factory=dict)


class Cleared(Message):
    cleared: list[Name] = Field(max_length=MOST_SESSIONS)


def proof(passcode: str, side: str, recorder_nonce: bytes, client_nonce: bytes) -> bytes:
    """HMAC-SHA256 (RFC 2104) of side, recorder's nonce and client's nonce, keyed with the passcode."""
    return hmac.new(passcode.encode(), side.encode() + recorder_nonce + client_nonce, hashlib.sha256).digest()
