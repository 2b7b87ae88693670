"""The dock on the screen: cables and cards, one-slot recorders, walking away, two operators, many rows at once."""

from __future__ import annotations

import re
import tempfile
import time
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, Route, expect
from sqlmodel import col, select

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.services.ground import settings
from kumpel.services.hand_out import hand_out
from kumpel.store.tables import HandOver, Recorder, Session, Setup, Tag
from tests.support import recording_file
from tests.web.browser import BrowserTest


class DockTest(BrowserTest):
    def meters(self, count: int, **rest: Any) -> Ensemble:
        return self.launch(
            *(StandIn(f"N-{n:02d}", f"NM-{n:06d}", f"Meter {n}", auto_start=False, **rest) for n in range(1, count + 1))
        )

    def recorded(self, ensemble: Ensemble, token: str, count: int = 1, length_s: int = 3600) -> list[str]:
        start = time.time() - count * (length_s + 600)
        return [
            str(
                ensemble.running[token].tell("record", start=start + n * (length_s + 600), length_s=length_s)["session"]
            )
            for n in range(count)
        ]

    def dock(self, page: Page | None = None) -> Page:
        page = page or self.page
        page.goto(f"{self.address}/take-in")
        return page

    def rows(self, page: Page | None = None) -> Locator:
        return (page or self.page).locator("tbody tr[data-token]")

    def stored(self) -> list[Session]:
        self.db.rollback()
        self.db.expire_all()
        return list(self.db.exec(select(Session).where(Session.state == "stored").order_by(col(Session.id))).all())

    def folder(self) -> Path:
        return Path(self.enterContext(tempfile.TemporaryDirectory()))


class CablesAndCards(DockTest):
    def test_a_recorder_on_a_serial_port_that_keeps_one_is_not_given_away_before_it_is_taken_in(self) -> None:
        ports = self.folder() / "ports"
        settings.keep(self.db, settings.PORTS.key, "site", "", [f"{ports}/*"], 0, self.who)
        rest = {"port": str(ports), "bytes_per_s": 2e5, "over": "cable"}
        ensemble = self.launch(
            StandIn("R-01", "AE-000001", "Defibrillator", kind="resuscitation", auto_start=False, rest=rest)
        )
        ensemble.running["R-01"].tell("record", start=time.time() - 900, length_s=540)
        self.person("Sanna Heikkilä")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Sanna")).click()
        page.get_by_role("button", name=re.compile("^R-01")).click()
        page.get_by_role("button", name="Write and hand out").click()
        dialog = page.get_by_role("dialog", name="R-01 is not empty")
        expect(dialog).to_contain_text("overwrites it at the next start")
        expect(dialog).to_contain_text("it will be lost")
        page.keyboard.press("Escape")
        self.assertEqual(hand_out.out_now(self.db), [])
        self.dock()
        page.get_by_role("button", name="Take in all 1").click()
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible(timeout=30_000)
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Sanna")).click()
        page.get_by_role("button", name=re.compile("^R-01")).click()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("R-01 is with Sanna Heikkilä.")).to_be_visible()

    def test_a_card_is_a_recorder_its_files_are_taken_in_and_removed_there(self) -> None:
        card = self.folder() / "CARD"
        card.mkdir()
        settings.keep(self.db, settings.FOLDERS.key, "site", "", [str(card)], 0, self.who)
        page = self.sign_in()
        self.dock()
        file = card / "shift.krec"
        file.write_bytes(recording_file(3600, "S-7", start=time.time() - 9000))
        row = self.rows().first
        expect(row).to_contain_text("1 h", timeout=20_000)
        page.get_by_role("button", name="Take in all 1").click()
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible(timeout=30_000)
        self.assertEqual(len(self.stored()), 1)
        self.assertTrue(file.exists())
        # A card is never cleared with "all": it is somebody's own, and is chosen first.
        expect(page.get_by_role("button", name=re.compile("^Clear "))).to_have_count(0)
        page.locator("[data-line]").click()
        page.get_by_role("button", name=re.compile("^Remove this one on")).click()
        page.get_by_role("button", name=re.compile("^Remove 1 on the recorder")).click()
        self.eventually(lambda: not file.exists())


