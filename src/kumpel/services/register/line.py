"""The line: how many things wait at each station; and finding anything by a few letters."""

from __future__ import annotations

from dataclasses import dataclass

from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.services.ground import figures
from kumpel.services.ground.people import like, list_people
from kumpel.services.recorders import bays
from kumpel.services.recorders.recorders import ready_count
from kumpel.services.register.session_list import Filter, count_sessions, list_sessions
from kumpel.services.take_in import take_in
from kumpel.store.tables import Certificate, Recorder, ReportBatch, ReportBatchItem


@dataclass(frozen=True)
class Waiting:
    """Things waiting at each station."""

    hand_out: int
    take_in: int
    review: int
    report: int
    arriving: int
    assessing: int
    issuing: int = 0


def waiting(db: Db) -> Waiting:
    """Recorders ready to go out; new sessions; sessions to look at; signed ones without their page of paper."""
    return Waiting(
        ready_count(db),
        bays.new_count(db),
        count_sessions(db, Filter(standing="waiting")),
        count_sessions(db, Filter(standing="unreported")),
        take_in.arriving_count(db),
        figures.waiting_count(db),
        _issuing(db),
    )


def _issuing(db: Db) -> int:
    """Reports of many that are still to be made."""
    query = (
        select(func.count())
        .select_from(ReportBatchItem)
        .join(ReportBatch, col(ReportBatch.id) == ReportBatchItem.batch_id)
    )
    return int(db.exec(query.where(ReportBatch.state == "going", ReportBatchItem.state == "waiting")).one())


@dataclass(frozen=True)
class Hit:
    what: str
    id: int
    title: str
    about: str


def find(db: Db, words: str, most: int = 6) -> list[Hit]:
    """People, recorders, sessions and certificates whose name, number, token or tags contain the words."""
    if not words.strip():
        return []
    hits = [
        Hit(
            "person",
            row.person.id or 0,
            row.person.name,
            " ".join(filter(None, ("place" if row.person.is_place else "", row.person.number, row.team))),
        )
        for row in list_people(db, words, most)[0]
    ]
    pattern = like(words.strip())
    found = db.exec(
        select(Recorder)
        .where(
            or_(
                col(Recorder.token).ilike(pattern),
                col(Recorder.name).ilike(pattern),
                col(Recorder.serial).ilike(pattern),
            )
        )
        .limit(most)
    ).all()
    hits += [Hit("recorder", r.id or 0, r.token, r.name) for r in found]
    for row in list_sessions(db, Filter(search=words), most, counted=False)[0]:
        about = "{kind}, {started_at:%d %b %Y}, {key_figure}".format_map(row.facts)
        hits.append(Hit("session", row.id, row.facts["person"] or "unclaimed", about))
    papers = select(Certificate.id, Certificate.number, Certificate.title).where(
        or_(col(Certificate.number).ilike(pattern), col(Certificate.title).ilike(pattern))
    )
    hits += [
        Hit("certificate", key or 0, number, title)
        for key, number, title in db.exec(papers.order_by(col(Certificate.id).desc()).limit(most)).all()
    ]
    return hits
