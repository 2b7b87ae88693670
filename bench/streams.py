"""Open event streams beside working browsers: `./kumpel bench streams`.

Thirty-two browsers look at the line, the sessions and a review, with one to three seconds between; first alone, then beside five
hundred open streams, twice. Printed: the 95th percentile of each and their ratio, the memory a stream takes in the server,
and the connections to the database.
"""

from __future__ import annotations

import asyncio
import random
import subprocess
import sys
import threading
import time
from pathlib import Path

import httpx
import numpy as np
from sqlalchemy import text
from tests import support

STREAMS, BROWSERS, SECONDS = 500, 32, 25.0


class _Server(support.ServerTest):
    watch = "0"

    def runTest(self) -> None: ...


def resident_kb(pid: int) -> int:
    """Memory of a process and its children that is its own (PSS), in kB."""
    total = 0
    for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
        if line.startswith("Pss:"):
            total += int(line.split()[1])
    return total


def working(address: str, cookies: httpx.Cookies, session_id: int) -> list[float]:
    """Seconds of every request of the browsers."""
    spent: list[float] = []
    end = time.monotonic() + SECONDS

    def browse(seed: int) -> None:
        luck = random.Random(seed)
        time.sleep(luck.uniform(0.0, 2.0))  # not all at once
        paths = ("/api/line", "/api/sessions?limit=50", "/api/people?limit=100", f"/api/sessions/{session_id}/review")
        with httpx.Client(base_url=address, cookies=cookies, timeout=30) as client:
            while time.monotonic() < end:
                began = time.perf_counter()
                client.get(luck.choice(paths)).raise_for_status()
                spent.append(time.perf_counter() - began)
                time.sleep(luck.uniform(1.0, 3.0))

    threads = [threading.Thread(target=browse, args=(seed,)) for seed in range(BROWSERS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return spent


async def hold(port: int, cookie: str, count: int) -> None:
    """Keep so many streams open and read what they bring, until this process ends."""

    async def one() -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        writer.write(f"GET /api/events HTTP/1.1\r\nHost: x\r\nCookie: kumpel={cookie}\r\n\r\n".encode())
        assert b"200 OK" in await reader.readline()
        opened.append(1)
        while await reader.read(4096):
            pass

    opened: list[int] = []
    for _ in range(count):
        tasks.append(asyncio.create_task(one()))
        if len(tasks) % 25 == 0:
            await asyncio.sleep(0.05)
    while len(opened) < count:
        await asyncio.sleep(0.05)
    print("open", flush=True)
    await asyncio.gather(*tasks)


tasks: list[asyncio.Task[None]] = []


def measure(server: _Server) -> None:
    client = server.client()
    row = server.session(28_800, server.person("Ida Brandvik"))
    cookie = client.cookies["kumpel"]
    connections = text(
        "select count(*), count(*) filter (where state like 'idle in transaction%') from pg_stat_activity "
        "where datname = current_database() and pid <> pg_backend_pid()"
    )

    def counted() -> tuple[int, int]:
        total, idle = server.db.connection().execute(connections).one()
        server.db.rollback()
        return int(total), int(idle)

    working(server.address, client.cookies, row.id or 0)  # warm
    ratios = []
    for _ in range(3):
        alone = np.percentile(working(server.address, client.cookies, row.id or 0), 95)
        memory, before = resident_kb(server.server.pid), counted()
        holder = subprocess.Popen(
            [sys.executable, "-m", "bench.streams", "hold", str(server.port), cookie, str(STREAMS)],
            stdout=subprocess.PIPE,
        )
        assert holder.stdout is not None
        holder.stdout.readline()
        time.sleep(3)
        more, during = resident_kb(server.server.pid) - memory, counted()
        beside = np.percentile(working(server.address, client.cookies, row.id or 0), 95)
        holder.terminate()
        holder.wait()
        time.sleep(1)
        ratios.append(beside / alone)
        print(
            f"95th percentile of {BROWSERS} browsers: {1000 * alone:.0f} ms alone, {1000 * beside:.0f} ms beside {STREAMS} streams: "
            f"ratio {beside / alone:.2f} (below 2 wanted); {more / STREAMS:.1f} kB a stream (50 wanted); "
            f"connections {before[0]} and {during[0]}, idle in a transaction {during[1]} (0 wanted)",
            flush=True,
        )


if __name__ == "__main__":
    if sys.argv[1:2] == ["hold"]:
        asyncio.run(hold(int(sys.argv[2]), sys.argv[3], int(sys.argv[4])))
    else:
        server = _Server()
        server.setUp()
        try:
            measure(server)
        finally:
            server.doCleanups()
            support.tear_down()
