"""The queue and the lookout: one waiting job a session, recorders that move, leave and lie."""

import asyncio
import contextlib
import os
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any, ClassVar
from unittest import mock

from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.demo.ensemble import StandIn
from kumpel.link.client import LinkError
from kumpel.link.discovery import Announcement
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, RecorderError
from kumpel.services.recorders import clock, networks, recorders
from kumpel.services.take_in import contact, take_in
from kumpel.services.work import jobs
from kumpel.services.work.jobs import Jobs
from kumpel.services.work.watch import Lookout
from kumpel.store import database
from kumpel.store.tables import Recorder, Session, now
from tests.support import SCOPE, DatabaseTest, MeterTest, finished


class Queue(MeterTest):
    def setUp(self) -> None:
        super().setUp()
        self.jobs = Jobs(self.url)
        self.jobs.open()
        self.addCleanup(self.jobs.close)

    def waiting(self) -> list[Any]:
        self.db.rollback()
        return list(
            self.db.connection()
            .execute(text("select args from procrastinate_jobs where status = 'todo' order by id"))
            .scalars()
        )

    def test_one_waiting_job_a_recorder_however_often_it_is_asked_for(self) -> None:
        name = self.record(3600)
        recorder = self.seen()
        for _ in range(3):
            take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, self.jobs.start_take_in)
        self.jobs.go_on(self.db)
        self.assertEqual(self.waiting(), [{"recorder_id": recorder.id}])

    def test_a_small_one_comes_before_a_large_one(self) -> None:
        now_s = time.time()
        names = [self.record(20_000, start=now_s - 90_000), self.record(600, start=now_s - 2000)]
        recorder = self.seen()
        wishes = [take_in.Wish(recorder.id or 0, name) for name in names]
        large, small = take_in.begin(self.db, wishes, self.who, self.jobs.start_take_in)
        self.db.rollback()
        found: list[int] = []
        self.assertEqual(take_in.take_all(database.engine(self.url), recorder.id or 0, found.append), 2)
        self.assertEqual(found, [small, large])

    def test_the_recorder_with_the_least_to_read_comes_first(self) -> None:
        ids, recorders_ = [], []
        for n, size in enumerate((5_000_000, 900)):
            recorder = Recorder(serial=f"NM-00050{n}", kind="noise", token=f"N-5{n}", name="Meter")
            self.db.add(recorder)
            self.db.flush()
            row = Session(
                serial=recorder.serial, recorder_session="S", sha256=bytes(32), recorder_id=recorder.id, kind="noise",
                started_at=now(), size=size,
            )  # fmt: skip
            self.db.add(row)
            self.db.commit()
            ids.append(row.id or 0)
            recorders_.append(recorder.id)
        self.jobs.start_take_in(ids)
        line = "select args from procrastinate_jobs where status = 'todo' order by priority desc, id"
        found = self.db.connection().execute(text(line)).scalars().all()
        self.assertEqual([each["recorder_id"] for each in found], recorders_[::-1])

    def test_a_recorder_is_read_on_one_link_and_asked_once_afterwards(self) -> None:
        now_s = time.time()
        names = [self.record(600, start=now_s - 9000 + 1000 * n) for n in range(5)]
        recorder = self.seen()
        take_in.begin(self.db, [take_in.Wish(recorder.id or 0, n) for n in names], self.who, lambda ids: None)
        with (
            mock.patch.object(take_in, "open_link", wraps=take_in.open_link) as opened,
            mock.patch.object(take_in, "refresh", wraps=take_in.refresh) as refreshed,
        ):
            done = take_in.take_all(database.engine(self.url), recorder.id or 0, lambda i: None)
        self.assertEqual((done, opened.call_count, refreshed.call_count), (5, 1, 1))

    def test_two_at_one_recorder_read_each_session_once(self) -> None:
        now_s = time.time()
        names = [self.record(1200, start=now_s - 30_000 + 3000 * n) for n in range(6)]
        recorder = self.seen()
        engine, found = database.engine(self.url), list[int]()
        take_in.begin(self.db, [take_in.Wish(recorder.id or 0, n) for n in names[:3]], self.who, lambda ids: None)
        late: list[int] = []

        def wish_more(session_id: int) -> None:
            """While the first is being read, more is wished, and a second job comes for it."""
            found.append(session_id)
            if not late:
                with Db(engine) as db:
                    wishes = [take_in.Wish(recorder.id or 0, n) for n in names[3:]]
                    late.extend(take_in.begin(db, wishes, self.who, lambda ids: None))
                self.assertEqual(take_in.take_all(engine, recorder.id or 0, found.append), 0, "the first has the lock")

        self.assertEqual(take_in.take_all(engine, recorder.id or 0, wish_more), 6)
        self.assertEqual(len(set(found)), 6)

    def test_one_that_cannot_be_read_holds_up_none_behind_it(self) -> None:
        now_s = time.time()
        names = [self.record(600 + 600 * n, start=now_s - 9000 + 2000 * n) for n in range(3)]
        recorder = self.seen()
        ids = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, n) for n in names], self.who, lambda ids: None)
        real, broken = take_in.Arrival.take, []

        def cut_once(arrival: take_in.Arrival, pieces: Any) -> None:
            if arrival.session.id == ids[0] and not broken:
                broken.append(next(iter(pieces)))
                links[-1].close()
                raise LinkError("the recorder fell silent")
            real(arrival, pieces)

        links: list[Any] = []

        def opened(*where: Any) -> Any:
            links.append(open_link(*where))
            return links[-1]

        found: list[int] = []
        open_link = take_in.open_link
        with mock.patch.object(take_in.Arrival, "take", cut_once), mock.patch.object(take_in, "open_link", opened):
            take_in.take_all(database.engine(self.url), recorder.id or 0, found.append)
        self.assertEqual(found, ids[1:])
        self.db.rollback()
        self.db.expire_all()
        self.assertIn("fell silent; 0 % is here and safe", self.db.get_one(Session, ids[0]).trouble)
        self.jobs.go_on(self.db, recorder.serial)
        self.assertEqual(self.waiting(), [{"recorder_id": recorder.id}])
        take_in.take_all(database.engine(self.url), recorder.id or 0, found.append)
        self.assertEqual(found, [*ids[1:], ids[0]])

    def test_going_on_leaves_stopped_sessions_alone_when_told_so(self) -> None:
        name = self.record(3600)
        recorder = self.seen()
        [session_id] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda i: None)
        session = self.db.get_one(Session, session_id)
        session.trouble = "cut"
        self.db.add(session)
        self.db.commit()
        self.jobs.go_on(self.db, stopped_too=False)
        self.assertEqual(self.waiting(), [])
        self.jobs.go_on(self.db, "another serial")
        self.assertEqual(self.waiting(), [])
        self.jobs.go_on(self.db, "NM-000107")
        self.assertEqual(len(self.waiting()), 1)

    def test_huge_sessions_come_one_after_the_other_and_small_ones_pass_them(self) -> None:
        self.meter.tell("slow", bytes_per_s=200_000.0)
        now_s = time.time()
        huge = [self.record(28_000, start=now_s - 90_000 + 40_000 * n) for n in range(2)]
        small = self.record(1800, start=now_s - 2000)
        recorder = self.seen()
        smaller = mock.patch.object(jobs, "HUGE_BYTES", 150_000)
        smaller.start()
        self.addCleanup(smaller.stop)
        wishes = [take_in.Wish(recorder.id or 0, name) for name in (*huge, small)]
        take_in.begin(self.db, wishes, self.who, self.jobs.start_take_in)

        async def work() -> None:
            with contextlib.suppress(asyncio.TimeoutError):
                await asyncio.wait_for(self.jobs.work(), 9)

        finished(work())
        self.db.expire_all()
        at = {s.recorder_session: s.taken_in_at for s in self.db.exec(select(Session)).all()}
        first, second = sorted(at[name] or now() for name in huge)
        stored = at[small]
        assert stored is not None
        self.assertLess(stored, first)
        # 28,000 s are about 330 kB, 1.6 s on this link: side by side they would come in together.
        self.assertGreater((second - first).total_seconds(), 1.0)


