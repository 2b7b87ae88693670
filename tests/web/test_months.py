"""What months say, asked as those ask it who have to answer: who of the hall is above, what a treatment did, whether the load is too much."""

import io
import re
from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Literal

import numpy as np
import pypdf
from playwright.sync_api import expect
from sqlmodel import select

from kumpel.core.recording import Recording
from kumpel.formats import krec
from kumpel.reports.document import TablePart
from kumpel.services.ground import decisions, figures
from kumpel.services.groups import concluding, findings, kept
from kumpel.services.groups.kept import GroupWish
from kumpel.services.register import medicines
from kumpel.services.register.medicines import Taken
from kumpel.services.report import paper
from kumpel.services.review.years import years_of
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import FigureValue, Person, Report, Session
from tests.core.test_training import recording
from tests.services.crusher_hall import CrusherHall
from tests.web.browser import BrowserTest


class AnOfficer(CrusherHall, BrowserTest):
    """Who of the crusher hall is above, since when; and their reports. Every press counts."""

    def setUp(self) -> None:
        super().setUp()
        for person, levels in zip(self.hall, ((84.0, 85.2, 86.1), (82.0, 83.0, 82.4), (85.5, 83.5, 85.0)), strict=True):
            for number, level in enumerate(levels):
                self.shift(person, level, day=7 * number)
        wish = GroupWish(team="Crusher hall", step="upper action value")
        self.group = kept.create(self.db, "Crusher hall", "noise", wish, self.who)
        self.presses = 0

    def press(self, role: Literal["link", "button"], name: str | re.Pattern[str]) -> None:
        self.presses += 1
        self.page.get_by_role(role, name=name).first.click()

    def test_who_is_above_since_when_and_the_teams_paper_in_five_presses(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        self.press("link", "People")
        self.press("link", "Groups")
        self.press("link", re.compile("^Crusher hall"))
        above = page.get_by_role("region", name="Who is above")
        rows = above.get_by_role("row")
        limit = findings.look(self.db, self.group.id or 0).step
        assert limit is not None
        self.assertEqual((limit.value, limit.name), (85.0, "upper action value"))
        expect(above).to_contain_text("2 of 4 reached 85")
        # Ida's last two reached it: the first of these was on 14 September. Oskar's middle one did not.
        expect(rows.filter(has_text="Ida Brandvik")).to_contain_text("2 of 3")
        expect(rows.filter(has_text="Ida Brandvik")).to_contain_text("each since 14 Sep")
        expect(rows.filter(has_text="Oskar Nyland")).to_contain_text("each since 21 Sep")
        expect(rows.filter(has_text="Leila Haddad")).to_contain_text("0 of 3")
        expect(rows.filter(has_text="Fenna de Wit")).to_contain_text("not measured")
        self.press("link", "a report for each of them")
        self.press("button", re.compile(r"^Issue \d+ reports"))
        expect(page.get_by_text(re.compile("3 of 3 issued"))).to_be_visible()
        self.assertEqual(self.presses, 5)
        text = " ".join(
            part.extract_text()
            for report in self.db.exec(select(Report)).all()
            for part in pypdf.PdfReader(io.BytesIO(report.pdf)).pages
        )
        for person in self.hall:
            self.assertIn(person.name, text)

    def test_somebody_is_left_out_for_a_moment_and_nothing_is_kept(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/groups/{self.group.id}")
        numbers = page.get_by_role("region", name="Is the group below the limit?")
        before = numbers.inner_text()
        page.get_by_label("Ida Brandvik in this look").uncheck()
        expect(page.get_by_text("Everything above and beside is without Ida Brandvik")).to_be_visible()
        expect(numbers).not_to_have_text(before)
        now = findings.look(self.db, self.group.id or 0, [self.hall[0].id or 0])
        self.assertEqual(sum(m.counts for m in now.found.measured), 6)
        self.assertEqual(sum(m.counts for m in findings.look(self.db, self.group.id or 0).found.measured), 9)
        page.get_by_role("button", name="With everybody").click()
        expect(page.get_by_text("Everything above and beside is without")).to_have_count(0)
        self.assertEqual(numbers.inner_text(), before)
        self.assertEqual(kept.version_of(self.db, self.group.id or 0).number, 1)
        concluding.sign(self.db, self.group.id or 0, 1, 0, self.who)


class OverMonths(BrowserTest):
    watch = "0"

    def recorded(self, recording: Recording, start: datetime, person: Person) -> Session:
        moved = replace(recording, start=start.timestamp(), utc_offset_min=0)
        return self.stored(krec.write_recording(moved, f"S-{start:%m%d}"), person)

    def noon(self, days_ago: int) -> datetime:
        day = datetime.now().astimezone().date() - timedelta(days=days_ago)
        return datetime(day.year, day.month, day.day, 12, tzinfo=UTC)

    def test_a_nurse_sees_three_recordings_and_two_medicines_on_one_page(self) -> None:
        ruth = self.person("Ruth Amsel")
        rows = [
            self.recorded(SIGNALS["blood_pressure"](seed).recording, self.noon(days), ruth)
            for seed, days in ((2, 120), (3, 60), (5, 10))
        ]
        medicines.add(self.db, ruth.id or 0, Taken("ramipril", "5 mg", ("08:00",), self.noon(110).date()))
        medicines.add(self.db, ruth.id or 0, Taken("amlodipine", "5 mg", ("20:00",), self.noon(50).date()))
        page = self.sign_in()
        page.goto(f"{self.address}/people/{ruth.id}")
        expect(page.get_by_text("3 sessions").first).to_be_visible()
        picture = page.get_by_role("application")
        taken = page.get_by_role("region", name="What changed").get_by_role("listitem")
        for words in ("ramipril 5 mg", "amlodipine 5 mg"):
            expect(taken.filter(has_text=words)).to_be_visible()
        listed = page.get_by_role("region", name="Sessions", exact=True).get_by_role("link")
        expect(listed.filter(has_text="Blood pressure")).to_have_count(3)
        # By keys from one recording to the next: each says its values with both ends.
        picture.focus()
        said = page.get_by_role("region", name="Over the years", exact=True).get_by_role("status")
        seen = set()
        for _ in range(3):
            page.keyboard.press("ArrowDown")
            seen.add(said.inner_text())
        values = years_of(self.db, ruth.id or 0).lanes[0].marks
        self.assertEqual([mark.session_id for mark in values], [row.id for row in rows])
        for mark in values:
            self.assertTrue(any(f"{mark.value:g}" in words for words in seen), (mark.value, seen))

    def test_a_coach_sees_that_the_load_of_seven_days_is_one_point_six_times_the_usual(self) -> None:
        before, lately = range(60, 8, -4), (7, 5, 3, 1)
        usual = 200.0

        def weights(days: int, ages: Iterable[int]) -> float:
            share = 2 / (days + 1)
            whole = sum(share * (1 - share) ** age for age in range(61))
            return sum(share * (1 - share) ** age for age in ages) / whole

        # (a7 + x b7) = 1.6 (a42 + x b42)
        a7, b7, a42, b42 = (weights(days, ages) for days in (7, 42) for ages in (before, lately))
        extra = usual * (1.6 * a42 - a7) / (b7 - 1.6 * b42)
        arne = self.person("Arne Skogheim")
        run = recording(speed=np.full(900, 3.0))
        for days in (*before, *lately):
            row = self.recorded(run, self.noon(days), arne)
            value = self.db.get_one(FigureValue, (row.id, "load"))
            value.value = extra if days in lately else usual
            self.db.add(value)
        self.db.commit()
        page = self.sign_in()
        page.goto(f"{self.address}/people/{arne.id}")
        way = page.get_by_role("region", name="Which way it goes")
        expect(way).to_contain_text("(42 days): 1.6 times")
        mean7, mean42 = usual * a7 + extra * b7, usual * a42 + extra * b42
        expect(way).to_contain_text(f"{mean7:.0f} a day lately (7 days) against {mean42:.0f} usually")
        # What was run fastest: 3 m/s throughout.
        best = page.get_by_role("region", name="Best efforts").get_by_role("row")
        expect(best.filter(has_text="400 m")).to_contain_text("2:13.3")
        expect(best.filter(has_text="2 km")).to_contain_text("11:07")

    def test_several_are_compared_and_looked_at_closely(self) -> None:
        emil = self.person("Emil Farkas")
        rows = [
            self.recorded(SIGNALS["oximetry"](seed).recording, self.noon(days), emil)
            for seed, days in ((2, 30), (3, 20), (5, 10))
        ]
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        boxes = page.get_by_role("checkbox", name=re.compile("^Choose Emil"))
        expect(boxes).to_have_count(3)
        for box in boxes.all():
            box.check()
        page.get_by_role("button", name="Compare the 3").click()
        expect(page.get_by_role("heading", name="3 recordings")).to_be_visible()
        found = [figures.outcome(self.db, row.id or 0) for row in rows]
        stated = [each.both.reviewed.figure("odi4").stated for each in found if each]
        row = page.get_by_role("row").filter(has_text=re.compile("^Desaturation|^ODI|4 %")).first
        for value in stated:
            expect(row).to_contain_text(f"{value:.1f}")
        # The table is a page of the newest one's report, with the same numbers; not of the others'.
        page.get_by_role("button", name=re.compile("^As a page of the report of")).click()
        expect(page.get_by_role("button", name=re.compile("^Off the report of"))).to_be_visible()
        self.db.rollback()
        self.db.expire_all()
        of = decisions.setting(decisions.of_session(self.db, rows[2].id or 0), "compared_with")
        self.assertEqual(of, f"{rows[0].id},{rows[1].id}")
        name = next(each.both.reviewed.figure("odi4").name for each in found if each)
        made, _ = paper.now_of(self.db, self.db.get_one(Session, rows[2].id), ["comparison"])
        [table] = [part for part in made.parts["comparison"] if isinstance(part, TablePart)]
        [cells] = [row[1:] for row in table.rows if row[0].startswith(name)]
        self.assertEqual([cell.split(" ")[0] for cell in cells], [f"{value:.1f}" for value in stated])
        self.assertEqual(cells[1].split(" ")[1], f"({stated[1] - stated[0]:+.1f})".replace("-", "\u2212"))
        self.assertEqual(decisions.setting(decisions.of_session(self.db, rows[1].id or 0), "compared_with"), None)
        lanes = page.get_by_role("region", name="All on one axis")
        expect(lanes.get_by_role("list", name="Drawn as").get_by_role("listitem")).to_have_count(3)
        picture = lanes.get_by_role("application")
        picture.focus()
        page.keyboard.press("+")
        with page.expect_request(re.compile(r"/view\?.*start_s=[1-9]")):
            page.keyboard.press("+")
        expect(lanes.get_by_role("button", name="Show all")).to_be_visible()
        page.keyboard.press("0")
        expect(lanes.get_by_role("button", name="Show all")).to_have_count(0)
        lanes.get_by_role("radio", name="above one another").click()
        expect(lanes.get_by_role("radio", name="above one another")).to_be_checked()
        box = picture.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 300, box["y"] + 40)
        page.mouse.down()
        page.mouse.move(box["x"] + 420, box["y"] + 40, steps=4)
        page.mouse.up()
        expect(lanes.get_by_role("button", name="Show all")).to_be_visible()
