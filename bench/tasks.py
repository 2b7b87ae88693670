"""Nine practitioners' tasks and the jobs at the counter done through the screens, in presses: `./kumpel bench tasks`."""

from __future__ import annotations

import sys
import unittest

from tests.support import tear_down
from tests.web import test_counter, test_tasks


def main() -> None:
    found = unittest.TextTestRunner(stream=sys.stderr, verbosity=0).run(
        unittest.TestSuite(
            unittest.defaultTestLoader.loadTestsFromTestCase(case)
            for case in (test_tasks.NineTasks, test_counter.Counter)
        )
    )
    print("| kind | question | answer | presses | seconds |\n|---|---|---|---|---|")
    for done in sorted(test_tasks.DONE, key=lambda d: d.kind):
        print(
            f"| {done.kind.replace('_', ' ')} | {done.question} | {done.answer} | {done.presses} | {done.seconds:.1f} |"
        )
    print("\n| job at the counter | by | presses |\n|---|---|---|")
    for job in test_counter.JOBS:
        print(f"| {job.words} | {job.by} | {job.presses} |")
    tear_down()
    if not found.wasSuccessful():
        sys.exit(1)


if __name__ == "__main__":
    main()
