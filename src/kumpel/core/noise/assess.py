"""All figures and verdicts of one noise session.

Channels read: `leq.1` .. `leq.3` (level of the interval per weighting set-up, dB), `max.1` .. (highest level in
the interval), `peak` (C-weighted peak, dB(C)), `motion` and `overload` (0 or 1).
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Figure,
    Finding,
    Judgement,
    LimitSet,
    Put,
    Quality,
    Rule,
    Suggestion,
    Table,
    TableColumn,
    Why,
    judge,
)
from kumpel.core.noise import exposure, levels, quality
from kumpel.core.noise.exposure import DoseRule
from kumpel.core.noise.setup import Weighting, planned_s, weightings
from kumpel.core.reckoning import coverage_finding, held, hours_minutes, overall
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, Stretch, samples_inside
from kumpel.core.runs import merge, runs
from kumpel.core.timebase import wall_clock

PEAK_COUNTS_DB = (135, 137, 140)
DRIFT_LIMIT_DB = 0.5
HIGHEST_LEVEL_DB = 160.0
HIGHEST_PEAK_DB = 180.0
"""Beyond what the microphones of personal meters take (IEC 61252 asks for 140 dB): a number there is a fault."""
LAEQ_SOURCE = "ISO 1999:2013, 3.5; IEC 61252:1993, 3.4"
LEX_SOURCE = "ISO 9612:2009, 3.4, equation 3"
DOSE_SOURCE = "29 CFR 1910.95 App. A, I"


@dataclass(frozen=True)
class _Basis:
    """The samples that count, and how long they and the working day are."""

    recording: Recording
    stretches: tuple[Stretch, ...]
    interval_s: float
    counted: Flags
    left_out: Flags
    measured_s: float
    working_day_s: float
    planned_s: float
    coverage: float

    def levels(self, key: str) -> Floats | None:
        """A channel with nan where it was left out, by the channel's own interval."""
        channel = self.recording.channels.get(key)
        if channel is None:
            return None
        out = samples_inside(self.stretches, channel.count, channel.interval_s)
        return np.where(out, np.nan, channel.values)

    def why(self, formula: str, source: str, *numbers: Put) -> Why:
        out = int(np.sum(self.left_out))
        return Why(formula, numbers, int(np.sum(self.counted)), out, out * self.interval_s, source)


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a noise session against a limit set, as recorded and as reviewed.

    Raises ValueError when the recording has no level channel `leq.1`.
    """
    recorded = _assess(recording, review.as_recorded(), limits, "as recorded")
    if not review.left_out:
        return BothWays(recorded, replace(recorded, basis="as reviewed"))
    return BothWays(recorded, _assess(recording, review, limits, "as reviewed"))


def _basis(recording: Recording, review: Review) -> _Basis:
    main = recording.channels.get("leq.1")
    if main is None:
        raise ValueError("the recording has no level channel (leq.1): nothing to assess")
    left_out = samples_inside(review.left_out, main.count, main.interval_s)
    counted = levels.measured_flags(main.values, left_out)
    measured_s = float(np.sum(counted)) * main.interval_s
    recorded_s = float(np.sum(~np.isnan(main.values))) * main.interval_s
    planned = planned_s(recording.setup)
    # The day is not shorter because a part of it was left out, and not shorter than what was measured.
    working_day = review.working_day_s or max(planned or 0.0, recorded_s)
    expected = review.working_day_s or planned or recording.length_s
    coverage = min(measured_s / expected, 1.0) if expected > 0 else 0.0
    return _Basis(
        recording, review.left_out, main.interval_s, counted, left_out, measured_s, working_day, expected, coverage
    )


def _assess(recording: Recording, review: Review, limits: LimitSet, name: str) -> Assessment:
    basis = _basis(recording, review)
    setups = weightings(recording.setup)
    figures = [*_daily_figures(basis, review), *_peak_figures(basis), *_time_figures(basis)]
    for number, setup in enumerate(setups, 1):
        figures += _setup_figures(basis, setup, number)
    by_key = {figure.key: figure for figure in figures}
    judgements: list[Judgement] = []
    findings = _findings(recording, basis, limits)
    extent = f"from {hours_minutes(basis.measured_s)} of {hours_minutes(basis.planned_s)} h"
    open_findings = [f for f in findings if f.blocks and f.code not in review.accepted]
    for rule in limits.rules:
        figure = _figure_for(rule, by_key, basis, setups)
        by_key.setdefault(figure.key, figure)
        judged = judge(rule, figure)
        alone = {figure.key: _value_of_measured_part(judged, basis, by_key)}
        judgements.append(held(judged, rule, open_findings, alone, figure.decimals, extent))
    verdict, words = overall(judgements)
    dose_like = [j.figure for j in judgements if j.figure != "lcpeak" and j.figure != "lex8h_protected"]
    key_figures = (*tuple(dict.fromkeys([*dose_like, "setup1.projected_dose"]))[:2], "lcpeak", "measured")
    return Assessment(
        kind="noise",
        basis=name,
        verdict=verdict,
        words=words,
        figures=tuple(by_key.values()),
        judgements=tuple(judgements),
        suggestions=tuple(_suggestions(recording, review)),
        tables=(_task_table(basis, review), _hour_table(basis), _half_table(basis), _spread_table(basis)),
        quality=Quality(basis.coverage, basis.measured_s, basis.planned_s, tuple(findings)),
        key_figures=key_figures,
    )


def _equal_energy_levels(basis: _Basis) -> tuple[Floats | None, str]:
    """Levels for LAeq: the first A-weighted, equal-energy set-up without a threshold in the meter."""
    for number, setup in enumerate(weightings(basis.recording.setup), 1):
        if setup.frequency == "A" and setup.is_equal_energy:
            return basis.levels(f"leq.{number}"), ""
    for number, setup in enumerate(weightings(basis.recording.setup), 1):
        if setup.frequency == "A":
            return basis.levels(f"leq.{number}"), f"from set-up {number} ({setup.name})"
    return None, "no A-weighted set-up was recorded"


def _daily_figures(basis: _Basis, review: Review) -> list[Figure]:
    found, note = _equal_energy_levels(basis)
    laeq = levels.mean_level(found) if found is not None else math.nan
    lex = exposure.daily_exposure_level(laeq, basis.working_day_s)
    pa2h = levels.sound_exposure(found, basis.interval_s) if found is not None else math.nan
    te = Put("Te", "working day that the measurement stands for", basis.working_day_s / 3600, "h")
    n = Put("N", "samples", float(np.sum(basis.counted)), "")
    dt = Put("dt", "interval", basis.interval_s, "s")
    attenuation = review.attenuation_db
    protected = lex - attenuation if attenuation is not None else lex
    protected_name = "LEX,8h under the protection" if attenuation is not None else "LEX,8h, no protection entered"
    cover = basis.coverage
    figures = [
        Figure(
            "lex8h",
            "LEX,8h",
            lex,
            "dB(A)",
            1,
            cover,
            basis.why(
                "LEX,8h = LAeq,T + 10 log10(Te / 8 h)", LEX_SOURCE, Put("LAeq,T", "mean level", laeq, "dB(A)"), te
            ),
            note,
        ),
        Figure(
            "laeq",
            "LAeq",
            laeq,
            "dB(A)",
            1,
            cover,
            basis.why("LAeq,T = 10 log10( (1/N) sum 10^(L_i/10) )", LAEQ_SOURCE, n, dt),
            note,
        ),
        Figure(
            "lex8h_protected",
            protected_name,
            protected,
            "dB(A)",
            1,
            cover,
            basis.why(
                "LEX,8h - attenuation",
                "2003/10/EC, art. 3(2)",
                Put("LEX,8h", "daily exposure level", lex, "dB(A)"),
                Put("attenuation", "of the protection worn", attenuation or 0.0, "dB"),
            ),
        ),
        Figure(
            "exposure",
            "Sound exposure E",
            pa2h,
            "Pa2h",
            3,
            cover,
            basis.why("E = 4e-10 Pa2 sum (dt/3600) 10^(L_i/10)", "IEC 61252:1993, 3.3", n, dt),
        ),
    ]
    for percent in (10, 50, 90):
        value = levels.exceeded_level(found, percent) if found is not None else math.nan
        figures.append(
            Figure(
                f"l{percent}",
                f"L{percent}",
                value,
                "dB(A)",
                1,
                cover,
                basis.why(f"level exceeded for {percent} % of the measured time", "ISO 1996-1:2016, 3.1.3", n),
            )
        )
    return figures


def _peak_figures(basis: _Basis) -> list[Figure]:
    peaks = basis.levels("peak")
    why = basis.why("highest C-weighted peak of all intervals", "IEC 61672-1:2013, 3.14; 2003/10/EC, art. 2 a")
    if peaks is None or np.all(np.isnan(peaks)):
        note = "no peak was recorded"
        return [Figure("lcpeak", "Highest peak", math.nan, "dB(C)", 1, 0.0, why, note)]
    at = int(np.nanargmax(peaks))
    interval_s = basis.recording.channels["peak"].interval_s
    figures = [
        Figure("lcpeak", "Highest peak", float(peaks[at]), "dB(C)", 1, basis.coverage, why, at_s=at * interval_s)
    ]
    for limit in PEAK_COUNTS_DB:
        seconds = float(np.sum(peaks > limit)) * interval_s
        count_why = basis.why(f"intervals with a peak above {limit} dB(C), times dt", "2003/10/EC, art. 3")
        figures.append(
            Figure(f"peaks_{limit}", f"Time with peaks above {limit}", seconds, "s", 0, basis.coverage, count_why)
        )
    return figures


def _time_figures(basis: _Basis) -> list[Figure]:
    why = basis.why(
        "N x dt",
        "ISO 9612:2009, 9",
        Put("planned", "planned time", basis.planned_s / 3600, "h"),
    )
    return [Figure("measured", "Time measured", basis.measured_s / 3600, "h", 2, basis.coverage, why)]


def _setup_figures(basis: _Basis, setup: Weighting, number: int) -> list[Figure]:
    found = basis.levels(f"leq.{number}")
    if found is None:
        return []
    prefix, label, rule, cover = f"setup{number}.", f"{setup.name}: ", setup.rule, basis.coverage
    figures = _dose_figures(basis, found, rule, prefix, label, setup.unit)
    highest = basis.levels(f"max.{number}")
    if highest is not None and not np.all(np.isnan(highest)):
        at = int(np.nanargmax(highest))
        why = basis.why(f"highest {setup.unit} level, time weighting {setup.time}", "IEC 61672-1:2013, 3.8")
        figures.append(
            Figure(
                f"{prefix}max",
                f"{label}highest level",
                float(highest[at]),
                setup.unit,
                1,
                cover,
                why,
                at_s=at * basis.interval_s,
            )
        )
    return figures


def rule_words(rule: DoseRule) -> str:
    """A dose rule in words: "8 h at 85 dB, 3 dB rate, from 80 dB"."""
    threshold = "" if rule.threshold_db is None else f", from {rule.threshold_db:g} dB"
    return f"{rule.criterion_h:g} h at {rule.criterion_db:g} dB, {rule.exchange_rate_db:g} dB rate{threshold}"


def _dose_figures(basis: _Basis, found: Floats, rule: DoseRule, prefix: str, label: str, unit: str) -> list[Figure]:
    cover = basis.coverage
    mean = levels.mean_level(found, rule.exchange_rate_db, rule.threshold_db)
    measured = exposure.dose(found, basis.interval_s, rule)
    projected = exposure.projected_dose(measured, basis.measured_s, basis.working_day_s)
    numbers = (
        Put("Lc", "criterion level", rule.criterion_db, unit),
        Put("Tc", "criterion time", rule.criterion_h, "h"),
        Put("q", f"from the exchange rate of {rule.exchange_rate_db:g} dB", rule.q, "dB"),
        Put("Lt", "threshold", math.nan if rule.threshold_db is None else rule.threshold_db, unit),
        Put("dt", "interval", basis.interval_s, "s"),
    )
    day = (
        Put("T", "time measured", basis.measured_s / 3600, "h"),
        Put("Te", "working day", basis.working_day_s / 3600, "h"),
    )
    words = rule_words(rule)
    none = "every sample lies below the threshold" if measured == 0 else ""
    twa, twa_projected = (exposure.time_weighted_average(d, rule) for d in (measured, projected))

    def one(key: str, name: str, value: float, unit: str, decimals: int, why: Why, note: str = "") -> Figure:
        return Figure(prefix + key, f"{label}{name}, {words}", value, unit, decimals, cover, why, note)

    return [
        one(
            "lavg",
            "Lavg",
            mean,
            unit,
            1,
            basis.why("Lavg = q log10( (1/N) sum 10^(L_i/q) ), L_i < Lt counts as no energy", DOSE_SOURCE, *numbers),
            none,
        ),
        one(
            "dose",
            "dose as measured",
            measured,
            "%",
            1,
            basis.why("D = (100/Tc) sum dt 10^((L_i - Lc)/q), L_i >= Lt", DOSE_SOURCE, *numbers),
        ),
        one(
            "projected_dose",
            "dose for the working day",
            projected,
            "%",
            1,
            basis.why("D x Te/T", DOSE_SOURCE, Put("D", "dose as measured", measured, "%"), *day),
        ),
        one(
            "twa",
            "TWA as measured",
            twa,
            unit,
            1,
            basis.why(
                "TWA = Lc + q log10(D/100)",
                "29 CFR 1910.95 App. A, II",
                Put("D", "dose as measured", measured, "%"),
                *numbers[:3],
            ),
            none,
        ),
        one(
            "projected_twa",
            "TWA for the working day",
            twa_projected,
            unit,
            1,
            basis.why(
                "TWA = Lc + q log10(D/100), D for the working day",
                "29 CFR 1910.95 App. A, II",
                Put("D", "dose for the working day", projected, "%"),
                *numbers[:3],
            ),
            none,
        ),
    ]


def _figure_for(rule: Rule, by_key: dict[str, Figure], basis: _Basis, setups: tuple[Weighting, ...]) -> Figure:
    """The figure a rule asks for: a fixed one, or a dose figure by the rule's own parameters."""
    if rule.figure in by_key:
        return by_key[rule.figure]
    parameters = {k: float(v) for k, v in rule.parameters.items()}
    dose_rule = DoseRule(
        parameters.get("exchange_rate_db", 3),
        parameters.get("criterion_db", 85),
        parameters.get("criterion_h", 8),
        parameters.get("threshold_db"),
    )
    key = f"limit.{rule.figure}.{rule_words(dose_rule)}"
    exact = [n for n, s in enumerate(setups, 1) if s.frequency == "A" and s.rule == dose_rule]
    usable = [n for n, s in enumerate(setups, 1) if s.frequency == "A"]
    slow = [n for n in usable if setups[n - 1].time == "S"] if dose_rule.exchange_rate_db != 3 else []
    for number in [*exact, *slow, *usable]:
        found = basis.levels(f"leq.{number}")
        if found is None:
            continue
        for figure in _dose_figures(basis, found, dose_rule, "limit.", "", setups[number - 1].unit):
            if figure.key == f"limit.{rule.figure}":
                return Figure(
                    key,
                    figure.name,
                    figure.value,
                    figure.unit,
                    figure.decimals,
                    figure.coverage,
                    figure.why,
                    figure.note,
                )
    note = f"no A-weighted level for {rule.name} was recorded"
    return Figure(key, rule.name, math.nan, rule.unit, 1, 0.0, basis.why(rule.figure, rule.name), note)


