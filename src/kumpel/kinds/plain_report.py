"""A report that any kind can make from its assessment: facts, figures against limits, tables, what was left out."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from kumpel.core.assessment import CLOCK, Assessment, BothWays, Figure, LimitSet, Table, TableColumn
from kumpel.core.readers_units import ReadersUnits
from kumpel.core.reckoning import hours_minutes
from kumpel.core.recording import Channel, ChannelWord, Event, Recording
from kumpel.core.review import Review
from kumpel.core.rounding import shown
from kumpel.core.timebase import moment_words, wall_clock, wall_second
from kumpel.reports.document import Fact, Facts, FigureLine, Figures, Part, Picture, Size, TablePart
from kumpel.reports.lanes import Lane, Point, draw
from kumpel.reports.pictures import LimitLine


@dataclass(frozen=True)
class ReportPart:
    """A part of a report that can be ticked: its name, whether it stands on the one page, how it stands on paper.

    One that is `added` follows the signature: it stands for itself, and may be given away alone.
    """

    key: str
    label: str
    one_page: bool = True
    size: Size = "wide"
    added: bool = False


@dataclass(frozen=True)
class ReportForm:
    """A choice of parts that a trade asks for by a name; `named` false: nobody's name stands on it."""

    label: str
    parts: tuple[str, ...]
    named: bool = True


PARTS = (
    ReportPart("checks", "Recorder and setup", size="strip"),
    ReportPart("figures", "Figures with limits"),
    ReportPart("lanes", "The recording over time"),
    ReportPart("quality", "Quality of the data"),
    ReportPart("left-out", "What was left out and why"),
    ReportPart("all-figures", "All figures", one_page=False),
    ReportPart("tables", "Tables", one_page=False),
    ReportPart("methods", "How each figure is computed", one_page=False, size="page"),
)
MEDICINES = ReportPart("medicines", "Medicines taken meanwhile")
"""What a patient took while it was recorded; known to the register of people, not to the recording."""
COMPARISON = ReportPart("comparison", "Compared with another recording", size="page", added=True)
"""What changed since another recording; known to whoever has both."""
PATIENT_PARTS = (*PARTS[:2], MEDICINES, *PARTS[2:])
MOST_ROWS = 200
MOST_LANES = 6
MOST_TICKS = 2000
WIDTH, ROOM, GAP, LINE, FEW = 530.0, 300.0, 14.0, 13.0, 4
"""Points: width of the picture; height that the lanes of a page share, less a line for each figure beyond a few; between lanes."""


@dataclass(frozen=True)
class Reported:
    """What the parts of a report are made of. `both` is in the units of who reads it already, what is drawn of the recording is not."""

    recording: Recording
    review: Review
    both: BothWays
    limits: LimitSet
    units: ReadersUnits

    @property
    def leading(self) -> Assessment:
        """As reviewed."""
        return self.both.reviewed


PartOf = Callable[[Reported], list[Part]]


TABLE = "table."
"""Before the key of a table that is a part of its own ("table.laps"); "tables" are then the others."""


class Declared(Protocol):
    """What of a kind's declaration stands on paper."""

    @property
    def parts(self) -> tuple[ReportPart, ...]: ...
    @property
    def channels(self) -> tuple[ChannelWord, ...]: ...
    @property
    def readings(self) -> tuple[str, ...]: ...
    @property
    def reading_bars(self) -> tuple[tuple[str, str], ...]: ...
    @property
    def reading_code(self) -> str: ...
    @property
    def main_channel(self) -> str: ...
    @property
    def drawn(self) -> tuple[str, ...]: ...


def number(value: float, decimals: int | None) -> str:
    """A number as it stands on paper: "not measured" for nan, "none" for the level of no energy."""
    if math.isinf(value):
        return "none"
    return "not measured" if math.isnan(value) else shown(value, decimals or 0)


def parts(kind: Declared, of: Reported, key: str) -> list[Part]:
    """What every kind prints in a part of this key; nothing for a key that is no plain one."""
    leading, recording = of.leading, of.recording
    own = {part.key for part in kind.parts if part.key.startswith(TABLE)}
    alone = {f"{TABLE}{t.key}": t for t in leading.tables if f"{TABLE}{t.key}" in own}
    if key in alone:
        return [table_part(recording, alone[key])]
    makers: dict[str, Callable[[], list[Part]]] = {
        "checks": lambda: [_facts(recording, leading, of.units)],
        "figures": lambda: [_figures(leading, of.limits, _foremost(leading), "Figures")],
        "lanes": lambda: _picture(kind, recording, of.review, leading, of.units),
        "quality": lambda: [_quality(leading)],
        "left-out": lambda: [_left_out(recording, of.review)],
        "all-figures": lambda: _all_figures(leading, of.limits),
        "tables": lambda: [
            table_part(recording, t) for t in leading.tables if f"{TABLE}{t.key}" not in own and t.key not in kind.drawn
        ],
        "methods": lambda: [_methods(leading)],
    }
    return makers[key]() if key in makers else []


