"""Simulated recorders of every kind do what their setup says, and never record over themselves."""

from __future__ import annotations

import tempfile
import time
import unittest
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.standins.device import Began, Recorded
from kumpel.standins.devices import DEVICES
from kumpel.standins.memory import Memory
from kumpel.standins.recorder import Declared, Recorder, Refuse

MIDNIGHT = 1_795_132_800.0  # 2026-11-20 00:00 UTC


def began(kind: str, length_s: float, start: float = MIDNIGHT, **setup: Any) -> Began:
    about = {"serial": "X-1", "name": "x", "token": "X-1", "model": "x", "firmware": "1"}
    return Began("S-1", start, 0, length_s, DEVICES[kind].setup | setup, {"hand_over": "h"}, about)


def made(kind: str, length_s: float, wishes: dict[str, Any] | None = None, **rest: Any) -> krec.Recording:
    recorded: Recorded = DEVICES[kind].record(began(kind, length_s, **rest), {"seed": 3} | (wishes or {}))
    return krec.read(b"".join(recorded.items))


class EveryKind(unittest.TestCase):
    def test_every_kind_of_the_house_has_one(self) -> None:
        self.assertEqual(set(DEVICES), set(KINDS))

    def test_its_settings_are_the_ones_that_kumpel_writes(self) -> None:
        for kind, device in DEVICES.items():
            known = KINDS[kind].setup_model.model_fields
            with self.subTest(kind):
                KINDS[kind].setup_model.model_validate({k: v for k, v in device.setup.items() if k in known})

    def test_a_session_carries_its_slip_and_start_and_no_name(self) -> None:
        for kind, device in DEVICES.items():
            about = began(kind, 1200.0)
            recorded = device.record(about, {"seed": 2})
            file = b"".join(recorded.items)
            head = next(iter(krec.read_items(file))).content
            assert isinstance(head, krec.Head)
            with self.subTest(kind):
                self.assertEqual((head.session, head.start, head.slip), ("S-1", MIDNIGHT, {"hand_over": "h"}))
                self.assertAlmostEqual(krec.read(file).length_s, recorded.length_s, delta=1)
                self.assertFalse({"wearer", "driver", "greeting"} & set(head.setup))


class Obeyed(unittest.TestCase):
    def test_cuff_intervals_follow_the_wall_clock_and_a_quiet_window_has_no_reading(self) -> None:
        found = made(
            "blood_pressure",
            86_400,
            awake_from="06:00",
            asleep_from="22:00",
            interval_awake_min=20,
            interval_asleep_min=40,
            quiet=[{"start": "19:00", "end": "20:00"}],
        )
        minutes = np.array([e.at_s / 60 for e in found.events if e.code == "reading"])
        night = minutes[(minutes < 6 * 60) | (minutes >= 22 * 60 + 40)]
        day = minutes[(minutes >= 6 * 60 + 40) & (minutes < 19 * 60)]
        self.assertEqual(set(np.diff(night[night < 6 * 60])), {40.0})
        self.assertEqual(set(np.diff(day)), {20.0})
        self.assertFalse(np.any((minutes >= 19 * 60) & (minutes < 20 * 60)))
        self.assertTrue(np.any((minutes >= 20 * 60) & (minutes < 20 * 60 + 20)))

    def test_cuff_without_activity_records_events_only(self) -> None:
        found = made("blood_pressure", 86_400, activity=False)
        self.assertEqual(dict(found.channels), {})
        self.assertGreater(len(found.events), 30)

    def test_a_gas_sensor_that_is_off_measures_nothing_and_alarms_follow_the_setup(self) -> None:
        sensors = [
            {"gas": "co", "on": True, "low": 30.0, "high": 60.0},
            {"gas": "h2s", "on": False, "low": 5.0, "high": 10.0},
        ]
        episodes = [["co", 600, 600, 50.0], ["co", 2400, 600, 80.0]]
        found = made("gas", 3600, {"episodes": episodes}, sensors=sensors, interval_s=30)
        self.assertEqual({k.split(".")[0] for k in found.channels}, {"co"})
        self.assertEqual(found.channels["co.avg"].interval_s, 30.0)
        alarms = [(e.at_s, e.data["level"]) for e in found.events if e.code == "alarm"]
        self.assertEqual(alarms, [(600.0, "low"), (2400.0, "low"), (2400.0, "high")])
        self.assertFalse(found.setup["sensors"][1]["on"])

    def test_dust_runs_by_plan(self) -> None:
        found = made("dust", 3 * 1800, runs=3, run_length_min=30, interval_s=60, fraction="PM2.5", factor=1.34)
        self.assertEqual([e.at_s for e in found.events if e.code == "run"], [0.0, 1800.0, 3600.0])
        self.assertEqual(found.channels["mass"].interval_s, 60.0)
        self.assertEqual(DEVICES["dust"].planned_s({"runs": 3, "run_length_min": 30}), 5400.0)
        self.assertFalse(DEVICES["dust"].stores({"mode": "spot"}))

    def test_an_oximeter_stores_at_its_interval_from_its_start_to_its_stop(self) -> None:
        self.assertEqual(made("oximetry", 3600, interval_s=4).channels["spo2"].interval_s, 4.0)
        self.assertEqual(DEVICES["oximetry"].planned_s({"start_at": "22:30", "stop_at": "06:00"}), 7.5 * 3600)

    def test_a_watch_splits_by_distance_or_by_time(self) -> None:
        by_time = made("training", 1800, split_s=300.0)
        self.assertEqual([e.at_s for e in by_time.events if e.code == "lap"], [300.0, 600.0, 900.0, 1200.0, 1500.0])
        by_way = made("training", 1800, split_m=500.0)
        speed = by_way.channels["speed"]
        along = np.cumsum(speed.values) * speed.interval_s
        for number, event in enumerate((e for e in by_way.events if e.code == "lap"), 1):
            self.assertAlmostEqual(float(along[int(event.at_s)]), 500.0 * number, delta=5.0)

    def test_a_logger_takes_positions_at_its_rate_and_jaw_muscles_samples_at_theirs(self) -> None:
        self.assertEqual(made("vehicle", 130, position_hz=25).channels["lat"].interval_s, 0.04)
        night = made("jaw_muscle", 700, {"calm": True}, rate_hz=800)
        self.assertEqual(night.channels["ecg"].interval_s, 1 / 800)
        self.assertEqual({c.count for c in night.channels.values()}, {560_000})