class Watching(MeterTest):
    def setUp(self) -> None:
        super().setUp()
        self.jobs = Jobs(self.url)
        self.jobs.open()
        self.addCleanup(self.jobs.close)
        self.lookout = Lookout(self.url, self.jobs)

    def look(self) -> None:
        """One round, to its end."""
        self.lookout._take_news()
        self.lookout._ask_due()
        self.lookout._pool.shutdown(wait=True)
        self.lookout._pool = ThreadPoolExecutor(2)
        self.db.expire_all()

    def hear(self, port: int, serial: str = "NM-000107") -> Recorder:
        self.lookout._news.put(Announcement(serial, "127.0.0.1", port, serial))
        self.look()
        return self.db.exec(select(Recorder).where(Recorder.serial == serial)).one()

    def test_what_a_recorder_says_is_kept_for_browsers(self) -> None:
        self.meter.tell("set", clock_error_s=61.0, battery=0.42, place="Dock B")
        self.record(3600)
        row = self.hear(self.meter.link)
        self.assertEqual((row.token, row.kind, row.in_reach, row.trouble), ("N-07", "noise", True, ""))
        self.assertEqual((row.status["battery"], row.status["place"]), (0.42, "Dock B"))
        self.assertAlmostEqual(row.clock_error_s or 0, 61.0, delta=1)
        self.assertEqual(len(row.inventory), 1)

    def test_a_recorder_on_a_new_port_is_the_same_recorder(self) -> None:
        first = self.hear(self.meter.link)
        self.ensemble.stop()
        self.ensemble.launch((StandIn("N-07", "NM-000107", "Noise meter 7"),), False)
        again = self.hear(self.meter.link)
        self.assertEqual((again.id, again.port, again.in_reach), (first.id, self.meter.link, True))

    def test_one_that_leaves_is_remembered_as_away(self) -> None:
        self.hear(self.meter.link)
        self.lookout._news.put("NM-000107")
        self.look()
        row = self.db.exec(select(Recorder)).one()
        self.assertFalse(row.in_reach)
        self.assertIsNotNone(row.seen_at)
        with self.assertRaisesRegex(RecorderError, "not in reach"), recorders.link_to(self.db, row):
            pass

    def test_one_that_stops_answering_is_away_until_it_answers(self) -> None:
        self.hear(self.meter.link)
        self.meter.tell("vanish")
        self.assertFalse(self.hear(self.meter.link).in_reach)
        self.meter.tell("come back")
        self.assertTrue(self.hear(self.meter.link).in_reach)

    def test_one_that_is_not_who_it_was_announced_as_is_not_believed(self) -> None:
        row = self.hear(self.meter.link, "NM-OTHER")
        self.assertFalse(row.in_reach)
        self.assertIn("NM-000107 answers", row.trouble)

    def test_a_silent_round_tells_no_browser(self) -> None:
        self.hear(self.meter.link)
        row = self.db.exec(select(Recorder)).one()
        before = recorders._fingerprint(row)
        time.sleep(0.1)
        self.assertEqual(recorders._fingerprint(recorders.refresh(self.db, row)), before)


