"""The wall as somebody looks at it: values against alarms, one loud tile, an answer, a silent recorder, a server that is away, a mark."""

from __future__ import annotations

import re
import signal
import time

from playwright.sync_api import Page, expect
from sqlmodel import select

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.kinds.registry import KINDS
from kumpel.store.tables import HandOver, Recorder, Setup, Token, WallMark, now
from tests.web.browser import BrowserTest

CREW = (
    StandIn("G-01", "GM-000001", "Gas monitor 1", kind="gas", auto_start=False),
    StandIn("G-02", "GM-000002", "Gas monitor 2", kind="gas", auto_start=False),
)
NAMES = ("Asha Rao", "Kofi Badu")


class TheWall(BrowserTest):
    def crew(self) -> Ensemble:
        ensemble = self.launch(*CREW, time_factor=1.0)
        for each, name in zip(CREW, NAMES, strict=True):
            self.eventually(lambda each=each: self._known(each.serial) is not None, 30)
            recorder = self._known(each.serial)
            assert recorder is not None
            setup = Setup(kind="gas", name="x", settings=KINDS["gas"].setup_model().model_dump(mode="json"))
            self.db.add(setup)
            self.db.flush()
            person = self.person(name)
            self.db.add(
                HandOver(
                    recorder_id=recorder.id or 0,
                    person_id=person.id or 0,
                    setup_id=setup.id or 0,
                    tags={"place": "face"},
                )
            )
            self.db.commit()
            at_work = {"id": f"{each.serial}-1", "since": time.time() - 600}
            ensemble.running[each.token].tell("set", recording=at_work, raw={"co.avg": 3.0})
        return ensemble

    def _known(self, serial: str) -> Recorder | None:
        self.db.rollback()
        return self.db.exec(select(Recorder).where(Recorder.serial == serial, Recorder.in_reach)).first()

    def open(self) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/wall")
        expect(page.get_by_role("listitem").filter(has_text="Asha Rao")).to_contain_text(
            re.compile(r"heard \d+ s ago"), timeout=30_000
        )
        return page

    def test_one_loud_tile_answered_calm_again_and_a_mark(self) -> None:
        ensemble = self.crew()
        page = self.open()
        out = page.get_by_role("region", name="Who is out now")
        asha, kofi = (out.get_by_role("listitem").filter(has_text=name) for name in NAMES)
        expect(asha).to_contain_text(re.compile(r"heard \d s ago"))
        expect(asha).to_have_attribute("data-standing", "within")
        expect(page.get_by_text("This is no safety system")).to_be_visible()
        ensemble.running["G-02"].tell("set", raw={"co.avg": 140.0})
        expect(kofi).to_have_attribute("data-standing", "alarm")
        expect(kofi).to_contain_text("above 100 ppm")
        expect(page).to_have_title(re.compile("^ALARM Kofi Badu, above 100 ppm"))
        call = page.get_by_role("alert", name="Call now, for Kofi Badu")
        expect(call).to_contain_text("Nobody is named to be called")
        self.assert_nothing_cut_off("an alarm")
        call.get_by_role("button", name="I have called, sound off").click()
        expect(page.get_by_text("Kofi Badu: Runa Halvorsen has called")).to_be_visible()
        expect(page).not_to_have_title(re.compile("ALARM"))
        expect(kofi).to_have_attribute("data-standing", "alarm")
        # Below again: it stays red for a minute, and says so.
        ensemble.running["G-02"].tell("set", raw={"co.avg": 3.0})
        expect(kofi).to_contain_text("below again")
        page.get_by_role("button", name="Mark …").click()
        page.get_by_role("dialog").get_by_role("button", name="blast").click()
        expect(page.get_by_role("region", name="Marks")).to_contain_text("blast")
        self.db.rollback()
        self.assertEqual(
            [m.text for m in self.db.exec(select(WallMark).order_by(WallMark.id)).all()],
            ["Runa Halvorsen has called", "blast"],
        )

    def test_a_screen_with_an_address_of_its_own_shows_the_wall_until_it_ends(self) -> None:
        self.crew()
        page = self.open()
        page.get_by_role("button", name="For a screen …").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Which screen").fill("at the barrier")
        dialog.get_by_role("button", name="Make an address").click()
        address = dialog.get_by_label("Open this on the screen").input_value()
        screen = self.open_page()
        screen.goto(address)
        tiles = screen.get_by_role("region", name="Who is out now").get_by_role("listitem")
        expect(tiles.filter(has_text="Asha Rao")).to_contain_text(re.compile(r"heard \d+ s ago"), timeout=30_000)
        expect(screen.get_by_role("button", name="Mark …")).to_have_count(0)
        # Nothing else is opened by it.
        self.assertEqual(screen.request.get(f"{self.address}/api/people").status, 401)
        self.db.rollback()
        token = self.db.exec(select(Token).where(Token.what == "wall")).one()
        token.until = now()
        self.db.add(token)
        self.db.commit()
        self.assertEqual(
            screen.request.get(f"{self.address}/api/wall/screen?word={address.partition('#')[2]}").status, 403
        )
        screen.reload()
        expect(screen.get_by_role("alert").first).to_contain_text("opens nothing any more")

    def test_silence_is_louder_than_a_value_and_so_is_a_server_that_is_away(self) -> None:
        ensemble = self.crew()
        page = self.open()
        asha = page.get_by_role("listitem").filter(has_text="Asha Rao")
        ensemble.running["G-01"].tell("vanish")
        expect(asha).to_have_attribute("data-standing", "silent", timeout=40_000)
        expect(asha).to_contain_text(re.compile(r"was [23]\.\d ppm"))
        expect(page.get_by_role("region", name="Asha Rao is silent")).to_contain_text("Not known is not safe")
        ensemble.running["G-01"].tell("come back")
        expect(asha).to_have_attribute("data-standing", "within", timeout=40_000)
        self.addCleanup(self.server.send_signal, signal.SIGCONT)
        self.server.send_signal(signal.SIGSTOP)
        expect(page.get_by_text("The wall hears nothing from the server")).to_be_visible(timeout=20_000)
        kofi = page.get_by_role("listitem").filter(has_text="Kofi Badu")
        expect(kofi).to_have_attribute("data-standing", "silent")
