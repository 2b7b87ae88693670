"""The runs of a dust monitor, one after the other: figures and verdict of each."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import Figure, Rule, Table, Verdict, judge
from kumpel.core.averages import highest_window, mean
from kumpel.core.dust.stretches import Line, most_in_a_day, stretches_above
from kumpel.core.reckoning import table
from kumpel.core.recording import Floats, Recording
from kumpel.core.review import Stretch
from kumpel.core.runs import merge, runs

MOST_FLOW_FAULT = 0.05
"""The share of a run that may have had too little air."""
LEAST_COVERAGE = 0.75


def measured_runs(recording: Recording) -> tuple[Stretch, ...]:
    """The monitor's runs: events "run" with `length_s`, else the stretches between gaps longer than one interval."""
    marked = [e for e in recording.events if e.code == "run"]
    runs_found = []
    for number, event in enumerate(marked, 1):
        length = event.data.get("length_s")
        if isinstance(length, int | float) and length > 0:
            runs_found.append(Stretch(event.at_s, event.at_s + float(length), f"run {number}"))
    if runs_found:
        return tuple(runs_found)
    channel = recording.channels["mass"]
    spans = runs(~np.isnan(channel.values)).astype(np.float64) * channel.interval_s
    joined = merge(spans, channel.interval_s * 1.001)
    return tuple(Stretch(a, b, f"run {i}") for i, (a, b) in enumerate(joined, 1))


@dataclass(frozen=True)
class Measured:
    """What a session gives its runs: applied values and those as read in mg/m3, nan where not measured or left out; whether too little air
    was drawn in. All of shape (n,)."""

    values: Floats
    raw: Floats
    flow: Floats | None
    interval_s: float
    line: Line


def run_table(recording: Recording, measured: Measured, rules: Sequence[Rule], figure: Figure) -> Table:
    """A row a run: when, how long, lowest, mean, highest, highest 15 min, stretches above (in 24 h; the same as read), measured, verdict.

    The mean of a run is held against the limit of the shift or day mean, its stretches against the rule on top of it. `figure` is the mean
    of the session: what a run's is stated with.
    """
    columns = (
        ("Start", "clock", 0),
        ("Length", "s", 0),
        ("Lowest", "mg/m3", 3),
        ("Mean", "mg/m3", 3),
        ("Highest", "mg/m3", 3),
        ("Unit", "", None),
        ("Verdict", "", None),
        ("Because", "", None),
        ("Highest 15 min", "mg/m3", 3),
        ("Stretches above", "", 0),
        ("As read", "", 0),
        ("Measured", "%", 0),
    )
    rows = [_row(run, measured, rules, figure) for run in measured_runs(recording)]
    return table("runs", "Runs", columns, rows)


def _row(run: Stretch, of: Measured, rules: Sequence[Rule], figure: Figure) -> tuple[str | float, ...]:
    first, end = (math.ceil(at / of.interval_s - 0.5) for at in (run.start_s, run.end_s))
    part, raw = of.values[max(first, 0) : end], of.raw[max(first, 0) : end]
    known = part[~np.isnan(part)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (math.nan, math.nan)
    average, counted, as_read = mean(part), math.nan, math.nan
    if not math.isnan(of.line.guideline):
        counted, as_read = (
            float(most_in_a_day(stretches_above(v, of.interval_s, of.line), of.interval_s)) for v in (part, raw)
        )
    share = len(known) / max(end - first, 1)
    flow = None if of.flow is None else of.flow[max(first, 0) : end]
    verdict, because = _verdict(average, counted, share, flow, rules, figure)
    return (
        run.start_s, run.end_s - run.start_s, low, average, high, "mg/m3", verdict.value, because,
        highest_window(part, of.interval_s).value, counted, as_read, 100 * min(share, 1.0),
    )  # fmt: skip


def _verdict(
    average: float, counted: float, share: float, flow: Floats | None, rules: Sequence[Rule], figure: Figure
) -> tuple[Verdict, str]:
    if math.isnan(average):
        return Verdict.NOT_ASSESSABLE, "nothing measured"
    if flow is not None and len(flow) and float(np.nanmean(flow > 0)) > MOST_FLOW_FAULT:
        return Verdict.NOT_ASSESSABLE, "flow fault"
    found: list[tuple[Verdict, str]] = []
    for rule in rules:
        if rule.unit == "mg/m3":
            judged = judge(rule, replace(figure, value=average, note=""))
        elif rule.figure == "stretches_24h" and not math.isnan(counted):
            judged = judge(rule, replace(figure, value=counted, decimals=0, note=""))
        else:
            continue
        words = "above" if judged.verdict is Verdict.ABOVE else ""
        if rule.figure == "stretches_24h" and judged.verdict is not Verdict.WITHIN:
            words = f"{counted:.0f} of {rule.steps[0].value:g}"
        found.append((judged.verdict, words))
    if not found:
        return Verdict.NOT_ASSESSABLE, "no limit"
    worst = max(found, key=lambda each: (Verdict.WITHIN, Verdict.ACTION, Verdict.ABOVE).index(each[0]))
    if worst[0] is Verdict.WITHIN and share < LEAST_COVERAGE:
        return Verdict.NOT_ASSESSABLE, f"{100 * share:.0f} % measured"
    return worst
