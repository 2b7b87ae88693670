"""Samples that stay in the store: read a few blocks at a time, over connections of their own that are given back at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.samples import DECODED, BlockSamples, DecodedBlocks, Floats
from kumpel.formats import krec
from kumpel.store import samples
from kumpel.store.tables import Block

AHEAD = 8
"""Blocks that are fetched together: whoever reads one mostly goes on."""
FINE = 16
"""Cells of the pyramid in a column of a picture: a peak lies at most a sixteenth of a column from its place."""


@dataclass(frozen=True)
class Place:
    """A channel of a stored session."""

    session_id: int
    channel: int
    head: krec.ChannelHead


class StoredSamples(BlockSamples):
    """The samples of a channel of a stored session, which never change."""

    def __init__(
        self, store: Engine, place: Place, firsts: Sequence[int], count: int, kept: DecodedBlocks = DECODED
    ) -> None:
        super().__init__(firsts, count, self._read_block, (str(store.url), place.session_id, place.channel), kept)
        self._store, self._place = store, place
        self._ahead: dict[int, bytes] = {}

    def extremes(self, columns: int) -> tuple[Floats, Floats]:
        level = 0
        while self.count // samples.FACTOR ** (level + 1) >= FINE * columns:
            level += 1
        if not level:
            return super().extremes(columns)
        with Db(self._store) as db:
            low, high, _ = samples.read_cells(db, self._place.session_id, self._place.channel, level, 0, 2**31 - 1)
        edges = np.linspace(0, len(low), columns, endpoint=False).astype(np.intp)
        return np.fmin.reduceat(low, edges).astype(np.float64), np.fmax.reduceat(high, edges).astype(np.float64)

    def _read_block(self, number: int) -> Floats:
        item = self._ahead.pop(number, None) or self._fetch(number)
        block = next(krec.read_items(item)).content
        assert isinstance(block, krec.Block)
        return krec.unpack(block, self._place.head)

    def _fetch(self, number: int) -> bytes:
        """The item of a block; those behind it are held for the next calls."""
        wanted = [int(f) for f in self._firsts[number : number + AHEAD]]
        with Db(self._store) as db:
            rows = samples.items_from(db, self._place.session_id, self._place.channel, wanted[0], wanted[-1])
        if len(rows) != len(wanted):
            raise ValueError("blocks of the recording are gone from the store: it was deleted meanwhile")
        self._ahead = dict(enumerate(rows[1:], number + 1))
        return rows[0]


def stored_samples(db: Db, place: Place, count: int) -> StoredSamples:
    """The samples of a channel; `db` is used only to look up where its blocks begin."""
    where = (Block.session_id == place.session_id, Block.channel == place.channel)
    firsts = db.exec(select(Block.first).where(*where).order_by(col(Block.first))).all()
    return StoredSamples(db.get_bind().engine, place, [f for f in firsts if f is not None], count)
