"""Removed for good: what was deleted long ago, where a house wants that; never what was signed or reported."""

from __future__ import annotations

from datetime import timedelta

from sqlmodel import col, func, select

from kumpel.services.ground import settings
from kumpel.services.ground.problems import ConflictError, NotFoundError
from kumpel.services.ground.recordings import session_of
from kumpel.services.recorders import bays
from kumpel.services.register import purging, session_list, sessions
from kumpel.services.register.purging import OF_A_SESSION
from kumpel.services.register.session_list import Filter
from kumpel.services.report import conclusions, reports
from kumpel.services.take_in import take_in
from kumpel.store import database
from kumpel.store.tables import Deed, Report, Session, metadata, now
from tests import support
from tests.support import DatabaseTest, MeterTest


class Purging(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.rows = [self.stored(support.recording_file(600, session=f"S-{i}"), place="hall") for i in range(4)]

    def keep_days(self, days: float) -> None:
        settings.keep(self.db, settings.KEEPS_DELETED.key, "site", "", days, 0, self.who)

    def deleted(self, row: Session, days_ago: float) -> None:
        sessions.delete_session(self.db, row.id or 0)
        row.deleted_at = now() - timedelta(days=days_ago)
        self.db.add(row)
        self.db.commit()

    def purge(self) -> int:
        done = purging.purge(database.engine(self.url))
        self.db.expire_all()
        return done

    def left(self, row: Session) -> int:
        """Rows of everything that belongs to the session."""
        return sum(
            self.db.connection().execute(select(func.count()).where(table.c.session_id == row.id)).scalar_one()
            for table in (metadata.tables[str(of.__tablename__)] for of in OF_A_SESSION)
        )

    def test_as_shipped_nothing_ever_goes(self) -> None:
        self.deleted(self.rows[0], 9000)
        self.assertEqual(self.purge(), 0)
        sessions.restore_session(self.db, self.rows[0].id or 0)

    def test_only_what_was_deleted_long_enough_ago(self) -> None:
        self.keep_days(365)
        self.deleted(self.rows[0], 366)
        self.deleted(self.rows[1], 364)
        before = self.left(self.rows[2])
        self.assertGreater(before, 10)
        self.assertEqual((self.purge(), self.purge()), (1, 0))
        self.assertEqual([self.left(row) > 0 for row in self.rows], [False, True, True, True])
        self.assertEqual(self.left(self.rows[2]), before)
        with self.assertRaisesRegex(NotFoundError, "removed for good on"):
            sessions.restore_session(self.db, self.rows[0].id or 0)
        with self.assertRaises(NotFoundError):
            session_of(self.db, self.rows[0].id or 0)
        sessions.restore_session(self.db, self.rows[1].id or 0)
        found, _ = session_list.list_sessions(self.db, Filter(standing="deleted"))
        self.assertEqual(found, [])
        what = self.db.exec(select(Deed.what).where(Deed.on_id == str(self.rows[0].id)).order_by(col(Deed.id))).all()
        self.assertEqual([w for w in what if w.startswith("session ")], ["session deleted", "session removed for good"])

    def test_signed_and_reported_ones_stay_even_when_they_are_opened_again(self) -> None:
        self.keep_days(1)
        row = self.rows[0]
        assert row.id is not None and self.who is not None
        conclusions.conclude(self.db, row.id, "Within.", self.who)
        conclusions.sign(self.db, row.id, row.review_version, self.who)
        reports.issue(self.db, row.id, reports.Options(()), self.who)
        conclusions.open_again(self.db, row.id, self.who, "typing error")
        self.db.refresh(row)
        self.deleted(row, 400)
        self.assertEqual(self.purge(), 0)
        self.assertGreater(self.left(row), 0)
        self.assertEqual(len(self.db.exec(select(Report)).all()), 1)

    def test_every_table_of_a_session_is_thought_of(self) -> None:
        """A table that points to sessions is emptied with them, or keeps them from going."""
        pointing = {
            t.name for t in metadata.tables.values() for key in t.foreign_keys if key.column.table.name == "session"
        }
        thought_of = {table.__tablename__ for table in OF_A_SESSION}
        self.assertEqual(pointing - thought_of, {"report", "report_session", "signature"})

    def test_the_same_file_comes_in_again(self) -> None:
        self.keep_days(1)
        self.deleted(self.rows[0], 2)
        with self.assertRaises(ConflictError):
            self.stored(support.recording_file(600, session="S-0"))
        self.db.rollback()
        self.assertEqual(self.purge(), 1)
        again = self.stored(support.recording_file(600, session="S-0"))
        self.assertEqual(again.figures, "assessed")


class FromItsRecorder(MeterTest):
    def test_what_was_removed_is_read_anew_only_when_it_is_asked_for(self) -> None:
        name = self.record(3600)
        self.assertEqual(self.take_in(name), [True])
        row = self.db.exec(select(Session)).one()
        settings.keep(self.db, settings.KEEPS_DELETED.key, "site", "", 1.0, 0, self.who)
        sessions.delete_session(self.db, row.id or 0)
        row.deleted_at = now() - timedelta(days=2)
        self.db.add(row)
        self.db.commit()
        self.assertEqual(purging.purge(database.engine(self.url)), 1)
        self.db.expire_all()
        recorder = self.seen()
        [found] = bays.bays(self.db)[0].sessions
        self.assertEqual((found.standing, found.may_clear, found.person), ("deleted", False, ""))
        with self.assertRaisesRegex(ConflictError, "removed here for good"):
            take_in.clear(self.db, recorder.id or 0, [name])
        self.db.rollback()
        row = self.db.exec(select(Session)).one()
        self.assertEqual((row.person_id, row.hand_over_id, row.wish, row.trouble), (None, None, {}, ""))
        self.assertEqual(take_in.unfinished(self.db), [])
        [session_id] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda ids: None)
        self.assertTrue(take_in.run(database.engine(self.url), session_id))
        self.db.expire_all()
        row = self.db.exec(select(Session)).one()
        self.assertEqual((row.figures, row.deleted_at, row.purged_at), ("assessed", None, None))
        self.assertTrue(take_in.is_whole(self.db, row))
