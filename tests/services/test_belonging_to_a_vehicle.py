"""What belongs to a vehicle: its limits, how long its calibrations hold, how its sessions are looked at, and the gear that is computed."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import numpy as np

from kumpel.core.assessment import Verdict
from kumpel.formats import krec
from kumpel.services.ground import figures, limits, sensor_checks
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.recorders import checks, sensors
from kumpel.services.register import sessions
from kumpel.services.review import deciding, own_limits
from kumpel.services.yard import belonging, laps, vehicles
from kumpel.standins.lap_driver import drive, recorded
from kumpel.standins.signals import SIGNALS
from kumpel.standins.vehicle_signal import CAR, practice_loop
from kumpel.store.tables import Recorder, SensorCheck, Session, now
from tests.support import DatabaseTest


class OfAVehicle(DatabaseTest):
    driven = 0

    def drive(self, vehicle: str = "kart K-1") -> Session:
        self.driven += 1
        made = SIGNALS["vehicle"](2).recording
        later = replace(made, start=made.start + 3600 * self.driven)
        row = self.stored(krec.write_recording(later, f"S-{self.driven}"))
        return sessions.change(self.db, row.id or 0, {"tags": {"vehicle": vehicle}})

    def strict(self, most_rpm: float = 1000.0) -> own_limits.Wish:
        """The shipped limits, but for the engine speed."""
        base = next(row for row in limits.all_limit_sets(self.db, "vehicle"))
        rules = [
            {k: r[k] for k in ("figure", "name", "parameters")} | {"steps": [dict(s) for s in r["steps"]]}
            for r in base.data["rules"]
        ]
        for rule in rules:
            if rule["figure"] == "max.rpm":
                rule["steps"] = [step | {"value": most_rpm + i} for i, step in enumerate(rule["steps"])]
        told: dict[str, Any] = {"issuer": "Tarnfels", "valid_from": date(2026, 1, 1), "minimum_coverage": 0.8}
        return own_limits.Wish(base.id or 0, name="Engine of K-1", rules=rules, **told)

    def used(self, row: Session) -> int:
        self.db.expire_all()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.limit_set_id

    def verdict(self, row: Session) -> Verdict:
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.both.reviewed.verdict

    def test_its_limits_hold_for_its_sessions_until_somebody_chooses_others(self) -> None:
        usual = limits.usual(self.db, "vehicle")
        own = own_limits.copied(self.db, self.strict(), self.who)
        assert usual is not None
        kart = vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "limit_set_id": own.id})
        self.assertEqual(kart.limit_set_id, own.id)
        other = self.drive("kart K-2")
        self.assertEqual(self.used(other), usual.id)
        mine = self.drive()
        self.assertEqual(self.used(mine), own.id)
        self.assertEqual(self.verdict(mine), Verdict.ABOVE)
        # The one of the other kart was tagged wrongly: with the right one it is held against its limits, and back.
        sessions.change(self.db, other.id or 0, {"tags": {"vehicle": "kart K-1"}})
        self.assertEqual(self.used(other), own.id)
        sessions.change(self.db, other.id or 0, {"tags": {"vehicle": "kart K-2"}})
        self.assertEqual(self.used(other), usual.id)
        # A newer version of the set is what counts from then on; what somebody chose for a session counts before it.
        newer = own_limits.changed(self.db, own.id or 0, self.strict(50_000.0), self.who)
        self.assertNotEqual(newer.id, own.id)
        again = self.drive()
        self.assertEqual(self.used(again), newer.id)
        wish = deciding.Wish("setting", "limit_set_id", value=usual.id)
        deciding.decide(self.db, again.id or 0, again.review_version, [wish], who=self.who)
        self.assertEqual(self.used(again), usual.id)

    def test_limits_of_another_kind_and_unknown_sensors_are_refused(self) -> None:
        noise = limits.usual(self.db, "noise")
        assert noise is not None
        for wish, error in (
            ({"limit_set_id": noise.id}, NotFoundError),
            ({"limit_set_id": 9999}, NotFoundError),
            ({"check_days": {"wings": 30}}, InvalidError),
        ):
            with self.subTest(wish), self.assertRaises(error):
                vehicles.put(self.db, {"name": "kart K-1", "profile": "kart"} | wish)
            self.db.rollback()
            self.assertEqual(vehicles.all_vehicles(self.db), [])

    def test_how_long_a_calibration_holds_is_the_vehicles(self) -> None:
        recorder = Recorder(serial="VL-1", token="V-01", kind="vehicle", name="Logger", setup={"machine": "kart K-1"})
        self.db.add(recorder)
        self.db.commit()
        self.assertEqual(belonging.check_days(self.db, [recorder]), {})
        vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "check_days": {"steering": 7}})
        self.assertEqual(belonging.check_days(self.db, [recorder]), {recorder.id: {"steering": 7}})
        days = {each.word.key: each.word.every_days for each in sensors.bench(self.db, recorder.id or 0).sensors}
        self.assertEqual((days["steering"], days["throttle"]), (7, 92))
        # One of which nobody said how long it holds was made ten days ago: too long for this vehicle.
        made = SensorCheck(
            recorder_id=0, what=sensor_checks.CALIBRATION, sensor="steering", at=now() - timedelta(days=10)
        )
        checks.keep(self.db, recorder, made)
        self.db.commit()
        late = [words for words in sensor_checks.overdue(self.db, [recorder])[recorder.id or 0] if "Steering" in words]
        self.assertRegex(late[0], "due since")
        vehicles.put(self.db, {"check_days": {}}, vehicles.all_vehicles(self.db)[0].id)
        self.assertFalse([w for w in sensor_checks.overdue(self.db, [recorder])[recorder.id or 0] if "Steering" in w])

    def test_how_its_sessions_are_looked_at_is_remembered_for_everybody(self) -> None:
        kart = vehicles.put(self.db, {"name": "kart K-1", "profile": "kart"})
        vehicles.arrange(self.db, kart.id, "lanes", ["rpm", "lateral_g"])
        vehicles.arrange(self.db, kart.id, "table", {"quantity": "mixture"})
        self.assertEqual(
            vehicles.all_vehicles(self.db)[0].looks, {"lanes": ["rpm", "lateral_g"], "table": {"quantity": "mixture"}}
        )
        vehicles.put(self.db, {"number": "27"}, kart.id)
        vehicles.arrange(self.db, kart.id, "lanes", None)
        self.assertEqual(vehicles.all_vehicles(self.db)[0].looks, {"table": {"quantity": "mixture"}})
        with self.assertRaisesRegex(InvalidError, "too much"):
            vehicles.arrange(self.db, kart.id, "table", "x" * 50_000)

    def test_the_gear_is_a_lane_where_the_box_does_not_tell_it(self) -> None:
        rng = np.random.default_rng(4)
        made = recorded(drive(practice_loop(), CAR, 4, (), 0.03, rng), rng).recording
        told, bare = made, replace(made, channels={k: c for k, c in made.channels.items() if k != "gear"})
        row = self.stored(krec.write_recording(bare, "S-1"))
        sheet = laps.sheet(self.db, row.id or 0, lanes=("gear",))
        self.assertEqual(sheet.offered["gear"], "Gear, computed")
        gear = next(lane for lane in sheet.lanes if lane.key == "gear")
        whole = [v for v in gear.lap if not np.isnan(v)]
        self.assertEqual(set(whole) - {1.0, 2.0, 3.0, 4.0, 5.0, 6.0}, set())
        self.assertGreater(len(set(whole)), 1)
        box = self.stored(krec.write_recording(told, "S-2"))
        self.assertEqual(laps.sheet(self.db, box.id or 0).offered["gear"], told.channels["gear"].name)
        asked = {"quantity": "throttle", "over": "gear", "and_over": "rpm"}
        self.assertEqual(laps.bins(self.db, row.id or 0, asked).over.name, "Gear, computed")
