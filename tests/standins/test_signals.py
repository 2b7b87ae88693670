"""The generators: the same seed makes the same recording, and every parameter does what it says."""

import unittest
from dataclasses import replace

import numpy as np

from kumpel.standins import (
    blood_pressure_signal,
    dust_signal,
    gas_signal,
    jaw_muscle_signal,
    oximetry_signal,
    resuscitation_signal,
    training_signal,
    vehicle_signal,
)
from kumpel.standins.heart_signal import Heart, beat_times, lead
from kumpel.standins.jaw_muscle_signal import Burst, Group, Night
from kumpel.standins.signals import SIGNALS
from kumpel.standins.vehicle_signal import CAR, KART, Drive, G, loop, ramp
from tests.core.driven import course_of


class Seeds(unittest.TestCase):
    def test_the_same_seed_makes_the_same_and_another_another(self) -> None:
        for kind, signal in SIGNALS.items():
            if kind == "jaw_muscle":
                continue
            a, b, c = signal(5), signal(5), signal(6)
            with self.subTest(kind=kind):
                self.assertEqual(a.truth, b.truth)
                self.assertEqual(a.recording.events, b.recording.events)
                for key, channel in a.recording.channels.items():
                    np.testing.assert_array_equal(channel.values, b.recording.channels[key].values)
                self.assertTrue(
                    any(
                        not np.array_equal(ch.values, c.recording.channels[k].values, equal_nan=True)
                        for k, ch in a.recording.channels.items()
                    )
                )


class Exposure(unittest.TestCase):
    def test_gas(self) -> None:
        made = gas_signal.make(
            gas_signal.Shift(
                gaps_s=((600, 1200),),
                top=50.0,
                episodes=(gas_signal.Episode("co", 3000, 600, 90.0),),
                switched_off=("h2s",),
                noise=0.0,
            )
        )
        co = made.recording.channels["co.avg"].values
        self.assertTrue(np.isnan(co[60:120]).all() and not np.isnan(co[:60]).any())
        self.assertEqual(float(np.nanmax(co)), 50.0)
        self.assertEqual([s["on"] for s in made.recording.setup["sensors"]], [True, True, True, False, True])
        self.assertEqual(made.truth["unlogged_min"], 10)

    def test_dust_has_the_mean_that_it_says(self) -> None:
        made = dust_signal.make(dust_signal.Runs(spread=0.5, factor=2.0, level=1.0, run_s=86_400))
        self.assertAlmostEqual(float(np.mean(made.recording.channels["mass"].values)) * 2.0, 1.0, delta=0.03)


class Bodies(unittest.TestCase):
    def test_blood_pressure(self) -> None:
        made = blood_pressure_signal.make(blood_pressure_signal.Day(failing=0.0, spread=0.0, dip_percent=20.0))
        awake = [r[1] for r in made.truth["readings"] if not r[4]]
        asleep = [r[1] for r in made.truth["readings"] if r[4]]
        self.assertEqual((set(awake), set(asleep)), ({138.0}, {110.0}))
        self.assertEqual(made.truth["failed"], 0)

    def test_oximetry(self) -> None:
        night = oximetry_signal.Night(falls=(oximetry_signal.Fall(1000, 10, 30, 10, 6.5),), noise=0.0, level=96.5)
        spo2 = oximetry_signal.make(night).recording.channels["spo2"].values
        self.assertEqual(set(spo2[1011:1039].tolist()), {90.0})
        self.assertEqual(float(spo2[990]), 96.0)

    def test_beats_lie_where_the_truth_says(self) -> None:
        rng = np.random.default_rng(1)
        heart = Heart(((0.0, 60.0),), 0.0)
        times, early = beat_times(heart, 30.0, rng)
        np.testing.assert_allclose(np.diff(times), 1.0)
        ecg = lead(times, early, 30.0, 0.001, heart, rng)
        for t in times:
            self.assertAlmostEqual(int(np.argmax(ecg[round(t * 1000) - 50 : round(t * 1000) + 50])), 50, delta=1)
        many, early = beat_times(Heart(ectopic_share=0.2), 300.0, rng)
        self.assertAlmostEqual(early.mean(), 0.17, delta=0.06)
        self.assertTrue(np.all(np.diff(many) > 0.4))

    def test_bursts_are_loud_where_they_were_put(self) -> None:
        night = Night(
            length_s=60.0,
            clenches=0,
            groups=(Group("single", (Burst("left", 30.0, 2.0, 0.5),)),),
            off_s={"right": ((10.0, 20.0),)},
            gaps_s=((40.0, 41.0),),
        )
        channels = jaw_muscle_signal.make(night).recording.channels
        left, right = channels["emg.left"].values, channels["emg.right"].values
        self.assertGreater(left[30_100:31_900].std(), 20 * left[20_000:29_000].std())
        self.assertLess(right[30_100:31_900].std(), 5)
        self.assertEqual(float(np.abs(right[10_000:20_000]).max()), 0.0)
        self.assertTrue(np.isnan(left[40_000:41_000]).all())

    def test_resuscitation(self) -> None:
        made = resuscitation_signal.make(
            resuscitation_signal.Resuscitation(
                trains=(resuscitation_signal.Train(10, 21, 120.0), resuscitation_signal.Train(40, 11, 100.0)),
                shocks_s=(30.0,),
            )
        )
        self.assertEqual(made.truth["compressions"], 32)
        self.assertAlmostEqual(made.truth["fraction"], 100 * (10 + 6) / 36)
        self.assertEqual(made.truth["pauses"], [20.0])