def _findings(recording: Recording, basis: _Basis, limits: LimitSet) -> list[Finding]:
    findings: list[Finding] = []
    if basis.coverage < limits.minimum_coverage:
        findings += coverage_finding(basis.measured_s, basis.planned_s, limits.minimum_coverage)
    findings += _implausible(basis)
    drift = calibration_drift(recording)
    if drift is not None and abs(drift) > DRIFT_LIMIT_DB:
        text = f"calibrator check drifted by {drift:+.1f} dB, {DRIFT_LIMIT_DB} dB allowed"
        findings.append(Finding("drift", text, blocks=True))
    if drift is None:
        findings.append(Finding("no-check", "no calibrator check before and after is on record"))
    return findings


def _highest(key: str) -> float | None:
    """The highest level a channel can have measured; None for channels that are no level."""
    if key == "peak":
        return HIGHEST_PEAK_DB
    return HIGHEST_LEVEL_DB if key.startswith(("leq.", "max.")) else None


def _implausible(basis: _Basis) -> list[Finding]:
    """Levels that nobody measured: no figure rests on them until a person leaves them out."""
    found = []
    for key, channel in basis.recording.channels.items():
        highest, values = _highest(key), basis.levels(key)
        if highest is None or values is None:
            continue
        wrong = quality.implausible(values, highest)
        if wrong.any():
            extreme = float(values[wrong][np.argmax(np.abs(values[wrong]))])
            text = (
                f"{channel.name}: {float(wrong.sum()) * channel.interval_s:.0f} s outside 0 to {highest:.0f} dB "
                f"(such as {extreme:.0f}): leave them out, or correct the unit"
            )
            found.append(Finding(f"implausible.{key}", text, blocks=True))
    return found


