"""Synthetic runs and paddles: a track of known length, heart rate that follows the effort, gaps, strokes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.formats.krec import Event, Recording
from kumpel.standins.ground import Ground
from kumpel.standins.made import START, Made, channel

TARNFELS = Ground(47.6120, 13.7840)
"""A made-up place: the pit head."""


@dataclass(frozen=True)
class Session:
    """Legs of (length in s, speed in m/s, heart rate in bpm at its end); every leg is an interval on the recorder.

    `hill_m` is the height of each of `hills` hills over the session; noises are standard deviations.
    """

    seed: int = 1
    legs: tuple[tuple[float, float, float], ...] = ((600.0, 2.6, 120.0), (900.0, 3.2, 150.0), (600.0, 2.8, 135.0))
    interval_s: float = 1.0
    hills: int = 3
    hill_m: float = 40.0
    position_noise_m: float = 0.0
    altitude_noise_m: float = 0.0
    no_position_s: tuple[tuple[float, float], ...] = ()
    no_heart_rate_s: tuple[tuple[float, float], ...] = ()
    strokes_per_min: float = 0.0
    sex: str = "m"


def usual_session(seed: int) -> Session:
    """A hill run with a warm-up, three hard legs and a tunnel without position; belt lost for a minute."""
    rng = np.random.default_rng(seed)
    hard = [
        (float(rng.integers(240, 420)), float(rng.uniform(3.2, 4.0)), float(rng.uniform(158, 176))) for _ in range(3)
    ]
    legs = [(600.0, 2.5, 118.0)]
    for leg in hard:
        legs += [leg, (120.0, 1.4, 125.0)]
    return Session(
        seed, tuple(legs), no_position_s=((700.0, 720.0),), no_heart_rate_s=((300.0, 360.0),), altitude_noise_m=0.4
    )


def make(session: Session) -> Made:
    """Channels lat, lon, speed, altitude, heart_rate, cadence; events interval and stroke; the truth by leg."""
    rng = np.random.default_rng(session.seed)
    dt = session.interval_s
    lengths = np.array([leg[0] for leg in session.legs])
    n = int(lengths.sum() / dt)
    at = np.arange(n) * dt
    ends = np.cumsum(lengths)
    leg = np.minimum(np.searchsorted(ends, at, side="right"), len(lengths) - 1)
    speed = np.array([s[1] for s in session.legs])[leg]
    along = np.concatenate(([0.0], np.cumsum(speed * dt)))[:n]
    # A winding loop that ends where it began: e^(i a sin 5w) has no part that turns back by w. Its length is `along`, because the heading only
    # turns the step.
    turn = 2 * np.pi * along / max(float(along[-1]), 1.0)
    heading = turn + 1.1 * np.sin(5 * turn)
    x = np.concatenate(([0.0], np.cumsum(speed[:-1] * dt * np.cos(heading[:-1]))))
    y = np.concatenate(([0.0], np.cumsum(speed[:-1] * dt * np.sin(heading[:-1]))))
    x += rng.normal(0, session.position_noise_m, n)
    y += rng.normal(0, session.position_noise_m, n)
    lat, lon = TARNFELS.lat_lon(x, y)
    for a, b in session.no_position_s:
        gone = (at >= a) & (at < b)
        lat[gone] = np.nan
        lon[gone] = np.nan
    altitude = 650 + session.hill_m / 2 * (1 - np.cos(2 * np.pi * session.hills * at / (n * dt)))
    altitude += rng.normal(0, session.altitude_noise_m, n)
    rate = np.interp(at, np.concatenate(([0.0], ends)), [80.0, *(s[2] for s in session.legs)]) + rng.normal(0, 1, n)
    for a, b in session.no_heart_rate_s:
        rate[(at >= a) & (at < b)] = np.nan
    cadence = np.where(speed > 0.5, 80 + 20 * speed / 3, 0.0)
    events = [Event(float(e), "interval", f"interval {i + 1}") for i, e in enumerate(ends[:-1])]
    strokes = 0
    if session.strokes_per_min:
        times = np.arange(0, n * dt, 60 / session.strokes_per_min)
        strokes = len(times)
        events += [
            Event(float(t), "stroke", "", {"distance_m": 60 / session.strokes_per_min * float(np.interp(t, at, speed))})
            for t in times
        ]
    unit = {"lat": "deg", "lon": "deg", "speed": "m/s", "altitude": "m", "heart_rate": "bpm", "cadence": "/min"}
    values = {
        "lat": lat,
        "lon": lon,
        "speed": speed,
        "altitude": altitude,
        "heart_rate": np.rint(rate),
        "cadence": cadence,
    }
    setup = {
        "sex": session.sex,
        "heart_rate_highest": 188,
        "heart_rate_resting": 52,
        "split_m": 1000,
        "speed_source": "satellite",
        "zones": {"by": "highest", "edges": [50, 60, 70, 80, 90]},
    }
    truth = {
        "distance_m": float(along[-1]),
        "legs_m": [
            float(d)
            for d in np.diff(
                np.interp(np.concatenate(([0.0], ends)), np.append(at, n * dt), np.append(along, along[-1]))
            )
        ],
        "ascent_m": session.hills * session.hill_m,
        "strokes": strokes,
    }
    channels = {k: channel(k, k.replace("_", " "), unit[k], dt, v) for k, v in values.items()}
    ordered = tuple(sorted(events, key=lambda e: e.at_s))
    return Made(
        Recording("training", START, 60, channels, ordered, setup, {"serial": "TW-0001", "model": "made up"}), truth
    )
