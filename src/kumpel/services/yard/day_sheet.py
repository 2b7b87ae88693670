"""A day on one course on one sheet of paper: every session with its driver, the fastest first, and where each loses most."""

from __future__ import annotations

import math
from dataclasses import dataclass

from sqlmodel import Session as Db

from kumpel.core.assessment import Assessment
from kumpel.core.rounding import shown
from kumpel.kinds.plain_report import number
from kumpel.kinds.registry import kind_of
from kumpel.reports import pages
from kumpel.reports.document import Document, TablePart
from kumpel.services.ground import apart, figures
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import session_of
from kumpel.services.register.sessions import SessionRow, row_of, wall_start
from kumpel.services.yard import laps
from kumpel.services.yard.belonging import MACHINE

COLUMNS = [
    "Driver",
    "Vehicle",
    "Kind",
    "From",
    "Laps",
    "Best s",
    "To the first",
    "In hand s",
    "Consistency s",
    "Top km/h",
    "Loses most",
]


@dataclass(frozen=True)
class DayRow:
    """A session of the day; times in s, nan where there is none."""

    row: SessionRow
    best_s: float
    theoretical_s: float
    consistency_s: float
    laps: int
    top_km_h: float
    loses: str


def rows_of(db: Db, session_id: int) -> list[DayRow]:
    """The sessions on the same course on the same day by the recorders' clocks, this one among them, the fastest first."""
    session = session_of(db, session_id)
    day = wall_start(session).date()
    beside = [session_of(db, each.id) for each in laps.others(db, session_id, 1000)]
    found = []
    for other in [session, *(each for each in beside if wall_start(each).date() == day)]:
        outcome = figures.outcome(db, other.id or 0)
        if outcome is not None:
            found.append(_row(row_of(db, other), outcome.both.reviewed))
    return sorted(found, key=lambda each: (math.isnan(each.best_s), each.best_s))


def _row(row: SessionRow, found: Assessment) -> DayRow:
    values = {figure.key: figure.value for figure in found.figures}
    lost = next((table.rows for table in found.tables if table.key == "lost"), ())
    loses = f"{lost[0][0]}, {lost[0][2]:.2f} s" if lost else ""

    def value(key: str) -> float:
        return values.get(key, math.nan)

    count = value("laps")
    return DayRow(
        row,
        value("best"),
        value("theoretical"),
        value("consistency"),
        0 if math.isnan(count) else round(count),
        value("max.speed"),
        loses,
    )


def pdf(db: Db, session_id: int) -> tuple[str, bytes]:
    """The name and the pages of the sheet. ConflictError while the session has no figures."""
    rows = rows_of(db, session_id)
    if not rows:
        raise ConflictError(
            "The figures of this session are still being computed. Try again in a moment.", code="no-figures"
        )
    session = session_of(db, session_id)
    course = session.course or "Course"
    day = wall_start(session)
    first, machine = rows[0].best_s, kind_of(session.kind).tag_for(MACHINE)
    cells = [
        [
            each.row.person.name if each.row.person else "nobody",
            each.row.tags.get(machine, ""),
            each.row.tags.get("run", ""),
            f"{wall_start(each.row.session):%H:%M}",
            str(each.laps),
            _time(each.best_s),
            "" if each is rows[0] or math.isnan(each.best_s) else shown(each.best_s - first, 2, "+"),
            _time(each.best_s - each.theoretical_s),
            _time(each.consistency_s),
            "" if math.isnan(each.top_km_h) else f"{each.top_km_h:.1f}",
            each.loses,
        ]
        for each in rows
    ]
    drivers = len({each.row.person.id for each in rows if each.row.person})
    document = Document(
        title=f"{course}, {day.day} {day:%b %Y}",
        subtitle=f"{len(rows)} session{'s' if len(rows) > 1 else ''}, {drivers} driver{'' if drivers == 1 else 's'}",
        token="day",
        verdict="",
        words="",
        footer="Kumpel, a sheet of the day as it is reviewed now; what was signed stands in the reports.",
        parts=[TablePart(title="The fastest first", columns=COLUMNS, rows=cells)],
    )
    printed, _ = pages.printable(document)
    return f"{day:%Y-%m-%d} {course}.pdf", apart.call("The sheet", pages.pdf, printed)


def _time(seconds: float) -> str:
    return "" if math.isnan(seconds) else number(seconds, 2)
