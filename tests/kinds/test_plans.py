"""What a setup will do, said before it is written: values, memory, battery, what is too coarse, what else fits."""

from __future__ import annotations

import unittest
from dataclasses import replace

from kumpel.kinds.dust import DustSetup
from kumpel.kinds.gas import GasSetup
from kumpel.kinds.oximetry import OximetrySetup
from kumpel.kinds.plan import PlanFact, Situation, memory, recorded, resolution
from kumpel.kinds.registry import KINDS
from kumpel.link.messages import Status

ROOMY = Situation(480.0, lasts_h=30.0, memory_used=0.25, memory_bytes=200_000_000)


def said(facts: tuple[PlanFact, ...], words: str) -> PlanFact:
    [found] = [fact for fact in facts if fact.words == words]
    return found


class Facts(unittest.TestCase):
    def test_values_memory_and_battery_to_the_planned_end(self) -> None:
        """8 h at one a second, four values each: 28,800 x 4 = 115,200 values, x 2 bytes = 0.23 MB of 150 MB free: 651 times, so 650 more."""
        facts = recorded(4, 1, 480, ROOMY)
        self.assertEqual(said(facts, "values").figure, "115\u202f200")
        self.assertEqual(said(facts, "of memory").figure, "0.2 MB")
        self.assertEqual(said(facts, "of memory").about, "150 MB free, 650 more fit")
        self.assertEqual(said(facts, "battery").about, "8 h needed")
        self.assertFalse(any(fact.short for fact in facts))

    def test_what_does_not_fit_and_a_battery_that_ends_early_fall_short(self) -> None:
        tight = Situation(0.0, lasts_h=6.0, memory_used=0.5, memory_bytes=400_000)
        facts = recorded(4, 1, 480, tight)  # 0.23 MB needed, 0.2 MB free
        self.assertTrue(said(facts, "of memory").short)
        self.assertTrue(said(facts, "battery").short)

    def test_the_next_one_fits_too_or_not(self) -> None:
        for free, words in ((1.5e6, "no other fits"), (2.5e6, "the next fits, too"), (3.5e6, "2 more fit")):
            [fact] = memory(Situation(memory_used=0.0, memory_bytes=int(free)), 1e6)
            self.assertTrue(fact.about.endswith(words), fact.about)

    def test_without_the_size_of_the_memory_its_share_is_said(self) -> None:
        [fact] = memory(Situation(memory_used=0.25), 1e6)
        self.assertEqual((fact.figure, fact.words), ("75 %", "memory free"))
        self.assertEqual(memory(Situation(), 1e6), ())

    def test_too_coarse_for_a_figure(self) -> None:
        """One value an hour: none in 15 min. One in 5 min: three. One in 3 min: five, which is enough."""
        [none] = resolution(3600, 900, "15 min")
        self.assertEqual((none.figure, none.about, none.short), ("no", "one value in 1 h", True))
        [three] = resolution(300, 900, "15 min")
        self.assertEqual((three.figure, three.words), ("3", "values in 15 min"))
        self.assertEqual(resolution(180, 900, "15 min"), ())


class EveryKind(unittest.TestCase):
    def test_every_kind_says_what_its_setups_will_do(self) -> None:
        for key, kind in KINDS.items():
            with self.subTest(kind=key):
                assert kind.plan is not None
                for name, setup in kind.setup_library.items():
                    facts = kind.plan(setup, replace(ROOMY, memory_bytes=2_000_000_000)).facts
                    self.assertGreaterEqual(len(facts), 2)
                    # Four seconds are known to be too slow for a fall of ten: that is said.
                    self.assertEqual(bool([fact for fact in facts if fact.short]), name == "Night, 4 s")
                    self.assertTrue(any("free" in fact.about for fact in facts), "nothing about the memory")

    def test_a_long_interval_is_too_coarse_for_fifteen_minutes(self) -> None:
        for kind, setup in (("gas", GasSetup(interval_s=600)), ("dust", DustSetup(interval_s=900))):
            plan = KINDS[kind].plan
            assert plan is not None
            self.assertEqual(
                [fact.words for fact in plan(setup, ROOMY).facts if fact.short],
                ["value in 15 min" if kind == "dust" else "values in 15 min"],
            )

    def test_a_slow_oximeter_misses_falls(self) -> None:
        plan = KINDS["oximetry"].plan
        assert plan is not None
        [fact] = [fact for fact in plan(OximetrySetup(interval_s=4), ROOMY).facts if fact.short]
        self.assertEqual(fact.words, "values in a fall of 10 s")

    def test_a_recorder_may_say_how_large_its_memory_is_or_not(self) -> None:
        plain = {"clock": 0.0, "utc_offset_min": 0, "battery": 1.0, "memory_used": 0.0, "mode": "ready"}
        self.assertIsNone(Status(**plain).memory_bytes)
        self.assertEqual(Status(**plain, memory_bytes=1000).memory_bytes, 1000)
