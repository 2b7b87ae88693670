"""The months of a vehicle: what was driven, what was reached, the best laps, and the check that is due; limits by their day."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

from kumpel.formats import krec
from kumpel.services.ground import figures, limits
from kumpel.services.ground.problems import NotFoundError
from kumpel.services.review import own_limits
from kumpel.services.review.own_limits import Wish
from kumpel.services.yard import months, vehicles
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import FigureValue, Recorder, SensorCheck, Session, now
from tests.support import DatabaseTest

KART = "kart K-1"


class VehicleMonths(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.kart = vehicles.put(self.db, {"name": KART, "profile": "kart"})
        self.made = SIGNALS["vehicle"](2).recording

    def drive(self, start: datetime, best: float, verdict: str, course: str = "Tarnfels yard") -> Session:
        setup = {**self.made.setup, "machine": KART}
        moved = replace(self.made, start=start.timestamp(), utc_offset_min=60, setup=setup)
        row = self.stored(krec.write_recording(moved, f"S-{start:%m%d}"), self.person(f"Driver {start:%m%d}"))
        row.course, row.verdict = course, verdict
        value = self.db.get(FigureValue, (row.id, "best")) or FigureValue(
            session_id=row.id or 0, key="best", unit="s", coverage=1.0, method="vehicle", kind="vehicle"
        )
        value.value = best
        self.db.add_all([row, value])
        self.db.commit()
        return row

    def test_by_month_with_the_best_lap_of_each_course(self) -> None:
        # The last evening of October by UTC is the first of November on the wall.
        first = self.drive(datetime(2026, 10, 31, 23, 30, tzinfo=UTC), 61.2, "above limit")
        second = self.drive(datetime(2026, 11, 14, 9, tzinfo=UTC), 60.8, "within")
        other = self.drive(datetime(2026, 10, 4, 9, tzinfo=UTC), 59.9, "action level reached", "Hall")
        found = months.months_of(self.db, self.kart.id)
        november, october = found.months
        self.assertEqual((november.first, october.first), (date(2026, 11, 1), date(2026, 10, 1)))
        self.assertEqual((november.sessions, november.reached, november.actions), (2, 1, 0))
        self.assertEqual((october.sessions, october.reached, october.actions), (1, 0, 1))
        self.assertAlmostEqual(november.hours, (first.length_s + second.length_s) / 3600)
        self.assertEqual(
            [(b.course, b.seconds, b.session_id) for b in november.best], [("Tarnfels yard", 60.8, second.id)]
        )
        self.assertEqual([(b.course, b.seconds, b.session_id) for b in october.best], [("Hall", 59.9, other.id)])
        other.deleted_at = now()
        self.db.add(other)
        self.db.commit()
        self.assertEqual(len(months.months_of(self.db, self.kart.id).months), 1)

    def test_its_loggers_checks(self) -> None:
        logger = Recorder(serial="VL-1", token="V-01", kind="vehicle", name="Logger", setup={"machine": KART})
        self.db.add(logger)
        self.db.commit()
        due = now() + timedelta(days=30)
        self.db.add(
            SensorCheck(
                recorder_id=logger.id or 0, what="laboratory check", sensor="", passed=True, at=now(), due_at=due
            )
        )
        self.db.commit()
        self.assertEqual(months.months_of(self.db, self.kart.id).next_check, due)
        with self.assertRaises(NotFoundError):
            months.months_of(self.db, 9999)

    def test_a_vehicles_own_limits_hold_in_the_version_of_the_day(self) -> None:
        base = limits.usual(self.db, "vehicle")
        assert base is not None
        rules = [{k: r[k] for k in ("figure", "name", "parameters", "steps")} for r in base.data["rules"]]
        first = own_limits.copied(self.db, Wish(base.id or 0, "Karts", "", date(2020, 1, 1), 0.75, rules), self.who)
        vehicles.put(self.db, {"limit_set_id": first.id}, self.kart.id)
        row = self.drive(datetime(2026, 11, 14, 9, tzinfo=UTC), 60.8, "within")
        second = own_limits.changed(
            self.db, first.id or 0, Wish(first.id or 0, "Karts", "", date(2026, 11, 15), 0.75, rules), self.who
        )
        figures.refresh(self.db, row)
        self.db.commit()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        self.assertEqual(found.limit_set_id, first.id)
        third = own_limits.changed(
            self.db, second.id or 0, Wish(second.id or 0, "Karts", "", date(2026, 11, 15), 0.8, rules), self.who
        )
        later = self.drive(datetime(2026, 11, 20, 9, tzinfo=UTC), 60.8, "within")
        found = figures.outcome(self.db, later.id or 0)
        assert found is not None
        self.assertEqual(found.limit_set_id, third.id)


if __name__ == "__main__":
    unittest.main()
