"""Several sessions of one person in one report: a week, a before and after. Each stands in it as it was signed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlmodel import Session as Db

from kumpel.core.assessment import LimitSet, Verdict, worst
from kumpel.kinds.limit_sets import limit_set_data
from kumpel.kinds.registry import kind_of
from kumpel.reports.document import Document, Facts, Part, TextPart
from kumpel.services.ground import apart, deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError
from kumpel.services.register.sessions import wall_start
from kumpel.services.report import paper, reports
from kumpel.services.report.issued import WITHOUT_NAME
from kumpel.services.report.paper import Paper
from kumpel.services.report.reports import Frozen, Options
from kumpel.store.database import tell
from kumpel.store.tables import Report, Session

PartsOf = Mapping[str, Sequence[str]]
"""The parts that go in, by kind; a kind that is not named has those of its one page."""


def options_of(kind: str, parts: PartsOf, named: bool) -> Options:
    return Options(tuple(parts.get(kind) or kind_of(kind).one_page), named)


def made_of(db: Db, ids: Sequence[int], parts: PartsOf, named: bool, who: int | None) -> Report:
    """One report of one or several signed sessions of somebody, on record with the transaction. The caller commits.

    InvalidError when they are of several people; ConflictError when one is not signed off.
    """
    if len(ids) == 1:
        from_one = reports.signed_session(db, ids[0])
        return reports.made_of(db, ids[0], options_of(from_one.kind, parts, named), who)
    for session_id in ids:
        deeds.ask(db, "report issued", Whom("session", session_id))
    # In one order, so that two who issue the same ones do not wait for each other.
    sessions = [reports.signed_session(db, session_id) for session_id in sorted(set(ids))]
    sessions.sort(key=lambda session: session.started_at)
    if len({session.person_id for session in sessions}) > 1:
        raise InvalidError("These sessions belong to several people: one report is about one of them.")
    number = reports.next_number(db)
    whole, limits = _document(db, sessions, parts, named, number)
    made, data, count = apart.call("The report", reports.frozen, whole, False)
    report = reports.put_on_record(
        db,
        Frozen(number, made, data, count),
        sessions=[session.id or 0 for session in sessions],
        person_id=sessions[0].person_id if named else None,
        limits={"sets": [limit_set_data(each) for each in limits]},
        who=who,
    )
    about = {"number": number, "sha256": report.sha256.hex(), "sessions": [s.id for s in sessions], "named": named}
    for session in sessions:
        deeds.keep(db, "report issued", Whom("session", session.id), after=about, who=who)
        tell(db, "reports", session=session.id)
    return report


def _document(
    db: Db, sessions: Sequence[Session], parts: PartsOf, named: bool, number: str
) -> tuple[Document, list[LimitSet]]:
    """The papers one after the other: each begins on a page of its own, with its conclusion and its signature."""
    papers: list[Paper] = []
    limits: dict[str, LimitSet] = {}
    whole: list[Part] = []
    for session in sessions:
        options = options_of(session.kind, parts, named)
        found, held = reports.paper_of(db, session, options)
        papers.append(found)
        limits.setdefault(f"{held.key} {held.version}", held)
        mine = paper.document(session.kind, found, options.parts, named=named, number=number).parts
        # Whom it is about stands once.
        facts = [part for part in mine if isinstance(part, Facts)][:1]
        rest = [part for part in mine if part not in facts]
        whole += [*facts, _head(found, first=True)] if not whole else [_head(found, first=False)]
        whole += rest
    first, last = wall_start(sessions[0]), wall_start(sessions[-1])
    verdict = worst([Verdict(each.verdict) for each in papers if each.verdict])
    logo = settings.logo_svg(db, papers[-1].house.logo)
    document = Document(
        title=papers[-1].name if named else WITHOUT_NAME,
        subtitle=f"{len(sessions)} recordings, {first:%d %b %Y} to {last:%d %b %Y}",
        token="",
        verdict=verdict.value,
        words=next(each.words for each in papers if each.verdict == verdict.value),
        footer=f"Kumpel, report {number}. {_origins(papers)}",
        draft=False,
        house=papers[-1].house.name,
        address=papers[-1].house.address,
        logo=logo,
        parts=whole,
    )
    return document, list(limits.values())


def _origins(papers: Sequence[Paper]) -> str:
    """The limits of all, each set once, then what each recording is known by."""
    halves = [each.origin.partition(" Recording SHA-256 ") for each in papers]
    limits = " ".join(dict.fromkeys(limits for limits, _, _ in halves))
    return f"{limits} Recordings SHA-256 {', '.join(known for _, _, known in halves)}"


def _head(found: Paper, *, first: bool) -> TextPart:
    return TextPart(title=found.subtitle, text=f"{found.verdict}: {found.words}", size="wide" if first else "page")
