"""Whether the items of a file belong together: order, counts, bounds, hash."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.recording import BY_EVENT, Event, recorded_s
from kumpel.formats.errors import FileError
from kumpel.formats.krec.parts import (
    BLOCK_GRAIN,
    MAX_EVENT_BYTES,
    MAX_HEAD_BYTES,
    Block,
    Head,
    Item,
    Tail,
)

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
        self._last_read = self._last_mark = Event(0.0, "")
        self._hash = hashlib.sha256()

    @property
    def digest(self) -> bytes:
        return self._hash.digest()

    @property
    def length_s(self) -> float:
        """Length in s of everything that came, see `recorded_s`."""
        channels = self.head.channels if self.head is not None else ()
        lengths = (n * c.interval_s for n, c in zip(self.samples, channels, strict=True))
        return recorded_s(lengths, (self._last_read, self._last_mark))

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
            if content.code in BY_EVENT:
                self._last_read = content if content.at_s > self._last_read.at_s else self._last_read
            elif content.at_s > self._last_mark.at_s:
                self._last_mark = content
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
