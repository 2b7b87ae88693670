"""Measures the assessments: `./kumpel bench kinds`. Beside each stands one plain NumPy pass over the same arrays,
and the loop or data-frame version that somebody would write, timed in the same run. EDF+ and CSV beside other libraries.
"""

from __future__ import annotations

import io
import resource
import tempfile
import time
import warnings
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import edfio
import numpy as np
import pandas as pd
import pyedflib

from kumpel.core.assessment import LimitSet
from kumpel.core.noise.exposure import weekly_exposure_level
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.vehicle.drive import drive_of
from kumpel.formats import csv_file, edf, edf_write
from kumpel.kinds.registry import KINDS
from kumpel.standins import (
    blood_pressure_signal,
    gas_signal,
    jaw_muscle_signal,
    oximetry_signal,
    resuscitation_signal,
    training_signal,
)
from kumpel.standins.signals import SIGNALS
from kumpel.standins.vehicle_signal import Drive, loop
from kumpel.standins.vehicle_signal import make as make_drive

OUT = Review(left_out=(Stretch(600, 660, "bench"),))


def best(work: Callable[[], Any], times: int = 5) -> float:
    """Fastest of several runs, in s."""
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)


def ms(seconds: float) -> str:
    return f"{seconds * 1000:.1f} ms" if seconds < 1 else f"{seconds:.2f} s"


def one_pass(recording: Recording) -> float:
    """One plain pass over every array of a recording: its sum."""
    return best(lambda: [float(c.samples.read(0, c.count).sum()) for c in recording.channels.values()])


def line(what: str, taken: float, passing: float, peer: str, budget: float | None) -> None:
    limit = f"{taken / budget:.2f} of {ms(budget)}" if budget else ""
    print(f"| {what} | {ms(taken)} | {taken / passing:.1f} | {peer} | {limit} |", flush=True)


def assess(recording: Recording, review: Review = OUT, limits: LimitSet | None = None) -> float:
    """Seconds of an assessment both ways; what is derived from the samples alone is worked out anew in each turn."""
    kind = KINDS[recording.kind]
    return best(lambda: kind.assess(replace(recording), review, limits or kind.limit_sets[0]))


def noise() -> None:
    day = SIGNALS["noise"](1).recording
    channels = {k: replace(c, samples=np.resize(c.values, 86_400)) for k, c in day.channels.items()}
    recording = replace(day, channels=channels)
    taken = assess(recording)
    levels = recording.channels["leq.1"].values.tolist()

    def loop_version() -> float:
        total = 0.0
        for level in levels:
            total += 10 ** (level / 10)
        return total

    plain = best(loop_version, 2) * 3
    line(
        "noise, 24 h at 1 s, 3 set-ups, both ways",
        taken,
        one_pass(recording),
        f"loop for the three LAeq alone {plain / taken:.1f} x",
        None,
    )


def year() -> None:
    """A year of one person: 250 shifts of 8 h, assessed one after the other, and their weekly levels."""
    kind = KINDS["noise"]
    shift = SIGNALS["noise"](1).recording
    rng = np.random.default_rng(1)
    shifts = [
        replace(
            shift, channels={k: replace(c, samples=c.values + rng.normal(0, 0.5)) for k, c in shift.channels.items()}
        )
        for _ in range(25)
    ]

    def work() -> None:
        found = [
            kind.assess(s, Review(), kind.limit_sets[0]).reviewed.figure("lex8h").value
            for s in shifts
            for _ in range(10)
        ]
        for week in range(50):
            weekly_exposure_level(np.array(found[week * 5 : week * 5 + 5]))

    taken = best(work, 1)
    line(
        "noise, a year of 250 shifts of one person",
        taken,
        one_pass(shift) * 250,
        f"{taken / 250 * 1000:.1f} ms a shift",
        None,
    )


def gas() -> None:
    gases = ("o2", "lel", "co", "h2s", "no2", "so2")
    plan = replace(gas_signal.usual_shift(1, 43_200.0, 1.0), gases=gases)
    recording = gas_signal.make(plan).recording
    taken = assess(recording, Review())
    table = pd.DataFrame({k: recording.channels[f"{k}.avg"].values for k in gases})
    frame = best(lambda: (table.rolling(900).mean().max(), table.mean(), table.max(), table.min()))
    line(
        "gas, 12 h, 6 sensors at 1 s",
        taken,
        one_pass(recording),
        f"pandas rolling mean, mean, extremes alone {frame / taken:.1f} x",
        0.05,
    )


def blood_pressure() -> None:
    recording = blood_pressure_signal.make(blood_pressure_signal.usual_day(1)).recording
    line("blood pressure, 24 h with activity", assess(recording, Review()), one_pass(recording), "", 0.01)


def jaw_muscle() -> None:
    part = jaw_muscle_signal.make(
        jaw_muscle_signal.Night(length_s=1800.0, groups=jaw_muscle_signal.usual_groups(1, 1800.0))
    ).recording
    recording = replace(part, channels={k: replace(c, samples=np.tile(c.values, 16)) for k, c in part.channels.items()})
    size = sum(8 * c.count for c in recording.channels.values())
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    # What was derived from the samples is kept with a recording: each turn gets a new one.
    kind = KINDS["jaw_muscle"]
    taken = best(lambda: kind.assess(replace(recording), Review(), kind.limit_sets[0]), 3)
    more = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 - before
    column = pd.Series(recording.channels["emg.left"].samples.read(0, 3_600_000))
    frame = best(lambda: (column**2).rolling(100).mean() ** 0.5, 1) * 16
    line(
        "jaw muscle and heart, 8 h, 3 x 1 kHz",
        taken,
        one_pass(recording),
        f"pandas rolling RMS of the two EMG alone {frame / taken:.1f} x",
        1.5,
    )
    print(f"  memory beside the {size / 1e6:.0f} MB of input: {more / 1e6:.0f} MB ({more / size:.2f} x)")


