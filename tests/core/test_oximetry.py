"""Overnight oximetry: every rule at its edge, artefacts, found against put in."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.oximetry.assess import assess
from kumpel.core.oximetry.desaturations import baseline, desaturations, jumps, pulse_rises
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review, Stretch
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import oximetry_signal
from kumpel.standins.oximetry_signal import make

[SCREENING] = shipped("kumpel.kinds.oximetry")


def recording(spo2: np.ndarray, interval_s: float = 1.0, **more: np.ndarray) -> Recording:
    made = {
        k: Channel(k, k, {"spo2": "%", "pulse": "bpm"}.get(k, "flag"), interval_s, np.asarray(v, float))
        for k, v in ({"spo2": spo2} | more).items()
    }
    return Recording("oximetry", 1_795_125_600.0, 60, made)


def reviewed(made: Recording, review: Review | None = None) -> Assessment:
    return assess(made, review or Review(), SCREENING).reviewed


def with_fall(depth: float, low_s: int, before: int = 300, after: int = 300, level: float = 96.0) -> np.ndarray:
    return np.concatenate([np.full(before, level), np.full(low_s, level - depth), np.full(after, level)])


class Artefacts(unittest.TestCase):
    def test_each_is_named_by_its_rule_and_given_back_it_counts(self) -> None:
        """Five hours at 96 %, a minute at 45 % in them: left out by rule; given back it is 60 s of 18,000 s below 90 %, a third of a percent."""
        values = np.full(18_000, 96.0)
        values[9000:9060] = 45.0
        plain = reviewed(recording(values))
        [event] = [each for each in plain.events if each.code == "artefact"]
        self.assertEqual((event.at_s, event.end_s, event.text, event.kept), (9000, 9060, "below 50 %, 60 s", False))
        self.assertEqual(plain.figure("t90").value, 0.0)
        self.assertEqual(plain.figure("lowest").value, 96.0)
        back = reviewed(recording(values), Review(kept=("artefact@9000.0+60.000",)))
        [event] = [each for each in back.events if each.code == "artefact"]
        self.assertTrue(event.kept)
        self.assertAlmostEqual(back.figure("t90").value, 100 * 60 / 18_000)
        self.assertEqual(back.figure("lowest").value, 45.0)
        self.assertEqual(back.figure("odi4").value, 1 / 5)
        again = assess(recording(values), Review(kept=("artefact@9000.0+60.000",)), SCREENING).recorded
        self.assertEqual(again.figure("lowest").value, 96.0, "as recorded nothing is given back")

    def test_what_was_not_measured_or_off_the_finger_is_no_artefact(self) -> None:
        values = np.full(18_000, 96.0)
        values[100:200] = np.nan
        off = np.zeros(18_000)
        off[300:400] = 1
        self.assertEqual([e for e in reviewed(recording(values, probe_off=off)).events if e.code == "artefact"], [])
        found = reviewed(recording(values, probe_off=off)).events
        named = [(e.at_s, e.end_s, e.kept) for e in found if e.code == "probe-off"]
        self.assertEqual(named, [(300.0, 400.0, True)])


class Tables(unittest.TestCase):
    def test_the_index_of_an_hour_is_over_its_valid_time(self) -> None:
        """From 22:00 on the wall (start 21:00 UTC + 60 min): half of the first hour is off, with two falls in the other half: 4 an hour."""
        values = np.full(4 * 3600, 96.0)
        for at in (2400, 3000):
            values[at : at + 20] = 92.0
        off = np.zeros(len(values))
        off[:1800] = 1
        made = recording(values, probe_off=off)
        made = Recording("oximetry", 1_795_122_000.0, 60, made.channels)
        first = reviewed(made).table("hours").rows[0]
        self.assertEqual(first[:6], (0.0, 30.0, 2.0, 4.0, 2.0, 4.0))
        self.assertEqual(len(reviewed(made).table("hours").rows), 4)

    def test_by_the_position_of_the_body(self) -> None:
        values = np.full(4 * 3600, 96.0)
        values[3000:3020] = 92.0
        position = np.where(np.arange(len(values)) < 7200, 1.0, 3.0)
        rows = {row[0]: row for row in reviewed(recording(values, position=position)).table("positions").rows}
        self.assertEqual(rows["on the back"][1:4], (120.0, 1.0, 0.5))
        self.assertEqual(rows["on the right side"][1:4], (120.0, 0.0, 0.0))
        without = reviewed(recording(values))
        self.assertNotIn("positions", [table.key for table in without.tables])


class Falls(unittest.TestCase):
    def test_depth_at_the_edge(self) -> None:
        self.assertEqual(len(desaturations(with_fall(3, 20), 1, 3)), 1)
        self.assertEqual(len(desaturations(with_fall(2.9, 20), 1, 3)), 0)
        self.assertEqual(len(desaturations(with_fall(3, 20), 1, 4)), 0)

    def test_length_at_the_edge(self) -> None:
        self.assertEqual(len(desaturations(with_fall(4, 10), 1, 4)), 1)
        self.assertEqual(len(desaturations(with_fall(4, 9), 1, 4)), 0)
        self.assertEqual(len(desaturations(with_fall(4, 5), 2, 4)), 1)  # five samples of 2 s
        self.assertEqual(len(desaturations(with_fall(4, 4), 2, 4)), 0)

    def test_it_ends_within_one_point_of_the_baseline(self) -> None:
        values = np.concatenate([np.full(200, 96.0), np.full(20, 90.0), np.full(30, 94.9), np.full(50, 95.0)])
        [found] = desaturations(values, 1, 3)
        self.assertEqual((found.start_s, found.end_s, found.baseline, found.lowest), (200, 250, 96, 90))

    def test_after_180_seconds_it_is_over_and_the_new_level_is_the_baseline(self) -> None:
        values = np.concatenate([np.full(200, 96.0), np.full(1000, 90.0)])
        [found] = desaturations(values, 1, 3)
        self.assertEqual((found.start_s, found.end_s), (200, 380))

    def test_a_second_fall_right_after_the_first_has_a_lower_baseline(self) -> None:
        values = np.concatenate(
            [np.full(120, 96.0), np.full(60, 90.0), np.full(60, 96.0), np.full(20, 89.0), np.full(60, 96.0)]
        )
        first, second = desaturations(values, 1, 3)
        self.assertEqual(first.baseline, 96)
        self.assertEqual(second.baseline, 93)  # 60 s at 90 and 60 s at 96
        self.assertEqual(second.fall, 4)

    def test_baseline_is_of_the_preceding_two_minutes_and_needs_half_a_minute(self) -> None:
        values = np.concatenate([np.full(100, 90.0), np.full(121, 96.0)])
        found = baseline(values, 1)
        self.assertTrue(np.isnan(found[:30]).all())
        self.assertEqual(found[30], 90)
        self.assertAlmostEqual(found[160], (60 * 90 + 60 * 96) / 120)
        self.assertEqual(found[220], 96)

    def test_invalid_samples_neither_keep_nor_end_a_fall(self) -> None:
        values = with_fall(5, 20)
        values[303:311] = np.nan
        self.assertEqual(len(desaturations(values, 1, 3)), 1)
        values[301:318] = np.nan  # more than 10 s unseen: one valid low sample is no fall of 10 s
        self.assertEqual(len(desaturations(values, 1, 3)), 0)

    def test_empty_one_and_all_missing(self) -> None:
        for values in (np.empty(0), np.full(1, 95.0), np.full(500, np.nan)):
            self.assertEqual(desaturations(values, 1, 3), [])
            self.assertEqual(pulse_rises(values, 1), [])


class BadData(unittest.TestCase):
    def test_jumps_at_the_edge(self) -> None:
        values = np.full(20, 96.0)
        values[5], values[10] = 92, 91
        self.assertEqual(np.flatnonzero(jumps(values, 1, np.ones(20, bool))).tolist(), [10])
        # every 2 s: 8 points are allowed
        values[5], values[10] = 88, 87
        self.assertEqual(np.flatnonzero(jumps(values, 2, np.ones(20, bool))).tolist(), [10])

    def test_a_step_is_doubted_until_the_time_allows_it(self) -> None:
        # 96 to 84: 12 points need 3 s; the third sample after the step counts again
        values = np.concatenate([np.full(10, 96.0), np.full(10, 84.0)])
        self.assertEqual(np.flatnonzero(jumps(values, 1, np.ones(20, bool))).tolist(), [10, 11])

    def test_left_out_and_counted(self) -> None:
        n = 5 * 3600
        spo2 = np.full(n, 95.0)
        spo2[:600] = 40
        off, moving = np.zeros(n), np.zeros(n)
        off[1000:1100] = 1
        moving[2000:2300] = 1
        found = reviewed(recording(spo2, probe_off=off, movement=moving))
        self.assertEqual(found.figure("valid").value * 3600, n - 600 - 100 - 300)
        self.assertEqual(found.figure("lowest").value, 95)
        rows = dict(found.table("bad").rows)
        self.assertEqual((rows["below 50 %"], rows["movement"]), (10, 5))

    def test_four_hours_valid(self) -> None:
        spo2 = np.full(4 * 3600, 95.0)
        spo2[::7] = 96
        self.assertIs(reviewed(recording(spo2)).verdict, Verdict.WITHIN)
        short = reviewed(recording(spo2[:-1]))
        self.assertIs(short.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("repeat", short.words)

    def test_fractions_and_constants(self) -> None:
        self.assertIs(reviewed(recording(np.full(5 * 3600, 0.96))).verdict, Verdict.NOT_ASSESSABLE)
        self.assertIs(reviewed(recording(np.full(5 * 3600, 96.0))).verdict, Verdict.NOT_ASSESSABLE)

    def test_nothing_measured(self) -> None:
        found = reviewed(recording(np.full(100, np.nan)))
        for key in ("mean", "lowest", "t90", "odi3", "odi4", "count3", "pulse_mean", "pulse_rises"):
            self.assertTrue(math.isnan(found.figure(key).value), key)
        with self.assertRaisesRegex(ValueError, "spo2"):
            reviewed(Recording("oximetry", 0.0, 0, {}))


class Figures(unittest.TestCase):
    def test_time_below(self) -> None:
        # 5 h: 0.25 h at 89.9 or 87, 90 itself is not below
        spo2 = np.concatenate(
            [np.full(2 * 3600, 94.0), np.full(3600 * 2 + 2700, 90.0), np.full(600, 89.9), np.full(300, 87.0)]
        )
        found = reviewed(recording(spo2))
        self.assertAlmostEqual(found.figure("t90").value, 5.0)
        self.assertAlmostEqual(found.figure("t90_min").value, 15.0)
        self.assertAlmostEqual(found.figure("t88_min").value, 5.0)
        self.assertIs({j.figure: j.verdict for j in found.judgements}["t90"], Verdict.ACTION)
        below = {r[0]: r[2] for r in found.table("below").rows}
        self.assertEqual((below[91], below[90], below[88], below[87]), (180, 15, 5, 0))

    def test_index_and_verdict_at_the_edges(self) -> None:
        def night(falls: int) -> Verdict:
            spo2 = np.full(5 * 3600, 96.0)
            for i in range(falls):
                spo2[200 + i * 200 : 215 + i * 200] = 92
            found = reviewed(recording(spo2))
            self.assertAlmostEqual(found.figure("odi4").value, falls / 5)
            return {j.figure: j.verdict for j in found.judgements}["odi4"]

        for falls, verdict in ((24, Verdict.WITHIN), (25, Verdict.ACTION), (75, Verdict.ACTION), (76, Verdict.ABOVE)):
            self.assertIs(night(falls), verdict, falls)

    def test_pulse_rises(self) -> None:
        pulse = np.full(600, 60.0)
        pulse[100:110] = 66
        pulse[300:310] = 65
        pulse[400:402] = np.nan
        self.assertEqual(len(pulse_rises(pulse, 1)), 1)
        slow = np.interp(np.arange(600), [100, 112, 200], [60, 66, 66])
        self.assertEqual(len(pulse_rises(slow, 1)), 0)  # 5 bpm within any 10 s

    def test_dropping_an_event(self) -> None:
        spo2 = np.tile(with_fall(5, 30), 30)
        made = recording(spo2)
        first = next(e for e in reviewed(made).events if e.code == "desaturation4")
        both = assess(made, Review(dropped=(first.key,)), SCREENING)
        self.assertEqual(both.recorded.figure("count4").value - both.reviewed.figure("count4").value, 1)
        self.assertFalse(next(e for e in both.reviewed.events if e.key == first.key).kept)

    def test_left_out_stretch_takes_its_falls_and_hours_along(self) -> None:
        spo2 = np.concatenate([np.full(4 * 3600 + 300, 96.0), np.tile(with_fall(5, 30), 10)])
        found = reviewed(recording(spo2), Review(left_out=(Stretch(4 * 3600 + 300, len(spo2), "awake"),)))
        self.assertEqual(found.figure("count4").value, 0)
        self.assertAlmostEqual(found.figure("valid").value, 4 + 300 / 3600)


def by_the_letter(spo2: list[float], points: float) -> list[tuple[int, int]]:
    """The rule of docs/methods/oximetry.md sample by sample, at one a second: start and end of each fall."""
    found, i = [], 0
    while i < len(spo2):
        before = [v for v in spo2[max(i - 120, 0) : i] if v == v]
        if len(before) < 30 or not spo2[i] <= sum(before) / len(before) - points + 1e-9:
            i += 1
            continue
        level = sum(before) / len(before)
        end, low_until, seen_above, last, gap = None, i, False, i, False
        for j in range(i, min(i + 180, len(spo2))):
            if spo2[j] != spo2[j]:
                continue
            if j - last > 10:
                gap = True
                break
            last = j
            if not seen_above and spo2[j] <= level - points + 1e-9:
                low_until = j + 1
            elif not seen_above:
                seen_above, low_until = True, j
            if end is None and spo2[j] >= level - 1 - 1e-9:
                end = j
                break
        if not seen_above and not gap:
            low_until = last + 1
        if low_until - i < 10:
            i += 1
            continue
        stop = end if end is not None else last + 1
        found.append((i, stop))
        i = stop
    return found


class ByTheLetter(unittest.TestCase):
    def test_random_nights(self) -> None:
        for seed in range(60):
            rng = np.random.default_rng(seed)
            steps = rng.choice([-1, 0, 0, 0, 1], 1500)
            spo2 = np.clip(95 + np.cumsum(steps) - np.linspace(0, steps.sum(), 1500).round(), 70, 100)
            if seed % 3:
                for at in rng.integers(0, 1480, 12):
                    spo2[at : at + int(rng.integers(1, 20))] = np.nan
            for points in (3, 4):
                found = [(int(d.start_s), int(d.end_s)) for d in desaturations(spo2, 1.0, points)]
                self.assertEqual(found, by_the_letter(spo2.tolist(), points), f"{seed} {points}")


class AgainstTheSignal(unittest.TestCase):
    def test_many_nights(self) -> None:
        for seed in range(40):
            made = make(oximetry_signal.usual_night(seed))
            found = reviewed(made.recording)
            self.assertEqual(found.figure("count3").value, made.truth["count3"], seed)
            self.assertEqual(found.figure("count4").value, made.truth["count4"], seed)
            self.assertAlmostEqual(found.figure("valid").value * 3600, made.truth["valid_s"])
            starts = [e.at_s for e in found.events if e.code == "desaturation3"]
            for at, (true, _) in zip(starts, made.truth["falls"], strict=True):
                self.assertLess(abs(at - true), 20)
            rises = sum(e.code == "pulse-rise" for e in found.events)
            self.assertEqual(rises, made.truth["pulse_rises"], seed)


if __name__ == "__main__":
    unittest.main()
