"""The beat detector: sensitivity and predictive value against known beats, clean and hard; gaps are never zero.

A found beat and a true one match within 150 ms (ANSI/AAMI EC57).
"""

import math
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from kumpel.core.jaw_muscle.beats import Beats, find_beats, mean_rate
from kumpel.standins.hard_night import pink, shaped
from kumpel.standins.heart_signal import Heart, beat_times, lead
from kumpel.standins.jaw_muscle_signal import Night, make

MATCH_S = 0.15


def score(night: Night) -> tuple[float, float, float]:
    """Sensitivity, positive predictive value, share masked. Beats in masked spans count on neither side."""
    made = make(night)
    ecg = made.recording.channels["ecg"]
    beats = find_beats(ecg.values, ecg.interval_s)

    def outside(at: np.ndarray) -> np.ndarray:
        good = np.ones(len(at), bool)
        for a, b in beats.masked:
            good &= ~((at >= a - 0.1) & (at < b + 0.1))
        return at[good]

    true, found = outside(np.array(made.truth["beats_s"])), outside(beats.at_s)
    # Each true beat takes at most one found beat, so that a double detection is an error.
    pairs, i, j = 0, 0, 0
    while i < len(true) and j < len(found):
        if abs(true[i] - found[j]) <= MATCH_S:
            pairs, i, j = pairs + 1, i + 1, j + 1
        elif true[i] < found[j]:
            i += 1
        else:
            j += 1
    masked = sum(b - a for a, b in beats.masked) / night.length_s
    return pairs / len(true), pairs / len(found), masked


BASE = Night(length_s=600.0, interval_s=0.004)
MOVES = tuple((60.0 * i, 60.0 * i + 5) for i in range(1, 9))
CLEAN = {
    "sinus": BASE,
    "1 kHz": replace(BASE, interval_s=0.001),
    "500 Hz": replace(BASE, interval_s=0.002),
    "inverted": replace(BASE, heart=Heart(inverted=True)),
    "small": replace(BASE, heart=Heart(amplitude_mv=0.3)),
    "slow": replace(BASE, heart=Heart(((0.0, 38.0),))),
    "fast": replace(BASE, heart=Heart(((0.0, 150.0),))),
    "changing": replace(BASE, heart=Heart(((0.0, 60.0), (300.0, 110.0), (600.0, 55.0)), 0.06)),
    "wander": replace(BASE, wander_mv=1.5),
    "mains": replace(BASE, mains_mv=0.5),
    "ectopic beats": replace(BASE, heart=Heart(ectopic_share=0.05)),
}
HARD = {
    "noise": replace(BASE, ecg_noise_mv=0.2),
    "many ectopic beats": replace(BASE, heart=Heart(ectopic_share=0.15)),
    "movement": replace(BASE, movements_s=MOVES),
    "all at once": replace(
        BASE,
        heart=Heart(((0.0, 62.0),), 0.04, 0.05, 0.7),
        ecg_noise_mv=0.1,
        wander_mv=0.8,
        mains_mv=0.3,
        movements_s=MOVES,
    ),
    "all at once, inverted, 1 kHz": replace(
        BASE,
        interval_s=0.001,
        heart=Heart(((0.0, 62.0),), 0.04, 0.05, 0.7, True),
        ecg_noise_mv=0.15,
        wander_mv=0.8,
        mains_mv=0.3,
        movements_s=MOVES,
    ),
}


class AgainstTheSignal(unittest.TestCase):
    def check(self, cases: dict[str, Night], least: float, most_masked: float) -> None:
        for name, night in cases.items():
            for seed in range(4):
                with self.subTest(name=name, seed=seed):
                    sensitivity, predictive, masked = score(replace(night, seed=seed))
                    self.assertGreater(sensitivity, least)
                    self.assertGreater(predictive, least)
                    self.assertLessEqual(masked, most_masked)

    def test_clean(self) -> None:
        self.check(CLEAN, 0.995, 0.0)

    def test_hard(self) -> None:
        self.check(HARD, 0.97, 0.2)


