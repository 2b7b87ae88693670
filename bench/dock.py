"""A dock of 100 recorders with 300 new sessions taken in: time, memory, beside COPY of the same bytes: `./kumpel bench dock [WORKERS]`.

`./kumpel start` as it is (web, worker with its children, lookout) beside the simulated recorders and the database, on the same machine.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
from tests import support

from bench.measure import copy_seconds
from bench.streams import resident_kb
from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn

RECORDERS, SESSIONS = 100, 3
WORKERS = sys.argv[1] if len(sys.argv) > 1 else "1"
KINDS = ("noise", "gas", "dust", "blood_pressure", "training", "vehicle")


class Dock(support.ServerTest):
    def start_server(self) -> None:
        about = {"DATABASE_URL": self.url, "KUMPEL_SCOPE": support.SCOPE, "PYTHONPATH": str(ROOT / "src")}
        command = [sys.executable, "-m", "kumpel", "start", "--port", str(self.port), "--workers", WORKERS]
        self.server = subprocess.Popen(command, env=os.environ | about, stdout=self.log, stderr=self.log, cwd=ROOT)  # type: ignore[assignment]
        with httpx.Client(base_url=self.address, verify=False) as client:
            self.eventually(lambda: client.get("/api/state").status_code == 200, 60)

    def held_mb(self) -> float:
        """Memory of all its processes."""
        found = 0
        for pid in descendants(self.server.pid):
            with contextlib.suppress(OSError):  # it ended meanwhile
                found += resident_kb(pid)
        return found / 1000

    def runTest(self) -> None:
        os.environ["KUMPEL_SCOPE"] = support.SCOPE
        folder = Path(tempfile.mkdtemp(prefix="kumpel-dock-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        ensemble = Ensemble(folder, 1.0)
        self.addCleanup(ensemble.stop)
        dock = tuple(
            StandIn(f"X-{i:03d}", f"XX-{i:06d}", f"Recorder {i}", kind=KINDS[i % len(KINDS)], auto_start=False)
            for i in range(RECORDERS)
        )
        ensemble.launch(dock)
        lengths = {"training": 2400.0, "vehicle": 600.0}
        for number, each in enumerate(dock):
            for turn in range(SESSIONS):
                start = time.time() - 400_000 + 100_000 * turn
                wish = {"start": start, "length_s": lengths.get(each.kind, 28_000.0), "seed": number * 10 + turn + 1}
                ensemble.running[each.token].tell("record", **wish)
        data = b"".join(p.read_bytes() for p in sorted(folder.rglob("*.krec")))
        process = next(iter(ensemble.running.values())).process
        assert process is not None
        dock_mb = resident_kb(process.pid) / 1000
        client = self.client()
        began = time.perf_counter()
        self.eventually(lambda: sum(len(b["sessions"]) for b in client.get("/api/take-in").json()) == 300, 120)
        found_s = time.perf_counter() - began
        wishes = [
            {"recorder_id": b["recorder"]["id"], "recorder_session": s["recorder_session"]}
            for b in client.get("/api/take-in").json()
            for s in b["sessions"]
        ]
        copied_s = copy_seconds(self.url, data)
        idle_mb = most_mb = self.held_mb()
        began = time.perf_counter()
        asked = client.post("/api/take-in", json={"sessions": wishes}, timeout=120)
        asked.raise_for_status()
        asked_s = time.perf_counter() - began
        stored_s = None
        while True:
            most_mb = max(most_mb, self.held_mb())
            line = _line(client)
            if stored_s is None and line["arriving"] == 0:
                stored_s = time.perf_counter() - began
            if line["arriving"] == 0 and line["assessing"] == 0:
                break
            time.sleep(0.2)
        all_s = time.perf_counter() - began
        mb = len(data) / 1e6
        print(f"100 recorders in one program      {dock_mb:.0f} MB (limit 400)")
        print(f"all found and asked                {found_s:.1f} s")
        print(f"300 sessions, {mb:.0f} MB, wished      {asked_s:.2f} s")
        print(
            f"all stored                         {stored_s:.1f} s, {mb / (stored_s or 1):.2f} MB/s; COPY of the same bytes {copied_s:.2f} s ({100 * copied_s / (stored_s or 1):.1f} %)"
        )
        print(f"all assessed                       {all_s:.1f} s")
        print(
            f"server above idle at most          {most_mb - idle_mb:.0f} MB (limit 300); idle {idle_mb:.0f} MB in all its processes"
        )


def descendants(pid: int) -> list[int]:
    """A process and all that it or they have started."""
    found = [pid]
    for each in found:
        with contextlib.suppress(OSError):
            for task in Path(f"/proc/{each}/task").iterdir():
                found += [int(child) for child in (task / "children").read_text().split()]
    return found


def _line(client: httpx.Client) -> dict[str, int]:
    answer: dict[str, int] = client.get("/api/line", timeout=60).json()
    return answer


if __name__ == "__main__":
    import unittest

    unittest.TextTestRunner().run(unittest.TestSuite([Dock()]))
    support.tear_down()