class Ways(unittest.TestCase):
    def test_training(self) -> None:
        made = training_signal.make(
            training_signal.Session(
                legs=((100.0, 3.0, 120.0), (100.0, 4.0, 150.0)), strokes_per_min=60.0, no_position_s=((5.0, 9.0),)
            )
        )
        self.assertAlmostEqual(made.truth["distance_m"], 300 + 99 * 4.0)
        self.assertEqual(made.truth["strokes"], 200)
        self.assertEqual(int(np.isnan(made.recording.channels["lat"].values).sum()), 4)

    def test_no_vehicle_is_faster_than_its_grip_power_and_brakes(self) -> None:
        for track, vehicle in ((loop("a", 1200, 7), KART), (loop("b", 4200, 3), CAR), (ramp("c", 900, 2), KART)):
            made = vehicle_signal.make(Drive(track, vehicle, laps=3, speed_noise_m_s=0.0, interval_s=0.02))
            speed = made.recording.channels["speed"].values
            self.assertLessEqual(float(speed.max()), vehicle.top_m_s + 1e-9)
            pull = np.gradient(speed, 0.02) / G
            self.assertLess(float(np.percentile(pull, 99)), vehicle.grip * 1.1)
            self.assertGreater(float(np.percentile(pull, 1)), -max(vehicle.brakes, vehicle.grip) * 1.1)
            side = made.recording.channels["lateral_g"].values
            self.assertLess(float(np.percentile(np.abs(side), 99.5)), vehicle.grip * 1.15)

    def test_a_spoilt_lap_is_longer_and_a_driver_gets_better(self) -> None:
        drive = Drive(loop("a", 1200, 7), laps=8, spoilt=(4,), improvement=0.08, unevenness=0.0)
        times = [lap["time_s"] for lap in vehicle_signal.make(drive).truth["laps"]]
        self.assertEqual(int(np.argmax(times)), 3)
        good = [t for i, t in enumerate(times) if i not in (3, 4)]
        self.assertLess(good[-1], good[0])

    def test_lines_lie_on_the_course_and_sum_up(self) -> None:
        for track in (loop("a", 1200, 7), ramp("b", 900, 1)):
            made = vehicle_signal.make(Drive(track, laps=3))
            for lap in made.truth["laps"]:
                self.assertAlmostEqual(lap["splits_s"][-1], lap["time_s"])
                self.assertEqual(len(lap["splits_s"]), 3)
            self.assertEqual(len(course_of(track).gates), 3 if track.closed else 4)

    def test_noise_that_remembers_has_the_size_it_says(self) -> None:
        for memory in (0.0, 20.0):
            base = Drive(loop("a", 1200, 7), laps=30, wander_m=0.0, interval_s=0.1)
            clean = vehicle_signal.make(base).recording.channels["lat"].values
            noisy = (
                vehicle_signal.make(replace(base, position_noise_m=2.0, noise_memory_s=memory))
                .recording.channels["lat"]
                .values
            )
            self.assertAlmostEqual(float(np.std(noisy - clean)) * 111_170 / 2.0, 1.0, delta=0.3)


if __name__ == "__main__":
    unittest.main()
