"""Conclusion and sign-off: a person says what the figures mean, and signs just that."""

from __future__ import annotations

from datetime import datetime

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.assessment import LimitSet
from kumpel.core.names import clean_line
from kumpel.core.readers_units import ReadersUnits
from kumpel.kinds.limit_sets import limit_set_from
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, deeds, figures
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import locked_session
from kumpel.services.ground.tags import tags_of
from kumpel.services.report import paper
from kumpel.services.report.paper import Paper
from kumpel.services.review.deciding import open_session
from kumpel.store.database import tell
from kumpel.store.tables import Account, Conclusion, Person, Result, Session, Signature, now

MOST_LINES = 400
"""Lines of a conclusion: about eight pages."""


def conclusion_of(db: Db, session_id: int) -> Conclusion | None:
    return db.get(Conclusion, session_id)


def conclude(db: Db, session_id: int, text: str, who: int | None, version: int | None = None) -> Conclusion:
    """Keep the text of the conclusion; saved while it is written, so that a reload loses nothing.

    `version` is that of the conclusion the writer saw; ConflictError when somebody else has written meanwhile.
    """
    if text.count("\n") >= MOST_LINES:
        raise InvalidError(f"The conclusion has more than {MOST_LINES} lines. It was not kept; shorten it.")
    deeds.ask(db, "concluded", Whom("session", session_id))
    session = locked_session(db, session_id)
    if session.signed_at is not None:
        raise ConflictError("This session is signed off. Open it again before changing the conclusion.", code="signed")
    row = db.get(Conclusion, session_id) or Conclusion(session_id=session_id)
    if version is not None and row.version != version:
        raise ConflictError(
            "Somebody else has written a conclusion since you looked. Yours was not kept; it is still in the field.",
            code="stale-conclusion",
        )
    if row.written_by != who or not row.version:
        # Kept at every pause of the typing: the record has who began to write; what was signed stands in the signature.
        deeds.keep(db, "concluded", Whom("session", session_id), {"text": row.text}, {"text": text}, who)
    row.text, row.written_by, row.written_at, row.version = text, who, now(), row.version + 1
    db.add(row)
    tell(db, "conclusion", session=session_id, version=row.version)
    db.commit()
    db.refresh(row)
    return row


def sign(
    db: Db,
    session_id: int,
    version: int,
    who: int,
    conclusion_version: int | None = None,
    at: datetime | None = None,
) -> Session:
    """Sign off just what the reviewer looked at: the review and the conclusion of these versions.

    The results, the person as named now and every part of the report are pinned: nothing that happens to the session, the
    person, the limits or the program changes them afterwards. `at` is now, but for made-up history.
    """
    deeds.ask(db, "signed off", Whom("session", session_id))
    session = open_session(db, session_id, version)
    _may_be_signed(db, session)
    row = db.get(Conclusion, session_id)
    if conclusion_version is not None and (row.version if row else 0) != conclusion_version:
        raise ConflictError(
            "The conclusion on record is not the one you see: it was not kept yet, or somebody else has written. Nothing was signed.",
            code="stale-conclusion",
        )
    signer, at = db.get_one(Account, who), at or now()
    pages, found = paper.now_of(db, session, units=ReadersUnits(signer.units))
    person = db.get(Person, session.person_id) if session.person_id else None
    assert found.recorded_id is not None and found.reviewed_id is not None
    db.add(
        Signature(
            session_id=session_id,
            signed_by=who,
            signed_at=at,
            recorded_id=found.recorded_id,
            reviewed_id=found.reviewed_id,
            review_version=version,
            conclusion=pages.conclusion,
            facts={
                "person_id": session.person_id,
                "person": paper.person_facts(db, person),
                "tags": tags_of(db, [session_id]).get(session_id, {}),
                "signer": signer.name,
            },
            pages=paper.signed(pages, signer, at).model_dump(mode="json"),
        )
    )
    session.signed_at = at
    db.add(session)
    after = {"review_version": version, "verdict": session.verdict, "conclusion": pages.conclusion}
    deeds.keep(db, "signed off", Whom("session", session_id), after=after, who=who)
    tell(db, "review", session=session_id, version=version)
    db.commit()
    db.refresh(session)
    return session


def _may_be_signed(db: Db, session: Session) -> None:
    if session.aside:
        raise ConflictError(
            f"This session is kept aside ({session.aside}). Bring it in before signing it.", code="aside"
        )
    if session.deleted_at is not None:
        raise ConflictError("This session is deleted. Bring it back before signing it.", code="deleted")
    unseen = unseen_losses(db, session)
    if unseen:
        raise ConflictError(
            f"{len(unseen)} decision{'s' if len(unseen) > 1 else ''} about an event that is no longer found: look at "
            f"{'them' if len(unseen) > 1 else 'it'} first. Nothing was signed.",
            code="lost-decisions",
        )


