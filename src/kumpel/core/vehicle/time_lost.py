"""Where a lap loses time against another, in the words of a driver: by corner, entry and exit, with the reason where there is a clear one.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Floats
from kumpel.core.rounding import stated
from kumpel.core.vehicle.alignment import Grid
from kumpel.core.vehicle.corners import Corner
from kumpel.core.vehicle.costs import Costs, costs_of, spread_of, usual_of
from kumpel.core.vehicle.driving import Marks, Seen, marks_of
from kumpel.core.vehicle.stretches import CourseStretch, losses, stretches_of, took

LOSES_S = 0.06
"""From here on a counted lap loses time in a stretch: told beside it as "in n of m laps"."""
UNUSUAL, APART, APART_OF_TWO = 3.3, 4.2, 3.3
"""A reason is named when a lap lies so many standard deviations of a lap beside what this driver usually does there, or so many of the
difference of two laps beside the reference. What two drivers do differently, or all laps, is not unusual: less is enough there."""
OVERSHOT = 2.3
"""A later braking that a loss with a reason of its own came of: so many standard deviations of a lap."""
EXPLAINS, TOO_MUCH = 0.3, 3.0
"""And when it explains this share of the loss, but does not cost many times as much: then it was not what it seems."""
MOST_OF_POOLED = 2.0
"""What half of the laps do in one corner is a habit there, and no spread."""
LEAST_COST_S, LEAST_GAIN_S = 0.10, 0.04
LEAST_BRAKE_M, LEAST_THROTTLE_M, LEAST_APEX_SHARE, LEAST_WAY_M, LEAST_LIFT_M = 3.0, 5.0, 0.015, 1.5, 6.0
"""Less than this is not named: the noise of the position, the speed and the way."""
LEAST_LOSS_S = 0.10
"""A reason is looked for from this loss on."""
IN_BOTH, LEAST_BOTH_S = 2.6, 0.14
"""A slower corner costs time on the way in and on the way out: with both lost, and so much of them together, less of a difference is clear."""
ANOTHER_GEAR = 0.08

Gaps = Sequence[Sequence[tuple[float, float]]]


@dataclass(frozen=True)
class Laid:
    """Laps laid over each other: their grid, what was measured on them, the way that was driven, shape (laps, n) in m, the corners of the
    course, and for each lap from which metre to which its positions are missing."""

    grid: Grid
    seen: Seen
    way: Floats
    corners: Sequence[Corner]
    gaps: Gaps = ()


@dataclass(frozen=True)
class Loss:
    """A row of the list: a stretch, the seconds lost in it as stated (positive: slower), in how many of the other counted laps time is
    lost there, too, and of how many; the reason in words, its code ("early brake", "slow apex", ..; empty: none is clear) and the corner
    where it was made: what was missed on the way out of a corner is lost on the way to the next."""

    stretch: CourseStretch
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
    unknown: tuple[CourseStretch, ...]
    """Where positions are missing in one of the two laps."""


def _explaining(found: list[tuple[float, str, str]], lost_s: float) -> tuple[float, str, str]:
    """Of reasons (what each costs, words, code) the one that explains a loss best; without a code when none does."""
    good = [each for each in found if max(EXPLAINS * lost_s, 1e-9) <= each[0] <= TOO_MUCH * lost_s]
    return max(good, default=(0.0, "", ""))


@dataclass(frozen=True)
class _Difference:
    """A lap against the reference: what differs by how much, and what that costs where it is clear."""

    of: _Against
    lap: int

    def _differs(self, name: str, k: int) -> float:
        values = getattr(self.of.marks, name)
        return float(values[self.lap, k] - values[self.of.reference, k])

    def cost(self, name: str, k: int) -> float:
        """What a difference costs where it is clear, else 0."""
        cost = float(getattr(self.of.costs, name)[self.lap, k])
        return cost if self._clear(name, k) and cost > LEAST_COST_S else 0.0

    def in_both(self, k: int) -> bool:
        """Whether time is lost on the way into the corner of a stretch and on the way out."""
        into, out = (float(s) for s in self.of.lost[self.lap, 2 * (k // 2) : 2 * (k // 2) + 2])
        return min(into, out) > LOSES_S and into + out >= LEAST_BOTH_S

    def _clear(self, name: str, k: int) -> bool:
        cost = float(getattr(self.of.costs, name)[self.lap, k])
        spread = float(getattr(self.of.spread, name)[k])
        needed = IN_BOTH if name == "apex" and self.in_both(k) else UNUSUAL
        unusual = cost - float(getattr(self.of.usual, name)[k]) > needed * spread
        return unusual or cost > self.of.apart * math.sqrt(2) * spread

    def with_speed(self, name: str, k: int) -> float:
        """What a difference costs, less what a faster corner gained by it."""
        cost = self.cost(name, k)
        gained = float(self.of.costs.apex[self.lap, k])
        return max(cost + min(gained, 0.0), 0.0)

    def _overshot(self, entry: int) -> str:
        """How much later it was braked for a corner, in words; empty when it was not, or no later than it is now and then."""
        later = self._differs("brake_m", entry)
        cost = float(self.of.costs.brake[self.lap, entry])
        gained = max(-cost, float(self.of.usual.brake[entry]) - cost)
        clear = gained > max(OVERSHOT * float(self.of.spread.brake[entry]), LEAST_GAIN_S)
        return f"braked {later:.0f} m later" if later >= LEAST_BRAKE_M and clear else ""

    def reason(self, stretches: Sequence[CourseStretch], k: int, lost_s: float) -> tuple[str, str, int]:
        """The reason of a loss in words, its code, and the corner where it was made."""
        stretch = stretches[k]
        is_entry = stretch.part == "entry"
        found = [*(self._braked(k) if is_entry else self._opened(k, lost_s)), *self._drove(k)]
        _, words, code = _explaining(found, lost_s)
        # A loss with a reason of its own that a later braking came before; and one without, on the way out.
        overshot = self._overshot(k if is_entry else k - 1) if code or not is_entry else ""
        if overshot:
            return f"{overshot}, then {words}" if code else overshot, "late brake", stretch.corner
        if code:
            return words, code, stretch.corner
        if is_entry and k > 1:
            _, words, code = _explaining(self._opened(k - 1, lost_s), lost_s)
            overshot = self._overshot(k - 2)
            before = stretches[k - 1].corner
            if overshot:
                return f"out of corner {before}: {overshot}{', then ' if code else ''}{words}", "late brake", before
            if code:
                return f"out of corner {before}: {words}", code, before
        return "a little slower all along", "", stretch.corner

    def slower(self, stretch: CourseStretch, k: int, lost_s: float) -> tuple[str, str, int]:
        """The reason of a loss that is small by itself, but of a corner in which more is lost."""
        _, words, code = _explaining(self._apex(k), lost_s)
        return (words, code, stretch.corner) if code else ("", "", stretch.corner)

    def _slower(self, k: int) -> str:
        """How much slower at the apex, in words: "4 km/h less"."""
        slower = -3.6 * self._differs("apex_m_s", k)
        return f"{abs(slower):.0f} km/h {'less' if slower > 0 else 'more'}" if abs(slower) >= 0.5 else ""

    def _also(self, k: int) -> str:
        slower = self._slower(k)
        return f", apex {slower}" if slower else ""

    def _braked(self, k: int) -> list[tuple[float, str, str]]:
        earlier = -self._differs("brake_m", k)
        if not earlier >= LEAST_BRAKE_M:
            return []
        return [(self.with_speed("brake", k), f"braked {earlier:.0f} m earlier{self._also(k)}", "early brake")]

    def _opened(self, k: int, lost_s: float) -> list[tuple[float, str, str]]:
        found = []
        lifted = self._differs("lifted_m", k)
        shifted = lifted >= LEAST_LIFT_M and abs(float(self.of.marks.shift[self.lap, k]) - 1) > ANOTHER_GEAR
        mine, theirs = (float(self.of.marks.ratio[row, k]) for row in (self.lap, self.of.reference))
        if abs(mine / theirs - 1) > ANOTHER_GEAR and not shifted:
            words = f"in a {'higher' if mine > theirs else 'lower'} gear{self._also(k)}"
            found.append((lost_s, words, "wrong gear"))
        later = self._differs("full_m", k)
        if self._differs("shut", k) > 0 and not found:
            # What it costs reckons with an open throttle in the end: here the next corner came before.
            found.append((lost_s, f"throttle never fully open{self._also(k)}", "late throttle"))
        elif later >= LEAST_THROTTLE_M:
            found.append(
                (self.with_speed("throttle", k), f"full throttle {later:.0f} m later{self._also(k)}", "late throttle")
            )
        if lifted >= LEAST_LIFT_M:
            words, code = ("a long shift of", "long shift") if shifted else ("throttle lifted for", "lifted throttle")
            found.append((lost_s, f"{words} {lifted:.0f} m", code))
        return found

    def _apex(self, k: int) -> list[tuple[float, str, str]]:
        if -self._differs("apex_m_s", k) < LEAST_APEX_SHARE * self.of.marks.apex_m_s[self.of.reference, k]:
            return []
        # What it costs is lost in half in the entry, in half in the exit.
        return [(self.cost("apex", k) / 2, f"{self._slower(k)} at the apex", "slow apex")]

    def _drove(self, k: int) -> list[tuple[float, str, str]]:
        found = self._apex(k)
        longer = self._differs("way_m", k)
        if longer >= LEAST_WAY_M:
            found.append((self.cost("way", k), f"{longer:.0f} m longer way", "longer way"))
        return found


@dataclass(frozen=True)
class Habit:
    """A stretch where time is lost against a lap, again and again: seconds in the mean of the other laps that count, in how many of how
    many, and what was mostly the reason ("braked earlier"; empty: none was clear), how many times."""

    stretch: CourseStretch
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
    "long shift": "long shift",
    "longer way": "longer way",
}


@dataclass(frozen=True)
class _Against:
    """All laps of a grid against one of them: stretches, seconds lost and whether that is known, what was done, what it costs, usually
    costs, and by how much it is spread."""

    stretches: list[CourseStretch]
    lost: Floats
    known: NDArray[np.bool_]
    marks: Marks
    costs: Costs
    usual: Costs
    spread: Costs
    apart: float
    reference: int

    def loss(self, lap: int, k: int, others: Sequence[int], decimals: int) -> Loss:
        said_s = stated(float(self.lost[lap, k]), decimals)
        seen = [row for row in others if self.known[row, k]]
        often = int(np.count_nonzero(self.lost[seen, k] > LOSES_S))
        return Loss(self.stretches[k], said_s, often, len(seen), *self.why(lap, k, said_s))

    def why(self, lap: int, k: int, said_s: float) -> tuple[str, str, int]:
        """The reason of a loss in words, its code, and the corner where it was made."""
        stretch, lost_s = self.stretches[k], float(self.lost[lap, k])
        differs = _Difference(self, lap)
        if lost_s >= LEAST_LOSS_S:
            return differs.reason(self.stretches, k, said_s)
        if lost_s > LOSES_S and differs.in_both(k):
            return differs.slower(stretch, k, said_s)
        return "", "", stretch.corner


def _against(laid: Laid, reference: int, counted: Sequence[int], most: float = math.inf) -> _Against | None:
    grid, gaps = laid.grid, laid.gaps
    stretches = stretches_of(laid.corners, laid.seen.speed[list(counted)], grid.metres)
    if not stretches:
        return None
    lost = losses(grid, stretches, reference)
    marks = marks_of(grid, laid.seen, laid.way, stretches, laid.corners)
    costs = costs_of(marks, lost + took(grid, stretches)[reference], reference)
    known = ~_blind(stretches, gaps, len(grid.laps))
    return _Against(
        stretches,
        lost,
        known & known[reference],
        marks,
        costs,
        usual_of(costs, counted),
        spread_of(costs, counted, most),
        APART if math.isinf(most) else APART_OF_TWO,
        reference,
    )


def _blind(stretches: Sequence[CourseStretch], gaps: Gaps, laps: int) -> NDArray[np.bool_]:
    """Whether positions of a lap are missing in a stretch, shape (laps, stretches)."""
    found = np.zeros((laps, len(stretches)), dtype=np.bool_)
    for row, of_lap in enumerate(gaps):
        for begin, end in of_lap:
            found[row] |= [each.from_m < end and begin < each.to_m for each in stretches]
    return found


def habits(laid: Laid, reference: int, counted: Sequence[int], rows: int = 6, decimals: int = 2) -> list[Habit]:
    """Where the laps `counted` (rows of the grid) lose time against the row `reference`, the most in the mean first; only where they do,
    and of the laps only those whose positions are known there."""
    found = _against(laid, reference, counted, MOST_OF_POOLED)
    if found is None:
        return []
    made = []
    for k, stretch in enumerate(found.stretches):
        others = [row for row in counted if row != reference and found.known[row, k]]
        if not others:
            continue
        mean = stated(float(found.lost[others, k].mean()), decimals)
        if mean <= 0:
            continue
        codes = Counter(found.why(row, k, stated(float(found.lost[row, k]), decimals))[1] for row in others)
        del codes[""]
        code, times = codes.most_common(1)[0] if codes else ("", 0)
        laps = int(np.count_nonzero(found.lost[others, k] > LOSES_S))
        made.append(Habit(stretch, mean, laps, len(others), CODE_WORDS.get(code, ""), times))
    return sorted(made, key=lambda each: -each.mean_s)[:rows]


def time_lost(
    laid: Laid,
    lap: int,
    reference: int,
    counted: Sequence[int],
    rows: int = 5,
    decimals: int = 2,
    most: float = math.inf,
) -> TimeLost:
    """What a lap loses against another. `lap`, `reference` and `counted` are rows of the grid.

    A stretch with a gap in one of the two laps has no row: what is lost there is in "everywhere else". The rows are the stretches that lose most (only those that lose); they are rounded first, and what remains of the difference of the
    lap times as stated is "everywhere else". `most` is how many times as large as in the other corners the spread of one may be
    taken: MOST_OF_POOLED where the laps of two drivers are compared, whose difference is no spread.
    """
    numbers = [each.number for each in laid.grid.laps]
    times = [stated(each.time_s, decimals) for each in laid.grid.laps]
    whole = stated(times[lap] - times[reference], decimals)
    against = _against(laid, reference, counted, most) if lap != reference else None
    if against is None:
        return TimeLost(numbers[lap], numbers[reference], whole, (), whole, (), ())
    others = [row for row in counted if row not in (lap, reference)]
    found = [against.loss(lap, k, others, decimals) for k in range(len(against.stretches))]
    known = against.known[lap].tolist()
    slower = (each for each, seen in zip(found, known, strict=True) if seen and each.lost_s > 0)
    largest = sorted(slower, key=lambda each: -each.lost_s)[:rows]
    rest = stated(whole - sum(each.lost_s for each in largest), decimals)
    unknown = tuple(each.stretch for each, seen in zip(found, known, strict=True) if not seen)
    return TimeLost(numbers[lap], numbers[reference], whole, tuple(largest), rest, tuple(found), unknown)
