"""A further sensor from its declaration to the figure: register, slip, recorder, calibration, recording, lanes and limits of belief."""

from __future__ import annotations

import shutil
import tempfile
import time
from datetime import date
from pathlib import Path
from typing import Any

from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.services.ground import figures, limits, recordings, sensor_checks
from kumpel.services.ground.problems import InvalidError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import recorders, sensors
from kumpel.services.review import own_limits
from kumpel.services.take_in import take_in
from kumpel.services.yard import laps, vehicles
from kumpel.store import database
from kumpel.store.tables import Recorder, Session
from tests.support import DatabaseTest

LINE: dict[str, Any] = {
    "name": "Brake line pressure",
    "quantity": "pressure",
    "unit": "bar",
    "low": 0.0,
    "high": 100.0,
    "input": 1,
    "hz": 50,
    "points": 3,
}
FLOOR: dict[str, Any] = {"name": "Floor temperature", "quantity": "temperature", "unit": "°C", "low": -40, "high": 160}
FLOOR |= {"input": 3, "hz": 2, "points": 1}
KEY, FLOOR_KEY = "brake_line_pressure", "floor_temperature"


class Declared(DatabaseTest):
    def kart(self, *declared: dict[str, Any], **rest: Any) -> vehicles.VehicleRow:
        return vehicles.put(self.db, {"name": "kart K-1", "profile": "kart", "sensors": list(declared), **rest})

    def test_what_is_wrong_is_named_and_nothing_is_kept(self) -> None:
        for sensors_, words in (
            ([LINE, LINE | {"input": 2}], "there is a channel “Brake line pressure” already"),
            ([LINE, FLOOR | {"input": 1}], "input 1 has “Brake line pressure” on it already"),
            ([LINE | {"name": "RPM"}], "there is a channel “RPM” already"),
            ([LINE | {"name": "7 bar"}], "begins with a letter"),
            ([LINE | {"low": 100}], "its end lies above its beginning"),
            ([LINE | {"high_v": 0.6}], "0.3 V at the least"),
            ([LINE | {"points": 10}], "less than or equal to 9"),
        ):
            with self.assertRaisesRegex(InvalidError, words):
                self.kart(*sensors_)
        self.assertEqual(vehicles.all_vehicles(self.db), [])

    def test_a_formula_reads_it_and_it_cannot_be_taken_from_under_one(self) -> None:
        load = {"name": "Line per g", "unit": "", "formula": f"{KEY} / forward_g"}
        kart = self.kart(LINE, derived=[load], check_days={KEY: 30})
        self.assertEqual(kart.derived[0]["formula"], load["formula"])
        self.assertEqual(vehicles.check_formula(load["formula"], [], [LINE]).error, "")
        self.assertIn(KEY, vehicles.check_formula(load["formula"], []).error)
        with self.assertRaisesRegex(InvalidError, f"Line per g.*{KEY}"):
            vehicles.put(self.db, {"sensors": []}, kart.id)
        with self.assertRaisesRegex(InvalidError, "channel of this name already"):
            vehicles.put(self.db, {"derived": [load | {"name": "Brake line pressure"}]}, kart.id)
        with self.assertRaisesRegex(InvalidError, "no sensor that is calibrated"):
            vehicles.put(self.db, {"check_days": {FLOOR_KEY: 30}}, kart.id)

    def test_a_set_of_limits_may_have_a_rule_of_it(self) -> None:
        usual = limits.usual(self.db, "vehicle")
        assert usual is not None
        step = {"value": 65.0, "verdict": "above limit", "name": "limit"}
        wish = own_limits.Wish(
            usual.id or 0, "Brakes of K-1", "", date(2026, 1, 1), 0.5, [{"figure": f"max.{KEY}", "steps": [step]}]
        )
        with self.assertRaisesRegex(InvalidError, "no set of this kind has a rule"):
            own_limits.copied(self.db, wish, self.who)
        self.kart(LINE)
        offered = [(rule.figure, rule.unit, rule.steps[0].value) for rule in own_limits.of_sensors(self.db, "vehicle")]
        self.assertEqual(offered, [(f"max.{KEY}", "bar", 100.0), (f"min.{KEY}", "bar", 0.0)])
        self.assertEqual(own_limits.of_sensors(self.db, "noise"), [])
        made = own_limits.copied(self.db, wish, self.who)
        [rule] = made.data["rules"]
        self.assertEqual((rule["figure"], rule["name"], rule["unit"]), (f"max.{KEY}", "Brake line pressure", "bar"))


