"""Bytes to items: one by one, with bounded memory, everything typed; every error names the byte it was found at."""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterator, Mapping
from typing import Any, BinaryIO, Final

import cbor2
import numpy as np

from kumpel.core.plain_values import check_plain, check_text
from kumpel.core.recording import Event
from kumpel.formats.errors import FileError, IncompleteError
from kumpel.formats.krec.parts import (
    MAX_BLOCK_SAMPLES,
    MAX_CHANNELS,
    MAX_ITEM_BYTES,
    PIECE_BYTES,
    TYPES,
    VERSION,
    Block,
    ChannelHead,
    Content,
    Head,
    Item,
    Tail,
)

_TAGS_REFUSED: Final = (0, 1, 2, 3, 4, 5, 25, 28, 29, 30, 35, 36, 37, 43000, 100, 256, 258, 260, 261, 1004)


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


def stream_items(file: BinaryIO, offset: int = 0) -> Iterator[Item]:
    """Items of a whole file, read piece by piece; `offset` is where in it the stream stands. Raises as `read_items`."""
    held = b""
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
    if len(listed) > MAX_CHANNELS:
        raise FileError(f"{len(listed)} channels; {MAX_CHANNELS} are possible", offset)
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
    if kind not in TYPES:
        raise FileError(f"channel type “{kind}”; known: {', '.join(TYPES)}", offset)
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
