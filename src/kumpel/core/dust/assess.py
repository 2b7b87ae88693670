"""All figures and verdicts of one session of a dust or indoor-air monitor.

Channels read: `mass` (mg/m3 of the setup's `fraction`, before the photometric factor), `flow_fault` (0 or 1).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Detected,
    Finding,
    Level,
    LimitSet,
    Put,
    Quality,
    Rule,
    Step,
    Suggestion,
    Table,
    Verdict,
)
from kumpel.core.averages import EIGHT_HOURS_S, by_day, highest_window, mean, time_weighted_average
from kumpel.core.dust.one_by_one import Measured, run_table
from kumpel.core.dust.stretches import Line, most_in_a_day, stretches_above, stretches_proven
from kumpel.core.reckoning import Reckoning, both_ways, conclude, coverage_finding, planned_s, setup_number, table
from kumpel.core.recording import Floats, Recording
from kumpel.core.review import Review, samples_inside
from kumpel.core.runs import merge, runs
from kumpel.core.timebase import DAY_S, wall_days
from kumpel.core.units import values_in

FRACTIONS = ("PM1", "PM2.5", "PM4", "PM10", "total")
TWA_SOURCE = "EN 689:2018, annex A"
ZERO = "zero"
"""The check at the bench that stands for the zero check before use."""
DAY_SOURCE = "WHO global air quality guidelines 2021, table 0.1 (24-hour mean)"
FACTOR_SOURCE = "photometric factor from a gravimetric filter: C = k x reading"
DAY_COVERAGE = 0.75


@dataclass(frozen=True)
class _Basis:
    recording: Recording
    raw: Floats
    factor: float
    interval_s: float
    values: Floats
    days: list[tuple[int, int, int]]
    planned_s: float

    @property
    def measured_s(self) -> float:
        return float(np.count_nonzero(~np.isnan(self.values))) * self.interval_s


def factor_of(recording: Recording, review: Review) -> float:
    """The photometric factor: the reviewer's, else the setup's, else 1. Raises ValueError when it is not above 0."""
    factor = review.factor if review.factor is not None else setup_number(recording.setup, "factor", 1.0)
    if not (factor > 0 and math.isfinite(factor)):
        raise ValueError(f"the photometric factor must be above 0, not {factor}")
    return factor


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a dust session against a limit set, as recorded and as reviewed.

    Options: `guideline` (mg/m3, for the stretches above it; default: the limit of the 24 h or 8 h mean), `shortest_min` (a stretch that
    counts is at least so long), `needs_action` (how many of them within 24 h need action).
    Raises ValueError when the recording has no channel `mass`.
    """
    return both_ways(recording, review, limits, _assess)


def _basis(recording: Recording, review: Review) -> _Basis:
    raw = values_in(recording, "mass", "mg/m3")
    if raw is None:
        raise ValueError("the recording has no mass concentration (channel mass): nothing to assess")
    interval = recording.channels["mass"].interval_s
    factor = factor_of(recording, review)
    out = samples_inside(review.left_out, len(raw), interval)
    values = raw * factor
    values[out] = np.nan
    days = by_day(wall_days(recording, len(raw), interval))
    return _Basis(recording, raw, factor, interval, values, days, planned_s(recording, review))


def _assess(recording: Recording, review: Review, limits: LimitSet, name: str) -> Assessment:
    basis = _basis(recording, review)
    fraction = str(recording.setup.get("fraction", "total"))
    rules = tuple(r for r in limits.rules if r.parameters.get("fraction", fraction) == fraction)
    measured = basis.measured_s
    reckoning = Reckoning(
        min(measured / basis.planned_s, 1.0) if basis.planned_s > 0 else 0.0,
        used=int(np.count_nonzero(~np.isnan(basis.values))),
    )
    alone = _means(basis, reckoning)
    days = _daily(basis, reckoning)
    line = _line(review, rules)
    rules = _on_top(rules, review, fraction)
    events = _stretches(basis, reckoning, line, alone)
    if not rules and limits.rules:
        none = f"{limits.name} has no limit for {fraction}"
        reckoning.put(f"limit.{fraction}", f"Limit for {fraction}", math.nan, "mg/m3", 3, "", limits.name, note=none)
    findings = [
        *coverage_finding(measured, basis.planned_s, limits.minimum_coverage),
        *_findings(review, basis, fraction, rules, limits),
    ]
    wanted = replace(
        limits,
        rules=rules or (Rule(f"limit.{fraction}", f"Limit for {fraction}", "mg/m3", limits.rules[0].steps),)
        if limits.rules
        else (),
    )
    return conclude(
        recording,
        review,
        wanted,
        name,
        reckoning,
        Quality(reckoning.coverage, measured, basis.planned_s, tuple(findings)),
        key_figures=(*(r.figure for r in rules), "mean", "max", "measured"),
        alone=alone,
        suggestions=_suggestions(basis),
        tables=(_run_table(basis, line, rules, reckoning), _day_table(basis, days, line)),
        events=events,
        levels=_counted_above(basis, line.guideline),
    )


