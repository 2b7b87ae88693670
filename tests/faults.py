"""Two servers on one database, a dock of recorders, an officer who works on, and faults from a seed.

What is done while everything is disturbed: sessions are recorded and taken in, signed, reported, and their clocks moved together.
What is disturbed: a web, a worker or a lookout of either server is killed, a whole server is, the database ends at once and starts
again or loses every connection, a recorder leaves in the middle of a transfer, sends a wrong block, falls silent. At the end nothing may be lost, doubled or half done.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import psycopg
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.kinds.registry import KINDS
from kumpel.services.register import sessions
from kumpel.store import database
from kumpel.store.cluster import free_port
from kumpel.store.database import plain_url
from kumpel.store.tables import Account, Report, Session, Signature
from tests import support
from tests.test_processes import children_of

DOCK = {
    "noise": 3600.0,
    "gas": 3600.0,
    "dust": 3600.0,
    "blood_pressure": 80_000.0,
    "training": 900.0,
    "vehicle": 200.0,
}
CLOCK_ERROR_S = -250.0
ROLES = ("web", "worker", "lookout")


@dataclass
class Server:
    """A supervisor with its processes, started again when all of it was killed."""

    url: str
    scope: str
    port: int = field(default_factory=free_port)
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        about = {"DATABASE_URL": self.url, "KUMPEL_SCOPE": self.scope, "PYTHONPATH": str(ROOT / "src")}
        command = [sys.executable, "-m", "kumpel", "start", "--port", str(self.port)]
        self.process = subprocess.Popen(
            command, env=os.environ | about, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=ROOT
        )

    def kill(self, role: str) -> bool:
        assert self.process is not None
        child = children_of(self.process.pid).get(role)
        if child is None:
            return False
        os.kill(child, signal.SIGKILL)
        return True

    def kill_all(self) -> None:
        assert self.process is not None
        children = children_of(self.process.pid)
        self.process.kill()
        self.process.wait()
        for child in children.values():
            with_no_process_left(child)

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(15)
            except subprocess.TimeoutExpired:
                self.kill_all()


def with_no_process_left(pid: int) -> None:
    try:
        os.kill(pid, signal.SIGKILL)
    except ProcessLookupError:
        return


class Faults:
    """`run` disturbs so many times; `found` then says what is lost, doubled or half."""

    def __init__(self, url: str, officer: Account, seed: int) -> None:
        self.url, self.officer = url, officer
        self.luck = random.Random(seed)
        self.folder = Path(tempfile.mkdtemp(prefix="kumpel-faults-"))
        self.scope = f"f{os.getpid() % 10**6}"
        os.environ["KUMPEL_SCOPE"] = self.scope
        self.ensemble = Ensemble(self.folder, 1.0)
        self.servers = [Server(url, self.scope), Server(url, self.scope)]
        self.kinds: Counter[str] = Counter()
        self.originals: dict[tuple[str, str], bytes] = {}
        self.signed: set[int] = set()
        self.reported: set[int] = set()
        self.cookie = ""
        self.back = False
        self.broken: list[str] = []
        self._recorded = 0
        self._ending = threading.Event()

    # -- the site

    def open(self) -> None:
        self.ensemble.launch(
            tuple(
                StandIn(f"F-{i}", f"FF-{i:04d}", kind, kind=kind, auto_start=False, clock_error_s=CLOCK_ERROR_S)
                for i, kind in enumerate(DOCK)
            )
        )
        for server in self.servers:
            server.start()
        for server in self.servers:
            self.until(lambda server=server: self._answers(server), 90)
        words = {"login": self.officer.login, "password": "long enough"}
        answer = httpx.post(f"{self._address(0)}/api/sign-in", json=words, verify=False)
        answer.raise_for_status()
        self.cookie = answer.cookies["kumpel"]

    def close(self) -> None:
        for server in self.servers:
            server.stop()
        self.ensemble.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def _address(self, number: int) -> str:
        return f"http://127.0.0.1:{self.servers[number].port}"

    @staticmethod
    def _answers(server: Server) -> bool:
        try:
            return httpx.get(f"http://127.0.0.1:{server.port}/api/state", verify=False).status_code == 200
        except httpx.HTTPError:
            return False

    @staticmethod
    def until(holds: Callable[[], bool], seconds: float) -> None:
        end = time.monotonic() + seconds
        while not holds():
            if time.monotonic() > end:
                raise AssertionError(f"not within {seconds:.0f} s")
            time.sleep(0.2)

    # -- the officer

    def ask(self, method: str, path: str, body: Any = None) -> httpx.Response:
        """As a browser does: the same wish under the same key, sent again until somebody answers, whichever server it is."""
        headers = {"Idempotency-Key": f"{self.luck.getrandbits(64):016x}"} if method == "POST" else {}
        end = time.monotonic() + 120
        number = self.luck.randrange(2)
        while True:
            try:
                answer = httpx.request(
                    method,
                    self._address(number) + path,
                    json=body,
                    headers=headers,
                    cookies={"kumpel": self.cookie},
                    timeout=20,
                    verify=False,
                )
                if answer.status_code < 500 and "under-way" not in answer.text:
                    return answer
            except httpx.HTTPError:
                pass
            if time.monotonic() > end:
                raise AssertionError(f"nobody answers {method} {path}")
            number = 1 - number
            time.sleep(0.2)

    def work(self) -> None:
        """Rounds of what is done in a day, one after the other, until told to end."""
        while not self._ending.is_set():
            try:
                self.round()
            except Exception as error:
                self.broken.append(f"the officer's work broke: {type(error).__name__}: {error}")
                return

    def round(self) -> None:
        self.record()
        self.take_in()
        ready = [s for s in self.listed() if s["figures"] == "assessed" and not s["signed_at"]]
        unsigned = [s["id"] for s in self.listed() if not s["signed_at"]]
        if unsigned:
            answer = self.ask("POST", "/api/sessions/shift", {"sessions": unsigned[:200], "back": self.back})
            self.expect(answer, "shift")
            self.back = not self.back
        for each in ready[: self.luck.randrange(1, 4)]:
            self.sign_and_report(each["id"])

    def record(self) -> None:
        for running in self.ensemble.running.values():
            kind = list(DOCK)[int(running.token[2:])]
            self._recorded += 1
            start = time.time() - 90_000_000 + 100_000.0 * self._recorded
            wish = {"start": start, "length_s": DOCK[kind], "seed": self._recorded}
            name = str(running.tell("record", **wish)["session"])
            self.originals[f"FF-{int(running.token[2:]):04d}", name] = (
                running.folder / "sessions" / f"{name}.krec"
            ).read_bytes()

    def take_in(self) -> None:
        wishes = [
            {"recorder_id": bay["recorder"]["id"], "recorder_session": found["recorder_session"]}
            for bay in self.ask("GET", "/api/take-in").json()
            for found in bay["sessions"]
            if found["standing"] == "new"
        ]
        if wishes:
            # A recorder that has just left is no fault of taking in: what was wished of it is wished again.
            self.ask("POST", "/api/take-in", {"sessions": wishes})

    def listed(self) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.ask("GET", "/api/sessions?limit=500").json()["sessions"]
        return found

    def sign_and_report(self, session_id: int) -> None:
        seen = self.ask("GET", f"/api/sessions/{session_id}/review").json()
        wish = {"version": seen["version"], "conclusion_version": seen["conclusion_version"]}
        answer = self.ask("POST", f"/api/sessions/{session_id}/sign", wish)
        if answer.status_code != 200:
            # It waits for figures again since its clock was moved: refused, and nothing was signed.
            if answer.status_code != 409:
                self.expect(answer, "sign")
            return
        self.signed.add(session_id)
        kind = KINDS[seen["session"]["kind"]]
        answer = self.ask("POST", f"/api/sessions/{session_id}/reports", {"parts": list(kind.one_page), "named": True})
        self.expect(answer, "report")
        self.reported.add(session_id)

    def expect(self, answer: httpx.Response, what: str) -> None:
        if answer.status_code >= 300:
            self.broken.append(f"{what}: {answer.status_code} {answer.text[:200]}")

    # -- what is disturbed

    def disturb(self) -> str:
        server = self.servers[self.luck.randrange(2)]
        running = self.luck.choice(list(self.ensemble.running.values()))
        what = self.luck.choice(
            (
                "web",
                "worker",
                "lookout",
                "web",
                "worker",
                "lookout",
                "server",
                "connections",
                "database",
                "cut",
                "corrupt",
                "hang",
            )
        )
        if what in ROLES:
            return f"a {what} was killed" if server.kill(what) else "a process was dead already"
        match what:
            case "server":
                server.kill_all()
                server.start()
                return "a whole server was killed"
            case "connections":
                with psycopg.connect(plain_url(self.url), autocommit=True) as connection:
                    connection.execute(
                        "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
                    )
                return "every connection to the database was cut"
            case "database":
                support.cluster().restart()
                return "the database ended at once and was started again"
            case "cut":
                running.tell("vanish", after_bytes=self.luck.randrange(1_000, 60_000))
                return "a recorder left in the middle"
            case "corrupt":
                running.tell("corrupt", reads=self.luck.randrange(1, 4))
                return "a recorder sent wrong blocks"
        running.tell("slow", bytes_per_s=20_000)
        return "a recorder became slow"

    def run(self, count: int, least_s: float = 0.6, most_s: float = 2.4) -> None:
        officer = threading.Thread(target=self.work)
        officer.start()
        for _ in range(count):
            time.sleep(self.luck.uniform(least_s, most_s))
            for running in self.ensemble.running.values():
                running.tell("come back")
                running.tell("slow", bytes_per_s=None)
            self.kinds[self.disturb()] += 1
        for running in self.ensemble.running.values():
            running.tell("come back")
            running.tell("slow", bytes_per_s=None)
            running.tell("corrupt", reads=0)
        self._ending.set()
        officer.join(300)
        self.settle()

    def settle(self) -> None:
        """Undisturbed, until everything that was recorded is here with its figures."""

        def done() -> bool:
            self.take_in()
            line = self.ask("GET", "/api/line").json()
            return line["arriving"] == line["assessing"] == 0 and self.here() >= set(self.originals)

        try:
            self.until(done, 180)
        except AssertionError:
            self.broken.append(f"not settled: {self.standing()}")
            return
        unsigned = [s["id"] for s in self.listed() if not s["signed_at"]]
        if unsigned:
            self.expect(self.ask("POST", "/api/sessions/shift", {"sessions": unsigned, "back": False}), "last shift")
        self.until(lambda: self.ask("GET", "/api/line").json()["assessing"] == 0, 120)

    def standing(self) -> str:
        line = self.ask("GET", "/api/line").text
        away = [r["token"] for r in self.ask("GET", "/api/recorders").json() if not r["in_reach"]]
        with Db(database.engine(self.url)) as db:
            rows = db.exec(select(Session)).all()
        stuck = [f"{s.kind} {s.recorder_session}: {s.state}, {s.figures}, {s.trouble or s.failure}" for s in rows]
        stuck = [each for each in stuck if ": stored, assessed, " not in each]
        missing = sorted(set(self.originals) - {(s.serial, s.recorder_session) for s in rows})
        return f"{line}; away {away}; under way {stuck[:6]}; not here {missing[:6]} of {len(self.originals)}"

    def here(self) -> set[tuple[str, str]]:
        with Db(database.engine(self.url)) as db:
            return {
                (s.serial, s.recorder_session) for s in db.exec(select(Session).where(Session.state == "stored")).all()
            }

    # -- what came of it

    def found(self) -> dict[str, list[str]]:
        """What is lost, doubled, half; each with a sentence a case."""
        lost, doubled, half = list(self.broken), [], []
        store = database.engine(self.url)
        with Db(store) as db:
            rows = db.exec(select(Session)).all()
            names = Counter((row.serial, row.recorder_session) for row in rows)
            lost += [f"session {name} is not here" for name in self.originals if name not in names]
            doubled += [f"session {name} is here {count} times" for name, count in names.items() if count > 1]
            for row in rows:
                where = f"session {row.id} ({row.kind})"
                if (row.state, row.trouble, row.figures) != ("stored", "", "assessed"):
                    half.append(f"{where}: {row.state}, {row.figures}, {row.trouble or row.failure}")
                elif b"".join(sessions.original(store, row.id or 0)) != self.originals.get(
                    (row.serial, row.recorder_session)
                ):
                    half.append(f"{where}: its bytes are others than those recorded")
                if row.signed_at is None and abs(row.clock_shift_s + (row.clock_error_s or 0.0)) > 1e-6:
                    half.append(f"{where}: moved by {row.clock_shift_s} s, its clock was {row.clock_error_s} s wrong")
                if abs((row.clock_error_s or 0.0) - CLOCK_ERROR_S) > 5.0:
                    half.append(f"{where}: clock {row.clock_error_s} s wrong in place of {CLOCK_ERROR_S}")
            signatures = db.exec(select(Signature).where(col(Signature.opened_at).is_(None))).all()
            count = Counter(each.session_id for each in signatures)
            lost += [f"session {i} was signed and is not" for i in self.signed if not count[i]]
            doubled += [f"session {i} is signed {n} times" for i, n in count.items() if n > 1]
            half += [
                f"the signature of session {s.session_id} has no results"
                for s in signatures
                if not s.reviewed_id or not s.pages
            ]
            half += [
                f"session {row.id}: signed on its row {bool(row.signed_at)}, by its signature {bool(count[row.id or 0])}"
                for row in rows
                if bool(row.signed_at) != bool(count[row.id or 0])
            ]
            reports = db.exec(select(Report.session_id, Report.number)).all()
            per = Counter(session_id for session_id, _ in reports)
            lost += [f"the report of session {i} is not here" for i in self.reported if not per[i]]
            doubled += [f"session {i} has {n} reports" for i, n in per.items() if n > 1]
            ends = sorted(int("".join(filter(str.isdigit, number.rpartition("-")[2]))) for _, number in reports)
            if ends and ends != list(range(ends[0], ends[0] + len(ends))):
                half.append(f"numbers of reports with a hole: {ends}")
        return {"lost": lost, "doubled": doubled, "half": half}
