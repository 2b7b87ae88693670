"""What a recording file consists of, as typed parts, and what can be wrong with one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from kumpel.core.recording import Event

VERSION: Final = 1
SELF_DESCRIBED: Final = 55799
MAX_ITEM_BYTES: Final = 4 * 1024 * 1024
MAX_BLOCK_SAMPLES: Final = 65_536
MAX_CHANNELS: Final = 256
BLOCK_GRAIN: Final = 256
MAX_HEAD_BYTES: Final = 262_144
MAX_EVENT_BYTES: Final = 65_536
LARGEST_VALUE: Final = 1e12
"""Beyond this a sample was not measured, in whatever unit."""
PIECE_BYTES: Final = 1 << 20
HEAD, BLOCK, EVENT, TAIL = "head", "block", "event", "tail"

# RFC 8746 tags of the typed arrays a recorder may send: little endian, integers or floats.
TYPES: Final[dict[str, tuple[int, str]]] = {
    "u8": (64, "<u1"),
    "i8": (72, "<i1"),
    "u16": (69, "<u2"),
    "i16": (77, "<i2"),
    "u32": (70, "<u4"),
    "i32": (78, "<i4"),
    "f32": (85, "<f4"),
    "f64": (86, "<f8"),
}


@dataclass(frozen=True)
class ChannelHead:
    """A channel as the head describes it. value = raw x scale + offset; the raw value `missing` is nan."""

    key: str
    name: str
    unit: str
    interval_s: float
    type: str
    scale: float = 1.0
    offset: float = 0.0
    missing: int | None = None


@dataclass(frozen=True)
class Head:
    """The first item: who recorded what, with which setup and clock."""

    kind: str
    session: str
    start: float
    utc_offset_min: int
    recorder: Mapping[str, Any]
    setup: Mapping[str, Any]
    channels: tuple[ChannelHead, ...]
    slip: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Block:
    """Up to 65,536 samples of one channel; `packed` is the Zstandard frame as it stands in the file."""

    channel: int
    index: int
    first: int
    count: int
    crc: int
    packed: bytes


@dataclass(frozen=True)
class Tail:
    """The last item: blocks and samples a channel, events, SHA-256 of every byte before it."""

    blocks: int
    samples: tuple[int, ...]
    events: int
    sha256: bytes


Content = Head | Block | Event | Tail


@dataclass(frozen=True)
class Item:
    """An item with its place and its bytes."""

    offset: int
    raw: bytes
    content: Content

    @property
    def end(self) -> int:
        return self.offset + len(self.raw)
