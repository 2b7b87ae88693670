"""One lookout among all processes of a database, and one for the ports and folders of each machine: each leads by an advisory lock, with
a term that fences a deposed one."""

from __future__ import annotations

import contextlib
import logging
import threading
from collections.abc import Callable

import psycopg
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.services.recorders import live_values, wall
from kumpel.services.recorders.reaching import NETWORKS, this_machine
from kumpel.services.work.jobs import Jobs
from kumpel.services.work.watch import DATABASE_ERRORS, Lookout, Places
from kumpel.store import locks
from kumpel.store.database import engine, plain_url
from kumpel.store.tables import LookoutTerm, now

log = logging.getLogger("kumpel.leading")
AGAIN_S = 1.0
"""How often one that does not lead tries to, and one that leads asks whether it still does."""


class DeposedError(Exception):
    """Another lookout leads since: what this one still had in hand is not kept."""


def begin_term(db: Db, exchange: str = "", secret: str = "", area: str = NETWORKS) -> int:
    """The next term, on record as this machine's, with the exchange through which others ask it. The caller holds the lock."""
    asked = select(LookoutTerm).where(LookoutTerm.area == area).with_for_update()
    row = db.exec(asked).first() or LookoutTerm(area=area, term=0)
    row.term, row.machine, row.since = row.term + 1, this_machine(), now()
    row.exchange, row.secret = exchange, secret
    db.add(row)
    db.commit()
    return row.term


def fence(db: Db, term: int, area: str = NETWORKS) -> None:
    """Raises DeposedError unless this term still runs; it cannot end before the transaction does."""
    if db.exec(select(LookoutTerm.term).where(LookoutTerm.area == area).with_for_update(read=True)).first() != term:
        db.rollback()
        raise DeposedError


class Leading(threading.Thread):
    """Looks out while it leads. The lock is held by a connection of its own and dies with it, so that another takes over at once."""

    def __init__(self, url: str, jobs: Jobs, lookout: Callable[..., Lookout] = Lookout, area: str = NETWORKS) -> None:
        """`area` is empty for the networks, else this machine: its ports and folders."""
        super().__init__(name="leading", daemon=True)
        self._url, self._jobs, self._make, self._area = url, jobs, lookout, area
        self._ending = threading.Event()

    def run(self) -> None:
        while not self._ending.is_set():
            # A database that is away is waited for.
            with contextlib.suppress(*DATABASE_ERRORS), psycopg.connect(plain_url(self._url), autocommit=True) as held:
                if locks.try_for_connection(held, locks.LOOKOUT, self._area):
                    self._lead(held)
            self._ending.wait(AGAIN_S)

    def _lead(self, held: psycopg.Connection) -> None:
        exchange = live_values.hold(self._url, wall.ANSWERS)
        try:
            with Db(engine(self._url)) as db:
                term = begin_term(db, exchange.address, exchange.secret, self._area)
            log.info("looking out for %s, term %s", self._area or "the networks", term)
            places: Places = "paths" if self._area else "networks"
            self._look_out(held, self._make(self._url, self._jobs, lambda db: fence(db, term, self._area), places))
        finally:
            live_values.let_go(exchange)

    def _look_out(self, held: psycopg.Connection, lookout: Lookout) -> None:
        lookout.start()
        try:
            while lookout.is_alive() and not self._ending.wait(AGAIN_S):
                held.execute("select 1")
        finally:
            lookout.stop()

    def stop(self) -> None:
        self._ending.set()
        self.join(timeout=4)
