"""The generator does what it says: its truth is in the signal."""

import unittest

import numpy as np

from kumpel.core.noise import levels
from kumpel.standins import noise_signal
from kumpel.standins.devices import noise
from kumpel.standins.noise_signal import Segment, Shift
from tests.support import recording_file


class Signal(unittest.TestCase):
    def test_the_same_seed_makes_the_same_shift(self) -> None:
        first, second = (noise_signal.make(noise_signal.usual_shift(5)) for _ in range(2))
        for key, values in first.channels.items():
            np.testing.assert_array_equal(values, second.channels[key])
        other = noise_signal.make(noise_signal.usual_shift(6))
        self.assertFalse(np.array_equal(first.channels["leq.1"], other.channels["leq.1"]))

    def test_segments_have_their_length_and_about_their_level(self) -> None:
        for seed in range(10):
            shift = Shift((Segment("a", 3600, 80.0), Segment("b", 1800, 95.0), Segment("c", 600, 60.0)), seed)
            made = noise_signal.make(shift)
            self.assertEqual(made.length_s, 6000)
            for start, end, level in ((0, 3600, 80), (3600, 5400, 95), (5400, 6000, 60)):
                found = float(np.mean(made.channels["leq.1"][start:end]))
                self.assertAlmostEqual(found, level, delta=2.0, msg=f"seed {seed}")

    def test_a_usual_shift_is_as_long_as_asked_for_at_any_length(self) -> None:
        for length in (600, 3601, 27_660, 28_800, 50_000):
            self.assertEqual(noise_signal.make(noise_signal.usual_shift(1, length)).length_s, length)

    def test_knocks_impacts_overloads_and_gaps_are_where_they_were_put(self) -> None:
        shift = Shift(
            (Segment("a", 1000, 75.0),),
            2,
            knocks_s=(100,),
            overloads_s=((200, 210),),
            gaps_s=((300, 320),),
            impacts_s=(500,),
            impact_peak_db=138.0,
        )
        made = noise_signal.make(shift).channels
        self.assertGreaterEqual(made["peak"][100] - made["leq.1"][100], 40)
        self.assertEqual(np.flatnonzero(made["overload"] > 0).tolist(), list(range(200, 210)))
        self.assertEqual(np.flatnonzero(np.isnan(made["leq.1"])).tolist(), list(range(300, 320)))
        self.assertEqual(made["peak"][500], 138.0)

    def test_a_meter_in_a_drawer_does_not_move(self) -> None:
        made = noise_signal.make(Shift((Segment("x", 900, 40.0, worn=False),), 3)).channels
        self.assertEqual(float(made["motion"].sum()), 0.0)
        self.assertLess(float(np.ptp(made["leq.1"])), 2.0)

    def test_the_highest_level_of_a_second_is_not_below_its_mean(self) -> None:
        made = noise_signal.make(noise_signal.usual_shift(4)).channels
        for number in (1, 2, 3):
            self.assertTrue(np.all(made[f"max.{number}"] >= made[f"leq.{number}"]))
        self.assertTrue(np.all(made["peak"] > made["leq.1"]))

    def test_slow_weighting_keeps_the_energy(self) -> None:
        made = noise_signal.make(noise_signal.usual_shift(9)).channels
        self.assertAlmostEqual(levels.mean_level(made["leq.1"]), levels.mean_level(made["leq.2"]), delta=0.05)


class Files(unittest.TestCase):
    def test_wishes_reach_the_file(self) -> None:
        from kumpel.formats import krec

        found = krec.read(recording_file(3600, impact_peak_db=141.0, drift_db=0.7))
        peak = found.values("peak")
        assert peak is not None
        self.assertAlmostEqual(float(np.nanmax(peak)), 141.0, places=2)
        reads = {e.code: e.data["read_db"] for e in found.events if "read_db" in e.data}
        self.assertEqual(reads, {"check-before": 114.1, "check-after": 114.8})

    def test_worn_for_a_part_only(self) -> None:
        from kumpel.formats import krec

        self.assertEqual(krec.read(recording_file(11_100, worn_s=11_100)).length_s, 11_100)

    def test_a_few_seconds_have_no_checks(self) -> None:
        from kumpel.formats import krec

        found = krec.read(recording_file(9))
        self.assertEqual([e.code for e in found.events], ["on"])
        self.assertEqual(found.length_s, 9)

    def test_channels_follow_the_setup(self) -> None:
        setup = {"weightings": [noise.FACTORY_SETUP["weightings"][0] | {"frequency": "Z"}]}
        heads = noise.channel_heads(setup)
        self.assertEqual([h.key for h in heads], ["leq.1", "max.1", "peak", "motion", "overload"])
        self.assertEqual(heads[0].unit, "dB")
