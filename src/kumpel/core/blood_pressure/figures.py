"""The figures of a blood pressure recording: of each period, of the whole, of the fall at night and the rise after it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kumpel.core.assessment import LimitSet, Over, Put
from kumpel.core.blood_pressure.periods import PRESSURES, Period, Periods, limit_of, own_limits
from kumpel.core.blood_pressure.readings import NAMES, UNITS, Readings, average_real_variability, time_weights
from kumpel.core.blood_pressure.sleep import Sleep
from kumpel.core.reckoning import Reckoning
from kumpel.core.recording import Flags, Floats
from kumpel.core.rounding import stated

SOURCE = "ESH practice guidelines for ambulatory blood pressure monitoring 2014; ESH position paper 2013"
DIP_SOURCE = "ESH position paper 2013, section 6.2 (night-time dipping)"
SURGE_SOURCE = "Kario et al., Circulation 2003;107:1401 (sleep-trough surge)"
ARV_SOURCE = "Mena et al., J Hypertens 2005;23:505"
QUALITY_SOURCE = "ESH position paper 2013, table 6"
SPREAD_SOURCE = "Bilo et al., J Hypertens 2007;25:2058"
FEWEST_A_NIGHT = 7
SURGE_S = 7200.0


def put_figures(
    reckoning: Reckoning, found: Readings, periods: Periods, sleep: Sleep, limits: LimitSet, length_s: float
) -> None:
    """Every figure of the three periods, of each night, of the whole, of the fall at night and the rise after it."""
    own = {quantity: own_limits(limits, periods, quantity) for quantity in PRESSURES}
    for period in periods.three:
        PeriodFigures(reckoning, found, period).put_all(limits, own)
    _whole(reckoning, found, periods)
    _weighted_spread(reckoning, sleep, length_s)
    for quantity in ("systolic", "diastolic", "pulse"):
        awake, asleep = reckoning.value(f"awake.{quantity}.mean"), reckoning.value(f"asleep.{quantity}.mean")
        _put_dip(reckoning, f"dip.{quantity}", f"Dip, {NAMES[quantity].lower()}", quantity, awake, asleep)
    _put_nights(reckoning, found, periods)
    _surge(reckoning, found, sleep)


@dataclass(frozen=True)
class PeriodFigures:
    """Puts the figures of one period (24 h, awake, asleep) into the reckoning."""

    reckoning: Reckoning
    found: Readings
    period: Period

    def put_all(self, limits: LimitSet, own: Mapping[str, Floats]) -> None:
        """All of the period; `own` gives for each pressure the limit that each reading is held against."""
        self._put_counts()
        for quantity in NAMES:
            self._put_spread(quantity)
        for quantity in PRESSURES:
            self._put_load(quantity, own[quantity], limit_of(limits, self.period.key, quantity))
        self._put_reached(own)

    @property
    def inside(self) -> Flags:
        return self.period.inside

    @cached_property
    def tries(self) -> int:
        return int(np.count_nonzero(self.inside))

    @cached_property
    def valid(self) -> int:
        return int(np.count_nonzero(self.inside & self.found.counted))

    def _put(
        self,
        key: str,
        label: str,
        value: float,
        unit: str,
        decimals: int,
        formula: str,
        source: str,
        *more: Put,
        at: float | None = None,
    ) -> None:
        name = self.period.name
        self.reckoning.put(
            f"{self.period.key}.{key}",
            f"{name}, {label}",
            value,
            unit,
            decimals,
            formula,
            source,
            Put("tries", "tries in the period", float(self.tries), ""),
            Put("N", "valid readings", float(self.valid), ""),
            *more,
            at_s=at,
            coverage=self.valid / self.tries if self.tries else 0.0,
            used=self.valid,
            over=Over("period", name, label),
        )

    def _put_counts(self) -> None:
        share = 100 * self.valid / self.tries if self.tries else math.nan
        counted = "count of readings without error, not left out"
        self._put("tries", "tries", float(self.tries), "", 0, "count of tries", QUALITY_SOURCE)
        self._put("valid", "valid readings", float(self.valid), "", 0, counted, QUALITY_SOURCE)
        self._put("valid_share", "share valid", share, "%", 0, "100 N / tries", QUALITY_SOURCE)

    def _put_spread(self, quantity: str) -> None:
        """Mean, standard deviation, lowest and highest of a quantity."""
        used = self.inside & self.found.counted
        values, times = self.found.values[quantity][used], self.found.at_s[used]
        there = ~np.isnan(values)
        values, times = values[there], times[there]
        label, unit = NAMES[quantity].lower(), UNITS[quantity]
        mean = float(values.mean()) if len(values) else math.nan
        deviation = float(values.std(ddof=1)) if len(values) > 1 else math.nan
        formula = "sqrt( sum (x_i - mean)2 / (N-1) )"
        self._put(f"{quantity}.mean", f"{label} mean", mean, unit, 0, "(1/N) sum x_i", SOURCE)
        self._put(f"{quantity}.sd", f"{label} standard deviation", deviation, unit, 1, formula, SOURCE)
        for key, pick in (("lowest", np.argmin), ("highest", np.argmax)):
            at = int(pick(values)) if len(values) else None
            self._put(
                f"{quantity}.{key}",
                f"{label} {key}",
                math.nan if at is None else float(values[at]),
                unit,
                0,
                f"{key} of x_i",
                SOURCE,
                at=None if at is None else float(times[at]),
            )

    def _put_load(self, quantity: str, own: Floats, of_period: float) -> None:
        """Share of the readings that reach the limit of their own period; over 24 h those of day and night are held against theirs."""
        used = self.inside & self.found.counted & ~np.isnan(own)
        values, limits = self.found.values[quantity][used], own[used]
        load = 100 * float(np.mean(values >= limits)) if len(values) else math.nan
        self._put(
            f"{quantity}.load",
            f"{NAMES[quantity].lower()} load",
            load,
            "%",
            0,
            "100 x share of readings at or above the limit of their own period",
            SOURCE,
            Put("limit", "limit of the period's mean", of_period, "mmHg"),
        )

    def _put_reached(self, own: Mapping[str, Floats]) -> None:
        used = self.inside & self.found.counted & ~np.isnan(own["systolic"]) & ~np.isnan(own["diastolic"])
        high = (self.found.values["systolic"] >= own["systolic"]) | (self.found.values["diastolic"] >= own["diastolic"])
        count = float(np.count_nonzero(high & used)) if used.any() else math.nan
        counted = "count of readings with systolic or diastolic at or above the limit of their own period"
        self._put("reached", "readings that reach a limit", count, "", 0, counted, SOURCE)


def dip_class(dip_percent: float) -> str:
    """Class of a nocturnal fall, as stated with one decimal: < 0 rising, 0 to < 10 reduced, 10 to 20 normal, > 20 extreme.

    >>> dip_class(12.0)
    'normal'
    """
    dip = stated(dip_percent, 1)
    if math.isnan(dip):
        return "not known"
    if dip < 0:
        return "rising"
    if dip < 10:
        return "reduced"
    return "normal" if dip <= 20 else "extreme"


def _whole(reckoning: Reckoning, found: Readings, periods: Periods) -> None:
    """Time-weighted means and average real variability over the whole days."""
    used = found.counted & periods.day.inside
    times = found.at_s[used]
    for quantity in ("systolic", "diastolic", "map", "pulse"):
        values = found.values[quantity][used]
        there = ~np.isnan(values)
        weights, v = time_weights(times[there]), values[there]
        mean = float(np.average(v, weights=weights)) if len(v) and weights.sum() > 0 else math.nan
        measure = f"{NAMES[quantity].lower()} mean weighted by time"
        formula = "sum w_i x_i / sum w_i, w_i = half of the time between the neighbours"
        _put_of_day(reckoning, f"{quantity}.weighted", measure, mean, UNITS[quantity], 0, formula, SOURCE)
    for quantity in PRESSURES:
        value = average_real_variability(found.values[quantity][used])
        measure = f"{NAMES[quantity].lower()} average real variability"
        formula = "(1/(N-1)) sum |x_(i+1) - x_i|"
        _put_of_day(reckoning, f"{quantity}.arv", measure, value, "mmHg", 1, formula, ARV_SOURCE)


def _put_of_day(
    reckoning: Reckoning,
    key: str,
    measure: str,
    value: float,
    unit: str,
    decimals: int,
    formula: str,
    source: str,
    *more: Put,
) -> None:
    over = Over("period", "24 h", measure)
    reckoning.put(f"all.{key}", f"24 h, {measure}", value, unit, decimals, formula, source, *more, over=over)


def _weighted_spread(reckoning: Reckoning, sleep: Sleep, length_s: float) -> None:
    """Standard deviations of day and night, each weighted by its hours: what the fall at night does to the plain one is left out."""
    asleep_h = sum(min(s.end_s, length_s) - max(s.start_s, 0.0) for s in sleep.stretches if s.start_s < length_s) / 3600
    awake_h = length_s / 3600 - asleep_h
    for quantity in PRESSURES:
        awake, asleep = (reckoning.value(f"{period}.{quantity}.sd") for period in ("awake", "asleep"))
        value = (awake * awake_h + asleep * asleep_h) / (awake_h + asleep_h) if awake_h + asleep_h > 0 else math.nan
        _put_of_day(
            reckoning,
            f"{quantity}.sd_weighted",
            f"{NAMES[quantity].lower()} standard deviation weighted by day and night",
            value,
            "mmHg",
            1,
            "(SD awake x hours awake + SD asleep x hours asleep) / all hours",
            SPREAD_SOURCE,
            Put("awake", "hours awake", awake_h, "h"),
            Put("asleep", "hours asleep", asleep_h, "h"),
        )


def _put_dip(
    reckoning: Reckoning, key: str, name: str, quantity: str, awake: float, asleep: float, over: Over | None = None
) -> None:
    dip = 100 * (awake - asleep) / awake if awake > 0 else math.nan
    unit = UNITS[quantity]
    reckoning.put(
        key,
        name,
        dip,
        "%",
        1,
        "100 (awake mean - asleep mean) / awake mean",
        DIP_SOURCE,
        Put("awake", "mean awake", awake, unit),
        Put("asleep", "mean asleep", asleep, unit),
        note="" if not math.isnan(dip) else "needs readings awake and asleep",
        state="" if math.isnan(dip) else dip_class(dip),
        over=over,
    )


def _put_nights(reckoning: Reckoning, found: Readings, periods: Periods) -> None:
    """Of a recording with several nights each by itself: readings, means, and the fall against the waking times around it.

    A night with fewer than seven valid readings has means and no dip (ESH position paper 2013, table 6).
    """
    for night, awake in periods.nights:
        valid = int(np.count_nonzero(night.inside & found.counted))
        tries = int(np.count_nonzero(night.inside))
        share = valid / tries if tries else 0.0
        counted = "count of readings without error, not left out"
        over = Over("night", night.name, "valid readings")
        name = f"{night.name}, valid readings"
        reckoning.put(
            f"{night.key}.valid", name, float(valid), "", 0, counted, QUALITY_SOURCE, coverage=share, over=over
        )
        for quantity in ("systolic", "diastolic", "pulse"):
            label = NAMES[quantity].lower()
            asleep, around = _mean(found.of(quantity, night.inside)), _mean(found.of(quantity, awake))
            reckoning.put(
                f"{night.key}.{quantity}.mean",
                f"{night.name}, {label} mean",
                asleep,
                UNITS[quantity],
                0,
                "(1/N) sum x_i",
                SOURCE,
                coverage=share,
                used=valid,
                over=Over("night", night.name, f"{label} mean"),
            )
            enough = valid >= FEWEST_A_NIGHT
            _put_dip(
                reckoning,
                f"{night.key}.dip.{quantity}",
                f"{night.name}, dip, {label}",
                quantity,
                around if enough else math.nan,
                asleep,
                Over("night", night.name, f"dip, {label}"),
            )


def _mean(values: Floats) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if len(known) else math.nan


def _surge(reckoning: Reckoning, found: Readings, sleep: Sleep) -> None:
    """Mean systolic of the 2 h after waking, less the mean of the lowest asleep reading and its two neighbours.

    Of several nights the first whose morning was recorded. The neighbours are the asleep readings before and
    after the lowest; where it is the first or last of the night there is one, and the note says so.
    """
    value, note = math.nan, "no night followed by two hours awake"
    morning_mean = trough = math.nan
    used = found.counted
    for night in sleep.stretches:
        inside = used & (found.at_s >= night.start_s) & (found.at_s < night.end_s)
        morning = used & (found.at_s >= night.end_s) & (found.at_s < night.end_s + SURGE_S)
        asleep, after = found.values["systolic"][inside], found.values["systolic"][morning]
        if not len(asleep) or not len(after):
            continue
        low = int(np.argmin(asleep))
        around = asleep[max(low - 1, 0) : low + 2]
        morning_mean, trough = float(after.mean()), float(around.mean())
        value, note = morning_mean - trough, "" if len(around) == 3 else f"the lowest has {len(around) - 1} neighbour"
        break
    numbers = (
        Put("morning", "mean of 2 h after waking", morning_mean, "mmHg"),
        Put("trough", "lowest asleep and its neighbours", trough, "mmHg"),
    )
    reckoning.put(
        "surge",
        "Morning surge, systolic",
        value,
        "mmHg",
        0,
        "mean of the 2 h after waking - mean of the lowest asleep reading and its two neighbours",
        SURGE_SOURCE,
        *numbers,
        note=note,
    )
