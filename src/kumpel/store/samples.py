"""Sample blocks as they came from the recorder, and the pyramid that makes any view cheap.

A pyramid cell of level k holds minimum, maximum and mean of 16^k samples, nan where none was measured.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import func
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.recording import Channel as Computed
from kumpel.core.recording import Floats
from kumpel.formats import krec
from kumpel.store.database import driver
from kumpel.store.tables import Block, Channel, Pyramid

BATCH = 64
FACTOR = 16
CELLS_A_ROW = 4096
Cells = NDArray[np.float32]


def cells_of(values: Floats, energy: bool) -> Cells:
    """Cells of 16 samples, shape (3, ceil(n / 16)): minimum, maximum, mean (of energy, for decibels).

    Whole rows without a gap, the usual case, are reduced sixteen-fold at once along contiguous memory.
    """
    if len(values) % FACTOR or np.isnan(values).any():
        return _reduce(values, values, values, energy)
    columns = np.ascontiguousarray(values.reshape(-1, FACTOR).T, dtype=np.float32)
    low, high = np.minimum.reduce(columns, axis=0), np.maximum.reduce(columns, axis=0)
    if not energy:
        return np.stack([low, high, columns.mean(axis=0)])
    # Relative to the row's highest level, so that no power overflows.
    power = np.exp((columns - high) * np.float32(np.log(10) / 10)).mean(axis=0)
    return np.stack([low, high, high + np.float32(10) * np.log10(power)])


def coarser(cells: Cells, energy: bool) -> Cells:
    """Cells of the next level, shape (3, ceil(n / 16))."""
    wide = cells.astype(np.float64)
    return _reduce(wide[0], wide[1], wide[2], energy)


def in_rows(values: Floats, length: int) -> Floats:
    """The values in rows of a length, shape (ceil(n / length), length), the last one filled up with nan."""
    count = -(-len(values) // length)
    padded = np.full(count * length, np.nan)
    padded[: len(values)] = values
    return padded.reshape(count, length)


def _reduce(low: Floats, high: Floats, mean: Floats, energy: bool) -> Cells:
    if not len(low):
        return np.empty((3, 0), np.float32)
    lows = np.fmin.reduce(in_rows(low, FACTOR), axis=1)
    highs = np.fmax.reduce(in_rows(high, FACTOR), axis=1)
    return np.stack([lows, highs, mean_of_rows(in_rows(mean, FACTOR), energy)]).astype(np.float32)


def mean_of_rows(rows: Floats, energy: bool) -> Floats:
    """Mean along the last axis, of energy for decibels; nan where a row has no value."""
    power = np.exp2(rows * (np.log2(10) / 10)) if energy else rows
    missing = np.isnan(power)
    if missing.any():
        counts = np.sum(~missing, axis=-1)
        sums = np.where(missing, 0.0, power).sum(axis=-1)
        means = np.divide(sums, counts, out=np.full(counts.shape, np.nan), where=counts > 0)
    else:
        means = power.mean(axis=-1)
    if not energy:
        return np.asarray(means)
    with np.errstate(divide="ignore"):
        return np.asarray(10 * np.log10(means))


@dataclass(frozen=True)
class Row:
    """A row of the block table before it has a session."""

    at: int
    what: str
    channel: int | None
    first: int | None
    count: int | None
    item: bytes


def row_of(item: krec.Item) -> Row:
    content = item.content
    if isinstance(content, krec.Block):
        return Row(item.offset, krec.BLOCK, content.channel, content.first, content.count, item.raw)
    what = krec.HEAD if isinstance(content, krec.Head) else krec.TAIL if isinstance(content, krec.Tail) else krec.EVENT
    return Row(item.offset, what, None, None, None, item.raw)


def add_items(db: Db, session_id: int, items: Sequence[krec.Item]) -> None:
    """Store items verbatim with COPY."""
    with (
        driver(db).cursor() as cursor,
        cursor.copy(
            "copy block (session_id, at, what, channel, first, count, item) from stdin (format binary)"
        ) as copy,
    ):
        copy.set_types(["int4", "int8", "varchar", "int4", "int8", "int4", "bytea"])
        for item in items:
            row = row_of(item)
            copy.write_row((session_id, row.at, row.what, row.channel, row.first, row.count, row.item))


def add_cells(db: Db, session_id: int, rows: Iterable[tuple[int, int, int, Cells]]) -> None:
    """Store pyramid rows (channel, level, first cell, cells) with COPY."""
    with (
        driver(db).cursor() as cursor,
        cursor.copy("copy pyramid (session_id, channel, level, first, cells) from stdin (format binary)") as copy,
    ):
        copy.set_types(["int4", "int4", "int4", "int4", "bytea"])
        for channel, level, first, cells in rows:
            copy.write_row((session_id, channel, level, first, cells.tobytes()))


def add_coarse_levels(db: Db, session_id: int, channel: int, second: Cells, energy: bool) -> None:
    """Store level 2, then the levels above it until one is short enough to be read whole."""
    level, cells = 2, second
    while cells.shape[1]:
        starts = range(0, cells.shape[1], CELLS_A_ROW)
        add_cells(db, session_id, [(channel, level, at, cells[:, at : at + CELLS_A_ROW]) for at in starts])
        if cells.shape[1] <= CELLS_A_ROW // FACTOR:
            return
        level, cells = level + 1, coarser(cells, energy)


def read_cells(db: Db, session_id: int, channel: int, level: int, first: int, end: int) -> Cells:
    """Cells first..end-1 of a level, shape (3, n)."""
    begin = db.exec(
        select(func.max(Pyramid.first)).where(
            Pyramid.session_id == session_id,
            Pyramid.channel == channel,
            Pyramid.level == level,
            col(Pyramid.first) <= first,
        )
    ).one()
    found = db.exec(
        select(Pyramid.first, Pyramid.cells)
        .where(
            Pyramid.session_id == session_id,
            Pyramid.channel == channel,
            Pyramid.level == level,
            col(Pyramid.first) >= (begin or 0),
            col(Pyramid.first) < end,
        )
        .order_by(col(Pyramid.first))
    ).all()
    if not found:
        return np.empty((3, 0), np.float32)
    cells = np.concatenate([np.frombuffer(c, np.float32).reshape(3, -1) for _, c in found], axis=1)
    return cells[:, max(first - found[0][0], 0) : end - found[0][0]]


def items_from(db: Db, session_id: int, channel: int, first: int, last: int) -> list[bytes]:
    """The items of a channel's blocks that begin at samples `first` to `last`, in order; sent as bytes, not as hexadecimal text."""
    with driver(db).cursor(binary=True) as cursor:
        cursor.execute(
            "select item from block where session_id = %s and channel = %s and first between %s and %s order by first",
            (session_id, channel, first, last),
        )
        return [row[0] for row in cursor.fetchall()]


