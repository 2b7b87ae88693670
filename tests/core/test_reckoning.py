"""What every kind does alike: rules both ways, verdicts that missing data cannot prove, units, time bases."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Assessment, Finding, LimitSet, Quality, Rule, Step, Suggestion, Verdict, judge
from kumpel.core.reckoning import (
    Reckoning,
    both_ways,
    conclude,
    coverage_finding,
    hours_minutes,
    own_events,
    setup_number,
)
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.runs import bridged, merge, runs
from kumpel.core.timebase import even, in_order, next_at, usual_interval, wall_clock, wall_days
from kumpel.core.units import UnitError, channel_in, converted, standard
from kumpel.kinds.limit_sets import limit_set_data, limit_set_from

LOW = Step(50, Verdict.ACTION, "lower target", beyond=True, below=True)
HIGH = Step(60, Verdict.ABOVE, "upper target", beyond=True)
BOTH = Rule("depth", "Depth", "mm", (LOW, HIGH))
EMPTY = Recording("x", 0.0, 0, {})


def limits(*rules: Rule) -> LimitSet:
    return LimitSet("k", "x", "n", "i", "1", "2026-01-01", rules)


def found(
    value: float, rule: Rule = BOTH, *findings: Finding, alone: float | None = None, accepted: tuple[str, ...] = ()
) -> Assessment:
    reckoning = Reckoning(1.0)
    reckoning.put(rule.figure, "Depth", value, rule.unit, 1, "x", "y")
    return conclude(
        EMPTY,
        Review(accepted=accepted),
        limits(rule),
        "as recorded",
        reckoning,
        Quality(1, 1, 1, findings),
        key_figures=("depth", "none"),
        alone={} if alone is None else {rule.figure: alone},
    )


class Rules(unittest.TestCase):
    def test_both_sides(self) -> None:
        for value, verdict, words in (
            (49.9, Verdict.ACTION, "lower target 50 fallen below by 0.1"),
            (50, Verdict.WITHIN, "between 50 and 60"),
            (60, Verdict.WITHIN, "between 50 and 60"),
            (60.1, Verdict.ABOVE, "upper target 60 exceeded by 0.1"),
            (49.96, Verdict.WITHIN, "between 50 and 60"),  # stated as 50.0
        ):
            [judged] = found(value).judgements
            with self.subTest(value=value):
                self.assertIs(judged.verdict, verdict)
                self.assertEqual(judged.words, words)

    def test_down_to_a_value_and_under_it(self) -> None:
        reached = Rule("depth", "Depth", "mm", (Step(50, Verdict.ACTION, "floor", below=True),))
        self.assertIs(found(50, reached).verdict, Verdict.ACTION)
        self.assertIs(found(50.1, reached).verdict, Verdict.WITHIN)
        self.assertEqual(found(50.1, reached).judgements[0].words, "above floor 50")
        self.assertEqual(found(50, reached).judgements[0].words, "floor 50 reached")

    def test_the_plain_form_keeps_the_side(self) -> None:
        made = limits(BOTH)
        self.assertEqual(limit_set_from(limit_set_data(made)), made)

    def test_not_measured_says_why(self) -> None:
        reckoning = Reckoning(0.0)
        reckoning.put("depth", "Depth", math.nan, "mm", 1, "x", "y", note="the sensor was off")
        self.assertEqual(judge(BOTH, reckoning.figures["depth"]).words, "the sensor was off")

    def test_a_rule_without_its_figure_is_not_assessable(self) -> None:
        made = conclude(EMPTY, Review(), limits(BOTH), "as recorded", Reckoning(1.0), Quality(1, 1, 1), key_figures=())
        self.assertIs(made.verdict, Verdict.NOT_ASSESSABLE)
        self.assertEqual(made.figure("depth").note, "not recorded")


class Proof(unittest.TestCase):
    COVERAGE = Finding("coverage", "too little", blocks=True, at_least=True)

    def test_within_on_too_little_is_not_assessable(self) -> None:
        self.assertIs(found(55, BOTH, self.COVERAGE).verdict, Verdict.NOT_ASSESSABLE)
        self.assertIs(found(55, BOTH, self.COVERAGE, accepted=("coverage",)).verdict, Verdict.WITHIN)

    def test_an_excess_stands_when_what_was_measured_makes_it_alone(self) -> None:
        self.assertIs(found(70, BOTH, self.COVERAGE, alone=61).verdict, Verdict.ABOVE)
        self.assertIs(found(70, BOTH, self.COVERAGE, alone=59).verdict, Verdict.NOT_ASSESSABLE)
        self.assertIs(found(70, BOTH, self.COVERAGE).verdict, Verdict.NOT_ASSESSABLE)

    def test_bad_data_proves_nothing_either_way(self) -> None:
        bad = Finding("unit", "wrong unit?", blocks=True)
        self.assertIs(found(70, BOTH, bad, alone=70).verdict, Verdict.NOT_ASSESSABLE)
        other = Finding("unit", "wrong unit?", blocks=True, figures=("rate",))
        self.assertIs(found(70, BOTH, other).verdict, Verdict.ABOVE)
        self.assertIs(found(70, BOTH, Finding("said", "only said")).verdict, Verdict.ABOVE)

    def test_what_blocks_a_part_blocks_what_is_made_of_it(self) -> None:
        rules = [Rule(k, k, "", (HIGH,)) for k in ("left.a", "both.a", "linked", "other")]
        reckoning = Reckoning(1.0)
        reckoning.put("left.a", "Left", 1.0, "", 0, "x", "y")
        reckoning.put("both.a", "Both", 1.0, "", 0, "x", "y", made_of=("left.", "right."))
        reckoning.put("linked", "Linked", 1.0, "", 0, "x", "y", made_of=("both.",))
        reckoning.put("other", "Other", 1.0, "", 0, "x", "y", made_of=("linke!",))
        off = Finding("off", "the left one was off", blocks=True, figures=("left.",))
        quality = Quality(1, 1, 1, (off,))
        made = conclude(EMPTY, Review(), limits(*rules), "as recorded", reckoning, quality, key_figures=())
        verdicts = [j.verdict for j in made.judgements]
        self.assertEqual(verdicts, [Verdict.NOT_ASSESSABLE] * 3 + [Verdict.WITHIN])
        right = Quality(1, 1, 1, (Finding("off", "the right one was off", blocks=True, figures=("right.",)),))
        made = conclude(EMPTY, Review(), limits(*rules), "as recorded", reckoning, right, key_figures=())
        self.assertIs(made.judgements[0].verdict, Verdict.WITHIN)
        self.assertIs(made.judgements[2].verdict, Verdict.NOT_ASSESSABLE)

    def test_coverage_at_its_edge(self) -> None:
        self.assertEqual(coverage_finding(75, 100, 0.75), [])
        self.assertEqual(len(coverage_finding(74.9, 100, 0.75)), 1)
        self.assertEqual(len(coverage_finding(0, 0, 0.75)), 1)

    def test_suggestions_already_followed_are_not_made_again(self) -> None:
        review = Review(left_out=(Stretch(0, 10, "x"),))
        hints = [Suggestion(1, 5, "a", ""), Suggestion(8, 12, "b", "")]
        made = conclude(
            EMPTY, review, limits(), "as reviewed", Reckoning(1.0), Quality(1, 1, 1), key_figures=(), suggestions=hints
        )
        self.assertEqual([s.code for s in made.suggestions], ["b"])

    def test_both_ways_computes_once_without_a_decision(self) -> None:
        calls = []

        def one(recording: Recording, review: Review, limits: LimitSet, basis: str) -> Assessment:
            calls.append(basis)
            return found(55)

        both_ways(EMPTY, Review(working_day_s=3.0, options={"a": 1}), limits(), one)
        self.assertEqual(calls, ["as recorded"])
        for review in (
            Review(dropped=("a@1.0",)),
            Review(kept=("a@1.0",)),
            Review(factor=2.0),
            Review(asleep=()),
            Review(left_out=(Stretch(0, 1, "x"),)),
        ):
            calls.clear()
            both_ways(EMPTY, review, limits(), one)
            self.assertEqual(calls, ["as recorded", "as reviewed"])

    def test_dropped_events_come_back_marked(self) -> None:
        recording = Recording("x", 0.0, 0, {}, (Event(1, "a"), Event(2, "a"), Event(3, "b")))
        self.assertEqual([e.kept for e in own_events(recording, Review(dropped=("a@2.0",)), ("b",))], [True, False])


class Numbers(unittest.TestCase):
    def test_words_and_settings(self) -> None:
        self.assertEqual((hours_minutes(27_660), hours_minutes(29), hours_minutes(0)), ("7:41", "0:00", "0:00"))
        self.assertEqual(
            (setup_number({}, "a", 2.0), setup_number({"a": None}, "a", 2.0), setup_number({"a": 3}, "a", 2.0)),
            (2, 2, 3),
        )
        for wrong in ("3", True, math.nan, math.inf, []):
            with self.assertRaisesRegex(ValueError, "field a"):
                setup_number({"a": wrong}, "a", 2.0)
        self.assertEqual(Review(options={"a": "2.5"}).number("a", 1), 2.5)
        for wrong in ("x", "nan", "inf"):
            with self.assertRaisesRegex(ValueError, "option a"):
                Review(options={"a": wrong}).number("a", 1)

    def test_units(self) -> None:
        one = np.ones(1)
        for unit, wanted, value in (
            ("ppb", "ppm", 0.001), ("ppm", "ppb", 1000), ("vol %", "ppm", 10_000), ("%", "vol %", 1), ("kPa", "mmHg", 7.500617), ("µg/m3", "mg/m3", 0.001),
            ("km/h", "m/s", 1 / 3.6), ("m/s", "km/h", 3.6), ("mph", "km/h", 1.609344), ("°F", "°C", (1 - 32) / 1.8), ("°C", "°F", 33.8), ("V", "uV", 1e6),
            ("mV", "uV", 1000), ("m/s2", "g", 1 / 9.80665), ("rad", "deg", 180 / math.pi), ("%LEL", "% LEL", 1), ("dB(A)", "dB(A)", 1),
        ):  # fmt: skip
            with self.subTest(unit=unit, wanted=wanted):
                self.assertAlmostEqual(float(converted(one, unit, wanted, "x")[0]), value, places=9)
        self.assertIs(converted(one, "mm Hg", "mmHg", "x"), one)
        self.assertEqual(standard("[km/h]"), "km/h")
        with self.assertRaisesRegex(UnitError, "channel “Speed” is in “ppm”"):
            channel_in(Channel("speed", "Speed", "ppm", 1.0, one), "m/s")


class Times(unittest.TestCase):
    def test_order(self) -> None:
        found_order = in_order(np.array([0.0, 2, 1, 1, math.nan, 3]))
        self.assertEqual((found_order.index.tolist(), found_order.unsorted, found_order.doubled), ([0, 2, 1, 5], 1, 1))
        self.assertEqual(usual_interval(np.array([0.0, 1, 2, 9])), 1)

    def test_even(self) -> None:
        times, values = np.array([0.0, 1, 3, 4]), np.array([0.0, 10, 30, 40])
        np.testing.assert_array_equal(even(times, values, 1.0, 6), [0, 10, np.nan, 30, 40, np.nan])
        np.testing.assert_allclose(even(times, values, 0.5, 3), [0, np.nan, 10])
        np.testing.assert_allclose(even(np.array([0.0, 1.2]), np.array([0.0, 12]), 1.0, 2), [0, 10])
        self.assertTrue(np.isnan(even(np.empty(0), np.empty(0), 1.0, 3)).all())

    def test_the_wall_clock_over_a_change(self) -> None:
        recording = Recording("x", 0.0, 120, {}, (Event(3600.0, "utc-offset", "", {"utc_offset_min": 60}),))
        self.assertEqual(wall_clock(recording, np.array([0.0, 3599, 3600])).tolist(), [7200, 10_799, 7200])
        self.assertEqual(next_at(recording, "02:30", 0.0), 1800.0)
        self.assertEqual(next_at(recording, "02:30", 1801.0), 5400.0)  # half past two comes twice
        self.assertEqual(wall_days(recording, 100_000, 1.0)[[0, 82_799, 82_800]].tolist(), [0, 0, 1])

    def test_runs(self) -> None:
        flags = np.array([0, 1, 1, 0, 0, 1, 0], bool)
        self.assertEqual(runs(flags).tolist(), [[1, 3], [5, 6]])
        self.assertEqual(bridged(flags, 2).tolist(), [False, True, True, True, True, True, False])
        self.assertEqual(bridged(flags, 1).tolist(), flags.tolist())
        self.assertEqual(merge(np.array([[0.0, 1], [2, 3], [9, 10]]), 1.5), [(0, 3), (9, 10)])
        self.assertEqual((runs(np.zeros(0, bool)).tolist(), merge(np.empty((0, 2)), 1)), ([], []))


if __name__ == "__main__":
    unittest.main()
