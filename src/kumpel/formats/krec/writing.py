"""Recordings to files: item by item, so that a file of any length needs a block's memory."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, BinaryIO

import cbor2
import numpy as np
import zstandard

from kumpel.core.recording import Channel, Event, Floats, Recording
from kumpel.core.samples import ArraySamples, Samples
from kumpel.formats.krec.packing import typed_array_head
from kumpel.formats.krec.parts import MAX_BLOCK_SAMPLES, SELF_DESCRIBED, TYPES, VERSION, ChannelHead, Head


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
        tag, dtype = TYPES[about.type]
        raw = (values - about.offset) / about.scale
        if not dtype.startswith("<f"):
            info = np.iinfo(dtype)
            fill = 0 if about.missing is None else about.missing
            low = info.min + 1 if about.missing == info.min else info.min
            raw = np.where(np.isnan(raw), fill, np.clip(np.rint(raw), low, info.max))
        plain = raw.astype(dtype).tobytes()
        packed = self._packer.compress(typed_array_head(tag, len(plain)) + plain)
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


def write_items(head: Head, channels: Mapping[str, Samples], events: Iterable[Event] = ()) -> Iterator[bytes]:
    """The items of a file in order, from samples in the channels' units."""
    writer = Writer(head)
    yield writer.head()
    longest = max((each.count for each in channels.values()), default=0)
    for first in range(0, longest, MAX_BLOCK_SAMPLES):
        for number, about in enumerate(head.channels):
            part = channels[about.key].read(first, first + MAX_BLOCK_SAMPLES)
            if len(part):
                yield writer.block(number, part)
    for event in events:
        yield writer.event(event)
    yield writer.tail()


def write(head: Head, channels: Mapping[str, Floats], events: Iterable[Event] = ()) -> bytes:
    """A whole file from arrays in the channels' units."""
    return b"".join(write_items(head, {k: ArraySamples(v) for k, v in channels.items()}, events))


def _head_of(channel: Channel) -> ChannelHead:
    """How a channel is stored: whole numbers in 16 bits, positions in full, everything else in 32-bit floats."""
    if _is_whole(channel.samples):
        return ChannelHead(channel.key, channel.name, channel.unit, channel.interval_s, "i16", missing=-32_768)
    kind = "f64" if channel.unit == "deg" else "f32"
    return ChannelHead(channel.key, channel.name, channel.unit, channel.interval_s, kind)


def _is_whole(samples: Samples) -> bool:
    """Whether something was measured, and all of it are whole numbers that fit 16 bits."""
    any_known = False
    for block in samples.blocks():
        known = block[~np.isnan(block)]
        if len(known) and not (np.all(np.rint(known) == known) and np.abs(known).max() < 32_000):
            return False
        any_known = any_known or len(known) > 0
    return any_known


def recording_items(recording: Recording, session: str = "1", slip: Mapping[str, Any] | None = None) -> Iterator[bytes]:
    """The items of the file of a recording, in order."""
    channels = tuple(_head_of(c) for c in recording.channels.values())
    recorder = {"serial": "", **recording.recorder}
    head = Head(
        recording.kind,
        session,
        recording.start,
        recording.utc_offset_min,
        recorder,
        dict(recording.setup),
        channels,
        slip or {},
    )
    return write_items(head, {k: c.samples for k, c in recording.channels.items()}, recording.events)


def write_to(out: BinaryIO, recording: Recording, session: str = "1") -> None:
    """A recording's file into a stream, item by item."""
    for item in recording_items(recording, session):
        out.write(item)


def write_recording(recording: Recording, session: str = "1") -> bytes:
    """A whole file of a recording that did not come from a recorder."""
    return b"".join(recording_items(recording, session))
