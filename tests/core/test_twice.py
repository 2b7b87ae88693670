"""Figures computed twice: once by the code, once by a plain loop that somebody would write, over random recordings."""

import itertools
import math
import unittest

import numpy as np

from kumpel.core.averages import highest_window
from kumpel.core.jaw_muscle.muscle import STEP_S, Activity, contractions, episodes
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.resuscitation.assess import around_shocks, compressions
from kumpel.core.review import Review
from kumpel.core.training.course import base_of, course_of
from kumpel.core.training.heart import Wearer, time_in_zones, trimp
from kumpel.core.vehicle.laps import Lap, bests


class Jaw(unittest.TestCase):
    def plain(self, rms: list[float], on: float, off: float) -> list[tuple[int, int]]:
        found, state, begin = [], False, 0
        armed = False
        for i, value in enumerate([*rms, 0.0]):
            if value >= off and not armed:
                armed = True
            if armed and not state and value >= on:
                state, begin = True, i
            if value < off:
                if state and (i - begin) * STEP_S >= 0.25 - 1e-9:
                    found.append((begin, i))
                armed = state = False
        return found

    def test_contractions(self) -> None:
        for seed in range(40):
            rng = np.random.default_rng(seed)
            rms = np.abs(np.convolve(rng.normal(0, 12, 4000), np.ones(25) / 25, "same")) * 4
            made = contractions(Activity(rms, np.zeros(5, np.int8), 40.0), "left", 100.0, 0.1, 0.3, np.ones(4000, bool))
            self.assertEqual(
                [(round(c.start_s / STEP_S), round(c.end_s / STEP_S)) for c in made],
                self.plain(rms.tolist(), 10.0, 7.0),
                seed,
            )
            groups = episodes(made, "left")
            self.assertEqual(sum(len(g.contractions) for g in groups), len(made))
            for a, b in itertools.pairwise(groups):
                self.assertGreaterEqual(b.start_s - a.end_s, 3.0 - 1e-9)


class Resuscitations(unittest.TestCase):
    def test_pauses_and_shocks(self) -> None:
        for seed in range(40):
            rng = np.random.default_rng(seed)
            times = np.cumsum(rng.choice([0.5, 0.55, 0.6, 4.0, 14.0], 200, p=[0.4, 0.3, 0.25, 0.03, 0.02]))
            shocks = sorted(rng.uniform(0, times[-1] + 20, 4).tolist())
            found = compressions(
                Recording("resuscitation", 0.0, 0, {}, tuple(Event(float(t), "compression") for t in times)), Review()
            )
            pauses = [(a, b) for a, b in itertools.pairwise(times) if b - a > 2.0]
            self.assertEqual(found.pauses, pauses)
            before, after = around_shocks(found, shocks)
            for i, shock in enumerate(shocks):
                earlier, later = [t for t in times if t <= shock], [t for t in times if t > shock]
                self.assertEqual(before[i] if earlier else "none", shock - max(earlier) if earlier else "none")
                self.assertEqual(after[i] if later else "none", min(later) - shock if later else "none")


class Training(unittest.TestCase):
    def test_zones_and_load(self) -> None:
        wearer = Wearer(190.0, 50.0, "f", False)
        for seed in range(20):
            rng = np.random.default_rng(seed)
            rate = rng.uniform(40, 200, 500).round()
            rate[rng.random(500) < 0.2] = math.nan
            edges = np.array([95.0, 114, 133, 152, 171])
            plain, load = [0.0] * 6, 0.0
            for value in rate.tolist():
                if value == value:
                    plain[sum(value >= e for e in edges)] += 2.0
                    r = min(max((value - 50) / 140, 0), 1)
                    load += 2 / 60 * r * 0.86 * math.exp(1.67 * r)
            self.assertEqual(time_in_zones(rate, 2.0, edges).tolist(), plain)
            self.assertAlmostEqual(trimp(rate, 2.0, wearer), load)

    def test_splits_lie_where_the_distance_is_reached(self) -> None:
        rng = np.random.default_rng(2)
        speed = rng.uniform(0, 6, 3000)
        speed[500:600] = 0
        made = Recording("training", 0.0, 0, {"speed": Channel("speed", "s", "m/s", 1.0, speed)})
        course = course_of(made, Review(), base_of(made))
        at = course.times_of(np.arange(1, 8) * 1000.0)
        for k, t in enumerate(at.tolist(), 1):
            whole = int(t)
            self.assertAlmostEqual(speed[:whole].sum() + speed[whole] * (t - whole), 1000 * k, places=6)


class Laps(unittest.TestCase):
    def test_bests(self) -> None:
        for seed in range(60):
            rng = np.random.default_rng(seed)
            laps, start = [], 0.0
            for number in range(1, 12):
                sectors = rng.uniform(10, 14, 3)
                splits = tuple(np.cumsum(sectors).tolist())
                laps.append(Lap(number, "timed", start, start + splits[-1], splits, counts=bool(rng.random() < 0.8)))
                start += splits[-1]
            good = [lap for lap in laps if lap.counts]
            if not good:
                continue
            found = bests(laps)
            self.assertAlmostEqual(found.theoretical_s, sum(min(lap.sectors_s[i] for lap in good) for i in range(3)))
            rounds = [lap.time_s for lap in good]
            for a, b in itertools.pairwise(laps):
                if a.counts and b.counts:
                    rounds += [(b.start_s + b.splits_s[i]) - (a.start_s + a.splits_s[i]) for i in range(2)]
            self.assertAlmostEqual(found.rolling_s, min(rounds))
            self.assertLessEqual(found.theoretical_s, found.rolling_s + 1e-9)


class Windows(unittest.TestCase):
    def test_odd_intervals_against_fine_steps(self) -> None:
        for seed, interval in ((1, 70.0), (2, 250.0), (3, 400.0), (4, 600.0), (5, 7.0)):
            rng = np.random.default_rng(seed)
            values = rng.exponential(3, int(8000 / interval) + 4)
            fine = np.repeat(values, int(interval))
            sums = np.concatenate(([0.0], np.cumsum(fine)))
            best = float(((sums[900:] - sums[:-900]) / 900).max())
            self.assertAlmostEqual(highest_window(values, interval).value, best, places=9)


if __name__ == "__main__":
    unittest.main()
