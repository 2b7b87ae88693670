"""All figures and verdicts of one 24-hour blood pressure recording."""

from __future__ import annotations

import math

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Detected,
    Finding,
    Level,
    LimitSet,
    Quality,
    Table,
    event_key,
)
from kumpel.core.blood_pressure.figures import PERIODS, limit_of, put_figures
from kumpel.core.blood_pressure.readings import NAMES, UNITS, Readings, readings, suggestions
from kumpel.core.blood_pressure.sleep import Sleep, planned_readings, sleep_of
from kumpel.core.reckoning import Reckoning, both_ways, conclude, span_levels, table
from kumpel.core.recording import Flags, Recording
from kumpel.core.review import Review, is_named
from kumpel.core.runs import gaps_between
from kumpel.core.timebase import wall_clock

MINIMUM_SHARE, MINIMUM_AWAKE, MINIMUM_ASLEEP = 0.70, 20, 7


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a blood pressure recording against a limit set, as recorded and as reviewed.

    Options: see `sleep.rule_of`; `sleep` = "setup". Raises ValueError when there is no reading at all.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    found = readings(recording, review)
    if not len(found.at_s):
        raise ValueError("the recording has no cuff reading (event “reading”): nothing to assess")
    sleep = sleep_of(recording, review)
    asleep = sleep.at(found.at_s)
    inside: dict[str, Flags] = {"all": np.ones(len(found.at_s), bool), "awake": ~asleep, "asleep": asleep}
    if sleep.source == "unknown":
        inside["awake"] = np.zeros(len(found.at_s), bool)
    planned = max(planned_readings(recording, sleep), 1.0)
    counted = int(np.count_nonzero(found.counted))
    reckoning = Reckoning(
        min(counted / planned, 1.0), used=counted, left_out=int(np.count_nonzero(found.valid & ~found.used))
    )
    put_figures(reckoning, found, inside, sleep, limits)
    findings = _findings(recording, found, inside, sleep)
    quality = Quality(reckoning.coverage, recording.length_s, recording.length_s, tuple(findings))
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        quality,
        key_figures=("all.systolic.mean", "all.diastolic.mean", "dip.systolic", "all.valid_share"),
        suggestions=suggestions(found),
        tables=(
            _readings_table(found, asleep),
            _hour_table(recording, found),
            _class_table(found, inside, limits),
            _spread_table(found),
        ),
        events=_events(recording, review, found),
        stretches=sleep.stretches,
        levels=_levels(limits, sleep, recording.length_s),
    )


def _levels(limits: LimitSet, sleep: Sleep, length_s: float) -> list[Level]:
    """Limits of the means beside the readings: those of waking and sleep over their times, those of 24 h where a set has no other.

    Both pressures stand on the lane of the systolic one, as the ends of one bar.
    """
    asleep = [(max(s.start_s, 0.0), min(s.end_s, length_s)) for s in sleep.stretches]
    awake = gaps_between(asleep, length_s)
    found: list[Level] = []
    for pressure in ("systolic", "diastolic"):
        rules = {r.figure.partition(".")[0]: r for r in limits.rules if r.figure.endswith(f".{pressure}.mean")}
        spans = {"awake": awake, "asleep": asleep} if asleep else {}
        mine = [
            level
            for period in spans
            if period in rules
            for level in span_levels("systolic", rules[period], spans[period], f"{pressure}, {period}")
        ]
        if not mine and "all" in rules:
            mine = span_levels("systolic", rules["all"], [(0.0, length_s)], f"{pressure}, 24 h")
        found += mine
    return found


def _findings(recording: Recording, found: Readings, inside: dict[str, Flags], sleep: Sleep) -> list[Finding]:
    """Quality by the ESH position paper 2013: 70 % valid, 20 awake, 7 asleep; else repeat."""
    counted = {k: int(np.count_nonzero(v & found.counted)) for k, v in inside.items()}
    share = counted["all"] / len(found.at_s)
    said: list[Finding] = []
    if round(100 * share, 6) < 100 * MINIMUM_SHARE:
        said.append(
            Finding(
                "valid-share",
                f"{100 * share:.0f} % of the tries are valid, 70 % needed: repeat the recording",
                blocks=True,
            )
        )
    if sleep.source == "unknown":
        said.append(Finding("sleep", "sleep is not known: set when the person was asleep", blocks=True))
    else:
        for period, minimum in (("awake", MINIMUM_AWAKE), ("asleep", MINIMUM_ASLEEP)):
            if counted[period] < minimum:
                text = f"{counted[period]} valid readings {period}, {minimum} needed: repeat the recording"
                said.append(Finding(f"few-{period}", text, blocks=True))
        words = {"activity": "from activity", "setup": "by the times of the setup", "reviewer": "by the reviewer"}
        said.append(Finding("sleep-source", f"asleep {words[sleep.source]}"))
    hours = recording.length_s / 3600
    if hours > 27:
        said.append(Finding("length", f"recorded for {hours:.0f} h: “24 h” figures rest on all of it"))
    elif hours < 20:
        said.append(Finding("length", f"recorded for {hours:.1f} h only"))
    if found.doubled:
        said.append(
            Finding("doubled", f"{found.doubled} tries share their time with another and were not counted twice")
        )
    low = found.values["systolic"][found.counted]
    if len(low) and float(np.median(low)) < 40:
        said.append(
            Finding(
                "implausible",
                f"half of the systolic values are below {np.median(low):.0f}: is the unit right (kPa)?",
                blocks=True,
            )
        )
    return said


