"""Connection to the database, migrations, and the channel on which changes are told."""

from __future__ import annotations

import json
from collections.abc import Iterable
from functools import lru_cache
from importlib.resources import files
from typing import Any

import psycopg
from sqlalchemy import ARRAY, BigInteger, Engine, any_, literal, text
from sqlalchemy.engine import make_url
from sqlalchemy.orm import defer
from sqlalchemy.orm.interfaces import ORMOption
from sqlmodel import Session as Db
from sqlmodel import create_engine

from kumpel.store import queue_tables

CHANGES = "kumpel_changes"


@lru_cache(maxsize=8)
def engine(url: str) -> Engine:
    """The engine for a database URL ("postgresql://..."), one per process."""
    address = make_url(url).set(drivername="postgresql+psycopg")
    # Errors name no parameters: they would carry what people typed into the log.
    return create_engine(address, pool_size=10, max_overflow=20, pool_pre_ping=True, hide_parameters=True)


def plain_url(url: str) -> str:
    """The URL as libpq reads it."""
    return make_url(url).set(drivername="postgresql").render_as_string(hide_password=False)


def url_of(db: Db) -> str:
    """The URL of the database that a session speaks to."""
    return plain_url(db.get_bind().engine.url.render_as_string(hide_password=False))


def driver(db: Db) -> psycopg.Connection[Any]:
    """The psycopg connection under a session, for COPY."""
    connection = db.connection().connection.driver_connection
    assert isinstance(connection, psycopg.Connection)
    return connection


def without(*columns: Any) -> list[ORMOption]:
    """Options that leave large columns out of a list; they are read when asked for."""
    return [defer(column) for column in columns]


def among(column: Any, numbers: Iterable[int | None]) -> Any:
    """That a column is one of many numbers, as one parameter: a list of them would be another statement for each length."""
    return column == any_(literal(list(numbers), ARRAY(BigInteger)))


def tell(db: Db, what: str, **about: Any) -> None:
    """Tell every listening browser of a change, when (and only when) this transaction commits."""
    db.connection().execute(
        text("select pg_notify(:channel, :note)"),
        {"channel": CHANGES, "note": json.dumps({"what": what} | about)},
    )


NEWEST = max(
    path.name for path in files("kumpel.store").joinpath("migrations", "versions").iterdir() if path.name[0].isdigit()
)[:4]
"""The newest schema. What would bring a database there is loaded only for one that is older: that takes longer than everything else of a start."""


def is_newest(url: str) -> bool:
    with engine(url).connect() as connection:
        if not connection.execute(text("select to_regclass('alembic_version') is not null")).scalar():
            return False
        found = connection.execute(text("select version_num from alembic_version")).scalars().all()
        return [*found] == [NEWEST] and queue_tables.is_newest(connection)


def migrate(url: str) -> None:
    """Bring the database to the newest schema; safe to call by several processes at once."""
    if is_newest(url):
        return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(files("kumpel.store").joinpath("migrations")))
    with engine(url).connect() as connection:
        connection.execute(text("select pg_advisory_lock(7245001)"))
        connection.commit()
        try:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            queue_tables.upgrade(connection)
        finally:
            connection.rollback()
            connection.execute(text("select pg_advisory_unlock(7245001)"))
            connection.commit()
