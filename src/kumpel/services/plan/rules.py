"""Rules of the plan: made, taken away with a way back, in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.kinds.registry import KINDS, kind_of
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import owner_of
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.store.database import tell
from kumpel.store.tables import Person, PlanDay, PlanRule, Team, metadata, now

MEDICINE = "medicine"
MOST_RULES = 500


@dataclass(frozen=True)
class Wish:
    """A rule: each of a team (by name), or one person or place; `count` recordings of a kind every `every_days`, or so many days after a
    change of medicine; nobody is late before `starts` and once that span."""

    kind: str
    every_days: int
    count: int = 1
    team: str = ""
    person_id: int | None = None
    after: str = ""
    starts: date | None = None


def make(db: Db, wish: Wish, today: date, who: int | None = None) -> PlanRule:
    """Put a rule on record. InvalidError names what is missing or too much."""
    deeds.ask(db, "rule made", Whom("team", wish.team) if wish.team else Whom("person", wish.person_id))
    if wish.kind not in KINDS:
        raise InvalidError("There is no such kind of recording.", field="kind")
    if (wish.person_id is None) == (not wish.team.strip()):
        raise InvalidError("A rule is for one of: a team, a person, a place.", field="team")
    if wish.after == MEDICINE and not kind_of(wish.kind).patient:
        raise InvalidError(f"{kind_of(wish.kind).name} is not recorded of patients.", field="after")
    if wish.after not in ("", MEDICINE):
        raise InvalidError("After what? Only a change of medicine is known.", field="after")
    team = None
    if wish.team.strip():
        team = db.exec(select(Team).where(Team.name == wish.team.strip())).first()
        if team is None:
            raise NotFoundError("There is no team of that name.")
    if wish.person_id is not None:
        owner_of(db, wish.person_id, KINDS[wish.kind])
    if (
        db.exec(select(func.count()).select_from(PlanRule).where(col(PlanRule.removed_at).is_(None))).one()
    ) >= MOST_RULES:
        raise InvalidError(f"{MOST_RULES} rules are there already.")
    rule = PlanRule(
        kind=wish.kind,
        team_id=team.id if team else None,
        person_id=wish.person_id,
        count=1 if wish.after else wish.count,
        every_days=wish.every_days,
        after=wish.after,
        starts=wish.starts or today,
        made_by=who,
    )
    db.add(rule)
    db.flush()
    deeds.keep(db, "rule made", Whom("rule", rule.id), after=rule.model_dump(mode="json", exclude={"made_at"}), who=who)
    tell(db, "plan")
    db.commit()
    db.refresh(rule)
    return rule


def rules(db: Db) -> list[tuple[PlanRule, str]]:
    """All rules with whom they are for, by kind."""
    found = db.exec(
        select(PlanRule, Team.name, Person.name)
        .outerjoin(Team, col(Team.id) == PlanRule.team_id)
        .outerjoin(Person, col(Person.id) == PlanRule.person_id)
        .where(col(PlanRule.removed_at).is_(None))
        .order_by(col(PlanRule.id))
    ).all()
    return [(rule, team or person or "") for rule, team, person in found]


def words(rule: PlanRule) -> str:
    """What a rule wants, in a sentence without whom.

    >>> words(PlanRule(count=3, every_days=365, starts=date(2026, 1, 1)))
    '3 each, every 12 months'
    """
    span = span_words(rule.every_days)
    if rule.after == MEDICINE:
        return f"{span} after a change of medicine"
    return f"{rule.count} each, every {span}" if rule.count > 1 or rule.team_id else f"every {span}"


def span_words(days: int) -> str:
    """A span as it was meant: months of 30 or 31 days, years of 12 of them, weeks, else days.

    >>> span_words(42), span_words(365), span_words(91), span_words(10), span_words(7), span_words(730)
    ('6 weeks', '12 months', '3 months', '10 days', 'week', '24 months')
    """
    months = round(days / 30.4375)
    if months and days in (round(months * 30.4375), months * 30, (months // 12) * 365 if months % 12 == 0 else -1):
        return "month" if months == 1 else f"{months} months"
    if days % 7 == 0:
        return "week" if days == 7 else f"{days // 7} weeks"
    return "day" if days == 1 else f"{days} days"


def remove(db: Db, rule_id: int, who: int | None = None) -> None:
    _turn(db, rule_id, removed=True, who=who)


def bring_back(db: Db, rule_id: int, who: int | None = None) -> None:
    _turn(db, rule_id, removed=False, who=who)


def _turn(db: Db, rule_id: int, *, removed: bool, who: int | None) -> None:
    what = "rule removed" if removed else "rule brought back"
    deeds.ask(db, what, Whom("rule", rule_id))
    rule = db.get(PlanRule, rule_id)
    if rule is None:
        raise NotFoundError("This rule is not on record.")
    rule.removed_at = now() if removed else None
    db.add(rule)
    deeds.keep(db, what, Whom("rule", rule_id), who=who)
    tell(db, "plan")
    db.commit()


@dataclass(frozen=True)
class Chosen:
    """A day for somebody under a rule; None lets the plan choose again."""

    rule_id: int
    person_id: int
    day: date | None


def choose_days(db: Db, chosen: Sequence[Chosen], who: int | None = None) -> None:
    """Days that somebody chose, all of them or none."""
    for each in chosen:
        deeds.ask(db, "day planned", Whom("person", each.person_id))
        rule = db.get(PlanRule, each.rule_id)
        if rule is None or rule.removed_at is not None or db.get(Person, each.person_id) is None:
            raise NotFoundError("This rule is not on record any more. Nothing was changed; look again.")
        row = db.get(PlanDay, (each.rule_id, each.person_id))
        before = str(row.day) if row else None
        if each.day is None:
            if row is not None:
                db.delete(row)
        else:
            values = {
                "rule_id": each.rule_id,
                "person_id": each.person_id,
                "day": each.day,
                "made_at": now(),
                "made_by": who,
            }
            put = insert(metadata.tables["plan_day"]).values(**values)
            db.connection().execute(
                put.on_conflict_do_update(
                    index_elements=["rule_id", "person_id"], set_={"day": each.day, "made_by": who}
                )
            )
        after = {"rule": each.rule_id, "day": str(each.day) if each.day else None}
        deeds.keep(db, "day planned", Whom("person", each.person_id), {"day": before}, after, who)
    tell(db, "plan")
    db.commit()
