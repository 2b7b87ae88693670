"""Small files that ask for endless work: each is refused with a sentence, in under 2 s and 200 MB."""

import os
import resource
import subprocess
import sys
import tempfile
import time
import tracemalloc
import unittest
import zlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import cbor2
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from kumpel.assess_files import WORDS
from kumpel.config import ROOT
from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.recording import Channel, Event, Recording
from kumpel.formats import csv_file, edf, edf_write, files, gpx, gpx_line, krec, tables
from kumpel.kinds.registry import KINDS, bounds_of

NOISE = KINDS["noise"]


def zeros(samples: int, interval_s: float = 1.0, kind: str = "noise") -> bytes:
    """A .krec with so many zero samples: a block of 65,536 takes some sixty bytes."""
    head = krec.Head(
        kind, "1", 1_795_000_000.0, 0, {"serial": "X"}, {}, (krec.ChannelHead("leq.1", "L", "dB(A)", interval_s, "u8"),)
    )
    writer = krec.Writer(head)
    parts = [writer.head()]
    block = np.zeros(65_536)
    parts += [writer.block(0, block) for _ in range(samples // 65_536)]
    return b"".join([*parts, writer.tail()])


def with_head(**change: object) -> bytes:
    [first, *_] = krec.read_items(zeros(65_536))
    value = dict(cbor2.loads(first.raw).value if hasattr(cbor2.loads(first.raw), "value") else cbor2.loads(first.raw))
    return cbor2.dumps(cbor2.CBORTag(krec.SELF_DESCRIBED, value | change))


class Refused(unittest.TestCase):
    def refuse(self, work: Callable[[], object], words: str) -> None:
        tracemalloc.start()
        began = time.process_time()
        try:
            with self.assertRaisesRegex(ValueError, words):
                work()
            self.assertLess(
                time.process_time() - began, 2.0 * 5
            )  # tracing is slow; the process test has the real clock
            self.assertLess(tracemalloc.get_traced_memory()[1], 200e6)
        finally:
            tracemalloc.stop()

    def test_98_million_zero_samples_in_a_small_krec(self) -> None:
        data = zeros(98_000_000)
        self.assertLess(len(data), 130_000)
        self.refuse(lambda: krec.read(data, bounds_of), "more than a recording of kind “noise” can hold: a span of")
        fast = zeros(98_000_000, 0.1)
        self.refuse(lambda: krec.read(fast, bounds_of), "noise” can hold: (20,|a span)")
        self.refuse(lambda: krec.read(zeros(65_536, 1e-4), bounds_of), "10000 samples a second; 10 are possible")

    def test_a_ten_hour_jaw_muscle_night_is_good(self) -> None:
        KINDS["jaw_muscle"].bounds.check_samples(10 * 3600 * 1000 * 3)
        KINDS["jaw_muscle"].bounds.check_span(10 * 3600)

    def test_heads_and_events(self) -> None:
        self.refuse(
            lambda: krec.read(with_head(setup={f"x{i}": "y" * 3000 for i in range(100)}), bounds_of), "a head of 3"
        )
        self.refuse(lambda: krec.read(with_head(setup={"x": "y" * 300_000}), bounds_of), "4000 are possible")
        many = [{"key": f"c{i}", "name": "", "unit": "", "interval_s": 1.0, "type": "u8"} for i in range(40)]
        self.refuse(lambda: krec.read(with_head(channels=many), bounds_of), "40 channels; 16 are possible")
        deep: object = 1
        for _ in range(40):
            deep = {"a": deep}
        self.refuse(lambda: krec.read(with_head(setup=deep), bounds_of), "not a readable item")
        made = Recording("blood_pressure", 0.0, 0, {"a": Channel("a", "a", "", 60.0, np.zeros(9))})
        crowd = tuple(Event(float(i), "reading") for i in range(20_001))
        data = krec.write_recording(Recording("blood_pressure", 0.0, 0, made.channels, crowd))
        self.refuse(lambda: krec.read(data, bounds_of), "20,001 events; 20,000 are possible")
        far = krec.write_recording(Recording("noise", 0.0, 0, made.channels, (Event(1e300, "x"),)))
        self.refuse(lambda: krec.read(far, bounds_of), "is a time wrong")
        long = krec.write_recording(Recording("noise", 0.0, 0, made.channels, (Event(1.0, "x", "y" * 70_000),)))
        self.refuse(lambda: krec.read(long, bounds_of), "an event with a text of 70000 characters; 4000 are possible")
        wide = {f"x{i}": "y" * 3000 for i in range(30)}
        heavy = krec.write_recording(Recording("noise", 0.0, 0, made.channels, (Event(1.0, "x", "", wide),)))
        self.refuse(lambda: krec.read(heavy, bounds_of), "an event of")

    def test_times_far_away_in_csv_and_gpx(self) -> None:
        text = b"t;LAeq\n0;80\n1;80\n2;80\n30000000;80\n"
        self.refuse(
            lambda: csv_file.read(text, "noise", NOISE.channels, bounds=NOISE.bounds), "noise” can hold: a span of 347"
        )
        fast = b"t;LAeq\n0;80\n0.001;80\n0.002;80\n0.003;81\n"
        self.refuse(lambda: csv_file.read(fast, "noise", NOISE.channels, bounds=NOISE.bounds), "1000 samples a second")
        readings = b"t;sys;dia\n0;120;80\n1;121;80\n99000000;120;80\n"
        of = KINDS["blood_pressure"]
        self.refuse(
            lambda: csv_file.read(readings, of.key, of.channels, None, of.readings, bounds=of.bounds), "a span of"
        )
        point = '<trkpt lat="47" lon="13"><time>{}</time></trkpt>'
        track = "".join(
            point.format(t) for t in ("2026-01-01T00:00:00Z", "2026-01-01T00:00:01Z", "2027-01-01T00:00:01Z")
        )
        data = f"<gpx><trk><trkseg>{track}</trkseg></trk></gpx>".encode()
        self.refuse(lambda: gpx.read(data, "training", None, KINDS["training"].bounds), "a span of 365 days")

    def test_many_zeros_in_a_small_parquet(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "z.parquet"
            made = Recording("noise", 0.0, 0, {"leq.1": Channel("leq.1", "L", "dB(A)", 1.0, np.zeros(10))})
            tables.write_parquet(made, str(path))
            meta = pq.read_schema(path).metadata
            schema = pa.schema([("time", pa.timestamp("us")), ("seconds", pa.float64()), ("x", pa.float64())], meta)
            batch = pa.record_batch([pa.nulls(1_000_000, f.type) for f in schema], schema)
            with pq.ParquetWriter(path, schema, compression="zstd") as writer:
                for _ in range(30):
                    writer.write_batch(batch)
            self.assertLess(path.stat().st_size, 300_000)
            self.refuse(lambda: files.read(path, WORDS), "30,000,000 samples; 20,000,000 are possible")


class Process(unittest.TestCase):
    def test_time_and_memory_of_the_whole_command(self) -> None:
        """Above the same command on a tiny good file, in seconds of the processor: other tests work beside it."""
        with tempfile.TemporaryDirectory() as folder:
            good, bad = Path(folder) / "good.krec", Path(folder) / "bad.krec"
            good.write_bytes(zeros(65_536))
            bad.write_bytes(zeros(98_000_000))

            def run(path: Path) -> tuple[float, int, str]:
                environment = os.environ | {"PYTHONPATH": str(ROOT / "src")}
                code = (
                    "import subprocess,sys,resource;"
                    "d=subprocess.run([sys.executable,'-m','kumpel','assess',sys.argv[1]],capture_output=True,text=True);"
                    "r=resource.getrusage(resource.RUSAGE_CHILDREN);"
                    "print(r.ru_utime+r.ru_stime,r.ru_maxrss);print(d.stderr)"
                )
                done = subprocess.run(
                    [sys.executable, "-c", code, path], env=environment, capture_output=True, text=True, timeout=60
                )
                used, words = done.stdout.split("\n", 1)
                seconds, memory = used.split()
                return float(seconds), int(memory) * 1024, words

            usual_s, usual_bytes, _ = run(good)
            taken_s, taken_bytes, words = run(bad)
            self.assertIn("can hold", words)
            self.assertNotIn("Traceback", words)
            self.assertLess(taken_s - usual_s, 2.0)
            self.assertLess(taken_bytes - usual_bytes, 200e6)
            self.assertGreater(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss, 0)


class Kinds(unittest.TestCase):
    def test_every_kind_declares_its_own(self) -> None:
        for kind in KINDS.values():
            self.assertNotEqual(kind.bounds, Bounds(), kind.key)
            with self.assertRaises(BoundsError):
                kind.bounds.check_span(float("nan"))
        self.assertEqual(bounds_of("nobody knows"), Bounds())

    def test_the_table_in_the_documents_is_the_one_in_force(self) -> None:
        text = (ROOT / "docs" / "recording-file.md").read_text()
        for kind in KINDS.values():
            b = kind.bounds
            days = f"{b.span_s / 86_400:g} d"
            row = f"| `{kind.key}` | {days} | {b.rate_hz:g} Hz | {b.channels} | {b.samples:,} | {b.events:,} |"
            self.assertIn(row, text)

    def test_crc_is_checked_first(self) -> None:
        data = bytearray(zeros(65_536))
        data[-60] ^= 1
        with self.assertRaises(krec.FileError):
            krec.read(bytes(data), bounds_of)
        self.assertEqual(zlib.crc32(b""), 0)


class PassedOver(unittest.TestCase):
    """What a reader skips has bounds like what it keeps: seconds and tens of megabytes, not minutes and gigabytes."""

    def refused(self, read: Callable[[], object], words: str) -> None:
        began = time.process_time()
        with self.assertRaisesRegex(ValueError, words):
            read()
        self.assertLess(time.process_time() - began, 5.0)

    def test_elements_that_are_no_points(self) -> None:
        point = b'<gpx><trk><trkseg><trkpt lat="1" lon="1">'
        for data, words in (
            (b"<gpx>" + b"<a>" * 2_000_000 + b"</a>" * 2_000_000 + b"</gpx>", "nest deeper"),
            (b"<gpx>" + b"<a/>" * 15_000_000 + b"</gpx>", "elements for 0 points"),
            (point + b"<a/>" * 9_000_000 + b"</trkpt></trkseg></trk></gpx>", "elements for 1 points"),
        ):
            self.refused(lambda data=data: gpx.read(data, "training"), words)
            self.refused(lambda data=data: gpx_line.read_line(data), words)

    def test_columns_that_nobody_wants(self) -> None:
        wide = ";".join(f"c{i}" for i in range(5_000))
        self.refused(lambda: csv_file.read(f"{wide}\n{wide}\n".encode(), "noise", KINDS["noise"].channels), "columns")

    def test_annotations_beyond_what_a_recording_holds(self) -> None:
        events = tuple(Event(float(i % 3600), "mark", "x") for i in range(3000))
        channel = Channel("spo2", "Saturation", "%", 1.0, np.full(3600, 97.0))
        data = edf_write.write(Recording("oximetry", 0.0, 0, {"spo2": channel}, events))
        few = replace(ANY, events=1000)
        self.refused(lambda: edf.read(data, "oximetry", KINDS["oximetry"].channels, bounds=few), "annotations")


if __name__ == "__main__":
    unittest.main()
