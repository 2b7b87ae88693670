"""Where a lap loses time against another, in the words of a driver: by corner, entry and exit, with the reason where there is a clear one.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from kumpel.core.recording import Channel, Floats
from kumpel.core.vehicle.alignment import STEP_M, Grid
from kumpel.core.vehicle.channels import at_times
from kumpel.core.vehicle.corners import Corner

BEFORE_TOP_M = 3.0
"""A stretch between two corners is split so far before the first place where any counted lap is fastest: an early braker stays in the
entry of the next corner."""
AFTER_APEX_M = 12.0
"""The slowest place of a lap may lie so far behind the apex of the corner."""
NEAR_M = 5
"""So far outside of a corner its slowest place may lie."""
LOSES_S = 0.06
"""From here on a counted lap loses time in a stretch: told beside it as "in n of m laps"."""
BRAKING = 10.0
"""Per cent of the brake pedal from which on it is braked."""
FULL = 92.0
"""Per cent of the throttle from which on it is open."""
LIFTED = 70.0
HELD_M = 4.0
"""A pedal counts from where it stays so for this long."""
SLOWING_G, PULLING_G = 0.15, 0.05
"""Without pedals: slowing down by so much is braking, getting faster by so much is an open throttle."""
CLEAR = 3.3
"""A reason is named when what it costs is so many standard deviations of what it costs this driver from lap to lap anyway."""
EXPLAINS, TOO_MUCH = 0.4, 3.0
"""And when it explains this share of the loss, but does not cost many times as much: then it was not what it seems."""
POOLED_LAPS = 4
MOST_OF_POOLED = 2.0
"""What half of the laps do in one corner is a habit there, and no spread."""
LEAST_COST_S, LEAST_GAIN_S = 0.10, 0.04
LEAST_BRAKE_M, LEAST_THROTTLE_M, LEAST_APEX_SHARE, LEAST_WAY_M, LEAST_LIFT_M = 3.0, 3.0, 0.015, 1.5, 6.0
"""Less than this is not named: the noise of the position, the speed and the way."""
LEAST_LOSS_S = 0.08
"""A reason is looked for from this loss on."""
ANOTHER_GEAR = 0.08
G = 9.80665


@dataclass(frozen=True)
class Stretch:
    """A part of the course: the entry to a corner (from the split of the straight before to the apex) or the exit (to the next split)."""

    corner: int
    part: str
    from_m: float
    to_m: float


@dataclass(frozen=True)
class Seen:
    """What was measured of laps over the metres of a grid, shape (laps, n) each; None where there is no such sensor.

    Speed in m/s, pedals in %, `ratio` the way in m/s that a thousand turns of the engine make.
    """

    speed: Floats
    brake: Floats | None
    throttle: Floats | None
    ratio: Floats | None
    acceleration: Floats


@dataclass(frozen=True)
class Marks:
    """What the driver did in each stretch of each lap, shape (laps, stretches), nan where it was not seen or does not belong there.

    Where he braked and opened the throttle, the part of the exit with the throttle lifted after it was open, the way really driven (m);
    the slowest speed near the apex, the speed at the outer end of the stretch (m/s); the seconds from the beginning to the end of the
    corner; the gear in the exit (m/s per 1000 turns).
    """

    brake_m: Floats
    full_m: Floats
    lifted_m: Floats
    way_m: Floats
    apex_m_s: Floats
    outer_m_s: Floats
    corner_s: Floats
    ratio: Floats


@dataclass(frozen=True)
class Loss:
    """A row of the list: a stretch, the seconds lost in it as stated (positive: slower), in how many of the other counted laps time is
    lost there, too, and of how many; the reason in words, its code ("early brake", "slow apex", ..; empty: none is clear) and the corner
    where it was made: what was missed on the way out of a corner is lost on the way to the next."""

    stretch: Stretch
    lost_s: float
    laps: int
    of: int
    reason: str
    code: str
    cause: int


@dataclass(frozen=True)
class TimeLost:
    """The list of a lap against a reference: its rows, largest first, what is left everywhere else, and the whole.

    `lost_s` is the difference of the two lap times as they are stated, and the sum of the rows and of `elsewhere_s` to the last digit.
    """

    lap: int
    reference: int
    lost_s: float
    rows: tuple[Loss, ...]
    elsewhere_s: float
    stretches: tuple[Loss, ...]
    """All of them, in the order of the course."""


def seen_on(grid: Grid, channels: dict[str, Channel]) -> Seen:
    """Channels over the metres of a grid. Channels: speed (m/s), and where they are there: brake, throttle (%), rpm."""

    def over(key: str) -> Floats | None:
        channel = channels.get(key)
        if channel is None:
            return None
        found = at_times(channel, grid.at_s)
        return None if np.isnan(found).all() else found

    slope = np.gradient(grid.at_s, STEP_M, axis=1)
    speed = over("speed")
    if speed is None:
        speed = 1 / np.maximum(slope, 1e-3)
    speed = uniform_filter1d(_whole(speed), 5, axis=1, mode="nearest")
    acceleration = np.gradient(uniform_filter1d(speed, 7, axis=1, mode="nearest"), STEP_M, axis=1) * speed
    rpm = over("rpm")
    ratio = None if rpm is None else np.where(rpm > 500, 1000 * speed / np.maximum(rpm, 1.0), np.nan)
    return Seen(speed, over("brake"), over("throttle"), ratio, acceleration)


def _whole(values: Floats) -> Floats:
    """Rows with what is missing in between drawn straight; a row of nothing stays."""
    if not np.isnan(values).any():
        return values
    found = values.copy()
    at = np.arange(values.shape[1])
    for row in found:
        known = ~np.isnan(row)
        if known.any():
            row[:] = np.interp(at, at[known], row[known])
    return found


def stretches_of(corners: Sequence[Corner], speed: Floats, metres: Floats) -> list[Stretch]:
    """Entry and exit of each corner, without gaps from the start line to the end. `speed` are the counted laps, shape (laps, n)."""
    if not corners or not len(speed):
        return []
    last = float(metres[-1])
    splits: list[float] = []
    for a, b in pairwise(corners):
        first, end = (int(np.searchsorted(metres, c.apex_m)) for c in (a, b))
        tops = first + np.argmax(speed[:, first : max(end, first + 1)], axis=1)
        splits.append(min(max(float(metres[tops.min()]) - BEFORE_TOP_M, a.apex_m + 1), b.apex_m - 1))
    found = []
    for corner, begin, over in zip(corners, [0.0, *splits], [*splits, last], strict=True):
        found.append(Stretch(corner.number, "entry", begin, corner.apex_m))
        found.append(Stretch(corner.number, "exit", corner.apex_m, over))
    return found


def _took(grid: Grid, stretches: Sequence[Stretch]) -> Floats:
    """Seconds that each lap takes for each stretch, shape (laps, stretches)."""
    edges = np.array([[s.from_m, s.to_m] for s in stretches])
    at = np.clip(np.rint(edges / STEP_M).astype(np.intp), 0, len(grid.metres) - 1)
    found: Floats = grid.time_s[:, at[:, 1]] - grid.time_s[:, at[:, 0]]
    return found


def losses(grid: Grid, stretches: Sequence[Stretch], reference: int) -> Floats:
    """Seconds that each lap loses in each stretch against the row `reference` of the grid, shape (laps, stretches)."""
    took = _took(grid, stretches)
    found: Floats = took - took[reference]
    return found


def _held(on: NDArray[np.bool_], first: int, end: int) -> int | None:
    """The first place in [first, end) from which on it stays so for 4 m."""
    need = round(HELD_M / STEP_M)
    part = on[first:end]
    if len(part) < need:
        return None
    runs = np.convolve(part.astype(np.intp), np.ones(need, dtype=np.intp), "valid") == need
    return first + int(np.argmax(runs)) if runs.any() else None


def _begun(on: NDArray[np.bool_], first: int, end: int) -> int | None:
    """Where the last time before `end` begins that it is so for 4 m or more, from `first` on; short breaks belong to it."""
    need = round(HELD_M / STEP_M)
    at = first + np.flatnonzero(on[first:end])
    if not len(at):
        return None
    breaks = np.flatnonzero(np.diff(at) > need)
    begins, ends = at[np.append(0, breaks + 1)], at[np.append(breaks, len(at) - 1)]
    long_enough = np.flatnonzero(ends - begins + 1 >= need)
    return int(begins[long_enough[-1]]) if len(long_enough) else None


def _edge(values: Floats, at: int | None, line: float) -> float:
    """Where a rising line of values passes `line` just before a place, to a part of a metre."""
    if at is None:
        return math.nan
    if at == 0 or not values[at - 1] < line <= values[at]:
        return float(at)
    return float(at - 1 + (line - values[at - 1]) / (values[at] - values[at - 1]))


def marks_of(grid: Grid, seen: Seen, way: Floats, stretches: Sequence[Stretch], corners: Sequence[Corner]) -> Marks:
    """What was done in each stretch. `way` is the way driven at each metre, shape (laps, n)."""
    n = len(grid.metres)
    after = round(AFTER_APEX_M / STEP_M)
    force = seen.brake if seen.brake is not None else -seen.acceleration / G / SLOWING_G * BRAKING
    pull = seen.throttle if seen.throttle is not None else seen.acceleration / G / PULLING_G * FULL
    marks = {name: np.full((len(grid.laps), len(stretches)), math.nan) for name in Marks.__dataclass_fields__}
    known = {corner.number: corner for corner in corners}
    for k, stretch in enumerate(stretches):
        entry = stretch.part == "entry"
        first, end = (
            round(stretch.from_m / STEP_M),
            max(round(stretch.to_m / STEP_M), round(stretch.from_m / STEP_M) + 1),
        )
        wide, back = min(end + after, n), max(first - after, 0)
        next_m = end if k + 1 == len(stretches) else round(stretches[k + 1].to_m / STEP_M)
        outer = first if entry else min(end, n - 1)
        corner = known[stretch.corner]
        begin, over = (int(np.clip(round(m / STEP_M), 0, n - 1)) for m in (corner.begin_m, corner.end_m))
        marks["way_m"][:, k] = way[:, min(end, n - 1)] - way[:, first]
        near = (
            slice(max(first, begin - NEAR_M), max(wide, first + 1))
            if entry
            else slice(back, max(min(end, over + NEAR_M), back + 1))
        )
        marks["apex_m_s"][:, k] = seen.speed[:, near].min(axis=1)
        marks["outer_m_s"][:, k] = seen.speed[:, outer]
        marks["corner_s"][:, k] = grid.time_s[:, over] - grid.time_s[:, begin]
        for row in range(len(grid.laps)):
            if entry:
                slowest = near.start + int(np.argmin(seen.speed[row, near]))
                at = _begun(force[row] > BRAKING, first, slowest + 1)
                marks["brake_m"][row, k] = _edge(force[row], at, BRAKING)
                if at is not None:
                    marks["outer_m_s"][row, k] = seen.speed[row, at]
                continue
            # It may be opened as late as in what is the entry to the next corner already; and never open, no earlier than there.
            at = _held(pull[row] > FULL, first, next_m)
            marks["full_m"][row, k] = next_m * STEP_M if at is None else _edge(pull[row], at, FULL)
            if at is not None and seen.throttle is not None:
                braked = _begun(force[row] > BRAKING, at, next_m)
                marks["lifted_m"][row, k] = np.count_nonzero(pull[row, at : braked or next_m] < LIFTED) * STEP_M
            if seen.ratio is not None:
                ratios = seen.ratio[row, first : min(first + 30, end)]
                marks["ratio"][row, k] = np.nanmedian(ratios) if not np.isnan(ratios).all() else math.nan
    return Marks(**marks)


@dataclass(frozen=True)
class Costs:
    """What each difference to the reference costs, in s, shape (laps, stretches), nan where it was not seen; negative: gained.

    Braking d earlier, or opening the throttle d later, moves the whole line of speeds by d between the apex and the outer speed:
    d (1/v_apex - 1/v_outer). A share less at the apex costs that share of the time in the corner. A longer way costs itself at the mean speed.
    """

    brake: Floats
    throttle: Floats
    apex: Floats
    way: Floats


def costs_of(marks: Marks, took_s: Floats, reference: int) -> Costs:
    """Costs against the row `reference`; `took_s` is what each stretch took, shape (laps, stretches)."""
    slow, fast = marks.apex_m_s[reference], marks.outer_m_s[reference]
    with np.errstate(invalid="ignore", divide="ignore"):
        metre = np.maximum(1 / slow - 1 / fast, 0.0)
        share = (slow - marks.apex_m_s) / slow
        return Costs(
            (marks.brake_m[reference] - marks.brake_m) * metre,
            (marks.full_m - marks.full_m[reference]) * metre,
            share * marks.corner_s[reference],
            (marks.way_m - marks.way_m[reference]) / marks.way_m[reference] * took_s[reference],
        )


def _deviations(values: Floats, most: float) -> Floats:
    """Robust standard deviation in each stretch of differences from the median lap, shape (stretches,).

    1.4826 times the median distance; few laps lie nearer to their own median than to the true one, which sqrt(n / (n - 1)) makes good.
    A handful of laps says little of one stretch: the deviation over all stretches counts as much as four laps there. No stretch has more
    than `most` times that of all.
    """
    count = (~np.isnan(values)).sum(axis=0)
    enough = count > 2
    if not enough.any():
        return np.zeros(values.shape[1])
    away = np.full(values.shape, np.nan)
    away[:, enough] = np.abs(values[:, enough] - np.nanmedian(values[:, enough], axis=0))
    n = np.where(enough, count, 2)
    better = 1.4826 * np.sqrt(n / (n - 1))
    pooled = float(1.4826 * np.nanmedian(away)) * math.sqrt(float(np.median(n) / (np.median(n) - 1)))
    own = np.where(enough, better * np.nan_to_num(_median(away)), pooled)
    own = np.minimum(own, most * pooled)
    found: Floats = np.sqrt((POOLED_LAPS * pooled**2 + (n - 1) * own**2) / (POOLED_LAPS + n - 1))
    return found


def _median(values: Floats) -> Floats:
    """Medians of the columns; nan for a column of nothing."""
    some = ~np.isnan(values).all(axis=0)
    found = np.full(values.shape[1], np.nan)
    found[some] = np.nanmedian(values[:, some], axis=0)
    return found


def _lines(costs: Floats, counted: Sequence[int], most: float) -> Floats:
    """From what cost on a difference of two laps is clear in each stretch, shape (stretches,)."""
    return CLEAR * math.sqrt(2) * _deviations(costs[list(counted)], most)


def _explaining(found: list[tuple[float, str, str]], lost_s: float) -> tuple[float, str, str]:
    """Of reasons (what each costs, words, code) the one that explains a loss best; without a code when none does."""
    good = [each for each in found if max(EXPLAINS * lost_s, 1e-9) <= each[0] <= TOO_MUCH * lost_s]
    return max(good, default=(0.0, "", ""))


@dataclass(frozen=True)
class _Difference:
    """A lap against the reference in one stretch: what differs by how much, and what is clear of it."""

    marks: Marks
    costs: Costs
    lines: Costs
    lap: int
    reference: int

    def _of(self, name: str, k: int) -> float:
        values = getattr(self.marks, name)
        return float(values[self.lap, k] - values[self.reference, k])

    def cost(self, name: str, k: int) -> float:
        """What a difference costs where it is clear, else 0."""
        cost, line = float(getattr(self.costs, name)[self.lap, k]), float(getattr(self.lines, name)[k])
        return cost if cost > max(line, LEAST_COST_S) else 0.0

    def with_speed(self, name: str, k: int) -> float:
        """What a difference costs, less what a faster corner gained by it."""
        cost = self.cost(name, k)
        gained = float(self.costs.apex[self.lap, k])
        return max(cost + min(gained, 0.0), 0.0)

    def reason(self, stretches: Sequence[Stretch], k: int, lost_s: float) -> tuple[str, str, int]:
        """The reason of a loss in words, its code, and the corner where it was made."""
        stretch = stretches[k]
        is_entry = stretch.part == "entry"
        found = [*(self._braked(k) if is_entry else self._opened(k, lost_s)), *self._drove(k)]
        _, words, code = _explaining(found, lost_s)
        if code:
            entry = k if is_entry else k - 1
            overshot = self._of("brake_m", entry)
            # A loss with a reason of its own that a later braking came before: half of what would be clear alone is enough.
            gained = -float(self.costs.brake[self.lap, entry])
            if overshot >= LEAST_BRAKE_M and gained > max(float(self.lines.brake[entry]) / 2, LEAST_GAIN_S):
                return f"braked {overshot:.0f} m later, then {words}", "late brake", stretch.corner
            return words, code, stretch.corner
        if is_entry and k > 0:
            _, words, code = _explaining(self._opened(k - 1, lost_s), lost_s)
            if code:
                before = stretches[k - 1].corner
                return f"out of corner {before}: {words}", code, before
        return "a little slower all along", "", stretch.corner

    def _slower(self, k: int) -> str:
        """How much slower at the apex, in words: "4 km/h less"."""
        slower = -3.6 * self._of("apex_m_s", k)
        return f"{abs(slower):.0f} km/h {'less' if slower > 0 else 'more'}" if abs(slower) >= 0.5 else ""

    def _also(self, k: int) -> str:
        slower = self._slower(k)
        return f", apex {slower}" if slower else ""

    def _braked(self, k: int) -> list[tuple[float, str, str]]:
        earlier = -self._of("brake_m", k)
        if not earlier >= LEAST_BRAKE_M:
            return []
        return [(self.with_speed("brake", k), f"braked {earlier:.0f} m earlier{self._also(k)}", "early brake")]

    def _opened(self, k: int, lost_s: float) -> list[tuple[float, str, str]]:
        found = []
        mine, theirs = (float(self.marks.ratio[row, k]) for row in (self.lap, self.reference))
        if abs(mine / theirs - 1) > ANOTHER_GEAR:
            words = f"in a {'higher' if mine > theirs else 'lower'} gear{self._also(k)}"
            found.append((lost_s, words, "wrong gear"))
        later = self._of("full_m", k)
        if later >= LEAST_THROTTLE_M:
            found.append(
                (self.with_speed("throttle", k), f"full throttle {later:.0f} m later{self._also(k)}", "late throttle")
            )
        lifted = self._of("lifted_m", k)
        if lifted >= LEAST_LIFT_M:
            found.append((lost_s, f"throttle lifted for {lifted:.0f} m", "lifted throttle"))
        return found

    def _drove(self, k: int) -> list[tuple[float, str, str]]:
        found = []
        if -self._of("apex_m_s", k) >= LEAST_APEX_SHARE * self.marks.apex_m_s[self.reference, k]:
            # What it costs is lost in half in the entry, in half in the exit.
            found.append((self.cost("apex", k) / 2, f"{self._slower(k)} at the apex", "slow apex"))
        longer = self._of("way_m", k)
        if longer >= LEAST_WAY_M:
            found.append((self.cost("way", k), f"{longer:.0f} m longer way", "longer way"))
        return found


@dataclass(frozen=True)
class Habit:
    """A stretch where time is lost against a lap, again and again: seconds in the mean of the other laps that count, in how many of how
    many, and what was mostly the reason ("braked earlier"; empty: none was clear), how many times."""

    stretch: Stretch
    mean_s: float
    laps: int
    of: int
    words: str
    times: int


CODE_WORDS = {
    "early brake": "braked earlier",
    "late brake": "braked later",
    "slow apex": "slower at the apex",
    "late throttle": "full throttle later",
    "lifted throttle": "throttle lifted",
    "wrong gear": "another gear",
    "longer way": "longer way",
}


@dataclass(frozen=True)
class _Against:
    """All laps of a grid against one of them: stretches, seconds lost, what was done, what it costs, what is clear."""

    stretches: list[Stretch]
    lost: Floats
    marks: Marks
    costs: Costs
    lines: Costs
    reference: int

    def loss(self, lap: int, k: int, others: Sequence[int], decimals: int) -> Loss:
        stretch, lost_s = self.stretches[k], float(self.lost[lap, k])
        stated = round(lost_s, decimals) + 0.0
        differs = _Difference(self.marks, self.costs, self.lines, lap, self.reference)
        why = ("", "", stretch.corner)
        if lost_s >= LEAST_LOSS_S:
            why = differs.reason(self.stretches, k, stated)
        return Loss(stretch, stated, int(np.count_nonzero(self.lost[others, k] > LOSES_S)), len(others), *why)


def _against(
    grid: Grid,
    seen: Seen,
    way: Floats,
    corners: Sequence[Corner],
    reference: int,
    counted: Sequence[int],
    most: float = 1e9,
) -> _Against | None:
    stretches = stretches_of(corners, seen.speed[list(counted)], grid.metres)
    if not stretches:
        return None
    lost = losses(grid, stretches, reference)
    marks = marks_of(grid, seen, way, stretches, corners)
    costs = costs_of(marks, lost + _took(grid, stretches)[reference], reference)
    lines = Costs(*(_lines(getattr(costs, name), counted, most) for name in Costs.__dataclass_fields__))
    return _Against(stretches, lost, marks, costs, lines, reference)


def habits(
    grid: Grid,
    seen: Seen,
    way: Floats,
    corners: Sequence[Corner],
    reference: int,
    counted: Sequence[int],
    rows: int = 6,
    decimals: int = 2,
) -> list[Habit]:
    """Where the laps `counted` (rows of the grid) lose time against the row `reference`, the most in the mean first; only where they do."""
    found = _against(grid, seen, way, corners, reference, counted, MOST_OF_POOLED)
    others = [row for row in counted if row != reference]
    if found is None or not others:
        return []
    made = []
    for k, stretch in enumerate(found.stretches):
        mean = round(float(found.lost[others, k].mean()), decimals)
        if mean <= 0:
            continue
        codes = Counter(found.loss(row, k, others, decimals).code for row in others)
        del codes[""]
        code, times = codes.most_common(1)[0] if codes else ("", 0)
        laps = int(np.count_nonzero(found.lost[others, k] > LOSES_S))
        made.append(Habit(stretch, mean, laps, len(others), CODE_WORDS.get(code, ""), times))
    return sorted(made, key=lambda each: -each.mean_s)[:rows]


def time_lost(
    grid: Grid,
    seen: Seen,
    way: Floats,
    corners: Sequence[Corner],
    lap: int,
    reference: int,
    counted: Sequence[int],
    rows: int = 5,
    decimals: int = 2,
) -> TimeLost:
    """What a lap loses against another. `lap`, `reference` and `counted` are rows of the grid; `way` the way driven, shape (laps, n).

    The rows are the stretches that lose most (only those that lose); they are rounded first, and what remains of the difference of the
    lap times as stated is "everywhere else".
    """
    numbers = [each.number for each in grid.laps]
    times = [round(each.time_s, decimals) for each in grid.laps]
    whole = round(times[lap] - times[reference], decimals) + 0.0
    against = _against(grid, seen, way, corners, reference, counted) if lap != reference else None
    if against is None:
        return TimeLost(numbers[lap], numbers[reference], whole, (), whole, ())
    others = [row for row in counted if row not in (lap, reference)]
    found = [against.loss(lap, k, others, decimals) for k in range(len(against.stretches))]
    largest = sorted((each for each in found if each.lost_s > 0), key=lambda each: -each.lost_s)[:rows]
    rest = round(whole - sum(each.lost_s for each in largest), decimals) + 0.0
    return TimeLost(numbers[lap], numbers[reference], whole, tuple(largest), rest, tuple(found))
