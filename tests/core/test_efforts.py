"""Best efforts: the fastest time over a distance, by hand and against every window of a made run."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from kumpel.core.review import Review, Stretch
from kumpel.core.training.efforts import EFFORTS_M, best_effort, effort_words
from tests.core.test_training import recording, reviewed

Floats = NDArray[np.float64]


def run(*legs: tuple[float, float]) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Legs of (seconds, m/s), a sample a second: edges, way, all counted."""
    speed = np.concatenate([np.full(int(seconds), v) for seconds, v in legs])
    return np.arange(len(speed) + 1.0), np.concatenate(([0.0], np.cumsum(speed))), np.ones(len(speed), bool)


class Efforts(unittest.TestCase):
    def test_an_even_run_takes_length_over_speed_wherever(self) -> None:
        edges, way, counted = run((1000, 4.0))
        self.assertEqual(best_effort(edges, way, counted, 400.0), (100.0, 0.0))
        self.assertAlmostEqual(best_effort(edges, way, counted, 1000.0)[0], 250.0)

    def test_a_fast_leg_shorter_than_the_distance_is_made_up_with_what_lies_beside_it(self) -> None:
        # 60 s at 5 m/s are 300 m; the other 100 m at 4 m/s take 25 s: 85 s, wherever around the leg they lie.
        edges, way, counted = run((500, 4.0), (60, 5.0), (500, 4.0))
        taken, began = best_effort(edges, way, counted, 400.0)
        self.assertAlmostEqual(taken, 85.0)
        self.assertTrue(475.0 <= began <= 500.0)

    def test_a_fast_leg_that_is_longer_is_found_inside(self) -> None:
        edges, way, counted = run((300, 3.0), (90, 5.0), (300, 2.0))
        self.assertAlmostEqual(best_effort(edges, way, counted, 400.0)[0], 80.0)

    def test_standing_still_counts_and_the_effort_begins_when_it_is_over(self) -> None:
        edges, way, counted = run((100, 4.0), (30, 0.0), (100, 4.0))
        # Either side alone is 400 m.
        self.assertEqual(best_effort(edges, way, counted, 400.0)[0], 100.0)
        self.assertAlmostEqual(best_effort(edges, way, counted, 500.0)[0], 155.0)
        late = run((50, 1.0), (30, 0.0), (200, 4.0))
        self.assertEqual(best_effort(*late, 400.0), (100.0, 80.0))

    def test_what_was_left_out_is_run_through_by_none(self) -> None:
        edges, way, counted = run((120, 5.0), (60, 4.0))
        counted[60] = False
        # 300 m before it and 295 after in 59 s at 5 m/s and 60 at 4: 400 m from the 62nd second on.
        taken, began = best_effort(edges, way, counted, 400.0)
        self.assertEqual((taken, began), (59.0 + (400 - 295) / 4, 61.0))
        self.assertTrue(math.isnan(best_effort(edges, way, counted, 600.0)[0]))

    def test_what_was_never_covered_is_not_known(self) -> None:
        edges, way, counted = run((99, 4.0))
        self.assertTrue(all(math.isnan(v) for v in best_effort(edges, way, counted, 400.0)))

    def test_no_window_is_faster(self) -> None:
        made = np.random.default_rng(7)
        for _ in range(20):
            speed = np.abs(made.normal(3.5, 1.5, 400)) * (made.random(400) > 0.1)
            edges, way = np.arange(401.0), np.concatenate(([0.0], np.cumsum(speed)))
            taken, began = best_effort(edges, way, np.ones(400, bool), 400.0)
            # Every window on a grid of a twentieth of a second; it ends where the way is 400 m longer.
            starts = np.arange(0, 400, 0.05)
            there = np.interp(starts, edges, way)
            fits = there + 400 <= way[-1]
            ends = np.interp(there[fits] + 400 + 1e-9, way + np.arange(401) * 1e-12, edges)
            self.assertLessEqual(taken, float((ends - starts[fits]).min()) + 1e-6)
            self.assertGreaterEqual(float((ends - starts[fits]).min()), taken - 1e-6)
            self.assertAlmostEqual(float(np.interp(began + taken, edges, way) - np.interp(began, edges, way)), 400.0, 3)

    def test_a_session_has_the_distances_that_it_covered(self) -> None:
        found = reviewed(recording(speed=np.full(1500, 4.0)))
        told = {f.key: f.stated for f in found.figures if f.key.startswith("effort.")}
        self.assertEqual(
            told,
            {
                "effort.400": 100.0,
                "effort.500": 125.0,
                "effort.1000": 250.0,
                "effort.2000": 500.0,
                "effort.5000": 1250.0,
            },
        )
        self.assertEqual(found.figure("effort.5000").name, "Fastest 5 km")
        less = reviewed(recording(speed=np.full(1500, 4.0)), Review(left_out=(Stretch(600.0, 700.0, "bus"),)))
        self.assertNotIn("effort.5000", {f.key for f in less.figures})
        self.assertEqual([effort_words(m) for m in EFFORTS_M][-1], "half marathon")


if __name__ == "__main__":
    unittest.main()
