"""Renews docs/screenshots/ from a running demo: `./kumpel bench screenshots http://127.0.0.1:8620 [NAME ...]`.

Best on a fresh demo (`./kumpel demo --fresh`): it takes Ida's shift in and reviews it on the way.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

TARGET = Path(__file__).parents[1] / "docs" / "screenshots"


def shoot(page: Page, name: str) -> None:
    page.wait_for_timeout(900)
    page.screenshot(path=TARGET / f"{name}.png")


def hand_out(page: Page) -> None:
    page.get_by_label("Find a person").fill("leila")
    page.get_by_role("button", name="Leila Haddad").click()
    page.get_by_label("Find a person").fill("")
    page.get_by_role("button", name="N-04, Noise meter 4").click()


def _slip(page: Page, words: str, name: str, token: str) -> None:
    """The slip of a recorder for somebody; whoever has it brings it back first."""
    back = page.get_by_role("button", name=re.compile(f"^it is back: {token} "))
    page.wait_for_timeout(800)
    if back.count():
        back.first.click()
    page.get_by_label("Find a person").fill(words)
    page.get_by_role("button", name=name).click()
    page.get_by_label("Find a person").fill("")
    page.get_by_role("button", name=re.compile(f"^{token},")).click()
    page.wait_for_timeout(800)


def take_in(page: Page) -> None:
    page.get_by_role("row").filter(has_text="Ida Brandvik").get_by_role("button").first.click()
    page.get_by_label("shift this session").check()


def review(page: Page) -> None:
    page.goto(page.url.split("/review")[0] + "/take-in")
    page.get_by_role("heading", name="Where they stand").wait_for()
    if page.get_by_role("button", name="Take in all").is_visible():
        page.get_by_role("row").filter(has_text="Ida Brandvik").get_by_role("button").first.click()
        page.get_by_label("shift this session").check()
        page.get_by_role("button", name="Take in all").click()
        page.get_by_role("button", name="Nothing to take in").wait_for(timeout=720_000)
    page.goto(page.url.replace("/take-in", "/review"))
    page.get_by_role("button", name="Ida Brandvik").first.click()
    page.get_by_role("button", name="leave out", exact=True).first.click()
    for start, end, task in (
        (0.075, 0.40, "feed control"),
        (0.545, 0.665, "liner change"),
        (0.755, 0.985, "washing down"),
    ):
        page.wait_for_timeout(500)
        box = page.get_by_role("application").bounding_box()
        assert box
        y = box["y"] + 120
        page.mouse.move(box["x"] + box["width"] * start, y)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * end, y, steps=5)
        page.mouse.up()
        page.get_by_label("mark as a task").check()
        page.get_by_label("Which task?").fill(task)
        page.get_by_role("button", name="Mark the task").click()
    page.get_by_label("Conclusion").fill(
        "Liner change alone brings most of the day's dose. Repeat with the new impact tool."
    )
    page.get_by_text("kept", exact=True).wait_for()
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 100)


def dust(page: Page) -> None:
    """Twelve runs of a placing, the last one on top; taken in first where it was not."""
    placing = page.get_by_role("navigation", name="Waiting for a look").get_by_text("12 days")
    if not placing.count():
        page.keyboard.press("2")
        page.get_by_role("button", name=re.compile("^Take in all")).click()
        page.wait_for_timeout(20_000)
        page.keyboard.press("3")
    placing.first.click()
    page.get_by_role("tab", name=re.compile("runs of this placing")).wait_for()


def wall(page: Page) -> None:
    """A minute of the late crew."""
    page.get_by_role("listitem").filter(has_text="Ylva Stenmark").wait_for()
    page.wait_for_timeout(60_000)


def bench(page: Page) -> None:
    """One that was bump-tested just now."""
    page.get_by_role("button", name="Bump test", exact=True).click()
    page.get_by_role("link", name="Certificate", exact=True).wait_for(timeout=60_000)


def gas(page: Page) -> None:
    """A shift of a gas monitor with two alarms, those that act alike added up."""
    page.get_by_role("button", name="Dagny Holt").first.click()
    together = page.get_by_role("region", name="Acting together")
    together.wait_for()
    offered = together.get_by_role("button", name="CO, H2S: keep oxygen from the body")
    if offered.count():
        offered.click()
    together.get_by_text("of 1").wait_for()


def pressure(page: Page) -> None:
    # The newest of his, once it is taken in, has too many failed tries.
    page.get_by_role("button", name="Petter Lunde").last.click()
    page.get_by_role("heading", name="Petter Lunde").wait_for()
    page.get_by_role("region", name="Readings", exact=True).wait_for()
    for _ in range(3):
        page.keyboard.press("ArrowDown")


def laps(page: Page) -> None:
    """A driver's session: the spun lap left out, a lap against the best, the stretch that costs most."""
    page.get_by_role("button", name=re.compile("Jonas Tveter")).first.click()
    page.get_by_role("region", name="Lap against lap").wait_for()
    suggested = page.get_by_role("button", name="leave out", exact=True)
    if suggested.count():
        suggested.first.click()
        page.wait_for_timeout(1500)
    page.locator("tr[data-lap='4']").click()
    page.keyboard.press("c")
    page.wait_for_timeout(900)
    page.get_by_role("region", name="Time lost").get_by_role("button").first.click()
    page.get_by_role("button", name="whole lap").click()
    page.get_by_role("slider", name="Place on the course").focus()


