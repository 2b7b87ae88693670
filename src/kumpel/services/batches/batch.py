"""A batch of reports: begun, worked on one report after the other, stopped and gone on with; what failed is named and can be tried again.

Each report is frozen, numbered and on record in one transaction with the step of the batch: whatever ends the process, none is made twice
and none is lost. Mail goes out after everything is issued; one that fails never undoes an issue.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.names import clean_line
from kumpel.services.batches import candidates
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.mail_address import address
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, ProblemError
from kumpel.services.groups import issuing, kept
from kumpel.services.report import mail, together
from kumpel.services.report.issued import Form
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import Report, ReportBatch, ReportBatchItem, now

log = logging.getLogger("kumpel.batches")
GOING, STOPPED, DONE = "going", "stopped", "done"
WAITING, ISSUED, FAILED = "waiting", "issued", "failed"


@dataclass(frozen=True)
class Wish:
    """Whose reports, and how: sessions in the order they are to be printed; `one_each`: all of a person's in one report; the parts by kind;
    mail by person id, in which forms, with which words; a group's page in front."""

    sessions: tuple[int, ...]
    one_each: bool = True
    parts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    named: bool = True
    name: str = ""
    group_id: int | None = None
    group_named: bool = True
    mail_to: Mapping[int, str] = field(default_factory=dict)
    forms: tuple[Form, ...] = ("pdf",)
    note: str = ""


def begin(db: Db, wish: Wish, who: int | None) -> ReportBatch:
    """Put a batch on record; `run` works on it. What cannot be issued is refused by name, nothing is begun then."""
    found = {each.session_id: each for each in candidates.candidates(db, wish.sessions)}
    for session_id in wish.sessions:
        deeds.ask(db, "report issued", Whom("session", session_id))
        if session_id not in found:
            raise NotFoundError("One of these sessions is not on record any more. Nothing was issued; look again.")
    if not wish.sessions and wish.group_id is None:
        raise InvalidError("Nobody is chosen.", field="sessions")
    if wish.group_id is not None and kept.signature_of(db, kept.group_of(db, wish.group_id).id or 0) is None:
        raise ConflictError("Sign the conclusion on the group first, or leave its page out.", code="unsigned")
    to = {person: address(given, "mail_to") for person, given in wish.mail_to.items() if given.strip()}
    if to:
        mail.server(db)
    batch = ReportBatch(
        name=clean_line(wish.name)[:200] or f"{len(found)} sessions",
        wish={
            "parts": {kind: list(parts) for kind, parts in wish.parts.items()},
            "named": wish.named,
            "group_named": wish.group_named,
            "forms": list(wish.forms),
            "note": wish.note,
        },
        made_by=who,
    )
    db.add(batch)
    db.flush()
    for at, (person, sessions) in enumerate(_whose(wish, found)):
        name = found[sessions[0]].name
        db.add(
            ReportBatchItem(
                batch_id=batch.id or 0,
                at=at + 1,
                who=name,
                sessions=sessions,
                recipient=to.get(person or 0, "") if wish.named else "",
            )
        )
    if wish.group_id is not None:
        group = kept.group_of(db, wish.group_id)
        db.add(ReportBatchItem(batch_id=batch.id or 0, at=0, who=group.name, group_id=group.id))
    about = {"sessions": list(wish.sessions), "mailed": len(to), "group": wish.group_id}
    deeds.keep(db, "reports begun", Whom("batch", batch.id), after=about, who=who)
    tell(db, "batches")
    db.commit()
    db.refresh(batch)
    return batch


def _whose(wish: Wish, found: Mapping[int, candidates.Candidate]) -> list[tuple[int | None, list[int]]]:
    """The sessions of each report, in the order wished."""
    if not wish.one_each:
        return [(found[i].person_id, [i]) for i in wish.sessions]
    by_person: dict[object, list[int]] = {}
    for i in wish.sessions:
        person = found[i].person_id
        by_person.setdefault(person if person is not None else f"session {i}", []).append(i)
    return [(found[ids[0]].person_id, ids) for ids in by_person.values()]


def batch_of(db: Db, batch_id: int) -> ReportBatch:
    batch = db.get(ReportBatch, batch_id)
    if batch is None:
        raise NotFoundError("These reports are not on record.")
    return batch


def items_of(db: Db, batch_id: int) -> list[tuple[ReportBatchItem, str]]:
    """The reports of a batch in their order, each with its number where it has one."""
    found = db.exec(
        select(ReportBatchItem, Report.number)
        .outerjoin(Report, col(Report.id) == ReportBatchItem.report_id)
        .where(ReportBatchItem.batch_id == batch_id)
        .order_by(col(ReportBatchItem.at))
    ).all()
    return [(item, number or "") for item, number in found]


def lately(db: Db, most: int = 20) -> list[ReportBatch]:
    """The newest batches first."""
    return list(db.exec(select(ReportBatch).order_by(col(ReportBatch.id).desc()).limit(most)).all())


@dataclass(frozen=True)
class Amount:
    of: int
    issued: int
    failed: int


