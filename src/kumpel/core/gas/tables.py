"""What a gas session shows beside its figures: tables, alarms as events, stretches that might be left out."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from kumpel.core.assessment import Detected, Suggestion, Table
from kumpel.core.front import position_at
from kumpel.core.gas.lanes import Lane, alarm_spans
from kumpel.core.gas.sensors import DAY_S, GASES
from kumpel.core.reckoning import Reckoning, table
from kumpel.core.recording import Event, Recording
from kumpel.core.review import Review, is_named
from kumpel.core.runs import runs

MOST_EVENTS, MOST_CONFIRMED = 500, 2_000
TEST_PAUSE_S = 300.0
"""Bottles of one bump test follow each other within so many seconds."""


def overview(lanes: list[Lane], reckoning: Reckoning) -> Table:
    """A row a sensor: its averages and extremes in the unit of its gas, and the minutes logged."""
    rows: list[tuple[str | float, ...]] = [
        (
            lane.sensor.gas.name,
            lane.sensor.gas.unit,
            *(reckoning.value(f"{lane.key}.{k}") for k in ("mean", "twa_shift", "stel", "lowest", "peak")),
            lane.measured_s / 60,
        )
        for lane in lanes
    ]
    columns = (("Gas", "", None), ("Unit", "", None), ("Average", "", 2), ("TWA 8 h", "", 2), ("15 min", "", 2), ("Lowest", "", 2), ("Peak", "", 2), ("Logged", "min", 0))  # fmt: skip
    return table("sensors", "Sensors", columns, rows)


def bands(lanes: list[Lane]) -> Table:
    """A row a sensor: minutes without an alarm, in the low and the high alarm band, and not logged."""
    rows: list[tuple[str | float, ...]] = []
    for lane in lanes:
        low, high = lane.alarms
        known = lane.known
        minutes = lane.interval_s / 60
        rows.append(
            (
                lane.sensor.gas.name,
                float(np.count_nonzero(known & ~low & ~high)) * minutes,
                float(np.count_nonzero(low & ~high)) * minutes,
                float(np.count_nonzero(high)) * minutes,
                float(np.count_nonzero(~known)) * minutes,
            )
        )
    columns = (("Gas", "", None), ("No alarm", "min", 1), ("Low alarm", "min", 1), ("High alarm", "min", 1), ("Not logged", "min", 1))  # fmt: skip
    return table("bands", "Time in each alarm band", columns, rows)


def events(recording: Recording, review: Review, lanes: list[Lane]) -> list[Detected]:
    """Alarms found in the samples, and the recorder's own event log."""
    found = [
        Detected(
            e.at_s,
            e.at_s + _lasted(e),
            f"log.{e.code}",
            _said(e),
            not is_named(review.dropped, f"log.{e.code}", e.at_s),
        )
        for e in recording.events
        if e.code != CONFIRMED
    ]
    confirmed = [e for e in recording.events if e.code == CONFIRMED][:MOST_CONFIRMED]
    for lane in lanes:
        gas = lane.sensor.gas
        for flags, name in zip(lane.alarms, ("low", "high"), strict=True):
            spans = alarm_spans(lane, flags)[:MOST_EVENTS].tolist()
            for (first, end), following in zip(spans, [*(begin for begin, _ in spans[1:]), math.inf], strict=False):
                is_low = gas.key == "o2" and name == "low"
                extreme = float(np.nanmin(lane.lowest[first:end]) if is_low else np.nanmax(lane.highest[first:end]))
                numbers = {"extreme": extreme}
                text = f"{gas.name}: {name} alarm, {extreme:.3g} {gas.unit}"
                after = _confirmed_after(confirmed, gas.key, first * lane.interval_s, following * lane.interval_s)
                if after is not None:
                    numbers["confirmed_s"] = after
                    text += f", confirmed after {after:.0f} s" if math.isfinite(after) else ", never confirmed"
                where = position_at(recording, first * lane.interval_s)
                if where is not None:
                    numbers["lat"], numbers["lon"] = where
                found.append(
                    Detected(
                        first * lane.interval_s,
                        end * lane.interval_s,
                        f"{gas.key}.{name}",
                        text,
                        True,
                        numbers,
                    )
                )
    return found


CONFIRMED = "confirmed"
"""The wearer confirmed an alarm: `data.gas` says of which gas, else of all that sounded; `of` of what else (man-down)."""


def _lasted(event: Event) -> float:
    return seconds_of(event.data.get("length_s")) if event.code == "man-down" else 0.0


def seconds_of(value: object) -> float:
    """A length of time that a monitor gives, in s; 0 where it is none that a day holds."""
    known = isinstance(value, int | float) and not isinstance(value, bool) and 0 <= value <= DAY_S
    return float(value) if known and isinstance(value, int | float) else 0.0


def _said(event: Event) -> str:
    words = event.text or event.code.replace("-", " ")
    gas, passed = GASES.get(str(event.data.get("gas"))), event.data.get("passed")
    if event.code in ("bump-test", "calibration") and gas is not None:
        came = {True: "passed", False: "failed"}.get(passed, "no result") if isinstance(passed, bool) else "no result"
        return f"{gas.name}: {event.code.replace('-', ' ')} {came}"
    after = seconds_of(event.data.get("confirmed_s"))
    if event.code != "man-down" or not after:
        return words
    return f"{words}, confirmed after {after:.0f} s"


def _confirmed_after(confirmed: Sequence[Event], gas: str, start_s: float, until_s: float) -> float | None:
    """How long after an alarm began, in s, its wearer confirmed it, before the next one of the gas; inf: never. None where the recorder
    logs no confirmations: what cannot be known is not said."""
    if not confirmed:
        return None
    mine = [e.at_s for e in confirmed if e.data.get("gas", gas) == gas and start_s <= e.at_s < until_s]
    return min(mine) - start_s if mine else math.inf


def suggestions(recording: Recording, lanes: list[Lane]) -> list[Suggestion]:
    """The minutes around a bump test or calibration: the gas came from a bottle, not from the air."""
    found: list[Suggestion] = []
    length = recording.length_s
    for event in sorted(recording.events, key=lambda e: e.at_s):
        if event.code in ("bump-test", "calibration") and 0 <= event.at_s < length:
            seconds = event.data.get("length_s", 120.0)
            end = event.at_s + (float(seconds) if isinstance(seconds, int | float) else 120.0)
            text = f"{event.code.replace('-', ' ')}: gas from a bottle, not from the air"
            end = max(min(end, length), event.at_s + 1)
            last = found[-1] if found else None
            if last is not None and last.reason == text and event.at_s <= last.end_s + TEST_PAUSE_S:
                # One test, sensor after sensor.
                found[-1] = Suggestion(last.start_s, max(last.end_s, end), last.code, text)
            else:
                found.append(Suggestion(event.at_s, end, "check-gas", text))
    for lane in lanes:
        for first, end in runs(lane.over)[:50].tolist():
            text = f"{lane.sensor.gas.name} over range: true values are higher"
            found.append(Suggestion(first * lane.interval_s, end * lane.interval_s, "over-range", text))
    return found
