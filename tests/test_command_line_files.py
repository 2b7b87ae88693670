"""`kumpel assess`, `convert` and `make` for every kind and format, in this process and as a process."""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from typer.testing import CliRunner

from kumpel import assess_files
from kumpel.cli import app
from kumpel.formats import files
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.registry import KINDS
from kumpel.standins import jaw_muscle_signal, signals
from kumpel.standins.jaw_muscle_signal import Night, usual_groups

EXITS = {"within": 0, "action level reached": 3, "above limit": 4, "not assessable": 5}
# A night of ten minutes says as much here as one of eight hours.
SHORT = signals.SIGNALS | {
    "jaw_muscle": lambda seed: jaw_muscle_signal.make(Night(seed, 600.0, groups=usual_groups(seed, 600.0, 40)))
}


class Commands(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.enterContext(mock.patch.dict(signals.SIGNALS, SHORT))

    def run_it(self, *arguments: object, code: int | None = 0) -> str:
        done = CliRunner().invoke(app, [str(a) for a in arguments], prog_name="kumpel")
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        if code is not None:
            self.assertEqual(done.exit_code, code, done.output)
        return done.output

    def made(self, kind: str, seed: int = 3, suffix: str = ".krec") -> Path:
        path = self.folder / f"{kind}-{seed}{suffix}"
        self.run_it("make", kind, "--seed", seed, "--out", path)
        return path

    def assessed(self, path: Path, *more: object) -> dict:
        output = self.run_it("assess", path, "--json", *more, code=None)
        [found] = json.loads(output)
        return found


class Make(Commands):
    def test_every_kind_has_its_truth_beside_it(self) -> None:
        for kind in KINDS:
            path = self.made(kind)
            truth = json.loads(path.with_suffix(".truth.json").read_text())
            with self.subTest(kind=kind):
                self.assertEqual((truth["kind"], truth["seed"]), (kind, 3))
                self.assertGreater(len(truth), 2)

    def test_the_same_seed_makes_the_same_file(self) -> None:
        first = self.made("gas").read_bytes()
        self.assertEqual(self.made("gas").read_bytes(), first)
        self.assertNotEqual(self.made("gas", 4).read_bytes(), first)

    def test_wrong_wishes(self) -> None:
        self.assertIn("there are: noise", self.run_it("make", "hats", "--out", self.folder / "a.krec", code=2))
        self.assertIn("no format for “.pdf”", self.run_it("make", "gas", "--out", self.folder / "a.pdf", code=2))


class Assess(Commands):
    def test_every_kind_and_its_exit_code(self) -> None:
        for kind in KINDS:
            path = self.made(kind)
            found = self.assessed(path)
            with self.subTest(kind=kind):
                self.assertEqual(found["kind"], kind)
                self.assertTrue(any(f["value"] is not None for f in found["figures"]))
                table = self.run_it("assess", path, code=EXITS[found["verdict"]])
                self.assertIn(found["verdict"].upper(), table)

    def test_the_formats_of_each_kind_say_the_same(self) -> None:
        cases = {
            "noise": (".csv", ".edf", ".parquet"),
            "gas": (".csv", ".edf"),
            "oximetry": (".csv", ".edf", ".parquet"),
            "jaw_muscle": (".edf", ".parquet"),
            "resuscitation": (".edf", ".parquet"),
            "training": (".csv", ".gpx"),
            "vehicle": (".csv", ".gpx"),
        }
        leading = {
            "noise": "laeq",
            "gas": "co.stel",
            "oximetry": "odi4",
            "jaw_muscle": "heart_rate",
            "resuscitation": "rate",
            "training": "distance",
            "vehicle": "max.speed",
        }
        for kind, suffixes in cases.items():
            source = self.made(kind)
            wanted = {f["key"]: f["value"] for f in self.assessed(source)["figures"]}[leading[kind]]
            for suffix in suffixes:
                target = source.with_suffix(suffix)
                self.run_it("convert", source, target)
                found = {f["key"]: f["value"] for f in self.assessed(target, "--kind", kind)["figures"]}[leading[kind]]
                with self.subTest(kind=kind, suffix=suffix):
                    self.assertAlmostEqual(found / wanted, 1.0, delta=0.002)

    def test_the_kind_of_a_csv_is_found_out(self) -> None:
        for kind in ("noise", "gas", "oximetry", "vehicle"):
            source = self.made(kind)
            self.run_it("convert", source, source.with_suffix(".csv"))
            self.assertEqual(self.assessed(source.with_suffix(".csv"))["kind"], kind)

    def test_cuff_readings_as_csv(self) -> None:
        source = self.made("blood_pressure")
        self.run_it("convert", source, self.folder / "b.csv", "--events", "reading")
        wanted = {f["key"]: f["value"] for f in self.assessed(source)["figures"]}
        found = {f["key"]: f["value"] for f in self.assessed(self.folder / "b.csv")["figures"]}
        self.assertEqual(found["all.systolic.mean"], wanted["all.systolic.mean"])

    def test_why(self) -> None:
        path = self.made("gas")
        for wish in ("co.stel", "Carbon monoxide, highest 15 min"):
            words = self.run_it("assess", path, "--why", wish, code=None)
            self.assertRegex(words, r"Carbon monoxide, highest 15 min = \d+\.\d ppm")
            for part in ("formula", "dt ", "samples", "coverage", "source", "2000/39/EC"):
                self.assertIn(part, words)
        self.assertIn("there are:", self.run_it("assess", path, "--why", "luck", code=2))

    def test_every_figure_of_every_kind_has_a_why(self) -> None:
        for kind in KINDS:
            each = assess_files.assess(Path("x"), SHORT[kind](1).recording, None, None, {})
            for figure in each.found.figures:
                with self.subTest(kind=kind, figure=figure.key):
                    words = assess_files.why(each, figure.key)
                    self.assertIn("source", words)
                    self.assertTrue(figure.why.formula and figure.why.source)

    def test_plot(self) -> None:
        path = self.made("oximetry")
        self.run_it("assess", path, "--plot", self.folder / "p.svg", code=None)
        svg = (self.folder / "p.svg").read_text()
        self.assertTrue(svg.startswith("<svg") and "SpO2" in svg)
        self.assertLess(len(svg), 600_000)

    def test_tables(self) -> None:
        path = self.made("vehicle")
        words = self.run_it("assess", path, "--tables", code=None)
        self.assertRegex(words, r"Lap +From s +Time s +To the best s +Sector 1 s")
        laps = next(t for t in self.assessed(path)["tables"] if t["key"] == "laps")
        self.assertEqual(len(laps["rows"][1]), len(laps["columns"]))
        self.assertIn(f"{laps['rows'][1][2]:.3f}", words)

    def test_options_and_limits(self) -> None:
        path = self.made("training")
        found = self.run_it("assess", path, "--option", "split_m=500", code=None)
        self.assertIn("Distance", found)
        self.assertIn("option split_m", self.run_it("assess", path, "--option", "split_m=far", code=2))
        self.assertIn("there are: split_m", self.run_it("assess", path, "--option", "split=500", code=2))
        self.assertIn("has no “=”", self.run_it("assess", path, "--option", "split_m", code=2))
        pressure = self.made("blood_pressure")
        self.assertEqual(self.assessed(pressure, "--limits", "acc-aha-2017")["limits"]["key"], "acc-aha-2017")
        self.assertIn("there are: esh-2023", self.run_it("assess", pressure, "--limits", "none", code=2))

    def test_a_saved_layout(self) -> None:
        for name, offset in (("a.csv", 0), ("b.csv", 5)):
            rows = "".join(f"{i};{80 + offset},0\n" for i in range(120))
            (self.folder / name).write_text("when;dose channel\n" + rows)
        layout = self.folder / "layout.json"
        self.run_it(
            "assess",
            self.folder / "a.csv",
            "--kind",
            "noise",
            "--map",
            "leq.1=dose channel",
            "--interval",
            1,
            "--save-layout",
            layout,
            code=None,
        )
        self.assertEqual(json.loads(layout.read_text())["delimiter"], ";")
        found = self.assessed(self.folder / "b.csv", "--kind", "noise", "--layout", layout)
        self.assertAlmostEqual({f["key"]: f["value"] for f in found["figures"]}["laeq"], 85.0)


class Groups(Commands):
    def test_six_people_with_the_same_job(self) -> None:
        paths = [self.made("dust", seed) for seed in range(1, 7)]
        output = self.run_it("assess", *paths, "--group", "--json", code=None)
        told = json.loads(output)
        [group] = told["groups"]
        values = [next(f["value"] for f in each["figures"] if f["key"] == "twa_shift") for each in told["files"]]
        self.assertEqual((group["figure"], group["count"], group["limit"]), ("twa_shift", 6, 1.25))
        self.assertAlmostEqual(group["centre"], float(np.exp(np.mean(np.log(values)))))
        self.assertAlmostEqual(group["u_t"], 2.187, places=3)
        self.assertIn("EN 689 verdict", self.run_it("assess", *paths, "--group", code=None))

    def test_noise_is_arithmetic(self) -> None:
        paths = [self.made("noise", seed) for seed in (1, 2, 3)]
        [group] = json.loads(self.run_it("assess", *paths, "--group", "--json", code=None))["groups"]
        self.assertFalse(group["logarithmic"])
        self.assertEqual(group["verdict"], "does not comply")


class Convert(Commands):
    def test_a_span_and_a_name(self) -> None:
        source = self.made("training")
        self.run_it("convert", source, self.folder / "a.gpx", "--from", 60, "--to", 120, "--name", "Alwin Roth")
        text = (self.folder / "a.gpx").read_text()
        self.assertEqual(text.count("<trkpt"), 60)
        self.assertIn("Alwin Roth", text)
        self.run_it("convert", source, self.folder / "b.gpx")
        self.assertNotIn("<name>", (self.folder / "b.gpx").read_text())

    def test_episodes_as_annotations_of_the_open_export(self) -> None:
        source = self.made("jaw_muscle")
        self.run_it("convert", source, self.folder / "a.edf", "--found")
        found = self.assessed(source)["events"]
        again = files.read(self.folder / "a.edf", assess_files.WORDS)
        self.assertGreater(len(found), 3)
        self.assertEqual(
            [(e.code, round(e.at_s, 2)) for e in again.events], [(e["code"], round(e["at_s"], 2)) for e in found]
        )
        self.assertTrue(all(float(e.data["length_s"]) > 0 for e in again.events))

    def test_workbook_and_health_record(self) -> None:
        source = self.made("blood_pressure")
        self.run_it("convert", source, self.folder / "a.xlsx")
        self.run_it("convert", source, self.folder / "a.json")
        self.assertEqual(json.loads((self.folder / "a.json").read_text())["resourceType"], "Bundle")

    def test_what_a_format_cannot_hold(self) -> None:
        source = self.made("gas")
        for target, words in (
            ("a.gpx", "no positions"),
            ("a.json", "nothing to write as FHIR"),
            ("a.doc", "no format"),
            ("none/a.csv", "cannot be written"),
        ):
            self.assertIn(words, self.run_it("convert", source, self.folder / target, code=2))
        self.assertIn("cannot be read", self.run_it("convert", self.folder / "no.krec", self.folder / "a.csv", code=2))
        self.assertIn(
            "nothing lies between", self.run_it("convert", source, self.folder / "a.csv", "--from", 1e7, code=2)
        )


class WrongFiles(Commands):
    def test_damaged_files_of_every_format_say_where(self) -> None:
        rng = np.random.default_rng(5)
        for kind, suffix in (
            ("gas", ".krec"),
            ("oximetry", ".edf"),
            ("training", ".gpx"),
            ("gas", ".csv"),
            ("gas", ".parquet"),
        ):
            source = self.made(kind)
            target = source.with_suffix(suffix)
            self.run_it("convert", source, target) if suffix != ".krec" else None
            good = target.read_bytes()
            for _ in range(12):
                data = bytearray(good)
                for at in rng.integers(0, min(len(data), 3000), 5):
                    data[at] = int(rng.integers(0, 256))
                target.write_bytes(bytes(data[: int(rng.integers(len(data) // 2, len(data)))]))
                errors = io.StringIO()
                with contextlib.redirect_stderr(errors):
                    output = self.run_it("assess", target, "--kind", kind, code=None)
                self.assertNotIn("Traceback", output + errors.getvalue())

    def test_every_wrong_file_names_itself(self) -> None:
        path = self.folder / "x.csv"
        path.write_text("nothing here")
        with self.assertRaisesRegex(FileFormatError, r"x\.csv: "):
            files.read(path, assess_files.WORDS)


if __name__ == "__main__":
    unittest.main()
