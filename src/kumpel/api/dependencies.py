"""What every router needs: the database, the account, the jobs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from fastapi import Cookie, Depends, Request
from sqlmodel import Session as Db

from kumpel.services.ground import accounts, deeds
from kumpel.services.ground.accounts import Browser
from kumpel.services.ground.problems import SignInError
from kumpel.services.work.jobs import Jobs
from kumpel.store.database import engine
from kumpel.store.tables import Account

COOKIE = "kumpel"


def database(request: Request) -> Iterator[Db]:
    with Db(engine(request.app.state.config.database_url), expire_on_commit=False) as db:
        yield db


# Given back before the answer is sent: a browser that reads slowly keeps no connection.
Database = Annotated[Db, Depends(database, scope="function")]


def account(db: Database, kumpel: Annotated[str | None, Cookie()] = None) -> Account:
    found = accounts.account_of(db, kumpel)
    if found is None:
        raise SignInError("Please sign in.")
    deeds.work_for(db, found.id)
    return found


Who = Annotated[Account, Depends(account, scope="function")]


def browser(request: Request, kumpel: Annotated[str | None, Cookie()] = None) -> Browser:
    """The signed-in browser of a stream or a download, which keep no connection to the database."""
    with Db(engine(request.app.state.config.database_url)) as db:
        found = accounts.browser_of(db, kumpel)
    if found is None:
        raise SignInError("Please sign in.")
    return found


SignedIn = Annotated[Browser, Depends(browser)]


def jobs(request: Request) -> Jobs:
    found: Jobs = request.app.state.jobs
    return found


Queue = Annotated[Jobs, Depends(jobs)]
