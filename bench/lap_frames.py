"""Frames a second while the cursor moves over six laps in four lanes: `./kumpel bench lap_frames http://127.0.0.1:8620`.

On a demo in which the loggers' sessions were taken in. The peer is the same page at rest: as often as this browser draws at all.
"""

from __future__ import annotations

import re
import sys

from playwright.sync_api import Page, sync_playwright

FRAMES = """(moving) => new Promise((done) => {
  const lanes = document.querySelector('[aria-label="Place on the course"]');
  const box = lanes.getBoundingClientRect();
  let frames = 0, longest = 0, last = performance.now();
  const begun = last;
  const step = (now) => {
    frames += 1;
    longest = Math.max(longest, now - last);
    last = now;
    if (now - begun > 3000) return done([frames / ((now - begun) / 1000), longest]);
    if (moving) {
      const x = box.left + 60 + ((now - begun) / 3000) * (box.width - 180);
      lanes.dispatchEvent(new PointerEvent('pointermove', { bubbles: true, clientX: x, clientY: box.top + 60, pointerId: 1 }));
    }
    requestAnimationFrame(step);
  };
  requestAnimationFrame(step);
})"""


def prepare(page: Page, address: str) -> None:
    page.goto(address)
    page.get_by_label("Sign-in name").fill("officer")
    page.get_by_label("Password").fill("tarnfels-demo")
    page.keyboard.press("Enter")
    page.get_by_role("navigation", name="The line").wait_for()
    page.goto(f"{address}/review")
    page.get_by_role("button", name=re.compile("Jonas Tveter")).first.click()
    page.get_by_role("region", name="Lap against lap").wait_for()
    page.get_by_role("button", name="more lanes").click()
    page.get_by_label("Engine speed", exact=True).check()
    page.keyboard.press("Escape")
    for number in (2, 3, 4, 5):
        page.locator(f"tr[data-lap='{number}']").click()
        page.keyboard.press("o")
        page.wait_for_timeout(400)
    page.wait_for_timeout(1000)


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        prepare(page, address)
        print("| six laps, four lanes and the time lost | frames a second | longest frame, ms |")
        print("|---|---|---|")
        for words, moving in (("at rest", False), ("cursor moving", True), ("cursor moving", True)):
            rate, longest = page.evaluate(FRAMES, moving)
            print(f"| {words} | {rate:.1f} | {longest:.0f} |")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1])