class Waves(unittest.TestCase):
    def check(self, waves: tuple[tuple[float, float, float], ...]) -> None:
        with mock.patch("kumpel.standins.heart_signal.SINUS", waves):
            for seed in range(3):
                sensitivity, predictive, _ = score(replace(BASE, seed=seed))
                self.assertGreater(min(sensitivity, predictive), 0.995)

    def test_t_waves_higher_than_the_r_wave_are_no_beats(self) -> None:
        self.check(((-0.17, 0.022, 0.12), (0.0, 0.011, 0.6), (0.028, 0.010, -0.2), (0.26, 0.045, 0.7)))
        self.check(((-0.17, 0.022, 0.12), (0.0, 0.011, 0.6), (0.028, 0.010, -0.2), (0.26, 0.03, 0.7)))

    def test_broad_beats(self) -> None:
        self.check(((0.0, 0.03, 0.9), (0.07, 0.03, -0.4), (0.3, 0.06, -0.3)))

    def test_an_irregular_heart(self) -> None:
        for seed in range(3):
            sensitivity, predictive, _ = score(replace(BASE, seed=seed, heart=Heart(((0.0, 75.0),), 0.35)))
            self.assertGreater(min(sensitivity, predictive), 0.97)


BROAD = {
    "broad with a deep S": ((0.0, 0.05, 1.2), (0.12, 0.05, -0.9), (0.32, 0.07, -0.4)),
    "broad, one wave": ((0.0, 0.05, 1.3), (0.28, 0.07, -0.5)),
    "broad, downwards": ((0.0, 0.04, -1.3), (0.1, 0.04, 0.7), (0.3, 0.07, 0.5)),
    "notched": ((0.0, 0.02, 0.9), (0.06, 0.02, 1.0), (0.3, 0.07, -0.4)),
    "S as large as R": ((0.0, 0.035, 1.0), (0.09, 0.035, -1.1), (0.3, 0.06, 0.4)),
}


