"""The figures of one gas sensor, and what is wrong with its readings."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import PROJECTED, Finding, Over, Put
from kumpel.core.averages import EIGHT_HOURS_S, Window, highest_window, time_weighted_average
from kumpel.core.gas.lanes import Lane, alarm_spans
from kumpel.core.reckoning import Reckoning, coverage_finding, hours_minutes, short_of
from kumpel.core.recording import Floats, Recording

TWA_SOURCE = "EN 689:2018, annex A; 2017/164/EU, annex"
STEL_SOURCE = "2000/39/EC, art. 2 (15-minute reference period)"
ALARM_SOURCE = "setup of the sensor"
NOT_AVERAGED = ("o2", "lel")
"""Gases that have no exposure limit over 8 h or 15 min: too little air, and what may explode, are judged at once."""


@dataclass(frozen=True)
class SensorFigures:
    """Puts the figures of a sensor into the reckoning.

    `planned_s` is the shift that the session stands for; `alone` takes, by figure, the value if all that was not measured had
    been harmless.
    """

    recording: Recording
    reckoning: Reckoning
    lane: Lane
    planned_s: float
    alone: dict[str, float]

    def put_all(self) -> None:
        self._put_average()
        if self.lane.key not in NOT_AVERAGED:
            self._put_eight_hours()
            self._put_short_term()
        if self.lane.key == "o2":
            self._put_extreme("lowest", self.lane.lowest)
        self._put_extreme("peak", self.lane.highest)
        self._put_bands()
        self._put_alarms()

    @property
    def coverage(self) -> float:
        return min(self.lane.measured_s / self.planned_s, 1.0) if self.planned_s > 0 else 0.0

    @property
    def over_range(self) -> int:
        """Log intervals in which the sensor was at the end of its range: their true values are higher."""
        return int(np.count_nonzero(self.lane.over))

    @property
    def _mean(self) -> float:
        known = self.lane.average[self.lane.known]
        return float(known.mean()) if len(known) else math.nan

    @property
    def _decimals(self) -> int:
        gas = self.lane.sensor.gas
        return 1 if gas.unit != "ppm" or gas.low >= 5 else 2

    @property
    def _least(self) -> str:
        if not self.over_range:
            return ""
        sensor = self.lane.sensor
        return f"at least: {self.over_range} intervals over the sensor's range of {sensor.top:g} {sensor.gas.unit}"

    def _put(
        self,
        key: str,
        name: str,
        value: float,
        formula: str,
        source: str,
        *more: Put,
        unit: str | None = None,
        decimals: int | None = None,
        note: str = "",
        at: float | None = None,
    ) -> None:
        """A figure in the unit of the gas unless it says otherwise."""
        sensor = self.lane.sensor
        used = int(np.count_nonzero(self.lane.known))
        factor = () if sensor.factor == 1 else (Put("k", "correction factor of the vapour", sensor.factor, ""),)
        self.reckoning.put(
            f"{sensor.gas.key}.{key}",
            f"{sensor.gas.name}, {name}",
            value,
            sensor.gas.unit if unit is None else unit,
            self._decimals if decimals is None else decimals,
            formula,
            source,
            Put("N", "log intervals", float(used), ""),
            Put("dt", "log interval", self.lane.interval_s, "s"),
            *factor,
            *more,
            note=note or self._least,
            at_s=at,
            coverage=self.coverage,
            used=used,
            over=Over("sensor", sensor.gas.name, name),
        )

    def _put_average(self) -> None:
        self._put("mean", "average of the logged time", self._mean, "(1/N) sum C_i", TWA_SOURCE)

    def _put_eight_hours(self) -> None:
        twa = time_weighted_average(self.lane.average, self.lane.interval_s)
        self._put("twa8h", "TWA 8 h of the logged time", twa, "sum(C_i dt) / 8 h", TWA_SOURCE)
        logged = f"{hours_minutes(self.lane.measured_s)} h logged of {hours_minutes(self.planned_s)} h"
        projected = f"{PROJECTED}: {logged}" if self.coverage < 0.9995 else ""
        self._put(
            "twa_shift",
            "TWA 8 h of the shift",
            self._mean * self.planned_s / EIGHT_HOURS_S,
            "C_mean x Te / 8 h",
            TWA_SOURCE,
            Put("Te", "shift that the session stands for", self.planned_s / 3600, "h"),
            note="; ".join(x for x in (projected, self._least) if x),
        )
        self.alone[f"{self.lane.key}.twa_shift"] = twa

    def _put_short_term(self) -> None:
        window = highest_window(self.lane.average, self.lane.interval_s)
        self._put(
            "stel",
            "highest 15 min",
            window.value,
            "max over t of (1/15 min) integral C dt",
            STEL_SOURCE,
            note=_stel_note(window, self.lane),
            at=None if math.isnan(window.start_s) else window.start_s,
        )
        self.alone[f"{self.lane.key}.stel"] = window.value

    def _put_extreme(self, key: str, values: Floats) -> None:
        """The lowest or highest ("peak") of the recorder's extremes of each log interval."""
        there = bool(np.any(~np.isnan(values)))
        pick = np.nanargmin if key == "lowest" else np.nanargmax
        at = int(pick(values)) if there else 0
        value = float(values[at]) if there else math.nan
        self._put(
            key,
            key,
            value,
            f"{'min' if key == 'lowest' else 'max'} over the log intervals",
            "recorder's extremes",
            at=at * self.lane.interval_s if there else None,
        )
        self.alone[f"{self.lane.key}.{key}"] = value

    def _put_bands(self) -> None:
        sensor, (low, high) = self.lane.sensor, self.lane.alarms
        for name, flags, alarm in (("low", low & ~high, sensor.low), ("high", high, sensor.high)):
            self._put(
                f"above_{name}",
                f"time in the {name} alarm band",
                float(np.count_nonzero(flags)) * self.lane.interval_s / 60,
                "intervals in the band x dt",
                ALARM_SOURCE,
                Put(name, f"{name} alarm", alarm, sensor.gas.unit),
                unit="min",
                decimals=1,
            )

    def _put_alarms(self) -> None:
        low, high = self.lane.alarms
        logged = [e for e in self.recording.events if e.code == "alarm" and e.data.get("gas") == self.lane.key]
        self._put(
            "alarms",
            "alarms",
            float(len(alarm_spans(self.lane, low | high))),
            "stretches at or past an alarm; within 5 min again is the same one",
            ALARM_SOURCE,
            Put("log", "alarms in the recorder's event log", float(len(logged)), ""),
            unit="",
            decimals=0,
        )

    @property
    def _extremes(self) -> tuple[tuple[Floats, str, tuple[str, ...]], ...]:
        """The recorder's extremes, and the figures that rest on them."""
        alarms = ("above_low", "above_high", "alarms")
        highest = (self.lane.highest, "highest", ("peak", *alarms))
        return (highest, (self.lane.lowest, "lowest", ("lowest", *alarms))) if self.lane.key == "o2" else (highest,)

    def findings(self, minimum_coverage: float) -> list[Finding]:
        """What is wrong with the sensor's readings: time missing, over range, implausible."""
        gas = self.lane.sensor.gas
        missing = [
            replace(f, text=f"{gas.name}: {f.text}", figures=(f"{gas.key}.",))
            for f in coverage_finding(self.lane.measured_s, self.planned_s, minimum_coverage)
        ]
        for values, name, keys in self._extremes if not missing else ():
            share = float(np.count_nonzero(~np.isnan(values))) * self.lane.interval_s / self.planned_s
            if round(share, 9) < minimum_coverage:
                text = f"{gas.name}: the {name} of the log intervals is there for {short_of(share, minimum_coverage)} % of the time"
                text += f", {100 * minimum_coverage:g} % needed"
                figures = tuple(f"{gas.key}.{key}" for key in keys)
                missing.append(Finding(f"coverage.{gas.key}.{name}", text, True, figures, at_least=True))
        return missing + _implausible(self.lane, self.over_range)


def _stel_note(window: Window, lane: Lane) -> str:
    if window.formed:
        return ""
    if len(lane.average) * lane.interval_s < 900:
        return "less than 15 min were logged"
    return "no 15 min without a gap of more than one interval"


def _implausible(lane: Lane, over: int) -> list[Finding]:
    gas, found = lane.sensor.gas, []
    if over:
        text = f"{gas.name}: over range for {over * lane.interval_s:.0f} s; every figure of it is “at least”"
        found.append(Finding(f"over-range.{gas.key}", text, True, (f"{gas.key}.",), at_least=True))
    known = lane.average[lane.known]
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
