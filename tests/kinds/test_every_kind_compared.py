"""Two recordings of one person, of every kind: differences that can be subtracted by hand, what has to be alike, a page of the report."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.comparison import Side
from kumpel.core.plain_comparison import compare, in_words, questions
from kumpel.core.review import Review
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, limits
from kumpel.services.report import paper
from kumpel.services.review import deciding
from kumpel.services.review.deciding import Wish
from kumpel.standins.made import as_file
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session
from tests.core.test_noise_assess import recording
from tests.support import DatabaseTest

LONG = ("jaw_muscle", "vehicle")
PLAIN = [key for key in KINDS if key != "blood_pressure"]


class EveryKind(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        limits.put_shipped(self.db)

    def pair(self, kind: str) -> tuple[Session, Session]:
        ida = self.person(f"Ida {kind}")
        found = []
        for seed, day in ((1, 0), (2, 7)):
            about = {"serial": f"X-{kind}", "name": "X", "token": "X-01", "model": "X", "firmware": "1"}
            start = 1_795_068_000.0 + day * 86_400
            found.append(self.stored(as_file(SIGNALS[kind](seed), f"{kind}-{seed}", start, 60, about), ida))
        return found[0], found[1]

    def sides(self, kind: str) -> tuple[Side, Side]:
        """Two recordings, assessed; a kind of which one is long to work out is compared with itself."""
        word = KINDS[kind]
        found = [
            Side(made, word.assess(made, Review(), word.limit_sets[0]).reviewed, word.limit_sets[0], {})
            for made in (SIGNALS[kind](seed).recording for seed in ((1,) if kind in LONG else (1, 2)))
        ]
        return found[0], found[-1]

    def test_each_figure_of_both_with_the_difference_of_what_is_stated(self) -> None:
        for kind in PLAIN:
            with self.subTest(kind=kind):
                compares = KINDS[kind].compares
                assert compares is not None
                found = compares.compare(*self.sides(kind), [], {})
                if found.why_not:
                    self.assertEqual(found.changes, ())
                    continue
                self.assertTrue(found.changes)
                foremost = [f.figure for f in KINDS[kind].trends]
                self.assertIn(found.changes[0].figure, [*foremost, *(f.figure for f in KINDS[kind].registers)])
                for change in found.changes:
                    if math.isfinite(change.before) and math.isfinite(change.after):
                        self.assertAlmostEqual(
                            change.difference, change.after - change.before, delta=10.0**-change.decimals / 2
                        )
                    else:
                        self.assertTrue(math.isnan(change.difference))
                    self.assertEqual(change.standing, "not known")
                self.assertIn("is not known", found.in_words + "nothing to compare was measured in both is not known")

    def test_the_comparison_is_a_page_of_the_report(self) -> None:
        for kind in ("noise", "training", "gas"):
            with self.subTest(kind=kind):
                before, after = self.pair(kind)
                wish = Wish(decisions.SETTING, key=decisions.COMPARED, value=before.id)
                deciding.decide(self.db, after.id or 0, after.review_version, [wish], [], self.who)
                made, _ = paper.now_of(self.db, after, ("comparison",))
                parts = made.parts["comparison"]
                self.assertTrue(parts, "nothing is printed")
                self.assertEqual(parts[0].size, "page")


class Alike(unittest.TestCase):
    """What has to be alike, one thing after the other made different."""

    def side(
        self, hours: float = 8, begins_h: float = 0, spoilt: bool = False, level: float = 84.0, **tags: str
    ) -> Side:
        kind = KINDS["noise"]
        levels = np.full(round(hours * 3600), level)
        if spoilt:
            levels[: len(levels) * 6 // 10] = np.nan
        found = replace(recording(levels), start=1_795_068_000.0 + begins_h * 3600)
        return Side(found, kind.assess(found, Review(), kind.limit_sets[0]).reviewed, kind.limit_sets[0], tags)

    def asked(self, before: Side, after: Side) -> dict[str, bool | None]:
        return {question.text: question.holds for question in questions(before, after)}

    def test_each(self) -> None:
        one = self.side(place="crusher hall", task="feed")
        self.assertEqual(set(self.asked(one, self.side(place="Crusher hall", task="feed")).values()), {True})
        for other, text, holds in (
            (self.side(5.9, place="crusher hall", task="feed"), "about as long", False),
            (self.side(6.1, place="crusher hall", task="feed"), "about as long", True),
            (self.side(begins_h=2.5, place="crusher hall", task="feed"), "begun at about the same hour", False),
            (self.side(begins_h=23, place="crusher hall", task="feed"), "begun at about the same hour", True),
            (self.side(place="mill", task="feed"), "the same place", False),
            (self.side(place="crusher hall"), "the same task", None),
        ):
            with self.subTest(text=text, holds=holds):
                self.assertIs(self.asked(one, other)[text], holds)

    def test_differences_are_withheld_of_what_cannot_be_assessed(self) -> None:
        found = compare(self.side(), self.side(spoilt=True, level=70.0), [("lex8h", "LEX,8h")], [], {})
        self.assertEqual(found.changes, ())
        self.assertIn("after: ", found.why_not)

    def test_held_against_the_usual_span_in_words(self) -> None:
        before, after = self.side(), self.side()
        louder = replace(after.recording, channels=recording(np.full(28_800, 87.4)).channels)
        kind = KINDS["noise"]
        after = replace(after, recording=louder, found=kind.assess(louder, Review(), kind.limit_sets[0]).reviewed)
        for span, words in (
            (3.0, "LEX,8h 3.4 dB(A) higher: more than from day to day"),
            (4.0, "nothing moved more than from day to day"),
            (None, "LEX,8h 3.4 dB(A) higher; what is usual from day to day is not known"),
        ):
            as_set = {} if span is None else {"lex8h": span, "lex8h_protected": 9.0}
            found = compare(before, after, [("lex8h", "LEX,8h")], [], as_set)
            said = in_words(found.changes[:1])
            self.assertEqual(said, words)
        self.assertEqual(found.changes[0].difference, 3.4)
