"""CSV of any program: layouts found out, times, units, saved layouts, wrong cells; against a second library."""

import io
import math
import unittest

import numpy as np
import pandas as pd

from kumpel.core.recording import Channel, ChannelWord, Event, Recording
from kumpel.formats import csv_file
from kumpel.formats.csv_file import Layout, detect
from kumpel.formats.errors import CsvError
from kumpel.formats.rows import evened
from kumpel.formats.times import TimeError, order_of, stamps
from kumpel.kinds.registry import KINDS

NOISE, GAS, PRESSURE = (KINDS[k].channels for k in ("noise", "gas", "blood_pressure"))


def read(
    text: str | bytes, words: tuple[ChannelWord, ...] = NOISE, layout: Layout | None = None, **more: object
) -> Recording:
    data = text.encode() if isinstance(text, str) else text
    return csv_file.read(data, "noise", words, layout, **more)


def level(made: Recording) -> list[float]:
    return made.channels["leq.1"].values.tolist()


class Layouts(unittest.TestCase):
    def test_delimiters_and_decimals(self) -> None:
        for text in (
            "t,LAeq\n0,80.5\n1,81.5\n",
            "t;LAeq\n0;80,5\n1;81,5\n",
            "t\tLAeq\n0\t80.5\n1\t81.5\n",
            "t|LAeq\n0|80.5\n1|81.5\n",
            't,"LAeq"\n0,"80.5"\n1,"81.5"\n',
            "t;LAeq\r\n0;80.5\r\n1;81.5\r\n",
            "t;LAeq\n0;80,5\n1;81,5",
        ):
            with self.subTest(text=text):
                self.assertEqual(level(read(text)), [80.5, 81.5])

    def test_encodings(self) -> None:
        text = "Zeit;LAeq [dB(A)];Müll\n0;80;x\n1;81;ä\n"
        for encoding in ("utf-8", "utf-8-sig", "cp1252", "utf-16"):
            with self.subTest(encoding=encoding):
                self.assertEqual(level(read(text.encode(encoding))), [80, 81])

    def test_preamble_units_row_and_brackets(self) -> None:
        text = "Made by a meter\nSerial;4711\n\nTime;CO;Oxygen [%vol]\ns;ppb;\n0;4000;20,9\n60;5000;20,8\n"
        made = read(text, GAS)
        self.assertEqual(made.channels["co.avg"].unit, "ppm")  # 1000 ppb are 1 ppm
        self.assertEqual(made.channels["co.avg"].values.tolist(), [4, 5])
        self.assertEqual(made.channels["o2.avg"].unit, "vol %")
        self.assertEqual(made.channels["co.avg"].interval_s, 60)

    def test_no_header(self) -> None:
        made = read("0;80;1\n1;81;2\n2;82;3\n", layout=Layout(columns={"leq.1": "column 2"}, time=("column 1",)))
        self.assertEqual(level(made), [80, 81, 82])
        with self.assertRaisesRegex(CsvError, "no known column"):
            read("0;80\n1;81\n")

    def test_missing_cells_are_nan(self) -> None:
        made = read("t;LAeq\n0;80\n1;\n2;--\n3;NaN\n4;84\n")
        np.testing.assert_array_equal(made.channels["leq.1"].values, [80, np.nan, np.nan, np.nan, 84])

    def test_endless_cells_are_not_measured_and_said(self) -> None:
        made = read("t;LAeq\n0;80\n1;inf\n2;-inf\n3;81\n")
        np.testing.assert_array_equal(made.channels["leq.1"].values, [80, np.nan, np.nan, 81])
        self.assertIn("2 cells are endless", str(made.recorder["notes"]))

    def test_all_kinds_know_their_own_names(self) -> None:
        for kind in KINDS.values():
            names = [w.name for w in kind.channels]
            text = (
                "seconds;"
                + ";".join(names)
                + "\n"
                + "".join(f"{i};" + ";".join("1" for _ in names) + "\n" for i in range(3))
            )
            with self.subTest(kind=kind.key):
                found = detect(text.encode(), kind.channels).columns
                self.assertEqual(dict(found), {w.key: w.name for w in kind.channels})

    def test_a_saved_layout_reads_the_next_file(self) -> None:
        first = "when,dose channel,x\n0,84,1\n1,85,1\n"
        layout = detect(first.encode(), NOISE, Layout(columns={"leq.1": "dose channel"}, time=("when",)))
        again = Layout.from_json(layout.to_json())
        self.assertEqual(again, layout)
        self.assertEqual(level(read("when,dose channel,x\n5,70,1\n6,71,1\n", layout=again)), [70, 71])
        for wrong, words in (
            ("{", "no JSON"),
            ("[]", "object"),
            ('{"colums": {}}', "unknown field “colums”"),
            ('{"columns": []}', "wrong type"),
            ('{"date_order": "xyz"}', "date_order"),
        ):
            with self.assertRaisesRegex(CsvError, words):
                Layout.from_json(wrong)


