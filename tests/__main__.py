"""Runs every test side by side in processes (or those named, in one) and ends with `N passed, N failed`.

Each process has a database server of its own. One takes modules from the front of the list and two from its end, so that the
browser's tests run beside the others and not beside each other, as long as there are others: most of them wait most of their time. A
fourth computes what waits for nobody, with what time those leave.
"""

from __future__ import annotations

import json
import subprocess
import sys
import threading
import time
import unittest
from collections import deque
from pathlib import Path
from typing import Any

from tests import support

ROOT = Path(__file__).parents[1]
HEAVY_FIRST = ("web", "api", "services", "link", "reports", "store", "kinds", "standins", "formats", "core")
LONGEST = (
    "test_accessible",
    "test_laps",
    "test_slips",
    "test_lasting",
    "test_dock",
    "test_entries",
    "test_plain_sheet",
    "test_tenth_kind",
)
"""Of the browser's modules those that take longest: begun last, one of them would be waited for alone."""
QUIET = ("core", "formats", "kinds", "reports", "standins", "test_habits", "test_colours")
"""Modules that compute and wait for nobody: a third process works on them with what time the others leave."""
LEAVES_TIME = (0, 0, 10, 5)
DONE = "=== done "
PROCESSES = len(LEAVES_TIME)


class Result(unittest.TextTestResult):
    passed = 0

    def __init__(self, *arguments: Any, **rest: Any) -> None:
        super().__init__(*arguments, **rest)
        self.took: dict[str, float] = {}
        self.began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.took[unittest.TestCase.id(test).removeprefix("tests.")] = time.monotonic() - self.began

    def addSuccess(self, test: unittest.TestCase) -> None:
        super().addSuccess(test)
        self.passed += 1

    def counts(self) -> tuple[int, int]:
        return self.passed, len(self.failures) + len(self.errors) + len(self.unexpectedSuccesses)

    def bad(self) -> list[str]:
        """The names of those that did not pass."""
        return [str(test) for test, _ in self.failures + self.errors] + [str(test) for test in self.unexpectedSuccesses]


def run(suite: unittest.TestSuite) -> Result:
    result = unittest.TextTestRunner(stream=sys.stdout, verbosity=2, resultclass=Result).run(suite)
    assert isinstance(result, Result)
    return result


def named(names: list[str]) -> tuple[int, int]:
    try:
        result = run(unittest.TestLoader().loadTestsFromNames(names))
    finally:
        support.tear_down()
    say_slowest("tests", result.took)
    return result.counts()


def say_slowest(what: str, took: dict[str, float]) -> None:
    slowest = sorted(took.items(), key=lambda each: -each[1])[:10]
    print(f"Longest {what}: " + ", ".join(f"{name} {seconds:.1f} s" for name, seconds in slowest), flush=True)


def worker() -> None:
    """Runs the module on each line of standard input; a line with its counts follows its output."""
    try:
        for line in sys.stdin:
            result = run(unittest.TestLoader().loadTestsFromNames([line.strip()]))
            print(DONE + json.dumps({"counts": result.counts(), "took": result.took, "bad": result.bad()}), flush=True)
    finally:
        support.tear_down()


def modules() -> list[str]:
    found = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in ROOT.glob("tests/**/test_*.py")]

    def order(name: str) -> tuple[int, bool, str]:
        folder, own = name.split(".")[1], name.split(".")[-1]
        return HEAVY_FIRST.index(folder) if folder in HEAVY_FIRST else 2, own not in LONGEST, name

    return sorted(found, key=order)


class SideBySide:
    def __init__(self) -> None:
        found = modules()
        self.quiet = deque(name for name in found if name.split(".")[1] in QUIET)
        self.waiting = deque(name for name in found if name not in self.quiet)
        self.passed = self.failed = 0
        self.took: dict[str, float] = {}
        self.took_each: dict[str, float] = {}
        self.bad: list[str] = []
        self.lock = threading.Lock()

    def hand(self, number: int) -> None:
        """Gives modules to one process until none is left; a process that dies is a failure, and another goes on."""
        process: subprocess.Popen[str] | None = None
        while True:
            with self.lock:
                mine = self.quiet if number == 2 or not self.waiting else self.waiting
                if not mine:
                    break
                name = mine.popleft() if number in (0, 2) else mine.pop()
            if process is None:
                process = self.start(LEAVES_TIME[number])
            assert process.stdin and process.stdout
            began = time.monotonic()
            process.stdin.write(name + "\n")
            process.stdin.flush()
            lines, done = [], None
            for line in process.stdout:
                if line.startswith(DONE):
                    done = json.loads(line.removeprefix(DONE))
                    break
                lines.append(line)
            if done is None:
                lines.append(f"{name}: its process ended in the middle ({process.wait()})\n")
                process = None
            with self.lock:
                sys.stdout.write("".join(lines))
                sys.stdout.flush()
                self.took[name] = time.monotonic() - began
                self.took_each |= done["took"] if done else {}
                self.bad += done["bad"] if done else [f"{name}: its process ended in the middle"]
                passed, failed = done["counts"] if done else (0, 1)
                self.passed, self.failed = self.passed + passed, self.failed + failed
        if process is not None and process.stdin:
            process.stdin.close()
            process.wait()

    @staticmethod
    def start(leaves: int) -> subprocess.Popen[str]:
        return subprocess.Popen(
            ["nice", "-n", str(leaves), sys.executable, "-m", "tests", "--worker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )

    def run(self) -> tuple[int, int]:
        threads = [threading.Thread(target=self.hand, args=(number,)) for number in range(PROCESSES)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        say_slowest("files", {name.removeprefix("tests."): seconds for name, seconds in self.took.items()})
        say_slowest("tests", self.took_each)
        for each in self.bad:
            print(f"Not passed: {each}", flush=True)
        return self.passed, self.failed


def main() -> int:
    names = sys.argv[1:]
    if names == ["--worker"]:
        worker()
        return 0
    passed, failed = named(names) if names else SideBySide().run()
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
