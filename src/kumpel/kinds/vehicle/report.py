"""The driver's page: laps, where time is lost on the course and in the list, beside what every kind prints."""

from __future__ import annotations

import math

from kumpel.core.rounding import shown
from kumpel.kinds.plain_report import PartOf, Reported, ReportPart, number
from kumpel.reports import course
from kumpel.reports.document import Part, Picture, TablePart, TextPart

COURSE, NEXT, LAPS = "course", "next", "laps"
PARTS = (
    ReportPart("checks", "Recorder and setup", size="strip"),
    ReportPart("figures", "Figures with limits"),
    ReportPart(COURSE, "The course with the time lost", size="half"),
    ReportPart(NEXT, "Where to look next", size="half"),
    ReportPart(LAPS, "Laps in short"),
    ReportPart("quality", "Quality of the data", size="half"),
    ReportPart("left-out", "What was left out and why", size="half"),
    ReportPart("table.laps", "Laps with all sectors", one_page=False),
    ReportPart("table.lost", "Where time is lost, all places", one_page=False),
    ReportPart("lanes", "The recording over time", one_page=False),
    ReportPart("all-figures", "All figures", one_page=False),
    ReportPart("tables", "Other tables", one_page=False),
    ReportPart("methods", "How each figure is computed", one_page=False, size="page"),
)
MOST_LAPS, MOST_PLACES = 36, 5
"""On the one page; all of them are in the long version."""
ACROSS = 3
"""Laps stand beside each other in so many columns."""


def _course(of: Reported) -> list[Part]:
    # Imported here: SciPy's signal tools take longer to load than the server.
    from kumpel.core.vehicle.course_picture import course_loss

    seen = course_loss(of.recording, of.review)
    if seen is None:
        return []
    picture = seen.course
    length = picture.length_m
    svg = course.draw(
        seen.x,
        seen.y,
        picture.closed,
        [(line.at_m / length, line.name) for line in picture.lines],
        [(corner.apex_m / length, str(corner.number)) for corner in picture.corners],
        seen.rate,
    )
    title = f"{picture.name}, {of.units.number(length, 'm', 0)} {of.units.unit('m')}"
    told = "lost outside, gained inside" if seen.rate is not None else ""
    # In the mean of the laps that count and are no longer than 115 % of the median, against the best one.
    words = f"The course {picture.name} with its {len(picture.corners)} corners{'; ' + told if told else ''}."
    return [Picture(title=f"{title}: {told}" if told else title, svg=svg, text=words)]


def _next(of: Reported) -> list[Part]:
    """The places that cost most over all laps that count, in the words of a driver."""
    lost = next((t for t in of.leading.tables if t.key == "lost"), None)
    rows = lost.rows[:MOST_PLACES] if lost else ()
    if not rows:
        return [TextPart(title="Where to look next", text="No two laps that count to compare.")]
    cells = [
        [str(where), f"{shown(float(seconds), 2)} s", str(laps), str(mostly)]
        for where, _, seconds, laps, mostly in rows
    ]
    whole = sum(float(row[2]) for row in rows)
    title = f"Where to look next: {whole:.2f} s a lap in {len(rows)} place{'s' if len(rows) > 1 else ''}"
    return [TablePart(title=title, columns=["Where", "Lost a lap", "In laps", "Mostly"], rows=cells)]


def _laps(of: Reported) -> list[Part]:
    """The timed laps beside each other, down the page first: number, time, what it is to the best, or why it was left out."""
    table = next((t for t in of.leading.tables if t.key == "laps"), None)
    if table is None:
        return []
    names = [column.name for column in table.columns]
    lap, time, behind, state = (names.index(n) for n in ("Lap", "Time", "To the best", "State"))
    cells = []
    for row in table.rows:
        seconds = row[time]
        if isinstance(seconds, str) or math.isnan(seconds):
            continue
        beyond = float(row[behind])
        words = str(row[state]) or ("best" if beyond == 0 else shown(beyond, 2, "+"))
        cells.append([f"{float(row[lap]):.0f}", number(seconds, 2), words])
    first = cells[:MOST_LAPS]
    tall = math.ceil(len(first) / ACROSS)
    columns = [first[i : i + tall] for i in range(0, len(first), tall)] if tall else []
    rows = [
        [cell for column in columns for cell in (column[i] if i < len(column) else ["", "", ""])] for i in range(tall)
    ]
    more = f", {len(cells) - len(first)} more in the long version" if len(cells) > len(first) else ""
    heads = ["Lap", "Time s", "To the best"] * max(len(columns), 1)
    return [TablePart(title=f"Laps{more}", columns=heads, rows=rows, empty="no full lap", even=True)]


OWN: dict[str, PartOf] = {COURSE: _course, NEXT: _next, LAPS: _laps}
