"""Settings of a noise meter, their words, the shipped limit sets, the registry."""

import copy
import json
import unittest
from importlib.resources import files

from pydantic import ValidationError

from kumpel.core.assessment import Verdict
from kumpel.kinds import limit_sets
from kumpel.kinds.noise import KIND, NoiseSetup
from kumpel.kinds.registry import KINDS, UnknownKindError, kind_of
from kumpel.kinds.setup_fields import at_path
from kumpel.services.hand_out.drafts import compare


class Settings(unittest.TestCase):
    def test_every_setup_of_the_library_is_valid_and_comes_back_from_json(self) -> None:
        for name, setup in KIND.setup_library.items():
            with self.subTest(name=name):
                again = KIND.setup_model.model_validate(json.loads(setup.model_dump_json()))
                self.assertEqual(again, setup)

    def test_what_a_meter_cannot_do_is_refused(self) -> None:
        good = NoiseSetup().model_dump(mode="json")
        wrong = [
            ("interval_s", 2),
            ("run_length_min", 0),
            ("run_length_min", 60 * 60),
            ("start", "sometime"),
            ("start_at", "7:5"),
            ("delay_min", 0),
            ("display", "off"),
            ("weightings", []),
            ("weightings", good["weightings"] * 2),
            ("name", "x" * 61),
        ]
        for key, value in wrong:
            with self.subTest(key=key, value=value), self.assertRaises(ValidationError):
                NoiseSetup.model_validate(good | {key: value})

    def test_what_a_weighting_cannot_be_is_refused(self) -> None:
        good = NoiseSetup().model_dump(mode="json")
        for key, value in (
            ("frequency", "B"),
            ("time", "slow"),
            ("exchange_rate_db", 2),
            ("threshold_db", 10),
            ("criterion_db", 200),
            ("criterion_h", 0),
        ):
            wrong = copy.deepcopy(good)
            wrong["weightings"][0][key] = value
            with self.subTest(key=key), self.assertRaises(ValidationError):
                NoiseSetup.model_validate(wrong)

    def test_every_field_has_a_path_that_leads_somewhere(self) -> None:
        setup = NoiseSetup()
        settings = setup.model_dump(mode="json")
        paths = [field.path for field in KIND.fields(setup)]
        self.assertEqual(len(paths), len(set(paths)))
        for path in paths:
            parent, _, last = path.rpartition(".")
            with self.subTest(path=path):
                holder = at_path(settings, parent) if parent else settings
                self.assertIn(last, holder)

    def test_nothing_in_the_settings_is_hidden_from_the_comparison(self) -> None:
        setup = NoiseSetup(start_at="06:00", delay_min=5)
        shown = {field.path for field in KIND.fields(setup)}
        flat = set()
        for key, value in setup.model_dump(mode="json").items():
            if key == "weightings":
                flat |= {f"weightings.{i}.{name}" for i, each in enumerate(value) for name in each}
            else:
                flat.add(key)
        self.assertEqual(shown, flat)


class Comparing(unittest.TestCase):
    def differing(self, wanted: NoiseSetup, on_recorder: dict[str, object]) -> dict[str, tuple[str, str]]:
        return {f.path: (f.draft, f.on_recorder) for f in compare(KIND, wanted, on_recorder) if f.differs}

    def test_equal_is_equal_whatever_the_type_of_number(self) -> None:
        settings = json.loads(NoiseSetup().model_dump_json())
        settings["run_length_min"] = 480.0
        settings["weightings"][0]["criterion_db"] = 85
        self.assertEqual(self.differing(NoiseSetup(), settings), {})

    def test_true_is_not_one(self) -> None:
        settings = NoiseSetup().model_dump(mode="json") | {"keypad_lock": 1}
        self.assertEqual(self.differing(NoiseSetup(keypad_lock=False), settings)["keypad_lock"], ("free", "1"))

    def test_an_empty_or_foreign_recorder_differs_in_everything_and_breaks_nothing(self) -> None:
        for foreign in ({}, {"weightings": "many"}, {"weightings": [None, 3]}, {"name": None}):
            with self.subTest(foreign=foreign):
                found = self.differing(NoiseSetup(), foreign)
                self.assertIn("run_length_min", found)
                self.assertEqual(found["run_length_min"], ("480", "not set"))

    def test_more_weightings_on_the_recorder_are_shown(self) -> None:
        one = NoiseSetup(weightings=NoiseSetup().weightings[:1])
        self.assertEqual(
            self.differing(one, NoiseSetup().model_dump(mode="json")), {"weightings.1": ("none", "3 of them")}
        )

    def test_words_for_people(self) -> None:
        settings = NoiseSetup().model_dump(mode="json")
        settings["weightings"][1]["time"] = "F"
        settings["weightings"][1]["threshold_db"] = None
        found = self.differing(NoiseSetup(), settings)
        self.assertEqual(found["weightings.1.time"], ("slow", "fast"))
        self.assertEqual(found["weightings.1.threshold_db"], ("80", "none"))


