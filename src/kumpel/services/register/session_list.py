"""Lists of sessions: what stands on them, in which order, a page at a time.

Lists are read as plain columns: a list of fifty mapped to objects cost three times what PostgreSQL needs for it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import RowMapping, literal, union_all
from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.core.assessment import Verdict
from kumpel.services.ground import figures
from kumpel.services.ground.figures import REVIEWED
from kumpel.services.ground.people import like
from kumpel.services.ground.tags import tags_of
from kumpel.store.database import among
from kumpel.store.tables import Channel as ChannelRow
from kumpel.store.tables import FigureValue, Person, Recorder, Report, ReportSession, Result, Session

SORTS = {
    "started": col(Session.started_at),
    "length": col(Session.length_s),
    "verdict": col(Session.verdict),
}


NEWEST = 20
"""Sessions of a kind that are looked at for which figures it has: one may have been removed for good."""


@dataclass(frozen=True, slots=True)
class Listed:
    """A session as lists show it: its columns and those of whom it belongs to (FACTS), and what hangs on it."""

    facts: RowMapping
    tags: dict[str, str]
    report: str
    numbers: dict[str, FigureValue] = field(default_factory=dict)

    @property
    def id(self) -> int:
        return int(self.facts["id"])


@dataclass(frozen=True)
class Filter:
    search: str = ""
    person_id: int | None = None
    kind: str = ""
    verdict: str = ""
    since: datetime | None = None
    until: datetime | None = None
    standing: str = "all"  # all, waiting, signed, unclaimed, worthless, aside, deleted, unreported
    sort: str = "started"
    falling: bool = True
    figure: str = ""
    at_least: float | None = None
    at_most: float | None = None
    people: tuple[int, ...] = ()
    """Those of several people; empty: of anybody."""


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
        case "worthless":
            one = select(func.coalesce(func.max(ChannelRow.samples), 2)).where(ChannelRow.session_id == Session.id)
            where += [col(Session.signed_at).is_(None), one.scalar_subquery() <= 1]
        case "aside":
            where.append(Session.aside != "")
    if wanted.person_id:
        where.append(Session.person_id == wanted.person_id)
    if wanted.people:
        where.append(among(col(Session.person_id), wanted.people))
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


FACTS: list[Any] = [
    Session.id,
    Session.kind,
    Session.person_id,
    func.coalesce(col(Person.name), "").label("person"),
    func.coalesce(col(Person.number), "").label("person_number"),
    func.coalesce(col(Recorder.token), "").label("token"),
    Session.recorder_id,
    Session.serial,
    Session.recorder_session,
    Session.started_at,
    Session.utc_offset_min,
    Session.length_s,
    Session.size,
    func.encode(col(Session.sha256), "hex").label("sha256"),
    Session.aside,
    Session.trouble,
    Session.clock_error_s,
    Session.clock_shift_s,
    Session.note,
    Session.verdict,
    Session.verdict_step,
    Session.key_figure,
    Session.figures,
    Session.failure,
    Session.signed_at,
    Session.taken_in_at,
    Session.deleted_at,
]
"""Columns of a session on a list, by the names they have there; what is long stays where it is."""


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
) -> tuple[list[Listed], int]:
    """A page of sessions, and how many there are: exactly, or as many as were counted (MOST_COUNTED beyond the page; without `counted` 0).

    `shown` are keys of figures that each session brings along, beside the one it is listed by.
    """
    total = count_sessions(db, wanted, offset + limit + most_counted(wanted)) if counted else 0
    return _with_all(
        db, _PAGES.get(wanted.sort, _page)(db, wanted, limit, offset), {*shown, wanted.figure} - {""}
    ), total


def listed(db: Db, session_id: int) -> Listed:
    """One that is there, as lists show it."""
    query = select(*FACTS).select_from(Session).where(Session.id == session_id)
    query = query.outerjoin(Person, col(Session.person_id) == Person.id)
    found = _read(db, query.outerjoin(Recorder, col(Session.recorder_id) == Recorder.id))
    return _with_all(db, found, set())[0]


def _read(db: Db, query: Any) -> list[RowMapping]:
    return list(db.connection().execute(query).mappings())


def _with_all(db: Db, found: Sequence[RowMapping], keys: Set[str]) -> list[Listed]:
    ids = [facts["id"] for facts in found]
    tags, reports, values = tags_of(db, ids), report_numbers(db, ids), _values_of(db, ids, keys)
    return [
        Listed(each, tags.get(i, {}), reports.get(i, ""), values.get(i, {})) for i, each in zip(ids, found, strict=True)
    ]


def report_numbers(db: Db, ids: Sequence[int]) -> dict[int, str]:
    """The newest report of each session that has one."""
    query = select(ReportSession.session_id, func.max(Report.number)).join(
        Report, col(Report.id) == ReportSession.report_id
    )
    return dict(
        db.exec(query.where(among(col(ReportSession.session_id), ids)).group_by(col(ReportSession.session_id))).all()
    )


def _page(db: Db, wanted: Filter, limit: int, offset: int) -> list[RowMapping]:
    by_figure = wanted.sort == "figure" and _by_number(wanted)
    key = col(FigureValue.value) if by_figure else SORTS.get(wanted.sort, SORTS["started"])
    last = col(FigureValue.session_id) if by_figure else col(Session.id)
    order = [key.desc(), last.desc()] if wanted.falling else [key.asc(), last.asc()]
    return _read(db, _listed(wanted).order_by(*order).limit(limit).offset(offset))


def _listed(wanted: Filter, *, of_somebody: bool = False) -> Any:
    return _joined(select(*FACTS).select_from(Session), wanted, of_somebody=of_somebody)


def _by_person(db: Db, wanted: Filter, limit: int, offset: int) -> list[RowMapping]:
    """By name, those of nobody last either way: with somebody and without are two lists, as only so an index has the order."""
    name = func.lower(Person.name)
    claimed = col(Session.person_id).is_not(None)
    query = _listed(wanted, of_somebody=True)
    order = [name.desc() if wanted.falling else name.asc(), col(Session.id).desc()]
    found = _read(db, query.order_by(*order).limit(limit).offset(offset))
    if len(found) < limit:
        before = _joined(select(func.count(col(Session.id))), wanted).where(claimed)
        skipped = max(offset - int(db.exec(before).one()), 0)
        rest = _listed(wanted).where(~claimed)
        rest = rest.order_by(col(Session.id).desc()).limit(limit - len(found)).offset(skipped)
        found += _read(db, rest)
    return found


def _by_urgency(db: Db, wanted: Filter, limit: int, offset: int) -> list[RowMapping]:
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
    rows = {facts["id"]: facts for facts in _read(db, _listed(wanted).where(among(col(Session.id), ids)))}
    return [rows[i] for i in ids]


_PAGES: dict[str, Callable[[Db, Filter, int, int], list[RowMapping]]] = {"person": _by_person, "urgency": _by_urgency}


def _values_of(db: Db, ids: Sequence[int], keys: Set[str]) -> dict[int, dict[str, FigureValue]]:
    found: dict[int, dict[str, FigureValue]] = {}
    if not keys:
        return found
    mine = select(FigureValue).where(among(col(FigureValue.session_id), ids), col(FigureValue.key).in_(keys))
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
