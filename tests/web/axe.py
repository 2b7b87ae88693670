"""A page held against the rules of axe-core."""

from __future__ import annotations

from typing import Any

from tests.web.axe_rules import COLOURS, RULES, violations
from tests.web.browser import BrowserTest

__all__ = ["COLOURS", "RULES", "AxeTest"]


class AxeTest(BrowserTest):
    maxDiff = None

    def check_every_look(self, where: str) -> None:
        """The page as it is by day with every rule, at night and in high contrast with those about colours."""
        self.check(where)
        for theme in ("night", "contrast"):
            self.page.evaluate(f"document.documentElement.dataset.theme = '{theme}'")
            self.check(f"{where} {theme}", COLOURS)
        self.page.evaluate("delete document.documentElement.dataset.theme")

    def check(self, where: str, rules: dict[str, Any] = RULES) -> None:
        with self.subTest(where=where):
            self.page.wait_for_timeout(400)
            self.assertEqual(violations(self.page, rules), [], where)