def waiting(page: Page, words: str) -> None:
    """The first that waits for a look and says so."""
    row = page.get_by_role("navigation", name="Waiting for a look").get_by_role("button").filter(has_text=words).first
    row.click()


def night(page: Page) -> None:
    """An episode of a night closely, the one before dropped."""
    waiting(page, "Jaw muscle")
    page.get_by_role("region", name="The night").wait_for()
    page.keyboard.press("Enter")
    page.get_by_role("region", name="The episode closely").wait_for()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")


def oximetry(page: Page) -> None:
    waiting(page, "Oximetry")
    page.get_by_role("region", name="The night").wait_for()


def training(page: Page) -> None:
    """A run over its course, a place of it under the pointer."""
    waiting(page, "Training")
    lanes = page.get_by_role("region", name="Over the way").get_by_role("application")
    box = lanes.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 60)


def resuscitation(page: Page) -> None:
    """The first shock of a case, to scale."""
    waiting(page, "Resuscitation")
    page.get_by_role("region", name="ECG to scale").wait_for()


def nothing(page: Page) -> None:
    page.wait_for_timeout(100)


def person(page: Page) -> None:
    """Two of his recordings against each other, before and after a medicine."""
    page.get_by_role("link", name="Petter Lunde").click()
    picture = page.get_by_role("application")
    picture.wait_for()
    picture.focus()
    for key in ("ArrowDown", "ArrowDown", "Space", "ArrowDown", "Space"):
        page.keyboard.press(key)
    page.get_by_role("heading", name="Petter Lunde").click()


def copying(page: Page) -> None:
    """A limit that is moved, with whom it would hit."""
    flag = page.get_by_role("slider", name="Daily exposure, upper action value")
    for _ in range(20):
        flag.press("ArrowLeft")
    page.get_by_role("list", name="Whom it hits").wait_for()


def board(page: Page) -> None:
    """The board with the life of one that was out often."""
    page.locator("[data-token=N-04]").click()
    page.get_by_role("complementary", name="Noise meter 4").get_by_text("Held last").wait_for()


SHOTS: list[tuple[str, str, Callable[[Page], None]]] = [
    ("hand-out", "/hand-out", hand_out),
    ("take-in", "/take-in", take_in),
    ("review", "/review", review),
    ("review-gas", "/review", gas),
    ("review-dust", "/review", dust),
    ("review-pressure", "/review", pressure),
    ("review-laps", "/review", laps),
    ("review-night", "/review", night),
    ("review-oximetry", "/review", oximetry),
    ("review-training", "/review", training),
    ("review-resuscitation", "/review", resuscitation),
    ("report", "/report", nothing),
    ("sessions", "/sessions", nothing),
    ("people", "/people", person),
    ("plan", "/plan", nothing),
    ("recorders", "/recorders", board),
    ("limits", "/limits?set=noise", copying),
    ("wall", "/wall", wall),
    ("bench", "/bench", bench),
]


def main(address: str, *only: str) -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB").new_page()
        page.goto(address)
        page.get_by_label("Sign-in name").fill("officer")
        page.get_by_label("Password").fill("tarnfels-demo")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("navigation", name="The line").wait_for()
        for name, path, act in SHOTS:
            if only and name not in only:
                continue
            if path:
                page.goto(address + path)
                page.wait_for_timeout(900)
            act(page)
            shoot(page, name)
        browser.close()


if __name__ == "__main__":
    main(*(sys.argv[1:] or ["http://127.0.0.1:8620"]))
