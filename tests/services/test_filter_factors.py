"""Factors from filters: new sessions of their days get them, older ones by decision, signed ones never."""

from dataclasses import replace
from datetime import timedelta

from kumpel.core.dust.filter_factor import Filter
from kumpel.formats import krec
from kumpel.services.ground import decisions, figures, filter_factors
from kumpel.services.ground.filter_factors import Wish
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.wall import wall_day
from kumpel.services.report import conclusions
from kumpel.services.review import deciding, factors
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Recorder, Session
from tests.support import DatabaseTest

LOADED = Filter(0.24, 0.05, 5.8)
FACTOR = 0.19 / 5.8 / 0.0244


class FilterFactors(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.made = SIGNALS["dust"](1).recording
        self.recorder = Recorder(serial=str(self.made.recorder["serial"]), kind="dust", token="D-1", name="Dust 1")
        self.db.add(self.recorder)
        self.db.commit()

    def run_of(self, day: int, name: str) -> Session:
        file = krec.write_recording(replace(self.made, start=self.made.start + 86_400 * day), name)
        row = self.stored(file, self.person(f"Ida {name}"))
        self.assertEqual(row.recorder_id, self.recorder.id)
        return row

    def factor_of(self, row: Session) -> float:
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        return next(p.value for p in outcome.both.reviewed.figure("mean").why.numbers if p.symbol == "k")

    def test_new_ones_get_it_older_ones_by_decision_signed_ones_never(self) -> None:
        before, there, signed = self.run_of(0, "A"), self.run_of(3, "B"), self.run_of(4, "C")
        conclusions.sign(self.db, signed.id or 0, signed.review_version, self.who)
        since = wall_day(there)
        row = filter_factors.keep(self.db, self.recorder, Wish(LOADED, 0.0244, since, since + timedelta(days=9)))
        self.assertEqual([s.id for s in filter_factors.there_already(self.db, row)], [there.id])
        new, later = self.run_of(5, "D"), self.run_of(20, "E")
        as_set = float(self.made.setup["factor"])
        self.assertAlmostEqual(self.factor_of(new), FACTOR)
        for each in (before, there, signed, later):
            self.assertAlmostEqual(self.factor_of(each), as_set)
        [decision] = decisions.of_session(self.db, new.id or 0)
        self.assertIn("1.34 ± 0.24", decision.reason)
        done, kept = factors.apply(self.db, row.id or 0, [there.id or 0, signed.id or 0], self.who)
        self.assertEqual((done, kept), ([there.id], [signed.id]))
        self.assertAlmostEqual(self.factor_of(there), FACTOR)
        self.db.refresh(there)
        for each in (there, new):
            self.db.refresh(each)
            deciding.undo(self.db, each.id or 0, each.review_version)
            self.assertAlmostEqual(self.factor_of(each), as_set)
        with self.assertRaises(InvalidError):
            factors.apply(self.db, row.id or 0, [before.id or 0], self.who)

    def test_two_that_hold_at_once_are_refused_and_one_taken_back_holds_no_more(self) -> None:
        since = wall_day(self.run_of(0, "A"))
        row = filter_factors.keep(self.db, self.recorder, Wish(LOADED, 0.0244, since))
        for wish in (Wish(LOADED, 0.02, since + timedelta(days=3)), Wish(LOADED, 0.02, since - timedelta(days=3))):
            with self.assertRaises(ConflictError):
                filter_factors.keep(self.db, self.recorder, wish)
        filter_factors.keep(
            self.db, self.recorder, Wish(LOADED, 0.02, since - timedelta(days=3), since - timedelta(days=1))
        )
        filter_factors.end(self.db, row.id or 0, None)
        with self.assertRaises(NotFoundError):
            filter_factors.end(self.db, row.id or 0, None)
        self.assertEqual(decisions.of_session(self.db, self.run_of(2, "B").id or 0), [])
        with self.assertRaises(InvalidError):
            filter_factors.keep(self.db, self.recorder, Wish(replace(LOADED, mass_mg=0.01), 0.02, since))