class Ordinary(unittest.TestCase):
    """Files as spreadsheets and meters write them."""

    def test_each_is_read(self) -> None:
        for text in (
            "t;LAeq\n0;80,5;\n1;81,5;\n",  # a separator behind each row, but not behind the header
            "t;LAeq;\n0;80,5;\n1;81,5;\n",
            "t;LAeq\n0;80,5;;;\n1;81,5\n",
            't,LAeq\n0,"80,5"\n1,"81,5"\n',  # a decimal comma in quotes
            "t;LAeq\n0;80.5\n   ;   \n1;81.5\n",  # a row of blanks
            "t ; LAeq \n 0 ; 80.5 \n 1 ; 81.5 \n",
        ):
            with self.subTest(text=text):
                self.assertEqual(level(read(text)), [80.5, 81.5])

    def test_words_for_not_measured(self) -> None:
        for word in ("N/A", "n/a", "NULL", "Null", "null", "None", "NA", "#N/A", "   ", "---", "NaN"):
            for more in ("", ";"):  # read quickly, and row by row
                with self.subTest(word=word, more=more):
                    made = read(f"t;LAeq\n0;80\n1;{word}{more}\n2;82\n")
                    np.testing.assert_array_equal(made.channels["leq.1"].values, [80, np.nan, 82])

    def test_utf_16_without_a_mark(self) -> None:
        text = "Zeit;LAeq [dB(A)];Müll\n0;80;x\n1;81;ä\n"
        for encoding in ("utf-16-le", "utf-16-be"):
            with self.subTest(encoding=encoding):
                self.assertEqual(level(read(text.encode(encoding))), [80, 81])

    def test_one_column_with_an_interval(self) -> None:
        for text in ("LAeq\n80,5\n81\n82\n", "LAeq [dB(A)]\r\n80.5\r\n81\r\n82\r\n"):
            made = read(text, layout=Layout(interval_s=2.0))
            self.assertEqual((level(made), made.channels["leq.1"].interval_s), ([80.5, 81, 82], 2))
        made = read("80\n81\n82\n", layout=Layout(interval_s=1.0, columns={"leq.1": "column 1"}))
        self.assertEqual(level(made), [80, 81, 82])

    def test_a_unit_of_the_same_quantity_is_converted_and_any_other_refused(self) -> None:
        made = csv_file.read(
            b"t;depth [cm]\n0;5,5\n1;5,0\n",
            "resuscitation",
            KINDS["resuscitation"].channels,
            None,
            ("depth_mm",),
            "compression",
        )
        self.assertEqual([e.data["depth_mm"] for e in made.events], [55, 50])
        for text, words, kind in (
            ("t;depth [furlong]\n0;5\n1;5\n", "column “depth \\[furlong\\]” is in “furlong”", "resuscitation"),
            ("t;LAeq [dB(C)]\n0;80\n1;80\n", "cannot be turned into dB\\(A\\)", "noise"),
            ("t;CO [mg/m3]\n0;5\n1;5\n", "cannot be turned into ppm", "gas"),
            ("t;speed [min/km]\n0;5\n1;5\n", "cannot be turned into m/s", "training"),
            ("t;LAeq\ns;bar\n0;80\n1;80\n", "is in “bar”", "noise"),
        ):
            of = KINDS[kind]
            with self.subTest(text=text), self.assertRaisesRegex(CsvError, words):
                csv_file.read(text.encode(), kind, of.channels, None, of.readings, of.reading_code)
        plain = read("t;LAeq [dB];LAeq2 [dB(C)]\n0;80;85\n1;81;86\n")
        self.assertEqual(plain.channels["leq.1"].unit, "dB(A)")

    def test_every_unit_of_every_kind_is_known_or_refused(self) -> None:
        for kind in KINDS.values():
            for word in kind.channels:
                text = f"t;{word.name} [parsec]\n0;1\n1;1\n".encode()
                with self.subTest(kind=kind.key, channel=word.key), self.assertRaisesRegex(CsvError, "parsec"):
                    csv_file.read(text, kind.key, kind.channels, None, kind.readings, kind.reading_code)

    def test_no_words_of_another_library(self) -> None:
        rng = np.random.default_rng(5)
        base = b"t;LAeq\n0;80\n1;81\n2;82\n3;83\n"
        for _ in range(300):
            data = bytearray(base)
            for _ in range(3):
                data[rng.integers(len(data))] = int(rng.integers(256))
            try:
                read(bytes(data))
            except CsvError as error:
                self.assertNotRegex(str(error), "CSV|Arrow|parse|convert|null|UTF8|codec")


