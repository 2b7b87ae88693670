"""CSV of other programs: delimiters, decimal commas, encodings, wrong fields."""

import math
import unittest

import numpy as np

from kumpel.formats import csv_file
from kumpel.formats.csv_file import CsvError


class Csv(unittest.TestCase):
    def test_comma_and_semicolon_with_decimal_comma_agree(self) -> None:
        plain = (
            b"time,LAeq,LCpeak\n2026-11-20 06:00:00,80.5,101.25\n2026-11-20 06:00:01,,99\n2026-11-20 06:00:02,81,100\n"
        )
        comma = "Zeit;LAeq;LCpeak\n20.11.2026 06:00:00;80,5;101,25\n20.11.2026 06:00:01;;99\n20.11.2026 06:00:02;81;100\n".encode(
            "latin-1"
        )
        first, second = (csv_file.read(data, "noise") for data in (plain, comma))
        for key in ("leq.1", "peak"):
            np.testing.assert_array_equal(first.values(key), second.values(key))
        self.assertEqual(first.start, second.start)
        self.assertEqual(first.channels["leq.1"].interval_s, 1.0)
        values = first.values("leq.1")
        assert values is not None
        self.assertTrue(math.isnan(values[1]))

    def test_latin_1_bom_and_tabs(self) -> None:
        found = csv_file.read("\ufeffPegel Mühle\tLAeq\n1\t80\n1\t81\n".encode(), "noise", interval_s=60)
        self.assertEqual(found.channels["leq.1"].interval_s, 60)
        self.assertEqual(
            len(csv_file.read("Mühle;LAeq\nx;80\nx;81\n".encode("latin-1"), "noise", interval_s=1).channels), 1
        )

    def test_columns_can_be_named(self) -> None:
        found = csv_file.read(b"a,b\n1,80\n2,81\n", "noise", {"leq.1": "b"}, 1.0)
        self.assertEqual(found.channels["leq.1"].values.tolist(), [80, 81])

    def test_errors_say_line_and_column(self) -> None:
        cases = {
            b"time,LAeq\n0,80\n1,8O\n": r"line 3, column .LAeq.",
            b"time,LAeq\n0,80\n0,81\n": "--interval",
            b"time,noise here\n0,80\n1,81\n": "--map",
            b"LAeq\n": "fewer than two lines",
            b"": "fewer than two lines",
            b"time,LAeq\nyesterday,80\nx,80\n": "line 2: the time",
        }
        for data, words in cases.items():
            with self.subTest(words=words), self.assertRaisesRegex(CsvError, words):
                csv_file.read(data, "noise")
        with self.assertRaisesRegex(CsvError, "no column"):
            csv_file.read(b"a,b\n1,2\n", "noise", {"leq.1": "c"}, 1.0)
