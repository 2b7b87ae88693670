"""Jaw muscles: RMS by hand, types of episodes at their edges, electrodes, heart link, found against put in."""

import math
import time
import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.core.assessment import Assessment, Detected, Verdict
from kumpel.core.jaw_muscle.assess import assess
from kumpel.core.jaw_muscle.close_up import close_up
from kumpel.core.jaw_muscle.muscle import (
    EMG_LIMITS,
    Activity,
    Clenches,
    Contraction,
    Electrode,
    activity,
    contractions,
    electrode_states,
    episodes,
    kind_of,
    reference_clench,
    united,
)
from kumpel.core.jaw_muscle.signals import signals_of
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Edge, Review, Stretch, Typed
from kumpel.kinds.limit_sets import shipped
from kumpel.standins.hard_night import hard_night
from kumpel.standins.hard_night import make as make_hard
from kumpel.standins.heart_signal import Heart
from kumpel.standins.jaw_muscle_signal import Burst, Group, Night, make, usual_groups
from kumpel.standins.made import Made

[SCREENING] = shipped("kumpel.kinds.jaw_muscle")


def reviewed(recording: Recording, review: Review | None = None) -> Assessment:
    return assess(recording, review or Review(), SCREENING).reviewed


def episodes_in(found: Assessment) -> list[Detected]:
    return [e for e in found.events if not e.code.startswith("clench.")]


def emg(values: np.ndarray, interval_s: float = 0.001, unit: str = "uV") -> Channel:
    return Channel("emg.left", "Masseter left", unit, interval_s, values)


