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


def compare(page: Page) -> None:
    """The same day beside the one before the second medicine."""
    page.get_by_role("link", name="Compare with another recording").click()
    page.get_by_role("region", name="What changed").wait_for()


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


def sensors(page: Page) -> None:
    """A logger whose wheel is turned by itself: the first position captured, the live values coming."""
    row = page.get_by_role("row").filter(has_text="Logger, kart K-1")
    row.get_by_role("link").first.click()
    for words, raw in (("straight ahead", re.compile(r"2\.4\d\d")), ("turned right", re.compile(r"3\.9\d\d"))):
        held = page.get_by_role("row").filter(has_text=words).filter(has_text="steady").filter(has_text=raw)
        held.wait_for(timeout=60_000)
        page.keyboard.press("Space")
        page.get_by_role("row").filter(has_text=words).filter(has_text="captured").wait_for()
    page.wait_for_timeout(2500)


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


def group(page: Page) -> None:
    page.get_by_role("link", name=re.compile("^Crusher hall operators")).first.click()
    page.get_by_role("heading", name="Everybody on one scale").wait_for()


def many(page: Page) -> None:
    """All that are signed, before they are issued."""
    page.get_by_role("link", name=re.compile("in one go")).click()
    page.get_by_role("img", name=re.compile("Page 1 of the report")).wait_for()


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
    ("review-compare", "", compare),
    ("review-laps", "/review", laps),
    ("report", "/report", nothing),
    ("sessions", "/sessions", nothing),
    ("people", "/people", person),
    ("group", "/groups", group),
    ("plan", "/plan", nothing),
    ("reports", "/report", many),
    ("recorders", "/recorders", board),
    ("sensors", "/recorders?as=list", sensors),
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
