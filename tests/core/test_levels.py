"""The lines on the lanes: limits over the time they hold, values that figures count from."""

import unittest
from dataclasses import replace

from kumpel.core.assessment import Level, LimitSet, Rule, Step, Verdict
from kumpel.core.reckoning import rule_levels, span_levels
from kumpel.core.review import Review, Stretch
from kumpel.core.runs import gaps_between
from kumpel.kinds.registry import KINDS
from kumpel.standins.signals import SIGNALS

HOUR = 3600.0
ABOVE = Verdict.ABOVE


def rule(figure: str, unit: str, *values: float) -> Rule:
    return Rule(figure, figure, unit, tuple(Step(v, ABOVE, f"step {v:g}") for v in values))


def levels(kind: str, review: Review | None = None, key: str = "") -> tuple[Level, ...]:
    recording, known = SIGNALS[kind](2).recording, KINDS[kind]
    limits = next(s for s in known.limit_sets if key in ("", s.key))
    return known.assess(recording, review or Review(), limits).reviewed.levels


class Spans(unittest.TestCase):
    def test_what_spans_leave(self) -> None:
        self.assertEqual(gaps_between([], 10.0), [(0.0, 10.0)])
        self.assertEqual(gaps_between([(0.0, 4.0), (6.0, 10.0)], 10.0), [(4.0, 6.0)])
        self.assertEqual(gaps_between([(5.0, 6.0), (1.0, 9.0)], 10.0), [(0.0, 1.0), (9.0, 10.0)])
        self.assertEqual(gaps_between([(-1.0, 20.0)], 10.0), [])

    def test_a_step_is_named_beside_others_only(self) -> None:
        one, two = (span_levels("x", rule("x", "", *v), [(0.0, 5.0)], "asleep") for v in ((1.0,), (1.0, 2.0)))
        self.assertEqual([each.name for each in one], ["asleep"])
        self.assertEqual([each.name for each in two], ["asleep: step 1", "asleep: step 2"])


class OfRules(unittest.TestCase):
    def test_only_rules_of_the_unit_and_family_of_a_channel(self) -> None:
        limits = LimitSet(
            "k",
            "gas",
            "",
            "",
            "1",
            "",
            (
                rule("co.stel", "ppm", 100),
                rule("co.stel", "mg/m3", 117),
                rule("h2s.twa", "ppm", 5),
                rule("max.co", "ppm", 300),
            ),
        )
        found = rule_levels({"co.avg": "ppm", "o2.avg": "vol %"}, limits, 60.0)
        self.assertEqual(
            [(each.lane, each.value, each.end_s) for each in found], [("co.avg", 100, 60.0), ("co.avg", 300, 60.0)]
        )


class OfKinds(unittest.TestCase):
    def test_pressure_limits_step_with_the_sleep_that_was_decided(self) -> None:
        """ESH 2023: 135/85 awake, 120/70 asleep; asleep from 8 to 16 h of a recording of 24 h."""
        found = levels("blood_pressure", Review(asleep=(Stretch(8 * HOUR, 16 * HOUR, "asleep"),)), "esh-2023")
        length = SIGNALS["blood_pressure"](2).recording.length_s
        spans = {"awake": [(0.0, 8 * HOUR), (16 * HOUR, length)], "asleep": [(8 * HOUR, 16 * HOUR)]}
        for pressure, period, value in (
            ("systolic", "awake", 135),
            ("systolic", "asleep", 120),
            ("diastolic", "awake", 85),
            ("diastolic", "asleep", 70),
        ):
            mine = [each for each in found if each.name == f"{pressure}, {period}"]
            self.assertEqual([(e.start_s, e.end_s) for e in mine], spans[period])
            self.assertEqual({(e.value, e.lane, e.verdict) for e in mine}, {(value, "systolic", "above limit")})
        self.assertEqual(len(found), 6)

    def test_a_set_of_24_hours_alone_is_drawn_over_all(self) -> None:
        kind, recording = KINDS["blood_pressure"], SIGNALS["blood_pressure"](2).recording
        whole = next(s for s in kind.limit_sets if s.key == "esh-2023")
        limits = replace(whole, rules=tuple(r for r in whole.rules if r.figure.startswith("all.")))
        found = kind.assess(recording, Review(), limits).reviewed.levels
        self.assertEqual(
            {(e.value, e.start_s, e.end_s) for e in found},
            {(130, 0.0, recording.length_s), (80, 0.0, recording.length_s)},
        )

    def test_saturations_that_time_is_counted_below(self) -> None:
        self.assertEqual(
            [(e.lane, e.value, e.verdict) for e in levels("oximetry")], [("spo2", 90, ""), ("spo2", 88, "")]
        )

    def test_what_is_counted_above_lies_on_the_readings_before_the_factor(self) -> None:
        """1.25 mg/m3 with a factor of 2: a reading of 0.625 is at the line."""
        found = levels("dust", Review(options={"guideline": 1.25}, factor=2.0))
        self.assertEqual([(e.lane, e.value) for e in found], [("mass", 0.625)])
        self.assertIn("1.25 / factor 2", found[0].name)

    def test_targets_of_compressions_lie_on_their_depth(self) -> None:
        found = [e for e in levels("resuscitation") if e.lane == "depth_mm"]
        self.assertEqual([(e.value, e.name) for e in found], [(50, "lower target"), (60, "upper target")])
