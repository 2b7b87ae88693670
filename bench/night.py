"""A whole jaw-muscle night (8 h, three channels at 1 kHz) through the server: `./kumpel bench night [HOURS]`.

The file is sent, stored, assessed, looked at, decided on and printed. Printed: the time of each, and the highest memory of the
server above that of the idle process. Limit: 300 MB.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
from tests import support

MOST_MB = 300.0


class _Server(support.ServerTest):
    watch = "0"

    def runTest(self) -> None: ...


def resident_mb(pid: int) -> float:
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return 0.0


class Watch:
    """The highest memory of a process since it was last asked."""

    def __init__(self, pid: int) -> None:
        self._pid, self.most, self._ends = pid, 0.0, threading.Event()
        self._thread = threading.Thread(target=self._look)

    def __enter__(self) -> Watch:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ends.set()
        self._thread.join()

    def _look(self) -> None:
        while not self._ends.wait(0.01):
            self.most = max(self.most, resident_mb(self._pid))


def made(folder: Path, hours: float) -> Path:
    """The night's file, written by another process."""
    path = folder / "night.krec"
    code = (
        "from pathlib import Path; from kumpel.formats import files; from kumpel.standins.jaw_muscle_signal import make, usual_night; "
        f"files.write(make(usual_night(3, {hours} * 3600)).recording, Path({str(path)!r}))"
    )
    subprocess.run([sys.executable, "-c", code], check=True)
    return path


def main() -> None:
    hours = float(sys.argv[1]) if len(sys.argv) > 1 else 8.0
    case = _Server()
    case.setUp()
    try:
        with tempfile.TemporaryDirectory() as folder:
            path = made(Path(folder), hours)
            print(
                f"jaw-muscle night of {hours:g} h, three channels at 1 kHz: a file of {path.stat().st_size / 1e6:.0f} MB"
            )
            measure(case, path, hours * 3600)
    finally:
        case.doCleanups()
        support.tear_down()


def measure(case: _Server, path: Path, length_s: float) -> None:
    client = httpx.Client(base_url=case.address, timeout=120)
    client.post("/api/sign-in", json={"login": "officer", "password": "long enough"}).raise_for_status()
    client.get("/api/sessions").raise_for_status()
    idle = resident_mb(case.server.pid)
    highest = 0.0

    @contextmanager
    def step(name: str) -> Iterator[None]:
        nonlocal highest
        began = time.perf_counter()
        with Watch(case.server.pid) as seen:
            yield
        highest = max(highest, seen.most)
        print(
            f"  {name:<58} {1000 * (time.perf_counter() - began):8.0f} ms, up to {seen.most - idle:4.0f} MB above idle",
            flush=True,
        )

    print(f"  {'idle':<58} {'':>11} {idle:.0f} MB")
    with step("sent and stored"), path.open("rb") as file:
        answer = client.post(
            "/api/files", params={"name": path.name}, content=file, headers={"content-type": "application/octet-stream"}
        )
        answer.raise_for_status()
    at = f"/api/sessions/{answer.json()['id']}"
    with step("assessed"):
        case.eventually(lambda: client.get(at).json()["figures"] == "assessed", 120)
    with step("review read"):
        review = client.get(f"{at}/review").raise_for_status().json()
    with step("three lanes over the night, 1,280 points"):
        view(client, at, 0, length_s)
    with step("three lanes over ten seconds"):
        view(client, at, length_s / 2, length_s / 2 + 10)
    with step("an episode dropped"):
        event = next(e for e in review["reviewed"]["events"] if e["kept"])
        wish = {
            "version": review["version"],
            "add": [{"what": "dropped", "key": event["key"], "reason": "a cough"}],
            "remove": [],
        }
        review = client.post(f"{at}/decisions", json=wish).raise_for_status().json()
    for turn, threshold in enumerate((8, 12, 15)):
        with step(f"preview of a threshold of {threshold} %{', the first' if not turn else ''}"):
            client.post(
                f"{at}/preview",
                json={"add": [{"what": "setting", "key": "threshold", "value": threshold}], "remove": []},
            ).raise_for_status()
    parts = list(client.get("/api/report-parts/jaw_muscle").raise_for_status().json()["parts"])
    with step("every page of the report, as a picture"):
        client.post(f"{at}/report-pages", json={"parts": parts, "named": True}).raise_for_status()
    said = {"text": "Episodes of every type.", "version": review["conclusion_version"]}
    version = client.put(f"{at}/conclusion", json=said).raise_for_status().json()["version"]
    with step("signed"):
        wish = {"version": review["version"], "conclusion_version": version}
        client.post(f"{at}/sign", json=wish).raise_for_status()
    with step("report issued"):
        client.post(f"{at}/reports", json={"parts": parts, "named": True}).raise_for_status()
    print(
        f"  highest: {highest - idle:.0f} MB above idle ({(highest - idle) / MOST_MB:.2f} of the limit of {MOST_MB:.0f} MB)"
    )


def view(client: httpx.Client, at: str, start: float, end: float) -> None:
    client.get(
        f"{at}/view",
        params={"channel": ["emg.left", "emg.right", "ecg"], "start_s": start, "end_s": end, "points": 1280},
    ).raise_for_status()


if __name__ == "__main__":
    main()