class Formulas(unittest.TestCase):
    def test_text_that_begins_like_a_formula_is_made_harmless(self) -> None:
        bad = ("=1+1", "+cmd", "-2+3", "@sum(a1)", "\t=1", " =1")
        events = tuple(Event(i, "note", text, {"who": text}) for i, text in enumerate(bad))
        made = Recording("noise", 1_795_000_000.0, 0, {}, events)
        table = pd.read_csv(io.BytesIO(csv_file.write(made, "note")), sep=";", encoding="utf-8-sig")
        self.assertEqual(table["text"].tolist(), [f"'{t}" for t in bad])
        self.assertEqual(table["who"].tolist(), [f"'{t}" for t in bad])
        channel = Channel("x", "=cmd()", "", 1.0, np.arange(3.0))
        header = csv_file.write(Recording("noise", 0.0, 0, {"x": channel})).decode("utf-8-sig").splitlines()[0]
        self.assertIn("'=cmd()", header)
        self.assertEqual(csv_file.harmless("-12.5"), "-12.5")


class Wrong(unittest.TestCase):
    def test_each_says_where(self) -> None:
        for text, words in (
            ("", "fewer than two lines"),
            ("t;LAeq\n", "fewer than two lines"),
            ("hello\nworld\n", "no table"),
            ("t;LAeq\n0;80\n1;8x\n2;82\n", "line 3, column “LAeq”: “8x”"),
            ("t;LAeq\n0;80\n1;81;9\n2;82\n", "line 3: 3 columns instead of 2"),
            ("t;LAeq\n0;80\n1;81\n2", "line 4: 1 columns instead of 2"),
            ("made by\n\nt;LAeq\n0;80\n1;81\n2", "line 6: 1 columns instead of 2"),
            ("t;speed\n0;80\n1;81\n", "no known column found in: t, speed"),
            (
                "time;LAeq\n2026-11-18 06:00:00;80\nyesterday;81\n2026-11-18 06:00:02;82\n",
                "line 3, column “time”: the time “yesterday”",
            ),
            ("LAeq;x\n80;1\n81;1\n", "give it with --interval"),
            ("time;LAeq\n0;80\n900000000;81\n3;3\n", "span"),
        ):
            with self.subTest(text=text[:30]), self.assertRaisesRegex(CsvError, words):
                read(text)
        with self.assertRaisesRegex(CsvError, "no column “Loud”"):
            read("t;LAeq\n0;80\n1;81\n", layout=Layout(columns={"leq.1": "Loud"}))

    def test_bytes_that_are_no_text(self) -> None:
        rng = np.random.default_rng(1)
        for size in (10, 1000, 100_000):
            with self.assertRaises(CsvError):
                read(rng.integers(0, 256, size, dtype=np.uint8).tobytes())


