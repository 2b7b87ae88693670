"""All figures and verdicts of one personal gas monitor's session.

Channels read, for each gas of `sensors.GASES`: `co.avg` (average of the log interval), `co.min`, `co.max`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Detected,
    Finding,
    LimitSet,
    Over,
    Put,
    Quality,
    Suggestion,
    Table,
    Verdict,
)
from kumpel.core.averages import EIGHT_HOURS_S, Window, highest_window, time_weighted_average
from kumpel.core.gas.sensors import GASES, Sensor, check_findings, check_table, sensors
from kumpel.core.reckoning import Reckoning, both_ways, conclude, coverage_finding, hours_minutes, planned_s, table
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, is_named, samples_inside
from kumpel.core.runs import runs, runs_over_gaps
from kumpel.core.units import channel_in

TWA_SOURCE = "EN 689:2018, annex A; 2017/164/EU, annex"
STEL_SOURCE = "2000/39/EC, art. 2 (15-minute reference period)"
MOST_EVENTS = 500


@dataclass(frozen=True)
class _Lane:
    """One sensor's samples in the gas's unit, nan where left out or not logged."""

    sensor: Sensor
    interval_s: float
    average: Floats
    lowest: Floats
    highest: Floats
    over: Flags

    @property
    def key(self) -> str:
        return self.sensor.gas.key

    @property
    def measured_s(self) -> float:
        return float(np.count_nonzero(~np.isnan(self.average))) * self.interval_s


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a gas session against a limit set, as recorded and as reviewed.

    Options: `additive` (gases of the additive index, "co,no2"). Raises ValueError when no gas channel is there, and
    UnitError when a channel's unit does not fit its gas.
    """
    return both_ways(recording, review, limits, _assess)


def _lane(recording: Recording, review: Review, each: Sensor) -> _Lane | None:
    key = each.gas.key
    main = recording.channels.get(f"{key}.avg")
    if main is None:
        return None
    average = channel_in(main, each.gas.unit).values
    out = samples_inside(review.left_out, len(average), main.interval_s)

    def other(name: str) -> Floats:
        channel = recording.channels.get(f"{key}.{name}")
        if channel is None or channel.count != len(average):
            return average
        return channel_in(channel, each.gas.unit).values

    lowest, highest = other("min"), other("max")
    over = (highest >= each.top) & ~out
    if out.any():
        average, lowest, highest = (np.where(out, np.nan, v) for v in (average, lowest, highest))
    if each.factor != 1:
        average, lowest, highest = (v * each.factor for v in (average, lowest, highest))
    return _Lane(each, main.interval_s, average, lowest, highest, over)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    fitted = sensors(recording)
    if not any(c.endswith(".avg") for c in recording.channels):
        raise ValueError("the recording has no gas channel (such as co.avg): nothing to assess")
    planned = planned_s(recording, review)
    lanes = [lane for each in fitted if each.on and (lane := _lane(recording, review, each)) is not None]
    measured = max((lane.measured_s for lane in lanes), default=0.0)
    reckoning = Reckoning(measured / planned if planned > 0 else 0.0)
    alone: dict[str, float] = {}
    findings = check_findings(recording, fitted)
    for each in fitted:
        if not each.on:
            findings.append(Finding(f"off.{each.gas.key}", f"{each.gas.name}: the sensor was switched off"))
    for lane in lanes:
        findings += _figures(recording, review, reckoning, lane, planned, alone, limits.minimum_coverage)
    _additive(recording, review, limits, reckoning, alone)
    findings += _worthless(recording, lanes)
    wanted = _applying(limits, fitted, lanes, reckoning)
    unlogged = max(planned - measured, 0.0)
    reckoning.put("unlogged", "Time not logged", unlogged / 60, "min", 0, "planned time - logged time", TWA_SOURCE)
    reckoning.put("measured", "Time logged", measured / 3600, "h", 2, "N x dt", TWA_SOURCE)
    lead = [j.figure for j in sorted(wanted.rules, key=lambda r: -_share(reckoning, r.figure, r.steps[-1].value))]
    return conclude(
        recording,
        review,
        wanted,
        basis,
        reckoning,
        Quality(min(reckoning.coverage, 1.0), measured, planned, tuple(findings)),
        key_figures=(*lead[:3], "measured"),
        alone=alone,
        suggestions=_suggestions(recording, lanes),
        tables=(_overview(lanes, reckoning), _bands(lanes), check_table(recording)),
        events=_events(recording, review, lanes),
    )


def _share(reckoning: Reckoning, figure: str, limit: float) -> float:
    value = reckoning.value(figure)
    return -1.0 if math.isnan(value) or limit <= 0 else value / limit