class LeftOver(DatabaseTest):
    def test_what_ended_workers_left_is_tidied_and_waiting_jobs_stay(self) -> None:
        put = text(
            "insert into procrastinate_jobs (queue_name, task_name, args, status) values ('default', 't', '{}', :s)"
        )
        for status in ("todo", "doing", "succeeded", "failed"):
            self.db.connection().execute(put, {"s": status})
        self.db.connection().execute(
            text("insert into procrastinate_workers (last_heartbeat) values (now() - interval '1 day')")
        )
        self.db.commit()
        self.assertEqual(Jobs.tidy(self.db), 3)
        left = self.db.connection().execute(text("select status from procrastinate_jobs")).scalars().all()
        self.assertEqual(left, ["todo"])
        self.assertEqual(self.db.connection().execute(text("select count(*) from procrastinate_workers")).scalar(), 0)


class Looking(MeterTest):
    def until(self, in_reach: bool) -> None:
        limit = time.monotonic() + 12
        while time.monotonic() < limit:
            self.db.rollback()
            row = self.db.exec(select(Recorder).where(Recorder.serial == "NM-000107")).first()
            if row is not None and row.in_reach == in_reach:
                return
            time.sleep(0.1)
        self.fail(f"the recorder is not {'in' if in_reach else 'out of'} reach after 12 s")