class Places(unittest.TestCase):
    def test_found_beats_lie_within_20_ms_of_the_r_peak(self) -> None:
        for name, waves in BROAD.items():
            with mock.patch("kumpel.standins.heart_signal.ECTOPIC", waves):
                for interval in (0.004, 0.001):
                    made = make(replace(BASE, interval_s=interval, heart=Heart(ectopic_share=0.15)))
                    found = find_beats(made.recording.channels["ecg"].values, interval).at_s
                    true = np.array(made.truth["beats_s"])
                    away = np.abs(found[np.argmin(np.abs(found[:, None] - true[None, :]), axis=0)] - true)
                    with self.subTest(name=name, interval=interval):
                        self.assertLess(np.max(away[away < 0.2]), 0.02)
                        self.assertGreater(np.mean(away < 0.02), 0.98)

    def test_on_a_wandering_base_line_a_fast_beat_is_not_put_on_the_wave_before_it(self) -> None:
        """At 140 a minute P and T meet 0.17 s before R; on a base line that wanders (1/f) they may stand out as far, but not as steep."""
        rng = np.random.default_rng(7)
        heart = Heart(((0.0, 140.0),), 0.01)
        at, early = beat_times(heart, 600.0, rng)
        ecg = lead(at, early, 600.0, 0.002, heart, rng) + 0.1 * pink(300_000, rng)
        found = find_beats(ecg, 0.002)
        self.assertEqual(len(found.at_s), len(at))
        self.assertLess(float(np.abs(found.at_s - at).max()), 0.05)

    def test_muscle_over_the_beats(self) -> None:
        """6 dB of muscle (a beat's square from peak to peak / 8, over the power of the noise): 98 of 100 found, 98 of 100 true."""
        rng = np.random.default_rng(7)
        heart = Heart(((0.0, 62.0),), 0.03)
        at, early = beat_times(heart, 600.0, rng)
        noise = math.sqrt(1.3**2 / 8 / 10 ** (6 / 10)) * shaped(300_000, 0.002, np.random.default_rng(11))
        found = find_beats(lead(at, early, 600.0, 0.002, heart, rng) + noise, 0.002).at_s
        for one, other in ((at, found), (found, at)):
            near = np.abs(one[:, None] - other[None, :]).min(axis=1)
            self.assertGreater(float((near <= 0.15).mean()), 0.98)

    def test_weak_beats_are_found_at_both_ends_as_in_the_middle(self) -> None:
        at = np.arange(0.5, 59.9, 0.8)
        for weak in ((0,), (0, 1), (-1,), (-2, -1), (-2,), (1,), (30,), (30, 31), (0, -1)):
            ecg = np.zeros(15_000)
            for i, t in enumerate(at):
                small = 0.4 if i in weak or i - len(at) in weak else 1.0
                near = np.arange(-15, 16) + round(t / 0.004)
                near = near[(near >= 0) & (near < len(ecg))]
                ecg[near] += small * np.exp(-0.5 * ((near * 0.004 - t) / 0.011) ** 2)
            with self.subTest(weak=weak):
                np.testing.assert_allclose(find_beats(ecg, 0.004).at_s, at, atol=0.005)

    def test_nothing_is_invented_at_the_ends(self) -> None:
        at = np.arange(1.9, 58.0, 0.8)
        ecg = np.random.default_rng(1).normal(0, 0.01, 15_000)
        for t in at:
            near = np.arange(-15, 16) + round(t / 0.004)
            ecg[near] += np.exp(-0.5 * ((near * 0.004 - t) / 0.011) ** 2)
        self.assertEqual(len(find_beats(ecg, 0.004).at_s), len(at))


class Rates(unittest.TestCase):
    def test_rate_by_hand(self) -> None:
        beats = Beats(np.arange(0, 20, 0.8), np.zeros(25, bool), (), 20.0)
        times, rates = beats.rates
        np.testing.assert_allclose(rates, 75.0)
        self.assertAlmostEqual(beats.mean_rate(0, 20), 75.0)
        self.assertTrue(math.isnan(mean_rate(times, rates, 30, 40)))

    def test_an_early_beat_and_its_pause_are_gaps(self) -> None:
        at = np.arange(0, 30, 1.0)
        at[15] -= 0.4
        _, rates = Beats(at, np.zeros(30, bool), (), 30.0).rates
        np.testing.assert_allclose(rates, 60.0)
        self.assertEqual(len(rates), 27)

    def test_no_rate_across_a_masked_span(self) -> None:
        at = np.concatenate([np.arange(0, 10, 1.0), np.arange(11, 20, 1.0)])
        times, rates = Beats(at, np.zeros(19, bool), ((9.2, 10.8),), 20.0).rates
        self.assertNotIn(11.0, times.tolist())
        self.assertEqual(len(rates), 17)

    def test_gaps_in_the_signal(self) -> None:
        made = make(replace(BASE, gaps_s=((100.0, 160.0),)))
        ecg = made.recording.channels["ecg"]
        beats = find_beats(ecg.values, ecg.interval_s)
        self.assertFalse(np.any((beats.at_s > 100.1) & (beats.at_s < 159.9)))
        self.assertTrue(any(a <= 101 and b >= 159 for a, b in beats.masked))
        self.assertGreater(beats.rates[1].min(), 40)

    def test_nothing_constant_short(self) -> None:
        for values in (np.empty(0), np.zeros(100), np.zeros(10_000), np.full(10_000, np.nan), np.full(10_000, 3.0)):
            found = find_beats(values, 0.004)
            self.assertEqual(len(found.at_s), 0)
            self.assertEqual(len(found.rates[1]), 0)


if __name__ == "__main__":
    unittest.main()