def unseen_losses(db: Db, session: Session) -> list[int]:
    """Ids of decisions whose event is no longer found, and that nobody has said to have seen."""
    found = figures.outcome(db, session.id or 0)
    if found is None:
        return []
    rows = decisions.of_session(db, session.id or 0)
    seen = {row.key for row in rows if row.what == decisions.ACCEPTED}
    gone = decisions.lost(rows, found.both.recorded)
    return [row.id or 0 for row in gone if f"{decisions.LOST}{row.key}"[:120] not in seen]


def open_again(db: Db, session_id: int, who: int, why: str) -> Session:
    """Open a signed session for changes. The signature stays on record, with who opened it and why."""
    deeds.ask(db, "opened again", Whom("session", session_id))
    session = locked_session(db, session_id)
    reason = clean_line(why)
    if not reason or len(reason) > 400:
        raise InvalidError("why: say why it is opened again (at most 400 characters).")
    signature = signature_of(db, session_id)
    if signature is None:
        raise ConflictError("This session is not signed off.", code="unsigned")
    signature.opened_at, signature.opened_by, signature.opened_why = now(), who, reason
    session.signed_at = None
    deeds.keep(
        db,
        "opened again",
        Whom("session", session_id),
        {"signed_at": signature.signed_at.isoformat()},
        {"why": reason},
        who,
    )
    db.add(signature)
    db.add(session)
    db.flush()
    if session.figures != figures.FAILED and not session.aside:
        figures.assess(db, session)
    tell(db, "review", session=session_id, version=session.review_version)
    db.commit()
    db.refresh(session)
    return session


def signature_of(db: Db, session_id: int) -> Signature | None:
    """The signature in force; None when the session is not signed."""
    mine = select(Signature).where(Signature.session_id == session_id, col(Signature.opened_at).is_(None))
    return db.exec(mine).first()


def signatures(db: Db, session_id: int) -> list[Signature]:
    """All signatures of a session, the newest first; also those that were opened again."""
    mine = select(Signature).where(Signature.session_id == session_id)
    return list(db.exec(mine.order_by(col(Signature.id).desc())).all())


def signed_outcome(db: Db, signature: Signature) -> figures.Outcome | None:
    """The results that were signed; None for a signature from before results were kept."""
    recorded, reviewed = (db.get(Result, i) if i else None for i in (signature.recorded_id, signature.reviewed_id))
    return figures.outcome_of(recorded, reviewed)


def signed_limits(db: Db, signature: Signature) -> LimitSet:
    """The limits that were signed with the results. ConflictError for a signature from before results were kept."""
    kept = db.exec(select(Result.limits).where(Result.id == signature.reviewed_id)).first()
    if kept is None:
        raise ConflictError("No figures were kept with this signature. Open the session again and sign it anew.")
    return limit_set_from(kept)


def standing(db: Db, session: Session) -> figures.Outcome | None:
    """What a session says: the signed results, else the newest; None when there are none."""
    signature = signature_of(db, session.id or 0) if session.signed_at is not None else None
    if signature is not None:
        return signed_outcome(db, signature)
    return figures.outcome(db, session.id or 0) if session.figures == figures.ASSESSED else None


def signed_paper(db: Db, session: Session, signature: Signature) -> Paper:
    """The pages as they were signed. Those of a signature from before pages were kept are made from its results."""
    if signature.pages is not None:
        return Paper.model_validate(signature.pages)
    found = signed_outcome(db, signature)
    if found is None:
        raise ConflictError("No figures were kept with this signature. Open the session again and sign it anew.")
    pages = paper.made(db, session, found)
    pages.conclusion = signature.conclusion
    return paper.signed(pages, db.get_one(Account, signature.signed_by), signature.signed_at)


def would_differ(db: Db, session: Session, signature: Signature) -> list[str]:
    """What would stand on the page otherwise, were it made now, in sentences; nothing of it changes what was signed."""
    person = db.get(Person, session.person_id) if session.person_id else None
    then = dict(signature.facts.get("person", {}))
    today = paper.person_facts(db, person)
    found = [
        f"{label}: {then.get(label, 'not given')} when signed, now {today.get(label, 'not given')}."
        for label in dict.fromkeys([*then, *today])
        if then and then.get(label) != today.get(label)
    ]
    result = db.get(Result, signature.reviewed_id) if signature.reviewed_id else None
    kind = KINDS.get(session.kind)
    if result is not None and kind is not None and result.method != figures.method_of(kind):
        found.append(f"Computed with {result.method}; {figures.method_of(kind)} is newer.")
    return found
