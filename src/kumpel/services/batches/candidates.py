"""Who of some sessions can have a report now, and of the others why not; where it would be sent."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.services.ground.deeds import Whom, ask
from kumpel.services.ground.problems import InvalidError
from kumpel.store.database import among
from kumpel.store.tables import Mail, Person, Report, ReportSession, Session

MOST = 1_000
"""Sessions that are looked at together."""
_ADDRESS = re.compile(r"[^\s@,;<>]+@[^\s@,;<>]+\.[^\s@,;<>]+")


@dataclass(frozen=True)
class Candidate:
    """A session with what a report of it needs. `why_not` is empty where it can be issued; `address` is that of its person, `is_new` when
    nothing was sent there before; `issued` the newest report it stands in since it was signed."""

    session_id: int
    person_id: int | None
    name: str
    is_place: bool
    kind: str
    verdict: str
    key_figure: str
    started_at: object
    utc_offset_min: int
    why_not: str
    address: str
    is_new: bool
    issued: str


def candidates(db: Db, ids: Sequence[int]) -> list[Candidate]:
    """In the order of names, each person's oldest first. InvalidError for too many."""
    if len(ids) > MOST:
        raise InvalidError(f"{len(ids)} sessions are too many at a time; {MOST} are possible. Choose fewer.")
    rows = db.exec(
        select(Session, Person)
        .outerjoin(Person, col(Session.person_id) == Person.id)
        .where(among(col(Session.id), ids), Session.state == "stored")
        .order_by(func.lower(Person.name), col(Session.started_at), col(Session.id))
    ).all()
    for session, _ in rows:
        ask(db, "looked at", Whom("session", session.id))
    issued = _issued(db, ids)
    addresses = {person.id: address_in(person.contact) for _, person in rows if person is not None}
    known = _known(db, [address for address in addresses.values() if address])
    return [
        Candidate(
            session.id or 0,
            session.person_id,
            person.name if person else "Unclaimed",
            person.is_place if person else False,
            session.kind,
            session.verdict,
            session.key_figure,
            session.started_at,
            session.utc_offset_min,
            _why_not(session),
            addresses.get(session.person_id, ""),
            addresses.get(session.person_id, "") not in known,
            issued.get(session.id or 0, ""),
        )
        for session, person in rows
    ]


def address_in(contact: str) -> str:
    """The first e-mail address in what is known of how to reach somebody; empty where there is none.

    >>> address_in("shaft 3, ida@tarnfels.example (evenings)")
    'ida@tarnfels.example'
    """
    found = _ADDRESS.search(contact)
    return found[0] if found else ""


def _why_not(session: Session) -> str:
    if session.deleted_at is not None:
        return "deleted"
    if session.person_id is None:
        return "nobody's yet"
    if session.aside:
        return f"kept aside: {session.aside}"
    if session.figures == "failed":
        return "has no figures"
    return "" if session.signed_at is not None else "waits for review"


def _issued(db: Db, ids: Sequence[int]) -> dict[int, str]:
    found = select(ReportSession.session_id, func.max(Report.number)).join(
        Report, col(Report.id) == ReportSession.report_id
    )
    found = found.join(Session, col(Session.id) == ReportSession.session_id)
    mine = found.where(among(col(ReportSession.session_id), ids), col(Report.issued_at) >= col(Session.signed_at))
    return dict(db.exec(mine.group_by(col(ReportSession.session_id))).all())


def _known(db: Db, addresses: Sequence[str]) -> set[str]:
    """Those that something was sent to before."""
    return set(db.exec(select(Mail.recipient).where(col(Mail.recipient).in_(addresses)).distinct()).all())
