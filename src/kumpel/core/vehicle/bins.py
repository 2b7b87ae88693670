"""A table of one quantity over two others: where was the mixture off? In seconds, with what is off target first.

Source: docs/methods/vehicle.md, "Bin table".
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from kumpel.core.assessment import Table
from kumpel.core.reckoning import table as table_of
from kumpel.core.recording import Channel, Floats, NotThereError, Recording
from kumpel.core.review import Review
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle.channels import at_times, in_units
from kumpel.core.vehicle.compare import BinTable, bin_table
from kumpel.core.vehicle.compared import Compared, Outing, compared_of
from kumpel.core.vehicle.drive import Drive, drive_of
from kumpel.core.vehicle.fuels import STOICHIOMETRIC, air_to_fuel

COLUMNS = 10
MOST_EDGES = 40
MOST_DOTS = 1500
SPREAD_STEPS = 24
PEDALS = ("throttle", "brake")
"""A released pedal reads a little below 0 now and then: it counts as 0."""
PEDAL_EDGES = (0.0, 5.0, 20.0, 40.0, 60.0, 80.0, 100.0)
SHOWN_AS = {"speed": ("km/h", 3.6)}
HIDDEN = ("lat", "lon")


@dataclass(frozen=True)
class Quantity:
    """A channel as it is shown: its key, name and unit."""

    key: str
    name: str
    unit: str


@dataclass(frozen=True)
class Asked:
    """What is asked of a session: one quantity over two others; break points, target and which laps. Empty: as usual.

    `laps` is "counted", "all" (the whole session, but what was left out) or the number of a lap. `pick_value` and `pick_over` are
    ranges whose readings are told apart. `around`: the break points are the middles of cells, as in the map of an engine, and not
    their boundaries. `fuel`: a name or a stoichiometric mass ratio (`fuels.air_to_fuel`), by which the mixture, recorded as excess of
    air, is read as mass of air to fuel; empty: as excess.
    """

    quantity: str
    over: str
    and_over: str
    edges: tuple[float, ...] = ()
    and_edges: tuple[float, ...] = ()
    target: tuple[float, float] | None = None
    fewest: int = 20
    laps: str = "counted"
    pick_value: Range | None = None
    pick_over: Range | None = None
    around: bool = False
    fuel: str = ""


MIXTURE = "mixture"
USUAL = (MIXTURE, "rpm", "throttle")
"""The quantity of the first table, and what it is laid over."""


@dataclass(frozen=True)
class OffTarget:
    """A cell off its target: its column and row, the seconds in it, by how much its mean is off (positive: above), where on the course
    most of its readings fall, in words and in m from the start line (nan where that is not known)."""

    column: int
    row: int
    seconds: float
    by: float
    where: str
    from_m: float
    to_m: float


Range = tuple[float, float]


@dataclass(frozen=True)
class Picked:
    """Readings that lie in a range of the quantity, and of what it is laid over (None: any): how many of them in each cell, the seconds of
    all, those outside of the break points counted in."""

    value: Range | None
    over: Range | None
    count: tuple[tuple[int, ...], ...]
    seconds: float


@dataclass(frozen=True)
class BinSheet:
    """The table: cells have shape (rows, columns), the first row the lowest values. Seconds of the time in all of it, on target, above,
    below, and in cells of too few readings; readings outside of the outer break points; dots (over, quantity) of a part of the readings;
    seconds of each step of the quantity. `points` are the middles of the cells, where those were asked for, else none; `share` how much
    fuel a cell wants added (positive) or taken, in % of what it gets, to have the middle of the target; nan where that is not known."""

    quantities: tuple[Quantity, ...]
    quantity: Quantity
    over: Quantity
    and_over: Quantity
    edges: tuple[float, ...]
    and_edges: tuple[float, ...]
    low: float | None
    high: float | None
    fewest: int
    laps: str
    mean: tuple[tuple[float, ...], ...]
    lowest: tuple[tuple[float, ...], ...]
    highest: tuple[tuple[float, ...], ...]
    count: tuple[tuple[int, ...], ...]
    interval_s: float
    whole_s: float
    on_target_s: float
    above_s: float
    below_s: float
    grey_s: float
    outside: int
    without_value: int
    off: tuple[OffTarget, ...]
    dots: tuple[tuple[float, float], ...]
    spread_edges: tuple[float, ...]
    spread_s: tuple[float, ...]
    picked: Picked | None = None
    points: tuple[float, ...] = ()
    and_points: tuple[float, ...] = ()
    share: tuple[tuple[float, ...], ...] = ()
    fuels: Mapping[str, float] = field(default_factory=lambda: STOICHIOMETRIC)


def quantities_of(recording: Recording, ratio: float | None = None) -> list[Quantity]:
    """The channels that a table may have, in the order of the recording."""
    return [
        Quantity(key, channel.name, _as_shown(key, channel.unit, ratio)[0])
        for key, channel in recording.channels.items()
        if key not in HIDDEN
    ]


def _as_shown(key: str, unit: str, ratio: float | None) -> tuple[str, float]:
    """The unit that a channel is shown in, and the factor to it."""
    if key == MIXTURE and ratio is not None:
        return "kg/kg", ratio
    return SHOWN_AS.get(key, (unit, 1.0))


def around_points(points: Floats) -> Floats:
    """Boundaries of cells whose middles are given, shape (n,) to (n + 1,): half way between neighbours, the outer ones as far out as in.

    >>> around_points(np.array([1000.0, 2000.0, 4000.0])).tolist()
    [500.0, 1500.0, 3000.0, 5000.0]
    """
    if len(points) < 2 or np.any(np.diff(points) <= 0):
        raise ValueError("the points of a map must rise, and be two or more")
    middles = (points[1:] + points[:-1]) / 2
    found: Floats = np.concatenate(([2 * points[0] - middles[0]], middles, [2 * points[-1] - middles[-1]]))
    return found


def bin_sheet(recording: Recording, review: Review, asked: Asked) -> BinSheet:
    """The table of a session. Raises NotThereError for a channel or a lap that there is not, ValueError for break points that do not rise."""
    ratio = air_to_fuel(asked.fuel)
    quantities = {each.key: each for each in quantities_of(recording, ratio)}
    for key in (asked.quantity, asked.over, asked.and_over):
        if key not in quantities:
            raise NotThereError(f"there is no channel “{key}” in this session")
    if asked.target is not None and not asked.target[0] < asked.target[1]:
        raise ValueError("the target must rise from its lower end to its upper one")
    if max(len(asked.edges), len(asked.and_edges)) > MOST_EDGES:
        raise ValueError(f"more than {MOST_EDGES} break points are more than a table shows")
    drive = drive_of(recording, review)
    channel = _shown(recording, asked.quantity, ratio)
    at: Floats = np.arange(channel.count, dtype=np.float64) * channel.interval_s
    inside = _inside(drive, review, at, asked.laps)
    at, values = at[inside], channel.values[inside]
    x, y = (at_times(_shown(recording, key, ratio), at) for key in (asked.over, asked.and_over))
    known = np.isfinite(values) & np.isfinite(x) & np.isfinite(y)
    values, x, y = (np.where(known, v, np.nan) for v in (values, x, y))
    breaks = np.array(asked.edges or _usual_edges(asked.over, x[known]))
    and_breaks = np.array(asked.and_edges or _usual_edges(asked.and_over, y[known]))
    edges, and_edges = (around_points(each) if asked.around else each for each in (breaks, and_breaks))
    table = bin_table(values, y, x, and_edges, edges, asked.fewest)
    dt = channel.interval_s
    target = asked.target
    low, high = target or (-math.inf, math.inf)
    good = values[known]
    seen = int(table.count.sum())
    spread_edges, spread = _spread(good, dt)
    thin = np.flatnonzero(known)[:: max(int(known.sum()) // MOST_DOTS, 1)]
    return BinSheet(
        tuple(quantities.values()),
        quantities[asked.quantity],
        quantities[asked.over],
        quantities[asked.and_over],
        tuple(edges.tolist()),
        tuple(and_edges.tolist()),
        target[0] if target else None,
        target[1] if target else None,
        asked.fewest,
        asked.laps,
        _rows(table.mean),
        _rows(table.lowest),
        _rows(table.highest),
        tuple(tuple(int(c) for c in row) for row in table.count),
        dt,
        len(good) * dt,
        float(np.count_nonzero((good >= low) & (good <= high))) * dt,
        float(np.count_nonzero(good > high)) * dt,
        float(np.count_nonzero(good < low)) * dt,
        float(table.count[(table.count > 0) & (table.count < asked.fewest)].sum()) * dt,
        len(good) - seen,
        int(len(values) - known.sum()),
        _off(table, dt, target, _places(recording, drive, at), x, y) if target else (),
        tuple(zip(x[thin].tolist(), values[thin].tolist(), strict=True)),
        spread_edges,
        spread,
        _picked(asked, values, x, y, (edges, and_edges), dt),
        tuple(breaks.tolist()) if asked.around else (),
        tuple(and_breaks.tolist()) if asked.around else (),
        _share(table, target) if target is not None and asked.quantity == MIXTURE else (),
    )


def _share(table: BinTable, target: tuple[float, float]) -> tuple[tuple[float, ...], ...]:
    """Fuel to add to each cell, in % of what it gets: 100 (mean / middle of the target - 1). A mean of more air wants more fuel."""
    enough = table.count >= table.fewest
    return _rows(np.where(enough, 100 * (table.mean / ((target[0] + target[1]) / 2) - 1), math.nan))


def _picked(
    asked: Asked, values: Floats, x: Floats, y: Floats, edges: tuple[Floats, Floats], dt: float
) -> Picked | None:
    if asked.pick_value is None and asked.pick_over is None:
        return None
    inside = np.isfinite(values)
    with np.errstate(invalid="ignore"):
        for each, limits in ((values, asked.pick_value), (x, asked.pick_over)):
            if limits is not None:
                inside &= (each >= min(limits)) & (each <= max(limits))
    table = bin_table(values[inside], y[inside], x[inside], edges[1], edges[0], 1)
    counts = tuple(tuple(int(c) for c in row) for row in table.count)
    return Picked(asked.pick_value, asked.pick_over, counts, float(np.count_nonzero(inside)) * dt)


def _rows(values: Floats) -> tuple[tuple[float, ...], ...]:
    return tuple(tuple(row) for row in values.tolist())


def _shown(recording: Recording, key: str, ratio: float | None = None) -> Channel:
    """A channel in the unit it is shown in."""
    channel = in_units(recording, key)
    assert channel is not None
    unit, factor = _as_shown(key, channel.unit, ratio)
    if key in PEDALS:
        return replace(channel, samples=ArraySamples(np.clip(channel.values, 0.0, 100.0)))
    if factor == 1.0:
        return channel
    return Channel(channel.key, channel.name, unit, channel.interval_s, channel.values * factor)


def _inside(drive: Drive, review: Review, at_s: Floats, laps: str) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Which moments belong to the laps that are asked for, and were not left out."""
    timed = [lap for lap in drive.laps if lap.kind == "timed"]
    chosen = (
        [lap for lap in timed if lap.counts] if laps == "counted" else [lap for lap in timed if str(lap.number) == laps]
    )
    if laps not in ("counted", "all") and not chosen:
        raise NotThereError(f"there is no lap {laps} in this session")
    inside = np.full(len(at_s), laps == "all")
    for lap in chosen:
        inside |= (at_s >= lap.start_s) & (at_s < lap.end_s)
    for stretch in review.left_out:
        inside &= (at_s < stretch.start_s) | (at_s >= stretch.end_s)
    return inside


