"""The tables of a blood pressure recording: readings, hours, classes, spread, nights."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kumpel.core.assessment import LimitSet, Table, event_key
from kumpel.core.blood_pressure.periods import PRESSURES, Periods, own_limits
from kumpel.core.blood_pressure.readings import NAMES, UNITS, Readings, error_words
from kumpel.core.blood_pressure.sleep import Sleep, SleepRule, State, activity_spans
from kumpel.core.nights import wall_spans
from kumpel.core.reckoning import Reckoning, table
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.timebase import wall_clock

Row = tuple[str | float, ...]
SPREAD = ("systolic", "diastolic", "map", "pulse")
_QUANTITIES = [(n, UNITS[q], 0) for q, n in NAMES.items()]


def readings_table(found: Readings, periods: Periods, limits: LimitSet) -> Table:
    """Every try: its period, its values, which of its own limits it reaches, why it does not count."""
    reached = {q: _reached(found, periods, limits, q) for q in PRESSURES}
    rows: list[Row] = []
    for i, event in enumerate(found.events):
        state = "left out" if not found.used[i] else "" if found.valid[i] else error_words(event)
        high = [q for q in PRESSURES if reached[q][i]]
        at = float(found.at_s[i])
        rows.append(
            (
                at,
                "asleep" if periods.asleep.inside[i] else "awake",
                *(float(found.values[q][i]) for q in NAMES),
                "both" if len(high) == 2 else "".join(high),
                "by hand" if event.data.get("by") == "hand" else "",
                state,
                event_key("reading", at),
            )
        )
    columns = [
        ("Time", "clock", 0),
        ("Period", "", None),
        *_QUANTITIES,
        ("Reaches its limit", "", None),
        ("Taken", "", None),
        ("State", "", None),
        ("Key", "", None),
    ]
    return table("readings", "Readings", columns, rows)


def _reached(found: Readings, periods: Periods, limits: LimitSet, quantity: str) -> Flags:
    """Which valid readings are at or above the limit of their period, shape (n,)."""
    with np.errstate(invalid="ignore"):
        flags: Flags = found.valid & (found.values[quantity] >= own_limits(limits, periods, quantity))
    return flags


def hours_table(recording: Recording, found: Readings) -> Table:
    """Means of each hour on the wall clock, and the lowest and highest pressure in it; the hour that comes twice at the end of
    summer time has two rows."""
    used = found.counted
    at = found.at_s[used]
    offset = wall_clock(recording, at) - at - recording.start
    hour = np.floor((recording.start + at + offset) / 3600)
    # Readings are in order of time, so those of an hour follow each other.
    starts, first, which, counts = np.unique(
        hour * 3600 - offset, return_index=True, return_inverse=True, return_counts=True
    )
    values = {q: found.values[q][used] for q in NAMES}
    means = [_hourly(values[q], which, len(starts)) for q in NAMES]
    ranges = [end.reduceat(values[q], first) for q in PRESSURES for end in (np.minimum, np.maximum) if len(first)]
    clock = hour[first] % 24
    rows: list[Row] = [
        (
            start - recording.start,
            float(clock[i]),
            float(counts[i]),
            *(float(m[i]) for m in means),
            *(float(r[i]) for r in ranges),
        )
        for i, start in enumerate(starts.tolist())
    ]
    ranged = [(f"{NAMES[q]} {end}", "mmHg", 0) for q in PRESSURES for end in ("lowest", "highest")]
    columns = [("From", "clock", 0), ("Hour", "h", 0), ("Readings", "", 0), *_QUANTITIES, *ranged]
    return table("hours", "Hourly means", columns, rows)


def _hourly(values: Floats, which: NDArray[np.intp], hours: int) -> Floats:
    """Means of the values of each hour, shape (hours,); nan where nothing was measured."""
    known = ~np.isnan(values)
    sums = np.bincount(which, np.where(known, values, 0.0), hours)
    number = np.bincount(which, known, hours)
    means: Floats = np.where(number > 0, sums / np.maximum(number, 1), np.nan)
    return means


def classes_table(found: Readings, periods: Periods, limits: LimitSet) -> Table:
    """Readings by class, each held against the limits of its own period: below both, only one reached, both; counted and in words."""
    high_s, high_d = (_reached(found, periods, limits, q) for q in PRESSURES)
    known = ~np.isnan(own_limits(limits, periods, "systolic")) & ~np.isnan(own_limits(limits, periods, "diastolic"))
    rows: list[Row] = []
    for period in periods.three:
        mine = period.inside & found.counted & known
        n = int(np.count_nonzero(mine))
        flags = (~high_s & ~high_d, high_s & ~high_d, ~high_s & high_d, high_s & high_d)
        counts = [int(np.count_nonzero(f & mine)) for f in flags]
        rows.append((period.name, float(n), *(float(c) for c in counts), class_words(n, *counts)))
    columns = [
        ("Period", "", None),
        ("Readings", "", 0),
        ("Below both", "", 0),
        ("Only systolic", "", 0),
        ("Only diastolic", "", 0),
        ("Both", "", 0),
        ("In words", "", None),
    ]
    return table("classes", "How many readings reach their limit", columns, rows)


def class_words(readings: int, below: int, systolic: int, diastolic: int, both: int) -> str:
    """How many reach a limit, as one says it.

    >>> class_words(47, 8, 6, 3, 30)
    '39 of 47 reach a limit (83 %): 30 both, 6 the systolic only, 3 the diastolic only'
    """
    if readings == 0:
        return "no reading"
    high = readings - below
    if high == 0:
        return f"none of {readings} reaches a limit"
    each = ((both, "both"), (systolic, "the systolic only"), (diastolic, "the diastolic only"))
    parts = [f"{n} {words}" for n, words in each if n]
    return f"{high} of {readings} reach a limit ({100 * high / readings:.0f} %): {', '.join(parts)}"


def spread_table(found: Readings) -> Table:
    """How many readings lie in each 10 mmHg, and of the pulse in each 10 beats a minute; what lies beyond stands in the last ten."""
    edges = np.arange(30, 261, 10, dtype=np.float64)
    counts = [_histogram(found.values[q][found.counted], edges) for q in SPREAD]
    rows = [
        (float(edge), *(float(n) for n in each))
        for edge, *each in zip(edges[:-1], *counts, strict=True)
        if any(n > 0 for n in each)
    ]
    columns = [("From", "mmHg, bpm", 0), *((NAMES[q], "", 0) for q in SPREAD)]
    return table("spread", "Spread", columns, rows)


def _histogram(values: Floats, edges: Floats) -> NDArray[np.intp]:
    known = values[~np.isnan(values)]
    return np.histogram(np.clip(known, edges[0], edges[-1] - 0.1), edges)[0]


def nights_table(reckoning: Reckoning, periods: Periods, sleep: Sleep) -> Table:
    """Each night of a recording of several: when, how many readings, means, dip with its class."""
    stretches = sorted(sleep.stretches, key=lambda s: s.start_s)
    rows: list[Row] = []
    for (night, _), stretch in zip(periods.nights, stretches, strict=False):
        means = [reckoning.value(f"{night.key}.{q}.mean") for q in ("systolic", "diastolic", "pulse")]
        dip = reckoning.figures[f"{night.key}.dip.systolic"]
        rows.append(
            (
                night.name,
                stretch.start_s,
                stretch.end_s,
                reckoning.value(f"{night.key}.valid"),
                *means,
                dip.value,
                dip.state or dip.note,
            )
        )
    columns = [
        ("Night", "", None),
        ("Asleep", "clock", 0),
        ("Awake", "clock", 0),
        ("Readings", "", 0),
        ("Systolic", "mmHg", 0),
        ("Diastolic", "mmHg", 0),
        ("Pulse", "bpm", 0),
        ("Dip, systolic", "%", 1),
        ("Class", "", None),
    ]
    return table("nights", "Each night", columns, rows)


_STATES = {State.NO_DATA: "no data", State.STILL: "still", State.RESTING: "resting", State.MOVING: "moving"}


def activity_table(recording: Recording, rule: SleepRule) -> Table:
    """What the wearer did, stretch by stretch, as sleep was read from it."""
    rows = [(a, b, _STATES[state]) for a, b, state in activity_spans(recording, rule)]
    return table("activity", "Activity", [("From", "clock", 0), ("To", "clock", 0), ("State", "", None)], rows)


def quiet_table(recording: Recording) -> Table:
    """Windows in which the setup wanted no reading, with their reason."""
    rows: list[Row] = []
    listed = recording.setup.get("quiet")
    for window in listed if isinstance(listed, list) else []:
        first, last = (str(window.get(key, "")) for key in ("start", "end")) if isinstance(window, dict) else ("", "")
        try:
            spans = wall_spans(recording, first, last, "quiet") if first != last else ()
        except ValueError:
            continue  # A recorder may write there what it likes: without it nothing but a hatched field is missing.
        rows += [(s.start_s, min(s.end_s, recording.length_s), str(window.get("why") or "")) for s in spans]
    columns = [("From", "clock", 0), ("To", "clock", 0), ("Because of", "", None)]
    return table("quiet", "Quiet windows", columns, sorted(rows))


MINIMUM_SHARE, MINIMUM_AWAKE, MINIMUM_ASLEEP = 0.70, 20, 7
"""What a recording must have to be judged by (ESH position paper 2013, table 6)."""


def enough_table(found: Readings, periods: Periods, sleep: Sleep) -> Table:
    """What a recording must have to be judged by, what it has, and whether that is enough."""
    counted = {p.key: int(np.count_nonzero(p.inside & found.counted)) for p in periods.three}
    share = 100 * int(np.count_nonzero(found.counted)) / len(found.at_s)
    rows: list[Row] = [
        ("Valid readings", f"{share:.0f} %", f"{100 * MINIMUM_SHARE:.0f} %", _yes(is_share_enough(found)))
    ]
    known = sleep.source != "unknown"
    for key, name, minimum in (("awake", "Awake", MINIMUM_AWAKE), ("asleep", "Asleep", MINIMUM_ASLEEP)):
        has = str(counted[key]) if known else "not known"
        rows.append((name, has, str(minimum), _yes(known and counted[key] >= minimum)))
    columns = [("What", "", None), ("There are", "", None), ("Needed", "", None), ("Enough", "", None)]
    return table("enough", "Enough to judge by", columns, rows)


def is_share_enough(found: Readings) -> bool:
    """Whether at least 70 % of all tries are valid and count."""
    share = int(np.count_nonzero(found.counted)) / len(found.at_s)
    return round(100 * share, 6) >= 100 * MINIMUM_SHARE


def _yes(good: bool) -> str:
    return "yes" if good else "no"
