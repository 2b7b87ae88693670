"""Open tabs: their streams keep no connection to the database, end at sign-out, and show that the server is there."""

import hashlib
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import httpx
from sqlalchemy import text

from tests.support import ServerTest


class Streams(ServerTest):
    watch = "0"

    @contextmanager
    def streams(self, client: httpx.Client, count: int) -> Iterator[list[httpx.Response]]:
        limits = httpx.Limits(max_connections=None)
        with httpx.Client(
            base_url=self.address, cookies=client.cookies, timeout=20, limits=limits, verify=False
        ) as browser:
            opened = []
            for _ in range(count):
                stream = browser.send(browser.build_request("GET", "/api/events"), stream=True)
                self.assertEqual(stream.status_code, 200)
                opened.append(stream)
            yield opened
            for stream in opened:
                stream.close()

    def connections(self) -> tuple[int, int]:
        """Of the server to the database: how many there are, how many sit in a transaction."""
        ask = text(
            "select count(*), count(*) filter (where state like 'idle in transaction%') from pg_stat_activity "
            "where datname = current_database() and pid <> pg_backend_pid()"
        )
        found = self.db.connection().execute(ask).one()
        self.db.rollback()
        return int(found[0]), int(found[1])

    def test_sixty_open_tabs_stop_nobody(self) -> None:
        client = self.client()
        before, _ = self.connections()
        with self.streams(client, 60):
            time.sleep(0.3)
            now, _ = self.connections()
            # Not one each: what else the server does meanwhile (it looks at recorders, works on jobs) may open a few.
            self.assertLessEqual(now, before + 20)
            # A moment may catch one at work; none stays in its transaction.
            self.eventually(lambda: self.connections()[1] == 0)
            # Were connections kept, the first answer would wait for one of the pool until it gives up after 30 s.
            self.assertLess(self.ten_answers(client), 20.0)

    def ten_answers(self, client: httpx.Client) -> float:
        began = time.monotonic()
        for _ in range(10):
            self.assertEqual(client.get("/api/line").status_code, 200)
        return time.monotonic() - began

    def test_streams_end_at_sign_out_and_only_those_of_this_browser(self) -> None:
        leaving, staying = self.client(), self.client()
        with self.streams(leaving, 3) as ending, self.streams(staying, 1) as open_still:
            ended: list[int] = []
            threads = [threading.Thread(target=self.drain, args=(s, n, ended)) for n, s in enumerate(ending)]
            for thread in threads:
                thread.start()
            other: list[int] = []
            threading.Thread(target=self.drain, args=(open_still[0], 9, other), daemon=True).start()
            leaving.post("/api/sign-out")
            for thread in threads:
                thread.join(12)
            self.assertEqual(sorted(ended), [0, 1, 2])
            time.sleep(2.5)  # a ping later the other one is still there
            self.assertEqual(other, [])

    def test_a_sign_out_that_nobody_heard_is_found_when_the_database_is_back(self) -> None:
        leaving, staying = self.client(), self.client()
        with self.streams(leaving, 1) as [ending], self.streams(staying, 1) as [open_still]:
            ended: list[int] = []
            for number, stream in enumerate((ending, open_still)):
                threading.Thread(target=self.drain, args=(stream, number, ended), daemon=True).start()
            # A server that begins to listen only now looks who has signed out meanwhile, as it should.
            self.eventually(self.listens, 30)
            time.sleep(0.5)
            token = hashlib.sha256(leaving.cookies["kumpel"].encode()).hexdigest()
            gone = self.db.connection().execute(text("delete from sign_in where token_hash = :t"), {"t": token})
            self.assertEqual(gone.rowcount, 1)
            self.db.commit()
            time.sleep(1)
            self.assertEqual(ended, [])
            self.db.connection().execute(
                text("select pg_terminate_backend(pid) from pg_stat_activity where query like 'listen %'")
            )
            self.db.commit()
            self.eventually(lambda: ended == [0])

    def listens(self) -> bool:
        self.db.rollback()
        asked = text(
            "select count(*) from pg_stat_activity where query like 'listen %' and datname = current_database()"
        )
        return bool(self.db.connection().execute(asked).scalar_one())

    def test_streams_end_when_the_sign_in_runs_out(self) -> None:
        client = self.client()
        self.db.connection().execute(text("update sign_in set expires_at = clock_timestamp() + interval '6 seconds'"))
        self.db.commit()
        with self.streams(client, 1) as [stream]:
            ended: list[int] = []
            thread = threading.Thread(target=self.drain, args=(stream, 0, ended))
            thread.start()
            thread.join(20)
            self.assertEqual(ended, [0])

    def drain(self, stream: httpx.Response, number: int, ended: list[int]) -> None:
        try:
            for _ in stream.iter_raw():
                pass
        except (httpx.HTTPError, httpx.StreamError):
            return
        ended.append(number)

    def test_a_sign_of_life_comes_every_two_seconds(self) -> None:
        with self.streams(self.client(), 1) as [stream]:
            began, pings = time.monotonic(), 0
            for line in stream.iter_lines():
                pings += line == "event: ping"
                if pings == 2 or time.monotonic() - began > 8:
                    break
            self.assertLess(time.monotonic() - began, 8.0)
