"""Forms of setups: units that hang on a neighbour, settings that name something else on the recorder."""

from __future__ import annotations

import unittest
from typing import Any, ClassVar

from kumpel.core.gas.sensors import GASES
from kumpel.kinds.gas import GasSetup, SensorSetup
from kumpel.kinds.registry import KINDS
from kumpel.kinds.setup_fields import described, names_at
from kumpel.kinds.vehicle import VehicleSetup
from kumpel.services.ground.problems import InvalidError
from kumpel.services.hand_out.drafts import checked, compare


class UnitOfANeighbourTests(unittest.TestCase):
    def test_every_alarm_has_the_unit_of_its_gas(self) -> None:
        setup = GasSetup(sensors=[SensorSetup(gas=gas) for gas in ("o2", "lel", "co", "h2s")])
        units = {f.path: f.unit for f in described(setup)}
        for i, gas in enumerate(("o2", "lel", "co", "h2s")):
            for name in ("low", "high", "stel", "twa", "range", "span"):
                self.assertEqual(units[f"sensors.{i}.{name}"], GASES[gas].unit)
        self.assertEqual(units["sensors.0.low"], "vol %")
        self.assertEqual(units["sensors.0.factor"], "")

    def test_what_is_on_the_recorder_has_the_unit_of_its_own_gas(self) -> None:
        draft = GasSetup(sensors=[SensorSetup(gas="co", low=20)])
        held = GasSetup(sensors=[SensorSetup(gas="o2", low=19.5)]).model_dump(mode="json")
        low = next(f for f in compare(KINDS["gas"], draft, held) if f.path == "sensors.0.low")
        self.assertEqual((low.draft, low.unit), ("20", "ppm"))
        self.assertEqual((low.on_recorder, low.unit_on_recorder), ("19.5", "vol %"))

    def test_a_recorder_that_says_nothing_has_no_unit(self) -> None:
        low = next(f for f in compare(KINDS["gas"], GasSetup(), {}) if f.path == "sensors.0.low")
        self.assertEqual((low.on_recorder, low.unit_on_recorder), ("not set", ""))


class ReferenceTests(unittest.TestCase):
    held: ClassVar[dict[str, Any]] = {"courses": [{"name": "Steinring"}, {"name": "Hafen"}, {"name": "Steinring"}, {}]}

    def choices(self, course: str, held: dict[str, Any]) -> list[tuple[Any, str]]:
        [field] = [f for f in described(VehicleSetup(course=course), held) if f.path == "course"]
        self.assertEqual(field.type, "choice")
        return [(c.value, c.words) for c in field.choices]

    def test_a_course_is_one_of_those_on_the_recorder(self) -> None:
        offered = [("", "found by position"), ("Steinring", "Steinring"), ("Hafen", "Hafen")]
        self.assertEqual(self.choices("", self.held), offered)
        self.assertEqual(self.choices("Hafen", self.held), offered)

    def test_a_name_that_is_not_there_stays_and_says_so(self) -> None:
        self.assertEqual(self.choices("Alt", self.held)[-1], ("Alt", "Alt (not on this recorder)"))
        self.assertEqual(self.choices("Alt", {})[1:], [("Alt", "Alt (not on this recorder)")])

    def test_paths_that_lead_nowhere_name_nothing(self) -> None:
        for held in ({}, {"courses": None}, {"courses": "Hafen"}, {"courses": [1, None, {"name": 3}]}):
            self.assertEqual(names_at(held, "courses.*.name"), [])
        self.assertEqual(names_at({"course": "Hafen"}, "course"), ["Hafen"])


class Brought(unittest.TestCase):
    def test_every_gas_brings_alarms_of_its_own_in_the_order_that_alarms_have(self) -> None:
        gas = next(f for f in KINDS["gas"].fields(GasSetup()) if f.path == "sensors.0.gas")
        self.assertEqual(set(gas.brings), set(GASES))
        for key, brought in gas.brings.items():
            with self.subTest(key):
                SensorSetup(gas=key, **brought)
                self.assertLess(brought["low"], brought["high"])
                self.assertEqual(set(brought), {"low", "high", "stel", "twa", "range", "span"})

    def test_a_high_alarm_below_the_low_one_is_refused_with_its_sensor(self) -> None:
        wrong = GasSetup().model_dump(mode="json")
        wrong["sensors"][2] |= {"low": 50.0, "high": 20.0}
        with self.assertRaisesRegex(InvalidError, "Sensor 3: the high alarm has to lie above the low one"):
            checked(KINDS["gas"], wrong)
