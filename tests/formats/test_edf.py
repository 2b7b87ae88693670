"""EDF and EDF+: read and written against two other libraries, gaps, annotations, wrong files."""

import tempfile
import unittest
import warnings
from datetime import datetime
from pathlib import Path

import edfio
import numpy as np
import pyedflib

from kumpel.core.recording import Channel, ChannelWord, Event, Recording
from kumpel.formats import edf, edf_write
from kumpel.formats.edf import EdfError
from kumpel.kinds.registry import KINDS

WORDS = KINDS["jaw_muscle"].channels


def recording(seconds: int = 30, gap: slice | None = None, start: float = 1_795_129_200.0) -> Recording:
    rng = np.random.default_rng(1)
    emg, ecg = rng.normal(0, 50, seconds * 1000), rng.normal(0, 0.4, seconds * 250)
    if gap is not None:
        emg[gap.start * 1000 : gap.stop * 1000] = np.nan
        ecg[gap.start * 250 : gap.stop * 250] = np.nan
    channels = {
        "emg.left": Channel("emg.left", "Masseter left", "uV", 0.001, emg),
        "ecg": Channel("ecg", "ECG", "mV", 0.004, ecg),
    }
    events = (
        Event(2.5, "note", "turned over"),
        Event(20.25, "shock", "shock delivered", {"energy_j": 150.0, "length_s": 1.5}),
    )
    return Recording("jaw_muscle", start, 60, channels, events, {}, {"serial": "JM-7"})


