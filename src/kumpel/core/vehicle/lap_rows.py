"""The laps of a session as a list: times, sectors, the best of them, top speed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Channel, Recording
from kumpel.core.rounding import stated
from kumpel.core.vehicle.channels import in_units
from kumpel.core.vehicle.drive import Drive, lap_key
from kumpel.core.vehicle.laps import Lap, bests

DECIMALS = 2


@dataclass(frozen=True)
class LapRow:
    """A lap of the list. `best` says of each sector whether it is the best of the laps that count."""

    key: str
    number: int
    kind: str
    start_s: float
    end_s: float
    time_s: float
    sectors_s: tuple[float, ...]
    best: tuple[bool, ...]
    top_km_h: float
    counts: bool
    why: str
    unsure: bool


def lap_rows(recording: Recording, drive: Drive) -> tuple[LapRow, ...]:
    """All laps of a drive in order, those that do not count, too."""
    best = bests(list(drive.laps)).sectors_s
    speed = in_units(recording, "speed")
    found = []
    for lap in drive.laps:
        sectors = lap.sectors_s if lap.kind == "timed" else ()
        is_best = tuple(
            lap.counts and i < len(best) and not math.isnan(s) and abs(s - best[i]) < 1e-9
            for i, s in enumerate(sectors)
        )
        found.append(
            LapRow(
                lap_key(lap),
                lap.number,
                lap.kind,
                lap.start_s,
                lap.end_s,
                stated(lap.time_s, DECIMALS),
                tuple(stated(s, DECIMALS) for s in sectors),
                is_best,
                _top(speed, lap),
                lap.counts,
                lap.why,
                lap.unsure,
            )
        )
    return tuple(found)


@dataclass(frozen=True)
class LapSums:
    """What the laps that count add up to, as the figures of the session state it; nan where there is nothing. `best_lap` is a number."""

    count: int
    best_lap: int | None
    best_s: float
    theoretical_s: float
    mean_s: float
    consistency_s: float
    top_km_h: float


def lap_sums(drive: Drive, rows: Sequence[LapRow]) -> LapSums:
    """The sums of a drive whose laps are `rows`."""
    found = bests(list(drive.laps))
    tops = [row.top_km_h for row in rows if row.kind == "timed" and row.counts and not math.isnan(row.top_km_h)]
    return LapSums(
        found.count,
        found.best.number if found.best is not None else None,
        stated(found.best.time_s, DECIMALS) if found.best is not None else math.nan,
        stated(found.theoretical_s, DECIMALS),
        stated(found.mean_s, DECIMALS),
        stated(found.spread_s, DECIMALS),
        max(tops, default=math.nan),
    )


def _top(speed: Channel | None, lap: Lap) -> float:
    if speed is None:
        return math.nan
    part = speed.values[math.ceil(lap.start_s / speed.interval_s) : math.ceil(lap.end_s / speed.interval_s)]
    return float(np.nanmax(part)) * 3.6 if len(part) and not np.isnan(part).all() else math.nan
