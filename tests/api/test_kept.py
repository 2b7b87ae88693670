"""Answers are kept while nothing changes, and never for longer: with every change, open transaction and sign-out between."""

from __future__ import annotations

import asyncio
import gzip
import json
from collections.abc import Awaitable, Callable
from typing import Any
from unittest import mock

import httpx
from sqlalchemy import event, text
from sqlmodel import Session as Db

from kumpel.api import kept
from kumpel.api.app import create_app
from kumpel.config import ROOT, Config
from kumpel.services.ground import accounts, people
from kumpel.store import database
from tests.support import DatabaseTest, finished

Work = Callable[[httpx.AsyncClient], Awaitable[None]]


class Kept(DatabaseTest):
    """The application in this process: what it asks of the database for its answers is counted."""

    def setUp(self) -> None:
        super().setUp()
        self.token = accounts.sign_in(self.db, "officer", "long enough")[1]
        self.statements = 0
        event.listen(database.engine(self.url), "before_cursor_execute", self._count)

    def _count(self, *_: Any) -> None:
        self.statements += 1

    def with_browser(self, work: Work) -> None:
        app = create_app(Config(self.url, ROOT / "nowhere", False, False))

        async def run() -> None:
            transport = httpx.ASGITransport(app)
            async with httpx.AsyncClient(
                transport=transport, base_url="http://kumpel", cookies={"kumpel": self.token}
            ) as browser:
                await work(browser)

        finished(run())

    async def names(self, browser: httpx.AsyncClient) -> tuple[list[str], int]:
        """Who is on record as a browser sees it, and how many statements that took."""
        before = self.statements
        answer = await browser.get("/api/people?limit=100")
        self.assertEqual(answer.status_code, 200)
        return sorted(row["name"] for row in answer.json()["people"]), self.statements - before

    def add(self, name: str) -> None:
        before = self.statements
        self.person(name)
        self.statements = before

    def test_kept_until_something_changes_and_not_a_moment_longer(self) -> None:
        async def work(browser: httpx.AsyncClient) -> None:
            self.add("Ida Brandvik")
            found, first = await self.names(browser)
            self.assertEqual(found, ["Ida Brandvik"])
            self.assertGreater(first, 0)
            # The database's own housekeeping is a transaction, too.
            again = [await self.names(browser) for _ in range(20)]
            self.assertIn((["Ida Brandvik"], 0), again)
            self.assertEqual({len(names) for names, _ in again}, {1})
            for number in range(20):
                self.add(f"Person {number:02d}")
                found, _ = await self.names(browser)
                self.assertEqual(len(found), number + 2)

        self.with_browser(work)

    def test_what_is_not_committed_is_not_seen_and_then_is(self) -> None:
        async def work(browser: httpx.AsyncClient) -> None:
            self.add("Ida Brandvik")
            with Db(database.engine(self.url)) as other:
                other.connection().execute(text("update person set name = 'Ida Solheim'"))
                self.assertEqual((await self.names(browser))[0], ["Ida Brandvik"])
                self.assertEqual((await self.names(browser))[0], ["Ida Brandvik"])
                # It began before the answer was worked out and ends after it.
                other.commit()
            self.assertEqual((await self.names(browser))[0], ["Ida Solheim"])

        self.with_browser(work)

    def test_only_for_who_is_signed_in(self) -> None:
        async def work(browser: httpx.AsyncClient) -> None:
            await self.names(browser)
            stranger = {"Cookie": "kumpel=nobody"}
            self.assertEqual((await browser.get("/api/people?limit=100", headers=stranger)).status_code, 401)
            accounts.sign_out(self.db, self.token)
            self.assertEqual((await browser.get("/api/people?limit=100")).status_code, 401)

        self.with_browser(work)

    def test_many_at_once_are_worked_out_once(self) -> None:
        async def work(browser: httpx.AsyncClient) -> None:
            self.add("Ida Brandvik")
            _, alone = await self.names(browser)
            self.add("Emil Farkas")
            before = self.statements
            answers = await asyncio.gather(*(browser.get("/api/people?limit=100") for _ in range(30)))
            self.assertEqual({len(each.json()["people"]) for each in answers}, {2})
            # Once, and once more should the database's own housekeeping come between.
            self.assertLessEqual(self.statements - before, 3 * alone)

        self.with_browser(work)

    def test_the_same_is_told_in_a_line_and_packed_where_that_is_worth_it(self) -> None:
        async def work(browser: httpx.AsyncClient) -> None:
            for number in range(20):
                self.add(f"Person {number:02d}")
            plain = await browser.get("/api/people?limit=100", headers={"Accept-Encoding": "identity"})
            self.assertNotIn("content-encoding", plain.headers)
            packed = await browser.get("/api/people?limit=100", headers={"Accept-Encoding": "gzip"})
            self.assertEqual(packed.headers["content-encoding"], "gzip")
            self.assertEqual(packed.content, plain.content)
            self.assertLess(int(packed.headers["content-length"]), len(plain.content) / 2)
            self.assertEqual(plain.headers["cache-control"], "no-store")
            same = {"If-None-Match": plain.headers["etag"]}
            again = await browser.get("/api/people?limit=100", headers=same)
            self.assertEqual((again.status_code, again.content), (304, b""))
            people.change_person(self.db, self.db.exec(people.select(people.Person)).first().id, {"name": "Other"})
            self.assertEqual((await browser.get("/api/people?limit=100", headers=same)).status_code, 200)

        self.with_browser(work)

    @staticmethod
    async def _app_of_nothing(*_: Any) -> None: ...

    def test_what_is_kept_is_bounded(self) -> None:
        made = kept.Kept(self._app_of_nothing)
        start = {"type": "http.response.start", "status": 200, "headers": [(b"content-type", b"application/json")]}

        async def keep(key: str, size: int) -> None:
            body = json.dumps(list(range(size))).encode()
            await made._keep(key.encode(), "1:1:", [start, {"type": "http.response.body", "body": body}])

        async def work() -> None:
            for number in range(30):
                await keep(f"{number}", 10_000)
            held = sum(len(each.body) for each in made._answers.values())
            self.assertEqual(made._bytes, held)
            self.assertLessEqual(held, kept.MOST_BYTES)
            self.assertIn(len(made._answers), range(5, 29))
            last = next(reversed(made._answers.values()))
            self.assertEqual(len(json.loads(gzip.decompress(last.body))), 10_000)
            before = len(made._answers)
            await keep("huge", 700_000)
            self.assertEqual(len(made._answers), before)

        with mock.patch.object(kept, "MOST_BYTES", 500_000):
            finished(work())
