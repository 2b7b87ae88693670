"""A session of several days: every time says its day, and what is typed is meant for the day that is looked at."""

import re
from dataclasses import replace

import numpy as np
from playwright.sync_api import expect
from sqlmodel import select

from kumpel.core.recording import Channel
from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Decision
from tests.web.browser import BrowserTest

DAY, HOUR = 86_400.0, 3600.0


class LongSessions(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        short = SIGNALS["dust"](2).recording
        mass = np.full(3 * 1440, 0.4)
        mass[1440 * 2 + 300 : 1440 * 2 + 330] = 6.0
        recording = replace(
            short,
            start=1_795_068_000.0,  # 19 November 2026 07:00 at an offset of one hour
            channels={"mass": Channel("mass", "Dust", "mg/m3", 60.0, mass)},
            events=short.events[:1],
        )
        self.row = self.stored(krec.write_recording(recording), self.person("Emil Farkas"))
        self.sign_in()
        self.page.goto(f"{self.address}/review/{self.row.id}")

    def test_times_of_the_third_day_say_so_and_typed_ones_are_meant_for_it(self) -> None:
        events = self.page.get_by_role("region", name="List of events")
        late = events.get_by_role("button").filter(has_text="above 1.25 mg/m3")
        expect(late).to_contain_text("Sat 21 Nov")
        expect(late).to_contain_text("12:00:00")
        late.click()
        self.page.get_by_role("button", name="type a stretch").first.click()
        dialog = self.page.get_by_role("dialog")
        expect(dialog.get_by_role("heading")).to_contain_text("Sat 21 Nov")
        dialog.get_by_label("Why?").fill("blasting")
        dialog.get_by_label("From", exact=True).fill("11:50")
        dialog.get_by_label("To", exact=True).fill("12:20")
        expect(dialog).to_contain_text("30 min")
        expect(dialog).to_contain_text(re.compile("Sat 21 Nov 11:50:00 to Sat 21 Nov 12:20:00"))
        dialog.get_by_role("button", name="Leave out").click()
        expect(dialog).to_have_count(0)
        expect(self.page.get_by_text("Sat 21 Nov 11:50, 30 min")).to_be_visible()
        [kept] = self.db.exec(select(Decision).where(Decision.session_id == self.row.id)).all()
        self.assertEqual((kept.start_s, kept.end_s), (2 * DAY + 5 * HOUR - 600, 2 * DAY + 5 * HOUR + 1200))

    def test_a_night_is_typed_on_any_day(self) -> None:
        for day, late in (("", False), ("Sat 21 Nov ", True)):
            if late:
                events = self.page.get_by_role("region", name="List of events")
                events.get_by_role("button").filter(has_text="above 1.25 mg/m3").click()
            self.page.get_by_role("button", name="type a stretch").first.click()
            dialog = self.page.get_by_role("dialog")
            dialog.get_by_label("From", exact=True).fill("23:00")
            dialog.get_by_label("To", exact=True).fill("06:00")
            expect(dialog).to_contain_text(f"{day}23:00:00 to {'Sun 22 Nov ' if late else ''}06:00:00, 7 h")
            dialog.get_by_role("button", name="Cancel").click()

    def test_an_end_before_the_beginning_is_refused_where_no_later_day_is_left(self) -> None:
        events = self.page.get_by_role("region", name="List of events")
        events.get_by_role("button").filter(has_text="above 1.25 mg/m3").click()
        self.page.get_by_role("button", name="type a stretch").first.click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_label("From", exact=True).fill("14:00")
        dialog.get_by_label("To", exact=True).fill("13:00")
        expect(dialog).to_contain_text("The end must come after the beginning.")
