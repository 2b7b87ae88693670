"""A session as a workbook or a CSV file: what is in it is what was computed and recorded, and its name says which session it is."""

from __future__ import annotations

import csv
import io
import math
import re
from dataclasses import replace
from datetime import timedelta
from unittest import mock

import openpyxl

from kumpel.core.review import Review
from kumpel.core.vehicle.bins import Asked, bin_sheet
from kumpel.demo.other_kinds import MAKERS
from kumpel.formats import krec
from kumpel.services.ground import figures, settings
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import recording_of
from kumpel.services.recorders import checks
from kumpel.services.register import sessions
from kumpel.services.register.sessions import row_of
from kumpel.services.report import exports
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Recorder, SensorCheck, Session
from tests.support import DatabaseTest


class Exports(DatabaseTest):
    def test_a_gas_session_names_the_sensors_that_measured_it(self) -> None:
        made = SIGNALS["gas"](2).recording
        row = self.stored(krec.write_recording(made, "G"), self.person("Asha Rao"))
        recorder = Recorder(serial="GM-101", token="G-9", kind="gas", name="Gas monitor 9")
        self.db.add(recorder)
        self.db.flush()
        row.recorder_id = recorder.id
        at, day = row.started_at, timedelta(days=1)
        about = {"type": "EC no2", "serial": "NO2-101", "adjusted": True}
        for what, when, more in (
            ("span", at - 40 * day, about),
            ("bump", at - timedelta(hours=1), {}),
            ("span", at - 20 * day, about | {"passed": False}),
            ("span", at + day, about | {"serial": "NO2-999"}),
        ):
            checks.keep(self.db, recorder, SensorCheck(recorder_id=0, what=what, sensor="no2", at=when, **more))
        self.db.commit()
        day_of = f"{at - 40 * day:%Y-%m-%d}"
        _, path = exports.write(self.db, row.id or 0, "csv")
        self.addCleanup(exports.remove, path)
        head = path.read_text(encoding="utf-8-sig").splitlines()[0]
        self.assertIn(f"no2 avg, sensor EC no2 no. NO2-101 calibrated {day_of} {{no2.avg}} [ppm]", head)
        self.assertNotIn("co avg, sensor", head)
        _, book_path = exports.write(self.db, row.id or 0, "xlsx")
        self.addCleanup(exports.remove, book_path)
        rows = list(openpyxl.load_workbook(book_path, read_only=True)["Sensors fitted"].iter_rows(values_only=True))
        self.assertEqual(rows[1][:4], ("no2", "EC no2", "NO2-101", day_of))

    def drive(self, session: str = "S-1", later_s: float = 0.0) -> Session:
        made = SIGNALS["vehicle"](2).recording
        row = self.stored(
            krec.write_recording(replace(made, start=made.start + later_s), session), self.person(f"Jonas {session}")
        )
        sessions.change(self.db, row.id or 0, {"tags": {"run": "practice"}})
        return row

    def test_a_workbook_with_laps_table_and_samples(self) -> None:
        row = self.drive()
        name, path = exports.write(self.db, row.id or 0, "xlsx")
        self.addCleanup(exports.remove, path)
        book = openpyxl.load_workbook(path, read_only=True)
        outcome, recording = figures.outcome(self.db, row.id or 0), recording_of(self.db, row)
        assert outcome is not None
        laps = next(t for t in outcome.both.reviewed.tables if t.key == "laps")
        rows = list(book["Laps"].iter_rows(values_only=True))
        self.assertEqual(len(rows) - 1, len(laps.rows))
        column = rows[0].index("Time [s]")
        timed = [(cells[column], made[2]) for cells, made in zip(rows[1:], laps.rows, strict=True)]
        for written, made in timed:
            if isinstance(made, float) and not math.isnan(made):
                self.assertAlmostEqual(float(str(written)), made, places=6)
        sheet = bin_sheet(recording, Review(), Asked("mixture", "rpm", "throttle"))
        for title, cells in (("Mixture ratio mean", sheet.mean), ("Mixture ratio readings", sheet.count)):
            written_rows = list(book[title].iter_rows(values_only=True))[1:]
            self.assertEqual(len(written_rows), len(cells))
            for written_row, wanted in zip(written_rows, cells, strict=True):
                for cell, value in zip(written_row[1:], wanted, strict=True):
                    if math.isnan(value):
                        self.assertIn(cell, (None, ""))
                    else:
                        self.assertAlmostEqual(float(str(cell)), value, places=9)
        self.assertEqual(name, f"{sessions.wall_start(row):%Y-%m-%d} Practice loop Jonas S-1 practice 1.xlsx")

    def test_the_samples_at_the_recorded_rate_and_the_number_of_the_day(self) -> None:
        self.drive()
        second = self.drive("S-2", 3600)
        name, path = exports.write(self.db, second.id or 0, "csv")
        self.addCleanup(exports.remove, path)
        self.assertIn("Jonas S-2 practice 2.csv", name)
        recording = recording_of(self.db, second)
        rows = list(csv.reader(io.StringIO(path.read_text("utf-8-sig")), delimiter=";"))
        head = next(i for i, cells in enumerate(rows) if any(cell.lower().startswith("speed") for cell in cells))
        column = next(i for i, cell in enumerate(rows[head]) if cell.lower().startswith("speed"))
        speed = recording.channels["speed"]
        written = [float(cells[column]) for cells in rows[head + 1 :] if cells[column]]
        self.assertEqual(len(written), speed.count)
        self.assertAlmostEqual(max(written), float(speed.values.max()), places=3)

    def test_a_span_alone_has_its_samples_and_its_events(self) -> None:
        row = self.drive()
        whole = recording_of(self.db, row)
        speed = whole.channels["speed"]
        name, path = exports.write(self.db, row.id or 0, "csv", (60.0, 120.0))
        self.addCleanup(exports.remove, path)
        first = sessions.wall_start(row)
        self.assertIn(f" {first + timedelta(seconds=60):%H%M}-{first + timedelta(seconds=120):%H%M}.csv", name)
        rows = list(csv.reader(io.StringIO(path.read_text("utf-8-sig")), delimiter=";"))
        head = next(i for i, cells in enumerate(rows) if any(cell.lower().startswith("speed") for cell in cells))
        column = next(i for i, cell in enumerate(rows[head]) if cell.lower().startswith("speed"))
        written = [float(cells[column]) for cells in rows[head + 1 :] if cells[column]]
        wanted = speed.values[round(60 / speed.interval_s) : round(120 / speed.interval_s)]
        self.assertEqual(len(written), len(wanted))
        self.assertAlmostEqual(max(written), float(wanted.max()), places=3)
        cut = whole.between(60.0, 120.0)
        self.assertEqual(cut.start, whole.start + 60.0)
        self.assertEqual([e.at_s + 60.0 for e in cut.events], [e.at_s for e in whole.events if 60.0 <= e.at_s < 120.0])
        with self.assertRaises(InvalidError):
            exports.write(self.db, row.id or 0, "csv", (120.0, 60.0))

    def test_files_are_named_by_the_pattern_of_the_house(self) -> None:
        row = self.drive()
        settings.keep(self.db, "files.name", "site", "", "{date}_{place}_{person}_{run}_{n}", 0, self.who)
        name = exports.file_name(self.db, row_of(self.db, row), "csv")
        day = name[:10]
        self.assertRegex(day, r"^\d{4}-\d\d-\d\d$")
        place = row_of(self.db, row).tags["place"]
        self.assertEqual(name, f"{day}_{place}_Jonas S-1_practice_1.csv")
        # Where a word is empty, what joins it goes with it; what no file may be called is a dash.
        sessions.change(self.db, row.id or 0, {"tags": {"run": "", "place": "pit / lane: 2"}})
        self.assertEqual(exports.file_name(self.db, row_of(self.db, row), "csv"), f"{day}_pit lane-2_Jonas S-1_1.csv")
        # That of the kind counts before that of the site.
        settings.keep(self.db, "files.name", "kind", "vehicle", "{recorder} {kind} {time}", 0, self.who)
        self.assertRegex(exports.file_name(self.db, row_of(self.db, row), "xlsx"), r"vehicle \d{4}\.xlsx$")
        for wrong, why in (
            ("{date} {hat} {n}", "“{hat}” stands for nothing; there are {date}"),
            ("{date {n}", "a brace is open"),
            ("../{n}", "“/” has no place in the name of a file"),
            ("{date} {person}", "two sessions of a day have one name"),
            ("x" * 130 + "{n}", "at most 120 characters"),
        ):
            with self.subTest(wrong), self.assertRaisesRegex(InvalidError, re.escape(why)):
                settings.keep(self.db, "files.name", "site", "", wrong, 1, self.who)

    def test_every_kind_gives_both(self) -> None:
        for key, make in MAKERS.items():
            with self.subTest(key):
                recording = make(3).recording
                row = self.stored(krec.write_recording(recording, f"K-{key}"))
                values = sum(channel.count for channel in recording.channels.values())
                forms: list[exports.Form] = ["xlsx", "csv"] if values < 300_000 else ["xlsx"]
                for form in forms:
                    _, path = exports.write(self.db, row.id or 0, form)
                    self.assertGreater(path.stat().st_size, 200)
                    if form == "xlsx":
                        names = openpyxl.load_workbook(path, read_only=True).sheetnames
                        self.assertEqual("Samples left out" in names, values > exports.MOST_CELLS)
                    exports.remove(path)
                    self.assertFalse(path.parent.exists())

    def test_a_night_of_a_thousand_samples_a_second_is_refused_as_csv(self) -> None:
        row = self.drive()
        with (
            mock.patch.object(exports, "MOST_VALUES", 1000),
            self.assertRaisesRegex(ConflictError, "Fetch the original"),
        ):
            exports.write(self.db, row.id or 0, "csv")