class Networks(Looking):
    def test_a_recorder_is_in_reach_only_where_it_is_looked_for(self) -> None:
        """This machine, then a network that it has no part in (RFC 5737), then this machine again."""
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        aside = mock.patch.dict(os.environ, {"KUMPEL_SCOPE": f"{SCOPE}n"})
        aside.start()
        self.addCleanup(aside.stop)
        self.ensemble.stop()
        self.ensemble.launch((StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False),))
        lookout = Lookout(self.url, jobs)
        self.addCleanup(lookout.stop)
        lookout.start()
        self.until(in_reach=True)
        seen = [(n.name, n.in_reach, n.missing) for n in networks.looked_in(self.db) if not n.empty]
        self.assertEqual(seen, [("this machine", 1, "")])
        settings.keep(self.db, "link.networks", "site", "", ["198.51.100.17/24"], 0, self.who)
        self.until(in_reach=False)
        [elsewhere] = [n for n in networks.looked_in(self.db) if not n.empty]
        self.assertEqual((elsewhere.where, elsewhere.addresses, elsewhere.in_reach), ("198.51.100.0/24", [], 0))
        self.assertIn("no address in it", elsewhere.missing)
        [kept] = settings.all_kept(self.db)
        settings.keep(self.db, "link.networks", "site", "", None, kept.version, self.who)
        self.until(in_reach=True)


class Addresses(Looking):
    """The meter of these tests announces itself nowhere: it is found at its address alone."""

    def test_asked_added_looked_for_and_taken_away(self) -> None:
        address = f"127.0.0.1:{self.meter.link}"
        added = recorders.add_at(self.db, address, self.who)
        self.assertEqual((added.token, added.in_reach), ("N-07", True))
        self.assertEqual(settings.value_of(self.db, settings.ADDRESSES), [address])
        [deed] = deeds.of(self.db, Whom("recorder", added.id))
        self.assertEqual((deed.what, deed.after, deed.who), ("recorder added", {"address": address}, self.who))
        self.assertEqual(
            [(n.where, n.in_reach) for n in networks.looked_in(self.db) if n.what == "address"], [(address, 1)]
        )
        recorders.gone(self.db, "NM-000107")
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        lookout = Lookout(self.url, jobs)
        self.addCleanup(lookout.stop)
        lookout.start()
        self.until(in_reach=True)
        [kept] = settings.all_kept(self.db)
        settings.keep(self.db, "link.addresses", "site", "", [], kept.version, self.who)
        self.until(in_reach=False)

    def test_nothing_is_added_that_does_not_answer_or_is_there_already(self) -> None:
        for wrong in ("dock", "127.0.0.1", "127.0.0.1:0"):
            with self.assertRaisesRegex(InvalidError, "no address"):
                recorders.add_at(self.db, wrong, self.who)
        with self.assertRaisesRegex(RecorderError, "Nothing was added.*127.0.0.1:9"):
            recorders.add_at(self.db, "127.0.0.1:9", self.who)
        self.seen()
        with self.assertRaisesRegex(ConflictError, "in reach already"):
            recorders.add_at(self.db, f"localhost:{self.meter.link}", self.who)
        self.assertEqual(settings.value_of(self.db, settings.ADDRESSES), [])


