"""Sixty faults over three kinds while their sessions are taken in: nothing is lost, nothing twice, every byte as recorded."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

import numpy as np
import psycopg
from sqlalchemy.exc import OperationalError
from sqlmodel import select

from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.link.discovery import Announcement
from kumpel.services.recorders import recorders
from kumpel.services.register import sessions
from kumpel.services.take_in import take_in
from kumpel.store import database
from kumpel.store.database import plain_url
from kumpel.store.tables import Recorder, Session
from tests.support import DatabaseTest

KINDS = {"noise": 7200.0, "jaw_muscle": 120.0, "vehicle": 400.0}
FAULTS = 60


class Chaos(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(tempfile.mkdtemp(prefix="kumpel-chaos-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.ensemble = Ensemble(folder, 1.0)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch(
            tuple(StandIn(f"X-{i}", f"XX-{i}", kind, kind=kind, auto_start=False) for i, kind in enumerate(KINDS)),
            False,
        )
        self.rng = np.random.default_rng(60)
        self.cutting: threading.Timer | None = None

    def heard(self, running: Running) -> Recorder:
        serial = f"XX-{running.token[2:]}"
        return recorders.heard(self.db, Announcement(serial, "127.0.0.1", running.link))

    def test_sixty_faults(self) -> None:
        originals: dict[str, bytes] = {}
        for running, length in zip(self.ensemble.running.values(), KINDS.values(), strict=True):
            for number in range(4):
                start = time.time() - 100_000 + 20_000 * number
                name = str(running.tell("record", start=start, length_s=length, seed=number + 1)["session"])
                originals[name] = (running.folder / "sessions" / f"{name}.krec").read_bytes()
        ids = []
        for running in self.ensemble.running.values():
            recorder = self.heard(running)
            wishes = [take_in.Wish(recorder.id or 0, listed["id"]) for listed in recorder.inventory]
            ids += take_in.begin(self.db, wishes, self.who, lambda session_id: None)
        self.assertEqual(len(ids), len(originals))
        kinds: Counter[str] = Counter()
        for turn in range(FAULTS):
            kinds[self.fault(turn)] += 1
            self.work(ids)
            if self.cutting is not None:
                self.cutting.join()
            with contextlib.suppress(OperationalError):
                self.db.rollback()  # its own connection was cut too
            for running in self.ensemble.running.values():
                running.tell("come back")
                running.tell("corrupt", reads=0)
                self.heard(running)
            if turn % 5 == 4:
                self.forget_one(ids)
        self.assertGreaterEqual(len(kinds), 4)
        self.work(ids)
        self.work(ids)
        self.db.expire_all()
        rows = self.db.exec(select(Session)).all()
        self.assertEqual(sorted(s.recorder_session for s in rows), sorted(originals))
        for row in rows:
            with self.subTest(row.kind, session=row.recorder_session):
                self.assertEqual((row.state, row.trouble), ("stored", ""))
                stored = b"".join(sessions.original(database.engine(self.url), row.id or 0))
                self.assertEqual(stored, originals[row.recorder_session])

    def fault(self, turn: int) -> str:
        """One fault on a recorder, on the store, or between."""
        running = list(self.ensemble.running.values())[turn % 3]
        match int(self.rng.integers(0, 5)):
            case 0:
                running.tell("vanish", after_bytes=int(self.rng.integers(2_000, 300_000)))
                return "cut"
            case 1:
                running.tell("corrupt", reads=int(self.rng.integers(1, 4)))
                return "corrupt"
            case 2:
                running.tell("vanish")
                return "gone"
            case 3:
                self.cutting = threading.Timer(float(self.rng.uniform(0.0, 0.15)), self.cut_the_database)
                self.cutting.start()
                return "database"
        running.tell("mode", mode="transfer-off", press="press", for_s=0.05)
        return "mode"

    def cut_the_database(self) -> None:
        with psycopg.connect(plain_url(self.url), autocommit=True) as connection:
            connection.execute(
                "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
            )

    def work(self, ids: list[int]) -> None:
        """Everything that is not stored yet is worked on, two at a time as two workers would; whatever breaks is a worker that died."""
        todo = list(ids)

        def worker() -> None:
            while todo:
                try:
                    take_in.run(database.engine(self.url), todo.pop())
                except Exception:
                    continue

        threads = [threading.Thread(target=worker) for _ in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    def forget_one(self, ids: list[int]) -> None:
        """A stored session is begun anew from nothing, so that there is something to disturb to the end."""
        self.db.expire_all()
        stored = [s for s in self.db.exec(select(Session)).all() if s.state == "stored" and s.id in ids]
        if len(stored) < 6:
            return
        session = stored[int(self.rng.integers(0, len(stored)))]
        recorder, name = session.recorder_id or 0, session.recorder_session
        ids.remove(session.id or 0)
        self.db.delete(session)
        self.db.commit()
        ids += take_in.begin(self.db, [take_in.Wish(recorder, name)], self.who, lambda session_id: None)