def _counted_above(basis: _Basis, guideline: float) -> list[Level]:
    """The line whose exceedances are counted, where it lies on the readings: before the photometric factor."""
    if math.isnan(guideline):
        return []
    by_factor = "" if basis.factor == 1 else f", {guideline:g} / factor {basis.factor:g}"
    return [Level("mass", guideline / basis.factor, f"guideline{by_factor}", 0.0, basis.recording.length_s)]


def _means(basis: _Basis, reckoning: Reckoning) -> dict[str, float]:
    values, dt = basis.values, basis.interval_s
    k = Put("k", "photometric factor", basis.factor, "")
    n = Put("N", "samples", float(reckoning.used), "")
    raw = Put("reading", "mean before the factor", mean(basis.raw), "mg/m3")
    there = reckoning.used > 0
    average = mean(values)
    reckoning.put("mean", "Mean", average, "mg/m3", 3, "(1/N) sum k x reading_i", FACTOR_SOURCE, k, n, raw)
    for key, pick in (("min", np.nanargmin), ("max", np.nanargmax)):
        at = int(pick(values)) if there else 0
        value = float(values[at]) if there else math.nan
        reckoning.put(key, {"min": "Lowest", "max": "Highest"}[key], value, "mg/m3", 3, f"{key} of k x reading_i", FACTOR_SOURCE, k, at_s=at * dt if there else None)  # fmt: skip
    twa = time_weighted_average(values, dt)
    reckoning.put("twa8h", "TWA 8 h of the logged time", twa, "mg/m3", 3, "sum(C_i dt) / 8 h", TWA_SOURCE, k)
    te = Put("Te", "time that the session stands for", basis.planned_s / 3600, "h")
    flag = "projected from the logged time" if reckoning.coverage < 0.9995 else ""
    shift = average * basis.planned_s / EIGHT_HOURS_S
    reckoning.put(
        "twa_shift", "TWA 8 h of the shift", shift, "mg/m3", 3, "C_mean x Te / 8 h", TWA_SOURCE, te, k, note=flag
    )
    window = highest_window(values, dt)
    note = "" if window.formed else "no 15 min without a gap of more than one interval"
    reckoning.put(
        "stel",
        "Highest 15-min mean",
        window.value,
        "mg/m3",
        3,
        "max over t of (1/15 min) integral C dt",
        "2000/39/EC, art. 2",
        k,
        note=note,
        at_s=None if math.isnan(window.start_s) else window.start_s,
    )
    reckoning.put("measured", "Time logged", basis.measured_s / 3600, "h", 2, "N x dt", TWA_SOURCE, n)
    return {"twa_shift": twa, "stel": window.value, "max": reckoning.value("max")}


@dataclass(frozen=True)
class _Day:
    start_s: float
    mean: float
    coverage: float


def _daily(basis: _Basis, reckoning: Reckoning) -> list[_Day]:
    """Means of calendar days and the highest moving 24 h; each needs three quarters of its hours."""
    days = []
    for _, first, end in basis.days:
        part = basis.values[first:end]
        share = float(np.count_nonzero(~np.isnan(part))) * basis.interval_s / DAY_S
        days.append(_Day(first * basis.interval_s, mean(part), min(share, 1.0)))
    whole = [d for d in days if d.coverage >= DAY_COVERAGE]
    top = max(whole, key=lambda d: d.mean, default=None)
    note = "" if top else f"no calendar day with {100 * DAY_COVERAGE:.0f} % of its hours"
    reckoning.put(
        "mean_day",
        "Highest mean of a calendar day",
        top.mean if top else math.nan,
        "mg/m3",
        3,
        "(1/N) sum C_i, 0:00 to 24:00 of the wall clock",
        DAY_SOURCE,
        note=note,
        at_s=top.start_s if top else None,
    )
    per = round(DAY_S / basis.interval_s)
    value, at = _moving(basis.values, per)
    note = "" if not math.isnan(value) else f"no 24 h with {100 * DAY_COVERAGE:.0f} % measured"
    reckoning.put(
        "mean_24h",
        "Highest 24 h mean",
        value,
        "mg/m3",
        3,
        "max over t of (1/24 h) integral C dt",
        DAY_SOURCE,
        note=note,
        at_s=None if at is None else at * basis.interval_s,
    )
    return days