def read_batch(db: Db, session_id: int, after: int) -> list[tuple[int, bytes]]:
    """The next few stored items behind the place `after` (-1: from the beginning): place in the file and bytes each."""
    return list(
        db.exec(
            select(Block.at, Block.item)
            .where(Block.session_id == session_id, col(Block.at) > after)
            .order_by(col(Block.at))
            .limit(BATCH)
        ).all()
    )


def read_raw(db: Db, session_id: int) -> Iterator[tuple[int, bytes]]:
    """All stored items in the order of the file, a few at a time: place in the file and bytes each."""
    rows = read_batch(db, session_id, -1)
    while rows:
        yield from rows
        rows = read_batch(db, session_id, rows[-1][0])


def read_items(db: Db, session_id: int) -> Iterator[krec.Item]:
    """The stored items of a session in the order of the file."""
    for at, item in read_raw(db, session_id):
        yield from krec.read_items(item, at)


def read_samples(db: Db, session_id: int, head: krec.ChannelHead, channel: int, first: int, end: int) -> Floats:
    """Samples first..end-1 of a channel in its unit."""
    rows = db.exec(
        select(Block.at, Block.item)
        .where(
            Block.session_id == session_id,
            Block.channel == channel,
            col(Block.first) < end,
            col(Block.first) + col(Block.count) > first,
        )
        .order_by(col(Block.first))
    ).all()
    parts, begin = [], None
    for at, item in rows:
        content = next(krec.read_items(item, at)).content
        assert isinstance(content, krec.Block)
        begin = content.first if begin is None else begin
        parts.append(krec.unpack(content, head, at))
    if begin is None:
        return np.empty(0)
    return np.concatenate(parts)[max(first - begin, 0) : end - begin]


@dataclass(frozen=True)
class View:
    """A channel over a span, in equal bins: start of each bin (s), minimum, maximum, mean."""

    key: str
    unit: str
    bin_s: float
    start_s: float
    low: Floats
    high: Floats
    mean: Floats


def view(
    db: Db,
    about: Channel,
    head: krec.ChannelHead,
    energy: bool,
    start_s: float,
    end_s: float,
    points: int,
    bin_s: float | None = None,
) -> View:
    """At most `points` bins of a channel from start_s to end_s, from the coarsest level that is exact for them.

    With `bin_s` the bins have that length (rounded to samples) whatever the span, as far as a million samples.
    """
    step = about.interval_s
    first = max(int(start_s / step), 0)
    end = min(int(np.ceil(end_s / step)), about.samples)
    wanted = max(round(bin_s / step), 1) if bin_s else max(-(-(end - first) // max(points, 1)), 1)
    level = 0
    if not bin_s or end - first > 1_000_000:
        while FACTOR ** (level + 1) <= wanted:
            level += 1
    cell = FACTOR**level
    per_bin = -(-wanted // cell)
    first_cell, end_cell = first // cell // per_bin * per_bin, -(-end // cell)
    if level:
        cells = read_cells(db, about.session_id, about.index, level, first_cell, end_cell).astype(np.float64)
        low, high, mean = cells[0], cells[1], cells[2]
    else:
        low = high = mean = read_samples(db, about.session_id, head, about.index, first_cell, end_cell)
    if per_bin > 1:
        low, high, mean = _bins(low, high, mean, per_bin, energy)
    return View(about.key, about.unit, cell * per_bin * step, first_cell * cell * step, low, high, mean)


def view_of(channel: Computed, start_s: float, end_s: float, points: int, bin_s: float | None = None) -> View:
    """The same of a channel in memory, which a kind computed: at most `points` bins, or bins of `bin_s`."""
    step, values = channel.interval_s, channel.values
    first = max(int(start_s / step), 0)
    end = min(int(np.ceil(end_s / step)), len(values))
    per_bin = max(round(bin_s / step), 1) if bin_s else max(-(-(end - first) // max(points, 1)), 1)
    first = first // per_bin * per_bin
    seen = np.asarray(values[first:end], dtype=np.float64)
    low, high, mean = _bins(seen, seen, seen, per_bin, False) if per_bin > 1 else (seen, seen, seen)
    return View(channel.key, channel.unit, per_bin * step, first * step, low, high, mean)


def _bins(low: Floats, high: Floats, mean: Floats, per_bin: int, energy: bool) -> tuple[Floats, Floats, Floats]:
    lows = np.fmin.reduce(in_rows(low, per_bin), axis=1)
    highs = np.fmax.reduce(in_rows(high, per_bin), axis=1)
    return lows, highs, mean_of_rows(in_rows(mean, per_bin), energy)
