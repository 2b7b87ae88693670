"""A group's report: the true pages before issuing, frozen after; and its numbers as a workbook."""

from __future__ import annotations

from sqlmodel import Session as Db

from kumpel.formats import workbook
from kumpel.formats.workbook import Sheet
from kumpel.reports import pages
from kumpel.services.ground import apart, deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError
from kumpel.services.groups import findings, kept, paper
from kumpel.services.groups.findings import Look
from kumpel.services.groups.paper import GroupPaper
from kumpel.services.report import reports
from kumpel.store.database import tell
from kumpel.store.tables import Report


def paper_of(db: Db, group_id: int) -> GroupPaper:
    """What was signed; of a group that is not, what would stand there now."""
    signature = kept.signature_of(db, group_id)
    if signature is None:
        return paper.made(db, findings.look(db, group_id))
    return GroupPaper.model_validate(signature.frozen["pages"])


def preview(db: Db, group_id: int, named: bool) -> list[bytes]:
    """The true pages as PNG."""
    return apart.read("The pages", db, _preview, group_id, named)


def _preview(db: Db, group_id: int, named: bool) -> list[bytes]:
    kept.group_of(db, group_id)
    found = paper_of(db, group_id)
    logo = settings.logo_svg(db, found.house.logo)
    shown, _ = pages.printable(paper.document(found, named=named, logo=logo))
    return pages.preview(shown)


def issue(db: Db, group_id: int, named: bool, who: int | None) -> Report:
    """Freeze the group's report. Only a signed conclusion can be issued."""
    report = made_of(db, group_id, named, who)
    db.commit()
    db.refresh(report)
    return report


def made_of(db: Db, group_id: int, named: bool, who: int | None) -> Report:
    """The report of a group with a signed conclusion, on record with the transaction. The caller commits."""
    deeds.ask(db, "report issued", Whom("group", group_id))
    kept.locked(db, group_id)
    if kept.signature_of(db, group_id) is None:
        raise ConflictError(
            "Sign the conclusion on the group first: a report without a responsible person proves nothing.",
            code="unsigned",
        )
    found = paper_of(db, group_id)
    number, logo = reports.next_number(db), settings.logo_svg(db, found.house.logo)
    whole = paper.document(found, named=named, number=number, logo=logo)
    made, data, count = apart.call("The report", reports.frozen, whole, False)
    frozen = reports.Frozen(number, made, data, count)
    report = reports.put_on_record(db, frozen, sessions=(), limits={}, group_id=group_id, who=who)
    about = {"number": number, "sha256": report.sha256.hex(), "named": named}
    deeds.keep(db, "report issued", Whom("group", group_id), after=about, who=who)
    tell(db, "reports", group=group_id)
    return report


def table(db: Db, group_id: int, named: bool) -> tuple[str, bytes]:
    """The group as a workbook: what leads to the verdict, and every measurement."""
    seen = findings.look(db, group_id)
    return f"{seen.group.name}.xlsx", workbook.write([_numbers(seen), _measured(seen, named)])


def _numbers(seen: Look) -> Sheet:
    step = seen.step
    held = f"{step.value:g} {seen.found.unit}, {step.name}" if step else "no limit"
    rows: list[tuple[object, ...]] = [("Group", seen.group.name), ("Held against", held)]
    return Sheet("Group", ("", ""), [*rows, *((label, value) for label, value in paper.numbers(seen))])


def _measured(seen: Look, named: bool) -> Sheet:
    who = {m.id: m.name if named else f"P{n}" for n, m in enumerate(seen.found.members, 1)}
    rows = [
        (who[each.person_id], each.day, each.value, each.unit, "yes" if each.counts else "no", each.why_not)
        for each in seen.found.measured
    ]
    return Sheet("Measurements", ("Who", "Day", "Value", "Unit", "Counts", "Why not"), rows)
