"""Typed entries, long lists, people of the same name, giving and deleting with a way back, the hours of the dose."""

import datetime
import itertools
import re
import time
from typing import Any

import numpy as np
from playwright.sync_api import Route, expect
from sqlalchemy import text
from sqlmodel import col, select

from kumpel.core.recording import Channel, Event, Recording
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import krec
from kumpel.link.client import RecorderLink
from kumpel.services.ground import decisions, people, recordings
from kumpel.services.hand_out import hand_out
from kumpel.services.report import conclusions
from kumpel.store.tables import Decision
from tests.web.browser import BrowserTest


class Entries(BrowserTest):
    watch = "0"

    def test_a_height_is_understood_or_refused_beside_the_field(self) -> None:
        person = self.person("Ida Brandvik", height_cm=168.0)
        page = self.sign_in()
        page.goto(f"{self.address}/people/{person.id}")
        field = page.get_by_label("Height, cm")
        expect(field).to_have_value("168")
        for typed, kept in (
            ("1,72 m", 172),
            ("173", 173),
            ("174 cm", 174),
            ("1.75", 175),
            ("1760 mm", 176),
            ("177,5", 177.5),
        ):
            with self.subTest(typed=typed):
                field.fill(typed)
                field.press("Enter")
                expect(field).to_have_value(f"{kept:g}")
                self.eventually(lambda wanted=kept: self.height(person.id or 0) == wanted)
        for typed in ("tall", "172 kg", "1,7,2", "17", "3000", "-172", "1e2"):
            with self.subTest(typed=typed):
                field.fill(typed)
                field.press("Enter")
                expect(page.get_by_role("alert")).to_be_visible()
                expect(field).to_have_value(typed)
                self.assertEqual(self.height(person.id or 0), 177.5)
        field.fill("")
        field.press("Enter")
        expect(page.get_by_role("alert")).to_have_count(0)
        self.eventually(lambda: self.height(person.id or 0) is None)
        page.get_by_label("Name", exact=True).fill(" ")
        page.get_by_label("Name", exact=True).press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("A name is needed")

    def height(self, person_id: int) -> float | None:
        self.db.expire_all()
        return people.person_of(self.db, person_id).height_cm

    def test_a_working_day_and_protection_are_understood_or_refused(self) -> None:
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        day = page.get_by_role("textbox", name="Working day")
        for typed, seconds in (
            ("7 h 30", 27_000),
            ("7:15", 26_100),
            ("7,5", 27_000),
            ("450 min", 27_000),
            ("8 h", 28_800),
        ):
            with self.subTest(typed=typed):
                day.fill(typed)
                day.press("Enter")
                self.eventually(lambda wanted=seconds: self.field(row.id, "working_day_s") == wanted)
        expect(day).to_have_value("8:00")
        day.fill("a while")
        # The click comes straight from the field: the reason shown below it must move nothing away.
        page.get_by_role("button", name="Sign off").click()
        expect(page.get_by_role("alert").filter(has_text="7:30")).to_be_visible()
        expect(day).to_have_value("a while")
        self.assertEqual(self.field(row.id, "working_day_s"), 28_800)
        expect(page.get_by_text("Not signed. Working day: “a while” is not understood.")).to_be_visible()
        self.assertFalse(self.signed(row.id))
        expect(day).to_be_focused()
        worn = page.get_by_role("textbox", name="Worn protection")
        worn.fill("20 dB")
        worn.press("Enter")
        self.eventually(lambda: self.field(row.id, "attenuation_db") == 20)
        worn.fill("good ones")
        worn.press("Enter")
        expect(worn).to_have_value("good ones")
        self.assertEqual(self.field(row.id, "attenuation_db"), 20)

    def test_what_is_typed_while_an_answer_is_on_its_way_is_not_mixed_with_it(self) -> None:
        """What was selected to be typed over stays selected; a value is compared with what will be kept, not with what was."""
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()

        def late(route: Route) -> None:
            answer = route.fetch()
            page.wait_for_timeout(600)
            route.fulfill(response=answer)

        page.route("**/decisions", late)
        page.goto(f"{self.address}/review/{row.id}")
        day = page.get_by_role("textbox", name="Working day")
        day.fill("450 min")
        day.press("Enter")
        day.select_text()
        self.until_taken(row.id, [27_000])
        page.wait_for_timeout(1500)
        page.keyboard.insert_text("8")
        expect(day).to_have_value("8")
        day.press("Enter")
        day.fill("7,5")
        day.press("Enter")
        expect(day).to_have_value("7:30")
        self.until_taken(row.id, [27_000, 28_800, 27_000])
        day.fill("7:15")
        day.press("Enter")
        page.get_by_role("textbox", name="Worn protection").focus()
        self.until_taken(row.id, [27_000, 28_800, 27_000, 26_100])
        page.wait_for_timeout(1500)
        self.assertEqual(len(self.taken(row.id)), 4, "Enter and leaving the field take a decision once")
        expect(day).to_have_value("7:15")

    def test_a_decision_whose_answer_was_lost_is_shown_all_the_same(self) -> None:
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()

        def lost(route: Route) -> None:
            route.fetch()
            page.wait_for_timeout(500)
            route.abort()

        page.route("**/decisions", lost)
        page.goto(f"{self.address}/review/{row.id}")
        day = page.get_by_role("textbox", name="Working day")
        day.fill("7:15")
        day.press("Enter")
        self.until_taken(row.id, [26_100])
        expect(page.get_by_role("button", name="Undo", exact=True)).to_be_enabled()
        expect(day).to_have_value("7:15")

    def until_taken(self, session_id: int | None, wanted: list[float]) -> None:
        """Answers are held back by the page, so time has to go by in it."""
        for _ in range(60):
            if self.taken(session_id) == wanted:
                return
            self.page.wait_for_timeout(250)
        self.assertEqual(self.taken(session_id), wanted)

    def taken(self, session_id: int | None) -> list[object]:
        """Every working day that was ever decided, in order."""
        self.db.expire_all()
        asked = select(Decision).where(Decision.session_id == session_id, Decision.key == "working_day_s")
        return [wish.value for wish in self.db.exec(asked.order_by(col(Decision.id)))]

    def field(self, session_id: int | None, name: str) -> object:
        self.db.expire_all()
        rows = decisions.of_session(self.db, session_id or 0)
        return decisions.setting(rows, name)

    def signed(self, session_id: int | None) -> bool:
        self.db.expire_all()
        return recordings.session_of(self.db, session_id or 0).signed_at is not None


