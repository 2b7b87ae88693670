"""The recording file (.krec): a CBOR sequence of head, sample blocks, events and tail.

docs/recording-file.md is the specification. Items are read one by one with bounded memory; every error names the
byte offset at which it was found.
"""

from __future__ import annotations

import hashlib
import io
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, BinaryIO, Final

import cbor2
import numpy as np
import zstandard
from numpy.typing import NDArray

from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.plain_values import check_plain, check_text
from kumpel.core.recording import Channel, Event, Floats, Recording

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
_TAGS_REFUSED: Final = (0, 1, 2, 3, 4, 5, 25, 28, 29, 30, 35, 36, 37, 43000, 100, 256, 258, 260, 261, 1004)
HEAD, BLOCK, EVENT, TAIL = "head", "block", "event", "tail"

# RFC 8746 tags of the typed arrays a recorder may send: little endian, integers or floats.
_TYPES: Final[dict[str, tuple[int, str]]] = {
    "u8": (64, "<u1"),
    "i8": (72, "<i1"),
    "u16": (69, "<u2"),
    "i16": (77, "<i2"),
    "u32": (70, "<u4"),
    "i32": (78, "<i4"),
    "f32": (85, "<f4"),
    "f64": (86, "<f8"),
}


class FileError(ValueError):
    """Something wrong in a recording file, with the byte offset of the item it was found in."""

    def __init__(self, message: str, offset: int) -> None:
        super().__init__(f"byte {offset}: {message}")
        self.offset = offset


class IncompleteError(FileError):
    """The bytes end inside an item: more may come."""


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


# ---------------------------------------------------------------- reading


_MARK: Final = b"\xd9\xd9\xf7"  # tag 55799; taken off by hand, decoders return frozen maps inside a tag


def _refuse_tag(*_: object) -> object:
    raise cbor2.CBORDecodeError("tags other than 55799 have no place in an item")


def _decoder(stream: io.BytesIO) -> cbor2.CBORDecoder:
    return cbor2.CBORDecoder(
        stream,
        read_size=1,
        max_depth=16,
        allow_indefinite=False,
        allow_duplicate_keys=False,
        semantic_decoders=dict.fromkeys(_TAGS_REFUSED, _refuse_tag),
        tag_hook=_refuse_tag,
    )


def read_items(data: bytes, base: int = 0) -> Iterator[Item]:
    """Items of a piece of a file that starts at byte `base` of it.

    Raises IncompleteError when the piece ends inside an item, FileError for anything that is wrong.
    """
    stream = io.BytesIO(data)
    while stream.tell() < len(data):
        yield _read_one(stream, len(data), base)


def stream_items(file: BinaryIO) -> Iterator[Item]:
    """Items of a whole file, read piece by piece. Raises as `read_items`."""
    held, offset = b"", 0
    while True:
        part = file.read(PIECE_BYTES)
        held, end = held + part, 0
        try:
            for item in read_items(held, offset):
                yield item
                end = item.end - offset
        except IncompleteError:
            if not part:
                raise
        held, offset = held[end:], offset + end
        if not part:
            return


def _read_one(stream: io.BytesIO, size: int, base: int) -> Item:
    position = stream.tell()
    offset = base + position
    stream.seek(position + (len(_MARK) if stream.read(len(_MARK)) == _MARK else 0))
    try:
        value = _decoder(stream).decode()
    except cbor2.CBORDecodeEOF as error:
        if size - position >= MAX_ITEM_BYTES:
            raise FileError(f"the item is longer than {MAX_ITEM_BYTES} bytes", offset) from error
        raise IncompleteError("the file ends inside an item: it was cut off", offset) from error
    except (
        cbor2.CBORDecodeError,
        ValueError,
        TypeError,
        OverflowError,
        RecursionError,
        MemoryError,
    ) as error:
        raise FileError(f"not a readable item ({error})", offset) from error
    length = stream.tell() - position
    if length > MAX_ITEM_BYTES:
        raise FileError(f"the item is longer than {MAX_ITEM_BYTES} bytes", offset)
    stream.seek(position)
    return Item(offset, stream.read(length), _content(value, offset))


def _content(value: object, offset: int) -> Content:
    if isinstance(value, dict) and "krec" in value:
        return _head(value, offset)
    if isinstance(value, list) and value and value[0] == "b":
        return _block(value, offset)
    if isinstance(value, list) and value and value[0] == "e":
        return _event(value, offset)
    if isinstance(value, list) and value and value[0] == "t":
        return _tail(value, offset)
    raise FileError("an item of an unknown form; head, block, event or tail expected", offset)