class Times(unittest.TestCase):
    def test_orders(self) -> None:
        for texts, order in (
            (["2026-11-18 06:00"], "ymd"),
            (["18.11.2026 06:00"], "dmy"),
            (["11/18/2026 06:00"], "mdy"),
            (["05/06/2026", "05/07/2026"], "mdy"),  # a day apart rather than a month
            (["05/06/2026", "06/06/2026"], "dmy"),
            (["03.04.26 06:00"], "dmy"),
        ):
            self.assertEqual(order_of(texts), order, texts)

    def test_dates_that_could_be_either_way_are_said(self) -> None:
        text = "Time;LAeq\n{}/2026 06:00:00;80\n{}/2026 06:00:01;81\n"
        self.assertIn("day before month", str(read(text.format("05/06", "05/06")).recorder["notes"]))
        self.assertEqual(read(text.format("05/06", "05/06"), layout=Layout(date_order="mdy")).recorder["notes"], [])
        self.assertEqual(read(text.format("05/16", "05/16")).recorder["notes"], [])

    def test_forms(self) -> None:
        moment = 1_794_981_600.0 + 6 * 3600  # 2026-11-18 06:00 UTC
        for text, order in (
            ("2026-11-18 12:00:00", "ymd"),
            ("2026-11-18T12:00", "ymd"),
            ("18.11.2026 12:00:00", "dmy"),
            ("18.11.26 12:00", "dmy"),
            ("11/18/2026 12:00:00 PM", "mdy"),
            ("2026-11-18T13:00:00+01:00", "ymd"),
            ("2026-11-18T12:00:00Z", "ymd"),
        ):
            with self.subTest(text=text):
                self.assertEqual(stamps([text], order).seconds[0] % 86_400, moment % 86_400)
        self.assertEqual(stamps(["06:00:30,5"], "ymd").seconds[0], 21_630.5)
        self.assertEqual(stamps(["12:30 AM"], "ymd").seconds[0], 1800)
        self.assertTrue(math.isnan(stamps([""], "ymd").seconds[0]))

    def test_the_quick_way_and_the_slow_way_agree(self) -> None:
        rng = np.random.default_rng(1)
        when = pd.Timestamp("2026-01-01") + pd.to_timedelta(np.sort(rng.integers(0, 300 * 86_400, 400)), unit="s")
        for form, order in (("%Y-%m-%d %H:%M:%S", "ymd"), ("%d.%m.%Y %H:%M:%S", "dmy"), ("%m/%d/%Y %H:%M:%S", "mdy")):
            texts = [w.strftime(form) for w in when]
            slow = [float(stamps([t], order).seconds[0]) for t in texts]
            self.assertEqual(stamps(texts, order).seconds.tolist(), slow)
            np.testing.assert_array_equal(slow, when.astype("int64") / {"ns": 1e9, "us": 1e6, "s": 1}[when.unit])

    def test_wrong_ones(self) -> None:
        for text in ("31.02.2026 06:00", "25:00:99", "18.13.2026", "soon"):
            with self.assertRaises(TimeError) as caught:
                stamps(["18.11.2026 06:00", text], "dmy")
            self.assertEqual(caught.exception.row, 1)

    def test_date_and_clock_in_two_columns(self) -> None:
        made = read("Date;Time;LAeq\n18.11.2026;23:59:59;80\n19.11.2026;00:00:00;81\n")
        self.assertEqual((level(made), made.channels["leq.1"].interval_s), ([80, 81], 1))
        self.assertEqual(made.start % 86_400, 86_399)

    def test_a_clock_alone_goes_past_midnight(self) -> None:
        made = read("Time;LAeq\n23:59:59;80\n00:00:00;81\n00:00:01;82\n")
        self.assertEqual(level(made), [80, 81, 82])

    def test_offset_of_the_wall_clock(self) -> None:
        made = read("Time;LAeq\n2026-11-18 07:00:00;80\n2026-11-18 07:00:01;81\n", layout=Layout(utc_offset_min=60))
        self.assertEqual((made.start, made.utc_offset_min), (1_794_981_600.0, 60))


class Evening(unittest.TestCase):
    def test_gaps_unsorted_and_doubled(self) -> None:
        made = read("t;LAeq\n0;80\n1;81\n5;85\n4;84\n4;99\n")
        np.testing.assert_array_equal(made.channels["leq.1"].values, [80, 81, np.nan, np.nan, 84, 85])
        notes = " ".join(str(n) for n in made.recorder["notes"])
        self.assertIn("1 rows were out of order", notes)
        self.assertIn("1 rows share their time", notes)

    def test_uneven_rows_are_interpolated_only_between_neighbours(self) -> None:
        times = np.array([0.0, 1.0, 2.3, 3.0, 4.0, 9.0, 10.0])
        found = evened(times, {"a": times * 10}, 1.0).columns["a"]
        np.testing.assert_allclose(found, [0, 10, 20, 30, 40, *[np.nan] * 4, 90, 100], atol=1e-9)

    def test_extremes(self) -> None:
        with self.assertRaisesRegex(ValueError, "no row has a time"):
            evened(np.full(3, np.nan), {"a": np.zeros(3)})
        with self.assertRaisesRegex(ValueError, "single row"):
            evened(np.zeros(1), {"a": np.zeros(1)})
        with self.assertRaisesRegex(ValueError, "single row"):
            evened(np.zeros(5), {"a": np.zeros(5)})


