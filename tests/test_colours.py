"""Every colour of text on every ground that it may stand on, in every look: contrast by WCAG 2.2, 1.4.3, from the sheet of colours itself."""

from __future__ import annotations

import re
import unittest

from kumpel.config import ROOT

TEXTS = ("ink", "soft", "act", "within", "action", "above", "none")
GROUNDS = ("salt", "panel", "act-soft", "warn", "ground")
LEAST = 4.5


def luminance(colour: str) -> float:
    """Relative luminance of "#rrggbb" (WCAG 2.2, definitions)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    dark, light = sorted((luminance(one), luminance(other)))
    return (light + 0.05) / (dark + 0.05)


class Colours(unittest.TestCase):
    def looks(self) -> dict[str, dict[str, str]]:
        sheet = (ROOT / "web" / "src" / "app" / "theme.css").read_text()
        found = {"day": {}, "night": {}, "contrast": {}}  # type: dict[str, dict[str, str]]
        for name, body in re.findall(r":root(?:\[data-theme=\"(\w+)\"\])? \{([^}]*)\}", sheet):
            found[name or "day"] |= dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6});", body))
        return {name: found["day"] | own for name, own in found.items()}

    def test_black_on_white_is_21(self) -> None:
        self.assertAlmostEqual(contrast("#000000", "#ffffff"), 21.0)

    def test_text_can_be_read_on_every_ground(self) -> None:
        looks = self.looks()
        self.assertGreater(len(looks["night"]), 20)
        for look, colours in looks.items():
            for ground in GROUNDS:
                for text in TEXTS:
                    with self.subTest(look=look, text=text, ground=ground):
                        self.assertGreaterEqual(contrast(colours[text], colours[ground]), LEAST)

    def test_none_is_a_colour_here_and_no_way_to_leave_a_shape_empty(self) -> None:
        """`--none` is the grey of what cannot be assessed: a drawing that wants nothing inside is transparent."""
        for path in (ROOT / "web" / "src").rglob("*.tsx"):
            with self.subTest(path=path.name):
                self.assertEqual(re.findall(r"\b(?:fill|stroke)-none\b", path.read_text()), [])


if __name__ == "__main__":
    unittest.main()
