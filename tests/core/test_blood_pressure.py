"""A 24-hour blood pressure recording: classes at their edges, surge, load, quality, sleep, clock changes."""

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.blood_pressure.assess import assess
from kumpel.core.blood_pressure.figures import dip_class
from kumpel.core.blood_pressure.periods import whole_days_s
from kumpel.core.blood_pressure.readings import average_real_variability, time_weights
from kumpel.core.blood_pressure.sleep import SleepRule, State, sleep_of, smoothed, states
from kumpel.core.nights import sleep_from_setup
from kumpel.core.recording import Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import blood_pressure_signal
from kumpel.standins.blood_pressure_signal import Day, make

ESH, AHA = shipped("kumpel.kinds.blood_pressure")
HOUR = 3600.0
NIGHT = Stretch(10 * HOUR, 18 * HOUR, "asleep")


def reading(hour: float, systolic: float, diastolic: float = 80, pulse: float = 70, **more: object) -> Event:
    return Event(
        hour * HOUR, "reading", "", {"systolic": systolic, "diastolic": diastolic, "map": 95.0, "pulse": pulse} | more
    )


def recording(
    events: list[Event], setup: dict[str, object] | None = None, start: float = 1_795_046_400.0, offset: int = 0
) -> Recording:
    return Recording("blood_pressure", start, offset, {}, tuple(events), setup or {})


def reviewed(events: list[Event], asleep: tuple[Stretch, ...] = (NIGHT,), **more: object) -> Assessment:
    return assess(recording(events), Review(asleep=asleep, **more), ESH).reviewed


def day(awake: float, asleep: float, awake_d: float = 80, asleep_d: float = 65) -> list[Event]:
    """Twice an hour awake (32 readings), once an hour asleep (8)."""
    half_hours = [h / 2 for h in range(48)]
    found = [reading(h, awake, awake_d) for h in half_hours if not 10 <= h < 18]
    return found + [reading(h, asleep, asleep_d) for h in range(10, 18)]


class Dips(unittest.TestCase):
    def test_classes_at_their_exact_edges(self) -> None:
        for asleep, dip, name in (
            (150.2, -0.1, "rising"),
            (150.0, 0.0, "reduced"),
            (135.2, 9.9, "reduced"),
            (135.0, 10.0, "normal"),
            (120.0, 20.0, "normal"),
            (119.8, 20.1, "extreme"),
        ):
            found = reviewed(day(150, asleep)).figure("dip.systolic")
            with self.subTest(asleep=asleep):
                self.assertEqual((found.stated, dip_class(found.value)), (dip, name))
                self.assertEqual((found.name, found.state), ("Dip, systolic", name))
        self.assertEqual(dip_class(math.nan), "not known")

    def test_without_a_night_there_is_no_dip(self) -> None:
        found = reviewed(day(140, 120), asleep=())
        self.assertTrue(math.isnan(found.figure("dip.systolic").value))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)


