"""Advisory locks of the database: who works on what just now. A lock dies with the connection that holds it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

import psycopg
from sqlalchemy import text
from sqlmodel import Session as Db

TAKE_IN: Final = 7245002
FIGURES: Final = 7245003
SETTINGS: Final = 7245004
LIMITS: Final = 7245005
HAND_OUT: Final = 7245006
MAIL: Final = 7245007
LOOKOUT: Final = 7245008
RECORDER: Final = 7245009
BATCH: Final = 7245010
UPDATE: Final = 7245011
VISIT: Final = 7245012
"""First halves of the locks, one a kind of work; the second half is the row that is worked on."""


@contextmanager
def locked(db: Db, lock: int, row: int) -> Iterator[bool]:
    """A lock over several transactions of one connection; gives whether nobody else has it. What was not committed is undone."""
    wanted = {"lock": lock, "row": row}
    mine = bool(db.connection().execute(text("select pg_try_advisory_lock(:lock, :row)"), wanted).scalar_one())
    try:
        yield mine
    finally:
        db.rollback()
        if mine:
            db.connection().execute(text("select pg_advisory_unlock(:lock, :row)"), wanted)
            db.commit()


def try_for_connection(connection: psycopg.Connection, lock: int, name: str = "") -> bool:
    """Take a lock (of that name) as long as this connection lives; whether nobody else has it."""
    row = connection.execute(
        "select pg_try_advisory_lock(%s, case when %s = '' then 0 else hashtext(%s) end)", (lock, name, name)
    ).fetchone()
    return bool(row and row[0])


def is_held(db: Db, lock: int, name: str) -> bool:
    """Whether some connection has the lock of that name just now (`try_for_connection`)."""
    ask = text(
        "select exists (select from pg_locks where locktype = 'advisory' and classid = :lock and objsubid = 2 and granted "
        "and objid::bigint = hashtext(:name)::bigint & 4294967295 "
        "and database = (select oid from pg_database where datname = current_database()))"
    )
    return bool(db.connection().execute(ask, {"lock": lock, "name": name}).scalar_one())


def wait_for_transaction(db: Db, lock: int) -> None:
    """Take a lock of all rows until the transaction ends, after whoever has it."""
    db.connection().execute(text("select pg_advisory_xact_lock(:lock, 0)"), {"lock": lock})


def try_for_transaction(db: Db, lock: int, row: int) -> bool:
    """Take a lock until the transaction ends; whether nobody else has it."""
    ask = text("select pg_try_advisory_xact_lock(:lock, :row)")
    return bool(db.connection().execute(ask, {"lock": lock, "row": row}).scalar_one())


def held_elsewhere(db: Db, lock: int) -> set[int]:
    """The rows that somebody works on just now, over another connection."""
    ask = text(
        "select objid::bigint from pg_locks where locktype = 'advisory' and classid = :lock and objsubid = 2 and granted "
        "and database = (select oid from pg_database where datname = current_database()) and pid <> pg_backend_pid()"
    )
    return set(db.connection().execute(ask, {"lock": lock}).scalars())
