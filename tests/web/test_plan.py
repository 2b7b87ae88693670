"""The plan on the screen: a rule is made, who is late and for whom no recorder is left is seen, others are moved, one is handed out to."""

import re
from datetime import timedelta
from urllib.request import urlopen

import icalendar
from playwright.sync_api import Page, expect
from sqlmodel import select

from kumpel.demo.ensemble import StandIn
from kumpel.services.plan import ahead, rules
from kumpel.services.plan.rules import Wish
from kumpel.store.tables import HandOver, Recorder
from tests.services.crusher_hall import CrusherHall
from tests.web.browser import BrowserTest


class PlanScreen(CrusherHall, BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        for token in ("N-01", "N-02"):
            self.db.add(
                Recorder(
                    serial=f"S-{token}", kind="noise", token=token, name=token, in_reach=True, status={"mode": "ready"}
                )
            )
        self.db.commit()
        self.today = ahead.here_today()

    def late(self) -> None:
        starts = self.today - timedelta(days=400)
        rules.make(self.db, Wish("noise", 365, team="Crusher hall", starts=starts), self.today, self.who)

    def open(self) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/plan")
        return page

    def test_a_rule_in_a_sentence(self) -> None:
        page = self.open()
        page.get_by_role("button", name="New rule").last.click()
        form = page.get_by_role("form", name="Rule")
        form.get_by_label("Each of the team").select_option("Crusher hall")
        form.get_by_role("combobox", name=re.compile("^What")).select_option("noise")
        form.get_by_label("How many each").fill("3")
        form.get_by_label("Holds from").fill("-340d")
        form.get_by_role("button", name="Make the rule").click()
        expect(
            page.get_by_role("button", name=re.compile("Noise, Crusher hall 3 each, every 12 months"))
        ).to_be_visible()
        [row] = ahead.ahead(self.db, self.today).rules
        self.assertEqual((row.rule.count, row.rule.starts), (3, self.today - timedelta(days=340)))
        self.assertEqual(row.due, 4)

    def test_who_is_late_is_moved_and_handed_out_to(self) -> None:
        self.late()
        page = self.open()
        expect(page.get_by_title("4 people are overdue under the plan")).to_be_visible()
        day = page.get_by_role("region", name="Who is planned for this day")
        if self.today.weekday() < 5:
            today = page.get_by_role("region", name="To hand out today")
            expect(today.get_by_text("4, 2 ready")).to_be_visible()
            expect(today.get_by_text("none is free")).to_have_count(2)
            expect(today.get_by_role("link", name="hand out").first).to_have_attribute(
                "href", re.compile(r"/hand-out\?person=\d+&recorder=\d+")
            )
        expect(day.get_by_text("2 short")).to_be_visible()
        day.get_by_role("button", name="Move 2 as proposed").click()
        expect(day.get_by_text("2 short")).to_have_count(0)
        chosen = [item for item in ahead.ahead(self.db, self.today).items if item.chosen]
        self.assertEqual(len(chosen), 2)
        page.get_by_role("button", name="Undo").click()
        expect(day.get_by_text("2 short")).to_be_visible()
        # A day of one's own, typed.
        field = day.get_by_label("Day of Fenna de Wit")
        field.fill("+14d")
        field.press("Enter")
        self.eventually(
            lambda: (
                [i.day for i in ahead.ahead(self.db, self.today).items if i.chosen] == [self.today + timedelta(days=14)]
            )
        )

    def test_what_was_signed_under_a_rule_goes_to_paper_at_once(self) -> None:
        self.late()
        shifts = [self.shift(person, 84.0) for person in self.hall[:2]]
        page = self.open()
        page.get_by_role("button", name=re.compile("Noise, Crusher hall")).click()
        page.get_by_role("link", name="reports of 2 that are signed and not printed").click()
        page.wait_for_url("**/report/many?**")
        expect(page.get_by_role("main")).to_contain_text("Crusher hall")
        for shift in shifts:
            name = next(person.name for person in self.hall if person.id == shift.person_id)
            expect(page.get_by_text(name).first).to_be_visible()

    def test_the_calendar_by_keys_and_the_feed(self) -> None:
        self.late()
        page = self.open()
        column = page.get_by_role("button", name=re.compile(r"^Noise, .*4 wanted")).first
        column.focus()
        column.press("Enter")
        expect(column).to_have_attribute("aria-pressed", "true")
        page.get_by_text("in your own calendar").click()
        page.get_by_role("button", name="Make an address").click()
        address = page.get_by_label("Address of the feed").input_value()
        with urlopen(address) as answer:
            made = icalendar.Calendar.from_ical(answer.read())
        self.assertEqual({str(event["summary"]) for event in made.walk("VEVENT")}, {"Noise, Crusher hall (overdue)"})
        page.keyboard.press("Escape")
        page.get_by_role("button", name="take back").click()
        expect(page.get_by_text("opens nothing any more")).to_be_visible()
        self.assertEqual(self.client().get(address).status_code, 403)

    def test_due_next_stands_with_a_person(self) -> None:
        self.late()
        page = self.sign_in()
        page.goto(f"{self.address}/people/{self.hall[0].id}")
        due = page.get_by_role("region", name="Due next")
        expect(due.get_by_text("1 each, every 12 months")).to_be_visible()
        expect(due.get_by_text(re.compile("^since "))).to_be_visible()

    def test_nothing_is_cut_off_at_1024(self) -> None:
        self.late()
        page = self.open()
        page.set_viewport_size({"width": 1024, "height": 700})
        expect(page.get_by_role("heading", name="Recorders wanted each day")).to_be_visible()
        self.assert_nothing_cut_off("the plan at 1024")


class HandedOut(CrusherHall, BrowserTest):
    def test_all_who_are_ready_get_theirs_by_one_press(self) -> None:
        self.launch(*(StandIn(f"N-0{n}", f"NM-GIVEN{n}", "Noise meter") for n in (1, 2)))
        self.eventually(lambda: len(self.there()) == 2, 20)
        today = ahead.here_today()
        rules.make(self.db, Wish("noise", 365, team="Mill", starts=today - timedelta(days=400)), today, self.who)
        page = self.sign_in()
        page.goto(f"{self.address}/plan")
        page.get_by_role("button", name="Hand out the one that is ready").click()
        expect(page.get_by_role("region", name="To hand out today")).to_contain_text("has it")
        self.db.rollback()
        [given] = self.db.exec(select(HandOver)).all()
        self.assertEqual(given.person_id, self.mill.id)
        self.assertIn(given.recorder_id, [recorder.id for recorder in self.there()])

    def there(self) -> list[Recorder]:
        self.db.rollback()
        self.db.expire_all()
        return list(self.db.exec(select(Recorder).where(Recorder.in_reach)).all())
