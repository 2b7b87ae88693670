"""A whole noise session: figures, verdicts, coverage, what was left out, suggestions."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from kumpel.core.assessment import Verdict, judge
from kumpel.core.noise.assess import assess
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch, samples_inside
from kumpel.core.timebase import clock_words
from kumpel.formats import krec
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.noise import NoiseSetup
from tests.support import recording_file

EU, US, NIOSH = shipped("kumpel.kinds.noise")
SETUP = NoiseSetup().model_dump(mode="json")
CHECKED = tuple(Event(0, code, "", {"applied_db": 114.0, "read_db": 114.0}) for code in ("check-before", "check-after"))


def recording(
    levels: np.ndarray, peak: np.ndarray | None = None, setup: object = None, events: object = CHECKED
) -> Recording:
    made = {f"leq.{i}": Channel(f"leq.{i}", "Level", "dB(A)", 1.0, levels) for i in (1, 2, 3)}
    peak = np.where(np.isnan(levels), math.nan, 100.0) if peak is None else peak
    made["peak"] = Channel("peak", "Peak", "dB(C)", 1.0, peak)
    return Recording("noise", 1_795_000_000.0, 60, made, events, SETUP if setup is None else setup)


def steady(level: float, hours: float) -> np.ndarray:
    return np.full(int(hours * 3600), level)


class Verdicts(unittest.TestCase):
    def verdict(self, level: float, limits: object = EU) -> Verdict:
        return assess(recording(steady(level, 8)), Review(), limits).reviewed.verdict

    def test_european_steps_at_their_edges(self) -> None:
        for level, verdict in (
            (79.94, Verdict.WITHIN),
            (79.96, Verdict.ACTION),
            (80, Verdict.ACTION),
            (84.94, Verdict.ACTION),
            (85, Verdict.ACTION),  # the upper action value is an action value
            (87.0, Verdict.ACTION),  # the limit value is 87, not above it
            (87.1, Verdict.ABOVE),
        ):
            with self.subTest(level=level):
                self.assertIs(self.verdict(level), verdict)

    def test_the_limit_value_counts_the_protection_the_action_values_do_not(self) -> None:
        day = recording(steady(90, 8))
        bare = assess(day, Review(), EU).reviewed
        worn = assess(day, Review(attenuation_db=10), EU).reviewed
        by_rule = {j.rule: j.verdict for j in worn.judgements}
        self.assertIs({j.rule: j.verdict for j in bare.judgements}["Daily exposure, no protection"], Verdict.ABOVE)
        self.assertIs(by_rule["Daily exposure under protection"], Verdict.WITHIN)
        self.assertIs(by_rule["Daily exposure"], Verdict.ACTION)

    def test_american_action_and_permissible_levels(self) -> None:
        self.assertIs(self.verdict(84.9, US), Verdict.WITHIN)
        self.assertIs(self.verdict(85, US), Verdict.ACTION)  # 8 h at 85: dose 50 %
        self.assertIs(self.verdict(90, US), Verdict.ACTION)  # permissible is 90, not above it
        self.assertIs(self.verdict(90.2, US), Verdict.ABOVE)

    def test_recommended_dose(self) -> None:
        self.assertIs(self.verdict(84.9, NIOSH), Verdict.WITHIN)
        self.assertIs(self.verdict(85, NIOSH), Verdict.ABOVE)

    def test_a_peak_is_judged_by_itself(self) -> None:
        peak = np.full(8 * 3600, 100.0)
        peak[1234] = 136.2
        found = assess(recording(steady(70, 8), peak), Review(), EU).reviewed
        self.assertIs(found.verdict, Verdict.ACTION)
        self.assertEqual(found.figure("lcpeak").at_s, 1234)
        self.assertEqual(found.figure("peaks_135").value, 1)
        self.assertEqual(found.figure("peaks_137").value, 0)

    def test_words_never_contradict_the_number(self) -> None:
        found = assess(recording(steady(84.96, 8)), Review(), EU).reviewed
        lead = found.figure("lex8h")
        self.assertEqual(lead.stated, 85.0)
        self.assertIn("upper action value 85 reached", judge(EU.rules[0], lead).words)


class Coverage(unittest.TestCase):
    def test_three_of_eight_hours_is_not_assessable_and_says_why(self) -> None:
        found = assess(recording(steady(78, 3)), Review(), EU).reviewed
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("3:00 of 8:00 h", found.words)
        self.assertAlmostEqual(found.quality.coverage, 3 / 8)
        self.assertAlmostEqual(found.figure("lex8h").value, 78.0)  # stands for the planned eight hours

    def test_three_hours_that_alone_reach_the_limit_are_above_it(self) -> None:
        # 3 h at 92: LEX of the measured part alone = 92 + 10 log10(3/8) = 87.7
        self.assertIs(assess(recording(steady(92, 3)), Review(), EU).reviewed.verdict, Verdict.ABOVE)

    def test_three_hours_prove_the_lower_action_value(self) -> None:
        # 3 h at 86: alone 86 + 10 log10(3/8) = 81.74; the rest of the day is unknown
        found = assess(recording(steady(86, 3)), Review(), EU).reviewed
        self.assertIs(found.verdict, Verdict.ACTION)
        [daily] = [j for j in found.judgements if j.rule == "Daily exposure"]
        self.assertEqual(daily.at_least, 81.7)
        self.assertEqual(
            daily.words,
            "at least 81.7 dB(A), from 3:00 of 8:00 h: lower action value 80 reached by 1.7; upper action value 85 not assessable",
        )
        # under protection nothing is proven: 81.7 is not above 87
        [worn] = [j for j in found.judgements if j.rule == "Daily exposure, no protection"]
        self.assertIs(worn.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("lower action value", found.words)

    def test_the_step_that_leads_is_the_highest_reached(self) -> None:
        # 82 dB all day: lower action value; one peak of 138: upper action value
        peak = np.full(8 * 3600, 100.0)
        peak[77] = 138.0
        found = assess(recording(steady(82, 8), peak), Review(), EU).reviewed
        self.assertIs(found.verdict, Verdict.ACTION)
        self.assertIn("Peak: upper action value 137", found.words)

    def test_levels_nobody_can_have_measured_are_doubted_until_left_out(self) -> None:
        for key, wrong in (("level", 900.0), ("level", -20.0), ("peak", 900.0)):
            level, peak = steady(78, 8), np.full(8 * 3600, 100.0)
            (level if key == "level" else peak)[1000:1003] = wrong
            day = recording(level, peak)
            found = assess(day, Review(), EU).reviewed
            with self.subTest(key=key, wrong=wrong):
                self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
                self.assertIn(f"such as {wrong:.0f}", found.words)
                [hint] = [s for s in found.suggestions if s.code == "implausible"]
                self.assertEqual((hint.start_s, hint.end_s), (1000, 1003))
                out = assess(day, Review(left_out=(Stretch(1000, 1003, "fault"),)), EU).reviewed
                self.assertIs(out.verdict, Verdict.WITHIN)

    def test_accepted_by_a_person_it_is_judged(self) -> None:
        found = assess(recording(steady(78, 3)), Review(accepted=("coverage",)), EU).reviewed
        self.assertIs(found.verdict, Verdict.WITHIN)

    def test_drift_blocks_until_accepted(self) -> None:
        events = (CHECKED[0], Event(0, "check-after", "", {"applied_db": 114.0, "read_db": 114.6}))
        day = recording(steady(78, 8), events=events)
        self.assertIs(assess(day, Review(), EU).reviewed.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIs(assess(day, Review(accepted=("drift",)), EU).reviewed.verdict, Verdict.WITHIN)

    def test_exactly_half_a_decibel_of_drift_is_allowed(self) -> None:
        events = (CHECKED[0], Event(0, "check-after", "", {"applied_db": 114.0, "read_db": 114.5}))
        self.assertIs(assess(recording(steady(78, 8), events=events), Review(), EU).reviewed.verdict, Verdict.WITHIN)

    def test_working_day_of_the_reviewer(self) -> None:
        found = assess(recording(steady(85, 8)), Review(working_day_s=4 * 3600), EU).reviewed
        self.assertAlmostEqual(found.figure("lex8h").value, 85 - 3.0103, places=4)

    def test_a_day_longer_than_planned_stands_for_itself(self) -> None:
        found = assess(recording(steady(85, 10)), Review(), EU).reviewed
        self.assertAlmostEqual(found.figure("lex8h").value, 85 + 0.9691, places=4)  # 10 log10(10/8)
        self.assertEqual(found.quality.coverage, 1.0)

    def test_coverage_is_of_the_day_that_the_reviewer_says(self) -> None:
        four = recording(steady(78, 4))
        self.assertIs(assess(four, Review(), EU).reviewed.verdict, Verdict.NOT_ASSESSABLE)
        short_day = assess(four, Review(working_day_s=4 * 3600), EU).reviewed
        self.assertIs(short_day.verdict, Verdict.WITHIN)
        self.assertEqual(short_day.quality.coverage, 1.0)

    def test_leaving_a_part_out_does_not_shorten_the_day(self) -> None:
        free = recording(steady(85, 8), setup={})
        both = assess(free, Review(left_out=(Stretch(0, 3600, "knock"),)), EU)
        self.assertAlmostEqual(both.reviewed.figure("lex8h").value, 85.0, places=6)
        self.assertAlmostEqual(both.reviewed.figure("setup1.dose").value, 100 * 7 / 8, places=6)
        self.assertAlmostEqual(both.reviewed.figure("setup1.projected_dose").value, 100.0, places=6)


class LeftOut(unittest.TestCase):
    def test_both_ways_come_back_and_the_reviewed_one_leads(self) -> None:
        day = np.concatenate([steady(80, 6), steady(100, 1), steady(80, 1)])
        both = assess(recording(day), Review(left_out=(Stretch(6 * 3600, 7 * 3600, "wrong person"),)), EU)
        self.assertAlmostEqual(both.reviewed.figure("laeq").value, 80.0, places=6)
        self.assertGreater(both.recorded.figure("laeq").value, 90)
        self.assertAlmostEqual(both.reviewed.quality.coverage, 7 / 8)
        self.assertEqual(both.reviewed.figure("laeq").why.left_out_s, 3600)

    def test_leaving_out_nothing_changes_nothing(self) -> None:
        both = assess(recording(np.random.default_rng(1).normal(82, 6, 28_800)), Review(), EU)
        for a, b in zip(both.recorded.figures, both.reviewed.figures, strict=True):
            self.assertEqual(repr(a.value), repr(b.value), a.key)

    def test_channels_of_another_interval_lose_the_same_stretch_of_time(self) -> None:
        peak = np.full(2 * 28_800, 100.0)
        peak[2 * 5000] = 141.0
        channels = dict(recording(steady(70, 8)).channels) | {"peak": Channel("peak", "Peak", "dB(C)", 0.5, peak)}
        made = Recording("noise", 0, 0, channels, CHECKED, SETUP)
        both = assess(made, Review(left_out=(Stretch(4990, 5010, "knock"),)), EU)
        self.assertEqual((both.recorded.figure("lcpeak").value, both.recorded.figure("lcpeak").at_s), (141.0, 5000))
        self.assertEqual(both.recorded.figure("peaks_140").value, 0.5)
        self.assertEqual(both.reviewed.figure("lcpeak").value, 100.0)

    def test_a_silent_stretch_left_out_raises_the_mean(self) -> None:
        day = np.concatenate([steady(85, 4), steady(50, 4)])
        both = assess(recording(day), Review(left_out=(Stretch(4 * 3600, 8 * 3600, "in the drawer"),)), EU)
        self.assertAlmostEqual(both.recorded.figure("laeq").value, 81.991, places=3)  # 10 log10((10^8.5 + 10^5) / 2)
        self.assertAlmostEqual(both.reviewed.figure("laeq").value, 85.0, places=6)

    def test_everything_left_out_is_not_zero(self) -> None:
        found = assess(recording(steady(85, 8)), Review(left_out=(Stretch(0, 1e6, "all"),)), EU).reviewed
        self.assertTrue(math.isnan(found.figure("lex8h").value))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)

    def test_a_stretch_ends_before_the_sample_whose_middle_it_does_not_reach(self) -> None:
        """Sample k lasts from k to k + 1 s, its middle is k + 0.5: 3.0 to 5.0 s are samples 3 and 4, to 5.49 s as well, to 5.51 s also 5."""
        for end_s, wanted in ((5.0, [3, 4]), (5.49, [3, 4]), (5.51, [3, 4, 5]), (4.5, [3]), (4.51, [3, 4])):
            with self.subTest(end_s=end_s):
                flags = samples_inside((Stretch(3.0, end_s, "x"),), 8, 1.0)
                self.assertEqual(np.flatnonzero(flags).tolist(), wanted)
        for start_s, wanted in ((3.49, [3, 4]), (3.5, [3, 4]), (3.51, [4])):
            with self.subTest(start_s=start_s):
                flags = samples_inside((Stretch(start_s, 5.0, "x"),), 8, 1.0)
                self.assertEqual(np.flatnonzero(flags).tolist(), wanted)

    def test_stretch_edges_fall_between_samples(self) -> None:
        flags = samples_inside((Stretch(2.4, 4.6, "x"),), 8, 1.0)
        self.assertEqual(np.flatnonzero(flags).tolist(), [2, 3, 4])
        with self.assertRaises(ValueError):
            Stretch(5, 5, "x")


class Tasks(unittest.TestCase):
    def test_task_shares_add_up(self) -> None:
        day = np.concatenate([steady(80, 4), steady(94, 1), steady(70, 3)])
        tasks = (Stretch(0, 4 * 3600, "feed control"), Stretch(4 * 3600, 5 * 3600, "liner change"))
        table = next(t for t in assess(recording(day), Review(tasks=tasks), EU).reviewed.tables if t.key == "tasks")
        rows = {r[0]: r for r in table.rows}
        self.assertAlmostEqual(rows["liner change"][2], 94.0, places=6)
        self.assertAlmostEqual(rows["liner change"][3], 94 - 9.0309, places=4)  # 10 log10(1/8)
        self.assertAlmostEqual(sum(float(r[4]) for r in table.rows), 100.0, places=6)
        # the tasks' LEX,8h,m add up to the day's
        total = 10 * math.log10(sum(10 ** (float(r[3]) / 10) for r in table.rows))
        self.assertAlmostEqual(total, assess(recording(day), Review(), EU).reviewed.figure("lex8h").value, places=6)

    def test_the_stretch_that_makes_half_of_the_dose(self) -> None:
        # one hour at 100 in seven at 70: the hour holds 99.3 % of the energy, so half of it takes half an hour
        day = np.concatenate([steady(70, 4), steady(100, 1), steady(70, 3)])
        table = next(t for t in assess(recording(day), Review(), EU).reviewed.tables if t.key == "half")
        [(start, end, level)] = table.rows
        self.assertTrue(4 * 3600 <= float(start) < float(end) <= 5 * 3600)
        self.assertAlmostEqual(float(end) - float(start), 1812, delta=2)
        self.assertAlmostEqual(float(level), 100.0, places=6)

    def test_hours_on_the_wall_over_the_end_of_summer_time(self) -> None:
        # Starts at 01:00 UTC+2 with an hour each of 80, 90, 100 dB; at 03:00 the clock goes back to 02:00.
        start = datetime(2026, 10, 24, 23, 0, tzinfo=UTC).timestamp()
        back = Event(7200.0, "utc-offset", "", {"utc_offset_min": 60})
        day = np.concatenate([steady(80, 1), steady(90, 1), steady(100, 1)])
        for fraction in (0.0, -0.3, 0.3):
            with self.subTest(fraction=fraction):
                made = replace(recording(day, events=(*CHECKED, back)), start=start + fraction, utc_offset_min=120)
                rows = assess(made, Review(), EU).reviewed.table("hours").rows
                self.assertEqual([clock_words(made, float(row[0])) for row in rows], ["01:00", "02:00", "02:00"])
                # shares of 10^8, 10^9, 10^10
                for row, share in zip(rows, (100 / 111, 1000 / 111, 10_000 / 111), strict=True):
                    self.assertAlmostEqual(float(row[2]), share, places=6)

    def test_overlapping_tasks_are_counted_once(self) -> None:
        tasks = (Stretch(0, 4 * 3600, "a"), Stretch(2 * 3600, 8 * 3600, "b"))
        found = assess(recording(steady(80, 8)), Review(tasks=tasks), EU).reviewed
        table = next(t for t in found.tables if t.key == "tasks")
        self.assertAlmostEqual(sum(float(r[1]) for r in table.rows), 8 * 3600)


class Suggestions(unittest.TestCase):
    def found(self, **wish: object) -> list[str]:
        made = krec.read(recording_file(**wish))
        return [s.code for s in assess(made, Review(), EU).reviewed.suggestions]

    def test_the_knock_put_in_is_found_over_many_seeds(self) -> None:
        hits = sum("knock" in self.found(seed=seed) for seed in range(20))
        self.assertEqual(hits, 20)

    def test_a_meter_in_a_drawer(self) -> None:
        day = np.concatenate([np.random.default_rng(1).normal(80, 4, 7200), steady(42, 1) + np.tile([0.3, -0.3], 1800)])
        motion = np.concatenate([np.ones(7200), np.zeros(3600)])
        made = recording(day)
        channels = dict(made.channels) | {"motion": Channel("motion", "Motion", "flag", 1.0, motion)}
        found = assess(Recording("noise", 0, 0, channels, (), SETUP), Review(), EU).reviewed.suggestions
        self.assertEqual([(s.code, s.start_s, s.end_s) for s in found], [("flat", 7200, 10_800)])

    def test_overload_is_found_and_what_is_left_out_is_not_suggested_again(self) -> None:
        overload = np.zeros(3600)
        overload[100:110] = 1
        channels = dict(recording(steady(80, 1)).channels)
        channels["overload"] = Channel("overload", "Overload", "flag", 1.0, overload)
        made = Recording("noise", 0, 0, channels, (), SETUP)
        self.assertEqual([s.code for s in assess(made, Review(), EU).reviewed.suggestions], ["overload"])
        done = Review(left_out=(Stretch(95, 115, "overload"),))
        self.assertEqual(assess(made, done, EU).reviewed.suggestions, ())


class Edges(unittest.TestCase):
    def test_empty_one_sample_all_nan(self) -> None:
        for values in (np.empty(0), np.full(100, math.nan)):
            found = assess(recording(values), Review(), EU).reviewed
            self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
            self.assertTrue(math.isnan(found.figure("lex8h").value))
        one = assess(recording(np.array([80.0])), Review(), EU).reviewed
        self.assertAlmostEqual(one.figure("laeq").value, 80.0)

    def test_all_below_the_threshold_is_a_dose_of_zero_but_no_twa(self) -> None:
        found = assess(recording(steady(60, 8)), Review(), US).reviewed
        self.assertEqual(found.figure("setup2.dose").value, 0.0)
        self.assertEqual(found.figure("setup2.twa").value, -math.inf)
        self.assertIs(found.verdict, Verdict.WITHIN)
        self.assertIn("below the threshold", found.figure("setup2.twa").note)

    def test_every_figure_says_why_and_names_its_source(self) -> None:
        for figure in assess(recording(steady(80, 8)), Review(), US).reviewed.figures:
            with self.subTest(figure=figure.key):
                self.assertTrue(figure.why.formula and figure.why.source)
                self.assertEqual(figure.why.samples_used, 28_800)

    def test_no_level_channel_is_an_error_that_says_so(self) -> None:
        with self.assertRaisesRegex(ValueError, "no level channel"):
            assess(Recording("noise", 0, 0, {}, (), {}), Review(), EU)
