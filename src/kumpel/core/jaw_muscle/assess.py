"""All figures and verdicts of one night of jaw muscles and heart.

Channels read: `emg.left`, `emg.right` (uV), `ecg` (mV).
"""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Assessment, BothWays, LimitSet, Quality
from kumpel.core.jaw_muscle.doubts import findings_of, suggestions_of
from kumpel.core.jaw_muscle.events import events_of
from kumpel.core.jaw_muscle.figures import put_amounts, put_heart, put_indices
from kumpel.core.jaw_muscle.muscle import STEP_S
from kumpel.core.jaw_muscle.night import night_of, sleep_of
from kumpel.core.jaw_muscle.signals import Signals, signals_of
from kumpel.core.jaw_muscle.tables import contact_table, electrode_table, heart_table, hour_table, kind_table
from kumpel.core.reckoning import Reckoning, both_ways, conclude, setup_number
from kumpel.core.recording import Recording
from kumpel.core.review import Review


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a night against a limit set, as recorded and as reviewed.

    Options: `threshold` (share of the clench, %, default 10), `hysteresis` (%, 20), `heart_rise` (%, 10), `notch_hz` (0: none),
    `clenches` (how many make 100 %, 3), `clench_min` (within how many minutes, 3), `clench_mean` (of their peaks: "mean", "median",
    "highest"), `reference_uv` (in place of the clench). Raises ValueError when there is no EMG channel.
    """
    notch = review.number("notch_hz", setup_number(recording.setup, "notch_hz", 0.0))
    signals = recording.once(f"signals, notch {notch:g} Hz", lambda: signals_of(recording, notch))

    def one(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
        return _assess(recording, review, limits, basis, signals)

    return both_ways(recording, review, limits, one)


def _assess(recording: Recording, review: Review, limits: LimitSet, basis: str, signals: Signals) -> Assessment:
    sleep = sleep_of(recording, review)
    night = night_of(recording, review, signals, sleep)
    wanted = sum(s.end_s - s.start_s for s in sleep)
    valid = night.valid_s["both"]
    reckoning = Reckoning(
        min(valid / wanted, 1.0) if wanted > 0 else 0.0,
        used=int(valid / STEP_S),
        left_out_s=sum(s.end_s - s.start_s for s in review.left_out),
    )
    rates = signals.beats.rates if signals.beats is not None else (np.empty(0), np.empty(0))
    events = events_of(night, rates, review)
    put_indices(reckoning, night, review)
    put_amounts(reckoning, night)
    put_heart(reckoning, night, rates, sleep, review)
    findings = findings_of(reckoning, signals, night)
    return conclude(
        recording,
        review,
        limits,
        basis,
        reckoning,
        Quality(reckoning.coverage, valid, wanted, tuple(findings)),
        key_figures=("both.index", "both.phasic", "linked", "heart_rate"),
        suggestions=suggestions_of(signals),
        tables=(
            hour_table(recording, night),
            electrode_table(signals),
            kind_table(night),
            contact_table(signals, night),
            heart_table(rates, signals.beats.length_s if signals.beats else 0.0),
        ),
        events=events,
        stretches=sleep,
    )
