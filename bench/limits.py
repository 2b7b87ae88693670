"""A limit that is moved at a house with 100,000 noise sessions of a year: `./kumpel bench limits`.

What the screen asks once (every scale), what it asks when a flag rests (whom it hits), and the same count by the plain way of a list: one
question a step over the sessions.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from datetime import date, timedelta

from sqlalchemy import text
from tests.support import DatabaseTest

from bench.years import COPIES, OWN
from kumpel.api import schemas
from kumpel.core.assessment import Step, Verdict
from kumpel.services.ground import limits
from kumpel.services.review import measured_against
from kumpel.store.database import engine
from kumpel.store.tables import Session

PEOPLE, EACH, TIMES = 100, 1_000, 25
LIMIT_MS = 100.0


class Limits(DatabaseTest):
    def runTest(self) -> None:
        for number in range(PEOPLE):
            self.copied(self.session(22_000 + number, self.person(f"Person {number}")), 365 / EACH)
        self.db.execute(text("update figure_value set value = round(value::numeric, 1)"))  # as figures are stated
        self.db.commit()
        # As PostgreSQL does by itself once so much has changed: what is seen by everybody is then read from indexes alone.
        with engine(self.url).connect().execution_options(isolation_level="AUTOCOMMIT") as alone:
            alone.execute(text("vacuum analyze"))
        noise = limits.usual(self.db, "noise")
        assert noise is not None and noise.id is not None
        since, of = date.today() - timedelta(days=364), noise.id
        found = measured_against.measured(self.db, of, since)
        answer = schemas.LimitsMeasured.model_validate(found).model_dump_json()
        print(
            f"{found.sessions} sessions of {found.people} people, {len(found.scales)} scales, answer {len(answer) / 1000:.0f} kB"
        )
        key = found.scales[0].key
        steps = [Step(value, Verdict.ACTION, "") for value in (85.0, 84.0)]
        self.told("every scale of the set, once", lambda: measured_against.measured(self.db, of, since))
        self.told("whom a moved step hits", lambda: measured_against.hit(self.db, of, key, steps[0], steps[1], since))
        started = time.perf_counter()
        for value in range(700, 900):
            sum(n for v, n in found.scales[0].values if v >= value / 10)
        each = 1000 * (time.perf_counter() - started) / 200
        print(
            f"a step of a drag, counted from the distinct values: {each:.2f} ms ({each / LIMIT_MS:.3f} of {LIMIT_MS:g} ms)"
        )

    def told(self, what: str, work: Callable[[], object]) -> None:
        taken = []
        for _ in range(TIMES):
            started = time.perf_counter()
            work()
            taken.append(1000 * (time.perf_counter() - started))
        middle, p95 = statistics.median(taken), statistics.quantiles(taken, n=20)[-1]
        print(f"{what}: {middle:.0f} ms, p95 {p95:.0f} ({middle / LIMIT_MS:.2f} of {LIMIT_MS:g} ms)")

    def copied(self, row: Session, apart: float) -> None:
        columns = ", ".join(sorted(set(Session.model_fields) - OWN))
        self.db.execute(
            text(COPIES.format(columns=columns)),
            {"id": row.id, "count": EACH - 1, "apart": apart, "kind": f"{row.kind} {row.id}"},
        )
        self.db.commit()


def main() -> None:
    import unittest

    unittest.TextTestRunner(verbosity=0).run(Limits())


if __name__ == "__main__":
    main()
