"""Memory of a server in use: `./kumpel bench memory http://127.0.0.1:8620 [--minutes 10]` beside a running demo.

One browser's worth of work, over and over: lists, reviews of every kind, views at several zooms, previews of decisions, pages of reports, the event
stream. Printed each half minute: resident memory of the server (350 MB wanted, flat over ten minutes), and what was asked for.
"""

from __future__ import annotations

import random
import sys
import threading
import time

import httpx

from bench.idle import SIGN_IN, resident_mb, server_of

MOST_MB = 350.0


def work(client: httpx.Client, luck: random.Random) -> int:
    """A few minutes' worth of a person's requests on one session."""
    asked = 0

    def get(path: str, **query: object) -> httpx.Response:
        nonlocal asked
        asked += 1
        return client.get(path, params=query)  # type: ignore[arg-type]

    for path in ("/api/line", "/api/take-in", "/api/recorders", "/api/people"):
        get(path)
    found = get("/api/sessions", limit=50, offset=luck.randrange(0, 200)).json()["sessions"]
    if not found:
        return asked
    session = luck.choice(found)
    number = session["id"]
    review = get(f"/api/sessions/{number}/review")
    if review.status_code != 200:
        return asked
    for channel in [c["key"] for c in review.json().get("channels", [])][:4]:
        for width in (1.0, 0.1, 0.01):
            start = luck.uniform(0, session["length_s"] * (1 - width))
            get(
                f"/api/sessions/{number}/view",
                channel=channel,
                start_s=start,
                end_s=start + session["length_s"] * width,
                points=1280,
            )
    wish = {"what": "left out", "start_s": 10.0, "end_s": 20.0 + luck.uniform(0, 60), "reason": "knock"}
    client.post(f"/api/sessions/{number}/preview", json={"version": review.json().get("version", 0), "wishes": [wish]})
    client.post(f"/api/sessions/{number}/report-pages", json={"parts": ["figures", "checks"], "named": True})
    return asked + 2


def main() -> None:
    address = sys.argv[1].rstrip("/")
    minutes = float(sys.argv[sys.argv.index("--minutes") + 1]) if "--minutes" in sys.argv else 10.0
    pids = server_of(address)
    print(f"idle: {resident_mb(pids):.0f} MB")
    luck = random.Random(1)
    end, said, asked, most = time.monotonic() + 60 * minutes, time.monotonic(), 0, 0.0

    def listen(cookies: httpx.Cookies) -> None:
        with httpx.stream("GET", f"{address}/api/events", cookies=cookies, timeout=30) as answer:
            for _ in answer.iter_lines():
                if time.monotonic() > end:
                    return

    with httpx.Client(base_url=address, timeout=60) as client:
        client.post("/api/sign-in", json=SIGN_IN)
        threading.Thread(target=listen, args=(client.cookies,), daemon=True).start()
        while time.monotonic() < end:
            asked += work(client, luck)
            most = max(most, resident_mb(pids))
            if time.monotonic() - said >= 30:
                said = time.monotonic()
                print(f"{resident_mb(pids):6.0f} MB after {asked} requests", flush=True)
    print(f"highest: {most:.0f} MB ({most / MOST_MB:.2f} of {MOST_MB:.0f} MB)")


if __name__ == "__main__":
    main()
