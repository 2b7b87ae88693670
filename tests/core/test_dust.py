"""A dust monitor's session: factor, runs, day means, the rule of n stretches in 24 h."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment, LimitSet, Rule, Step, Verdict
from kumpel.core.dust.assess import assess
from kumpel.core.dust.day_means import day_means
from kumpel.core.dust.stretches import Line, stretches_above, stretches_proven
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import dust_signal
from kumpel.standins.dust_signal import Runs, make

GENERAL, AIR, STRETCHES, _ = shipped("kumpel.kinds.dust")


def counting(limits: LimitSet, guideline: float, fraction: str) -> LimitSet:
    """A rule that a house makes: three stretches above a value within 24 h need action."""
    step = Step(3, Verdict.ACTION, "number that needs action")
    rule = Rule("stretches_24h", "Stretches in 24 h", "", (step,), {"fraction": fraction, "guideline": guideline})
    return replace(limits, rules=(*limits.rules, rule))


ZERO = Event(0, "zero-check", "", {"passed": True})
MIDNIGHT = 1_795_046_400.0  # 2026-11-18 00:00 UTC


def recording(
    mass: np.ndarray,
    interval_s: float = 60.0,
    fraction: str = "PM10",
    factor: float = 1.0,
    events: tuple[Event, ...] = (ZERO,),
    flow: np.ndarray | None = None,
    start: float = MIDNIGHT,
) -> Recording:
    channels = {"mass": Channel("mass", "Mass", "mg/m3", interval_s, np.asarray(mass, float))}
    if flow is not None:
        channels["flow_fault"] = Channel("flow_fault", "Flow", "flag", interval_s, flow)
    return Recording("dust", start, 0, channels, events, {"fraction": fraction, "factor": factor})


def reviewed(made: Recording, review: Review | None = None, limits: object = AIR) -> Assessment:
    return assess(made, review or Review(), limits).reviewed


class Missing(unittest.TestCase):
    def test_minutes_that_were_not_measured_exceed_nothing(self) -> None:
        # Three hours, every third minute missing, all others at 0.9 mg/m3: 120 of 180 minutes were above 0.045.
        mass = np.full(1440, 0.01)
        mass[600:780] = 0.9
        mass[602:780:3] = math.nan
        found = reviewed(recording(mass), limits=AIR)
        self.assertEqual(found.figure("stretches_s").value, 120.0)
        self.assertEqual(found.figure("stretches").value, 1.0)
        self.assertEqual(sum(float(r[4]) for r in found.table("days").rows), 120.0)


class Means(unittest.TestCase):
    def test_factor_scales_the_reading_and_stays_apart(self) -> None:
        made = recording(np.full(480, 0.5), factor=2.0, fraction="PM4")
        both = assess(made, Review(factor=3.0), GENERAL)
        self.assertAlmostEqual(both.recorded.figure("mean").value, 1.0)
        self.assertAlmostEqual(both.reviewed.figure("mean").value, 1.5)
        numbers = {p.symbol: p.value for p in both.reviewed.figure("mean").why.numbers}
        self.assertEqual((numbers["k"], numbers["reading"]), (3.0, 0.5))
        self.assertIs(both.recorded.verdict, Verdict.WITHIN)
        self.assertIs(both.reviewed.verdict, Verdict.ABOVE)  # 1.5 over 1.25
        for wrong in (0.0, -1.0, math.nan):
            with self.assertRaisesRegex(ValueError, "above 0"):
                assess(made, Review(factor=wrong), GENERAL)

    def test_shift_and_quarter_hour(self) -> None:
        # 4 h at 2 and 4 h at 0.2: (8 + 0.8)/8 = 1.1
        found = reviewed(recording(np.repeat([2.0, 0.2], 240), fraction="PM4"), limits=GENERAL)
        self.assertAlmostEqual(found.figure("twa_shift").value, 1.1)
        self.assertAlmostEqual(found.figure("stel").value, 2.0)
        self.assertIs(found.verdict, Verdict.WITHIN)

    def test_calendar_day_and_moving_day(self) -> None:
        # 12 h at 0.02, 24 h at 0.06, 12 h at 0.02, from midnight: each calendar day 0.04, the moving day 0.06
        found = reviewed(recording(np.repeat([0.02, 0.06, 0.06, 0.02], 720)))
        self.assertAlmostEqual(found.figure("mean_day").value, 0.04)
        self.assertAlmostEqual(found.figure("mean_24h").value, 0.06)
        self.assertEqual(found.figure("mean_24h").at_s, 12 * 3600)
        self.assertIs(found.verdict, Verdict.ABOVE)
        self.assertEqual([round(float(r[1]), 6) for r in found.table("days").rows], [0.04, 0.04])

    def test_a_day_needs_three_quarters_of_its_hours(self) -> None:
        found = reviewed(recording(np.full(17 * 60, 0.06)))
        self.assertTrue(math.isnan(found.figure("mean_24h").value))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertAlmostEqual(reviewed(recording(np.full(18 * 60, 0.06))).figure("mean_24h").value, 0.06)

    def test_day_of_a_clock_change_is_one_day(self) -> None:
        # Europe, 2026-10-25: 0:00 at UTC+2; after 3 h the clock goes back one hour
        back = Event(3 * 3600, "utc-offset", "", {"utc_offset_min": 60})
        made = Recording(
            "dust", 1_792_879_200.0, 120, recording(np.full(26 * 60, 0.03)).channels, (ZERO, back), {"fraction": "PM10"}
        )
        rows = reviewed(made).table("days").rows
        self.assertEqual([r[0] for r in rows], [0.0, 25 * 3600.0])


class Stretches(unittest.TestCase):
    def day(self, hours: list[int], length: int = 48) -> Recording:
        values = np.full(length * 60, 0.02)
        for hour in hours:
            values[hour * 60 : hour * 60 + 5] = 0.05
        return recording(values)

    def test_one_that_is_too_short_is_none_and_missing_minutes_prove_nothing(self) -> None:
        # 14 min, 15 min with one minute missing in it, 10 min and after 3 missing ones 10 more: one of them lasts 15 min.
        mass = np.full(1440, 0.02)
        for first, end in ((60, 74), (200, 215), (400, 410), (413, 423)):
            mass[first:end] = 0.05
        mass[205] = mass[410] = mass[411] = mass[412] = math.nan
        for shortest, counted, proven in ((0.0, 4, 3), (10.0, 4, 3), (15.0, 1, 1), (16.0, 0, 0)):
            with self.subTest(shortest=shortest):
                line = Line(0.045, 60 * shortest)
                self.assertEqual(len(stretches_above(mass, 60.0, line)), counted)
                self.assertEqual(len(stretches_proven(mass, 60.0, line)), proven)
        found = reviewed(recording(mass), Review(options={"shortest_min": 15.0, "needs_action": 1.0}), STRETCHES)
        self.assertEqual(found.figure("stretches_24h").value, 1.0)
        self.assertIs(found.verdict, Verdict.ACTION)
        self.assertIs(
            reviewed(recording(mass), Review(options={"shortest_min": 16.0}), STRETCHES).verdict, Verdict.WITHIN
        )

    def test_a_rule_on_top_is_judged_where_the_set_has_none(self) -> None:
        # Two stretches above the shift limit of 1.25 in eight hours; the mean is far below it.
        mass = np.full(480, 0.1)
        mass[60:80] = mass[200:230] = 1.5
        respirable = recording(mass, fraction="PM4")
        plain = reviewed(respirable, Review(), GENERAL)
        self.assertIs(plain.verdict, Verdict.WITHIN)
        self.assertNotIn("stretches_24h", [j.figure for j in plain.judgements])
        for needs, verdict in ((2.0, Verdict.ACTION), (3.0, Verdict.WITHIN)):
            found = reviewed(respirable, Review(options={"needs_action": needs}), GENERAL)
            self.assertEqual((found.figure("stretches_24h").value, found.verdict), (2.0, verdict))

    def test_each_run_has_its_own_stretches_as_read_and_with_the_factor(self) -> None:
        # Two runs of 12 h: read 0.03 for 20 min in the first, which is 0.06 with a factor of 2; a flow fault in a tenth of the second.
        mass, flow = np.full(1440, 0.01), np.zeros(1440)
        mass[100:120] = 0.03
        flow[1000:1072] = 1
        ran = (ZERO, *(Event(at, "run", "", {"length_s": 43_200}) for at in (0.0, 43_200.0)))
        rows = reviewed(recording(mass, factor=2.0, events=ran, flow=flow), limits=STRETCHES).table("runs").rows
        names = [column.name for column in reviewed(recording(mass), limits=STRETCHES).table("runs").columns]
        first, second = (dict(zip(names, row, strict=True)) for row in rows)
        self.assertEqual((first["Stretches above"], first["As read"]), (1.0, 0.0))
        self.assertAlmostEqual(float(first["Highest 15 min"]), 0.06)
        self.assertAlmostEqual(float(first["Mean"]), (700 * 0.02 + 20 * 0.06) / 720)
        self.assertEqual(first["Verdict"], "within")
        self.assertEqual((second["Verdict"], second["Because"]), ("not assessable", "flow fault"))

    def test_the_moving_day_needs_three_quarters(self) -> None:
        values = np.repeat([0.02, 0.06, math.nan, 0.04], 12 * 60)
        means, step_s = day_means(values, 60.0)
        self.assertEqual((step_s, len(means)), (600.0, 48 * 6))
        at = {hour: float(means[hour * 6 - 1]) for hour in (17, 18, 24, 30, 31, 48)}
        self.assertTrue(math.isnan(at[17]) and math.isnan(at[31]) and math.isnan(at[48]))
        self.assertAlmostEqual(at[18], (12 * 0.02 + 6 * 0.06) / 18)
        self.assertAlmostEqual(at[24], 0.04)
        self.assertAlmostEqual(at[30], (6 * 0.02 + 12 * 0.06) / 18)

    def test_three_in_24_hours_need_action(self) -> None:
        house = counting(AIR, 0.045, "PM10")
        self.assertIs(reviewed(self.day([1, 10]), limits=house).verdict, Verdict.WITHIN)
        self.assertIs(reviewed(self.day([1, 10, 24]), limits=house).verdict, Verdict.ACTION)
        # the third begins 24 h after the first
        self.assertIs(reviewed(self.day([1, 10, 25]), limits=house).verdict, Verdict.WITHIN)
        self.assertNotIn("stretches_24h", {r.figure for r in AIR.rules}, "nobody else's guideline has such a number")
        found = reviewed(self.day([1, 10, 24]))
        self.assertEqual((found.figure("stretches").value, found.figure("stretches_s").value), (3, 15))

    def test_guideline_of_the_reviewer(self) -> None:
        self.assertEqual(
            reviewed(self.day([1, 10, 24]), Review(options={"guideline": 0.06})).figure("stretches").value, 0
        )
        with self.assertRaisesRegex(ValueError, "guideline"):
            reviewed(self.day([1]), Review(options={"guideline": "much"}))

    def test_exactly_the_guideline_is_not_above(self) -> None:
        self.assertEqual(reviewed(recording(np.full(1440, 0.045))).figure("stretches").value, 0)


class BadData(unittest.TestCase):
    def test_fraction_without_a_limit(self) -> None:
        found = reviewed(recording(np.full(1440, 0.01), fraction="PM1"))
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("no limit for PM1", " ".join(f.text for f in found.quality.findings))

    def test_zero_check_flow_units(self) -> None:
        failed = Event(0, "zero-check", "", {"passed": False})
        self.assertIs(reviewed(recording(np.full(1440, 0.01), events=(failed,))).verdict, Verdict.NOT_ASSESSABLE)
        flow = np.zeros(1440)
        flow[:200] = 1
        blocked = reviewed(recording(np.full(1440, 0.01), flow=flow))
        self.assertIs(blocked.verdict, Verdict.NOT_ASSESSABLE)
        self.assertEqual([(s.start_s, s.end_s) for s in blocked.suggestions], [(0.0, 12_000.0)])
        wrong = reviewed(recording(np.full(1440, 400.0)))
        self.assertIn("is the unit right", wrong.words)

    def test_empty_one_and_all_missing(self) -> None:
        for values in (np.empty(0), np.full(1, 0.01), np.full(600, np.nan)):
            found = reviewed(recording(values))
            self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
            self.assertFalse(any(f.value == 0 and f.key in ("mean", "min", "max", "twa8h") for f in found.figures))


class ManyRuns(unittest.TestCase):
    def test_each_run_is_a_row(self) -> None:
        made = make(Runs(run_s=3600, pause_s=1800, count=4, spread=0.0, level=0.4, above=((5400.0, 3600.0, 2.0),)))
        rows = reviewed(made.recording, limits=GENERAL).table("runs").rows
        self.assertEqual([r[0] for r in rows], [0, 5400, 10_800, 16_200])
        self.assertEqual([round(float(r[3]), 6) for r in rows], [0.4, 2.0, 0.4, 0.4])
        self.assertEqual([r[6] for r in rows], ["within", "above limit", "within", "within"])

    def test_without_marks_the_pauses_divide(self) -> None:
        values = np.concatenate([np.full(60, 0.1), np.full(10, np.nan), np.full(30, 0.3)])
        self.assertEqual([r[1] for r in reviewed(recording(values)).table("runs").rows], [3600, 1800])

    def test_found_is_what_was_put_in(self) -> None:
        for seed in range(20):
            made = make(dust_signal.usual_runs(seed))
            found = reviewed(made.recording, Review(options={"guideline": 1.1}), GENERAL)
            self.assertAlmostEqual(found.figure("mean").value / made.truth["mean"], 1.0, delta=0.01)
            self.assertEqual(found.figure("stretches_s").value, 30.0, seed)
        cut = assess(made.recording, Review(left_out=(Stretch(7200, 8100, "sweeping"),)), GENERAL)
        self.assertLess(cut.reviewed.figure("mean").value, cut.recorded.figure("mean").value)


if __name__ == "__main__":
    unittest.main()
