"""What tests share: a cluster with a fresh database a test, simulated meters, a running server."""

from __future__ import annotations

import asyncio
import fcntl
import itertools
import os
import shutil
import subprocess
import tempfile
import time
import unittest
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import IO, Any, ClassVar, TypeVar

import httpx
import psycopg
from argon2 import PasswordHasher
from sqlmodel import Session as Db

from kumpel.config import ROOT
from kumpel.core.recording import Event
from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.formats import krec
from kumpel.link.discovery import Announcement
from kumpel.services.ground import accounts, figures, limits, people
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import recorders
from kumpel.services.take_in import take_in
from kumpel.standins.devices import noise
from kumpel.store import database
from kumpel.store.cluster import Cluster, free_port
from kumpel.store.tables import Account, HandOver, Person, Recorder, Session
from tests.forks import Mother

Result = TypeVar("Result")
SCOPE = f"t{os.getpid() % 10**7}"
# As strong as they are, passwords of tests would take a fifth of a second each, and every test has one. What a hash costs stands in the
# hash itself: servers of tests read these as they are.
accounts._hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
_cluster: Cluster | None = None
_mother: Mother | None = None
_counter = 0
_held: list[IO[str]] = []


def cluster() -> Cluster:
    """One cluster for the whole run, its database `kumpel` migrated as the template of all."""
    global _cluster
    if _cluster is None:
        _cluster = Cluster(_own_folder(ROOT / "var" / "test") / "postgres", durable=False)
        _cluster.stop()
        shutil.rmtree(_cluster.data, ignore_errors=True)
        url = _cluster.start()
        database.migrate(url)
        with Db(database.engine(url)) as db:
            limits.put_shipped(db)
        database.engine(url).dispose()
    return _cluster


def _own_folder(all_of_them: Path) -> Path:
    """The first folder that no other run in this checkout uses: it is locked as long as this process lives."""
    for number in itertools.count():
        folder = all_of_them / str(number)
        folder.mkdir(parents=True, exist_ok=True)
        lock = (folder / "lock").open("w")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            lock.close()
            continue
        _held.append(lock)
        return folder
    raise AssertionError


def fresh_database() -> str:
    """The URL of a new, migrated database."""
    global _counter
    _counter += 1
    url, name = cluster().url, f"test_{_counter}"
    with psycopg.connect(cluster().keeper_url, autocommit=True) as connection:
        connection.execute(f"drop database if exists {name}")
        connection.execute(f"create database {name} template kumpel owner kumpel strategy file_copy")
    return url.rsplit("/", 1)[0] + f"/{name}"


def mother() -> Mother:
    """One for the whole run: what all servers are forked from."""
    global _mother
    if _mother is None:
        _mother = Mother()
    return _mother


# Tests that try the command of a dock itself start it as such.
Ensemble.start = staticmethod(lambda arguments, log: mother().dock(arguments, log))


def tear_down() -> None:
    if _mother is not None:
        _mother.end()
    if _cluster is not None:
        _cluster.stop()


class DatabaseTest(unittest.TestCase):
    """A test with a database of its own and an officer."""

    url: str
    db: Db
    officer: Account

    def setUp(self) -> None:
        self.url = fresh_database()
        self.db = Db(database.engine(self.url), expire_on_commit=False)
        self.officer = accounts.create_account(self.db, "officer", "Runa Halvorsen", "long enough", "administrator")
        self.addCleanup(database.engine(self.url).dispose)
        self.addCleanup(self.db.close)

    @property
    def who(self) -> int:
        assert self.officer.id is not None
        return self.officer.id

    def person(self, name: str = "Ida Brandvik", **rest: Any) -> Person:
        return people.create_person(self.db, name, **rest)

    def session(self, length_s: int = 27_660, person: Person | None = None, **wish: Any) -> Session:
        """A stored session from a file, of nobody or of a person."""
        return self.stored(recording_file(length_s, **wish), person)

    def stored(self, file: bytes, person: Person | None = None, **tags: str) -> Session:
        """A session taken in from a file, with its figures."""
        row = take_in.from_file(self.db, file, self.who, {"person_id": person.id if person else None, "tags": tags})
        if not row.aside:
            figures.assess(self.db, row)
            self.db.commit()
            self.db.refresh(row)
        return row


