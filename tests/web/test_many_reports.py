"""Reports for a whole team from the register: who gets one, who does not and why, issued in one go, fetched, read back."""

import io
import re
import zipfile

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.services.groups import concluding, findings, kept
from kumpel.services.groups.kept import GroupWish
from kumpel.services.register import many, sessions
from kumpel.services.report import conclusions
from kumpel.store.tables import Report, Session, Tag
from tests.services.crusher_hall import CrusherHall
from tests.web.browser import BrowserTest


class ManyReports(CrusherHall, BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.measured()
        self.waiting = self.shift(self.fenna, 71.0, day=30, signed=False)

    def register(self) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        page.get_by_label("Choose all on this page").check()
        return page

    def of(self, person: int | None) -> list[Session]:
        return list(self.db.exec(select(Session).where(Session.person_id == person)).all())

    def test_a_team_from_the_register_to_one_file(self) -> None:
        page = self.register()
        bar = page.get_by_role("region", name="7 chosen")
        bar.get_by_role("button", name="Reports …").click()
        out = page.get_by_role("navigation", name="Who gets a report")
        expect(out.get_by_text("waits for review")).to_be_visible()
        expect(out.get_by_role("link", name="review it")).to_have_attribute("href", f"/review/{self.waiting.id}")
        expect(page.get_by_role("img", name=re.compile("Page 1 of the report on"))).to_be_visible()
        # Another one is looked at by a press, and one is left out.
        out.get_by_role("button", name=re.compile("^Oskar Nyland")).first.click()
        expect(page.get_by_role("img", name="Page 1 of the report on Oskar Nyland")).to_be_visible()
        for box in out.get_by_role("checkbox", name=re.compile("Report for Leila Haddad")).all():
            box.uncheck()
        page.get_by_role("button", name="Issue 2 reports").click()
        done = page.get_by_role("region", name="Reports in one go")
        expect(done.get_by_text("2 of 2 issued")).to_be_visible()
        with page.expect_download() as waiting:
            page.get_by_role("link", name="One PDF to print").click()
        pdf = pypdf.PdfReader(io.BytesIO(waiting.value.path().read_bytes()))
        text = " ".join(" ".join(p.extract_text() for p in pdf.pages).split())
        numbers = self.db.exec(select(Report.number).order_by(col(Report.number))).all()
        printed = [s.key_figure.removeprefix("LEX,8h ") for s in self.of(self.hall[0].id) + self.of(self.hall[2].id)]
        self.assertEqual(len(printed), 4)
        for words in (*numbers, *printed, "Ida Brandvik", "Oskar Nyland", "2 recordings"):
            self.assertIn(words, text)
        self.assertNotIn("Leila", text)
        with page.expect_download() as waiting:
            page.get_by_role("link", name="one PDF each").click()
        pack = zipfile.ZipFile(io.BytesIO(waiting.value.path().read_bytes()))
        self.assertEqual(len(pack.namelist()), 2)

    def test_a_group_with_its_page_in_front(self) -> None:
        group = kept.create(self.db, "Crusher hall", "noise", GroupWish(team="Crusher hall"), self.who)
        concluding.sign(self.db, group.id or 0, 1, 0, self.who)
        page = self.sign_in()
        page.goto(f"{self.address}/groups/{group.id}")
        page.get_by_role("link", name="a report for each of them").click()
        expect(page.get_by_label("Group page", exact=True)).to_be_checked()
        page.get_by_role("button", name="Issue 4 reports").click()
        done = page.get_by_role("region", name="Reports in one go")
        expect(done.get_by_text("4 of 4 issued")).to_be_visible()
        expect(done.get_by_role("row").nth(1).get_by_text("group page")).to_be_visible()

    def test_a_sheet_that_is_opened_meanwhile_drops_out_and_is_named(self) -> None:
        page = self.register()
        page.get_by_role("button", name="Reports …").click()
        button = page.get_by_role("button", name="Issue 3 reports")
        expect(button).to_be_visible()
        first = self.of(self.hall[0].id)[0]
        page.get_by_label("all sessions of a person in one report").uncheck()
        conclusions.open_again(self.db, first.id or 0, self.who, "a task was missing")
        page.get_by_role("button", name=re.compile("Issue [56] reports")).click()
        done = page.get_by_role("region", name="Reports in one go")
        expect(done.get_by_text(re.compile("5 of [56] issued"))).to_be_visible()

    def test_people_who_are_ticked_get_their_reports_and_become_a_group(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/people")
        for name in ("Ida Brandvik", "Oskar Nyland"):
            page.get_by_label(f"Choose {name}").check()
        bar = page.get_by_role("region", name="2 chosen")
        bar.get_by_role("button", name="Make a group of them …").click()
        form = page.get_by_role("form", name="Group")
        form.get_by_label("Name").fill("The two of the feeder")
        form.get_by_role("button", name="Make the group").click()
        expect(page.get_by_role("heading", name="The two of the feeder", level=1)).to_be_visible()
        made = next(group for group, _ in kept.groups(self.db) if group.name == "The two of the feeder")
        members = findings.look(self.db, made.id or 0).found.members
        self.assertEqual([m.name for m in members], ["Ida Brandvik", "Oskar Nyland"])
        page.goto(f"{self.address}/people")
        # Fenna's shift is not signed: there is nothing to print of her.
        page.get_by_label("Choose Fenna de Wit").check()
        page.get_by_role("button", name="Reports of what is not printed yet …").click()
        expect(page.get_by_text("Nothing of them is signed and waits for a report.")).to_be_visible()
        page.get_by_label("Choose Leila Haddad").check()
        page.get_by_role("button", name="Reports of what is not printed yet …").click()
        out = page.get_by_role("navigation", name="Who gets a report")
        expect(out.get_by_role("checkbox", name=re.compile("^Report for Leila Haddad"))).to_have_count(2)
        expect(out.get_by_role("checkbox", name=re.compile("^Report for"))).to_have_count(2)

    def test_two_of_one_person_are_compared_from_the_register(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        expect(page.get_by_role("checkbox", name=re.compile("Choose Ida Brandvik"))).to_have_count(2)
        for box in page.get_by_role("checkbox", name=re.compile("Choose Ida Brandvik")).all():
            box.check()
        page.get_by_role("button", name="Compare the two").click()
        both = page.get_by_role("region", name="Comparison")
        expect(both.get_by_role("region", name="Both on one axis")).to_be_visible()
        first, second = self.of(self.hall[0].id)
        row = both.get_by_role("row").filter(has_text="LEX,8h").first
        for session in (first, second):
            expect(row).to_contain_text(session.key_figure.removeprefix("LEX,8h "))
        expect(row).to_contain_text("not known")
        both.get_by_role("radio", name="time of day").click()
        expect(both.get_by_role("radio", name="time of day")).to_be_checked()
        expect(both.get_by_text("06:00").last).to_be_visible()

    def test_one_deed_on_many_and_one_step_back(self) -> None:
        page = self.register()
        requests: list[str] = []
        page.on("request", lambda r: requests.append(r.url) if r.method in ("PATCH", "POST") else None)
        page.get_by_role("button", name="Tag …").click()
        page.get_by_label("What it says").fill("crusher hall")
        page.get_by_role("button", name="Tag them").click()
        expect(page.get_by_text("1 session tagged place: crusher hall. 6 signed off and left")).to_be_visible()
        self.assertEqual([url.rpartition("/")[2] for url in requests if "/sessions" in url], ["sessions"])
        tag = self.db.exec(select(Tag)).one()
        self.assertEqual((tag.session_id, tag.value), (self.waiting.id, "crusher hall"))
        page.get_by_role("button", name="Undo").click()
        self.eventually(lambda: (self.db.expire_all(), self.db.exec(select(Tag)).all())[1] == [])
        page.get_by_label("Choose all on this page").check()
        page.get_by_role("button", name="Delete 7 here").click()
        expect(page.get_by_text("7 sessions deleted here. 6 of them signed off")).to_be_visible()
        page.get_by_role("button", name="Undo").last.click()
        expect(page.get_by_role("status").filter(has_text=re.compile("^7$"))).to_be_visible()


class AtOnce(CrusherHall):
    def test_two_who_change_the_same_ones_do_not_wait_for_each_other(self) -> None:
        waiting = [self.shift(self.fenna, 70.0, day=n, signed=False).id or 0 for n in range(3)]
        found = many.change(self.db, {i: {"person_id": self.mill.id} for i in reversed(waiting)})
        self.assertEqual((found.done, found.signed), (waiting, []))
        self.assertEqual({was["person_id"] for was in found.before.values()}, {self.fenna.id})
        sessions.delete_session(self.db, waiting[0])
        self.assertEqual(many.restore(self.db, waiting[:1]).done, waiting[:1])
