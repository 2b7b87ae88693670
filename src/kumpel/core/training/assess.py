"""All figures of one training session.

Channels read: `lat`, `lon` (deg), `speed` (m/s), `distance` (m), `altitude` (m), `heart_rate` (bpm), `cadence` (/min).
Events read: `interval` (a mark on the recorder), `stroke` (its start; data: distance_m).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Finding,
    LimitSet,
    Put,
    Quality,
    Table,
)
from kumpel.core.reckoning import Reckoning, both_ways, conclude, own_events, setup_number, short_of, table
from kumpel.core.recording import PLAUSIBLE_BPM, POINT, Floats, Recording
from kumpel.core.review import Review, is_named
from kumpel.core.rounding import shown
from kumpel.core.timebase import on_grid
from kumpel.core.track import doubted_words
from kumpel.core.training.course import (
    MOVER,
    MOVING_FROM_M_S,
    Base,
    Course,
    ascent_descent,
    base_of,
    course_of,
    moving_s,
)
from kumpel.core.training.efforts import EFFORTS_M, best_effort, effort_words
from kumpel.core.training.heart import (
    LOAD_SOURCE,
    ZONE_SOURCE,
    Wearer,
    time_in_zones,
    trimp,
    wearer_of,
    zone_edges,
)
from kumpel.core.training.hills import hill_table
from kumpel.core.training.levels import Splits, levels
from kumpel.core.training.pace_bands import pace_table
from kumpel.core.units import channel_in

SOURCE = "own rule, docs/methods/training.md"
MOST_ROWS = 5000
WATER_MODES = ("paddle", "row")
ON_LAND = ("distance", "moving", "heart_rate_mean", "load")
ON_WATER = ("distance", "pace_500", "cadence", "per_stroke")
"""What leads: on the water a pace is told over 500 m, with the rate and what a stroke brings."""


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a training session against a limit set, as recorded and as reviewed.

    Options: `split_m` or `split_s` (default: the setup's, else 1000 m), `moving_from` (m/s). Raises ValueError when
    there is neither position nor speed nor distance.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    base = base_of(recording)
    course = course_of(recording, review, base)
    n = len(base)
    rate, spoilt = _rate(base, course)
    wearer = wearer_of(recording.setup)
    edges = zone_edges(recording.setup, wearer)
    elapsed = float(course.time_s[-1])
    length = float(base.edges_s[-1] - base.edges_s[0])
    share = elapsed / length if length > 0 else 0.0
    left_out_s = float(np.diff(base.edges_s)[~course.counted].sum())
    reckoning = Reckoning(share, n, n - int(course.counted.sum()), left_out_s)
    _movement(reckoning, recording, review, base, course)
    _efforts(reckoning, course)
    _heart(reckoning, rate, course.lengths_s, elapsed, wearer)
    _strokes(reckoning, recording, review, base, course)
    marks = sorted(
        {e.at_s for e in recording.events if e.code in ("interval", "lap") and 0 < e.at_s < recording.length_s}
    )
    end = float(base.edges_s[-1])
    bounds = np.array([0.0, *(m for m in marks if m < end), end])
    split_bounds, split_word = _split_bounds(recording, review, course)
    extra = (base, course, rate)
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        Quality(
            share,
            elapsed,
            length,
            tuple(_findings(base, course, rate, spoilt, wearer, elapsed, limits.minimum_coverage)),
        ),
        key_figures=ON_WATER if recording.setup.get("mode") in WATER_MODES else ON_LAND,
        # Missing heart rate cannot take a highest one away, nor a missing position any way.
        alone={key: reckoning.value(key) for key in ("heart_rate_share", "heart_rate_max", "distance")},
        tables=(
            levels(bounds, _splits(recording, review), *extra, _stroke_times(recording, review)),
            _parts("intervals", "Intervals", bounds, *extra),
            _parts("splits", f"Splits of {split_word}", split_bounds, *extra),
            _stroke_table(recording, course),
            _zone_table(rate, course.lengths_s, edges, elapsed),
            hill_table(base, course, rate),
            pace_table(course),
        ),
        events=own_events(recording, review, ("stroke", POINT)),
    )


def _rate(base: Base, course: Course) -> tuple[Floats, float]:
    """Heart rate of each sample, nan where missing, masked or left out; seconds of implausible values."""
    rate = base.columns.get("heart_rate", np.full(len(base), np.nan))
    with np.errstate(invalid="ignore"):
        wrong = (rate < PLAUSIBLE_BPM[0]) | (rate > PLAUSIBLE_BPM[1])
    return np.where(wrong | ~course.counted, np.nan, rate), float(course.lengths_s[wrong].sum())


def _movement(reckoning: Reckoning, recording: Recording, review: Review, base: Base, course: Course) -> None:
    elapsed = float(course.time_s[-1])
    distance = float(course.distance_m[-1]) if course.measured_s > 0 else math.nan
    threshold = review.number("moving_from", MOVING_FROM_M_S)
    moving = moving_s(course, threshold) if course.measured_s > 0 else math.nan
    note = f"{course.bridged_s:.0f} s without a position, in a straight line" if course.bridged_s else ""
    note = note if course.measured_s > 0 else "nothing was measured of it"
    d = Put("d", "distance", distance, "m")
    cover = min(course.measured_s / elapsed, 1.0) if elapsed > 0 else 0.0
    formula = "sum of the lengths between samples"
    reckoning.put("distance", "Distance", distance / 1000, "km", 3, formula, course.source, note=note, coverage=cover)
    reckoning.put("elapsed", "Elapsed time", elapsed, "s", 0, "counted samples x dt", SOURCE)
    reckoning.put(
        "moving",
        "Moving time",
        moving,
        "s",
        0,
        f"samples with a speed of {threshold:g} m/s or more x dt",
        SOURCE,
        coverage=cover,
    )
    # One sample has a speed but no way: nothing can be said of a mean.
    speed = distance / moving if moving > 0 and len(course.speed) > 1 else math.nan
    none = "" if not math.isnan(speed) else "no movement"
    reckoning.put(
        "speed_mean",
        "Mean speed while moving",
        speed * 3.6,
        "km/h",
        1,
        "d / moving time",
        SOURCE,
        d,
        note=none,
        coverage=cover,
    )
    top = float(np.nanmax(course.speed)) if np.any(~np.isnan(course.speed)) else math.nan
    reckoning.put("speed_max", "Highest speed", top * 3.6, "km/h", 1, "max of the speed", SOURCE, coverage=cover)
    reckoning.put(
        "pace",
        "Pace",
        1000 / speed if speed > 0 else math.nan,
        "s/km",
        0,
        "moving time / d",
        SOURCE,
        d,
        note=none,
        coverage=cover,
    )
    reckoning.put(
        "pace_500",
        "Pace over 500 m",
        500 / speed if speed > 0 else math.nan,
        "s/500 m",
        0,
        "moving time / d",
        SOURCE,
        d,
        note=none,
        coverage=cover,
    )
    up, down = _ascent(recording, base, course)
    none = "" if "altitude" in base.columns else "no altitude"
    formula = "sum of rises of the altitude, smoothed over 30 s, turns under 2 m ignored"
    reckoning.put("ascent", "Ascent", up, "m", 0, formula, SOURCE, note=none)
    reckoning.put(
        "descent",
        "Descent",
        down,
        "m",
        0,
        formula.replace("rises", "falls"),
        SOURCE,
        note=none,
    )


def _efforts(reckoning: Reckoning, course: Course) -> None:
    """The fastest time over each distance that was covered; a distance that was not has no figure."""
    cover = min(course.measured_s / float(course.time_s[-1]), 1.0) if course.time_s[-1] > 0 else 0.0
    for length_m in EFFORTS_M:
        taken, began = best_effort(course.edges_s, course.distance_m, course.counted, length_m)
        if math.isnan(taken):
            continue
        reckoning.put(
            f"effort.{length_m:g}",
            f"Fastest {effort_words(length_m)}",
            taken,
            "s",
            1,
            "min over a of t(d(a) + L) - t(a)",
            SOURCE,
            Put("L", "length", length_m, "m"),
            at_s=began,
            coverage=cover,
        )


def _ascent(recording: Recording, base: Base, course: Course) -> tuple[float, float]:
    """Metres climbed and descended: of the altitude channel at its own rate, or of the recorded rows each second."""
    rows = base.columns.get("altitude")
    if rows is None:
        return math.nan, math.nan
    if recording.points is not None:
        known = ~np.isnan(rows) & course.counted
        if not known.any():
            return math.nan, math.nan
        at = base.edges_s[:-1][known]
        return ascent_descent(np.interp(np.arange(at[0], at[-1] + 1.0), at, rows[known]), 1.0)
    channel = channel_in(recording.channels["altitude"], "m")
    if channel.count != len(base):
        return ascent_descent(channel.values, channel.interval_s)
    return ascent_descent(np.where(course.counted, rows, np.nan), channel.interval_s)


def _heart(reckoning: Reckoning, rate: Floats, lengths_s: Floats, elapsed: float, wearer: Wearer) -> None:
    good = ~np.isnan(rate)
    known, stands = rate[good], lengths_s[good]
    there = len(known) > 0
    cover = min(float(stands.sum()) / elapsed, 1.0) if elapsed > 0 else 0.0
    note = "" if there else "no heart rate was recorded"
    mean = float(np.average(known, weights=stands)) if there else math.nan
    top = float(known.max()) if there else math.nan
    n = Put("N", "samples with a heart rate", float(len(known)), "")

    def put(
        key: str, name: str, value: float, unit: str, formula: str, source: str, *numbers: Put, note: str = note
    ) -> None:
        reckoning.put(
            key, name, value, unit, 0, formula, source, n, *numbers, note=note, coverage=cover, used=len(known)
        )

    put("heart_rate_mean", "Mean heart rate", mean, "bpm", "sum HR_i dt_i / sum dt_i", SOURCE)
    put("heart_rate_max", "Highest heart rate", top, "bpm", "max HR_i", SOURCE)
    highest = Put("highest", "highest heart rate of the wearer", wearer.highest_bpm, "bpm")
    of_highest = 100 * top / wearer.highest_bpm
    put(
        "heart_rate_share",
        "Highest heart rate, share of the wearer's",
        of_highest,
        "%",
        "100 max HR_i / highest",
        SOURCE,
        highest,
        note=note or ("" if not math.isnan(of_highest) else "the wearer's highest rate is not known"),
    )
    load = trimp(rate, lengths_s, wearer)
    missing = [
        w for w, v in (("highest rate", wearer.highest_bpm), ("resting rate", wearer.resting_bpm)) if math.isnan(v)
    ]
    missing += [] if wearer.sex else ["sex"]
    put(
        "load",
        "Load (TRIMP)",
        load,
        "",
        "sum dt r k e^(b r), r = (HR - rest)/(highest - rest); k, b = 0.64, 1.92 (men), 0.86, 1.67 (women)",
        LOAD_SOURCE,
        highest,
        Put("rest", "resting heart rate", wearer.resting_bpm, "bpm"),
        note=note or (f"needs the wearer's {', '.join(missing)}" if math.isnan(load) else ""),
    )


def _stroke_times(recording: Recording, review: Review | None = None) -> Floats:
    dropped = review.dropped if review else ()
    at = {e.at_s for e in recording.events if e.code == "stroke" and not is_named(dropped, "stroke", e.at_s)}
    return np.array(sorted(at), dtype=np.float64)


def _strokes(reckoning: Reckoning, recording: Recording, review: Review, base: Base, course: Course) -> None:
    at = _stroke_times(recording, review)
    cadence = base.columns.get("cadence", np.empty(0))
    turning = np.nan_to_num(cadence) > 0
    known = cadence[turning]
    mean_cadence = float(np.average(known, weights=course.lengths_s[turning])) if len(known) else math.nan
    gaps = on_grid(np.diff(at))
    steady = gaps[gaps <= 10.0]
    value = mean_cadence if len(known) else 60 / float(steady.mean()) if len(steady) else math.nan
    source = "mean of the samples above 0" if len(known) else "60 / mean time between strokes"
    reckoning.put(
        "cadence", "Cadence", value, "/min", 0, source, SOURCE, note="" if not math.isnan(value) else "no cadence"
    )
    if len(at) > 1:
        covered = np.diff(course.distance_at(at))
        per = float(covered[gaps <= 10.0].mean()) if len(steady) else math.nan
        note = ""
    else:
        moving = reckoning.value("moving")
        per = (
            reckoning.value("distance") * 1000 / (value * moving / 60)
            if value > 0 and moving > 0 and reckoning.value("distance") > 0
            else math.nan
        )
        note = "from mean speed and cadence" if not math.isnan(per) else "no strokes"
    reckoning.put("per_stroke", "Distance per stroke", per, "m", 2, "distance between strokes", SOURCE, note=note)
    reckoning.put(
        "strokes",
        "Strokes",
        float(len(at)) if len(at) else math.nan,
        "",
        0,
        "count",
        SOURCE,
        note="" if len(at) else "no strokes",
    )


def _splits(recording: Recording, review: Review) -> Splits:
    """How a session is divided: by time where only that was set, else by distance."""
    seconds = review.number("split_s", setup_number(recording.setup, "split_s", 0.0))
    if seconds > 0 and "split_m" not in review.options:
        return Splits(every_s=seconds)
    metres = review.number("split_m", setup_number(recording.setup, "split_m", 1000.0))
    if not metres > 0:
        raise ValueError(f"splits must be longer than 0 m, not {metres:g}")
    return Splits(every_m=metres)


def _split_bounds(recording: Recording, review: Review, course: Course) -> tuple[Floats, str]:
    """Edges of the splits in s after the start; the last split ends with the session."""
    end = float(course.edges_s[-1])
    splits = _splits(recording, review)
    if splits.every_s:
        marks = course.time_s[-1] // splits.every_s
        wanted = np.arange(1, min(int(marks), MOST_ROWS) + 1) * splits.every_s
        at = np.interp(wanted, course.time_s, course.edges_s)
        word = f"{splits.every_s / 60:g} min"
    else:
        metres = splits.every_m
        count = min(int((course.distance_m[-1] + 1e-6) // metres), MOST_ROWS)
        at = course.times_of(np.arange(1, count + 1, dtype=np.float64) * metres)
        word = f"{metres:g} m"
    inner = at[(at > 0) & (at < end)]
    return np.array([0.0, *inner.tolist(), end]), word


def _parts(key: str, title: str, bounds: Floats, base: Base, course: Course, rate: Floats) -> Table:
    """One row for each part between edges: distance, time, speed, heart rate. The rows sum up to the session."""
    distance, time = np.diff(course.distance_at(bounds)), np.diff(course.counted_at(bounds))
    middles, parts = (base.edges_s[1:] + base.edges_s[:-1]) / 2, len(bounds) - 1
    which = np.clip(np.searchsorted(bounds, middles, side="right") - 1, 0, parts - 1)
    means = _means(which, rate, course.lengths_s, parts)
    tops = np.full(parts, np.nan)
    np.fmax.at(tops, which, rate)
    cadence = base.columns.get("cadence", np.full(len(base), np.nan))
    turns = _means(which, np.where(np.nan_to_num(cadence) > 0, cadence, np.nan), course.lengths_s, parts)
    rows = []
    for i in range(len(bounds) - 1):
        speed = distance[i] / time[i] if time[i] > 0 else math.nan
        rows.append(
            (
                float(bounds[i]),
                float(distance[i]),
                float(time[i]),
                speed * 3.6,
                1000 / speed if speed > 0 else math.nan,
                float(means[i]),
                float(tops[i]),
                float(turns[i]),
            )
        )
    columns = [
        ("From", "clock", 1),
        ("Distance", "m", 1),
        ("Time", "s", 1),
        ("Speed", "km/h", 1),
        ("Pace", "s/km", 0),
        ("Heart rate", "bpm", 0),
        ("Highest", "bpm", 0),
        ("Cadence", "/min", 0),
    ]
    return table(key, title, columns, rows)


def _means(which: NDArray[np.intp], values: Floats, lengths_s: Floats, parts: int) -> Floats:
    """Mean over time of what was measured in each part, shape (parts,); nan where nothing was."""
    known = ~np.isnan(values)
    time = np.bincount(which[known], lengths_s[known], minlength=parts)
    total = np.bincount(which[known], (values * lengths_s)[known], minlength=parts)
    return np.where(time > 0, total / np.where(time > 0, time, 1), np.nan)


def _stroke_table(recording: Recording, course: Course) -> Table:
    """Strokes: the distance is the session's between the starts of strokes, so that strokes sum up to splits."""
    at = _stroke_times(recording)[: MOST_ROWS + 1]
    stated = {e.at_s: e.data.get("distance_m") for e in recording.events if e.code == "stroke"}
    distance = np.diff(course.distance_at(at)) if len(at) else np.empty(0)
    rows = []
    for i, d in enumerate(distance.tolist()):
        own = stated.get(float(at[i]))
        length = float(at[i + 1] - at[i])
        rows.append((float(at[i]), length, 60 / length, d, float(own) if isinstance(own, int | float) else math.nan))
    columns = [
        ("Time", "clock", 1),
        ("Length", "s", 2),
        ("Rate", "/min", 0),
        ("Distance", "m", 2),
        ("As the recorder says", "m", 2),
    ]
    return table("strokes", "Strokes", columns, rows)


