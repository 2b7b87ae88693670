"""Files longer than fits in memory stay where they are: read block by block, written piece by piece."""

import tempfile
import tracemalloc
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import pandas as pd

from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.samples import ArraySamples, BlockSamples
from kumpel.formats import edf, edf_write, files, krec
from kumpel.formats.files import words_of
from kumpel.kinds.registry import KINDS

WORDS = words_of(KINDS.values())
COUNT = 300_000


def night() -> Recording:
    rng = np.random.default_rng(4)
    left = rng.normal(0, 80, COUNT)
    left[100_000:100_400] = np.nan
    slow = np.rint(rng.normal(30, 2, COUNT // 100))
    channels = {
        "emg.left": Channel("emg.left", "EMG left", "uV", 0.001, left),
        "temperature": Channel("temperature", "Temperature", "°C", 0.1, slow),
    }
    return Recording("jaw_muscle", 1_795_000_000.0, 60, channels, (Event(3.5, "note", "turned over"),))


class LongFiles(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch("kumpel.formats.krec.reading.MOST_WHOLE_BYTES", 1000))
        self.enterContext(mock.patch("kumpel.formats.edf.MOST_WHOLE_BYTES", 1000))

    def check(self, found: Recording, whole: Recording, within: float = 0.0) -> None:
        for key, channel in whole.channels.items():
            self.assertNotIsInstance(found.channels[key].samples, ArraySamples)
            for first, end in ((0, channel.count), (channel.count // 3, channel.count // 2), (99_990, 100_410)):
                expected = channel.samples.read(first, end)
                np.testing.assert_allclose(
                    found.channels[key].samples.read(first, end), expected, rtol=0, atol=within, err_msg=key
                )

    def test_a_recording_file_is_read_where_it_lies(self) -> None:
        path = self.folder / "night.krec"
        path.write_bytes(krec.write_recording(night()))
        found = krec.open_file(path)
        self.check(found, krec.read(path.read_bytes()))
        self.assertEqual(found.events, krec.read(path.read_bytes()).events)

    def test_a_file_that_changes_under_the_hand_is_said(self) -> None:
        path = self.folder / "night.krec"
        good = krec.write_recording(night())
        path.write_bytes(good)
        found = krec.open_file(path)
        bad = bytearray(good)
        bad[len(bad) // 2] ^= 0xFF
        path.write_bytes(bad)
        with self.assertRaises(krec.FileError):
            for channel in found.channels.values():
                channel.samples.read(0, channel.count)

    def test_what_is_wrong_in_a_long_file_is_found_when_it_is_opened(self) -> None:
        path = self.folder / "night.krec"
        good = krec.write_recording(night())
        path.write_bytes(good[:-60])
        with self.assertRaises(krec.IncompleteError):
            krec.open_file(path)

    def test_an_edf_file_is_read_where_it_lies(self) -> None:
        path = self.folder / "night.edf"
        made = replace(night(), channels={"emg.left": night().channels["emg.left"]})
        path.write_bytes(edf_write.write(made))
        found = files.read(path, WORDS)
        with mock.patch("kumpel.formats.edf.MOST_WHOLE_BYTES", 10**9):
            self.check(found, files.read(path, WORDS))
        self.check(found, made, 0.02)

    def test_gaps_between_records_are_missing_in_every_span(self) -> None:
        values = np.random.default_rng(1).normal(0, 50, 60_000)
        values[20_000:45_000] = np.nan
        made = Recording("jaw_muscle", 1_795_000_000.0, 0, {"ecg": Channel("ecg", "ECG", "mV", 0.001, values)})
        data = edf_write.write(made)
        self.assertIn(b"EDF+D", data[:256])
        samples = edf.read(data, "", KINDS["jaw_muscle"].channels).channels["ecg"].samples
        for first in range(0, 60_000, 7_777):
            np.testing.assert_allclose(samples.read(first, first + 9_000), values[first : first + 9_000], atol=0.01)

    def test_a_file_may_be_written_over_the_one_it_is_read_from(self) -> None:
        path = self.folder / "night.krec"
        path.write_bytes(krec.write_recording(night()))
        before = krec.read(path.read_bytes())
        files.write(files.read(path, WORDS), path)
        after = krec.read(path.read_bytes())
        for key, channel in before.channels.items():
            np.testing.assert_array_equal(after.channels[key].values, channel.values)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["night.krec"])

    def test_pieces_of_a_table_join_without_a_seam(self) -> None:
        with mock.patch("kumpel.formats.tables.ROWS_AT_ONCE", 40_000):
            for name in ("night.csv", "night.parquet"):
                files.write(night(), self.folder / name)
        table = pd.read_csv(self.folder / "night.csv", sep=";", encoding="utf-8-sig")
        self.assertEqual(len(table), COUNT)
        np.testing.assert_allclose(
            table[next(c for c in table if "{emg.left}" in c)], night().channels["emg.left"].values
        )
        own = table[next(c for c in table if "{temperature " in c)].dropna()
        self.assertEqual(own.index.tolist(), list(range(0, COUNT, 100)))
        np.testing.assert_array_equal(own, night().channels["temperature"].values)
        again = files.read(self.folder / "night.parquet", WORDS)
        np.testing.assert_array_equal(again.channels["emg.left"].values, night().channels["emg.left"].values)

    def test_an_hour_is_converted_in_little_memory(self) -> None:
        """Three hours at 1 kHz from blocks to a recording file and to EDF: less than a tenth of the samples at once."""
        count = 10_800_000

        def decode(number: int) -> np.ndarray:
            return np.random.default_rng(number).normal(0, 80, min(65_536, count - number * 65_536))

        samples = BlockSamples(range(0, count, 65_536), count, decode, "an hour")
        long = Recording("jaw_muscle", 1_795_000_000.0, 60, {"ecg": Channel("ecg", "ECG", "mV", 0.001, samples)})
        for name in ("long.krec", "long.edf"):
            tracemalloc.start()
            files.write(long, self.folder / name)
            most = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            self.assertLess(most - 16 * 2**20, 8 * count / 10, name)


if __name__ == "__main__":
    unittest.main()
