"""Files to recordings: short ones whole, long ones block by block where they lie."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

from kumpel.core.recording import Channel, Event, Floats, Recording
from kumpel.core.samples import MOST_WHOLE_BYTES, BlockSamples
from kumpel.formats.errors import FileError, IncompleteError
from kumpel.formats.krec.checker import BoundsOf, Checker, anything
from kumpel.formats.krec.packing import unpack
from kumpel.formats.krec.parsing import read_items, stream_items
from kumpel.formats.krec.parts import Block, ChannelHead, Head


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
    return recording_with(head, channels, events)


def recording_with(head: Head, channels: Mapping[str, Channel], events: Iterable[Event]) -> Recording:
    """A recording of a head's kind, start and setup with these channels and events."""
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
    """A whole file from its bytes. Raises FileError (IncompleteError for a cut file) with the offset."""
    checker = Checker(bounds_of)
    blocks: list[tuple[int, Block]] = []
    events: list[Event] = []
    for item in read_items(data):
        checker.take(item)
        if isinstance(item.content, Block):
            blocks.append((item.offset, item.content))
        elif isinstance(item.content, Event):
            events.append(item.content)
    return recording_of(_complete(checker, len(data)), blocks, events)


def _complete(checker: Checker, size: int) -> Head:
    if checker.head is None:
        raise FileError("the file is empty", 0)
    if checker.tail is None:
        raise IncompleteError("the file has no tail: it was cut off", size)
    return checker.head


@dataclass(frozen=True)
class _Place:
    """Where a block lies in a file."""

    offset: int
    size: int
    first: int


def open_file(path: Path, bounds_of: BoundsOf = anything) -> Recording:
    """A whole file, checked in one pass; its samples stay in the file when they are many and are read from there block by block.

    Raises as `read`. The file must stay as it is while the recording is used; a block that no longer matches is a FileError.
    """
    checker = Checker(bounds_of)
    places: dict[int, list[_Place]] = defaultdict(list)
    events: list[Event] = []
    size = 0
    with path.open("rb") as file:
        for item in stream_items(file):
            checker.take(item)
            size = item.end
            if isinstance(item.content, Block):
                places[item.content.channel].append(_Place(item.offset, len(item.raw), item.content.first))
            elif isinstance(item.content, Event):
                events.append(item.content)
    head = _complete(checker, size)
    if 8 * sum(checker.samples) <= MOST_WHOLE_BYTES:
        return read(path.read_bytes(), bounds_of)
    owner = (str(path), checker.digest)
    channels = {
        about.key: Channel(
            about.key,
            about.name,
            about.unit,
            about.interval_s,
            BlockSamples(
                [p.first for p in places[number]],
                checker.samples[number],
                partial(_decoded, path, about, places[number]),
                (*owner, number),
            ),
        )
        for number, about in enumerate(head.channels)
    }
    return recording_with(head, channels, events)


def _decoded(path: Path, about: ChannelHead, places: list[_Place], number: int) -> Floats:
    place = places[number]
    with path.open("rb") as file:
        file.seek(place.offset)
        raw = file.read(place.size)
    content = next(read_items(raw, place.offset)).content
    if not isinstance(content, Block) or content.first != place.first:
        raise FileError("the file has changed since it was opened", place.offset)
    return unpack(content, about, place.offset)
