"""The register of sessions: find, file under somebody, tag, shift, delete with a way back."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Sequence, Set
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import Engine, literal, union_all
from sqlmodel import Session as Db
from sqlmodel import col, delete, func, or_, select

from kumpel.core.assessment import Verdict
from kumpel.services.ground import deeds, figures
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.figures import REVIEWED
from kumpel.services.ground.people import like, person_of
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import locked_session, session_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.take_in.arrival import shift_clock
from kumpel.services.take_in.take_in import ROTTEN, is_whole
from kumpel.store import samples
from kumpel.store.database import tell, without
from kumpel.store.tables import FigureValue, Person, Recorder, Report, Result, Session, Tag, now

SORTS = {
    "started": col(Session.started_at),
    "length": col(Session.length_s),
    "verdict": col(Session.verdict),
}


NEWEST = 20
"""Sessions of a kind that are looked at for which figures it has: one may have been removed for good."""


@dataclass(frozen=True)
class SessionRow:
    session: Session
    person: Person | None
    recorder: Recorder | None
    tags: dict[str, str]
    report: str
    numbers: dict[str, FigureValue] = field(default_factory=dict)


@dataclass(frozen=True)
class Filter:
    search: str = ""
    person_id: int | None = None
    kind: str = ""
    verdict: str = ""
    since: datetime | None = None
    until: datetime | None = None
    standing: str = "all"  # all, waiting, signed, unclaimed, aside, deleted, unreported
    sort: str = "started"
    falling: bool = True
    figure: str = ""
    at_least: float | None = None
    at_most: float | None = None


def conditions(wanted: Filter) -> list[Any]:
    """What a session must fulfil to be on a list; counts and lists ask the same."""
    where: list[Any] = [Session.state == "stored"]
    where.append(
        col(Session.deleted_at).is_not(None) if wanted.standing == "deleted" else col(Session.deleted_at).is_(None)
    )
    if wanted.standing == "deleted":
        where.append(col(Session.purged_at).is_(None))
    if wanted.standing not in ("aside", "deleted"):
        where.append(Session.aside == "")
    match wanted.standing:
        case "waiting":
            where.append(col(Session.signed_at).is_(None))
        case "signed":
            where.append(col(Session.signed_at).is_not(None))
        case "unreported":
            where += [
                col(Session.signed_at).is_not(None),
                or_(col(Session.reported_at).is_(None), col(Session.reported_at) < Session.signed_at),
            ]
        case "unclaimed":
            where.append(col(Session.person_id).is_(None))
        case "aside":
            where.append(Session.aside != "")
    if wanted.person_id:
        where.append(Session.person_id == wanted.person_id)
    if wanted.kind:
        where.append(Session.kind == wanted.kind)
    if wanted.verdict:
        where.append(Session.verdict == wanted.verdict)
    if wanted.since:
        where.append(col(Session.started_at) >= wanted.since)
    if wanted.until:
        where.append(col(Session.started_at) < wanted.until)
    if wanted.search.strip():
        where.append(_found_by(wanted.search.strip()))
    return where


SHORTEST = 3
"""Fewer letters are looked for in names, numbers and tokens alone: no index finds them in everything that was said of a session."""


def _found_by(words: str) -> Any:
    pattern = like(words)
    if len(words) >= SHORTEST:
        return col(Session.words).ilike(pattern)
    people = select(Person.id).where(or_(col(Person.name).ilike(pattern), col(Person.number).ilike(pattern)))
    recorders = select(Recorder.id).where(col(Recorder.token).ilike(pattern))
    return or_(col(Session.person_id).in_(people), col(Session.recorder_id).in_(recorders))


def _by_number(wanted: Filter) -> bool:
    """Whether the list is one of a figure: only sessions that have it, by its value."""
    return bool(wanted.figure) and (
        wanted.sort == "figure" or wanted.at_least is not None or wanted.at_most is not None
    )


BRIEF = without(Session.head, Session.wish, Session.words, Recorder.status, Recorder.inventory, Recorder.setup)
"""What is long in a row and on no list."""


def _joined(query: Any, wanted: Filter, *, of_somebody: bool = False) -> Any:
    """The query with the tables that conditions and order speak of."""
    query = query.join(Person, col(Session.person_id) == Person.id, isouter=not of_somebody)
    query = query.outerjoin(Recorder, col(Session.recorder_id) == Recorder.id)
    if not _by_number(wanted):
        return query.where(*conditions(wanted))
    query = query.join(FigureValue, col(FigureValue.session_id) == Session.id).where(
        FigureValue.key == wanted.figure, col(FigureValue.value).is_not(None)
    )
    if wanted.kind:
        query = query.where(FigureValue.kind == wanted.kind)
    if wanted.at_least is not None:
        query = query.where(col(FigureValue.value) >= wanted.at_least)
    if wanted.at_most is not None:
        query = query.where(col(FigureValue.value) <= wanted.at_most)
    return query.where(*conditions(wanted))


MOST_COUNTED, MOST_LOOKED_UP = 5_000, 1_000
"""A list counts so many beyond its page (one by a figure or words fewer, as each is looked up); who sees more of them filters."""


def most_counted(wanted: Filter) -> int:
    """How far beyond its page a list counts."""
    return MOST_LOOKED_UP if _by_number(wanted) or wanted.search.strip() else MOST_COUNTED


def count_sessions(db: Db, wanted: Filter, most: int | None = None) -> int:
    """How many sessions the list of the same filter has; counting ends at `most`."""
    ids = _joined(select(Session.id), wanted)
    if most is not None:
        ids = ids.limit(most)
    return int(db.exec(select(func.count()).select_from(ids.subquery())).one())


def list_sessions(
    db: Db, wanted: Filter, limit: int = 50, offset: int = 0, shown: Sequence[str] = (), *, counted: bool = True
) -> tuple[list[SessionRow], int]:
    """A page of sessions, and how many there are: exactly, or as many as were counted (MOST_COUNTED beyond the page; without `counted` 0).

    `shown` are keys of figures that each session brings along, beside the one it is listed by.
    """
    total = count_sessions(db, wanted, offset + limit + most_counted(wanted)) if counted else 0
    found = _PAGES.get(wanted.sort, _page)(db, wanted, limit, offset)
    ids = [s.id for s, _, _ in found]
    tags = tags_of(db, ids)
    reports = dict(
        db.exec(
            select(Report.session_id, func.max(Report.number))
            .where(col(Report.session_id).in_(ids))
            .group_by(col(Report.session_id))
        ).all()
    )
    values = _values_of(db, ids, {*shown, wanted.figure} - {""})
    rows = [
        SessionRow(s, p, r, tags.get(s.id or 0, {}), reports.get(s.id or 0, ""), values.get(s.id or 0, {}))
        for s, p, r in found
    ]
    return rows, total


Listed = tuple[Session, Person | None, Recorder | None]


def _page(db: Db, wanted: Filter, limit: int, offset: int) -> list[Listed]:
    by_figure = wanted.sort == "figure" and _by_number(wanted)
    key = col(FigureValue.value) if by_figure else SORTS.get(wanted.sort, SORTS["started"])
    last = col(FigureValue.session_id) if by_figure else col(Session.id)
    order = [key.desc(), last.desc()] if wanted.falling else [key.asc(), last.asc()]
    query = _joined(select(Session, Person, Recorder).options(*BRIEF), wanted)
    return list(db.exec(query.order_by(*order).limit(limit).offset(offset)).all())


def _by_person(db: Db, wanted: Filter, limit: int, offset: int) -> list[Listed]:
    """By name, those of nobody last either way: with somebody and without are two lists, as only so an index has the order."""
    name = func.lower(Person.name)
    claimed = col(Session.person_id).is_not(None)
    query = _joined(select(Session, Person, Recorder).options(*BRIEF), wanted, of_somebody=True)
    order = [name.desc() if wanted.falling else name.asc(), col(Session.id).desc()]
    found = list(db.exec(query.order_by(*order).limit(limit).offset(offset)).all())
    if len(found) < limit:
        before = _joined(select(func.count(col(Session.id))), wanted).where(claimed)
        skipped = max(offset - int(db.exec(before).one()), 0)
        rest = _joined(select(Session, Person, Recorder).options(*BRIEF), wanted).where(~claimed)
        rest = rest.order_by(col(Session.id).desc()).limit(limit - len(found)).offset(skipped)
        found += db.exec(rest).all()
    return found


def _by_urgency(db: Db, wanted: Filter, limit: int, offset: int) -> list[Listed]:
    """By verdict, and of those alike the oldest first: it has waited longest. Each verdict is read by an index of its own."""
    counted = _joined(select(Session.verdict, func.count()), wanted).group_by(col(Session.verdict))
    there: dict[str, int] = dict(db.exec(counted).all())
    ranks = {verdict.value: rank for rank, verdict in enumerate(Verdict)}
    groups: dict[int, list[str]] = {}
    for verdict in there:
        groups.setdefault(ranks.get(verdict, 0), []).append(verdict)
    parts: list[Any] = []
    left = limit
    for rank in sorted(groups, reverse=wanted.falling):
        size = sum(there[verdict] for verdict in groups[rank])
        if offset < size and left:
            columns = select(Session.id, Session.started_at, literal(len(parts)).label("part"))
            of_rank = _joined(columns, wanted).where(col(Session.verdict).in_(groups[rank]))
            of_rank = of_rank.order_by(col(Session.started_at).asc(), col(Session.id).desc())
            parts.append(of_rank.limit(left).offset(offset))
            left -= min(left, size - offset)
        offset = max(offset - size, 0)
    if not parts:
        return []
    page = union_all(*parts).subquery()
    ordered = select(page.c.id).order_by(page.c.part, page.c.started_at, page.c.id.desc())
    ids = list(db.connection().execute(ordered).scalars())
    query = _joined(select(Session, Person, Recorder).options(*BRIEF), wanted).where(col(Session.id).in_(ids))
    rows = {row[0].id: row for row in db.exec(query).all()}
    return [rows[i] for i in ids]


_PAGES: dict[str, Callable[[Db, Filter, int, int], list[Listed]]] = {"person": _by_person, "urgency": _by_urgency}


def _values_of(db: Db, ids: Sequence[int | None], figures: Set[str]) -> dict[int, dict[str, FigureValue]]:
    found: dict[int, dict[str, FigureValue]] = {}
    if not figures:
        return found
    mine = select(FigureValue).where(col(FigureValue.session_id).in_(ids), col(FigureValue.key).in_(figures))
    for row in db.exec(mine).all():
        found.setdefault(row.session_id, {})[row.key] = row
    return found


def figures_of(db: Db, kind: str) -> list[tuple[str, str, str]]:
    """Figures that sessions of a kind have, as key, name and unit: those of the newest session that was assessed."""
    assessed = (Session.state == "stored", Session.figures == figures.ASSESSED, Session.kind == kind)
    newest = db.exec(
        select(Result)
        .join(Session, col(Session.id) == Result.session_id)
        .where(
            col(Session.id).in_(select(Session.id).where(*assessed).order_by(col(Session.id).desc()).limit(NEWEST)),
            Result.basis == REVIEWED,
        )
        .order_by(col(Result.session_id).desc(), col(Result.id).desc())
        .limit(1)
    ).first()
    return [(f["key"], f["name"], f["unit"]) for f in newest.content["figures"]] if newest else []


def row_of(db: Db, session: Session) -> SessionRow:
    person = db.get(Person, session.person_id) if session.person_id else None
    recorder = db.get(Recorder, session.recorder_id) if session.recorder_id else None
    number = db.exec(select(func.max(Report.number)).where(Report.session_id == session.id)).one()
    return SessionRow(session, person, recorder, tags_of(db, [session.id]).get(session.id or 0, {}), number or "")


def change(db: Db, session_id: int, changes: dict[str, Any]) -> Session:
    """Give to somebody (or to nobody), tag, note, shift the clock, bring in from aside."""
    deeds.ask(db, "session changed", Whom("session", session_id))
    session = locked_session(db, session_id)
    before = _facts(db, session)
    limits_before = carriers().limit_set_id(db, session)
    if session.signed_at is not None and changes.keys() - {"note"}:
        raise ConflictError("This session is signed off. Open it again before changing it.", code="signed")
    if "person_id" in changes:
        session.person_id = person_of(db, changes["person_id"]).id if changes["person_id"] else None
    if "note" in changes:
        session.note = changes["note"]
    if "clock_shift_s" in changes:
        if not abs(changes["clock_shift_s"]) <= 366 * 86_400:
            raise InvalidError("A session can be shifted by a year at most.")
        shift_clock(session, changes["clock_shift_s"])
    if "tags" in changes:
        # Only those that are named: somebody else may be writing another one.
        db.exec(delete(Tag).where(col(Tag.session_id) == session_id, col(Tag.key).in_(changes["tags"])))
        for key, value in changes["tags"].items():
            if value.strip():
                db.add(Tag(session_id=session_id, key=key, value=value.strip()[:200]))
    if "aside" in changes:
        session.aside = changes["aside"]
    db.add(session)
    db.flush()
    other_limits = "tags" in changes and carriers().limit_set_id(db, session) != limits_before
    if (
        not session.aside
        and session.signed_at is None
        and (changes.keys() & {"clock_shift_s", "aside"} or other_limits)
    ):
        figures.refresh(db, session)
    after = _facts(db, session)
    changed = {key for key in after if after[key] != before[key]}
    if changed:
        deeds.keep(
            db,
            "session changed",
            Whom("session", session_id),
            {key: before[key] for key in changed},
            {key: after[key] for key in changed},
        )
    tell(db, "sessions", session=session_id)
    db.commit()
    db.refresh(session)
    return session


def shift_together(db: Db, ids: Sequence[int], back: bool) -> list[int]:
    """Move sessions that were recorded under a wrong clock to where they belong, or back to what the recorder said; all or none.

    Each by the error its recorder's clock had when it was taken in. Signed ones and those whose clock is not known stay; gives those
    that moved. Their figures are for workers to compute, however many they are.
    """
    moved = []
    # In one order, so that two who move the same ones do not wait for each other.
    for session_id in sorted(set(ids)):
        session = locked_session(db, session_id)
        if session.signed_at is not None or session.clock_error_s is None:
            continue
        wished = 0.0 if back else -session.clock_error_s
        if session.clock_shift_s == wished:
            continue
        whom = Whom("session", session_id)
        deeds.ask(db, "session changed", whom)
        before = {"clock_shift_s": session.clock_shift_s}
        shift_clock(session, wished)
        if not session.aside:
            session.figures, session.failure, session.begun = figures.WAITING, "", 0
        db.add(session)
        deeds.keep(db, "session changed", whom, before, {"clock_shift_s": wished})
        tell(db, "sessions", session=session_id)
        moved.append(session_id)
    db.commit()
    return moved


def _facts(db: Db, session: Session) -> dict[str, Any]:
    """What of a session can be changed by hand."""
    facts = session.model_dump(include={"person_id", "note", "clock_shift_s", "aside"})
    return facts | {"tags": tags_of(db, [session.id]).get(session.id or 0, {})}


def delete_session(db: Db, session_id: int) -> Session:
    """Take a session off the lists; it can be brought back, and does not come back by itself at the next take-in."""
    return _marked(db, session_id, "session deleted", now())


def restore_session(db: Db, session_id: int) -> Session:
    return _marked(db, session_id, "session brought back", None)


def _marked(db: Db, session_id: int, what: str, deleted_at: datetime | None) -> Session:
    deeds.ask(db, what, Whom("session", session_id))
    session = locked_session(db, session_id)
    session.deleted_at = deleted_at
    db.add(session)
    deeds.keep(db, what, Whom("session", session_id))
    tell(db, "sessions", session=session.id)
    db.commit()
    db.refresh(session)
    return session


def original(store: Engine, session_id: int) -> Iterator[bytes]:
    """The recording file as it came, bit for bit.

    Its hash is checked before the first byte: ConflictError when the stored copy is rotten. Connections are short, one for
    each few items, however slowly they are taken. Should the copy change meanwhile, the last piece is not given:
    DamagedError, so that whoever reads knows that the file is not whole.
    """
    with Db(store) as db:
        session = session_of(db, session_id)
        wanted, name = session.sha256, session.recorder_session
        if not is_whole(db, session):
            raise ConflictError(
                f"The stored copy of {name} is damaged: {ROTTEN}. If it is still on the recorder, take it in again."
            )
    return _pieces(store, session_id, wanted)


class DamagedError(Exception):
    """A stored file changed while it was given out; what was given is not whole."""


def _pieces(store: Engine, session_id: int, wanted: bytes) -> Iterator[bytes]:
    digest, last, held = hashlib.sha256(), -1, b""
    while True:
        with Db(store) as db:
            rows = samples.read_batch(db, session_id, last)
        if not rows:
            break
        if held:
            yield held
        held, last = b"".join(raw for _, raw in rows), rows[-1][0]
        digest.update(held)
    if digest.digest() != wanted:
        raise DamagedError(ROTTEN)
    yield held


def wall_start(session: Session) -> datetime:
    """The start of a session by the wall clock of its recorder, to the nearest second: starts lie on fractions of one."""
    return session.started_at.astimezone(UTC) + timedelta(minutes=session.utc_offset_min, seconds=0.5)


def file_name(row: SessionRow) -> str:
    """What a session's file is called: day, person, recorder, session."""
    local = wall_start(row.session)
    parts = (f"{local:%Y-%m-%d}", row.person.name if row.person else "", row.session.recorder_session)
    return " ".join(p for p in parts if p) + ".krec"
