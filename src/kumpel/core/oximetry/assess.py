"""All figures and verdicts of one overnight oximetry.

Channels read: `spo2` (%), `pulse` (bpm), `movement` and `probe_off` (0 or 1).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

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
    Suggestion,
    Table,
)
from kumpel.core.oximetry.artefacts import CODE, MOST, artefacts, given_back
from kumpel.core.oximetry.desaturations import LOWEST, Desaturation, desaturations, jumps, pulse_rises
from kumpel.core.oximetry.tables import by_hour, by_position
from kumpel.core.reckoning import Reckoning, both_ways, conclude, hours_minutes, planned_s, table
from kumpel.core.recording import Channel, Flags, Floats, Recording, sample_times
from kumpel.core.review import Review, named, samples_inside
from kumpel.core.runs import merge, runs
from kumpel.core.timebase import grid_places
from kumpel.core.units import channel_in

SOURCE = "own rule, docs/methods/oximetry.md"
ODI_SOURCE = "desaturations per valid hour; rule in docs/methods/oximetry.md"
FEWEST_VALID_S = 4 * 3600.0
PULSE_RANGE = (20.0, 300.0)
COUNTED_BELOW = (90, 88)
"""Saturations in % below which the time is counted (T90, T88)."""


@dataclass(frozen=True)
class Marks:
    """Why samples do not count, shape (n,) each; a sample may have several marks."""

    missing: Flags
    probe_off: Flags
    low: Flags
    jump: Flags
    movement: Flags

    @property
    def bad(self) -> Flags:
        return self.missing | self.probe_off | self.low | self.jump | self.movement


def _same_length(channel: Channel | None, like: Channel) -> Floats:
    """A channel's samples at another channel's samples; nan where it has none."""
    n = like.count
    if channel is None:
        return np.full(n, np.nan)
    middles, _ = grid_places(sample_times(n, like.interval_s) + like.interval_s / 2, channel.interval_s)
    at = np.minimum(middles, max(channel.count - 1, 0))
    found = channel.values[at] if channel.count else np.full(n, np.nan)
    found = found.copy()
    found[(np.arange(n) + 0.5) * like.interval_s >= channel.length_s] = np.nan
    return found


def marks(recording: Recording) -> tuple[Channel, Marks]:
    """The saturation in % and the marks of its samples. Raises ValueError when there is no channel `spo2`."""
    channel = recording.channels.get("spo2")
    if channel is None:
        raise ValueError("the recording has no oxygen saturation (channel spo2): nothing to assess")
    channel = channel_in(channel, "%")
    spo2 = channel.values
    missing = np.isnan(spo2)
    off = np.nan_to_num(_same_length(recording.channels.get("probe_off"), channel)) > 0
    with np.errstate(invalid="ignore"):
        low = spo2 < LOWEST
    low |= ~missing & (spo2 > 100)
    moving = np.nan_to_num(_same_length(recording.channels.get("movement"), channel)) > 0
    usable = ~(missing | off | low | moving)
    return channel, Marks(missing, off, low, jumps(spo2, channel.interval_s, usable), moving)


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess an overnight oximetry against a limit set, as recorded and as reviewed.

    Raises ValueError when there is no channel `spo2`.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    channel, marked = marks(recording)
    dt = channel.interval_s
    out = samples_inside(review.left_out, channel.count, dt)
    doubted = artefacts(_ruled_out(marked), dt, review)
    back = given_back(doubted, channel.count, dt)
    spo2 = np.where((marked.bad & ~back) | out, np.nan, channel.values)
    heart = _same_length(recording.channels.get("pulse"), channel)
    with np.errstate(invalid="ignore"):
        wrong = (heart < PULSE_RANGE[0]) | (heart > PULSE_RANGE[1])
    pulse = np.where(marked.probe_off | (marked.movement & ~back) | wrong | out, np.nan, heart)
    known = spo2[~np.isnan(spo2)]
    valid_s = len(known) * dt
    planned = planned_s(recording, review)
    reckoning = Reckoning(
        min(valid_s / planned, 1.0) if planned > 0 else 0.0, len(known), int(out.sum()), float(out.sum()) * dt
    )
    hours = valid_s / 3600
    _levels(reckoning, spo2, known, dt, valid_s)
    events, falls = _desaturations(reckoning, review, spo2, dt, hours)
    events += _pulse(reckoning, review, pulse, dt)
    events += [
        Detected(a.start_s, a.end_s, CODE, f"{a.reason}, {a.end_s - a.start_s:.0f} s", a.given_back) for a in doubted
    ]
    events += [
        Detected(a * dt, b * dt, "probe-off", f"probe off, {(b - a) * dt:.0f} s")
        for a, b in runs(marked.probe_off)[:MOST].tolist()
    ]
    positions = by_position(recording, spo2, dt, falls)
    findings = _findings(channel, marked, valid_s)
    pulse_s = float(np.count_nonzero(~np.isnan(pulse))) * dt
    if "pulse" in recording.channels and pulse_s < FEWEST_VALID_S <= valid_s:
        text = f"{hours_minutes(pulse_s)} h of valid pulse, 4:00 h needed for its figures"
        findings.append(Finding("valid-pulse", text, blocks=True, figures=("pulse",)))
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        Quality(reckoning.coverage, valid_s, planned, tuple(findings)),
        key_figures=("odi4", "t90", "odi3", "lowest"),
        suggestions=_suggestions(marked, dt, out),
        tables=(
            by_hour(recording, spo2, dt, falls),
            *((positions,) if positions else ()),
            _cumulative(known, dt),
            table(
                "bad",
                "Samples that do not count",
                [("Reason", "", None), ("Time", "min", 1)],
                [(r, float(f.sum()) * dt / 60) for r, f in _reasons(marked)],
            ),
        ),
        events=events,
        levels=[Level("spo2", line, f"T{line} counts below", 0.0, recording.length_s) for line in COUNTED_BELOW],
    )


def _levels(reckoning: Reckoning, spo2: Floats, known: Floats, dt: float, valid_s: float) -> None:
    n = Put("N", "valid samples", float(len(known)), "")
    there = len(known) > 0
    reckoning.put(
        "mean", "Mean saturation", float(known.mean()) if there else math.nan, "%", 1, "(1/N) sum x_i", SOURCE, n
    )
    at = int(np.nanargmin(spo2)) if there else 0
    reckoning.put(
        "lowest",
        "Lowest saturation",
        float(spo2[at]) if there else math.nan,
        "%",
        0,
        "min x_i",
        SOURCE,
        n,
        at_s=at * dt if there else None,
    )
    deviation = float(known.std(ddof=1)) if len(known) > 1 else math.nan
    reckoning.put(
        "sd", "Standard deviation of the saturation", deviation, "%", 1, "sqrt( sum (x_i - mean)2 / (N-1) )", SOURCE, n
    )
    for line in COUNTED_BELOW:
        below = float(np.count_nonzero(known < line)) * dt
        share = 100 * below / valid_s if there else math.nan
        minutes = below / 60 if there else math.nan
        reckoning.put(
            f"t{line}_min",
            f"T{line}, time below {line} %",
            minutes,
            "min",
            1,
            f"samples below {line} % x dt",
            SOURCE,
            n,
        )
        reckoning.put(
            f"t{line}", f"T{line}, share of valid time", share, "%", 1, f"100 x samples below {line} % / N", SOURCE, n
        )
    reckoning.put("valid", "Valid time", valid_s / 3600, "h", 2, "N x dt", SOURCE, n)


def _desaturations(
    reckoning: Reckoning, review: Review, spo2: Floats, dt: float, hours: float
) -> tuple[list[Detected], list[list[Desaturation]]]:
    """Figures of the falls that count, all falls as events (those of 4 points are a mark on those of 3), and those that count of 4 and of 3
    points."""
    events: list[Detected] = []
    counting: list[list[Desaturation]] = []
    deep = [(d.start_s, d.end_s) for d in desaturations(spo2, dt, 4)]
    for points in (3, 4):
        found = desaturations(spo2, dt, points)
        code = f"desaturation{points}"
        gone = _dropped(review, code, [(d.start_s, d.end_s) for d in found])
        kept = [d for d, out in zip(found, gone, strict=True) if not out]
        counting.insert(0, kept)
        rate = len(kept) / hours if hours > 0 else math.nan
        put = Put("n", f"desaturations of {points} points or more", float(len(kept)), "")
        reckoning.put(
            f"odi{points}",
            f"ODI{points}",
            rate,
            "/h",
            1,
            "n / valid hours",
            ODI_SOURCE,
            put,
            Put("T", "valid time", hours, "h"),
        )
        count = float(len(kept)) if hours > 0 else math.nan
        reckoning.put(f"count{points}", f"Desaturations of {points} points", count, "", 0, "count", ODI_SOURCE)
        if points == 3:
            _extremes(reckoning, kept)
        for d, out in zip(found, gone, strict=True):
            numbers: dict[str, float | str] = {"baseline": d.baseline, "lowest": d.lowest, "fall": d.fall}
            if points == 3:
                numbers["also 4 points"] = "yes" if any(a < d.end_s and d.start_s < b for a, b in deep) else ""
            text = f"fall of {d.fall:.0f} points to {d.lowest:.0f} %, {d.length_s:.0f} s"
            events.append(Detected(d.start_s, d.end_s, code, text, not out, numbers))
    return events, counting


def _dropped(review: Review, code: str, spans: list[tuple[float, float]]) -> list[bool]:
    edges = np.array(spans, dtype=np.float64).reshape(-1, 2)
    found: list[bool] = named(review.dropped, code, edges[:, 0], edges[:, 1]).tolist()
    return found


def _extremes(reckoning: Reckoning, kept: list[Desaturation]) -> None:
    longest = max(kept, key=lambda d: d.length_s, default=None)
    deepest = max(kept, key=lambda d: d.fall, default=None)
    note = "" if kept else "no desaturation"
    reckoning.put(
        "longest",
        "Longest desaturation",
        longest.length_s if longest else math.nan,
        "s",
        0,
        "max of end - start",
        ODI_SOURCE,
        note=note,
        at_s=longest.start_s if longest else None,
    )
    reckoning.put(
        "deepest",
        "Deepest fall",
        deepest.fall if deepest else math.nan,
        "%",
        1,
        "max of baseline - lowest",
        ODI_SOURCE,
        note=note,
        at_s=deepest.start_s if deepest else None,
    )
    mean = sum(d.fall for d in kept) / len(kept) if kept else math.nan
    reckoning.put("mean_fall", "Mean fall", mean, "%", 1, "mean of baseline - lowest", ODI_SOURCE, note=note)


def _pulse(reckoning: Reckoning, review: Review, pulse: Floats, dt: float) -> list[Detected]:
    known = pulse[~np.isnan(pulse)]
    there = len(known) > 0
    n = Put("N", "valid samples", float(len(known)), "")
    note = "" if there else "no valid pulse"
    for key, name, value in (
        ("pulse_mean", "Mean pulse", known.mean() if there else math.nan),
        ("pulse_lowest", "Lowest pulse", known.min() if there else math.nan),
        ("pulse_highest", "Highest pulse", known.max() if there else math.nan),
    ):
        reckoning.put(
            key,
            name,
            float(value),
            "bpm",
            0,
            f"{name.split()[0].lower()} of valid samples",
            SOURCE,
            n,
            note=note,
            used=len(known),
        )
    rises = pulse_rises(pulse, dt)
    gone = _dropped(review, "pulse-rise", rises)
    kept = [r for r, out in zip(rises, gone, strict=True) if not out]
    rate = len(kept) / (len(known) * dt / 3600) if there else math.nan
    reckoning.put(
        "pulse_rises",
        "Pulse rises",
        rate,
        "/h",
        1,
        "rises of >= 6 bpm within 10 s / valid hours of pulse",
        SOURCE,
        n,
        note=note,
        used=len(known),
    )
    return [
        Detected(a, b, "pulse-rise", "pulse rose by 6 bpm or more", not out)
        for (a, b), out in zip(rises, gone, strict=True)
    ]


def _findings(channel: Channel, marked: Marks, valid_s: float) -> list[Finding]:
    found = []
    if valid_s < FEWEST_VALID_S:
        text = f"{hours_minutes(valid_s)} h valid, 4:00 h needed: repeat the recording"
        found.append(Finding("valid", text, blocks=True))
    n = channel.count
    for reason, flags in _reasons(marked):
        share = float(flags.mean()) if n else 0.0
        if share > 0.01:
            found.append(Finding(reason.replace(" ", "-"), f"{reason}: {100 * share:.0f} % of the time, left out"))
    known = channel.values[~marked.missing]
    if len(known) and float(np.median(known)) <= 1.0:
        found.append(
            Finding("implausible", "saturation between 0 and 1: the file has fractions, not percent", blocks=True)
        )
    if len(known) > 600 and float(np.ptp(known)) == 0:
        found.append(Finding("constant", "the saturation never changed: was the probe on a person?", blocks=True))
    return found


def _reasons(marked: Marks) -> list[tuple[str, Flags]]:
    return [
        ("not measured", marked.missing & ~marked.probe_off),
        ("probe off", marked.probe_off),
        ("below 50 %", marked.low),
        ("jump", marked.jump),
        ("movement", marked.movement),
    ]


def _ruled_out(marked: Marks) -> list[tuple[str, Flags]]:
    """What was measured and is left out by a rule, which a person may see otherwise."""
    there = ~(marked.missing | marked.probe_off)
    return [("movement", marked.movement & there), ("below 50 %", marked.low & there), ("jump", marked.jump & there)]


def _suggestions(marked: Marks, dt: float, out: Flags) -> list[Suggestion]:
    """Stretches with much bad data, a minute and longer: a person may leave them out whole."""
    spans = runs(marked.bad & ~out).astype(np.float64) * dt
    text = "bad data in close succession (probe, movement, jumps)"
    return [Suggestion(a, b, "bad", text) for a, b in merge(spans, 10.0) if b - a >= 60]


def _cumulative(known: Floats, dt: float) -> Table:
    """Share of valid time below each percent, from 100 down to the lowest."""
    rows = []
    if len(known):
        ordered = np.sort(known)
        for percent in range(100, math.floor(ordered[0]) - 1, -1):
            below = int(np.searchsorted(ordered, percent))
            rows.append((float(percent), 100 * below / len(known), below * dt / 60))
    return table(
        "below", "Share below each percent", [("Saturation below", "%", 0), ("Share", "%", 1), ("Time", "min", 1)], rows
    )
