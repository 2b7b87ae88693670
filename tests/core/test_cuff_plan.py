"""The readings that a cuff recorder will try, against days counted by hand and against the simulated recorder."""

import unittest

from kumpel.core.blood_pressure.plan import DayPlan, counts, is_within, planned_readings
from kumpel.kinds.blood_pressure import BloodPressureSetup, QuietWindow, plan
from kumpel.kinds.plan import Situation
from kumpel.standins.device import Began
from kumpel.standins.devices.blood_pressure import DEVICE

HALF_PAST_TEN = 630.0


class Planned(unittest.TestCase):
    def test_a_day_counted_by_hand(self) -> None:
        # From 10:30, night 23:00 to 08:00. Every 30 min: 10:30 ... 22:30 are 25, then 23:00 begins the night, every 60 min:
        # 23:00 ... 07:00 are 9; the next is 08:00, awake: 08:00 ... 10:00 are 5 (10:30 is the end). 25 + 5 = 30 and 9.
        day = DayPlan(HALF_PAST_TEN, 1440, 480, 1380, 30, 60)
        readings = planned_readings(day)
        self.assertEqual(counts(readings), (30, 9))
        # Quiet from 19:00 to 20:00: 19:00 and 19:30 are left out, 20:00 is not.
        quiet = DayPlan(HALF_PAST_TEN, 1440, 480, 1380, 30, 60, ((1140, 1200),))
        self.assertEqual(counts(planned_readings(quiet)), (28, 9))
        self.assertEqual(
            {at for at, _ in readings} - {at for at, _ in planned_readings(quiet)}, {1140 - 630.0, 1170 - 630.0}
        )

    def test_windows_cross_midnight_and_an_empty_one_holds_nothing(self) -> None:
        for at, span, inside in (
            (1410, (1380, 60), True),
            (59, (1380, 60), True),
            (60, (1380, 60), False),
            (1380, (1380, 60), True),
            (600, (600, 600), False),
            (601, (600, 600), False),
        ):
            with self.subTest(at=at, span=span):
                self.assertEqual(is_within(at, span), inside)

    def test_what_is_said_beforehand_is_what_the_recorder_does(self) -> None:
        setup = BloodPressureSetup(
            awake_from="08:00",
            asleep_from="23:00",
            interval_asleep_min=45,
            start_at="10:30",
            quiet=[QuietWindow(start="19:00", end="20:00"), QuietWindow(start="01:30", end="02:10")],
        )
        said = plan(setup, Situation())
        began = Began("s", 1_795_080_600.0, 60, 86_400.0, setup.model_dump(mode="json"), {}, {})
        self.assertEqual(began.local_hour(0), 10.5, "the arithmetic of this test: it starts at 10:30 wall time")
        from kumpel.formats import krec

        done = krec.read(b"".join(DEVICE.record(began, {"seed": 4}).items))
        times = [round(e.at_s / 60) for e in done.events if e.code == "reading"]
        self.assertEqual(times, [round(at) for at in said.marks_min])
        self.assertEqual(said.facts[0].figure, str(len(times)))

    def test_a_battery_that_does_not_last_is_said(self) -> None:
        for lasts_h, short in ((23.5, True), (41.0, False)):
            [_, battery] = plan(BloodPressureSetup(), Situation(lasts_h=lasts_h)).facts
            self.assertEqual((battery.short, battery.about), (short, "24 h needed"))
        self.assertEqual(len(plan(BloodPressureSetup(), Situation()).facts), 1, "not known, not said")

    def test_memory_that_is_nearly_full_is_said(self) -> None:
        for used, words, short in (
            (0.03, "97 %", False),
            (0.95, "5 %", False),
            (0.951, "5 %", True),
            (1.0, "0 %", True),
        ):
            [_, memory] = plan(BloodPressureSetup(), Situation(memory_used=used)).facts
            self.assertEqual((memory.figure, memory.words, memory.short), (words, "memory free", short))
