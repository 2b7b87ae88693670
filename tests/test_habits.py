"""The rules of the house: import direction, types, lint, one formatter."""

import ast
import os
import re
import subprocess
import sys
import unittest
from pathlib import Path

from kumpel.config import ROOT

SOURCE = ROOT / "src" / "kumpel"
# Each room and the rooms below it that it may look into.
MAY: dict[str, set[str]] = {
    "core": set(),
    "formats": {"core"},
    "reports": {"core"},
    "link": {"core"},
    "kinds": {"core", "reports"},
    "store": {"core", "formats"},
    "services": {"store", "link", "kinds", "reports", "formats", "core"},
    "api": {"services", "store", "kinds", "core", "config"},
    "standins": {"link", "formats"},
    "demo": {"services", "store", "link", "kinds", "formats", "standins", "serve", "config"},
}
# The same among the rooms of what people do. Nothing but the yard itself knows the yard.
SERVICES: dict[str, set[str]] = {
    "ground": set(),
    "recorders": {"ground"},
    "hand_out": {"ground", "recorders"},
    "take_in": {"ground", "recorders"},
    "register": {"ground", "recorders", "hand_out", "take_in"},
    "review": {"ground", "register"},
    "report": {"ground", "recorders", "register", "review"},
    "groups": {"ground", "register", "report"},
    "plan": {"ground", "hand_out", "recorders", "register"},
    "batches": {"ground", "register", "report", "groups"},
    "yard": {"ground", "hand_out", "recorders", "register"},
    "bench": {"ground", "recorders"},
    "firmware": {"ground", "recorders"},
    "radio": {"ground", "recorders", "take_in"},
    "work": {"ground", "recorders", "take_in", "register", "report", "batches", "firmware", "radio"},
}

# The same in the browser's part. Kinds know each other as little as features know what lies above them.
WEB: dict[str, set[str]] = {
    "api": set(),
    "ui": {"api"},
    "charts": {"api", "ui"},
    "limits": {"api", "ui", "charts"},
    "setup": {"api", "ui"},
    "sheet": {"api", "ui", "charts", "setup"},
    "kinds": {"api", "ui", "charts", "limits", "setup", "sheet"},
    "features": {"api", "ui", "charts", "limits", "setup", "sheet", "kinds"},
    "app": {"api", "ui", "features"},
}
# Which screens use parts of which; never the other way round.
FEATURES: dict[str, set[str]] = {
    "bench": {"sensors"},
    "hand-out": {"people", "settings"},
    "people": {"review"},
    "recorders": {"plan", "settings"},
    "report": {"plan"},
    "review": {"settings"},
    "take-in": {"settings"},
}
WEB_IMPORT = re.compile(r"""(?:from|import)\s*\(?["'](@/[^"']+|\.{1,2}/[^"']+)["']""")


class WebImports(unittest.TestCase):
    def setUp(self) -> None:
        self.root = ROOT / "web" / "src"
        self.found = [
            (path.relative_to(self.root), Path(os.path.normpath(target[2:] if target[0] == "@" else here / target)))
            for path in (*self.root.rglob("*.ts"), *self.root.rglob("*.tsx"))
            for here in [path.parent.relative_to(self.root)]
            for target in WEB_IMPORT.findall(path.read_text())
            if len(path.relative_to(self.root).parts) > 1
        ]

    def test_imports_run_downward_only(self) -> None:
        self.assertGreater(len(self.found), 500)
        for path, target in self.found:
            with self.subTest(file=str(path), imports=str(target)):
                self.assertIn(target.parts[0], WEB[path.parts[0]] | {path.parts[0]})

    def test_every_room_is_listed(self) -> None:
        self.assertEqual({p.name for p in self.root.iterdir() if p.is_dir()}, set(WEB))

    def test_kinds_do_not_know_each_other(self) -> None:
        for path, target in self.found:
            if path.parts[0] == target.parts[0] == "kinds" and len(path.parts) > 2:
                with self.subTest(file=str(path)):
                    self.assertEqual(target.parts[1], path.parts[1])

    def test_features_use_each_other_one_way(self) -> None:
        for path, target in self.found:
            if path.parts[0] == target.parts[0] == "features" and target.parts[1] != path.parts[1]:
                with self.subTest(file=str(path), imports=str(target)):
                    self.assertIn(target.parts[1], FEATURES.get(path.parts[1], set()))


