"""The page of a person: lanes over the years, chosen and compared, what was changed, by mouse and by key."""

import re
from datetime import UTC, datetime, timedelta

from playwright.sync_api import Locator, expect

from kumpel.services.review.years import Years, years_of
from kumpel.store.tables import Intervention, Person, Session
from tests.web.browser import BrowserTest

FIRST = datetime(2026, 5, 4, 6, 0, tzinfo=UTC)
HEAD, CHANGES, LEFT, RIGHT, LANE = 22, 46, 40, 104, 230
"""As the picture lays out one lane (web/src/features/people/years/draw.ts)."""


class PersonPage(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.ida: Person = self.person("Ida Brandvik")
        self.rows: list[Session] = [
            self.session(22_000, self.ida, seed=n + 1, start=(FIRST + timedelta(weeks=3 * n)).timestamp())
            for n in range(6)
        ]

    def open(self) -> Locator:
        page = self.sign_in()
        page.goto(f"{self.address}/people/{self.ida.id}")
        picture = page.get_by_role("application")
        expect(picture).to_be_visible()
        page.wait_for_timeout(300)
        return picture

    def years(self) -> Years:
        self.db.expire_all()
        return years_of(self.db, self.ida.id or 0)

    def press_on(self, number: int) -> None:
        """On the shape of a session: where its day and its value are, by the axes as they are drawn."""
        box = self.page.get_by_role("application").locator("canvas").bounding_box()
        assert box is not None
        [lane] = self.years().lanes
        times = [mark.started_at.timestamp() for mark in lane.marks]
        now_s = datetime.now(UTC).timestamp()
        room = max((now_s - times[0]) * 0.03, 3 * 86_400)
        span = now_s - times[0] + 2 * room
        x = box["x"] + LEFT + (times[number] - times[0] + room) / span * (box["width"] - LEFT - RIGHT)
        # Up the lane until the page says that a session lies under the press.
        top = box["y"] + HEAD + CHANGES
        for y in range(int(top) + 14, int(top) + LANE - 20, 9):
            self.page.mouse.click(x, y)
            if self.chosen().count() and self.words(number) in self.said():
                return
        self.fail("no session lies where its day is")

    def words(self, number: int) -> str:
        value = self.years().lanes[0].marks[number].value
        assert value is not None
        return f"{value:.1f} dB(A)"

    def said(self) -> str:
        return self.page.get_by_role("region", name="Over the years", exact=True).get_by_role("status").inner_text()

    def chosen(self) -> Locator:
        return self.page.get_by_role("region", name="Chosen")

    def test_what_is_computed_stands_there_and_a_session_is_opened_from_it(self) -> None:
        self.open()
        page = self.page
        [lane] = self.years().lanes
        expect(page.get_by_role("region", name="Which way it goes")).to_contain_text(lane.trend.words)
        expect(page.get_by_text("6 sessions", exact=False).first).to_be_visible()
        self.press_on(1)
        self.chosen().get_by_role("link", name="open A").click()
        expect(page).to_have_url(re.compile(f"/review/{self.rows[1].id}$"))

    def test_two_are_held_against_each_other(self) -> None:
        self.open()
        self.press_on(0)
        self.press_on(4)
        marks = self.years().lanes[0].marks
        apart = (marks[4].value or 0) - (marks[0].value or 0)
        expect(self.chosen()).to_contain_text(re.compile(re.escape(f"{abs(apart):.1f} dB(A)")))
        self.chosen().get_by_role("button", name="choose others").click()
        expect(self.chosen()).to_have_count(0)

    def test_by_keys_alone_from_session_to_session_and_into_one(self) -> None:
        picture = self.open()
        picture.focus()
        self.page.keyboard.press("ArrowDown")
        self.assertIn(self.words(0), self.said())
        self.page.keyboard.press("ArrowDown")
        self.assertIn(self.words(1), self.said())
        self.page.keyboard.press("Space")
        expect(self.chosen()).to_be_visible()
        self.page.keyboard.press("+")
        expect(self.page.get_by_role("button", name="all years")).to_be_visible()
        self.page.keyboard.press("0")
        self.page.keyboard.press("Enter")
        expect(self.page).to_have_url(re.compile(f"/review/{self.rows[1].id}$"))

    def test_another_figure_is_a_choice_away_and_stays(self) -> None:
        self.open()
        page = self.page
        page.get_by_label("Figure of Noise").select_option("Highest peak")
        expect(page.get_by_role("region", name="Which way it goes")).to_contain_text("Highest peak")
        page.reload()
        expect(page.get_by_label("Figure of Noise")).to_have_value("lcpeak")

    def test_what_was_changed_is_noted_once_said_with_what_followed_and_taken_back(self) -> None:
        self.open()
        page = self.page
        page.get_by_role("button", name="note something that changed").click()
        form = page.get_by_role("form", name="Note something that changed")
        form.get_by_label("What was changed").fill("new liner")
        form.get_by_label("On which day").fill((FIRST + timedelta(weeks=8)).date().isoformat())
        form.get_by_role("button", name="Note it").click()
        changed = page.get_by_role("region", name="What changed")
        expect(changed).to_contain_text("new liner")
        [since] = self.years().lanes[0].since
        expect(changed).to_contain_text(since.told.words)
        self.assertIn("too few to compare (3 before, 3 after)", since.told.words)
        changed.get_by_role("button", name="take new liner away").click()
        expect(changed).not_to_contain_text("new liner")
        page.get_by_role("button", name="Undo").click()
        expect(changed).to_contain_text("new liner")
        self.db.expire_all()
        self.assertIsNone(self.db.get_one(Intervention, since.intervention_id).removed_at)

    def test_somebody_new_has_no_lanes_and_the_form_open(self) -> None:
        ruth = self.person("Ruth Amsel")
        page = self.sign_in()
        page.goto(f"{self.address}/people/{ruth.id}")
        expect(page.get_by_text("Nothing was measured yet")).to_be_visible()
        expect(page.get_by_role("button", name="About")).to_have_attribute("aria-expanded", "true")
        expect(page.get_by_role("application")).to_have_count(0)
