"""Taking in: filed under the right person, once and only once, whatever happens on the way."""

import io
import threading
import time
from dataclasses import replace
from datetime import UTC, datetime
from unittest import mock

from sqlmodel import func, select

from kumpel.core.review import Review
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures
from kumpel.services.ground.problems import ConflictError, InvalidError, RecorderError
from kumpel.services.recorders import bays, recorders
from kumpel.services.register import session_list, sessions
from kumpel.services.report import conclusions
from kumpel.services.take_in import from_files, take_in
from kumpel.services.take_in.arrival import worthless
from kumpel.standins.signals import SIGNALS
from kumpel.store import database, samples
from kumpel.store.tables import Block, Pyramid, Recorder, Session
from tests.support import DatabaseTest, MeterTest, recording_file


class OldNames(DatabaseTest):
    def test_a_file_of_a_kind_that_was_called_otherwise_comes_in_by_the_same_door(self) -> None:
        for kind in KINDS.values():
            for number, old in enumerate(kind.was):
                made = SIGNALS[kind.key](3).recording
                data = krec.write_recording(replace(made, kind=old), f"OLD-{number}")
                row = take_in.from_file(self.db, data, self.who)
                self.assertEqual((row.kind, row.state), (kind.key, "stored"))
                self.assertTrue(figures.run(database.engine(self.url), row.id or 0))
                self.assertEqual(
                    b"".join(sessions.original(database.engine(self.url), row.id or 0)), data, "as it came"
                )


class ClearedLater(MeterTest):
    """Taking in and clearing were one wish; what stops the clearing does not take the wish away."""

    def on_recorder(self) -> int:
        return len(self.seen().inventory)

    def test_the_wish_stays_until_the_recorder_is_back(self) -> None:
        name = self.record(3600)
        with mock.patch.object(take_in, "clear", side_effect=RecorderError("the cable was pulled")):
            self.take_in(name, clear_after=True)
        [row] = self.db.exec(select(Session)).all()
        self.assertEqual((row.state, self.on_recorder()), ("stored", 1))
        self.assertEqual(take_in.to_clear(self.db, row.serial), [row.id])
        self.assertTrue(take_in.clear_if_wished(database.engine(self.url), row.id or 0))
        self.assertEqual(self.on_recorder(), 0)
        self.db.expire_all()
        self.assertEqual(take_in.to_clear(self.db, row.serial), [])

    def test_it_can_be_taken_back(self) -> None:
        name = self.record(3600)
        with mock.patch.object(take_in, "clear", side_effect=RecorderError("the cable was pulled")):
            self.take_in(name, clear_after=True)
        [row] = self.db.exec(select(Session)).all()
        take_in.keep_on_recorder(self.db, row.id or 0)
        self.assertTrue(take_in.clear_if_wished(database.engine(self.url), row.id or 0))
        self.assertEqual(self.on_recorder(), 1)


class Thousands(DatabaseTest):
    def test_ten_thousand_listed_sessions_are_shown_at_once(self) -> None:
        start = 1_795_000_000.0
        listed = [
            {"id": f"S-{i}", "start": start + i * 60, "length_s": 50.0, "size": 100, "sha256": f"{i:064x}", "complete": True, "about": ""}
            for i in range(9_990)
        ]  # fmt: skip
        self.db.add(
            Recorder(
                serial="NM-1",
                kind="noise",
                token="N-01",
                name="N",
                in_reach=True,
                host="127.0.0.1",
                port=1,
                inventory=listed,
                status={"utc_offset_min": 60},
            )
        )
        self.db.commit()
        began = time.process_time()
        [bay] = bays.bays(self.db)
        self.assertEqual(len(bay.sessions), 9_990)
        self.assertLess(time.process_time() - began, 3.0)


