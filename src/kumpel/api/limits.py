"""Limit sets: those on record, copies and versions of the house, and what they would do to the sessions of a year."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Annotated

from fastapi import APIRouter, Query
from sqlmodel import Session as Db

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.api.schemas.common import Day
from kumpel.core.assessment import LimitSet, Step, Verdict
from kumpel.services.ground import limits
from kumpel.services.review import measured_against, own_limits

router = APIRouter(tags=["limits"])
Finite = Annotated[float, Query(allow_inf_nan=False)]


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


@router.get("/limit-sets/in-use")
def limits_in_use(db: Database, who: Who) -> schemas.LimitSets:
    """Which sets are held against: the usual one of each kind, and those that vehicles have of their own."""
    return schemas.LimitSets.model_validate(measured_against.in_use(db))


@router.get("/limit-sets/{limit_set_id}/measured")
def limits_measured(limit_set_id: int, db: Database, who: Who, since: Day | None = None) -> schemas.LimitsMeasured:
    """How the sessions of the last year lie on the scales of a set, from stored figures; nothing is computed anew."""
    since = since or date.today() - timedelta(days=365)
    return schemas.LimitsMeasured.model_validate(measured_against.measured(db, limit_set_id, since))


@router.get("/limit-sets/{limit_set_id}/hit")
def limits_hit(
    limit_set_id: int,
    db: Database,
    who: Who,
    key: Annotated[str, Query(max_length=160)],
    before: Finite,
    after: Finite,
    since: Day,
    below: bool = False,
    beyond_before: bool = False,
    beyond_after: bool = False,
) -> list[schemas.LimitHit]:
    """Whom a moved step would hit: people and places of whom another number of sessions reaches it."""
    steps = [
        Step(at, Verdict.ABOVE, "", beyond, below) for at, beyond in ((before, beyond_before), (after, beyond_after))
    ]
    found = measured_against.hit(db, limit_set_id, key, steps[0], steps[1], since)
    return [schemas.LimitHit.model_validate(each) for each in found]


def wished_limits(db: Db, wish: schemas.LimitWish | None) -> LimitSet | None:
    """The limit set that somebody only wishes; None when there is none."""
    return None if wish is None else own_limits.wished(db, _wish(wish))


def _wish(wish: schemas.LimitWish) -> own_limits.Wish:
    rules = [rule.model_dump() for rule in wish.rules]
    return own_limits.Wish(
        wish.based_on, wish.name, wish.issuer, wish.valid_from, wish.minimum_coverage, rules, wish.why
    )
