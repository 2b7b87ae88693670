"""A synthetic recording of any kind from a seed, with its truth."""

from __future__ import annotations

from collections.abc import Callable

from kumpel.formats.krec import Recording
from kumpel.standins import (
    blood_pressure_signal,
    dust_signal,
    gas_signal,
    jaw_muscle_signal,
    noise_signal,
    oximetry_signal,
    resuscitation_signal,
    training_signal,
    vehicle_signal,
)
from kumpel.standins.made import START, Made, channel


def _noise(seed: int) -> Made:
    shift = noise_signal.usual_shift(seed)
    signal = noise_signal.make(shift)
    units = {"peak": "dB(C)", "motion": "flag", "overload": "flag"}
    channels = {k: channel(k, k, units.get(k, "dB(A)"), 1.0, v) for k, v in signal.channels.items()}
    truth = {
        "segments": [[s.task, s.length_s, s.level_db] for s in shift.segments],
        "knocks_s": list(shift.knocks_s),
        "impacts_s": list(shift.impacts_s),
        "impact_peak_db": shift.impact_peak_db,
    }
    setup = {"run_length_min": signal.length_s / 60}
    return Made(Recording("noise", START, 60, channels, (), setup, {"serial": "NM-0001", "model": "made up"}), truth)


SIGNALS: dict[str, Callable[[int], Made]] = {
    "noise": _noise,
    "gas": lambda seed: gas_signal.make(gas_signal.usual_shift(seed)),
    "dust": lambda seed: dust_signal.make(dust_signal.usual_runs(seed)),
    "blood_pressure": lambda seed: blood_pressure_signal.make(blood_pressure_signal.usual_day(seed)),
    "oximetry": lambda seed: oximetry_signal.make(oximetry_signal.usual_night(seed)),
    "jaw_muscle": lambda seed: jaw_muscle_signal.make(jaw_muscle_signal.usual_night(seed)),
    "training": lambda seed: training_signal.make(training_signal.usual_session(seed)),
    "vehicle": lambda seed: vehicle_signal.make(vehicle_signal.usual_drive(seed)),
    "resuscitation": lambda seed: resuscitation_signal.make(resuscitation_signal.usual_resuscitation(seed)),
}