def _quality(leading: Assessment) -> TablePart:
    rows = [[f.text] for f in leading.quality.findings]
    return TablePart(
        title="Quality of the data", columns=["Finding"], rows=rows, empty="nothing to say against the data"
    )


def _methods(leading: Assessment) -> TablePart:
    rows = dict.fromkeys(
        (f"{f.over.measure if f.over else f.name}: {f.why.formula}", f.why.source) for f in leading.figures
    )
    return TablePart(title="How each figure is computed", columns=["Formula", "Source"], rows=[list(r) for r in rows])


def _facts(recording: Recording, found: Assessment, units: ReadersUnits) -> Facts:
    recorder = recording.recorder
    read = {each.read for each in units.conversions}
    shown = {figure.unit for figure in found.figures} & read | {c.unit for t in found.tables for c in t.columns} & read
    return told(
        {
            "Recorder": recorder.get("name", recorder.get("model")),
            "Serial number": recorder.get("serial"),
            "Setup": recording.setup.get("name"),
            "Length": f"{hours_minutes(recording.length_s)} h",
            "Units": units.said(shown),
        }
    )


def told(facts: Mapping[str, object]) -> Facts:
    """Facts in their order; those that nothing is known of are left away."""
    said = {label: str(value or "").strip() for label, value in facts.items()}
    return Facts(facts=[Fact(label=label, value=value) for label, value in said.items() if value])


def lanes_of(kind: Declared, recording: Recording, found: Assessment) -> list[Lane]:
    """What is drawn of a recording: readings first, then its usual channels, those with limits and the main one before others."""
    names = {w.key: w.name for w in kind.channels}
    lanes = []
    dropped = {e.at_s for e in found.events if not e.kept}
    ends = {high: low for low, high in kind.reading_bars}
    for key in (k for k in kind.readings if k not in ends.values()):
        readings = [(e, _reading(e, key), _reading(e, ends.get(key, ""))) for e in recording.events]
        points = [
            Point(e.at_s, value, e.at_s not in dropped, low)
            for e, value, low in readings
            if e.code == kind.reading_code and value is not None
        ]
        if points:
            named = [w for w in kind.channels if w.key in (key, ends.get(key))]
            name = ", ".join(w.name if i == 0 else w.name.lower() for i, w in enumerate(named))
            empty = Channel(key, name, named[0].unit, 1.0, np.empty(0))
            lanes.append(Lane(empty, _lines(found, key), points=points))
    usual = [
        w.key for w in kind.channels if w.usual and w.reduce not in ("angle", "any") and w.key in recording.channels
    ]
    known = {w.key for w in kind.channels}
    more = [k for k in recording.channels if k not in known and not k.startswith(("max", "leq"))]
    drawn = [replace(recording.channels[k], name=names.get(k, recording.channels[k].name)) for k in [*usual, *more]]
    drawn.sort(key=lambda c: (not _lines(found, c.key), c.key != kind.main_channel))
    lanes += [Lane(channel, _lines(found, channel.key)) for channel in drawn]
    ticks = [e.at_s for e in found.events if e.kept and e.code != kind.reading_code][:MOST_TICKS]
    return [replace(lane, ticks_s=ticks if i == 0 else ()) for i, lane in enumerate(lanes[:MOST_LANES])]


def _reading(event: Event, key: str) -> float | None:
    value = event.data.get(key)
    return float(value) if isinstance(value, int | float) and value == value else None


def _lines(found: Assessment, lane: str) -> list[LimitLine]:
    """The lines of a lane; one that comes again over another span is named once."""
    lines: list[LimitLine] = []
    for level in found.levels:
        if level.lane == lane:
            again = any((one.value, one.text) == (level.value, level.name) for one in lines)
            lines.append(
                LimitLine(level.value, "" if again else level.name, level.verdict, (level.start_s, level.end_s))
            )
    return lines


def _picture(
    kind: Declared, recording: Recording, review: Review, found: Assessment, units: ReadersUnits
) -> list[Part]:
    lanes = [replace(lane, channel=units.channel(lane.channel)) for lane in lanes_of(kind, recording, found)]
    if not lanes:
        return []
    clock = float(wall_clock(recording, np.array([0.0]))[0]) % 86_400
    room = ROOM - LINE * max(len(_foremost(found)) - FEW, 0)
    tall = min(max(room / len(lanes) - GAP, 22.0), 92.0)
    svg = draw("", lanes, recording.length_s, clock, review.left_out, found.stretches, tall, WIDTH, GAP)
    names = ", ".join(f"{lane.channel.name} {lane.channel.unit}".strip() for lane in lanes)
    return [Picture(title="The recording over time", svg=svg, text=f"Over the wall clock: {names}.")]


def _foremost(leading: Assessment) -> list[Figure]:
    """The key figures and those that a limit is about, each once."""
    judged = [j.figure for j in leading.judgements]
    keys = dict.fromkeys([*judged, *leading.key_figures])
    return [leading.figure(key) for key in keys]


