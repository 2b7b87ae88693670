"""What is wrong with a file, and where, can be read off the error."""

import tempfile
import unittest
from pathlib import Path

from kumpel.formats import csv_file, files, gpx, krec
from kumpel.formats.errors import CsvError, FileError, FileFormatError, GpxError, IncompleteError
from kumpel.kinds.registry import KINDS
from kumpel.standins.signals import SIGNALS


class Errors(unittest.TestCase):
    def test_a_cell_by_line_and_column(self) -> None:
        data = b"time;LAeq\n2026-11-23 06:04:00;80.1\n2026-11-23 06:04:01;loud\n"
        with self.assertRaises(CsvError) as caught:
            csv_file.read(data, "noise", KINDS["noise"].channels)
        error = caught.exception
        self.assertEqual((error.line, error.column, error.what), (3, "LAeq", "“loud” is no number"))
        self.assertEqual(str(error), "line 3, column “LAeq”: “loud” is no number")

    def test_a_track_point_by_its_number(self) -> None:
        points = "".join(f'<trkpt lat="{lat}" lon="8"><time>2026-11-23T06:04:00Z</time></trkpt>' for lat in (50, 95))
        data = f'<gpx xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>{points}</trkseg></trk></gpx>'
        with self.assertRaises(GpxError) as caught:
            gpx.read(data.encode(), "training")
        self.assertEqual((caught.exception.point, caught.exception.place), (2, "track point 2"))

    def test_a_cut_recording_file_by_byte_and_the_name_comes_with_the_file(self) -> None:
        whole = krec.write_recording(SIGNALS["dust"](2).recording)
        with self.assertRaises(IncompleteError) as caught:
            krec.read(whole[:-30])
        self.assertIsInstance(caught.exception, FileError)
        offset = caught.exception.offset
        assert offset is not None
        self.assertTrue(0 < offset < len(whole))
        self.assertTrue(str(caught.exception).startswith(f"byte {offset}: "))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "cut.krec"
            path.write_bytes(whole[:-30])
            with self.assertRaises(FileFormatError) as named:
                files.read(path, {})
            self.assertEqual((named.exception.path, named.exception.offset), (path, offset))
            self.assertTrue(str(named.exception).startswith(f"{path}: byte {offset}: "))
            with self.assertRaises(FileFormatError) as missing:
                files.read(Path(folder) / "none.krec", {})
            self.assertEqual((missing.exception.place, missing.exception.what[:14]), ("", "cannot be read"))
