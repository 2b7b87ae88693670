"""The plan: rules, the weeks ahead, chosen days, the calendar feed."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.services.ground import closed, deeds, settings, tokens
from kumpel.services.plan import ahead, feed, giving, rules
from kumpel.store.tables import Token

router = APIRouter(tags=["plan"])
ICS = "text/calendar; charset=utf-8"


@router.get("/plan")
def plan_ahead(db: Database, who: Who, weeks: Annotated[int, Query(ge=1, le=26)] = ahead.WEEKS) -> schemas.PlanAhead:
    """Who is due in the weeks ahead, on which day, with how many recorders."""
    found = ahead.ahead(db, ahead.here_today(), weeks)
    return schemas.PlanAhead(
        today=found.today,
        days=list(found.days),
        rules=[_rule(row) for row in found.rules],
        kinds=[schemas.PlanKind.model_validate(row) for row in found.kinds],
        items=[_item(item) for item in found.items],
        checks=[schemas.PlanCheck.model_validate(check) for check in found.checks],
    )


@router.get("/plan/overdue")
def overdue_people(db: Database, who: Who) -> schemas.Overdue:
    """How many people are late under some rule: it stands beside the line."""
    return schemas.Overdue(people=ahead.overdue(db, ahead.here_today()))


@router.post("/plan/rules", status_code=201)
def make_rule(wish: schemas.NewRule, db: Database, who: Who) -> schemas.Made:
    rule = rules.make(db, rules.Wish(**wish.model_dump()), ahead.here_today(), who.id)
    return schemas.Made(id=rule.id or 0)


@router.delete("/plan/rules/{rule_id}", status_code=204)
def remove_rule(rule_id: int, db: Database, who: Who) -> None:
    rules.remove(db, rule_id, who.id)


@router.post("/plan/rules/{rule_id}/restore", status_code=204)
def restore_rule(rule_id: int, db: Database, who: Who) -> None:
    rules.bring_back(db, rule_id, who.id)


@router.get("/plan/rules/{rule_id}/unprinted")
def unprinted(rule_id: int, db: Database, who: Who) -> schemas.Unprinted:
    """The signed sessions of a rule that stand on no report yet."""
    return schemas.Unprinted(sessions=ahead.unprinted(db, rule_id, ahead.here_today()))


@router.put("/plan/days", status_code=204)
def choose_days(wish: schemas.PlannedDays, db: Database, who: Who) -> None:
    """Days that somebody chose, all of them or none."""
    rules.choose_days(db, [rules.Chosen(each.rule_id, each.person_id, each.day) for each in wish.days], who.id)


@router.post("/plan/hand-out")
def hand_out_planned(wish: schemas.PlannedOnes, db: Database, who: Who) -> list[schemas.Given]:
    """Hand out to some who are planned for today, one after the other; who cannot have one is named and stops none of the others."""
    keys = [(each.rule_id, each.person_id) for each in wish.wanted]
    return [schemas.Given.model_validate(each) for each in giving.give(db, keys, ahead.here_today(), who.id)]


@router.get("/people/{person_id}/away")
def away_of(person_id: int, db: Database, who: Who) -> list[schemas.Away]:
    """When somebody is and was away."""
    return [schemas.Away.model_validate(row) for row in closed.of_person(db, person_id)]


@router.post("/people/{person_id}/away", status_code=201)
def note_away(person_id: int, wish: schemas.NewAway, db: Database, who: Who) -> schemas.Away:
    """Nothing is planned for somebody on days on which they are away."""
    return schemas.Away.model_validate(closed.note(db, person_id, wish.since, wish.until, wish.why, who.id))


@router.delete("/away/{away_id}", status_code=204)
def remove_away(away_id: int, db: Database, who: Who) -> None:
    closed.remove(db, away_id, who.id)


@router.get("/people/{person_id}/due")
def due_of_person(person_id: int, db: Database, who: Who) -> list[schemas.DueOfPerson]:
    """How somebody stands under each rule that is for them."""
    return [
        schemas.DueOfPerson(
            rule_id=rule.id or 0,
            kind=rule.kind,
            words=words,
            state=due.state,
            deadline=due.deadline,
            missing=due.missing,
        )
        for rule, words, due in ahead.of_person(db, person_id, ahead.here_today())
    ]


@router.get("/plan/feeds")
def feeds(db: Database, who: Who) -> list[schemas.Feed]:
    """The calendar feeds of whoever asks."""
    return [_feed(row) for row in tokens.of_account(db, who.id or 0, tokens.CALENDAR)]


@router.post("/plan/feeds", status_code=201)
def make_feed(wish: schemas.NewFeed, db: Database, who: Who) -> schemas.Feed:
    """An address that a calendar program reads the plan from without a sign-in; it is told this once."""
    row, word = tokens.make(db, tokens.CALENDAR, who.id or 0, named=wish.named, name=wish.name)
    return _feed(row, f"/api/calendar/{word}.ics")


@router.delete("/plan/feeds/{feed_id}", status_code=204)
def remove_feed(feed_id: int, db: Database, who: Who) -> None:
    """From now on its address opens nothing."""
    tokens.remove(db, feed_id, who.id or 0)


@router.get("/calendar/{word}.ics", response_class=Response, responses={200: {"content": {"text/calendar": {}}}})
def calendar(word: str, db: Database) -> Response:
    """The plan as a calendar, for whoever has the address."""
    token = tokens.opened_by(db, tokens.CALENDAR, word)
    # It shows what the one who made it may see.
    deeds.work_for(db, token.account_id)
    found = ahead.ahead(db, ahead.here_today())
    data = feed.calendar(found, str(settings.value_of(db, settings.NAME)), named=token.named)
    return Response(data, media_type=ICS)


def _feed(row: Token, path: str = "") -> schemas.Feed:
    return schemas.Feed(
        id=row.id or 0, name=row.name, named=row.named, made_at=row.made_at, used_at=row.used_at, path=path
    )


def _rule(row: ahead.RuleRow) -> schemas.PlanRule:
    return schemas.PlanRule(
        id=row.rule.id or 0,
        kind=row.rule.kind,
        who=row.who,
        words=row.words,
        person_id=row.rule.person_id,
        people=row.people,
        done=row.done,
        due=row.due,
        overdue=row.overdue,
        measured=row.measured,
        wanted=row.wanted,
    )


def _item(item: ahead.Item) -> schemas.PlanItem:
    return schemas.PlanItem(
        rule_id=item.rule_id,
        person_id=item.person_id,
        name=item.name,
        team=item.team,
        kind=item.kind,
        state="overdue" if item.due.state == "overdue" else "due",
        deadline=item.due.deadline,
        missing=item.due.missing,
        done=item.due.done,
        first=item.due.first,
        last=item.due.last,
        day=item.day,
        chosen=item.chosen,
        moved_to=item.moved_to,
        recorder_id=item.recorder.id if item.recorder else None,
        token=item.recorder.token if item.recorder else "",
        out=item.out,
    )