class Figures(unittest.TestCase):
    def test_means_by_hand(self) -> None:
        # 32 readings at 140, 8 at 120: (32 x 140 + 8 x 120)/40 = 136
        found = reviewed(day(140, 120))
        self.assertAlmostEqual(found.figure("all.systolic.mean").value, 136.0)
        self.assertAlmostEqual(found.figure("awake.systolic.mean").value, 140.0)
        self.assertAlmostEqual(found.figure("asleep.systolic.mean").value, 120.0)
        # standard deviation: sqrt((32 x 4^2 + 8 x 16^2)/39)
        self.assertAlmostEqual(found.figure("all.systolic.sd").value, math.sqrt(2560 / 39))
        self.assertAlmostEqual(found.figure("all.pulse_pressure.mean").value, (32 * 60 + 8 * 55) / 40)
        self.assertEqual(found.figure("all.systolic.highest").at_s, 0)
        self.assertEqual(found.figure("all.systolic.lowest").at_s, 10 * HOUR)

    def test_weighted_by_time_the_night_counts_for_its_hours(self) -> None:
        # readings at 0, 1, 2 and 4 h: weights 0.5, 1, 1.5, 1 h; values 100, 110, 120, 140
        found = reviewed([reading(0, 100), reading(1, 110), reading(2, 120), reading(4, 140)])
        self.assertAlmostEqual(found.figure("all.systolic.weighted").value, (50 + 110 + 180 + 140) / 4)
        np.testing.assert_allclose(time_weights(np.array([0.0, 1, 2, 4])), [0.5, 1, 1.5, 1])
        self.assertEqual(time_weights(np.array([7.0])).tolist(), [1.0])

    def test_variability(self) -> None:
        # |110-100|, |105-110|, |125-105| = 10, 5, 20: mean 35/3
        self.assertAlmostEqual(average_real_variability(np.array([100.0, 110, 105, 125])), 35 / 3)
        self.assertTrue(math.isnan(average_real_variability(np.array([100.0]))))

    def test_load_counts_the_limit_itself(self) -> None:
        events = [reading(h / 2, 135 if h % 4 else 134.9) for h in range(20)]
        found = reviewed(events, asleep=())
        self.assertAlmostEqual(found.figure("awake.systolic.load").value, 75.0)  # 15 of 20 at 135 or more
        self.assertAlmostEqual(
            assess(recording(events), Review(asleep=()), AHA).reviewed.figure("awake.systolic.load").value, 100.0
        )

    def test_morning_surge(self) -> None:
        night = [(10, 120), (12, 104), (13, 100), (14, 108), (17, 125)]
        morning = [(18, 140), (19, 150), (19.9, 145), (20, 190)]  # 20:00 is two hours after waking: not in it
        found = reviewed([reading(h, s) for h, s in night + morning])
        # (140 + 150 + 145)/3 - (104 + 100 + 108)/3 = 145 - 104
        self.assertAlmostEqual(found.figure("surge").value, 41.0)
        first = reviewed([reading(h, s) for h, s in [(10, 90), (12, 104), *morning]])
        self.assertAlmostEqual(first.figure("surge").value, 145 - 97)
        self.assertIn("1 neighbour", first.figure("surge").note)
        self.assertTrue(math.isnan(reviewed([reading(h, s) for h, s in night]).figure("surge").value))

    def test_limits_at_their_edges(self) -> None:
        # means are stated without decimals: 129.4 is 129, 129.5 is 130 (to the even neighbour)
        for awake, asleep, verdict in (
            (129.4, 110, Verdict.WITHIN),
            (133.9, 110, Verdict.WITHIN),
            (135, 110, Verdict.ABOVE),
            (120, 120, Verdict.ABOVE),
        ):
            with self.subTest(awake=awake):
                self.assertIs(reviewed(day(awake, asleep)).verdict, verdict)

    def test_classes_of_readings(self) -> None:
        events = [reading(0, 140, 90), reading(1, 140, 80), reading(2, 120, 90), reading(3, 120, 80)]
        row = reviewed(events, asleep=()).table("classes").rows[1]
        self.assertEqual(row[:6], ("Awake", 4, 1, 1, 1, 1))
        self.assertEqual(row[6], "3 of 4 reach a limit (75 %): 1 both, 1 the systolic only, 1 the diastolic only")

    def test_over_24_hours_each_reading_is_held_against_its_own_limit(self) -> None:
        # Awake 133/80 is below 135/85, asleep 133/60 above 120/70; the limit of the 24 h mean (130) is not theirs.
        found = reviewed([reading(1, 133), reading(2, 133), reading(11, 133, 60), reading(12, 100, 60)])
        self.assertAlmostEqual(found.figure("all.systolic.load").value, 25)
        self.assertEqual(found.figure("all.reached").value, 1)
        self.assertEqual([r[7] for r in found.table("readings").rows], ["", "", "systolic", ""])
        whole = reviewed([reading(1, 133), reading(2, 120)], asleep=())
        self.assertAlmostEqual(whole.figure("awake.systolic.load").value, 0)

    def test_spread_weighted_by_day_and_night(self) -> None:
        # SD of 120, 140 is 14.142; of 100, 110 it is 7.071. The last reading ends the recording at 24 h: 16 h awake, 8 asleep.
        events = [reading(0, 120), reading(24, 140), reading(11, 100), reading(12, 110)]
        found = reviewed(events).figure("all.systolic.sd_weighted")
        self.assertAlmostEqual(found.value, (14.1421356 * 16 + 7.0710678 * 8) / 24, places=5)

    def test_an_hour_has_its_lowest_and_highest(self) -> None:
        row = reviewed([reading(0, 120, 80), reading(0.5, 150, 90), reading(1, 130, 85)]).table("hours").rows[0]
        self.assertEqual((row[2], row[3], row[-4:]), (2, 135, (120, 150, 80, 90)))