class OnALogger(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(tempfile.mkdtemp(prefix="kumpel-further-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.ensemble = Ensemble(folder, 1.0)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch((StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False),), False)
        self.vehicle = vehicles.put(
            self.db, {"name": "kart K-1", "profile": "kart", "sensors": [LINE, FLOOR], "check_days": {KEY: 30}}
        )

    @property
    def wire(self) -> Running:
        return self.ensemble.running["V-02"]

    def logger(self) -> Recorder:
        return recorders.heard(self.db, Announcement("VL-000204", "127.0.0.1", self.wire.link, "V-02"))

    def handed_out(self, **off: Any) -> Recorder:
        """The logger, set up for the vehicle as a slip does it."""
        recorder, person = self.logger(), self.person()
        begun = drafts.draft(self.db, recorder.id or 0, person.id).settings | {"machine": "kart K-1"}
        draft = drafts.draft(self.db, recorder.id or 0, person.id, drafts.Start(begun, fit=True))
        settings = draft.settings
        settings["further"][0] |= off
        hand_out.hand_out(
            self.db,
            hand_out.Slip(recorder.id or 0, person.id or 0, settings, draft.revision, despite="a test"),
            self.who,
        )
        self.db.expire_all()
        return self.logger()

    def test_the_slip_takes_them_from_the_register_and_keeps_which_are_off(self) -> None:
        recorder = self.handed_out(on=False, off_because="cable torn")
        with RecorderLink("127.0.0.1", self.wire.link) as link:
            there = link.setup().setup["further"]
        self.assertEqual(
            [(e["name"], e["input"], e["on"]) for e in there], [(LINE["name"], 1, False), (FLOOR["name"], 3, True)]
        )
        bench = sensors.bench(self.db, recorder.id or 0)
        line = next(each for each in bench.sensors if each.word.key == KEY)
        self.assertEqual((line.off, line.off_because), (True, "cable torn"))
        # The next slip of this vehicle says the same; what the register changed meanwhile comes with it.
        vehicles.put(self.db, {"sensors": [LINE | {"input": 2}, FLOOR]}, self.vehicle.id)
        person = self.person("Mads Oberlin")
        draft = drafts.draft(self.db, recorder.id or 0, person.id, drafts.Start(recorder=True))
        self.assertEqual(
            [(e["input"], e["on"]) for e in drafts.draft(self.db, recorder.id or 0, person.id).settings["further"]],
            [(2, False), (3, True)],
        )
        self.assertEqual([e["input"] for e in draft.settings["further"]], [1, 3])

    def test_a_logger_without_inputs_is_asked_for_none(self) -> None:
        recorder = self.logger()
        recorder.setup = {key: value for key, value in recorder.setup.items() if key != "further"}
        self.db.add(recorder)
        self.db.commit()
        draft = drafts.draft(self.db, recorder.id or 0, self.person().id)
        self.assertFalse([each for each in draft.lists if each.path == "further"])
        self.assertFalse([each for each in draft.fields if each.path.startswith("further")])

    def test_three_points_and_one_press_are_written_and_hold_as_the_vehicle_says(self) -> None:
        recorder = self.handed_out()
        rid = recorder.id or 0
        by_key = {each.word.key: each for each in sensors.bench(self.db, rid).sensors}
        self.assertEqual(by_key[KEY].trues, (0.0, 50.0, 100.0))
        self.assertEqual((by_key[KEY].word.every_days, by_key[FLOOR_KEY].word.way), (30, "press"))
        due = sensor_checks.overdue(self.db, [recorder])[rid]
        self.assertIn("Brake line pressure: never calibrated", due)
        raws: list[float | None] = [None, None, None]
        trues = [0.0, 50.0, 100.0]
        for i, true in enumerate(trues):
            self.wire.tell("set", held={KEY: true})
            held = sensors.capture(self.db, rid, KEY, i, trues, raws)
            self.assertEqual(held.refused, "")
            raws[i] = held.raw
        # The simulated sensor gives 0.062 V more at its lowest and 0.041 V less at its highest than the 0.5 to 4.5 V of its sheet.
        for raw, gives in zip(raws, (0.562, (0.562 + 4.459) / 2, 4.459), strict=True):
            self.assertAlmostEqual(raw or 0.0, gives, delta=0.003)
        sensors.write(self.db, rid, KEY, [(raw or 0.0, true) for raw, true in zip(raws, trues, strict=True)], "P-88")
        self.wire.tell("set", held={FLOOR_KEY: 0.0, KEY: 62.0})
        bench = sensors.press(self.db, rid, FLOOR_KEY)
        zeroed = next(each for each in bench.sensors if each.word.key == FLOOR_KEY)
        assert zeroed.on_it is not None
        self.assertEqual([true for _, true in zeroed.on_it[FLOOR_KEY]], [0.0])
        with sensors.talk_to(self.db, recorder) as link:
            link.live([KEY, FLOOR_KEY], 100)
            shown: dict[str, float] = {}
            while len(shown) < 2:
                shown |= {each.channel: each.value for each in link.live_values(3.0)}
        self.assertAlmostEqual(shown[KEY], 62.0, delta=0.6)
        self.assertAlmostEqual(shown[FLOOR_KEY], 0.0, delta=1.0)
        standing = {each.word.key: each.standing for each in bench.sensors}
        self.assertEqual([each and each.state for each in (standing[KEY], standing[FLOOR_KEY])], ["right", "right"])
        self.wire.tell("set", raw={FLOOR_KEY: 0.04})
        with self.assertRaisesRegex(Exception, "its wire is off or broken"):
            sensors.press(self.db, rid, FLOOR_KEY)

    def test_its_recording_has_the_channel_with_figures_a_lane_and_a_table(self) -> None:
        self.handed_out()
        name = self.wire.tell("record", start=time.time() - 700, length_s=600.0, seed=3, laps=4)["session"]
        recorder = self.logger()
        ids = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, str(name))], self.who, lambda session_id: None)
        self.assertTrue(take_in.run(database.engine(self.url), ids[0]))
        figures.run(database.engine(self.url), ids[0])
        self.db.expire_all()
        row = self.db.get_one(Session, ids[0])
        channel = recordings.recording_of(self.db, row).channels[KEY]
        self.assertEqual((channel.name, channel.unit, channel.interval_s), ("Brake line pressure", "bar", 0.02))
        found = figures.outcome(self.db, ids[0])
        assert found is not None
        highest = found.both.reviewed.figure(f"max.{KEY}")
        # The simulated line has 0.6 bar a percent of the pedal, which goes to 100: near 60 of the 100 bar.
        self.assertTrue(40 < highest.value < 62, highest)
        self.assertEqual(found.both.reviewed.figure(f"min.{FLOOR_KEY}").unit, "°C")
        sheet = laps.sheet(self.db, ids[0], lanes=(KEY,))
        self.assertIn(KEY, [lane.key for lane in sheet.lanes])
        self.assertIn(FLOOR_KEY, sheet.offered)


if __name__ == "__main__":
    import unittest

    unittest.main()
