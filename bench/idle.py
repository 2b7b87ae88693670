"""What an idle browser costs with recorders in reach: `./kumpel bench idle http://127.0.0.1:8620` beside a running demo.

Every view is left alone for a minute (`--seconds N` for another time, counted up to one), a browser signed in, nobody touching it. Printed beside
their limits: requests a minute (6), notes on the event stream a minute (10, pings aside), processor time of the server (5 % of a core).
"""

from __future__ import annotations

import os
import re
import sys
import time
from collections.abc import Sequence
from pathlib import Path

import httpx
from playwright.sync_api import Browser, Page, sync_playwright

MOST_REQUESTS, MOST_NOTES, MOST_SHARE = 6.0, 10.0, 0.05
VIEWS = (
    "/hand-out",
    "/take-in",
    "/review",
    "/report",
    "/people",
    "/recorders",
    "/sessions",
    "/limits",
    "/vehicles",
    "/settings",
)
CHROMIUM = "/usr/bin/chromium"
SIGN_IN = {"login": "officer", "password": "tarnfels-demo"}
TICKS = os.sysconf("SC_CLK_TCK")


def server_of(address: str) -> list[int]:
    """The processes that serve at an address: the one that listens there, and its children."""
    port = int(address.rsplit(":", 1)[1])
    inodes = {
        line.split()[9]
        for line in Path("/proc/net/tcp").read_text().splitlines()[1:]
        if line.split()[3] == "0A" and int(line.split()[1].split(":")[1], 16) == port
    }
    for process in Path("/proc").glob("[0-9]*"):
        try:
            links = [str(fd.readlink()) for fd in (process / "fd").iterdir()]
        except OSError:
            continue
        if any(link == f"socket:[{inode}]" for link in links for inode in inodes):
            return [int(process.name), *_children(int(process.name))]
    raise SystemExit(f"nothing listens at {address}")


def _children(parent: int) -> list[int]:
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        try:
            stat = (process / "stat").read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        if int(stat[1]) == parent and "postgres" not in (process / "comm").read_text():
            found += [int(process.name), *_children(int(process.name))]
    return found


def processor_s(pids: Sequence[int]) -> float:
    total = 0
    for pid in pids:
        try:
            stat = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        total += int(stat[11]) + int(stat[12])
    return total / TICKS


def resident_mb(pids: Sequence[int]) -> float:
    total = 0
    for pid in pids:
        try:
            found = re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())
        except OSError:
            continue
        total += int(found[1]) if found else 0
    return total / 1024


def signed_in(browser: Browser, address: str) -> Page:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    context.request.post(f"{address}/api/sign-in", data=SIGN_IN)
    return context.new_page()


def notes(browser: Browser, address: str, seconds: float) -> float:
    """Notes a minute on a stream of its own, pings and the first one aside."""
    page = signed_in(browser, address)
    cookies = {c["name"]: c["value"] for c in page.context.cookies()}
    page.context.close()
    count, end = 0, time.monotonic() + seconds
    with httpx.stream("GET", f"{address}/api/events", cookies=cookies, timeout=30) as answer:
        event = ""
        for line in answer.iter_lines():
            event = line.removeprefix("event: ") if line.startswith("event: ") else "" if not line else event
            count += line.startswith("data: ") and event != "ping"
            if time.monotonic() > end:
                break
    return (count - 1) * 60 / seconds


def requests(page: Page, address: str, view: str, seconds: float) -> tuple[float, dict[str, int]]:
    page.goto(address + view)
    page.wait_for_timeout(4000)
    seen: dict[str, int] = {}

    def count(request: object) -> None:
        path = re.sub(r"\d+", "N", str(getattr(request, "url", "")).removeprefix(address).split("?")[0])
        seen[path] = seen.get(path, 0) + 1

    page.on("request", count)
    page.wait_for_timeout(1000 * seconds)
    page.remove_listener("request", count)
    return sum(n for path, n in seen.items() if path != "/api/events") * 60 / seconds, seen


def main() -> None:
    address = sys.argv[1].rstrip("/")
    seconds = float(sys.argv[sys.argv.index("--seconds") + 1]) if "--seconds" in sys.argv else 60.0
    pids = server_of(address)
    time.sleep(2)
    began, used = time.monotonic(), processor_s(pids)
    time.sleep(seconds)
    share = (processor_s(pids) - used) / (time.monotonic() - began)
    print(
        f"no browser: {100 * share:.1f} % of a core ({share / MOST_SHARE:.2f} of the limit), {resident_mb(pids):.0f} MB resident"
    )
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"])
        many = notes(browser, address, seconds)
        print(f"notes on the stream: {many:.0f} a minute ({many / MOST_NOTES:.2f} of the limit)")
        page = signed_in(browser, address)
        for view in VIEWS:
            used, began = processor_s(pids), time.monotonic()
            rate, seen = requests(page, address, view, seconds)
            share = (processor_s(pids) - used) / (time.monotonic() - began)
            most = ", ".join(f"{n} {p}" for p, n in sorted(seen.items(), key=lambda x: -x[1])[:4])
            print(
                f"{view:<12} {rate:6.0f} requests a minute ({rate / MOST_REQUESTS:.2f} of the limit), server {100 * share:.0f} %  {most}",
                flush=True,
            )


if __name__ == "__main__":
    main()
