"""Every kind written in every format and read back: the same channels and events, the same figures and verdicts."""

import math
import tempfile
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review
from kumpel.formats import csv_file, edf, edf_write, gpx, krec
from kumpel.formats.rows import slower
from kumpel.formats.tables import read_parquet, write_parquet
from kumpel.kinds.registry import KINDS
from tests.kinds.test_all_kinds import made


def parquet(recording: Recording) -> Recording:
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "x.parquet")
        write_parquet(recording, path)
        return read_parquet(path)


def as_edf(recording: Recording) -> Recording:
    return edf.read(edf_write.write(recording), recording.kind, KINDS[recording.kind].channels)


def as_csv(recording: Recording) -> Recording:
    return csv_file.read(csv_file.write(recording), recording.kind, KINDS[recording.kind].channels)


FORMATS: dict[str, Callable[[Recording], Recording]] = {
    "krec": lambda r: krec.read(krec.write_recording(r)),
    "edf": as_edf,
    "csv": as_csv,
    "parquet": parquet,
    "gpx": lambda r: gpx.read(gpx.write(r), r.kind),
}
ONLY_GPX_LEAVES_OUT = ("lateral_g", "forward_g", "vertical_g", "steering", "throttle", "brake", "rpm", "gear", "water_temp", "oil_temp", "exhaust_temp", "mixture")  # fmt: skip


class Figures(unittest.TestCase):
    def test_every_figure_and_verdict_of_every_kind_after_every_format(self) -> None:
        for key, kind in KINDS.items():
            recording = made(key).recording
            before = kind.assess(recording, Review(), kind.limit_sets[0]).reviewed
            for name, through in FORMATS.items():
                if name == "gpx" and key != "training":
                    continue
                back = replace(through(recording), setup=recording.setup, recorder=recording.recorder)
                after = kind.assess(back, Review(), kind.limit_sets[0]).reviewed
                with self.subTest(kind=key, format=name):
                    self.assertEqual([j.verdict for j in after.judgements], [j.verdict for j in before.judgements])
                    self.assertEqual([j.words for j in after.judgements], [j.words for j in before.judgements])
                for figure in before.figures:
                    with self.subTest(kind=key, format=name, figure=figure.key):
                        np.testing.assert_equal(after.figure(figure.key).stated, figure.stated)

    def test_channels_and_events_come_back(self) -> None:
        for key in KINDS:
            recording = made(key).recording
            for name, through in FORMATS.items():
                if name == "gpx":
                    continue
                back = through(recording)
                with self.subTest(kind=key, format=name):
                    self.assertEqual((back.start, back.utc_offset_min), (recording.start, recording.utc_offset_min))
                    self.assertAlmostEqual(back.length_s, recording.length_s, places=6)
                    self.assertEqual(list(back.channels), list(recording.channels))
                    self.assertEqual(len(back.events), len(recording.events))
                for channel in recording.channels.values():
                    with self.subTest(kind=key, format=name, channel=channel.key):
                        again = back.channels[channel.key]
                        self.assertEqual(again.unit, channel.unit)
                        self.assertAlmostEqual(again.interval_s, channel.interval_s, places=9)
                        self.assertEqual(again.count, channel.count)
                        if name in ("csv", "parquet"):
                            self.assertEqual(again.name, channel.name)
                            np.testing.assert_array_equal(again.values, channel.values)
                for one, two in zip(recording.events, back.events, strict=True):
                    self.assertAlmostEqual(one.at_s, two.at_s, places=6)
                    self.assertEqual((one.code, one.text, dict(one.data)), (two.code, two.text, dict(two.data)))


class Steps(unittest.TestCase):
    """What lies on a limit lies on it afterwards."""

    def through(self, values: np.ndarray, unit: str = "%", interval_s: float = 1.0) -> np.ndarray:
        channels = {"spo2": Channel("spo2", "Saturation", unit, interval_s, values)}
        return as_edf(Recording("oximetry", 1_795_000_000.0, 60, channels)).channels["spo2"].values

    def test_steps_of_the_trade_come_back_as_they_were(self) -> None:
        rng = np.random.default_rng(3)
        for step, low, high, decimals in (
            (1.0, 60, 100, 0),
            (0.5, 60, 100, 1),
            (0.1, 30, 140, 1),
            (0.01, 900, 1100, 2),
            (0.05, -5, 5, 2),
            (0.001, 0, 40, 3),
            (0.002, -60, 60, 3),
            (10.0, 0, 200_000, 0),
        ):
            values = np.round(np.round(rng.uniform(low, high, 5000) / step) * step, decimals)
            for missing in (False, True):
                given = values.copy()
                given[100:150] = math.nan if missing else given[100:150]
                with self.subTest(step=step, missing=missing):
                    np.testing.assert_array_equal(self.through(given), given)

    def test_90_percent_is_not_below_90(self) -> None:
        # 8 h at 90 and 94 %: no second below 90 %, so T90 is 0.
        values = np.where(np.arange(28_800) % 600 < 300, 90.0, 94.0)
        values[5000:5010] = math.nan
        kind = KINDS["oximetry"]
        recording = Recording(
            "oximetry", 1_795_000_000.0, 60, {"spo2": Channel("spo2", "Saturation", "%", 1.0, values)}
        )
        for name in ("edf", "csv", "parquet", "krec"):
            found = kind.assess(FORMATS[name](recording), Review(), kind.limit_sets[0]).reviewed
            self.assertEqual(found.figure("t90").value, 0.0, name)

    def test_what_is_of_no_step_is_kept_to_a_billionth_of_its_range(self) -> None:
        values = np.random.default_rng(1).normal(47.6, 0.01, 4000)
        np.testing.assert_allclose(self.through(values), values, atol=1e-9 * np.ptp(values))

    def test_thousand_samples_a_second_stay_one_signal(self) -> None:
        values = np.random.default_rng(1).normal(0, 100, 10_000)
        channels = {"emg.left": Channel("emg.left", "Left", "uV", 0.001, values)}
        data = edf_write.write(Recording("jaw_muscle", 0.0, 0, channels))
        self.assertEqual(len(edf.read_header(data).signals), 2)  # and the annotations
        found = as_edf(Recording("jaw_muscle", 0.0, 0, channels)).channels["emg.left"].values
        np.testing.assert_allclose(found, values, atol=np.ptp(values) / 65_000)