def _typed(
    source: Mapping[str, Any], key: str, types: type | tuple[type, ...], offset: int, default: Any = None
) -> Any:
    value = source.get(key, default)
    if isinstance(value, bool) or not isinstance(value, types):
        raise FileError(f"field “{key}” is missing or of the wrong type ({type(value).__name__})", offset)
    return value


def _text(source: Mapping[str, Any], key: str, longest: int, offset: int) -> str:
    text: str = _typed(source, key, str, offset)
    try:
        check_text(text, longest)
    except ValueError as error:
        raise FileError(f"field “{key}”: {error}", offset) from None
    return text


def _plain_map(source: Mapping[str, Any], key: str, offset: int, default: Any = None) -> dict[str, Any]:
    value: dict[str, Any] = _typed(source, key, dict, offset, default)
    try:
        check_plain(value)
    except ValueError as error:
        raise FileError(f"field “{key}”: {error}", offset) from None
    return value


_NUMBER = (int, float)


def _head(value: Mapping[str, Any], offset: int) -> Head:
    if value["krec"] != VERSION:
        raise FileError(f"version {value['krec']!r} of the file; this program reads {VERSION}", offset)
    listed = _typed(value, "channels", list, offset)
    if not 0 < len(listed) <= MAX_CHANNELS:
        raise FileError(f"{len(listed)} channels; 1 to {MAX_CHANNELS} are possible", offset)
    channels = tuple(_channel_head(each, offset) for each in listed)
    if len({c.key for c in channels}) != len(channels):
        raise FileError("two channels have the same key", offset)
    start = float(_typed(value, "start", _NUMBER, offset))
    zone = _typed(value, "utc_offset_min", int, offset)
    if not (np.isfinite(start) and 0 <= start < 4102444800):
        raise FileError(f"start {start!r} is no time between 1970 and 2099", offset)
    if not -1080 <= zone <= 1080:
        raise FileError(f"utc_offset_min {zone} is no offset from UTC", offset)
    session = _text(value, "session", 64, offset)
    if not session:
        raise FileError("field “session” must have 1 to 64 characters", offset)
    return Head(
        kind=_text(value, "kind", 40, offset),
        session=session,
        start=start,
        utc_offset_min=zone,
        recorder=_plain_map(value, "recorder", offset),
        setup=_plain_map(value, "setup", offset, {}),
        channels=channels,
        slip=_plain_map(value, "slip", offset, {}),
    )


def _channel_head(value: object, offset: int) -> ChannelHead:
    if not isinstance(value, dict):
        raise FileError("a channel must be a map", offset)
    kind = _typed(value, "type", str, offset)
    if kind not in _TYPES:
        raise FileError(f"channel type “{kind}”; known: {', '.join(_TYPES)}", offset)
    interval = float(_typed(value, "interval_s", _NUMBER, offset))
    scale = float(_typed(value, "scale", _NUMBER, offset, 1.0))
    shift = float(_typed(value, "offset", _NUMBER, offset, 0.0))
    if not (np.isfinite([interval, scale, shift]).all() and interval > 0):
        raise FileError("interval_s must be above 0, scale and offset finite", offset)
    missing = value.get("missing")
    if missing is not None and not isinstance(missing, int):
        raise FileError("field “missing” must be a whole number", offset)
    return ChannelHead(
        _text(value, "key", 60, offset),
        _text(value, "name", 120, offset),
        _text(value, "unit", 30, offset),
        interval,
        kind,
        scale,
        shift,
        missing,
    )


def _whole(value: object, what: str, high: int, offset: int) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= high:
        raise FileError(f"{what} must be a whole number from 0 to {high}", offset)
    return value


def _block(value: list[Any], offset: int) -> Block:
    if len(value) != 7 or not isinstance(value[6], bytes):
        raise FileError('a block is ["b", channel, index, first, count, crc, bytes]', offset)
    block = Block(
        _whole(value[1], "the block's channel", MAX_CHANNELS - 1, offset),
        _whole(value[2], "the block's index", 2**40, offset),
        _whole(value[3], "the block's first sample", 2**48, offset),
        _whole(value[4], "the block's count", MAX_BLOCK_SAMPLES, offset),
        _whole(value[5], "the block's CRC", 2**32 - 1, offset),
        value[6],
    )
    if zlib.crc32(block.packed) != block.crc:
        raise FileError(f"block {block.index} of channel {block.channel}: CRC does not match", offset)
    return block