def calibration_drift(recording: Recording) -> float | None:
    """Reading after minus reading before, in dB, of the calibrator checks in the events; None without both."""
    reading: dict[str, float] = {}
    for event in recording.events:
        applied, read = event.data.get("applied_db"), event.data.get("read_db")
        if event.code in ("check-before", "check-after") and isinstance(read, int | float):
            reading[event.code] = float(read) - (float(applied) if isinstance(applied, int | float) else 0.0)
    if len(reading) < 2:
        return None
    return round(reading["check-after"] - reading["check-before"], 6)


def _value_of_measured_part(judgement: Judgement, basis: _Basis, by_key: dict[str, Figure]) -> float:
    """The judged figure if the rest of the working day had been silent."""
    if judgement.figure == "lcpeak" or basis.working_day_s <= 0 or basis.measured_s <= 0:
        return judgement.value
    share = min(basis.measured_s / basis.working_day_s, 1.0)
    if judgement.unit == "%":
        return judgement.value * share
    figure = by_key[judgement.figure]
    q = next((n.value for n in figure.why.numbers if n.symbol == "q"), 10.0)
    return judgement.value + q * math.log10(share)


def _suggestions(recording: Recording, review: Review) -> list[Suggestion]:
    """Suggestions for what is not already left out."""
    main = recording.channels["leq.1"]
    found: list[Suggestion] = []
    peak, motion, overload = (recording.values(key) for key in ("peak", "motion", "overload"))
    if overload is not None:
        found += quality.overloads(overload, main.interval_s)
    if motion is not None:
        found += quality.flat_lines(main.values, motion, main.interval_s)
    if peak is not None and len(peak) == main.count:
        found += quality.knocks(main.values, peak, main.interval_s)
    spans = [
        runs(quality.implausible(c.values, highest)).astype(np.float64) * c.interval_s
        for c in recording.channels.values()
        if (highest := _highest(c.key)) is not None
    ]
    together = np.concatenate(spans)
    for a, b in merge(together[np.argsort(together[:, 0], kind="stable")], 5.0):
        found.append(Suggestion(a, b, "implausible", "a level that nobody can have measured"))
    covered = review.left_out
    return sorted(
        (s for s in found if not any(c.start_s <= s.start_s and s.end_s <= c.end_s for c in covered)),
        key=lambda s: s.start_s,
    )