class TakeIn(MeterTest):
    def standing(self) -> dict[str, str]:
        self.db.expire_all()
        [bay] = bays.bays(self.db)
        return {f.recorder_session: f.standing for f in bay.sessions}

    def only(self) -> Session:
        self.db.expire_all()
        return self.db.exec(select(Session)).one()

    def test_filed_under_the_person_of_the_hand_over_with_its_tags(self) -> None:
        ida = self.person()
        given = self.give(ida, tags={"place": "crusher hall", "shift": "early"})
        name = self.record(7200)
        self.assertEqual(self.take_in(name, tags={"task": "feed control", "shift": ""}), [True])
        session = self.only()
        self.assertEqual((session.person_id, session.hand_over_id), (ida.id, given.id))
        self.assertEqual(sessions.row_of(self.db, session).tags, {"place": "crusher hall", "task": "feed control"})
        self.db.refresh(given)
        self.assertIsNotNone(given.returned_at)
        self.assertTrue(session.verdict and session.key_figure)

    def test_whose_a_session_will_be_goes_by_the_slip_of_its_time(self) -> None:
        """Two shifts are on the meter and it is with a third person; taking one of them in changes nothing about the others."""
        hour, begun = 3600.0, time.time()
        names = {}
        for i, name in enumerate(("Ida Brandvik", "Tomas Ek", "Emil Farkas")):
            given = self.give(self.person(name, team=f"Team {i}"), tags={"shift": f"shift {i}"}, despite="a test")
            names[name] = self.record(1800, start=begun - (8 - 2 * i) * hour)
            given.given_at = datetime.fromtimestamp(begun - (8.5 - 2 * i) * hour, UTC)
            given.returned_at = None if i == 2 else datetime.fromtimestamp(begun - (7 - 2 * i) * hour, UTC)
            self.db.add(given)
            self.db.commit()
        self.seen()
        expected = {names[name]: (name, f"Team {i}", f"shift {i}") for i, name in enumerate(names)}
        self.assertEqual(self.whose(), expected)
        self.take_in(names["Emil Farkas"])
        self.assertEqual(self.whose(), expected)
        self.take_in(names["Ida Brandvik"], names["Tomas Ek"])
        self.assertEqual(self.whose(), expected)

    def test_a_session_on_its_way_to_a_chosen_person_is_shown_as_that_persons(self) -> None:
        self.give(self.person())
        tomas = self.person("Tomas Ek")
        recorder = self.seen()
        wish = take_in.Wish(recorder.id or 0, self.record(1800), person_id=tomas.id)
        self.seen()
        take_in.begin(self.db, [wish], self.who, lambda session_id: None)
        self.db.expire_all()
        [found] = bays.bays(self.db)[0].sessions
        self.assertEqual((found.standing, found.person), ("arriving", "Tomas Ek"))

    def whose(self) -> dict[str, tuple[str, str, str]]:
        self.db.expire_all()
        [bay] = bays.bays(self.db)
        return {f.recorder_session: (f.person, f.team, f.tags["shift"]) for f in bay.sessions}

    def test_a_recorder_that_carries_another_ones_slip_files_nothing_under_its_person(self) -> None:
        given = self.give(self.person())
        other = Recorder(serial="NM-OTHER", kind="noise", token="N-99", name="Another meter")
        self.db.add(other)
        self.db.commit()
        given.recorder_id = other.id or 0
        self.db.add(given)
        self.db.commit()
        self.take_in(self.record(7200))
        session = self.only()
        self.assertEqual((session.person_id, session.hand_over_id), (None, None))
        self.db.refresh(given)
        self.assertIsNone(given.returned_at)

    def test_unclaimed_waits_and_can_be_given_and_taken_back(self) -> None:
        self.take_in(self.record(7200))
        session = self.only()
        self.assertIsNone(session.person_id)
        ida = self.person()
        sessions.change(self.db, session.id or 0, {"person_id": ida.id})
        self.assertEqual(self.only().person_id, ida.id)
        sessions.change(self.db, session.id or 0, {"person_id": None})
        self.assertIsNone(self.only().person_id)

    def test_nine_seconds_are_kept_aside_not_dropped(self) -> None:
        self.take_in(self.record(9))
        self.assertEqual(self.only().aside, "only 9 s long")
        self.assertEqual(session_list.list_sessions(self.db, session_list.Filter())[1], 0)
        self.assertEqual(session_list.list_sessions(self.db, session_list.Filter(standing="aside"))[1], 1)

    def test_nothing_can_be_judged_by_a_switch_on(self) -> None:
        for expected, length_s, channels in (
            ("", 700.0, [(600.0, 1), (600.0, 2)]),
            ("", 700.0, []),
            ("only 9 s long", 9.0, [(1.0, 9)]),
            ("400 s long, less than one interval of 600 s", 400.0, [(600.0, 1)]),
            ("one record: only switched on", 700.0, [(600.0, 1), (600.0, 0)]),
            ("no record: only switched on", 700.0, [(600.0, 0)]),
        ):
            with self.subTest(expected=expected):
                self.assertEqual(worthless(length_s, 20.0, channels), expected)

    def test_a_wrong_clock_is_kept_and_shifted_both_ways(self) -> None:
        self.meter.tell("set", clock_error_s=-250.0)
        self.take_in(self.record(3600, start=1_795_000_000.0), shift_clock=True)
        session = self.only()
        self.assertAlmostEqual(session.clock_error_s or 0, -250, delta=2)
        self.assertAlmostEqual(session.started_at.timestamp(), 1_795_000_250, delta=2)
        sessions.change(self.db, session.id or 0, {"clock_shift_s": 0.0})
        self.assertEqual(self.only().started_at.timestamp(), 1_795_000_000.0)

    def test_sessions_of_a_wrong_clock_are_shifted_together_signed_ones_stay(self) -> None:
        self.meter.tell("set", clock_error_s=-250.0)
        starts = [1_795_000_000.0 + 10_000 * n for n in range(3)]
        names = [self.record(3600, start=start) for start in starts]
        self.take_in(*names)
        rows = {n: self.db.exec(select(Session).where(Session.recorder_session == n)).one() for n in names}
        ids = [rows[name].id or 0 for name in names]
        for row in rows.values():
            figures.assess(self.db, row)
        self.db.commit()
        version = rows[names[2]].review_version
        conclusions.sign(self.db, ids[2], version, self.who)
        moved = sessions.shift_together(self.db, ids, back=False)
        self.db.expire_all()
        self.assertEqual(moved, ids[:2])
        self.assertEqual(sorted(figures.waiting(self.db, 10)), ids[:2], "their figures are a worker's")
        for session_id in ids[:2]:
            self.assertTrue(figures.run(database.engine(self.url), session_id))
        self.db.expire_all()
        after = [self.db.get_one(Session, i) for i in ids]
        # The meter is 250 s slow: what it called t was t + 250; the signed one stays as it was signed.
        for row, start, by in zip(after, starts, (250, 250, 0), strict=True):
            self.assertAlmostEqual(row.started_at.timestamp(), start + by, delta=1.5)
            self.assertAlmostEqual(row.started_at.timestamp() - row.clock_shift_s, start, delta=0.01)
        self.assertEqual(sessions.shift_together(self.db, ids, back=False), [], "twice moves nothing further")
        self.assertEqual(sessions.shift_together(self.db, ids, back=True), ids[:2])
        self.db.expire_all()
        self.assertAlmostEqual(self.db.get_one(Session, ids[0]).started_at.timestamp(), starts[0], delta=0.01)

    def test_a_cut_cable_leaves_whole_blocks_and_it_goes_on_from_there(self) -> None:
        name = self.record(28_800)
        size = self.seen().inventory[0]["size"]
        self.meter.tell("vanish", after_bytes=size // 2)
        self.assertEqual(self.take_in(name), [False])
        session = self.only()
        self.assertEqual(session.state, "arriving")
        self.assertIn("goes on when the recorder is back", session.trouble)
        self.assertEqual(session_list.list_sessions(self.db, session_list.Filter())[1], 0)
        kept = list(samples.read_items(self.db, session.id or 0))
        self.meter.tell("come back")
        self.assertTrue(take_in.run(database.engine(self.url), session.id or 0))
        session = self.only()
        self.assertEqual((session.state, session.received, session.trouble), ("stored", size, ""))
        self.assertEqual(take_in.stored_hash(self.db, session.id or 0), session.sha256)
        self.assertLessEqual(len(kept), self.db.exec(select(func.count()).select_from(Block)).one())

    def test_cut_in_the_middle_of_many_pieces_nothing_is_read_twice(self) -> None:
        values = 70_000 * 8
        data = _long_file(values)
        self._put(data)
        self.meter.tell("vanish", after_bytes=len(data) * 2 // 3)
        self.assertEqual(self.take_in("LONG"), [False])
        session = self.only()
        part = session.received
        self.assertGreater(part, 0)
        self.assertLess(part, len(data))
        self.meter.tell("come back")
        before = {row.at for row in self.db.exec(select(Block)).all()}
        self.assertTrue(take_in.run(database.engine(self.url), session.id or 0))
        after = {row.at for row in self.db.exec(select(Block)).all()}
        self.assertTrue(before < after)
        self.assertEqual(b"".join(sessions.original(database.engine(self.url), self.only().id or 0)), data)
        cells = self.db.exec(select(func.count()).select_from(Pyramid).where(Pyramid.level == 1)).one()
        self.assertEqual(cells, sum(isinstance(i.content, krec.Block) for i in krec.read_items(data)))

    def _put(self, data: bytes) -> None:
        """Put a file of our own into the meter's memory."""
        import hashlib
        import json

        state_file = self.meter.folder / "state.json"
        state = json.loads(state_file.read_text())
        (self.meter.folder / "sessions" / "LONG.krec").write_bytes(data)
        state["sessions"]["LONG"] = {
            "start": 1_795_000_000.0,
            "length_s": 600.0,
            "about": "",
            "size": len(data),
            "sha256": hashlib.sha256(data).hexdigest(),
        }
        self.meter.tell("set", sessions=state["sessions"])

    def test_taken_in_and_cleared_as_one_wish(self) -> None:
        self.assertEqual(self.take_in(self.record(3600), clear_after=True), [True])
        self.assertEqual(self.only().state, "stored")
        self.assertEqual(self.meter.tell("state")["sessions"], 0)

    def test_what_was_stopped_before_its_turn_waits_until_it_is_wished_again(self) -> None:
        name = self.record(3600)
        wish = [take_in.Wish(self.seen().id or 0, name)]
        [session_id] = take_in.begin(self.db, wish, self.who, lambda session_id: None)
        self.assertEqual(take_in.stop(self.db), 1)
        self.assertFalse(take_in.run(database.engine(self.url), session_id))
        self.assertEqual(take_in.unfinished(self.db), [])
        self.assertEqual(take_in.begin(self.db, wish, self.who, lambda session_id: None), [session_id])
        self.assertTrue(take_in.run(database.engine(self.url), session_id))

    def test_a_corrupt_block_is_read_again(self) -> None:
        data = _long_file(70_000 * 8)
        self._put(data)
        self.meter.tell("corrupt", reads=1)
        self.assertEqual(self.take_in("LONG"), [True])
        self.assertEqual(b"".join(sessions.original(database.engine(self.url), self.only().id or 0)), data)

    def test_a_block_that_stays_corrupt_stops_it_with_what_was_good(self) -> None:
        self._put(_long_file(70_000 * 8))
        self.meter.tell("corrupt", reads=99)
        self.assertEqual(self.take_in("LONG"), [False])
        session = self.only()
        self.assertIn("damaged on the way", session.trouble)
        self.assertGreater(session.received, 0)

    def test_once_and_only_once_even_when_two_ask_at_the_same_time(self) -> None:
        name = self.record(28_800)
        self.meter.tell("slow", bytes_per_s=600_000)
        recorder = self.seen()
        wish = [take_in.Wish(recorder.id or 0, name)]
        [first] = take_in.begin(self.db, wish, self.who, lambda i: None)
        [second] = take_in.begin(self.db, wish, self.who, lambda i: None)
        self.assertEqual(first, second)
        done: list[bool] = []
        threads = [
            threading.Thread(target=lambda: done.append(take_in.run(database.engine(self.url), first)))
            for _ in range(3)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertGreaterEqual(done.count(True), 1)
        self.assertEqual(self.only().state, "stored")
        self.assertEqual(take_in.begin(self.db, wish, self.who, lambda i: None), [])

    def test_deleted_here_does_not_come_back_by_itself_but_when_asked_for(self) -> None:
        name = self.record(3600)
        self.take_in(name)
        sessions.delete_session(self.db, self.only().id or 0)
        self.assertEqual(self.standing(), {name: "deleted"})
        self.assertEqual(bays.new_count(self.db), 0)
        self.take_in(name)
        self.assertEqual(self.standing(), {name: "stored"})

    def test_only_what_is_stored_and_verified_can_be_cleared(self) -> None:
        kept, fresh = self.record(3600), self.record(3600, seed=8)
        self.take_in(kept)
        recorder = self.seen()
        with self.assertRaisesRegex(ConflictError, "not stored here. Nothing was cleared"):
            take_in.clear(self.db, recorder.id or 0, [kept, fresh])
        self.assertEqual(len(recorders.refresh(self.db, recorder).inventory), 2)
        self.assertEqual(take_in.clear(self.db, recorder.id or 0, [kept]), [kept])
        self.assertEqual(self.standing(), {fresh: "new"})
        self.assertEqual(self.only().state, "stored")

    def test_a_stored_copy_that_was_damaged_here_blocks_clearing(self) -> None:
        name = self.record(3600)
        self.take_in(name)
        row = self.db.exec(select(Block).where(Block.what == "tail")).one()
        row.item = row.item[:-1] + bytes([row.item[-1] ^ 1])
        self.db.add(row)
        self.db.commit()
        with self.assertRaisesRegex(ConflictError, "does not match its hash any more"):
            take_in.clear(self.db, self.seen().id or 0, [name])
        self.assertEqual(len(self.seen().inventory), 1)

    def test_which_one_of_the_day_it_is_stays_when_earlier_ones_are_cleared(self) -> None:
        # Noon of yesterday by the recorder's clock (one hour ahead): two hours apart, none runs over midnight.
        noon = (time.time() // 86_400) * 86_400 - 86_400 + 11 * 3600
        names = [self.record(length_s, start=noon + i * 7200) for i, length_s in enumerate((1800, 5, 1800, 1800))]
        self.record(1800, start=noon - 86_400)
        recorder = self.seen()

        def numbers() -> list[tuple[int, int]]:
            found = {f.recorder_session: (f.nth, f.of_day) for f in bays.bays(self.db)[0].sessions}
            return [found[name] for name in names if name in found]

        self.assertEqual(numbers(), [(1, 3), (0, 3), (2, 3), (3, 3)])
        self.take_in(names[0])
        take_in.clear(self.db, recorder.id or 0, [names[0]])
        self.assertEqual(numbers(), [(0, 3), (2, 3), (3, 3)])

    def test_a_recording_that_still_runs_is_shown_but_not_new(self) -> None:
        from kumpel.link.client import RecorderLink

        with RecorderLink("127.0.0.1", self.meter.link) as link:
            link.start()
        self.seen()
        self.assertEqual(list(self.standing().values()), ["recording"])
        self.assertEqual(bays.new_count(self.db), 0)
        recorders.stop_recording(self.db, self.seen().id or 0)
        self.assertEqual(list(self.standing().values()), ["new"])

    def test_a_recorder_that_sends_another_file_than_listed_leaves_nothing_behind(self) -> None:
        name = self.record(3600)
        self.seen()
        path = self.meter.folder / "sessions" / f"{name}.krec"
        path.write_bytes(recording_file(3600, seed=99, serial="NM-000107"))
        self.assertEqual(self.take_in(name), [False])
        self.assertEqual(self.db.exec(select(func.count()).select_from(Session)).one(), 0)
        self.assertEqual(self.db.exec(select(func.count()).select_from(Block)).one(), 0)


def _long_file(count: int) -> bytes:
    """A file of several pieces: three channels of noise that packs badly."""
    import numpy as np

    rng = np.random.default_rng(3)
    channels = tuple(krec.ChannelHead(k, k, "dB(A)", 0.1, "i16", 0.01, 0.0, -32768) for k in ("leq.1", "max.1", "peak"))
    head = krec.Head("noise", "LONG", 1_795_000_000.0, 60, {"serial": "NM-000107"}, {}, channels)
    return krec.write(head, {c.key: rng.uniform(-300, 300, count) for c in channels})


class Files(DatabaseTest):
    def test_files_come_in_by_the_same_door_once(self) -> None:
        data = recording_file(3600)
        row = take_in.from_file(self.db, data, self.who)
        self.assertEqual((row.state, row.length_s), ("stored", 3600))
        with self.assertRaises(ConflictError):
            take_in.from_file(self.db, data, self.who)

    def test_a_broken_file_stores_nothing_and_says_where(self) -> None:
        data = bytearray(recording_file(3600))
        data[len(data) // 2] ^= 1
        for broken in (bytes(data), data[:500], b"", b"PK\x03\x04"):
            with self.assertRaisesRegex(InvalidError, "Nothing was stored"):
                take_in.from_file(self.db, bytes(broken), self.who)
        self.assertEqual(self.db.exec(select(func.count()).select_from(Session)).one(), 0)

    def test_the_stored_figures_are_those_of_the_file(self) -> None:
        data = recording_file(27_660)
        row = take_in.from_file(self.db, data, self.who)
        self.assertEqual((row.figures, figures.outcome(self.db, row.id or 0)), ("waiting", None))
        self.assertTrue(figures.run(database.engine(self.url), row.id or 0))
        kind = KINDS["noise"]
        direct = kind.assess(krec.read(data), Review(), kind.limit_sets[0]).reviewed
        stored = figures.outcome(self.db, row.id or 0)
        assert stored is not None
        for a, b in zip(direct.figures, stored.both.reviewed.figures, strict=True):
            self.assertEqual(repr(a.value), repr(b.value), a.key)


class FromFiles(DatabaseTest):
    def test_a_file_of_another_format_that_would_fill_the_memory_is_refused(self) -> None:
        with (
            mock.patch.object(from_files, "MOST_TABLE_BYTES", 1_000),
            self.assertRaisesRegex(InvalidError, "Nothing was stored"),
        ):
            from_files.take_in_file(self.db, io.BytesIO(b"time,level\n" * 200), self.who, "long.csv")
        self.assertEqual(self.db.exec(select(func.count()).select_from(Session)).one(), 0)
