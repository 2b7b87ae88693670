"""Limit sets: those on record, copies and versions of the house, and what they would do to sessions."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, Request
from sqlalchemy import Engine
from sqlmodel import Session as Db

from kumpel.api import schemas
from kumpel.api.dependencies import Database, SignedIn, Who
from kumpel.core.assessment import LimitSet
from kumpel.services.ground import limits
from kumpel.services.ground.problems import ProblemError
from kumpel.services.ground.recordings import session_of
from kumpel.services.review import deciding, own_limits
from kumpel.store.database import engine

router = APIRouter(tags=["limits"])


@router.get("/limit-sets")
def limit_sets(db: Database, who: Who, kind: str | None = None) -> list[schemas.LimitSet]:
    return [schemas.LimitSet.model_validate(row) for row in limits.all_limit_sets(db, kind)]


@router.get("/limit-rules")
def limit_rules(db: Database, who: Who, kind: str) -> list[schemas.FurtherRule]:
    """Rules that a set of this kind may have beside those of the sets on record: of the further sensors of vehicles."""
    return [schemas.FurtherRule.model_validate(rule) for rule in own_limits.of_sensors(db, kind)]


@router.post("/limit-sets", status_code=201)
def copy_limits(wish: schemas.LimitWish, db: Database, who: Who) -> schemas.LimitSet:
    """A new set of the house, made from another one."""
    return schemas.LimitSet.model_validate(own_limits.copied(db, _wish(wish), who.id))


@router.post("/limit-sets/{limit_set_id}/versions", status_code=201)
def change_limits(limit_set_id: int, wish: schemas.LimitWish, db: Database, who: Who) -> schemas.LimitSet:
    """The next version of a set of the house; what was computed with the one before stays."""
    return schemas.LimitSet.model_validate(own_limits.changed(db, limit_set_id, _wish(wish), who.id))


@router.post("/preview")
async def suppose_many(wish: schemas.SupposedOfMany, request: Request, browser: SignedIn) -> list[schemas.Effect]:
    """What would become of several sessions; nothing is kept. Ends when the browser no longer waits for it."""
    store = engine(request.app.state.config.database_url)
    await asyncio.to_thread(_check, store, wish)
    found = []
    for session_id in dict.fromkeys(wish.sessions):
        if await request.is_disconnected():
            break
        found.append(await asyncio.to_thread(_effect, store, session_id, wish))
    return found


def _check(store: Engine, wish: schemas.SupposedOfMany) -> None:
    """What is wrong with the limits is said once, not once a session."""
    with Db(store) as db:
        wished_limits(db, wish.limits)


def _effect(store: Engine, session_id: int, wish: schemas.SupposedOfMany) -> schemas.Effect:
    with Db(store) as db:
        session = session_of(db, session_id)
        now, step_now = session.verdict or "not assessable", session.verdict_step
        try:
            made = deciding.supposed(db, session, (), (), wish.limit_set_id, wished_limits(db, wish.limits)).reviewed
        except ProblemError as error:
            return schemas.Effect(
                session_id=session_id, verdict="not assessable", words="", now=now, step_now=step_now, why=error.detail
            )
        return schemas.Effect(
            session_id=session_id,
            verdict=made.verdict.value,
            words=made.words,
            step=made.step,
            now=now,
            step_now=step_now,
        )


def wished_limits(db: Db, wish: schemas.LimitWish | None) -> LimitSet | None:
    """The limit set that somebody only wishes; None when there is none."""
    return None if wish is None else own_limits.wished(db, _wish(wish))


def _wish(wish: schemas.LimitWish) -> own_limits.Wish:
    rules = [rule.model_dump() for rule in wish.rules]
    return own_limits.Wish(wish.based_on, wish.name, wish.issuer, wish.valid_from, wish.minimum_coverage, rules)
