"""Right corner and right reason of planted mistakes: `./kumpel bench time_lost [CASES]`; the tables of docs/methods/vehicle.md."""

from __future__ import annotations

import sys
import time
from collections import Counter

import numpy as np

from kumpel.core.laps_wish import LapsWish
from kumpel.core.review import Review
from kumpel.core.vehicle.lap_view import LapSheet, lap_sheet
from kumpel.standins.lap_driver import Mistake, Sensors, What, drive, recorded, suits
from kumpel.standins.vehicle_signal import CAR, KART, Vehicle, practice_loop

LAPS = 8
SIZES = (0.1, 0.2, 0.3, 0.5)
RIGHT: dict[What, set[str]] = {
    "early brake": {"early brake"},
    "late brake": {"late brake"},
    "slow apex": {"slow apex"},
    "late throttle": {"late throttle"},
    "lifted throttle": {"lifted throttle"},
    # What the positions cannot tell is to be called "a little slower", in the right corner.
    "longer way": {"longer way", ""},
}
GEARED: dict[What, set[str]] = {"long shift": {"long shift"}, "wrong gear": {"wrong gear"}}
"""On a vehicle with gears."""


def named(sheet: LapSheet, corner: int) -> set[str]:
    """The codes of the reasons in the list that were made in a corner."""
    return {loss.code for loss in sheet.lost.rows if loss.cause == corner} if sheet.lost else set()


def case(
    number: int, spread_s: float, sensors: Sensors, vehicle: Vehicle = KART, right: dict[What, set[str]] = RIGHT
) -> tuple[What, float, bool, bool, bool]:
    """One session with one mistake: what, size, whether its corner was listed, with the right reason; whether a lap without a
    mistake has a reason named."""
    rng = np.random.default_rng(10_000 + number)
    track = practice_loop()
    usual = drive(track, vehicle, 1, (), 0.0, rng)
    what = list(right)[number % len(right)]
    size = SIZES[number // len(right) % len(SIZES)]
    corner = int(rng.choice([i for i in range(len(usual.bends)) if suits(usual, i, what)]))
    lap = int(rng.integers(1, LAPS - 1))
    driven = drive(track, vehicle, LAPS, (Mistake(lap, corner, what, size),), spread_s, rng)
    recording = recorded(driven, rng, sensors).recording
    found = named(lap_sheet(recording, Review(), LapsWish(lap + 1)), corner + 1)
    clean = lap_sheet(recording, Review(), LapsWish((lap + 2) % LAPS + 1))
    others = {loss.code for loss in clean.lost.rows} - {""} if clean.lost else set()
    return what, size, bool(found), bool(found & right[what]), bool(others)


def main() -> None:
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else 504
    began = time.monotonic()
    print(
        "| own spread | drift | right corner and reason from 0.2 s | a reason in a lap without a mistake |\n|---|---|---|---|"
    )
    usual: Counter[tuple[What, float, str]] = Counter()
    for spread_s, drift_m, share in ((0.05, 1.5, 1), (0.03, 1.5, 4), (0.1, 1.5, 4), (0.05, 0.0, 4), (0.05, 3.0, 4)):
        right = of = false = 0
        made = cases // share
        for number in range(made):
            what, size, listed, ok, wrong = case(number, spread_s, Sensors(drift_m=drift_m))
            false += wrong
            if size >= 0.2:
                right, of = right + ok, of + 1
            if share == 1:
                usual.update([(what, size, "of")] + [(what, size, "right")] * ok + [(what, size, "listed")] * listed)
        print(
            f"| {spread_s:g} s | {drift_m:g} m | {right} of {of} ({100 * right / of:.0f} %) | {false} of {made} ({100 * false / made:.0f} %) |",
            flush=True,
        )
    print("\n| mistake | " + " | ".join(f"{size:g} s" for size in SIZES) + " |\n|---|" + "---|" * len(SIZES))
    for what in RIGHT:
        cells = [f"{usual[what, s, 'right']} of {usual[what, s, 'of']}" for s in SIZES]
        print(f"| {what} | " + " | ".join(cells) + " |")
    geared: Counter[tuple[What, float, bool]] = Counter()
    for number in range(cases // 6):
        what, size, _, ok, _ = case(number, 0.03, Sensors(), CAR, GEARED)
        geared.update([(what, size, ok)])
    for what in GEARED:
        of_size = [(geared[what, s, True], geared[what, s, False]) for s in SIZES]
        print(f"| {what}, a car, own spread 0.03 s | " + " | ".join(f"{a} of {a + b}" for a, b in of_size) + " |")
    print(f"\n{time.monotonic() - began:.0f} s", file=sys.stderr)


if __name__ == "__main__":
    main()
