"""The job queue's own tables, brought to what the installed queue needs.

A new database gets them whole (migration 0002). When the queue's package becomes newer, its own steps are taken, each once and in their
order; which was the last is kept beside the tables, as the comment of one of them.
"""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path
from typing import Any

from procrastinate.schema import SchemaManager
from psycopg import sql
from psycopg.errors import UnsafeNewEnumValueUsage
from sqlalchemy import Connection, text

BEFORE_MARKS = "03.04.00_50_post_add_retry_failed_job_procedure.sql"
"""The last step of the queue that the first databases had, in which nothing says so."""


@cache
def steps() -> tuple[Path, ...]:
    """The queue's own steps in their order."""
    return tuple(sorted(Path(SchemaManager.get_migrations_path()).glob("*.sql")))


def last_step(connection: Connection) -> str | None:
    """The name of the last step that was taken; None without the queue's tables."""
    there = connection.execute(text("select to_regclass('procrastinate_jobs') is not null")).scalar_one()
    if not there:
        return None
    found = connection.execute(text("select obj_description('procrastinate_jobs'::regclass)")).scalar_one()
    return found or BEFORE_MARKS


def is_newest(connection: Connection) -> bool:
    return last_step(connection) == steps()[-1].name


def upgrade(connection: Connection) -> list[str]:
    """Take the steps that are left, each a transaction of its own (some need what the one before has committed) with its mark; their
    names. One that is killed in between goes on where it stood."""
    last = last_step(connection)
    if last is None:
        return []
    left = [step for step in steps() if step.name > last]
    for step in left:
        _take(connection, step.read_text(), step.name)
    if not left:
        _take(connection, "", last)
    return [step.name for step in left]


def _take(connection: Connection, script: str, name: str) -> None:
    raw: Any = connection.connection.driver_connection
    # SQLAlchemy knows of no transaction that it has not begun itself: its own commit would leave this one open, and whoever waits for
    # the lock of `migrate` would go on from what was there before.
    # Its scripts are full of % and :, which are for nobody else to read.
    try:
        raw.execute(script)
    except UnsafeNewEnumValueUsage:
        # It uses a word that it adds itself, which needs a commit in between.
        raw.rollback()
        for statement in statements(script):
            raw.execute(statement)
            raw.commit()
    raw.execute(sql.SQL("comment on table procrastinate_jobs is {}").format(sql.Literal(name)))
    raw.commit()


_PIECE = re.compile(r"\$(\w*)\$.*?\$\1\$|'(?:[^']|'')*'|--[^\n]*|/\*.*?\*/|;|.", re.DOTALL)


def statements(script: str) -> list[str]:
    """The statements of a script; semicolons in quotes, bodies of functions and comments end none."""
    found = [""]
    for piece in _PIECE.finditer(script):
        if piece.group() == ";":
            found.append("")
        elif not piece.group().startswith(("--", "/*")):
            found[-1] += piece.group()
    return [each for each in found if each.strip()]
