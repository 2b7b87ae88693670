"""Recorders that say when something has changed are listened to, not asked; the others are asked as ever."""

import socket
import threading
import time
from typing import Any, ClassVar
from unittest import mock

from sqlmodel import select

from kumpel.link import frames
from kumpel.link.hearing import Hearing
from kumpel.services.ground import settings
from kumpel.services.recorders import recorders
from kumpel.services.work import watch
from kumpel.services.work.jobs import Jobs
from kumpel.services.work.watch import Lookout
from kumpel.store.tables import Recorder
from tests.support import MeterTest


class Counted(MeterTest):
    """The meter announces itself nowhere: it is found at its address, and every asking of it is counted."""

    def setUp(self) -> None:
        super().setUp()
        self.jobs = Jobs(self.url)
        self.jobs.open()
        self.addCleanup(self.jobs.close)
        self.asked: list[float] = []
        ask = recorders.ask

        def counted(host: str, port: int) -> Any:
            self.asked.append(time.monotonic())
            return ask(host, port)

        self.enterContext(mock.patch.object(recorders, "ask", counted))

    def look_out(self) -> None:
        settings.keep(self.db, "link.addresses", "site", "", [f"127.0.0.1:{self.meter.link}"], 0, self.who)
        lookout = Lookout(self.url, self.jobs)
        lookout.start()
        self.addCleanup(lookout.stop)
        self.until(lambda row: row.in_reach)

    def row(self) -> Recorder | None:
        self.db.rollback()
        self.db.expire_all()
        return self.db.exec(select(Recorder).where(Recorder.serial == "NM-000107")).first()

    def until(self, holds: Any, seconds: float = 12.0) -> float:
        """How long it took until something held of the row."""
        began = time.monotonic()
        while time.monotonic() < began + seconds:
            row = self.row()
            if row is not None and holds(row):
                return time.monotonic() - began
            time.sleep(0.02)
        raise AssertionError(f"not within {seconds} s")

    def rest(self, seconds: float) -> int:
        """How often it is asked while nothing happens."""
        time.sleep(2.5)  # what was begun at its appearing is over
        before = len(self.asked)
        time.sleep(seconds)
        return len(self.asked) - before


class Told(Counted):
    def test_one_that_tells_is_left_alone_and_a_change_is_seen_at_once(self) -> None:
        self.look_out()
        self.assertEqual(self.rest(6.0), 0)
        self.meter.tell("set", battery=0.31)
        self.assertLess(self.until(lambda row: row.status["battery"] == 0.31), 2.0)
        self.record(3600)
        self.assertLess(self.until(lambda row: len(row.inventory) == 1), 2.0)
        for battery in (0.5, 0.7, 0.2):  # one after the other, faster than it is asked
            self.meter.tell("set", battery=battery)
        self.assertLess(self.until(lambda row: row.status["battery"] == 0.2), 2.5)

    def test_one_that_leaves_and_comes_back(self) -> None:
        self.look_out()
        self.meter.tell("vanish")
        self.until(lambda row: not row.in_reach, 5.0)
        self.meter.tell("come back")
        self.until(lambda row: row.in_reach)
        self.meter.tell("set", place="Dock Z")
        self.until(lambda row: row.status["place"] == "Dock Z")

    def test_what_took_it_for_gone_and_was_wrong_is_put_right(self) -> None:
        with mock.patch.object(watch, "AGREES_S", 0.5):
            self.look_out()
            recorders.gone(self.db, "NM-000107")
            self.until(lambda row: row.in_reach)


class CannotTell(Counted):
    meter_options: ClassVar[dict[str, Any]] = {"rest": {"tells": False}}

    def test_one_that_cannot_tell_is_asked_every_two_seconds(self) -> None:
        self.look_out()
        self.assertIn(self.rest(6.0), (2, 3, 4))
        self.meter.tell("set", battery=0.31)
        self.assertLess(self.until(lambda row: row.status["battery"] == 0.31), 3.5)


class Teller:
    """Something on loopback that subscribes whoever asks, and then sends what a test wants."""

    def __init__(self, every_s: float = 1.0) -> None:
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.port = self.listening.getsockname()[1]
        self.every_s = every_s
        self.wire: socket.socket | None = None
        self.subscribed = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        self.wire, _ = self.listening.accept()
        hello = {"protocol": 2, "serial": "T-1", "nonce": bytes(16), "locked": False}
        self.wire.sendall(frames.pack({"note": "hello", "with": hello}))
        header = self.wire.recv(frames.HEADER.size, socket.MSG_WAITALL)
        call = frames.unpack(header, self.wire.recv(frames.payload_length(header), socket.MSG_WAITALL))
        self.wire.sendall(frames.pack({"id": call["id"], "ok": {"count": 4, "every_s": self.every_s}}))
        self.subscribed.set()

    def say(self, data: bytes) -> None:
        assert self.wire is not None
        self.wire.sendall(data)

    def news(self, count: int) -> None:
        self.say(frames.pack({"note": "news", "with": {"count": count, "every_s": self.every_s}}))


class Listening(MeterTest):
    def setUp(self) -> None:
        self.changed: list[str] = []
        self.lost: list[tuple[str, bool]] = []
        self.hearing = Hearing(self.changed.append, lambda *lost: self.lost.append(lost))
        self.hearing.start()
        self.addCleanup(self.hearing.stop)
        self.teller = Teller()
        self.addCleanup(self.teller.listening.close)

    def heard(self) -> Teller:
        self.assertTrue(self.hearing.listen_to("T-1", "127.0.0.1", self.teller.port))
        self.assertTrue(self.teller.subscribed.wait(5))
        return self.teller

    def until(self, holds: Any, seconds: float = 6.0) -> None:
        limit = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), limit)
            time.sleep(0.01)

    def test_a_sign_of_life_is_no_change_and_a_change_is_told_once(self) -> None:
        teller = self.heard()
        for count in (4, 4, 5, 5):
            teller.news(count)
        teller.say(frames.pack({"note": "something else", "with": {}}))
        whole = frames.pack({"note": "news", "with": {"count": 7, "every_s": 1.0}})
        teller.say(whole[:9])  # a note may come in two pieces
        time.sleep(0.2)
        self.assertEqual((self.changed, self.lost), (["T-1"], []))
        teller.say(whole[9:])
        self.until(lambda: len(self.changed) == 2)

    def test_silence_is_noticed_and_so_is_a_broken_link(self) -> None:
        self.heard().news(4)
        began = time.monotonic()
        self.until(lambda: self.lost)
        self.assertGreater(time.monotonic() - began, 2.0)
        self.assertEqual((self.lost, self.hearing.hears("T-1")), ([("T-1", True)], False))

    def test_one_that_says_what_is_no_news_is_not_listened_to_any_more(self) -> None:
        far_too_long = frames.HEADER.pack(1_000_000, 0)
        wrong = {
            "no frame": b"GET / HTTP/1.1\r\n\r\n",
            "a long frame": far_too_long,
            "a count that is none": frames.pack({"note": "news", "with": {"count": "many"}}),
            "no map": frames.pack({"note": "news", "with": 5}),
            "notes without end": frames.pack({"note": "x", "with": {}}) * 200,
        }
        for what, said in wrong.items():
            with self.subTest(what):
                self.lost.clear()
                self.teller = Teller()
                self.heard().say(said)
                self.until(lambda: self.lost)
                self.assertEqual((self.lost, self.hearing.hears("T-1")), ([("T-1", False)], False))
