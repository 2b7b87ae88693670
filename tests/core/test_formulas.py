"""Derived channels: values by hand, precedence, units, errors with their place, hostile input."""

import math
import random
import unittest

import numpy as np

from kumpel.core.recording import Channel
from kumpel.core.vehicle.formulas import MOST_CHARACTERS, FormulaError, parse

CHANNELS = {
    "speed": Channel("speed", "Speed", "m/s", 1.0, np.array([10.0, 20.0, 30.0, np.nan])),
    "brake": Channel("brake", "Brake", "%", 1.0, np.array([0.0, 50.0, 100.0, 0.0])),
    "lateral g": Channel("lateral g", "Lateral", "g", 1.0, np.array([-1.0, 0.5, 1.0, 0.0])),
    "temp": Channel("temp", "Temperature", "°C", 2.0, np.array([80.0, 90.0])),
    "gear": Channel("gear", "Gear", "", 2.0, np.array([1.0, 2.0])),
}


def value(text: str) -> list[float]:
    return parse(text).evaluate(CHANNELS, "d", "Derived", "").values.tolist()


class Values(unittest.TestCase):
    def first(self, text: str) -> float:
        return value(f"0 * brake + ({text})")[0]

    def test_precedence(self) -> None:
        for text, wanted in (
            ("2 + 3 * 4", 14), ("(2 + 3) * 4", 20), ("2 ^ 3 ^ 2", 512), ("-2 ^ 2", -4), ("2 ^ -1", 0.5), ("10 - 3 - 2", 5),
            ("12 / 4 / 3", 1), ("7 % 4", 3), ("1 < 2 and 2 < 1 or 1 == 1", 1), ("not 1 == 2", 1), ("1 + 1 > 1", 1), ("- - 3", 3),
            ("1e3 + .5", 1000.5), ("min(3, 1, 2)", 1), ("max(3, 1, 2)", 3), ("clamp(5, 0, 3)", 3), ("if(1 < 2, 10, 20)", 10),
            ("sin(30)", 0.5), ("cos(60)", 0.5), ("tan(45)", 1), ("atan2(1, 1)", 45), ("abs(-3)", 3), ("sqrt(16)", 4), ("exp(0)", 1),
            ("ln(exp(2))", 2), ("log10(1000)", 3), ("floor(2.7)", 2), ("ceil(2.1)", 3), ("round(2.6)", 3), ("sign(-4)", -1), ("pi", math.pi),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertAlmostEqual(self.first(text), wanted)

    def test_channels_units_and_missing(self) -> None:
        np.testing.assert_allclose(value("speed[km/h]"), [36, 72, 108, np.nan])
        np.testing.assert_allclose(value('"lateral g" * 9.80665 * brake'), [0, 245.166, 980.665, 0], atol=1e-3)
        np.testing.assert_array_equal(value("if(brake > 40, speed, 0)"), [0, 20, 30, 0])
        np.testing.assert_array_equal(value("missing(speed)"), [0, 0, 0, 1])
        np.testing.assert_array_equal(value("speed > 15"), [0, 1, 1, np.nan])

    def test_division_by_zero_is_missing_not_endless(self) -> None:
        np.testing.assert_array_equal(value("speed / brake"), [np.nan, 0.4, 0.3, np.nan])
        np.testing.assert_array_equal(value("sqrt(-brake)"), [0, np.nan, np.nan, 0])
        np.testing.assert_array_equal(value("ln(brake * 0)"), [np.nan] * 4)
        np.testing.assert_array_equal(value("10 ^ (brake * 100)"), [1, np.nan, np.nan, 1])

    def test_slower_channels_are_brought_to_the_fastest(self) -> None:
        np.testing.assert_array_equal(value("temp + 0 * brake"), [80, 85, 90, 90])
        np.testing.assert_array_equal(value("gear + 0 * brake"), [1, 1, 2, 2])
        self.assertEqual(parse("temp * 2").evaluate(CHANNELS, "d", "D", "").interval_s, 2.0)

    def test_over_time(self) -> None:
        np.testing.assert_allclose(value("derivative(brake)"), [50, 50, -25, -100])
        np.testing.assert_allclose(value("integral(brake)"), [0, 50, 150, 150])
        np.testing.assert_allclose(value("smooth(brake, 3)"), [25, 50, 50, 50])
        np.testing.assert_allclose(value("delay(brake, 1)"), [np.nan, 0, 50, 100])
        np.testing.assert_allclose(value("delay(brake, 0)"), [0, 50, 100, 0])


class Errors(unittest.TestCase):
    def test_each_names_its_place(self) -> None:
        for text, position, words in (
            ("", 1, "empty"),
            ("speed +", 8, "formula ends"),
            ("speed $ 2", 7, "no meaning"),
            ("(speed + 2", 11, "opened at position 1"),
            ("speed 2", 7, "left over"),
            ("sqroot(4)", 1, "no function"),
            ("1 + min(3)", 5, "takes 2 to 16 values, not 1"),
            ("1 < 2 < 3", 7, "chained"),
            ('speed + "brake', 9, "closing"),
            ("* 3", 1, "where a number"),
            ("speed)", 6, "left over"),
            ("1e999", 1, "too large"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(FormulaError, words) as caught:
                parse(text)
            self.assertEqual(caught.exception.position, position, text)

    def test_channels_and_units_at_evaluation(self) -> None:
        for text, position, words in (
            ("2 * sped", 5, "no channel “sped”"),
            ("1 + speed[mmHg]", 5, "cannot be turned"),
            ("2 + 2", 1, "reads no channel"),
            ("smooth(brake, -1)", 1, "between 0 and 3600"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(FormulaError, words) as caught:
                value(text)
            self.assertEqual(caught.exception.position, position)

    def test_channels_it_reads(self) -> None:
        self.assertEqual(parse('brake + "lateral g" * brake').channels, ("brake", "lateral g"))


class Hostile(unittest.TestCase):
    def test_bounded(self) -> None:
        for text in (
            "(" * 500 + "1" + ")" * 500,
            "-" * 900 + "1",
            "not " * 240 + "1",
            "+".join(["1"] * 450),
            "2^" * 400 + "2",
            "1" * (MOST_CHARACTERS + 1),
            "min(" * 200 + "1",
            "speed[" + "[" * 300,
            "__import__('os')",
            "speed.__class__()",
            "\x00",
            "{}",
            "1;2",
            "lambda: 0",
            "smooth(brake, 1e300)",
            "brake ^ 1e308 ^ 1e308",
        ):
            with self.subTest(text=text[:30]):
                try:
                    found = parse(text).evaluate(CHANNELS, "d", "D", "")
                    self.assertEqual(len(found.values), 4)
                except FormulaError as error:
                    self.assertGreaterEqual(error.position, 1)

    def test_random_text_never_fails_otherwise(self) -> None:
        rng = random.Random(1)
        words = [
            "speed",
            "brake",
            "(",
            ")",
            "+",
            "-",
            "*",
            "/",
            "^",
            "min",
            ",",
            "1",
            "2.5",
            "and",
            "not",
            "<",
            '"lateral g"',
            "[km/h]",
            "if",
            "smooth",
            "%",
        ]
        parsed = 0
        for _ in range(4000):
            text = " ".join(rng.choice(words) for _ in range(rng.randint(1, 12)))
            try:
                parse(text).evaluate(CHANNELS, "d", "D", "")
                parsed += 1
            except FormulaError:
                pass
        self.assertGreater(parsed, 50)


if __name__ == "__main__":
    unittest.main()
