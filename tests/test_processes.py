"""`kumpel start` as it is run: web, worker and lookout are processes of their own; each is killed, and all of it goes on."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import psycopg
from sqlmodel import Session as Db

from kumpel.config import ROOT
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import limits
from kumpel.services.work.background import prepare
from kumpel.store import database
from kumpel.store.cluster import free_port
from tests.support import SCOPE, DatabaseTest, cluster, recording_file

AGAIN_S = 30.0
"""Two seconds of pause, some seconds to import, on a machine that runs another suite beside."""


def children_of(pid: int) -> dict[str, int]:
    """The processes that one has started, by their role."""
    found = {}
    for each in Path("/proc").iterdir():
        if each.name.isdigit():
            try:
                parent = int((each / "stat").read_text().rpartition(")")[2].split()[1])
                words = (each / "cmdline").read_bytes().split(b"\0")
            except OSError:
                continue
            role = next((w[2:].decode() for w in words if w in (b"--web", b"--worker", b"--lookout")), "")
            if parent == pid and role:
                found[role] = int(each.name)
    return found


class Started(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.port = free_port()
        self.log = self.enterContext(tempfile.TemporaryFile())
        about = {"DATABASE_URL": self.url, "KUMPEL_SCOPE": SCOPE, "PYTHONPATH": str(ROOT / "src")}
        command = [sys.executable, "-m", "kumpel", "start", "--port", str(self.port)]
        self.process = subprocess.Popen(command, env=os.environ | about, stdout=self.log, stderr=self.log, cwd=ROOT)
        self.addCleanup(self.end)
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}", timeout=20, verify=False)
        self.addCleanup(self.http.close)
        self.until(self.answers)
        wish = {"login": "officer", "password": "long enough"}
        self.assertEqual(self.http.post("/api/sign-in", json=wish).status_code, 200)

    def end(self) -> None:
        if self.process.poll() is None:
            self.process.kill()
            self.process.wait()

    def answers(self) -> bool:
        try:
            return self.http.get("/api/state").status_code == 200
        except httpx.HTTPError:
            return False

    def until(self, holds: Callable[[], bool], seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), end, self.said())
            time.sleep(0.1)

    def said(self) -> str:
        self.log.seek(0)
        return self.log.read().decode()[-2000:]

    def killed(self, role: str) -> int:
        """Kill the process of a role; the number of the one that takes its place."""
        old = children_of(self.process.pid)[role]
        os.kill(old, signal.SIGKILL)
        self.until(lambda: children_of(self.process.pid).get(role, old) != old, AGAIN_S)
        return children_of(self.process.pid)[role]

    def seconds(self, path: str) -> float:
        began = time.perf_counter()
        self.assertEqual(self.http.get(path).status_code, 200)
        return time.perf_counter() - began

    def assessed(self, session: str) -> bool:
        """A recording sent to the web gets its figures from the worker."""
        file = recording_file(1800, session)
        answer = self.http.post("/api/files", content=file, headers={"content-type": "application/octet-stream"})
        self.assertLess(answer.status_code, 300, answer.text)
        number = answer.json()["id"]
        self.until(lambda: self.http.get(f"/api/sessions/{number}").json()["figures"] == "assessed", 60)
        return True

    def test_each_is_killed_and_all_of_it_goes_on(self) -> None:
        self.assertEqual(set(children_of(self.process.pid)), {"web", "worker", "lookout"})
        self.assertTrue(self.assessed("S-1"))
        self.assertLess(
            min(self.seconds("/api/kinds") for _ in range(12)), 0.035, "an answer waits for no acknowledgement"
        )
        for role in ("worker", "lookout", "web"):
            with self.subTest(role):
                self.killed(role)
                self.until(self.answers, AGAIN_S)
        self.assertTrue(self.assessed("S-2"))
        began = time.monotonic()
        children = list(children_of(self.process.pid).values())
        self.process.send_signal(signal.SIGTERM)
        self.assertEqual(self.process.wait(12), 0, self.said())
        self.assertLess(time.monotonic() - began, 10.5)
        self.assertEqual([pid for pid in children if Path(f"/proc/{pid}").exists()], [])


class FirstStarts(DatabaseTest):
    def test_three_at_once_on_an_empty_database(self) -> None:
        with psycopg.connect(cluster().keeper_url, autocommit=True) as connection:
            connection.execute("drop database if exists empty_one")
            connection.execute("create database empty_one owner kumpel")
        url = self.url.rsplit("/", 1)[0] + "/empty_one"
        with ThreadPoolExecutor(3) as threads:
            for done in [threads.submit(prepare, url) for _ in range(3)]:
                done.result()
        with Db(database.engine(url)) as db:
            sets = limits.all_limit_sets(db)
        database.engine(url).dispose()
        self.assertEqual(len(sets), len({(each.key, each.version) for each in sets}))
        self.assertEqual(len(sets), sum(len(kind.limit_sets) for kind in KINDS.values()))


class Alone(DatabaseTest):
    def test_a_port_that_is_taken_is_said(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as taken:
            port = taken.getsockname()[1]
            command = [sys.executable, "-m", "kumpel", "start", "--port", str(port)]
            about = os.environ | {"DATABASE_URL": self.url}
            told = subprocess.run(command, env=about, cwd=ROOT, capture_output=True, text=True, timeout=60)
        self.assertEqual(told.returncode, 1)
        self.assertIn(f"port {port}: address already in use. Is Kumpel running already?", told.stdout)

    def test_a_role_without_a_database_says_what_is_missing(self) -> None:
        command = [sys.executable, "-m", "kumpel", "start", "--worker"]
        about = {key: value for key, value in os.environ.items() if key != "DATABASE_URL"}
        told = subprocess.run(command, env=about, cwd=ROOT, capture_output=True, text=True, timeout=60)
        self.assertEqual(told.returncode, 2)
        self.assertIn("DATABASE_URL", told.stderr)


if __name__ == "__main__":
    import unittest

    unittest.main()