def _figures(
    recording: Recording,
    review: Review,
    reckoning: Reckoning,
    lane: _Lane,
    planned: float,
    alone: dict[str, float],
    minimum: float,
) -> list[Finding]:
    """Average, TWA, short-term value, extremes, bands and alarms of one sensor; what is wrong with it."""
    gas, dt = lane.sensor.gas, lane.interval_s
    known = ~np.isnan(lane.average)
    coverage = min(lane.measured_s / planned, 1.0) if planned > 0 else 0.0
    used = int(np.count_nonzero(known))
    n, step = Put("N", "log intervals", float(used), ""), Put("dt", "log interval", dt, "s")
    over = int(np.count_nonzero(lane.over))
    least = f"at least: {over} intervals over the sensor's range of {lane.sensor.top:g} {gas.unit}" if over else ""
    factor = () if lane.sensor.factor == 1 else (Put("k", "correction factor of the vapour", lane.sensor.factor, ""),)
    decimals = 1 if gas.unit != "ppm" or gas.low >= 5 else 2

    def put(
        key: str,
        name: str,
        value: float,
        unit: str,
        places: int,
        formula: str,
        source: str,
        *more: Put,
        note: str = "",
        at: float | None = None,
    ) -> float:
        return reckoning.put(
            f"{gas.key}.{key}",
            f"{gas.name}, {name}",
            value,
            unit,
            places,
            formula,
            source,
            n,
            step,
            *factor,
            *more,
            note=note or least,
            at_s=at,
            coverage=coverage,
            used=used,
            over=Over("sensor", gas.name, name),
        )

    average = float(lane.average[known].mean()) if used else math.nan
    put("mean", "average of the logged time", average, gas.unit, decimals, "(1/N) sum C_i", TWA_SOURCE)
    if gas.key not in ("o2", "lel"):
        twa = time_weighted_average(lane.average, dt)
        whole = average * planned / EIGHT_HOURS_S
        put("twa8h", "TWA 8 h of the logged time", twa, gas.unit, decimals, "sum(C_i dt) / 8 h", TWA_SOURCE)
        flag = (
            f"projected: {hours_minutes(lane.measured_s)} h logged of {hours_minutes(planned)} h"
            if coverage < 0.9995
            else ""
        )
        day = Put("Te", "shift that the session stands for", planned / 3600, "h")
        put(
            "twa_shift",
            "TWA 8 h of the shift",
            whole,
            gas.unit,
            decimals,
            "C_mean x Te / 8 h",
            TWA_SOURCE,
            day,
            note="; ".join(x for x in (flag, least) if x),
        )
        alone[f"{gas.key}.twa_shift"] = twa
        window = highest_window(lane.average, dt)
        put(
            "stel",
            "highest 15 min",
            window.value,
            gas.unit,
            decimals,
            "max over t of (1/15 min) integral C dt",
            STEL_SOURCE,
            note=_stel_note(window, lane),
            at=None if math.isnan(window.start_s) else window.start_s,
        )
        alone[f"{gas.key}.stel"] = window.value
    for key, name, values, pick in (
        ("lowest", "lowest", lane.lowest, np.nanargmin),
        ("peak", "peak", lane.highest, np.nanargmax),
    ):
        if key == "lowest" and gas.key != "o2":
            continue
        there = bool(np.any(~np.isnan(values)))
        at = int(pick(values)) if there else 0
        value = float(values[at]) if there else math.nan
        put(
            key,
            name,
            value,
            gas.unit,
            decimals,
            f"{'min' if key == 'lowest' else 'max'} over the log intervals",
            "recorder's extremes",
            at=at * dt if there else None,
        )
        alone[f"{gas.key}.{key}"] = value
    low, high = _alarms(lane)
    put(
        "above_low",
        "time in the low alarm band",
        float(np.count_nonzero(low & ~high)) * dt / 60,
        "min",
        1,
        "intervals in the band x dt",
        "setup of the sensor",
        Put("low", "low alarm", lane.sensor.low, gas.unit),
    )
    put(
        "above_high",
        "time in the high alarm band",
        float(np.count_nonzero(high)) * dt / 60,
        "min",
        1,
        "intervals in the band x dt",
        "setup of the sensor",
        Put("high", "high alarm", lane.sensor.high, gas.unit),
    )
    logged = [e for e in recording.events if e.code == "alarm" and e.data.get("gas") == gas.key]
    put(
        "alarms",
        "alarms",
        float(len(runs_over_gaps(low | high, ~known))),
        "",
        0,
        "runs of intervals at or past an alarm",
        "setup of the sensor",
        Put("log", "alarms in the recorder's event log", float(len(logged)), ""),
    )
    found = [
        replace(f, text=f"{gas.name}: {f.text}", figures=(f"{gas.key}.", "additive_index"))
        for f in coverage_finding(lane.measured_s, planned, minimum)
    ]
    return found + _implausible(lane, over)


def _stel_note(window: Window, lane: _Lane) -> str:
    if window.formed:
        return ""
    if len(lane.average) * lane.interval_s < 900:
        return "less than 15 min were logged"
    return "no 15 min without a gap of more than one interval"