class Readings(unittest.TestCase):
    def test_rows_become_readings(self) -> None:
        text = "Date;Time;Sys;Dia;Pulse\n18.11.2026;06:00;130;80;70\n18.11.2026;06:37;;;\n18.11.2026;07:05;125;78;66\n"
        made = csv_file.read(text.encode(), "blood_pressure", PRESSURE, None, KINDS["blood_pressure"].readings)
        self.assertEqual([(e.at_s, e.data.get("systolic")) for e in made.events], [(0, 130), (2220, None), (3900, 125)])
        self.assertIn("error", made.events[1].data)

    def test_an_error_column_marks_failed_tries_and_comes_back_from_our_own_export(self) -> None:
        tries = (
            Event(0, "reading", "", {"systolic": 130.0, "diastolic": 80.0, "map": 97.0, "pulse": 70.0}),
            Event(1800, "reading", "", {"systolic": 230.0, "diastolic": 40.0, "error": 3}),
            Event(3600, "reading", "", {"systolic": 235.0, "diastolic": 45.0, "error": "cuff leaks"}),
            Event(5400, "reading", "", {"systolic": 128.0, "diastolic": 79.0, "error": 0}),
        )
        made = Recording("blood_pressure", 1_795_000_000.0, 60, {}, tries)
        again = csv_file.read(
            csv_file.write(made, "reading"), "blood_pressure", PRESSURE, None, KINDS["blood_pressure"].readings
        )
        self.assertEqual(again.events, tries)


class BothDirections(unittest.TestCase):
    def recording(self) -> Recording:
        rng = np.random.default_rng(1)
        fast, slow = rng.normal(80, 5, 500), rng.normal(20, 1, 50)
        fast[100:110] = np.nan
        channels = {
            "leq.1": Channel("leq.1", "Level", "dB(A)", 1.0, fast),
            "temp": Channel("temp", "T", "°C", 10.0, slow),
        }
        return Recording("noise", 1_795_000_000.0, 60, channels, (Event(3, "x"),))

    def test_what_is_written_is_read_by_another_library(self) -> None:
        made = self.recording()
        table = pd.read_csv(
            io.BytesIO(csv_file.write(made)), sep=";", encoding="utf-8-sig", parse_dates=["time [UTC+01:00]"]
        )
        np.testing.assert_array_equal(table["Level {leq.1} [dB(A)]"].to_numpy(), made.channels["leq.1"].values)
        np.testing.assert_array_equal(
            table["T {temp every 10 s} [°C]"].dropna().to_numpy(), made.channels["temp"].values
        )
        self.assertEqual(table["time [UTC+01:00]"][0], pd.Timestamp(1_795_000_000 + 3600, unit="s"))

    def test_what_another_library_writes_is_read(self) -> None:
        made = self.recording().channels["leq.1"].values
        table = pd.DataFrame({"time": pd.date_range("2026-11-18 06:00", periods=500, freq="s"), "LAeq": made})
        for sep, decimal in ((",", "."), (";", ","), ("\t", ".")):
            text = table.to_csv(sep=sep, decimal=decimal, index=False)
            np.testing.assert_array_equal(read(text).channels["leq.1"].values, made)

    def test_there_and_back(self) -> None:
        made = self.recording()
        again = csv_file.read(csv_file.write(made), "noise", NOISE, Layout(utc_offset_min=60))
        np.testing.assert_array_equal(again.channels["leq.1"].values, made.channels["leq.1"].values)
        self.assertEqual((again.start, again.channels["leq.1"].interval_s), (made.start, 1.0))

    def test_events_in_place_of_samples(self) -> None:
        made = Recording(
            "blood_pressure", 0.0, 0, {}, (Event(60, "reading", "", {"systolic": 120}), Event(90, "button"))
        )
        self.assertIn(b"120", csv_file.write(made, "reading"))
        with self.assertRaisesRegex(CsvError, "there are: button, reading"):
            csv_file.write(made, "shock")


if __name__ == "__main__":
    unittest.main()