class Quality(unittest.TestCase):
    def test_seventy_percent_twenty_and_seven(self) -> None:
        def count(awake: int, asleep: int, failed: int) -> Verdict:
            events = [reading(i / 10, 120, 65) for i in range(awake)] + [
                reading(10 + i / 10, 110, 65) for i in range(asleep)
            ]
            events += [Event(20 * HOUR + i, "reading", "", {"error": 3}) for i in range(failed)]
            return reviewed(events).verdict

        self.assertIs(count(20, 7, 0), Verdict.WITHIN)
        self.assertIs(count(19, 7, 0), Verdict.NOT_ASSESSABLE)
        self.assertIs(count(20, 6, 0), Verdict.NOT_ASSESSABLE)
        self.assertIs(count(28, 7, 15), Verdict.WITHIN)  # 35 of 50 are exactly 70 %
        self.assertIs(count(28, 7, 16), Verdict.NOT_ASSESSABLE)

    def test_a_failed_try_is_counted_and_never_a_zero(self) -> None:
        events = [*day(130, 110), Event(23.9 * HOUR, "reading", "", {"error": 4, "systolic": 0, "diastolic": 0})]
        found = reviewed(events)
        self.assertEqual((found.figure("all.tries").value, found.figure("all.valid").value), (41, 40))
        self.assertEqual(found.figure("all.systolic.lowest").value, 110)
        self.assertTrue(any(e.code == "failed" and "cuff too loose" in e.text for e in found.events))

    def test_suggestions_at_their_edges(self) -> None:
        for systolic, diastolic, pulse, doubtful in (
            (70, 50, 70, False), (69, 40, 70, True), (260, 150, 70, False), (261, 150, 70, True), (120, 39, 70, True),
            (100, 80, 70, False), (99, 80, 70, True), (120, 80, 29, True), (120, 80, 30, False), (120, 80, 201, True), (90, 90, 70, True),
        ):  # fmt: skip
            with self.subTest(systolic=systolic, diastolic=diastolic, pulse=pulse):
                self.assertEqual(bool(reviewed([reading(1, systolic, diastolic, pulse)]).suggestions), doubtful)

    def test_leaving_a_reading_out_and_taking_it_back(self) -> None:
        events = day(130, 110)
        events[0] = reading(0, 265, 80)
        both = assess(recording(events), Review(asleep=(NIGHT,), dropped=("reading@0.0",)), ESH)
        self.assertEqual(both.recorded.figure("all.systolic.highest").value, 265)
        self.assertEqual(both.reviewed.figure("all.systolic.highest").value, 130)
        self.assertFalse(both.reviewed.suggestions)
        kept = reviewed(events, left_out=(Stretch(0, HOUR, "ran"),), kept=("reading@0.0",))
        self.assertEqual(kept.figure("all.systolic.highest").value, 265)

    def test_doubled_and_unsorted_stamps(self) -> None:
        events = day(130, 110)
        doubled = [*reversed(events), Event(events[3].at_s, "reading", "", {"error": 2})]
        found = reviewed(doubled)
        self.assertEqual(found.figure("all.tries").value, 40)
        self.assertEqual(found.figure("all.valid").value, 40)
        self.assertIn("doubled", [f.code for f in found.quality.findings])

    def test_kilopascals(self) -> None:
        found = reviewed([reading(1, 16, 10.6, unit="kPa")])
        self.assertAlmostEqual(found.figure("all.systolic.mean").value, 120.01, places=2)
        self.assertIs(reviewed([reading(h / 2, 16, 10) for h in range(48)]).verdict, Verdict.NOT_ASSESSABLE)

    def test_nothing_to_assess(self) -> None:
        with self.assertRaisesRegex(ValueError, "no cuff reading"):
            reviewed([])
        alone = reviewed([reading(1, 120)])
        self.assertTrue(math.isnan(alone.figure("all.systolic.sd").value))


