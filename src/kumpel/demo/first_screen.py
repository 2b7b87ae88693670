"""`kumpel demo --check`: the first screen as a browser would load it, and what is missing of it."""

from __future__ import annotations

import http.cookiejar
import json
import re
import time
import urllib.error
import urllib.request
from typing import Any

from kumpel.demo.people import LOGIN, PASSWORD

RECORDERS, FOUND_S = 24, 20.0
"""The simulated recorders show by themselves within a few seconds."""
SMALLEST_SCRIPT = 10_000
"""Bytes that a built interface has at the least; an error page has fewer."""


def missing(address: str) -> list[str]:
    """Reasons why the first screen of the demo at `address` would not show; none when all is well."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))

    def load(path: str, body: dict[str, str] | None = None) -> bytes:
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(address + path, data, {"Content-Type": "application/json"})
        with opener.open(request, timeout=20) as answer:
            found: bytes = answer.read()
        return found

    path = "/"
    try:
        page = load(path).decode()
        assets = re.findall(r'(?:src|href)="(/assets/[^"]+)"', page)
        scripts = [a for a in assets if a.endswith(".js")]
        reasons = [] if scripts else ["the page names no script: the web interface is not built"]
        for path in assets:
            size = len(load(path))
            if path.endswith(".js") and path == scripts[0] and size < SMALLEST_SCRIPT:
                reasons.append(f"{path} has {size} bytes only")
        path = "/api/sign-in"
        load(path, {"login": LOGIN, "password": PASSWORD})
        for path, needed in (("/api/line", 1), ("/api/people", 40)):
            reasons += _too_few(path, json.loads(load(path)), needed)
        path = "/api/take-in"
        limit = time.monotonic() + FOUND_S
        while (few := _too_few(path, json.loads(load(path)), RECORDERS)) and time.monotonic() < limit:
            time.sleep(0.2)
        reasons += few
    except (OSError, urllib.error.URLError, ValueError) as error:
        return [f"{path}: {error}"]
    return reasons


def _too_few(path: str, found: Any, needed: int) -> list[str]:
    count = (
        len(found)
        if isinstance(found, list)
        else max((len(v) for v in found.values() if isinstance(v, list)), default=1)
    )
    return [] if count >= needed else [f"{path} lists {count}, {needed} were expected"]
