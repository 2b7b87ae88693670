"""A gas monitor's session: TWA and short-term values over gaps, oxygen both ways, over range, checks."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.gas.assess import assess
from kumpel.core.gas.short_term import short_term_means
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.units import UnitError
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import gas_signal
from kumpel.standins.gas_signal import Episode, Shift, make

[EU] = shipped("kumpel.kinds.gas")


def recording(
    interval_s: float = 60.0,
    minutes: float = 480,
    events: tuple[Event, ...] = (),
    sensors: object = None,
    **gases: np.ndarray,
) -> Recording:
    units = {"o2": "vol %", "lel": "% LEL"}
    channels = {
        f"{k}.avg": Channel(f"{k}.avg", k, units.get(k, "ppm"), interval_s, np.asarray(v, float))
        for k, v in gases.items()
    }
    setup = {"run_length_min": minutes} | ({} if sensors is None else {"sensors": sensors})
    return Recording("gas", 1_795_000_000.0, 60, channels, events, setup)


def reviewed(made: Recording, review: Review | None = None) -> Assessment:
    return assess(made, review or Review(), EU).reviewed


def verdicts(found: Assessment) -> dict[str, Verdict]:
    return {j.figure: j.verdict for j in found.judgements}


class Figures(unittest.TestCase):
    def test_a_shift_by_hand(self) -> None:
        # 2 h at 60 ppm, 6 h at 4 ppm: TWA = (120 + 24)/8 = 18; every quarter hour inside the block is 60
        found = reviewed(recording(co=np.concatenate([np.full(120, 60.0), np.full(360, 4.0)])))
        self.assertAlmostEqual(found.figure("co.twa8h").value, 18.0)
        self.assertAlmostEqual(found.figure("co.twa_shift").value, 18.0)
        self.assertAlmostEqual(found.figure("co.stel").value, 60.0)
        self.assertAlmostEqual(found.figure("co.mean").value, 18.0)
        self.assertEqual(found.figure("co.alarms").value, 1)
        self.assertEqual(found.figure("co.above_low").value, 120)
        self.assertIs(found.verdict, Verdict.WITHIN)

    def test_limits_at_their_edges(self) -> None:
        for level, verdict in ((20.0, Verdict.WITHIN), (20.04, Verdict.WITHIN), (20.06, Verdict.ABOVE)):
            with self.subTest(level=level):
                self.assertIs(reviewed(recording(co=np.full(480, level))).verdict, verdict)

    def test_a_longer_shift_counts_for_what_it_is(self) -> None:
        # 12 h at 15 ppm: 15 x 12/8 = 22.5 over 8 h
        found = reviewed(recording(minutes=720, co=np.full(720, 15.0)))
        self.assertAlmostEqual(found.figure("co.twa_shift").value, 22.5)
        self.assertIs(found.verdict, Verdict.ABOVE)

    def test_oxygen_both_ways(self) -> None:
        for level, verdict in (
            (19.4, Verdict.ABOVE),
            (19.5, Verdict.WITHIN),
            (20.9, Verdict.WITHIN),
            (23.5, Verdict.WITHIN),
            (23.6, Verdict.ABOVE),
        ):
            values = np.full(480, 20.9)
            values[100] = level
            with self.subTest(level=level):
                self.assertIs(reviewed(recording(o2=values)).verdict, verdict)
        low = np.full(480, 20.9)
        low[100:110] = 18.0
        found = reviewed(recording(o2=low))
        self.assertIn("lower limit 19.5 fallen below by 1.5", found.words)
        self.assertEqual(found.figure("o2.lowest").at_s, 6000)
        self.assertEqual(found.figure("o2.above_low").value, 10)
        self.assertNotIn("o2.twa8h", {f.key for f in found.figures})

    def test_explosive_gas_has_two_steps(self) -> None:
        for level, verdict in ((9.9, Verdict.WITHIN), (10, Verdict.ACTION), (20, Verdict.ABOVE)):
            values = np.zeros(480)
            values[7] = level
            self.assertIs(reviewed(recording(lel=values)).verdict, verdict)

    def test_additive_index(self) -> None:
        # CO 10 of 20 and NO2 0.3 of 0.5: 0.5 + 0.6 = 1.1
        made = recording(co=np.full(480, 10.0), no2=np.full(480, 0.3))
        found = reviewed(made, Review(options={"additive": "co, no2"}))
        self.assertAlmostEqual(found.figure("additive_index").value, 1.1)
        # They do not act alike: the sum is stricter than it needs to be, and that is said.
        self.assertIn("not-alike", [each.code for each in found.quality.findings])
        alike = reviewed(made, Review(options={"additive": "no2,so2"}))
        self.assertNotIn("not-alike", [each.code for each in alike.quality.findings])
        self.assertIs(found.verdict, Verdict.ABOVE)
        self.assertIs(reviewed(made).verdict, Verdict.WITHIN)
        missing = reviewed(made, Review(options={"additive": "co,nh3"}))
        self.assertIn("nh3", missing.figure("additive_index").note)
        self.assertIs(missing.verdict, Verdict.NOT_ASSESSABLE)

    def test_units_of_the_file(self) -> None:
        made = recording(co=np.full(480, 18_000.0))
        ppb = replace(made, channels={"co.avg": replace(made.channels["co.avg"], unit="ppb")})
        self.assertAlmostEqual(reviewed(ppb).figure("co.mean").value, 18.0)
        wrong = replace(made, channels={"co.avg": replace(made.channels["co.avg"], unit="mmHg")})
        with self.assertRaisesRegex(UnitError, "mmHg"):
            reviewed(wrong)

    def test_oxygen_logged_as_a_fraction_is_noticed(self) -> None:
        found = reviewed(recording(o2=np.full(480, 0.209)))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("is the unit right", found.words)

    def test_vapour_factor(self) -> None:
        found = reviewed(recording(sensors=[{"gas": "voc", "factor": 0.5}], voc=np.full(480, 30.0)))
        self.assertAlmostEqual(found.figure("voc.mean").value, 15.0)


class Gaps(unittest.TestCase):
    def test_unlogged_minutes_are_not_clean_air(self) -> None:
        # 30 ppm for 6 of 8 h: 22.5 of the logged time; projected to the shift 30, which is above 20
        values = np.concatenate([np.full(360, 30.0), np.full(120, np.nan)])
        found = reviewed(recording(co=values))
        self.assertAlmostEqual(found.figure("co.twa8h").value, 22.5)
        self.assertAlmostEqual(found.figure("co.twa_shift").value, 30.0)
        self.assertIn("projected", found.figure("co.twa_shift").note)
        self.assertEqual(found.figure("unlogged").value, 120)

    def test_within_on_too_little_time_is_not_assessable(self) -> None:
        found = reviewed(recording(co=np.full(200, 5.0)))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("3:20 of 8:00 h", found.words)
        self.assertIs(reviewed(recording(co=np.full(200, 5.0)), Review(accepted=("coverage",))).verdict, Verdict.WITHIN)

    def test_an_excess_of_the_logged_time_alone_stands(self) -> None:
        # 200 min at 60: 25 over 8 h even if the rest was clean
        self.assertIs(verdicts(reviewed(recording(co=np.full(200, 60.0))))["co.twa_shift"], Verdict.ABOVE)
        # 200 min at 30: 12.5 alone, 30 projected: not proven
        self.assertIs(verdicts(reviewed(recording(co=np.full(200, 30.0))))["co.twa_shift"], Verdict.NOT_ASSESSABLE)

    def test_no_quarter_hour_without_a_gap(self) -> None:
        values = np.full(480, 5.0)
        values[np.arange(480) % 12 < 2] = np.nan
        found = reviewed(recording(co=values))
        self.assertTrue(math.isnan(found.figure("co.stel").value))
        self.assertIn("without a gap", found.figure("co.stel").note)
        self.assertIs(verdicts(found)["co.stel"], Verdict.NOT_ASSESSABLE)

    def test_left_out_is_not_logged(self) -> None:
        values = np.full(480, 5.0)
        values[:10] = 500
        both = assess(recording(co=values), Review(left_out=(Stretch(0, 600, "check gas"),)), EU)
        self.assertAlmostEqual(both.reviewed.figure("co.mean").value, 5.0)
        self.assertGreater(both.recorded.figure("co.stel").value, 300)
        self.assertEqual(both.reviewed.figure("unlogged").value, 10)


class ShortTerm(unittest.TestCase):
    """The 15-min mean that is drawn is the one that the figure is the highest of."""

    def test_highest_of_it_is_the_figure_and_never_across_a_gap(self) -> None:
        rng = np.random.default_rng(5)
        values = rng.uniform(0, 80, 480)
        values[200:203] = np.nan  # three minutes: no window across it
        values[300] = np.nan  # one interval: bridged
        made = recording(co=values, o2=np.full(480, 20.9))
        found = short_term_means(made)
        self.assertEqual(list(found), ["co.mean15"])
        mean = found["co.mean15"].values
        self.assertAlmostEqual(float(np.nanmax(mean)), reviewed(made).figure("co.stel").value, places=9)
        self.assertTrue(np.isnan(mean[:14]).all())
        self.assertAlmostEqual(mean[14], float(values[:15].mean()), places=9)
        # From the gap's first minute until 15 whole minutes lie behind it.
        self.assertTrue(np.isnan(mean[201:217]).all())
        self.assertFalse(np.isnan(mean[217]))
        self.assertAlmostEqual(mean[300], float(np.nanmean(values[286:301])), places=9)

    def test_shorter_than_the_window_and_an_interval_that_does_not_fit(self) -> None:
        self.assertTrue(np.isnan(short_term_means(recording(minutes=10, co=np.ones(10)))["co.mean15"].values).all())
        self.assertTrue(
            np.isnan(short_term_means(recording(interval_s=600, co=np.ones(48)))["co.mean15"].values).all(),
            "ten minutes do not make fifteen",
        )


class WhatTheWearerDid(unittest.TestCase):
    def alarms(self, *events: Event) -> list[tuple[str, float | None]]:
        values = np.full(480, 3.0)
        values[100:110] = values[200:210] = 60.0  # two low alarms of carbon monoxide
        found = reviewed(recording(co=values, events=events)).events
        return [(e.text, e.numbers.get("confirmed_s")) for e in found if e.code == "co.low"]

    def test_confirmed_when_and_how_long_after(self) -> None:
        both = self.alarms(
            Event(6042.0, "confirmed", "", {"gas": "co"}), Event(6900.0, "confirmed", "", {"gas": "h2s"})
        )
        self.assertEqual([after for _, after in both], [42.0, math.inf])
        self.assertTrue(both[0][0].endswith("60 ppm, confirmed after 42 s"), both[0][0])
        self.assertTrue(both[1][0].endswith("60 ppm, never confirmed"), both[1][0])

    def test_one_confirmation_is_of_one_alarm(self) -> None:
        # Pressed in the second alarm: the first one was not confirmed by it.
        both = self.alarms(Event(12_010.0, "confirmed", "", {}))
        self.assertEqual([after for _, after in both], [math.inf, 10.0])

    def test_a_reading_that_flutters_about_its_level_is_one_alarm(self) -> None:
        values = np.full(480, 3.0)
        values[100:160:2] = 60.0  # every other minute for an hour
        values[300:303] = 60.0
        values[309:312] = 60.0  # six minutes later: another one
        values[400:402] = values[404:406] = 60.0
        values[402:404] = np.nan  # what was between is not known
        found = reviewed(recording(co=values))
        self.assertEqual(found.figure("co.alarms").value, 5)
        low = [(e.at_s / 60, e.end_s / 60) for e in found.events if e.code == "co.low"]
        self.assertEqual(low, [(100, 159), (300, 303), (309, 312), (400, 402), (404, 406)])

    def test_a_monitor_that_logs_none_is_not_said_to_be_ignored(self) -> None:
        self.assertEqual([after for _, after in self.alarms()], [None, None])

    def test_a_man_down_lasts_and_says_when_it_ended(self) -> None:
        down = Event(600.0, "man-down", "man-down", {"length_s": 75.0, "confirmed_s": 75.0})
        [seen] = [e for e in reviewed(recording(co=np.ones(480), events=(down,))).events if e.code == "log.man-down"]
        self.assertEqual((seen.at_s, seen.end_s, seen.text), (600.0, 675.0, "man-down, confirmed after 75 s"))

    def test_a_log_of_nonsense_is_an_answer_all_the_same(self) -> None:
        for strange in (math.nan, math.inf, -5.0, 1e300, "long", True, None, [1]):
            down = Event(600.0, "man-down", "man-down", {"length_s": strange, "confirmed_s": strange})
            found = reviewed(recording(co=np.ones(480), events=(down,))).events
            [seen] = [e for e in found if e.code == "log.man-down"]
            self.assertEqual((seen.end_s, seen.text), (600.0, "man-down"), strange)

    def test_a_bump_test_of_several_gases_is_offered_once(self) -> None:
        bumps = [
            Event(n * 90.0, "bump-test", "", {"gas": gas, "length_s": 60}) for n, gas in enumerate(("co", "h2s", "no2"))
        ]
        later = Event(20_000.0, "bump-test", "", {"gas": "co", "length_s": 60})
        found = reviewed(recording(co=np.ones(480), events=(*bumps, later))).suggestions
        self.assertEqual([(s.start_s, s.end_s) for s in found], [(0.0, 240.0), (20_000.0, 20_060.0)])


class BadData(unittest.TestCase):
    def test_over_range_is_at_least(self) -> None:
        values = np.full(480, 5.0)
        values[10:12] = 1000
        found = reviewed(recording(co=values))
        self.assertIn("at least", found.figure("co.peak").note)
        self.assertIs(verdicts(found)["co.twa_shift"], Verdict.NOT_ASSESSABLE)  # within, but not proven
        self.assertIs(verdicts(found)["co.stel"], Verdict.ABOVE)  # (2 x 1000 + 13 x 5)/15 = 137.7, at least
        self.assertTrue(any(s.code == "over-range" for s in found.suggestions))

    def test_a_sensor_that_was_off_says_so(self) -> None:
        found = reviewed(recording(sensors=[{"gas": "co"}, {"gas": "h2s", "on": False}], co=np.full(480, 3.0)))
        self.assertIs(verdicts(found)["h2s.stel"], Verdict.NOT_ASSESSABLE)
        self.assertTrue(any("switched off" in f.text for f in found.quality.findings))
        why = {"gas": "h2s", "on": False, "off_because": "broken"}
        found = reviewed(recording(sensors=[{"gas": "co"}, why], co=np.full(480, 3.0)))
        self.assertIn(
            "Hydrogen sulphide: the sensor was switched off (broken)", [f.text for f in found.quality.findings]
        )

    def test_failed_and_overdue_checks(self) -> None:
        bump = Event(0, "bump-test", "", {"gas": "co", "applied": 50, "before": 20, "after": 20, "passed": False})
        found = reviewed(recording(events=(bump,), co=np.full(480, 3.0), no2=np.full(480, 0.1)))
        self.assertIs(verdicts(found)["co.twa_shift"], Verdict.NOT_ASSESSABLE)
        self.assertIs(verdicts(found)["no2.twa_shift"], Verdict.WITHIN)
        long_ago = 1_795_000_000.0 - 200 * 86_400
        late = reviewed(recording(sensors=[{"gas": "co", "last_calibration": long_ago}], co=np.full(480, 3.0)))
        self.assertIs(late.verdict, Verdict.WITHIN)
        self.assertTrue(any("calibration overdue by 20 days" in f.text for f in late.quality.findings))

    def test_check_table_and_span_change(self) -> None:
        span = Event(
            0,
            "calibration",
            "",
            {"gas": "co", "applied": 50, "before": 40, "after": 50, "passed": True, "sensor_serial": "C7"},
        )
        [row] = reviewed(recording(events=(span,), co=np.full(480, 3.0))).table("checks").rows
        self.assertEqual((row[3], row[8]), ("C7", "passed"))
        self.assertEqual(row[9], 180 * 86_400)
        self.assertAlmostEqual(float(row[7]), 25.0)  # 50/40 - 1

    def test_worthless(self) -> None:
        for values in (np.empty(0), np.full(1, 3.0)):
            found = reviewed(recording(co=values))
            self.assertIn("switched on", " ".join(f.text for f in found.quality.findings))
            self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)

    def test_nothing_measured_is_nan_not_zero(self) -> None:
        found = reviewed(recording(co=np.full(480, np.nan)))
        for key in ("co.mean", "co.twa8h", "co.twa_shift", "co.stel", "co.peak"):
            self.assertTrue(math.isnan(found.figure(key).value), key)

    def test_no_gas_channel(self) -> None:
        with self.assertRaisesRegex(ValueError, "no gas channel"):
            reviewed(Recording("gas", 0.0, 0, {}))


class AgainstTheSignal(unittest.TestCase):
    def test_many_shifts(self) -> None:
        for seed in range(25):
            shift = replace(gas_signal.usual_shift(seed), gaps_s=((3000, 3600),) if seed % 2 else ())
            made = make(shift)
            found = reviewed(made.recording)
            for gas in shift.gases:
                truth = made.truth[gas]
                self.assertAlmostEqual(found.figure(f"{gas}.mean").value, truth["mean"], delta=0.003)
                self.assertAlmostEqual(found.figure(f"{gas}.peak").value, truth["highest"], delta=0.15)
            self.assertAlmostEqual(found.figure("unlogged").value, made.truth["unlogged_min"], places=6)
            co = max(e.level for e in shift.episodes if e.gas == "co")
            self.assertAlmostEqual(found.figure("co.stel").value, co, delta=0.02)
            lowest = min(e.level for e in shift.episodes if e.gas == "o2")
            self.assertEqual(
                verdicts(found)["o2.lowest"] is Verdict.ABOVE, round(found.figure("o2.lowest").value, 1) < 19.5
            )
            self.assertAlmostEqual(found.figure("o2.lowest").value, lowest, delta=0.15)

    def test_an_episode_shorter_than_the_window(self) -> None:
        made = make(Shift(noise=0.0, episodes=(Episode("co", 6000, 300, 93.0),)))
        # 5 min at 93 and 10 min at the background of 3: (465 + 30)/15 = 33
        self.assertAlmostEqual(reviewed(made.recording).figure("co.stel").value, 33.0)


if __name__ == "__main__":
    unittest.main()
