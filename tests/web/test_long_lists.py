"""Thousands of events and rows: only those in view are drawn, all can be reached, sorted and copied."""

import itertools
from typing import Any

from playwright.sync_api import Route, expect

from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest

EVENTS = 2000

# The chosen row and the frame it has to lie in, in pixels of the window.
WHERE = """box => {
  const [row, frame] = [box.querySelector('[aria-current="true"]').getBoundingClientRect(), box.getBoundingClientRect()];
  return [row.top, row.bottom, frame.top, frame.bottom + 1];
}"""


class LongLists(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording), self.person("Emil Farkas"))
        self.sign_in()
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.page.route("**/review", self.with_many)
        self.page.goto(f"{self.address}/review/{row.id}")
        expect(self.page.get_by_role("region", name="List of events").get_by_role("listitem").first).to_be_visible()

    def with_many(self, route: Route) -> None:
        """The server's review, its events and the rows of its longest table again and again."""
        answer = route.fetch()
        data: dict[str, Any] = answer.json()
        reviewed = data["reviewed"]
        length = data["session"]["length_s"]
        some = list(itertools.islice(itertools.cycle(reviewed["events"]), EVENTS))
        reviewed["events"] = [
            event | {"key": f"{event['key']} {i}", "at_s": i * length / EVENTS, "end_s": i * length / EVENTS + 5}
            for i, event in enumerate(some)
        ]
        table = max(reviewed["tables"], key=lambda t: len(t["rows"]))
        self.title = table["title"]
        numbers = [i for i, column in enumerate(table["columns"]) if column["decimals"] is not None]
        table["rows"] = [
            [n if i == numbers[-1] else cell for i, cell in enumerate(row)]
            for n, row in enumerate(itertools.islice(itertools.cycle(table["rows"]), EVENTS))
        ]
        self.column = table["columns"][numbers[-1]]
        route.fulfill(json=data)

    def test_two_thousand_events_are_walked_through(self) -> None:
        events = self.page.get_by_role("region", name="List of events")
        self.assertLess(events.get_by_role("listitem").count(), 60)
        events.get_by_role("listitem").first.get_by_role("button").first.click()
        for _ in range(40):
            self.page.keyboard.press("ArrowDown")
        chosen = events.locator('li[aria-current="true"]')
        expect(chosen).to_have_attribute("aria-posinset", "41")
        top, bottom, frame, end = events.evaluate(WHERE)
        self.assertTrue(frame <= top and bottom <= end, (top, bottom, frame, end))
        expect(self.page.get_by_text(f"41 of {EVENTS}:")).to_be_visible()
        expect(chosen.get_by_role("button").first).to_be_focused()
        expect(chosen).to_have_attribute("aria-setsize", str(EVENTS))
        events.evaluate("box => { box.scrollTop = box.scrollHeight }")
        expect(events.locator(f'li[aria-posinset="{EVENTS}"]')).to_be_visible()
        self.assertLess(events.get_by_role("listitem").count(), 60)

    def test_two_thousand_rows_are_sorted_scrolled_and_copied(self) -> None:
        self.page.get_by_role("tab", name=self.title).click()
        frame = self.page.get_by_role("region", name=self.title, exact=True)
        expect(frame.get_by_role("row").nth(20)).to_be_visible()
        self.assertLess(frame.get_by_role("row").count(), 80)
        head = frame.get_by_role("columnheader").filter(has_text=self.column["name"]).get_by_role("button")
        head.click()
        head.click()
        last = f"{EVENTS - 1:,.{self.column['decimals']}f}"
        expect(frame.get_by_role("row").nth(1)).to_contain_text(last)
        frame.evaluate("box => { box.scrollTop = box.scrollHeight }")
        expect(frame.locator(f'tr[aria-rowindex="{EVENTS + 1}"]')).to_be_visible()
        expect(head).to_be_in_viewport()
        self.page.get_by_role("button", name="copy with heads and units").click()
        expect(self.page.get_by_role("button", name="copied")).to_be_visible()
        lines = self.page.evaluate("navigator.clipboard.readText()").split("\n")
        self.assertEqual(len(lines), EVENTS + 1)
        self.assertIn(last, lines[1])
