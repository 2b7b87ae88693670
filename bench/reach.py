"""Many recorders in reach while nobody works: `./kumpel bench reach [RECORDERS ...]` (26, 500, 2000).

A lookout (`kumpel start --lookout`) over a database of its own; simulated recorders in docks of a hundred, each dock a process. Printed: how long
until all are found, the processor time of the lookout and of its database in a minute without anything happening, and how long until a
session that begins on one of them stands in the database.
"""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from sqlmodel import col, func, select
from tests import support

from bench.idle import processor_s, resident_mb
from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.store.tables import Recorder

A_DOCK = 100
IDLE_S = 60.0
CHANGES = 8
LIMITS = {26: 0.03}
MOST = 0.25
"""Share of a core that the lookout may take with any number of recorders up to 2,000; with 26 a tenth of that."""
SEEN_S = 2.0


class Reach(support.DatabaseTest):
    def runTest(self) -> None: ...

    def backends_s(self) -> float:
        """Processor seconds of the processes of the database."""
        pids = [
            int(p.name)
            for p in Path("/proc").glob("[0-9]*")
            if (p / "comm").exists() and (p / "comm").read_text().startswith("postgres")
        ]
        return processor_s(pids)

    def measure(self, count: int) -> None:
        os.environ["KUMPEL_SCOPE"] = support.SCOPE
        folder = Path(tempfile.mkdtemp(prefix="kumpel-reach-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        ensemble = Ensemble(folder, 1.0)
        self.addCleanup(ensemble.stop)
        every = [
            StandIn(f"X-{i:04d}", f"XX-{i:06d}", f"Recorder {i}", kind="noise", auto_start=False) for i in range(count)
        ]
        for first in range(0, count, A_DOCK):
            ensemble.begin(tuple(every[first : first + A_DOCK]))
        ensemble.wait()
        environment = os.environ | {"DATABASE_URL": self.url, "PYTHONPATH": str(ROOT / "src")}
        began = time.monotonic()
        lookout = subprocess.Popen(
            [sys.executable, "-m", "kumpel", "start", "--lookout"], env=environment, start_new_session=True
        )
        self.addCleanup(lookout.wait)
        self.addCleanup(lookout.terminate)
        in_reach = select(func.count()).select_from(Recorder).where(col(Recorder.in_reach))
        found = 0
        while found < count and time.monotonic() - began < 240:
            time.sleep(0.5)
            self.db.rollback()
            found = self.db.exec(in_reach).one()
        print(f"{count} recorders: {found} in reach after {time.monotonic() - began:.1f} s", flush=True)
        time.sleep(15)
        before, before_db, at = processor_s([lookout.pid]), self.backends_s(), time.monotonic()
        time.sleep(IDLE_S)
        took = time.monotonic() - at
        share = (processor_s([lookout.pid]) - before) / took
        database = (self.backends_s() - before_db) / took
        limit = LIMITS.get(count, MOST)
        print(
            f"  nobody there: lookout {100 * share:.1f} % of a core ({share / limit:.2f} of the limit), database {100 * database:.1f} %, "
            f"{resident_mb([lookout.pid]):.0f} MB"
        )
        seen = []
        there = set(self.db.exec(select(Recorder.serial).where(col(Recorder.in_reach))).all())
        known = [each for each in every if each.serial in there]
        for n in range(CHANGES):
            each = known[n * (len(known) // CHANGES)]
            ensemble.running[each.token].tell("record", start=time.time() - 3600, length_s=600.0, seed=n + 1)
            told = time.monotonic()
            while time.monotonic() - told < 30:
                self.db.rollback()
                self.db.expire_all()
                if self.db.exec(select(Recorder.inventory).where(Recorder.serial == each.serial)).one():
                    break
                time.sleep(0.02)
            seen.append(time.monotonic() - told)
        print(
            f"  a session on one of them stands in the database after {statistics.median(seen):.2f} s, at most {max(seen):.2f} s "
            f"({max(seen) / SEEN_S:.2f} of the limit)"
        )


def main() -> None:
    for count in [int(each) for each in sys.argv[1:]] or [26, 500, 2000]:
        test = Reach()
        test.setUp()
        try:
            test.measure(count)
        finally:
            test.doCleanups()
    support.tear_down()


if __name__ == "__main__":
    main()