class Leaving(DockTest):
    def test_walked_away_in_mid_transfer_it_goes_on(self) -> None:
        ensemble = self.meters(1, rest={"bytes_per_s": 60_000.0})
        self.recorded(ensemble, "N-01", length_s=28_000)
        page = self.sign_in()
        self.dock()
        page.get_by_role("button", name="Take in all 1").click()
        expect(page.get_by_role("progressbar", name="taken in").last).to_have_attribute(
            "aria-valuenow", re.compile("^[1-9]"), timeout=20_000
        )
        self.assertEqual(self.stored(), [])
        page.keyboard.press("3")
        page.wait_for_url("**/review**")
        page.close()
        self.eventually(lambda: len(self.stored()) == 1, 60)
        back = self.sign_in(self.open_page())
        self.dock(back)
        expect(back.get_by_role("button", name=re.compile("^Show 1 stored"))).to_be_visible()

    def test_two_operators_see_the_same_and_nothing_comes_twice(self) -> None:
        ensemble = self.meters(2, rest={"bytes_per_s": 60_000.0})
        for token in ("N-01", "N-02"):
            self.recorded(ensemble, token, length_s=14_000)
        first, second = self.sign_in(), self.sign_in(self.open_page())
        for page in (first, second):
            self.dock(page)
            expect(page.get_by_role("button", name="Take in all 2")).to_be_enabled()
        # The second one still shows what the first has just begun.
        held: list[Any] = []
        second.route("**/api/events", lambda route: held.append(route))
        first.get_by_role("button", name="Take in all 2").click()
        second.get_by_role("button", name=re.compile("^Take in all 2|^Nothing to take in")).click(force=True)
        self.eventually(lambda: len(self.stored()) == 2, 60)
        for page in (first, second):
            expect(page.get_by_role("heading", name="Take in")).to_be_visible()
            expect(page.get_by_role("alert")).to_have_count(0)
        self.assertEqual(len({s.recorder_session for s in self.stored()}), 2)
        self.assertEqual(len(self.db.exec(select(Session)).all()), 2)


class Many(DockTest):
    def test_a_span_of_rows_gets_its_tags_at_once_and_only_what_was_said(self) -> None:
        ensemble = self.meters(1)
        names = self.recorded(ensemble, "N-01", 5)
        page = self.sign_in()
        self.dock()
        expect(self.rows()).to_have_count(5)
        boxes = page.get_by_role("checkbox", name=re.compile("^Tick N-01"))
        boxes.nth(1).click()
        boxes.nth(3).click(modifiers=["Shift"])
        bar = page.get_by_role("region", name="Ticked sessions")
        expect(bar).to_contain_text("3 ticked")
        bar.get_by_label("Place of the ticked").fill("mill")
        bar.get_by_role("button", name="Set for the 3").click()
        page.get_by_role("button", name="Take in 3 of 5").click()
        self.eventually(lambda: len(self.stored()) == 3)
        chosen = sorted(names, reverse=True)[1:4]
        self.assertEqual({s.recorder_session for s in self.stored()}, set(chosen))
        tags = {(t.key, t.value) for t in self.db.exec(select(Tag)).all()}
        self.assertEqual(tags, {("place", "mill")})
        expect(page.get_by_role("button", name="Take in all 2")).to_be_enabled()

    def test_taken_in_and_cleared_as_one_deed(self) -> None:
        ensemble = self.meters(1)
        self.recorded(ensemble, "N-01", 2)
        page = self.sign_in()
        self.dock()
        page.get_by_label("clear them on the recorder after").check()
        page.get_by_role("button", name="Take in all 2").click()
        self.eventually(lambda: len(self.stored()) == 2)
        self.eventually(lambda: ensemble.running["N-01"].tell("state")["sessions"] == 0, 30)

    def test_stopped_after_the_one_at_work_and_gone_on_with(self) -> None:
        ensemble = self.meters(1, rest={"bytes_per_s": 80_000.0})
        self.recorded(ensemble, "N-01", 18, length_s=14_000)
        page = self.sign_in()
        self.dock()
        page.get_by_role("button", name="Take in all 18").click()
        # A few at a time; the others wait for their turn, also on a machine that has much else to do.
        expect(page.get_by_text("next", exact=True).first).to_be_visible()
        self.eventually(lambda: len(self.stored()) >= 1, 30)
        page.get_by_role("button", name="Stop after these").click()
        expect(page.get_by_text("stopped before its turn").first).to_be_visible(timeout=30_000)
        again = page.get_by_role("button", name=re.compile("^Take in all \\d+$"))
        expect(again).to_be_enabled(timeout=30_000)
        self.assertLess(len(self.stored()), 18)
        again.click()
        self.eventually(lambda: len(self.stored()) == 18, 120)

    def test_sessions_of_a_wrong_clock_are_moved_together_and_back(self) -> None:
        ensemble = self.meters(1, clock_error_s=-250.0)
        self.recorded(ensemble, "N-01", 3)
        page = self.sign_in()
        self.dock()
        clocks = page.get_by_role("region", name="Wrong clocks")
        expect(clocks).to_contain_text("4 min 10 s slow")
        clocks.get_by_role("button", name="move all 3 of N-01").click()
        expect(clocks).to_contain_text("3 moved together")
        page.get_by_role("button", name="Take in all 3").click()
        self.eventually(lambda: len(self.stored()) == 3)
        self.eventually(lambda: all(abs(s.clock_shift_s - 250) < 2 for s in self.stored()))
        # What is moved back is what the screen knows to be here.
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(3)
        clocks.get_by_role("button", name="as recorded of N-01").click()
        self.eventually(lambda: all(s.clock_shift_s == 0 for s in self.stored()))
        page.get_by_role("button", name="Undo").click()
        self.eventually(lambda: all(abs(s.clock_shift_s - 250) < 2 for s in self.stored()))

    def test_tags_are_written_in_the_row_and_enter_goes_one_row_down(self) -> None:
        ensemble = self.meters(1)
        names = self.recorded(ensemble, "N-01", 3)
        page = self.sign_in()
        self.dock()
        page.get_by_role("button", name=re.compile("^tags of N-01")).first.click()
        # A noise meter's rows have room for shift and place.
        page.keyboard.press("Tab")
        page.keyboard.type("mill")
        page.keyboard.press("Enter")
        page.keyboard.type("yard")
        page.keyboard.press("Enter")
        page.keyboard.type("not this")
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name=re.compile("^tags of N-01.*: mill"))).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("^tags of N-01")).last).to_be_focused()
        page.get_by_role("button", name="Take in all 3").click()
        self.eventually(lambda: len(self.stored()) == 3)
        newest = sorted(names, reverse=True)
        said = {
            s.recorder_session: t.value
            for s, t in self.db.exec(select(Session, Tag).join(Tag, col(Tag.session_id) == Session.id)).all()
        }
        self.assertEqual(said, {newest[0]: "mill", newest[1]: "yard"})
        # After it was taken in: the same, and it is on record at once. What was said before is offered.
        page.get_by_role("button", name=re.compile("^tags of N-01")).last.click()
        offered = page.locator("datalist[id='said place'] option")
        self.eventually(lambda: {o.get_attribute("value") for o in offered.all()} >= {"mill", "yard"})
        page.keyboard.press("Tab")
        page.keyboard.type("office")
        page.keyboard.press("Enter")
        self.eventually(lambda: self.tag_of(newest[2]) == ["office"])

    def test_what_is_typed_while_it_arrives_is_put_once_it_is_stored(self) -> None:
        [name] = self.recorded(self.meters(1), "N-01", 1)
        page = self.sign_in()
        self.dock()
        page.get_by_role("button", name="Take in all 1").click()
        # The list stands still from here on: the page does not see that it was stored meanwhile.
        still, held = [True], list[Route]()
        listed = re.compile("/api/take-in$")
        page.route(listed, lambda r: held.append(r) if still and r.request.method == "GET" else r.fallback())
        self.eventually(lambda: len(self.stored()) == 1)
        page.get_by_role("button", name=re.compile("^tags of N-01")).click()
        page.keyboard.press("Tab")
        page.keyboard.type("office")
        page.keyboard.press("Enter")
        self.assertEqual(self.tag_of(name), [])
        still.clear()
        for route in held:
            route.fallback()
        expect(page.locator("tbody").get_by_role("link", name="review")).to_be_visible()
        self.eventually(lambda: self.tag_of(name) == ["office"])

    def tag_of(self, name: str) -> list[str]:
        self.db.rollback()
        asked = select(Tag.value).join(Session, col(Session.id) == Tag.session_id)
        return list(self.db.exec(asked.where(Session.recorder_session == name)).all())


