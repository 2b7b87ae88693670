"""Two recordings of one person: spans against a published table, what is within and beyond, what must be alike."""

import math
import unittest
from dataclasses import replace

from kumpel.core.assessment import Assessment
from kumpel.core.blood_pressure.assess import assess
from kumpel.core.blood_pressure.compare import compare, differences
from kumpel.core.comparison import Question, Side, Span, own_span, span_of, standing_of
from kumpel.core.recording import Recording
from kumpel.core.review import Review, Stretch
from tests.core.test_blood_pressure import AHA, ESH, day, recording

NIGHT = Stretch(10 * 3600.0, 18 * 3600.0, "asleep")


class Spans(unittest.TestCase):
    def test_students_t_for_few_recordings(self) -> None:
        # Student's t at 97.5 %: 4.303 (2 degrees of freedom), 3.182 (3), 2.776 (4), as every table has it; s = 2 each time.
        for values, t in (([138, 140, 142], 4.303), ([138.2679, 138.2679, 141.7321, 141.7321], 3.182)):
            with self.subTest(n=len(values)):
                self.assertAlmostEqual(own_span(values).value, math.sqrt(2) * t * 2, places=2)
                self.assertEqual((own_span(values).origin, own_span(values).recordings), ("own", len(values)))

    def test_two_recordings_or_missing_ones_tell_nothing(self) -> None:
        for values in ([], [140.0], [140.0, 150.0], [140.0, 150.0, math.nan]):
            self.assertTrue(math.isnan(own_span(values).value))
            self.assertEqual(own_span(values).origin, "none")

    def test_own_before_what_the_house_set_before_none(self) -> None:
        three = [{"a": 138.0}, {"a": 140.0}, {"a": 142.0}]
        self.assertEqual(span_of("a", three, {"a": 5.0}).origin, "own")
        self.assertEqual(span_of("a", three[:2], {"a": 5.0}), Span(5.0, "set", 2))
        self.assertEqual(span_of("a", three[:2], {}).origin, "none")

    def test_at_the_edge_of_a_span(self) -> None:
        span = Span(8.0, "set")
        self.assertEqual(
            [standing_of(d, span, 0) for d in (-9, -8, 0, 8, 9)], ["beyond", "within", "within", "within", "beyond"]
        )
        self.assertEqual(standing_of(math.nan, span, 0), "not known")
        self.assertEqual(standing_of(3, Span(math.nan, "none"), 0), "not known")


def side(awake: float, asleep: float, start: float = 1_795_046_400.0, **tags: str) -> Side:
    made = replace(recording(day(awake, asleep), start=start), recorder={"serial": "BP-1"})
    return Side(made, found(made), ESH, tags)


def found(made: Recording) -> Assessment:
    return assess(made, Review(asleep=(NIGHT,)), ESH).reviewed


class Pressures(unittest.TestCase):
    def test_sizes_and_directions_by_hand(self) -> None:
        # 24 h: (32 x 150 + 8 x 131)/40 = 146.2, then (32 x 130 + 8 x 113)/40 = 126.6: stated 146 and 127, so -19
        made = compare(side(150, 131), side(130, 113), (), {"all.systolic.mean": 8.0, "dip.systolic": 8.0})
        by = {c.figure: c for c in made.changes}
        self.assertEqual((by["all.systolic.mean"].before, by["all.systolic.mean"].after), (146, 127))
        self.assertEqual((by["all.systolic.mean"].difference, by["all.systolic.mean"].standing), (-19, "beyond"))
        # dip 12.7 % (131 of 150) and 13.1 % (113 of 130)
        self.assertEqual((by["dip.systolic"].difference, by["dip.systolic"].standing), (0.4, "within"))
        self.assertEqual(by["awake.systolic.mean"].standing, "not known")
        self.assertIn("more than from day to day", made.in_words)

    def test_one_that_is_too_poor_withholds_every_difference(self) -> None:
        good, poor = side(150, 131), side(130, 113)
        short = replace(poor.recording, events=poor.recording.events[:12])
        poor = replace(poor, recording=short, found=assess(short, Review(asleep=()), ESH).reviewed)
        made = compare(good, poor, (), {"all.systolic.mean": 8.0})
        self.assertEqual(made.changes, ())
        self.assertIn("after:", made.why_not)
        self.assertEqual(next(q.holds for q in made.questions if q.needed), False)

    def test_different_limits_withhold_until_one_is_chosen(self) -> None:
        other = side(130, 113)
        held = replace(other, limits=AHA, found=assess(other.recording, Review(asleep=(NIGHT,)), AHA).reviewed)
        made = compare(side(150, 131), held, (), {})
        self.assertEqual(made.changes, ())
        self.assertIn("Choose one for both", made.why_not)

    def test_what_must_be_alike_and_is_not_known_is_said(self) -> None:
        first, second = (
            side(150, 131, cuff="medium", arm="left"),
            side(130, 113, cuff="Medium", arm="right", day="day off"),
        )
        asked = {q.text: q for q in compare(first, second, (), {}).questions}
        self.assertIs(asked["the same cuff"].holds, True)
        self.assertIs(asked["on the same arm"].holds, False)
        self.assertEqual(
            asked["on the same kind of day"], Question("on the same kind of day", None, "not noted before")
        )
        self.assertIs(asked["the same recorder"].holds, True)
        self.assertEqual(differences(first, second)[1], ("Asleep", "8:00 h", "8:00 h"))


if __name__ == "__main__":
    unittest.main()
