"""All figures of one resuscitation: compressions, their rate, depth, fraction and pauses, shocks, prompts.

Events read: `switch-on`, `switch-off`, `prompt`, `button`, `shock`, `compression` (data: depth_mm). Channel: `ecg` (mV).
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
    LimitSet,
    Put,
    Quality,
    Suggestion,
    Table,
)
from kumpel.core.reckoning import Reckoning, both_ways, conclude, span_levels, table
from kumpel.core.recording import Event, Flags, Floats, Recording
from kumpel.core.review import Review, is_named
from kumpel.core.timebase import in_order, on_grid
from kumpel.core.units import values_in

SOURCE = "AHA guidelines 2020, part 3; ERC guidelines 2021, basic life support"
FRACTION_SOURCE = "Meaney et al., Circulation 2013;128:417 (chest compression fraction)"
RATE_TARGET = (100.0, 120.0)
DEPTH_TARGET = (50.0, 60.0)
STOP_S = 2.0
"""Two compressions further apart than this are not one train: the time between is a pause."""
LONG_PAUSE_S = 10.0


@dataclass(frozen=True)
class Compressions:
    """Compressions that count: times in s, shape (n,), rising; depths in mm, nan where the depth was not measured."""

    at_s: Floats
    depth_mm: Floats

    @property
    def intervals_s(self) -> Floats:
        """Time from each compression to the next, shape (n - 1,)."""
        return np.diff(self.at_s)

    @property
    def in_train(self) -> Flags:
        """Flags of the intervals inside a train, shape (n - 1,)."""
        found: Flags = on_grid(self.intervals_s) <= STOP_S
        return found

    @property
    def rates(self) -> Floats:
        """Rate of each interval inside a train, in 1/min: 60 / interval."""
        inside = self.intervals_s[self.in_train]
        return 60.0 / inside

    @property
    def pauses(self) -> list[tuple[float, float]]:
        """Start and end in s of the times between trains."""
        return [(float(self.at_s[i]), float(self.at_s[i + 1])) for i in np.flatnonzero(~self.in_train)]


def _counts(review: Review, code: str, at_s: float) -> bool:
    out = any(s.start_s <= at_s < s.end_s for s in review.left_out) or is_named(review.dropped, code, at_s)
    return not out or is_named(review.kept, code, at_s)


def compressions(recording: Recording, review: Review) -> Compressions:
    """The compressions that count, in order, each time once."""
    events = [e for e in recording.events if e.code == "compression" and _counts(review, "compression", e.at_s)]
    at = np.array([e.at_s for e in events], dtype=np.float64).reshape(len(events))
    depth = np.array([_depth(e) for e in events], dtype=np.float64).reshape(len(events))
    order = in_order(at).index
    return Compressions(at[order], depth[order])


def _depth(event: Event) -> float:
    value = event.data.get("depth_mm")
    depth = float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan
    return depth if depth > 0 else math.nan


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a resuscitation against a limit set, as recorded and as reviewed.

    Raises ValueError when the recording has neither an ECG nor an event.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    if not recording.events and "ecg" not in recording.channels:
        raise ValueError("the recording has neither an ECG (channel ecg) nor an event: nothing to assess")
    found = compressions(recording, review)
    shocks = sorted(e.at_s for e in recording.events if e.code == "shock" and _counts(review, "shock", e.at_s))
    length = max([recording.length_s, *(e.at_s for e in recording.events)])
    reckoning = Reckoning(_ecg_coverage(recording), used=len(found.at_s))
    _times(reckoning, recording, found, shocks)
    _compressions(reckoning, found)
    _pauses(reckoning, found, shocks, length)
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        Quality(reckoning.coverage, length, length, tuple(_findings(recording, found))),
        key_figures=("rate", "depth", "fraction", "longest_pause"),
        suggestions=_suggestions(recording, found),
        tables=(_minutes(found, length), _pause_table(found, shocks), _sheet_table(recording)),
        events=[
            Detected(e.at_s, e.at_s, e.code, e.text or e.code, _counts(review, e.code, e.at_s))
            for e in recording.events
            if e.code != "compression"
        ],
        levels=[
            level
            for rule in limits.rules
            if rule.figure == "depth"
            for level in span_levels("depth_mm", rule, [(0.0, length)])
        ],
    )


def _ecg_coverage(recording: Recording) -> float:
    ecg = recording.channels.get("ecg")
    return ecg.samples.measured() / ecg.count if ecg is not None and ecg.count else 0.0


def _times(reckoning: Reckoning, recording: Recording, found: Compressions, shocks: list[float]) -> None:
    switched = next((e.at_s for e in recording.events if e.code == "switch-on"), math.nan)
    on = 0.0 if math.isnan(switched) else switched
    first = float(found.at_s[0]) if len(found.at_s) else math.nan
    for key, name, at in (
        ("switch_on", "Switched on", switched),
        ("first_compression", "First compression", first),
        ("first_shock", "First shock", shocks[0] if shocks else math.nan),
    ):
        note = "" if not math.isnan(at) else "none in this recording"
        reckoning.put(
            key,
            f"{name}, after switch-on",
            at - on,
            "s",
            0,
            "time of the event - time of switch-on",
            SOURCE,
            note=note,
            at_s=None if math.isnan(at) else at,
        )
    reckoning.put("shocks", "Shocks", float(len(shocks)), "", 0, "count", SOURCE)


def _compressions(reckoning: Reckoning, found: Compressions) -> None:
    n = len(found.at_s)
    rates = found.rates
    depths = found.depth_mm[~np.isnan(found.depth_mm)]
    count = Put("N", "compressions", float(n), "")
    reckoning.put("compressions", "Compressions", float(n), "", 0, "count", SOURCE)
    none = "no compression" if not n else ""
    rate = 60.0 * len(rates) / float(np.sum(60.0 / rates)) if len(rates) else math.nan
    reckoning.put(
        "rate",
        "Mean rate",
        rate,
        "/min",
        0,
        f"60 x intervals / their time, intervals up to {STOP_S:g} s",
        SOURCE,
        count,
        note=none or ("" if len(rates) else "a single compression"),
    )
    depth = float(depths.mean()) if len(depths) else math.nan
    no_depth = none or ("" if len(depths) else "depth was not measured")
    reckoning.put(
        "depth", "Mean depth", depth, "mm", 0, "mean of the depths", SOURCE, count, note=no_depth, used=len(depths)
    )
    for key, name, values, (low, high), note in (
        ("rate_in_target", "Rate in target", rates, RATE_TARGET, none),
        ("depth_in_target", "Depth in target", depths, DEPTH_TARGET, no_depth),
    ):
        # An interval of 0.5 s is 120 per minute; the sum of times must not push it out of the target.
        share = 100 * float(np.mean((values >= low - 1e-6) & (values <= high + 1e-6))) if len(values) else math.nan
        reckoning.put(
            key,
            name,
            share,
            "%",
            0,
            f"100 x share within {low:g} to {high:g}",
            SOURCE,
            count,
            note=note,
            used=len(values),
        )
    # Both at once: a compression belongs to the interval that begins with it.
    both = math.nan
    if n > 1 and len(depths):
        intervals = found.intervals_s
        with np.errstate(invalid="ignore"):
            rate_ok = (60 / intervals >= RATE_TARGET[0] - 1e-6) & (60 / intervals <= RATE_TARGET[1] + 1e-6)
            depth_ok = (found.depth_mm[:-1] >= DEPTH_TARGET[0]) & (found.depth_mm[:-1] <= DEPTH_TARGET[1])
        known = found.in_train & ~np.isnan(found.depth_mm[:-1])
        both = 100 * float(np.mean((rate_ok & depth_ok)[known])) if known.any() else math.nan
    reckoning.put(
        "in_target",
        "Rate and depth in target",
        both,
        "%",
        0,
        "100 x share of compressions with both in target",
        SOURCE,
        count,
        note=no_depth,
        made_of=("depth", "rate"),
    )


def _pauses(reckoning: Reckoning, found: Compressions, shocks: list[float], length: float) -> None:
    """Fraction, long pauses, and the pauses around each shock.

    Fraction = time in trains / (last - first compression). The pause before a shock runs from the last
    compression before it to the shock, the pause after it from the shock to the next compression.
    """
    n = len(found.at_s)
    pauses = found.pauses
    span = float(found.at_s[-1] - found.at_s[0]) if n > 1 else 0.0
    paused = sum(b - a for a, b in pauses)
    none = "fewer than two compressions" if n < 2 else ""
    fraction = 100 * (span - paused) / span if span > 0 else math.nan
    reckoning.put(
        "fraction",
        "Compression fraction",
        fraction,
        "%",
        0,
        "100 x time in trains / (last - first compression)",
        FRACTION_SOURCE,
        Put("T", "first to last compression", span, "s"),
        Put("paused", "sum of pauses", paused, "s"),
        note=none,
    )
    peri = sum(b - a for (a, b), inside in zip(pauses, _shocks_in(pauses, shocks), strict=True) if inside)
    for key, name, value, formula in (
        ("paused", "Without compressions", paused, "sum of the pauses from the first to the last compression"),
        ("paused_shock", "of it around shocks", peri, "sum of the pauses in which a shock was given"),
        ("paused_else", "of it without a shock", paused - peri, "sum of the pauses in which none was given"),
    ):
        value_s = value if n > 1 else math.nan
        reckoning.put(key, name, value_s, "s", 1, formula, FRACTION_SOURCE, note=none, made_of=("fraction",))
    long = [(a, b) for a, b in pauses if round(b - a, 6) > LONG_PAUSE_S]
    reckoning.put(
        "long_pauses",
        "Pauses over 10 s",
        float(len(long)) if n > 1 else math.nan,
        "",
        0,
        "pauses longer than 10 s",
        SOURCE,
        note=none,
    )
    longest = max(pauses, key=lambda p: p[1] - p[0], default=None)
    value = longest[1] - longest[0] if longest else 0.0 if n > 1 else math.nan
    reckoning.put(
        "longest_pause",
        "Longest pause",
        value,
        "s",
        1,
        "longest time between two trains",
        SOURCE,
        note=none or ("" if longest else "no pause"),
        at_s=longest[0] if longest else None,
    )
    before, after = around_shocks(found, shocks)
    for key, name, values in (
        ("before_shock", "Longest pause before a shock", before),
        ("after_shock", "Longest pause after a shock", after),
    ):
        known = [v for v in values if not math.isnan(v)]
        note = "" if known else "no shock" if not shocks else "no compression on that side of a shock"
        reckoning.put(
            key, name, max(known, default=math.nan), "s", 1, "time between shock and compression", SOURCE, note=note
        )


def around_shocks(found: Compressions, shocks: list[float]) -> tuple[list[float], list[float]]:
    """Pause before and after each shock in s; nan where there is no compression on that side."""
    before, after = [], []
    for at in shocks:
        earlier, later = found.at_s[found.at_s <= at], found.at_s[found.at_s > at]
        before.append(at - float(earlier[-1]) if len(earlier) else math.nan)
        after.append(float(later[0]) - at if len(later) else math.nan)
    return before, after


def _minutes(found: Compressions, length: float) -> Table:
    """Quality minute by minute: count, mean rate, mean depth, share of depths in target, share of the minute in trains, longest pause
    over 10 s that begins in it."""
    rows = []
    at, intervals = found.at_s, found.intervals_s
    pauses = np.array(found.pauses, dtype=np.float64).reshape(-1, 2)
    lengths = np.round(pauses[:, 1] - pauses[:, 0], 6)
    for minute in range(int(min(length, 86_400) // 60) + 1):
        a, b = minute * 60.0, min((minute + 1) * 60.0, length)
        if b <= a:
            break
        inside = (at >= a) & (at < b)
        depths = found.depth_mm[inside]
        depths = depths[~np.isnan(depths)]
        train = np.flatnonzero(intervals <= STOP_S)
        busy = float(np.sum(np.clip(np.minimum(at[train + 1], b) - np.maximum(at[train], a), 0, None)))
        begun = train[(at[train] >= a) & (at[train] < b)]
        rate = 60 * len(begun) / float(intervals[begun].sum()) if len(begun) else math.nan
        depth = float(depths.mean()) if len(depths) else math.nan
        good = (
            100 * float(np.mean((depths >= DEPTH_TARGET[0]) & (depths <= DEPTH_TARGET[1]))) if len(depths) else math.nan
        )
        long = lengths[(pauses[:, 0] >= a) & (pauses[:, 0] < b) & (lengths > LONG_PAUSE_S)]
        rows.append(
            (
                a,
                float(inside.sum()),
                rate,
                depth,
                good,
                100 * busy / (b - a),
                float(long.max()) if len(long) else math.nan,
            )
        )
    columns = [
        ("Minute from", "clock", 0),
        ("Compressions", "", 0),
        ("Rate", "/min", 0),
        ("Depth", "mm", 0),
        ("Depth in target", "%", 0),
        ("Fraction", "%", 0),
        ("Long pause", "s", 0),
    ]
    return table("minutes", "Quality per minute", columns, rows)


def _shocks_in(pauses: list[tuple[float, float]], shocks: list[float]) -> list[list[float]]:
    """The shocks (rising) that lie in each pause."""
    edges = np.array(pauses, dtype=np.float64).reshape(-1, 2)
    first, end = np.searchsorted(shocks, edges[:, 0], "left"), np.searchsorted(shocks, edges[:, 1], "right")
    return [shocks[a:b] for a, b in zip(first.tolist(), end.tolist(), strict=True)]


def _pause_table(found: Compressions, shocks: list[float]) -> Table:
    """Pauses over 10 s, and all around shocks: those have a part before the first shock in them and one after the last."""
    rows: list[tuple[str | float, ...]] = []
    pauses = found.pauses
    for (a, b), inside in zip(pauses, _shocks_in(pauses, shocks), strict=True):
        if not inside and round(b - a, 6) <= LONG_PAUSE_S:
            continue
        before, after = (inside[0] - a, b - inside[-1]) if inside else (math.nan, math.nan)
        rows.append((a, b - a, "around a shock" if inside else "no shock", before, after))
    columns = [
        ("From", "clock", 0),
        ("Length", "s", 1),
        ("In it", "", None),
        ("Before the shock", "s", 1),
        ("After the shock", "s", 1),
    ]
    return table("pauses", "Pauses over 10 s and around shocks", columns, rows)


def _sheet_table(recording: Recording) -> Table:
    """The recording in order of time: prompts, buttons, shocks."""
    rows = [(e.at_s, e.code, e.text) for e in sorted(recording.events, key=lambda e: e.at_s) if e.code != "compression"]
    return table("case", "In order of time", [("Time", "clock", 0), ("Event", "", None), ("Text", "", None)], rows)


def _findings(recording: Recording, found: Compressions) -> list[Finding]:
    said = []
    ecg = values_in(recording, "ecg", "mV")
    if ecg is None:
        said.append(Finding("no-ecg", "no ECG was recorded"))
    elif len(ecg):
        missing = float(np.mean(np.isnan(ecg)))
        if missing > 0.2:
            said.append(Finding("ecg", f"no ECG for {100 * missing:.0f} % of the time (pads off?)"))
        thin = ecg[:: max(len(ecg) // 100_000, 1)]
        known = thin[~np.isnan(thin)]
        if len(known) and float(np.percentile(np.abs(known - np.median(known)), 99)) > 50:
            said.append(Finding("ecg-unit", "the ECG swings by more than 50 mV: is the unit right (µV)?"))
    if not len(found.at_s):
        said.append(
            Finding("no-compressions", "no compression was recorded: the quality cannot be assessed", blocks=True)
        )
    elif float(np.mean(np.isnan(found.depth_mm))) > 0.5:
        said.append(Finding("no-depth", "depth is missing for most compressions", blocks=True, figures=("depth",)))
    depths = found.depth_mm[~np.isnan(found.depth_mm)]
    if len(depths) and float(np.median(depths)) < 10:
        text = "half of the depths are below 10 mm: is the unit right (cm)?"
        said.append(Finding("depth-unit", text, blocks=True, figures=("depth",)))
    return said


def _suggestions(recording: Recording, found: Compressions) -> list[Suggestion]:
    """Compressions that cannot be: closer than 0.25 s (240 a minute), or deeper than 100 mm."""
    hits = set(np.flatnonzero(found.intervals_s < 0.25).tolist()) | set(np.flatnonzero(found.depth_mm > 100).tolist())
    text = "compression too fast or too deep to be one: was the sensor moved?"
    return [
        Suggestion(float(found.at_s[i]), float(found.at_s[i]) + 0.1, "compression", text) for i in sorted(hits)[:200]
    ]
