"""A report that any kind can make from its assessment: facts, figures against limits, tables, what was left out."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from kumpel.core.assessment import CLOCK, Assessment, BothWays, LimitSet, Table
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.sheet import hours_minutes
from kumpel.core.timebase import clock_words
from kumpel.reports.document import Fact, Facts, FigureLine, Figures, Part, TablePart

PARTS = {
    "checks": "Recorder and setup",
    "figures": "Figures with limits",
    "quality": "Quality of the data",
    "tables": "Tables",
    "left-out": "What was left out and why",
    "methods": "How each figure is computed",
}
ONE_PAGE = ("checks", "figures", "quality", "left-out")
MOST_ROWS = 200


def number(value: float, decimals: int | None) -> str:
    """A number as it stands on paper: "not measured" for nan, "none" for the level of no energy."""
    if math.isinf(value):
        return "none"
    return "not measured" if math.isnan(value) else f"{value:.{decimals or 0}f}"


def parts(recording: Recording, review: Review, both: BothWays, limits: LimitSet, chosen: Sequence[str]) -> list[Part]:
    """The chosen parts in their fixed order."""
    leading = both.reviewed
    makers: dict[str, Callable[[], list[Part]]] = {
        "checks": lambda: [_facts(recording)],
        "figures": lambda: [_figures(both, limits)],
        "quality": lambda: [_quality(leading)],
        "tables": lambda: [_table(recording, t) for t in leading.tables],
        "left-out": lambda: [_left_out(recording, review)],
        "methods": lambda: [_methods(leading)],
    }
    return [part for key, make in makers.items() if key in chosen for part in make()]


def _quality(leading: Assessment) -> TablePart:
    rows = [[f.text] for f in leading.quality.findings]
    return TablePart(
        title="Quality of the data", columns=["Finding"], rows=rows, empty="nothing to say against the data"
    )


def _methods(leading: Assessment) -> TablePart:
    rows = [[f"{f.name}: {f.why.formula}", f.why.source] for f in leading.figures]
    return TablePart(title="How each figure is computed", columns=["Formula", "Source"], rows=rows)


def _facts(recording: Recording) -> Facts:
    recorder = recording.recorder
    return Facts(
        facts=[
            Fact(label="Recorder", value=str(recorder.get("name", recorder.get("model", "")))),
            Fact(label="Serial number", value=str(recorder.get("serial", ""))),
            Fact(label="Setup", value=str(recording.setup.get("name", ""))),
            Fact(label="Length", value=f"{hours_minutes(recording.length_s)} h"),
        ]
    )


def _figures(both: BothWays, limits: LimitSet) -> Figures:
    leading = both.reviewed
    judged = {j.figure: j for j in leading.judgements}
    lines = []
    for figure in leading.figures:
        judgement = judged.get(figure.key)
        limit = " / ".join(f"{s.value:g}" for s in judgement.steps) if judgement else ""
        verdict, words = (judgement.verdict.value, judgement.words) if judgement else ("", "")
        lines.append(
            FigureLine(
                name=figure.name,
                value=number(figure.value, figure.decimals),
                unit=figure.unit,
                limit=limit,
                verdict=verdict,
                words=words,
            )
        )
    return Figures(title=f"Figures against {limits.name} ({limits.version})", lines=lines)


def _table(recording: Recording, table: Table) -> TablePart:
    shown = [(i, c) for i, c in enumerate(table.columns) if c.name != "Key"]
    columns = [c.name if c.unit == CLOCK else f"{c.name} {c.unit}".strip() for _, c in shown]
    rows = []
    for row in table.rows[:MOST_ROWS]:
        cells = []
        for i, column in shown:
            value = row[i]
            if isinstance(value, str):
                cells.append(value)
            elif column.unit == CLOCK:
                cells.append("" if math.isnan(value) else clock_words(recording, value))
            else:
                cells.append("" if math.isnan(value) else number(value, column.decimals))
        rows.append(cells)
    return TablePart(title=table.title, columns=columns, rows=rows, empty="none")


def _left_out(recording: Recording, review: Review) -> TablePart:
    rows = [
        [
            s.label,
            f"{clock_words(recording, s.start_s)} to {clock_words(recording, s.end_s)}",
            f"{s.end_s - s.start_s:.0f} s",
        ]
        for s in review.left_out
    ]
    return TablePart(title="Left out", columns=["Why", "From, to", "Length"], rows=rows, empty="nothing was left out")
