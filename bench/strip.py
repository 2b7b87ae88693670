"""Going along the ECG of an hour-long resuscitation: `./kumpel bench strip`.

Two hundred windows by key in a browser of the server; printed: how long one takes from the key to what is drawn (script and paint, the
samples being there, without the wait for the screen's next frame), median, 95th percentile and longest, and its ratio to the limit of 30 ms; then windows far apart, samples fetched.
"""

from __future__ import annotations

import re
import statistics
from dataclasses import replace

import numpy as np
from playwright.sync_api import Page, expect
from tests import support
from tests.web.browser import BrowserTest

from kumpel.formats import krec
from kumpel.formats.krec import Channel, Recording
from kumpel.standins.signals import SIGNALS

LIMIT_MS = 30.0
WINDOWS = 200
MOVED = """async (windows) => {
  const strip = document.querySelector('[role=application][aria-label^="The ECG"]');
  strip.focus();
  const spent = [];
  for (let i = 0; i < windows; i++) {
    let frame = 0;
    requestAnimationFrame(() => { frame = performance.now(); });
    const began = performance.now();
    strip.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', shiftKey: i % 8 === 7, bubbles: true, cancelable: true }));
    await Promise.resolve();
    const told = performance.now() - began;
    await new Promise((done) => {
      const channel = new MessageChannel();
      requestAnimationFrame(() => { channel.port1.onmessage = done; channel.port2.postMessage(0); });
    });
    spent.push(told + performance.now() - frame);
    await new Promise((done) => setTimeout(done, 30));
  }
  return spent;
}"""


class _Case(BrowserTest):
    watch = "0"

    def runTest(self) -> None: ...


def an_hour() -> Recording:
    """A case over and over until it is an hour long."""
    made = SIGNALS["resuscitation"](3).recording
    times = int(np.ceil(3600 / made.length_s))
    channels = {
        key: Channel(key, c.name, c.unit, c.interval_s, np.tile(c.values, times)) for key, c in made.channels.items()
    }
    events = tuple(
        replace(e, at_s=e.at_s + k * made.length_s)
        for k in range(times)
        for e in made.events
        if e.code not in ("switch-on", "switch-off")
    )
    return replace(made, channels=channels, events=tuple(sorted(events, key=lambda e: e.at_s)))


def tell(what: str, spent: list[float]) -> None:
    ordered = sorted(spent)
    p95 = ordered[int(0.95 * (len(ordered) - 1))]
    print(
        f"  {what:<44} median {statistics.median(ordered):5.1f} ms, p95 {p95:5.1f} ms, longest {ordered[-1]:5.1f} ms; "
        f"p95 {p95 / LIMIT_MS:.2f} of {LIMIT_MS:g} ms",
        flush=True,
    )


def far(page: Page, times: int) -> list[float]:
    """Windows wherever the frame is pressed, their samples fetched."""
    whole = page.get_by_role("img", name=re.compile("^The whole case; the frame"))
    box = whole.bounding_box()
    assert box is not None
    spent = []
    for k in range(times):
        # Golden steps: none comes near to one before, whose samples are there already.
        x = box["x"] + box["width"] * (0.02 + 0.95 * ((k * 0.618034) % 1))
        with page.expect_response(re.compile("/view"), timeout=10_000) as answer:
            began = page.evaluate("performance.now()")
            page.mouse.click(x, box["y"] + 8)
        answer.value.finished()
        spent.append(page.evaluate("performance.now()") - began)
    return spent


def main() -> None:
    case = _Case()
    case.setUp()
    try:
        recording = an_hour()
        row = case.stored(krec.write_recording(recording))
        print(f"a resuscitation of {recording.length_s / 60:.0f} min, {len(recording.events):,} events, in a browser")
        page = case.sign_in()
        page.goto(f"{case.address}/review/{row.id}")
        expect(page.get_by_role("region", name="ECG to scale")).to_be_visible()
        page.wait_for_timeout(2000)
        tell(f"{WINDOWS} windows by key", page.evaluate(MOVED, WINDOWS))
        tell("20 windows far apart, samples fetched", far(page, 20))
    finally:
        case.doCleanups()
        support.tear_down()


if __name__ == "__main__":
    main()
