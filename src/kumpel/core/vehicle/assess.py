"""All figures of one vehicle session: laps, sectors, bests, consistency, maxima.

Channels read: `lat`, `lon` (deg), `speed` (m/s), and whatever else the logger has (see `channels.WANTED`).
Event read: `beacon`. The setup may list `courses` (see `courses.course_from`) and name the `course` driven.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Finding,
    LimitSet,
    Put,
    Quality,
    Suggestion,
    Table,
)
from kumpel.core.reckoning import Reckoning, both_ways, conclude, own_events, short_of, table
from kumpel.core.recording import POINT, Channel, Floats, Recording
from kumpel.core.review import Review, samples_inside
from kumpel.core.samples import ArraySamples
from kumpel.core.track import doubted_words
from kumpel.core.vehicle.beyond import Beyond, beyond
from kumpel.core.vehicle.channels import at_times, in_units
from kumpel.core.vehicle.compare import gate_distances, slow_places
from kumpel.core.vehicle.drive import Drive, drive_of, lap_key
from kumpel.core.vehicle.lap_view import habits_of
from kumpel.core.vehicle.laps import Bests, Lap, bests, slow_laps
from kumpel.core.vehicle.measures import SIGNED, SOURCE, Measure, measures_of, switched_off


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a vehicle session against a limit set, as recorded and as reviewed.

    Option: `course`. Raises ValueError when there are neither positions, beacons nor speed, or when a course in
    the setup is not one.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    drive = drive_of(recording, review)
    laps = list(drive.laps)
    found = bests(laps)
    known = len(drive.path.known) / len(drive.path.x) if len(drive.path.x) else 0.0
    reckoning = Reckoning(known, used=found.count, left_out=sum(lap.kind == "timed" and not lap.counts for lap in laps))
    _lap_figures(reckoning, drive, found)
    extremes = _extremes(recording, review, laps)
    _maxima(reckoning, extremes, laps)
    there = {f"{end}.{key}" for key in extremes.measures if key in recording.channels for end in ("max", "min")}
    wanted = replace(
        limits, rules=tuple(r for r in limits.rules if not r.figure.startswith(("max.", "min.")) or r.figure in there)
    )
    past = _beyond(reckoning, wanted, extremes)
    length = recording.length_s
    return conclude(
        recording,
        review,
        wanted,
        basis,
        reckoning,
        Quality(
            known,
            known * length,
            length,
            (
                *_findings(drive, laps, known, limits.minimum_coverage),
                *_switched_off(recording),
                *_channel_findings(recording, extremes, limits.minimum_coverage),
            ),
        ),
        key_figures=("best", "theoretical", "consistency", "laps"),
        # Missing samples cannot take an extreme away.
        alone={k: f.value for k, f in reckoning.figures.items() if k.startswith(("max.", "min."))},
        suggestions=_suggestions(laps),
        tables=(
            _lap_table(drive, laps, found),
            _habit_table(recording, drive),
            _maxima_table(extremes, laps),
            _corner_table(drive),
        ),
        events=sorted(
            [*own_events(recording, review, (POINT,)), *(event for each in past for event in each.events())],
            key=lambda event: event.at_s,
        ),
    )


def _beyond(reckoning: Reckoning, limits: LimitSet, found: _Extremes) -> list[Beyond]:
    """The time beyond the first step of each limit that is about an extreme, as figures."""
    made = []
    for rule in limits.rules:
        extreme, _, key = rule.figure.partition(".")
        channel = found.believed.get(key)
        if extreme not in ("max", "min") or channel is None:
            continue
        measure = found.measures[key]
        values = (np.abs(channel.values) if measure.signed else channel.values) * measure.factor
        past = beyond(rule, key, values, channel.interval_s)
        if past is None:
            continue
        made.append(past)
        name = f"{rule.name}, time {past.words}"
        first = past.stretches[0][0] if past.stretches else None
        formula = (
            "sum of dt while x is at or beyond the first step of the limit, whole session without what was left out"
        )
        put = Put("n", "times", float(len(past.stretches)), "")
        cover = found.coverage[key]
        # That a limit was passed is known from what was measured; that it was not, only when enough was.
        known = past.seconds > 0 or round(cover, 9) >= limits.minimum_coverage
        value, note = (past.seconds, "") if known else (math.nan, "measured for too little of the time")
        reckoning.put(
            f"beyond.{rule.figure}", name, value, "s", 1, formula, SOURCE, put, note=note, at_s=first, coverage=cover
        )
    return made


def _lap_figures(reckoning: Reckoning, drive: Drive, found: Bests) -> None:
    none = "" if found.best else "the time of every lap is unsure" if found.count else "no full lap"
    timed = Put("n", "laps that count", float(found.count), "")
    best = found.best
    reckoning.put(
        "best",
        "Best lap",
        best.time_s if best else math.nan,
        "s",
        3,
        "min of the lap times",
        SOURCE,
        timed,
        note=none,
        at_s=best.start_s if best else None,
    )
    numbers = [Put(f"S{i}", f"best sector {i}", s, "s") for i, s in enumerate(found.sectors_s, 1)]
    missing = "" if not math.isnan(found.theoretical_s) else "a sector line was never seen"
    reckoning.put(
        "theoretical",
        "Theoretical best",
        found.theoretical_s,
        "s",
        3,
        "sum of the best sectors",
        SOURCE,
        *numbers,
        note=none or missing,
    )
    reckoning.put(
        "rolling", "Rolling best", found.rolling_s, "s", 3, "fastest full round from any line", SOURCE, timed, note=none
    )
    no_lap = "" if found.count else none
    reckoning.put("mean", "Mean lap", found.mean_s, "s", 3, "(1/n) sum of the lap times", SOURCE, timed, note=no_lap)
    spread = no_lap or ("" if found.count > 1 else "needs two laps")
    reckoning.put(
        "consistency",
        "Consistency (robust standard deviation)",
        found.spread_s,
        "s",
        3,
        "Qn = 2.22 d_n x k-th smallest |t_i - t_j|, k = h(h-1)/2, h = n/2 + 1",
        SOURCE,
        timed,
        note=spread,
    )
    reckoning.put("laps", "Laps that count", float(found.count), "", 0, "count", SOURCE)
    driven = float(drive.way[-1]) / 1000 if len(drive.way) else math.nan
    reckoning.put(
        "distance", "Distance driven", driven, "km", 2, "sum of speed x dt, positions where it is missing", SOURCE
    )


def _by_part(channel: Channel, edges_s: list[float]) -> tuple[Floats, Floats]:
    """Lowest and highest value of a channel between rising edges and after the last, shape of the edges each."""
    n = channel.count
    starts = np.ceil(np.array(edges_s) / channel.interval_s - 1e-9).astype(np.intp)
    inside = np.clip(starts, 0, max(n - 1, 0))
    if not n:
        return np.full(len(starts), np.nan), np.full(len(starts), np.nan)
    low, high = np.fmin.reduceat(channel.values, inside), np.fmax.reduceat(channel.values, inside)
    # reduceat gives one sample where two edges share it: such a part, and one beyond the end, is empty.
    empty = (starts >= n) | np.append(starts[1:] <= starts[:-1], False)
    return np.where(empty, np.nan, low), np.where(empty, np.nan, high)


@dataclass(frozen=True)
class _Extremes:
    """Lowest and highest value of each channel in each lap (rows of `laps`), in the unit they are shown in."""

    measures: dict[str, Measure]
    low: dict[str, Floats]
    high: dict[str, Floats]
    coverage: dict[str, float]
    wrong_s: dict[str, float]
    believed: dict[str, Channel]


def _extremes(recording: Recording, review: Review, laps: list[Lap]) -> _Extremes:
    edges = [lap.start_s for lap in laps] or [0.0]
    low: dict[str, Floats] = {}
    high: dict[str, Floats] = {}
    coverage: dict[str, float] = {}
    wrong_s: dict[str, float] = {}
    believed: dict[str, Channel] = {}
    measures = measures_of(recording.setup)
    for key, measure in measures.items():
        channel = in_units(recording, key)
        if channel is not None:
            if review.left_out:
                out = samples_inside(review.left_out, channel.count, channel.interval_s)
                channel = replace(channel, samples=ArraySamples(np.where(out, np.nan, channel.values)))
            lowest, highest = measure.believed
            with np.errstate(invalid="ignore"):
                wrong = (channel.values < lowest) | (channel.values > highest)
            if wrong.any():
                wrong_s[key] = float(np.count_nonzero(wrong)) * channel.interval_s
                channel = replace(channel, samples=ArraySamples(np.where(wrong, np.nan, channel.values)))
            believed[key] = channel
            measured = np.count_nonzero(~np.isnan(channel.values))
            whole = max(recording.length_s / channel.interval_s, 1.0)
            coverage[key] = min(float(measured) / whole, 1.0)
            bottom, top = _by_part(channel, edges)
            top = np.fmax(top, -bottom) if measure.signed else top
            low[key], high[key] = bottom * measure.factor, top * measure.factor
    return _Extremes(measures, low, high, coverage, wrong_s, believed)


def _maxima(reckoning: Reckoning, found: _Extremes, laps: list[Lap]) -> None:
    """Over everything but the laps that were left out: the ways out and in count too."""
    counts = np.array([lap.counts or lap.kind != "timed" for lap in laps] or [True], dtype=bool)
    for key, top in found.high.items():
        measure, cover = found.measures[key], found.coverage[key]
        formula = f"max of {'|x|' if measure.signed else 'x'} over the laps that count"
        highest = _nan_or(np.fmax, top[counts])
        unit, decimals = measure.unit, measure.decimals
        reckoning.put(f"max.{key}", measure.highest, highest, unit, decimals, formula, SOURCE, coverage=cover)
        if measure.lowest:
            lowest, formula = _nan_or(np.fmin, found.low[key][counts]), "min of x over the laps that count"
            reckoning.put(f"min.{key}", measure.lowest, lowest, unit, decimals, formula, SOURCE, coverage=cover)
    combined = _combined(found, laps)
    if combined is not None:
        value, cover = combined
        formula = "max of sqrt(lateral2 + forward2) over the laps that count"
        reckoning.put(
            "max.combined_g",
            "Highest combined acceleration",
            value,
            "g",
            2,
            formula,
            SOURCE,
            coverage=cover,
            made_of=tuple(f"max.{k}" for k in SIGNED),
        )


def _combined(found: _Extremes, laps: list[Lap]) -> tuple[float, float] | None:
    """Highest length of the sideways and forward acceleration together, as a circle of grip shows it; and how much was measured."""
    lateral, forward = (found.believed.get(key) for key in SIGNED)
    if lateral is None or forward is None or not lateral.count:
        return None
    at: Floats = np.arange(lateral.count, dtype=np.float64) * lateral.interval_s
    both = np.hypot(lateral.values, at_times(forward, at))
    for lap in laps:
        if lap.kind == "timed" and not lap.counts:
            both[(at >= lap.start_s) & (at < lap.end_s)] = np.nan
    cover = min(found.coverage[key] for key in SIGNED)
    return (float(np.nanmax(both)) if not np.isnan(both).all() else math.nan), cover


def _nan_or(pick: np.ufunc, values: Floats) -> float:
    return float(pick.reduce(values)) if len(values) else math.nan


def _switched_off(recording: Recording) -> list[Finding]:
    """Channels that the setup lists as switched off, with the reason given there."""
    return [
        Finding(f"off.{key}", f"{name} was switched off{f' ({why})' if why else ''}")
        for key, name, why in switched_off(recording.setup)
    ]


def _findings(drive: Drive, laps: list[Lap], known: float, minimum: float) -> list[Finding]:
    words = {
        "setup": "as set",
        "position": "found by position",
        "learnt": "learnt from this session",
        "beacon": "laps by beacon",
        "none": "no course found: no laps",
    }
    course = f"{drive.course.name}, " if drive.course and drive.origin != "learnt" else ""
    found = [Finding("course", f"Course: {course}{words[drive.origin]}")]
    if drive.backwards:
        found.append(Finding("backwards", "driven against the direction of the course"))
    if drive.origin not in ("beacon", "none") and known < 0.9:
        blocks = round(known, 9) < minimum
        needed = f", {100 * minimum:.0f} % of it needed" if blocks else ""
        by_laps = ("best", "theoretical", "rolling", "mean", "consistency", "laps")
        figures = by_laps if drive.path.has_speed else (*by_laps, "distance")
        text = f"no position for {100 * (1 - known):.0f} % of the time{needed}"
        found.append(Finding("positions", text, blocks, figures))
    if drive.path.doubted:
        found.append(Finding("doubted", doubted_words(drive.path.doubted)))
    uncertain = [lap.number for lap in laps if lap.estimated]
    if uncertain:
        found.append(
            Finding("estimated", f"laps {', '.join(map(str, uncertain[:20]))}: no position at a line, time estimated")
        )
    unsure = [lap.number for lap in laps if lap.ambiguous]
    if unsure:
        text = "the course passes the line more than once, and the way driven does not tell which time it was"
        found.append(Finding("ambiguous-laps", f"laps {', '.join(map(str, unsure[:20]))}: {text}"))
    if drive.fits_too:
        text = f"fits as well: {', '.join(drive.fits_too[:5])}; choose the course if it is another"
        found.append(Finding("ambiguous-course", text))
    if len(drive.path.x) < 2 and not any(lap.kind == "timed" for lap in laps):
        found.append(Finding("worthless", "fewer than two samples: the logger was only switched on", blocks=True))
    if drive.path.interval_s > 0.5:
        found.append(Finding("rate", f"positions every {drive.path.interval_s:g} s: lap times are rough"))
    if not any(lap.kind == "timed" for lap in laps):
        found.append(
            Finding("no-laps", "no full lap was driven", blocks=True, figures=("best", "theoretical", "rolling"))
        )
    return found


def _channel_findings(recording: Recording, found: _Extremes, minimum: float) -> list[Finding]:
    """Channels with values nobody can have measured (not counted), and channels measured for too little of the time."""
    made = []
    for key, seconds in found.wrong_s.items():
        low, high = found.measures[key].believed
        text = f"{recording.channels[key].name}: {seconds:.1f} s outside {low:g} to {high:g} are not counted"
        made.append(Finding(f"implausible.{key}", text, blocks=True, figures=extremes_of(key)))
    for key, share in found.coverage.items():
        if round(share, 9) < minimum:
            text = f"{recording.channels[key].name}: measured for {short_of(share, minimum)} % of the time, {100 * minimum:g} % needed"
            made.append(Finding(f"coverage.{key}", text, blocks=True, figures=extremes_of(key), at_least=True))
    return made


def extremes_of(key: str) -> tuple[str, ...]:
    """The figures that rest on a channel."""
    return tuple(f"{what}{end}.{key}" for what in ("", "beyond.") for end in ("max", "min"))


def _suggestions(laps: list[Lap]) -> list[Suggestion]:
    text = "longer than 115 % of the median lap: traffic, a stop or an error?"
    return [Suggestion(lap.start_s, lap.end_s, "slow-lap", text) for lap in slow_laps(laps)]


def _lap_table(drive: Drive, laps: list[Lap], found: Bests) -> Table:
    sectors = max((len(lap.splits_s) for lap in laps), default=0)
    best = found.best.time_s if found.best else math.nan
    rows: list[tuple[str | float, ...]] = []
    for lap in laps:
        times = [*lap.sectors_s, *([math.nan] * sectors)][:sectors]
        state = lap.kind if lap.kind != "timed" else "" if lap.counts else f"left out: {lap.why}"
        time = lap.time_s if lap.kind == "timed" else math.nan
        rows.append((float(lap.number), lap.start_s, time, time - best, *times, state, lap_key(lap)))
    columns = [
        ("Lap", "", 0),
        ("From", "clock", 3),
        ("Time", "s", 3),
        ("To the best", "s", 3),
        *((f"Sector {i}", "s", 3) for i in range(1, sectors + 1)),
        ("State", "", None),
        ("Key", "", None),
    ]
    return table("laps", "Laps", columns, rows)


def _maxima_table(found: _Extremes, laps: list[Lap]) -> Table:
    rows = [
        (float(lap.number), *(float(top[i]) for top in found.high.values()))
        for i, lap in enumerate(laps)
        if lap.kind == "timed"
    ]
    columns = [("Lap", "", 0), *((m.highest, m.unit, m.decimals) for k in found.high for m in (found.measures[k],))]
    return table("maxima", "Maxima per lap", columns, rows)


def _habit_table(recording: Recording, drive: Drive) -> Table:
    """Where the laps that count lose time against the best of them, the most in the mean first."""
    rows: list[tuple[str | float, ...]] = [
        (
            f"corner {h.stretch.corner}, {h.stretch.part}",
            h.stretch.from_m,
            h.mean_s,
            f"{h.laps} of {h.of}",
            f"{h.words}, {h.times} times" if h.times > 1 else h.words,
        )
        for h in habits_of(recording, drive)
    ]
    columns = [
        ("Where", "", None),
        ("From", "m", 0),
        ("Lost a lap", "s", 2),
        ("Laps", "", None),
        ("Mostly", "", None),
    ]
    return table("lost", "Where time is lost", columns, rows)


def _corner_table(drive: Drive) -> Table:
    """Slowest places of each lap that counts, by their distance from the start."""
    laps = list(drive.laps)
    found = (
        slow_places(drive.path, drive.way, laps, gate_distances(laps, drive.path, drive.way))
        if drive.path.has_speed
        else []
    )
    rows = [(float(c.lap), c.distance_m, c.speed_m_s * 3.6) for c in found]
    return table("corners", "Slowest places", [("Lap", "", 0), ("Distance", "m", 0), ("Speed", "km/h", 1)], rows)
