"""Derived channels of a vehicle: kept only when they can be computed, there in lanes and tables, never in a figure."""

from __future__ import annotations

import numpy as np

from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.services.ground.problems import InvalidError
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register import sessions
from kumpel.services.yard import laps, vehicles
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session
from tests.support import DatabaseTest

COMBINED = {"name": "Combined acceleration", "unit": "g", "formula": "sqrt(lateral_g^2 + forward_g^2)"}
SHARE = {"name": "Share of grip", "unit": "%", "formula": "100 * combined_acceleration / 1.5"}


class Derived(DatabaseTest):
    def drive(self) -> Session:
        row = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording))
        sessions.change(self.db, row.id or 0, {"tags": {"vehicle": "kart K-1"}})
        return row

    def test_they_are_lanes_and_quantities_of_tables_with_the_arithmetic_of_the_formula(self) -> None:
        row = self.drive()
        before = figures.outcome(self.db, row.id or 0)
        self.assertNotIn("combined_acceleration", laps.sheet(self.db, row.id or 0).offered)
        vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "derived": [COMBINED, SHARE]})
        sheet = laps.sheet(self.db, row.id or 0, lanes=("combined_acceleration", "share_of_grip"))
        self.assertEqual(sheet.offered["combined_acceleration"], "Combined acceleration")
        both = {lane.key: np.array(lane.lap) for lane in sheet.lanes}
        np.testing.assert_allclose(both["share_of_grip"], 100 * both["combined_acceleration"] / 1.5, rtol=1e-9)
        recording = recording_of(self.db, row)
        highest = float(np.hypot(recording.channels["lateral_g"].values, recording.channels["forward_g"].values).max())
        self.assertLessEqual(both["combined_acceleration"].max(), highest)
        self.assertGreater(both["combined_acceleration"].max(), 0.8 * highest)
        table = laps.bins(
            self.db,
            row.id or 0,
            {"quantity": "combined_acceleration", "over": "rpm", "and_over": "throttle"},
        )
        self.assertEqual((table.quantity.name, table.quantity.unit), ("Combined acceleration", "g"))
        after = figures.outcome(self.db, row.id or 0)
        assert before is not None and after is not None
        self.assertEqual(before.reviewed_id, after.reviewed_id, "no figure hangs on it")
        self.assertNotIn("combined_acceleration", recording_of(self.db, row).channels)

    def test_one_that_cannot_be_computed_is_refused_with_its_place(self) -> None:
        for wish, why in (
            (COMBINED | {"formula": "sqrt(lateral_g^2"}, "“Combined acceleration”: .*bracket opened at position 5"),
            (COMBINED | {"formula": "sped * 2"}, "there is no channel “sped”"),
            (COMBINED | {"formula": "speed[kg]"}, "“Combined acceleration”"),
            (COMBINED | {"formula": "1 + 1"}, "reads no channel"),
            (COMBINED | {"name": "Speed"}, "a channel of this name already"),
            (COMBINED | {"name": "7"}, "begins with a letter"),
        ):
            with self.subTest(why), self.assertRaisesRegex(InvalidError, why):
                vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "derived": [wish]})
            self.assertEqual(vehicles.all_vehicles(self.db), [])
        with self.assertRaisesRegex(InvalidError, "“share_of_grip”|no channel “combined_acceleration”"):
            vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "derived": [SHARE, COMBINED]})
        with self.assertRaisesRegex(InvalidError, "12 derived channels"):
            many = [COMBINED | {"name": f"n{i}"} for i in range(13)]
            vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "derived": many})

    def test_while_it_is_typed_the_place_of_the_error_is_told(self) -> None:
        good = vehicles.check_formula("smooth(combined_acceleration, 0.2)", [COMBINED])
        self.assertEqual((good.error, good.position, good.reads), ("", 0, ("combined_acceleration",)))
        bad = vehicles.check_formula("speed + sped", [])
        self.assertEqual(bad.position, 9)
        self.assertIn("speed", bad.there)

    def test_a_session_without_the_channel_has_it_not(self) -> None:
        made = SIGNALS["vehicle"](2).recording
        bare = krec.Recording(
            made.kind,
            made.start,
            made.utc_offset_min,
            {k: c for k, c in made.channels.items() if k != "forward_g"},
            (),
            {},
            {},
        )
        row = self.stored(krec.write_recording(bare))
        sessions.change(self.db, row.id or 0, {"tags": {"vehicle": "kart K-1"}})
        vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "derived": [COMBINED]})
        sheet = laps.sheet(self.db, row.id or 0, lanes=("combined_acceleration",))
        self.assertNotIn("combined_acceleration", sheet.offered)
        self.assertNotIn("combined_acceleration", [lane.key for lane in sheet.lanes])