def _usual_edges(key: str, values: Floats) -> Sequence[float]:
    """Break points at round numbers over what most of the values cover."""
    if key in PEDALS:
        return PEDAL_EDGES
    if not len(values):
        return (0.0, 1.0)
    low, high = (float(v) for v in np.percentile(values, (2, 99.5)))
    # Values that are all alike still have a cell around them.
    size = max(high - low, 1e-3 * max(abs(high), 1.0)) / COLUMNS
    ten = 10.0 ** math.floor(math.log10(size))
    step = next(s * ten for s in (1, 2, 2.5, 5, 10) if s * ten >= size)
    first, last = math.floor(low / step), math.ceil(high / step)
    return [round(k * step, 9) for k in range(first, max(last, first + 1) + 1)]


def _spread(values: Floats, interval_s: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
    if not len(values):
        return (), ()
    low, high = (float(v) for v in np.percentile(values, (0.5, 99.5)))
    size = max(high - low, 1e-3 * max(abs(high), 1.0)) / SPREAD_STEPS
    ten = 10.0 ** math.floor(math.log10(size))
    step = next(s * ten for s in (1, 2, 5, 10) if s * ten >= size)
    edges = np.arange(math.floor(low / step), math.ceil(high / step) + 1) * step
    count, _ = np.histogram(np.clip(values, edges[0], edges[-1]), edges)
    return tuple(np.round(edges, 9).tolist()), tuple((count * interval_s).tolist())


@dataclass(frozen=True)
class _Places:
    """How far from the start line each reading was taken (nan outside of timed laps), and the apexes of the corners."""

    metres: Floats
    apexes_m: Floats
    length_m: float


def _places(recording: Recording, drive: Drive, at_s: Floats) -> _Places | None:
    compared: Compared | None = compared_of(Outing(recording, drive))
    if compared is None or not compared.corners:
        return None
    metres = np.full(len(at_s), math.nan)
    for lap, row in zip(compared.grid.laps, compared.grid.at_s, strict=True):
        inside = (at_s >= lap.start_s) & (at_s < lap.end_s)
        metres[inside] = np.interp(at_s[inside], row, compared.grid.metres)
    apexes = np.array([corner.apex_m for corner in compared.corners])
    return _Places(metres, apexes, float(compared.grid.metres[-1]))


def _off(
    table: BinTable, interval_s: float, target: tuple[float, float], places: _Places | None, x: Floats, y: Floats
) -> tuple[OffTarget, ...]:
    """The cells off target with enough readings, what matters most (seconds times how far off) first."""
    found = []
    for i, j in np.argwhere(table.count >= table.fewest).tolist():
        mean = float(table.mean[i, j])
        by = mean - target[1] if mean > target[1] else mean - target[0] if mean < target[0] else 0.0
        if by:
            seconds = float(table.count[i, j]) * interval_s
            found.append(OffTarget(j, i, seconds, by, *_where(table, places, x, y, i, j)))
    return tuple(sorted(found, key=lambda each: -each.seconds * abs(each.by)))


NOWHERE = ("", math.nan, math.nan)


def _where(table: BinTable, places: _Places | None, x: Floats, y: Floats, i: int, j: int) -> tuple[str, float, float]:
    """Before or after which corner most of the readings of a cell fall, and from where to where those do."""
    if places is None:
        return NOWHERE
    rows, columns = table.x_edges, table.y_edges
    with np.errstate(invalid="ignore"):
        inside = (y >= rows[i]) & (y <= rows[i + 1]) & (x >= columns[j]) & (x <= columns[j + 1])
    metres = places.metres[inside & ~np.isnan(places.metres)]
    if not len(metres):
        return NOWHERE
    away = metres[:, None] - places.apexes_m
    nearest = np.argmin(np.abs(away), axis=1)
    before = away[np.arange(len(metres)), nearest] < 0
    places_of = 2 * nearest + before
    codes, counts = np.unique(places_of, return_counts=True)
    most = int(codes[np.argmax(counts)])
    there = metres[places_of == most]
    return f"{'before' if most % 2 else 'after'} corner {most // 2 + 1}", float(there.min()), float(there.max())


def usual_tables(recording: Recording, review: Review) -> list[Table]:
    """The table that a vehicle's engineer asks first, the mixture over engine speed and throttle, as means and as counts of readings;
    none when one of the three was not recorded."""
    if not set(USUAL) <= recording.channels.keys():
        return []
    sheet = bin_sheet(recording, review, Asked(*USUAL))
    heads = [(_span(a, b), "", None) for a, b in pairwise(sheet.edges)]
    over, down = (f"{q.name} {q.unit}".strip() for q in (sheet.over, sheet.and_over))
    columns = [(f"{down} \\ {over}", "", None), *heads]

    def rows(cells: Sequence[Sequence[float]]) -> list[tuple[str | float, ...]]:
        spans = [_span(a, b) for a, b in pairwise(sheet.and_edges)]
        return [(span, *(float(v) for v in row)) for span, row in zip(spans, cells, strict=True)]

    return [
        table_of("bins.mean", f"{sheet.quantity.name} mean", columns, rows(sheet.mean)),
        table_of("bins.count", f"{sheet.quantity.name} readings", columns, rows(sheet.count)),
    ]


def _span(low: float, high: float) -> str:
    return f"{low:g} to {high:g}"
