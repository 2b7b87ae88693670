"""First load, and frames while zooming and panning, in headless Chromium against a running demo:
`./kumpel bench browser http://127.0.0.1:8620`."""

from __future__ import annotations

import statistics
import sys
import time

from playwright.sync_api import sync_playwright

FRAMES = """() => new Promise(done => {
    const times = []; let last = performance.now();
    const tick = now => { times.push(now - last); last = now; times.length < 120 ? requestAnimationFrame(tick) : done(times); };
    requestAnimationFrame(tick);
})"""


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        context.request.post(f"{address}/api/sign-in", data={"login": "officer", "password": "tarnfels-demo"})
        cookies = context.cookies()
        for path, ready in (("/take-in", "article"), ("/review", "[title='Why this number?']")):
            spent = []
            for _ in range(5):
                fresh = browser.new_context(viewport={"width": 1280, "height": 800})
                fresh.add_cookies(cookies)  # type: ignore[arg-type]
                page = fresh.new_page()
                began = time.perf_counter()
                page.goto(address + path)
                page.locator(ready).first.wait_for()
                spent.append(time.perf_counter() - began)
                fresh.close()
            print(
                f"{path}: interactive after {statistics.median(spent):.2f} s (median of 5, nothing cached; 1.5 s wanted)"
            )
        page = context.new_page()
        page.goto(f"{address}/review")
        page.locator("[title='Why this number?']").first.wait_for()
        box = page.get_by_role("application").bounding_box()
        assert box
        page.mouse.move(box["x"] + 400, box["y"] + 100)
        for name, wheel in (("zoom", (0, -40)), ("pan", (40, 0))):
            page.evaluate(f"window.frames_ = ({FRAMES})()")
            for step in range(60):
                sign = -1 if step % 30 >= 15 else 1
                page.mouse.wheel(wheel[0] * sign, wheel[1] * sign)
            times = page.evaluate("window.frames_")
            slow = sum(t > 20.5 for t in times)
            print(
                f"{name}: {1000 / statistics.mean(times):.0f} frames a second, median {statistics.median(times):.1f} ms, {slow} of {len(times)} frames over 20 ms (50 frames a second wanted)"
            )
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8620")