def _event(value: list[Any], offset: int) -> Event:
    match value:
        case ["e", int() | float() as at, str() as code, str() as text, dict() as data]:
            if not np.isfinite(at):
                raise FileError("an event at no finite time", offset)
            try:
                check_text(code, 40)
                check_text(text, lines=True)
                check_plain(data)
            except ValueError as error:
                raise FileError(f"an event with {error}", offset) from None
            return Event(float(at), code, text, {str(k): v for k, v in data.items()})
    raise FileError('an event is ["e", seconds, code, text, data]', offset)


def _tail(value: list[Any], offset: int) -> Tail:
    match value:
        case [
            "t",
            {
                "blocks": int() as blocks,
                "samples": list() as samples,
                "events": int() as events,
                "sha256": bytes() as digest,
            },
        ] if len(digest) == 32 and all(isinstance(s, int) for s in samples):
            return Tail(blocks, tuple(samples), events, digest)
    raise FileError('the tail is ["t", {blocks, samples, events, sha256}]', offset)


def unpack(block: Block, channel: ChannelHead, offset: int = 0) -> Floats:
    """Samples of a block in the channel's unit, shape (count,), nan where missing.

    Refuses a Zstandard frame that would grow beyond what `count` samples of this type take.
    """
    tag, dtype = _TYPES[channel.type]
    size = block.count * np.dtype(dtype).itemsize
    bound = size + 16
    try:
        declared = zstandard.frame_content_size(block.packed)
        if declared > bound:
            raise FileError(f"the block claims {declared} bytes; {size} expected", offset)
        unpacker = zstandard.ZstdDecompressor(max_window_size=2**23)
        plain = unpacker.decompress(block.packed, max_output_size=bound)
    except zstandard.ZstdError as error:
        raise FileError(f"block {block.index}: not a readable Zstandard frame ({error})", offset) from error
    expected = _typed_array_head(tag, size)
    if not plain.startswith(expected) or len(plain) != len(expected) + size:
        raise FileError(f"block {block.index}: the typed array does not hold {block.count} × {channel.type}", offset)
    raw: NDArray[Any] = np.frombuffer(plain, dtype, count=block.count, offset=len(expected))
    values = raw.astype(np.float64)
    if channel.scale != 1.0:
        values *= channel.scale
    if channel.offset:
        values += channel.offset
    if channel.missing is not None:
        values[raw == channel.missing] = np.nan
    # An endless or absurd value of a float channel was not measured either.
    with np.errstate(invalid="ignore"):
        absurd = np.abs(values) > LARGEST_VALUE
    if absurd.any():
        values[absurd] = np.nan
    return values


def _typed_array_head(tag: int, size: int) -> bytes:
    """CBOR tag and byte-string head of a typed array (RFC 8949 3, RFC 8746 2), in shortest form."""
    return bytes((0xD8, tag)) + _length_head(0x40, size)


def _length_head(major: int, size: int) -> bytes:
    if size < 24:
        return bytes((major | size,))
    for code, width in ((24, 1), (25, 2), (26, 4)):
        if size < 256**width:
            return bytes((major | code,)) + size.to_bytes(width, "big")
    raise ValueError(f"{size} bytes are too many for a block")


# ---------------------------------------------------------------- checking a whole file


BoundsOf = Callable[[str], Bounds]


def anything(kind: str) -> Bounds:
    """The bounds of a kind that nobody declared."""
    return ANY