class Imports(unittest.TestCase):
    def test_imports_run_downward_only(self) -> None:
        for room, allowed in MAY.items():
            for path in (SOURCE / room).rglob("*.py"):
                if "migrations" in path.parts:
                    continue
                for target in self.targets(path):
                    with self.subTest(file=str(path.relative_to(SOURCE)), imports=target):
                        self.assertIn(target, allowed | {room})

    def test_what_people_do_is_in_rooms_of_one_direction(self) -> None:
        there = {path.name for path in (SOURCE / "services").iterdir() if path.is_dir() and path.name != "__pycache__"}
        self.assertEqual(there, set(SERVICES))
        loose = {path.name for path in (SOURCE / "services").glob("*.py")}
        self.assertEqual(loose, {"__init__.py"})
        for room, allowed in SERVICES.items():
            for path in (SOURCE / "services" / room).glob("*.py"):
                for target in self.targets(path, "kumpel.services."):
                    with self.subTest(file=str(path.relative_to(SOURCE)), imports=target):
                        self.assertIn(target, allowed | {room})

    def test_stand_ins_know_the_protocol_and_the_file_alone(self) -> None:
        """What a stand-in makes is checked by the core: it must not be made by it."""
        for path in (SOURCE / "standins").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                names = [node.module or ""] if isinstance(node, ast.ImportFrom) else []
                names += [a.name for a in node.names] if isinstance(node, ast.Import) else []
                for name in names:
                    if name.startswith("kumpel") and not name.startswith(("kumpel.link", "kumpel.standins")):
                        with self.subTest(file=path.name):
                            self.assertIn(f"{name}.", ("kumpel.formats.krec.", "kumpel.formats."))
                            self.assertTrue(name != "kumpel.formats" or [a.name for a in node.names] == ["krec"])

    def test_every_room_is_listed(self) -> None:
        self.assertEqual({p.name for p in SOURCE.iterdir() if p.is_dir() and p.name != "__pycache__"}, set(MAY))

    def test_the_core_knows_no_files_no_web_no_clock(self) -> None:
        banned = {
            "os",
            "io",
            "pathlib",
            "time",
            "datetime",
            "socket",
            "sqlmodel",
            "sqlalchemy",
            "fastapi",
            "pydantic",
            "httpx",
        }
        for path in (SOURCE / "core").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                names = (
                    [a.name for a in node.names]
                    if isinstance(node, ast.Import)
                    else [node.module or ""]
                    if isinstance(node, ast.ImportFrom)
                    else []
                )
                self.assertFalse({n.split(".")[0] for n in names} & banned, path)

    def targets(self, path: Path, below: str = "kumpel.") -> list[str]:
        found = []
        for node in ast.walk(ast.parse(path.read_text())):
            names = (
                [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else [a.name for a in node.names]
                if isinstance(node, ast.Import)
                else []
            )
            found += [n.removeprefix(below).split(".")[0] for n in names if n.startswith(below)]
        return found


class Checks(unittest.TestCase):
    def run_tool(self, *command: str, cwd: Path = ROOT) -> None:
        done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, timeout=300)
        self.assertEqual(done.returncode, 0, done.stdout[-4000:] + done.stderr[-2000:])

    def test_ruff(self) -> None:
        self.run_tool(sys.executable, "-m", "ruff", "check", "src", "tests", "bench")

    def test_python_format(self) -> None:
        self.run_tool(sys.executable, "-m", "ruff", "format", "--check", "src", "tests", "bench")

    def test_mypy_strict(self) -> None:
        self.run_tool(sys.executable, "-m", "mypy")

    def test_web_lint_and_format(self) -> None:
        self.run_tool("npx", "biome", "check", cwd=ROOT / "web")

    def test_web_types(self) -> None:
        self.run_tool("npx", "tsc", "--noEmit", cwd=ROOT / "web")

    def test_the_lines_that_are_broken_on_purpose_stand_where_they_are_looked_for(self) -> None:
        self.run_tool(sys.executable, "tools/mutate", "--check")

    def test_what_was_changed_lately_is_noticed_when_it_is_broken(self) -> None:
        """As far as a minute goes; `tools/mutate` breaks every line of its list."""
        self.run_tool(sys.executable, "tools/mutate", "--lately", "35")

    def test_the_states_name_tests_that_there_are(self) -> None:
        named = set(re.findall(r"`(test_\w+)`", (ROOT / "docs" / "states.md").read_text()))
        there = {
            name for path in ROOT.glob("tests/**/test_*.py") for name in re.findall(r"def (test_\w+)", path.read_text())
        }
        self.assertGreater(len(named), 40)
        self.assertEqual(named - there, set())

    def test_nothing_outside_is_called(self) -> None:
        allowed = re.compile(
            r"127\.0\.0\.1|localhost|www\.w3\.org|biomejs\.dev/schemas|loinc\.org|hl7\.org|unitsofmeasure\.org|topografix\.com/GPX|\{host\}|\{port\}"
        )
        for pattern in ("src/**/*.py", "web/src/**/*.ts*", "web/src/**/*.css", "web/index.html"):
            for path in ROOT.glob(pattern):
                if path.name == "schema.d.ts":
                    continue
                for number, line in enumerate(path.read_text().splitlines(), 1):
                    for address in re.findall(r"https?://[^\s\"'`]+", line):
                        self.assertRegex(address, allowed, f"{path}:{number}")

    def test_every_public_core_function_has_a_docstring(self) -> None:
        for path in (SOURCE / "core").rglob("*.py"):
            for node in ast.parse(path.read_text()).body:
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                    with self.subTest(file=path.name, name=node.name):
                        self.assertTrue(ast.get_docstring(node) or node.name in ("TableColumn", "Quality"))


if __name__ == "__main__":
    unittest.main()
