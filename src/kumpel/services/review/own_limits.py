"""Limit sets of the house: copied from one on record, changed in versions; what a result used stays with the result."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.assessment import LimitSet, Rule, Step, Verdict
from kumpel.core.names import clean_line
from kumpel.kinds.limit_sets import limit_set_data, limit_set_from
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds
from kumpel.services.ground.decisions import is_finite
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.limits import all_limit_sets, usual_key
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.settings import wait_for_usual
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import LimitSetRow, Vehicle

REACHED = (Verdict.ACTION, Verdict.ABOVE)
MOST_STEPS = 6
MOST_WHY = 200
A_DAY = timedelta(days=1)
"""The day of a session is that on its own wall: so much earlier by UTC at the most."""


@dataclass(frozen=True)
class Wish:
    """A limit set as somebody wants it: from which set it was made, and its rules with their steps."""

    based_on: int
    name: str
    issuer: str
    valid_from: date
    minimum_coverage: float
    rules: Sequence[dict[str, Any]]
    why: str = ""


def wished(db: Db, wish: Wish, key: str = "own", version: str = "1") -> LimitSet:
    """The wish as a limit set. InvalidError names the rule that is wrong; nothing is kept.

    Rules are those of sets on record for the kind: what a figure is called, computed with and measured in stays; steps are free.
    """
    base = db.get(LimitSetRow, wish.based_on)
    if base is None:
        raise NotFoundError("The limit set that this one is made from is not on record.")
    known = [rule for row in all_limit_sets(db, base.kind) for rule in limit_set_from(row.data).rules]
    known += of_sensors(db, base.kind)
    name, issuer = clean_line(wish.name), clean_line(wish.issuer)
    if not 0 < len(name) <= 120 or len(issuer) > 120:
        raise InvalidError("name: a name of up to 120 characters is needed.")
    if not (is_finite(wish.minimum_coverage) and 0 < wish.minimum_coverage <= 1):
        raise InvalidError("minimum_coverage: a share above 0 and up to 1 is needed.")
    if not wish.rules:
        raise InvalidError("rules: a limit set needs at least one.")
    free = KINDS[base.kind].free_parameters
    rules = tuple(_rule(each, known, number, free) for number, each in enumerate(wish.rules, 1))
    twice = [
        r.name
        for r in rules
        if [(o.figure, dict(o.parameters)) for o in rules].count((r.figure, dict(r.parameters))) > 1
    ]
    if twice:
        raise InvalidError(f"rules: “{twice[0]}” stands there twice.")
    return LimitSet(
        key, base.kind, name, issuer or "own", version, wish.valid_from.isoformat(), rules, float(wish.minimum_coverage)
    )


def of_sensors(db: Db, kind: str) -> list[Rule]:
    """The rules that a set of this kind may have of further sensors of the vehicles on record, each figure once."""
    word = KINDS.get(kind)
    if word is None or word.further_rules is None:
        return []
    found: dict[str, Rule] = {}
    for vehicle in db.exec(select(Vehicle).where(col(Vehicle.removed_at).is_(None)).order_by(col(Vehicle.name))).all():
        for rule in word.further_rules({word.further: vehicle.sensors}):
            found.setdefault(rule.figure, rule)
    return list(found.values())


def _rule(wish: dict[str, Any], known: Sequence[Rule], number: int, free: Mapping[str, tuple[float, float]]) -> Rule:
    parameters = dict(wish.get("parameters") or {})
    for key in free.keys() & parameters.keys():
        low, high = free[key]
        if not is_finite(parameters[key]) or not low <= parameters[key] <= high:
            raise InvalidError(f"rules, {number}: {key} lies between {low:g} and {high:g}.")

    def fixed(of: Mapping[str, Any]) -> dict[str, Any]:
        return {key: value if key not in free else None for key, value in of.items()}

    same = [r for r in known if r.figure == wish.get("figure") and fixed(r.parameters) == fixed(parameters)]
    if not same:
        raise InvalidError(f"rules, {number}: no set of this kind has a rule about “{wish.get('figure')}”.")
    rule = same[0]
    name = clean_line(str(wish.get("name") or rule.name))[:120]
    listed = wish.get("steps") or []
    if not 0 < len(listed) <= MOST_STEPS:
        raise InvalidError(f"{name}: one to {MOST_STEPS} steps are needed.")
    steps = tuple(_step(each, name) for each in listed)
    if len({s.below for s in steps}) > 1:
        raise InvalidError(f"{name}: steps lead up or down, not both.")
    values = [-s.value if s.below else s.value for s in steps]
    if any(b <= a for a, b in pairwise(values)):
        raise InvalidError(f"{name}: each step must lie {'below' if steps[0].below else 'above'} the one before it.")
    if [REACHED.index(s.verdict) for s in steps] != sorted(REACHED.index(s.verdict) for s in steps):
        raise InvalidError(f"{name}: an action level lies before a limit.")
    return Rule(rule.figure, name, rule.unit, steps, parameters)


def _step(wish: dict[str, Any], rule: str) -> Step:
    value: Any = wish.get("value")
    name = clean_line(str(wish.get("name") or ""))
    if not is_finite(value) or abs(value) > 1e9:
        raise InvalidError(f"{rule}: a step needs a number.")
    if not 0 < len(name) <= 80:
        raise InvalidError(f"{rule}: a step needs a name of up to 80 characters.")
    if wish.get("verdict") not in [v.value for v in REACHED]:
        raise InvalidError(f"{rule}: a step is an action level or a limit.")
    return Step(float(value), Verdict(wish["verdict"]), name, bool(wish.get("beyond")), bool(wish.get("below")))


def copied(db: Db, wish: Wish, who: int | None = None) -> LimitSetRow:
    """A new set of the house, made from another one."""
    deeds.ask(db, "limit set made", Whom("limit set", wish.based_on))
    locks.wait_for_transaction(db, locks.LIMITS)
    stem = re.sub(r"[^a-z0-9]+", "-", wish.name.lower()).strip("-")[:40] or "set"
    taken = set(db.exec(select(LimitSetRow.key)).all())
    key = next(k for k in (f"own-{stem}", *(f"own-{stem}-{n}" for n in range(2, 10_000))) if k not in taken)
    limits = wished(db, wish, key, "version 1")
    return _keep(db, limits, "limit set made", {"based_on": wish.based_on}, who, _why(wish))


def changed(db: Db, limit_set_id: int, wish: Wish, who: int | None = None) -> LimitSetRow:
    """The next version of a set of the house; the one before stays on record. ConflictError when it is not the newest."""
    deeds.ask(db, "limit set changed", Whom("limit set", limit_set_id))
    row = db.exec(select(LimitSetRow).where(LimitSetRow.id == limit_set_id).with_for_update()).first()
    if row is None:
        raise NotFoundError("This limit set is not on record.")
    if row.shipped:
        raise ConflictError("Shipped limit sets are read-only: make a copy and change that.", code="shipped")
    versions = db.exec(select(LimitSetRow).where(LimitSetRow.key == row.key).order_by(col(LimitSetRow.id))).all()
    if versions[-1].id != row.id:
        raise ConflictError(
            "There is a newer version of this limit set. It was read again; please repeat your change.",
            code="stale-limits",
        )
    if wish.valid_from < row.valid_from:
        raise InvalidError(
            f"valid_from: the version before holds from {row.valid_from.isoformat()}; a newer one cannot hold earlier."
        )
    limits = wished(db, wish, row.key, f"version {len(versions) + 1}")
    _wait_for_version(db, row, wish.valid_from)
    return _keep(db, limits, "limit set changed", row.data, who, _why(wish))


def _why(wish: Wish) -> str:
    why = clean_line(wish.why)
    if len(why) > MOST_WHY:
        raise InvalidError(f"why: up to {MOST_WHY} characters.")
    return why


def _wait_for_version(db: Db, row: LimitSetRow, day: date) -> None:
    """What starts on the day or later, is not signed and may be held against the set (the usual one, or a vehicle's) waits for its new
    figures; one that is not gets the same again."""
    of_a_vehicle = (
        select(Vehicle.id)
        .join(LimitSetRow, col(LimitSetRow.id) == Vehicle.limit_set_id)
        .where(LimitSetRow.key == row.key, col(Vehicle.removed_at).is_(None))
    )
    if usual_key(db, row.kind) == row.key or db.exec(of_a_vehicle).first() is not None:
        wait_for_usual(db, row.kind, datetime.combine(day, time(), UTC) - A_DAY)


def _keep(db: Db, limits: LimitSet, deed: str, before: dict[str, Any], who: int | None, why: str) -> LimitSetRow:
    row = LimitSetRow(
        key=limits.key,
        kind=limits.kind,
        name=limits.name,
        issuer=limits.issuer,
        version=limits.version,
        valid_from=date.fromisoformat(limits.valid_from),
        shipped=False,
        why=why,
        data=limit_set_data(limits),
    )
    db.add(row)
    db.flush()
    deeds.keep(db, deed, Whom("limit set", row.id), before, row.data, who)
    tell(db, "limit-sets")
    db.commit()
    db.refresh(row)
    return row
