"""A lap simulator: courses, a vehicle with grip, brakes, power and gears, a driver who errs, a logger that is noisy.

The speed along the course follows from the grip limit in bends, the power forwards and the brakes backwards; all
times are exact to the simulation's step of half a metre, so that lap and sector times are known truth.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kumpel.formats.krec import Channel, Recording
from kumpel.standins.ground import Ground
from kumpel.standins.made import START, Made, channel

Floats = NDArray[np.float64]
G = 9.80665
STEP_M = 0.5
YARD = Ground(47.6150, 13.7900)
"""The haulage yard of the made-up mine."""


@dataclass(frozen=True)
class Track:
    """A track: points every half metre on a flat map (m), direction, curvature (1/m); closed or open."""

    name: str
    x: Floats
    y: Floats
    closed: bool

    @property
    def length_m(self) -> float:
        return len(self.x) * STEP_M

    @property
    def heading(self) -> Floats:
        if self.closed:
            dx = np.roll(self.x, -1) - np.roll(self.x, 1)
            dy = np.roll(self.y, -1) - np.roll(self.y, 1)
        else:
            dx, dy = np.gradient(self.x), np.gradient(self.y)
        found: Floats = np.arctan2(dy, dx)
        return found

    @property
    def curvature(self) -> Floats:
        turn = np.unwrap(self.heading)
        if self.closed:
            step: Floats = np.angle(np.exp(1j * (np.roll(turn, -1) - np.roll(turn, 1))))
            return step / (2 * STEP_M)
        return np.gradient(turn) / STEP_M


def _even(x: Floats, y: Floats, closed: bool) -> tuple[Floats, Floats]:
    """The same line with a point every half metre; for closed lines the last step is shorter by less than that."""
    if closed:
        x, y = np.append(x, x[0]), np.append(y, y[0])
    along = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
    n = round(along[-1] / STEP_M)
    at = np.arange(n) * (along[-1] / n)
    return np.interp(at, along, x), np.interp(at, along, y)


def loop(name: str, length_m: float, seed: int, wiggle: float = 0.95) -> Track:
    """A closed track of about a length: a round with a few harmonics, driven clockwise or not."""
    rng = np.random.default_rng(seed)
    angle = np.linspace(0, 2 * np.pi, 20_000, endpoint=False)
    radius = np.ones_like(angle)
    for k in range(2, 8):
        radius += wiggle / k**1.5 * rng.uniform(0.6, 1.0) * np.cos(k * angle + rng.uniform(0, 2 * np.pi))
    x, y = radius * np.cos(angle), radius * np.sin(angle)
    scale = length_m / float(np.hypot(np.diff(np.append(x, x[0])), np.diff(np.append(y, y[0]))).sum())
    return Track(name, *_even(x * scale, y * scale, True), True)


def rounded(name: str, corners: tuple[tuple[float, float, float], ...]) -> Track:
    """A closed track of straights and arcs: a polygon (x, y, radius of its rounded corner, in m). It begins before its first corner."""
    xs: list[Floats] = []
    ys: list[Floats] = []
    count = len(corners)
    points = np.array([(x, y) for x, y, _ in corners])
    for i, (_, _, radius) in enumerate(corners):
        here, before, after = points[i], points[i - 1], points[(i + 1) % count]
        into, out = ((p - q) / np.hypot(*(p - q)) for p, q in ((here, before), (after, here)))
        turn = float(np.arctan2(into[0] * out[1] - into[1] * out[0], into @ out))
        begin = here - into * radius * np.tan(abs(turn) / 2)
        left = np.array([-into[1], into[0]]) * np.sign(turn)
        angles = np.linspace(0, abs(turn), 400)
        arc = begin + radius * (np.outer(np.sin(angles), into) + np.outer(1 - np.cos(angles), left))
        xs.append(arc[:, 0])
        ys.append(arc[:, 1])
    track = Track(name, *_even(np.concatenate(xs), np.concatenate(ys), True), True)
    # The start lies in the middle of the straight that leads to the first corner.
    way = np.hypot(track.x - xs[-1][-1], track.y - ys[-1][-1])
    straight = float(np.hypot(xs[0][0] - xs[-1][-1], ys[0][0] - ys[-1][-1]))
    middle = int(np.argmin(way)) + round(straight / 2 / STEP_M)
    return Track(name, np.roll(track.x, -middle), np.roll(track.y, -middle), True)


def practice_loop() -> Track:
    """The closed course of the haulage yard: thirteen corners, about 1.2 km, driven against the clock."""
    corners = (
        *((175, 5, 18), (201, 72, 21), (140, 94, 14), (157, 152, 15), (246, 138, 19), (253, 222, 23), (70, 250, 28)),
        *((51, 175, 14), (84, 131, 14), (12, 105, 17), (-82, 150, 19), (-112, 70, 16), (-70, 9, 23)),
    )
    return rounded("Practice loop", corners)


def ramp(name: str, length_m: float, seed: int) -> Track:
    """An open track: a winding way up."""
    rng = np.random.default_rng(seed)
    u = np.linspace(0, 1, 8000)
    return Track(
        name, *_even(length_m * 0.93 * u, 55 * np.sin(2 * np.pi * (1.5 * u + rng.uniform(0, 1))), False), False
    )


def course_of(track: Track, sectors: int = 3, ground: Ground = YARD, half_width_m: float = 15.0) -> dict[str, Any]:
    """The course in its plain form (docs/methods/vehicle.md) with its lines at even parts of the track.

    An open one starts 60 m in and finishes 60 m before the end.
    """
    n = len(track.x)
    first, last = (0, n) if track.closed else (round(60 / STEP_M), n - round(60 / STEP_M))
    at = [first + round((last - first) * k / sectors) for k in range(sectors)]
    heading = track.heading
    lat, lon = ground.lat_lon(track.x, track.y)

    def gate(i: int) -> dict[str, float]:
        bearing = float(90 - np.degrees(heading[i])) % 360
        return {"lat": float(lat[i]), "lon": float(lon[i]), "bearing_deg": bearing, "half_width_m": half_width_m}

    return {
        "name": track.name,
        "start": gate(at[0]),
        "finish": None if track.closed else gate(last),
        "sectors": [gate(i) for i in at[1:]],
        "points": [[float(a), float(b)] for a, b in zip(lat[::10], lon[::10], strict=True)],
    }


@dataclass(frozen=True)
class Vehicle:
    """Grip (share of g), brakes (share of g), power per mass (W/kg), highest speed (m/s), gears (m/s per 1000 rpm)."""

    grip: float = 1.3
    brakes: float = 1.0
    power: float = 120.0
    top_m_s: float = 34.0
    gears: tuple[float, ...] = (2.4,)


KART = Vehicle()
CAR = Vehicle(1.5, 1.2, 280.0, 62.0, (2.2, 3.4, 4.8, 6.4, 8.0, 9.6))


@dataclass(frozen=True)
class Drive:
    """A drive: laps (rounds, or runs up and back on an open track), how much better the driver gets, errors.

    `spoilt` names laps (from 1) with a slow spot; `wander_m` is how far the line strays; `position_noise_m` is the
    standard deviation of a position's coordinates, with a memory of `noise_memory_s` (0: each sample anew).
    """

    track: Track
    vehicle: Vehicle = KART
    laps: int = 10
    seed: int = 1
    interval_s: float = 0.1
    improvement: float = 0.04
    unevenness: float = 0.01
    spoilt: tuple[int, ...] = ()
    wander_m: float = 1.5
    position_noise_m: float = 0.0
    noise_memory_s: float = 0.0
    speed_noise_m_s: float = 0.05
    dropouts_s: tuple[tuple[float, float], ...] = ()
    every_channel_fast: bool = False
    backwards: bool = False


def usual_drive(seed: int, interval_s: float = 0.1) -> Drive:
    """Twelve laps of the practice loop with a kart; the driver gets better and spoils one lap."""
    rng = np.random.default_rng(seed)
    return Drive(
        practice_loop(),
        laps=12,
        seed=seed,
        interval_s=interval_s,
        spoilt=(int(rng.integers(4, 11)),),
        position_noise_m=0.8,
        noise_memory_s=20.0,
    )


def speed_profile(curvature: Floats, grip: Floats, vehicle: Vehicle, slow: Floats) -> Floats:
    """Speed in m/s at each half metre: the grip limit, then power forwards, then brakes backwards."""
    v = np.minimum(np.sqrt(grip * G / np.maximum(np.abs(curvature), 1e-4)), np.minimum(vehicle.top_m_s, slow))
    side = np.abs(curvature)
    values, limit, bends = v.tolist(), (grip * G).tolist(), side.tolist()
    for i in range(1, len(values)):
        before = values[i - 1]
        left = max(1 - (before * before * bends[i - 1] / limit[i - 1]) ** 2, 0.0) ** 0.5
        push = min(vehicle.power / max(before, 3.0), limit[i - 1] * left)
        values[i] = min(values[i], (before * before + 2 * push * STEP_M) ** 0.5)
    for i in range(len(values) - 2, -1, -1):
        after = values[i + 1]
        left = max(1 - (after * after * bends[i + 1] / limit[i + 1]) ** 2, 0.0) ** 0.5
        values[i] = min(values[i], (after * after + 2 * vehicle.brakes * G * left * STEP_M) ** 0.5)
    return np.array(values)


def make(drive: Drive) -> Made:
    """The recording with its course in the setup, and the truth: line times, lap and sector times."""
    rng = np.random.default_rng(drive.seed)
    track = drive.track
    if drive.backwards:
        track = Track(f"{track.name}, backwards", track.x[::-1], track.y[::-1], track.closed)
    course = course_of(track)
    n = len(track.x)
    rounds = drive.laps + 1
    # From 150 m before the line to 150 m past its last crossing; an open track is driven up and back.
    if track.closed:
        index = np.arange(-round(150 / STEP_M), drive.laps * n + round(150 / STEP_M)) % n
        lap = (np.arange(-round(150 / STEP_M), drive.laps * n + round(150 / STEP_M)) // n) + 1
    else:
        up, back = np.arange(n), np.arange(n - 1, -1, -1)
        index = np.concatenate([np.concatenate((up, back)) for _ in range(drive.laps)])
        lap = np.repeat(np.arange(1, drive.laps + 1), 2 * n)
    way = np.where(np.diff(index, append=index[-1]) == -1, -1, 1) if not track.closed else np.ones(len(index))
    skill = 1 - drive.improvement * np.exp(-np.arange(rounds + 1) / 4) + drive.unevenness * rng.normal(0, 1, rounds + 1)
    grip = (
        drive.vehicle.grip * np.interp(np.arange(len(index)) / n, np.arange(rounds + 1), np.clip(skill, 0.6, 1.05)) ** 2
    )
    slow = np.full(len(index), np.inf)
    for number in drive.spoilt:
        spot = np.flatnonzero(lap == number)
        slow[spot[len(spot) // 3 : len(spot) // 3 + round(60 / STEP_M)]] = 2.0
    curvature = track.curvature[index] * way
    if not track.closed:
        ends = np.flatnonzero(np.diff(index) == 0)
        for e in [*ends.tolist(), 0, len(index) - 1]:
            slow[max(e - 6, 0) : e + 8] = 3.0
    v = speed_profile(curvature, grip, drive.vehicle, slow)
    times = np.concatenate(([0.0], np.cumsum(STEP_M * 2 / (v[1:] + v[:-1]))))
    line_times = _line_times(track, len(course["sectors"]) + 1, index, lap, times, way)
    signal = _Signal(drive, track, index, times, v, curvature, way, rng)
    channels = signal.channels()
    setup = {
        "course": course["name"],
        "courses": [course],
        "vehicle": "kart",
        "number": "12",
        "driver": "",
        "session": "practice",
    }
    laps = _truth(line_times, track.closed)
    truth = {"course": course["name"], "laps": laps, "spoilt": list(drive.spoilt), "top_m_s": float(v.max())}
    recorder = {"serial": "VL-0001", "model": "made up"}
    return Made(Recording("vehicle", START, 60, channels, (), setup, recorder), truth)


def _line_times(
    track: Track, parts: int, index: NDArray[np.intp], lap: NDArray[np.intp], times: Floats, way: Floats
) -> list[list[float]]:
    """Times of passing each line in driving direction, by line."""
    n = len(track.x)
    first, last = (0, n) if track.closed else (round(60 / STEP_M), n - round(60 / STEP_M))
    at = [first + round((last - first) * k / parts) for k in range(parts)] + ([] if track.closed else [last])
    return [times[(index == i % n) & (way > 0)].tolist() for i in at]


def _truth(lines: list[list[float]], closed: bool) -> list[dict[str, object]]:
    laps = []
    starts = lines[0]
    ends = starts[1:] if closed else lines[-1]
    for a, b in zip(starts[: len(ends)], ends, strict=True):
        inner = lines[1:] if closed else lines[1:-1]
        splits = [next(t for t in line if a < t < b) - a for line in inner] + [b - a]
        laps.append({"start_s": a, "time_s": b - a, "splits_s": splits})
    return laps


@dataclass(frozen=True)
class _Signal:
    """What the logger's sensors make of the drive."""

    drive: Drive
    track: Track
    index: NDArray[np.intp]
    times: Floats
    v: Floats
    curvature: Floats
    way: Floats
    rng: np.random.Generator

    def at(self, values: Floats, interval_s: float) -> Floats:
        n = int(self.times[-1] / interval_s)
        found: Floats = np.interp(np.arange(n) * interval_s, self.times, values)
        return found

    def positions(self) -> tuple[Floats, Floats]:
        drive, dt = self.drive, self.drive.interval_s
        heading = self.track.heading[self.index]
        knots = self.rng.normal(0, drive.wander_m, len(self.index) // 200 + 2)
        offset = np.interp(np.arange(len(self.index)), np.arange(len(knots)) * 200, knots)
        x = self.at(self.track.x[self.index] - offset * np.sin(heading), dt)
        y = self.at(self.track.y[self.index] + offset * np.cos(heading), dt)
        for values in (x, y):
            values += self.noise(len(values), dt)
        lat, lon = YARD.lat_lon(x, y)
        moments = np.arange(len(lat)) * dt
        for a, b in drive.dropouts_s:
            gone = (moments >= a) & (moments < b)
            lat[gone] = np.nan
            lon[gone] = np.nan
        return lat, lon

    def noise(self, n: int, dt: float) -> Floats:
        # Imported where it is needed: it takes longer than everything else that a dock of other recorders starts with.
        from scipy.signal import lfilter

        drive = self.drive
        white = self.rng.normal(0, 1, n)
        if drive.noise_memory_s <= 0:
            return drive.position_noise_m * white
        keep = float(np.exp(-dt / drive.noise_memory_s))
        # One-pole noise of unit variance: half of it remembers, half is fresh at a tenth of the size.
        slow = np.asarray(lfilter([np.sqrt(1 - keep * keep)], [1, -keep], white))
        mixed: Floats = 0.95 * slow + 0.3 * self.rng.normal(0, 1, n)
        found: Floats = drive.position_noise_m * mixed
        return found

    def channels(self) -> dict[str, Channel]:
        drive, dt = self.drive, self.drive.interval_s
        slow = dt if drive.every_channel_fast else 1.0
        lat, lon = self.positions()
        pull = np.gradient(self.v) * self.v / STEP_M
        gear_of = np.clip(np.searchsorted(np.array(drive.vehicle.gears) * 9.0, self.v), 0, len(drive.vehicle.gears) - 1)
        rpm = 1000 * self.v / np.array(drive.vehicle.gears)[gear_of]
        pedal = np.clip(50 + 50 * pull / 5, 0, 100)
        seconds = self.times
        made = {
            "speed": ("Speed", "m/s", dt, self.v, drive.speed_noise_m_s),
            "lateral_g": ("Lateral acceleration", "g", dt, self.v**2 * self.curvature / G, 0.02),
            "forward_g": ("Forward acceleration", "g", dt, pull / G, 0.02),
            "vertical_g": ("Vertical acceleration", "g", dt, np.ones_like(self.v), 0.05),
            "steering": ("Steering angle", "deg", dt, self.curvature * 1.05 * 57.3 * 6, 0.5),
            "throttle": ("Throttle", "%", dt, np.where(pull > -0.5, pedal, 0.0), 0.0),
            "brake": ("Brake", "%", dt, np.clip(-pull * 10, 0, 100), 0.0),
            "rpm": ("Engine speed", "rpm", dt, rpm, 20.0),
            "gear": ("Gear", "", dt, gear_of + 1.0, 0.0),
            "water_temp": ("Water temperature", "°C", slow, 82 - 42 * np.exp(-seconds / 240), 0.1),
            "oil_temp": ("Oil temperature", "°C", slow, 96 - 50 * np.exp(-seconds / 400), 0.1),
            "exhaust_temp": ("Exhaust temperature", "°C", slow, 520 + pedal * 1.2, 3.0),
            "mixture": ("Mixture ratio", "", slow, 0.98 - 0.001 * pedal, 0.01),
            "heart_rate": ("Heart rate", "bpm", slow, 165 - 60 * np.exp(-seconds / 300), 1.5),
        }
        found = {
            "lat": channel("lat", "Latitude", "deg", dt, lat),
            "lon": channel("lon", "Longitude", "deg", dt, lon),
        }
        for key, (name, unit, interval, values, noise) in made.items():
            smooth = self.at(values, interval)
            if key == "gear":
                smooth = np.rint(smooth)
            found[key] = channel(key, name, unit, interval, smooth + self.rng.normal(0, noise, len(smooth)))
        return found