def _zone_table(rate: Floats, lengths_s: Floats, edges: Floats, elapsed: float) -> Table:
    seconds = time_in_zones(rate, lengths_s, edges)
    missing = max(elapsed - float(lengths_s[~np.isnan(rate)].sum()), 0.0)
    lows = [math.nan, *edges.tolist()]
    rows: list[tuple[str | float, ...]] = []
    for i, s in enumerate(seconds.tolist()):
        rows.append(
            ("below zone 1" if i == 0 else f"zone {i}", lows[i], s, 100 * s / elapsed if elapsed > 0 else math.nan)
        )
    rows.append(("no heart rate", math.nan, missing, 100 * missing / elapsed if elapsed > 0 else math.nan))
    return table(
        "zones",
        f"Time in zones ({ZONE_SOURCE.split(':')[0]})",
        [("Zone", "", None), ("From", "bpm", 0), ("Time", "s", 0), ("Share", "%", 0)],
        rows,
    )


def _findings(
    base: Base, course: Course, rate: Floats, spoilt: float, wearer: Wearer, elapsed: float, minimum: float
) -> list[Finding]:
    found = []
    cover = float(course.lengths_s[~np.isnan(rate)].sum()) / elapsed if elapsed > 0 else 0.0
    if cover == 0:
        found.append(
            Finding("no-heart-rate", "no heart rate: figures that need it are not given", True, ("heart_rate", "load"))
        )
    elif cover < 0.9:
        blocks = round(cover, 9) < minimum
        text = f"heart rate for {short_of(cover, minimum) if blocks else shown(100 * cover, 0)} % of the time"
        text += f", {100 * minimum:g} % needed" if blocks else ""
        found.append(Finding("heart-rate", text, blocks, ("heart_rate", "load"), at_least=True))
    if spoilt:
        found.append(Finding("implausible", f"{spoilt:.0f} s of heart rate outside 25 to 240 bpm are not counted"))
    if course.false_speed_s:
        text = f"{course.false_speed_s:.0f} s of a speed above {MOVER.speed_m_s:g} m/s or below 0 are not counted"
        found.append(Finding("implausible-speed", text))
    if course.doubted:
        found.append(Finding("doubted", doubted_words(course.doubted)))
    missing_s = elapsed - course.measured_s
    if missing_s > 0.1 * elapsed:
        blocks = round(course.measured_s / elapsed, 9) < minimum
        text = f"no distance measured for {missing_s:.0f} s: the distance is at least this"
        text += f"; {100 * minimum:g} % of the time needed" if blocks else ""
        found.append(
            Finding("positions", text, blocks, ("distance", "moving", "speed", "pace", "per_stroke"), at_least=True)
        )
    heights = base.columns.get("altitude")
    if heights is not None and elapsed > 0:
        share = float(course.lengths_s[~np.isnan(heights) & course.counted].sum()) / elapsed
        if round(share, 9) < minimum:
            text = f"altitude for {short_of(share, minimum)} % of the time, {100 * minimum:g} % needed"
            found.append(Finding("altitude", text, True, ("ascent", "descent"), at_least=True))
    if wearer.estimated:
        found.append(Finding("estimated", f"highest heart rate from the age: {wearer.highest_bpm:.0f} bpm"))
    if len(course.speed) < 2:
        found.append(Finding("worthless", "fewer than two samples: the recorder was only switched on", blocks=True))
    found.append(Finding("speed-source", f"distance from: {course.source}"))
    return found
