"""Ten years of somebody: 250 shifts a year and 200 nights, `./kumpel bench years`. The page's answer, each time another one, and its first picture."""

from __future__ import annotations

import cProfile
import pstats
import statistics
import sys
import time

from sqlalchemy import text
from tests import support
from tests.web.browser import BrowserTest

from kumpel.api import schemas
from kumpel.formats import krec
from kumpel.services.review.years import years_of
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Person, Session

SHIFTS, NIGHTS, TIMES = 2_500, 200, 25
LIMIT_MS = 100.0
COPIES = """
with made as (
    insert into session ({columns}, started_at, recorder_session, sha256)
    select {columns}, now() - (n * interval '1 day' * :apart), 'copy ' || n, sha256(convert_to(:kind || n, 'utf8'))
    from session, generate_series(1, :count) n where session.id = :id
    returning id, started_at
), figures as (
    insert into figure_value (session_id, key, value, unit, coverage, verdict, method, kind)
    select made.id, key, value + 3 * sin(extract(epoch from made.started_at)), unit, coverage, verdict, method, kind
    from figure_value, made where session_id = :id
)
insert into result (session_id, basis, method, limit_set_id, limits, decisions, verdict, content, made_at)
select made.id, basis, method, limit_set_id, '{{}}', '{{}}', verdict, '{{}}', now() from result, made where session_id = :id
"""
OWN = {"id", "started_at", "recorder_session", "sha256"}


class Years(BrowserTest):
    watch = "0"

    def runTest(self) -> None:
        person = self.person("Ida Brandvik")
        self.copied(self.session(22_000, person), SHIFTS, 1.46)
        self.copied(self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording), person), NIGHTS, 18.0)
        self.db.execute(text("analyze"))
        self.db.commit()
        if "--profile" in sys.argv:
            self.profiled(person)
        self.answers(person)
        self.picture(person)

    def copied(self, row: Session, count: int, apart: float) -> None:
        columns = ", ".join(sorted(set(Session.model_fields) - OWN))
        self.db.execute(
            text(COPIES.format(columns=columns)), {"id": row.id, "count": count, "apart": apart, "kind": row.kind}
        )
        self.db.commit()

    def answers(self, person: Person) -> None:
        client = self.client()
        spent = []
        for n in range(TIMES + 2):
            began = time.perf_counter()
            answer = client.get(f"/api/people/{person.id}/years", params={"n": n})
            spent.append(1000 * (time.perf_counter() - began))
        marks = sum(len(lane["marks"]) for lane in answer.json()["lanes"])
        ms = sorted(spent[2:])
        high = ms[int(0.95 * len(ms))]
        print(f"the first answer of all: {spent[0]:.0f} ms")
        print(
            f"{marks:,} sessions, {len(answer.content) / 1000:.0f} kB: median {statistics.median(ms):.0f} ms, p95 {high:.0f} ms "
            f"({high / LIMIT_MS:.2f} of {LIMIT_MS:.0f} ms)"
        )

    def profiled(self, person: Person) -> None:
        years_of(self.db, person.id or 0)
        profile = cProfile.Profile()
        profile.enable()
        schemas.Years.model_validate(years_of(self.db, person.id or 0)).model_dump_json()
        profile.disable()
        pstats.Stats(profile).sort_stats("cumtime").print_stats(30)

    def picture(self, person: Person) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/people/{person.id}")
        canvas = page.get_by_role("application").locator("canvas")
        canvas.wait_for()
        page.wait_for_timeout(500)
        box = canvas.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 300, box["y"] + 150)
        times = []
        for turn in range(30):
            page.mouse.wheel(0, -40 if turn < 15 else 40)
            times.append(
                page.evaluate(
                    "() => new Promise(done => requestAnimationFrame(a => requestAnimationFrame(b => done(b - a))))"
                )
            )
        rising = sorted(times)
        print(
            f"zooming, from frame to frame: median {statistics.median(rising):.0f} ms, p95 {rising[28]:.0f} ms (17 ms at 60 a second)"
        )


if __name__ == "__main__":
    import unittest

    unittest.TextTestRunner().run(unittest.TestSuite([Years()]))
    support.tear_down()
