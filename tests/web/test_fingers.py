"""A tablet at the counter, by finger alone: stretches are marked, edges moved, two fingers zoom, one still scrolls the page."""

from typing import Any
from urllib.parse import parse_qs, urlsplit

from playwright.sync_api import Locator, expect

from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest


def seen(url: str) -> float:
    """The seconds that a picture asks for; 0 when it is no picture's question."""
    asked = parse_qs(urlsplit(url).query)
    return float(asked["end_s"][0]) - float(asked["start_s"][0]) if "end_s" in asked else 0.0


class Fingers(BrowserTest):
    watch = "0"
    size = (768, 1024)
    touch = True

    def setUp(self) -> None:
        super().setUp()
        self.fingers = self.page.context.new_cdp_session(self.page)

    def touch_(self, kind: str, *points: tuple[float, float]) -> None:
        self.fingers.send(
            "Input.dispatchTouchEvent",
            {"type": kind, "touchPoints": [{"x": x, "y": y, "id": i} for i, (x, y) in enumerate(points)]},
        )

    def drag(self, *ways: tuple[tuple[float, float], tuple[float, float]]) -> None:
        """Each finger from one place to another, side by side."""
        self.touch_("touchStart", *(start for start, _ in ways))
        for i in range(1, 11):
            self.touch_("touchMove", *((a + (c - a) * i / 10, b + (d - b) * i / 10) for (a, b), (c, d) in ways))
        self.touch_("touchEnd")

    def across(self, picture: Locator, first: float, last: float) -> None:
        """One finger over a picture, from one share of its width to another."""
        box = self.box(picture)
        y = box["y"] + min(box["height"], 300) * 0.6
        self.drag(((box["x"] + box["width"] * first, y), (box["x"] + box["width"] * last, y)))

    def box(self, picture: Locator) -> Any:
        picture.scroll_into_view_if_needed()
        found = picture.bounding_box()
        assert found
        return found

    def leave_out(self, picture: Locator) -> None:
        self.across(picture, 0.4, 0.7)
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_label("Why?").fill("not worn")
        self.page.wait_for_timeout(
            500
        )  # a browser takes a tap right after a swipe for the end of it; nobody types so fast
        dialog.get_by_role("button", name="Leave out").tap()
        expect(self.page.get_by_role("complementary", name="Decisions")).to_contain_text("not worn")

    def open(self, session: Any) -> Locator:
        if self.page.url == "about:blank":
            self.sign_in()
        self.page.goto(f"{self.address}/review/{session.id}")
        return self.page.get_by_role("application").first

    def test_a_stretch_of_noise_is_left_out(self) -> None:
        self.leave_out(self.open(self.session(7200, self.person("Ida Brandvik"))))

    def test_a_stretch_of_a_night_is_left_out(self) -> None:
        night = krec.write_recording(SIGNALS["oximetry"](2).recording)
        self.leave_out(self.open(self.stored(night, self.person("Emil Farkas"))))

    def test_two_fingers_zoom_into_what_lies_between_them(self) -> None:
        """Apart by three times: a third of the time is seen, which the axis says; nothing is marked by it."""
        for session in (
            self.session(7200, self.person("Ida Brandvik")),
            self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording, "S-2"), self.person("Emil Farkas")),
        ):
            picture = self.open(session)
            expect(picture).to_be_visible()
            self.page.wait_for_timeout(500)
            box = self.box(picture)
            y, middle = box["y"] + 60, box["x"] + box["width"] / 2
            # A third, with as much as half of it on each side for the next step.
            with self.page.expect_request(lambda r, whole=session.length_s: 0.3 < seen(r.url) / whole < 0.7):
                self.drag(((middle - 50, y), (middle - 150, y)), ((middle + 50, y), (middle + 150, y)))
            expect(self.page.get_by_role("dialog")).to_have_count(0)
