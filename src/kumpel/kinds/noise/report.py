"""The parts of a noise report, from an assessment."""

from __future__ import annotations

import math

import numpy as np

from kumpel.core.assessment import Assessment, BothWays, LimitSet
from kumpel.core.noise.doubts import CalibratorCheck, calibrator_checks
from kumpel.core.noise.levels import mean_by_bin
from kumpel.core.reckoning import hours_minutes
from kumpel.core.recording import Recording
from kumpel.core.review import Review, samples_inside
from kumpel.core.rounding import shown
from kumpel.core.timebase import clock_words, moment_words, wall_clock
from kumpel.kinds.plain_report import PartOf, ReportPart, told
from kumpel.reports import pictures
from kumpel.reports.document import Fact, Facts, FigureLine, Figures, Part, Picture, TablePart

PARTS = (
    ReportPart("checks", "Recorder, setup and checks", size="strip"),
    ReportPart("figures", "Figures with limits"),
    ReportPart("curve", "Level over time"),
    ReportPart("origin", "Where the dose comes from, spread", size="half"),
    ReportPart("tasks", "Tasks"),
    ReportPart("left-out", "What was left out and why"),
    ReportPart("weightings", "All weighting set-ups", one_page=False),
    ReportPart("methods", "How each figure is computed", one_page=False, size="page"),
)
MAIN = ("lex8h", "laeq", "lcpeak", "exposure", "l10", "l50", "l90", "measured")


def number(value: float, decimals: int) -> str:
    if value == -math.inf:
        return "none"
    return "not measured" if value != value else shown(value, decimals)


def limit_lines(limits: LimitSet) -> list[pictures.LimitLine]:
    """The limits that belong on a picture of the A-weighted level."""
    rules = [r for r in limits.rules if r.unit.startswith("dB(A)") and r.figure != "lex8h_protected"]
    lines = [pictures.LimitLine(s.value, s.name, s.verdict.value) for r in rules for s in r.steps]
    if lines:
        return lines
    return [
        pictures.LimitLine(float(r.parameters["criterion_db"]), "criterion level", "above limit")
        for r in limits.rules
        if "criterion_db" in r.parameters
    ]


def _check_words(check: CalibratorCheck | None) -> str:
    if check is None:
        return "not on record"
    applied = "" if check.applied is None else f"applied {check.applied} dB, "
    return f"{applied}read {check.read} dB" + (" (at the bench)" if check.at_bench else "")


def _checks(recording: Recording, review: Review) -> Facts:
    recorder = recording.recorder
    token, planned = recorder.get("token"), recording.setup.get("run_length_min")
    name = " ".join(filter(None, (str(recorder.get("name", "")), f"({token})" if token else "")))
    facts = told(
        {
            "Recorder": ", ".join(filter(None, (name, str(recorder.get("model", ""))))),
            "Serial number": recorder.get("serial"),
            "Setup": recording.setup.get("name"),
            "Planned": f"{planned} min" if planned else "",
        }
    ).facts
    for code, check in calibrator_checks(recording, review).items():
        facts.append(Fact(label="Check " + code.removeprefix("check-"), value=_check_words(check)))
    return Facts(facts=facts)


def _figures(both: BothWays, limits: LimitSet, differ: bool) -> Figures:
    leading = both.reviewed
    lines = []
    judged = {j.figure: j for j in leading.judgements}
    wanted = [
        *(f for f in leading.figures if f.key in judged),
        *(leading.figure(k) for k in MAIN if k not in judged and _has(leading, k)),
    ]
    for figure in wanted:
        judgement = judged.get(figure.key)
        value = hours_minutes(figure.value * 3600) if figure.unit == "h" else number(figure.value, figure.decimals)
        name = figure.name
        if judgement and figure.key.startswith("limit."):
            name = f"{judgement.rule}, {figure.name.split(', ', 1)[-1]}"
        if differ and figure.key in ("lex8h", "laeq"):
            name += f" (as recorded {number(both.recorded.figure(figure.key).value, figure.decimals)})"
        limit = " / ".join(f"{s.value:g}" for s in judgement.steps) if judgement else ""
        lines.append(
            FigureLine(
                name=name,
                value=value,
                unit=figure.unit,
                limit=limit,
                verdict=judgement.verdict.value if judgement else "",
                words=judgement.words if judgement else "",
            )
        )
    return Figures(title=f"Figures against {limits.name} ({limits.version})", lines=lines)


