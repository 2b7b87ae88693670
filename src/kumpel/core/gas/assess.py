"""All figures and verdicts of one personal gas monitor's session.

Channels read, for each gas of `sensors.GASES`: `co.avg` (average of the log interval), `co.min`, `co.max`.
"""

from __future__ import annotations

import math
from dataclasses import replace

from kumpel.core.assessment import Assessment, BothWays, Finding, LimitSet, Put, Quality, Verdict
from kumpel.core.gas.alike import ALIKE, are_mixed
from kumpel.core.gas.figures import TWA_SOURCE, SensorFigures
from kumpel.core.gas.lanes import Lane, lane_of
from kumpel.core.gas.sensors import GASES, Sensor, check_findings, check_table, sensors
from kumpel.core.gas.tables import bands, events, overview, suggestions
from kumpel.core.reckoning import Reckoning, both_ways, conclude, planned_s
from kumpel.core.recording import Recording
from kumpel.core.review import Review


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a gas session against a limit set, as recorded and as reviewed.

    Options: `additive` (gases of the additive index, "co,no2"). Raises ValueError when no gas channel is there, and
    UnitError when a channel's unit does not fit its gas.
    """
    return both_ways(recording, review, limits, _assess)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
    fitted = sensors(recording)
    if not any(c.endswith(".avg") for c in recording.channels):
        raise ValueError("the recording has no gas channel (such as co.avg): nothing to assess")
    planned = planned_s(recording, review)
    lanes = [lane for each in fitted if each.on and (lane := lane_of(recording, review, each)) is not None]
    measured = max((lane.measured_s for lane in lanes), default=0.0)
    reckoning = Reckoning(measured / planned if planned > 0 else 0.0)
    alone: dict[str, float] = {}
    findings = check_findings(recording, fitted)
    for each in fitted:
        if not each.on:
            why = f" ({each.off_because})" if each.off_because else ""
            findings.append(Finding(f"off.{each.gas.key}", f"{each.gas.name}: the sensor was switched off{why}"))
    for lane in lanes:
        of_sensor = SensorFigures(recording, reckoning, lane, planned, alone)
        of_sensor.put_all()
        findings += of_sensor.findings(limits.minimum_coverage)
    _additive(recording, review, limits, reckoning, alone)
    findings += _not_alike(recording, review)
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
        suggestions=suggestions(recording, lanes),
        tables=(overview(lanes, reckoning), bands(lanes), check_table(recording)),
        events=events(recording, review, lanes),
    )


def _share(reckoning: Reckoning, figure: str, limit: float) -> float:
    value = reckoning.value(figure)
    return -1.0 if math.isnan(value) or limit <= 0 else value / limit


def _worthless(recording: Recording, lanes: list[Lane]) -> list[Finding]:
    records = max((len(lane.average) for lane in lanes), default=0)
    if records > 1:
        return []
    text = f"{records} record{'' if records == 1 else 's'}: the recorder was only switched on"
    return [Finding("worthless", text, blocks=True)]


def _applying(limits: LimitSet, fitted: list[Sensor], lanes: list[Lane], reckoning: Reckoning) -> LimitSet:
    """The rules for sensors that are fitted; one that was switched off stays, as "not recorded"."""
    there = {each.gas.key for each in fitted}
    rules = tuple(
        r
        for r in limits.rules
        if r.figure.split(".")[0] in there or (r.figure not in GASES and r.figure in reckoning.figures)
    )
    return replace(limits, rules=rules)


def _added_up(recording: Recording, review: Review) -> list[str]:
    """The gases whose shares of the limit are added, as the review says, else the setup."""
    chosen = review.options.get("additive", recording.setup.get("additive", ""))
    listed = chosen.split(",") if isinstance(chosen, str) else chosen if isinstance(chosen, list | tuple) else []
    return [key.strip() for key in map(str, listed) if key.strip()]


def _not_alike(recording: Recording, review: Review) -> list[Finding]:
    if not are_mixed(_added_up(recording, review)):
        return []
    groups = "; ".join(f"{', '.join(GASES[key].name for key in each.gases)} {each.words}" for each in ALIKE)
    text = f"the additive index is of gases that do not all act alike: stricter than it needs to be ({groups})"
    return [Finding("not-alike", text)]


def _additive(
    recording: Recording, review: Review, limits: LimitSet, reckoning: Reckoning, alone: dict[str, float]
) -> None:
    """sum(TWA_k / limit_k) over the chosen gases: substances that act on the same organ."""
    keys = _added_up(recording, review)
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
        made_of=tuple(f"{k}." for k in keys),
    )
