"""How many answers a second browsers get, and how long each takes: `./kumpel bench answers [WEBS]`.

`./kumpel start` with so many web processes (2), a worker and a lookout over a database with 25 people and 40 sessions of six kinds and, in reach, 26 simulated
recorders. Browsers are other processes of the same machine that ask back to back (no If-None-Match) for the register, people, a review, a view,
the line and Take in, in turn; beside them, in the same run, as many ask for `GET /api/state`, which answers almost nothing.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
import numpy as np
from tests import support

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from kumpel.store.cluster import free_port

KINDS = ("noise", "gas", "dust", "blood_pressure", "oximetry", "training")
SECONDS = 10.0


class _Filled(support.DatabaseTest):
    """A database with people and sessions of several kinds."""

    def runTest(self) -> None: ...

    def fill(self) -> dict[str, int]:
        people = [self.person(f"Person {i:02d}", team=f"Team {i % 4}") for i in range(25)]
        found: dict[str, int] = {}
        for number in range(40):
            kind = KINDS[number % len(KINDS)]
            file = krec.write_recording(SIGNALS[kind](number + 1).recording, f"S-{number}")
            row = self.stored(file, people[number % 25])
            found.setdefault(kind, row.id or 0)
        return found


def paths_of(sessions: dict[str, int]) -> list[str]:
    noise, pressure = sessions["noise"], sessions["blood_pressure"]
    return [
        "/api/sessions?limit=50",
        "/api/people?limit=100",
        f"/api/sessions/{noise}/review",
        f"/api/sessions/{noise}/view?channel=leq.1&points=1280",
        "/api/line",
        "/api/take-in",
        "/api/recorders",
        f"/api/sessions/{pressure}/review",
    ]


def browse(address: str, cookie: str, paths: list[str], seconds: float, first: int, out: object) -> None:
    """One browser, a process: seconds of every answer."""
    spent: list[tuple[int, float]] = []
    headers = {"Accept-Encoding": "gzip"}
    with httpx.Client(
        base_url=address, cookies={"kumpel": cookie}, headers=headers, timeout=60, verify=False
    ) as client:
        for path in paths:
            client.get(path).raise_for_status()
        end = time.perf_counter() + seconds
        number = first
        while (began := time.perf_counter()) < end:
            client.get(paths[number % len(paths)]).raise_for_status()
            spent.append((number % len(paths), time.perf_counter() - began))
            number += 1
    out.put(spent)  # type: ignore[attr-defined]


def asked(
    address: str, cookie: str, paths: list[str], browsers: int, seconds: float = SECONDS
) -> tuple[float, float, list[float]]:
    """Answers a second, their 95th percentile (s), and the median of each address (s)."""
    context = multiprocessing.get_context("fork")
    out = context.Queue()
    started = [context.Process(target=browse, args=(address, cookie, paths, seconds, n, out)) for n in range(browsers)]
    for each in started:
        each.start()
    spent = [pair for _ in started for pair in out.get()]
    for each in started:
        each.join()
    times = np.array([s for _, s in spent])
    medians = [float(np.median([s for at, s in spent if at == n])) for n in range(len(paths))]
    return len(times) / seconds, float(np.percentile(times, 95)), medians


def main() -> None:
    webs = sys.argv[1] if len(sys.argv) > 1 else "2"
    filled = _Filled()
    filled.setUp()
    sessions = filled.fill()
    os.environ["KUMPEL_SCOPE"] = support.SCOPE
    ensemble = Ensemble(Path(tempfile.mkdtemp(prefix="kumpel-answers-")), 1.0)
    ensemble.launch(
        tuple(
            StandIn(f"A-{i:02d}", f"AA-{i:05d}", f"Recorder {i}", kind=KINDS[i % len(KINDS)], auto_start=False)
            for i in range(26)
        )
    )
    for number, each in enumerate(ensemble.running.values()):
        each.tell("record", start=time.time() - 40_000, length_s=1200.0, seed=number + 1)
    port = free_port()
    environment = os.environ | {"DATABASE_URL": filled.url, "PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-m", "kumpel", "start", "--port", str(port), "--webs", webs, "--workers", "1"]
    server = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    try:
        with httpx.Client(base_url=address, timeout=60, verify=False) as client:
            until(lambda: client.get("/api/state").status_code == 200)
            client.post("/api/sign-in", json={"login": "officer", "password": "long enough"}).raise_for_status()
            cookie = client.cookies["kumpel"]
            until(lambda: sum(r["in_reach"] for r in client.get("/api/recorders").json()) == 26)
        measure(address, cookie, paths_of(sessions), webs)
    finally:
        server.terminate()
        server.wait()
        ensemble.stop()
        filled.doCleanups()
        support.tear_down()


def until(holds: object, seconds: float = 90.0) -> None:
    limit = time.monotonic() + seconds
    while time.monotonic() < limit:
        try:
            if holds():  # type: ignore[operator]
                return
        except (httpx.HTTPError, KeyError, json.JSONDecodeError):
            pass
        time.sleep(0.2)
    raise SystemExit("the server was not ready")


def measure(address: str, cookie: str, paths: list[str], webs: str) -> None:
    asked(address, cookie, paths, 4, 3.0)  # warm
    alone, p95, medians = asked(address, cookie, paths, 1)
    print(
        f"{webs} web processes; one browser: {alone:.0f} answers a second (120 wanted), p95 {1000 * p95:.0f} ms (20 wanted)"
    )
    for path, median in zip(paths, medians, strict=True):
        print(f"    {1000 * median:6.1f} ms  {path}")
    eight, _, _ = asked(address, cookie, paths, 8)
    state, _, _ = asked(address, cookie, ["/api/state"], 8)
    print(f"eight browsers: {eight:.0f} a second beside {state:.0f} of /api/state: {eight / state:.2f} (0.5 wanted)")
    many, p95, _ = asked(address, cookie, paths, 32)
    print(f"32 browsers: {many:.0f} answers a second (250 wanted), p95 {1000 * p95:.0f} ms (250 wanted)", flush=True)


if __name__ == "__main__":
    main()
