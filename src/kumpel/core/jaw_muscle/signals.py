"""What the raw signals of a night say before any decision: activity, beats, electrodes."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.jaw_muscle.beats import Beats, find_beats
from kumpel.core.jaw_muscle.muscle import ECG_LIMITS, Activity, activity, electrode_states
from kumpel.core.recording import Channel, Recording
from kumpel.core.units import converted

SIDES = ("left", "right")


@dataclass(frozen=True)
class Signals:
    """What the raw signals say before any decision: activity by side, beats, state of the ECG's electrodes."""

    sides: dict[str, Activity]
    beats: Beats | None
    ecg_states: NDArray[np.int8]


def signals_of(recording: Recording, notch_hz: float = 0.0) -> Signals:
    """Work through the raw signals once; the channels side by side, each in blocks.

    Raises ValueError when there is no EMG channel, UnitError when a unit does not fit.
    """
    muscles = {side: recording.channels[f"emg.{side}"] for side in SIDES if f"emg.{side}" in recording.channels}
    if not muscles:
        raise ValueError("the recording has no muscle channel (emg.left, emg.right): nothing to assess")
    ecg = recording.channels.get("ecg")
    # The longest first; two at a time, as each needs memory.
    with ThreadPoolExecutor(2) as pool:
        heart = None if ecg is None else pool.submit(find_beats, ecg.samples, ecg.interval_s)
        made = {side: pool.submit(activity, channel, notch_hz) for side, channel in muscles.items()}
        states = None if ecg is None else pool.submit(_ecg_states, ecg)
        return Signals(
            {side: each.result() for side, each in made.items()},
            None if heart is None else heart.result(),
            np.empty(0, np.int8) if states is None else states.result(),
        )


def _ecg_states(ecg: Channel) -> NDArray[np.int8]:
    scale = float(converted(np.ones(1), ecg.unit, "mV", f"channel “{ecg.name}”")[0])
    rate = 1 / ecg.interval_s
    size = round(60 * rate)
    found = []
    for block in ecg.samples.blocks(size):
        part = block if scale == 1 else block * scale
        missing = np.isnan(part) if np.isnan(part.sum()) else None
        found.append(
            electrode_states(part if missing is None else np.where(missing, 0.0, part), missing, rate, ECG_LIMITS)
        )
    return np.concatenate(found) if found else np.empty(0, np.int8)