def _has(assessment: Assessment, key: str) -> bool:
    return any(f.key == key for f in assessment.figures)


def _curve(recording: Recording, review: Review, limits: LimitSet) -> Picture:
    channel = recording.channels["leq.1"]
    out = samples_inside(review.left_out, channel.count, channel.interval_s)
    per_minute = max(round(60 / channel.interval_s), 1)
    levels = mean_by_bin(np.where(out, np.nan, channel.values), per_minute)
    start = round(float(wall_clock(recording, np.zeros(1))[0])) % 86_400 / 3600
    hours = start + np.arange(len(levels)) / 60
    spans = [(start + s.start_s / 3600, start + s.end_s / 3600) for s in review.left_out]
    svg = pictures.level_over_time(
        hours,
        levels,
        spans,
        limit_lines(limits),
        channel.unit,
        clock=lambda hour: clock_words(recording, (hour - start) * 3600),
    )
    return Picture(
        title=f"Level over time, one minute, {channel.unit}",
        svg=svg,
        text="Level of each minute over the time of day, with limit lines and left-out stretches",
    )


def _origin(recording: Recording, leading: Assessment, limits: LimitSet) -> list[Part]:
    hours = next(t for t in leading.tables if t.key == "hours")
    shares = [float(row[2]) for row in hours.rows]
    top = max(shares, default=0)
    labels = [clock_words(recording, float(row[0]))[:2] for row in hours.rows]
    first = pictures.bars(labels, shares, [f"{s:.0f} %" for s in shares], [s == top and s > 25 for s in shares])
    table = next(t for t in leading.tables if t.key == "spread")
    edges = np.array([float(r[0]) for r in table.rows])
    minutes = np.array([float(r[1]) / 60 for r in table.rows])
    second = pictures.spread(edges, minutes, limit_lines(limits), "dB(A)")
    return [
        Picture(title="Share of the dose by hour of the day", svg=first, text="Share of the dose in each hour"),
        Picture(title="Spread of levels", svg=second, text="Minutes in each class of 1 dB"),
    ]


def _tasks(leading: Assessment) -> TablePart:
    table = next(t for t in leading.tables if t.key == "tasks")
    rows = [
        [str(r[0]), hours_minutes(float(r[1])), number(float(r[2]), 1), number(float(r[3]), 1), number(float(r[4]), 0)]
        for r in table.rows
    ]
    columns = ["Task", "Time h:min", "LAeq,m dB(A)", "LEX,8h,m dB(A)", "Share of dose %"]
    return TablePart(title="Tasks", columns=columns, rows=rows, empty="no tasks were marked")


def _left_out(recording: Recording, review: Review) -> TablePart:
    rows = [
        [
            s.label,
            f"{moment_words(recording, s.start_s)} to {moment_words(recording, s.end_s)}",
            hours_minutes_seconds(s.end_s - s.start_s),
        ]
        for s in review.left_out
    ]
    return TablePart(title="Left out", columns=["Why", "From, to", "Length"], rows=rows, empty="nothing was left out")


def hours_minutes_seconds(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole} s" if whole < 120 else f"{whole // 60} min {whole % 60:02d} s"


def _weightings(leading: Assessment) -> TablePart:
    rows = [
        [f.name, number(f.value, f.decimals), f.unit, f"{100 * f.coverage:.0f} %"]
        for f in leading.figures
        if f.key.startswith("setup")
    ]
    return TablePart(title="All weighting set-ups", columns=["Figure", "Value", "Unit", "Coverage"], rows=rows)


def _methods(leading: Assessment) -> TablePart:
    rows = [[f"{f.name}: {f.why.formula}", f.why.source] for f in leading.figures if not f.key.startswith("setup")]
    return TablePart(title="How each figure is computed", columns=["Formula", "Source"], rows=rows)


OWN: dict[str, PartOf] = {
    "checks": lambda of: [_checks(of.recording, of.review)],
    "figures": lambda of: [_figures(of.both, of.limits, bool(of.review.left_out))],
    "curve": lambda of: [_curve(of.recording, of.review, of.limits)],
    "origin": lambda of: _origin(of.recording, of.leading, of.limits),
    "tasks": lambda of: [_tasks(of.leading)],
    "left-out": lambda of: [_left_out(of.recording, of.review)],
    "weightings": lambda of: [_weightings(of.leading)],
    "methods": lambda of: [_methods(of.leading)],
}
"""All of them: levels have one unit for everybody."""