class Time(unittest.TestCase):
    """A recorder whose recordings take seconds puts them where they fit before now."""

    def recorder(self, kind: str, **rest: Any) -> Recorder:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        who = Declared("X-01", "X-000001", "x", lasts_s=0.0001, **rest)
        return Recorder(Memory(Path(folder)), replace(DEVICES[kind], heavy=False), who)

    def test_nothing_overlaps_and_it_says_that_it_is_simulated(self) -> None:
        for kind in ("noise", "blood_pressure", "training"):
            recorder = self.recorder(kind)
            for _ in range(3):
                recorder.start_recording()
                time.sleep(0.01)
                recorder.tick()
            spans = sorted((s["start"], s["start"] + s["length_s"]) for s in recorder.state["sessions"].values())
            with self.subTest(kind):
                self.assertEqual(len(spans), 3)
                self.assertLessEqual(spans[-1][1], time.time() + 1)
                for (_, end), (start, _) in pairwise(spans):
                    self.assertGreaterEqual(start - end, 59.0)
                self.assertTrue(all("simulated" in s["about"] for s in recorder.state["sessions"].values()))

    def test_a_night_is_recorded_at_night(self) -> None:
        recorder = self.recorder("oximetry")
        recorder.state["setup"] |= {"start_at": "22:15", "run_length_min": 420}
        recorder.start_recording()
        time.sleep(0.01)
        recorder.tick()
        [session] = recorder.state["sessions"].values()
        minute = (session["start"] + 60 * recorder.state["utc_offset_min"]) % 86_400 / 60
        self.assertAlmostEqual(minute, 22 * 60 + 15, delta=0.1)
        self.assertLessEqual(session["start"] + session["length_s"], time.time())

    def test_one_slot_is_overwritten_at_the_next_start(self) -> None:
        recorder = self.recorder("resuscitation")
        recorder.record("R-1", time.time() - 900, 300.0, {})
        recorder.start_recording()
        self.assertEqual(recorder.state["sessions"], {})
        self.assertFalse(recorder.memory.file_of("R-1").exists())

    def test_spot_stores_nothing(self) -> None:
        recorder = self.recorder("dust")
        recorder.state["setup"]["mode"] = "spot"
        recorder.start_recording()
        recorder.stop_recording()
        self.assertEqual((recorder.state["sessions"], recorder.mode()), ({}, "ready"))

    def test_transfer_by_hand_warming_up_ready(self) -> None:
        recorder = self.recorder("gas", mode="transfer-off", press="hold both keys for 3 s", warm_up_s=0.2)
        with self.assertRaises(Refuse):
            recorder.start_recording()
        recorder.pressed()
        self.assertEqual(recorder.mode(), "warming-up")
        self.assertGreater(recorder.mode_left_s(), 0.1)
        time.sleep(0.25)
        recorder.tick()
        self.assertEqual((recorder.mode(), recorder.mode_left_s()), ("ready", None))