class Flagged(unittest.TestCase):
    def test_a_failed_check_stays_failed(self) -> None:
        """What a check says as yes or no decides a verdict: "False" is no text."""
        recording = made("dust").recording
        failed = replace(recording, events=(Event(0.0, "zero-check", "zero check", {"read": 0.2, "passed": False}),))
        kind = KINDS["dust"]
        for name in ("edf", "csv", "parquet", "krec"):
            found = kind.assess(
                replace(FORMATS[name](failed), setup=recording.setup), Review(), kind.limit_sets[0]
            ).reviewed
            self.assertIn("zero-check", [f.code for f in found.quality.findings], name)


class OwnCsv(unittest.TestCase):
    def test_further_sensors_keep_name_unit_rate(self) -> None:
        recording = made("vehicle").recording
        more = Channel("damper.fl", "Damper, front; left", "mm", 0.2, np.round(np.sin(np.arange(3812)), 2))
        recording = recording.and_channels({"damper.fl": more})
        again = as_csv(recording).channels["damper.fl"]
        self.assertEqual((again.name, again.unit, again.interval_s), ("Damper, front  left", "mm", 0.2))
        np.testing.assert_array_equal(again.values, more.values)

    def test_events_at_the_edges_and_of_every_sort(self) -> None:
        events = (
            Event(0.0, "mark", '=SUM(A1) "x"; y'),
            Event(9.999, "mark", "line\nbreak", {"deep": {"a": [1, 2.5, None, True]}}),
            Event(10.0, "mark", "at the end"),
            Event(250.0, "mark", "long after"),
        )
        channels = {"spo2": Channel("spo2", "Saturation", "%", 1.0, np.full(10, 97.0))}
        recording = Recording("oximetry", 1_795_000_000.25, -150, channels, events)
        back = as_csv(recording)
        self.assertEqual(back.events, events)
        self.assertEqual((back.start, back.utc_offset_min), (recording.start, -150))

    def test_over_more_rows_than_are_written_at_once(self) -> None:
        count = 300_000
        events = tuple(Event(float(at), "mark", str(at)) for at in (0, 262_143, 262_143.5, 262_144, 299_999))
        channels = {"spo2": Channel("spo2", "Saturation", "%", 1.0, np.arange(count) % 100.0)}
        back = as_csv(Recording("oximetry", 1_795_000_000.0, 60, channels, events))
        self.assertEqual(back.events, events)
        np.testing.assert_array_equal(back.channels["spo2"].values, channels["spo2"].values)

    def test_a_cell_of_events_that_was_changed_is_named(self) -> None:
        channels = {"spo2": Channel("spo2", "Saturation", "%", 1.0, np.full(10, 97.0))}
        text = csv_file.write(Recording("oximetry", 0.0, 0, channels, (Event(3.0, "mark", "x"),))).decode()
        with self.assertRaisesRegex(csv_file.CsvError, "line 5, column “events”"):
            csv_file.read(text.replace('""at_s""', '""at""').encode(), "oximetry", KINDS["oximetry"].channels)


class Slower(unittest.TestCase):
    def test_a_slow_column_in_a_table_of_fast_rows(self) -> None:
        values = np.full(24, math.nan)
        values[::10] = [1.0, 2.0, 3.0]
        own, every = slower(values, 0.1)
        self.assertEqual((own.tolist(), every), ([1.0, 2.0, 3.0], 1.0))

    def test_gaps_are_no_rate(self) -> None:
        for there in ([0, 1, 2, 9], [0, 10], [0, 10, 20, 200], [1, 11, 21]):
            values = np.full(400, math.nan)
            values[there] = 1.0
            self.assertEqual(slower(values, 0.1)[1], 0.1, there)

    def test_a_strange_table_with_two_rates(self) -> None:
        rows = "".join(f"{i / 10:.1f};{i};{80 + i / 100 if i % 10 == 0 else ''}\n" for i in range(400))
        kind = KINDS["vehicle"]
        found = csv_file.read(f"seconds;rpm;water_temp [°C]\n{rows}".encode(), "vehicle", kind.channels)
        self.assertEqual(found.channels["rpm"].interval_s, 0.1)
        self.assertEqual((found.channels["water_temp"].interval_s, found.channels["water_temp"].count), (1.0, 40))


if __name__ == "__main__":
    unittest.main()
