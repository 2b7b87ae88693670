"""The page of a group: made, looked at, a shift left out and taken in again, split, concluded on, signed, issued."""

import io
import re

import openpyxl
import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.services.groups import concluding, findings, kept
from kumpel.services.groups.findings import Look
from kumpel.store.tables import MeasuredGroup, Report
from tests.services.crusher_hall import CrusherHall
from tests.web.browser import BrowserTest


class GroupScreen(CrusherHall, BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.measured()
        for number, level in enumerate((71.0, 72.0)):
            self.shift(self.fenna, level, day=20 + number)

    def seen(self) -> Look:
        self.db.expire_all()
        group = self.db.exec(select(MeasuredGroup).order_by(col(MeasuredGroup.id))).first()
        assert group is not None
        return findings.look(self.db, group.id or 0)

    def made(self) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/groups")
        page.get_by_role("button", name="New group").click()
        form = page.get_by_role("form", name="Group")
        form.get_by_label("Name").fill("Crusher hall operators")
        form.get_by_label("What is measured").select_option("noise")
        form.get_by_label("Everybody of the team").select_option("Crusher hall")
        form.get_by_label("From which day").fill("1 sep 2026")
        form.get_by_label("From which day").press("Tab")
        form.get_by_role("button", name="Make the group").click()
        expect(page.get_by_role("heading", name="Crusher hall operators", level=1)).to_be_visible()
        return page

    def test_from_the_first_look_to_the_printed_page(self) -> None:
        page = self.made()
        self.assertEqual(str(self.seen().wish.since), "2026-09-01")
        head = page.get_by_role("region", name="Group", exact=True)
        expect(head.get_by_text("group not alike, split it first").first).to_be_visible()
        # Every measurement is a dot that says whose it is.
        for each in self.seen().found.measured:
            expect(head.get_by_role("link", name=re.compile(f"{each.value:g} dB"))).not_to_have_count(0)
        page.get_by_role("button", name="Split the group").click()
        expect(page.get_by_label("Fenna de Wit", exact=True)).to_be_checked()
        page.get_by_role("button", name="Split off Fenna de Wit").click()
        expect(page.get_by_text("“Fenna de Wit” is a group of its own now.")).to_be_visible()
        self.eventually(lambda: len(self.seen().found.members) == 3)
        expect(head.get_by_text("6 measurements, 3 people")).to_be_visible()
        verdict = dict(map(tuple, _numbers(self.seen())))["Rule"]
        expect(page.get_by_role("region", name="Is the group below the limit?").get_by_text(verdict)).to_be_visible()
        field = page.get_by_label("Conclusion on the group")
        field.fill("The liner carries the week.")
        page.get_by_role("button", name="Sign off").click()
        expect(page.get_by_text("Signed off by Runa Halvorsen")).to_be_visible()
        with page.expect_download() as waiting:
            page.get_by_role("link", name="as a workbook").click()
        book = openpyxl.load_workbook(io.BytesIO(waiting.value.path().read_bytes()))
        self.assertEqual(book["Group"]["B2"].value, "Crusher hall operators")
        page.get_by_label("without names (P1, P2, …)").check()
        page.get_by_role("button", name="Issue the group's report").click()
        expect(page.get_by_text("is issued.")).to_be_visible()
        report = self.db.exec(select(Report)).one()
        text = " ".join("".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(report.pdf)).pages).split())
        self.assertIn(verdict, text)
        self.assertNotIn("Brandvik", text)
        # A new shift joins; what was signed stays, and what changed is said.
        self.shift(self.hall[0], 88.0, day=40)
        page.reload()
        expect(page.get_by_role("region", name="Changed since the conclusion").get_by_text("88")).to_be_visible()

    def test_a_shift_is_left_out_with_a_reason_and_taken_back(self) -> None:
        page = self.made()
        table = page.get_by_role("region", name="Every measurement")
        table.get_by_role("button", name=re.compile("leave Ida Brandvik")).first.click()
        page.get_by_label("Reason").fill("meter fell off")
        page.get_by_role("button", name="Leave it out").click()
        expect(table.get_by_text("meter fell off")).to_be_visible()
        self.assertEqual(len(self.seen().counted), 7)
        page.get_by_role("button", name="Undo").click()
        expect(table.get_by_text("meter fell off")).to_have_count(0)
        self.assertEqual(len(self.seen().counted), 8)
        self.assertEqual(kept.version_of(self.db, self.seen().group.id or 0).number, 3)

    def test_what_two_type_is_not_overwritten(self) -> None:
        page = self.made()
        field = page.get_by_label("Conclusion on the group")
        # Somebody else's conclusion comes between, and this window hears nothing of it.
        page.route("**/api/events", lambda route: route.abort())
        page.reload()
        field.wait_for()
        concluding.conclude(self.db, self.seen().group.id or 0, "Theirs.", self.who, 0)
        field.fill("Mine.")
        expect(page.get_by_text("Somebody else has written meanwhile:")).to_be_visible()
        expect(page.get_by_text("Theirs.")).to_be_visible()
        self.assertEqual(self.seen().group.conclusion, "Theirs.")
        page.get_by_role("button", name="Keep mine").click()
        self.eventually(lambda: self.seen().group.conclusion == "Mine.")


def _numbers(seen: Look) -> list[list[str]]:
    from kumpel.services.groups.paper import numbers

    return numbers(seen)
