"""All figures and verdicts of one night of jaw muscles and heart.

Channels read: `emg.left`, `emg.right` (uV), `ecg` (mV).
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

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
from kumpel.core.jaw_muscle.beats import Beats, find_beats, mean_rate
from kumpel.core.jaw_muscle.muscle import (
    CLENCH_WINDOW_S,
    ECG_LIMITS,
    STATE_S,
    STEP_S,
    Activity,
    Contraction,
    Electrode,
    Episode,
    Reference,
    activity,
    contractions,
    electrode_states,
    episodes,
    reference_clench,
    united,
)
from kumpel.core.nights import sleep_from_setup
from kumpel.core.reckoning import Reckoning, both_ways, conclude, setup_number, table
from kumpel.core.recording import Channel, Flags, Floats, Recording
from kumpel.core.review import EventName, Review, Stretch, named, samples_inside
from kumpel.core.runs import runs
from kumpel.core.timebase import clock_words
from kumpel.core.units import converted

SOURCE = "own rule, docs/methods/jaw_muscle.md; types after Lavigne et al., J Dent Res 1996;75:546"
HEART_SOURCE = "own beat detector, docs/methods/jaw_muscle.md"
KINDS = ("phasic", "tonic", "mixed", "single")
SIDES = ("left", "right")
LINK_S = 10.0


@dataclass(frozen=True)
class Signals:
    """What the raw signals say before any decision: activity by side, beats, state of the ECG's electrodes."""

    sides: dict[str, Activity]
    beats: Beats | None
    ecg_states: NDArray[np.int8]


def signals_of(recording: Recording, notch_hz: float = 0.0) -> Signals:
    """Work through the raw signals once; the channels side by side, each in blocks.

    Raises ValueError when there is no EMG channel, UnitError when a unit does not fit.
    """
    muscles = {side: recording.channels[f"emg.{side}"] for side in SIDES if f"emg.{side}" in recording.channels}
    if not muscles:
        raise ValueError("the recording has no muscle channel (emg.left, emg.right): nothing to assess")
    ecg = recording.channels.get("ecg")
    # The longest first; two at a time, as each needs memory.
    with ThreadPoolExecutor(2) as pool:
        heart = None if ecg is None else pool.submit(find_beats, ecg.samples, ecg.interval_s)
        made = {side: pool.submit(activity, channel, notch_hz) for side, channel in muscles.items()}
        states = None if ecg is None else pool.submit(_ecg_states, ecg)
        return Signals(
            {side: each.result() for side, each in made.items()},
            None if heart is None else heart.result(),
            np.empty(0, np.int8) if states is None else states.result(),
        )


