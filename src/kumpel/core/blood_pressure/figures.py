"""The figures of a blood pressure recording: of each period, of the whole, of the fall at night and the rise after it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.assessment import LimitSet, Over, Put
from kumpel.core.blood_pressure.readings import NAMES, UNITS, Readings, average_real_variability, time_weights
from kumpel.core.blood_pressure.sleep import Sleep
from kumpel.core.reckoning import Reckoning
from kumpel.core.recording import Flags

SOURCE = "ESH practice guidelines for ambulatory blood pressure monitoring 2014; ESH position paper 2013"
DIP_SOURCE = "ESH position paper 2013, section 6.2 (night-time dipping)"
SURGE_SOURCE = "Kario et al., Circulation 2003;107:1401 (sleep-trough surge)"
ARV_SOURCE = "Mena et al., J Hypertens 2005;23:505"
QUALITY_SOURCE = "ESH position paper 2013, table 6"
PERIODS = {"all": "24 h", "awake": "Awake", "asleep": "Asleep"}
SURGE_S = 7200.0


def put_figures(
    reckoning: Reckoning, found: Readings, inside: dict[str, Flags], sleep: Sleep, limits: LimitSet
) -> None:
    """Every figure; `inside` gives for each period of PERIODS which readings lie in it, shape (n,)."""
    for period, flags in inside.items():
        PeriodFigures(reckoning, found, period, flags).put_all(limits)
    _whole(reckoning, found)
    _dips(reckoning)
    _surge(reckoning, found, sleep)


@dataclass(frozen=True)
class PeriodFigures:
    """Puts the figures of one period (24 h, awake, asleep) into the reckoning."""

    reckoning: Reckoning
    found: Readings
    period: str
    inside: Flags

    def put_all(self, limits: LimitSet) -> None:
        self._put_counts()
        for quantity in NAMES:
            self._put_spread(quantity)
        for quantity in ("systolic", "diastolic"):
            self._put_load(quantity, limit_of(limits, self.period, quantity))

    @property
    def tries(self) -> int:
        return int(np.count_nonzero(self.inside))

    @property
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
        name = PERIODS[self.period]
        self.reckoning.put(
            f"{self.period}.{key}",
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

    def _put_load(self, quantity: str, limit: float) -> None:
        values = self.found.of(quantity, self.inside)
        load = 100 * float(np.mean(values >= limit)) if len(values) and not math.isnan(limit) else math.nan
        self._put(
            f"{quantity}.load",
            f"{NAMES[quantity].lower()} load",
            load,
            "%",
            0,
            "100 x share of readings at or above the limit of the period",
            SOURCE,
            Put("limit", "limit of the period", limit, "mmHg"),
        )


def limit_of(limits: LimitSet, period: str, quantity: str) -> float:
    """The limit set's value for the mean of a quantity in a period, in mmHg; nan when it has none."""
    wanted = f"{period}.{quantity}.mean"
    return next((rule.steps[-1].value for rule in limits.rules if rule.figure == wanted), math.nan)


def dip_class(dip_percent: float) -> str:
    """Class of a nocturnal fall, as stated with one decimal: < 0 rising, 0 to < 10 reduced, 10 to 20 normal, > 20 extreme."""
    stated = round(dip_percent, 1)
    if math.isnan(stated):
        return "not known"
    if stated < 0:
        return "rising"
    if stated < 10:
        return "reduced"
    return "normal" if stated <= 20 else "extreme"


def _whole(reckoning: Reckoning, found: Readings) -> None:
    """Time-weighted means and average real variability over the whole recording."""
    used = found.counted
    times = found.at_s[used]
    weights = time_weights(times)
    for quantity in ("systolic", "diastolic", "map", "pulse"):
        values = found.values[quantity][used]
        there = ~np.isnan(values)
        if there.all() or quantity in ("systolic", "diastolic"):
            w, v = weights, values
        else:
            w, v = time_weights(times[there]), values[there]
        mean = float(np.average(v, weights=w)) if len(v) and w.sum() > 0 else math.nan
        reckoning.put(
            f"all.{quantity}.weighted",
            f"24 h, {NAMES[quantity].lower()} mean weighted by time",
            mean,
            UNITS[quantity],
            0,
            "sum w_i x_i / sum w_i, w_i = half of the time between the neighbours",
            SOURCE,
            over=Over("period", PERIODS["all"], f"{NAMES[quantity].lower()} mean weighted by time"),
        )
    for quantity in ("systolic", "diastolic"):
        value = average_real_variability(found.values[quantity][used])
        reckoning.put(
            f"all.{quantity}.arv",
            f"24 h, {NAMES[quantity].lower()} average real variability",
            value,
            "mmHg",
            1,
            "(1/(N-1)) sum |x_(i+1) - x_i|",
            ARV_SOURCE,
            over=Over("period", PERIODS["all"], f"{NAMES[quantity].lower()} average real variability"),
        )


def _dips(reckoning: Reckoning) -> None:
    for quantity in ("systolic", "diastolic", "pulse"):
        awake, asleep = reckoning.value(f"awake.{quantity}.mean"), reckoning.value(f"asleep.{quantity}.mean")
        dip = 100 * (awake - asleep) / awake if awake > 0 else math.nan
        unit = UNITS[quantity]
        numbers = (Put("awake", "mean awake", awake, unit), Put("asleep", "mean asleep", asleep, unit))
        note = "" if not math.isnan(dip) else "needs readings awake and asleep"
        reckoning.put(
            f"dip.{quantity}",
            f"Dip, {NAMES[quantity].lower()}",
            dip,
            "%",
            1,
            "100 (awake mean - asleep mean) / awake mean",
            DIP_SOURCE,
            *numbers,
            note=note,
            state="" if math.isnan(dip) else dip_class(dip),
        )


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
