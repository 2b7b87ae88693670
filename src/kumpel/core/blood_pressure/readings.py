"""Cuff readings: taken out of the events, put in order, checked."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.assessment import Suggestion
from kumpel.core.recording import Event, Flags, Floats, Recording
from kumpel.core.review import Review, is_named
from kumpel.core.units import converted

QUANTITIES = ("systolic", "diastolic", "map", "pulse")
NAMES = {
    "systolic": "Systolic",
    "diastolic": "Diastolic",
    "map": "Mean arterial",
    "pulse": "Pulse",
    "pulse_pressure": "Pulse pressure",
}
UNITS = {"systolic": "mmHg", "diastolic": "mmHg", "map": "mmHg", "pulse": "bpm", "pulse_pressure": "mmHg"}
ERRORS = {
    1: "weak pulse",
    2: "movement",
    3: "cuff leaks",
    4: "cuff too loose",
    5: "uneven pulse",
    6: "pressure too high for the cuff",
    7: "stopped by the wearer",
    8: "battery too low to pump",
    9: "fault of the recorder",
}
"""Why a try failed, by the numbers of docs/recording-file.md."""
PLAUSIBLE = {"systolic": (70, 260), "diastolic": (40, 150), "pulse_pressure": (20, 150), "pulse": (30, 200)}


@dataclass(frozen=True)
class Readings:
    """All tries in order of time, shape (n,) each.

    `values` holds systolic, diastolic, map (mmHg), pulse (bpm) and pulse_pressure (mmHg), nan where the try
    failed. `valid` flags readings that succeeded, `used` those that were neither left out nor dropped.
    """

    at_s: Floats
    values: dict[str, Floats]
    valid: Flags
    used: Flags
    events: tuple[Event, ...]
    doubled: int

    @property
    def counted(self) -> Flags:
        return self.valid & self.used

    def of(self, quantity: str, inside: Flags) -> Floats:
        """Counted values of a quantity in a period."""
        return self.values[quantity][inside & self.counted]


def _number(event: Event, key: str) -> float:
    value = event.data.get(key)
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan


def readings(recording: Recording, review: Review) -> Readings:
    """The events "reading" of a recording; `data` has systolic, diastolic, map (mmHg), pulse (bpm), error, tries.

    A reading is valid when it has no error and systolic and diastolic were measured; a value of 0 or below is
    no measurement. Two tries at the same time count once, the first valid one. A `unit` in the data other
    than mmHg is converted; UnitError when it cannot be.
    """
    tries = sorted(
        (e for e in recording.events if e.code == "reading"),
        key=lambda e: (e.at_s, e.data.get("error") not in (None, "", 0)),
    )
    single = [e for i, e in enumerate(tries) if i == 0 or e.at_s != tries[i - 1].at_s]
    n = len(single)
    values: dict[str, Floats] = {}
    for quantity in QUANTITIES:
        found = np.array([_number(e, quantity) for e in single], dtype=np.float64).reshape(n)
        values[quantity] = np.where(found > 0, found, np.nan)
    for i, event in enumerate(single):
        unit = event.data.get("unit")
        if isinstance(unit, str) and unit != "mmHg":
            for quantity in ("systolic", "diastolic", "map"):
                values[quantity][i : i + 1] = converted(
                    values[quantity][i : i + 1], unit, "mmHg", "a blood pressure reading"
                )
    failed = np.array([e.data.get("error") not in (None, "", 0) for e in single], dtype=bool).reshape(n)
    valid: Flags = ~failed & ~np.isnan(values["systolic"]) & ~np.isnan(values["diastolic"])
    for quantity in QUANTITIES:
        values[quantity] = np.where(valid, values[quantity], np.nan)
    values["pulse_pressure"] = values["systolic"] - values["diastolic"]
    at = np.array([e.at_s for e in single], dtype=np.float64).reshape(n)
    out = np.zeros(n, dtype=bool)
    for stretch in review.left_out:
        out |= (at >= stretch.start_s) & (at < stretch.end_s)
    for i, t in enumerate(at.tolist()):
        dropped = is_named(review.dropped, "reading", t)
        out[i] = (out[i] or dropped) and not is_named(review.kept, "reading", t)
    return Readings(at, values, valid, ~out, tuple(single), len(tries) - n)


def error_words(event: Event) -> str:
    """Why a try failed, in words: of a number that is known, else as the recorder says.

    >>> error_words(Event(0.0, "reading", "", {"error": 3})), error_words(Event(0.0, "reading", "", {"error": 77}))
    ('cuff leaks', 'error 77')
    """
    code = event.data.get("error")
    if code in (None, "", 0):
        return "no values"
    if isinstance(code, int | float) and not isinstance(code, bool):
        return next((words for number, words in ERRORS.items() if number == code), f"error {code:g}")
    return str(code)


def doubts(found: Readings) -> list[tuple[int, str]]:
    """Index and reason of each valid reading that a person should look at.

    Systolic outside 70-260, diastolic outside 40-150, pulse pressure outside 20-150 mmHg, pulse outside
    30-200 bpm, diastolic at or above systolic; edges are inside.
    """
    hits: list[tuple[int, str]] = []
    for i in np.flatnonzero(found.valid).tolist():
        reasons = []
        if found.values["diastolic"][i] >= found.values["systolic"][i]:
            reasons.append("diastolic is not below systolic")
        for quantity, (low, high) in PLAUSIBLE.items():
            value = found.values[quantity][i]
            if not math.isnan(value) and not low <= value <= high:
                reasons.append(f"{NAMES[quantity].lower()} {value:.0f} is outside {low} to {high} {UNITS[quantity]}")
        if reasons:
            hits.append((i, "; ".join(dict.fromkeys(reasons))))
    return hits


def suggestions(found: Readings) -> list[Suggestion]:
    """Doubtful readings that still count, as spans of one second."""
    return [
        Suggestion(float(found.at_s[i]), float(found.at_s[i]) + 1.0, "artefact", reason)
        for i, reason in doubts(found)
        if found.used[i]
    ]


def time_weights(at_s: Floats) -> Floats:
    """Weight of each reading: half of the time to the reading before and half of that to the one after, shape (n,).

    The first and the last reading have one half only; a single reading weighs 1. With equal intervals inner
    readings weigh alike.

    >>> time_weights(np.array([0.0, 600.0, 1800.0])).tolist()
    [300.0, 900.0, 600.0]
    """
    if len(at_s) < 2:
        return np.ones(len(at_s))
    half = np.diff(at_s) / 2
    weights: Floats = np.concatenate((half, [0.0])) + np.concatenate(([0.0], half))
    return weights


def average_real_variability(values: Floats) -> float:
    """Mean absolute difference of successive readings: (1/(N-1)) sum |x_(i+1) - x_i|; nan for fewer than two.

    >>> average_real_variability(np.array([120.0, 130.0, 125.0]))
    7.5
    """
    return float(np.mean(np.abs(np.diff(values)))) if len(values) > 1 else math.nan
