"""A driver who errs: laps of a closed track with an own spread in every corner and single mistakes of a known size.

What a mistake costs follows from the same grip, power and brakes as the rest of the lap: its strength is sought until the lap
takes so much longer than it would have without it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kumpel.formats.krec import Channel, Recording
from kumpel.standins.made import START, Made, channel
from kumpel.standins.vehicle_signal import STEP_M, YARD, G, Track, Vehicle, course_of

Floats = NDArray[np.float64]
What = Literal[
    "early brake",
    "late brake",
    "slow apex",
    "late throttle",
    "lifted throttle",
    "longer way",
    "long shift",
    "wrong gear",
]
STRENGTHS: dict[What, float] = {
    "early brake": 80.0,
    "late brake": 60.0,
    "slow apex": 0.7,
    "late throttle": 90.0,
    "lifted throttle": 150.0,
    "longer way": 25.0,
    "long shift": 120.0,
    "wrong gear": 0.9,
}
"""The strongest of each that is tried: metres, or a share of grip or power that is lost."""
CORNER_RADIUS_M = 90.0
CORNER_TURN = np.radians(15)


@dataclass(frozen=True)
class Mistake:
    """A mistake in a lap (from 0) and corner (from 0) that costs `size_s` in that lap and the beginning of the next."""

    lap: int
    corner: int
    what: What
    size_s: float


@dataclass(frozen=True)
class Bend:
    """A corner of a track: first point, tightest point, last point (indices of its half metres), and the side it turns to."""

    begin: int
    apex: int
    end: int
    side: int


def bends_of(track: Track) -> list[Bend]:
    """The corners of a closed track whose start lies on a straight: tighter than 90 m of radius, turning by 15 degrees or more."""
    curvature = track.curvature
    window = round(8 / STEP_M) | 1
    padded = np.concatenate((curvature[-window:], curvature, curvature[:window]))
    smooth = np.convolve(padded, np.ones(window) / window, "same")[window:-window]
    side = np.where(np.abs(smooth) > 1 / CORNER_RADIUS_M, np.sign(smooth), 0.0)
    edges = np.flatnonzero(np.diff(np.concatenate(([0.0], side, [0.0]))))
    found = []
    for a, b in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        if side[a] and abs(smooth[a:b].sum()) * STEP_M >= CORNER_TURN:
            found.append(Bend(a, a + int(np.argmax(np.abs(smooth[a:b]))), b, int(side[a])))
    return found


@dataclass
class _Road:
    """What holds at each half metre of a drive: share of the grip, of the power and of the brakes; the highest speed wanted; the
    length of the step that is really driven, gears above the usual one."""

    grip: Floats
    power: Floats
    brakes: Floats
    wanted: Floats
    step: Floats
    gear: Floats

    @classmethod
    def plain(cls, n: int) -> _Road:
        return cls(np.ones(n), np.ones(n), np.ones(n), np.full(n, np.inf), np.full(n, STEP_M), np.zeros(n))

    def part(self, at: slice) -> _Road:
        return _Road(
            *(each[at].copy() for each in (self.grip, self.power, self.brakes, self.wanted, self.step, self.gear))
        )


def _speeds(curvature: Floats, road: _Road, vehicle: Vehicle, first: float | None = None) -> Floats:
    """Speed in m/s at each half metre: the grip limit, then power forwards, then brakes backwards. `first`: the speed to begin with."""
    limit = road.grip * vehicle.grip * G
    bend = np.maximum(np.abs(curvature), 1e-4)
    v = np.minimum(np.sqrt(limit / bend), np.minimum(vehicle.top_m_s, road.wanted)).tolist()
    limits, bends, steps = limit.tolist(), bend.tolist(), road.step.tolist()
    power, brakes = (road.power * vehicle.power).tolist(), (road.brakes * vehicle.brakes * G).tolist()
    if first is not None:
        v[0] = min(v[0], first)
    for i in range(1, len(v)):
        before = v[i - 1]
        left = max(1 - (before * before * bends[i - 1] / limits[i - 1]) ** 2, 0.0) ** 0.5
        push = min(power[i] / max(before, 3.0), limits[i - 1] * left)
        v[i] = min(v[i], max(before * before + 2 * push * steps[i], 1.0) ** 0.5)
    for i in range(len(v) - 2, -1, -1):
        after = v[i + 1]
        left = max(1 - (after * after * bends[i + 1] / limits[i + 1]) ** 2, 0.0) ** 0.5
        v[i] = min(v[i], (after * after + 2 * brakes[i] * left * steps[i]) ** 0.5)
    return np.array(v)


def _times(v: Floats, step: Floats) -> Floats:
    return np.concatenate(([0.0], np.cumsum(2 * step[1:] / (v[1:] + v[:-1]))))


def _err(road: _Road, at: int, bend: Bend, what: What, strength: float, v: Floats) -> None:
    """Put a mistake of some strength into the road of one lap that begins at `at`; `v` are the speeds without it."""
    apex, far = at + bend.apex, round(strength / STEP_M)
    slowest = float(v[apex - 10 : apex + 10].min())
    turn = apex - 10 + int(np.argmin(v[apex - 10 : apex + 10]))
    if what == "early brake":
        road.wanted[max(turn - far, 0) : turn] = np.minimum(road.wanted[max(turn - far, 0) : turn], slowest)
    elif what == "late brake":
        zone = slice(max(turn - round(90 / STEP_M), 0), turn)
        road.brakes[zone] *= 1 + 0.8 * min(strength / 10, 1.0)
        road.wanted[turn : turn + far] = np.minimum(road.wanted[turn : turn + far], 0.94 * slowest)
    elif what == "slow apex":
        road.grip[at + bend.begin : at + bend.end] *= 1 - strength
    elif what == "late throttle":
        road.wanted[turn : turn + far] = np.minimum(road.wanted[turn : turn + far], slowest)
    elif what == "lifted throttle":
        begin = at + bend.end + round(12 / STEP_M)
        road.power[begin : begin + far] = -12.0 / 120.0
    elif what == "longer way":
        zone = slice(at + bend.begin, at + bend.end)
        road.step[zone] *= 1 + strength / ((bend.end - bend.begin) * STEP_M)
    elif what == "long shift":
        begin = at + bend.end + round(6 / STEP_M)
        road.power[begin : begin + far] = 0.0
        # The next gear is in when the throttle opens again.
        road.gear[begin : begin + far + round(40 / STEP_M)] = 1
    else:
        road.power[turn : turn + round(70 / STEP_M)] *= 1 - strength
        road.gear[turn - 20 : turn + round(70 / STEP_M)] = 1


@dataclass(frozen=True)
class Driven:
    """Laps of a closed track: for each half metre, without gaps from lap to lap, the place on the track (index), the speed, the
    time, the way past the usual line (m of extra length so far), how much longer each mistake made it, the share of power, and gears
    above the usual one."""

    track: Track
    vehicle: Vehicle
    bends: list[Bend]
    laps: int
    index: NDArray[np.intp]
    v: Floats
    times: Floats
    step: Floats
    power: Floats
    gear: Floats
    mistakes: tuple[Mistake, ...]


def drive(
    track: Track,
    vehicle: Vehicle,
    laps: int,
    mistakes: tuple[Mistake, ...],
    spread_s: float,
    rng: np.random.Generator,
    *,
    skill: Sequence[float] = (),
    spun: tuple[int, ...] = (),
) -> Driven:
    """Laps, with half a lap before the first and after the last. `spread_s`: standard deviation of what each corner of each lap takes,
    made of where the driver brakes, how fast he turns and when he opens the throttle, in equal parts. `skill` is the share of the
    grip that is used in each lap, `spun` the laps (from 0) in which the vehicle all but stops in a corner."""
    n, bends = len(track.x), bends_of(track)
    lead = n // 2
    index = np.arange(-lead, laps * n + lead) % n
    curvature = track.curvature[index]
    road = _Road.plain(len(index))
    for k, share in enumerate(skill):
        road.grip[lead + k * n : lead + (k + 1) * n] *= share
    for k in spun:
        stop = lead + k * n + bends[len(bends) // 2].apex
        road.wanted[stop : stop + round(60 / STEP_M)] = 2.0
    usual = _speeds(curvature, road, vehicle)
    for k in range(-1, laps + 1):
        for bend in bends:
            at = lead + k * n
            if at + bend.begin > 200 and at + bend.end + 200 < len(index):
                _spread(road, at, bend, usual, spread_s, rng)
    v = _speeds(curvature, road, vehicle)
    done = tuple(
        _made(mistake, road, v, curvature, vehicle, bends, lead + mistake.lap * n, lead) for mistake in mistakes
    )
    v = _speeds(curvature, road, vehicle)
    return Driven(track, vehicle, bends, laps, index, v, _times(v, road.step), road.step, road.power, road.gear, done)


def _made(
    mistake: Mistake, road: _Road, v: Floats, curvature: Floats, vehicle: Vehicle, bends: list[Bend], at: int, lead: int
) -> Mistake:
    """Put a mistake into the road, as strong as it has to be; the mistake with what it really costs. Its lap begins at `at`."""
    around = slice(at - lead // 2, at + 2 * lead + lead // 2)
    first = float(v[around.start])
    base = _speeds(curvature[around], road.part(around), vehicle, first)
    whole = float(_times(base, road.step[around])[-1])

    def costs(strength: float) -> tuple[float, _Road]:
        tried = road.part(around)
        _err(tried, at - around.start, bends[mistake.corner], mistake.what, strength, base)
        slower = _speeds(curvature[around], tried, vehicle, first)
        return float(_times(slower, tried.step)[-1]) - whole, tried

    cost, tried = _strength(costs, mistake.size_s, STRENGTHS[mistake.what])
    for name in ("grip", "power", "brakes", "wanted", "step", "gear"):
        getattr(road, name)[around] = getattr(tried, name)
    return Mistake(mistake.lap, mistake.corner, mistake.what, cost)


def _strength(costs: Callable[[float], tuple[float, _Road]], size_s: float, most: float) -> tuple[float, _Road]:
    """The strength that costs a time, by halving; what the strongest costs when it costs less."""
    low, high = 0.0, most
    for _ in range(12):
        middle = (low + high) / 2
        if costs(middle)[0] < size_s:
            low = middle
        else:
            high = middle
    return costs(high)


def _spread(road: _Road, at: int, bend: Bend, v: Floats, spread_s: float, rng: np.random.Generator) -> None:
    """The driver's own spread in a corner: braking, turning and opening the throttle each a little earlier or later, slower or faster."""
    each = spread_s / np.sqrt(3)
    apex = at + bend.apex
    slowest, top = float(v[apex - 10 : apex + 10].min()), float(v[apex - 120 : apex].max())
    if top - slowest < 2.0:
        return
    inside = (bend.end - bend.begin) * STEP_M / slowest
    share = 1 - 2 * float(np.clip(rng.normal(0, each) / inside, -0.1, 0.1))
    road.grip[at + bend.begin : at + bend.end] *= share
    slowest *= share**0.5
    # What holding the slowest speed for a metre costs against going on with the speed of the usual lap.
    metre = 0.5 * (1 / slowest - 1 / top)
    for before in (True, False):
        # Usually a little before what would be possible, so that it may be earlier or later.
        far = round(max(2 * each + rng.normal(0, each), 0.0) / metre / STEP_M)
        zone = slice(apex - far, apex) if before else slice(apex, apex + far)
        road.wanted[zone] = np.minimum(road.wanted[zone], slowest)