def _alarms(lane: _Lane) -> tuple[Flags, Flags]:
    """Intervals in which the low and the high alarm is reached. Oxygen alarms low below, high above."""
    if lane.key == "o2":
        return lane.lowest <= lane.sensor.low, lane.highest >= lane.sensor.high
    return lane.highest >= lane.sensor.low, lane.highest >= lane.sensor.high


def _implausible(lane: _Lane, over: int) -> list[Finding]:
    gas, found = lane.sensor.gas, []
    if over:
        text = f"{gas.name}: over range for {over * lane.interval_s:.0f} s; every figure of it is “at least”"
        found.append(Finding(f"over-range.{gas.key}", text, True, (f"{gas.key}.",), at_least=True))
    known = lane.average[~np.isnan(lane.average)]
    if not len(known):
        return found
    usual = float(np.median(known))
    if gas.key == "o2" and not 5 <= usual <= 30:
        text = (
            f"Oxygen: half of the readings are beyond {usual:.3g} vol %: is the unit right, was the sensor calibrated?"
        )
        found.append(Finding("implausible.o2", text, True, ("o2.",)))
    if gas.key != "o2" and usual < -0.05 * lane.sensor.high:
        text = f"{gas.name}: half of the readings are below {usual:.3g} {gas.unit}: the zero has drifted, recalibrate"
        found.append(Finding(f"zero-drift.{gas.key}", text, True, (f"{gas.key}.",)))
    if len(known) > 60 and float(np.ptp(known)) == 0 and gas.key == "o2":
        found.append(Finding(f"constant.{gas.key}", f"{gas.name}: the reading never changed; check the sensor"))
    return found


def _worthless(recording: Recording, lanes: list[_Lane]) -> list[Finding]:
    records = max((len(lane.average) for lane in lanes), default=0)
    if records > 1:
        return []
    text = f"{records} record{'' if records == 1 else 's'}: the recorder was only switched on"
    return [Finding("worthless", text, blocks=True)]


def _applying(limits: LimitSet, fitted: list[Sensor], lanes: list[_Lane], reckoning: Reckoning) -> LimitSet:
    """The rules for sensors that are fitted; one that was switched off stays, as "not recorded"."""
    there = {each.gas.key for each in fitted}
    rules = tuple(
        r
        for r in limits.rules
        if r.figure.split(".")[0] in there or (r.figure not in GASES and r.figure in reckoning.figures)
    )
    return replace(limits, rules=rules)


def _additive(
    recording: Recording, review: Review, limits: LimitSet, reckoning: Reckoning, alone: dict[str, float]
) -> None:
    """sum(TWA_k / limit_k) over the chosen gases: substances that act on the same organ."""
    chosen = review.options.get("additive", recording.setup.get("additive", ""))
    keys = (
        chosen.split(",")
        if isinstance(chosen, str)
        else [str(k) for k in chosen]
        if isinstance(chosen, list | tuple)
        else []
    )
    keys = [k.strip() for k in keys if k.strip()]
    if not keys:
        return
    of = {
        r.figure.split(".")[0]: next((s.value for s in r.steps if s.verdict is Verdict.ABOVE), math.nan)
        for r in limits.rules
        if r.figure.endswith(".twa_shift")
    }
    missing = [k for k in keys if k not in of or f"{k}.twa_shift" not in reckoning.figures]
    parts = [reckoning.value(f"{k}.twa_shift") / of.get(k, math.nan) for k in keys]
    value = math.nan if missing else sum(parts)
    alone["additive_index"] = sum(alone.get(f"{k}.twa_shift", math.nan) / of.get(k, math.nan) for k in keys)
    numbers = [Put(f"TWA/L {k}", f"share of the limit, {k}", p, "") for k, p in zip(keys, parts, strict=True)]
    note = f"no limit or no reading for {', '.join(missing)}" if missing else ""
    reckoning.put(
        "additive_index",
        "Additive index",
        value,
        "",
        2,
        "sum over k of TWA_k / limit_k",
        "EN 689:2018, annex B",
        *numbers,
        note=note,
    )


def _overview(lanes: list[_Lane], reckoning: Reckoning) -> Table:
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


def _bands(lanes: list[_Lane]) -> Table:
    rows: list[tuple[str | float, ...]] = []
    for lane in lanes:
        low, high = _alarms(lane)
        known = ~np.isnan(lane.average)
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


def _events(recording: Recording, review: Review, lanes: list[_Lane]) -> list[Detected]:
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
        for flags, name in zip(_alarms(lane), ("low", "high"), strict=True):
            for first, end in runs_over_gaps(flags, np.isnan(lane.average))[:MOST_EVENTS].tolist():
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


def _suggestions(recording: Recording, lanes: list[_Lane]) -> list[Suggestion]:
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
