"""`kumpel assess` and help, as processes; the whole job without a browser."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from kumpel.config import ROOT
from kumpel.demo import begun
from tests.support import recording_file


def kumpel(*arguments: object, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-m", "kumpel", *map(str, arguments)]
    return subprocess.run(command, env=environment, capture_output=True, text=True, cwd=cwd or ROOT, timeout=120)


class Assess(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def file(self, name: str, data: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def test_json_has_kind_start_length_and_figures(self) -> None:
        done = kumpel("assess", self.file("a.krec", recording_file()), "--json")
        [found] = json.loads(done.stdout)
        self.assertEqual((found["kind"], found["length_s"]), ("noise", 27_660))
        lead = next(f for f in found["figures"] if f["key"] == "lex8h")
        self.assertEqual(set(lead), {"key", "name", "value", "unit", "coverage", "limit", "verdict"})
        self.assertEqual(done.returncode, {"within": 0, "action level reached": 3, "above limit": 4}[found["verdict"]])

    def test_csv_by_hand(self) -> None:
        # four hours at 85 dB(A): LAeq 85, LEX,8h of that day 82.0
        rows = "t;LAeq;LCpeak\n" + "".join(f"{i};85,0;100\n" for i in range(14_400))
        done = kumpel("assess", self.file("a.csv", rows.encode()), "--json")
        figures = {f["key"]: f["value"] for f in json.loads(done.stdout)[0]["figures"]}
        self.assertAlmostEqual(figures["laeq"], 85.0)
        self.assertAlmostEqual(figures["lex8h"], 81.9897, places=3)
        self.assertEqual(done.returncode, 3)

    def test_limits_setup_and_map(self) -> None:
        rows = "when,dose channel\n0,84\n1,84\n"
        setup = self.file("s.json", b'{"run_length_min": 0.0333333333}')
        done = kumpel(
            "assess",
            self.file("a.csv", rows.encode()),
            "--map",
            "leq.1=dose channel",
            "--interval",
            1,
            "--limits",
            "niosh-98-126",
            "--setup",
            setup,
            "--json",
        )
        self.assertEqual(json.loads(done.stdout)[0]["limits"]["key"], "niosh-98-126", done.stderr)

    def test_wrong_files_say_what_where_and_leave_exit_code_2(self) -> None:
        cases = [
            (self.file("cut.krec", recording_file(3600)[:-4]), r"byte \d+"),
            (self.folder / "none.krec", "cannot be read"),
            (self.file("x.csv", b"t,LAeq\n0,8x\n1,80\n"), "line 2, column"),
            (self.file("empty.csv", b""), "two lines"),
        ]
        for path, words in cases:
            with self.subTest(path=path.name):
                done = kumpel("assess", path)
                self.assertEqual(done.returncode, 2)
                self.assertRegex(done.stderr, words)
                self.assertNotIn("Traceback", done.stderr)

    def test_the_table_reads_well(self) -> None:
        done = kumpel("assess", self.file("a.krec", recording_file()))
        self.assertRegex(done.stdout, r"LEX,8h +\d+\.\d dB\(A\) +")
        self.assertIn("EU noise directive (2003/10/EC)", done.stdout)

    def test_help(self) -> None:
        words = kumpel("--help").stdout
        for command in ("demo", "start", "assess"):
            self.assertIn(command, words)


class CutOff(unittest.TestCase):
    def test_what_a_cut_start_left_on_the_recorders_goes_and_what_was_loaded_stays(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            memory = folder / "standins" / "dock-1" / "G-01" / "sessions"
            memory.mkdir(parents=True)
            (folder / "postgres").mkdir()
            begun.loaded_mark(folder).touch()
            begun.take_away_halves(folder)
            self.assertTrue(memory.exists())
            begun.loaded_mark(folder).unlink()
            begun.take_away_halves(folder)
            self.assertFalse(memory.exists())
            self.assertTrue((folder / "postgres").exists())


class Once(unittest.TestCase):
    def test_the_whole_job_without_a_browser(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            done = kumpel("demo", "--once", cwd=Path(folder))
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
            written = {p.suffix: p for p in (Path(folder) / "out").iterdir()}
            self.assertEqual(set(written), {".pdf", ".krec", ".json", ".csv"})
            self.assertTrue(written[".pdf"].read_bytes().startswith(b"%PDF"))
            stored = {f["key"]: f["value"] for f in json.loads(written[".json"].read_text())["recorded"]["figures"]}
            again = json.loads(kumpel("assess", written[".krec"], "--json").stdout)[0]
            for figure in again["figures"]:
                if figure["value"] is not None:
                    self.assertAlmostEqual(figure["value"], stored[figure["key"]], places=9, msg=figure["key"])