@dataclass(frozen=True)
class Sensors:
    """How good the logger's sensors are: standard deviations, and how long the drift of the positions remembers."""

    interval_s: float = 0.1
    white_m: float = 0.5
    drift_m: float = 1.5
    memory_s: float = 60.0
    speed_m_s: float = 0.1
    pedal_percent: float = 1.0
    wander_m: float = 0.4


def recorded(driven: Driven, rng: np.random.Generator, sensors: Sensors = Sensors()) -> Made:
    """What a logger makes of it; the truth: the corners (metres from the line), what each mistake cost."""
    dt, track, vehicle = sensors.interval_s, driven.track, driven.vehicle
    count = int(driven.times[-1] / dt)
    moments = np.arange(count) * dt

    def at(values: NDArray[np.floating[Any]]) -> Floats:
        found: Floats = np.interp(moments, driven.times, values)
        return found

    heading = track.heading[driven.index]
    knots = rng.normal(0, sensors.wander_m, len(driven.index) // 120 + 2)
    aside = np.interp(np.arange(len(driven.index)), np.arange(len(knots)) * 120, knots)
    extra = np.convolve(driven.step - STEP_M, np.ones(81) / 9, "same")
    turn_side = np.sign(track.curvature[driven.index])
    aside = aside - turn_side * extra
    x = at(track.x[driven.index] - aside * np.sin(heading))
    y = at(track.y[driven.index] + aside * np.cos(heading))
    keep = float(np.exp(-dt / sensors.memory_s))
    for values in (x, y):
        fresh = rng.normal(0, sensors.drift_m * np.sqrt(1 - keep * keep), count)
        drift = np.empty(count)
        drift[0] = rng.normal(0, sensors.drift_m)
        for i in range(1, count):
            drift[i] = keep * drift[i - 1] + fresh[i]
        values += drift + rng.normal(0, sensors.white_m, count)
    lat, lon = YARD.lat_lon(x, y)
    pull = np.gradient(driven.v) * driven.v / np.maximum(driven.step, STEP_M)
    could = np.minimum(vehicle.power / np.maximum(driven.v, 3.0), vehicle.grip * G)
    flat = driven.v > vehicle.top_m_s - 0.3
    pedal = np.where(flat & (driven.power > 0.5), 100.0, np.clip(100 * pull / (0.93 * could), 0, 100))
    brake = np.clip(-100 * (pull + 0.7) / (vehicle.brakes * G), 0, 100)
    curvature = track.curvature[driven.index]
    gears = np.array(vehicle.gears)
    gear = np.clip(np.searchsorted(gears * 12.0, driven.v) + driven.gear.astype(np.intp), 0, len(gears) - 1)
    made = {
        "speed": ("Speed", "m/s", at(driven.v), sensors.speed_m_s),
        "throttle": ("Throttle", "%", at(pedal), sensors.pedal_percent),
        "brake": ("Brake", "%", at(brake), sensors.pedal_percent),
        "lateral_g": ("Lateral acceleration", "g", at(driven.v**2 * curvature / G), 0.02),
        "forward_g": ("Forward acceleration", "g", at(pull / G), 0.02),
        "rpm": ("Engine speed", "rpm", at(1000 * driven.v / gears[gear]), 20.0),
        "gear": ("Gear", "", np.rint(at(gear + 1.0)), 0.0),
    }
    channels = {
        key: channel(key, name, unit, dt, values + rng.normal(0, noise, count))
        for key, (name, unit, values, noise) in made.items()
    }
    channels |= _machine(driven, pedal, gears[gear], rng)
    channels |= {"lat": channel("lat", "Latitude", "deg", dt, lat), "lon": channel("lon", "Longitude", "deg", dt, lon)}
    truth = {
        "corners_m": [bend.apex * STEP_M for bend in driven.bends],
        "mistakes": [[m.lap, m.corner, m.what, m.size_s] for m in driven.mistakes],
    }
    course = course_of(track)
    setup = {"course": course["name"], "courses": [course], "vehicle": "kart"}
    about = {"serial": "VL-0001", "model": "made up"}
    return Made(Recording("vehicle", START, 60, channels, (), setup, about), truth)


def _machine(driven: Driven, pedal: Floats, ratio: Floats, rng: np.random.Generator) -> dict[str, Channel]:
    """Temperatures, mixture and the driver's heart: too lean where the engine turns fast with the throttle open."""
    whole = driven.times[-1]
    rpm = 1000 * driven.v / ratio
    warm = 1 - np.exp(-driven.times / 300)
    lean = np.where((rpm > 13_000) & (pedal > 90), 0.12, 0.0)
    made = {
        "water_temp": ("Water temperature", "°C", 0.5, 24 + 48 * warm, 0.1),
        "exhaust_temp": ("Exhaust temperature", "°C", 0.2, 480 + 1.3 * pedal, 3.0),
        "mixture": ("Mixture ratio", "", 0.1, 0.92 - 0.0005 * pedal + lean, 0.012),
        "heart_rate": ("Heart rate", "bpm", 1.0, 110 + 55 * warm, 1.5),
    }
    found = {}
    for key, (name, unit, interval, values, noise) in made.items():
        at = np.arange(int(whole / interval)) * interval
        found[key] = channel(
            key, name, unit, interval, np.interp(at, driven.times, values) + rng.normal(0, noise, len(at))
        )
    return found


def suits(driven: Driven, corner: int, what: What) -> bool:
    """Whether a corner is one for a mistake: it is braked for, its exit is a straight long enough."""
    n, bend = len(driven.track.x), driven.bends[corner]
    after = driven.bends[(corner + 1) % len(driven.bends)]
    lap = driven.v[n // 2 : n // 2 + n]
    slowest = lap[max(bend.apex - 10, 0) : bend.apex + 10].min()
    straight_m = ((after.begin - bend.end) % n) * STEP_M
    braked = lap[max(bend.apex - 80, 0) : bend.apex].max() - slowest
    if (bend.end + straight_m / STEP_M) > n:
        return False  # what it costs falls into the next lap
    if what in ("early brake", "late brake"):
        return bool(braked > 7.0)
    if what in ("lifted throttle", "long shift"):
        return bool(straight_m > 60.0)
    return bool(straight_m > 20.0)