class LimitSets(unittest.TestCase):
    def test_shipped_sets_come_back_from_their_json(self) -> None:
        for limits in KIND.limit_sets:
            self.assertEqual(limit_sets.limit_set_from(limit_sets.limit_set_data(limits)), limits)

    def test_keys_and_versions_are_unique_and_steps_rise(self) -> None:
        self.assertEqual(len({(s.key, s.version) for s in KIND.limit_sets}), len(KIND.limit_sets))
        for limits in KIND.limit_sets:
            for rule in limits.rules:
                values = [step.value for step in rule.steps]
                self.assertEqual(values, sorted(values), (limits.key, rule.name))

    def test_the_printed_values(self) -> None:
        eu, us, niosh = KIND.limit_sets
        self.assertEqual([s.value for s in eu.rules[0].steps], [80, 85])
        self.assertEqual([s.value for s in eu.rules[1].steps], [135, 137, 140])
        self.assertEqual([s.value for s in eu.rules[2].steps], [87])
        self.assertEqual([(r.parameters["threshold_db"], r.steps[0].value) for r in us.rules], [(80, 85), (90, 90)])
        self.assertEqual({r.parameters.get("criterion_db") for r in us.rules}, {90})
        self.assertEqual(
            (niosh.rules[0].parameters["criterion_db"], niosh.rules[0].parameters["exchange_rate_db"]), (85, 3)
        )

    def test_action_values_count_at_the_value_limits_above_it(self) -> None:
        eu, us, _ = KIND.limit_sets
        self.assertTrue(eu.rules[0].steps[0].reached_by(80.0))
        self.assertFalse(eu.rules[2].steps[0].reached_by(87.0))
        self.assertTrue(eu.rules[2].steps[0].reached_by(87.1))
        self.assertFalse(us.rules[1].steps[0].reached_by(90.0))

    def test_wrong_sets_name_the_rule(self) -> None:
        [good, *_] = json.loads(files("kumpel.kinds.noise").joinpath("limits.json").read_text())
        for change in (
            {"steps": []},
            {"steps": [{"value": "x", "verdict": "within", "name": "n"}]},
            {"steps": [{"value": 1, "verdict": "fine", "name": "n"}]},
        ):
            wrong = copy.deepcopy(good)
            wrong["rules"][1] |= change
            with self.subTest(change=change), self.assertRaisesRegex(ValueError, "rule 2"):
                limit_sets.limit_set_from(wrong)

    def test_verdicts_in_the_data_are_the_four(self) -> None:
        used = {step.verdict for limits in KIND.limit_sets for rule in limits.rules for step in rule.steps}
        self.assertLessEqual(used, {Verdict.ACTION, Verdict.ABOVE})


class Registry(unittest.TestCase):
    def test_an_unknown_kind_lists_what_there_is(self) -> None:
        with self.assertRaisesRegex(UnknownKindError, "noise"):
            kind_of("hats")

    def test_every_kind_is_complete(self) -> None:
        for kind in KINDS.values():
            with self.subTest(kind=kind.key):
                self.assertTrue(kind.limit_sets and kind.setup_library and kind.check_list)
                self.assertLessEqual(set(kind.one_page), set(kind.report_parts))
                self.assertTrue(all(limits.kind == kind.key for limits in kind.limit_sets))