def amount(db: Db, batch_id: int) -> Amount:
    counted = dict(
        db.exec(
            select(ReportBatchItem.state, func.count())
            .where(ReportBatchItem.batch_id == batch_id)
            .group_by(col(ReportBatchItem.state))
        ).all()
    )
    return Amount(sum(counted.values()), counted.get(ISSUED, 0), counted.get(FAILED, 0))


def stop(db: Db, batch_id: int) -> None:
    """After the report that is being made; what is issued stays issued."""
    _turn(db, batch_id, STOPPED)


def go_on(db: Db, batch_id: int) -> None:
    """Go on with one that was stopped; what failed is tried again."""
    for item, _ in items_of(db, batch_id):
        if item.state == FAILED:
            item.state, item.problem = WAITING, ""
        elif item.problem and item.mail_id is None:
            item.problem = ""
        db.add(item)
    _turn(db, batch_id, GOING)


def _turn(db: Db, batch_id: int, state: str) -> None:
    deeds.ask(db, "report issued", Whom("batch", batch_id))
    batch = db.exec(select(ReportBatch).where(ReportBatch.id == batch_id).with_for_update()).first()
    if batch is None:
        raise NotFoundError("These reports are not on record.")
    if batch.state == DONE and state == STOPPED:
        raise ConflictError("Everything is issued already.", code="done")
    batch.state = state
    db.add(batch)
    tell(db, "batches", batch=batch_id)
    db.commit()


def unfinished(db: Db) -> list[int]:
    """Batches that are to be worked on."""
    return [i for i in db.exec(select(ReportBatch.id).where(ReportBatch.state == GOING)).all() if i is not None]


# ---------------------------------------------------------------- as a job


def run(store: Engine, batch_id: int, sent: Callable[[int], None]) -> None:
    """Issue what waits, one report after the other, until all are issued or somebody stops it; then the mail. `sent` is told each mail
    that lies in the outbox."""
    with store.connect() as connection, Db(connection) as db, locks.locked(db, locks.BATCH, batch_id) as mine:
        if not mine:
            return
        while _next(db, batch_id):
            pass
        batch = batch_of(db, batch_id)
        if batch.state != GOING:
            return
        for item, _ in items_of(db, batch_id):
            if item.state == ISSUED and item.recipient and item.mail_id is None and not item.problem:
                _mail(db, batch, item, sent)
        batch = batch_of(db, batch_id)
        batch.state, batch.ended_at = DONE, now()
        db.add(batch)
        tell(db, "batches", batch=batch_id)
        db.commit()


def _next(db: Db, batch_id: int) -> bool:
    """Issue one; False when none waits, or the batch is not to be worked on."""
    db.expire_all()
    batch = batch_of(db, batch_id)
    if batch.state != GOING:
        return False
    waiting = select(ReportBatchItem).where(ReportBatchItem.batch_id == batch_id, ReportBatchItem.state == WAITING)
    item = db.exec(waiting.order_by(col(ReportBatchItem.at)).limit(1)).first()
    if item is None:
        return False
    item_id = item.id
    try:
        report = _issued(db, batch, item)
    except ProblemError as error:
        db.rollback()
        _failed(db, item_id, str(error))
    except Exception as error:
        log.exception("report %s of batch %s was not made", item.at, batch_id)
        db.rollback()
        _failed(db, item_id, f"The report could not be made ({type(error).__name__}).")
    else:
        item.state, item.report_id = ISSUED, report.id
        db.add(item)
        tell(db, "batches", batch=batch_id)
        db.commit()
    return True


def _issued(db: Db, batch: ReportBatch, item: ReportBatchItem) -> Report:
    if item.group_id is not None:
        return issuing.made_of(db, item.group_id, bool(batch.wish["group_named"]), batch.made_by)
    return together.made_of(db, item.sessions, batch.wish["parts"], bool(batch.wish["named"]), batch.made_by)


def _failed(db: Db, item_id: int | None, words: str) -> None:
    item = db.get_one(ReportBatchItem, item_id)
    item.state, item.problem = FAILED, words[:400]
    db.add(item)
    tell(db, "batches", batch=item.batch_id)
    db.commit()


def _mail(db: Db, batch: ReportBatch, item: ReportBatchItem, sent: Callable[[int], None]) -> None:
    item_id, wish = item.id, mail.Wish(item.recipient, tuple(batch.wish["forms"]), str(batch.wish["note"]))
    try:
        # Where the process ended between the mail and this step, it lies in the outbox already.
        known = [each for each in mail.of_report(db, item.report_id or 0) if each.recipient == item.recipient]
        row = known[0] if known else mail.post(db, item.report_id or 0, wish, batch.made_by)
    except ProblemError as error:
        db.rollback()
        found = db.get_one(ReportBatchItem, item_id)
        found.problem = f"Not mailed. {error}"[:400]
        db.add(found)
    else:
        found = db.get_one(ReportBatchItem, item_id)
        found.mail_id = row.id
        db.add(found)
        sent(row.id or 0)
    tell(db, "batches", batch=batch.id)
    db.commit()