SETUP: dict[str, object] = {"asleep_from": "22:00", "awake_from": "06:00"}


class Clock(unittest.TestCase):
    def test_beyond_midnight(self) -> None:
        # 18:00 to 18:00: the night is from 4 h to 12 h
        made = recording([reading(0, 120), reading(24, 120)], SETUP, start=1_795_046_400.0 + 18 * HOUR)
        self.assertEqual([(s.start_s / HOUR, s.end_s / HOUR) for s in sleep_from_setup(made)], [(4, 12)])

    def test_summer_time_ends_in_the_night(self) -> None:
        # 2026-10-24 18:00 at UTC+2; at 3:00 (9 h later) the clock goes back to 2:00: the night lasts 9 h
        back = Event(9 * HOUR, "utc-offset", "", {"utc_offset_min": 60})
        events = [back, *(reading(h, 120) for h in range(25))]
        made = recording(events, SETUP, start=1_792_857_600.0, offset=120)
        [night] = sleep_from_setup(made)
        self.assertEqual((night.start_s / HOUR, night.end_s / HOUR), (4, 13))
        rows = assess(made, Review(), ESH).reviewed.table("hours").rows
        self.assertEqual([r[1] for r in rows[7:11]], [1, 2, 2, 3])  # two o'clock comes twice
        self.assertEqual([r[0] / HOUR for r in rows[7:11]], [7, 8, 9, 10])

    def test_summer_time_begins_in_the_night(self) -> None:
        # 2027-03-27 18:00 at UTC+1; at 2:00 (8 h later) the clock jumps to 3:00: the night lasts 7 h
        made = recording(
            [Event(8 * HOUR, "utc-offset", "", {"utc_offset_min": 120}), reading(0, 120), reading(24, 120)],
            SETUP,
            start=1_806_166_800.0,
            offset=60,
        )
        [night] = sleep_from_setup(made)
        self.assertEqual((night.start_s / HOUR, night.end_s / HOUR), (4, 11))

    def test_fifty_two_hours_have_two_nights(self) -> None:
        made = recording([reading(h, 120) for h in range(53)], SETUP, start=1_795_046_400.0 + 12 * HOUR)
        self.assertEqual([(s.start_s / HOUR, s.end_s / HOUR) for s in sleep_from_setup(made)], [(10, 18), (34, 42)])
        found = assess(made, Review(), ESH).reviewed
        self.assertIn("length", [f.code for f in found.quality.findings])
        self.assertEqual([r[0] for r in found.table("nights").rows], ["Night 1", "Night 2"])

    def test_the_figures_of_24_hours_rest_on_whole_days(self) -> None:
        # 46 h are one whole day: what comes after counts for waking and sleep, not for the day.
        events = [reading(h, 120 if h < 24 else 180) for h in range(47)]
        found = assess(recording(events, SETUP), Review(), ESH).reviewed
        self.assertEqual((found.figure("all.systolic.mean").value, found.figure("all.tries").value), (120, 24))
        self.assertEqual(found.figure("awake.tries").value + found.figure("asleep.tries").value, 47)
        self.assertIn("first 24 h", next(f.text for f in found.quality.findings if f.code == "length"))
        self.assertEqual([whole_days_s(h * HOUR) / HOUR for h in (20, 27, 27.5, 47.5, 52)], [20, 27, 24, 47.5, 48])

    def test_each_night_has_its_dip_against_the_waking_times_around_it(self) -> None:
        # From noon: awake 0-10 at 150, night 10-18 at 120, awake 18-34 at 140, night 34-42 at 133, awake 42-48 at 130.
        def level(h: float) -> float:
            return 150 if h < 10 else 120 if h < 18 else 140 if h < 34 else 133 if h < 42 else 130

        events = [reading(h, level(h)) for h in range(49)]
        found = assess(recording(events, SETUP, start=1_795_046_400.0 + 12 * HOUR), Review(), ESH).reviewed
        first = (10 * 150 + 16 * 140) / 26
        second = (16 * 140 + 7 * 130) / 23
        self.assertAlmostEqual(found.figure("night1.dip.systolic").value, 100 * (first - 120) / first)
        self.assertAlmostEqual(found.figure("night2.dip.systolic").value, 100 * (second - 133) / second)
        self.assertEqual([r[-1] for r in found.table("nights").rows], ["normal", "reduced"])
        awake = (10 * 150 + 16 * 140 + 7 * 130) / 33
        self.assertAlmostEqual(found.figure("dip.systolic").value, 100 * (awake - 126.5) / awake)

    def test_a_night_without_enough_readings_has_no_dip_and_one_without_sleep_is_said(self) -> None:
        events = [reading(h, 120) for h in range(49) if not 36 <= h < 40]
        made = recording(events, SETUP, start=1_795_046_400.0 + 12 * HOUR)
        found = assess(made, Review(), ESH).reviewed
        self.assertFalse(math.isnan(found.figure("night1.dip.systolic").value))
        self.assertTrue(math.isnan(found.figure("night2.dip.systolic").value))
        self.assertIn("night 2 has 4 valid readings", " ".join(f.text for f in found.quality.findings))
        one = assess(made, Review(asleep=(Stretch(10 * HOUR, 18 * HOUR, "asleep"),)), ESH).reviewed
        [missing] = [f.text for f in one.quality.findings if f.code == "night-missing"]
        self.assertIn("22:00 to", missing)
        by_day = assess(made, Review(asleep=(Stretch(4 * HOUR, 9 * HOUR, ""), Stretch(28 * HOUR, 33 * HOUR, ""))), ESH)
        self.assertNotIn("night-missing", [f.code for f in by_day.reviewed.quality.findings])

    def test_a_time_that_is_none(self) -> None:
        with self.assertRaisesRegex(ValueError, "no time of day"):
            sleep_from_setup(recording([reading(0, 120)], {"asleep_from": "25:00", "awake_from": "06:00"}))


