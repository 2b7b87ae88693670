"""Cases by hand that a deliberate fault in the formula would change (tools/mutate found them missing)."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Figure, Finding, Judgement, Rule, Step, Verdict, Why, worst
from kumpel.core.geo import Plane
from kumpel.core.jaw_muscle.figures import heart_link
from kumpel.core.noise.levels import mean_level
from kumpel.core.reckoning import weighed
from kumpel.core.recording import Event
from kumpel.core.review import Review
from kumpel.core.vehicle.branches import outline_of
from kumpel.core.vehicle.courses import Gate
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.vehicle_signal import loop
from tests.core import test_dust, test_oximetry, test_resuscitation, test_training
from tests.core.driven import course_of
from tests.kinds.test_all_kinds import assess


class Shared(unittest.TestCase):
    def test_the_verdict_of_most_attention_leads(self) -> None:
        order = [Verdict.WITHIN, Verdict.NOT_ASSESSABLE, Verdict.ACTION, Verdict.ABOVE]
        for i, high in enumerate(order):
            for low in order[: i + 1]:
                self.assertIs(worst([low, high]), high)
                self.assertIs(worst([high, low]), high)

    def test_one_doubt_that_could_go_either_way_keeps_a_proven_excess_from_standing(self) -> None:
        """Time missing can only make a dose worse; a drifted calibrator can make it anything."""
        rule = Rule("dose", "Dose", "%", (Step(100.0, Verdict.ABOVE, "limit"),))
        figure = Figure("dose", "Dose", 150.0, "%", 0, 0.5, Why("", (), 1, 0, 0.0, ""))
        judged = Judgement(rule.name, "dose", 150.0, "%", Verdict.ABOVE, "limit 100 exceeded", 100.0, rule.steps)
        missing = Finding("coverage", "half of the time", blocks=True, at_least=True)
        drift = Finding("drift", "the calibrator drifted", blocks=True)
        alone = {"dose": 150.0}
        self.assertIs(weighed(judged, rule, [missing], alone, figure.decimals, "").verdict, Verdict.ABOVE)
        for doubts in ([drift], [missing, drift], [drift, missing]):
            found = weighed(judged, rule, doubts, alone, figure.decimals, "")
            self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE, doubts)
            self.assertIn("drifted", found.words)


class Kinds(unittest.TestCase):
    def test_noise_below_the_threshold_is_time_without_energy(self) -> None:
        # two samples, one counts: 10 log10( 10^9 / 2 ) = 90 - 3.0103
        self.assertAlmostEqual(mean_level(np.array([90.0, 70.0]), 3, 80.0), 90 - 10 * math.log10(2))
        self.assertAlmostEqual(mean_level(np.array([90.0, 80.0]), 3, 80.0), 10 * math.log10((1e9 + 1e8) / 2))

    def test_dust_hours_are_hours_and_short_days_no_days(self) -> None:
        # from midnight: 24 h at 0.1, then 12 h at 0.5: the half day is none, however high
        made = test_dust.recording(np.concatenate([np.full(1440, 0.1), np.full(720, 0.5)]))
        found = test_dust.reviewed(made)
        self.assertAlmostEqual(found.figure("measured").value, 36.0)
        self.assertAlmostEqual(found.figure("mean_day").value, 0.1)

    def test_oximetry_spread_is_that_of_a_sample(self) -> None:
        # 90 and 98, ten times each: sum of squares 20 x 16, over 19
        found = test_oximetry.reviewed(test_oximetry.recording(np.tile([96.0, 97.0], 10)))
        self.assertAlmostEqual(found.figure("sd").value, math.sqrt(20 * 0.25 / 19))

    def test_jaw_muscle_rise_of_the_heart_rate(self) -> None:
        # beats of 60 a minute before, of 75 after: 100 (75 - 60) / 60 = 25 %
        before, after = np.arange(0.0, 30.0, 1.0), np.arange(30.0, 60.0, 0.8)
        at = np.concatenate([before, after])
        rates = np.concatenate([np.full(len(before), 60.0), np.full(len(after), 75.0)])
        self.assertAlmostEqual(heart_link((at, rates), 30.0), 25.0, delta=1.0)

    def test_jaw_muscle_links_need_the_rise_that_is_set(self) -> None:
        recording = make_night(Night(2, 660.0, groups=usual_groups(2, 660.0, 60))).recording
        share = [
            assess(recording, Review(options={"heart_rise": rise})).reviewed.figure("linked").value
            for rise in (1.0, 10.0, 90.0)
        ]
        self.assertEqual(share[2], 0.0)
        self.assertGreater(share[0], 0.0)
        self.assertGreaterEqual(share[0], share[1])

    def test_training_a_rest_between_strokes_is_no_stroke(self) -> None:
        # ten strokes every 2 s, a minute of rest, ten again: 30 a minute
        times = [2.0 * i for i in range(10)] + [78.0 + 2.0 * i for i in range(10)]
        made = test_training.recording(
            {"speed_source": "foot pod"}, tuple(Event(t, "stroke") for t in times), speed=np.full(120, 2.0)
        )
        self.assertAlmostEqual(test_training.reviewed(made).figure("cadence").value, 30.0)

    def test_vehicle_a_line_far_beside_the_course_is_not_passed(self) -> None:
        track = loop("loop", 1200.0, 1)
        course = course_of(track)
        plane = Plane(course.start.lat, course.start.lon)
        outline = outline_of(course, plane)
        assert outline is not None
        self.assertTrue(outline.passes(plane, course.start))
        # the same line 400 m to the right, one metre wide to each side: only what passes within 11 m of it counts
        start, right = course.start, math.radians(course.start.bearing_deg + 90)
        lat = start.lat + 400 * math.cos(right) / 111_170
        lon = start.lon + 400 * math.sin(right) / (111_170 * math.cos(math.radians(start.lat)))
        passed = outline.passes(plane, Gate(lat, lon, start.bearing_deg, 1.0))
        self.assertTrue(all(abs(side) <= 11 for _, side in passed), passed)

    def test_resuscitation_too_deep_is_not_in_target(self) -> None:
        every = test_resuscitation.every(0.55, 1, 30)
        for depth, share in ((55.0, 100.0), (70.0, 0.0), (40.0, 0.0)):
            found = test_resuscitation.reviewed(test_resuscitation.case(*every, depth=depth)).figure("in_target").value
            self.assertEqual(found, share, depth)
