"""Every screen's first answer over years of sessions: `./kumpel bench scale [SESSIONS] [FOLDER] [WEBS]`.

A web process over a database of so many sessions (200,000; made in FOLDER the first time, which takes minutes, and kept there). Each question
is another one (another filter, person, page, word), so that no kept answer is met. First one browser, then 32 that ask back to back.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import numpy as np
import psycopg

from bench.many import LOGIN, PASSWORD, filled
from kumpel.config import ROOT
from kumpel.serve import say
from kumpel.store.cluster import free_port
from kumpel.store.database import plain_url

ALONE_S, CROWD_S = 0.060, 0.250
LIMITS = {"line": 0.020, "kinds": 0.005}
TIMES, BROWSERS, CROWD_FOR_S = 25, 32, 10.0
KINDS = ("noise", "gas", "dust", "blood_pressure", "oximetry", "training", "vehicle")
Asks = dict[str, Callable[[int], str]]


def asks_of(people: int, sessions: list[int], words: list[str]) -> Asks:
    """Questions by what asks them; each takes a number that makes it another one."""

    def person(n: int) -> int:
        return 1001 + n * 7919 % people

    return {
        "register, newest": lambda n: f"/api/sessions?limit={50 + n % 50}",
        "register, a later page": lambda n: f"/api/sessions?limit=50&offset={50 * (1 + n % 100)}",
        "register, one kind": lambda n: f"/api/sessions?limit={50 + n // 7 % 50}&kind={KINDS[n % 7]}",
        "register, by length": lambda n: f"/api/sessions?limit={50 + n % 50}&sort=length",
        "register, by person": lambda n: f"/api/sessions?limit={50 + n % 50}&sort=person",
        "register, a month": lambda n: (
            f"/api/sessions?limit=50&since=2024-{1 + n % 12:02d}-01T00:00:00Z&until=2024-{1 + n % 12:02d}-28T00:00:{n % 60:02d}Z"
        ),
        "register, by a figure": lambda n: f"/api/sessions?limit={50 + n % 50}&kind=noise&figure=laeq&sort=figure",
        "review queue by urgency": lambda n: f"/api/sessions?limit={50 + n % 50}&standing=waiting&sort=urgency",
        "without their page of paper": lambda n: f"/api/sessions?limit={150 + n % 50}&standing=unreported",
        "register, words": lambda n: f"/api/sessions?limit=50&search={words[n % len(words)]}",
        "find": lambda n: f"/api/find?words={words[n % len(words)]}{' ' * (n // len(words) % 20)}",
        "people": lambda n: f"/api/people?limit={100 + n % 50}",
        "people, words": lambda n: f"/api/people?limit=100&search={words[n % len(words)]}",
        "person, sessions": lambda n: f"/api/sessions?limit=60&person_id={person(n)}",
        "recorders": lambda n: f"/api/recorders/register?limit=100&offset={100 * (n % 4)}&n={n}",
        "take-in": lambda n: f"/api/take-in?n={n}",
        "reports": lambda n: f"/api/reports?limit={50 + n % 50}",
        "line": lambda n: f"/api/line?n={n}",
        "kinds": lambda n: f"/api/kinds?n={n}",
        "review": lambda n: f"/api/sessions/{sessions[n % len(sessions)]}/review",
    }


def ask(client: httpx.Client, path: str) -> float:
    began = time.perf_counter()
    client.get(path).raise_for_status()
    return time.perf_counter() - began


def browse(address: str, cookie: str, asks: Asks, first: int, out: object) -> None:
    """One of many browsers, a process: seconds of every answer by what was asked."""
    spent: list[tuple[str, float]] = []
    names = list(asks)
    with httpx.Client(base_url=address, cookies={"kumpel": cookie}, timeout=120, verify=False) as client:
        end = time.perf_counter() + CROWD_FOR_S
        for number in itertools.count(first * 1009):
            if time.perf_counter() > end:
                break
            name = names[number % len(names)]
            spent.append((name, ask(client, asks[name](number))))
    out.put(spent)  # type: ignore[attr-defined]


def words_of(url: str) -> list[str]:
    """Letters that somebody would type: of names, numbers, tokens, tags; many hits, few, none."""
    with psycopg.connect(plain_url(url)) as db:
        names = [
            r[0].split()[1][:5].lower()
            for r in db.execute("select name from person where id > 1000 order by id limit 12").fetchall()
        ]
    return [*names, "ida", "hall 2", "early", "P-4", "N-0", "zzzzzz", "os", "a"]


def server(url: str, webs: int = 1) -> Iterator[tuple[str, subprocess.Popen[bytes]]]:
    """One web process alone, or so many with a worker and a lookout beside them."""
    port = free_port()
    environment = os.environ | {"DATABASE_URL": url, "PYTHONPATH": str(ROOT / "src")}
    role = ["--web"] if webs == 1 else ["--webs", str(webs)]
    command = [sys.executable, "-m", "kumpel", "start", *role, "--port", str(port)]
    process = subprocess.Popen(command, env=environment)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(600):
            try:
                httpx.get(f"{address}/api/state", timeout=60).raise_for_status()
                break
            except httpx.HTTPError:
                time.sleep(0.1)
        yield address, process
    finally:
        process.terminate()
        process.wait()


def measure(url: str, count: int, webs: int) -> None:
    with psycopg.connect(plain_url(url)) as db:
        people = db.execute("select count(*) from person where id > 1000").fetchone()
        sessions = [
            r[0] for r in db.execute("select distinct session_id from pyramid where session_id > 1000000").fetchall()
        ]
    assert people is not None
    asks = asks_of(people[0], sessions, words_of(url))
    for address, _ in server(url, webs):
        with httpx.Client(base_url=address, timeout=120) as client:
            client.post("/api/sign-in", json={"login": LOGIN, "password": PASSWORD}).raise_for_status()
            cookie = client.cookies["kumpel"]
            say(
                f"{count:,} sessions, {webs} web process{'es' if webs > 1 else ''}; one browser, {TIMES} different questions each"
            )
            for name, path in asks.items():
                ask(client, path(9_999))
                spent = np.array([ask(client, path(n)) for n in range(TIMES)])
                limit = LIMITS.get(name, ALONE_S)
                p95 = float(np.percentile(spent, 95))
                say(
                    f"  {name:<30} {1000 * np.median(spent):7.1f} ms, p95 {1000 * p95:7.1f} ms  ({p95 / limit:5.2f} of the limit)"
                )
        queue: multiprocessing.Queue[list[tuple[str, float]]] = multiprocessing.get_context("fork").Queue()
        crowd = [
            multiprocessing.get_context("fork").Process(target=browse, args=(address, cookie, asks, n + 1, queue))
            for n in range(BROWSERS)
        ]
        for each in crowd:
            each.start()
        found = [pair for _ in crowd for pair in queue.get()]
        for each in crowd:
            each.join()
        everything = np.array([s for _, s in found])
        say(f"{BROWSERS} browsers back to back: {len(found) / CROWD_FOR_S:.0f} answers a second")
        p95 = float(np.percentile(everything, 95))
        say(
            f"  {'all':<30} {1000 * np.median(everything):7.1f} ms, p95 {1000 * p95:7.1f} ms  ({p95 / CROWD_S:5.2f} of the limit)"
        )
        for name in asks:
            own = [s for n, s in found if n == name]
            if own:
                say(f"  {name:<30} {1000 * np.median(own):7.1f} ms, p95 {1000 * float(np.percentile(own, 95)):7.1f} ms")


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200_000
    folder = Path(sys.argv[2]) if len(sys.argv) > 2 else ROOT / "var" / "bench" / f"many-{count}"
    webs = int(sys.argv[3]) if len(sys.argv) > 3 else 1
    folder.mkdir(parents=True, exist_ok=True)
    cluster = filled(folder, count)
    try:
        measure(cluster.url, count, webs)
    finally:
        cluster.stop()


if __name__ == "__main__":
    main()
