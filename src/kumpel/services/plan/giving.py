"""Handing out what is planned for today, one after the other: a failure stops none of the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlmodel import Session as Db

from kumpel.services.ground.problems import ProblemError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.hand_out.hand_out import Slip
from kumpel.services.plan import ahead
from kumpel.services.plan.ahead import Item

Key = tuple[int, int]


@dataclass(frozen=True)
class Given:
    """What became of somebody's hand-over: the recorder that they have now, or why they have none."""

    rule_id: int
    person_id: int
    name: str
    token: str
    done: bool
    why: str


def give(db: Db, wanted: Sequence[Key], today: date, who: int | None = None) -> list[Given]:
    """Hand out to each of some who are planned for today, with the recorder that is free for them and the settings that their slip would
    begin with. Who is not planned, has one or finds none free is named, and nothing is written for them."""
    items = {(item.rule_id, item.person_id): item for item in ahead.ahead(db, today).items}
    return [_given(db, key, items.get(key), today, who) for key in dict.fromkeys(wanted)]


def _given(db: Db, key: Key, item: Item | None, today: date, who: int | None) -> Given:
    if item is None:
        return Given(*key, "", "", False, "nobody of this rule is due any more")
    why = _why_not(item, today)
    if why or item.recorder is None or item.recorder.id is None:
        return Given(*key, item.name, item.out, False, why)
    token = item.recorder.token
    try:
        draft = drafts.draft(db, item.recorder.id, item.person_id)
        hand_out.hand_out(
            db, Slip(item.recorder.id, item.person_id, draft.settings, draft.revision, tags=draft.tags), who
        )
    except ProblemError as error:
        db.rollback()
        return Given(*key, item.name, token, False, error.detail)
    return Given(*key, item.name, token, True, "")


def _why_not(item: Item, today: date) -> str:
    if item.out:
        return f"has {item.out} already"
    if item.day > today:
        return f"is planned for {item.day.day} {item.day:%b}"
    return "" if item.recorder is not None else "no recorder of this kind is free, in reach and empty"
