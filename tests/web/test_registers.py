"""The register of recorders with more than anybody would scroll through: narrowed, sorted, page by page, found from anywhere."""

import re

from playwright.sync_api import expect
from sqlmodel import select

from kumpel.store.database import tell
from kumpel.store.tables import HandOver, Recorder, Setup, now
from tests.web.browser import BrowserTest

MANY = 230


class ManyRecorders(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        for number in range(1, MANY + 1):
            row = Recorder(serial=f"NM-{number:04}", kind="noise", token=f"N-{number:03}", name=f"Noise meter {number}")
            row.status, row.in_reach = {"battery": (number * 7 % 100) / 100, "mode": "ready"}, number % 10 == 0
            row.status["place"] = "Dock A"
            self.db.add(row)
        self.db.flush()
        setup = Setup(kind="noise", name="As it was", settings={})
        self.db.add(setup)
        self.db.flush()
        ids = {"recorder_id": self.row("N-007").id or 0, "setup_id": setup.id or 0}
        self.db.add(HandOver(**ids, person_id=self.person("Ida Brandvik").id or 0, given_at=now()))
        self.db.commit()
        self.sign_in()

    def row(self, token: str) -> Recorder:
        return self.db.exec(select(Recorder).where(Recorder.token == token)).one()

    def test_a_page_at_a_time_to_the_last_one(self) -> None:
        page = self.page
        page.goto(f"{self.address}/recorders?as=list")
        rows = page.get_by_role("row")
        expect(page.get_by_role("status").filter(has_text=str(MANY))).to_be_visible()
        expect(page.get_by_text("N-001", exact=True)).to_be_visible()
        self.assertLess(rows.count(), MANY)
        for _ in range(8):
            page.mouse.move(600, 500)
            page.mouse.wheel(0, 9000)
            page.wait_for_timeout(150)
        expect(rows).to_have_count(MANY + 1)
        expect(page.get_by_text(f"N-{MANY}", exact=True)).to_be_visible()

    def test_a_board_of_many_folds_and_finds_and_several_are_chosen(self) -> None:
        page = self.page
        page.goto(f"{self.address}/recorders")
        head = page.get_by_role("columnheader")
        told = [int(re.findall(r"\d+", head.nth(n).inner_text())[0]) for n in range(1, 6)]
        self.assertEqual(sum(told), MANY, "the heads add up to all")
        # 23 in reach are too many for tokens; a press opens them beneath.
        page.get_by_role("row", name=re.compile("^Noise")).get_by_role("button", name=re.compile("^207|^206")).click()
        listed = page.get_by_role("region", name="Noise, away")
        expect(listed.get_by_role("button", name=re.compile("^N-"))).to_have_count(told[4])
        page.get_by_label("Find recorders").fill("N-03")
        tokens = page.get_by_role("table").get_by_role("button", name=re.compile("^N-03"))
        expect(tokens).to_have_count(10)
        first = tokens.first
        first.focus()
        page.keyboard.press("Space")
        expect(first).to_have_attribute("aria-pressed", "true")
        tokens.nth(4).click(modifiers=["Shift"])
        chosen = page.get_by_role("region", name=re.compile("chosen$"))
        expect(chosen).to_be_visible()
        chosen.get_by_role("button", name="Set right what needs no hand").click()
        expect(page.get_by_text(re.compile("Nothing was done. N-03"))).to_be_visible()
        page.keyboard.press("Escape")
        expect(chosen).to_have_count(0)
        page.get_by_label("Find recorders").fill("Ida")
        page.get_by_role("button", name=re.compile("^N-007")).click()
        life = page.get_by_role("complementary", name="Noise meter 7")
        expect(life).to_contain_text("with Ida Brandvik")
        expect(life.get_by_role("row", name=re.compile("^Held last"))).to_contain_text("Ida Brandvik")

    def test_narrowed_and_sorted(self) -> None:
        page = self.page
        page.goto(f"{self.address}/recorders?as=list")
        rows = page.get_by_role("row")
        page.get_by_label("Where they are").select_option("in reach")
        expect(rows).to_have_count(MANY // 10 + 1)
        head = page.get_by_role("columnheader", name=re.compile("^Battery"))
        head.get_by_role("button").click()
        expect(head).to_have_attribute("aria-sort", "ascending")
        lowest = min(range(10, MANY + 1, 10), key=lambda number: (number * 7 % 100, number))
        expect(rows.nth(1)).to_contain_text(f"N-{lowest:03}")
        head.get_by_role("button").click()
        expect(head).to_have_attribute("aria-sort", "descending")
        page.get_by_label("Where they are").select_option("with somebody")
        expect(rows).to_have_count(2)
        expect(rows.nth(1)).to_contain_text("Ida Brandvik")
        page.get_by_label("Find recorders").fill("nothing of the kind")
        page.get_by_role("button", name="Show all recorders").click()
        expect(page.get_by_role("status").filter(has_text=str(MANY))).to_be_visible()

    def test_found_from_anywhere_it_is_there_alone(self) -> None:
        page = self.page
        page.goto(f"{self.address}/people")
        page.get_by_role("heading", name="People").wait_for()
        page.keyboard.press("Control+k")
        page.keyboard.type("N-123")
        expect(page.get_by_role("dialog").get_by_role("button", name="N-123")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_label("Find recorders")).to_have_value("N-123")
        expect(page.get_by_role("table").get_by_role("button", name=re.compile("^N-"))).to_have_count(1)
        expect(page.get_by_role("complementary", name="Noise meter 123")).to_be_visible()


class LoadedBehind(BrowserTest):
    watch = "0"

    def test_how_much_is_loaded_stands_in_the_head_until_all_of_it_is(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        page.get_by_role("heading", name="Sessions").wait_for()
        so_far = page.get_by_role("status").filter(has_text="sessions loaded")
        for done, said in ((36, "36 of 71 sessions loaded"), (54, "54 of 71 sessions loaded"), (71, None)):
            # The stream of changes may open after the page is there: told until it is heard.
            def told(done: int = done, said: str | None = said) -> bool:
                tell(self.db, "loading", done=done, of=71)
                self.db.commit()
                page.wait_for_timeout(100)
                if said is None or so_far.count() != 1:
                    return so_far.count() == 0 and said is None
                # With it in the head no page is wider than its screen.
                self.assertEqual(page.evaluate("document.documentElement.scrollWidth - innerWidth"), 0)
                return said in " ".join(so_far.inner_text().split())

            self.eventually(told)