class MeterTest(DatabaseTest):
    """A test with a simulated meter beside the database."""

    meter_options: ClassVar[dict[str, Any]] = {}
    time_factor = 7200.0

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="kumpel-meter-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.ensemble = Ensemble(self.folder, self.time_factor)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch(
            (StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False, **self.meter_options),), False
        )

    @property
    def meter(self) -> Running:
        return self.ensemble.running["N-07"]

    def seen(self) -> Recorder:
        """The meter as the store knows it after asking it."""
        return recorders.heard(self.db, Announcement("NM-000107", "127.0.0.1", self.meter.link))

    def give(self, person: Person, **rest: Any) -> HandOver:
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, person.id)
        slip = hand_out.Slip(recorder.id or 0, person.id or 0, draft.settings, draft.revision, **rest)
        return hand_out.hand_out(self.db, slip, self.who)

    def record(self, length_s: int = 3600, **wish: Any) -> str:
        start = wish.pop("start", time.time() - length_s - 60)
        return str(self.meter.tell("record", start=start, length_s=length_s, **wish)["session"])

    def take_in(self, *names: str, **wish: Any) -> list[bool]:
        recorder = self.seen()
        wishes = [take_in.Wish(recorder.id or 0, name, **wish) for name in names]
        ids = take_in.begin(self.db, wishes, self.who, lambda session_id: None)
        done = [take_in.run(database.engine(self.url), session_id) for session_id in ids]
        self.db.expire_all()
        return done


def finished(work: Coroutine[Any, Any, Result]) -> Result:
    """Runs something to its end on a loop of its own: where a browser was driven before, the thread of the tests has one already."""
    with ThreadPoolExecutor(1) as aside:
        return aside.submit(asyncio.run, work).result()


def recording_file(length_s: int = 27_660, session: str = "S-1", serial: str = "NM-000199", **wish: Any) -> bytes:
    """A session's file as the simulated meter makes it."""
    head = {
        "session": session,
        "start": wish.pop("start", 1_795_000_000.0),
        "utc_offset_min": wish.pop("utc_offset_min", 60),
        "length_s": length_s,
        "setup": wish.pop("setup", noise.FACTORY_SETUP),
        "slip": {},
        "recorder": {"serial": serial, "name": "Noise meter", "token": "N-99", "model": "NM-1", "firmware": "1"},
    }
    return noise.make_file(head, {"seed": 4} | wish)


def small_file(values: Any, events: tuple[Event, ...] = (), **head: Any) -> bytes:
    """A file with one channel."""
    channel = krec.ChannelHead("leq.1", "Level", "dB(A)", 1.0, "i16", 0.01, 0.0, -32768)
    about = krec.Head(
        "noise", "S-1", 1_795_000_000.0, 60, {"serial": "NM-1"}, head.pop("setup", {}), (channel,), **head
    )
    return krec.write(about, {"leq.1": values}, events)


class ServerTest(DatabaseTest):
    """A test with the real server as a process of its own, watching for recorders."""

    watch = "1"

    def setUp(self) -> None:
        super().setUp()
        self.port = free_port()
        self.log = self.enterContext(tempfile.TemporaryFile())
        self.start_server()
        self.addCleanup(self.stop_server)

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start_server(self) -> None:
        environment = os.environ | {
            "KUMPEL_DATABASE_URL": self.url,
            "KUMPEL_WATCH": self.watch,
            "KUMPEL_SCOPE": SCOPE,
            "PYTHONPATH": str(ROOT / "src"),
        }
        self.server = self.mother().server(self.port, environment, self.log)
        # Certificates are read by every client that may need some: a third of a second a server.
        with httpx.Client(base_url=self.address, verify=False) as client:
            self.eventually(lambda: client.get("/api/state").status_code == 200, 60)

    def mother(self) -> Mother:
        """What the server is forked from."""
        return mother()

    def stop_server(self) -> None:
        self.server.terminate()
        try:
            self.server.wait(10)
        except subprocess.TimeoutExpired:
            self.server.kill()
            self.server.wait()
        self.assertNotIn("shutdown failed", self.server_log())

    def server_log(self) -> str:
        self.log.seek(0)
        return self.log.read().decode()

    def client(self) -> httpx.Client:
        client = httpx.Client(base_url=self.address, timeout=60, verify=False)
        self.addCleanup(client.close)
        answer = client.post("/api/sign-in", json={"login": "officer", "password": "long enough"})
        self.assertEqual(answer.status_code, 200, answer.text)
        return client

    def launch(self, *meters: StandIn, time_factor: float = 7200.0) -> Ensemble:
        """Simulated meters that announce themselves to this test's server only."""
        os.environ["KUMPEL_SCOPE"] = SCOPE
        folder = Path(tempfile.mkdtemp(prefix="kumpel-ensemble-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        ensemble = Ensemble(folder, time_factor)
        self.addCleanup(ensemble.stop)
        ensemble.launch(meters)
        return ensemble

    def eventually(self, holds: Any, seconds: float = 10.0) -> None:
        """Wait until something holds; its last error is the test's."""
        limit, error = time.monotonic() + seconds, None
        while time.monotonic() < limit:
            if self.server.poll() is not None:
                raise AssertionError(f"the server ended: {self.server_log()[-3000:]}")
            try:
                if holds():
                    return
                error = None
            except Exception as caught:
                error = caught
            time.sleep(0.05)
        raise AssertionError(f"did not become true within {seconds} s") from error
