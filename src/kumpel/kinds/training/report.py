"""The paper of a training session: its course, and its parts as a tree."""

from __future__ import annotations

import numpy as np

from kumpel.core.training.way import way_channels
from kumpel.kinds import plain_report
from kumpel.kinds.plain_report import TABLE, PartOf, Reported, ReportPart
from kumpel.reports import course
from kumpel.reports.document import Part, Picture

COURSE = "course"
PARTS = (
    *plain_report.PARTS[:2],
    ReportPart(COURSE, "The course", size="half"),
    *plain_report.PARTS[2:],
    ReportPart(f"{TABLE}levels", "Session, intervals, splits", one_page=False),
)
MOST_POINTS = 600


def _course(of: Reported) -> list[Part]:
    """The way by its own positions, north up, the start marked; none where no position was recorded."""
    way = way_channels(of.recording)
    if "way.east" not in way:
        return []
    east, north = way["way.east"].values, way["way.north"].values
    known = np.flatnonzero(~np.isnan(east))
    if len(known) < 3:
        return []
    few = known[:: max(len(known) // MOST_POINTS, 1)]
    svg = course.draw(east[few], north[few], False, [(0.0, "start")], [])
    pictures: list[Part] = [Picture(title="The course", svg=svg, text="The course from above, north up", size="half")]
    return pictures


OWN: dict[str, PartOf] = {COURSE: _course}