class Files(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.edf"

    def test_written_is_read_by_two_libraries(self) -> None:
        made = recording()
        self.path.write_bytes(edf_write.write(made))
        step = np.ptp(made.channels["emg.left"].values) / 65_000
        other = edfio.read_edf(self.path)
        self.assertEqual([s.label for s in other.signals], ["Masseter left", "ECG"])
        np.testing.assert_allclose(other.signals[0].data, made.channels["emg.left"].values, atol=step)
        self.assertEqual(
            [(a.onset, a.text) for a in other.annotations],
            [(2.5, "note: turned over"), (20.25, "shock: shock delivered {energy_j=150.0}")],
        )
        self.assertEqual(other.annotations[1].duration, 1.5)
        with pyedflib.EdfReader(str(self.path)) as third:
            np.testing.assert_allclose(third.readSignal(1), made.channels["ecg"].values, atol=1e-4)
            self.assertEqual(third.getSampleFrequencies().tolist(), [1000, 250])
            self.assertEqual(third.getPhysicalDimension(0), "uV")
            self.assertEqual(third.getStartdatetime(), datetime(2026, 11, 20, 0, 0))  # 23:00 UTC at UTC+1
            self.assertEqual(third.getPatientName(), "X")

    def test_read_from_two_libraries(self) -> None:
        rng = np.random.default_rng(2)
        left, ecg = rng.normal(0, 40, 20_000), rng.normal(0, 0.3, 5000)
        signals = [
            edfio.EdfSignal(left, 1000, label="EMG left", physical_dimension="uV"),
            edfio.EdfSignal(ecg, 250, label="ECG", physical_dimension="mV"),
        ]
        edfio.Edf(
            signals,
            annotations=[edfio.EdfAnnotation(3.5, 2.0, "lights off")],
            starttime=datetime(2026, 11, 18, 23, 0, 5).time(),
        ).write(self.path)
        found = edf.read(self.path.read_bytes(), "jaw_muscle", WORDS)
        self.assertEqual(set(found.channels), {"emg.left", "ecg"})
        np.testing.assert_allclose(found.channels["emg.left"].values, left, atol=0.01)
        self.assertEqual(
            [(e.at_s, e.code, e.text, e.data) for e in found.events],
            [(3.5, "annotation", "lights off", {"length_s": 2.0})],
        )
        with pyedflib.EdfWriter(str(self.path), 1, file_type=pyedflib.FILETYPE_EDFPLUS) as writer:
            writer.setSignalHeader(
                0,
                {
                    "label": "right masseter",
                    "dimension": "uV",
                    "sample_frequency": 500,
                    "physical_min": -300,
                    "physical_max": 300,
                    "digital_min": -32768,
                    "digital_max": 32767,
                    "transducer": "",
                    "prefilter": "",
                },
            )
            writer.setStartdatetime(datetime(2026, 11, 18, 23, 0))
            writer.writePhysicalSamples(left[:5000])
            for at in range(1, 10):
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    writer.writePhysicalSamples(left[at * 500 : at * 500 + 500])
            writer.writeAnnotation(1.0, -1, "note: up")
        found = edf.read(self.path.read_bytes(), "jaw_muscle", WORDS)
        np.testing.assert_allclose(found.channels["emg.right"].values[:500], left[:500], atol=0.01)
        self.assertEqual(found.events[0].code, "note")


class ThereAndBack(unittest.TestCase):
    def test_everything_comes_back(self) -> None:
        made = recording()
        again = edf.read(edf_write.write(made), "", WORDS)
        self.assertEqual((again.kind, again.start, again.utc_offset_min), ("jaw_muscle", made.start, 60))
        self.assertEqual(
            [(e.at_s, e.code, e.text, dict(e.data)) for e in again.events],
            [(e.at_s, e.code, e.text, dict(e.data)) for e in made.events],
        )
        for key, channel in made.channels.items():
            found = again.channels[key]
            self.assertEqual((found.unit, found.interval_s), (channel.unit, channel.interval_s))
            np.testing.assert_allclose(found.values, channel.values, atol=np.ptp(channel.values) / 60_000)

    def test_a_gap_of_whole_records_is_discontinuous(self) -> None:
        made = recording(gap=slice(10, 14))
        data = edf_write.write(made)
        header = edf.read_header(data)
        self.assertEqual((header.plus, header.records), ("EDF+D", 26))
        again = edf.read(data, "", WORDS)
        np.testing.assert_array_equal(
            np.isnan(again.channels["emg.left"].values), np.isnan(made.channels["emg.left"].values)
        )
        self.assertEqual([e.at_s for e in again.events], [2.5, 20.25])

    def test_single_missing_samples(self) -> None:
        made = recording()
        made.channels["ecg"].values[[5, 700, 7499]] = np.nan
        again = edf.read(edf_write.write(made), "", WORDS).channels["ecg"].values
        self.assertEqual(np.flatnonzero(np.isnan(again)).tolist(), [5, 700, 7499])

    def test_a_gap_at_the_start_keeps_the_time(self) -> None:
        made = recording(gap=slice(0, 3))
        again = edf.read(edf_write.write(made), "", WORDS)
        self.assertEqual(again.start, made.start + 3)
        self.assertEqual(again.events[-1].at_s, 17.25)

    def test_odd_lengths_rates_and_times(self) -> None:
        rng = np.random.default_rng(1)
        for interval, n in ((0.001, 1), (0.001, 12_345), (1 / 800, 801), (1.0, 100), (4.0, 33), (60.0, 90), (0.04, 77)):
            made = Recording("x", 1_795_000_000.25, -300, {"a": Channel("a", "A", "uV", interval, rng.normal(0, 1, n))})
            again = edf.read(edf_write.write(made), "x", (ChannelWord("a", "A", "uV"),))
            with self.subTest(interval=interval, n=n):
                np.testing.assert_allclose(again.channels["a"].values[:n], made.channels["a"].values, atol=1e-3)
                self.assertTrue(np.isnan(again.channels["a"].values[n:]).all())
                self.assertAlmostEqual(again.start, made.start, places=3)
        with self.assertRaisesRegex(ValueError, "whole numbers of samples"):
            edf_write.write(
                Recording(
                    "x",
                    0.0,
                    0,
                    {"a": Channel("a", "A", "uV", 0.0317, np.zeros(9)), "b": Channel("b", "B", "uV", 0.7, np.zeros(9))},
                )
            )

    def test_constants_extremes_and_nothing_but_events(self) -> None:
        for values in (
            np.zeros(50),
            np.full(50, 3.3),
            np.array([1e6, -1e-3] * 25),
            np.full(50, np.nan),
            np.array([12_345_678.0, 12_345_679.0] * 25),
        ):
            made = Recording("x", 0.0, 0, {"a": Channel("a", "A", "uV", 1.0, values)})
            again = edf.read(edf_write.write(made), "x", (ChannelWord("a", "A", "uV"),)).channels["a"].values
            known = ~np.isnan(values)
            np.testing.assert_allclose(
                again[:50][known], values[known], atol=max(np.ptp(values[known]) / 50_000, 1e-4) if known.any() else 0
            )
        only = Recording("resuscitation", 0.0, 0, {}, (Event(1.0, "shock", "x"),))
        self.assertEqual(edf.read_header(edf_write.write(only)).records, 1)

    def test_nobody_is_named_unless_asked(self) -> None:
        self.assertEqual(edf.read_header(edf_write.write(recording())).patient, "X X X X")
        self.assertEqual(
            edf.read_header(edf_write.write(recording(), edf_write.Who(name="Erna Vogt"))).patient, "X X X Erna_Vogt"
        )


class Wrong(unittest.TestCase):
    def test_each_says_where(self) -> None:
        good = edf_write.write(recording(3))
        for data, words in (
            (b"", "256 bytes"),
            (b"x" * 300, "byte 0: not an EDF"),
            (good[:400], "header of 3 signals"),
            (good[:1024], "no whole data record"),
            (good[:252] + b"9999" + good[256:], "byte 252"),
            (good[:168] + b"32.13.26" + good[176:], "Startdate|no date|byte 168"),
            (good[:244] + b"0       " + good[252:], "byte 244"),
        ):
            with self.subTest(words=words):
                try:
                    edf.read(data, "x")
                except EdfError as error:
                    self.assertRegex(str(error), words)
                else:
                    self.assertIn("Startdate", words)  # the long date of EDF+ stands in for a broken short one

    def test_cut_off_is_read_to_the_last_whole_record(self) -> None:
        good = edf_write.write(recording(10))
        found = edf.read(good[: len(good) - 3000], "", WORDS)
        self.assertLess(found.length_s, 10)
        self.assertGreaterEqual(found.length_s, 8)
        self.assertRegex(str(found.recorder["notes"]), r"cut off: \d of 10 data records")

    def test_a_small_file_cannot_ask_for_much_memory_by_its_gaps(self) -> None:
        good = edf_write.write(recording(14, gap=slice(10, 13)))
        cases = ((b"+900000", "can hold: 1,1"), (b"+9000000", "can hold: 11,"), (b"+nan", "400 days"))
        for onset, words in cases:
            old = b"+13\x14\x14\x00"
            self.assertEqual(good.count(old), 1)
            at = good.index(old)
            data = good[:at] + onset + b"\x14\x14\x00" + good[at + len(onset) + 3 :]
            with self.subTest(onset=onset), self.assertRaisesRegex(EdfError, words):
                edf.read(data, "", WORDS)

    def test_signal_names(self) -> None:
        data = edf_write.write(recording(3))
        with self.assertRaisesRegex(EdfError, "no signal “EOG”"):
            edf.read(data, "jaw_muscle", WORDS, {"ecg": "EOG"})

    def test_random_damage_raises_nothing_else(self) -> None:
        good = bytearray(edf_write.write(recording(3)))
        rng = np.random.default_rng(3)
        for _ in range(300):
            data = bytearray(good)
            for at in rng.integers(0, 1500, 4):
                data[at] = int(rng.integers(0, 256))
            try:
                edf.read(bytes(data), "x", WORDS)
            except EdfError as error:
                self.assertGreaterEqual(error.offset, 0)


if __name__ == "__main__":
    unittest.main()
