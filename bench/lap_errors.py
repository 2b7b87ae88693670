"""Errors of lap and sector times against the simulator: `./kumpel bench lap_errors`; the table of docs/methods/vehicle.md."""

from __future__ import annotations

import numpy as np

from kumpel.core.vehicle.courses import course_from
from kumpel.core.vehicle.laps import laps_on, path_of
from kumpel.standins.vehicle_signal import CAR, KART, Drive, Track, Vehicle, loop, make

SEEDS = range(8)


def errors(
    track: Track, vehicle: Vehicle, interval_s: float, noise_m: float, memory_s: float, seed: int, speed: bool
) -> tuple[list[float], list[float]]:
    drive = Drive(
        track, vehicle, laps=10, seed=seed, interval_s=interval_s, position_noise_m=noise_m, noise_memory_s=memory_s
    )
    made = make(drive)
    recording = made.recording
    values = {k: recording.channels[k].values for k in ("lat", "lon", "speed")}
    path = path_of(values["lat"], values["lon"], interval_s, values["speed"] if speed else None)
    found = [lap for lap in laps_on(path, course_from(recording.setup["courses"][0])) if lap.kind == "timed"]
    true = made.truth["laps"]
    assert len(found) == len(true), "a lap was missed or doubled"
    laps = [f.time_s - t["time_s"] for f, t in zip(found, true, strict=True)]
    sectors = [
        float(e)
        for f, t in zip(found, true, strict=True)
        for e in np.array(f.sectors_s) - np.diff([0.0, *t["splits_s"]])
    ]
    return laps, sectors


def main() -> None:
    tracks = (
        ("kart, 1.2 km", loop("Practice loop", 1200, 7), KART),
        ("car, 4.2 km", loop("Fast course", 4200, 3, 0.5), CAR),
    )
    print(
        "| track, top speed | rate | position noise | laps, rms | laps, worst | sectors, rms | laps without a speed channel, rms |\n|---|---|---|---|---|---|---|"
    )
    for name, track, vehicle in tracks:
        for interval in (0.1, 0.04):
            for noise, memory in ((0.0, 0.0), (0.5, 0.0), (1.0, 0.0), (2.0, 0.0), (3.0, 0.0), (3.0, 20.0)):
                runs = [errors(track, vehicle, interval, noise, memory, s, True) for s in SEEDS]
                laps = 1000 * np.concatenate([r[0] for r in runs])
                sectors = 1000 * np.concatenate([r[1] for r in runs])
                bare = 1000 * np.concatenate(
                    [errors(track, vehicle, interval, noise, memory, s, False)[0] for s in SEEDS]
                )
                rms = [float(np.sqrt(np.mean(e**2))) for e in (laps, sectors, bare)]
                kind = f"{noise:g} m" + (", remembered for 20 s" if memory else "")
                print(
                    f"| {name}, {vehicle.top_m_s:.0f} m/s | {1 / interval:.0f} Hz | {kind} | {rms[0]:.1f} ms | {np.abs(laps).max():.0f} ms | {rms[1]:.1f} ms | {rms[2]:.1f} ms |",
                    flush=True,
                )


if __name__ == "__main__":
    main()