def _ecg_states(ecg: Channel) -> NDArray[np.int8]:
    scale = float(converted(np.ones(1), ecg.unit, "mV", f"channel “{ecg.name}”")[0])
    rate = 1 / ecg.interval_s
    size = round(60 * rate)
    found = []
    for block in ecg.samples.blocks(size):
        part = block if scale == 1 else block * scale
        missing = np.isnan(part) if np.isnan(part.sum()) else None
        found.append(
            electrode_states(part if missing is None else np.where(missing, 0.0, part), missing, rate, ECG_LIMITS)
        )
    return np.concatenate(found) if found else np.empty(0, np.int8)


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a night against a limit set, as recorded and as reviewed.

    Options: `threshold` (share of the clench, %, default 10), `hysteresis` (%, 20), `heart_rise` (%, 10), `notch_hz` (0: none),
    `reference_uv` (in place of the clench). Raises ValueError when there is no EMG channel.
    """
    notch = review.number("notch_hz", setup_number(recording.setup, "notch_hz", 0.0))
    signals = recording.once(f"signals, notch {notch:g} Hz", lambda: signals_of(recording, notch))

    def one(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
        return _assess(recording, review, limits, basis, signals)

    return both_ways(recording, review, limits, one)


@dataclass(frozen=True)
class _Night:
    """Contractions and episodes of a night that count, by side and of both."""

    references: dict[str, Reference]
    contractions: dict[str, list[Contraction]]
    episodes: dict[str, list[Episode]]
    valid_s: dict[str, float]


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str, signals: Signals) -> Assessment:
    sleep = _sleep(recording, review)
    night = _night(recording, review, signals, sleep)
    wanted = sum(s.end_s - s.start_s for s in sleep)
    valid = night.valid_s["both"]
    reckoning = Reckoning(
        min(valid / wanted, 1.0) if wanted > 0 else 0.0,
        used=int(valid / STEP_S),
        left_out_s=sum(s.end_s - s.start_s for s in review.left_out),
    )
    rates = signals.beats.rates if signals.beats is not None else (np.empty(0), np.empty(0))
    events = _events(night, rates, review)
    _indices(reckoning, night, review)
    _amounts(reckoning, night)
    _heart(reckoning, night, rates, sleep, review)
    findings = _findings(reckoning, signals, night)
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        Quality(reckoning.coverage, valid, wanted, tuple(findings)),
        key_figures=("both.index", "both.phasic", "linked", "heart_rate"),
        suggestions=_suggestions(signals),
        tables=(_hours(recording, night), _electrodes(signals), _kinds(night)),
        events=events,
        stretches=sleep,
    )


def _sleep(recording: Recording, review: Review) -> tuple[Stretch, ...]:
    """Asleep: as the reviewer says, else by the times of the setup, else everything after the clenches."""
    if review.asleep is not None:
        return review.asleep
    length = recording.length_s
    planned = [s for s in sleep_from_setup(recording) if s.start_s < length]
    inside = tuple(
        Stretch(max(s.start_s, CLENCH_WINDOW_S), min(s.end_s, length), "asleep")
        for s in planned
        if min(s.end_s, length) > max(s.start_s, CLENCH_WINDOW_S)
    )
    if inside:
        return inside
    return (Stretch(CLENCH_WINDOW_S, length, "asleep"),) if length > CLENCH_WINDOW_S else ()


def _night(recording: Recording, review: Review, signals: Signals, sleep: tuple[Stretch, ...]) -> _Night:
    share = review.number("threshold", setup_number(recording.setup, "threshold_percent", 10.0)) / 100
    hysteresis = review.number("hysteresis", setup_number(recording.setup, "hysteresis_percent", 20.0)) / 100
    if not (0 < share <= 1 and 0 <= hysteresis < 1):
        raise ValueError(
            "the threshold must be above 0 and up to 100 % of the clench, the hysteresis from 0 to below 100 %"
        )
    references: dict[str, Reference] = {}
    by_side: dict[str, list[Contraction]] = {}
    grouped: dict[str, list[Episode]] = {}
    valid: dict[str, float] = {}
    anywhere: Flags = np.zeros(0, dtype=bool)
    for side, found in signals.sides.items():
        typed = review.number("reference_uv", math.nan) if "reference_uv" in review.options else math.nan
        references[side] = reference_clench(found) if math.isnan(typed) else Reference(typed, ())
        n = len(found.rms)
        counted = found.valid() & samples_inside(sleep, n, STEP_S) & ~samples_inside(review.left_out, n, STEP_S)
        valid[side] = float(counted.sum()) * STEP_S
        anywhere = (
            counted
            if not len(anywhere)
            else np.logical_or(anywhere[: min(n, len(anywhere))], counted[: min(n, len(anywhere))])
        )
        made = (
            contractions(found, side, references[side].level_uv, share, hysteresis, counted)
            if references[side].found
            else []
        )
        made = _kept(made, review)
        by_side[side] = made
        grouped[side] = episodes(made, side)
    by_side["both"] = united(by_side.get("left", []), by_side.get("right", []))
    grouped["both"] = episodes(by_side["both"], "both")
    valid["both"] = float(anywhere.sum()) * STEP_S
    return _Night(references, by_side, grouped, valid)


def _kept(found: list[Contraction], review: Review) -> list[Contraction]:
    """Contractions without those of episodes that the reviewer dropped (by the key of the side's episode)."""
    if not review.dropped:
        return found
    side = found[0].side if found else ""
    grouped = episodes(found, side)
    # An episode's kind may change with the method; its side and time tell which it is.
    keys = tuple(f"{k.partition('.')[0]}@{k.rpartition('@')[2]}" for k in review.dropped)
    starts, ends = (np.array([getattr(e, at) for e in grouped], dtype=np.float64) for at in ("start_s", "end_s"))
    gone = named(keys, side, starts, ends)
    return [c for each, out in zip(grouped, gone.tolist(), strict=True) if not out for c in each.contractions]


def _indices(reckoning: Reckoning, night: _Night, review: Review) -> None:
    for side, found in night.episodes.items():
        hours = night.valid_s.get(side, 0.0) / 3600
        known = _known(night, side) and hours > 0
        name = {"left": "Left", "right": "Right", "both": "Both sides"}[side]
        note = "" if known else "no clench found in the first three minutes" if hours > 0 else "no valid sleep"
        t = Put("T", "valid sleep", hours, "h")

        def put(
            key: str,
            label: str,
            count: int,
            side: str = side,
            name: str = name,
            hours: float = hours,
            known: bool = known,
            note: str = note,
            t: Put = t,
        ) -> None:
            value = count / hours if known else math.nan
            reckoning.put(
                f"{side}.{key}",
                f"{name}, {label}",
                value,
                "/h",
                1,
                "n / T",
                SOURCE,
                Put("n", "episodes", float(count), ""),
                t,
                note=note,
            )

        put("index", "episodes per hour of valid sleep", len(found))
        for kind in KINDS:
            put(kind, f"{kind} episodes per hour", sum(e.kind == kind for e in found))
        reckoning.put(
            f"{side}.valid",
            f"{name}, valid sleep",
            hours,
            "h",
            2,
            "samples asleep with a connected electrode x dt",
            SOURCE,
        )


def _known(night: _Night, side: str) -> bool:
    wanted = night.references.values() if side == "both" else [night.references[side]]
    return any(r.found for r in wanted)


def _amounts(reckoning: Reckoning, night: _Night) -> None:
    for side in night.episodes:
        found, known = night.contractions[side], _known(night, side)
        name = {"left": "Left", "right": "Right", "both": "Both sides"}[side]
        none = "" if known else "no clench found in the first three minutes"
        empty = none or ("" if found else "no contraction")
        lengths = [c.length_s for c in found]
        total = sum(lengths)
        n = Put("n", "contractions", float(len(found)), "")
        reckoning.put(
            f"{side}.contractions",
            f"{name}, contractions",
            float(len(found)) if known else math.nan,
            "",
            0,
            "count",
            SOURCE,
            note=none,
        )
        reckoning.put(
            f"{side}.total",
            f"{name}, total length",
            total if known else math.nan,
            "s",
            0,
            "sum of lengths",
            SOURCE,
            n,
            note=none,
        )
        reckoning.put(
            f"{side}.mean_length",
            f"{name}, mean length",
            total / len(found) if found else math.nan,
            "s",
            2,
            "sum of lengths / n",
            SOURCE,
            n,
            note=empty,
        )
        mean = sum(c.mean_percent * c.length_s for c in found) / total if total > 0 else math.nan
        top = max((c.peak_percent for c in found), default=math.nan)
        reckoning.put(
            f"{side}.amplitude",
            f"{name}, mean amplitude",
            mean,
            "%",
            0,
            "mean RMS over the contractions / clench",
            SOURCE,
            n,
            note=empty,
        )
        reckoning.put(
            f"{side}.highest", f"{name}, highest amplitude", top, "%", 0, "highest RMS / clench", SOURCE, n, note=empty
        )
    for side, reference in night.references.items():
        note = "" if reference.found else "no clench found in the first three minutes"
        reckoning.put(
            f"{side}.clench",
            f"{side.capitalize()}, clench (100 %)",
            reference.level_uv,
            "uV",
            0,
            "mean of the three strongest clenches in the first three minutes",
            SOURCE,
            Put("clenches", "used", float(len(reference.at_s)), ""),
            note=note,
        )


def heart_link(rates: tuple[Floats, Floats], start_s: float) -> float:
    """Rise of the heart rate in % from the 10 s before to the 10 s after a start; nan when either is not known."""
    before = mean_rate(*rates, start_s - LINK_S, start_s)
    after = mean_rate(*rates, start_s, start_s + LINK_S)
    return 100 * (after - before) / before


def _heart(
    reckoning: Reckoning, night: _Night, rates: tuple[Floats, Floats], sleep: tuple[Stretch, ...], review: Review
) -> None:
    rise = review.number("heart_rise", 10.0)
    links = [heart_link(rates, e.start_s) for e in night.episodes["both"]]
    known = [link for link in links if not math.isnan(link)]
    linked = sum(round(link, 6) >= rise for link in known)
    share = 100 * linked / len(known) if known else math.nan
    note = "" if known else "no episode" if not links else "no heart rate around the episodes"
    reckoning.put(
        "linked",
        "Heart-linked episodes",
        share,
        "%",
        0,
        f"100 x episodes with a rise of {rise:g} % or more / episodes with a known rise",
        SOURCE,
        Put("known", "episodes with a known rise", float(len(known)), ""),
        note=note,
    )
    times, values = rates
    inside = np.zeros(len(times), dtype=bool)
    for s in sleep:
        inside |= (times >= s.start_s) & (times < s.end_s)
    for s in review.left_out:
        inside &= ~((times >= s.start_s) & (times < s.end_s))
    part = values[inside]
    mean = 60 * len(part) / float(np.sum(60 / part)) if len(part) else math.nan
    n = Put("N", "intervals between beats", float(len(part)), "")
    none = "" if len(part) else "no heart rate"
    reckoning.put(
        "heart_rate",
        "Mean heart rate",
        mean,
        "bpm",
        0,
        "60 x N / sum of the intervals between beats",
        HEART_SOURCE,
        n,
        note=none,
        used=len(part),
    )
    for key, name, value in (
        ("heart_lowest", "Lowest heart rate", np.percentile(part, 1) if len(part) else math.nan),
        ("heart_highest", "Highest heart rate", np.percentile(part, 99) if len(part) else math.nan),
    ):
        reckoning.put(
            key,
            name,
            float(value),
            "bpm",
            0,
            "1 % or 99 % of the rates by beat",
            HEART_SOURCE,
            n,
            note=none,
            used=len(part),
        )


def _events(night: _Night, rates: tuple[Floats, Floats], review: Review) -> list[Detected]:
    """Episodes by side; dropped ones come back as such, so that they can be kept again."""
    found = []
    for side in SIDES:
        for each in night.episodes.get(side, []):
            link = heart_link(rates, each.start_s)
            numbers: dict[str, float | str] = {
                "contractions": float(len(each.contractions)),
                "peak %": max(c.peak_percent for c in each.contractions),
                "heart rise %": link,
            }
            text = f"{each.kind}, {len(each.contractions)} contraction{'s' if len(each.contractions) > 1 else ''}"
            found.append(Detected(each.start_s, each.end_s, f"{side}.{each.kind}", text, True, numbers))
    for name in map(EventName.of, review.dropped):
        if name is not None and name.code.split(".")[0] in SIDES:
            text = "dropped by the reviewer"
            found.append(Detected(name.at_s, name.at_s + name.length_s, name.code, text, False))
    return found


def _findings(reckoning: Reckoning, signals: Signals, night: _Night) -> list[Finding]:
    found = []
    for side, reference in night.references.items():
        if not reference.found:
            text = f"{side}: no clench found in the first three minutes; contractions cannot be told"
            found.append(Finding(f"no-clench.{side}", text, True, (f"{side}.",)))
        elif 0 < len(reference.at_s) < 3:
            found.append(
                Finding(
                    f"few-clenches.{side}",
                    f"{side}: {len(reference.at_s)} clench{'es' if len(reference.at_s) > 1 else ''} in the first three minutes instead of three",
                )
            )
    if not any(r.found for r in night.references.values()):
        found.append(Finding("no-clench", "no clench found in the first three minutes", True))
    lanes = {**{s: a.states for s, a in signals.sides.items()}, "heart": signals.ecg_states}
    for lane, states in lanes.items():
        off = float(np.mean(states == Electrode.OFF)) if len(states) else 0.0
        if off > 0.20:
            figures = (
                (f"{lane}.",)
                if lane in SIDES and len(signals.sides) > 1
                else ("heart", "linked")
                if lane == "heart"
                else ()
            )
            found.append(
                Finding(
                    f"electrode.{lane}",
                    f"electrode {lane} off for {100 * off:.0f} % of the time: repeat the test",
                    True,
                    figures,
                )
            )
    muscle = [float(np.mean(a.states == Electrode.OFF)) for a in signals.sides.values() if len(a.states)]
    if muscle and min(muscle) > 0.20:
        found.append(
            Finding(
                "electrodes", "the muscle electrodes were off for more than 20 % of the time: repeat the test", True
            )
        )
    if signals.beats is None:
        found.append(Finding("no-ecg", "no ECG was recorded: no heart rate, no heart link"))
    if night.valid_s["both"] < 2 * 3600:
        found.append(
            Finding("short", f"{night.valid_s['both'] / 3600:.1f} h of valid sleep: indices of a short time vary much")
        )
    return found


def _suggestions(signals: Signals) -> list[Suggestion]:
    lanes = [*signals.sides.items()]
    if not lanes:
        return []
    n = min(len(a.states) for _, a in lanes)
    off = np.all([a.states[:n] == Electrode.OFF for _, a in lanes], axis=0)
    text = "all muscle electrodes off"
    return [Suggestion(a * STATE_S, b * STATE_S, "electrode", text) for a, b in runs(off).tolist()][:200]


def _hours(recording: Recording, night: _Night) -> Table:
    """Episodes in each hour of the recording, by type."""
    hours = int(recording.length_s // 3600) + (1 if recording.length_s % 3600 else 0)
    counts = np.zeros((hours, len(KINDS)))
    for each in night.episodes["both"]:
        counts[min(int(each.start_s // 3600), hours - 1), KINDS.index(each.kind)] += 1
    rows = [(h * 3600.0, clock_words(recording, h * 3600.0), *counts[h].tolist()) for h in range(hours)]
    return table(
        "hours",
        "Episodes per hour",
        [("From", "clock", 0), ("Clock", "", None), *((k.capitalize(), "", 0) for k in KINDS)],
        rows,
    )


def _electrodes(signals: Signals) -> Table:
    rows: list[tuple[str | float, ...]] = []
    for lane, states in {**{s: a.states for s, a in signals.sides.items()}, "heart": signals.ecg_states}.items():
        n = max(len(states), 1)
        rows.append((lane, *(100 * float(np.count_nonzero(states == s)) / n for s in Electrode)))
    return table(
        "electrodes",
        "Electrodes",
        [("Electrode", "", None), ("Connected", "%", 0), ("Doubtful", "%", 0), ("Off", "%", 0)],
        rows,
    )


def _kinds(night: _Night) -> Table:
    rows: list[tuple[str | float, ...]] = [
        (kind, *(float(sum(e.kind == kind for e in night.episodes.get(side, []))) for side in (*SIDES, "both")))
        for kind in KINDS
    ]
    return table(
        "kinds",
        "Episodes by type",
        [("Type", "", None), ("Left", "", 0), ("Right", "", 0), ("Both sides", "", 0)],
        rows,
    )
