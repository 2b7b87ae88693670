"""Signing in and out; the first administrator."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Cookie, Request, Response

from kumpel import __version__
from kumpel.api import schemas
from kumpel.api.dependencies import COOKIE, Database
from kumpel.services import accounts

router = APIRouter(tags=["sign-in"])


@router.get("/state")
def state(db: Database, kumpel: Annotated[str | None, Cookie()] = None) -> schemas.State:
    """Whether there is an administrator yet, and who is signed in."""
    found = accounts.account_of(db, kumpel)
    me = schemas.Me.model_validate(found) if found else None
    return schemas.State(first_visit=accounts.is_first_visit(db), me=me, version=__version__)


@router.post("/first-administrator")
def first_administrator(
    wish: schemas.FirstAdministrator, db: Database, request: Request, response: Response
) -> schemas.Me:
    """Make the first account; possible once."""
    accounts.create_first(db, wish.login, wish.name, wish.password)
    return sign_in(wish, db, request, response)


@router.post("/sign-in")
def sign_in(wish: schemas.SignIn, db: Database, request: Request, response: Response) -> schemas.Me:
    account, token = accounts.sign_in(db, wish.login, wish.password)
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(accounts.STAYS.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.app.state.config.secure_cookies,
        path="/",
    )
    return schemas.Me.model_validate(account)


@router.post("/sign-out", status_code=204)
def sign_out(db: Database, response: Response, kumpel: Annotated[str | None, Cookie()] = None) -> None:
    accounts.sign_out(db, kumpel)
    response.delete_cookie(COOKIE, path="/")