def _moving(values: Floats, per: int) -> tuple[float, int | None]:
    if len(values) < math.ceil(per * DAY_COVERAGE):
        return math.nan, None
    known = ~np.isnan(values)
    per = min(per, len(values))
    sums, counts = np.zeros(len(values) + 1), np.zeros(len(values) + 1, np.int32)
    np.cumsum(np.where(known, values, 0.0), out=sums[1:])
    np.cumsum(known, out=counts[1:])
    means, used = sums[per:] - sums[:-per], counts[per:] - counts[:-per]
    good = used >= max(math.ceil(per * DAY_COVERAGE), 1)
    if not good.any():
        return math.nan, None
    means /= np.maximum(used, 1)
    means[~good] = -np.inf
    at = int(np.argmax(means))
    return float(means[at]), at


def _guideline(review: Review, rules: tuple[Rule, ...]) -> float:
    """The value whose exceedances are counted: the reviewer's, a rule's own, else the lowest limit of a mean."""
    if "guideline" in review.options:
        return review.number("guideline", math.nan)
    for rule in rules:
        if "guideline" in rule.parameters:
            return float(rule.parameters["guideline"])
    return min((s.value for r in rules for s in r.steps if r.unit == "mg/m3"), default=math.nan)


def _line(review: Review, rules: tuple[Rule, ...]) -> Line:
    """What is counted; how long a stretch must last is the reviewer's, else what a rule says, else anything."""
    usual = next((float(r.parameters["shortest_min"]) for r in rules if "shortest_min" in r.parameters), 0.0)
    return Line(_guideline(review, rules), 60 * max(review.number("shortest_min", usual), 0.0))


def _on_top(rules: tuple[Rule, ...], review: Review, fraction: str) -> tuple[Rule, ...]:
    """The rules with the one on top that the reviewer wants for this session, where the limit set has none, too."""
    wanted = tuple(_needing(rule, review) for rule in rules)
    if "needs_action" not in review.options or any(rule.figure == "stretches_24h" for rule in rules):
        return wanted
    needs = Step(review.number("needs_action", 3.0), Verdict.ACTION, "number that needs action")
    return (*wanted, Rule("stretches_24h", f"{fraction}, stretches in 24 h", "", (needs,)))


def _needing(rule: Rule, review: Review) -> Rule:
    """The rule on top with the number of stretches that the reviewer says needs action."""
    if rule.figure != "stretches_24h" or "needs_action" not in review.options:
        return rule
    wanted = review.number("needs_action", rule.steps[0].value)
    return replace(rule, steps=(replace(rule.steps[0], value=wanted),))


