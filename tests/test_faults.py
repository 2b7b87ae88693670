"""Faults from a seed while two servers work on one database; `./kumpel bench faults` prints a hundred."""

import time

from kumpel.store import database
from tests.faults import Faults
from tests.support import DatabaseTest


class SeededFaults(DatabaseTest):
    def test_five_faults_and_nothing_is_lost_doubled_or_half(self) -> None:
        faults = Faults(self.url, self.officer, int(time.time()) // 86_400)
        self.db.close()
        self.addCleanup(faults.close)
        faults.open()
        faults.run(5, 0.5, 1.5)
        database.engine(self.url).dispose()
        found = faults.found()
        self.assertEqual(found, {"lost": [], "doubled": [], "half": []}, dict(faults.kinds))
        self.assertGreaterEqual(len(faults.originals), 6)
