"""A whole jaw-muscle night (8 h, three channels at 1 kHz) from its recorder over the link: `./kumpel bench night_link [HOURS]`.

Printed: how long reading it takes, beside COPY of the same bytes; how long its figures; the highest memory of the server above idle.
"""

from __future__ import annotations

import os
import sys
import time

import httpx
from tests import support

from bench.measure import copy_seconds
from bench.night import MOST_MB, Watch, resident_mb
from kumpel.demo.ensemble import StandIn


class NightOverTheLink(support.ServerTest):
    hours = 8.0

    def runTest(self) -> None:
        os.environ["KUMPEL_SCOPE"] = support.SCOPE
        ensemble = self.launch(StandIn("J-01", "JM-000001", "Jaw recorder", kind="jaw_muscle", auto_start=False))
        running = ensemble.running["J-01"]
        length_s = self.hours * 3600
        name = running.tell("record", start=time.time() - length_s - 900, length_s=length_s, seed=3)["session"]
        file = running.folder / "sessions" / f"{name}.krec"
        client = self.client()
        client.timeout = httpx.Timeout(120)

        def waiting() -> list[dict[str, int | str]]:
            bays = client.get("/api/take-in").json()
            return [
                {"recorder_id": b["recorder"]["id"], "recorder_session": s["recorder_session"]}
                for b in bays
                for s in b["sessions"]
            ]

        self.eventually(lambda: len(waiting()) == 1, 60)
        idle = resident_mb(self.server.pid)
        size_mb = file.stat().st_size / 1e6
        copied_s = copy_seconds(self.url, file.read_bytes())
        with Watch(self.server.pid) as seen:
            began = time.perf_counter()
            client.post("/api/take-in", json={"sessions": waiting()}).raise_for_status()
            self.eventually(lambda: client.get("/api/sessions").json()["total"] == 1, 300)
            read_s = time.perf_counter() - began
            session = client.get("/api/sessions").json()["sessions"][0]["id"]
            self.eventually(lambda: client.get(f"/api/sessions/{session}").json()["figures"] == "assessed", 300)
            done_s = time.perf_counter() - began
        share = 100 * copied_s / read_s
        print(f"jaw-muscle night of {self.hours:g} h over the link: {size_mb:.0f} MB")
        print(
            f"  read and stored {read_s:6.1f} s, {size_mb / read_s:.1f} MB/s; COPY of the same bytes {copied_s:.1f} s ({share:.0f} %)"
        )
        print(f"  with its figures {done_s:5.1f} s")
        print(f"  server {seen.most - idle:.0f} MB above idle ({idle:.0f} MB); limit {MOST_MB:.0f} MB")


def main() -> None:
    case = NightOverTheLink()
    case.hours = float(sys.argv[1]) if len(sys.argv) > 1 else 8.0
    case.setUp()
    try:
        case.runTest()
    finally:
        case.doCleanups()
        support.tear_down()


if __name__ == "__main__":
    main()
