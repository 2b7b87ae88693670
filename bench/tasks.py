"""Nine practitioners' tasks done through the screens: presses and seconds of each: `./kumpel bench tasks`."""

from __future__ import annotations

import sys
import unittest

from tests.support import tear_down
from tests.web import test_tasks


def main() -> None:
    found = unittest.TextTestRunner(stream=sys.stderr, verbosity=0).run(
        unittest.defaultTestLoader.loadTestsFromTestCase(test_tasks.NineTasks)
    )
    print("| kind | question | answer | presses | seconds |\n|---|---|---|---|---|")
    for done in sorted(test_tasks.DONE, key=lambda d: d.kind):
        print(
            f"| {done.kind.replace('_', ' ')} | {done.question} | {done.answer} | {done.presses} | {done.seconds:.1f} |"
        )
    tear_down()
    if not found.wasSuccessful():
        sys.exit(1)


if __name__ == "__main__":
    main()
