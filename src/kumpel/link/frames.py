"""Frames: length, CRC-32, CBOR payload. The same for both sides of a link."""

from __future__ import annotations

import struct
import zlib
from typing import Any, Final

import cbor2

PROTOCOL: Final = 1
HEADER: Final = struct.Struct(">II")
MAX_PAYLOAD: Final = 2 * 1024 * 1024


class FrameError(ValueError):
    """Bytes on the link that are no frame; the connection has to be closed."""


_TAGS_REFUSED: Final = (0, 1, 2, 3, 4, 5, 25, 28, 29, 30, 35, 36, 37, 43000, 100, 256, 258, 260, 261, 1004)


def _refuse_tag(*_: object) -> object:
    raise cbor2.CBORDecodeError("tags have no place in a message")


def pack(message: dict[str, Any]) -> bytes:
    """A message as bytes on the link."""
    payload = cbor2.dumps(message)
    if len(payload) > MAX_PAYLOAD:
        raise FrameError(f"a payload of {len(payload)} bytes; at most {MAX_PAYLOAD} are possible")
    return HEADER.pack(len(payload), zlib.crc32(payload)) + payload


def payload_length(header: bytes) -> int:
    """Length of the payload that follows a header, checked against the limit before anything is read."""
    length: int = HEADER.unpack(header)[0]
    if not 0 < length <= MAX_PAYLOAD:
        raise FrameError(f"a frame of {length} bytes; 1 to {MAX_PAYLOAD} are possible")
    return length


def unpack(header: bytes, payload: bytes) -> dict[str, Any]:
    """The message of a frame. Raises FrameError on a wrong CRC or when the payload is no map."""
    if zlib.crc32(payload) != HEADER.unpack(header)[1]:
        raise FrameError("the CRC-32 of a frame does not match")
    try:
        message = cbor2.loads(
            payload,
            max_depth=16,
            allow_indefinite=False,
            semantic_decoders=dict.fromkeys(_TAGS_REFUSED, _refuse_tag),
            tag_hook=_refuse_tag,
        )
    except (cbor2.CBORDecodeError, ValueError, TypeError, OverflowError, MemoryError) as error:
        raise FrameError(f"a frame that is no CBOR ({error})") from error
    if not isinstance(message, dict):
        raise FrameError("a frame that is no map")
    return message
