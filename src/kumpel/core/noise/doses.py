"""Dose, Lavg and TWA by a rule: those of the meter's set-ups, and those that a limit asks for."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Over, Put, Rule
from kumpel.core.noise import exposure, levels
from kumpel.core.noise.basis import Basis
from kumpel.core.noise.exposure import DoseRule
from kumpel.core.noise.setup import Weighting
from kumpel.core.reckoning import Reckoning
from kumpel.core.recording import Floats

DOSE_SOURCE = "29 CFR 1910.95 App. A, I"
TWA_SOURCE = "29 CFR 1910.95 App. A, II"
MEASURED, FOR_THE_DAY = "dose as measured", "dose for the working day"


def rule_words(rule: DoseRule) -> str:
    """A dose rule in words: "8 h at 85 dB, 3 dB rate, from 80 dB"."""
    threshold = "" if rule.threshold_db is None else f", from {rule.threshold_db:g} dB"
    return f"{rule.criterion_h:g} h at {rule.criterion_db:g} dB, {rule.exchange_rate_db:g} dB rate{threshold}"


def put_doses(
    reckoning: Reckoning, basis: Basis, found: Floats, rule: DoseRule, unit: str, prefix: str = "", setup: str = ""
) -> None:
    """The five figures of a dose rule, their keys behind `prefix`; their names behind that of the set-up, one of several."""
    measured = exposure.dose(found, basis.interval_s, rule)
    # A set-up's levels may be missing where others are there: its dose belongs to its own time.
    measured_s = float(np.count_nonzero(~np.isnan(found))) * basis.interval_s
    projected = exposure.projected_dose(measured, measured_s, basis.working_day_s)
    cover = basis.share_of(found, basis.interval_s)
    threshold = math.nan if rule.threshold_db is None else rule.threshold_db
    numbers = (
        Put("Lc", "criterion level", rule.criterion_db, unit),
        Put("Tc", "criterion time", rule.criterion_h, "h"),
        Put("q", f"from the exchange rate of {rule.exchange_rate_db:g} dB", rule.q, "dB"),
        Put("Lt", "threshold", threshold, unit),
        Put("dt", "interval", basis.interval_s, "s"),
    )
    day = (
        Put("T", "time measured", measured_s / 3600, "h"),
        Put("Te", "working day", basis.working_day_s / 3600, "h"),
    )
    none = "every sample lies below the threshold" if measured == 0 else ""
    words = rule_words(rule)

    def put(
        key: str, name: str, value: float, unit: str, formula: str, source: str, *numbers: Put, note: str = ""
    ) -> None:
        over = Over("weighting", f"{setup}, {words}", name) if setup else None
        name = f"{setup}: {name}, {words}" if setup else f"{name}, {words}"
        reckoning.put(
            f"{prefix}{key}", name, value, unit, 1, formula, source, *numbers, note=note, over=over, coverage=cover
        )

    mean = levels.mean_level(found, rule.exchange_rate_db, rule.threshold_db)
    lavg = "Lavg = q log10( (1/N) sum 10^(L_i/q) ), L_i < Lt counts as no energy"
    put("lavg", "Lavg", mean, unit, lavg, DOSE_SOURCE, *numbers, note=none)
    put("dose", MEASURED, measured, "%", "D = (100/Tc) sum dt 10^((L_i - Lc)/q), L_i >= Lt", DOSE_SOURCE, *numbers)
    put("projected_dose", FOR_THE_DAY, projected, "%", "D x Te/T", DOSE_SOURCE, Put("D", MEASURED, measured, "%"), *day)
    for key, name, dose, of, what in (
        ("twa", "TWA as measured", measured, MEASURED, ""),
        ("projected_twa", "TWA for the working day", projected, FOR_THE_DAY, ", D for the working day"),
    ):
        value = exposure.time_weighted_average(dose, rule)
        formula = f"TWA = Lc + q log10(D/100){what}"
        put(key, name, value, unit, formula, TWA_SOURCE, Put("D", of, dose, "%"), *numbers[:3], note=none)


def level_part(number: int) -> str:
    """What figures of a set-up's levels are made of (see `Reckoning.parts`)."""
    return f"setup{number}."


def put_for(reckoning: Reckoning, rule: Rule, basis: Basis, setups: Sequence[Weighting]) -> str:
    """The figure a rule asks for, there afterwards: a fixed one, or a dose figure by the rule's own parameters; its key."""
    if rule.figure in reckoning.figures:
        return rule.figure
    parameters = {k: float(v) for k, v in rule.parameters.items()}
    dose_rule = DoseRule(
        parameters.get("exchange_rate_db", 3),
        parameters.get("criterion_db", 85),
        parameters.get("criterion_h", 8),
        parameters.get("threshold_db"),
    )
    key = f"limit.{rule.figure}.{rule_words(dose_rule)}"
    if key in reckoning.figures:
        return key
    for number in _fitting(dose_rule, setups):
        found = basis.levels(f"leq.{number}")
        if found is None:
            continue
        alone = basis.reckoning()
        put_doses(alone, basis, found, dose_rule, setups[number - 1].unit)
        if rule.figure in alone.figures:
            reckoning.figures[key] = replace(alone.figures[rule.figure], key=key)
            reckoning.parts[key] = (level_part(number),)
            return key
    note = f"no A-weighted level for {rule.name} was recorded"
    reckoning.put(key, rule.name, math.nan, rule.unit, 1, rule.figure, rule.name, note=note, coverage=0.0)
    return key


def _fitting(rule: DoseRule, setups: Sequence[Weighting]) -> list[int]:
    """A-weighted set-ups that a dose can be taken from: those with the very rule first, then slow ones where the rule asks for it."""
    usable = [n for n, s in enumerate(setups, 1) if s.frequency == "A"]
    exact = [n for n in usable if setups[n - 1].rule == rule]
    slow = [n for n in usable if setups[n - 1].time == "S"] if rule.exchange_rate_db != 3 else []
    return [*exact, *slow, *usable]