def lane(rms: np.ndarray) -> Activity:
    return Activity(rms, np.zeros(len(rms) // 1000 + 1, np.int8), len(rms) / 100)


class Rms(unittest.TestCase):
    def test_a_sine_in_the_band(self) -> None:
        # 100 uV at 100 Hz passes the band: rms 100/sqrt(2) = 70.7
        t = np.arange(20_000) * 0.001
        found = activity(emg(100 * np.sin(2 * np.pi * 100 * t)))
        self.assertEqual(len(found.rms), 2000)
        self.assertAlmostEqual(float(np.median(found.rms)), 70.71, delta=0.8)

    def test_out_of_the_band_and_notch(self) -> None:
        t = np.arange(20_000) * 0.001
        slow = activity(emg(100 * np.sin(2 * np.pi * 2 * t)))
        self.assertLess(float(np.median(slow.rms)), 1.5)
        hum = emg(100 * np.sin(2 * np.pi * 50 * t))
        self.assertLess(float(np.median(activity(hum, 50.0).rms[500:])), 3.0)
        self.assertGreater(float(np.median(activity(hum).rms)), 60)

    def test_blocks_do_not_show(self) -> None:
        rng = np.random.default_rng(1)
        values = rng.normal(0, 10, 130_000)  # two blocks of a minute and a bit
        whole = activity(emg(values)).rms
        moved = activity(emg(np.concatenate([np.zeros(1000), values]))).rms[100:]
        self.assertLess(float(np.abs(whole[200:12_900] - moved[200:12_900]).max()), 1e-9)

    def test_units_rates_and_gaps(self) -> None:
        rng = np.random.default_rng(1)
        values = rng.normal(0, 20, 20_000)
        np.testing.assert_allclose(activity(emg(values / 1000, unit="mV")).rms, activity(emg(values)).rms)
        self.assertEqual(len(activity(emg(values, 1 / 800)).rms), 2500)
        with self.assertRaisesRegex(ValueError, "100 and more"):
            activity(emg(values, 0.02))
        values[5000:5010] = np.nan
        found = activity(emg(values)).rms
        self.assertEqual(int(np.isnan(found).sum()), 10)  # the ten windows that hold the gap
        self.assertEqual(len(activity(emg(np.empty(0))).rms), 0)


class Contractions(unittest.TestCase):
    def spans(self, rms: np.ndarray, counted: np.ndarray | None = None) -> list[tuple[float, float]]:
        found = lane(rms)
        flags = np.ones(len(rms), bool) if counted is None else counted
        return [(round(c.start_s, 6), round(c.end_s, 6)) for c in contractions(found, "left", 100.0, 0.1, 0.2, flags)]

    def test_quarter_second_threshold_and_hysteresis(self) -> None:
        rms = np.full(1000, 2.0)
        rms[100:125] = 10.0  # exactly 0.25 s at exactly the threshold
        rms[200:224] = 50.0  # 0.24 s
        rms[300:340] = 9.9  # below
        rms[400:450] = 12.0
        rms[420:430] = 8.5  # above (1 - 0.2) x 10: one contraction
        rms[500:550] = 12.0
        rms[520:522] = 7.9  # below: two
        self.assertEqual(self.spans(rms), [(1.0, 1.25), (4.0, 4.5), (5.22, 5.5)])
        rms[500:560] = 12.0
        rms[525:527] = 7.9
        self.assertEqual(self.spans(rms)[2:], [(5.0, 5.25), (5.27, 5.6)])

    def test_amplitude(self) -> None:
        rms = np.full(300, 1.0)
        rms[100:150], rms[150:200] = 40.0, 60.0
        [found] = contractions(lane(rms), "left", 200.0, 0.1, 0.2, np.ones(300, bool))
        self.assertEqual((found.mean_percent, found.peak_percent, found.length_s), (25, 30, 1.0))

    def test_what_does_not_count_ends_a_contraction(self) -> None:
        rms = np.full(1000, 50.0)
        counted = np.ones(1000, bool)
        counted[400:600] = False
        self.assertEqual(self.spans(rms, counted), [(0, 4), (6, 10)])


class Types(unittest.TestCase):
    def test_at_their_edges(self) -> None:
        for lengths, kind in (
            ([0.25, 2.0, 1.0], "phasic"),
            ([1.0, 1.0], "single"),
            ([1.0], "single"),
            ([2.0], "single"),
            ([2.01], "tonic"),
            ([2.01, 0.3], "mixed"),
            ([3.0, 3.0], "mixed"),
            ([1, 1, 1, 2.5], "mixed"),
        ):
            self.assertEqual(kind_of(lengths), kind, lengths)

    def test_closer_than_three_seconds(self) -> None:
        def at(start: float) -> Contraction:
            return Contraction("left", start, start + 1, 20, 30)

        self.assertEqual([len(e.contractions) for e in episodes([at(0), at(3.9), at(8.9)], "left")], [2, 1])
        self.assertEqual([len(e.contractions) for e in episodes([at(0), at(4.0)], "left")], [1, 1])

    def test_both_sides(self) -> None:
        left, right = (
            [Contraction("left", 0, 2, 20, 30)],
            [Contraction("right", 1, 4, 25, 28), Contraction("right", 5, 6, 9, 9)],
        )
        self.assertEqual([(c.start_s, c.end_s, c.peak_percent) for c in united(left, right)], [(0, 4, 30), (5, 6, 9)])


class Electrodes(unittest.TestCase):
    def state(self, values: np.ndarray, missing: np.ndarray | None = None) -> list[int]:
        return electrode_states(values, missing, 1000.0, EMG_LIMITS).tolist()

    def test_states(self) -> None:
        rng = np.random.default_rng(1)
        t = np.arange(10_000) * 0.001
        good = rng.normal(0, 5, 10_000)
        self.assertEqual(self.state(good), [Electrode.CONNECTED])
        self.assertEqual(self.state(np.zeros(10_000)), [Electrode.OFF])
        self.assertEqual(self.state(np.clip(5000 * np.sin(2 * np.pi * t), -2500, 2500)), [Electrode.OFF])
        self.assertEqual(self.state(good + 200 * np.sin(2 * np.pi * 50 * t)), [Electrode.OFF])
        self.assertEqual(self.state(good + 200 * np.sin(2 * np.pi * 60 * t)), [Electrode.OFF])
        self.assertEqual(self.state(good + 9 * np.sin(2 * np.pi * 50 * t)), [Electrode.DOUBTFUL])
        partly = good.copy()
        partly[:2000] = 0
        self.assertEqual(self.state(partly), [Electrode.DOUBTFUL])
        self.assertEqual(self.state(good, t < 7), [Electrode.OFF])

    def test_a_strong_clench_is_no_fault(self) -> None:
        self.assertEqual(self.state(np.random.default_rng(2).normal(0, 400, 10_000)), [Electrode.CONNECTED])

    def test_too_much_off_asks_for_a_repeat(self) -> None:
        base = Night(length_s=1200.0, groups=usual_groups(1, 1200.0, 30))
        for share, blocked in ((0.15, False), (0.3, True)):
            spans = ((1200 * (1 - share), 1200.0),)
            found = reviewed(make(replace(base, off_s={"left": spans, "right": spans})).recording)
            codes = [f.code for f in found.quality.findings if f.blocks]
            self.assertEqual(codes, ["electrode.left", "electrode.right"] if blocked else [])
            self.assertEqual(found.verdict is Verdict.NOT_ASSESSABLE, blocked)

    def test_one_side_off_leaves_nothing_of_both(self) -> None:
        base = Night(length_s=1200.0, groups=usual_groups(1, 1200.0, 30))
        for off in ("left", "right"):
            for share in (0.44, 0.92):
                found = reviewed(make(replace(base, off_s={off: ((1200 * (1 - share), 1200.0),)})).recording)
                with self.subTest(off=off, share=share):
                    self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
                    [judged] = [j for j in found.judgements if j.figure == "both.index"]
                    self.assertIn("repeat the test", judged.words)

    def test_the_other_side_stands_by_itself(self) -> None:
        base = Night(length_s=1200.0, groups=usual_groups(1, 1200.0, 30), off_s={"right": ((600.0, 1200.0),)})
        rules = tuple(
            replace(SCREENING.rules[0], figure=f"{s}.index", name=s, steps=SCREENING.rules[0].steps)
            for s in ("left", "right")
        )
        found = assess(make(base).recording, Review(), replace(SCREENING, rules=rules)).reviewed
        left, right = found.judgements
        self.assertIsNot(left.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIs(right.verdict, Verdict.NOT_ASSESSABLE)


class Clench(unittest.TestCase):
    def test_three_two_and_none(self) -> None:
        for count in (3, 2):
            found = reference_clench(
                activity(make(Night(length_s=200.0, clenches=count)).recording.channels["emg.left"])
            )
            self.assertEqual(len(found.at_s), count)
            self.assertAlmostEqual(found.level_uv / 200, 1.0, delta=0.15)
        none = make(Night(length_s=700.0, clenches=0, groups=usual_groups(1, 700.0, 40))).recording
        found = reviewed(none)
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertIn("no clench found", found.words)
        self.assertTrue(math.isnan(found.figure("both.index").value))
        self.assertFalse(math.isnan(reviewed(none, Review(options={"reference_uv": 200})).figure("both.index").value))

    def test_how_many_within_which_time_and_which_of_their_peaks(self) -> None:
        """One alone is the highest of three; their median lies between their lowest and that, as their mean does."""
        made = make(Night(length_s=700.0, clenches=3, groups=usual_groups(1, 700.0, 40))).recording
        found = activity(made.channels["emg.left"])
        usual = reference_clench(found)
        strongest = reference_clench(found, Clenches(count=1))
        self.assertEqual(len(strongest.at_s), 1)
        self.assertEqual(reference_clench(found, Clenches(of_peaks="highest")).level_uv, strongest.level_uv)
        middle = reference_clench(found, Clenches(of_peaks="median")).level_uv
        self.assertLess(min(usual.level_uv, middle), strongest.level_uv)
        first = reference_clench(found, Clenches(within_s=usual.at_s[1] - 1.0))
        self.assertEqual(first.at_s, usual.at_s[:1])
        set_so = reviewed(made, Review(options={"clenches": 1, "clench_mean": "highest"}))
        self.assertEqual(
            set_so.figure("left.clench").why.formula, "highest of the peaks of the strongest clench in the first 3 min"
        )
        self.assertAlmostEqual(set_so.figure("left.clench").value, strongest.level_uv)
        with self.assertRaisesRegex(ValueError, "1 to 10 clenches"):
            reviewed(made, Review(options={"clenches": 11}))

    def test_which_of_them_count_is_said_one_by_one(self) -> None:
        """Five clenches: without the strongest the next three make 100 %; one that is kept counts beside; none is left, nothing is told."""
        made = make(Night(length_s=700.0, clenches=5, groups=usual_groups(1, 700.0, 40))).recording
        plain = reviewed(made)
        clenches = [e for e in plain.events if e.code == "clench.left"]
        self.assertEqual([e.kept for e in clenches].count(True), 3)
        self.assertEqual(len(clenches), 5)
        used = [e for e in clenches if e.kept]
        mean = sum(float(e.numbers["level uV"]) for e in used) / 3
        self.assertAlmostEqual(plain.figure("left.clench").value, mean)
        without = reviewed(made, Review(dropped=(used[0].key,)))
        kept = [e for e in without.events if e.code == "clench.left" and e.kept]
        self.assertEqual(len(kept), 3)
        self.assertNotIn(used[0].at_s, [e.at_s for e in kept])
        other = next(e for e in clenches if not e.kept)
        four = reviewed(made, Review(kept=(other.key,)))
        self.assertAlmostEqual(four.figure("left.clench").value, (3 * mean + float(other.numbers["level uV"])) / 4)
        self.assertEqual(four.figure("left.clench").why.numbers[0].value, 4.0)
        self.assertEqual(four.figure("right.clench").value, plain.figure("right.clench").value)
        none = reviewed(made, Review(dropped=tuple(e.key for e in plain.events if e.code.startswith("clench."))))
        self.assertIs(none.verdict, Verdict.NOT_ASSESSABLE)
        self.assertEqual(len([e for e in none.events if e.code == "clench.left"]), 5)


class ByHand(unittest.TestCase):
    """Three bursts of half a second, then after 5 s one of 3 s: a phasic and a tonic episode of the left side."""

    def setUp(self) -> None:
        bursts = tuple(Burst("left", 300.0 + 1.5 * i, 0.5, 0.6) for i in range(3))
        groups = (Group("phasic", bursts), Group("tonic", (Burst("left", 309.0, 3.0, 0.6),)))
        self.made = make(Night(length_s=700.0, groups=groups)).recording
        self.plain = reviewed(self.made)

    def found(self, **said: Any) -> list[tuple[str, float]]:
        again = reviewed(self.made, Review(**said))
        return [(e.code, float(e.numbers["contractions"])) for e in episodes_in(again)]

    def test_split_joined_and_given_another_type(self) -> None:
        first, second = episodes_in(self.plain)
        self.assertEqual(self.found(), [("left.phasic", 3.0), ("left.tonic", 1.0)])
        self.assertEqual(self.found(edges=(Edge("left", second.at_s, False),)), [("left.mixed", 4.0)])
        apart = (Edge("left", first.at_s + 1.5, True),)
        self.assertEqual(self.found(edges=apart), [("left.single", 1.0), ("left.single", 2.0), ("left.tonic", 1.0)])
        self.assertEqual(self.found(edges=(Edge("right", second.at_s, False),)), self.found())
        typed = (Typed(f"left@{second.at_s:.3f}", "single"),)
        self.assertEqual(self.found(typed=typed), [("left.phasic", 3.0), ("left.single", 1.0)])

    def test_both_sides_are_of_the_type_that_was_given_where_their_sides_agree(self) -> None:
        """The same bursts on both sides: typed on one they do not agree, and stay phasic as found; on both they are tonic."""
        bursts = tuple(Burst("both", 300.0 + 1.5 * i, 0.5, 0.6) for i in range(3))
        made = make(Night(length_s=700.0, groups=(Group("phasic", bursts),))).recording
        keys = {
            e.code.partition(".")[0]: f"{e.code.partition('.')[0]}@{e.at_s:.3f}" for e in episodes_in(reviewed(made))
        }
        for sides, wanted in ((("left",), "phasic"), (("left", "right"), "tonic")):
            typed = tuple(Typed(keys[side], "tonic") for side in sides)
            self.assertGreater(reviewed(made, Review(typed=typed)).figure(f"both.{wanted}").value, 0)

    def test_a_thousand_edges_and_types_take_no_longer_than_the_night(self) -> None:
        """Whoever may decide cannot make the server work for minutes."""
        found = [Contraction("left", 10.0 * i, 10.0 * i + 1.0, 50.0, 60.0) for i in range(5000)]
        edges = tuple(Edge("left", 10.0 * i, i % 2 == 0) for i in range(5000))
        began = time.monotonic()
        self.assertEqual(len(episodes(found, "left", edges)), 2500)
        self.assertLess(time.monotonic() - began, 2.0)

    def test_figures_follow_and_what_was_recorded_does_not(self) -> None:
        first, second = episodes_in(self.plain)
        said = Review(edges=(Edge("left", second.at_s, False),), typed=(Typed(f"left@{first.at_s:.3f}", "phasic"),))
        both = assess(self.made, said, SCREENING)
        hours = both.reviewed.figure("both.valid").value
        for side in ("left", "both"):
            self.assertAlmostEqual(both.reviewed.figure(f"{side}.index").value, 1 / hours)
            self.assertAlmostEqual(both.reviewed.figure(f"{side}.phasic").value, 1 / hours)
            self.assertAlmostEqual(both.recorded.figure(f"{side}.index").value, 2 / hours)
        self.assertEqual(both.reviewed.figure("both.contractions").value, 4)

    def test_an_edge_is_followed_when_a_method_moves_it_and_dropped_episodes_keep_their_place(self) -> None:
        first, second = episodes_in(self.plain)
        near = (Edge("left", second.at_s + 0.3, False),)
        self.assertEqual(self.found(edges=near), [("left.mixed", 4.0)])
        self.assertEqual(self.found(edges=(Edge("left", second.at_s + 0.8, False),)), self.found())
        both = assess(self.made, Review(edges=near, dropped=(f"left.mixed@{first.at_s:.3f}",)), SCREENING)
        self.assertEqual(both.reviewed.figure("left.contractions").value, 0)


class Hard(unittest.TestCase):
    """Nights with everything that looks like an episode (`./kumpel bench detection` has the table)."""

    def nowhere(self, made: Made) -> tuple[int, int, int]:
        """How many sides of episodes were put in, how many found, and how many found where nothing was."""
        events = episodes_in(reviewed(made.recording))
        sides = [
            (side, t["start_s"], t["end_s"])
            for t in made.truth["episodes"]
            for side in (("left", "right") if t["side"] == "both" else (t["side"],))
        ]

        def meets(event: Detected, start: float, end: float) -> bool:
            return event.at_s < end + 0.5 and event.end_s > start - 0.5

        found = sum(any(e.code.startswith(s) and meets(e, a, b) for e in events) for s, a, b in sides)
        known = [*((a, b) for _, a, b in sides), *((a, b) for _, a, b in made.truth["spells"])]
        return len(sides), found, sum(not any(meets(e, a, b) for a, b in known) for e in events)

    def test_all_are_found_and_none_where_nothing_was(self) -> None:
        put_in, found, nowhere = self.nowhere(make_hard(hard_night(0, 18.0, 1200.0)))
        self.assertGreater(put_in, 10)
        self.assertEqual((found, nowhere), (put_in, 0))

    def test_a_background_as_loud_as_the_threshold_is_left_out_and_said(self) -> None:
        """6 dB: a burst of 20 % stands just twice over it, the threshold of 10 % in it. Without a word, hundreds an hour would be found."""
        made = make_hard(hard_night(0, 6.0, 1200.0, spoilt=False))
        found = reviewed(made.recording)
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertEqual(self.nowhere(made)[2], 0)
        [left] = [f for f in found.quality.findings if f.code == "background.left"]
        self.assertIn("as strong as the threshold for 100 % of the sleep", left.text)
        contact = next(t for t in found.tables if t.key == "contact")
        self.assertIn("too loud", [row[3] for row in contact.rows])
        higher = reviewed(made.recording, Review(options={"threshold": 15}))
        self.assertFalse([f for f in higher.quality.findings if f.code == "background.left"])

    def test_a_clench_that_flickers_is_one(self) -> None:
        made = make_hard(hard_night(2, 12.0, 700.0))
        for side in ("left", "right"):
            self.assertEqual(len(reference_clench(activity(made.recording.channels[f"emg.{side}"])).at_s), 3)

    def test_a_tight_minute_is_no_background(self) -> None:
        """Half of a level for a minute within ten: the background stays what is around it; where nothing was measured nothing is known."""
        rms = np.full(60_000, 2.0)
        rms[20_000:26_000] = 50.0
        rms[40_000:42_000] = np.nan
        found = lane(rms)
        self.assertEqual(float(np.nanmax(found.background)), 2.0)
        self.assertFalse(found.drowned(10.0).any())
        self.assertTrue(found.drowned(2.1)[:40_000].all())
        self.assertFalse(found.drowned(2.1)[40_000:42_000].any())


class AgainstTheSignal(unittest.TestCase):
    def test_many_nights(self) -> None:
        put_in = found_once = right_kind = said = 0
        for seed in range(12):
            made = make(
                Night(
                    seed=seed, length_s=1500.0, groups=usual_groups(seed, 1500.0, 30), mains_uv=3.0 if seed % 2 else 0.0
                )
            )
            events = episodes_in(reviewed(made.recording))
            said += len(events)
            for truth in made.truth["episodes"]:
                for side in ("left", "right") if truth["side"] == "both" else (truth["side"],):
                    put_in += 1
                    near = [
                        e
                        for e in events
                        if e.code.startswith(side)
                        and e.at_s < truth["end_s"] + 0.2
                        and e.end_s > truth["start_s"] - 0.2
                    ]
                    if len(near) == 1:
                        found_once += 1
                        right_kind += near[0].code == f"{side}.{truth['kind']}"
                        self.assertLess(abs(near[0].at_s - truth["start_s"]), 0.12)
                        self.assertLess(abs(near[0].end_s - truth["end_s"]), 0.12)
        self.assertGreater(put_in, 100)
        self.assertGreater(found_once / put_in, 0.995)
        self.assertGreater(right_kind / put_in, 0.99)
        self.assertGreater(found_once / said, 0.995)

    def test_heart_link(self) -> None:
        hits = known = 0
        for seed in range(6):
            groups = tuple(
                Group("single", (Burst("both", 240.0 + 60 * i, 1.0, 0.6),), 0.25 if i % 2 else 0.0) for i in range(18)
            )
            made = make(
                Night(seed=seed, length_s=1400.0, interval_s=0.002, groups=groups, heart=Heart(((0.0, 60.0),), 0.02))
            )
            for event, truth in zip(
                [e for e in reviewed(made.recording).events if e.code == "left.single"],
                made.truth["episodes"],
                strict=True,
            ):
                rise = float(event.numbers["heart rise %"])
                known += 1
                hits += (rise >= 10) == truth["linked"]
        self.assertEqual(hits, known)

    def test_sleep_of_the_reviewer_and_dropped_episodes(self) -> None:
        made = make(Night(length_s=1500.0, groups=usual_groups(3, 1500.0, 30))).recording
        all_of_it = assess(made, Review(), SCREENING).reviewed
        first = episodes_in(all_of_it)[0]
        both = assess(made, Review(dropped=(first.key,)), SCREENING)
        side = first.code.split(".")[0]
        before, after = (
            both.recorded.figure(f"{side}.contractions").value,
            both.reviewed.figure(f"{side}.contractions").value,
        )
        self.assertEqual(before - after, float(first.numbers["contractions"]))
        self.assertFalse(next(e for e in both.reviewed.events if e.key == first.key).kept)
        half = reviewed(made, Review(asleep=(Stretch(180, 800, "asleep"),)))
        self.assertTrue(all(e.at_s < 800 for e in episodes_in(half)))
        self.assertAlmostEqual(half.figure("both.valid").value, 620 / 3600, places=4)

    def test_nothing_to_assess(self) -> None:
        with self.assertRaisesRegex(ValueError, "no muscle channel"):
            reviewed(Recording("jaw_muscle", 0.0, 0, {}))
        for n in (0, 1, 500):
            found = reviewed(Recording("jaw_muscle", 0.0, 0, {"emg.left": emg(np.zeros(n))}))
            self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        with self.assertRaisesRegex(ValueError, "threshold"):
            reviewed(
                Recording("jaw_muscle", 0.0, 0, {"emg.left": emg(np.zeros(2000))}), Review(options={"threshold": 0})
            )


class Closely(unittest.TestCase):
    def test_what_is_worked_out_of_some_seconds_is_what_the_whole_night_says(self) -> None:
        """RMS within a hundredth of that of the whole night, the same beats to the millisecond; before the start there is nothing."""
        made = make(Night(3, 900.0, groups=usual_groups(3, 900.0, 60))).recording
        whole = signals_of(made)
        for start in (250.0, 600.0):
            found = close_up(made, Review(), start, start + 29.0)
            self.assertEqual([curve.key for curve in found.curves], ["rms.left", "rms.right"])
            for curve in found.curves:
                rms = whole.sides[curve.key.removeprefix("rms.")].rms
                first = round(curve.start_s / curve.step_s)
                self.assertEqual((first, len(curve.values)), (round(start * 100), 2900))
                np.testing.assert_allclose(curve.values, rms[first : first + 2900], rtol=0.01, atol=0.05)
            [beats] = found.moments
            assert whole.beats is not None
            at = whole.beats.at_s[(whole.beats.at_s >= start) & (whole.beats.at_s <= start + 29.0)]
            np.testing.assert_allclose(beats.at_s, at, atol=0.002)
            self.assertLess(float(np.isnan(beats.values).mean()), 0.2)
        self.assertEqual([len(c.values) for c in close_up(made, Review(), 890.0, 915.0).curves], [1000, 1000])


if __name__ == "__main__":
    unittest.main()