def _task_table(basis: _Basis, review: Review) -> Table:
    found, _ = _equal_energy_levels(basis)
    rows: list[tuple[str | float, ...]] = []
    if found is not None:
        names = list(dict.fromkeys(task.label for task in review.tasks))
        total = float(np.nansum(10 ** (found / 10)))
        free = np.ones(len(found), dtype=bool)
        for name in names:
            inside = samples_inside(tuple(t for t in review.tasks if t.label == name), len(found), basis.interval_s)
            rows.append(_task_row(name, found, inside & free, basis.interval_s, total))
            free &= ~inside
        if names and np.any(free & basis.counted[: len(found)]):
            rows.append(_task_row("rest of the day", found, free, basis.interval_s, total))
    columns = (
        TableColumn("Task", "", None),
        TableColumn("Time", "s", 0),
        TableColumn("LAeq,m", "dB(A)", 1),
        TableColumn("LEX,8h,m", "dB(A)", 1),
        TableColumn("Share of dose", "%", 0),
    )
    return Table("tasks", "Tasks", columns, tuple(rows))


def _task_row(name: str, found: Floats, inside: Flags, interval_s: float, total: float) -> tuple[str | float, ...]:
    part = found[inside]
    seconds = float(np.sum(~np.isnan(part))) * interval_s
    laeq = levels.mean_level(part)
    share = 100 * float(np.nansum(10 ** (part / 10))) / total if total > 0 else math.nan
    return name, seconds, laeq, exposure.daily_exposure_level(laeq, seconds), share


