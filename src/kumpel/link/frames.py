"""Frames: length, CRC-32, CBOR payload. The same for both sides of a link."""

from __future__ import annotations

import struct
import zlib
from typing import Any, Final

import cbor2

PROTOCOL: Final = 2
SPOKEN: Final = (1, 2)
"""Versions that a client understands."""
MARKER: Final = bytes.fromhex("a56b706c")
"""Stands before each frame on a serial port."""
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


class Hunt:
    """Finds frames in the bytes of a serial port, whatever stands between them."""

    def __init__(self) -> None:
        self._bytes = bytearray()

    def feed(self, part: bytes) -> None:
        self._bytes += part

    def next_frame(self) -> tuple[bytes, bytes] | None:
        """Header and payload of the next whole frame with a right CRC, or None as long as there is none."""
        while (start := self._bytes.find(MARKER)) >= 0:
            del self._bytes[:start]
            header = bytes(self._bytes[len(MARKER) : len(MARKER) + HEADER.size])
            if len(header) < HEADER.size:
                return None
            length, crc = HEADER.unpack(header)
            first = len(MARKER) + HEADER.size
            if 0 < length <= MAX_PAYLOAD:
                if len(self._bytes) < first + length:
                    return None
                payload = bytes(self._bytes[first : first + length])
                if zlib.crc32(payload) == crc:
                    del self._bytes[: first + length]
                    return header, payload
            self.give_up()
        # The end may be the beginning of a marker.
        del self._bytes[: max(len(self._bytes) - len(MARKER) + 1, 0)]
        return None

    def give_up(self) -> None:
        """The start that was found is none: look on behind its first byte."""
        del self._bytes[:1]
