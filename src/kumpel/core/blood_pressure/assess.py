"""All figures and verdicts of one 24-hour blood pressure recording."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Detected,
    Finding,
    Level,
    LimitSet,
    Quality,
)
from kumpel.core.blood_pressure.figures import FEWEST_A_NIGHT, put_figures
from kumpel.core.blood_pressure.periods import Periods, missing_nights, periods_of, whole_days_s
from kumpel.core.blood_pressure.readings import Readings, error_words, readings, suggestions
from kumpel.core.blood_pressure.sleep import Sleep, planned_readings, rule_of, sleep_of
from kumpel.core.blood_pressure.tables import (
    MINIMUM_ASLEEP,
    MINIMUM_AWAKE,
    activity_table,
    classes_table,
    enough_table,
    hours_table,
    is_share_enough,
    nights_table,
    quiet_table,
    readings_table,
    spread_table,
)
from kumpel.core.reckoning import Reckoning, both_ways, conclude, span_levels
from kumpel.core.recording import Recording
from kumpel.core.review import Review, is_named
from kumpel.core.rounding import shown
from kumpel.core.runs import gaps_between
from kumpel.core.timebase import moment_words


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
    periods = periods_of(found, sleep, recording.length_s)
    planned = max(planned_readings(recording, sleep), 1.0)
    counted = int(np.count_nonzero(found.counted))
    reckoning = Reckoning(
        min(counted / planned, 1.0), used=counted, left_out=int(np.count_nonzero(found.valid & ~found.used))
    )
    put_figures(reckoning, found, periods, sleep, limits, recording.length_s)
    findings = _findings(recording, found, periods, sleep)
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
            enough_table(found, periods, sleep),
            readings_table(found, periods, limits),
            hours_table(recording, found),
            classes_table(found, periods, limits),
            spread_table(found),
            activity_table(recording, rule_of(review)),
            quiet_table(recording),
            *((nights_table(reckoning, periods, sleep),) if periods.nights else ()),
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


def _findings(recording: Recording, found: Readings, periods: Periods, sleep: Sleep) -> list[Finding]:
    """Quality by the ESH position paper 2013: 70 % valid, 20 awake, 7 asleep; else repeat."""
    counted = {p.key: int(np.count_nonzero(p.inside & found.counted)) for p in periods.three}
    share = int(np.count_nonzero(found.counted)) / len(found.at_s)
    said: list[Finding] = []
    if not is_share_enough(found):
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
    for night in missing_nights(recording, sleep):
        times = f"{moment_words(recording, night.start_s)} to {moment_words(recording, night.end_s)}"
        said.append(
            Finding("night-missing", f"no sleep was found in the night of {times}: it is in no figure of sleep")
        )
    for night_period, _ in periods.nights:
        valid = int(np.count_nonzero(night_period.inside & found.counted))
        if valid < FEWEST_A_NIGHT:
            text = f"{night_period.name.lower()} has {valid} valid readings, {FEWEST_A_NIGHT} needed: its dip is not assessable"
            said.append(Finding("few-in-night", text))
    hours, whole = recording.length_s / 3600, whole_days_s(recording.length_s) / 3600
    if whole < hours:
        text = f"recorded for {hours:.0f} h: “24 h” figures rest on its first {whole:.0f} h, those of waking and sleep on all of it"
        said.append(Finding("length", text))
    elif hours > 27:
        said.append(Finding("length", f"recorded for {hours:.0f} h: “24 h” figures rest on {hours / 24:.0f} days"))
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


def _events(recording: Recording, review: Review, found: Readings) -> list[Detected]:
    """Presses of the event button, and failed tries with their error."""
    said = [
        Detected(e.at_s, e.at_s, e.code, e.text or "event button", not is_named(review.dropped, e.code, e.at_s))
        for e in recording.events
        if e.code in ("button", "event")
    ]
    for i in np.flatnonzero(~found.valid).tolist():
        event = found.events[i]
        said.append(Detected(event.at_s, event.at_s, "failed", f"try failed: {error_words(event)}"))
    return said


def brief(found: Assessment) -> str:
    """The mean of 24 h in a row of a list: "24 h 143/88 mmHg"."""
    means = [found.figure(f"all.{pressure}.mean").stated for pressure in ("systolic", "diastolic")]
    return "no valid reading" if np.isnan(means).any() else f"24 h {shown(means[0], 0)}/{shown(means[1], 0)} mmHg"
