"""Seeded faults while two servers work on one database: `./kumpel bench faults [COUNT] [SEED]` (100, 7). Ends with 1 when something is amiss."""

from __future__ import annotations

import sys
import time

from tests import support
from tests.faults import Faults


class _Site(support.DatabaseTest):
    def runTest(self) -> None: ...


def main() -> int:
    count, seed = (int(sys.argv[i]) if len(sys.argv) > i else usual for i, usual in ((1, 100), (2, 7)))
    site = _Site()
    site.setUp()
    faults = Faults(site.url, site.officer, seed)
    site.db.close()
    began = time.monotonic()
    try:
        faults.open()
        faults.run(count)
        found = faults.found()
    finally:
        faults.close()
        site.doCleanups()
        support.tear_down()
    for what, times in faults.kinds.most_common():
        print(f"{times:4d}  {what}")
    print(
        f"{sum(faults.kinds.values())} faults in {time.monotonic() - began:.0f} s, {len(faults.originals)} sessions, "
        f"{len(faults.signed)} signed, {len(faults.reported)} reports: "
        + ", ".join(f"{len(cases)} {what}" for what, cases in found.items())
    )
    for cases in found.values():
        for case in cases[:20]:
            print(f"    {case}")
    return 1 if any(found.values()) else 0


if __name__ == "__main__":
    sys.exit(main())
