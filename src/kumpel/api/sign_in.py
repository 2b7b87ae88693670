"""Signing in and out; the first administrator."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Annotated, TypeVar

from fastapi import APIRouter, Cookie, Request, Response
from sqlmodel import Session as Db
from starlette.concurrency import run_in_threadpool

from kumpel import __version__
from kumpel.api import schemas
from kumpel.api.dependencies import COOKIE, Database, Who
from kumpel.core.readers_units import CHOICES
from kumpel.services.ground import accounts
from kumpel.services.ground.problems import TooManyTriesError
from kumpel.store.database import engine

router = APIRouter(tags=["sign-in"])
Entered = TypeVar("Entered")
AT_ONCE = 2
"""Password hashes computed at a time: each takes 64 MB and a core for a good while."""
MOST_WAITING = 100


@router.get("/state")
def state(db: Database, kumpel: Annotated[str | None, Cookie()] = None) -> schemas.State:
    """Whether there is an administrator yet, and who is signed in."""
    found = accounts.account_of(db, kumpel)
    me = schemas.Me.model_validate(found) if found else None
    return schemas.State(first_visit=accounts.is_first_visit(db), me=me, version=__version__)


class Door:
    """Where passwords are hashed, on threads of its own: however many wait here, they take no place from those inside."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(AT_ONCE, "door")
        self._waiting = 0

    async def through(self, work: Callable[[], Entered]) -> Entered:
        if self._waiting >= MOST_WAITING:
            raise TooManyTriesError("Too many people are signing in just now. Try again in a moment.")
        self._waiting += 1
        try:
            return await asyncio.get_running_loop().run_in_executor(self._pool, work)
        finally:
            self._waiting -= 1


door = Door()


@router.post("/first-administrator")
async def first_administrator(wish: schemas.FirstAdministrator, request: Request, response: Response) -> schemas.Me:
    """Make the first account; possible once."""

    def work() -> None:
        with Db(engine(request.app.state.config.database_url)) as db:
            accounts.create_first(db, wish.login, wish.name, wish.password)

    await door.through(work)
    return await sign_in(wish, request, response)


@router.post("/sign-in")
async def sign_in(wish: schemas.SignIn, request: Request, response: Response) -> schemas.Me:
    url = request.app.state.config.database_url

    def hash_of() -> str:
        with Db(engine(url)) as db:
            return accounts.hash_of(db, wish.login)

    def entered(right: bool) -> tuple[schemas.Me, str]:
        with Db(engine(url)) as db:
            account, token = accounts.entered(db, wish.login, right)
            return schemas.Me.model_validate(account), token

    # Only hashing takes a place at the door: one who waits for the database keeps nobody else out.
    hashed = await run_in_threadpool(hash_of)
    right = await door.through(lambda: accounts.is_right(hashed, wish.password))
    me, token = await run_in_threadpool(entered, right)
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(accounts.STAYS.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.app.state.config.secure_cookies,
        path="/",
    )
    return me


@router.get("/units")
def unit_choices(who: Who) -> list[schemas.UnitChoice]:
    """The quantities that may be read in other units than what is kept."""
    return [schemas.UnitChoice.model_validate(each) for each in CHOICES]


@router.put("/me/units")
def keep_units(wish: schemas.UnitsWish, db: Database, who: Who) -> schemas.Me:
    """Choose the units that one reads, types and signs in; what is kept stays as it is."""
    return schemas.Me.model_validate(accounts.keep_units(db, who.id or 0, wish.units))


@router.post("/sign-out", status_code=204)
def sign_out(db: Database, response: Response, kumpel: Annotated[str | None, Cookie()] = None) -> None:
    accounts.sign_out(db, kumpel)
    response.delete_cookie(COOKIE, path="/")
