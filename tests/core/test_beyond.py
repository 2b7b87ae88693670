"""How long a channel was beyond a limit, in closed form and in a whole session."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Rule, Step, Verdict
from kumpel.core.review import Review, Stretch
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle.assess import assess
from kumpel.core.vehicle.beyond import beyond
from kumpel.kinds.registry import KINDS
from kumpel.standins.signals import SIGNALS

ABOVE = Rule(
    "max.rpm", "Engine speed", "rpm", (Step(15_000, Verdict.ACTION, "warning"), Step(16_500, Verdict.ABOVE, "limit"))
)
BELOW = Rule("min.mixture", "Mixture ratio, rich side", "", (Step(0.75, Verdict.ACTION, "rich limit", below=True),))


class Times(unittest.TestCase):
    def test_samples_at_and_over_the_first_step_count_their_interval(self) -> None:
        values = np.full(100, 12_000.0)
        values[10:15] = 15_000.0  # at 20 Hz: five samples are 0.25 s
        values[40:44] = 16_900.0  # four samples: 0.2 s; 1.25 s after the first
        values[46:48] = 15_200.0  # two samples: 0.1 s; 0.1 s after the second, so one with it
        values[70] = np.nan
        found = beyond(ABOVE, "rpm", values, 0.05)
        assert found is not None
        self.assertAlmostEqual(found.seconds, 0.55)
        self.assertEqual([(round(a, 3), round(b, 3)) for a, b in found.stretches], [(0.5, 0.75), (2.0, 2.4)])
        self.assertEqual(found.words, "above 15000 rpm")
        self.assertEqual([e.text for e in found.events()][1], "Engine speed above 15000 rpm for 0.4 s")

    def test_a_lower_limit_and_nothing_at_all(self) -> None:
        found = beyond(BELOW, "mixture", np.array([0.9, 0.75, 0.7, 0.8]), 1.0)
        assert found is not None
        self.assertEqual((found.seconds, found.stretches, found.words), (2.0, ((1.0, 3.0),), "below 0.75"))
        none = beyond(ABOVE, "rpm", np.full(10, np.nan), 1.0)
        assert none is not None
        self.assertTrue(math.isnan(none.seconds))
        self.assertEqual(none.stretches, ())
        quiet = beyond(ABOVE, "rpm", np.full(10, 9000.0), 1.0)
        assert quiet is not None
        self.assertEqual(quiet.seconds, 0.0)
        self.assertIsNone(beyond(replace(ABOVE, steps=()), "rpm", np.zeros(3), 1.0))

    def test_accelerations_together_are_the_length_of_both(self) -> None:
        recording = SIGNALS["vehicle"](2).recording
        lateral, forward = (recording.channels[key] for key in ("lateral_g", "forward_g"))
        # A steady 0.3 g forward and 0.4 g sideways are 0.5 g together; once 1.2 and 0.5, which are 1.3.
        sides, along = np.full(lateral.count, 0.4), np.full(forward.count, -0.3)
        sides[500], along[500] = -1.2, 0.5
        made = {
            "lateral_g": replace(lateral, samples=ArraySamples(sides)),
            "forward_g": replace(forward, samples=ArraySamples(along)),
        }
        limits = KINDS["vehicle"].limit_sets[0]
        both = assess(replace(recording, channels=recording.channels | made), Review(), limits).reviewed
        self.assertAlmostEqual(both.figure("max.combined_g").value, 1.3)
        alone = replace(recording, channels={k: c for k, c in recording.channels.items() if k != "forward_g"})
        self.assertNotIn("max.combined_g", [f.key for f in assess(alone, Review(), limits).reviewed.figures])

    def test_in_a_session_with_what_was_left_out(self) -> None:
        recording = SIGNALS["vehicle"](2).recording
        water = recording.channels["water_temp"]
        values = np.full(water.count, 80.0)
        start, end = (round(s / water.interval_s) for s in (100.0, 130.0))
        values[start:end] = 97.0
        hot = replace(
            recording, channels=recording.channels | {"water_temp": replace(water, samples=ArraySamples(values))}
        )
        limits = KINDS["vehicle"].limit_sets[0]
        found = assess(hot, Review(), limits).reviewed
        self.assertEqual(found.figure("beyond.max.water_temp").value, 30.0)
        self.assertEqual(found.figure("beyond.max.water_temp").at_s, 100.0)
        [event] = [e for e in found.events if e.code == "beyond.water_temp"]
        self.assertEqual((event.at_s, event.end_s), (100.0, 130.0))
        half = assess(hot, Review(left_out=(Stretch(90.0, 115.0, "pit"),)), limits).reviewed
        self.assertAlmostEqual(half.figure("beyond.max.water_temp").value, 15.0, delta=water.interval_s)


if __name__ == "__main__":
    unittest.main()