def _stretches(basis: _Basis, reckoning: Reckoning, line_of: Line, alone: dict[str, float]) -> list[Detected]:
    """Stretches above the guideline; their number, length, and the most of them within 24 h (`core.dust.stretches`)."""
    guideline, dt = line_of.guideline, basis.interval_s
    spans = stretches_above(basis.values, dt, line_of)
    with np.errstate(invalid="ignore"):
        above = basis.values > guideline
    starts, ends = spans[:, 0] * dt, spans[:, 1] * dt
    line = Put("guideline", "value that must not be passed", guideline, "mg/m3")
    least = (Put("t", "shortest stretch that counts", line_of.shortest_s / 60, "min"),) if line_of.shortest_s else ()
    note = "no guideline is set" if math.isnan(guideline) else ""

    def figure(key: str, name: str, value: float, unit: str, formula: str) -> None:
        reckoning.put(
            key,
            name,
            math.nan if note else value,
            unit,
            0,
            formula,
            "own rule, docs/methods/dust.md",
            line,
            *least,
            note=note,
        )

    figure("stretches", "Stretches above the guideline", float(len(spans)), "", "runs of samples with C > guideline")
    above_s = float(np.count_nonzero(above)) * dt
    figure("stretches_s", "Time above the guideline", above_s / 60, "min", "samples with C > guideline x dt")
    figure(
        "stretches_24h",
        "Stretches above the guideline in 24 h",
        float(most_in_a_day(spans, dt)),
        "",
        "most runs that begin within 24 h",
    )
    surely = stretches_proven(basis.values, dt, line_of)
    alone |= {
        "stretches": float(len(surely)),
        "stretches_s": float(np.count_nonzero(above)) * dt / 60,
        "stretches_24h": float(most_in_a_day(surely, dt)),
    }
    return [
        Detected(
            float(a),
            float(b),
            "above",
            line_of.in_words,
            True,
            {"highest": float(np.nanmax(basis.values[i:j]))},
        )
        for (i, j), a, b in zip(spans[:500].tolist(), starts[:500], ends[:500], strict=True)
    ]


def _findings(review: Review, basis: _Basis, fraction: str, rules: tuple[Rule, ...], limits: LimitSet) -> list[Finding]:
    recording, found = basis.recording, []
    if fraction not in FRACTIONS:
        found.append(
            Finding("fraction", f"the fraction “{fraction}” is not one of {', '.join(FRACTIONS)}", blocks=True)
        )
    if not rules and limits.rules:
        found.append(Finding("no-limit", f"{limits.name} has no limit for {fraction}"))
    zero = [e for e in recording.events if e.code == "zero-check"]
    if not zero and not any(each.what == ZERO and each.from_start_s <= 0 for each in review.checks):
        found.append(Finding("no-zero-check", "no zero check before use is on record"))
    elif zero and zero[-1].data.get("passed") is False:
        found.append(Finding("zero-check", "the zero check failed: readings are shifted", blocks=True))
    flow = recording.values("flow_fault")
    share = float(np.nanmean(flow > 0)) if flow is not None and len(flow) else 0.0
    if share > 0.05:
        found.append(Finding("flow", f"flow fault for {100 * share:.0f} % of the time", blocks=True))
    if len(basis.raw) <= 1:
        found.append(Finding("worthless", "none or one record: the monitor was only switched on", blocks=True))
    known = basis.values[~np.isnan(basis.values)]
    if len(known) and float(np.median(known)) > 200:
        text = f"half of the readings are above {float(np.median(known)):.3g} mg/m3: is the unit right (µg/m3)?"
        found.append(Finding("implausible", text, blocks=True))
    if len(known) and float(np.median(known)) < -0.01:
        found.append(Finding("zero-drift", "half of the readings are negative: repeat the zero check", blocks=True))
    return found


def _run_table(basis: _Basis, line: Line, rules: tuple[Rule, ...], reckoning: Reckoning) -> Table:
    raw = np.where(np.isnan(basis.values), np.nan, basis.raw)
    measured = Measured(basis.values, raw, basis.recording.values("flow_fault"), basis.interval_s, line)
    return run_table(basis.recording, measured, rules, reckoning.figures["mean"])


def _day_table(basis: _Basis, days: list[_Day], line: Line) -> Table:
    with np.errstate(invalid="ignore"):
        above = basis.values > line.guideline
    rows = []
    for day, (_, first, end) in zip(days, basis.days, strict=True):
        spans = stretches_above(basis.values[first:end], basis.interval_s, line)
        minutes = float(np.count_nonzero(above[first:end])) * basis.interval_s / 60
        rows.append((day.start_s, day.mean, 100 * day.coverage, float(len(spans)), minutes))
    columns = (("Day from", "clock", 0), ("Mean", "mg/m3", 3), ("Measured", "%", 0), ("Stretches above", "", 0), ("Time above", "min", 0))  # fmt: skip
    return table("days", "Days", columns, rows)


def _suggestions(basis: _Basis) -> list[Suggestion]:
    flow = basis.recording.values("flow_fault")
    if flow is None:
        return []
    interval = basis.recording.channels["flow_fault"].interval_s
    spans = runs(np.nan_to_num(flow) > 0).astype(np.float64) * interval
    return [Suggestion(a, b, "flow", "flow fault: too little air was drawn in") for a, b in merge(spans, 60.0)]
