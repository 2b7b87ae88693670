"""What recorders and clients say to each other, checked on arrival."""

from __future__ import annotations

import hashlib
import hmac
import os
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field

# Another type keeps several installations on one machine (and tests) out of each other's way.
SERVICE_TYPE: Final = os.environ.get("KUMPEL_SERVICE_TYPE", "_kumpel-recorder._tcp.local.")


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
    """Unknown fields are ignored, so that later versions can add some."""

    model_config = ConfigDict(frozen=True)


class Hello(Message):
    """First frame of the recorder on every connection."""

    protocol: int
    serial: str = Field(min_length=1, max_length=64)
    nonce: bytes = Field(min_length=16, max_length=16)
    locked: bool


class Description(Message):
    serial: str = Field(min_length=1, max_length=64)
    name: str = Field(max_length=40)
    token: str = Field(max_length=8)
    kind: str
    model: str = ""
    firmware: str = ""
    keeps_one: bool = False


class Status(Message):
    """Battery and memory as shares (0..1); clock in Unix seconds by the recorder."""

    clock: float
    utc_offset_min: int
    battery: float = Field(ge=0, le=1)
    memory_used: float = Field(ge=0, le=1)
    mode: str
    place: str = ""


class ListedSession(Message):
    id: str = Field(min_length=1, max_length=64)
    start: float
    length_s: float = Field(ge=0)
    size: int = Field(ge=0)
    sha256: bytes | None = None
    complete: bool
    about: str = ""


class SessionList(Message):
    sessions: list[ListedSession]


class Piece(Message):
    """Whole items of a recording file, from `offset` on; `next` is the offset after them."""

    offset: int = Field(ge=0)
    next: int = Field(ge=0)
    items: bytes


class SetupState(Message):
    revision: int = Field(ge=0)
    setup: dict[str, Any]
    slip: dict[str, Any] = Field(default_factory=dict)


class Cleared(Message):
    cleared: list[str]


def proof(passcode: str, side: str, recorder_nonce: bytes, client_nonce: bytes) -> bytes:
    """HMAC-SHA256 (RFC 2104) of side, recorder's nonce and client's nonce, keyed with the passcode."""
    return hmac.new(passcode.encode(), side.encode() + recorder_nonce + client_nonce, hashlib.sha256).digest()