class Checker:
    """Follows the items of one file in order and says at once what does not fit.

    `digest` is the SHA-256 of the whole file up to the last item taken. `bounds_of` gives, by the kind that the head names,
    how much such a file may hold; what lies beyond is refused before anything of it is unpacked.
    """

    def __init__(self, bounds_of: BoundsOf = anything) -> None:
        self._bounds_of = bounds_of
        self._bounds = ANY
        self.head: Head | None = None
        self.tail: Tail | None = None
        self.blocks = 0
        self.events = 0
        self.samples: list[int] = []
        self._indices: list[int] = []
        self._hash = hashlib.sha256()

    @property
    def digest(self) -> bytes:
        return self._hash.digest()

    def take(self, item: Item) -> None:
        """Raises FileError when the item does not belong where it stands."""
        try:
            self._take(item)
        except BoundsError as error:
            kind = self.head.kind if self.head is not None else ""
            raise FileError(f"more than a recording of kind “{kind}” can hold: {error}", item.offset) from None

    def _take(self, item: Item) -> None:
        content, offset = item.content, item.offset
        if self.tail is not None:
            raise FileError("something follows the tail", offset)
        if (self.head is None) != isinstance(content, Head):
            text = "a second head" if isinstance(content, Head) else "the file does not begin with a head"
            raise FileError(text, offset)
        if isinstance(content, Head):
            self.head = content
            self._take_head(content, len(item.raw), offset)
            self.samples = [0] * len(content.channels)
            self._indices = [0] * len(content.channels)
        elif isinstance(content, Block):
            self._take_block(content, offset)
        elif isinstance(content, Event):
            self.events += 1
            self._bounds.check_events(self.events)
            self._bounds.check_span(content.at_s)
            if len(item.raw) > MAX_EVENT_BYTES:
                raise FileError(f"an event of {len(item.raw)} bytes; {MAX_EVENT_BYTES} are possible", offset)
        else:
            self._take_tail(content, offset)
        self._hash.update(item.raw)

    def _take_head(self, head: Head, size: int, offset: int) -> None:
        if size > MAX_HEAD_BYTES:
            raise FileError(f"a head of {size} bytes; {MAX_HEAD_BYTES} are possible", offset)
        self._bounds = self._bounds_of(head.kind)
        self._bounds.check_channels(len(head.channels))
        for channel in head.channels:
            self._bounds.check_rate(channel.interval_s, f"channel “{channel.key[:40]}”")

    def _take_block(self, block: Block, offset: int) -> None:
        if block.channel >= len(self.samples):
            raise FileError(f"block of channel {block.channel}; the head has {len(self.samples)}", offset)
        if block.index != self._indices[block.channel] or block.first != self.samples[block.channel]:
            at = self.samples[block.channel]
            raise FileError(
                f"channel {block.channel}: block {self._indices[block.channel]} from sample {at} expected", offset
            )
        if block.first % BLOCK_GRAIN:
            raise FileError(f"every block but a channel's last holds a multiple of {BLOCK_GRAIN} samples", offset)
        self._indices[block.channel] += 1
        self.samples[block.channel] += block.count
        self.blocks += 1
        assert self.head is not None
        self._bounds.check_samples(sum(self.samples))
        self._bounds.check_span(self.samples[block.channel] * self.head.channels[block.channel].interval_s)

    def _take_tail(self, tail: Tail, offset: int) -> None:
        if tail.sha256 != self._hash.digest():
            raise FileError("the SHA-256 of the file does not match its tail", offset)
        if (tail.blocks, tail.samples, tail.events) != (self.blocks, tuple(self.samples), self.events):
            raise FileError("the counts in the tail do not match the file", offset)
        self.tail = tail


def recording_of(head: Head, blocks: Iterable[tuple[int, Block]], events: Iterable[Event]) -> Recording:
    """A recording from a file's parts; `blocks` comes as (offset, block) in the file's order."""
    listed: list[list[tuple[int, Block]]] = [[] for _ in head.channels]
    for offset, block in blocks:
        listed[block.channel].append((offset, block))
    # Each channel is filled in place: a long night is never in memory twice.
    channels = {
        c.key: Channel(c.key, c.name, c.unit, c.interval_s, _filled(c, p))
        for c, p in zip(head.channels, listed, strict=True)
    }
    return Recording(
        head.kind, head.start, head.utc_offset_min, channels, tuple(events), dict(head.setup), dict(head.recorder)
    )


def _filled(channel: ChannelHead, blocks: list[tuple[int, Block]]) -> Floats:
    """All samples of a channel from its blocks."""
    values = np.empty(sum(block.count for _, block in blocks))
    first = 0
    for offset, block in blocks:
        values[first : first + block.count] = unpack(block, channel, offset)
        first += block.count
    return values


def read(data: bytes, bounds_of: BoundsOf = anything) -> Recording:
    """A whole file. Raises FileError (IncompleteError for a cut file) with the offset."""
    checker = Checker(bounds_of)
    blocks: list[tuple[int, Block]] = []
    events: list[Event] = []
    for item in read_items(data):
        checker.take(item)
        if isinstance(item.content, Block):
            blocks.append((item.offset, item.content))
        elif isinstance(item.content, Event):
            events.append(item.content)
    if checker.head is None:
        raise FileError("the file is empty", 0)
    if checker.tail is None:
        raise IncompleteError("the file has no tail: it was cut off", len(data))
    return recording_of(checker.head, blocks, events)