def vehicle() -> None:
    made = make_drive(
        Drive(loop("Practice loop", 1200, 7), laps=165, interval_s=0.04, every_channel_fast=True, position_noise_m=0.5)
    )
    recording = made.recording
    hours = recording.length_s / 3600
    # What was derived is kept with a recording: each turn gets a new one.
    into_laps = best(lambda: drive_of(replace(recording), Review()))
    x, y = recording.channels["lat"].values.tolist(), recording.channels["lon"].values.tolist()

    def loop_version() -> int:
        a, b = x[0], y[0]
        crossed = 0
        for i in range(1, len(x)):
            if (x[i - 1] - a) * 1.1 + (y[i - 1] - b) < 0 <= (x[i] - a) * 1.1 + (y[i] - b):
                crossed += 1
        return crossed

    plain = best(loop_version, 2)
    passing = one_pass(recording)
    line(
        f"vehicle, {hours:.1f} h, 25 Hz, {len(recording.channels)} channels, into {len(made.truth['laps'])} laps",
        into_laps,
        passing,
        f"loop over one line's sides alone {plain / into_laps:.1f} x",
        0.05,
    )
    line("the same, all figures and tables", assess(recording, Review()), passing, "", None)


def others() -> None:
    for made in (
        oximetry_signal.make(oximetry_signal.usual_night(1)),
        training_signal.make(replace(training_signal.usual_session(1), legs=((36_000.0, 2.8, 140.0),))),
        resuscitation_signal.make(resuscitation_signal.usual_resuscitation(1)),
    ):
        recording = made.recording
        line(
            f"{recording.kind}, {recording.length_s / 3600:.1f} h",
            assess(recording, Review()),
            one_pass(recording),
            "",
            None,
        )


def edf_files(folder: Path) -> None:
    rng = np.random.default_rng(1)
    n = 3_600_000
    channels = {k: Channel(k, k, "uV", 0.001, rng.normal(0, 50, n)) for k in ("emg.left", "emg.right", "ecg")}
    recording = Recording("jaw_muscle", 1_795_000_000.0, 0, channels)
    path = folder / "a.edf"
    write = best(lambda: path.write_bytes(edf_write.write(recording)), 3)
    size = path.stat().st_size / 1e6
    read = best(lambda: edf.read(path.read_bytes(), "jaw_muscle"), 3)

    def edfio_reads() -> None:
        for signal in edfio.read_edf(path).signals:
            _ = signal.data

    def pyedflib_reads() -> None:
        with pyedflib.EdfReader(str(path)) as file:
            for i in range(3):
                file.readSignal(i)

    peers = {"edfio": best(edfio_reads, 3), "pyedflib": best(pyedflib_reads, 3)}
    told = ", ".join(f"{name} {size / t:.0f} MB/s ({t / read:.1f} x our time)" for name, t in peers.items())
    print(f"| read EDF+, {size:.0f} MB, to 64-bit floats | {size / read:.0f} MB/s | {told} |")
    print(f"| write EDF+, {size:.0f} MB | {size / write:.0f} MB/s | |")


def csv_files() -> None:
    rng = np.random.default_rng(1)
    n = 1_000_000
    times = pd.date_range("2026-11-18 06:00", periods=n, freq="s").strftime("%d.%m.%Y %H:%M:%S")
    table = pd.DataFrame(
        {"Zeit": times, "LAeq": rng.normal(80, 5, n).round(1), "LCpeak": rng.normal(100, 5, n).round(1)}
    )
    data = table.to_csv(sep=";", decimal=",", index=False).encode()
    words = KINDS["noise"].channels
    ours = best(lambda: csv_file.read(data, "noise", words), 3)
    peer = best(
        lambda: pd.read_csv(
            io.BytesIO(data), sep=";", decimal=",", parse_dates=["Zeit"], date_format="%d.%m.%Y %H:%M:%S"
        ),
        2,
    )
    size = len(data) / 1e6
    print(
        f"| read CSV, {size:.0f} MB, dates, decimal comma, to an even base | {size / ours:.0f} MB/s | pandas, told the layout {size / peer:.0f} MB/s ({peer / ours:.1f} x our time) |"
    )
    recording = csv_file.read(data, "noise", words)
    print(
        f"| write CSV, 1,000,000 rows x 2 | {len(csv_file.write(recording)) / 1e6 / best(lambda: csv_file.write(recording), 2):.0f} MB/s | |"
    )


def main() -> None:
    warnings.simplefilter("ignore")
    print("| what | measured | x one NumPy pass | what somebody would write | budget |\n|---|---|---|---|---|")
    for work in (noise, year, gas, blood_pressure, jaw_muscle, vehicle, others):
        work()
    print("\n| what | measured | beside |\n|---|---|---|")
    with tempfile.TemporaryDirectory() as folder:
        edf_files(Path(folder))
    csv_files()


if __name__ == "__main__":
    main()
