"""Reports for many: 200 one-page reports issued as a job of a worker, `./kumpel bench batch`; the server's other answers meanwhile, and memory."""

from __future__ import annotations

import statistics
import sys
import threading
import time
from pathlib import Path

import httpx
from sqlalchemy import text
from sqlmodel import col, select
from tests.services.crusher_hall import CrusherHall
from tests.support import ServerTest

from kumpel.services.batches import batch
from kumpel.store.tables import ReportBatch, Session

REPORTS, LIMIT_S, OTHERS, MEMORY_MB = 200, 12.0, 1.5, 300.0
ASKED = ("/api/line", "/api/sessions?limit=50", "/api/people?limit=100")


def resident_mb(pid: int) -> float:
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmRSS"))


class Batch(CrusherHall, ServerTest):
    def runTest(self) -> None:
        self.measured()
        ids = [i or 0 for i in self.db.exec(select(Session.id).order_by(col(Session.id))).all()]
        client = self.client()
        calm = self.asked(client, 3.0)
        processes = self.processes()
        idle = sum(map(resident_mb, processes))
        # The same six signed sheets over and over: each is frozen anew, with a number of its own.
        wish = batch.Wish(tuple(ids), one_each=False)
        first = batch.begin(self.db, wish, self.who)
        self.db.execute(text("delete from report_batch_item where batch_id = :b"), {"b": first.id})
        for at in range(REPORTS):
            self.db.execute(
                text(
                    "insert into report_batch_item (batch_id, at, who, sessions, recipient, state, problem)"
                    " values (:b, :at, 'somebody', cast(:s as jsonb), '', 'waiting', '')"
                ),
                {"b": first.id, "at": at + 1, "s": f"[{ids[at % len(ids)]}]"},
            )
        first.state = "stopped"
        self.db.add(first)
        self.db.commit()
        most = [idle]
        over = threading.Event()

        def watch() -> None:
            while not over.wait(0.2):
                most.append(sum(map(resident_mb, processes)))

        threading.Thread(target=watch, daemon=True).start()
        begun = time.perf_counter()
        client.post(f"/api/report-batches/{first.id}/go-on").raise_for_status()
        busy: list[float] = []
        while True:
            busy += self.asked(client, 0.5)
            self.db.expire_all()
            if self.db.get_one(ReportBatch, first.id).state == "done":
                break
        took = time.perf_counter() - begun
        over.set()
        done = batch.amount(self.db, first.id or 0)
        calm_95, busy_95 = (statistics.quantiles(times, n=20)[-1] for times in (calm, busy))
        print(
            f"{done.issued} of {REPORTS} one-page reports issued in {took:.1f} s, {took / LIMIT_S:.2f} of {LIMIT_S:g} s"
        )
        print(
            f"other answers meanwhile: p95 {busy_95 * 1000:.0f} ms, {calm_95 * 1000:.0f} without: {busy_95 / calm_95:.2f} times"
            f" ({OTHERS:g} allowed)"
        )
        print(
            f"memory: {max(most) - idle:.0f} MB above the idle {idle:.0f} MB, {(max(most) - idle) / MEMORY_MB:.2f} of {MEMORY_MB:g}"
        )

    def processes(self) -> list[int]:
        """The server under test, which works on its jobs itself."""
        return [self.server.pid]

    def asked(self, client: httpx.Client, seconds: float) -> list[float]:
        """How long answers take, as a browser asks: a list, the line, the register, some times a second."""
        times, until, at = [], time.perf_counter() + seconds, 0
        while time.perf_counter() < until:
            begun = time.perf_counter()
            client.get(
                f"{ASKED[at % len(ASKED)]}{'&' if '?' in ASKED[at % len(ASKED)] else '?'}n={at}"
            ).raise_for_status()
            times.append(time.perf_counter() - begun)
            at += 1
            time.sleep(0.05)
        return times


if __name__ == "__main__":
    import unittest

    sys.exit(not unittest.TextTestRunner(verbosity=0).run(Batch()).wasSuccessful())