class Writing(BrowserTest):
    def test_what_is_written_is_what_the_slip_shows(self) -> None:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        self.person("Ida Brandvik")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Ida Brandvik")).click()
        page.get_by_role("button", name=re.compile("^N-07, Noise meter 7")).click()
        length = page.get_by_label("Run length")
        length.fill("a shift")
        page.get_by_role("button", name="Write only").click()
        expect(page.get_by_text("Run length: “a shift” is not understood. Nothing was written.")).to_be_visible()
        self.assertEqual(self.on_recorder(ensemble, "run_length_min"), 480)
        # Clicked at once after typing, on a line so slow that the server has not looked at the entry yet.
        held: list[Route] = []
        page.route("**/draft", lambda route: held.append(route))
        page.get_by_role("button", name="change The meter").click()
        page.get_by_label("Keypad").select_option("locked")
        length.fill("7 h 15")
        page.get_by_role("button", name="Write only").click()
        expect(page.get_by_text("The settings are on N-07, read back and equal.")).to_be_visible()
        self.assertEqual(self.on_recorder(ensemble, "run_length_min"), 435)
        self.assertEqual(self.on_recorder(ensemble, "keypad_lock"), True)

    def test_what_differs_is_taken_back_by_a_click(self) -> None:
        self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        self.person("Ida Brandvik")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Ida Brandvik")).click()
        page.get_by_role("button", name=re.compile("^N-07, Noise meter 7")).click()
        length = page.get_by_label("Run length", exact=True)
        length.fill("300")
        length.press("Enter")
        page.get_by_role("button", name="change The meter").click()
        page.get_by_label("Keypad", exact=True).select_option("locked")
        expect(page.get_by_text("2 settings differ, read back after writing")).to_be_visible()
        page.get_by_role("button", name="Run length: take back what is on recorder 8 h").click()
        expect(length).to_have_value("8 h")
        expect(page.get_by_text("1 setting differs, read back after writing")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Keypad: take back")).press("Enter")
        expect(page.get_by_text("Nothing differs from what is on the recorder")).to_be_visible()

    def test_one_with_a_session_on_it_is_not_given_away_silently(self) -> None:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        ensemble.running["N-07"].tell("record", start=time.time() - 4000, length_s=3600)
        self.person("Ida Brandvik")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Ida Brandvik")).click()
        page.get_by_role("button", name=re.compile("^N-07, Noise meter 7")).click()
        slip = page.get_by_role("region", name="Slip")
        expect(slip).to_contain_text("A session on it was not taken in. Take in first")
        slip.get_by_role("button", name="Write and hand out").click()
        dialog = page.get_by_role("dialog", name="N-07 is not empty")
        expect(dialog).to_contain_text("N-07 holds a session that was not taken in.")
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        self.assertEqual(hand_out.out_now(self.db), [])
        slip.get_by_role("button", name="Write and hand out").click()
        dialog.get_by_role("button", name="taken in later today").click()
        expect(page.get_by_text("N-07 is with Ida Brandvik.")).to_be_visible()
        self.db.rollback()
        self.assertEqual(len(hand_out.out_now(self.db)), 1)

    def test_another_gas_comes_with_its_own_alarms_in_the_table_of_sensors(self) -> None:
        ensemble = self.launch(StandIn("G-02", "GM-000002", "Gas monitor 2", kind="gas", auto_start=False))
        self.person("Kofi Badu")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Kofi Badu")).click()
        page.get_by_role("button", name=re.compile("^G-02, Gas monitor 2")).click()
        low = page.get_by_label("Sensor 3, low alarm", exact=True)
        expect(low).to_have_value("20")
        low.fill("200")
        low.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Sensor 3: the high alarm has to lie above the low one")
        expect(low).to_have_value("20")
        page.get_by_label("Sensor 3, gas", exact=True).select_option(label="nitrogen dioxide")
        for name, value in (("low alarm", "0.5"), ("high alarm", "1"), ("15 min alarm", "1"), ("8 h alarm", "0.5")):
            expect(page.get_by_label(f"Sensor 3, {name}", exact=True)).to_have_value(value)
        page.get_by_label("Sensor 4, on").uncheck()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("G-02 is with Kofi Badu.")).to_be_visible()
        third, fourth = self.on_recorder(ensemble, "sensors", "G-02")[2:4]
        self.assertEqual((third["gas"], third["low"], third["high"], third["range"]), ("no2", 0.5, 1.0, 50.0))
        self.assertFalse(fourth["on"])

    def test_a_recorder_that_has_to_be_switched_over_says_what_to_press(self) -> None:
        press = "Hold both keys for 3 s."
        ensemble = self.launch(
            StandIn(
                "G-05",
                "GM-000005",
                "Gas monitor 5",
                kind="gas",
                rest={"mode": "transfer-off", "press": press, "warm_up_s": 8.0},
            )
        )
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        needs = page.get_by_role("region", name="Needs a hand")
        expect(needs).to_contain_text(press)
        ensemble.running["G-05"].tell("press")
        expect(needs).to_contain_text("warming up")
        expect(needs).to_have_count(0)
        expect(page.get_by_role("button", name="G-05, Gas monitor 5, empty, ready")).to_be_visible()

    def on_recorder(self, ensemble: Ensemble, setting: str, token: str = "N-07") -> Any:
        with RecorderLink("127.0.0.1", ensemble.running[token].link) as link:
            return link.setup().setup[setting]