def _readings_table(found: Readings, asleep: Flags) -> Table:
    rows: list[tuple[str | float, ...]] = []
    for i, event in enumerate(found.events):
        state = (
            "left out"
            if not found.used[i]
            else ""
            if found.valid[i]
            else f"error {event.data.get('error', '')}".strip()
        )
        values = [float(found.values[q][i]) for q in NAMES]
        rows.append(
            (
                float(found.at_s[i]),
                "asleep" if asleep[i] else "awake",
                *values,
                state,
                event_key("reading", float(found.at_s[i])),
            )
        )
    columns = [
        ("Time", "clock", 0),
        ("Period", "", None),
        *((n, UNITS[q], 0) for q, n in NAMES.items()),
        ("State", "", None),
        ("Key", "", None),
    ]
    return table("readings", "Readings", columns, rows)


def _hour_table(recording: Recording, found: Readings) -> Table:
    """Means of each hour on the wall clock; the hour that comes twice at the end of summer time has two rows."""
    used = found.counted
    at = found.at_s[used]
    offset = wall_clock(recording, at) - at - recording.start
    hour = np.floor((recording.start + at + offset) / 3600)
    starts, which, counts = np.unique(hour * 3600 - offset, return_inverse=True, return_counts=True)
    means = []
    for quantity in NAMES:
        values = found.values[quantity][used]
        known = ~np.isnan(values)
        sums = np.bincount(which, np.where(known, values, 0.0), len(starts))
        number = np.bincount(which, known, len(starts))
        means.append(np.where(number > 0, sums / np.maximum(number, 1), np.nan))
    clock = [float(hour[which == i][0] % 24) for i in range(len(starts))]
    rows = [
        (float(s) - recording.start, clock[i], float(counts[i]), *(float(m[i]) for m in means))
        for i, s in enumerate(starts)
    ]
    columns = [
        ("From", "clock", 0),
        ("Hour", "h", 0),
        ("Readings", "", 0),
        *((n, UNITS[q], 0) for q, n in NAMES.items()),
    ]
    return table("hours", "Hourly means", columns, rows)


def _class_table(found: Readings, inside: dict[str, Flags], limits: LimitSet) -> Table:
    """Share of readings by class: below both limits of the period, only systolic, only diastolic, both at or above."""
    rows: list[tuple[str | float, ...]] = []
    for period, flags in inside.items():
        systolic, diastolic = found.of("systolic", flags), found.of("diastolic", flags)
        high_s, high_d = (
            systolic >= limit_of(limits, period, "systolic"),
            diastolic >= limit_of(limits, period, "diastolic"),
        )
        n = len(systolic)
        shares = [
            100 * float(np.mean(f)) if n else math.nan
            for f in (~high_s & ~high_d, high_s & ~high_d, ~high_s & high_d, high_s & high_d)
        ]
        rows.append((PERIODS[period], float(n), *shares))
    columns = [
        ("Period", "", None),
        ("Readings", "", 0),
        ("Below both", "%", 0),
        ("Only systolic", "%", 0),
        ("Only diastolic", "%", 0),
        ("Both", "%", 0),
    ]
    return table("classes", "Share of readings by class", columns, rows)


def _spread_table(found: Readings) -> Table:
    edges = np.arange(40, 261, 10, dtype=np.float64)
    counts = [
        np.histogram(np.clip(found.values[q][found.counted], 40, 259.9), edges)[0] for q in ("systolic", "diastolic")
    ]
    rows = [(float(e), float(a), float(b)) for e, a, b in zip(edges[:-1], *counts, strict=True) if a or b]
    return table("spread", "Spread", [("From", "mmHg", 0), ("Systolic", "", 0), ("Diastolic", "", 0)], rows)


def _events(recording: Recording, review: Review, found: Readings) -> list[Detected]:
    """Presses of the event button, and failed tries with their error."""
    said = [
        Detected(e.at_s, e.at_s, e.code, e.text or "event button", not is_named(review.dropped, e.code, e.at_s))
        for e in recording.events
        if e.code in ("button", "event")
    ]
    for i in np.flatnonzero(~found.valid).tolist():
        event = found.events[i]
        said.append(
            Detected(event.at_s, event.at_s, "failed", f"try failed, error {event.data.get('error', 'not given')}")
        )
    return said