class Hundreds(BrowserTest):
    watch = "0"

    def test_more_than_two_hundred_rows_stand_by_team_and_a_team_is_ticked_at_once(self) -> None:
        teams = ("Crusher hall", "Mill", "")
        for n, team in enumerate(teams):
            meter = Recorder(serial=f"NM-{n}", kind="noise", token=f"N-{n:02d}", name="Meter", in_reach=True)
            meter.inventory = [
                {"id": f"S-{i}", "start": 1.795e9 + 30_000 * i, "length_s": 3600, "size": 9000, "about": ""}
                | {"sha256": f"{n:02x}{i:02x}" * 16, "complete": True}
                for i in range(70)
            ]
            self.db.add(meter)
            self.db.commit()
            if team:
                person = self.person(f"Wearer {n}", team=team)
                setup = Setup(kind="noise", name="Usual", settings={})
                self.db.add(setup)
                self.db.flush()
                self.db.add(HandOver(recorder_id=meter.id, person_id=person.id, setup_id=setup.id))
                self.db.commit()
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        rows = page.locator("tbody tr[data-token]")
        heads = page.get_by_role("button", expanded=False).filter(has_text="70 to take in")
        expect(heads).to_have_count(3)
        expect(heads).to_contain_text(["Crusher hall", "Mill", "Nobody yet, or in no team"])
        expect(rows).to_have_count(0)
        page.get_by_role("button", name=re.compile("^Mill")).click()
        expect(rows).to_have_count(70)
        self.assertEqual(set(rows.evaluate_all("all => all.map(r => r.dataset.token)")), {"N-01"})
        page.get_by_label("Tick all that wait of Crusher hall").check()
        expect(page.get_by_role("button", name="Take in 70 of 210")).to_be_enabled()
        page.get_by_role("checkbox", name=re.compile("^Tick N-01")).first.check()
        page.get_by_label("Tick all that wait of Crusher hall").uncheck()
        expect(page.get_by_role("button", name="Take in 1 of 210")).to_be_enabled()
        page.get_by_role("button", name=re.compile("^Mill")).click()
        expect(rows).to_have_count(0)