class Lists(BrowserTest):
    watch = "0"

    def many(self, count: int) -> None:
        self.db.connection().execute(
            text(
                "insert into person (number, name, contact, notes, created_at) select 'X-' || n, "
                "'Person ' || lpad(n::text, 4, '0'), '', '', now() from generate_series(1, :count) n"
            ),
            {"count": count},
        )
        self.db.commit()

    def test_people_and_hand_out_go_on_while_scrolling(self) -> None:
        self.many(640)
        page = self.sign_in()
        for path, role in (("/people", "link"), ("/hand-out", "button")):
            with self.subTest(path=path):
                page.goto(self.address + path)
                last = page.get_by_role(role, name=re.compile("^Person 0640"))
                for _ in range(40):
                    if last.count():
                        break
                    page.get_by_role(role, name=re.compile("^Person ")).last.scroll_into_view_if_needed()
                    page.wait_for_timeout(150)
                last.scroll_into_view_if_needed()
                expect(last).to_be_visible()
                self.assertEqual(page.get_by_role(role, name=re.compile("^Person ")).count(), 640)

    def test_a_second_person_of_the_same_name_is_asked_about(self) -> None:
        self.person("Ida Brandvik", team="Crusher hall")
        page = self.sign_in()
        page.goto(f"{self.address}/people")
        for answer, there in (("It is the same, add nobody", 1), ("Another person, add", 2)):
            page.get_by_label("Find a person").fill("ida  brandvik")
            page.get_by_role("button", name=re.compile("^Add “")).click()
            expect(page.get_by_role("dialog", name="The same person?")).to_contain_text("Crusher hall")
            page.get_by_role("button", name=answer).click()
            expect(page.get_by_role("dialog")).to_have_count(0)
            page.get_by_label("Find a person").fill("")
            # In the register at first, beside the new one's own page after it was added.
            expect(page.get_by_role("link", name=re.compile("^ida +brandvik", re.I))).to_have_count(there)


