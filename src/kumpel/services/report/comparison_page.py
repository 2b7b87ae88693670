"""The page of a report that says what changed since another recording."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from sqlmodel import Session as Db

from kumpel.core.assessment import CLOCK, Figure, Table
from kumpel.core.comparison import Change, Span
from kumpel.core.readers_units import ReadersUnits
from kumpel.core.recording import Recording
from kumpel.core.rounding import shown
from kumpel.core.timebase import day_and_clock
from kumpel.kinds.plain_report import table_part
from kumpel.kinds.registry import kind_of
from kumpel.reports.document import Part, Picture, TablePart, TextPart
from kumpel.reports.pictures import Moved, changes
from kumpel.services.ground import decisions
from kumpel.services.ground.figures import Outcome
from kumpel.services.ground.problems import ProblemError
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register.sessions import wall_start
from kumpel.services.review import comparison
from kumpel.services.review.comparison import Compared
from kumpel.store.tables import Session

STANDING = {"beyond": "more than from day to day", "within": "as from day to day", "not known": "not known"}
DRAWN = 8


def parts(db: Db, session: Session, units: ReadersUnits) -> list[Part]:
    """The comparison with the recording that the reviewer chose; none where nobody chose one."""
    other = decisions.setting(decisions.of_session(db, session.id or 0), decisions.COMPARED)
    if other is None:
        return []
    if isinstance(other, str):
        return _several(db, session, [int(each) for each in other.split(",")], units)
    try:
        found = comparison.compare(db, int(other), session.id or 0)
    except ProblemError as error:
        return [TextPart(title="Compared with another recording", text=str(error), size="page")]
    read = replace(
        found.found,
        changes=tuple(units.change(each) for each in found.found.changes),
        in_words=units.words(found.found.in_words, differences=True),
    )
    made = _parts(replace(found, found=read))
    rows = _in_one(db, comparison.beside(db, session, [int(other)]))
    return [made[0].model_copy(update={"size": "page"}), *made[1:], *rows]


def _several(db: Db, session: Session, others: Sequence[int], units: ReadersUnits) -> list[Part]:
    """The foremost figures of up to six recordings beside one another, each with its difference from the oldest that has it. What is usual
    from day to day is told of two: here nothing is judged."""
    title = f"Compared with {len(others)} other recordings"
    try:
        found = comparison.beside(db, session, others)
    except ProblemError as error:
        return [TextPart(title=title, text=str(error), size="page")]
    all_of_them = [units.assessment(outcome.both.reviewed, {}) for _, outcome in found]
    own = next(outcome for row, outcome in found if row.id == session.id).both.reviewed
    followed = [each.figure for each in kind_of(session.kind).trends]
    keys = dict.fromkeys([*(j.figure for j in own.judgements), *own.key_figures, *followed])
    rows = []
    for key in keys:
        row = [next((f for f in each.figures if f.key == key), None) for each in all_of_them]
        known = [figure for figure in row if figure is not None and math.isfinite(figure.value)]
        if len(known) < 2:
            continue
        first = known[0]
        cells = [_beside(figure, first) if figure is not None else "–" for figure in row]
        rows.append([f"{first.name}, {first.unit}" if first.unit else first.name, *cells])
    verdicts = [each.words for each in all_of_them]
    days = [f"{wall_start(row):%d %b %Y %H:%M}" for row, _ in found]
    held = {outcome.limit_set_id for _, outcome in found}
    said = "In brackets: the difference from the oldest that has the figure. How much of it is usual from day to day is told of two."
    if len(held) > 1:
        said += " They were held against different limits: their verdicts do not compare, their figures do."
    table = TablePart(title="In numbers", columns=["Figure", *days], rows=[*rows, ["What came of it", *verdicts]])
    return [TextPart(title=title, text=said, size="page"), table, *_in_one(db, found)]


def _in_one(db: Db, found: Sequence[tuple[Session, Outcome]]) -> list[Part]:
    """The rows of all of them in one table each, by time: runs of dust, laps."""
    made: list[Part] = []
    for key in kind_of(found[0][0].kind).one_table:
        tables = [(row, table) for row, each in found for table in each.both.reviewed.tables if table.key == key]
        rows = [line for row, table in tables for line in _with_days(recording_of(db, row), table)]
        if rows:
            first = tables[0][1]
            columns = tuple(replace(c, unit="", decimals=None) if c.unit == CLOCK else c for c in first.columns)
            merged = Table(key, f"{first.title} of all in one table", columns, tuple(rows))
            made.append(table_part(recording_of(db, tables[0][0]), merged))
    return made


def _with_days(recording: Recording, table: Table) -> list[tuple[str | float, ...]]:
    """The rows of a table, their times as days and times on the wall."""
    clocks = {i for i, column in enumerate(table.columns) if column.unit == CLOCK}
    return [
        tuple(
            day_and_clock(recording, value) if i in clocks and isinstance(value, float) else value
            for i, value in enumerate(row)
        )
        for row in table.rows
    ]


def _beside(figure: Figure, first: Figure) -> str:
    """A figure, and by how much it lies from the first one."""
    if not math.isfinite(figure.value) or figure.unit != first.unit:
        return "–"
    words = shown(figure.value, figure.decimals)
    if figure is first:
        return words
    apart = shown(figure.stated - first.stated, figure.decimals, "+").replace("-", "\u2212")
    return f"{words} ({apart})"


def _parts(found: Compared) -> list[Part]:
    made = found.found
    title = f"Compared with the recording of {wall_start(found.before):%d %b %Y}"
    if made.why_not:
        return [TextPart(title=title, text=f"No differences are told. {made.why_not}."), _questions(found)]
    words = made.in_words[:1].upper() + made.in_words[1:]
    said = [f"{words}.", *_spans_words(found)]
    rows = [
        [c.label, _value(c, c.before), _value(c, c.after), moved(c), _span(c), STANDING[c.standing]]
        for c in made.changes
    ]
    drawn = [
        Moved(
            c.label,
            _plain(c, c.before),
            _plain(c, c.after),
            c.difference,
            moved(c),
            c.span.value,
            c.standing == "beyond",
        )
        for c in made.changes[:DRAWN]
    ]
    picture = Picture(
        title="What changed",
        svg=changes(drawn),
        text="; ".join(f"{c.label} {moved(c)}" for c in made.changes[:DRAWN]),
    )
    table = TablePart(
        title="In numbers",
        columns=["Figure", "Before", "After", "Difference", "Usual from day to day", "In words"],
        rows=rows,
    )
    return [TextPart(title=title, text=" ".join(said)), picture, table, _different(found), _questions(found)]


def moved(change: Change) -> str:
    """A difference with its sign and unit; that of two percentages is in points."""
    if math.isnan(change.difference):
        return "not measured"
    unit = "points" if change.unit == "%" else change.unit
    return f"{shown(change.difference, change.decimals, '+')} {unit}".replace("-", "\u2212")


def _plain(change: Change, value: float) -> str:
    return "\u2013" if math.isnan(value) else shown(value, change.decimals)


def _value(change: Change, value: float) -> str:
    return "not measured" if math.isnan(value) else f"{_plain(change, value)} {change.unit}"


def _span(change: Change) -> str:
    return "not known" if math.isnan(change.span.value) else f"\u00b1{shown(change.span.value, change.decimals)}"


def _spans_words(found: Compared) -> list[str]:
    spans: list[Span] = [c.span for c in found.found.changes]
    said = []
    own = max((s.recordings for s in spans if s.origin == "own"), default=0)
    if own:
        said.append(f"What is usual from day to day comes from {own} recordings of the person.")
    if any(s.origin == "set" for s in spans):
        source = f" ({found.spans_from})" if found.spans_from else ", without a source"
        said.append(f"What is usual from day to day was set by the clinic{source}.")
    return said


def _different(found: Compared) -> TablePart:
    rows = [[m.name, m.before or "none", m.after or "none"] for m in found.medicines]
    rows += [list(each) for each in found.found.differing]
    if found.changed_on:
        rows.append(["What is taken changed", "", f"{found.changed_on:%d %b %Y}"])
    return TablePart(title="What was different", columns=["", "Before", "After"], rows=rows)


def _questions(found: Compared) -> TablePart:
    answers = {True: "yes", False: "no", None: "not known"}
    rows = [[q.text[:1].upper() + q.text[1:], answers[q.holds], q.about] for q in found.found.questions]
    return TablePart(title="Can they be compared?", columns=["", "Answer", "Because"], rows=rows)
