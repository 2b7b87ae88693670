"""Keys, small windows, long names, many rows, a server that goes away, two browsers."""

import re
from dataclasses import replace

from playwright.sync_api import APIResponse, Route, expect
from sqlalchemy import text

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.link.client import RecorderLink
from kumpel.services.ground import figures
from kumpel.services.register import sessions
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest

LONG = "Maximiliane-Theodora von und zu Hohenbruck-Sølvfjellet " * 3


class Keys(BrowserTest):
    watch = "0"

    def test_stations_finding_and_the_list_of_keys(self) -> None:
        self.person("Leila Haddad", number="TF-0402")
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()
        page.goto(self.address)
        page.get_by_role("navigation", name="The line").wait_for()
        for key, path in (("1", "hand-out"), ("2", "take-in"), ("3", "review"), ("4", "report")):
            page.keyboard.press(key)
            expect(page).to_have_url(re.compile(f"/{path}(/\\d+)?$"))
        page.keyboard.press("Control+k")
        page.keyboard.type("0402")
        expect(page.get_by_role("dialog").get_by_text("Leila Haddad")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile(r"/people/\d+$"))
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_contain_text("undo the last step")
        page.keyboard.press("Escape")
        # the whole way by keyboard: type a stretch, leave it out, undo it
        page.get_by_role("button", name="type a stretch").focus()
        page.keyboard.press("Enter")
        page.get_by_label("Why?").fill("meter knocked")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Change meter knocked")).to_be_visible()
        page.get_by_role("application").focus()
        page.keyboard.press("+")
        expect(page.get_by_role("button", name="whole session")).to_be_visible()
        page.keyboard.press("0")
        expect(page.get_by_role("button", name="whole session")).to_have_count(0)

    def test_keys_do_not_steal_what_is_typed(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/people")
        page.get_by_label("Find a person").fill("")
        page.get_by_label("Find a person").type("1234?")
        expect(page).to_have_url(re.compile("/people$"))
        expect(page.get_by_label("Find a person")).to_have_value("1234?")


class Signing(BrowserTest):
    watch = "0"

    def test_the_sheet_of_an_address_stands_after_signing_in_there(self) -> None:
        """What was asked for ahead and refused before the sign-in is asked for again after it."""
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.page
        page.goto(f"{self.address}/review/{row.id}")
        page.get_by_label("Sign-in name").wait_for()
        page.wait_for_load_state("networkidle")
        page.get_by_label("Sign-in name").fill("officer")
        page.get_by_label("Password").fill("long enough")
        page.get_by_label("Password").press("Enter")
        expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        expect(page.get_by_title("Why this number?").first).to_be_visible()
        expect(page.get_by_label("Sign-in name")).to_have_count(0)


class Locked(BrowserTest):
    def test_a_passcode_is_asked_for_where_something_is_changed(self) -> None:
        ensemble = self.launch(
            StandIn("N-06", "NM-000106", "Noise meter 6", passcode="2718", auto_start=False), time_factor=600
        )
        self.person("Ida Brandvik")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Ida Brandvik")).click()
        page.get_by_role("button", name=re.compile("^N-06, Noise meter 6")).click()
        page.get_by_role("button", name="Write and hand out").click()
        for passcode, words in (
            ("1111", "The passcode is not the one of N-06."),
            ("2718", "N-06 is with Ida Brandvik"),
        ):
            page.get_by_role("textbox", name="Passcode").fill(passcode)
            page.keyboard.press("Enter")
            expect(page.get_by_text(words)).to_be_visible()
        with RecorderLink("127.0.0.1", ensemble.running["N-06"].link) as link:
            link.unlock("2718")
            link.start()
        page.goto(f"{self.address}/take-in")
        page.get_by_role("button", name="Stop recording").click()
        page.get_by_role("textbox", name="Passcode").fill("2718")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Take in all 1")).to_be_enabled()


class Followed(BrowserTest):
    """What a kind lists and follows: columns of its register, lines over the sessions of a person."""

    watch = "0"

    def test_columns_of_a_kind_and_what_becomes_of_a_person(self) -> None:
        person = self.person("Emil Farkas")
        nights = [SIGNALS["oximetry"](seed).recording for seed in (2, 3, 5)]
        days = [replace(night, start=night.start + 86_400 * i) for i, night in enumerate(nights)]
        rows = [self.stored(krec.write_recording(night), person) for night in days]
        stated = {}
        for row in rows:
            found = figures.outcome(self.db, row.id or 0)
            assert found is not None
            stated[row.id] = {f: found.both.reviewed.figure(f) for f in ("odi4", "lowest")}
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        page.get_by_label("Kind").select_option("oximetry")
        # Its unit comes with the rows, and moves the heads: nobody aims at a head that is not there yet.
        column = page.get_by_role("columnheader", name=re.compile("^ODI4, .h"))
        expect(column).to_be_visible()
        expect(page.get_by_role("columnheader", name="Result")).to_have_count(0)
        column.get_by_role("button").click()
        expect(column).to_have_attribute("aria-sort", "descending")
        column.get_by_role("button").click()
        expect(column).to_have_attribute("aria-sort", "ascending")
        lines = page.locator("tbody tr")
        expect(lines).to_have_count(3)
        ordered = sorted(stated.values(), key=lambda of: of["odi4"].stated)
        page.wait_for_function("document.querySelectorAll('tbody tr').length === 3")

        def shown(head: str) -> list[str]:
            heads = [text.strip(" ↑↓") for text in page.get_by_role("columnheader").all_inner_texts()]
            if head not in heads:
                return []
            at = heads.index(head)
            return [line.get_by_role("cell").nth(at).inner_text().strip() for line in lines.all()]

        self.eventually(lambda: shown("ODI4, /h") == [f"{of['odi4'].stated:.1f}" for of in ordered])
        self.assertEqual(shown("Lowest, %"), [f"{of['lowest'].stated:g}" for of in ordered])
        page.goto(f"{self.address}/people/{person.id}")
        # The same figures stand over the years: by key from the oldest to the newest.
        picture = page.get_by_role("application")
        picture.focus()
        said = page.get_by_role("region", name="Over the years", exact=True).get_by_role("status")
        for _ in stated:
            page.keyboard.press("ArrowDown")
            self.eventually(lambda: any(f"{of['odi4'].stated:.1f}" in said.inner_text() for of in stated.values()))
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/review/"))


class Small(BrowserTest):
    size = (1024, 700)
    watch = "0"

    def test_long_names_and_five_hundred_rows_at_1024_by_700(self) -> None:
        person = self.person(LONG[:200], team=LONG[:110])
        row = self.session(7200, person)
        sessions.change(self.db, row.id or 0, {"tags": {"place": LONG[:200], "task": LONG[:200]}})
        for number in range(500):
            self.db.connection().execute(
                text("insert into person (number, name, contact, notes, created_at) values (:n, :name, '', '', now())"),
                {"n": f"X-{number}", "name": f"Person {number:03d}"},
            )
        self.copy_session(row.id or 0, 500)
        self.db.commit()
        page = self.sign_in()
        for path in (
            "/hand-out",
            "/take-in",
            "/review",
            f"/review/{row.id}",
            "/report",
            f"/report/{row.id}",
            "/people",
            f"/people/{person.id}",
            "/recorders",
            "/sessions",
            "/limits",
        ):
            with self.subTest(path=path):
                page.goto(self.address + path)
                page.wait_for_timeout(700)
                self.assert_nothing_cut_off(path)
        page.goto(f"{self.address}/sessions")
        expect(page.get_by_role("status").filter(has_text="501")).to_be_visible()
        expect(page.get_by_text("1 to 100 of 501")).to_be_visible()
        page.get_by_role("button", name="Older").click()
        expect(page.get_by_text("101 to 200 of 501")).to_be_visible()

    def copy_session(self, row: int, times: int) -> None:
        columns = [
            c
            for (c,) in self.db.connection().execute(
                text(
                    "select column_name from information_schema.columns where table_name = 'session' and column_name not in ('id', 'recorder_session')"
                )
            )
        ]
        listed = ", ".join(columns)
        self.db.connection().execute(
            text(
                f"insert into session (recorder_session, {listed}) select 'copy ' || n, {listed} from session, generate_series(1, :times) n where id = :row"
            ),
            {"times": times, "row": row},
        )


class Registers(BrowserTest):
    watch = "0"

    def test_deleting_can_be_undone_and_columns_are_remembered(self) -> None:
        self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        page.get_by_label(re.compile("^Choose Ida Brandvik")).check()
        page.get_by_role("button", name="Delete 1 here").click()
        expect(page.get_by_text("No session yet")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("link", name="Ida Brandvik")).to_be_visible()
        page.get_by_role("button", name="Columns").click()
        page.get_by_role("menuitemcheckbox", name="Length").click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("columnheader", name="Length")).to_have_count(0)
        page.reload()
        expect(page.get_by_role("link", name="Ida Brandvik")).to_be_visible()
        expect(page.get_by_role("columnheader", name="Length")).to_have_count(0)

    def test_an_unclaimed_session_is_given_to_somebody(self) -> None:
        self.session(7200)
        self.person("Leila Haddad")
        page = self.sign_in()
        page.goto(f"{self.address}/sessions")
        page.get_by_label(re.compile("^Choose unclaimed")).check()
        page.get_by_role("button", name="Give 1 to").click()
        page.get_by_placeholder("name, number or team").fill("leila")
        expect(page.get_by_role("button", name=re.compile("^Leila Haddad"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("link", name="Leila Haddad")).to_be_visible()


class Away(BrowserTest):
    watch = "0"

    def test_a_server_that_goes_away_is_said_and_the_page_comes_back_by_itself(self) -> None:
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        self.server.kill()
        self.server.wait()
        expect(page.get_by_text("The server does not answer")).to_be_visible()
        page.get_by_label("Conclusion").fill("Written while the server was away.")
        expect(page.get_by_text("not kept")).to_be_visible()
        self.start_server()
        expect(
            page.get_by_text("The server does not answer. What is stored is safe; this page comes back by itself.")
        ).to_have_count(0)
        page.get_by_label("Conclusion").press("End")
        page.get_by_label("Conclusion").type(" And kept.")
        expect(page.get_by_text("kept", exact=True)).to_be_visible()

    def test_a_part_of_the_page_that_was_under_way_comes_when_the_server_answers_again(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording), self.person("Emil Farkas"))
        page = self.sign_in()
        for part in ("Review-*.js", "PlainSheet-*.js", "Limits-*.js"):
            page.route(f"**/{part}", lambda route: route.abort(), times=1)
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("heading", name="Emil Farkas")).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("^ODI4")).first).to_be_visible()
        page.get_by_role("link", name="Limits").click()
        expect(page.get_by_role("heading", name="Limits", exact=True)).to_be_visible()

    def test_a_part_that_cannot_be_had_at_any_address_comes_with_the_page_loaded_anew(self) -> None:
        """Three times by its own address and three by another: as when what it shares with others is remembered as failed."""
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording), self.person("Emil Farkas"))
        page = self.sign_in()
        refused: list[str] = []

        def refuse(route: Route) -> None:
            refused.append(route.request.url)
            route.abort()

        page.route("**/OximetrySheet-*.js*", refuse, times=6)
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("button", name=re.compile("^ODI4")).first).to_be_visible()
        self.assertEqual(len(refused), 6)

    def test_what_changes_while_it_is_fetched_for_the_first_time_is_fetched_again(self) -> None:
        row = self.session(7200, self.person("Ida Brandvik"))
        page = self.sign_in()
        held: list[tuple[Route, APIResponse]] = []
        streams: list[str] = []
        page.route(f"**/api/sessions/{row.id}/review", lambda route: held.append((route, route.fetch())), times=1)
        page.on("response", lambda answer: streams.append(answer.url) if answer.url.endswith("/api/events") else None)
        page.goto(f"{self.address}/review/{row.id}")
        self.eventually(lambda: page.wait_for_timeout(50) or (held and streams), 30)
        page.wait_for_timeout(1500)  # the first note of the stream, which makes everything stale, has passed
        told = self.client().put(f"/api/sessions/{row.id}/conclusion", json={"text": "Wear the muffs.", "version": 0})
        self.assertEqual(told.status_code, 200, told.text)
        page.wait_for_timeout(2500)
        ((route, answer),) = held
        route.fulfill(response=answer)
        expect(page.get_by_label("Conclusion")).to_have_value("Wear the muffs.")

    def test_what_one_browser_changes_the_other_shows(self) -> None:
        row = self.session(7200, self.person("Ida Brandvik"))
        first = self.sign_in()
        second = self.sign_in(self.open_page())
        for page in (first, second):
            page.goto(f"{self.address}/review/{row.id}")
            expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        first.get_by_role("button", name="type a stretch").click()
        first.get_by_label("Why?").fill("meter knocked")
        first.get_by_role("button", name="Leave out", exact=True).click()
        expect(second.get_by_role("button", name="Change meter knocked")).to_be_visible()