class GivingAndDeleting(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        ida = self.person("Ida Brandvik")
        self.person("Leila Haddad")
        self.open_one = self.session(7200, ida, session="S-1")
        self.signed_one = self.session(3600, ida, session="S-2")
        conclusions.sign(self.db, self.signed_one.id or 0, self.signed_one.review_version, self.who)
        self.page_ = self.sign_in()
        self.page_.goto(f"{self.address}/sessions")
        self.page_.get_by_label("Choose all on this page").check()

    def owners(self) -> dict[str, int]:
        rows = self.db.connection().execute(
            text(
                "select coalesce(p.name, ''), count(*) from session s left join person p on p.id = s.person_id group by 1"
            )
        )
        found = {str(name): int(count) for name, count in rows}
        self.db.rollback()
        return found

    def test_giving_leaves_what_is_signed_says_so_and_can_be_undone(self) -> None:
        page = self.page_
        page.get_by_role("button", name="Give 2 to").click()
        page.get_by_placeholder("name, number or team").fill("leila")
        expect(page.get_by_role("button", name=re.compile("^Leila Haddad"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_text("1 session given to Leila Haddad. 1 signed off and left as it is")).to_be_visible()
        self.assertEqual(self.owners(), {"Ida Brandvik": 1, "Leila Haddad": 1})
        page.get_by_role("button", name="Undo").click()
        self.eventually(lambda: self.owners() == {"Ida Brandvik": 2})

    def test_deleting_says_what_it_does_and_can_be_undone(self) -> None:
        page = self.page_
        page.get_by_role("button", name="Delete 2 here").click()
        expect(page.get_by_text("2 sessions deleted here. 1 of them signed off; their reports stay.")).to_be_visible()
        expect(page.get_by_text("No session yet")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("link", name="Ida Brandvik")).to_have_count(2)


class Hours(BrowserTest):
    watch = "0"

    def test_a_start_on_a_fraction_of_a_second_does_not_shift_the_hours(self) -> None:
        """A start of 06:59:59.7 is 07:00:00 on every clock; the first bar is that of hour 07."""
        start = datetime.datetime(2026, 11, 18, 5, 59, 59, 700_000, datetime.UTC).timestamp()
        row = self.session(7200, self.person("Ida Brandvik"), start=start)
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        hours = page.get_by_text("Where the dose comes from").locator("xpath=ancestor::div[1]")
        expect(hours).to_be_visible()
        shown = re.findall(r"(?m)^(\d\d)$", "\n".join(hours.locator("text").all_text_contents()))
        self.assertEqual(shown, ["07", "08"])
        self.assertIn("07:00", page.get_by_role("heading", name="Ida Brandvik").locator("..").inner_text())

    def test_a_night_over_the_end_of_summer_time_shows_what_the_wall_showed(self) -> None:
        """From 22:00 by UTC+2; at 03:00 the clock goes back: 5 h to the change, then 02:00 again, 03:00 after 6 h."""
        start = datetime.datetime(2026, 10, 24, 20, 0, tzinfo=datetime.UTC).timestamp()
        levels = Channel("leq.1", "Level", "dB(A)", 1.0, np.full(8 * 3600, 82.0))
        back = Event(5 * 3600.0, "utc-offset", "clock set back", {"utc_offset_min": 60})
        night = Recording("noise", start, 120, {"leq.1": levels}, (back,), recorder={"serial": "NM-9"})
        row = self.stored(krec.write_recording(night), self.person("Ida Brandvik"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        hours = page.get_by_text("Where the dose comes from").locator("xpath=ancestor::div[1]")
        expect(hours).to_be_visible()
        shown = re.findall(r"(?m)^(\d\d)$", "\n".join(hours.locator("text").all_text_contents()))
        self.assertEqual(shown, ["22", "23", "00", "01", "02", "02", "03", "04"])
        page.get_by_role("button", name="type a stretch").click()
        page.get_by_label("From", exact=True).fill("03:30")
        page.get_by_label("To", exact=True).fill("04:00")
        page.get_by_label("Why?").fill("not worn")
        page.get_by_role("button", name="Leave out", exact=True).click()
        expect(page.get_by_role("button", name="Change not worn")).to_be_visible()
        self.db.expire_all()
        [stretch] = decisions.of_session(self.db, row.id or 0)
        # 03:30 is six and a half hours after 22:00, as the hour from two to three was met twice
        self.assertEqual((stretch.start_s, stretch.end_s), (6.5 * 3600, 7 * 3600))


class Letters(BrowserTest):
    watch = "0"

    def test_the_dot_of_an_i_stands_clear_of_its_stem_at_every_size(self) -> None:
        """In each size and weight a row of pixels between dot and stem is lighter than both."""
        page = self.sign_in()
        sizes = (12, 12.5, 13, 13.5, 14, 15, 16)
        kinds = list(itertools.product(("Barlow", "Barlow Semi Condensed"), (400, 500, 600), sizes))
        page.evaluate(
            """async (kinds) => {
            const sheet = document.createElement('div');
            sheet.id = 'letters';
            sheet.style.cssText = 'position:fixed;inset:0;background:#fff;color:#000;z-index:99';
            kinds.forEach(([family, weight, size], n) => {
              const cell = document.createElement('span');
              cell.style.cssText = `position:absolute;left:${(n % 20) * 40 + 10}px;top:${Math.floor(n / 20) * 40 + 5}px`;
              cell.style.font = `${weight} ${size}px/30px "${family}"`;
              cell.textContent = 'i';
              sheet.append(cell);
            });
            document.body.append(sheet);
            await document.fonts.ready;
            }""",
            kinds,
        )
        page.wait_for_timeout(500)
        rows = page.evaluate(
            """async ([bytes, count]) => {
            const picture = await createImageBitmap(new Blob([new Uint8Array(bytes)], { type: 'image/png' }));
            const paper = new OffscreenCanvas(picture.width, picture.height).getContext('2d');
            paper.drawImage(picture, 0, 0);
            return [...Array(count).keys()].map((n) => {
              const { data } = paper.getImageData((n % 20) * 40, Math.floor(n / 20) * 40, 40, 40);
              return [...Array(40).keys()].map((y) => {
                let ink = 0;
                for (let x = 0; x < 40; x++) ink += 255 - data[4 * (40 * y + x)];
                return ink;
              });
            });
            }""",
            [list(page.screenshot()), len(kinds)],
        )
        for kind, all_rows in zip(kinds, rows, strict=True):
            with self.subTest(kind=kind):
                dark = [y for y, ink in enumerate(all_rows) if ink > 20]
                inked = all_rows[dark[0] : dark[-1] + 1]
                gap = min(inked[1 : len(inked) // 2])
                self.assertLess(gap, 0.8 * max(inked[-4:-1]), inked)
                self.assertLess(gap, 0.95 * max(inked[:3]), inked)