# ---------------------------------------------------------------- writing


class Writer:
    """Makes the items of a file in order; keeps counts and the SHA-256 for the tail."""

    def __init__(self, head: Head, level: int = 3) -> None:
        self._head = head
        self._packer = zstandard.ZstdCompressor(level=level)
        self._hash = hashlib.sha256()
        self._samples = [0] * len(head.channels)
        self._indices = [0] * len(head.channels)
        self._events = 0

    def _item(self, value: object) -> bytes:
        raw = cbor2.dumps(value)
        self._hash.update(raw)
        return raw

    def head(self) -> bytes:
        head = self._head
        channels = [
            {
                "key": c.key,
                "name": c.name,
                "unit": c.unit,
                "interval_s": c.interval_s,
                "type": c.type,
                "scale": c.scale,
                "offset": c.offset,
            }
            | ({} if c.missing is None else {"missing": c.missing})
            for c in head.channels
        ]
        value = {
            "krec": VERSION,
            "kind": head.kind,
            "session": head.session,
            "start": head.start,
            "utc_offset_min": head.utc_offset_min,
            "recorder": dict(head.recorder),
            "setup": dict(head.setup),
            "slip": dict(head.slip),
            "channels": channels,
        }
        return self._item(cbor2.CBORTag(SELF_DESCRIBED, value))

    def block(self, channel: int, values: Floats) -> bytes:
        """Item of up to 65,536 samples given in the channel's unit; nan becomes `missing`."""
        about = self._head.channels[channel]
        tag, dtype = _TYPES[about.type]
        raw = (values - about.offset) / about.scale
        if not dtype.startswith("<f"):
            info = np.iinfo(dtype)
            fill = 0 if about.missing is None else about.missing
            low = info.min + 1 if about.missing == info.min else info.min
            raw = np.where(np.isnan(raw), fill, np.clip(np.rint(raw), low, info.max))
        plain = raw.astype(dtype).tobytes()
        packed = self._packer.compress(_typed_array_head(tag, len(plain)) + plain)
        first, index = self._samples[channel], self._indices[channel]
        self._samples[channel] += len(values)
        self._indices[channel] += 1
        return self._item(["b", channel, index, first, len(values), zlib.crc32(packed), packed])

    def event(self, event: Event) -> bytes:
        self._events += 1
        return self._item(["e", event.at_s, event.code, event.text, dict(event.data)])

    def tail(self) -> bytes:
        counts = {
            "blocks": sum(self._indices),
            "samples": self._samples,
            "events": self._events,
            "sha256": self._hash.digest(),
        }
        return self._item(["t", counts])


def write(head: Head, channels: Mapping[str, Floats], events: Iterable[Event] = ()) -> bytes:
    """A whole file from arrays in the channels' units."""
    writer = Writer(head)
    parts = [writer.head()]
    longest = max((len(v) for v in channels.values()), default=0)
    for first in range(0, longest, MAX_BLOCK_SAMPLES):
        for number, about in enumerate(head.channels):
            part = channels[about.key][first : first + MAX_BLOCK_SAMPLES]
            if len(part):
                parts.append(writer.block(number, part))
    parts += [writer.event(event) for event in events]
    parts.append(writer.tail())
    return b"".join(parts)


def _head_of(channel: Channel) -> ChannelHead:
    """How a channel is stored: whole numbers in 16 bits, positions in full, everything else in 32-bit floats."""
    values = channel.values
    known = values[~np.isnan(values)]
    whole = len(known) > 0 and bool(np.all(np.rint(known) == known)) and float(np.abs(known).max()) < 32_000
    if whole:
        return ChannelHead(channel.key, channel.name, channel.unit, channel.interval_s, "i16", missing=-32_768)
    kind = "f64" if channel.unit == "deg" else "f32"
    return ChannelHead(channel.key, channel.name, channel.unit, channel.interval_s, kind)


def write_recording(recording: Recording, session: str = "1") -> bytes:
    """A whole file of a recording that did not come from a recorder."""
    channels = tuple(_head_of(c) for c in recording.channels.values())
    recorder = {"serial": "", **recording.recorder}
    head = Head(
        recording.kind, session, recording.start, recording.utc_offset_min, recorder, dict(recording.setup), channels
    )
    return write(head, {k: c.values for k, c in recording.channels.items()}, recording.events)