def _all_figures(leading: Assessment, limits: LimitSet) -> list[Part]:
    """Figures that stand alone in a list; those that repeat over something side by side."""
    judged = {j.figure for j in leading.judgements}
    alone = [f for f in leading.figures if f.over is None or f.key in judged]
    repeating = dict.fromkeys(f.over.by for f in leading.figures if f.over)
    return [_figures(leading, limits, alone, "All figures"), *(_side_by_side(leading, by) for by in repeating)]


def _side_by_side(leading: Assessment, by: str) -> TablePart:
    """The measures of what figures repeat over, a column for each member; a measure that a member does not have is "–"."""
    of = {(f.over.measure, f.over.member): f for f in leading.figures if f.over and f.over.by == by}
    members = list(dict.fromkeys(member for _, member in of))
    rows = []
    for measure in dict.fromkeys(measure for measure, _ in of):
        found = [of.get((measure, member)) for member in members]
        units = list(dict.fromkeys(f.unit for f in found if f))
        shared = units[0] if len(units) == 1 else ""
        cells = [_cell(f, not shared) if f else "–" for f in found]
        label = f"{measure}, {shared}" if shared else measure
        starred = any(f.is_projected for f in found if f)
        rows.append([f"{label} ({STAR} projected)" if starred else label, *cells])
    return TablePart(title=f"Figures by {by}", columns=["", *members], rows=rows)


def _cell(figure: Figure, with_unit: bool) -> str:
    words = number(figure.value, figure.decimals)
    unit = f" {figure.unit}" if with_unit and figure.unit and math.isfinite(figure.value) else ""
    return f"{words}{unit}{f' {STAR}' if figure.is_projected else ''}"


STAR = "*"
"""Behind a number that stands for more than was measured."""


def _figures(leading: Assessment, limits: LimitSet, figures: Sequence[Figure], title: str) -> Figures:
    judged = {j.figure: j for j in leading.judgements}
    lines = []
    for figure in figures:
        judgement = judged.get(figure.key)
        limit = " / ".join(f"{s.value:g}" for s in judgement.steps) if judgement else ""
        verdict, words = (judgement.verdict.value, judgement.words) if judgement else ("", "")
        lines.append(
            FigureLine(
                name=f"{figure.name}: {figure.state}" if figure.state else figure.name,
                value=number(figure.value, figure.decimals),
                unit=figure.unit,
                limit=limit,
                verdict=verdict,
                words=f"{words}; projected".removeprefix("; ") if figure.is_projected else words,
            )
        )
    return Figures(title=f"{title} against {limits.name} ({limits.version})", lines=lines)


def table_part(recording: Recording, table: Table) -> TablePart:
    """A table of results as a part of a page."""
    rows = table.rows[:MOST_ROWS]
    said = {c.unit for c in table.columns}
    shown = [
        (i, c)
        for i, c in enumerate(table.columns)
        if c.name != "Key" and not (c.name == "Unit" and {row[i] for row in rows} <= said)
    ]
    hours = {i for i, c in shown if c.unit == "s" and not c.decimals and _all_long([row[i] for row in rows])}
    columns = [c.name if c.unit == CLOCK else f"{c.name} {'h' if i in hours else c.unit}".strip() for i, c in shown]
    to_the_second = {i for i, c in shown if c.unit == CLOCK and not _whole_minutes(recording, [r[i] for r in rows])}

    def words(i: int, column: TableColumn, value: str | float) -> str:
        if isinstance(value, str):
            return value
        if math.isnan(value):
            return ""
        if column.unit == CLOCK:
            return moment_words(recording, value, i in to_the_second)
        if i in hours:
            return hours_minutes(value)
        return number(value, column.decimals)

    cells = [[words(i, column, row[i]) for i, column in shown] for row in rows]
    return TablePart(title=table.title, columns=columns, rows=cells, empty="none")


LONG_S = 7200.0


def _all_long(lengths: Sequence[str | float]) -> bool:
    """Whether lengths in s are read as hours: none is under two of them."""
    known = [v for v in lengths if not isinstance(v, str) and not math.isnan(v)]
    return bool(known) and min(known) >= LONG_S


def _whole_minutes(recording: Recording, times: Sequence[str | float]) -> bool:
    """Whether no time of a column needs seconds, as all lie whole minutes apart: pauses of ten seconds do, readings every half hour do
    not, at whatever second the first one was."""
    known = [t for t in times if not isinstance(t, str) and not math.isnan(t)]
    return len({wall_second(recording, t) % 60 for t in known}) <= 1


def _left_out(recording: Recording, review: Review) -> TablePart:
    rows = [
        [
            s.label,
            f"{moment_words(recording, s.start_s)} to {moment_words(recording, s.end_s)}",
            f"{s.end_s - s.start_s:.0f} s",
        ]
        for s in review.left_out
    ]
    return TablePart(title="Left out", columns=["Why", "From, to", "Length"], rows=rows, empty="nothing was left out")