class Activity(unittest.TestCase):
    def test_what_the_wearer_did_and_the_windows_without_a_reading(self) -> None:
        made = make(Day(no_activity_s=((20_000.0, 34_000.0),))).recording
        setup = dict(made.setup) | {"quiet": [{"start": "19:00", "end": "20:00", "why": "choir"}, {"start": "x"}, "y"]}
        found = assess(replace(made, setup=setup), Review(), ESH).reviewed
        rows = found.table("activity").rows
        self.assertEqual((rows[0][0], rows[-1][1]), (0, made.length_s))
        self.assertTrue(all(a[1] == b[0] for a, b in itertools.pairwise(rows)))
        self.assertEqual({r[2] for r in rows}, {"moving", "still", "resting", "no data"} & {r[2] for r in rows})
        self.assertIn("no data", {r[2] for r in rows})
        # The recording starts at 13:00 on the wall (12:00 UTC, UTC+1): 19:00 is 6 h later.
        self.assertEqual(found.table("quiet").rows, ((6 * HOUR, 7 * HOUR, "choir"),))

    def test_states(self) -> None:
        counts = np.concatenate([np.full(60, 400.0), np.full(60, 100.0), np.full(60, 0.0), np.full(60, np.nan)])
        found = states(counts, SleepRule(median_min=1, mean_min=1))
        self.assertEqual(
            [int(found[i]) for i in (30, 90, 150, 210)], [State.MOVING, State.RESTING, State.STILL, State.NO_DATA]
        )

    def test_smoothing_by_hand(self) -> None:
        # median of 3: 0 0 9 9 9; the lone 0 in the middle vanishes; then mean of 3
        found = smoothed(np.array([0.0, 0, 9, 0, 9, 9]), 3, 1)
        self.assertEqual(found[1:5].tolist(), [0, 0, 9, 9])
        self.assertEqual(smoothed(np.array([3.0, 6, 9]), 1, 3)[1], 6)
        self.assertEqual(len(smoothed(np.empty(0), 3, 3)), 0)

    def test_sleep_of_many_days(self) -> None:
        worst = 0.0
        for seed in range(60):
            made = make(blood_pressure_signal.usual_day(seed))
            sleep = sleep_of(made.recording, Review())
            self.assertEqual(sleep.source, "activity")
            [night], [true] = sleep.stretches, made.truth["asleep"]
            worst = max(worst, abs(night.start_s - true[0]), abs(night.end_s - true[1]))
        self.assertLessEqual(worst, 15 * 60)

    def test_an_hour_without_activity_data_is_not_sleep_and_does_not_end_it_when_short(self) -> None:
        plan = Day(no_activity_s=((20_000.0, 34_000.0), (50_000.0, 51_200.0)))
        [night] = sleep_of(make(plan).recording, Review()).stretches
        self.assertLess(abs(night.start_s - 38_700), 900)
        self.assertLess(abs(night.end_s - 65_700), 900)

    def test_back_to_computed_and_by_hand(self) -> None:
        made = make(Day(dip_percent=15)).recording
        moved = (Stretch(40_000, 60_000, "asleep"),)
        both = assess(made, Review(asleep=moved), ESH)
        self.assertEqual(both.reviewed.stretches, moved)
        self.assertNotEqual(both.recorded.stretches, moved)
        self.assertEqual(sleep_of(made, Review(options={"sleep": "setup"})).source, "setup")
        for axis in "xyz":
            self.assertEqual(sleep_of(made, Review(options={"axis": axis})).source, "activity")
        with self.assertRaisesRegex(ValueError, "axis"):
            sleep_of(made, Review(options={"axis": "w"}))


