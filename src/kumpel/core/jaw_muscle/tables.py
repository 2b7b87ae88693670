"""Tables of a night: episodes by hour and type, electrodes."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Table
from kumpel.core.jaw_muscle.beats import mean_rate
from kumpel.core.jaw_muscle.muscle import STATE_S, Electrode
from kumpel.core.jaw_muscle.muscle import STEP_S as RMS_STEP_S
from kumpel.core.jaw_muscle.night import KINDS, Night
from kumpel.core.jaw_muscle.signals import SIDES, Signals
from kumpel.core.reckoning import table
from kumpel.core.recording import Floats, Recording
from kumpel.core.runs import runs
from kumpel.core.timebase import clocks_words


def hour_table(recording: Recording, night: Night) -> Table:
    """Episodes in each hour of the recording, by type."""
    hours = int(recording.length_s // 3600) + (1 if recording.length_s % 3600 else 0)
    counts = np.zeros((hours, len(KINDS)))
    for each in night.episodes["both"]:
        counts[min(int(each.start_s // 3600), hours - 1), KINDS.index(each.kind)] += 1
    starts = np.arange(hours, dtype=np.float64) * 3600.0
    clocks = clocks_words(recording, starts)
    rows = [(at, clock, *row) for at, clock, row in zip(starts.tolist(), clocks, counts.tolist(), strict=True)]
    return table(
        "hours",
        "Episodes per hour",
        [("From", "clock", 0), ("Clock", "", None), *((k.capitalize(), "", 0) for k in KINDS)],
        rows,
    )


def electrode_table(signals: Signals) -> Table:
    """Share of the night that each electrode was connected, doubtful, off."""
    rows: list[tuple[str | float, ...]] = []
    for lane, states in {**{s: a.states for s, a in signals.sides.items()}, "heart": signals.ecg_states}.items():
        n = max(len(states), 1)
        rows.append((lane, *(100 * float(np.count_nonzero(states == s)) / n for s in Electrode)))
    return table(
        "electrodes",
        "Electrodes",
        [("Electrode", "", None), ("Connected", "%", 0), ("Doubtful", "%", 0), ("Off", "%", 0)],
        rows,
    )


def kind_table(night: Night) -> Table:
    """Episodes by type and side."""
    rows: list[tuple[str | float, ...]] = [
        (kind, *(float(sum(e.kind == kind for e in night.episodes.get(side, []))) for side in (*SIDES, "both")))
        for kind in KINDS
    ]
    return table(
        "kinds",
        "Episodes by type",
        [("Type", "", None), ("Left", "", 0), ("Right", "", 0), ("Both sides", "", 0)],
        rows,
    )


STEP_S = 30.0
MOST_SPELLS = 600


def contact_table(signals: Signals, night: Night) -> Table:
    """When an electrode was doubtful or off, or its background too loud for the threshold: a row a spell. What is not in it was
    connected."""
    rows: list[tuple[str | float, ...]] = []
    for lane, states in {**{s: a.states for s, a in signals.sides.items()}, "heart": signals.ecg_states}.items():
        for state in (Electrode.DOUBTFUL, Electrode.OFF):
            rows += [
                (lane, a * STATE_S, b * STATE_S, state.name.lower())
                for a, b in runs(states == state).tolist()[:MOST_SPELLS]
            ]
    for side, found in signals.sides.items():
        loud = found.drowned(night.ends_uv(side))
        rows += [(side, a * RMS_STEP_S, b * RMS_STEP_S, "too loud") for a, b in runs(loud).tolist()[:MOST_SPELLS]]
    columns = [("Electrode", "", None), ("From", "clock", 0), ("To", "clock", 0), ("State", "", None)]
    return table("contact", "Contact of the electrodes", columns, rows)


def heart_table(rates: tuple[Floats, Floats], length_s: float) -> Table:
    """The mean heart rate of every 30 s of an ECG of so many seconds (of the ECG, not of the recording: an event may stand anywhere); nan where fewer than three intervals between beats can be trusted."""
    at = np.arange(0.0, length_s, STEP_S)
    rows = [(start, mean_rate(*rates, start, start + STEP_S)) for start in at.tolist()]
    return table("heart", "Heart rate", [("From", "clock", 0), ("Heart rate", "bpm", 0)], rows)