def _hour_table(basis: _Basis) -> Table:
    """Share of the dose by hour on the wall, met in order: an hour that summer time's end repeats is there twice.

    Samples belong to the hour of the nearest second, as starts lie on fractions of one.
    """
    found, _ = _equal_energy_levels(basis)
    columns = (
        TableColumn("Hour from", "s", 0),
        TableColumn("LAeq", "dB(A)", 1),
        TableColumn("Share of dose", "%", 1),
    )
    if found is None or not len(found):
        return Table("hours", "Where the dose comes from", columns, ())
    at = np.arange(len(found), dtype=np.float64) * basis.interval_s
    wall = wall_clock(basis.recording, at)
    new_hour = np.diff(np.round(wall) // 3600) != 0
    new_offset = np.abs(np.diff(wall - at)) > 1
    energy = np.nan_to_num(10 ** (found / 10))
    total = float(energy.sum())
    rows = []
    edges = [0, *(np.flatnonzero(new_hour | new_offset) + 1).tolist(), len(found)]
    for first, end in itertools.pairwise(edges):
        share = 100 * float(energy[first:end].sum()) / total if total > 0 else math.nan
        rows.append((float(at[first]), levels.mean_level(found[first:end]), share))
    return Table("hours", "Where the dose comes from", columns, tuple(rows))


def _half_table(basis: _Basis) -> Table:
    """The shortest stretch of the day that makes half of the dose: start and end in s, LAeq in it."""
    columns = (TableColumn("From", "s", 0), TableColumn("To", "s", 0), TableColumn("LAeq", "dB(A)", 1))
    found, _ = _equal_energy_levels(basis)
    stretch = levels.highest_share(found, 0.5) if found is not None else None
    if found is None or stretch is None:
        return Table("half", "Half of the dose", columns, ())
    first, end = stretch
    row = (first * basis.interval_s, end * basis.interval_s, levels.mean_level(found[first:end]))
    return Table("half", "Half of the dose", columns, (row,))


def _spread_table(basis: _Basis) -> Table:
    found, _ = _equal_energy_levels(basis)
    columns = (TableColumn("Level from", "dB(A)", 0), TableColumn("Time", "s", 0))
    if found is None:
        return Table("spread", "Spread of levels", columns, ())
    edges, seconds = levels.histogram(found, basis.interval_s)
    used = np.flatnonzero(seconds)
    if not len(used):
        return Table("spread", "Spread of levels", columns, ())
    span = slice(int(used[0]), int(used[-1]) + 1)
    return Table(
        "spread",
        "Spread of levels",
        columns,
        tuple((float(a), float(b)) for a, b in zip(edges[span], seconds[span], strict=True)),
    )
