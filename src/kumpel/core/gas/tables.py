"""What a gas session shows beside its figures: tables, alarms as events, stretches that might be left out."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Detected, Suggestion, Table
from kumpel.core.gas.lanes import Lane
from kumpel.core.reckoning import Reckoning, table
from kumpel.core.recording import Recording
from kumpel.core.review import Review, is_named
from kumpel.core.runs import runs, runs_over_gaps

MOST_EVENTS = 500


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
            e.at_s,
            f"log.{e.code}",
            e.text or e.code.replace("-", " "),
            not is_named(review.dropped, f"log.{e.code}", e.at_s),
        )
        for e in recording.events
    ]
    for lane in lanes:
        gas = lane.sensor.gas
        for flags, name in zip(lane.alarms, ("low", "high"), strict=True):
            for first, end in runs_over_gaps(flags, ~lane.known)[:MOST_EVENTS].tolist():
                is_low = gas.key == "o2" and name == "low"
                extreme = float(np.nanmin(lane.lowest[first:end]) if is_low else np.nanmax(lane.highest[first:end]))
                text = f"{gas.name}: {name} alarm, {extreme:.3g} {gas.unit}"
                found.append(
                    Detected(
                        first * lane.interval_s,
                        end * lane.interval_s,
                        f"{gas.key}.{name}",
                        text,
                        True,
                        {"extreme": extreme},
                    )
                )
    return found


def suggestions(recording: Recording, lanes: list[Lane]) -> list[Suggestion]:
    """The minutes around a bump test or calibration: the gas came from a bottle, not from the air."""
    found = []
    length = recording.length_s
    for event in recording.events:
        if event.code in ("bump-test", "calibration") and 0 <= event.at_s < length:
            seconds = event.data.get("length_s", 120.0)
            end = event.at_s + (float(seconds) if isinstance(seconds, int | float) else 120.0)
            text = f"{event.code.replace('-', ' ')}: gas from a bottle, not from the air"
            found.append(Suggestion(event.at_s, max(min(end, length), event.at_s + 1), "check-gas", text))
    for lane in lanes:
        for first, end in runs(lane.over)[:50].tolist():
            text = f"{lane.sensor.gas.name} over range: true values are higher"
            found.append(Suggestion(first * lane.interval_s, end * lane.interval_s, "over-range", text))
    return found
