"""The samples of a channel, whole or in pieces: a night at 1 kHz never has to be in memory at once."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from threading import Lock

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
MOST_WHOLE_BYTES = 32 * 2**20
"""Samples are given as one array up to this size; longer ones are read in blocks."""
BLOCK_SAMPLES = 65_536


class TooLongError(ValueError):
    """Somebody asked for all samples of a channel at once that is too long for it."""

    def __init__(self, what: str, count: int) -> None:
        super().__init__(
            f"{what} has {count:,} samples, more than fit at once ({MOST_WHOLE_BYTES // 8:,}); read it in blocks"
        )
        self.count = count


class Samples(ABC):
    """Evenly spaced float64 values, nan where nothing was measured. What is read is not to be written to."""

    @property
    @abstractmethod
    def count(self) -> int: ...

    @abstractmethod
    def read(self, first: int, end: int) -> Floats:
        """Samples `first` to `end` - 1, shape (n,); what lies outside is not there."""

    def blocks(
        self, size: int = BLOCK_SAMPLES, first: int = 0, end: int | None = None, before: int = 0, after: int = 0
    ) -> Iterator[Floats]:
        """Samples `first` to `end` - 1 in order, `size` at a time, each with up to `before` and `after` samples around it."""
        stop = self.count if end is None else min(end, self.count)
        for at in range(first, stop, size):
            yield self.read(max(at - before, 0), min(min(at + size, stop) + after, self.count))

    def extremes(self, columns: int) -> tuple[Floats, Floats]:
        """Lowest and highest measured value in each of `columns` equal parts, shape (min(columns, count),) each; nan where a
        part has none. Without samples, `columns` times nan."""
        if not self.count:
            return np.full(columns, np.nan), np.full(columns, np.nan)
        columns = min(columns, self.count)
        edges = np.linspace(0, self.count, columns, endpoint=False).astype(np.intp)
        low, high = np.full(columns, np.nan), np.full(columns, np.nan)
        at = 0
        for block in self.blocks(max(BLOCK_SAMPLES, 1)):
            inside = np.searchsorted(edges, [at, at + len(block)])
            starts = edges[inside[0] : inside[1]] - at
            # What comes before the block's first edge still belongs to the part before it.
            lead = starts[0] if len(starts) else len(block)
            if lead and inside[0]:
                low[inside[0] - 1] = np.fmin(low[inside[0] - 1], np.fmin.reduce(block[:lead]))
                high[inside[0] - 1] = np.fmax(high[inside[0] - 1], np.fmax.reduce(block[:lead]))
            if len(starts):
                low[inside[0] : inside[1]] = np.fmin.reduceat(block, starts)
                high[inside[0] : inside[1]] = np.fmax.reduceat(block, starts)
            at += len(block)
        return low, high

    def measured(self) -> int:
        """How many samples were measured."""
        return sum(int(np.count_nonzero(~np.isnan(block))) for block in self.blocks())


class ArraySamples(Samples):
    """Samples that are in memory."""

    def __init__(self, values: Floats) -> None:
        if values.ndim != 1:
            raise ValueError("samples must be one-dimensional")
        self._values = values

    @property
    def count(self) -> int:
        return len(self._values)

    @property
    def nbytes(self) -> int:
        return self._values.nbytes

    def read(self, first: int, end: int) -> Floats:
        return self._values[first:end]


class PartOf(Samples):
    """Samples `first` to `end` - 1 of others."""

    def __init__(self, whole: Samples, first: int, end: int) -> None:
        self._whole, self._first = whole, first
        self._count = max(min(end, whole.count) - first, 0)

    @property
    def count(self) -> int:
        return self._count

    def read(self, first: int, end: int) -> Floats:
        return self._whole.read(self._first + first, self._first + min(end, self._count))


class DecodedBlocks:
    """The blocks that a process decoded last, together `most` bytes at the most."""

    def __init__(self, most: int) -> None:
        self._most, self._kept, self._bytes = most, OrderedDict[tuple[object, int], Floats](), 0
        self._lock = Lock()

    @property
    def nbytes(self) -> int:
        return self._bytes

    def get(self, owner: object, number: int, decode: Callable[[int], Floats]) -> Floats:
        """Block `number` of an owner (anything hashable), decoded when it is not there."""
        key = (owner, number)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = decode(number)
        made.flags.writeable = False
        with self._lock:
            if key not in self._kept and made.nbytes <= self._most:
                self._kept[key] = made
                self._bytes += made.nbytes
                while self._bytes > self._most:
                    self._bytes -= self._kept.popitem(last=False)[1].nbytes
        return made


DECODED = DecodedBlocks(16 * 2**20)
"""The one of this process."""


class BlockSamples(Samples):
    """Samples that lie somewhere in blocks: in a file, in the store.

    `firsts` holds the first sample of each block, rising, `count` the samples of all; `decode` gives the samples of a block by
    its number. `owner` tells them from others in the cache of decoded blocks.
    """

    def __init__(
        self,
        firsts: Sequence[int],
        count: int,
        decode: Callable[[int], Floats],
        owner: object,
        kept: DecodedBlocks = DECODED,
    ) -> None:
        self._firsts = np.asarray(firsts, dtype=np.int64)
        self._count, self._decode, self._owner, self._kept = count, decode, owner, kept

    @property
    def count(self) -> int:
        return self._count

    def read(self, first: int, end: int) -> Floats:
        first, end = max(first, 0), min(end, self._count)
        if first >= end:
            return np.empty(0)
        low = int(np.searchsorted(self._firsts, first, side="right")) - 1
        high = int(np.searchsorted(self._firsts, end, side="left"))
        if high == low + 1:
            return self._block(low, first, end)
        made = np.empty(end - first)
        at = 0
        for number in range(low, high):
            part = self._block(number, first, end)
            made[at : at + len(part)] = part
            at += len(part)
        return made

    def _block(self, number: int, first: int, end: int) -> Floats:
        begin = int(self._firsts[number])
        return self._kept.get(self._owner, number, self._decode)[max(first - begin, 0) : end - begin]