class OnContact(Looking):
    """What is new comes in by itself, where a house wants that; nothing is cleared, and what was deleted here stays away."""

    def taken(self) -> list[str]:
        self.db.expire_all()
        return sorted(row.recorder_session for row in self.db.exec(select(Session)).all())

    def test_by_kind_and_dock_and_never_cleared(self) -> None:
        name = self.record(3600)
        self.record(5)  # a switch-on: too short to be worth it
        asked: list[int] = []
        row = self.seen()
        self.assertEqual(contact.take_in_new(self.db, row, asked.append), [], "by hand as shipped")
        settings.keep(self.db, settings.CONTACT.key, "kind", "noise", settings.ON_CONTACT, 0, self.who)
        settings.keep(self.db, settings.CONTACT_DOCKS.key, "kind", "noise", ["Dock Z"], 0, self.who)
        self.assertEqual(contact.take_in_new(self.db, row, asked.append), [], "another dock")
        kept = next(each for each in settings.all_kept(self.db) if each.word.key == settings.CONTACT_DOCKS.key)
        place = str(row.status["place"]).partition(",")[0]
        settings.keep(self.db, settings.CONTACT_DOCKS.key, "kind", "noise", [place], kept.version, self.who)
        self.assertEqual(contact.take_in_new(self.db, row, asked.append), [], "a stranger waits for a person")
        self.assertEqual(self.take_in(name), [True])
        later = self.record(3600)
        row = self.seen()
        [session] = contact.take_in_new(self.db, row, asked.append)
        self.assertEqual((asked, self.taken()), ([[session]], sorted([name, later])))
        self.assertFalse(self.db.get_one(Session, session).wish["clear_after"])
        self.assertEqual(contact.take_in_new(self.db, row, asked.append), [], "once")

    def test_the_lookout_does_it(self) -> None:
        settings.keep(self.db, settings.CONTACT.key, "site", "", settings.ON_CONTACT, 0, self.who)
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        first = self.record(3600, start=time.time() - 9000)
        self.seen()
        self.assertEqual(self.take_in(first), [True])
        name = self.record(3600)
        lookout = Lookout(self.url, jobs)
        self.addCleanup(lookout.stop)
        recorders.add_at(self.db, f"127.0.0.1:{self.meter.link}", self.who)
        lookout.start()
        limit = time.monotonic() + 15
        while self.taken() != sorted([first, name]) and time.monotonic() < limit:
            time.sleep(0.1)
        self.assertEqual(self.taken(), sorted([first, name]))


class Clocks(Looking):
    meter_options: ClassVar[dict[str, Any]] = {"clock_error_s": 95.0}

    def test_set_without_handing_out_once_everything_is_taken_in(self) -> None:
        name = self.record(3600)
        row = self.seen()
        self.assertAlmostEqual(row.clock_error_s or 0, 95.0, delta=1.0)
        with self.assertRaisesRegex(ConflictError, "Take in first; how wrong the clock was is kept"):
            clock.set_clock(self.db, row.id or 0)
        self.assertEqual(self.take_in(name), [True])
        after = clock.set_clock(self.db, row.id or 0)
        self.assertLess(abs(after.clock_error_s or 0), 1.0)
        [session] = self.db.exec(select(Session)).all()
        self.assertAlmostEqual(session.clock_error_s or 0, 95.0, delta=1.0)
        deed = next(each for each in deeds.of(self.db, Whom("recorder", row.id)) if each.what == "clock set")
        self.assertAlmostEqual((deed.before or {})["clock_error_s"], 95.0, delta=1.0)
        self.assertLess(abs((deed.after or {})["clock_error_s"]), 1.0)
