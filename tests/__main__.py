"""Runs every test (or those named) and ends with `N passed, N failed`."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

from tests import support


class Result(unittest.TextTestResult):
    passed = 0

    def addSuccess(self, test: unittest.TestCase) -> None:
        super().addSuccess(test)
        self.passed += 1


def main() -> int:
    loader = unittest.TestLoader()
    root = Path(__file__).parents[1]
    names = sys.argv[1:]
    suite = loader.loadTestsFromNames(names) if names else loader.discover(str(root / "tests"), top_level_dir=str(root))
    runner = unittest.TextTestRunner(stream=sys.stdout, verbosity=2, resultclass=Result)
    try:
        result = runner.run(suite)
    finally:
        support.tear_down()
    assert isinstance(result, Result)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{result.passed} passed, {failed} failed", flush=True)
    return 1 if failed or not result.passed else 0


if __name__ == "__main__":
    sys.exit(main())
