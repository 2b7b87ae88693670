"""A close look at an episode, and a front over a crew: what is answered, and what is refused in words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kumpel.api import schemas
from kumpel.formats import krec
from kumpel.formats.krec import Channel
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.review import close_up, fronts
from kumpel.standins import gas_signal
from kumpel.standins.gas_signal import Episode, Shift
from kumpel.standins.jaw_muscle_signal import Night, make, usual_groups
from kumpel.store.tables import Session
from tests.support import DatabaseTest


class CloseUps(DatabaseTest):
    def night(self, interval_s: float = 0.002) -> Session:
        made = make(Night(3, 660.0, interval_s=interval_s, groups=usual_groups(3, 660.0, 60)))
        return self.stored(krec.write_recording(made.recording), self.person("Marit Solheim"))

    def test_what_a_screen_gets(self) -> None:
        row = self.night()
        found = schemas.CloseUp.model_validate(for_screen(close_up.look(self.db, row.id or 0, 300.0, 320.0)))
        self.assertEqual(
            [(c.key, len(c.values), c.start_s) for c in found.curves],
            [("rms.left", 2000, 300.0), ("rms.right", 2000, 300.0)],
        )
        self.assertGreater(len(found.moments[0].at_s), 10)
        rates = (
            schemas.CloseUp.model_validate(for_screen(close_up.look(self.db, row.id or 0, 0.0, 20.0))).moments[0].values
        )
        self.assertIn(None, rates, "the first beat ends no interval")
        beyond = schemas.CloseUp.model_validate(for_screen(close_up.look(self.db, row.id or 0, 5e5, 5e5 + 20)))
        self.assertEqual(
            [len(c.values) for c in beyond.curves], [], "past the end there is nothing, and nothing breaks"
        )

    def test_what_is_refused(self) -> None:
        row, noise = self.night(), self.session(600)
        with self.assertRaises(InvalidError):
            close_up.look(self.db, row.id or 0, 0.0, 121.0)
        with self.assertRaises(InvalidError):
            close_up.look(self.db, row.id or 0, 10.0, 10.0)
        with self.assertRaises(NotFoundError):
            close_up.look(self.db, noise.id or 0, 0.0, 10.0)

    def test_signals_too_slow_to_be_worked_on_are_said_in_words(self) -> None:
        made = make(Night(3, 660.0, interval_s=0.002)).recording
        slow = {k: Channel(k, c.name, c.unit, 0.02, c.values[::10]) for k, c in made.channels.items()}
        row = self.stored_unassessed(krec.write_recording(replace(made, channels=slow)))
        with self.assertRaisesRegex(ConflictError, "100 and more are needed"):
            close_up.look(self.db, row, 300.0, 320.0)

    def stored_unassessed(self, file: bytes) -> int:
        from kumpel.services.take_in import take_in

        row = take_in.from_file(self.db, file, self.who, {"person_id": None, "tags": {}})
        self.db.commit()
        return row.id or 0


class Fronts(DatabaseTest):
    def worn(self, number: int, place: tuple[float, float] | None, after: float) -> int:
        shift = Shift(number, 1800.0, 2.0, episodes=(Episode("co", after, 300.0, 60.0),), place=place)
        made = replace(gas_signal.make(shift).recording, recorder={"serial": f"GM-{number:06d}"})
        return self.stored(krec.write_recording(made), self.person(f"Wearer {number}")).id or 0

    def test_those_without_a_position_or_an_alarm_are_left_out_and_two_are_too_few(self) -> None:
        ids = [self.worn(1, (47.0, 8.0), 600.0), self.worn(2, None, 700.0), self.worn(3, (47.001, 8.0), 720.0)]
        found = fronts.passed(self.db, ids, "co.low")
        self.assertEqual([each.session_id for each in found.arrivals], [ids[0], ids[2]])
        self.assertAlmostEqual(abs(found.arrivals[1].north_m - found.arrivals[0].north_m), 111.2, delta=8)
        self.assertIn("3 places are needed", found.why_not)
        self.assertEqual(fronts.passed(self.db, ids, "h2s.high").why_not, "no recorder had a position when it was met")

    def test_other_kinds_and_too_many_are_refused(self) -> None:
        gas, noise = self.worn(1, (47.0, 8.0), 600.0), self.session(600)
        for asked in ([gas, noise.id or 0], [noise.id or 0], [], list(range(1, 20))):
            with self.subTest(asked=asked), self.assertRaises(InvalidError):
                fronts.passed(self.db, asked, "co.low")
        self.assertTrue(np.isfinite(fronts.passed(self.db, [gas], "co.low").arrivals[0].lat))