class AgainstTheSignal(unittest.TestCase):
    def test_many_days_with_the_true_sleep(self) -> None:
        for seed in range(40):
            made = make(blood_pressure_signal.usual_day(seed))
            asleep = tuple(Stretch(a, b, "asleep") for a, b in made.truth["asleep"])
            dropped = tuple(f"reading@{t:.1f}" for t in made.truth["spoilt_s"])
            both = assess(made.recording, Review(asleep=asleep, dropped=dropped), ESH)
            rows = made.truth["readings"]
            for period, wanted in (("awake", False), ("asleep", True)):
                plain = [r[1] for r in rows if r[4] is wanted]
                self.assertAlmostEqual(
                    both.reviewed.figure(f"{period}.systolic.mean").value, sum(plain) / len(plain), places=9
                )
            self.assertEqual(
                both.reviewed.figure("all.tries").value - both.reviewed.figure("all.valid").value,
                made.truth["failed"] + 1,
            )
            self.assertEqual([s.start_s for s in both.recorded.suggestions], made.truth["spoilt_s"])

    def test_dip_put_in_is_the_dip_found(self) -> None:
        for dip in (-5.0, 5.0, 15.0, 25.0):
            made = make(replace(Day(seed=9), dip_percent=dip, spread=0.0, failing=0.0))
            found = assess(made.recording, Review(asleep=(Stretch(38_700, 65_700, "asleep"),)), ESH).reviewed
            self.assertAlmostEqual(found.figure("dip.systolic").value, dip, delta=0.5)  # readings are whole mmHg


if __name__ == "__main__":
    unittest.main()
