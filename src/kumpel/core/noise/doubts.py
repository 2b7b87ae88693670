"""What is to be said against the data of a noise session, and what might be left out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.core.assessment import Finding, LimitSet, Suggestion
from kumpel.core.noise import quality
from kumpel.core.noise.basis import Basis
from kumpel.core.noise.doses import level_part
from kumpel.core.reckoning import coverage_finding, short_of
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.rounding import shown, stated
from kumpel.core.runs import merge, runs

CALIBRATOR = "calibrator"
DRIFT_LIMIT_DB = 0.5
DRIFT_DECIMALS = 2
HIGHEST_LEVEL_DB = 160.0
HIGHEST_PEAK_DB = 180.0
"""Beyond what the microphones of personal meters take (IEC 61252 asks for 140 dB): a number there is a fault."""


def findings_of(recording: Recording, review: Review, basis: Basis, limits: LimitSet) -> list[Finding]:
    """What blocks a verdict (too little measured, levels that nobody measured, drift), and what is only said."""
    findings: list[Finding] = []
    if basis.coverage < limits.minimum_coverage:
        findings += coverage_finding(basis.measured_s, basis.planned_s, limits.minimum_coverage)
    findings += _missing(basis, limits.minimum_coverage)
    findings += _implausible(basis)
    drift = calibration_drift(recording)
    if drift is not None and abs(stated(drift, DRIFT_DECIMALS)) > DRIFT_LIMIT_DB:
        text = f"calibrator check drifted by {shown(drift, DRIFT_DECIMALS, '+')} dB, {DRIFT_LIMIT_DB:.2f} dB allowed"
        findings.append(Finding("drift", text, blocks=True))
    without = [side.removeprefix("check-") for side, found in calibrator_checks(recording, review).items() if not found]
    if without:
        findings.append(Finding("no-check", f"no calibrator check {' and '.join(without)} is on record"))
    return findings


def _missing(basis: Basis, minimum: float) -> list[Finding]:
    """Channels that were measured for less of the time than the first one: what they alone are in is not assessable."""
    found = []
    for key, channel in basis.recording.channels.items():
        what, _, number = key.partition(".")
        of = {"peak": ("lcpeak", "peaks_"), "leq": (level_part(int(number or 0)),), "max": (f"setup{number}.max",)}
        values = basis.levels(key)
        if what not in of or key == "leq.1" or values is None:
            continue
        share = basis.share_of(values, channel.interval_s)
        if round(share, 9) < minimum <= round(basis.coverage, 9):
            text = f"{channel.name}: measured for {short_of(share, minimum)} % of the time, {100 * minimum:g} % needed"
            found.append(Finding(f"coverage.{key}", text, blocks=True, figures=of[what], at_least=True))
    return found


def _highest(key: str) -> float | None:
    """The highest level a channel can have measured; None for channels that are no level."""
    if key == "peak":
        return HIGHEST_PEAK_DB
    return HIGHEST_LEVEL_DB if key.startswith(("leq.", "max.")) else None


def _implausible(basis: Basis) -> list[Finding]:
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


@dataclass(frozen=True)
class CalibratorCheck:
    """What a calibrator gave and what the meter read, in dB; `applied` is None where only the reading was kept. `at_bench`: not in the recording
    itself, but beside it."""

    applied: float | None
    read: float
    at_bench: bool

    @property
    def deviation(self) -> float:
        return self.read - (self.applied or 0.0)


def calibrator_checks(recording: Recording, review: Review) -> dict[str, CalibratorCheck | None]:
    """The calibrator checks "check-before" and "check-after" of a recording: its own, else the one at the bench beside it (ISO 9612:2009, 12.2:
    before and after each series of measurements)."""
    found: dict[str, CalibratorCheck | None] = dict.fromkeys(("check-before", "check-after"))
    for each in review.checks:
        if each.what == CALIBRATOR:
            found["check-before" if each.from_start_s <= 0 else "check-after"] = CalibratorCheck(
                each.applied, each.read, True
            )
    for event in recording.events:
        applied, read = event.data.get("applied_db"), event.data.get("read_db")
        if event.code in found and isinstance(read, int | float):
            found[event.code] = CalibratorCheck(
                float(applied) if isinstance(applied, int | float) else None, float(read), False
            )
    return found


def calibration_drift(recording: Recording) -> float | None:
    """Reading after minus reading before, in dB, of the calibrator checks in the events; None without both. Between checks at the bench it
    is a doubt from outside."""
    before, after = calibrator_checks(recording, Review()).values()
    return None if before is None or after is None else round(after.deviation - before.deviation, 6)


def suggestions_of(recording: Recording, review: Review) -> list[Suggestion]:
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
