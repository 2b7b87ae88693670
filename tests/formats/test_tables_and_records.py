"""XLSX, Parquet and FHIR R4, each read back by a second library."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
from fhir.resources.R4B.bundle import Bundle

from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review
from kumpel.formats import fhir, files, krec, tables, xlsx
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.standins.signals import SIGNALS


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class Xlsx(Folder):
    def test_read_by_another_library(self) -> None:
        made = SIGNALS["gas"](1).recording
        made.channels["co.avg"].values[7] = np.nan
        found = kind_of("gas").assess(made, Review(), kind_of("gas").limit_sets[0]).recorded
        path = self.folder / "a.xlsx"
        xlsx.write(made, str(path), found)
        book = openpyxl.load_workbook(path, read_only=True)
        self.assertEqual(book.sheetnames[0], "Figures")
        rows = list(book["Samples"].iter_rows(values_only=True))
        self.assertEqual(len(rows), 2881)
        column = rows[0].index("co.avg [ppm]")
        self.assertAlmostEqual(rows[1][column], float(made.channels["co.avg"].values[0]))
        self.assertIsNone(rows[8][column])
        figures = {r[0]: r[1] for r in book["Figures"].iter_rows(min_row=2, values_only=True)}
        self.assertAlmostEqual(figures["Carbon monoxide, highest 15 min"], found.figure("co.stel").value, places=3)
        self.assertEqual(pd.Timestamp(rows[1][0]).round("s"), pd.Timestamp(made.start + 3600, unit="s"))

    def test_texts_are_never_formulas(self) -> None:
        made = Recording("resuscitation", 0.0, 0, {}, (Event(1, "prompt", "=1+1"), Event(2, "prompt", "http://x")))
        path = self.folder / "a.xlsx"
        xlsx.write(made, str(path))
        cell = openpyxl.load_workbook(path)["Events"]["D2"]
        self.assertEqual((cell.value, cell.data_type), ("=1+1", "s"))


class Parquet(Folder):
    def test_both_directions(self) -> None:
        made = SIGNALS["vehicle"](1).recording
        path = self.folder / "a.parquet"
        tables.write_parquet(made, str(path))
        table = pd.read_parquet(path)
        np.testing.assert_array_equal(table["speed [m/s]"].to_numpy(), made.channels["speed"].values)
        again = tables.read_parquet(str(path))
        for key, channel in made.channels.items():
            np.testing.assert_array_equal(again.channels[key].values, channel.values, key)
        self.assertEqual(
            (again.kind, again.start, again.setup["course"]), (made.kind, made.start, made.setup["course"])
        )
        table.to_parquet(self.folder / "b.parquet")
        pd.DataFrame({"a": [1]}).to_parquet(self.folder / "c.parquet")
        with self.assertRaisesRegex(ValueError, "does not come from here"):
            tables.read_parquet(str(self.folder / "c.parquet"))


class Fhir(unittest.TestCase):
    def test_a_second_library_accepts_it(self) -> None:
        made = SIGNALS["blood_pressure"](2).recording
        text = fhir.write(made, {"identifier": {"value": "TW-0107"}})
        bundle = Bundle.model_validate_json(text)
        panels = [e.resource for e in bundle.entry if e.resource.code.coding[0].code == "85354-9"]
        readings = [e for e in made.events if e.code == "reading"]
        self.assertEqual(len(panels), len(readings))
        good = next((p, r) for p, r in zip(panels, readings, strict=True) if "systolic" in r.data)
        codes = {c.code.coding[0].code: c.valueQuantity.value for c in good[0].component}
        self.assertEqual(
            (float(codes["8480-6"]), float(codes["8462-4"])), (good[1].data["systolic"], good[1].data["diastolic"])
        )
        self.assertEqual(good[0].effectiveDateTime.timestamp(), made.start + good[1].at_s)
        self.assertEqual(good[0].subject.identifier.value, "TW-0107")

    def test_a_failed_try_has_no_value(self) -> None:
        made = Recording("blood_pressure", 0.0, 60, {}, (Event(60, "reading", "", {"error": 3, "systolic": 0}),))
        [entry] = Bundle.model_validate(fhir.bundle(made)).entry
        self.assertTrue(
            all(c.valueQuantity is None and c.dataAbsentReason is not None for c in entry.resource.component)
        )
        self.assertNotIn("subject", fhir.bundle(made)["entry"][0]["resource"])

    def test_saturation_and_pulse(self) -> None:
        channels = {
            "spo2": Channel("spo2", "SpO2", "%", 1.0, np.concatenate([np.full(60, 96.0), np.full(60, np.nan)])),
            "pulse": Channel("pulse", "P", "bpm", 1.0, np.full(120, 60.0)),
        }
        found = fhir.bundle(Recording("oximetry", 0.0, 0, channels))
        Bundle.model_validate(found)
        codes = [e["resource"]["code"]["coding"][0]["code"] for e in found["entry"]]
        self.assertEqual((codes.count("59408-5"), codes.count("8867-4")), (1, 2))
        with self.assertRaisesRegex(ValueError, "nothing to write"):
            fhir.bundle(Recording("noise", 0.0, 0, {}))

    def test_the_same_recording_makes_the_same_ids(self) -> None:
        made = SIGNALS["blood_pressure"](2).recording
        self.assertEqual(fhir.write(made), fhir.write(made))
        ids = [e["fullUrl"] for e in json.loads(fhir.write(made))["entry"]]
        self.assertEqual(len(set(ids)), len(ids))


class Krec(unittest.TestCase):
    def test_every_kind_comes_back(self) -> None:
        for key in ("gas", "dust", "blood_pressure", "oximetry", "training", "vehicle", "resuscitation"):
            made = SIGNALS[key](1).recording
            again = krec.read(krec.write_recording(made))
            with self.subTest(kind=key):
                self.assertEqual((again.kind, len(again.events)), (key, len(made.events)))
                for name, channel in made.channels.items():
                    np.testing.assert_allclose(again.channels[name].values, channel.values, rtol=1e-6, atol=1e-5)


class Cutting(unittest.TestCase):
    def test_a_span_of_two_rates(self) -> None:
        channels = {
            "a": Channel("a", "a", "", 0.1, np.arange(1000.0)),
            "b": Channel("b", "b", "", 1.0, np.arange(100.0)),
        }
        made = files.cut(Recording("x", 50.0, 0, channels, (Event(9, "e"), Event(20, "e"), Event(30, "e"))), 10.4, 30)
        self.assertEqual(made.start, 60.0)
        self.assertEqual((made.channels["a"].values[0], made.channels["b"].values[0]), (100, 10))
        self.assertEqual((len(made.channels["a"].values), len(made.channels["b"].values)), (200, 20))
        self.assertEqual([e.at_s for e in made.events], [10])
        with self.assertRaisesRegex(FileFormatError, "nothing lies between"):
            files.cut(made, 500, 600)

    def test_every_kind_is_known_to_the_reader(self) -> None:
        for kind in KINDS.values():
            self.assertTrue(kind.channels, kind.key)


if __name__ == "__main__":
    unittest.main()
